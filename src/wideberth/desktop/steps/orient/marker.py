"""The tool that marks faces: a brush that is drawn over the part, or clicks that mean a region."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from wideberth.core.model import ring_about
from wideberth.core.propose import Way
from wideberth.desktop.session import Canvas, Session, Spot, Tool
from wideberth.desktop.style import DAY
from wideberth.desktop.work import Task

Picked = Callable[[str, list[np.ndarray]], None]
ROUND = 28
STEP_SHARE = 0.4
"""Of a brush's radius: spots of a stroke are no nearer to each other."""


class Marker(Tool):
    """Hands on what was picked: id of a part, and spots in its own frame; one for a click, two for a box, many for a stroke."""

    hovers = True
    sees_through = True

    def __init__(self, session: Session, picked: Picked) -> None:
        self._session, self._picked = session, picked
        self._way, self._radius_mm = Way.BRUSH, 3.0
        self._part = ""
        self._own: list[np.ndarray] = []
        self._seen: list[tuple[Spot, np.ndarray]] = []
        """Spots on the plate that were picked so far, and the normals there."""
        self._pointer: tuple[Spot, np.ndarray] | None = None
        self._readying: Task | None = None

    @property
    def drags(self) -> bool:  # type: ignore[override]
        return self._way is Way.BRUSH

    def shaped(self, way: Way, amount: float, hint: str = "") -> None:
        """Mean another kind of region from now on."""
        self._way, self._radius_mm = way, amount
        self.hint = hint or self.hint
        self.laid_down()
        self._session.sight.tool_moved.emit()

    def laid_down(self) -> None:
        self._own, self._seen, self._pointer, self._part = [], [], None, ""

    def clicked(self, part: str, spot_mm: Spot) -> None:
        if self.drags:
            return
        if part != self._part:
            self._own, self._seen = [], []
        self._add(part, spot_mm)
        if len(self._own) == (2 if self._way is Way.BOX else 1):
            self._hand_on()

    def dragged(self, part: str, spot_mm: Spot) -> None:
        if self._seen and np.linalg.norm(self._seen[-1][0] - spot_mm) < STEP_SHARE * self._radius_mm:
            return
        self._add(part, spot_mm)

    def let_go(self) -> None:
        if self._own:
            self._hand_on()

    def hovered(self, part: str, spot_mm: Spot) -> None:
        if self.drags:
            self._pointer = self._on_surface(part, spot_mm)[1:]
            self._session.sight.tool_moved.emit()

    def left(self) -> None:
        self._pointer = None
        self._session.sight.tool_moved.emit()

    def _add(self, part: str, spot_mm: Spot) -> None:
        own, spot, normal = self._on_surface(part, spot_mm)
        self._part = part
        self._own.append(own)
        self._seen.append((spot, normal))
        self._pointer = (spot, normal) if self.drags else None
        self._session.sight.tool_moved.emit()

    def _hand_on(self) -> None:
        part, own = self._part, self._own
        self._own, self._seen, self._part = [], [], ""
        self._picked(part, own)

    def _on_surface(self, part: str, spot_mm: Spot) -> tuple[np.ndarray, Spot, np.ndarray]:
        """A spot in the part's own frame, on the plate, and the normal there."""
        p = self._session.prediction
        assert p is not None
        solids = p.solids_of(part)
        assert solids is not None
        own = solids.own_spot(spot_mm)
        surface = self._session.stages.at_hand(lambda known: known.closest(solids.own))
        if surface is None:  # it is made ready beside; until then the brush is shown level
            if self._readying is None:
                stages, mesh = self._session.stages, solids.own
                self._readying = self._session.tasks.beside(lambda _: stages.closest(mesh), lambda _: self._ready(), self._ready)
            return own, spot_mm, np.array([0.0, 0.0, 1.0])
        face = int(surface.nearest(own[None])[1][0])
        return own, spot_mm, solids.matrix[:3, :3] @ solids.own.normals[face]

    def _ready(self) -> None:
        self._readying = None

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(DAY.hazard), 1.4))
        rings = [*self._seen, *([self._pointer] if self._pointer is not None else [])]
        for spot, normal in rings:
            if not self.drags:
                at = canvas.project((float(spot[0]), float(spot[1]), float(spot[2])))
                if at is not None:
                    painter.drawEllipse(at, 4.0, 4.0)
                continue
            around = spot + 0.02 * self._radius_mm * normal + self._radius_mm * ring_about(normal, ROUND)
            seen = [canvas.project((float(x), float(y), float(z))) for x, y, z in around]
            corners = [QPointF(at) for at in seen if at is not None]
            if len(corners) == ROUND:
                painter.drawPolygon(QPolygonF(corners))
