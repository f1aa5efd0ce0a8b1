"""A video as an output: pictures in some coding, in the container that goes with it, the sound with them.

The archive master is FFV1 version 3 (RFC 9043) in Matroska (RFC 9559).
"""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any, Literal, cast

import av
import av.filter

from grevin.core.errors import OutputError
from grevin.core.media.codings import CODINGS, Coding, Quality
from grevin.core.media.matroska_header import RESERVED_NAME, write_display_size
from grevin.core.media.packet_order import PacketOrder
from grevin.core.media.pixel_layout import lossless_layout, pack
from grevin.core.media.sound import CarriedTracks, RemadeSound, Sound
from grevin.core.media.video_details import Chapter
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

MILLISECOND = Fraction(1, 1000)  # Matroska's usual time unit (RFC 9559, TimestampScale)
_FIELD_ORDER_TAGS = {"progressive": 1, "top_first": 2, "bottom_first": 3}
_FIELD_WORDS = {"top_first": "tff", "bottom_first": "bff"}  # of the filter `setfield`
CODED_AS_FIELDS = 0x40000 | 0x20000000  # AV_CODEC_FLAG_INTERLACED_DCT and _ME of FFmpeg
os.environ.setdefault("SVT_LOG", "1")  # errors alone: the AV1 encoder talks on stderr
CONTAINERS = {".mkv": "matroska", ".mov": "mov", ".mp4": "mp4"}
# Codecs of subtitles that each container carries (RFC 9559 and its codec registry; ISO/IEC 14496-30; from memory)
SUBTITLES = {
    ".mkv": frozenset({"subrip", "srt", "ass", "ssa", "webvtt", "text", "dvd_subtitle", "dvb_subtitle",
                       "hdmv_pgs_subtitle", "dvdsub", "dvbsub", "pgssub"}),
    ".mov": frozenset({"mov_text"}), ".mp4": frozenset({"mov_text"}),
}  # fmt: skip
CONTAINER_OPTIONS = {".mov": {"movflags": "+faststart+write_colr"}, ".mp4": {"movflags": "+faststart+write_colr"}}


@dataclass(frozen=True)
class Start:
    """How an output lies in time.

    Attributes:
        timecode: of its first frame, None for none.
        sound: carried over as it is, made anew as long as the picture, or left out.
        moved: whether frames were left out or added, or another rate was declared: they then follow the rate, not the
            source's own times.
        seconds: how long the run plays in the source and in the output.
        why_silent: why the sound does not fit, for people.
        fits: whether what runs beside the picture still fits it.
        chapters: parts of the output, from its first picture; those of the source where there are none.
        black: frames of black before the pictures and after, which are handed over like them.
    """

    timecode: str | None = None
    sound: Literal["carried", "padded", "re-timed", "none"] = "carried"
    seconds: tuple[Fraction, Fraction] = (Fraction(1), Fraction(1))
    moved: bool = False
    why_silent: str = "at another rate it no longer fits the picture"
    fits: bool = True
    chapters: tuple[Chapter, ...] = ()
    black: tuple[int, int] = (0, 0)


