"""Proposed cuts: three sets side by side, the best taken at once, each of the others by a click."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wideberth.core.job import Part
from wideberth.core.progress import Progress
from wideberth.core.propose import Candidate, Proposal, propose_split
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.style import PlainLabel
from wideberth.desktop.thumb import thumb

if TYPE_CHECKING:
    from wideberth.desktop.steps.split.step import SplitStep

_IDENTITY = np.eye(4)
PICTURE = 46, 58
PICTURE_TRIANGLES = 2_500
MOST_PICTURES = 4


class ProposedLeaf(Leaf):
    """Sets of cuts with their pieces as they stand, and their figures."""

    _step: SplitStep

    def build(self) -> None:
        self.box.addWidget(
            button("Propose cuts", self._propose, "main", "planes at any angle, keyed, each piece with its mating face up")
        )
        self.sets = QVBoxLayout()
        self.sets.setSpacing(8)
        self.box.addLayout(self.sets)
        self.told = label("", "faint")
        self.box.addWidget(self.told)
        self._shown: Proposal | None = None

    def show_part(self, part: Part | None) -> None:
        made = self._session.proposing.made.get("split")
        if made is not None and part is not None and made.part != part.id and self._session.job.has(made.part):
            made = None  # of another part, that is still whole
        if made is not self._shown:
            self._shown = made
            self._fill(made)
        if made is None or not made.needed:
            self.told.setText(
                made.why if made is not None else "Seams lie where they take least to finish, and never on clean faces."
            )
        for row, one in zip(range(self.sets.count()), made.candidates if made is not None and made.needed else (), strict=False):
            widget = self.sets.itemAt(row).widget()
            take = widget.findChild(QPushButton) if widget is not None else None
            if take is not None:
                taken = one.job is self._session.job
                take.setText("Taken" if taken else "Take this one")
                take.setEnabled(not taken and self._may_take(made))

    def _may_take(self, made: Proposal | None) -> bool:
        """Whether the job is still one of the sets."""
        return made is not None and any(c.job is self._session.job for c in made.candidates)

    def _propose(self) -> None:
        part, job, stages = self._session.selection.present, self._session.job, self._session.stages
        if part is None:
            return
        kind, joint, id = self._step.kind, self._step.joint, part.id

        def work(progress: Progress) -> Proposal:
            found = propose_split(job, id, stages, kind, joint, progress)
            if found.needed:
                for piece in (p for c in found.candidates for p in c.job.parts if not job.has(p.id)):
                    stages.light(stages.cut(piece), _IDENTITY, PICTURE_TRIANGLES)
            return found

        self._session.proposing.propose("looking for cuts", work)

    def _fill(self, made: Proposal | None) -> None:
        emptied(self.sets)
        if made is None or not made.needed:
            return
        self.told.setText("")
        for one in made.candidates:
            self.sets.addWidget(self._set(one))

    def _set(self, one: Candidate) -> QWidget:
        """A set of cuts: its name, its pieces as they will stand, what it comes to, and a button."""
        frame = QFrame()
        box = QVBoxLayout(frame)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        head = PlainLabel(one.name)
        head.setProperty("role", "head")
        box.addWidget(head)
        row = QHBoxLayout()
        row.setSpacing(2)
        pieces = [p for p in one.job.parts if p.piece is not None]
        for piece in pieces[:MOST_PICTURES]:
            picture = QLabel()
            mesh = self._session.stages.at_hand(lambda s, p=piece: s.light(s.cut(p), _IDENTITY, PICTURE_TRIANGLES))
            if mesh is not None:
                picture.setPixmap(thumb(mesh, piece.pose.rotation, *PICTURE, self.devicePixelRatioF()))
            picture.setToolTip(piece.name)
            picture.setAlignment(Qt.AlignmentFlag.AlignBottom)
            row.addWidget(picture)
        row.addStretch(1)
        box.addLayout(row)
        box.addWidget(label(one.why, "faint"))
        box.addWidget(button("Take this one", lambda: self._take(one), "quiet"))
        return frame

    def _take(self, one: Candidate) -> None:
        if self._may_take(self._shown):
            self._session.document.change(f"{one.label}: {one.name}", one.job)
        else:
            self._session.messages.say("the job has changed since; propose cuts once more")
