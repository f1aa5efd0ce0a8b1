"""Frame rebuild: bad, missing or frozen frames made anew from the good frames around them.

Both good frames are moved along the motion between them to the moment of the missing one; where the motion fails
their plain mix takes over. The motion is splatted forward, occlusion is handled by how well each side explains the
other (`motion.between`). Fine noise is given back, so that a made frame does not look smoother than its neighbours.

Two good frames on each side, where there are, tell how things turn or slow down, and the motion is tried on them: where
it comes no nearer to frames that are there than their plain mix does, the mix takes part (`rebuild.trying`). Where the
motion is found wrongly a person draws tie lines: the same edge on two or more frames, and the motion around follows
(`rebuild.ties`).

Frames are made within their shot: at its ends, and where a cut lies in the gap, the good neighbour is held, unless
the jump is to be bridged. To bridge a pause, frames are put in. A made frame is marked on the ledger for good, and says
where it is a mere mix. Not for long gaps: beyond half a second or so nothing tells what happened in them.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from grevin.core.errors import SettingsError, UnreadableFrameError
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import runs_of
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.rebuild.making import Gap, Making, gaps_for, good_beside, made_frame, shown_gap
from grevin.core.steps.rebuild.ties import TieLine
from grevin.core.steps.seen import Arrays, Reelwise, Window
from grevin.core.steps.settings import Settings, setting
from grevin.core.steps.timing import Timing
from grevin.core.timebase.timeline import Timeline

Flags = npt.NDArray[np.bool_]

LONGEST_GAP = 60  # frames; more is not rebuilding but inventing


class RebuildSettings(Settings):
    """Settings of the rebuild step."""

    frames: tuple[int, ...] = setting(
        (),
        label="Frames",
        names_frames="each",
        help="Numbers of the reel's frames to rebuild, counted from 0, such as 12, 13, 40-44.",
    )
    unreadable: Literal["leave", "rebuild"] = setting(
        "leave", label="Unreadable", help="Whether frames that cannot be read are rebuilt as well."
    )
    way: Literal["along motion", "mix", "hold"] = setting(
        "along motion", label="Method",
        help="Along motion moves both good frames to the moment; mix lays them over each other; hold shows the nearer.",
    )  # fmt: skip
    around: Literal["two a side", "one a side"] = setting(
        "two a side", label="Good frames", when={"way": "along motion"},
        words={"two a side": "two on each side", "one a side": "one on each side"},
        help="Two good frames on each side tell whether things turn or slow down in the gap; one is quicker.",
    )  # fmt: skip
    over_cut: Literal["hold", "bridge"] = setting(
        "hold", label="Over a cut",
        help="Where both sides look like different shots: hold each up to the middle, or bridge the jump by motion.",
    )  # fmt: skip
    put_in_after: tuple[int, ...] = setting(
        (),
        label="Put in after",
        names_frames="last",
        help="Frames after which new ones are put in, to bridge a pause or a jump in the shot.",
    )
    put_in: int = setting(
        4, label="How many", unit="frames", low=1, high=LONGEST_GAP, help="How many frames are put in at each place."
    )
    grain: bool = setting(True, label="Grain", help="Give made frames the fine noise that their neighbours have.")
    ties: tuple[TieLine, ...] = setting(
        (), label="Tie lines", names_frames="keys",
        help="Lines over the same thing on two or more frames, drawn on the light table, that lead the motion.",
    )  # fmt: skip
    tie_reach_px: int = setting(
        24, label="Tie line reach", unit="px", low=1, high=2000,
        help="Up to this distance from a tie line the motion follows it; over as much again its pull fades out.",
    )  # fmt: skip

    @property
    def making(self) -> Making:
        """How frames are made."""
        return Making(self.way, self.grain, self.around == "two a side", self.ties, self.tie_reach_px)


class RebuildStep:
    """Makes frames anew in place, or puts new ones in."""

    id: ClassVar[str] = "rebuild"
    label: ClassVar[str] = "Frame rebuild"
    fault: ClassVar[str] = "Frames are missing, torn or frozen"
    version: ClassVar[int] = 4
    family: ClassVar[Family] = "time"
    stage: ClassVar[Stage] = "time"
    settings_model: ClassVar[type[Settings]] = RebuildSettings
    judges_itself: ClassVar[bool] = True

    def reach(self, settings: RebuildSettings) -> int:
        """As far as the longest gap and one good frame more."""
        return LONGEST_GAP + 2

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where frames cannot be read."""
        lost = facts.found.get("unreadable", 0)
        return Suggestion(self.id, f"{lost} unreadable frames", {"unreadable": "rebuild"}) if lost else None

    def study(self, reel: Reelwise, settings: RebuildSettings, progress: Progress) -> Timing:
        """Which frames are made, and from which.

        Raises:
            SettingsError: for a frame that the reel does not have.
        """
        length = len(reel)
        outside = [number for number in (*settings.frames, *settings.put_in_after) if not 0 <= number < length]
        if outside:
            raise SettingsError(
                f"There is no frame {outside[0]} to rebuild: the reel's are 0 to {length - 1}.", "Correct the list."
            )
        bad = np.zeros(length, np.bool_)
        bad[list(settings.frames)] = True
        if settings.unreadable == "rebuild":
            bad |= reel.kept("unreadable", lambda: unreadable_frames(reel, progress))["unreadable"]
        gaps, notes = _gaps(reel, bad, settings)
        return _laid_out(reel, bad, gaps, settings, notes)

    def make(self, window: Window, timing: Timing, number: int, settings: RebuildSettings) -> Frame:
        """The frame, from the good ones around it."""
        return made_frame(window, timing.plan[number], settings.making)

    def show(self, window: Window, timing: Timing, number: int, settings: RebuildSettings) -> Evidence:
        """Where a made frame is the plain mix, because the motion fails there."""
        return shown_gap(window, timing.plan[number], settings.making)


