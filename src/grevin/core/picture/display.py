"""Pictures for the screen: 8-bit blue-green-red-x, the order in which Qt's 32-bit images lie in memory."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import code_scale, grey_scale, rgb_from_ycc_matrix, spread_chroma
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask, Plane

Screen = npt.NDArray[np.uint8]
OPAQUE = 255


def to_screen(frame: Frame) -> Screen:
    """(H, W, 4) uint8 B, G, R, 255 for the screen. For looking only: never an output."""
    fmt = frame.format
    planes = [_top_eight_bits(p, fmt) for p in frame.planes[: fmt.colour_planes]]
    if fmt.model == "yuv":
        codes = cv2.merge([planes[0], *(spread_chroma(p, fmt) for p in planes[1:])])
        picture = cv2.transform(codes, _screen_affine(fmt))  # three channels: forty times faster than straight to four
        return np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGR2BGRA), np.uint8)
    span, offset = grey_scale(fmt)
    unit = 1 << (fmt.bit_depth - 8)
    if not fmt.full_range:
        table = np.clip((np.arange(256) - offset / unit) * 255.0 * unit / span, 0, 255).astype(np.uint8)
        planes = [np.asarray(cv2.LUT(p, table), np.uint8) for p in planes]
    red, green, blue = planes * 3 if fmt.model == "grey" else planes
    return np.asarray(cv2.merge([blue, green, red, np.full_like(blue, OPAQUE)]), np.uint8)


def _top_eight_bits(plane: Plane, fmt: PictureFormat) -> npt.NDArray[np.uint8]:
    if plane.dtype == np.uint8:
        return np.asarray(plane, np.uint8)
    scale = 1.0 / (1 << (fmt.bit_depth - 8))
    return np.asarray(cv2.convertScaleAbs(plane, alpha=scale), np.uint8)


def _screen_affine(fmt: PictureFormat) -> npt.NDArray[np.float64]:
    unit = 1 << (fmt.bit_depth - 8)
    luma_span, luma_offset, chroma_span, chroma_offset = (value / unit for value in code_scale(fmt))
    matrix = rgb_from_ycc_matrix(fmt.matrix)[::-1] * 255.0 / np.array([luma_span, chroma_span, chroma_span])
    shift = -matrix @ np.array([luma_offset, chroma_offset, chroma_offset])
    return np.hstack([matrix, shift[:, None]])


def hatch_over(mask: Mask, colour: tuple[int, int, int], pitch: int = 6) -> Screen:
    """(H, W, 4) uint8 premultiplied drawing of a mask: outline and fine diagonal hatch, clear elsewhere.

    Args:
        mask: (H, W) bool, the evidence at screen resolution.
        colour: (red, green, blue), 0..255.
        pitch: distance of the hatch lines in screen pixels.
    """
    inner = cv2.erode(mask.view(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    rows, columns = np.ogrid[: mask.shape[0], : mask.shape[1]]
    lines = mask & ((rows + columns) % pitch == 0)
    drawn = (mask & ~inner) | lines
    overlay = np.zeros((*mask.shape, 4), np.uint8)
    red, green, blue = colour
    overlay[drawn] = (blue, green, red, OPAQUE)
    return overlay
