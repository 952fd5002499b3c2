"""The recipe, its stages and cache, history, proposals, prediction and the job file."""

from wideberth.core.job.drainage import Drainage, drainage, hold_words
from wideberth.core.job.drilling import hole_on_plate, minutes, probe_of, propose_drain, what_changes, with_holes
from wideberth.core.job.edition import is_warm
from wideberth.core.job.fineness import Fineness, fine, preview
from wideberth.core.job.first_look import FirstLooks
from wideberth.core.job.history import History
from wideberth.core.job.intake import advised_mends, taken_in, with_mend, without_mends
from wideberth.core.job.jobfile import is_job, open_job, plate_meshes, save_job, write_package
from wideberth.core.job.plugs import export_plugs, plugs, with_plugs
from wideberth.core.job.predict import Prediction, look_closer, predict, strongest
from wideberth.core.job.proposal import Proposal
from wideberth.core.job.propose import (
    propose_all,
    propose_hollow,
    propose_orient,
    propose_places,
    propose_split,
    propose_support,
    propose_thicker,
    with_pieces,
)
from wideberth.core.job.recipe import (
    LEFT,
    RIGHT,
    Copy,
    Job,
    PartRecipe,
    Placed,
    beside_plate,
    cut_in_two,
    job_scaled,
    posed,
    resized,
    scaled,
    turned_part,
    with_count,
    with_twin,
)
from wideberth.core.job.remedies import Remedy, remedy_for
from wideberth.core.job.remembered import remember_factor, remembered_factor
from wideberth.core.job.shelf import Shelf
from wideberth.core.job.shells import ShellChoice, advice, shell_choices
from wideberth.core.job.solids import PartSolids
from wideberth.core.job.stages import Stages
from wideberth.core.job.together import grid_across, plate_grid, put_together

__all__ = [
    "LEFT", "RIGHT", "Copy", "Drainage", "Fineness", "FirstLooks", "History", "Job", "PartRecipe", "PartSolids", "Placed",
    "Prediction", "Proposal", "Remedy", "Shelf", "ShellChoice", "Stages", "advice", "advised_mends", "beside_plate",
    "cut_in_two", "drainage", "export_plugs", "fine", "grid_across", "hold_words", "hole_on_plate", "is_job", "is_warm",
    "job_scaled", "look_closer", "minutes", "open_job", "plate_grid", "plate_meshes", "plugs", "posed", "predict",
    "preview", "probe_of", "propose_all", "propose_drain", "propose_hollow", "propose_orient", "propose_places",
    "propose_split", "propose_support", "propose_thicker", "put_together", "remedy_for", "remember_factor",
    "remembered_factor", "resized", "save_job", "scaled", "shell_choices", "strongest", "taken_in", "turned_part",
    "what_changes", "with_count", "with_holes", "with_mend", "with_pieces", "with_plugs", "with_twin", "without_mends",
    "write_package",
]  # fmt: skip
