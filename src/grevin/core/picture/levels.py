"""Planes in 8-bit levels, whatever the depth: luma and chroma as they are stored, R'G'B' where there is no luma."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import from_rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

Plane = npt.NDArray[np.float32]


def level_unit(fmt: PictureFormat) -> float:
    """Code values, or units of a half float, of an 8-bit level."""
    return 1.0 / 255.0 if fmt.sample == "half" else float(1 << (fmt.bit_depth - 8))


def levels_of(frame: Frame) -> list[Plane]:
    """The planes of colour, float32; alpha is none of them. OpenEXR's are brought from linear light to R'G'B'."""
    fmt = frame.format
    if fmt.model == "rgb":
        rgb = to_rgb(frame)
        return [np.ascontiguousarray(rgb[..., place]) * np.float32(255.0) for place in range(3)]
    scale = np.float32(1.0 / level_unit(fmt))
    return [plane.astype(np.float32) * scale for plane in frame.planes[: fmt.colour_planes]]


def with_levels(frame: Frame, levels: list[Plane], changed: Mapping[int, Plane]) -> Frame:
    """The frame with some planes in other levels, float32 in its own units; the others are its own.

    Args:
        frame: the frame.
        levels: its planes, of `levels_of`.
        changed: by their places.
    """
    fmt = frame.format
    if fmt.model == "rgb":
        rgb = np.stack([changed.get(place, levels[place]) for place in range(3)], axis=-1)
        return from_rgb(frame, np.asarray(rgb * np.float32(1.0 / 255.0), np.float32))
    planes: list[npt.NDArray[Any]] = list(frame.planes)
    for place, plane in changed.items():
        planes[place] = plane * np.float32(level_unit(fmt))
        if fmt.sample != "half":
            planes[place] = np.clip(planes[place], 0.0, fmt.max_code)
    return frame.with_planes(tuple(planes))
