"""The document: parts and plates with their ids, their history, and the job file."""

from wideberth.core.job.counts import MOST_PRINTS, on_other_plate, plate_of, with_count, with_print, with_twin, without_prints
from wideberth.core.job.file import attachments_of, is_job, open_job
from wideberth.core.job.folder_units import remember_factor, remembered_factor
from wideberth.core.job.history import History
from wideberth.core.job.intake import advised_mends, taken_in, with_mend, without_mends
from wideberth.core.job.job import Job, Variant, job_of
from wideberth.core.job.joints import assembly_lines
from wideberth.core.job.marking import marked_as, with_marked
from wideberth.core.job.part import LEFT, RIGHT, Part, Piece, Refused, posed
from wideberth.core.job.pieces import cut_in_two, pieces_beside, with_both
from wideberth.core.job.plate import Placed, Placement, Plate
from wideberth.core.job.recent import note_recent, recent_jobs
from wideberth.core.job.rescue import LeftBehind, Rescue
from wideberth.core.job.sizes import job_scaled, resized, scaled

__all__ = [
    "LEFT",
    "MOST_PRINTS",
    "RIGHT",
    "History",
    "Job",
    "LeftBehind",
    "Part",
    "Piece",
    "Placed",
    "Placement",
    "Plate",
    "Refused",
    "Rescue",
    "Variant",
    "advised_mends",
    "assembly_lines",
    "attachments_of",
    "cut_in_two",
    "is_job",
    "job_of",
    "job_scaled",
    "marked_as",
    "note_recent",
    "on_other_plate",
    "open_job",
    "pieces_beside",
    "plate_of",
    "posed",
    "recent_jobs",
    "remember_factor",
    "remembered_factor",
    "resized",
    "scaled",
    "taken_in",
    "with_both",
    "with_count",
    "with_marked",
    "with_mend",
    "with_print",
    "with_twin",
    "without_mends",
    "without_prints",
]
