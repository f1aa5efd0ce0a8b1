"""The shadow that something on the sensor or the lens throws, learned from a shot.

The picture moves beneath it: what lies in the shadow on one frame lies beside it on another. The ratio of the two, in
the middle of many, is the shadow and nothing else. Where the picture stands still it cannot be told from the picture.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

from grevin.core.measure.known import known_quantiles
from grevin.core.motion.flow import Flow, positions
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.progress import Progress
from grevin.core.steps.spot.halves import agreement, certain, halves_of, smooth

ROOM_PX = 24  # round a circle, of what is looked at
MOST_FRAMES = 20  # of a shot
APART = (-8, -4, -2, 2, 4, 8)  # frames that are compared
LEAST_PX = 3.0  # that the picture moves between them
DARKEST = 0.04  # of R'G'B': below it ratios tell nothing
FEWEST = 5  # ratios for a pixel
MOST_APART = 0.5  # of the logarithms of a pixel's ratios, their middle half: they have to agree
TOLD = 0.5  # of a circle, that has to be told
MOST_GIVEN = 0.4  # logarithm of the light: what multiplies it by more is a mistaken motion, for glass gives none
AGREE = 3.0  # times as large as what the halves of a shot are off it: on rule clips up to 2.6 where nothing stands
LEAST_DEPTH = 0.012  # of the light: less is no spot
RING_PX = 16  # round a circle, in which both frames have to show the same
FEWEST_BESIDE, MOST_BESIDE = 60, 0.08  # px of it, and the middle deviation of their logarithms
FLOW_BENT_PX = 10  # round a circle, where flow sticks to the spot

Values = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Shadow:
    """Of one circle.

    Attributes:
        x, y: of the box round it.
        light: (h, w, 3) float32, by which the picture there is multiplied; 1 for no shadow.
        inside: (h, w) bool, the circle.
        moved: share of it that was told by motion.
        depth: the greatest part of light that it takes, or gives, in the mean of the channels.
        agree: how many times the shadow is as large as what the first and the second half of the shot are off it.
        there: whether there is one, and it could be told.
    """

    x: int
    y: int
    light: Values
    inside: Mask
    moved: float
    depth: float
    agree: float
    there: bool


def box_round(mask: Mask) -> tuple[slice, slice]:
    """Rows and columns of a mask with some room, within the picture."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    return (
        slice(max(0, int(rows[0]) - ROOM_PX), min(mask.shape[0], int(rows[-1]) + 1 + ROOM_PX)),
        slice(max(0, int(columns[0]) - ROOM_PX), min(mask.shape[1], int(columns[-1]) + 1 + ROOM_PX)),
    )


def shadows_of(
    circles: list[Mask], frames: range, rgb: Callable[[int], Rgb], flow: Callable[[int, int], Flow], progress: Progress
) -> list[Shadow]:  # fmt: skip
    """The shadows in some circles.

    Args:
        circles: (H, W) bool each, the same on all frames.
        frames: of the shot.
        rgb: (H, W, 3) R'G'B' of a frame.
        flow: from a frame to another one, straight under all circles.
        progress: one unit a frame that is looked at.
    """
    ratios: list[list[Values]] = [[] for _ in circles]
    numbers = _looked_at(frames)
    progress.begin(len(numbers), "Learning the shadows of spots")
    for number in numbers:
        for apart in APART:
            if number + apart not in frames:
                continue
            way, here, there = flow(number, number + apart), rgb(number), rgb(number + apart)
            for found, circle in zip(ratios, circles, strict=True):
                ratio = _ratio(circle, here, there, way)
                found += [ratio] if ratio is not None else []
        progress.advance()
    return [_shadow(circle, found) for circle, found in zip(circles, ratios, strict=True)]


