"""One run that writes sound alone, as long as the picture plays under a treatment."""

from __future__ import annotations

import contextlib
from fractions import Fraction

from grevin.core.cache import ByteCache
from grevin.core.errors import OutputError, UsageError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.media.sound import Remaking
from grevin.core.media.sound_file import SoundFile
from grevin.core.media.video_file import VideoFile
from grevin.core.media.video_writer import Start
from grevin.core.media.writing import translated
from grevin.core.progress import Progress
from grevin.core.render.in_time import start_of
from grevin.core.render.proof import Proof
from grevin.core.render.request import RunRequest
from grevin.core.render.retimed import Retimed
from grevin.core.timebase.counters import parse_timecode
from grevin.core.treatment.budget import cache_bytes
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.studies import Studies


def run_sound(
    reel: DeclaredReel, plan: Plan, request: RunRequest, progress: Progress, studies: Studies | None = None
) -> Proof:  # fmt: skip
    """Write and prove the sound of a range; whatever goes wrong, nothing half-written is left.

    Args:
        reel: the material.
        plan: what is done to its pictures; only what changes time concerns the sound.
        request: what is to be made.
        progress: told of what is done, and asked whether to stop.
        studies: where what steps learned of the reel is kept.

    Raises:
        GrevinError: of the kind that fits what went wrong; `CancelledError` if asked to stop.
    """
    if not isinstance(reel.reader, VideoFile):
        raise OutputError(f"{request.output.name} cannot be written: pictures have no sound.", "Choose a video.")
    treated = TreatedReel(reel, plan, ByteCache(cache_bytes(plan, reel.format)), studies=studies)
    treated.prepare(progress)
    start = start_of(reel, Retimed.of(treated.timeline, request.frames, reel.format.rate), request)
    how, seconds = _how(start, request)
    with translated(request.output):
        file = SoundFile(request.output, reel.reader, request.overwrite)
        try:
            file.write(request.frames, how, seconds, _time_of_day(start, reel), progress)
            file.commit()
        except BaseException:
            with contextlib.suppress(OSError):
                file.discard()
            raise
    return Proof(str(request.output), sound=file.tracks, notes=file.notes)


def _how(start: Start, request: RunRequest) -> tuple[Remaking, tuple[Fraction, Fraction]]:
    if start.sound == "none":
        raise UsageError(
            f"{request.output.name} was not written: {start.why_silent}.", "Say what becomes of the sound."
        )
    before, after = start.seconds
    if start.sound == "carried":  # as it is, however long the picture plays
        after = before
    return ("re-timed" if start.sound == "re-timed" else "padded"), (before, after)


def _time_of_day(start: Start, reel: DeclaredReel) -> Fraction | None:
    """When the first frame was, in seconds; None where no timecode tells."""
    try:
        return parse_timecode(start.timecode, reel.format.rate)[0] / reel.format.rate if start.timecode else None
    except UsageError:
        return None
