"""What clicks on the parts do while a tool is in hand. Steps make their own tools; the 3D view knows only this."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter

Spot = NDArray[np.float64]
"""A place on the plate [mm], (3,)."""


class Canvas(Protocol):
    """What a tool paints on: the 3D view."""

    def project(self, point: tuple[float, float, float]) -> QPointF | None:
        """Where a point of the plate is seen, or None behind the eye."""

    def on_plate(self, at: QPointF) -> tuple[float, float] | None:
        """The place of the plate that is seen at a point of the view, or None where none is."""

    def slip(self, painter: QPainter, at: QPointF, text: str) -> None:
        """Words on a slip of paper, kept inside the view."""


class Tool:
    """The base: nothing happens. hint : what is said at the view's edge; hovers : whether it wants to know where the pointer is;
    catches_corners : whether a click near a corner of the mesh means the corner; sees_through : whether supports are faint;
    drags : whether it is drawn over a part, and the view turns only from beside it; grabs : whether it has handles of its
    own in the view."""

    hint = ""
    hovers = False
    catches_corners = False
    sees_through = False
    drags = False
    grabs = False

    def clicked(self, part: str, spot_mm: Spot) -> None:
        """A spot of a part was clicked: its id, and the spot on its first print."""

    def hovered(self, part: str, spot_mm: Spot) -> None:
        """The pointer rests on a spot of a part."""

    def left(self) -> None:
        """The pointer is over no part."""

    def dragged(self, part: str, spot_mm: Spot) -> None:
        """A tool that `drags` is drawn over a spot of a part."""

    def let_go(self) -> None:
        """The stroke has ended."""

    def grab(self, at: QPointF) -> bool:
        """Whether a press at a point of the view takes one of its handles."""
        return False

    @property
    def held_part(self) -> str:
        """Id of the part over which what is held is moved, so that it is told the spots there (`dragged`); "" for none."""
        return ""

    def pulled(self, at: QPointF) -> None:
        """The handle is pulled to a point of the view."""

    def released(self) -> None:
        """The handle was let go."""

    def passed(self, at: QPointF) -> None:
        """The pointer passes over a point of the view with no button held."""

    def laid_down(self) -> None:
        """Another tool was taken up, or none."""

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        """Paint over the view what the tool has to show."""


class SpotTool(Tool):
    """Hands the clicked spots on, until it is laid down."""

    sees_through = True

    def __init__(self, hint: str, act: Callable[[str, Spot], None]) -> None:
        self.hint, self._act = hint, act

    def clicked(self, part: str, spot_mm: Spot) -> None:
        self._act(part, spot_mm)