def _shadow(circle: Mask, ratios: list[Values]) -> Shadow:
    part = box_round(circle)
    inside = np.ascontiguousarray(circle[part])
    light = np.zeros((*inside.shape, 3), np.float32)
    told = np.zeros(inside.shape, np.bool_)
    agree = 0.0
    if ratios:
        stack = np.stack(ratios)
        low, middle, high = known_quantiles(stack, (0.25, 0.5, 0.75))
        told = (np.isfinite(stack[..., 0]).sum(axis=0) >= FEWEST) & inside
        told &= np.nan_to_num((high - low).mean(axis=2), nan=1.0) < MOST_APART
        told &= np.nan_to_num(middle.mean(axis=2)) < MOST_GIVEN
    if told.any():
        light[told] = middle[told]
        light = stretched(light, inside & ~told) if (inside & ~told).any() else light
        apart, doubt = halves_of(stack)
        light = np.where(inside[..., None], certain(light, doubt, told), np.float32(0))
        agree = agreement(light, apart, told)
    share = float(told.sum() / max(1, inside.sum()))
    depth = _depth(light.mean(axis=2), told)
    there = share >= TOLD and depth > LEAST_DEPTH and agree >= AGREE
    return Shadow(part[1].start, part[0].start, np.exp(light), inside, share, 1 - float(np.exp(-depth)), agree, there)


def _depth(light: Values, told: Mask) -> float:
    """By how much the logarithm of the light is changed where it is most, and not by the noise of single pixels."""
    if not told.any():
        return 0.0
    return float(np.percentile(np.abs(smooth(light[..., None], told)[told]), 90))


def _looked_at(frames: range) -> list[int]:
    places = np.unique(np.linspace(0, len(frames) - 1, min(len(frames), MOST_FRAMES)).astype(int))
    return [frames[int(place)] for place in places]


def _ratio(circle: Mask, here: Rgb, there: Rgb, way: Flow) -> Values | None:
    """(h, w, 3) log ratio of what lies in a circle to the same beside it, NaN where that is not to be had.

    None where what lies round the circle is not met on the other frame.
    """
    part = box_round(circle)
    inside = circle[part]
    ring = grow(inside, RING_PX) & ~inside
    moved = np.hypot(way[part][..., 0], way[part][..., 1]) > LEAST_PX
    across, down = (place[part] for place in positions(way))
    theirs = cv2.remap(there, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    hidden = cv2.remap(
        circle.view(np.uint8), across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=1
    )
    ours = here[part]
    seen = moved & (hidden == 0) & (theirs.min(axis=2) > DARKEST) & (ours.min(axis=2) > DARKEST / 4)
    beside = np.log(ours[ring & seen]) - np.log(theirs[ring & seen])
    if len(beside) < FEWEST_BESIDE:
        return None
    usual = np.median(beside, axis=0)  # the light may have changed
    if float(np.median(np.abs(beside - usual))) >= MOST_BESIDE:
        return None
    ratio = np.full((*seen.shape, 3), np.nan, np.float32)
    good = seen & inside
    ratio[good] = np.log(ours[good]) - np.log(theirs[good]) - usual
    return ratio


def stretched(picture: Rgb, inside: Mask) -> Rgb:
    """(h, w, 3) the picture, and a surface over its rim inside a mask: what has no curvature (Laplace)."""
    height, width = inside.shape
    place = np.full(inside.shape, -1, np.int64)
    rows, columns = np.nonzero(inside)
    place[rows, columns] = np.arange(len(rows))
    near = [(rows + by, columns + to) for by, to in ((-1, 0), (1, 0), (0, -1), (0, 1))]
    made = picture.copy()
    known = np.zeros((len(rows), picture.shape[2]))
    at, to, value, count = [], [], [], np.zeros(len(rows))
    for down, across in near:
        within = (down >= 0) & (down < height) & (across >= 0) & (across < width)
        count += within
        own = np.arange(len(rows))[within]
        other = place[down[within], across[within]]
        free = other >= 0
        at.append(own[free])
        to.append(other[free])
        value.append(np.full(int(free.sum()), -1.0))
        np.add.at(known, own[~free], picture[down[within], across[within]][~free])
    at.append(np.arange(len(rows)))
    to.append(np.arange(len(rows)))
    value.append(np.maximum(count, 1))
    matrix = coo_matrix((np.concatenate(value), (np.concatenate(at), np.concatenate(to)))).tocsc()
    made[rows, columns] = spsolve(matrix, known).reshape(len(rows), -1)
    return np.asarray(made, np.float32)
