"""Frame rebuild: bad, missing or frozen frames made anew from the good frames around them.

Both good frames are moved along the motion between them to the moment of the missing one; where the motion fails
their plain mix takes over. The motion is splatted forward, occlusion is handled by how well each side explains the
other (`motion.between`). Fine noise is given back, so that a made frame does not look smoother than its neighbours.

Frames are made within their shot only: at its ends, and where a cut lies in the gap, the good neighbour is held. A
made frame is marked on the ledger for good. Not for long gaps: beyond half a second or so nothing tells what
happened in them.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from grevin.core.errors import SettingsError, UnreadableFrameError
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import runs_of
from grevin.core.progress import Progress
from grevin.core.steps.base import Reelwise, Timing, Window
from grevin.core.steps.rebuild.making import Gap, gaps_for, made_frame
from grevin.core.steps.settings import Settings, setting
from grevin.core.timebase.timeline import Timeline

LONGEST_GAP = 60  # frames; more is not rebuilding but inventing


class RebuildSettings(Settings):
    """Settings of the rebuild step."""

    frames: tuple[int, ...] = setting(
        (), label="Frames", help="Numbers of the frames to make anew, counted from 0, such as 12, 13, 40-44."
    )
    unreadable: Literal["leave", "rebuild"] = setting(
        "leave", label="Unreadable", help="Whether frames that cannot be read are made anew as well."
    )
    way: Literal["along motion", "mix", "hold"] = setting(
        "along motion", label="Way",
        help="Along motion moves both good frames to the moment; mix lays them over each other; hold shows the nearer.",
    )  # fmt: skip
    grain: bool = setting(True, label="Grain", help="Give made frames the fine noise that their neighbours have.")


class RebuildStep:
    """Makes frames anew in place."""

    id: ClassVar[str] = "rebuild"
    label: ClassVar[str] = "Frame rebuild"
    version: ClassVar[int] = 1
    settings_model: ClassVar[type[Settings]] = RebuildSettings

    def reach(self, settings: RebuildSettings) -> int:
        """As far as the longest gap."""
        return LONGEST_GAP + 1

    def study(self, reel: Reelwise, settings: RebuildSettings, progress: Progress) -> Timing:
        """Which frames are made, and from which.

        Raises:
            SettingsError: for a frame that the reel does not have.
        """
        length = len(reel)
        outside = [number for number in settings.frames if not 0 <= number < length]
        if outside:
            raise SettingsError(
                f"There is no frame {outside[0]} to rebuild: the reel's are 0 to {length - 1}.", "Correct the list."
            )
        bad = np.zeros(length, np.bool_)
        bad[list(settings.frames)] = True
        if settings.unreadable == "rebuild":
            bad |= unreadable_frames(reel, progress)
        plan: dict[int, Gap] = {}
        for run in runs_of(bad):
            inside = run.start > 0 and run.stop < length
            joined = inside and reel.joined(run.start - 1, run.stop)
            plan.update(gaps_for(run, length, joined) if len(run) <= LONGEST_GAP else {})
        made = np.zeros(length, np.bool_)
        made[list(plan)] = True
        timeline = Timeline.same(length, reel.format.rate)
        left = [number for number in np.flatnonzero(bad) if number not in plan]
        words = (
            f"{len(left)} frames from frame {left[0]} on are left as they are: no good frame is near." if left else ""
        )
        return Timing(Timeline(length, timeline.rate, timeline.sources, made), dict(plan), (words,) if words else ())

    def make(self, window: Window, timing: Timing, number: int, settings: RebuildSettings) -> Frame:
        """The frame, from the good ones around it."""
        return made_frame(window, timing.plan[number], settings.way, settings.grain)


def unreadable_frames(reel: Reelwise, progress: Progress) -> npt.NDArray[np.bool_]:
    """(N,) bool."""
    bad = np.zeros(len(reel), np.bool_)
    progress.begin(len(reel), "Looking for unreadable frames")
    for number in range(len(reel)):
        try:
            reel.frame(number)
        except UnreadableFrameError:
            bad[number] = True
        progress.advance()
    return bad
