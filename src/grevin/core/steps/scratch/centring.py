"""A line brought to where its frame shows it: its width, and its middle to a part of a px.

Its way was found in bands of rows only.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt
from scipy.linalg import solveh_banded
from scipy.ndimage import gaussian_filter1d

from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.steps.scratch.lines import LEAST_PROFILE, REACH_PX, Line, Values, deviations, sampled

WIDEST_HALF_PX, HALF_DEPTH = 8, 0.5  # half of the widest scratch and its flanks; of its depth, that it is as wide as
UNEVEN_SHARE = 0.3  # of its depth, that what stands upright beside it may have
NEAR_FLANK_PX = 5  # of a flank by which the middle is told: a border may lie behind it
BESIDE_PX = 2  # beyond a line's width, that belong to its profile
PASSES = 3
DEPTH_ROWS = 8.0  # over which its depth, and how busy the picture is, are told
MOST_DEPTH = 2.0  # times its usual one
ASIDE_PX = 1.0  # by which its middle lies beside what was found, a standard deviation
BEND_PX = 0.03  # by which it goes aside from row to row, the same
ALIKE_ROWS = 6.0  # that say the same of the picture: on rule clips 3 to 15 do alike


def widened(rgb: Rgb, line: Line) -> Line:
    """The line as wide as its mean profile is, and in the middle of that, where it was found narrower.

    A strong scratch looks like a line to boxes that are too narrow for it as well.
    """
    values = sampled(rgb, line, REACH_PX)
    profile = np.median(deviations(values, WIDEST_HALF_PX), axis=0)
    near = slice(REACH_PX - line.width // 2 - 1, REACH_PX + line.width // 2 + 2)
    channel = int(np.argmax(np.abs(profile[near]).max(axis=0)))
    one = -profile[:, channel] if line.dark else profile[:, channel]
    top = near.start + int(np.argmax(one[near]))
    beyond = one > HALF_DEPTH * max(0.0, float(one[top]))
    if one[top] <= 0 or not beyond[top] or _step(values[..., channel]) > HALF_DEPTH * float(one[top]):
        return line
    first, last = top, top
    while first > 0 and beyond[first - 1]:
        first -= 1
    while last < 2 * REACH_PX and beyond[last + 1]:
        last += 1
    width = last - first + 1
    beside = np.abs(np.delete(one, np.arange(max(0, first - 2), last + 3)))
    if not len(beside) or float(beside.max()) > UNEVEN_SHARE * float(one[top]):
        return line  # what stands beside it is as strong as it: whose width that is cannot be told
    if width <= line.width or width > 2 * WIDEST_HALF_PX - 2:  # what is wider is no scratch but a side of something
        return line
    return replace(line, width=width | 1, centre=line.centre + (first + last) / 2 - REACH_PX)


def _step(values: npt.NDArray[np.float32]) -> float:
    """By how much both sides of a line differ: where that is half of what it stands out, an edge is near."""
    left, right = values[:, : REACH_PX - WIDEST_HALF_PX + 1], values[:, REACH_PX + WIDEST_HALF_PX :]
    return abs(float(np.median(left.mean(axis=1) - right.mean(axis=1))))


def centred(rgb: Rgb, line: Line) -> Line:
    """The line as wide as the frame shows it, and brought to its middle, a part of a px.

    Each row tells by how much its profile lies aside, by the slope of the usual one (Lucas and Kanade 1981): the
    better, the more it stands out of what is beside it. The way bends little: of all ways the likeliest is taken (what
    a smoother of Rauch, Tung and Striebel 1965 finds, as one least-squares problem).
    """
    line = widened(rgb, line)
    far = line.width // 2 + 3
    reach = far + NEAR_FLANK_PX - 1
    places = np.arange(2 * reach + 1) - reach
    inside = np.abs(places) <= line.width // 2 + BESIDE_PX
    for _ in range(PASSES):
        deviation = deviations(sampled(rgb, line, reach), far, NEAR_FLANK_PX)
        shape = np.median(deviation, axis=0) * inside[:, None]
        most = (0.5 + 0.5 * line.width) / PASSES  # altogether no farther than the line itself reaches
        weight = np.square(shape).sum(axis=1)
        aside = float(np.clip((weight * places).sum() / max(1e-9, float(weight.sum())), -most, most))
        line = replace(line, centre=line.centre + np.clip(_moved(deviation, shape, inside), -most, most) + aside)
    return line


def _moved(deviation: Rgb, shape: Rgb, inside: Mask) -> Values:
    """(N,) px by which each row of a line lies beside its usual profile, (M, 3)."""
    slope = np.gradient(shape, axis=0) * inside[:, None]
    depth = (deviation * shape).sum(axis=(1, 2)) / max(1e-9, float(np.square(shape).sum()))
    depth = np.clip(gaussian_filter1d(depth, DEPTH_ROWS, mode="nearest"), 0.0, MOST_DEPTH)
    left = deviation - depth[:, None, None] * shape
    busy = gaussian_filter1d(np.square(left).mean(axis=(1, 2)), DEPTH_ROWS, mode="nearest")
    noise = ALIKE_ROWS * np.maximum(busy, LEAST_PROFILE**2)
    told = np.square(depth) * float(np.square(slope).sum()) / noise
    said = -depth * (left * slope).sum(axis=(1, 2)) / noise
    even = 1.0 / BEND_PX**2
    # Normal equations: what each row says of its own, that it lies near what was found, and near the rows beside it.
    band = np.zeros((2, len(depth)))
    band[1] = told + 1.0 / ASIDE_PX**2 + 2 * even
    band[1, [0, -1]] -= even
    band[0, 1:] = -even
    return np.asarray(solveh_banded(band, said))