class VideoWriter:
    """Writes `.NAME.part.SUFFIX` beside the output; see `writing.Writer`."""

    def __init__(
        self, output: Path, source: Any, fmt: PictureFormat, frames: range, overwrite: bool, start: Start,
        coding: Coding = CODINGS["ffv1"], quality: Quality = "fine",
    ) -> None:  # fmt: skip
        """Open it.

        Args:
            output: the file.
            source: where times and sound come from; None for neither.
            fmt: of the frames, one that the coding carries (`Coding.format_of`).
            frames: of the source.
            overwrite: whether a file of that name may be replaced.
            start: how the output lies in time.
            coding: how the pictures are coded.
            quality: how well.
        """
        self.output = output
        self._start = start
        self._coding = coding
        self._quality = quality
        self.aside = output.with_name(f".{output.stem}.part{coding.suffix}")
        self.notes: tuple[str, ...] = ()
        self._source = source if isinstance(source, VideoFile) else None
        self._format = fmt
        self._frames = frames
        self._layout = lossless_layout(fmt)
        self._written = 0
        self._refuse(overwrite, getattr(source, "path", None))
        output.parent.mkdir(parents=True, exist_ok=True)
        options = CONTAINER_OPTIONS.get(coding.suffix, {})
        self._container = av.open(str(self.aside), "w", format=CONTAINERS[coding.suffix], container_options=options)
        self._stream = self._add_video()
        self._order = PacketOrder() if coding.as_shown else None
        self._fields = self._field_marks()
        self._beside = [one for one in (self._add_sound(), self._add_subtitles()) if one is not None]
        for one in self._beside:
            self.notes += one.notes
        self._add_chapters()

    def _add_subtitles(self) -> CarriedTracks | None:
        """Those that fit the picture and the container; the others are said, with streams of other kinds."""
        source = self._source
        if source is None:
            return None
        found, others = source.details.subtitles, source.details.others
        if others:
            self.notes += (f"{len(others)} stream(s) of other kinds were left out ({', '.join(sorted(set(others)))}).",)
        if not found:
            return None
        why = "" if self._start.fits else "they no longer fit the picture"
        if set(found) - SUBTITLES[self._coding.suffix]:
            why = f"a {self._coding.suffix} file carries none of their kind ({', '.join(sorted(set(found)))})"
        if why:
            self.notes += (f"{len(found)} track(s) of subtitles were left out: {why}.",)
            return None
        return CarriedTracks(self._container, source, self._frames, {"subtitle"}, self._black_s[0])

    @property
    def _black_s(self) -> tuple[Fraction, Fraction]:
        """Seconds of black before the pictures and after."""
        before, after = self._start.black
        return before / self._format.rate, after / self._format.rate

    def _add_chapters(self) -> None:
        """Of the shots, else the source's own, cut to the run."""
        chapters = self._start.chapters
        if not chapters and self._source is not None and self._start.fits:
            first, seconds = self._source.time_of(self._frames[0]), self._start.seconds[1]
            cut = [
                Chapter(max(one.begins - first, Fraction(0)), min(one.ends - first, seconds), one.title)
                for one in self._source.details.chapters
            ]
            chapters = tuple(one for one in cut if one.ends > one.begins)
        before = self._black_s[0]
        rows: Any = [
            # black before the pictures belongs to the first part: in MP4 and QuickTime one has to begin with the film
            {"id": place, "time_base": MILLISECOND, "metadata": {"title": one.title},
             "start": round((one.begins and before + one.begins) / MILLISECOND),
             "end": round((before + one.ends) / MILLISECOND)}
            for place, one in enumerate(chapters, 1)
        ]  # fmt: skip
        if rows:
            self._container.set_chapters(rows)

    def _add_sound(self) -> Sound | None:
        start, source = self._start, self._source
        if source is None or not source.details.audio:
            return None
        if start.sound == "none":
            self.notes += (f"The sound was left out: {start.why_silent}.",)
            return None
        sound, codecs = start.sound, {track.codec for track in source.details.audio}
        carries = self._coding.sound is None or codecs <= self._coding.sound
        if sound == "carried" and carries and not any(start.black):
            return CarriedTracks(self._container, source, self._frames, {"audio"})
        how: Literal["padded", "re-timed"] = "re-timed" if sound == "re-timed" else "padded"
        return RemadeSound(
            self._container, source, self._frames, how, start.seconds, self._coding.remade, self._black_s
        )  # fmt: skip

    def _refuse(self, overwrite: bool, source: Path | None) -> None:
        if source is not None and self.output.exists() and self.output.samefile(source):
            raise OutputError(
                "The output is the source itself.", "Give the output another name; sources are never written to."
            )
        if self.output.is_dir():
            raise OutputError(f"{self.output} is a folder.", f"Give a file name ending in {self._coding.suffix}.")
        if self.output.exists() and not overwrite:
            raise OutputError(f"{self.output.name} exists already.", "Choose another name or allow overwriting.")

    def _add_video(self) -> Any:
        fmt, coding = self._format, self._coding
        options = coding.options_for(fmt, self._quality)
        stream: Any = self._container.add_stream(coding.codec, rate=fmt.rate, options=options)
        stream.width, stream.height, stream.pix_fmt = fmt.width, fmt.height, self._layout
        context = stream.codec_context
        context.thread_count = os.cpu_count() or 1
        context.time_base = self._time_base = MILLISECOND if self._keeps_times else 1 / fmt.rate
        matrix, primaries, transfer, colour_range = fmt.colour_tags
        context.colorspace, context.color_primaries, context.color_trc = matrix, primaries, transfer
        context.color_range = colour_range
        if fmt.field_order in _FIELD_ORDER_TAGS:
            context.field_order = _FIELD_ORDER_TAGS[fmt.field_order]
        if self._start.timecode is not None:
            stream.metadata["timecode"] = self._start.timecode
        if fmt.field_order in _FIELD_WORDS:
            context.flags |= CODED_AS_FIELDS
        if fmt.pixel_aspect != 1:
            context.sample_aspect_ratio = fmt.pixel_aspect
            if self._in_matroska:
                stream.metadata["title"] = RESERVED_NAME
        return stream

    @property
    def _in_matroska(self) -> bool:
        return self._coding.suffix == ".mkv"

    def _field_marks(self) -> av.filter.Graph | None:
        """What marks coded frames as interlaced: the libraries give no other way to."""
        fmt = self._format
        if fmt.field_order not in _FIELD_WORDS:
            return None
        graph = av.filter.Graph()
        facts = f"video_size={fmt.width}x{fmt.height}:pix_fmt={self._layout}:time_base={self._time_base}"
        nodes = [
            graph.add("buffer", facts),
            graph.add("setfield", _FIELD_WORDS[fmt.field_order]),
            graph.add("buffersink"),
        ]
        for one, other in pairwise(nodes):
            one.link_to(other)
        graph.configure()
        return graph

    @property
    def _keeps_times(self) -> bool:
        steady = self._source is None or not self._source.details.variable_rate
        return not steady and not self._start.moved

    def write(self, frame: Frame) -> None:
        """Encode the next frame."""
        packed = pack(frame.rounded().planes, self._format, self._layout)
        packed.time_base = self._time_base
        packed.pts = self._timestamp(self._written)
        time = Fraction(packed.pts) * self._time_base
        self._tag(packed)
        if self._fields is not None:
            self._fields.push(packed)
            packed = cast("av.VideoFrame", self._fields.pull())
            self._tag(packed)
        if self._order is not None:
            self._order.expect(packed.pts)
        self._mux(packed)
        self._written += 1
        for one in self._beside:
            one.carry_until(time)

    def _mux(self, packed: Any) -> None:
        """Encode a picture, None for what is left, and store what comes out."""
        packets = self._stream.encode(packed)
        for packet in packets if self._order is None else self._order.ready(packets):
            self._container.mux(packet)

    def _tag(self, packed: Any) -> None:
        """Some codecs take their tags from frames."""
        packed.colorspace, packed.color_primaries, packed.color_trc, packed.color_range = self._format.colour_tags

    def _timestamp(self, index: int) -> int:
        if not self._keeps_times or self._source is None:
            return index
        # black is shown at the rate, the pictures between at times of their own
        place = min(max(index - self._start.black[0], 0), len(self._frames) - 1)
        seconds = self._source.time_of(self._frames[place]) - self._source.time_of(self._frames[0])
        return round((seconds + (index - place) / self._format.rate) / MILLISECOND)

    def finish(self) -> None:
        """Flush, close, and put the pixel shape into the header.

        Raises:
            OutputError: if the encoder kept pictures to itself.
        """
        self._mux(None)
        if self._order:
            lost = self._written - len(self._order) + 1
            raise OutputError(
                f"The encoder of {self._coding.label} did not give back picture {lost}.",
                "Write it once more, or choose another coding.",
            )
        for one in self._beside:
            one.carry_until(None)
            one.close()
        self._container.close()
        aspect = self._format.pixel_aspect
        if aspect != 1 and self._in_matroska:
            width, height = display_size(self._format)
            write_display_size(self.aside, width, height)
        with self.aside.open("rb") as stream:
            os.fsync(stream.fileno())

    def commit(self) -> None:
        """Rename to the output's name."""
        self.aside.replace(self.output)

    def discard(self) -> None:
        """Remove what was written aside."""
        with contextlib.suppress(av.error.FFmpegError, OSError):  # the fault that led here was reported already
            self._container.close()
        for one in self._beside:
            one.close()
        self.aside.unlink(missing_ok=True)


def display_size(fmt: PictureFormat) -> tuple[int, int]:
    """Whole numbers (width, height) whose ratio is exactly that of the displayed picture."""
    wide = fmt.pixel_aspect * fmt.width
    return wide.numerator, fmt.height * wide.denominator
