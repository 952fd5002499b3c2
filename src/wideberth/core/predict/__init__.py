"""From a job to its prediction: stages, their cache, parts put together to plates, and the closer look."""

from wideberth.core.predict.by_print import PrintTold, told_by_print
from wideberth.core.predict.disk import Disk
from wideberth.core.predict.drainage import Drainage, drainage, hold_words
from wideberth.core.predict.examined import Examined, detail_of, examined
from wideberth.core.predict.fineness import Fineness, as_tips_are_judged, fine, glance, preview
from wideberth.core.predict.first_looks import FirstLooks
from wideberth.core.predict.gaps import Gap, gaps_between, stance_of
from wideberth.core.predict.losses import Loss, Reached, losses
from wideberth.core.predict.plate import grid_across, plate_grid, put_together
from wideberth.core.predict.prediction import Prediction, look_closer, predict, strongest, weighed_again
from wideberth.core.predict.prepared import plate_meshes
from wideberth.core.predict.program import is_compiled, note_compiled
from wideberth.core.predict.solids import PartSolids, PrintSolids
from wideberth.core.predict.stage import Marked
from wideberth.core.predict.stages import Stages

__all__ = [
    "Disk",
    "Drainage",
    "Examined",
    "Fineness",
    "FirstLooks",
    "Gap",
    "Loss",
    "Marked",
    "PartSolids",
    "Prediction",
    "PrintSolids",
    "PrintTold",
    "Reached",
    "Stages",
    "as_tips_are_judged",
    "detail_of",
    "drainage",
    "examined",
    "fine",
    "gaps_between",
    "glance",
    "grid_across",
    "hold_words",
    "is_compiled",
    "look_closer",
    "losses",
    "note_compiled",
    "plate_grid",
    "plate_meshes",
    "predict",
    "preview",
    "put_together",
    "stance_of",
    "strongest",
    "told_by_print",
    "weighed_again",
]
