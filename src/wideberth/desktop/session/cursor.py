"""The height that every view looks at."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, Signal

from wideberth.desktop.session.predicting import Predicting

LAYER_KEYS = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 50, Qt.Key.Key_PageDown: -50}
"""Keys that step the height cursor, in every view that shows a layer."""


class Cursor(QObject):
    """Signals: moved (height over the plate [mm]). z_mm : that height."""

    moved = Signal(float)

    def __init__(self, predicting: Predicting) -> None:
        super().__init__()
        self._predicting = predicting
        self.z_mm = 0.0

    @property
    def layer(self) -> int:
        """Layer at the cursor in the prediction at hand."""
        p = self._predicting.prediction
        return 0 if p is None else min(int(self.z_mm / p.layer_mm), p.loads.layers - 1)

    def move_to(self, z_mm: float) -> None:
        """Move to a height; every view follows."""
        p = self._predicting.prediction
        top = 1.0 if p is None else p.loads.layers * p.layer_mm
        self.z_mm = min(max(z_mm, 0.0), top)
        self.moved.emit(self.z_mm)

    def step_by(self, layers: int) -> None:
        """Move by so many layers of the prediction at hand."""
        p = self._predicting.prediction
        if p is not None:
            self.move_to((self.layer + layers + 0.5) * p.layer_mm)