def _gaps(reel: Reelwise, bad: Flags, settings: RebuildSettings) -> tuple[dict[int, Gap], list[str]]:
    """For each bad frame what it is made of; and what cannot be."""
    gaps: dict[int, Gap] = {}
    for run in runs_of(bad):
        inside = run.start > 0 and run.stop < len(reel)
        joined = inside and (settings.over_cut == "bridge" or reel.joined(run.start - 1, run.stop))
        gaps.update(gaps_for(run, len(reel), joined, good_beside(reel, bad)) if len(run) <= LONGEST_GAP else {})
    left = [int(number) for number in np.flatnonzero(bad) if number not in gaps]
    words = f"{len(left)} frames from frame {left[0]} on are left as they are: no good frame is near." if left else ""
    return gaps, [words] if words else []


def _laid_out(
    reel: Reelwise, bad: Flags, gaps: dict[int, Gap], settings: RebuildSettings, notes: list[str]
) -> Timing:  # fmt: skip
    """Every frame in its place, with those that are put in."""
    sources: list[int] = []
    plan: dict[int, Gap] = {}
    anew, put_after, refused = _bridges(reel, bad, settings)
    gaps = {**gaps, **anew}
    notes = [*notes, *refused]
    for number in range(len(reel)):
        shown = [gaps.get(number), *put_after.get(number, ())]
        plan.update({len(sources) + place: gap for place, gap in enumerate(shown) if gap is not None})
        sources += [number] * len(shown)
    made = np.zeros(len(sources), np.bool_)
    made[list(plan)] = True
    put_in = len(sources) - len(reel)
    if put_in:
        notes.append(f"{put_in} frames were put in: the reel plays {float(put_in / reel.format.rate):.2f} s longer.")
    timeline = Timeline(len(reel), reel.format.rate, np.array(sources, np.int64), made)
    return Timing(timeline, plan, tuple(notes))


def _bridges(
    reel: Reelwise, bad: Flags, settings: RebuildSettings
) -> tuple[dict[int, Gap], dict[int, list[Gap]], list[str]]:  # fmt: skip
    """Frames that are put in, spread evenly between the good ones around them together with bad ones among them.

    Returns:
        What bad frames of a bridge are made of; what is put in after each frame; where that cannot be.
    """
    good = good_beside(reel, bad)
    anew: dict[int, Gap] = {}
    put_after: dict[int, list[Gap]] = {}
    refused: list[str] = []
    for place in sorted(set(settings.put_in_after)):
        before, after = place, place + 1
        while before >= 0 and bad[before]:
            before -= 1
        while after < len(reel) and bad[after]:
            after += 1
        near = before >= 0 and after < len(reel) and after - before - 1 <= LONGEST_GAP
        if not near or any(number in anew for number in range(before + 1, after)):
            refused.append(f"Nothing was put in after frame {place}: there is no good frame on both sides.")
            continue
        order = [*range(before + 1, place + 1), *[None] * settings.put_in, *range(place + 1, after)]
        two = good(before - 1, before) and good(after + 1, after)
        for turn, number in enumerate(order, 1):
            gap = Gap(before, after, turn / (len(order) + 1), two)
            if number is None:
                put_after.setdefault(place, []).append(gap)
            else:
                anew[number] = gap
    return anew, put_after, refused


def unreadable_frames(reel: Reelwise, progress: Progress) -> Arrays:
    """(N,) bool."""
    bad = np.zeros(len(reel), np.bool_)
    progress.begin(len(reel), "Looking for unreadable frames")
    for number in range(len(reel)):
        try:
            reel.frame(number)
        except UnreadableFrameError:
            bad[number] = True
        progress.advance()
    return {"unreadable": bad}
