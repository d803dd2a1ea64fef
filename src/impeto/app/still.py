"""Pictures of what is on the screen, as files: PNG, or SVG with lines and text that stay sharp."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QRect, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QWidget

from impeto.app.deck.chart import Chart
from impeto.core.errors import FileError
from impeto.services.atomic import replacing

FILTER = "Picture (*.png *.svg *.jpg)"


def still(widget: QWidget, path: Path, complain: Callable[[str], None]) -> bool:
    """A widget as it is, as a picture; False where it cannot be written, which is told."""
    try:
        content = as_svg(widget) if path.suffix.lower() == ".svg" else as_pixels(widget, path)
        with replacing(path) as temporary:
            temporary.write_bytes(content)
    except ValueError as error:
        complain(f"{path.name} cannot be written: {error}.")
        return False
    except FileError as error:
        complain(str(error))
        return False
    return True


def chart_picture(chart: Chart, path: Path, complain: Callable[[str], None]) -> bool:
    """A chart with its legend, without what is to be clicked."""
    chart.head.show_tools(False)
    try:
        return still(chart, path, complain)
    finally:
        chart.head.show_tools(True)


def as_pixels(widget: QWidget, path: Path) -> bytes:
    """In the format that the name ends in. Raises ValueError for one that is not known."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if not widget.grab().save(buffer, path.suffix.lstrip(".").upper() or "PNG"):
        raise ValueError("choose a name that ends in .png, .svg or .jpg")
    return bytes(buffer.data().data())


def as_svg(widget: QWidget) -> bytes:
    """Lines and text as such; the solids of the Stage are a picture in it."""
    content, buffer = QByteArray(), QBuffer()
    buffer.setBuffer(content)
    made = QSvgGenerator()
    made.setOutputDevice(buffer)
    made.setSize(QSize(widget.width(), widget.height()))
    made.setViewBox(QRect(0, 0, widget.width(), widget.height()))
    made.setTitle(widget.accessibleName() or "Chart")
    painter = QPainter(made)
    widget.render(painter)
    painter.end()
    return bytes(buffer.data().data())
