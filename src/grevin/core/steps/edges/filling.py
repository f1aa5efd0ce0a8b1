"""Borders written anew: from frames that show what lies there, else from the picture beside them.

What another frame shows is believed as far as it agrees with the picture in a strip along the border, and is brought
to its brightness there.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.steps.edges.camera import Map

STRIP_PX = 6  # of the picture beside a border, in which other frames have to agree
ALONG_PX = 41  # of a border, over which agreement is told
LEAST_SEEN = 0.3  # of that part of the strip, that both frames show
AGREES = 10.0 / 255.0  # mean difference of brightness up to which a frame is believed
MOST_OFFSET = 16.0 / 255.0  # by which its light may be off
MARGIN_PX = 1.5  # inside the other frame's picture
SOFT_SHARE, LEAST_SOFT_PX = 0.5, 1.5  # standard deviation of softness: of the border's width, and at least

Plane = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Sides:
    """The inner picture of a frame or field: from the left and top edge on, up to the others."""

    left: int
    top: int
    right: int
    bottom: int

    def mask(self, shape: tuple[int, ...]) -> Mask:
        """(H, W) bool, what lies outside."""
        outside = np.ones(shape[:2], np.bool_)
        outside[self.top : self.bottom, self.left : self.right] = False
        return outside

    def borders(self, shape: tuple[int, ...]) -> list[tuple[Area, Area]]:
        """The borders, and the strip of the picture beside each; (x, y, width, height)."""
        height, width = shape[:2]
        down, across = self.bottom - self.top, self.right - self.left
        deep, wide = min(STRIP_PX, down), min(STRIP_PX, across)
        every = [
            ((0, 0, width, self.top), (0, self.top, width, deep)),
            ((0, self.bottom, width, height - self.bottom), (0, self.bottom - deep, width, deep)),
            ((0, self.top, self.left, down), (self.left, self.top, wide, down)),
            ((self.right, self.top, width - self.right, down), (self.right - wide, self.top, wide, down)),
        ]
        return [(border, strip) for border, strip in every if border[2] > 0 and border[3] > 0]


def mirrored(picture: Rgb, inner: Sides, soft: bool = False) -> Rgb:
    """The picture with its borders mirrored from the inside."""
    height, width = picture.shape[:2]
    ends = inner.top, height - inner.bottom, inner.left, width - inner.right
    part = picture[inner.top : inner.bottom, inner.left : inner.right]
    made = cv2.copyMakeBorder(part, *ends, cv2.BORDER_REFLECT)
    if soft:
        made = cv2.GaussianBlur(made, (0, 0), max(LEAST_SOFT_PX, SOFT_SHARE * max(ends)))
        made[inner.top : inner.bottom, inner.left : inner.right] = part
    return np.asarray(made, np.float32)


def from_frames(picture: Rgb, inner: Sides, others: Iterable[tuple[Rgb, Map]]) -> tuple[Rgb, float]:
    """The picture with its borders from other frames, the nearest that show them, and mirrored where none does.

    Args:
        picture: (H, W, 3) float32 R'G'B'.
        inner: what of it is picture.
        others: other frames with the ways into them, nearest first.

    Returns:
        The picture, and the share of the border that other frames gave.
    """
    made = mirrored(picture, inner)
    borders = [_Border(picture, made, inner, *pair) for pair in inner.borders(picture.shape)]
    for other, way in others:
        for border in borders:
            border.fill_from(other, way)
        if not any(border.open.any() for border in borders):
            break
    wanted = sum(border.open.size for border in borders)
    return made, 1.0 - sum(int(border.open.sum()) for border in borders) / max(1, wanted)


class _Border:
    """One border while it is filled.

    Attributes:
        open: (h, w) bool, what no frame has given yet.
    """

    def __init__(self, picture: Rgb, made: Rgb, inner: Sides, border: Area, strip: Area) -> None:
        self._target = _part(made, border)
        self._strip = _part(picture, strip)
        self._inner = inner
        self._lies_across = border[2] >= border[3]
        self._places, self._strip_places = _grid(border), _grid(strip)
        across, down = self._strip_places
        self._is_picture = (across >= inner.left) & (across < inner.right) & (down >= inner.top) & (down < inner.bottom)
        self.open = np.ones(self._target.shape[:2], np.bool_)

    def fill_from(self, other: Rgb, way: Map) -> None:
        """Take what another frame shows of what is open, where it is believed."""
        across, down, seen = self._seen(self._places, way)
        seen &= self.open
        if not seen.any():
            return
        believed, offset = self._agreement(other, way)
        seen &= believed
        if seen.any():
            values = _looked_up(other, across, down) + offset
            self._target[seen] = values[seen]
            self.open[seen] = False

    def _seen(self, places: tuple[Plane, Plane], way: Map) -> tuple[Plane, Plane, Mask]:
        """Where places lie in another frame, and whether its picture holds them."""
        across, down = places
        x = np.asarray(way[0, 0] * across + way[0, 1] * down + way[0, 2], np.float32)
        y = np.asarray(way[1, 0] * across + way[1, 1] * down + way[1, 2], np.float32)
        inner = self._inner
        seen = (x >= inner.left + MARGIN_PX) & (x <= inner.right - 1 - MARGIN_PX)
        seen &= (y >= inner.top + MARGIN_PX) & (y <= inner.bottom - 1 - MARGIN_PX)
        return x, y, seen

    def _agreement(self, other: Rgb, way: Map) -> tuple[Mask, Plane]:
        """Where along the border another frame is believed, and what is to be added to it there."""
        across, down, seen = self._seen(self._strip_places, way)
        seen &= self._is_picture
        weight = seen.astype(np.float32)
        away = (self._strip - _looked_up(other, across, down)) * weight[..., None]
        count = np.maximum(self._along(weight[..., None]), np.float32(1e-6))
        offset = self._along(away) / count
        rest = np.abs(away - offset * weight[..., None]).mean(axis=2, keepdims=True)
        apart = self._along(rest) / count
        believed = (count > LEAST_SEEN) & (apart < AGREES) & (np.abs(offset).max(axis=2, keepdims=True) < MOST_OFFSET)
        return np.broadcast_to(believed[..., 0], self.open.shape), np.asarray(offset, np.float32)

    def _along(self, values: Plane) -> Plane:
        """(1, L, C) or (L, 1, C) mean over the depth of the strip and over the surroundings along it."""
        axis = 0 if self._lies_across else 1
        mean = values.mean(axis=axis, keepdims=True)
        side = (ALONG_PX, 1) if self._lies_across else (1, ALONG_PX)
        made = cv2.blur(mean, side, borderType=cv2.BORDER_CONSTANT)
        return np.asarray(made.reshape(mean.shape), np.float32)


def _part(picture: Rgb, area: Area) -> Rgb:
    x, y, width, height = area
    return picture[y : y + height, x : x + width]


def _grid(area: Area) -> tuple[Plane, Plane]:
    """(h, w) columns and lines of an area."""
    x, y, width, height = area
    across, down = np.meshgrid(np.arange(x, x + width), np.arange(y, y + height))
    return across.astype(np.float32), down.astype(np.float32)


def _looked_up(picture: Rgb, across: Plane, down: Plane) -> Plane:
    return np.asarray(cv2.remap(picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)
