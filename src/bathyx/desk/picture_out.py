"""A drawing out of the window: on the clipboard as a picture and as SVG, or in a file."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMimeData, QSize
from PyQt6.QtGui import QGuiApplication, QImage, QPainter
from PyQt6.QtSvg import QSvgGenerator

from bathyx.desk.views.canvas import Canvas
from bathyx.files import WriteError, write_bytes

SHARP = 2.0
KINDS = "SVG drawing (*.svg);;PNG picture (*.png)"


def svg_of(canvas: Canvas, title: str) -> bytes:
    """The drawing as it is fitted now, its words as words."""
    data = QByteArray()
    device = QBuffer(data)
    device.open(QIODevice.OpenModeFlag.WriteOnly)
    made = QSvgGenerator()
    made.setOutputDevice(device)
    made.setSize(canvas.size())
    made.setViewBox(canvas.rect())
    made.setTitle(title)
    with QPainter(made) as painter:
        canvas.draw(painter)
    return bytes(data.data())


def png_of(canvas: Canvas) -> QImage:
    """The drawing as a picture, twice as fine as the screen."""
    size = canvas.size() * SHARP
    made = QImage(QSize(max(1, size.width()), max(1, size.height())), QImage.Format.Format_RGB32)
    made.setDevicePixelRatio(SHARP)
    with QPainter(made) as painter:
        canvas.draw(painter)
    return made


def copy(canvas: Canvas, title: str) -> None:
    """Both on the clipboard: whoever pastes takes what it can."""
    mime = QMimeData()
    mime.setImageData(png_of(canvas))
    mime.setData("image/svg+xml", svg_of(canvas, title))
    clip = QGuiApplication.clipboard()
    assert clip is not None
    clip.setMimeData(mime)


def save(canvas: Canvas, title: str, path: Path) -> None:
    """Write the drawing, whole or not at all; SVG unless the name ends in .png.

    Raises:
        WriteError: where it cannot be written.
    """
    if path.suffix.lower() != ".png":
        write_bytes(path, svg_of(canvas, title))
        return
    data = QByteArray()
    device = QBuffer(data)
    device.open(QIODevice.OpenModeFlag.WriteOnly)
    if not png_of(canvas).save(device, "PNG"):
        raise WriteError(f"{path.name} could not be made into a picture")
    write_bytes(path, bytes(data.data()))
