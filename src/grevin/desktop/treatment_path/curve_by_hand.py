"""A curve over levels that a person draws: its points, which of them is in hand, what the pointer and the keys do."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF

from grevin.core.steps.charting import ByHand

NEAR_PX = 9.0
LEVELS = 255.0
NUDGE = 0.1  # of the chart's unit
LEAST_APART = 1.0  # levels between points
DECIMALS = 2

Point = tuple[float, float]


@dataclass
class CurveByHand:
    """Points in the hand of a person.

    Attributes:
        points: (level, value), rising.
        held: place of the one that is worked on; -1 for none.
        most: largest value.
    """

    points: list[Point] = field(default_factory=list)
    held: int = -1
    most: float = 0.0

    def show(self, by_hand: ByHand) -> None:
        """Other points, unless one is being dragged."""
        self.points, self.most = list(by_hand.points), by_hand.most
        self.held = min(self.held, len(self.points) - 1)

    def near(self, at: QPointF, spots: list[QPointF]) -> int:
        """The point under the pointer, -1 for none."""
        far = [(spot - at).manhattanLength() for spot in spots]
        best = min(range(len(far)), key=far.__getitem__, default=-1)
        return best if best >= 0 and far[best] <= NEAR_PX else -1

    def add(self, level: float, value: float) -> None:
        """One more point, in hand."""
        if any(abs(level - other) < LEAST_APART for other, _ in self.points):
            return
        self.points = sorted([*self.points, self._allowed(level, value)])
        self.held = min(range(len(self.points)), key=lambda place: abs(self.points[place][0] - level))

    def move(self, level: float, value: float) -> None:
        """The point in hand goes there, between its neighbours."""
        if self.held < 0:
            return
        low = self.points[self.held - 1][0] + LEAST_APART if self.held > 0 else 0.0
        high = self.points[self.held + 1][0] - LEAST_APART if self.held + 1 < len(self.points) else LEVELS
        self.points[self.held] = self._allowed(max(low, min(high, level)), value)

    def nudge(self, times: int) -> None:
        """The point in hand a little up or down."""
        if self.held >= 0:
            level, value = self.points[self.held]
            self.move(level, value + times * NUDGE)

    def choose(self, by: int) -> None:
        """The next point, or the one before."""
        self.held = max(0, min(len(self.points) - 1, self.held + by))

    def take_out(self) -> bool:
        """The point in hand goes; the last one stays."""
        if self.held < 0 or len(self.points) < 2:
            return False
        del self.points[self.held]
        self.held = min(self.held, len(self.points) - 1)
        return True

    def _allowed(self, level: float, value: float) -> Point:
        return round(level, DECIMALS), round(max(0.0, min(self.most, value)), DECIMALS)
