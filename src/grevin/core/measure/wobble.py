"""Lines that sway together: a time base that wobbles bends the picture sideways, anew on every frame.

Between two pictures every strip of a few lines has moved: with the camera, with what passes before it, and, where the
time base wobbles, by what the line itself was displaced. The last is told by three things. It only goes sideways: a
camera that turns lifts columns as well. It moves the whole of a line, its ends too: what passes before the camera moves
a part. And it does not go on: what moves steadily, as the ground does under a moving camera, is the picture's own.
Changes from picture to picture are then added up along the shot, and what is off from the pictures around is the bend
(a method of our own; the motion is that of `motion.flow`).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, positions, sample
from grevin.core.progress import Progress

Values = npt.NDArray[np.float64]
Known = npt.NDArray[np.bool_]

# Tried on the clips that rule of the bench (`bench.wobble`), but where a reason stands beside them
STRIP_LINES = 4  # high
PARTS = 8  # of a strip, side by side
END_PARTS = 2  # of them, of which one at either end has to go along
LEAST_PARTS = 4  # that can be told
LEAST_SIDE = 64  # px of a picture
SOFT_PX = 1.0  # standard deviation of the low-pass before changes are looked at
SOFTER = 6.0  # times, by which that low-pass lowers the variance of what does not fit: between white and coarse noise
SURE_PX = 0.15  # standard error up to which a part's movement is believed
LEAST_LEVEL = 0.1  # share of the parts of either side that have to tell how the picture went down
ROUNDING = 0.1  # 8-bit levels, squared: what does not fit is never less
ALIKE_PX = 0.35  # by which parts of one line may differ: what a moving camera's depth and the motion's errors add up to
AGREE, MOSTLY = 0.75, 0.5  # share of the sure parts that have to be alike, and where a shot is known to wobble
AROUND = 8  # pictures before and behind, over which what moves steadily is told
STRETCH = 128  # pictures that are told apart at once; a little more on both sides is looked at with them
FAR_AROUND = 16  # the same for what the whole of lines does
TREMBLES = 3.0  # times more to the sides than up and down: a time base, no camera
COMES_BACK = 3.0  # deviations of its steps over their number, which a bend adds at most
ROUNDS = 3  # in which what moves steadily and what wobbles are told apart
FIT_ROUNDS, TUNING, LEAST_SPREAD_PX = 10, 1.5, 0.05  # of robust fits: weights of Cauchy
BESIDE_STRIPS, TOO_FAR = 6.0, 0.02  # over which what is not known is that of its neighbours, and goes to nothing
SMOOTH_STRIPS = 1.0  # standard deviation of the low-pass over what is known
SLOPE = 3.0  # times the weight of all pictures around: how dear it is that a bend goes on growing


@dataclass(frozen=True, eq=False)
class Strips:
    """What strips of lines did from one picture to the next, beyond what the camera explains.

    Attributes:
        right: (N, PARTS) px to the right, with what the whole picture did.
        sure: (N, PARTS) bool, whether that can be told.
        down: lines by which the middle of the picture went down; NaN where too little tells it.
    """

    right: Values
    sure: Known
    down: float


@dataclass(frozen=True, eq=False)
class Sway:
    """What lines did together from each picture to the next, without what moves steadily.

    Attributes:
        moved: (T, N) px that strips went to the right, against what the whole picture did.
        known: (T, N) bool, which of them were told; the others go on from those beside.
        whole: (T,) px that the whole picture went to the right.
    """

    moved: Values
    known: Known
    whole: Values

    @property
    def told(self) -> Known:
        """(N,) bool, strips that are mostly told; all where none is."""
        told = self.known.mean(axis=0) >= MOSTLY
        return np.asarray(told if told.any() else ~told)


def strips_of(here: Luma8, there: Luma8, flow: Flow) -> Strips | None:
    """What the strips of a picture did until another one; None where it is too small to tell.

    Args:
        here: (H, W) uint8 luma; one field of interlaced pictures.
        there: the same of the other picture.
        flow: (H, W, 2) from the one to the other.
    """
    if min(here.shape) < LEAST_SIDE:
        return None
    own = here.astype(np.float32)
    soft = cv2.GaussianBlur(own, (0, 0), SOFT_PX)
    left = cv2.GaussianBlur(sample(there, *positions(flow)).astype(np.float32) - own, (0, 0), SOFT_PX)
    error = SOFTER * (_parts(np.square(left)) / _pixels_of_a_part(own) + ROUNDING)
    moves, sure = [], []
    for axis, across in enumerate(((1, 0), (0, 1))):
        slope = cv2.Sobel(soft, cv2.CV_32F, *across) / np.float32(8)
        whole = _parts(np.square(slope))
        # What the flow, which is even over its patches, leaves is met by least squares over the part (Lucas and Kanade)
        moves.append(_parts(slope * (slope * flow[..., axis] - left)) / np.maximum(whole, 1e-6))
        sure.append(error < SURE_PX**2 * whole)
    down, lifted = _lifted(moves[1], sure[1])
    beyond = _beyond_camera(moves[0], sure[0])
    leaning = _leaning(beyond, sure[0]) if np.isnan(lifted) else -lifted * here.shape[0] / here.shape[1]
    return Strips(beyond - leaning * _places(beyond.shape)[1], sure[0], down)


def common(right: Values, sure: Known, most: bool = False) -> tuple[Values, Known]:
    """What the whole of each strip did: (..., N) px, and (..., N) bool, whether its parts agree.

    Args:
        right: (..., N, PARTS) px.
        sure: (..., N, PARTS) bool.
        most: whether it is enough that most of what can be told is alike: where a shot is known to wobble.
    """
    alike = sure & (np.abs(right - _middle(right, sure, -1)[..., None]) < ALIKE_PX)
    told, along = sure.sum(axis=-1), alike.sum(axis=-1)
    ends = alike[..., :END_PARTS].any(axis=-1) & alike[..., -END_PARTS:].any(axis=-1)
    known = (told >= LEAST_PARTS) & ((along > MOSTLY * told) if most else (along >= AGREE * told) & ends)
    return np.where(known, np.where(alike, right, 0.0).sum(axis=-1) / np.maximum(along, 1), 0.0), known


def swayed(right: npt.NDArray[np.floating], sure: Known, most: bool = False) -> Sway:
    """What lines did together, told stretch by stretch, so that the parts of few pictures are at hand at once.

    Args:
        right: (T, N, PARTS) px, of `strips_of`.
        sure: (T, N, PARTS) bool.
        most: as for `common`.
    """
    found = []
    for first in range(0, len(right), STRETCH):
        start = max(0, first - ROUNDS * AROUND)
        part, own = slice(start, first + STRETCH + ROUNDS * AROUND), slice(first - start, first - start + STRETCH)
        found.append([one[own] for one in _told_apart(right[part].astype(np.float64), sure[part], most)])
    moved, known, whole = (np.concatenate(each) for each in zip(*found, strict=True))
    return Sway(moved - _drift(moved), known.astype(np.bool_), whole)


def _told_apart(right: Values, sure: Known, most: bool) -> tuple[Values, Known, Values]:
    """What `Sway` holds, of a stretch of a shot."""
    steady = np.zeros(right.shape)
    for _ in range(ROUNDS):
        moved, known = common(right - steady, sure, most)
        moved = np.stack([_filled(*one) for one in zip(moved, known, strict=True)])
        rest = right - moved[..., None]
        around = [slice(max(0, place - AROUND), place + AROUND + 1) for place in range(len(rest))]
        steady = np.stack([_middle(rest[part], sure[part], 0) for part in around])
    return moved, known, _middle(rest.reshape(len(rest), -1), sure.reshape(len(rest), -1), -1)


def bends(sway: Sway, down: Values, frames: float, progress: Progress) -> Values:
    """(T + 1, N) px by which the strips of each picture lie too far right, against those of the pictures around.

    The whole picture goes along where that is the time base's doing; else the middle of what could be told lies right.

    Args:
        sway: of the shot.
        down: (T,) lines by which the picture went down; NaN where that cannot be told.
        frames: standard deviation of the weights of the pictures around; what sways slower is left.
        progress: one unit a picture.
    """
    reach, strips = round(1.6 * frames), np.nan_to_num(down) / STRIP_LINES
    each = []
    for place in range(len(sway.moved) + 1):
        each.append(_bend(sway.moved, strips, place, frames, reach))
        progress.advance()
    found = np.stack(each)
    aside, told = _restless(sway, down), found[:, sway.told]
    if aside is None:
        return np.asarray(found - np.median(told, axis=1, keepdims=True))
    return np.asarray(found - told.mean(axis=1, keepdims=True) + aside[:, None])


def _restless(sway: Sway, down: Values) -> Values | None:
    """(T + 1,) px by which each whole picture lies too far right; None where a camera may have done it.

    A camera that trembles goes up and down as well; a time base does not. One that goes unevenly, and pictures that are
    shown two and three times, are off their course by no more than the camera goes from one to the next.
    """
    if np.isnan(down).any():
        return None
    even = down.copy()
    for turn in (0, 1):  # the lines of two fields lie half a line apart
        even[turn::2] -= down[turn::2].mean() if len(down) > turn else 0.0
    aside, lifted = (
        _off_course(np.concatenate([[0.0], np.cumsum(one)]))
        for one in (sway.whole + sway.moved[:, sway.told].mean(axis=1), even)
    )
    goes = float(np.abs(sway.whole.mean()))
    return aside if aside.std() > max(TREMBLES * lifted.std(), goes) else None


def _drift(moved: Values) -> Values:
    """(T, N) px by which whole strips go on and on, as a ground under a moving camera does.

    A bend comes back: what it adds in so many pictures is its last less its first, however large each step was. So a
    mean that is many times the steps' own deviation over their number is no bend.
    """
    around = [moved[max(0, place - FAR_AROUND) : place + FAR_AROUND + 1] for place in range(len(moved))]
    mean = np.stack([part.mean(axis=0) for part in around])
    by_bends = np.stack([COMES_BACK * part.std(axis=0) / len(part) for part in around])
    return np.asarray(mean * np.clip(1 - np.square(by_bends) / np.maximum(np.square(mean), 1e-12), 0, 1))


def _bend(moved: Values, down: Values, place: int, frames: float, reach: int) -> Values:
    """(N,) px of one picture: what it departs from a line through those before and behind it."""
    rows, still = np.arange(moved.shape[1], dtype=np.float64), np.zeros(moved.shape[1])
    ways, away = [still], [0]
    way, gone = still, 0.0
    for other in range(place, min(len(moved), place + reach)):
        way = way + np.interp(rows + gone, rows, moved[other])
        gone += float(down[other])
        ways.append(way)
        away.append(other + 1 - place)
    way, gone = still, 0.0
    for other in range(place - 1, max(0, place - reach) - 1, -1):
        gone -= float(down[other])
        way = way - np.interp(rows + gone, rows, moved[other])
        ways.append(way)
        away.append(other - place)
    return -_usual(np.array(away, np.float64) / frames, np.stack(ways))


def _off_course(place: Values) -> Values:
    """(T,) px by which each of (T,) places departs from a parabola through those around."""
    off = []
    for now in range(len(place)):
        part = slice(max(0, now - AROUND), now + AROUND + 1)
        away = (np.arange(len(place))[part] - now) / AROUND
        off.append(float(place[now] - np.polyfit(away, place[part], 2, w=np.exp(-0.5 * np.square(away)))[-1]))
    return np.array(off)


def _usual(away: Values, ways: Values) -> Values:
    """(N,) where most pictures around say that the strips of one lie: a robust line through (T, N), read at 0."""
    near = np.exp(-0.5 * np.square(away))[:, None]
    terms = np.stack([np.ones_like(away), away], axis=1)
    stiff = np.diag([1e-9, SLOPE * near.sum()])
    weights = np.broadcast_to(near, ways.shape)
    for _ in range(FIT_ROUNDS):
        known = np.einsum("ti,tj,tn->nij", terms, terms, weights) + stiff
        fit = np.linalg.solve(known, np.einsum("ti,tn->ni", terms, weights * ways)[..., None])[..., 0]
        error = np.abs(ways - terms @ fit.T)
        spread = TUNING * np.maximum(LEAST_SPREAD_PX, 1.4826 * np.median(error, axis=0))
        weights = near / (1 + np.square(error / spread))
    return fit[:, 0]


def lines_of(bend: npt.NDArray[np.floating], height: int) -> npt.NDArray[np.float32]:
    """(height,) px of each line, from (N,) of strips."""
    middles = (np.arange(height) + 0.5) / STRIP_LINES - 0.5
    return np.asarray(np.interp(middles, np.arange(len(bend)), bend), np.float32)


def _parts(plane: npt.NDArray[np.float32]) -> Values:
    """(N, PARTS) sums over the parts of strips."""
    height, width = plane.shape
    rows, columns = height // STRIP_LINES, width // PARTS
    whole = plane[: rows * STRIP_LINES, : PARTS * columns].reshape(rows, STRIP_LINES, PARTS, columns)
    return np.asarray(whole.sum(axis=(1, 3)), np.float64)


def _pixels_of_a_part(plane: npt.NDArray[np.float32]) -> int:
    return STRIP_LINES * int(plane.shape[1] // PARTS)


def _places(shape: tuple[int, ...]) -> tuple[Values, Values]:
    """Across and down the picture, -.5 to .5, each (N, PARTS)."""
    across = (np.arange(shape[1]) + 0.5) / shape[1] - 0.5
    down = (np.arange(shape[0]) + 0.5) / shape[0] - 0.5
    return np.broadcast_to(across, shape), np.broadcast_to(down[:, None], shape)


def _lifted(moves: Values, sure: Known) -> tuple[float, float]:
    """Lines by which the middle of the picture went down, and by which its right side did more than its left.

    NaN where too little tells them.
    """
    across, down = _places(moves.shape)
    if min(float(sure[:, across[0] < 0].mean()), float(sure[:, across[0] > 0].mean())) < LEAST_LEVEL:
        return float("nan"), float("nan")
    terms = np.stack(
        [np.ones(moves.size), *(one.ravel() for one in (across, down, across * down, down * down))], axis=1
    )
    fit = _fitted(terms, moves.ravel(), sure.ravel())
    return float(fit[0]), float(fit[1])


def _leaning(moves: Values, sure: Known) -> float:
    """Px by which the foot of the picture went farther to the right than its top."""
    down = _places(moves.shape)[1]
    terms = np.stack([np.ones(moves.size), down.ravel()], axis=1)
    return float(_fitted(terms, moves.ravel(), sure.ravel())[1])


def _beyond_camera(moves: Values, sure: Known) -> Values:
    """(N, PARTS) px to the right, without what changes across the picture as a camera makes it."""
    across, down = _places(moves.shape)
    terms = np.stack([one.ravel() for one in (across, across * down, across * across - 1 / 12)], axis=1)
    left = moves
    for _ in range(ROUNDS):
        apart = moves - _middle(left, sure, -1)[:, None]
        left = np.asarray(
            moves - (terms @ _fitted(terms, apart.ravel(), sure.ravel())).reshape(moves.shape), np.float64
        )
    return left


def _fitted(terms: Values, values: Values, sure: Known) -> Values:
    """Robust least squares: what moves by itself is left out (iteratively reweighted, weights of Cauchy)."""
    fit: Values = np.zeros(terms.shape[1])
    if not sure.any():
        return fit
    weights = np.asarray(sure, np.float64)
    for _ in range(FIT_ROUNDS):
        weighted = terms.T * weights
        fit = np.asarray(
            np.linalg.solve(weighted @ terms + 1e-6 * np.eye(terms.shape[1]), weighted @ values), np.float64
        )
        error = np.abs(values - terms @ fit)
        spread = TUNING * max(LEAST_SPREAD_PX, 1.4826 * float(np.median(error[sure])))
        weights = np.asarray(sure / (1 + np.square(error / spread)), np.float64)
    return fit


def _middle(values: Values, sure: Known, axis: int) -> Values:
    """The median of what is sure along an axis, 0 where nothing is; many times faster than `np.nanmedian`."""
    ordered = np.sort(np.where(sure, values, np.inf), axis=axis)
    count = sure.sum(axis=axis, keepdims=True)
    lower, upper = (np.take_along_axis(ordered, np.maximum(at, 0), axis) for at in ((count - 1) // 2, count // 2))
    both = np.where(count > 0, lower, 0.0) + np.where(count > 0, upper, 0.0)
    return np.asarray(np.squeeze(both / 2, axis=axis))


def _filled(moved: Values, known: Known) -> Values:
    """(N,) px, smooth; what is not known is that of the strips beside, and nothing far from all."""
    if not known.any():
        return np.zeros_like(moved)
    apart = np.where(known, moved - np.median(moved[known]), 0.0)
    beside = _smooth(apart, BESIDE_STRIPS) / (_smooth(known.astype(np.float64), BESIDE_STRIPS) + TOO_FAR)
    return _smooth(np.where(known, apart, beside), SMOOTH_STRIPS)


def _smooth(values: Values, strips: float) -> Values:
    side = 2 * round(4 * strips) + 1
    kernel = cv2.getGaussianKernel(side, strips)
    return np.asarray(cv2.filter2D(values[:, None], cv2.CV_64F, kernel, borderType=cv2.BORDER_REFLECT_101)[:, 0])
