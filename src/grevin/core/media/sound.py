"""Sound and subtitles of an output: carried over packet by packet; sound also made anew, as long as its picture."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any, Literal, Protocol

import av
import av.filter

from grevin.core.media.container import open_container
from grevin.core.media.video_file import VideoFile

Remaking = Literal["padded", "re-timed"]

# PCM by how the source's samples are held: nothing is lost by decoding once
_CODECS = {"u8": "pcm_s16le", "s16": "pcm_s16le", "s32": "pcm_s32le", "flt": "pcm_f32le", "dbl": "pcm_f64le"}
_CODECS_HOLD = {
    "pcm_s16le": "s16", "pcm_s24le": "s32", "pcm_s32le": "s32", "pcm_f32le": "flt", "pcm_f64le": "dbl", "aac": "fltp",
}  # fmt: skip
STAMP_S = Fraction(1, 1000)  # to which Matroska rounds times (RFC 9559, TimestampScale)
BELOW_24_BITS = 8  # bits of a sample of 32 that 24 do not hold
AAC_FRAME = 1024  # samples (ISO/IEC 14496-3)
_AAC_LAYOUTS = {1: "mono", 2: "stereo", 3: "3.0", 4: "4.0", 5: "5.0", 6: "5.1", 8: "7.1"}  # by channels
AAC_BITS = 96_000  # a second and channel: transparent for nearly everything (common practice, no source)
FINER = 8  # rates are whole numbers: a multiple of the track's rate sets a speed to within a millisecond a reel


class Sound(Protocol):
    """Goes along with the pictures of an output."""

    @property
    def notes(self) -> tuple[str, ...]:
        """What is to be said of it."""
        ...

    def carry_until(self, time: Fraction | None) -> None:
        """Write what begins before `time` (seconds from the first frame; None: all that is left)."""
        ...

    def close(self) -> None:
        """Release the source."""
        ...


class CarriedTracks:
    """Copies packets of audio and subtitles untouched, in step with the pictures."""

    def __init__(
        self, target: Any, source: VideoFile, frames: range, kinds: Collection[str], later_s: Fraction = Fraction(0)
    ) -> None:  # fmt: skip
        """Prepare.

        Args:
            target: the container that is written.
            source: where they come from.
            frames: of the source that are written.
            kinds: "audio", "subtitle" or both.
            later_s: seconds before the first of these frames in the output.
        """
        self._input = open_container(source.path)
        self.notes: tuple[str, ...] = ()
        tracks = [track for track in self._input.streams if track.type in kinds]
        self._targets = {track.index: target.add_stream_from_template(track) for track in tracks}
        self._target = target
        self._start, self._later_s = source.time_of(frames[0]), later_s
        whole = len(frames) == len(source)
        self._end = None if whole else source.time_of(frames[-1]) + 1 / source.format.rate
        self._packets = self._input.demux(tracks) if tracks else iter(())
        self._waiting: Any = None
        if "audio" in kinds and tracks and not whole:
            self.notes = ("Sound was cut to the range at whole packets, so its ends may be off by a few milliseconds.",)

    def carry_until(self, time: Fraction | None) -> None:
        """Copy the packets that begin before `time` (seconds from the first frame; None: all that are left)."""
        while True:
            packet = self._waiting or next(self._packets, None)
            self._waiting = None
            if packet is None:
                return
            if packet.dts is None or packet.size == 0:
                continue
            begins = packet.dts * packet.time_base
            if begins < self._start and self._end is not None:
                continue
            if self._end is not None and begins >= self._end:
                continue
            if time is not None and begins - self._start + self._later_s > time:
                self._waiting = packet
                return
            self._copy(packet)

    def _copy(self, packet: Any) -> None:
        shift = round((self._start - self._later_s) / packet.time_base)
        packet.dts -= shift
        if packet.pts is not None:
            packet.pts -= shift
        packet.stream = self._targets[packet.stream.index]
        self._target.mux(packet)

    def close(self) -> None:
        """Release the source."""
        self._input.close()


@dataclass(frozen=True)
class SoundTrack:
    """A track of sound that was made.

    Attributes:
        rate: samples a second.
        channels: how many.
        samples: of each channel.
        checksum: MD5 of its samples.
    """

    rate: int
    channels: int
    samples: int
    checksum: str


def sample_bytes(frame: Any, codec: str) -> bytes:
    """The samples of a frame as a codec of PCM holds them."""
    samples = frame.to_ndarray()
    return bytes((samples >> BELOW_24_BITS if codec == "pcm_s24le" else samples).tobytes())


def _begin_of(source: VideoFile, number: int) -> Fraction:
    """When a frame is shown, in seconds: by its rate, where the file's stamp is that but for being rounded."""
    stamp, exact = source.time_of(number), source.time_of(0) + number / source.format.rate
    return exact if abs(stamp - exact) <= STAMP_S else stamp


