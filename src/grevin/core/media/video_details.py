"""What a video file says of itself beyond its picture format, and gaps that lost packets left."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
import numpy as np
import numpy.typing as npt

KNOWN_STREAMS = {"video", "audio", "subtitle"}
TIMECODE_TAG = "tmcd"  # of a track that holds the timecode (QuickTime file format)
SHORTEST_EVEN = 8  # frames: fewer do not show an even spacing
EVEN_SHARE = 0.4  # of a frame's time by which stamps in milliseconds may be off
GAP_STEPS = 1.6  # frames' times: more is a gap
MOSTLY_EVEN = 0.9  # share of even steps below which a reel simply has times of its own
SHOWN_GAPS = 3


@dataclass(frozen=True)
class AudioTrack:
    """What is known of one audio stream."""

    codec: str
    channels: int
    sample_rate: int
    language: str | None


@dataclass(frozen=True)
class Chapter:
    """A named part of a film, in seconds from its first frame."""

    begins: Fraction
    ends: Fraction
    title: str


@dataclass(frozen=True)
class VideoDetails:
    """What a video file says of itself beyond its picture format.

    Attributes:
        subtitles: codecs of its subtitle tracks.
        others: kinds of its other streams, but for timecode, which is read.
        chapters: as they stand in it.
    """

    container: str
    codec: str
    timecode: str | None
    audio: tuple[AudioTrack, ...]
    declared_seconds: float | None
    variable_rate: bool
    subtitles: tuple[str, ...] = ()
    others: tuple[str, ...] = ()
    chapters: tuple[Chapter, ...] = ()


def read_details(container: Any, stream: Any, variable: bool) -> VideoDetails:
    """What container and stream say."""
    audio = tuple(
        AudioTrack(track.codec_context.name, track.channels, track.rate, track.language)
        for track in container.streams.audio
    )
    timecode = stream.metadata.get("timecode") or container.metadata.get("timecode")
    seconds = container.duration / av.time_base if container.duration else None
    subtitles = tuple(track.codec_context.name for track in container.streams.subtitles)
    others = tuple(
        one.type for one in container.streams if one.type not in KNOWN_STREAMS and _tag(one) != TIMECODE_TAG
    )  # fmt: skip
    return VideoDetails(
        container.format.name, stream.codec_context.name, timecode, audio, seconds, variable, subtitles, others,
        _chapters(container),
    )  # fmt: skip


def _tag(stream: Any) -> str:
    context = stream.codec_context
    return str(context.codec_tag) if context is not None else TIMECODE_TAG if "timecode" in stream.metadata else ""


def _chapters(container: Any) -> tuple[Chapter, ...]:
    return tuple(
        Chapter(
            one["start"] * one["time_base"], one["end"] * one["time_base"], str(one["metadata"].get("title", "")),
        )
        for one in container.chapters()
    )  # fmt: skip


def gap_notes(times: npt.NDArray[np.int64] | None) -> list[str]:
    """Where an otherwise even reel has no pictures for a while: packets that were lost leave no other trace.

    Args:
        times: (N,) presentation times of the frames in any unit; None where there are none.
    """
    if times is None or len(times) < SHORTEST_EVEN:
        return []
    steps = np.diff(times)
    usual = float(np.median(steps))
    even = np.abs(steps - usual) < EVEN_SHARE * usual
    gaps = np.nonzero(steps > GAP_STEPS * usual)[0]
    if len(gaps) == 0 or np.count_nonzero(even) < MOSTLY_EVEN * len(steps):
        return []
    shown = [
        f"Between frames {gap} and {gap + 1} there is no picture for {round(steps[gap] / usual) - 1} frames' time."
        for gap in gaps[:SHOWN_GAPS]
    ]
    if len(gaps) > SHOWN_GAPS:
        shown.append(f"There are {len(gaps)} such gaps.")
    return [*shown, "They may have been lost: check that the file was copied completely."]
