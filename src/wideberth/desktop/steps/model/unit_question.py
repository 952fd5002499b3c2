"""Asking once whether models came in another unit."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFrame, QSizePolicy, QVBoxLayout

from wideberth.core.errors import WideBerthError
from wideberth.core.job import remember_factor, remembered_factor, scaled
from wideberth.core.model import UnitGuess, guess_unit
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import button, emptied, label


class UnitQuestion(QFrame):
    """The question, when there is one. guess : what it is about."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("question")
        self._session = session
        self.guess: UnitGuess | None = None
        self._parts: tuple[str, ...] = ()
        self._folders: set[Path] = set()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(10, 8, 10, 8)
        self._box.setSpacing(5)
        session.files.models_came.connect(self._ask)
        self._show()

    def _ask(self, parts: tuple[str, ...], paths: list[Path]) -> None:
        """Ask when new parts look to be in another unit and nothing was told for their folder."""
        job, longest_mm = self._session.job, self._session.job.bench.printer.longest_mm
        unsized = {part.id: part for part in map(job.part, parts) if part.scale == 1.0}
        guesses = {id: guess_unit(part.source.mesh, longest_mm) for id, part in unsized.items()}
        self._parts = tuple(id for id, g in guesses.items() if g is not None)
        told = all(remembered_factor(p.parent) is not None for p in paths)
        self.guess = guesses[self._parts[0]] if self._parts and not told else None
        self._folders = {p.parent for p in paths}
        self._show()

    def answer(self, factor: float) -> None:
        """Take the answer for all parts it was asked for, and remember it for their folder."""
        job = self._session.job
        for id in self._parts:
            if factor != 1.0 and job.has(id):
                job = job.with_part(scaled(job.part(id), job.part(id).scale * factor))
        self.guess = None
        try:
            for folder in self._folders:
                remember_factor(folder, factor)
        except WideBerthError as error:
            self._session.messages.say(f"the answer could not be remembered: {error.text}")
        self._session.document.change(f"take the model as {factor:g} mm a unit", job)
        self._show()

    def _show(self) -> None:
        """Show the question, or nothing."""
        emptied(self._box)
        guess = self.guess
        self.setVisible(guess is not None)
        if guess is None:
            return
        self._box.addWidget(label(guess.question))
        for name, factor, size in guess.readings:
            choice = button(f"{name}: {size:,.0f} mm", lambda f=factor: self.answer(f))
            choice.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)  # never widens the panel
            self._box.addWidget(choice)
        self._box.addWidget(button(f"It is meant so: {guess.longest_mm:,.2f} mm", lambda: self.answer(1.0), "quiet"))
        self._box.addWidget(label("remembered for its folder", "faint"))
