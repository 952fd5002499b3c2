"""All state of a window, by its subjects: views and steps hear those they show."""

from __future__ import annotations

from wideberth.core.job import Job, Rescue
from wideberth.core.predict import Disk, FirstLooks, Prediction, Stages
from wideberth.desktop.session.charting import Charting
from wideberth.desktop.session.comparing import Comparing
from wideberth.desktop.session.cursor import Cursor
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.files import Files
from wideberth.desktop.session.logging import Logging
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.planning import Planning
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.session.printing import Printing
from wideberth.desktop.session.proposing import Proposing
from wideberth.desktop.session.rescuing import Rescuing
from wideberth.desktop.session.selection import Selection
from wideberth.desktop.session.shelving import Shelving
from wideberth.desktop.session.sight import Sight
from wideberth.desktop.session.sparing import Sparing
from wideberth.desktop.session.tasks import Tasks
from wideberth.desktop.session.ticking import Ticking
from wideberth.desktop.session.training import Training
from wideberth.desktop.session.washing import Washing


class Session:
    """The subjects, put together. No subject knows a view or a step; what a step does by itself lives with the step."""

    def __init__(self) -> None:
        disk = Disk()
        self.stages, self.looks = Stages(disk=disk), FirstLooks(disk)
        self.messages = Messages()
        self.document = Document(self.messages)
        self.selection = Selection(self.document)
        self.rescuing = Rescuing(self.document, self.selection, Rescue())
        self.tasks = Tasks(self.document, self.messages)
        self.sparing = Sparing(self.tasks, self.messages)
        self.predicting = Predicting(self.document, self.selection, self.tasks, self.messages, self.stages, self.looks)
        self.cursor = Cursor(self.predicting)
        self.sight = Sight(self.document, self.selection, self.cursor)
        self.charting = Charting(self.document, self.tasks, self.predicting, self.stages)
        self.comparing = Comparing(self.document, self.tasks, self.stages)
        self.planning = Planning(self.document, self.predicting, self.tasks, self.stages)
        self.logging = Logging(self.document, self.tasks, self.messages)
        self.printing = Printing(self.predicting, self.logging, self.messages)
        self.shelving = Shelving(self.document, self.tasks, self.messages, self.printing)
        self.washing = Washing(self.messages)
        self.ticking = Ticking(self.document, self.predicting, self.planning, self.shelving, self.washing, self.messages)
        self.training = Training(self.document, self.tasks, self.predicting, self.printing, self.logging, self.messages)
        self.proposing = Proposing(self.document, self.tasks, self.messages, self.stages)
        self.files = Files(
            self.document,
            self.selection,
            self.tasks,
            self.messages,
            self.predicting,
            self.cursor,
            self.rescuing,
            self.stages,
            self.looks,
        )

    def end(self) -> None:
        """Stop all that runs, before the window goes."""
        self.printing.end()
        self.logging.end()
        self.ticking.end()
        self.washing.end()
        self.predicting.end()
        self.tasks.end()
        self.rescuing.rescue.end()

    @property
    def job(self) -> Job:
        """The present recipe."""
        return self.document.job

    @property
    def prediction(self) -> Prediction | None:
        """The prediction at hand, of the present job or of one just before it."""
        return self.predicting.prediction

    @property
    def has_parts(self) -> bool:
        return bool(self.job.parts)

    @property
    def is_busy(self) -> bool:
        return self.tasks.are_running or self.predicting.is_busy

    @property
    def is_current(self) -> bool:
        """Whether the prediction at hand is the fine one of the present job."""
        return self.predicting.is_current
