"""Capture sets: which captures show the same film frame, and which show the film on its way to the next.

A capture that changes little against the one before belongs to its set; one that differs from both neighbours is a
transition picture, a blend of two film frames. What is little and what is much is told by the reel itself (Otsu 1979,
on the logarithm of the change). All borders are placed together: a jolt within a set makes no two of it, and where the
scene stands still and shows no borders, the usual length divides it. Where the film moves hardly more than the noise,
the change over a capture tells, between the means of the two before and of the two after it.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8

Curve = npt.NDArray[np.float32]
Shift = npt.NDArray[np.float64]  # (2,) right, down

BLOCK_PX = 8  # of the half-size picture
TOP_SHARE = 0.05
LEAST_CHANGE = 0.02  # 8-bit levels, so that equal pictures have a logarithm
TREMBLE_PX = 1.0  # of the half-size picture, either way: two captures that tremble by .6 px each differ by up to 2 px
SMALL_TREMBLE_PX = 0.5  # of a camera that stands well
MEAN_TREMBLE_PX = 0.25  # of the means of two captures, whose film step has to be seen
ALIGNMENT_STEPS = 2
APART = 2.2  # times: the usual change between sets over that within one, from which there are sets at all
FEWEST_SETS = 3
LEANING = 0.3  # share of a peak by which its two sides differ at most over a transition picture (0), over none (0.5)
REGULAR_SHARE = 0.8  # of the peaks, and of the captures, that have to follow one rhythm
MOST_SAID = 3.0  # how much one change can speak for or against a border
SAID_BY_HAND = 100.0  # more than all else that can speak for or against a border
LENGTH_COST, BEYOND_COST = 0.15, 2.0  # of a capture more or less than usual, and of one beyond what sets may vary by
CUT_SHORT_COST = 14.0  # of a set at an end of the reel that lacks all its captures: a jolt there makes no set
MISSING_COST, STRANGE_COST = 2.0, 4.0  # of a set without a transition picture after it where they are usual, and with


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


def small_and_even(luma: Luma8) -> Curve:
    """(H/2, W/2) float32 at a mean of 100: exposure from capture to capture says nothing."""
    height, width = luma.shape
    half = cv2.resize(luma, (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA).astype(np.float32)
    return np.asarray(
        cv2.GaussianBlur(half * np.float32(100.0 / max(1.0, float(half.mean()))), (0, 0), 1.0), np.float32
    )


def change_but(last: Curve, this: Curve, shift: Shift) -> float:
    """Mean of the largest block changes between two pictures of `small_and_even`, but for a shift.

    The shift is that of this picture against the last, (right, down) px of these pictures.
    """
    apart = np.abs(_moved(this, shift) - last)
    grid = (max(1, this.shape[1] // BLOCK_PX), max(1, this.shape[0] // BLOCK_PX))
    blocks = cv2.resize(apart, grid, interpolation=cv2.INTER_AREA).ravel()
    count = max(1, round(TOP_SHARE * blocks.size))
    return float(np.partition(blocks, -count)[-count:].mean())


def wide_change(first: Curve, second: Curve, middle: Curve, fourth: Curve, fifth: Curve) -> float:
    """The same between the means of two captures before one and of two after it: less noise, and a whole film step.

    Tremble is less in a mean, so only a small shift is taken for it: the film's own motion stays.
    """
    half = np.float32(0.5)
    before, after = half * (first + second), half * (fourth + fifth)
    return change_but(before, after, held_shift(shift_of(before, after), MEAN_TREMBLE_PX))


def shift_of(last: Curve, this: Curve) -> Shift:
    """(right, down) px of the half-size picture by which the whole moved, at most `TREMBLE_PX` (Lucas and Kanade 1981).

    A camera before a projector trembles by a fraction of a pixel; on a rich picture that changes more than the film
    does from frame to frame. The shift is found in two steps: one alone falls short where it is large.
    """
    across, down = (cv2.Sobel(last, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    flat = np.stack([across.ravel(), down.ravel()])
    matrix, shift = flat @ flat.T, np.zeros(2)
    if float(np.linalg.det(matrix)) <= 1e-3:
        return shift
    for _ in range(ALIGNMENT_STEPS):
        apart = cv2.subtract(_moved(this, shift), last)
        shift = np.clip(shift + np.linalg.solve(matrix, flat @ apart.ravel()), -TREMBLE_PX, TREMBLE_PX)
    return shift


def held_shift(shift: Shift, most: float) -> Shift:
    """No more than so many pixels of a shift, either way."""
    return np.clip(shift, -most, most)


def _moved(picture: Curve, shift: Shift) -> Curve:
    if not shift.any():
        return picture
    move = np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]])
    flags = cv2.INTER_CUBIC
    return np.asarray(cv2.warpAffine(picture, move, picture.shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE))


@dataclass(frozen=True)
class Borders:
    """A person's word on borders.

    Attributes:
        begins: captures that begin a film frame.
        joins: captures that begin none.
    """

    begins: tuple[int, ...] = ()
    joins: tuple[int, ...] = ()

    def onto(self, border: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """What speaks for a border before each capture, once a person has spoken."""
        said = border.copy()
        for numbers, word in ((self.joins, -SAID_BY_HAND), (self.begins, SAID_BY_HAND)):
            inside = [number for number in numbers if 0 < number < len(border)]
            said[inside] = word
        return said


@dataclass(frozen=True)
class Levels:
    """The usual logarithm of the change within a set, and between two."""

    within: float
    between: float

    def border(self, changes: Curve) -> npt.NDArray[np.float64]:
        """(N,) how much speaks for a border before each capture: about 2 between sets, -2 within, 0 for neither."""
        middle, reach = (self.within + self.between) / 2, (self.between - self.within) / 4
        told = (np.log(np.nan_to_num(changes, nan=np.exp(middle)) + LEAST_CHANGE) - middle) / reach
        return np.asarray(np.clip(told, -MOST_SAID, MOST_SAID))


def levels_of(changes: Curve) -> Levels | None:
    """What is little and what is much (Otsu 1979 on logarithms); None where all is about the same."""
    logs = np.sort(np.log(changes[~np.isnan(changes)] + LEAST_CHANGE))
    count = len(logs)
    if count < 2 * FEWEST_SETS:
        return None
    sums, total = np.cumsum(logs), float(logs.sum())
    below = np.arange(1, count)
    low, high = sums[:-1] / below, (total - sums[:-1]) / (count - below)
    best = int(np.argmax(below * (count - below) * np.square(high - low)))
    if float(high[best] - low[best]) < np.log(APART):
        return None
    return Levels(float(low[best]), float(high[best]))


def sets_in(
    changes: Curve, steps: Curve, wide: Curve, captures: int, vary: int, said: Borders = Borders()
) -> tuple[list[CaptureSet], list[int]]:  # fmt: skip
    """The sets of a run of captures, and the transition pictures between them.

    Args:
        changes: (N,) change of each capture against the one before, tremble taken out; the first is NaN.
        steps: (N,) the same with only a small tremble taken out, which tells a film that pans slowly.
        wide: (N,) change over each capture (`wide_change`), which tells where the film moves hardly more than noise.
        captures: of each film frame, 0 where that is to be found.
        vary: by how many a set may differ from that.
        said: a person's word on borders.

    Returns:
        Sets in order, none where the captures are no sets; numbers of transition pictures.
    """
    told = _most_regular(
        [levels.border(curve) for curve in (changes, steps) if (levels := levels_of(curve)) is not None]
    )
    if told is None or _regularity(told) < REGULAR_SHARE:
        peaks = _told_by_peaks(wide)
        told = told if peaks is None else peaks
    if told is None:
        return [], []
    border = said.onto(told)
    runs = _plain_runs(border > 0)
    alone = sum(b - a == 1 for a, b in runs[1:-1])
    lengths = [b - a for a, b in runs[1:-1] if b - a > 1]
    if len(lengths) < FEWEST_SETS or len(runs) > len(changes) / 2:
        return [], []
    transitions = alone > 0.5 * len(lengths)
    usual = captures or _usual_length(np.array(lengths))
    sets, blends = _best_division(border, usual, vary, transitions)
    if not captures and len(sets) > 2:  # jolts had cut some sets short; and the reel tells how much its sets vary
        inner = [len(one) for one in sets[1:-1]]
        usual = int(np.median(inner))
        spread = int(np.ceil(max(abs(edge - usual) for edge in np.percentile(inner, (5, 95)))))
        sets, blends = _best_division(border, usual, max(vary, min(spread, usual - 1)), transitions)
    return sets, blends


def _most_regular(told: list[npt.NDArray[np.float64]]) -> npt.NDArray[np.float64] | None:
    """The first of several opinions on borders that divides most captures evenly; None for none.

    A film runs evenly: jolts of the camera, or a film step taken for tremble, do not.
    """
    return max(told, key=_regularity) if told else None


def _regularity(border: npt.NDArray[np.float64]) -> float:
    """0..1, share of the captures in runs about as long as usual, or alone between two of them."""
    lengths = np.array([stop - first for first, stop in _plain_runs(border > 0)])
    several = lengths[lengths > 1]
    if len(several) < FEWEST_SETS:
        return 0.0
    usual = _usual_length(several)
    near = np.abs(lengths - usual) <= max(1, usual // 3)
    near &= lengths > 1
    beside = np.concatenate([[True], near[:-1]]) & np.concatenate([near[1:], [True]])
    return float(lengths[near | (lengths == 1) & beside].sum() / lengths.sum())


def _usual_length(lengths: npt.NDArray[np.int64]) -> int:
    """The length of the run that a capture usually lies in: jolts make many short runs, which hold few captures."""
    ordered = np.sort(lengths)
    return int(ordered[np.searchsorted(np.cumsum(ordered), ordered.sum() / 2)])


def _told_by_peaks(wide: Curve) -> npt.NDArray[np.float64] | None:
    """What speaks for a border before each capture, from peaks of the wide change; None where they are not regular.

    Over a transition picture the change is the same on both sides of the peak; a border between two captures shows as
    two equal values, with half as much beside them.
    """
    levels = levels_of(wide)
    if levels is None:
        return None
    told, heights = levels.border(wide), np.nan_to_num(wide, nan=-1.0)
    reach = range(2, len(wide) - 2)
    peaks = [n for n in reach if told[n] > 0 and heights[n] == heights[n - 2 : n + 3].max()]
    if not _regular(np.diff(peaks), len(wide)):
        return None
    border = np.where(np.isnan(wide), -1.0, np.minimum(told, 0.0))
    lean = float(np.median([abs(heights[n - 1] - heights[n + 1]) / heights[n] for n in peaks]))
    for peak in peaks:
        border[peak - 2 : peak + 3] = -1.0
    for peak in peaks:
        if lean < LEANING:
            border[peak : peak + 2] = told[peak]
        else:
            border[peak if heights[peak - 1] > heights[peak + 1] else peak + 1] = told[peak]
    return np.asarray(border)


def _regular(apart: npt.NDArray[np.int64], count: int) -> bool:
    """Whether peaks come as often, and over as much of a run of captures, as film frames do."""
    if len(apart) < FEWEST_SETS + 1:
        return False
    usual = float(np.median(apart))
    near = np.abs(apart - usual) <= np.maximum(2, usual / 2)
    return float(near.mean()) >= REGULAR_SHARE and len(apart) * usual >= REGULAR_SHARE * count


def _plain_runs(border: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    starts = [0, *(int(place) for place in np.flatnonzero(border) if place)]
    return list(pairwise([*starts, len(border)]))


def _best_division(
    border: npt.NDArray[np.float64], usual: int, vary: int, transitions: bool
) -> tuple[list[CaptureSet], list[int]]:  # fmt: skip
    """The division with the most to speak for it, by dynamic programming over its borders (Bellman 1957).

    What speaks for it: change at its borders and calm within its sets, lengths near the usual one, and transition
    pictures where the reel has them. So a jolt within a set makes no two of it, and a still scene is divided.
    """
    count = len(border)
    summed = np.concatenate([[0.0], np.cumsum(border)])
    best = np.full(count + 2, -np.inf)
    came: list[tuple[int, int]] = [(0, 0)] * (count + 2)  # (start of the last set, its stop)
    best[0] = 0.0
    joins = np.concatenate([[0], np.cumsum(border <= -SAID_BY_HAND)])  # a set joined by hand may be of any length
    longest = 3 * (usual + vary) if joins[-1] else usual + vary + max(2, usual // 2)
    for first in range(count):
        if best[first] == -np.inf:
            continue
        for stop in range(first + 1, min(count, first + longest) + 1):
            within = -(summed[stop] - summed[first + 1])
            at_end = first == 0 or stop == count
            by_hand = joins[stop] > joins[first + 1]
            value = best[first] + within - (0.0 if by_hand else _length_cost(stop - first, usual, vary, at_end))
            if stop == count:
                _offer(best, came, count, value, (first, stop))
                continue
            plain = value + border[stop] - (MISSING_COST if transitions else 0.0)
            _offer(best, came, stop, plain, (first, stop))
            if stop + 1 < count:
                blended = value + border[stop] + border[stop + 1] - (0.0 if transitions else STRANGE_COST)
                _offer(best, came, stop + 1, blended, (first, stop))
    return _walked_back(came, border, usual, vary)


def _offer(
    best: npt.NDArray[np.float64], came: list[tuple[int, int]], place: int, value: float, last: tuple[int, int]
) -> None:  # fmt: skip
    if value > best[place]:
        best[place], came[place] = value, last


def _length_cost(length: int, usual: int, vary: int, at_end: bool) -> float:
    """What speaks against a set of that length; those at the ends of a reel may be cut short, but seldom are."""
    apart = abs(length - usual)
    if at_end and length < usual:
        return CUT_SHORT_COST * max(0, usual - vary - length) / usual
    return LENGTH_COST * apart + BEYOND_COST * max(0, apart - vary)


def _walked_back(
    came: list[tuple[int, int]], border: npt.NDArray[np.float64], usual: int, vary: int
) -> tuple[list[CaptureSet], list[int]]:  # fmt: skip
    sets: list[CaptureSet] = []
    transitions: list[int] = []
    place = len(border)
    while place > 0:
        first, stop = came[place]
        if stop < place:
            transitions.append(stop)
        still = any(0 < edge < len(border) and border[edge] < 0 for edge in (first, stop))
        by_hand = all(border[edge] == SAID_BY_HAND for edge in (first, stop) if 0 < edge < len(border))
        odd = abs(stop - first - usual) > vary and first > 0 and stop < len(border) and not by_hand
        words = f"{stop - first} captures instead of {usual}" if odd else ""
        words = "the scene stands still: divided by the usual length" if still else words
        sets.append(CaptureSet(first, stop, words))
        place = first
    return sets[::-1], transitions[::-1]
