"""Measuring in the 3D view: the tool that takes spots, what they measure, and how that is painted."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, angle_between_deg, bore_at, distance_mm, wall_mm
from wideberth.desktop.session import Canvas, Session, Spot, Tool
from wideberth.desktop.style import DAY, typeface

SPOTS_WANTED = {"distance": 2, "angle": 2, "bore": 1, "wall": 1}
HINTS = {
    "distance": "click two spots; corners are caught", "angle": "click two faces", "bore": "click inside a hole or on a pin",
    "wall": "click where the wall is to be measured",
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Measured:
    """A measurement: spots on the plate, (n, 3) mm, what to print beside them, and its value in mm or degrees."""

    kind: str
    spots_mm: NDArray[np.float64]
    text: str
    value: float


class Measuring(QObject, Tool):
    """Signals: measured (another mode, spot or result). mode : what is measured, "" for nothing."""

    measured = Signal()
    catches_corners = True

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.mode = ""
        self.spots: list[NDArray[np.float64]] = []
        self.result: Measured | None = None
        session.document.changed.connect(self.stop)
        session.selection.part_chosen.connect(self.stop)

    @property
    def hint(self) -> str:  # type: ignore[override]
        return "" if self.result is not None else HINTS.get(self.mode, "")

    def start(self, mode: str) -> None:
        """Take the next clicks as spots of a measurement."""
        self.mode, self.spots, self.result = mode, [], None
        self._session.sight.take_up(self)
        self.measured.emit()

    def stop(self) -> None:
        """Measure no more, and forget what was measured."""
        self._session.sight.lay_down(self)

    def laid_down(self) -> None:
        self.mode, self.spots, self.result = "", [], None
        self.measured.emit()

    def clicked(self, part: str, spot_mm: Spot) -> None:
        """Take a spot, of another part too: that one is chosen then, and measuring begins with it."""
        mode = self.mode
        if part != self._session.selection.part:
            self._session.selection.choose_part(part)
            self.start(mode)
        if self.result is not None:
            self.spots, self.result = [], None
        self.spots.append(np.asarray(spot_mm, float))
        if len(self.spots) == SPOTS_WANTED[mode]:
            self._measure(part)
        self.measured.emit()
        self._session.sight.tool_moved.emit()

    def _measure(self, part: str) -> None:
        p = self._session.prediction
        solid = None if p is None else p.solids_of(part)
        if solid is None:
            self.spots = []
            return
        try:
            self.result = _measured(self.mode, solid.outer, self.spots)
        except BadModel as error:
            self._session.messages.say(error.text)
            self.spots = []

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        """Spots as dividers' pricks, the line between them, and the figure."""
        spots = self.result.spots_mm if self.result is not None else np.array(self.spots).reshape(-1, 3)
        seen = [canvas.project((float(x), float(y), float(z))) for x, y, z in spots]
        points = [s for s in seen if s is not None]
        painter.setPen(QPen(QColor(DAY.ink), 1.6))
        painter.setBrush(QColor(DAY.card))
        if len(points) == 2:
            painter.drawLine(points[0], points[1])
        for at in points:
            painter.drawEllipse(at, 3.5, 3.5)
        if self.result is not None and points:
            painter.setFont(typeface(11))
            middle = 0.5 * (points[0] + points[-1])
            canvas.slip(painter, QPointF(middle.x() + 10, middle.y() - 10), self.result.text)


def _measured(mode: str, mesh: Mesh, spots: list[NDArray[np.float64]]) -> Measured:
    """Carry out a measurement on a part as it stands on the plate."""
    at = np.array(spots)
    if mode == "distance":
        length = distance_mm(at[0], at[1])
        dx, dy, dz = np.abs(at[1] - at[0])
        return Measured(mode, at, f"{length:.3f} mm · x {dx:.2f} · y {dy:.2f} · z {dz:.2f}", length)
    if mode == "angle":
        angle = angle_between_deg(mesh, at[0], at[1])
        return Measured(mode, at, f"{angle:.2f}° through the material", angle)
    if mode == "bore":
        bore = bore_at(mesh, at[0])
        what = "hole" if bore.is_hole else "pin"
        said = f"{what} of {bore.diameter_mm:.3f} mm, round within {bore.off_mm:.3f} mm"
        return Measured(mode, np.vstack([at, [bore.centre_mm]]), said, bore.diameter_mm)
    wall = wall_mm(mesh, at[0])
    return Measured(mode, at, f"wall of {wall:.3f} mm", wall)
