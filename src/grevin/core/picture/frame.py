"""One picture, as the source's own code values."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.transfer import encode_linear

BT709_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709-6, item 3.2

Plane = npt.NDArray[Any]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Frame:
    """A picture and its place in the reel. Immutable: a step returns a new one.

    Attributes:
        number: place in its sequence, from 0.
        format: what the planes mean.
        planes: (H, W) arrays as in `PictureFormat.plane_shapes`; uint8/uint16 native code values, or float32
            in code-value units once a whole-picture step has acted (rounded once, at output).
        touched: None (nothing was changed), an (H, W) bool mask of what may differ from the source, or
            "everything".
    """

    number: int
    format: PictureFormat
    planes: tuple[Plane, ...]
    touched: Mask | str | None = None

    def __post_init__(self) -> None:
        shapes = self.format.plane_shapes()
        if tuple(plane.shape for plane in self.planes) != shapes:
            raise ValueError(f"planes {[p.shape for p in self.planes]} do not fit the format's {shapes}")
        for plane in self.planes:
            plane.flags.writeable = False

    @property
    def is_native(self) -> bool:
        """Whether all planes are as they are stored: a step may have worked on colour alone."""
        return all(plane.dtype != np.float32 for plane in self.planes)

    @property
    def nbytes(self) -> int:
        """Bytes of the planes and of the touched mask."""
        mask = self.touched.nbytes if isinstance(self.touched, np.ndarray) else 0
        return sum(plane.nbytes for plane in self.planes) + mask

    def luma8(self) -> npt.NDArray[np.uint8]:
        """(H, W) uint8 brightness for finding and motion: Y', grey, or BT.709 luma of R'G'B', top 8 bits."""
        if self.format.sample == "half":
            encoded = encode_linear(np.stack([plane.astype(np.float32) for plane in self.planes[:3]]))
            return np.asarray(np.clip(np.tensordot(BT709_LUMA, encoded, 1) * 255.0, 0, 255), np.uint8)
        luma: Plane
        if self.format.model == "rgb":
            luma = np.tensordot(BT709_LUMA, np.stack([plane.astype(np.float32) for plane in self.planes[:3]]), 1)
        else:
            luma = self.planes[0]
        if luma.dtype == np.uint8:
            return np.asarray(luma, np.uint8)
        scale = 1.0 / (1 << (self.format.bit_depth - 8))
        if luma.dtype == np.uint16:
            return np.asarray(luma >> (self.format.bit_depth - 8), np.uint8)
        return np.asarray(np.clip(luma * scale, 0, 255), np.uint8)

    def rounded(self) -> Frame:
        """The same picture as integer code values (itself where it is already)."""
        if self.is_native:
            return self
        limit = self.format.max_code
        if self.format.sample == "half":
            return replace(self, planes=tuple(p.astype(np.float16) for p in self.planes))
        planes = (
            np.clip(np.rint(plane), 0, limit).astype(self.format.dtype) if plane.dtype == np.float32 else plane
            for plane in self.planes
        )
        return replace(self, planes=tuple(planes))

    def with_planes(self, planes: Iterable[Plane]) -> Frame:
        """Another picture in this one's place and format; all of it may differ."""
        return replace(self, planes=tuple(planes), touched="everything")

    def with_number(self, number: int) -> Frame:
        """The same picture at another place."""
        return self if number == self.number else replace(self, number=number)


def merge_touched(first: Mask | str | None, second: Mask | str | None) -> Mask | str | None:
    """What may differ after both changes."""
    if isinstance(first, str) or isinstance(second, str):
        return "everything"
    if first is None or second is None:
        return second if first is None else first
    return np.logical_or(first, second)
