"""Where the picture lies on a light table: zoom and crop, panes, and which pixel lies under the pointer."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtWidgets import QWidget

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.desktop.light_table.drawing import Drawing
from grevin.desktop.light_table.view import FIT, View
from grevin.desktop.work.looks import Look, Ways

GAP_PX = 4  # between pictures side by side
PAN_SHARE = 0.12  # of the table's size that a key moves the picture


class PlacedPicture(QWidget):
    """What a `Look` needs to be laid out: a `View`, and the arithmetic between screen and picture."""

    view_changed = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._look: Look | None = None
        self._view = View()
        self._ways = Ways()
        self._drawing = Drawing()

    @property
    def view(self) -> View:
        """Zoom and crop."""
        return self._view

    def show_view(self, view: View) -> None:
        """Set zoom and crop without telling anybody."""
        self._view = view
        self.update()

    # Geometry, in the screen's own pixels

    def shown_format(self, before: bool = False) -> PictureFormat | None:
        """Format of the picture that is shown, or of the one before: a step may have changed size and shape."""
        if self._look is None:
            return None
        return self._look.source.format if before or self._drawing.before else self._look.frame.format

    def aspect(self) -> float:
        """Width of a shown pixel over its height."""
        return self._aspect_of(self.shown_format())

    def _aspect_of(self, fmt: PictureFormat | None) -> float:
        return 1.0 if self._drawing.square or fmt is None else float(fmt.pixel_aspect)

    def size_of_picture(self, before: bool = False) -> tuple[float, float]:
        """(width, height) as displayed, pixel aspect applied."""
        fmt = self.shown_format(before)
        return (1.0, 1.0) if fmt is None else (fmt.width * self._aspect_of(fmt), float(fmt.height))

    def _whole(self) -> QRectF:
        ratio = self.devicePixelRatioF()
        return QRectF(0, 0, round(self.width() * ratio), round(self.height() * ratio))

    def panes(self) -> list[QRectF]:
        """The areas in which the picture lies: one, or two or three side by side."""
        whole = self._whole()
        count = {"side": 2, "splice": 3}.get(self._ways.compare, 1)
        wide = (whole.width() - GAP_PX * (count - 1)) // count  # whole pixels: each pane shows the same ones
        return [QRectF(place * (wide + GAP_PX), 0, wide, whole.height()) for place in range(count)]

    def table(self) -> tuple[float, float]:
        """Size of a pane in the screen's pixels."""
        pane = self.panes()[0]
        return pane.width(), pane.height()

    def _spot(self, position: QPointF) -> tuple[QPointF, QRectF]:
        """A position of the widget in its pane, and the pane."""
        point = position * self.devicePixelRatioF()
        pane = next((pane for pane in self.panes() if pane.contains(point)), self.panes()[0])
        return point - pane.topLeft(), pane

    def _picture_point(self, position: QPointF) -> tuple[float, float] | None:
        """Pixel of the picture under a position of the widget; may lie outside the picture."""
        if self._look is None:
            return None
        spot, _ = self._spot(position)
        left, top = self._view.origin(self.size_of_picture(), self.table())
        scale = self._view.scale(self.size_of_picture(), self.table())
        return (spot.x() - left) / scale / self.aspect(), (spot.y() - top) / scale

    def visible_box(self) -> Box | None:
        """The part of the picture that is seen."""
        fmt = self.shown_format()
        return None if fmt is None else self.seen_of(fmt)

    def seen_of(self, fmt: PictureFormat) -> Box:
        """The part of a picture of some format that would be seen."""
        return self._view.seen(fmt, self._aspect_of(fmt), self.table())

    # Zoom and crop

    def zoom_to(self, zoom: float, at: QPointF | None = None) -> None:
        """Zoom around a position of the widget, its middle by default."""
        width, height = self.table()
        spot = self._spot(at)[0] if at is not None else QPointF(width / 2, height / 2)
        self._set(self._view.zoomed(zoom, (spot.x(), spot.y()), self.size_of_picture(), self.table()))

    def zoom_step(self, direction: int, at: QPointF | None = None) -> None:
        """One step in (+1) or out (-1)."""
        self.zoom_to(self._view.step(direction, self.size_of_picture(), self.table()), at)

    def pan(self, across: int, down: int) -> None:
        """Move the picture by a share of the table."""
        width, height = self.table()
        self.move_by(across * PAN_SHARE * width, down * PAN_SHARE * height)

    def move_by(self, across: float, down: float) -> None:
        """Move the picture by the screen's pixels."""
        self._set(self._view.moved(across, down, self.size_of_picture(), self.table()))

    def show_middle(self, x: float, y: float) -> None:
        """Bring a pixel of the picture to the middle of the table, unless all of the picture is shown."""
        width, height = self.size_of_picture()
        if self._view.zoom != FIT:
            self._set(replace(self._view, x=min(1.0, x * self.aspect() / width), y=min(1.0, y / height)))

    def scale(self) -> float:
        """Screen pixels per displayed picture pixel."""
        return self._view.scale(self.size_of_picture(), self.table())

    def _set(self, view: View) -> None:
        self.show_view(view)
        self.view_changed.emit(view)