def _pcm_for(track: Any) -> str:
    """The PCM that holds a track's samples."""
    if track.codec_context.name.startswith("pcm_s24"):
        return "pcm_s24le"
    return _CODECS.get(track.format.name.removesuffix("p"), "pcm_f32le")


class RemadeSound:
    """Decodes the sound of a run once and writes it as PCM, exactly as long as the picture plays."""

    def __init__(
        self, target: Any, source: VideoFile, frames: range, how: Remaking, seconds: tuple[Fraction, Fraction],
        codec: str = "", silence: tuple[Fraction, Fraction] = (Fraction(0), Fraction(0)),
    ) -> None:  # fmt: skip
        """Prepare.

        Args:
            target: the container that is written.
            source: where the sound comes from.
            frames: of the source that are written.
            how: "padded" keeps its speed and adds silence or cuts at the end; "re-timed" plays it slower or faster,
                its pitch with it, as a tape at another speed.
            seconds: how long the run plays in the source and in the output.
            codec: how it is coded; "" for the PCM that holds the source's samples.
            silence: seconds of it before the sound of the run and after.
        """
        self._input = open_container(source.path)
        self._target = target
        start = _begin_of(source, frames[0])
        tracks = list(self._input.streams.audio)
        self._tracks = {track.index: _Track(target, track, how, start, seconds, codec, silence) for track in tracks}
        self._packets: Iterator[Any] = self._input.demux(tracks) if tracks else iter(())
        self._ended = not tracks
        same = seconds[0] == seconds[1]
        words = {
            "padded": "it plays as it did"
            if same
            else "its speed is kept, silence or a cut at its end makes it as long as the picture",
            "re-timed": f"it plays {float(seconds[0] / seconds[1]):.4g} times as fast, its pitch with it",
        }
        coded = "AAC" if codec == "aac" else "PCM"
        mixed = any(track.layout.nb_channels not in _AAC_LAYOUTS for track in tracks) and codec == "aac"
        fewer = " Its channels were mixed down to two." if mixed else ""
        self.notes = (f"The sound was made anew as {coded}: {words[how]}.{fewer}",) if tracks else ()

    def carry_until(self, time: Fraction | None) -> None:
        """Write until every track reaches `time` (seconds from the first frame), or to the end for None."""
        while not self._ended and (time is None or any(track.written < time for track in self._tracks.values())):
            packet = next(self._packets, None)
            if packet is None:
                self._ended = True
                for track in self._tracks.values():
                    self._target.mux(track.end())
                return
            for frame in packet.decode():
                self._target.mux(self._tracks[packet.stream.index].take(frame))

    @property
    def tracks(self) -> tuple[SoundTrack, ...]:
        """What was written."""
        return tuple(track.made for track in self._tracks.values())

    def close(self) -> None:
        """Release the source."""
        self._input.close()


def _lasting(samples: int) -> tuple[tuple[str, str], ...]:
    """Filters that make sound so long, by silence or a cut at its end."""
    return ("apad", f"whole_len={samples}"), ("atrim", f"end_sample={samples}")


