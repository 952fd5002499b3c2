"""Setting the chosen part in another pose: where it has tips they come along."""

from __future__ import annotations

from wideberth.core.job import Job, posed
from wideberth.core.orient import Pose
from wideberth.core.propose import in_pose
from wideberth.core.support import Carried
from wideberth.desktop.session import Session


def set_pose(session: Session, label: str, pose: Pose) -> None:
    """Set the chosen part in another pose; with tips that takes a moment."""
    part, job = session.selection.present, session.job
    if part is None or pose == part.pose:
        return
    if not part.supports and not part.supports.idle:
        session.document.change(label, job.with_part(posed(part, pose)))
        return

    def done(after: tuple[Job, Carried | None]) -> None:
        turned_job, came = after
        session.document.change(label, turned_job)
        if came is not None:
            session.messages.say(f"{label}: {came.words}")

    session.tasks.act("bringing the tips along", lambda p: in_pose(job, part.id, pose, session.stages, p), done)
