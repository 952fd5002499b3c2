"""Pictures of a print: small ones in a row, and one as large as there is room for."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QPoint, QRect, Qt
from PySide6.QtGui import QColor, QImage, QImageReader, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QDialog, QWidget

from wideberth.desktop.style import DAY, PlainLabel, tip, typeface

THUMB_PX = 76
LARGE_PX = 2000
"""Wider and taller pictures are taken in smaller: no screen shows more."""
ROUGHLY = 2
"""Times the wanted size to which a large picture is read, before it is made smaller finely."""
Pictures = tuple[tuple[str, bytes], ...]


def picture_of(content: bytes, most_px: int) -> QImage:
    """A picture, no wider and no taller than so much; a null one where it is none."""
    buffer = QBuffer()
    buffer.setData(QByteArray(content))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    size, way = reader.size(), Qt.AspectRatioMode.KeepAspectRatio
    if size.isValid() and max(size.width(), size.height()) > ROUGHLY * most_px:
        reader.setScaledSize(size.scaled(ROUGHLY * most_px, ROUGHLY * most_px, way))  # quick, and rough
    image = reader.read()
    if max(image.width(), image.height()) > most_px:
        return image.scaled(most_px, most_px, way, Qt.TransformationMode.SmoothTransformation)
    return image


class Thumb(PlainLabel):
    """A small picture, or its name where it cannot be shown; a click opens it large."""

    def __init__(self, name: str, content: bytes, opened: Callable[[], None]) -> None:
        super().__init__("")
        self._opened = opened
        seen = picture_of(content, THUMB_PX)
        if seen.isNull():
            self.setText(name)
            self.setProperty("role", "faint")
        else:
            self.setPixmap(QPixmap.fromImage(seen))
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"picture {name}")
        self.setToolTip(tip(f"{name}: a click shows it large"))

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self._opened()


class PictureView(QDialog):
    """One picture of several, large; arrows and clicks go through them, Escape closes it."""

    def __init__(self, pictures: Pictures, at: int, parent: QWidget) -> None:
        super().__init__(parent)
        self._pictures, self.at = pictures, at
        self.setObjectName("paper")
        self.resize(parent.window().size() * 0.85)
        self._shown = QImage()
        self._turn(0)

    def _turn(self, by: int) -> None:
        self.at = (self.at + by) % len(self._pictures)
        name, content = self._pictures[self.at]
        self._shown = picture_of(content, LARGE_PX)
        self.setWindowTitle(f"{name} · {self.at + 1} of {len(self._pictures)}")
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Up):
            self._turn(-1)
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Space):
            self._turn(1)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self._turn(1)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.fillRect(self.rect(), QColor(DAY.paper))
            name = self._pictures[self.at][0]
            if self._shown.isNull():
                painter.setPen(QColor(DAY.faint))
                painter.setFont(typeface(12, italic=True))
                painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, f"{name} cannot be shown")
                return
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            room = self.rect().adjusted(10, 10, -10, -10)
            place = QRect(QPoint(), self._shown.size().scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio))
            place.moveCenter(room.center())
            painter.drawImage(place, self._shown)
