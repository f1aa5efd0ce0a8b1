"""Scopes: waveform, vectorscope and histogram as counts, for a whole frame or a box of it.

Scales follow ITU-R BT.601-7 and BT.709-6: 0 % is nominal black, 100 % nominal white, colour differences run from
-50 % to 50 %. The vectorscope's targets are computed from the same equations, for colour bars of 75 % and 100 %.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from grevin.core.measure.area import Box
from grevin.core.picture.colour import code_scale, grey_scale, rgb_affine, rgb_from_ycc_matrix
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.transfer import encode_linear

Values = npt.NDArray[np.float32]
Counts = npt.NDArray[np.int64]
ScopeKind = Literal["luma waveform", "colour waveform", "vectorscope", "histogram"]
SCOPES: tuple[ScopeKind, ...] = ("luma waveform", "colour waveform", "vectorscope", "histogram")

LOWEST, HIGHEST = -0.10, 1.10  # nominal values at the ends of a waveform: room for what lies outside the range
MOST_SAMPLES = 70_000  # a trace of more points looks the same and takes longer
BAR_COLOURS = {
    "yellow": (1, 1, 0), "cyan": (0, 1, 1), "green": (0, 1, 0), "magenta": (1, 0, 1), "red": (1, 0, 0),
    "blue": (0, 0, 1),
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Samples:
    """Points of a picture, spread evenly over it.

    Attributes:
        column: (N,) float32 place across the area, 0..1.
        luma: (N,) float32 nominal Y', 0..1.
        blue_difference, red_difference: (N,) float32 nominal Cb and Cr, -0.5..0.5.
        colours: (3, N) float32 nominal R', G', B', not clipped.
        matrix: name of the luma coefficients.
    """

    column: Values
    luma: Values
    blue_difference: Values
    red_difference: Values
    colours: Values
    matrix: str


def take_samples(frame: Frame, box: Box | None = None) -> Samples:
    """Up to `MOST_SAMPLES` points of a frame or a box of it, whole lines at even distances."""
    fmt = frame.format
    box = box or Box(0, 0, fmt.width, fmt.height)
    down = fmt.chroma_ratio[1] if fmt.model == "yuv" else 1
    line_step = down * max(1, -(-box.width * box.height // (down * MOST_SAMPLES)))
    lines = range(box.y, box.y + box.height, line_step if box.height >= 2 * line_step else 1)
    planes = [_pick(frame, index, lines, box) for index in range(fmt.colour_planes)]
    place = np.tile(((np.arange(box.width) + 0.5) / box.width).astype(np.float32), len(lines))
    if fmt.model != "yuv":
        return _from_colours(place, planes, fmt)
    luma_span, luma_offset, chroma_span, chroma_offset = (np.float32(value) for value in code_scale(fmt))
    affine = rgb_affine(fmt).astype(np.float32)
    colours = affine[:, :3] @ np.stack(planes) + affine[:, 3:]
    return Samples(
        place, (planes[0] - luma_offset) / luma_span, (planes[1] - chroma_offset) / chroma_span,
        (planes[2] - chroma_offset) / chroma_span, colours, fmt.matrix,
    )  # fmt: skip


def _pick(frame: Frame, index: int, lines: range, box: Box) -> Values:
    """The samples of some lines of a box; a chroma sample stands for every pixel of its block."""
    across, down = frame.format.chroma_ratio if index and frame.format.model == "yuv" else (1, 1)
    first, last = box.x // across, (box.x + box.width - 1) // across + 1
    if lines.step % down:  # neighbouring lines share their chroma
        part = frame.planes[index][[line // down for line in lines], first:last]
    else:
        part = frame.planes[index][lines.start // down : (lines[-1] // down) + 1 : lines.step // down, first:last]
    samples = part.astype(np.float32)
    if across > 1:
        skipped = box.x - first * across
        samples = np.repeat(samples, across, axis=1)[:, skipped : skipped + box.width]
    return np.ascontiguousarray(samples).ravel()


def _from_colours(place: Values, planes: list[Values], fmt: PictureFormat) -> Samples:
    span, offset = grey_scale(fmt)
    colours = np.stack(planes * 3 if fmt.model == "grey" else planes)
    colours = encode_linear(colours) if fmt.sample == "half" else (colours - np.float32(offset)) / np.float32(span)
    ycc = np.linalg.inv(rgb_from_ycc_matrix(fmt.matrix)).astype(np.float32) @ colours
    return Samples(place, ycc[0], ycc[1], ycc[2], colours.astype(np.float32), fmt.matrix)


def waveform(column: Values, values: Values, width: int, height: int) -> Counts:
    """(height, width) counts: place across the picture to the right, nominal value upwards (row 0 is `HIGHEST`)."""
    across = np.minimum((column * width).astype(np.int64), width - 1)
    down = value_row(values, height)
    return np.bincount(down * width + across, minlength=width * height).reshape(height, width)


def value_row(values: npt.ArrayLike, height: int) -> npt.NDArray[np.int64]:
    """Row of a waveform of that height on which nominal values lie; beyond the ends they lie on the end."""
    share = (np.float32(HIGHEST) - np.asarray(values, np.float32)) / np.float32(HIGHEST - LOWEST)
    return np.asarray(np.clip(share * height, 0, height - 1).astype(np.int64))


def vectorscope(samples: Samples, size: int) -> Counts:
    """(size, size) counts: Cb to the right, Cr upwards, no colour in the middle."""
    across, down = vector_place(samples.blue_difference, samples.red_difference, size)
    return np.bincount(down * size + across, minlength=size * size).reshape(size, size)


def vector_place(
    blue: npt.ArrayLike, red: npt.ArrayLike, size: int
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """(column, row) of colour differences on a vectorscope of that size; it shows -0.6 to 0.6."""
    reach = np.float32(0.6)
    across = (np.asarray(blue, np.float32) / reach + 1) * (size / 2)
    down = (1 - np.asarray(red, np.float32) / reach) * (size / 2)
    limit = size - 1
    return np.clip(across, 0, limit).astype(np.int64), np.clip(down, 0, limit).astype(np.int64)


def bar_targets(matrix: str, amplitude: float = 0.75) -> dict[str, tuple[float, float]]:
    """(Cb, Cr) of the six colours of colour bars.

    Args:
        matrix: "bt601", "bt709" or "bt2020".
        amplitude: 0.75 for 100/0/75/0 bars (EBU, SMPTE), 1.0 for 100/0/100/0 bars.
    """
    to_ycc = np.linalg.inv(rgb_from_ycc_matrix(matrix))
    targets = {}
    for name, colour in BAR_COLOURS.items():
        ycc = to_ycc @ (amplitude * np.array(colour, np.float64))
        targets[name] = (float(ycc[1]), float(ycc[2]))
    return targets


def histogram(values: Values, bins: int) -> Counts:
    """(bins,) counts of nominal values from `LOWEST` to `HIGHEST`; what lies beyond is in the end bins."""
    share = (values - np.float32(LOWEST)) / np.float32(HIGHEST - LOWEST)
    return np.bincount(np.clip(share * bins, 0, bins - 1).astype(np.int64), minlength=bins)


def trace(counts: Counts) -> npt.NDArray[np.uint8]:
    """Counts as brightness, 0..255: single points stay visible beside crowded ones."""
    if not counts.any():
        return np.zeros(counts.shape, np.uint8)
    bright = np.log1p(counts.astype(np.float32)) / np.log1p(np.float32(np.percentile(counts[counts > 0], 99)))
    return np.asarray(np.clip(70.0 * (counts > 0) + 185.0 * bright, 0, 255), np.uint8)
