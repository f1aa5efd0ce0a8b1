"""The mean of a thing over the frames around, as far as they show it, and how much noise is left in it.

Frames that share their noise count as one where nothing moves: their mean has no less of it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np

from grevin.core.motion.flow import Flow, positions, stretched
from grevin.core.picture.levels import Plane

NEAR_PX, COARSE_NEAR_PX = 7, 15  # sides of the surroundings in which a place is compared, of fine and coarse grain
BLURRED = 0.75  # variance of noise that is left by reading between pixels, of cubic interpolation, in the mean
LEAST_VARIANCE = np.float32(1e-3)  # squared 8-bit levels
MARGIN, SPREADS = 0.6, 1.5  # standard deviations of a difference up to which it is noise, and of a fall by e
LEAST = 0.02  # weights below it count nothing
OUTSIDE_PX = 1.0  # a place that lies so far off the other picture is not seen there
APART_PX = 1.0  # motion after which standing noise lies on another place, times the root of a grain's area


@dataclass(frozen=True, eq=False)
class Meaned:
    """A plane after the mean.

    Attributes:
        plane: (H, W) float32, in 8-bit levels.
        share: (H, W) float32 0..1, of the noise's variance that is left.
    """

    plane: Plane
    share: Plane


@dataclass(frozen=True, eq=False)
class Around:
    """Another frame.

    Attributes:
        planes: of it, 8-bit levels.
        flow: to it, in pixels of the first plane.
        hold: of how many changes of the noise it lies away; 0 where it shares that of the frame itself.
    """

    planes: list[Plane]
    flow: Flow
    hold: int = 1


@dataclass(frozen=True)
class Comparing:
    """How a place is compared.

    Attributes:
        side: px of its surroundings.
        fall: times the noise's variance, by which their difference has to grow for a frame to count less by e.
        same: times the noise's variance, up to which a difference is noise.
    """

    side: int = NEAR_PX
    fall: float = 1.0
    same: float = 2.0

    @classmethod
    def of_grain(cls, area: float) -> Comparing:
        """Under noise whose grains have an area in pixels: the fewer there are around, the less a difference says."""
        grain = max(1.0, area)
        side = round(min(float(COARSE_NEAR_PX), NEAR_PX * math.sqrt(grain))) | 1
        spread = 2.0 * math.sqrt(2.0 * grain / side**2)  # of the mean square of so many differences
        kept = 1.0 - (1.0 - BLURRED) / grain
        return cls(side, SPREADS * spread, 1.0 + kept + MARGIN * spread)


def chained(total: Flow, step: Flow) -> Flow:
    """One way and another after it; worked out on every other pixel, for motion is smooth."""
    across, down = (np.ascontiguousarray(place[::2, ::2]) for place in positions(total))
    more = cv2.remap(step, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    both = total[::2, ::2] + more
    return np.asarray(cv2.resize(both, total.shape[1::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def meaned(
    planes: list[Plane], others: Iterable[Around], sigmas: list[Plane], comparing: list[Comparing]
) -> list[Meaned]:  # fmt: skip
    """Planes of a frame, each in the mean over what the others show of it.

    Args:
        planes: of the frame, 8-bit levels.
        others: the frames around, those that share their noise one after the other.
        sigmas: (H, W) standard deviation of the noise in each plane.
        comparing: how each plane is compared.
    """
    sums = [_Sum(plane) for plane in planes]
    noises = [sigma * sigma + LEAST_VARIANCE for sigma in sigmas]
    for around in others:
        trust: Plane | None = None
        leading: dict[tuple[int, ...], _Way] = {}  # planes of one size go the same way
        for place, (own, other, noise, how) in enumerate(zip(planes, around.planes, noises, comparing, strict=True)):
            if own.shape not in leading:
                leading[own.shape] = _Way(around.flow, own.shape)
            way = leading[own.shape]
            moved = way.moved(other)
            weight: Plane = _trust(own, moved, noise, how) * way.seen
            if trust is None:
                trust = weight
            else:  # colour is believed no more than brightness is
                smaller = cv2.resize(trust, own.shape[::-1], interpolation=cv2.INTER_AREA)
                weight = np.asarray(np.minimum(weight, smaller), np.float32)
            sums[place].add(moved, weight, way.flow, around.hold)
    return [one.mean() for one in sums]


class _Sum:
    """A weighted mean that grows, and the squares by which its noise is told."""

    def __init__(self, plane: Plane) -> None:
        self._total = plane.copy()
        self._weight = np.ones_like(plane)
        self._squares = np.zeros_like(plane)
        self._own = np.ones_like(plane)  # weight of those that share the noise of the frame itself
        self._held: Plane | None = None  # the same of the hold that is being added
        self._hold = 0

    def add(self, moved: Plane, weight: Plane, flow: Flow, hold: int) -> None:
        self._total += weight * moved
        self._weight += weight
        if hold != self._hold:
            self._close()
            self._hold, self._held = hold, None
        before = self._own if hold == 0 else self._held
        if before is None:
            self._held = weight
            return
        still = np.maximum(0.0, 1.0 - np.hypot(flow[..., 0], flow[..., 1]) / np.float32(APART_PX)).astype(np.float32)
        self._squares += BLURRED * np.square((1.0 - still) * weight)
        before += still * weight

    def _close(self) -> None:
        if self._held is not None:
            self._squares += BLURRED * self._held * self._held

    def mean(self) -> Meaned:
        self._close()
        squares = self._squares + self._own * self._own
        return Meaned(self._total / self._weight, squares / (self._weight * self._weight))


class _Way:
    """A flow in the size of a plane, and where it leads into the other picture."""

    def __init__(self, flow: Flow, shape: tuple[int, ...]) -> None:
        if flow.shape[:2] != shape:
            scale = np.array([shape[1] / flow.shape[1], shape[0] / flow.shape[0]], np.float32)
            flow = stretched(np.asarray(cv2.resize(flow, shape[::-1], interpolation=cv2.INTER_AREA), np.float32), scale)
        self.flow = flow
        height, width = shape
        self._across, self._down = positions(flow)
        seen = (self._across > -OUTSIDE_PX) & (self._across < width - 1 + OUTSIDE_PX)
        seen &= (self._down > -OUTSIDE_PX) & (self._down < height - 1 + OUTSIDE_PX)
        self.seen = seen.astype(np.float32)

    def moved(self, plane: Plane) -> Plane:
        """A plane of the other frame moved onto this one."""
        moved = cv2.remap(plane, self._across, self._down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(moved, np.float32)


def _trust(own: Plane, moved: Plane, noise: Plane, how: Comparing) -> Plane:
    """1 where two pictures differ by no more than noise of a variance does, falling where they differ by more."""
    away = cv2.subtract(own, moved)
    apart = cv2.divide(cv2.blur(cv2.multiply(away, away), (how.side, how.side)), noise)
    weight = cv2.exp(np.minimum(0.0, np.float32(1.0 / how.fall) * (np.float32(how.same) - apart)))
    return np.asarray(cv2.threshold(weight, LEAST, 0.0, cv2.THRESH_TOZERO)[1], np.float32)
