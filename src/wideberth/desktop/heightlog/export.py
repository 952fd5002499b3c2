"""The log as a picture, a drawing or a table."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QRect, QSize
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator

from wideberth.core.errors import CannotWrite
from wideberth.core.handover import write_layer_table
from wideberth.core.saving import write_safely
from wideberth.desktop.heightlog.drawing import Frame, paint

PICTURE = (1100.0, 1500.0)
SHARPNESS = 2


def export_log(frame: Frame, path: Path) -> None:
    """Write the log as shown: PNG, SVG, or the layers of its stretch of heights as CSV, by the file's ending.

    Raises
    ------
    CannotWrite : the old file, if any, is untouched.
    """
    kind = path.suffix.lower()
    if frame.prediction is None:
        raise CannotWrite("there is no prediction yet.", where=str(path))
    if kind == ".csv":
        whole = frame.low_mm <= 0
        write_layer_table(frame.prediction, path, 0.0 if whole else frame.low_mm, frame.high_mm)
        return
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    width, height = PICTURE
    large = replace(frame, width=width / SHARPNESS, height=height / SHARPNESS)
    if kind == ".svg":
        drawing = QSvgGenerator()
        drawing.setOutputDevice(buffer)
        drawing.setSize(QSize(int(large.width), int(large.height)))
        drawing.setViewBox(QRect(0, 0, int(large.width), int(large.height)))
        drawing.setTitle(f"Height log of {frame.prediction.job.title}")
        with QPainter(drawing) as painter:
            paint(painter, large)
    elif kind == ".png":
        image = QImage(int(width), int(height), QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(SHARPNESS)
        with QPainter(image) as painter:
            paint(painter, large)
        image.save(buffer, "PNG")  # type: ignore[call-overload]
    else:
        raise CannotWrite(f"`{kind}` is no kind of log.", where=str(path), remedy="Use .png, .svg or .csv.")
    write_safely(path, bytes(buffer.data().data()))
