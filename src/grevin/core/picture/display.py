"""Pictures for the screen: 8-bit blue-green-red-x, the order in which Qt's 32-bit images lie in memory."""

from __future__ import annotations

import threading
from typing import Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import (
    LUMA_COEFFICIENTS,
    code_scale,
    grey_scale,
    rgb_from_ycc_matrix,
    to_rgb,
)
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask, Plane

Screen = npt.NDArray[np.uint8]
OPAQUE = 255

Channel = Literal["colour", "red", "green", "blue", "luma", "chroma"]
CHANNELS: tuple[Channel, ...] = ("colour", "red", "green", "blue", "luma", "chroma")
_SCREEN_PLANE: dict[Channel, int] = {"blue": 0, "green": 1, "red": 2}
MID_GREY = 128.0
DIMMED = 0.5  # of its brightness, what is not chosen


def to_screen(frame: Frame, channel: Channel = "colour") -> Screen:
    """(H, W, 4) uint8 B, G, R, 255 for the screen. For looking only: never an output.

    Args:
        frame: the picture.
        channel: all of it, one channel as grey, or its colour alone at an even brightness.
    """
    if channel == "luma":
        return _grey_screen(_luma_levels(frame))
    screen = _colour_screen(frame)
    if channel == "chroma":
        return _chroma_screen(screen)
    if channel != "colour":
        return _grey_screen(np.ascontiguousarray(screen[..., _SCREEN_PLANE[channel]]))
    return screen


def _grey_screen(levels: npt.NDArray[np.uint8]) -> Screen:
    return np.asarray(cv2.cvtColor(levels, cv2.COLOR_GRAY2BGRA), np.uint8)


def _luma_levels(frame: Frame) -> npt.NDArray[np.uint8]:
    """Luma with black at 0 and white at 255, whatever the range of the material."""
    fmt = frame.format
    luma = frame.luma8()
    if fmt.full_range or fmt.sample == "half":
        return luma
    return np.asarray(cv2.LUT(luma, np.clip((np.arange(256) - 16) * 255.0 / 219.0, 0, 255).astype(np.uint8)), np.uint8)


def _chroma_screen(screen: Screen) -> Screen:
    """Every pixel with the luma of middle grey: only differences of colour are left."""
    red, blue = LUMA_COEFFICIENTS["bt709"]
    weights = np.array([[blue, 1.0 - red - blue, red, 0.0]])
    luma = cv2.transform(screen, weights)
    colour = screen[..., :3].astype(np.int16) - luma[..., None].astype(np.int16) + np.int16(MID_GREY)
    result = np.full(screen.shape, OPAQUE, np.uint8)
    result[..., :3] = np.clip(colour, 0, 255)
    return result


def dimmed_outside(screen: Screen, mask: Mask) -> Screen:
    """A screen picture of which only a mask, (H, W) bool, keeps its brightness and colour."""
    grey = cv2.cvtColor(screen, cv2.COLOR_BGRA2GRAY)
    dim = cv2.cvtColor(np.asarray(grey * DIMMED, np.uint8), cv2.COLOR_GRAY2BGRA)
    return np.asarray(np.where(mask[..., None], screen, dim), np.uint8)


def difference_screen(before: Frame, after: Frame, gain: float) -> Screen:
    """How far two pictures lie apart, amplified; black where they are equal. (H, W, 4) as `to_screen`."""
    apart = np.abs(to_rgb(before) - to_rgb(after)) * np.float32(255.0 * gain)
    return _from_rgb_levels(apart)


def taken_away_screen(before: Frame, after: Frame, gain: float) -> Screen:
    """Source minus result, amplified, round middle grey: what was taken out of the picture."""
    taken = (to_rgb(before) - to_rgb(after)) * np.float32(255.0 * gain) + np.float32(MID_GREY)
    return _from_rgb_levels(taken)


def _from_rgb_levels(levels: npt.NDArray[np.float32]) -> Screen:
    codes = np.clip(np.rint(levels), 0, 255).astype(np.uint8)
    return np.asarray(cv2.cvtColor(codes, cv2.COLOR_RGB2BGRA), np.uint8)


def mask_screen(mask: Mask, colour: tuple[int, int, int]) -> Screen:
    """A mask alone, as a drawing in `colour` on grey."""
    red, green, blue = colour
    screen = np.full((*mask.shape, 4), OPAQUE, np.uint8)
    screen[..., :3] = 60  # as dark as the surround of the picture
    screen[mask] = (blue, green, red, OPAQUE)
    return screen


def _colour_screen(frame: Frame) -> Screen:
    fmt = frame.format
    if fmt.sample == "half":
        return _from_rgb_levels(to_rgb(frame) * np.float32(255.0))
    if fmt.model == "yuv":
        return _ycc_screen(frame)
    planes = [_top_eight_bits(p, fmt) for p in frame.planes[: fmt.colour_planes]]
    span, offset = grey_scale(fmt)
    unit = 1 << (fmt.bit_depth - 8)
    if not fmt.full_range:
        table = np.clip((np.arange(256) - offset / unit) * 255.0 * unit / span, 0, 255).astype(np.uint8)
        planes = [np.asarray(cv2.LUT(p, table), np.uint8) for p in planes]
    red, green, blue = planes * 3 if fmt.model == "grey" else planes
    return np.asarray(cv2.merge([blue, green, red, np.full_like(blue, OPAQUE)]), np.uint8)


class _Scratch(threading.local):
    """Arrays used again and again by one thread: taking fresh memory costs more than the arithmetic (measured)."""

    def __init__(self) -> None:
        self._arrays: dict[str, npt.NDArray[np.uint8]] = {}

    def array(self, name: str, shape: tuple[int, ...]) -> npt.NDArray[np.uint8]:
        """(shape) uint8 with any contents."""
        held = self._arrays.get(name)
        if held is None or held.shape != shape:
            held = self._arrays[name] = np.empty(shape, np.uint8)
        return held


_SCRATCH = _Scratch()


def _ycc_screen(frame: Frame) -> Screen:
    fmt = frame.format
    across, down = fmt.chroma_ratio
    planes: list[Plane] = []
    for name, plane in zip(("luma", "blue", "red"), frame.planes[:3], strict=True):
        eight = plane if plane.dtype == np.uint8 else _scaled_down(name, plane, fmt)
        if name != "luma" and (across, down) != (1, 1):
            height, width = plane.shape
            wide = _SCRATCH.array(f"{name} wide", (height * down, width * across))
            cv2.resize(eight, (width * across, height * down), dst=wide, interpolation=cv2.INTER_NEAREST)
            eight = wide[: fmt.height, : fmt.width]
        planes.append(eight)
    size = (fmt.height, fmt.width, 3)
    codes = cv2.merge(planes, dst=_SCRATCH.array("codes", size))
    # Three channels to three: forty times faster than straight to four.
    picture = cv2.transform(codes, _screen_affine(fmt), dst=_SCRATCH.array("picture", size))
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGR2BGRA), np.uint8)


def _scaled_down(name: str, plane: Plane, fmt: PictureFormat) -> Plane:
    scale = 1.0 / (1 << (fmt.bit_depth - 8))
    return np.asarray(cv2.convertScaleAbs(plane, dst=_SCRATCH.array(f"{name} eight", plane.shape), alpha=scale))


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
