"""How a video can be coded: for the archive without loss, for further work, for looking at."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from grevin.core.errors import OutputError, UsageError
from grevin.core.picture.format import CHROMA_RATIOS, PictureFormat

Quality = Literal["finest", "fine", "small"]
Chroma = Literal["usual", "4:2:0", "4:2:2", "4:4:4"]
Levels = Literal["own", "limited", "full"]
QUALITIES: tuple[Quality, ...] = ("finest", "fine", "small")
RATE_PART_525 = 1001  # rates of the system of 525 lines are so many thousandths below whole numbers
SD_LINES_625, SD_LINES_525 = 576, 486  # active lines at most (BT.601-7)

# (matrix, primaries, transfer) of ITU-T H.273, tables 2 to 4, where the material names none
_TAGS = {"bt709": (1, 1, 1), "bt2020": (9, 9, 14)}
_TAGS_625, _TAGS_525 = (5, 5, 6), (6, 6, 6)


@dataclass(frozen=True)
class Coding:
    """One way to code pictures.

    Attributes:
        id: its name on the command line.
        label: what it is called.
        kind: what it is for.
        suffix: of the file; it says the container.
        codec: as the FFmpeg libraries call it.
        chroma: of the coded picture, the usual one first; none for the material's own.
        bits: depths that it can carry, shallowest first; none for the material's own, whatever it is.
        options: of the codec.
        qualities: further ones by the quality that is wanted; none where the codec has one quality.
        alpha: whether it carries alpha.
        least: width and height that it needs.
        fields: whether it carries interlaced pictures as such.
        as_shown: whether pictures are stored in the order in which they are shown.
        matrix: the only one that its frames can name, and so the one in which others see them; "" for any.
        full_range: whether it carries pictures that use the full range.
        sound: codecs of sound that its container carries as they are; None for all.
        remade: codec of sound that is made anew.
    """

    id: str
    label: str
    kind: Literal["archive master", "intermediate", "access copy"]
    suffix: str
    codec: str
    chroma: tuple[Chroma, ...] = ()
    bits: tuple[int, ...] = ()
    options: dict[str, str] = field(default_factory=dict)
    qualities: dict[Quality, dict[str, str]] = field(default_factory=dict)
    alpha: bool = False
    least: tuple[int, int] = (1, 1)
    fields: bool = True
    as_shown: bool = False
    matrix: str = ""
    full_range: bool = False
    sound: frozenset[str] | None = None
    remade: str = ""

    @property
    def lossless(self) -> bool:
        """Whether every code value comes back."""
        return not self.bits

    def bits_for(self, fmt: PictureFormat, wanted: int | None = None) -> int | None:
        """The depth in which pictures of a format are coded.

        Args:
            fmt: of the pictures.
            wanted: a depth; None for their own, or the next deeper that it carries.

        Returns:
            Bits; None for the pictures' own.

        Raises:
            OutputError: for a depth that it does not carry.
        """
        if self.lossless:
            return wanted
        if wanted is not None and wanted not in self.bits:
            carried = " or ".join(map(str, self.bits))
            raise OutputError(f"{self.label} carries {carried} bit, not {wanted}.", "Choose another depth or coding.")
        return wanted or next((bits for bits in self.bits if bits >= fmt.bit_depth), self.bits[-1])

    def chroma_for(self, wanted: Chroma = "usual") -> str:
        """The chroma of the coded picture.

        Raises:
            OutputError: for one that it does not carry.
        """
        if wanted == "usual":
            return self.chroma[0]
        if wanted not in self.chroma:
            raise OutputError(
                f"{self.label} carries {' or '.join(self.chroma)}, not {wanted}.", "Choose another chroma or coding."
            )
        return wanted

    def _is_full(self, fmt: PictureFormat, wanted: Levels) -> bool:
        if wanted == "full" and not self.full_range:
            raise OutputError(
                f"{self.label} carries levels of the limited range alone.", "Choose H.264, H.265 or AV1, or limited."
            )
        return wanted == "full" or (wanted == "own" and fmt.full_range and self.full_range and fmt.model == "yuv")

    def format_of(self, fmt: PictureFormat, chroma: Chroma = "usual", levels: Levels = "own") -> PictureFormat:
        """The format in which pictures of another one are coded.

        Args:
            fmt: of the pictures, in a depth that it carries (`bits_for`).
            chroma: of the coded ones.
            levels: whether these use the full range; where nothing is said, as the pictures do if it carries that.

        Raises:
            OutputError: if it cannot carry them; with what can.
        """
        if self.lossless:
            return fmt
        if fmt.sample == "half":
            raise OutputError(f"{self.label} cannot carry floating-point pictures.", "Write a picture sequence.")
        if fmt.field_order in {"top_first", "bottom_first"} and not self.fields:
            raise OutputError(
                f"{self.label} carries no interlaced pictures here.",
                "Have whole frames made of the fields, or choose ProRes, H.264 or FFV1.",
            )
        coded_chroma = self.chroma_for(chroma)
        across, down = CHROMA_RATIOS[coded_chroma]
        if fmt.width % across or fmt.height % down:
            raise OutputError(
                f"{self.label} needs sizes that divide by {max(across, down)}; this picture is {fmt.width} x "
                f"{fmt.height}.", "Crop a column or a row (step “reframe”), or choose FFV1.",
            )  # fmt: skip
        if fmt.width < self.least[0] or fmt.height < self.least[1]:
            raise OutputError(
                f"{self.label} needs pictures of {self.least[0]} x {self.least[1]} or more; this one is {fmt.width} x "
                f"{fmt.height}.", "Choose another coding.",
            )  # fmt: skip
        bits = self.bits_for(fmt)
        assert bits is not None
        full = self._is_full(fmt, levels)
        return replace(
            fmt, model="yuv", matrix=self.matrix or fmt.matrix, chroma=coded_chroma, bit_depth=bits,
            alpha=self.alpha and fmt.alpha, full_range=full, colour_tags=self._tags(fmt, full),
        )  # fmt: skip

    def _tags(self, fmt: PictureFormat, full: bool) -> tuple[int, int, int, int]:
        matrix, primaries, transfer = tags_of(fmt)
        matrix = _TAGS[self.matrix][0] if self.matrix else matrix
        return matrix, primaries, transfer, 2 if full else 1

    def options_for(self, fmt: PictureFormat, quality: Quality) -> dict[str, str]:
        """Options of the codec for pictures of a format."""
        return {**self.options, **self.qualities.get(quality, {}), **_ffv1_options(fmt, self.codec),
                **_x264_options(fmt, self.codec)}  # fmt: skip


def tags_of(fmt: PictureFormat) -> tuple[int, int, int]:
    """(matrix, primaries, transfer) of ITU-T H.273: a format's own, else those that its matrix and size stand for."""
    # pictures that were enlarged have more lines than their system, and its rate (common practice)
    as_525 = fmt.height <= SD_LINES_525 or fmt.rate.denominator == RATE_PART_525
    usual = _TAGS.get(fmt.matrix, _TAGS_525 if as_525 else _TAGS_625)
    own = fmt.colour_tags if fmt.model == "yuv" else (2, *fmt.colour_tags[1:])
    matrix, primaries, transfer = (tag if tag not in {0, 2} else other for tag, other in zip(own, usual, strict=False))
    return matrix, primaries, transfer


