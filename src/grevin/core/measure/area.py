"""Reading values off a picture: one point, or a box."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from grevin.core.picture.colour import code_scale, grey_scale
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame


@dataclass(frozen=True)
class Box:
    """A rectangle of luma pixels: left and top edge, width and height, all inside the picture."""

    x: int
    y: int
    width: int
    height: int

    def fits(self, fmt: PictureFormat) -> bool:
        """Whether it lies inside a picture of that format."""
        return self.x + self.width <= fmt.width and self.y + self.height <= fmt.height

    @classmethod
    def between(cls, first: tuple[float, float], second: tuple[float, float], fmt: PictureFormat) -> Box:
        """The whole pixels under a drag from one point to another, in picture pixels."""
        left, right = sorted((first[0], second[0]))
        top, bottom = sorted((first[1], second[1]))
        x = min(max(0, int(left)), fmt.width - 1)
        y = min(max(0, int(top)), fmt.height - 1)
        last_x = min(max(x, int(np.ceil(right)) - 1), fmt.width - 1)
        last_y = min(max(y, int(np.ceil(bottom)) - 1), fmt.height - 1)
        return cls(x, y, last_x - x + 1, last_y - y + 1)


@dataclass(frozen=True)
class Reading:
    """One channel in a box.

    Attributes:
        channel: "Y'", "Cb", "Cr", "R'", "G'", "B'" or "grey".
        mean, low, high: code values.
        spread: standard deviation in code values.
        percent: the mean on the nominal scale: 0..100 for luma and colours, -50..50 for colour differences.
    """

    channel: str
    mean: float
    spread: float
    low: float
    high: float
    percent: float


def channel_names(fmt: PictureFormat) -> tuple[str, ...]:
    """Names of the colour planes."""
    return {"yuv": ("Y'", "Cb", "Cr"), "rgb": ("R'", "G'", "B'"), "grey": ("grey",)}[fmt.model]


def _percent(code: float, index: int, fmt: PictureFormat) -> float:
    if fmt.sample == "half":
        return 100.0 * code
    if fmt.model != "yuv":
        span, offset = grey_scale(fmt)
        return 100.0 * (code - offset) / span
    luma_span, luma_offset, chroma_span, chroma_offset = code_scale(fmt)
    return 100.0 * ((code - luma_offset) / luma_span if index == 0 else (code - chroma_offset) / chroma_span)


def read_box(frame: Frame, box: Box) -> tuple[Reading, ...]:
    """Mean, spread and extremes of every channel in a box; chroma samples belong to it by their block."""
    fmt = frame.format
    readings = []
    for index, name in enumerate(channel_names(fmt)):
        across, down = fmt.chroma_ratio if index and fmt.model == "yuv" else (1, 1)
        rows = slice(box.y // down, (box.y + box.height - 1) // down + 1)
        columns = slice(box.x // across, (box.x + box.width - 1) // across + 1)
        samples = frame.planes[index][rows, columns].astype(np.float64)
        mean = float(samples.mean())
        readings.append(
            Reading(
                name, mean, float(samples.std()), float(samples.min()), float(samples.max()), _percent(mean, index, fmt)
            )
        )
    return tuple(readings)


def read_point(frame: Frame, x: int, y: int) -> tuple[Reading, ...]:
    """The code values of one pixel."""
    return read_box(frame, Box(x, y, 1, 1))
