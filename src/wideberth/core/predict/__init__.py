"""From a job to its prediction: stages, their cache, parts put together to plates, and the closer look."""

from wideberth.core.predict.drainage import Drainage, drainage, hold_words
from wideberth.core.predict.fineness import Fineness, fine, preview
from wideberth.core.predict.first_looks import FirstLooks
from wideberth.core.predict.prediction import Prediction, look_closer, predict, strongest
from wideberth.core.predict.prepared import plate_meshes
from wideberth.core.predict.program import is_compiled, note_compiled
from wideberth.core.predict.shelf import Shelf
from wideberth.core.predict.solids import PartSolids
from wideberth.core.predict.stages import Stages
from wideberth.core.predict.together import grid_across, plate_grid, put_together

__all__ = [
    "Drainage",
    "Fineness",
    "FirstLooks",
    "PartSolids",
    "Prediction",
    "Shelf",
    "Stages",
    "drainage",
    "fine",
    "grid_across",
    "hold_words",
    "is_compiled",
    "look_closer",
    "note_compiled",
    "plate_grid",
    "plate_meshes",
    "predict",
    "preview",
    "put_together",
    "strongest",
]
