"""What of a curve of light is the scene's own, and what flickers.

Light that stays, changes slowly, or goes to another level and stays there is the scene's: level and straight pieces,
as many as the curve itself speaks for against what it flickers by (optimal partitioning with the Bayesian information
criterion: Jackson and others 2005, Schwarz 1978, from memory); or one smooth curve, where that is cheaper by the same
criterion, as for light that swells and fades. What comes back every so many frames, or swings too fast for any
smooth curve, is taken out first.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.linalg import solveh_banded

from grevin.core.measure.lighting.beat import HARMONICS, beat_of, met_best, swing_of

Values = npt.NDArray[np.float64]

SHORTEST = 5  # frames of a piece
SHORTEST_LIMIT = 2 * SHORTEST - 1  # frames: any shot can be divided into pieces between these two lengths
LONGEST_SEARCH = 1500  # frames that one piece may have before another begins: bounds the work on a long shot
STRICTER = (
    2.2  # times the criterion's price of a parameter: of 120 shots of white flicker none is divided (at 1.5: 7 %)
)
STEP_TIMES = 4.0  # standard errors from which two pieces do not meet: the light was switched
MEDIAN_FRAMES = 7  # around a frame that is off by itself
HELD = 3.0  # times the spread beyond which a single frame has no more say
LONGEST_PERIOD = 50  # frames
LEAST_TURNS = 3  # a period must be seen this often
F_PERIOD = 12.0  # ratio of variances from which a period is believed
MET_SHARE = 0.85  # of its turns, that a period believed by less has to be met at
F_DEEP, DEEP_LEVELS = 5.0, 1.0  # the ratio that is enough where what comes back is that deep; clean stays below both
LONGEST_SWING = 8.0  # frames: the least stiff curve follows half of what swings so slowly
STIFFNESS = tuple(10.0**power for power in np.arange(7.0, 0.4, -0.5))  # that are tried
LEAST_SPREAD = 0.02  # 8-bit levels: measuring is no better


@dataclass(frozen=True, eq=False)
class Trend:
    """A curve taken apart.

    Attributes:
        slow: (T, C) the scene's own.
        periodic: (T, C) what comes back every `period` frames, or swings; zero where nothing does.
        period: frames, 0 for none.
        swing: frames, not necessarily whole, after which light swings that does not come back; 0 for none.
        ratio: of variances that speaks for the period.
        spread: levels, standard deviation of what changes from frame to frame besides.
        pieces: first frames of the pieces of the slow part.
        steps: those with which another level begins at once.
    """

    slow: Values
    periodic: Values
    period: int
    swing: float
    ratio: float
    spread: float
    pieces: tuple[int, ...]
    steps: tuple[int, ...]


def taken_apart(curve: Values, longest: int = 0, period: int = -1) -> Trend:
    """Take a curve apart.

    Args:
        curve: (T, C) values of a shot in 8-bit levels, at a few places of the scale.
        longest: frames over which the light may be taken for level or even, at least `SHORTEST_LIMIT`; 0 for as long
            as it speaks for that, or for a smooth curve.
        period: frames; 0 for none, -1 to find it.
    """
    found, ratio = (period, float("inf")) if period > 0 else (0, 0.0) if period == 0 else best_period(curve)
    periodic = _folded(curve, found) if found else np.zeros_like(curve)
    swing = 0.0
    if period < 0:
        found, swing, periodic = _swinging(curve, found, periodic)
    rest = curve - periodic
    spread = spread_of(rest.mean(axis=1))
    line = _held(rest.mean(axis=1), spread)
    pieces, price = _pieces(line, spread, max(longest, SHORTEST_LIMIT) if longest else LONGEST_SEARCH)
    stiffness = 0.0 if longest else _cheaper_curve(line, spread, price)
    if stiffness:
        spread = spread_of(line - _smoothed(line[:, None], stiffness)[:, 0])  # without what its bends say
        stiffness = _cheaper_curve(line, spread, np.inf)
        held = rest + (line - rest.mean(axis=1))[:, None]
        return Trend(_smoothed(held, stiffness), periodic, found, swing, ratio, spread, (0,), ())
    slow, steps = _joined(rest, line, pieces, spread)
    return Trend(slow, periodic, found, swing, ratio, spread, tuple(first for first, _, _ in pieces), steps)


def _swinging(curve: Values, period: int, periodic: Values) -> tuple[int, float, Values]:
    """(period, swing, what comes back or swings): a swing where it explains more than what comes back.

    It is looked for in what no smooth curve follows: what pieces leave of a slow wave swings too, three times as fast.
    """
    line = curve.mean(axis=1)
    swing = beat_of(line - _smoothed(line[:, None], STIFFNESS[-1])[:, 0])
    if not 0.0 < swing <= LONGEST_SWING:
        return period, 0.0, periodic
    swings = swing_of(_detrended(curve), swing)
    rest = swings + _detrended(curve - swings)  # without steps that the swing had hidden
    swing = met_best(rest.mean(axis=1), swing)
    swings = swing_of(rest, swing)
    free = len(curve) - 2 * HARMONICS, len(curve) - period
    left = [np.square(_detrended(curve - part)).sum() for part in (swings, periodic)]
    return (0, swing, swings) if left[0] / free[0] < left[1] / free[1] else (period, 0.0, periodic)


def spread_of(line: Values) -> float:
    """Standard deviation of what is new on every frame, by second differences: slow light says nothing in them."""
    if len(line) < 4:
        return LEAST_SPREAD
    second = line[2:] - 2 * line[1:-1] + line[:-2]
    return max(LEAST_SPREAD, float(1.4826 * np.median(np.abs(second - np.median(second))) / np.sqrt(6.0)))


def off_frames(line: Values) -> Values:
    """(T,) by how much single frames are off those around: off their median, by more than those are off theirs.

    The crest of a wave is off the median of its surroundings too, and so are the frames beside it.
    """
    off = line - _medians(line)
    return np.asarray(off - _medians(off))


def _medians(line: Values) -> Values:
    """(T,) of the frames around; beyond the ends a line goes on as it is inside, turned round."""
    half = MEDIAN_FRAMES // 2
    padded = np.pad(line, half, mode="reflect", reflect_type="odd") if len(line) > half else np.pad(line, half, "edge")
    around = np.lib.stride_tricks.sliding_window_view(padded, MEDIAN_FRAMES)
    return np.asarray(np.median(around, axis=1))


def _held(line: Values, spread: float) -> Values:
    """The line without frames that are far off by themselves."""
    off = off_frames(line)
    most = HELD * spread
    return np.asarray(line - off + np.clip(off, -most, most))


Piece = tuple[int, int, bool]  # first frame, frame behind the last, whether it is a slope


def _pieces(line: Values, spread: float, longest: int) -> tuple[list[Piece], float]:
    """The cheapest division into level and even pieces, and its price."""
    length = len(line)
    if length < 2 * SHORTEST:
        return [(0, length, False)], 0.0
    x = np.arange(length, dtype=np.float64)
    sums = [np.concatenate([[0.0], np.cumsum(values)]) for values in (line, line**2, x, x**2, x * line)]
    price = STRICTER * np.log(length)
    cost = np.full(length + 1, np.inf)
    cost[0] = 0.0
    came: list[tuple[int, bool]] = [(0, False)] * (length + 1)
    for stop in range(SHORTEST, length + 1):
        starts = np.arange(max(0, stop - longest), stop - SHORTEST + 1)
        level, even = _misfits(sums, starts, stop)
        flat = cost[starts] + level / spread**2 + 2 * price
        slope = cost[starts] + even / spread**2 + 3 * price
        best = int(np.argmin(np.minimum(flat, slope)))
        cost[stop] = min(flat[best], slope[best])
        came[stop] = (int(starts[best]), bool(slope[best] < flat[best]))
    pieces: list[Piece] = []
    stop = length
    while stop > 0:
        first, slopes = came[stop]
        pieces.append((first, stop, slopes))
        stop = first
    return pieces[::-1], float(cost[-1])


def _misfits(sums: list[Values], starts: npt.NDArray[np.int64], stop: int) -> tuple[Values, Values]:
    """Squared misfit of a level and of a straight line from each start up to a frame."""
    y, yy, x, xx, xy = (total[stop] - total[starts] for total in sums)
    n = stop - starts
    level = np.maximum(yy - y * y / n, 0.0)
    across = np.maximum(xx - x * x / n, 1e-9)
    return level, np.maximum(level - np.square(xy - x * y / n) / across, 0.0)


def _joined(curve: Values, line: Values, pieces: list[Piece], spread: float) -> tuple[Values, tuple[int, ...]]:
    """(T, C) the pieces at every place of the scale; those that nearly meet are made to meet."""
    slow = np.empty_like(curve)
    held = curve + (line - curve.mean(axis=1))[:, None]  # single frames that are off have no say anywhere
    errors = []
    for first, stop, slopes in pieces:
        x = np.arange(stop - first) - (stop - first - 1) / 2
        part = held[first:stop]
        tilt = x @ part / max(float(x @ x), 1e-9) if slopes else np.zeros(curve.shape[1])
        slow[first:stop] = part.mean(axis=0) + x[:, None] * tilt
        errors.append(spread * np.sqrt((4.0 if slopes else 1.0) / (stop - first)))
    steps = []
    for (first, middle, _), (_, stop, _), before, behind in zip(pieces, pieces[1:], errors, errors[1:], strict=False):
        apart = slow[middle] - (slow[middle - 1] + _tilt(slow, middle - 1, first))
        if abs(float(apart.mean())) > STEP_TIMES * np.hypot(before, behind):
            steps.append(middle)
            continue
        share = before**2 / (before**2 + behind**2)
        slow[first:middle] += apart * share * np.linspace(0, 1, middle - first)[:, None]
        slow[middle:stop] -= apart * (1 - share) * np.linspace(1, 0, stop - middle)[:, None]
    return slow, tuple(steps)


def _cheaper_curve(line: Values, spread: float, price: float) -> float:
    """The stiffness of a smooth curve that is cheaper than all pieces, by the same criterion; 0 where none is.

    Light that swells and fades has no straight pieces. Beside a slope, which costs what a piece does, a curve costs as
    many plain parameters as it has degrees of freedom.
    """
    best = 0.0
    for stiffness in STIFFNESS:
        free = STRICTER * 3.0 + _freedom(len(line), stiffness)  # a slope, and bends, of which no place is looked for
        misfit = float(np.square(line - _smoothed(line[:, None], stiffness)[:, 0]).sum())
        own = misfit / spread**2 + np.log(len(line)) * free
        if own < price:
            best, price = stiffness, own
    return best


def _smoothed(columns: Values, stiffness: float) -> Values:
    """(T, C) with as small second differences as the stiffness asks for (Whittaker 1923, from memory)."""
    length = len(columns)
    bands = np.zeros((3, length))
    for place, weight in enumerate((1.0, -2.0, 1.0)):
        bands[2, place : length - 2 + place] += weight**2
    bands[1, 1:-1] -= 2.0
    bands[1, 2:] -= 2.0
    bands[0, 2:] = 1.0
    bands *= stiffness
    bands[2] += 1.0
    return np.asarray(solveh_banded(bands, columns))


def _freedom(length: int, stiffness: float) -> float:
    """Degrees of freedom of a smoothed curve beside its straight line, by the cosines that are kept (Garcia 2010)."""
    second = 2.0 - 2.0 * np.cos(np.pi * np.arange(1, length) / length)
    return float((1.0 / (1.0 + stiffness * second**2)).sum())


def _tilt(slow: Values, frame: int, first: int) -> Values:
    """How the piece that ends with a frame would go on."""
    return np.asarray(slow[frame] - slow[frame - 1]) if frame > first else np.zeros(slow.shape[1])


def best_period(curve: Values) -> tuple[int, float]:
    """(period, ratio of variances): 0 where nothing comes back."""
    rest = _detrended(curve)
    best, most = 0, 0.0
    for period in range(2, min(LONGEST_PERIOD, len(curve) // LEAST_TURNS) + 1):
        ratio = _ratio(rest, period)
        if ratio > most * 1.1:  # a multiple of a period fits as well and says less
            best, most = period, ratio
    if not best or most <= F_DEEP:
        return 0, most
    deep = float(np.sqrt(np.mean(np.square(_pattern(rest, best)))))
    comes_back = most > F_PERIOD or (deep > DEEP_LEVELS and _met(rest, best) >= MET_SHARE)
    return (best, most) if comes_back else (0, most)


def _met(rest: Values, period: int) -> float:
    """Share of the turns at which the strong phases of a period are off as it says: chance flashes miss many."""
    pattern, line = _pattern(rest, period).mean(axis=1), rest.mean(axis=1)
    phase = np.arange(len(line)) % period
    strong = np.abs(pattern[phase]) > 0.5 * np.abs(pattern).max()
    met = line * np.sign(pattern[phase]) > 0.5 * np.abs(pattern[phase])
    return float(met[strong].mean())


def _detrended(curve: Values) -> Values:
    """What is left of a curve without its pieces, found with what it flickers by as it is."""
    line = curve.mean(axis=1)
    spread = max(spread_of(line), float(np.std(off_frames(line))))
    pieces, _ = _pieces(line, spread, LONGEST_SEARCH)
    return np.asarray(curve - _joined(curve, line, pieces, spread)[0])


def _ratio(rest: Values, period: int) -> float:
    """F ratio of a one-way analysis of variance over the phases of a period."""
    length = len(rest)
    phase = np.arange(length) % period
    within = between = 0.0
    whole = rest.mean(axis=0)
    for one in range(period):
        part = rest[phase == one]
        mean = part.mean(axis=0)
        between += len(part) * float(np.square(mean - whole).sum())
        within += float(np.square(part - mean).sum())
    free = length - period
    return (between / (period - 1)) / max(within / free, 1e-12) if free > 0 else 0.0


def _folded(curve: Values, period: int) -> Values:
    """(T, C) what comes back."""
    return np.asarray(_pattern(_detrended(curve), period)[np.arange(len(curve)) % period])


def _pattern(rest: Values, period: int) -> Values:
    """(period, C) the median of each phase over the usual one: where one frame of eight is off, seven are right."""
    phase = np.arange(len(rest)) % period
    pattern = np.stack([np.median(rest[phase == one], axis=0) for one in range(period)])
    return np.asarray(pattern - np.median(pattern, axis=0))
