"""What the views are asked to show beside the prediction: places, colours, a tool in hand, and a page in the views' place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from wideberth.core.model import Mesh
from wideberth.desktop.session.cursor import Cursor
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.selection import Selection
from wideberth.desktop.session.tool import Tool

NOWHERE: NDArray[np.float64] = np.empty((0, 3))
NO_LINES: NDArray[np.float64] = np.empty((0, 2, 3))


@dataclass(frozen=True, eq=False)
class Coloured:
    """A part by its id, drawn as a mesh on the plate in colours that tell a value at each of its points, (n,); `top` : the value
    from which on the colour stays, `words` : what the scale says of it, with its unit."""

    part: str
    mesh: Mesh
    values: NDArray[np.float64]
    top: float
    words: str


class Sight(QObject):
    """Signals: show_wanted (name of what the 3D view is to show), lines_changed (others are drawn), places_changed, coloured,
    tool_changed (another one, or none),
    tool_moved (the tool in hand has something else to say or paint), page_turned (a step's page is open, or not)."""

    show_wanted = Signal(str)
    lines_changed = Signal()
    places_changed = Signal()
    coloured = Signal()
    tool_changed = Signal()
    tool_moved = Signal()
    page_turned = Signal()

    def __init__(self, document: Document, selection: Selection, cursor: Cursor) -> None:
        super().__init__()
        self._cursor = cursor
        self.places_mm = NOWHERE
        self.lines_mm = NO_LINES
        """Drawn over the parts, (n, 2, 3) ends on the plate: where a plane would cut."""
        self.colours: Coloured | None = None
        self.tool: Tool | None = None
        self.open_pages: set[str] = set()
        """Steps whose page stands in the views' place while they are chosen."""
        document.changed.connect(self._forget)
        selection.part_chosen.connect(self._forget)

    def _forget(self) -> None:
        """Places and colours are those of a part as it was."""
        self.point_out(NOWHERE)
        self.draw(NO_LINES)
        self.colour(None)

    def draw(self, lines_mm: NDArray[np.float64]) -> None:
        """Draw lines (n, 2, 3) over the parts, in place of those before."""
        if len(lines_mm) or len(self.lines_mm):
            self.lines_mm = lines_mm
            self.lines_changed.emit()

    def point_out(self, places_mm: NDArray[np.float64]) -> None:
        """Mark places of the plate, (n, 3) mm, and turn to the first of them."""
        if len(places_mm) or len(self.places_mm):
            self.places_mm = places_mm
            self.places_changed.emit()
            if len(places_mm):
                self._cursor.move_to(float(places_mm[0][2]))

    def colour(self, colours: Coloured | None) -> None:
        """Draw a part in colours, or all of them as usual."""
        if colours is not self.colours:
            self.colours = colours
            self.coloured.emit()

    def open_page(self, step: str, wanted: bool) -> None:
        """Let the page of a step take the views' place, or give it back."""
        if wanted is not (step in self.open_pages):
            self.open_pages ^= {step}
            self.page_turned.emit()

    def take_up(self, tool: Tool) -> None:
        """The next clicks on parts are for this tool."""
        if self.tool is not None and self.tool is not tool:
            self.tool.laid_down()
        self.tool = tool
        self.tool_changed.emit()

    def lay_down(self, tool: Tool) -> None:
        """Clicks choose parts again, if this tool was in hand."""
        if self.tool is tool:
            self.tool = None
            tool.laid_down()
            self.tool_changed.emit()
