"""What a picture is made of: size, planes, depth, range, matrix, pixel shape, rate."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

import numpy as np

ColourModel = Literal["yuv", "rgb", "grey"]
FieldOrder = Literal["progressive", "top_first", "bottom_first", "unknown"]
SampleKind = Literal["integer", "half"]

# Horizontal and vertical ratio of luma to chroma samples, by the trade's name of the layout.
CHROMA_RATIOS: dict[str, tuple[int, int]] = {
    "4:4:4": (1, 1),
    "4:4:0": (1, 2),
    "4:2:2": (2, 1),
    "4:2:0": (2, 2),
    "4:1:1": (4, 1),
    "4:1:0": (4, 4),
}


@dataclass(frozen=True)
class PictureFormat:
    """Everything needed to make sense of a frame's planes.

    Attributes:
        width, height: luma samples.
        model: "yuv" (Y'CbCr), "rgb" or "grey".
        bit_depth: 8 to 16; planes are uint8 at 8 bits, uint16 above.
        chroma: a key of `CHROMA_RATIOS`; "4:4:4" for rgb and grey.
        alpha: whether a last plane holds alpha (carried, never treated).
        full_range: False where black and white lie at 16 and 235 (of 8 bits) as in ITU-R BT.601-7.
        matrix: "bt601", "bt709" or "bt2020": luma coefficients of the Y'CbCr planes.
        pixel_aspect: width of a pixel over its height.
        rate: frames per second.
        field_order: as declared by the material.
        sample: "integer", or "half" for 16-bit floating-point R'G'B' of linear light (OpenEXR).
        colour_tags: numeric (matrix, primaries, transfer, range) tags of the material (ITU-T H.273), carried over.
    """

    width: int
    height: int
    model: ColourModel
    bit_depth: int
    chroma: str = "4:4:4"
    alpha: bool = False
    full_range: bool = False
    matrix: str = "bt601"
    pixel_aspect: Fraction = Fraction(1)
    rate: Fraction = Fraction(24)
    field_order: FieldOrder = "unknown"
    colour_tags: tuple[int, int, int, int] = (2, 2, 2, 0)
    sample: SampleKind = "integer"

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16] | np.dtype[np.float16]:
        """Type of the native code values."""
        if self.sample == "half":
            return np.dtype(np.float16)
        return np.dtype(np.uint8) if self.bit_depth == 8 else np.dtype(np.uint16)

    @property
    def max_code(self) -> int:
        """Largest code value, 2^bits - 1."""
        return (1 << self.bit_depth) - 1

    @property
    def chroma_ratio(self) -> tuple[int, int]:
        """Luma samples per chroma sample, (across, down)."""
        return CHROMA_RATIOS[self.chroma]

    @property
    def colour_planes(self) -> int:
        """Number of planes without alpha: 1 or 3."""
        return 1 if self.model == "grey" else 3

    def plane_shapes(self) -> tuple[tuple[int, int], ...]:
        """(height, width) of each plane, in order Y Cb Cr / R G B / grey, then alpha."""
        full = (self.height, self.width)
        across, down = self.chroma_ratio
        small = (-(-self.height // down), -(-self.width // across))
        colour = (full, small, small) if self.model == "yuv" else (full,) * self.colour_planes
        return (*colour, full) if self.alpha else colour

    @property
    def has_fields(self) -> bool:
        """Whether frames are two fields, and every plane can be taken apart into two whole pictures."""
        if self.field_order not in {"top_first", "bottom_first"}:
            return False
        return all(
            tuple((-(-(height - parity) // 2), width) for height, width in self.plane_shapes())
            == self.of_field(parity).plane_shapes()
            for parity in (0, 1)
        )

    def of_field(self, parity: int) -> PictureFormat:
        """The format of the field of the first line (0) or of the second (1), as a picture of its own."""
        return replace(self, height=-(-(self.height - parity) // 2), field_order="progressive")

    @property
    def display_size(self) -> tuple[float, float]:
        """(width, height) as it is meant to be seen, in pixels as high as the picture's."""
        return self.width * float(self.pixel_aspect), float(self.height)

    def describe(self) -> str:
        """One line for people: size, depth, chroma, rate."""
        chroma = self.chroma if self.model == "yuv" else {"rgb": "RGB", "grey": "grey"}[self.model]
        half = " float" if self.sample == "half" else ""
        return f"{self.width}x{self.height} {chroma} {self.bit_depth} bit{half}"
