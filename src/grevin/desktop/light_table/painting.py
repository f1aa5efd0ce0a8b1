"""Laying a screen picture onto a widget at a view."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from grevin.core.picture.display import Screen
from grevin.desktop.light_table.view import View


def as_image(screen: Screen) -> QImage:
    """A QImage over the array's memory; the array must outlive it."""
    height, width = screen.shape[:2]
    return QImage(screen.data, width, height, 4 * width, QImage.Format.Format_RGB32)


def target(view: View, size: tuple[float, float], table: tuple[float, float]) -> QRectF:
    """Where the picture lies on the widget, snapped to whole pixels."""
    left, top = view.origin(size, table)
    scale = view.scale(size, table)
    return QRectF(round(left), round(top), size[0] * scale, size[1] * scale)


def lay(painter: QPainter, screen: Screen, place: QRectF) -> None:
    """Draw a picture; exact pixels above 100 %, smooth below."""
    smooth = place.height() < screen.shape[0]
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
    painter.drawImage(place, as_image(screen))
