"""Captures divided into sets, all borders together: by what speaks for each border, or by where the camera points.

What speaks for a division: change at its borders and calm within its sets, or little scatter of the places within them;
lengths near the usual one; transition pictures where the reel has them. So a jolt within a set makes no two of it, and
a still scene is divided by the usual length. Found by dynamic programming (Bellman 1957).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Curve64 = npt.NDArray[np.float64]

SAID_BY_HAND = 100.0  # more than all else that can speak for or against a border
LENGTH_COST, BEYOND_COST = 0.15, 2.0  # of a capture more or less than usual, and of one beyond what sets may vary by
CUT_SHORT_COST = 14.0  # of a set at an end of the reel that lacks all its captures: a jolt there makes no set
MISSING_COST, STRANGE_COST = 2.0, 4.0  # of a set without a transition picture after it where they are usual, and with
PLACE_COST, PASSED_COST = 6.0, 1.5  # of a set, a transition picture: what two free numbers, and none, explain by chance


@dataclass(frozen=True)
class CaptureSet:
    """Captures of one film frame.

    Attributes:
        first, stop: its captures are first up to stop.
        doubtful: why it may be divided wrongly, "" where nothing speaks against it.
    """

    first: int
    stop: int
    doubtful: str = ""

    def __len__(self) -> int:
        return self.stop - self.first


@dataclass(frozen=True)
class Rhythm:
    """How long sets are.

    Attributes:
        usual: captures of a set.
        vary: by how many a set may differ from that.
        transitions: whether there are transition pictures between sets.
    """

    usual: int
    vary: int
    transitions: bool


@dataclass(frozen=True)
class Division:
    """Sets in order, the transition pictures between them, and how much speaks for it all."""

    sets: list[CaptureSet]
    transitions: list[int]
    value: float

    def borders(self, count: int) -> npt.NDArray[np.bool_]:
        """(N,) whether a set or a transition picture begins."""
        begins = np.zeros(count, bool)
        begins[[one.first for one in self.sets] + self.transitions] = True
        begins[0] = False
        return begins


def best_division(border: Curve64, rhythm: Rhythm, places: Curve64 | None = None) -> Division:
    """The division with the most to speak for it.

    Args:
        border: (N,) how much speaks for a border before each capture; below 0 against one.
        rhythm: how long sets are.
        places: (N, 2) where the camera points in units of its tremble, where that is to tell.
    """
    count = len(border)
    summed = np.concatenate([[0.0], np.cumsum(border)])
    best = np.full(count + 2, -np.inf)
    best[0] = 0.0
    came = np.zeros((count + 2, 2), int)  # first of the last set, its stop
    joins = np.concatenate([[0], np.cumsum(border <= -SAID_BY_HAND)])  # a set joined by hand may be of any length
    longest = _longest(rhythm, bool(joins[-1]))
    scatter = None if places is None else _Scatter(places)
    for first in range(count):
        if best[first] == -np.inf:
            continue
        stops = np.arange(first + 1, min(count, first + longest) + 1)
        costs = np.where(joins[stops] > joins[first + 1], 0.0, _length_costs(first, stops, count, rhythm))
        value = best[first] - (summed[stops] - summed[first + 1]) - costs
        passed = 0.0 if rhythm.transitions else STRANGE_COST
        if scatter is not None:
            value = value - scatter.within(first, stops) - PLACE_COST
            passed += PASSED_COST
        if stops[-1] == count:
            _offer(best, came, first, stops[-1:], stops[-1:], value[-1:])
            stops, value = stops[:-1], value[:-1]
        at_border = value + border[stops]
        _offer(best, came, first, stops, stops, at_border - (MISSING_COST if rhythm.transitions else 0.0))
        stops, at_border = stops[stops < count - 1], at_border[stops < count - 1]
        _offer(best, came, first, stops, stops + 1, at_border + border[stops + 1] - passed)
    sets, transitions = _walked_back(came, border, rhythm)
    return Division(sets, transitions, float(best[count]))


class _Scatter:
    """Half the squares of places about their mean, for any run of captures (minus a logarithm of a likelihood)."""

    def __init__(self, places: Curve64) -> None:
        zero = np.zeros((1, places.shape[1]))
        self.sums = np.concatenate([zero, np.cumsum(places, 0)])
        self.squares = np.concatenate([[0.0], np.cumsum(np.square(places).sum(1))])

    def within(self, first: int, stops: npt.NDArray[np.int64]) -> Curve64:
        sums = self.sums[stops] - self.sums[first]
        return np.asarray((self.squares[stops] - self.squares[first] - np.square(sums).sum(1) / (stops - first)) / 2)


def _longest(rhythm: Rhythm, by_hand: bool) -> int:
    most = rhythm.usual + rhythm.vary
    return 3 * most if by_hand else most + max(2, rhythm.usual // 2)


def _length_costs(first: int, stops: npt.NDArray[np.int64], count: int, rhythm: Rhythm) -> Curve64:
    """What speaks against sets of such lengths; those at the ends of a reel may be cut short, but seldom are."""
    lengths = stops - first
    apart = np.abs(lengths - rhythm.usual)
    costs = LENGTH_COST * apart + BEYOND_COST * np.maximum(0, apart - rhythm.vary)
    at_end = (lengths < rhythm.usual) & ((stops == count) | (first == 0))
    short = CUT_SHORT_COST * np.maximum(0, rhythm.usual - rhythm.vary - lengths) / rhythm.usual
    return np.asarray(np.where(at_end, short, costs))


def _offer(
    best: Curve64, came: npt.NDArray[np.int64], first: int, stops: npt.NDArray[np.int64],
    places: npt.NDArray[np.int64], values: Curve64,
) -> None:  # fmt: skip
    """Take a set that ends at a stop as the best way to a place, where it is."""
    better = values > best[places]
    best[places[better]] = values[better]
    came[places[better], 0] = first
    came[places[better], 1] = stops[better]


def _walked_back(
    came: npt.NDArray[np.int64], border: Curve64, rhythm: Rhythm
) -> tuple[list[CaptureSet], list[int]]:  # fmt: skip
    sets: list[CaptureSet] = []
    transitions: list[int] = []
    place = len(border)
    while place > 0:
        first, stop = (int(number) for number in came[place])
        if stop < place:
            transitions.append(stop)
        sets.append(CaptureSet(first, stop, _doubt(first, stop, border, rhythm)))
        place = first
    return sets[::-1], transitions[::-1]


def _doubt(first: int, stop: int, border: Curve64, rhythm: Rhythm) -> str:
    edges = [edge for edge in (first, stop) if 0 < edge < len(border)]
    if any(border[edge] < 0 for edge in edges):
        return "the scene stands still: divided by the usual length"
    by_hand = all(border[edge] == SAID_BY_HAND for edge in edges)
    odd = abs(stop - first - rhythm.usual) > rhythm.vary and len(edges) == 2 and not by_hand
    return f"{stop - first} captures instead of {rhythm.usual}" if odd else ""
