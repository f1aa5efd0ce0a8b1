"""Tools on the light table: what press, drag and release do while one is held. One at a time; Esc puts it away."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter

Point = tuple[float, float]  # x and y in pixels of the picture, which may lie outside it


class Tool:
    """A tool; the table gives it points of the picture and lets it draw over it.

    Attributes:
        words: one line that says what it does, shown while it is held.
        cursor: shape of the pointer.
    """

    words = ""
    cursor = Qt.CursorShape.CrossCursor

    def taken(self) -> None:
        """It was taken in hand."""

    def left(self) -> None:
        """It was put away."""

    def press(self, point: Point, more: bool) -> None:
        """The left button went down; `more` with Shift."""

    def drag(self, point: Point) -> None:
        """The pointer moves, the button down."""

    def release(self) -> None:
        """The button is let go."""

    def twice(self, point: Point) -> None:
        """Two clicks, after press and release of the first."""

    def paint(self, painter: QPainter, place: QRectF, across: float, down: float) -> None:
        """Draw over the picture, which lies at `place`; `across` and `down` are screen pixels for a picture pixel."""
