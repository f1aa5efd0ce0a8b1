"""A reel as the operator declared it: the material's own samples, set upright, under the declared format."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np

from grevin.core.errors import UsageError
from grevin.core.intake.declared import Declared, parse_pixel_aspect
from grevin.core.keys import content_key
from grevin.core.media.opening import Reader
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import CHROMA_RATIOS, FieldOrder, PictureFormat
from grevin.core.picture.frame import Frame, Plane
from grevin.core.timebase.pace import Pace

_OTHER_FIELD: dict[FieldOrder, FieldOrder] = {"top_first": "bottom_first", "bottom_first": "top_first"}
_CHROMA_OF_RATIO = {ratio: name for name, ratio in CHROMA_RATIOS.items()}


class DeclaredReel:
    """A FrameSource over a reader. Samples are only ever moved, never computed.

    Attributes:
        reader: the material itself.
        declared: the operator's word.
    """

    def __init__(self, reader: Reader, declared: Declared | None = None) -> None:
        """Put the operator's word over a reader.

        Raises:
            UsageError: if the picture cannot be set upright without resampling.
        """
        self.reader = reader
        self.declared = declared or Declared()
        self._format = declared_format(reader.format, self.declared)
        moved = (self.declared.turn, self.declared.flip_sideways, self.declared.flip_upright)
        self._moves = moved != (0, False, False)
        same = self._format == reader.format and not self._moves
        self._identity = reader.identity if same else content_key(reader.identity, self._format, *moved)

    @property
    def format(self) -> PictureFormat:
        """Format of every frame, as declared."""
        return self._format

    @property
    def identity(self) -> str:
        """Key over the content and everything that was declared about the picture."""
        return self._identity

    @property
    def is_whole(self) -> bool:
        """Whether all its frames are known: the index of a long file is made piece by piece."""
        return not isinstance(self.reader, VideoFile) or self.reader.index.complete

    @property
    def notes(self) -> tuple[str, ...]:
        """What the reader has to say."""
        return self.reader.notes

    @property
    def kept(self) -> range:
        """Frames between the trims."""
        return self.declared.kept(len(self))

    @property
    def keeps_times(self) -> bool:
        """Whether frames are shown at the material's own times, and its sound still fits."""
        return self._format.rate == self.reader.format.rate

    @property
    def pace(self) -> Pace:
        """When each frame is due while playing."""
        times = self.reader.own_times() if isinstance(self.reader, VideoFile) and self.keeps_times else None
        return Pace(self._format.rate, times)

    def __len__(self) -> int:
        return len(self.reader)

    def close(self) -> None:
        """Release the material."""
        self.reader.close()

    def frame(self, number: int) -> Frame:
        """Frame `number`, upright; numbers are the material's own, trims do not shift them."""
        frame = self.reader.frame(number)
        if self._format == frame.format and not self._moves:
            return frame
        planes = tuple(self._upright(plane) for plane in frame.planes) if self._moves else frame.planes
        return Frame(number, self._format, planes)

    def _upright(self, plane: Plane) -> Plane:
        if self.declared.turn:
            plane = np.rot90(plane, -self.declared.turn // 90)
        if self.declared.flip_sideways:
            plane = plane[:, ::-1]
        if self.declared.flip_upright:
            plane = plane[::-1]
        return np.ascontiguousarray(plane)


def declared_format(found: PictureFormat, declared: Declared) -> PictureFormat:
    """The format under the operator's word.

    Raises:
        UsageError: if the picture cannot be set upright without resampling.
    """
    fmt = found
    if declared.rate is not None:
        fmt = replace(fmt, rate=declared.rate_number() or found.rate)
    if declared.pixel_aspect is not None:
        fmt = replace(fmt, pixel_aspect=parse_pixel_aspect(declared.pixel_aspect))
    if declared.field_order is not None:
        fmt = replace(fmt, field_order=declared.field_order)
    if declared.full_range is not None:
        tags = (*fmt.colour_tags[:3], 2 if declared.full_range else 1)
        fmt = replace(fmt, full_range=declared.full_range, colour_tags=tags)
    if declared.matrix is not None:
        code = {"bt601": 5 if fmt.height == PAL_LINES else 6, "bt709": 1, "bt2020": 9}[declared.matrix]
        fmt = replace(fmt, matrix=declared.matrix, colour_tags=(code, *fmt.colour_tags[1:]))
    return _upright_format(fmt, declared)


PAL_LINES = 576  # of the two kinds of BT.601 (ITU-T H.273, table 4) the one with 625 lines


def _upright_format(fmt: PictureFormat, declared: Declared) -> PictureFormat:
    across, down = fmt.chroma_ratio
    sideways = declared.flip_sideways or declared.turn in {180, 270}
    upright = declared.flip_upright or declared.turn in {90, 180}
    if (sideways and fmt.width % across) or (upright and fmt.height % down):
        raise UsageError(
            f"A picture of {fmt.describe()} cannot be flipped or turned without resampling its chroma.",
            "Leave it as it is; it can be turned by a step of the treatment.",
        )
    if declared.turn in {90, 270}:
        interlaced = fmt.field_order in _OTHER_FIELD
        if (down, across) not in _CHROMA_OF_RATIO or interlaced:
            what = "An interlaced picture" if interlaced else f"A picture of {fmt.describe()}"
            raise UsageError(
                f"{what} cannot be turned on its side sample for sample.", "Deinterlace or convert it first."
            )
        return replace(
            fmt, width=fmt.height, height=fmt.width, chroma=_CHROMA_OF_RATIO[down, across],
            pixel_aspect=Fraction(1) / fmt.pixel_aspect,
        )  # fmt: skip
    mirrored = (declared.turn == 180) != declared.flip_upright
    if mirrored and fmt.height % 2 == 0 and fmt.field_order in _OTHER_FIELD:
        return replace(fmt, field_order=_OTHER_FIELD[fmt.field_order])
    return fmt
