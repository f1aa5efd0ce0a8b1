"""A run made ready: what its steps had to learn is known, and every frame can be made, here or by a worker."""

from __future__ import annotations

from dataclasses import dataclass, replace

from grevin.core.cache import ByteCache
from grevin.core.intake.reel import DeclaredReel
from grevin.core.media.codings import Coding
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import Progress
from grevin.core.render.delivered import delivered_format, without_fields
from grevin.core.render.making import Making
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.retimed import Retimed
from grevin.core.treatment.budget import cache_bytes
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.studies import Studies


@dataclass(frozen=True)
class Prepared:
    """All that is needed to make the frames of one output.

    Attributes:
        reel: the material.
        treated: the same under its plan.
        request: what is to be made, in the depth that is written.
        coding: of a video; None for a picture sequence.
        retimed: which frames are written.
        making: makes them.
    """

    reel: DeclaredReel
    treated: TreatedReel
    request: RunRequest
    coding: Coding | None
    retimed: Retimed
    making: Making

    @property
    def format(self) -> PictureFormat:
        """Format of what is written."""
        fmt, rate = delivered_format(self.treated.format, self.request), self.request.playing.rate
        return fmt if rate is None else replace(fmt, rate=rate)

    @property
    def black(self) -> tuple[int, int]:
        """Frames of black before the pictures and after."""
        return self.request.playing.black_frames(self.retimed.timeline.rate)


def prepared(
    reel: DeclaredReel, plan: Plan, request: RunRequest, progress: Progress,
    studies: Studies | None = None, ready: ReadyFrames | None = None,
) -> Prepared:  # fmt: skip
    """Let steps learn what they have to know.

    Args:
        reel: the material.
        plan: what is done to it.
        request: what is to be made.
        progress: told of what is done, and asked whether to stop.
        studies: where what steps learned of the reel is kept.
        ready: frames that were made before, and where those that are made now are kept; None to make all anew.

    Raises:
        GrevinError: for what cannot be written, before anything is studied; of the kind that fits.
    """
    coding = request.video
    request = request.for_material(reel.format)
    cache = ByteCache(cache_bytes(plan, reel.format))
    treated = TreatedReel(reel, plan, cache, verdicts=request.verdicts, studies=studies)
    _check_sizes(treated, request)
    treated.prepare(progress, request.frames)
    retimed = Retimed.of(treated.timeline, request.frames, reel.format.rate, request.playing.rate)
    making = Making(treated, retimed.outputs, request.bits, request.dither, ready)
    return Prepared(reel, treated, request, coding, retimed, making)


def _check_sizes(treated: TreatedReel, request: RunRequest) -> None:
    """Refuse what a coding cannot carry before anything is studied; of fields only a study may tell.

    Raises:
        OutputError: with what can carry it.
    """
    request = without_fields(request)
    for chain in treated.chains():
        delivered_format(replace(chain.size_format, field_order="progressive"), request)
