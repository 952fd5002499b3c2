"""What covers the verdict while someone guesses it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from wideberth.desktop.session import Session
from wideberth.desktop.session.training import COVERED
from wideberth.desktop.style import DAY, typeface


class Cover(QWidget):
    """Lies over a widget while an exercise has no guess yet."""

    def __init__(self, session: Session, over: QWidget, left: int = 0) -> None:
        super().__init__(over)
        self._session, self._over, self._left = session, over, left
        over.installEventFilter(self)
        session.training.changed.connect(self._lie)
        self._lie()

    def _lie(self) -> None:
        self.setGeometry(QRect(self._left, 0, self._over.width() - self._left, self._over.height()))
        self.setVisible(self._session.training.covers)
        self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Keep to the size of what is covered."""
        if event.type() in (QEvent.Type.Resize, QEvent.Type.ChildAdded):
            self._lie()
        return super().eventFilter(watched, event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.fillRect(self.rect(), QColor(DAY.paper))
            painter.setPen(QColor(DAY.faint))
            painter.setFont(typeface(10.5, italic=True))
            inner = self.rect().adjusted(8, 4, -8, -4)
            painter.drawText(inner, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, COVERED)
