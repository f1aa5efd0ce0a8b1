"""What a video file says of itself beyond its picture format, and gaps that lost packets left."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import av
import numpy as np
import numpy.typing as npt

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
class VideoDetails:
    """What a video file says of itself beyond its picture format."""

    container: str
    codec: str
    timecode: str | None
    audio: tuple[AudioTrack, ...]
    declared_seconds: float | None
    variable_rate: bool


def read_details(container: Any, stream: Any, variable: bool) -> VideoDetails:
    """What container and stream say."""
    audio = tuple(
        AudioTrack(track.codec_context.name, track.channels, track.rate, track.language)
        for track in container.streams.audio
    )
    timecode = stream.metadata.get("timecode") or container.metadata.get("timecode")
    seconds = container.duration / av.time_base if container.duration else None
    return VideoDetails(container.format.name, stream.codec_context.name, timecode, audio, seconds, variable)


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
