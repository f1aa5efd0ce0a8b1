"""How an output lies in time: its timecode, its chapters, and whether the sound goes with it."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from grevin.core.errors import UsageError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.media.video_details import Chapter
from grevin.core.media.video_file import VideoFile
from grevin.core.media.video_writer import Start
from grevin.core.render.request import RunRequest
from grevin.core.render.retimed import Retimed
from grevin.core.timebase.counters import Counter


def start_of(reel: DeclaredReel, retimed: Retimed, request: RunRequest) -> Start:
    """How the output lies in time, and whether the sound goes with it."""
    fits = reel.keeps_times and retimed.keeps_length
    how: Literal["carried", "padded", "re-timed", "none"]
    if request.sound in {"padded", "re-timed"} and not fits:
        how = request.sound
    else:
        how = "none" if request.sound == "never" or not (fits or request.sound == "always") else "carried"
    why = retimed.why_silent if reel.keeps_times else Start.why_silent
    why = "as you asked" if request.sound == "never" else f"{why}; it can be padded or re-timed"
    moved = retimed.moves or not reel.keeps_times
    black = request.playing.black_frames(retimed.timeline.rate)
    seconds = (_source_seconds(reel, request.frames), retimed.seconds[1])
    chapters = _chapters(reel, retimed, request) if request.video is not None else ()
    timecode = _timecode_at(reel, request, black[0])
    return Start(timecode, how, seconds, moved, why, fits and not moved, chapters, black)


def _chapters(reel: DeclaredReel, retimed: Retimed, request: RunRequest) -> tuple[Chapter, ...]:
    """The parts of a run, in the output's time; none where there is but one."""
    outputs, timeline = retimed.outputs, retimed.timeline
    firsts: dict[int, str] = {}
    for first, title in request.chapters:
        if first < request.frames.stop:  # of parts that begin before the run the last goes on in it
            firsts[max(0, timeline.output_of(max(first, request.frames.start)) - outputs.start)] = title
    times = [_time_in(reel, retimed, request.frames, place) for place in firsts]
    ends = [*times[1:], retimed.seconds[1]]
    return tuple(map(Chapter, times, ends, firsts.values())) if len(firsts) > 1 else ()


def _time_in(reel: DeclaredReel, retimed: Retimed, frames: range, place: int) -> Fraction:
    """When a frame of the output is shown, in seconds from its first."""
    if isinstance(reel.reader, VideoFile) and reel.keeps_times and not retimed.moves:
        return reel.reader.time_of(frames[place]) - reel.reader.time_of(frames[0])
    return place / retimed.timeline.rate


def _source_seconds(reel: DeclaredReel, frames: range) -> Fraction:
    """How long a run plays at the material's own rate, whatever was declared: the sound runs at that."""
    return Fraction(len(frames)) / reel.reader.format.rate


def _timecode_at(reel: DeclaredReel, request: RunRequest, before: int) -> str | None:
    """Timecode of the first frame, `before` frames ahead of the pictures', if the reel has any.

    One that cannot be understood is carried over as it is. At another rate as many frames are counted, from the same
    beginning.
    """
    found = reel.reader.details.timecode if isinstance(reel.reader, VideoFile) else None
    first = reel.declared.timecode or found
    if first is None:
        return None
    try:
        return Counter("timecode", request.playing.rate or reel.format.rate, first).text(request.frames[0] - before)
    except UsageError:
        return first
