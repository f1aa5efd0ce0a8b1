"""Pictures in another shape, and other colours, for a coding that is looked at: square pixels, fewer lines, HD's."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

import numpy as np

from grevin.core.errors import OutputError
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.sampling import sampled

LEAST_LINES = 16
Colours = Literal["own", "bt709"]
HD_TAGS = (1, 1, 1)  # matrix, primaries, transfer of BT.709-6 in ITU-T H.273
SD_PRIMARIES, SD_TRANSFERS = (
    {0, 1, 2, 5, 6, 7},
    {0, 1, 2, 4, 5, 6},
)  # what can be brought to BT.709; 0 and 2 say nothing


@dataclass(frozen=True)
class Shape:
    """What becomes of the shape of pictures; nothing where nothing is said.

    Attributes:
        square_pixels: whether pixels become square, by another width.
        most_lines: pictures of more lines become as small; None for any.
        colours: the material's own, or those of BT.709, as high definition has them.
    """

    square_pixels: bool = False
    most_lines: int | None = None
    colours: Colours = "own"

    def format_of(self, fmt: PictureFormat) -> PictureFormat:
        """The format of pictures that had another one: seen in the same shape, to a pixel where pixels become square.

        Raises:
            OutputError: if fewer lines are wanted of interlaced pictures, or hardly any; if colours of BT.709 are
                wanted of pictures of a wider range.
        """
        fmt = fmt if self.colours == "own" else _in_hd_colours(fmt)
        if self.most_lines is not None and self.most_lines < LEAST_LINES:
            raise OutputError(f"{self.most_lines} lines are too few for a picture.", f"Ask for {LEAST_LINES} or more.")
        smaller = self.most_lines is not None and fmt.height > self.most_lines
        if smaller and fmt.has_fields:
            raise OutputError(
                f"Interlaced pictures cannot be made smaller to {self.most_lines} lines.",
                "Make whole frames of the fields first (step “fields”), or keep all lines.",
            )
        height = _even(Fraction(self.most_lines or 0)) if smaller else fmt.height
        square = self.square_pixels and fmt.pixel_aspect != 1
        if not (smaller or square):
            return fmt
        seen = fmt.pixel_aspect * fmt.width / fmt.height  # width over height as it is seen
        width = _even(seen * height) if self.square_pixels else _even(Fraction(fmt.width * height, fmt.height))
        aspect = Fraction(1) if self.square_pixels else seen * height / width
        return replace(fmt, width=width, height=height, pixel_aspect=aspect)


def _in_hd_colours(fmt: PictureFormat) -> PictureFormat:
    _, primaries, transfer, colour_range = fmt.colour_tags
    if fmt.matrix == "bt2020" or primaries not in SD_PRIMARIES or transfer not in SD_TRANSFERS:
        raise OutputError(
            "The colours of these pictures reach farther than those of BT.709.",
            "Keep the material's own colours, or bring them to BT.709 where you grade them.",
        )
    return replace(fmt, matrix="bt709", colour_tags=(*HD_TAGS, colour_range))


def _even(size: Fraction) -> int:
    """Chroma of half the columns and lines fits into it."""
    return max(2, 2 * round(size / 2))


def reshaped(frame: Frame, fmt: PictureFormat) -> Frame:
    """A frame in a format of another size, rounded to code values; itself where it is of that size."""
    old = frame.format
    if (old.width, old.height) == (fmt.width, fmt.height):
        return frame
    across, down = old.width / fmt.width, old.height / fmt.height
    where = np.array([[across, 0.0, (across - 1) / 2], [0.0, down, (down - 1) / 2]])
    target = replace(old, width=fmt.width, height=fmt.height, pixel_aspect=fmt.pixel_aspect)
    return sampled(frame, target, where).rounded()