def _ffv1_options(fmt: PictureFormat, codec: str) -> dict[str, str]:
    if codec != "ffv1":
        return {}
    # RFC 9043, section 3.8: Golomb-Rice codes take half the time of the range coder for about the same size, and are
    # made for 8 bits
    rice = fmt.bit_depth == 8 and fmt.model != "rgb" and fmt.sample == "integer"
    small = {"slices": "1"} if min(fmt.width, fmt.height) < SLICED_FROM_PX else {}
    return {"coder": "0" if rice else "1", **small}


def _x264_options(fmt: PictureFormat, codec: str) -> dict[str, str]:
    # Left alone it takes every interlaced picture for one whose upper field comes first, whatever its frames say
    return {"x264-params": "bff=1"} if codec == "libx264" and fmt.field_order == "bottom_first" else {}


SLICED_FROM_PX = 16  # smaller pictures cannot be cut into the slices that the encoder chooses by itself

# What their containers carry as other readers expect it (common practice, no source)
_MP4_SOUND = frozenset({"aac", "ac3", "eac3", "mp3", "alac"})
_MOV_SOUND = frozenset({"pcm_s16le", "pcm_s24le", "pcm_s32le", "pcm_f32le", "pcm_s16be", "pcm_s24be", "aac", "alac"})

