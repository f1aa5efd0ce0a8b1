"""Lines and columns that repeat their neighbours: doubled fields, pictures enlarged by the nearest sample.

The step from a line to the next is compared with the rise over the lines around both: its slope on that rise is near a
third where every line is a sample of its own, nothing between two lines that are one sample, and more where another
sample begins. Noise is not the same on any two of the four lines, so it weakens both alike and their ratio says how
much of a repeat there is; interpolation of any kind leaves a ratio near 1. The idea and the rule are our own: half way
between a repeat (0) and no repeat (1) a line counts as repeated. Lines are alike at a mirror too, as where wires
cross; there the next step rises hardly more, while beside a repeat another sample begins.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Mask

REPEATED = 0.5  # ratio of the slopes: half way between a repeat and none
FEWEST = 0.04  # of the lines that repeat: 1 of 13 at the least enlarging
CLEAR = 0.2  # of the slopes' variance along the picture that a pattern explains: less is found by chance
MOST_RISE = 60.0  # 8-bit levels that a rise counts at most, so that one edge does not outvote the others
LEAST_LINES = 48  # in which a pattern can be told
STRIPS, STOREYS = 6, 4  # parts of the picture across and down, in each of which a pattern has to hold by itself
LEAST_WEIGHT = 0.1  # of the mean part's rises, from which a part has a say
HOLDS = 0.75  # of those parts
# Of the slope elsewhere, that just beside a repeat, where another sample begins: .83 and more on open pictures enlarged
# 1.1 to 1.5 times, with noise and through JPEG; .43 to .56 where a lattice turns back (looked at on both)
DOUBLE, TURNS_BACK = 2.0, 0.7
SHARES = np.arange(0.32, 0.93, 0.0004)  # samples a line: enlarged 1.08 to 3.1 times; codecs smooth runs of 4 and 8
PHASES, FINE_PHASES = np.arange(0.0, 1.0, 0.125), np.arange(0.0, 1.0, 0.03125)
SIMPLE = 12  # denominator of the simplest ratios, which go before others that explain as much
AS_GOOD = 0.998  # of the explained variance

SIDE = 33  # px of the surroundings in which repeats of moving parts are told
SPEAKS = 0.2  # of the lines in them that have to rise
LEAST_RISE = 60.0  # squared 8-bit levels, in the mean over the surroundings' width, from which a line speaks
NOISE_TIMES = 8.0  # squared noise that a rise has to exceed besides: its own is twice as much, and varies
WEAK = 0.5  # of that: less is silent
NEAR, OWN_SAMPLE = 9, 0.25  # px, and the slope over them above which a pixel is no repeat, whatever lies around
WHOLE_STEP = 0.5  # slope where another sample begins; 1 between doubled lines, a third without repeats
CHANGED, CHANGED_TIMES = 3.0, 2.5  # 8-bit levels, and times the noise, by which a place differs that moves
EVEN_COLUMNS = 0.8  # of each other, that the slopes of even and odd columns are where lines alone repeat: .87 to 1 on
# open clips whose moving parts were doubled; .73 on one that was coded in blocks of two by two pixels
LEAST_PX = SIDE * SIDE // 2  # of a place
# of the rise, and times the noise, by which lines that repeat may differ: the rims of a place are no repeats
INEXACT, NOISY = 0.4, 1.5
# lines with a change, as many as would share it if all had as much: at least, and of those that a place has
FEWEST_CHANGES, CHANGES = 4.0, 0.15

Sums = npt.NDArray[np.float64]
Plane = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Repeats:
    """Which lines show one sample.

    Attributes:
        period: lines a sample; 0 where none repeat.
        phase: of line 0 in the first sample, 0..1 samples.
        depth: ratio of the slopes between lines of one sample and others: 0 is an exact repeat.
    """

    period: float = 0.0
    phase: float = 0.0
    depth: float = 1.0

    def __bool__(self) -> bool:
        return self.period > 0


def slopes(luma: npt.NDArray[np.uint8]) -> Sums:
    """(2, STRIPS, H - 3) sums over a line of each strip: of step times rise, and of squared rise.

    Place i holds what lies between line i + 1 and the next.
    """
    picture = luma.astype(np.float32)
    step = picture[2:-1] - picture[1:-2]
    rise = np.clip(picture[3:] - picture[:-3], -MOST_RISE, MOST_RISE)
    firsts = np.linspace(0, picture.shape[1], STRIPS + 1).astype(int)[:-1]
    both = [np.add.reduceat(one, firsts, axis=1).T for one in (step * rise, np.square(rise))]
    return np.stack(both).astype(np.float64)


def repeats_of(sums: Sums) -> Repeats:
    """The pattern that sums of `slopes` tell, added up over as many frames as can be had; none in parts only."""
    whole = sums.sum(axis=1)
    if whole.shape[1] < LEAST_LINES or not whole[1].any():
        return Repeats()
    slope, weight = _slopes(whole)
    flat = slope < REPEATED * np.quantile(slope, 0.9)
    if float(weight[flat].sum()) < FEWEST:  # most pictures: nothing need be searched for
        return Repeats()
    patterns = _Fit(slope, weight)
    period, phase = patterns.best()
    depth, explained = patterns.of(1.0 / period, phase)
    if depth >= REPEATED or explained < CLEAR or not _holds(sums, period, phase) or _mirrored(whole, period, phase):
        return Repeats()
    return Repeats(period, phase, max(0.0, depth))


def _holds(sums: Sums, period: float, phase: float) -> bool:
    """Whether a pattern is one of the whole picture: in most of its parts."""
    same = _same(np.array([1.0 / period]), np.array([phase]), sums.shape[2])[0] > 0
    parts = np.array_split(np.arange(sums.shape[2]), STOREYS)
    within = np.stack([sums[:, :, part[same[part]]].sum(axis=2) for part in parts], axis=2)
    between = np.stack([sums[:, :, part[~same[part]]].sum(axis=2) for part in parts], axis=2)
    weight = np.minimum(within[1], between[1])
    speaks = weight >= LEAST_WEIGHT * max(float(weight.mean()), 1.0)
    depth = within[0] / np.maximum(within[1], 1.0) / np.maximum(between[0] / np.maximum(between[1], 1.0), 1e-6)
    return bool(speaks.any() and np.mean(depth[speaks] < REPEATED) >= HOLDS)


def _mirrored(whole: Sums, period: float, phase: float) -> bool:
    """Whether the picture turns back at lines that are alike, as a lattice does at each of its crossings."""
    if period > DOUBLE:
        return False
    same = _same(np.array([1.0 / period]), np.array([phase]), whole.shape[1])[0] > 0
    elsewhere = whole[:, ~same].sum(axis=1)
    beside = [np.roll(same, by) for by in (-1, 1)]
    slopes = [float(whole[0, at].sum() / max(whole[1, at].sum(), 1.0)) for at in beside]
    return min(slopes) < TURNS_BACK * float(elsewhere[0] / max(elsewhere[1], 1.0))


def _slopes(sums: Sums) -> tuple[Sums, Sums]:
    """Slope between the lines, and weight: no line counts more than the middle one."""
    slope = np.clip(sums[0] / np.maximum(sums[1], 1e-3 * sums[1].mean()), -0.2, 1.2)
    weight = np.minimum(sums[1], max(float(np.median(sums[1])), 1e-3 * float(sums[1].max())))
    return slope, weight / weight.sum()


class _Fit:
    """How well patterns explain slopes."""

    def __init__(self, slope: Sums, weight: Sums) -> None:
        # single precision, as the patterns are: a product of both does not copy them
        self._slope, self._weight = slope.astype(np.float32), weight.astype(np.float32)
        self._mean = float((weight * slope).sum())
        self._variance = max(float((weight * np.square(slope - self._mean)).sum()), 1e-12)

    def _figures(self, same: npt.NDArray[np.float32]) -> tuple[Sums, Sums]:
        """Depth and explained share for (N, lines) patterns."""
        share = same @ self._weight
        within = (same @ (self._weight * self._slope)) / np.maximum(share, 1e-6)
        between = (self._mean - within * share) / np.maximum(1 - share, 1e-6)
        explained = share * (1 - share) * np.square(between - within) * (between > within) / self._variance
        return within / np.maximum(between, 1e-6), explained

    def of(self, share: float, phase: float) -> tuple[float, float]:
        """Depth and explained share of one pattern."""
        depth, explained = self._figures(_same(np.array([share]), np.array([phase]), len(self._slope)))
        return float(depth[0]), float(explained[0])

    def best(self) -> tuple[float, float]:
        """Period and phase that explain most; a simple ratio before others that explain as much."""
        count = len(self._slope)
        coarse = SHARES[int(self._figures(_every(count))[1].argmax()) // len(PHASES)]
        near = coarse + np.linspace(-1.0, 1.0, 33) / count  # as far as one sample over the picture
        best = [self._of_all(shares) for shares in (_simple(), near)]
        _, share, phase = best[0] if best[0][0] >= AS_GOOD * best[1][0] else best[1]
        return 1.0 / share, phase

    def _of_all(self, shares: npt.NDArray[np.float64]) -> tuple[float, float, float]:
        """(explained, share, phase) of the best among shares at any phase."""
        pairs = np.repeat(shares, len(FINE_PHASES)), np.tile(FINE_PHASES, len(shares))
        explained = self._figures(_same(*pairs, len(self._slope)))[1]
        place = int(explained.argmax())
        return float(explained[place]), float(pairs[0][place]), float(pairs[1][place])


@lru_cache(maxsize=1)
def _simple() -> npt.NDArray[np.float64]:
    """Samples a line that simple enlarging gives, the simplest first."""
    ratios = {Fraction(top, low) for low in range(1, SIMPLE + 1) for top in range(1, low)}
    return np.array([float(one) for one in sorted(ratios, key=lambda one: one.denominator)
                     if SHARES[0] <= one <= SHARES[-1]])  # fmt: skip


def _same(shares: npt.NDArray[np.float64], phases: npt.NDArray[np.float64], count: int) -> npt.NDArray[np.float32]:
    """(N, count) 1 where a line and the next show one sample."""
    lines = np.arange(1, count + 2) * shares[:, None] + phases[:, None]
    return np.asarray(np.floor(lines[:, :-1]) == np.floor(lines[:, 1:]), np.float32)


@lru_cache(maxsize=4)
def _every(count: int) -> npt.NDArray[np.float32]:
    return _same(np.repeat(SHARES, len(PHASES)), np.tile(PHASES, len(SHARES)), count)


def samples_at(repeats: Repeats, lines: int) -> npt.NDArray[np.int64]:
    """(lines,) number of the sample that each line shows, from 0."""
    return np.asarray(np.floor(np.arange(lines) / repeats.period + repeats.phase), np.int64)


def first_middle(repeats: Repeats, lines: int) -> float:
    """Line of the middle of sample 0, in the mean over all samples that are seen whole."""
    samples = samples_at(repeats, lines)
    middles = np.bincount(samples, np.arange(lines)) / np.maximum(np.bincount(samples), 1)
    whole = np.arange(1, len(middles) - 1)
    return float(np.mean(middles[whole] - repeats.period * whole))


def repeats_here(luma: npt.NDArray[np.uint8]) -> tuple[Mask, Mask]:
    """Places in which every other line repeats the one above: moving parts of which one field was doubled.

    Args:
        luma: (H, W) uint8.

    Returns:
        Two (H, W) bool, pixels of even and of odd lines that are repeats of the line above.
    """
    height, width = luma.shape
    empty = np.zeros((height, width), np.bool_)
    if min(height, width) < LEAST_LINES:
        return empty, empty.copy()
    picture = luma.astype(np.float32)
    noise = _noise(picture)
    step = picture[2:-1] - picture[1:-2]
    rise = np.clip(picture[3:] - picture[:-3], -MOST_RISE, MOST_RISE)
    products, squares = step * rise, rise * rise
    least = LEAST_RISE + NOISE_TIMES * noise**2
    slope, alone = _along(products, squares, SIDE)
    weight = np.minimum(alone / least, 1.0)
    weight[weight < WEAK] = 0.0
    near, near_rise = _along(products, squares, NEAR)
    against = (near > OWN_SAMPLE) & (near_rise > least)
    means, spoken = [], []
    for parity in (0, 1):  # of the upper line of a pair, which is line i + 1
        own = np.zeros_like(weight)
        own[1 - parity :: 2] = weight[1 - parity :: 2]
        count = cv2.boxFilter(own, -1, (1, SIDE))
        means.append(cv2.boxFilter(own * slope, -1, (1, SIDE)) / np.maximum(count, 1e-3))
        spoken.append(2 * count)
    speaks = np.minimum(*spoken) > SPEAKS
    found = []
    for parity in (0, 1):  # of the line that repeats: the lower one of a pair whose upper one has the other parity
        same, other = means[1 - parity], means[parity]
        places = np.zeros_like(empty)
        places[1:-2] = speaks & (same < REPEATED * other) & (other > WHOLE_STEP)
        lines = np.zeros_like(empty)
        lines[parity::2] = _believed(places, step * step, squares, parity, noise)[parity::2]
        lines[2:-1] &= ~against  # place i of a slope lies between line i + 1 and line i + 2, which repeats it
        found.append(lines)
    return found[0], found[1]


def in_blocks(luma: npt.NDArray[np.uint8], places: Mask) -> bool:
    """Whether columns repeat in some places too: a codec's blocks of repeated pixels are no field that was doubled.

    Args:
        luma: (H, W) uint8.
        places: (H, W) bool, some of which are true.
    """
    turned = luma.T.astype(np.float32)
    step = turned[2:-1] - turned[1:-2]
    rise = np.clip(turned[3:] - turned[:-3], -MOST_RISE, MOST_RISE) * places.T[1:-2]
    sums = (step * rise).sum(axis=1), (rise * rise).sum(axis=1)
    pair = [float(sums[0][parity::2].sum() / max(sums[1][parity::2].sum(), 1.0)) for parity in (0, 1)]
    return min(pair) < EVEN_COLUMNS * max(pair)


def moves_here(luma: npt.NDArray[np.uint8], others: list[npt.NDArray[np.uint8]]) -> Mask:
    """(H, W) bool places that move, with their surroundings: nobody doubles the lines of what stands.

    Args:
        luma: (H, W) uint8.
        others: the same of the frames beside it; none where there are none, and nothing moves then.
    """
    changed = np.zeros(luma.shape, np.float32)
    for other in others:
        changed = np.maximum(changed, cv2.blur(cv2.absdiff(luma, other).astype(np.float32), (NEAR, NEAR)))
    limit = CHANGED + CHANGED_TIMES * _noise(luma.astype(np.float32))
    moved = (changed > limit).astype(np.uint8)
    return np.asarray(cv2.dilate(moved, np.ones((SIDE, SIDE), np.uint8)), np.bool_)


def _along(products: Plane, squares: Plane, width: int) -> tuple[Plane, Plane]:
    """Slope over some pixels of a line, and the mean squared rise there."""
    step, rise = (cv2.boxFilter(one, -1, (width, 1)) for one in (products, squares))
    return np.asarray(step / np.maximum(rise, 1e-3), np.float32), np.asarray(rise, np.float32)


def _noise(picture: npt.NDArray[np.float32]) -> float:
    """Standard deviation of noise along lines, 8-bit levels: a second difference of the plainest half of the pixels."""
    second = np.abs(picture[:, 2:] - 2 * picture[:, 1:-1] + picture[:, :-2])
    return float(np.quantile(second[::4, ::4], 0.25) / (0.3186 * np.sqrt(6.0)))


def _believed(places: Mask, steps: Plane, rises: Plane, parity: int, noise: float) -> Mask:
    """(H, W) bool, places that are large, whose lines are really alike, and in which samples change from line to line.

    Uprights of letters are the same on many lines and end on a few, which may all have the same parity; and where two
    pictures lie over each other, lines may rise and fall by turns without being alike.

    Args:
        places: (H, W) bool.
        steps: (H - 3, W) squared, from line i + 1 to the next.
        rises: (H - 3, W) squared, over the lines around both.
        parity: of the lines that repeat those above.
        noise: standard deviation, 8-bit levels.
    """
    _, labels, stats, _ = cv2.connectedComponentsWithStats(places.astype(np.uint8), connectivity=8)
    large = np.flatnonzero(stats[1:, cv2.CC_STAT_AREA] >= LEAST_PX) + 1
    number = np.zeros(len(stats), np.int64)
    number[large] = np.arange(1, len(large) + 1)
    inside = number[labels[1:-2]]
    own, between = inside[parity::2], inside[1 - parity :: 2]
    pixels, apart, rising = (
        np.bincount(own.ravel(), one[parity::2].ravel(), len(large) + 1) for one in (np.ones_like(steps), steps, rises)
    )
    alike = apart <= INEXACT**2 * rising + 2 * np.square(NOISY * noise) * pixels
    rows = between * len(between) + np.arange(len(between))[:, None]
    each = np.bincount(rows.ravel(), steps[1 - parity :: 2].ravel(), (len(large) + 1) * len(between))
    each = each.reshape(len(large) + 1, len(between))
    changing = np.square(each.sum(axis=1)) / np.maximum(np.square(each).sum(axis=1), 1e-6)
    kept = alike & (changing >= np.maximum(FEWEST_CHANGES, CHANGES * np.count_nonzero(each, axis=1)))
    kept[0] = False
    return np.asarray(kept[number[labels]], np.bool_)
