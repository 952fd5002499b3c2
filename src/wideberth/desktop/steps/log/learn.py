"""What prints teach, to be taken over on the bench; and whose prints they are."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.logbook import REAL
from wideberth.desktop.steps.fields import button, captioned, label, slim
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count


class LearnLeaf(Leaf):
    """What to take over on the bench."""

    def build(self) -> None:
        logging = self._session.logging
        self.maker = QComboBox()
        self.maker.setAccessibleName("whose prints")
        self.maker.activated.connect(lambda _: logging.choose_maker(self.maker.currentText()))
        self.box.addWidget(captioned("Prints of", self.maker))
        self.take = button("Take what is ticked", logging.take_ticked, "main", "on the bench, as one change; undo takes it back")
        self.again = button("Look again", logging.learn, "quiet", "fit once more, with the bench and the log as they are now")
        self.said = label("")
        self.box.addWidget(self.take)
        self.box.addWidget(self.again)
        self.box.addWidget(self.said)
        self.box.addWidget(
            label("What is taken narrows its range too. What prints cannot tell stays. Nothing is taken by itself.", "faint")
        )
        self.fits = label("", "faint")
        self.box.addWidget(self.fits)
        logging.learnt.connect(self._learnt)
        logging.listed.connect(self._listed)
        self._learnt()

    def _learnt(self) -> None:
        logging = self._session.logging
        fit = logging.fit
        self.take.setEnabled(fit is not None and fit.looked_at > 0)
        self.again.setEnabled(not logging.is_learning)
        if fit is None:
            self.said.setText("" if not logging.is_learning else "reading …")
        else:
            told = len(fit.of_use)
            self.said.setText(f"{told} of {len(fit.estimates)} coefficients are told by {count(fit.looked_at, 'print')}.")

    def _listed(self) -> None:
        known = self._session.logging.known
        if known is not None:
            self.maker.clear()
            self.maker.addItems(list(known.makers) or [REAL])
            self.maker.setCurrentText(known.maker)
            slim(self.maker)
            lines = [
                f"{f.at:%d %b %Y}: from {count(f.prints, 'print')}" + (", taken back" if f.state != "taken" else "")
                for f in known.fits[:5]
            ]
            self.fits.setText("Taken before:\n" + "\n".join(lines) if lines else "")