class _Track:
    """One track: decoded frames in, packets of PCM out."""

    def __init__(
        self, target: Any, track: Any, how: Remaking, start: Fraction, seconds: tuple[Fraction, Fraction], codec: str,
        silence: tuple[Fraction, Fraction],
    ) -> None:  # fmt: skip
        before, after = seconds
        self._rate = int(track.rate)
        codec = self._codec = codec or _pcm_for(track)
        held = _CODECS_HOLD[codec]
        layout = track.layout.name
        if codec == "aac":
            layout = _AAC_LAYOUTS.get(track.layout.nb_channels, "stereo")
        self._stream = target.add_stream(codec, rate=self._rate, layout=layout)
        if codec == "aac":
            self._stream.codec_context.bit_rate = AAC_BITS * self._stream.layout.nb_channels
        self._graph = av.filter.Graph()
        wanted = [
            ("atrim", f"start={float(start)}" + (f":end={float(start + before)}" if how == "re-timed" else "")),
            ("asetpts", f"PTS-{float(start)}/TB"),
            ("aresample", "async=1:first_pts=0"),  # where the source has no sound there is silence
            *(self._speed(before / after) if how == "re-timed" else ()),
            *_lasting(round(after * self._rate)),
            *(self._between(silence, after) if any(silence) else ()),
            ("aformat", f"sample_fmts={held}:sample_rates={self._rate}:channel_layouts={layout}"),
            *((("asetnsamples", f"n={AAC_FRAME}:p=0"),) if codec == "aac" else ()),
        ]
        nodes = [
            self._graph.add_abuffer(template=track, time_base=Fraction(1, self._rate)),
            *(self._graph.add(*one) for one in wanted),
        ]
        nodes.append(self._graph.add("abuffersink"))
        for one, other in pairwise(nodes):
            one.link_to(other)
        self._graph.configure()
        self._done = 0
        self._next: int | None = None  # sample of the source
        self._sum = hashlib.md5(usedforsecurity=False)

    def _between(self, silence: tuple[Fraction, Fraction], seconds: Fraction) -> tuple[tuple[str, str], ...]:
        """Silence before and after."""
        before, whole = (round(time * self._rate) for time in (silence[0], silence[0] + seconds + silence[1]))
        return ("adelay", f"delays={before}S:all=1"), *_lasting(whole)

    def _speed(self, speed: Fraction) -> tuple[tuple[str, str], ...]:
        """Samples are said to follow each other faster, then brought back to their rate, on a multiple of it."""
        fine = FINER * self._rate
        return (
            ("asetrate", str(round(fine * speed))),
            ("aresample", str(fine)),
            ("asetrate", str(self._rate)),
        )

    @property
    def written(self) -> Fraction:
        """Seconds written."""
        return Fraction(self._done, self._rate)

    def take(self, frame: Any) -> list[Any]:
        """Packets that are ready after one more frame."""
        self._stamp(frame)
        self._push(frame)
        return self._pulled()

    def end(self) -> list[Any]:
        """The packets that are left."""
        self._push(None)
        return [*self._pulled(), *self._stream.encode(None)]

    @property
    def made(self) -> SoundTrack:
        """What was written."""
        channels = self._stream.layout.nb_channels
        return SoundTrack(self._rate, channels, self._done, self._sum.hexdigest())

    def _stamp(self, frame: Any) -> None:
        """Say where it begins, to a sample: samples follow each other but where stamps tell of a gap."""
        if frame.pts is not None:
            stamp = round(frame.pts * frame.time_base * self._rate)
            if self._next is None or abs(stamp - self._next) > 2 * STAMP_S * self._rate:
                self._next = stamp
        self._next = self._next or 0
        frame.pts, frame.time_base = self._next, Fraction(1, self._rate)
        self._next += frame.samples

    def _push(self, frame: Any) -> None:
        with contextlib.suppress(av.error.EOFError):  # the track is as long as it is to be already
            self._graph.push(frame)

    def _pulled(self) -> list[Any]:
        packets: list[Any] = []
        while True:
            try:
                frame = self._graph.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return packets
            frame.pts, frame.time_base = self._done, Fraction(1, self._rate)
            self._done += frame.samples  # type: ignore[union-attr]
            self._sum.update(sample_bytes(frame, self._codec))
            packets += self._stream.encode(frame)
