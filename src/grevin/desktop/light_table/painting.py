"""Drawing onto the light table and the strips: pictures at a view, evidence, words, what stands for a missing frame."""

from __future__ import annotations

import cv2
import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from grevin.core.measure.area import Box
from grevin.core.picture.display import Screen, hatch_over
from grevin.core.picture.frame import Mask
from grevin.desktop.light_table.view import View
from grevin.desktop.light_table.wipe import Wipe
from grevin.desktop.style import look as style

LABEL_PAD = 5
HATCH_PX = 18
KNOB_RADIUS = 6
INK = QColor(20, 20, 20)  # under light lines, so that they show on any picture


def as_image(screen: Screen) -> QImage:
    """A QImage over the array's memory; the array must outlive it."""
    height, width = screen.shape[:2]
    return QImage(screen.data, width, height, 4 * width, QImage.Format.Format_RGB32)


def target(view: View, size: tuple[float, float], pane: QRectF) -> QRectF:
    """Where the picture lies in a pane, snapped to whole pixels."""
    table = (pane.width(), pane.height())
    left, top = view.origin(size, table)
    scale = view.scale(size, table)
    return QRectF(pane.left() + round(left), pane.top() + round(top), size[0] * scale, size[1] * scale)


def lay(painter: QPainter, screen: Screen, place: QRectF) -> None:
    """Draw a picture; exact pixels above 100 %, smooth below."""
    smooth = place.height() < screen.shape[0]
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
    painter.drawImage(place, as_image(screen))


def evidence_overlay(
    mask: Mask, place: QRectF, pane: QRectF, colour: tuple[int, int, int]
) -> tuple[QImage, QPointF] | None:
    """Outline and hatch of a mask at screen resolution, for the visible part only, and where it belongs."""
    height, width = mask.shape
    seen = place.intersected(pane)
    if seen.isEmpty():
        return None
    across, down = width / place.width(), height / place.height()
    first_x, last_x = int((seen.left() - place.left()) * across), int((seen.right() - place.left()) * across) + 1
    first_y, last_y = int((seen.top() - place.top()) * down), int((seen.bottom() - place.top()) * down) + 1
    part = mask[max(0, first_y) : last_y, max(0, first_x) : last_x]
    size = (max(1, round(part.shape[1] / across)), max(1, round(part.shape[0] / down)))
    method = cv2.INTER_NEAREST if across <= 1 else cv2.INTER_AREA
    shown = cv2.resize(part.astype(np.uint8) * np.uint8(255), size, interpolation=method) > 0
    overlay = hatch_over(np.asarray(shown), colour)
    image = QImage(overlay.data, size[0], size[1], 4 * size[0], QImage.Format.Format_ARGB32_Premultiplied).copy()
    corner = (place.left() + max(0, first_x) / across, place.top() + max(0, first_y) / down)
    return image, QPointF(round(corner[0]), round(corner[1]))  # on whole pixels the hatch stays sharp


def label_height(painter: QPainter) -> float:
    """Height of a line of words on the table."""
    return float(painter.fontMetrics().height() + 2 * LABEL_PAD)


def label(painter: QPainter, text: str, x: float, y: float) -> float:
    """Words on a dark ground with their top left corner there; returns their height."""
    height = label_height(painter)
    box = QRectF(x, y, painter.fontMetrics().horizontalAdvance(text) + 2 * LABEL_PAD, height)
    painter.fillRect(box, QColor(24, 24, 24, 205))
    painter.setPen(style.TEXT)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return height


def paint_words(painter: QPainter, above: list[str], below: list[str], height: int) -> None:
    """Lines of words in the upper and in the lower left corner of a table of that height."""
    y = 8.0
    for text in above:
        y += label(painter, text, 8, y) + 4
    y = height - 4.0
    for text in reversed(below):
        y -= label_height(painter) + 4
        label(painter, text, 8, y)


def placeholder(painter: QPainter, place: QRectF, words: str) -> None:
    """What stands for a frame that cannot be read: a hatched field with a sentence; it is in no picture."""
    painter.save()
    painter.setClipRect(place)
    painter.fillRect(place, QColor(40, 40, 40))
    painter.setPen(QPen(style.LINE, 1))
    across = int(place.width() + place.height())
    for offset in range(-int(place.height()), across, HATCH_PX):
        painter.drawLine(
            QPointF(place.left() + offset, place.bottom()), QPointF(place.left() + offset + place.height(), place.top())
        )
    painter.setPen(QPen(style.QUIET, 1))
    painter.drawRect(place.adjusted(0, 0, -1, -1))
    painter.setPen(style.TEXT)
    flags = int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap)
    room = place.adjusted(12, 8, -12, -8)
    box = painter.boundingRect(room, flags, words).adjusted(-8, -6, 8, 6)
    painter.fillRect(box, QColor(24, 24, 24, 225))
    painter.drawText(room, flags, words)
    painter.restore()


def paint_wipe(painter: QPainter, wipe: Wipe, before: Screen, pane: QRectF, place: QRectF) -> None:
    """The source on its side of the line, and the line with its knob."""
    table = (pane.width(), pane.height())
    path = QPainterPath()
    path.addPolygon(QPolygonF([QPointF(x, y) for x, y in wipe.source_side(table)]))
    painter.save()
    painter.setClipPath(path, Qt.ClipOperation.IntersectClip)
    painter.fillRect(pane, style.table())
    lay(painter, before, place)
    painter.restore()
    first, second = (QPointF(*end) for end in wipe.ends(table))
    for colour, width in ((INK, 3), (style.TEXT, 1)):
        painter.setPen(QPen(colour, width))
        painter.drawLine(first, second)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(INK, 1))
    painter.setBrush(style.TEXT)
    painter.drawEllipse(QPointF(*wipe.knob(table)), KNOB_RADIUS, KNOB_RADIUS)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_box(painter: QPainter, box: Box, place: QRectF, across: float, down: float) -> None:
    """A measured box; `across` and `down` are screen pixels for a picture pixel."""
    rect = QRectF(
        place.left() + box.x * across, place.top() + box.y * down, box.width * across, box.height * down
    ).adjusted(-0.5, -0.5, 0.5, 0.5)
    for colour, width in ((INK, 3), (style.TEXT, 1)):
        painter.setPen(QPen(colour, width))
        painter.drawRect(rect)