CODINGS: dict[str, Coding] = {
    one.id: one
    for one in (
        # RFC 9043: level is version 3; slicecrc guards every slice; g 1: every frame stands for itself
        Coding("ffv1", "FFV1", "archive master", ".mkv", "ffv1",
               options={"level": "3", "slicecrc": "1", "g": "1"}, alpha=True, full_range=True),
        Coding("prores-422", "ProRes 422", "intermediate", ".mov", "prores_ks", ("4:2:2",), (10,), {"profile": "2"},
               sound=_MOV_SOUND, remade="pcm_s24le"),
        Coding("prores-422-hq", "ProRes 422 HQ", "intermediate", ".mov", "prores_ks", ("4:2:2",), (10,),
               {"profile": "3"}, sound=_MOV_SOUND, remade="pcm_s24le"),
        Coding("prores-4444", "ProRes 4444", "intermediate", ".mov", "prores_ks", ("4:4:4",), (10,), {"profile": "4"},
               alpha=True, sound=_MOV_SOUND, remade="pcm_s24le"),
        Coding("dnxhr-hq", "DNxHR HQ", "intermediate", ".mov", "dnxhd", ("4:2:2",), (8,), {"profile": "dnxhr_hq"},
               least=(256, 120), fields=False, matrix="bt709", sound=_MOV_SOUND, remade="pcm_s24le"),
        Coding("dnxhr-hqx", "DNxHR HQX", "intermediate", ".mov", "dnxhd", ("4:2:2",), (10,), {"profile": "dnxhr_hqx"},
               least=(256, 120), fields=False, matrix="bt709", sound=_MOV_SOUND, remade="pcm_s24le"),
        # The coded frames of DNxHR name BT.709 or BT.2020 alone (SMPTE ST 2019-1, from memory)
        # One frame at a time in x265: of several, one waited for ever in its control of the rate while pictures were
        # flushed (seen once, with x265 216); lines of a frame are coded side by side all the same
        # Constant rate factors: 17 or so is taken for visually lossless with x264 (common practice, no source)
        Coding("h264", "H.264", "access copy", ".mp4", "libx264", ("4:2:0", "4:2:2", "4:4:4"), (8,),
               {"preset": "medium"},
               {"finest": {"crf": "14"}, "fine": {"crf": "18"}, "small": {"crf": "24"}}, full_range=True,
               sound=_MP4_SOUND, remade="aac"),
        Coding("h265", "H.265", "access copy", ".mp4", "libx265", ("4:2:0", "4:2:2", "4:4:4"), (8, 10),
               {"preset": "medium", "x265-params": "log-level=none:frame-threads=1"},
               {"finest": {"crf": "16"}, "fine": {"crf": "20"}, "small": {"crf": "26"}}, fields=False,
               full_range=True, sound=_MP4_SOUND, remade="aac"),
        Coding("av1", "AV1", "access copy", ".mp4", "libsvtav1", ("4:2:0",), (8, 10), {"preset": "6"},
               {"finest": {"crf": "18"}, "fine": {"crf": "26"}, "small": {"crf": "36"}}, fields=False, as_shown=True,
               full_range=True, sound=_MP4_SOUND, remade="aac"),
    )
}  # fmt: skip
_BY_ENDING = {".mkv": "ffv1", ".mov": "prores-422-hq", ".mp4": "h264"}


def coding_for(output: Path, wanted: str = "") -> Coding:
    """The coding of an output: the one that is wanted, else by the ending of its name.

    Raises:
        UsageError: for one that does not exist, or another ending.
    """
    if wanted and wanted not in CODINGS:
        raise UsageError(f"There is no coding “{wanted}”.", f"Give one of {', '.join(CODINGS)}.")
    coding = CODINGS[wanted] if wanted else CODINGS.get(_BY_ENDING.get(output.suffix.lower(), ""))
    if coding is None:
        raise UsageError(
            f"The ending of “{output.name}” is not one that Grevin writes.",
            "Use .mkv (FFV1, lossless), .mov (ProRes, DNxHR), .mp4 (H.264, H.265, AV1), a sequence pattern such as "
            "name.%06d.dpx, .tif, .exr or .png, or .wav or .mka (sound alone).",
        )
    if output.suffix.lower() != coding.suffix:
        raise UsageError(
            f"{coding.label} is written into {coding.suffix} files.", f"Let the name end in {coding.suffix}."
        )
    return coding
