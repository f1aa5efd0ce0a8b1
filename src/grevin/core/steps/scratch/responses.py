"""How much every place of a frame looks like a piece of an upright line, on its own.

A line is brighter, or darker, than both its flanks, by as much on the left as on the right. That is looked for with
boxes of several widths in brightness, blue and green, over bands of rows, and measured by what is usual around: so a
line over grass has to be stronger than one over sky.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import LUMA_COEFFICIENTS, Rgb

Map = npt.NDArray[np.float32]
Places = npt.NDArray[np.uint8]

ROWS = 4  # rows that are averaged first
HOP = 3  # of those, from one band to the next
BAND = 6  # of those, in a band
HOP_PX = ROWS * HOP
WIDTHS = (1, 3, 5, 9)  # px of the boxes
FLANKS = {1: (1, 2), 3: (1, 3), 5: (2, 4), 9: (2, 4)}  # by width: px of the gap beside it, and of a flank
UNEVEN = 0.5  # of what the flanks differ by, that counts against a line
ROBUST = 3.0  # deviations beyond which a single row counts no more
AROUND_PX, AROUND_BANDS = 81, 5  # over which it is told what is usual
FLOOR = 0.12  # of the deviation over the whole frame, added to that
MAD_TO_SIGMA = 1.4826  # of a normal distribution
LEAST_SPREAD = 0.3  # 8-bit levels: rounding
CHANNELS = ("luma", "blue", "green")


@dataclass(frozen=True, eq=False)
class Responses:
    """Of one frame and one polarity.

    Attributes:
        strength: (B, W) float32, how much each place of each band looks like a line; 0 for not at all.
        width: (B, W) uint8, place in `WIDTHS` of the box that fits best.
        channel: (B, W) uint8, place in `CHANNELS` of where it shows most.
    """

    strength: Map
    width: Places
    channel: Places


def columns_of(rgb: Rgb) -> Map:
    """(H, W/ROWS) float32 of brightness, means over columns, 0..255; `rgb` is (H, W, 3) R'G'B' 0..1."""
    across = max(1, rgb.shape[1] // ROWS)
    part = np.ascontiguousarray(rgb[:, : across * ROWS])
    small = cv2.resize(part, (across, rgb.shape[0]), interpolation=cv2.INTER_AREA) * np.float32(255.0)
    return _luma(small)


def _luma(rgb: Rgb) -> Map:
    red, blue = LUMA_COEFFICIENTS["bt709"]
    return np.asarray(rgb @ np.array([red, 1.0 - red - blue, blue], np.float32), np.float32)


def channels_of(rgb: Rgb) -> list[Map]:
    """(H/ROWS, W) float32 of brightness, blue and green, means over rows, 0..255; `rgb` is (H, W, 3) R'G'B' 0..1."""
    rows = rgb.shape[0] // ROWS
    part = np.ascontiguousarray(rgb[: rows * ROWS])
    small = cv2.resize(part, (rgb.shape[1], rows), interpolation=cv2.INTER_AREA) * np.float32(255.0)
    return [_luma(small), np.ascontiguousarray(small[..., 2]), np.ascontiguousarray(small[..., 1])]


def responses_of(channels: list[Map]) -> tuple[Responses, Responses]:
    """Of bright lines, and of dark ones, in the channels of a frame."""
    both = [_banded(beyond_flanks(channel, width)) for channel in channels for width in WIDTHS]
    bright, dark = zip(*both, strict=True)
    return _best(bright), _best(dark)


def bands_of(height: int) -> int:
    """How many bands a picture has."""
    return max(0, (height // ROWS - BAND) // HOP + 1)


def middle_of(band: npt.NDArray[np.integer] | float) -> npt.NDArray[np.float64]:
    """Row in the middle of a band, px from the top."""
    return np.asarray(band, np.float64) * HOP_PX + ROWS * BAND / 2


def beyond_flanks(channel: Map, width: int) -> Map:
    """(H, W) by how much the middle of a box lies beyond both flanks, signed, less what speaks against a line."""
    gap, flank = FLANKS[width]
    middle = cv2.blur(channel, (width, 1))
    sides = cv2.blur(channel, (flank, 1))
    away = (width - 1) // 2 + gap + (flank + 1) // 2
    left, right = (_moved(np.asarray(sides, np.float32), by) for by in (away, -away))
    over_left, over_right = cv2.subtract(middle, left), cv2.subtract(middle, right)
    against = cv2.absdiff(left, right) * np.float32(UNEVEN)
    above = np.maximum(cv2.subtract(cv2.min(over_left, over_right), against), np.float32(0))
    below = np.minimum(cv2.add(cv2.max(over_left, over_right), against), np.float32(0))
    return np.asarray(above + below, np.float32)


def _moved(picture: Map, by: int) -> Map:
    """A picture some px to the right, its rim held."""
    padded = cv2.copyMakeBorder(picture, 0, 0, max(by, 0), max(-by, 0), cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(padded[:, : picture.shape[1]] if by > 0 else padded[:, -picture.shape[1] :])


def _banded(signed: Map) -> tuple[Map, Map]:
    """(B, W) how much bands of rows look like a bright line, and like a dark one, against what is usual around."""
    found = np.abs(signed[signed != 0])
    spread = max(LEAST_SPREAD, MAD_TO_SIGMA * float(np.median(found))) if found.size else LEAST_SPREAD
    clipped = np.clip(signed, -ROBUST * spread, ROBUST * spread)
    means = _over_band(clipped)
    agreement = _over_band(np.sign(signed))
    energy = np.maximum(0.0, cv2.blur(means * means, (AROUND_PX, AROUND_BANDS)))  # running sums may end below nothing
    over = means / (np.sqrt(energy) + FLOOR * spread)
    bright = np.maximum(0.0, over) * np.maximum(0.0, agreement)
    dark = np.minimum(0.0, over) * np.minimum(0.0, agreement)
    return np.asarray(bright, np.float32), np.asarray(dark, np.float32)


def _over_band(rows: Map) -> Map:
    """(B, W) means over bands of rows."""
    blurred = cv2.blur(rows, (1, BAND), anchor=(0, 0), borderType=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(blurred[: rows.shape[0] - BAND + 1 : HOP])


def _best(every: Sequence[Map]) -> Responses:
    """The best of all widths and channels; `every` holds the widths of each channel one after the other."""
    stack = np.stack(every)
    best = stack.argmax(axis=0)
    strength = np.take_along_axis(stack, best[None], axis=0)[0]
    return Responses(strength, (best % len(WIDTHS)).astype(np.uint8), (best // len(WIDTHS)).astype(np.uint8))
