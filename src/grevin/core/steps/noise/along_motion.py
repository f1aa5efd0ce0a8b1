"""The mean of a thing over the frames around, as far as they show it, and how much noise is left in it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from grevin.core.motion.flow import Flow, positions
from grevin.core.picture.levels import Plane
from grevin.core.steps.seen import Window

NEAR_PX, COARSE_NEAR_PX = 7, 15  # sides of the surroundings in which a place is compared, of fine and coarse grain
BLURRED = 0.75  # variance of noise that is left by reading between pixels, of cubic interpolation, in the mean
LEAST = 0.02  # weights below it count nothing
OUTSIDE_PX = 1.0  # a place that lies so far off the other picture is not seen there


@dataclass(frozen=True, eq=False)
class Meaned:
    """A plane after the mean.

    Attributes:
        plane: (H, W) float32, in 8-bit levels.
        share: (H, W) float32 0..1, of the noise's variance that is left.
    """

    plane: Plane
    share: Plane


def ways(window: Window, reach: int) -> Iterator[tuple[int, Flow]]:
    """(offset, flow to it) of the frames around, nearest first on each side; chained from frame to frame."""
    for side in (-1, 1):
        total: Flow | None = None
        for count in range(1, reach + 1):
            if not window.has(side * count):
                break
            step = window.at(side * (count - 1)).motion(side, "steady")
            total = step if total is None else _after(total, step)
            yield side * count, total


def _after(total: Flow, step: Flow) -> Flow:
    """One way and another after it; worked out on every other pixel, for motion is smooth."""
    across, down = (np.ascontiguousarray(place[::2, ::2]) for place in positions(total))
    more = cv2.remap(step, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    both = total[::2, ::2] + more
    return np.asarray(cv2.resize(both, total.shape[1::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def near_px(grains: float) -> int:
    """Side of the surroundings that hold as many grains whatever their size; `grains` is the area of one in pixels."""
    side = min(float(COARSE_NEAR_PX), max(float(NEAR_PX), NEAR_PX * math.sqrt(max(0.0, grains))))
    return round(side) | 1


def meaned(
    planes: list[Plane], others: Iterable[tuple[list[Plane], Flow]], sigmas: list[Plane], sides: list[int]
) -> list[Meaned]:  # fmt: skip
    """Planes of a frame, each in the mean over what the others show of it.

    Args:
        planes: of the frame, 8-bit levels.
        others: planes of another frame, and the flow to it in pixels of the first plane.
        sigmas: (H, W) standard deviation of the noise in each plane.
        sides: px of the surroundings in which each plane is compared.
    """
    sums = [plane.copy() for plane in planes]
    weights = [np.ones_like(plane) for plane in planes]
    squares = [np.ones_like(plane) for plane in planes]
    for theirs, flow in others:
        trust: Plane | None = None
        for place, (own, other, sigma, side) in enumerate(zip(planes, theirs, sigmas, sides, strict=True)):
            moved, seen = _moved(other, flow, own.shape)
            weight = _trust(own, moved, sigma, side) * seen
            if place == 0:
                trust = weight
            else:  # colour is believed no more than brightness is
                weight = np.minimum(weight, cv2.resize(trust, own.shape[::-1], interpolation=cv2.INTER_AREA))  # type: ignore[arg-type]
            sums[place] += weight * moved
            weights[place] += weight
            squares[place] += BLURRED * weight * weight
    return [
        Meaned(total / weight, square / (weight * weight))
        for total, weight, square in zip(sums, weights, squares, strict=True)
    ]


def _moved(plane: Plane, flow: Flow, shape: tuple[int, ...]) -> tuple[Plane, Plane]:
    """A plane of another frame moved onto this one, and (H, W) where it is seen there."""
    if flow.shape[:2] != shape:
        scale = np.array([shape[1] / flow.shape[1], shape[0] / flow.shape[0]], np.float32)
        flow = np.asarray(cv2.resize(flow, shape[::-1], interpolation=cv2.INTER_AREA) * scale, np.float32)
    across, down = positions(flow)
    moved = cv2.remap(plane, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    height, width = shape
    seen = (across > -OUTSIDE_PX) & (across < width - 1 + OUTSIDE_PX)
    seen &= (down > -OUTSIDE_PX) & (down < height - 1 + OUTSIDE_PX)
    return np.asarray(moved, np.float32), seen.astype(np.float32)


def _trust(own: Plane, moved: Plane, sigma: Plane, side: int) -> Plane:
    """1 where two pictures differ by no more than noise does, falling where they differ by more."""
    away = own - moved
    apart = cv2.blur(cv2.multiply(away, away), (side, side))
    noise = sigma * sigma + np.float32(1e-3)
    weight = np.exp(-np.maximum(0.0, apart - 2.0 * noise) / noise)
    return np.asarray(np.where(weight < LEAST, 0.0, weight), np.float32)
