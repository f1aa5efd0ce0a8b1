"""The wipe's line: where it lies and how it is turned. Plain arithmetic, tested without a window."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

Point = tuple[float, float]

KNOB_PX = 70.0  # distance of the turning knob from the middle of the line
EDGE = 0.02  # the line's middle stays this share of the table away from its borders
TURN_STEP = 45.0


@dataclass(frozen=True)
class Wipe:
    """A line across the table; the source lies on its left (above, when it lies flat).

    Attributes:
        x, y: its middle, 0..1 of the table's width and height.
        angle: degrees it is turned clockwise from upright, -90 < angle <= 90.
    """

    x: float = 0.5
    y: float = 0.5
    angle: float = 0.0

    def middle(self, table: Point) -> Point:
        """Its middle on a table of that size."""
        return self.x * table[0], self.y * table[1]

    def along(self) -> Point:
        """Unit vector down along the line."""
        turn = math.radians(self.angle)
        return -math.sin(turn), math.cos(turn)

    def towards_source(self) -> Point:
        """Unit vector across the line to the side of the source."""
        turn = math.radians(self.angle)
        return -math.cos(turn), -math.sin(turn)

    def ends(self, table: Point) -> tuple[Point, Point]:
        """Two points of the line that lie off the table."""
        far = table[0] + table[1]
        (x, y), (dx, dy) = self.middle(table), self.along()
        return (x - far * dx, y - far * dy), (x + far * dx, y + far * dy)

    def source_side(self, table: Point) -> tuple[Point, Point, Point, Point]:
        """Corners of the area in which the source is shown."""
        far = table[0] + table[1]
        first, second = self.ends(table)
        nx, ny = self.towards_source()
        return first, second, (second[0] + far * nx, second[1] + far * ny), (first[0] + far * nx, first[1] + far * ny)

    def distance(self, point: Point, table: Point) -> float:
        """Distance of a point from the line in pixels."""
        (x, y), (nx, ny) = self.middle(table), self.towards_source()
        return abs((point[0] - x) * nx + (point[1] - y) * ny)

    def knob(self, table: Point) -> Point:
        """Where the knob lies by which the line is turned."""
        (x, y), (dx, dy) = self.middle(table), self.along()
        return x + KNOB_PX * dx, y + KNOB_PX * dy

    def moved_to(self, point: Point, table: Point) -> Wipe:
        """With its middle at a point of the table."""
        x, y = point[0] / table[0], point[1] / table[1]
        return replace(self, x=min(1 - EDGE, max(EDGE, x)), y=min(1 - EDGE, max(EDGE, y)))

    def turned_towards(self, point: Point, table: Point) -> Wipe:
        """Turned so that it runs through a point."""
        x, y = self.middle(table)
        return replace(self, angle=_half_turn(math.degrees(math.atan2(-(point[0] - x), point[1] - y))))

    def turned(self) -> Wipe:
        """Turned one step on."""
        return replace(self, angle=_half_turn(self.angle + TURN_STEP))


def _half_turn(angle: float) -> float:
    """The same line with an angle between -90 (not included) and 90."""
    return 90.0 - (90.0 - angle) % 180.0
