"""The vat drawn from its side: what is in it, what the run takes, the film's cover and the mark."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from wideberth.core.bench import Printer
from wideberth.core.plan import Filling
from wideberth.core.shelf import Vat
from wideberth.desktop.style import DAY, typeface

WIDEST, TALLEST = 460.0, 190.0
LEAST_ML = 0.5
WORDS_PX = 240.0


class VatPicture(QWidget):
    """Levels in millilitres against the vat's mark: filled as it is, dashed as it is to be filled, below them the cover."""

    def __init__(self) -> None:
        super().__init__()
        self._shown: tuple[Vat, Printer, Filling | None] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(110)
        self.setAccessibleName("the vat and its levels")

    def sizeHint(self) -> QSize:
        return QSize(480, 170)

    def show_vat(self, vat: Vat, printer: Printer, filling: Filling | None) -> None:
        """Draw another state."""
        self._shown = vat, printer, filling
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._shown is None:
            return
        vat, printer, filling = self._shown
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            tall = min(self.height() - 26.0, TALLEST)
            place = QRectF(2, 14, min(self.width() - WORDS_PX - 4, WIDEST), tall)
            whole = printer.vat_ml * 1.12

            def y_of(ml: float) -> float:
                return place.bottom() - ml / whole * place.height()

            painter.fillRect(place, QColor(DAY.card))
            top = y_of(min(vat.ml, whole))
            painter.fillRect(QRectF(place.left(), top, place.width(), place.bottom() - top), QColor(DAY.water))
            self._words: list[float] = []
            for ml, words, colour, is_plan in sorted(_levels(vat, printer, filling)):
                self._level(painter, place, y_of(min(ml, whole)), f"{words}, {ml:.0f} mL", colour, is_plan)
            painter.setPen(QPen(QColor(DAY.ink), 2.4))
            painter.drawPolyline([place.topLeft(), place.bottomLeft(), place.bottomRight(), place.topRight()])

    def _level(self, painter: QPainter, place: QRectF, y: float, words: str, colour: str, dashed: bool) -> None:
        """A level with its words beside the vat, moved aside where others stand already."""
        painter.setPen(QPen(QColor(colour), 1.4, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine))
        painter.drawLine(QPointF(place.left(), y), QPointF(place.right() + 6, y))
        at = y
        while any(abs(at - other) < 15 for other in self._words):
            at -= 15
        self._words.append(at)
        painter.setFont(typeface(10.5))
        painter.drawText(QRectF(place.right() + 10, at - 9, WORDS_PX - 12, 18), Qt.AlignmentFlag.AlignVCenter, words)


def _levels(vat: Vat, printer: Printer, filling: Filling | None) -> list[tuple[float, str, str, bool]]:
    """Millilitres, words, colour of each level, and whether it is not there yet."""
    levels = [(printer.vat_ml, "the mark", DAY.hazard, False)]
    if not vat.is_empty:
        levels.append((vat.ml, "in it", DAY.ink, False))
    if filling is not None:
        levels.append((filling.cover_ml, "keeps the film covered", DAY.faint, True))
        if filling.before_ml >= LEAST_ML:
            levels.append((filling.there_ml + filling.before_ml, "to begin with", DAY.good, True))
    return levels
