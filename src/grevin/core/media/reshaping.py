"""Pictures in another shape, and other colours, for a coding with loss."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

import numpy as np

from grevin.core.errors import OutputError
from grevin.core.media.codings import Chroma, Levels
from grevin.core.media.recoding import recoded
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.sampling import sampled

LEAST_LINES = 16
Colours = Literal["own", "bt709"]
FirstField = Literal["own", "top", "bottom"]
HD_TAGS = (1, 1, 1)  # matrix, primaries, transfer of BT.709-6 in ITU-T H.273
SD_PRIMARIES, SD_TRANSFERS = (
    {0, 1, 2, 5, 6, 7},
    {0, 1, 2, 4, 5, 6},
)  # what can be brought to BT.709; 0 and 2 say nothing


@dataclass(frozen=True)
class Shape:
    """What becomes of shape and samples of pictures; nothing where nothing is said.

    Attributes:
        square_pixels: whether pixels become square, by another width.
        most_lines: pictures of more lines become as small; None for any.
        colours: the material's own, or those of BT.709, as high definition has them.
        chroma, levels: as in `media.codings.Coding.format_of`.
        first_field: which field is shown first: that which comes first in the material, or that of the first line or
            of the second, by a picture one line higher or lower.
    """

    square_pixels: bool = False
    most_lines: int | None = None
    colours: Colours = "own"
    chroma: Chroma = "usual"
    levels: Levels = "own"
    first_field: FirstField = "own"

    def of_whole_frames(self) -> Shape:
        """The same of whole frames, whatever it says of fields: often only a study tells whether there are any."""
        return replace(self, first_field="own")

    def format_of(self, fmt: PictureFormat) -> PictureFormat:
        """The format of pictures that had another one: seen in the same shape, to a pixel where pixels become square.

        Raises:
            OutputError: if fewer lines are wanted of interlaced pictures, or hardly any; if colours of BT.709 are
                wanted of pictures of a wider range; if a field is to be the first where there are none.
        """
        fmt = fmt if self.colours == "own" else _in_hd_colours(fmt)
        fmt = fmt if self.first_field == "own" else _with_field_first(fmt, f"{self.first_field}_first")
        if self.most_lines is not None and self.most_lines < LEAST_LINES:
            raise OutputError(f"{self.most_lines} lines are too few for a picture.", f"Ask for {LEAST_LINES} or more.")
        smaller = self.most_lines is not None and fmt.height > self.most_lines
        if smaller and fmt.has_fields:
            raise OutputError(
                f"Interlaced pictures cannot be made smaller to {self.most_lines} lines.",
                "Have whole frames made of the fields, or keep all lines.",
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


def _with_field_first(fmt: PictureFormat, order: str) -> PictureFormat:
    if fmt.field_order == order:
        return fmt
    if not fmt.has_fields:
        raise OutputError(
            "These pictures have no two fields of which one could be the first.",
            "Leave the order of fields as it is, or say at intake that they are interlaced.",
        )
    # each line goes to the other field, and with it its colour: there has to be one for every line
    chroma = "4:2:2" if fmt.chroma == "4:2:0" else fmt.chroma
    return replace(fmt, field_order=order, chroma=chroma)  # type: ignore[arg-type]


def _even(size: Fraction) -> int:
    """Chroma of half the columns and lines fits into it."""
    return max(2, 2 * round(size / 2))


def reshaped(frame: Frame, fmt: PictureFormat) -> Frame:
    """A frame in a format of another size or order of fields, rounded to code values; itself where it is in that."""
    if frame.format.has_fields and fmt.field_order != frame.format.field_order:
        frame = _a_line_off(frame, fmt)
    old = frame.format
    if (old.width, old.height) == (fmt.width, fmt.height):
        return frame
    across, down = old.width / fmt.width, old.height / fmt.height
    where = np.array([[across, 0.0, (across - 1) / 2], [0.0, down, (down - 1) / 2]])
    target = replace(old, width=fmt.width, height=fmt.height, pixel_aspect=fmt.pixel_aspect)
    return sampled(frame, target, where).rounded()


def _a_line_off(frame: Frame, fmt: PictureFormat) -> Frame:
    """A frame whose lines are those of the other field: one line higher for the top field first, else one lower.

    So most converters of broadcasters do (documentation of the filter `fieldorder` of the FFmpeg libraries). At the
    edge the nearest line of the same field is repeated.
    """
    fine = recoded(frame, replace(frame.format, chroma=fmt.chroma))
    up = fmt.field_order == "top_first"
    planes = tuple(
        np.concatenate([plane[1:], plane[-2:-1]] if up else [plane[1:2], plane[:-1]]) for plane in fine.planes
    )
    return Frame(frame.number, replace(fine.format, field_order=fmt.field_order), planes, "everything")
