"""How far colour lies beside the edges it belongs to, line by line: a time base that colour had of its own.

Along each line and its surroundings, changes of brightness and of colour are compared at every distance. What those
correlations say of each distance (the likelihood of a Gaussian pair: textbook, from memory) is summed over the frames
of a shot, and the most likely path down the picture that does not jump is taken (Viterbi 1967). Where it goes beside
itself by enough, lines are laid back by it and looked at again, between samples, smoothed by how much each line tells
(Whittaker 1923, second differences; weights: from memory).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import cv2
import numpy as np
import numpy.typing as npt
from scipy.interpolate import CubicSpline
from scipy.linalg import solveh_banded

from grevin.core.measure.colour_shift import LEAST_SIDE, REACH, Shift, changes_of, likeness, moved, shift_of
from grevin.core.measure.line_jitter import Lines, moved_lines

SOFT_LINES = 6.0  # standard deviation of the surroundings of a line in the first look, in lines
FINE_LINES = 3.0  # the same when lines were laid back
PARTS = 4  # places a sample that the path may take
BEND = 1.0  # likelihood a path loses for a sample that it goes aside from one line to the next, squared: no jumps
ELSEWHERE, LEAST_MARGIN = 1.5, 0.15  # samples beside the path, and likelihood that a way there lacks where it is sure
NOTHING = 1e-4  # weight of lines that tell nothing
STIFF_LINES = 10.0  # below which the smoothed path hardly bends
STEEP_LINES = 5.0  # the same for what runs off sideways where nothing tells
TURNS = 4  # of looking again
# samples between the ends of the path, in the first look and in the last: as far as a whole shift on either side. Clips
# whose colour is right reach 1.7 where lines become more alike by it (*dune*), and more where they do not
LEAST_FIRST, LEAST_RANGE = 0.75, 2.0
LEAST_BESIDE = 0.5  # samples beside the shot's own place, from which a line counts as moved
LEAST_GAIN = 1.1  # times as alike as before, of moved lines
LEAST_GAIN_ALONE = 1.4  # the same where the picture as a whole tells no place: such clips reach 1.2
RESTS = 0.25  # samples round a level on which half of the lines lie: there colour does not vary
LEFT, TAKEN = 0.1, 0.3  # samples beside that level that are left, and from which all is taken back
MOST_ALIKE = 0.98  # correlation: more is chance
EVEN = 1e-3  # of the mean energy of changes: lines that have less tell nothing

Plane = npt.NDArray[np.float32]
Planes = Callable[[], Iterable[tuple[Plane, list[Plane]]]]
Values = npt.NDArray[np.float64]


def lines_of(planes: Planes, shift: Shift) -> Lines:
    """(H,) samples of colour by which each line of it lies too far to the right; empty where they are all alike.

    Args:
        planes: gives luma and both colour differences of the frames of a shot, as often as it is called.
        shift: of the shot as a whole.
    """
    nothing = np.zeros(0, np.float32)
    down = shift.down if np.isfinite(shift.down) else 0.0
    first = _sums(planes, down, None)
    if first is None:
        return nothing
    path, margin = _path(_likelihood(first, SOFT_LINES))
    sure = margin >= LEAST_MARGIN
    if not sure.any() or np.ptp(path[sure]) < LEAST_FIRST:
        return nothing
    lines = _smooth(path, np.where(sure, 1.0, NOTHING), STIFF_LINES / 2)
    for _ in range(TURNS):
        lines = _nearer(planes, down, lines, sure)
    if np.ptp(lines[sure]) < LEAST_RANGE or not _places_are_told(planes, down, lines):
        return nothing
    least = LEAST_GAIN if shift.is_known else LEAST_GAIN_ALONE
    return lines.astype(np.float32) if _gain(planes, shift, lines, first, sure) >= least else nothing


def taken_back(lines: Lines, least: float) -> Lines:
    """(H,) samples by which lines are laid back: all, or what goes beside the level that most of them rest on.

    That level is the pictures' own where it is below `least` samples.
    """
    levels = np.arange(lines.min(), lines.max(), RESTS / 2)
    on = [np.count_nonzero(np.abs(lines - level) <= RESTS) for level in levels]
    level = float(levels[int(np.argmax(on))])
    if 2 * max(on) < len(lines) or abs(level) >= least:
        return lines
    beside = lines - level
    return np.asarray(beside * np.clip((np.abs(beside) - LEFT) / (TAKEN - LEFT), 0, 1), np.float32)


def _laid_back(colours: list[Plane], down: float, lines: Values | None) -> list[Plane]:
    level = [moved(plane, 0.0, -down) if down else plane for plane in colours]
    return level if lines is None else [moved_lines(plane, lines.astype(np.float32)) for plane in level]


def _sums(planes: Planes, down: float, lines: Values | None) -> Values | None:
    """(3, H, 2 REACH + 1) sums along lines over all frames: both together, colour's and brightness' energy."""
    found = None
    for luma, colours in planes():
        if min(colours[0].shape) < LEAST_SIDE:
            return None
        own, other = changes_of(luma, _laid_back(colours, down, lines))
        width = own.shape[1]
        inner = own[:, REACH : width - REACH]
        one = np.empty((3, len(own), 2 * REACH + 1))
        for distance in range(2 * REACH + 1):
            beside = other[:, distance : distance + inner.shape[1]]
            one[0, :, distance] = np.einsum("ij,ij->i", inner, beside)
            one[1, :, distance] = np.einsum("ij,ij->i", beside, beside)
        one[2] = np.einsum("ij,ij->i", inner, inner)[:, None]
        found = one if found is None else found + one
    return found


def _likelihood(sums: Values, soft: float) -> Values:
    """(H, 2 REACH + 1) what each line and its surroundings say of each distance."""
    both, colour, light = (cv2.GaussianBlur(one, (1, 2 * round(4 * soft) + 1), 1.0, sigmaY=soft,
                                            borderType=cv2.BORDER_CONSTANT) for one in sums)  # fmt: skip
    little = EVEN * float(light.mean())
    alike = both / np.sqrt((colour + little) * (light + little) + 1e-12)
    return np.asarray(-0.5 * np.log(1 - np.square(np.clip(alike, 0, MOST_ALIKE))))


def _path(likely: Values) -> tuple[Values, Values]:
    """(H,) the most likely way down the picture, in parts of samples, and how much less likely any is elsewhere there.

    The best way through each place is reckoned from both ends (max-product message passing: textbook, from memory).
    """
    whole = np.arange(-REACH, REACH + 1)
    fine = np.arange(-REACH * PARTS, REACH * PARTS + 1) / PARTS
    gain = CubicSpline(whole, likely, axis=1)(fine)
    cost = BEND * np.square(fine[:, None] - fine[None])
    above, below = np.zeros_like(gain), np.zeros_like(gain)
    for line in range(1, len(gain)):
        above[line] = (above[line - 1] + gain[line - 1] - cost).max(axis=1)
    for line in range(len(gain) - 2, -1, -1):
        below[line] = (below[line + 1] + gain[line + 1] - cost).max(axis=1)
    best = above + gain + below
    path = fine[best.argmax(axis=1)]
    elsewhere = np.where(np.abs(fine - path[:, None]) >= ELSEWHERE, best, -np.inf).max(axis=1)
    return path, best.max(axis=1) - elsewhere


def _nearer(planes: Planes, down: float, lines: Values, sure: npt.NDArray[np.bool_]) -> Values:
    """The lines with what is left added when they are laid back; only those that are sure have a say."""
    sums = _sums(planes, down, lines)
    assert sums is not None
    before, here, behind = _likelihood(sums, FINE_LINES)[:, REACH - 1 : REACH + 2].T
    tells = np.where(sure, np.maximum(2 * here - before - behind, 0), 0) + NOTHING
    left = np.clip((behind - before) / 2 / tells, -1, 1)
    return _smooth(lines + left, tells, STIFF_LINES)


def _smooth(values: Values, weights: Values, stiff: float) -> Values:
    """(H,) the values where they weigh much, as straight as may be elsewhere."""
    bends, slopes = float(weights.mean()) * stiff**4, float(weights.mean()) * STEEP_LINES**2
    middle, beside = np.full(len(values), 6.0 * bends + 2 * slopes), np.full(len(values) - 1, -4.0 * bends - slopes)
    middle[[0, -1]], middle[[1, -2]], beside[[0, -1]] = bends + slopes, 5.0 * bends + 2 * slopes, -2.0 * bends - slopes
    banded = np.zeros((3, len(values)))
    banded[2], banded[1, 1:], banded[0, 2:] = middle + weights, beside, bends
    return np.asarray(solveh_banded(banded, weights * values))


def _places_are_told(planes: Planes, down: float, lines: Values) -> bool:
    """Whether colour lies at one place when its lines are laid back."""
    return shift_of([likeness(luma, _laid_back(colours, down, lines)) for luma, colours in planes()]).is_known


def _gain(planes: Planes, shift: Shift, lines: Values, first: Values, sure: npt.NDArray[np.bool_]) -> float:
    """Times as alike as where the picture as a whole has them, or anywhere, of the lines that go beside that."""
    then = _sums(planes, shift.down if np.isfinite(shift.down) else 0.0, lines)
    assert then is not None
    place = int(np.clip(round(shift.right), -REACH, REACH)) if shift.is_known else 0  # a sharpened one may lie beyond
    whole = range(place, place + 1) if shift.is_known else range(-REACH, REACH + 1)
    rows = sure & (np.abs(lines - (shift.right if shift.is_known else np.median(lines))) >= LEAST_BESIDE)
    before = max(_alike(first, rows, distance) for distance in whole)
    return _alike(then, rows, 0) / max(before, 1e-3)


def _alike(sums: Values, rows: npt.NDArray[np.bool_], distance: int) -> float:
    """Correlation of some lines at a distance."""
    both, colour, light = (float(one[rows, REACH + distance].sum()) for one in sums)
    return both / float(np.sqrt(colour * light) + 1e-9)
