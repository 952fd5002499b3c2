"""The runs of a job: a prediction of each plate that anything stands on."""

from __future__ import annotations

from wideberth.core.errors import BadJob
from wideberth.core.job import Job
from wideberth.core.predict import Prediction, Stages, fine, look_closer, predict, preview
from wideberth.core.progress import Progress, quiet


def predicted_runs(
    job: Job, stages: Stages, coarse: bool, progress: Progress | None = None, known: Prediction | None = None
) -> list[Prediction]:
    """A prediction of each plate with prints, in the order of the plates.

    Parameters
    ----------
    coarse : previews, else as fine as what is written, with the closer look. known : of one of the plates, taken as it is.

    Raises
    ------
    BadJob : when nothing stands on any plate. BadModel, Cancelled : as `predict`.
    """
    progress = progress or quiet()
    plates = [plate for plate in job.plates if plate.placements]
    if not plates:
        raise BadJob("nothing stands on its plates.", where=job.title, remedy="Open a model first.")
    seen = []
    for plate, share in zip(plates, progress.evenly(len(plates)), strict=True):
        if known is not None and known.plate == plate.id:
            seen.append(known)
        elif coarse:
            seen.append(predict(job, stages, preview(job.bench), share, plate.id))
        else:
            seen.append(look_closer(predict(job, stages, fine(), share.part(0.0, 0.7), plate.id), stages, share.part(0.7, 1.0)))
    return seen
