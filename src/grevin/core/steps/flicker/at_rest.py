"""Bringing a frame to rest: levels through a curve, and a field of gains where the light is uneven."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import FOOT, terms
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.frame import Frame

Plane = npt.NDArray[np.float32]
Curve = npt.NDArray[np.float64]

STEPS_A_LEVEL = 16  # of the table for planes that are not in whole code values
DETAIL_LEVELS = 6.0  # 8-bit levels of contrast up to which structure counts as detail


def brought_to_rest(
    frame: Frame, rgb: Callable[[], Plane], curves: Curve, reach: Plane, field: Plane | None, each: bool,
    detail_px: float,
) -> Frame:  # fmt: skip
    """A frame in another light.

    Args:
        frame: the frame.
        rgb: makes (H, W, 3) float32 R'G'B' of it, used where colours have curves of their own.
        curves: (4, TERMS) what is added to log(level + foot) of luma, red, green and blue.
        reach: (4, 2) lowest and highest level for which the curves stand; beyond, the gain stays as it is there.
        field: (h, w) what is added besides, block by block; None for nothing.
        each: whether the colours have curves of their own.
        detail_px: structure finer than this is left as it is; 0 to let it change with the light.
    """
    fmt = frame.format
    wide = None if field is None else _wide(field, (fmt.width, fmt.height))
    if each or fmt.model != "yuv":
        own = range(1, 4) if each else (0, 0, 0)
        levels = rgb() * np.float32(255.0)
        made = np.stack(
            [_through(levels[..., n], curves[one], reach[one], 1.0, wide)[0] for n, one in enumerate(own)], axis=-1
        )
        changed = _slow_part(levels, made, detail_px)
        return from_rgb(frame, changed * np.float32(1.0 / 255.0))
    return _planes_at_rest(frame, curves[0], reach[0], wide, detail_px)


def _wide(field: Plane, size: tuple[int, int]) -> Plane:
    return np.asarray(cv2.resize(field, size, interpolation=cv2.INTER_CUBIC), np.float32)


def _planes_at_rest(frame: Frame, curve: Curve, reach: Plane, wide: Plane | None, detail_px: float) -> Frame:
    """Luma through the curve; chroma by the slope that the curve has at its luma, as a common curve of R'G'B' would."""
    fmt = frame.format
    scale = float(1 << (fmt.bit_depth - 8))
    luma = frame.planes[0]
    made, slope = _through(luma, curve, reach, scale, wide)
    made = _slow_part(luma.astype(np.float32), made, detail_px, scale)
    middle = np.float32(128.0 * scale)
    planes: list[npt.NDArray[Any]] = [np.clip(made, 0.0, fmt.max_code)]
    for place, plane in enumerate(frame.planes[1:], 1):
        if place > 2:
            planes.append(plane)
            continue
        factor = cv2.resize(slope, plane.shape[::-1], interpolation=cv2.INTER_AREA)
        planes.append(np.clip((plane.astype(np.float32) - middle) * factor + middle, 0.0, fmt.max_code))
    return frame.with_planes(tuple(planes))


def _through(
    plane: npt.NDArray[Any], curve: Curve, reach: Plane, scale: float, wide: Plane | None
) -> tuple[Plane, Plane]:  # fmt: skip
    """Levels behind a curve and a field, and the slope by which they changed; both in the plane's own units.

    What is brighter stays brighter.
    """
    whole = np.issubdtype(plane.dtype, np.integer)
    steps = scale if whole else STEPS_A_LEVEL
    scale_of = np.arange(round(256 * steps)) / steps
    factor = np.exp(terms(np.clip(scale_of, float(reach[0]), float(reach[1]))) @ curve)
    behind = np.maximum.accumulate((scale_of + FOOT) * factor - FOOT)
    slope = np.gradient(behind, scale_of)
    table = np.stack([behind * scale, slope], axis=-1).astype(np.float32)
    index = plane if whole else np.clip(np.rint(plane * np.float32(steps / scale)), 0, len(table) - 1).astype(np.int32)
    made, bent = table[..., 0][index], table[..., 1][index]
    if not whole:  # what lies between two steps of the table follows the slope
        made = made + (plane - index.astype(np.float32) * np.float32(scale / steps)) * bent
    if wide is not None:
        gain = np.exp(wide)
        foot = np.float32(FOOT * scale)
        made, bent = (made + foot) * gain - foot, bent * gain
    return np.asarray(made, np.float32), np.asarray(bent, np.float32)


def _slow_part(before: Plane, made: Plane, detail_px: float, scale: float = 1.0) -> Plane:
    """The change without detail: guided by the picture, so that edges keep their change (He, Sun, Tang 2010).

    Args:
        before: (H, W) or (H, W, 3) as it was.
        made: the same, changed.
        detail_px: radius; 0 for the change as it is.
        scale: code values a level.
    """
    if detail_px <= 0:
        return made
    if before.ndim == 3:
        return np.stack([_slow_part(before[..., n], made[..., n], detail_px, scale) for n in range(3)], axis=-1)
    side = 2 * max(1, round(detail_px)) + 1
    change = made - before

    def mean(plane: npt.NDArray[Any]) -> Plane:
        return np.asarray(cv2.blur(plane, (side, side), borderType=cv2.BORDER_REFLECT_101), np.float32)

    middle, shift = mean(before), mean(change)
    variance = mean(before * before) - middle * middle
    together = mean(before * change) - middle * shift
    tilt = together / (variance + np.float32((DETAIL_LEVELS * scale) ** 2))
    return np.asarray(before + mean(tilt) * before + mean(shift - tilt * middle), np.float32)
