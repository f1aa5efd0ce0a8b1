"""Lines down a frame: the best ways through its bands, summed over time first, so that what stays stands out.

Dynamic programming finds the way with the greatest sum; one way after the other is taken out, each with its
surroundings, as long as the next is good enough.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from grevin.core.steps.scratch.responses import BAND, HOP, Map

MOST_STRENGTH = 3.5  # of a place, beyond which it tells no more
KEPT = 0.8  # of what was summed, from frame to frame
STEP_COST_TIME = 0.1  # of a px aside from frame to frame
USUAL = 0.92  # strength that is no line: the sum of a way falls below it
LEAST_GAIN, MOST_GAIN = -1.0, 3.0
STEP_COST = 0.15  # of a px aside from band to band
FEWEST_BANDS = 5
LEAST_SCORE = 5.0
BESIDE_PX = 4  # round a way that was taken, where no other is looked for
SNAP_PX = 3  # by which the frame's own strength may lie aside of the sum over time
LEAST_OWN = 0.45  # of its own strength over five bands, at the ends of a way
MOST_WAYS = 24  # a frame and polarity: more is texture

Sums = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Path:
    """A way down a frame.

    Attributes:
        first: its first band.
        across: (N,) px from the left at each of its bands.
        score: what it gathered of the sum over time.
        own: mean of the frame's own strength along it.
    """

    first: int
    across: npt.NDArray[np.float64]
    score: float
    own: float

    @cached_property
    def middle(self) -> float:
        """Px from the left, in the mean of its bands."""
        return float(self.across.mean())

    @property
    def bands(self) -> npt.NDArray[np.int64]:
        """Its bands."""
        return np.arange(self.first, self.first + len(self.across))

    def middles(self, count: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
        """(N,) its rows of a channel of so many (averaged) rows, and px from the left in each of them."""
        first = int(self.first * HOP)
        rows = np.arange(first, min(count, first + HOP * (len(self.across) - 1) + BAND))
        return rows, np.rint(np.interp((rows - BAND / 2) / HOP, self.bands, self.across)).astype(int)


def over_time(strengths: list[Map]) -> list[Sums]:
    """(B, W) of each frame: the mean of what leads there from both sides of time, a px aside a frame at most."""
    clipped = [np.minimum(one, np.float32(MOST_STRENGTH)) for one in strengths]
    ahead, weights = _one_way(clipped)
    back, back_weights = _one_way(clipped[::-1])
    return [
        np.asarray((one + other - own) / np.float32(weight + back_weight - 1.0), np.float32)
        for one, other, own, weight, back_weight in zip(
            ahead, back[::-1], clipped, weights, back_weights[::-1], strict=True
        )
    ]


def _one_way(clipped: list[Map]) -> tuple[list[Map], list[float]]:
    found, weights = [clipped[0]], [1.0]
    for own in clipped[1:]:
        found.append(own + np.float32(KEPT) * _widened(found[-1], STEP_COST_TIME))
        weights.append(1.0 + KEPT * weights[-1])
    return found, weights


def _widened(sums: Map, cost: float) -> Map:
    """The best of each place and its two neighbours, which cost something."""
    aside = np.float32(cost)
    best = sums.copy()
    np.maximum(best[:, 1:], sums[:, :-1] - aside, out=best[:, 1:])
    np.maximum(best[:, :-1], sums[:, 1:] - aside, out=best[:, :-1])
    return best


def paths_of(sums: Sums, own: Map) -> list[Path]:
    """The lines of one polarity on a frame, the best first.

    Args:
        sums: (B, W), of `over_time`.
        own: (B, W) the frame's own strength.
    """
    gain = np.clip(sums - np.float32(USUAL), LEAST_GAIN, MOST_GAIN)
    found: list[Path] = []
    for _ in range(MOST_WAYS):
        way = _best_way(gain)
        if way is None:
            break
        first, across, score = way
        for band, place in zip(range(first, first + len(across)), across, strict=True):
            gain[band, max(0, place - BESIDE_PX) : place + BESIDE_PX + 1] = LEAST_GAIN
        if score >= LEAST_SCORE and len(across) >= FEWEST_BANDS:
            path = _own_ends(first, across, own, score)
            found += [path] if path is not None else []
        elif score < LEAST_SCORE:
            break
    return found


def _best_way(gain: Map) -> tuple[int, list[int], float] | None:
    """First band, places and sum of the way with the greatest sum."""
    bands, width = gain.shape
    # with a place beside either rim that no way comes from
    sums = np.full((bands, width + 2), -np.inf, np.float32)
    sums[0, 1:-1] = gain[0]
    for before, own, here in zip(sums[:-1], gain[1:], sums[1:], strict=True):
        aside = np.maximum(before[:-2], before[2:]) - np.float32(STEP_COST)
        here[1:-1] = own + np.maximum(np.maximum(aside, before[1:-1]), np.float32(0))
    band, place = divmod(int(np.argmax(sums)), width + 2)
    score = float(sums[band, place])
    if score <= 0:
        return None
    places = [place]
    while band > 0:
        came = {step: sums[band - 1, place + step] - np.float32(STEP_COST) * abs(step) for step in (0, -1, 1)}
        step = max(came, key=lambda one: came[one])
        if came[step] <= 0:
            break
        place += step
        band -= 1
        places.append(place)
    return band, [place - 1 for place in places[::-1]], score


def _own_ends(first: int, across: list[int], own: Map, score: float) -> Path | None:
    """The way as the frame itself shows it: a little aside, and without ends that only other frames show."""
    bands = np.arange(first, first + len(across))
    offsets = np.arange(-SNAP_PX, SNAP_PX + 1)
    at = np.clip(np.array(across)[:, None] + offsets[None, :], 0, own.shape[1] - 1)
    near = own[bands[:, None], at]
    smooth = _smoothed(near)
    best = np.argmax(smooth - np.float32(0.02) * np.abs(offsets)[None, :], axis=1)
    strength = near[np.arange(len(bands)), best]
    five = _smoothed(strength[:, None])[:, 0]
    good = np.flatnonzero(five >= LEAST_OWN)
    if not len(good) or good[-1] - good[0] + 1 < FEWEST_BANDS:
        return None
    part = slice(int(good[0]), int(good[-1]) + 1)
    places = np.array(across, np.float64)[part] + offsets[best[part]]
    return Path(first + part.start, _smoothed(places[:, None])[:, 0], score, float(strength[part].mean()))


def _smoothed(rows: npt.NDArray[np.floating]) -> npt.NDArray[np.float64]:
    """Means over five bands, fewer at the ends."""
    sums = np.concatenate([np.zeros((1, rows.shape[1])), np.cumsum(rows, axis=0)])
    count = len(rows)
    low, high = np.maximum(0, np.arange(count) - 2), np.minimum(count, np.arange(count) + 3)
    return np.asarray((sums[high] - sums[low]) / (high - low)[:, None])
