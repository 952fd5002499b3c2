"""The recipe, its stages and cache, history, proposals, prediction and the job file."""

from wideberth.core.job.history import History
from wideberth.core.job.jobfile import is_job, open_job, plate_meshes, save_job, write_package
from wideberth.core.job.predict import Fineness, Prediction, fine, plate_grid, predict, preview, put_together
from wideberth.core.job.propose import (
    Proposal,
    hole_on_plate,
    propose_all,
    propose_drain,
    propose_hollow,
    propose_orient,
    propose_places,
    propose_split,
    propose_support,
)
from wideberth.core.job.recipe import Job, PartRecipe, cut_in_two, posed, scaled, turned_part
from wideberth.core.job.stages import PartSolids, Stages

__all__ = [
    "Fineness", "History", "Job", "PartRecipe", "PartSolids", "Prediction", "Proposal", "Stages", "cut_in_two",
    "fine", "hole_on_plate", "is_job", "open_job", "plate_grid", "plate_meshes", "posed", "predict",
    "preview", "propose_all", "propose_drain", "propose_hollow", "propose_orient", "propose_places", "propose_split",
    "propose_support", "put_together", "save_job", "scaled", "turned_part", "write_package",
]  # fmt: skip
