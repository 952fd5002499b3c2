"""The document: the recipe of a job, its history, and the job file."""

from wideberth.core.job.file import attachments_of, is_job, open_job
from wideberth.core.job.folder_units import remember_factor, remembered_factor
from wideberth.core.job.history import History
from wideberth.core.job.intake import advised_mends, taken_in, with_mend, without_mends
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

__all__ = [
    "LEFT",
    "RIGHT",
    "Copy",
    "History",
    "Job",
    "PartRecipe",
    "Placed",
    "advised_mends",
    "attachments_of",
    "beside_plate",
    "cut_in_two",
    "is_job",
    "job_scaled",
    "open_job",
    "posed",
    "remember_factor",
    "remembered_factor",
    "resized",
    "scaled",
    "taken_in",
    "turned_part",
    "with_count",
    "with_mend",
    "with_twin",
    "without_mends",
]
