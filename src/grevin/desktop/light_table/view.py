"""Zoom and crop, shared by light table and neighbour strip. Plain arithmetic, tested without a window."""

from __future__ import annotations

from dataclasses import dataclass, replace

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat

ZOOM_STEPS = (0.25, 0.5, 1.0, 2.0, 3.0, 4.0, 6.0, 8.0)
FIT = 0.0


@dataclass(frozen=True)
class View:
    """How a picture lies on a table.

    Attributes:
        zoom: screen pixels per picture pixel (down); `FIT` to show all of it.
        x, y: point of the picture (0..1 of its width and height) in the middle of the table.
    """

    zoom: float = FIT
    x: float = 0.5
    y: float = 0.5

    def scale(self, picture: tuple[float, float], table: tuple[float, float]) -> float:
        """Screen pixels per display pixel of the picture.

        Args:
            picture: (width, height) as displayed (pixel aspect applied), in pixels.
            table: (width, height) of the widget.
        """
        if self.zoom > 0:
            return self.zoom
        return min(table[0] / picture[0], table[1] / picture[1])

    def origin(self, picture: tuple[float, float], table: tuple[float, float]) -> tuple[float, float]:
        """Widget position of the picture's top left corner."""
        scale = self.scale(picture, table)
        x, y = (0.5, 0.5) if self.zoom == FIT else (self.x, self.y)
        return table[0] / 2 - x * picture[0] * scale, table[1] / 2 - y * picture[1] * scale

    def seen(self, fmt: PictureFormat, aspect: float, table: tuple[float, float]) -> Box:
        """The part of a picture of some format that is seen.

        Args:
            fmt: of the picture.
            aspect: width of its pixels over their height, as displayed.
            table: (width, height) of the widget.
        """
        size = (fmt.width * aspect, float(fmt.height))
        scale = self.scale(size, table)
        left, top = self.origin(size, table)
        last = (table[0] - 1 - left) / scale / aspect, (table[1] - 1 - top) / scale
        return Box.between((-left / scale / aspect, -top / scale), last, fmt)

    def moved(self, dx: float, dy: float, picture: tuple[float, float], table: tuple[float, float]) -> View:
        """Panned by screen pixels; the middle of the table stays on the picture."""
        if self.zoom == FIT:
            return self
        scale = self.scale(picture, table)
        x = self.x - dx / (picture[0] * scale)
        y = self.y - dy / (picture[1] * scale)
        return replace(self, x=min(1.0, max(0.0, x)), y=min(1.0, max(0.0, y)))

    def zoomed(
        self, zoom: float, at: tuple[float, float], picture: tuple[float, float], table: tuple[float, float]
    ) -> View:
        """Another zoom, keeping what lies under the widget position `at` where it is."""
        if zoom == FIT:
            return View()
        left, top = self.origin(picture, table)
        scale = self.scale(picture, table)
        under_x, under_y = (at[0] - left) / scale, (at[1] - top) / scale
        x = (under_x + (table[0] / 2 - at[0]) / zoom) / picture[0]
        y = (under_y + (table[1] / 2 - at[1]) / zoom) / picture[1]
        return View(zoom, min(1.0, max(0.0, x)), min(1.0, max(0.0, y)))

    def step(self, direction: int, picture: tuple[float, float], table: tuple[float, float]) -> float:
        """The next zoom of the list, up or down from the present scale."""
        scale = self.scale(picture, table)
        if direction > 0:
            return next((zoom for zoom in ZOOM_STEPS if zoom > scale * 1.001), ZOOM_STEPS[-1])
        return next((zoom for zoom in reversed(ZOOM_STEPS) if zoom < scale * 0.999), ZOOM_STEPS[0])
