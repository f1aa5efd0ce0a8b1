"""Repeated frames: frames that show once more what the one before showed, taken out or made anew in place.

A repeat is a frame that equals the one before it sample for sample, or one that changes less than a share of what the
frames on both sides do, does nothing of the way that the picture goes meanwhile and is no small displacement of it,
as a camera held in hand makes on every frame (`measure.repeats`): it was compressed or dubbed again. Where repeats
come regularly the cadence is named for each shot, by a vote of all its frames, and decides where single pictures do
not; without a cadence only the sure is taken. Taken out, the output gets the true rate, so that it plays as long as
before. A shot without repeats comes out unchanged, bit for bit.

A run of repeats longer than a still picture has is left alone: a title or a freeze may be meant. Noise that stays
while the picture moves is no repeat. Not for capture sets with several pictures of each film frame.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.cadence import (
    DUE_DONE,
    WIDE_CONTEXT,
    Cadence,
    alone_of_its_own,
    cadence_of,
    done_shares,
    of_period,
    of_repeats,
    regular,
    standing_apart,
    surely_repeated,
)
from grevin.core.measure.phases import CELLS, parts_done, told_together
from grevin.core.measure.repeats import displacement, largest_change, step_done
from grevin.core.motion.flow import Luma8
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import runs_of
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.rebuild.making import Gap, Making, gaps_for, good_beside, made_frame, shown_gap
from grevin.core.steps.seen import Arrays, Reelwise, Window, shots_of
from grevin.core.steps.settings import Settings, setting
from grevin.core.steps.timing import Doubt, Timing
from grevin.core.timebase.timeline import Timeline

Flags = npt.NDArray[np.bool_]

AROUND = range(-3, 3)  # frames that a step is compared with
CURVES = ("change", "moved", "displaced", "shared", "whole", "parts")
DARK_P99 = 30.0  # 8-bit levels: black after black is no repeat
NEAR_FRAMES = 2  # frames by which a true rate may miss the length of the reel before the mean rate is taken instead
NEAR_SHARE = 0.001  # or this share of its length


class RepeatsSettings(Settings):
    """Settings of the repeats step."""

    what: Literal["take out", "rebuild", "only look"] = setting(
        "take out", label="What to do",
        help="Take repeats out and play at the true rate; rebuild them in place at the same rate; or only look.",
    )  # fmt: skip
    kind: Literal["exact and near", "exact"] = setting(
        "exact and near", label="Count as repeats",
        help="Near repeats were compressed or dubbed again; exact ones are equal sample for sample.",
    )  # fmt: skip
    near_share: float = setting(
        0.3, label="Near repeat below", unit="of change", low=0.05, high=0.8, decimals=2, step=0.05,
        when={"kind": "exact and near"},
        help="A near repeat changes less than this share of what the frames on both sides change.",
    )  # fmt: skip
    still_frames: int = setting(
        12, label="Still picture from", unit="frames", low=2, high=10000,
        help="A longer run is a still picture or a freeze and is left alone; a verdict of mend takes it out.",
    )  # fmt: skip


class RepeatsStep:
    """Finds repeats and takes them out."""

    id: ClassVar[str] = "repeats"
    label: ClassVar[str] = "Repeated frames"
    fault: ClassVar[str] = "Frames come twice or more often; the motion stutters"
    version: ClassVar[int] = 6
    family: ClassVar[Family] = "time"
    stage: ClassVar[Stage] = "time"
    settings_model: ClassVar[type[Settings]] = RepeatsSettings
    judges_itself: ClassVar[bool] = True
    doubts_are: ClassVar[str] = "still picture"
    finding_kinds: ClassVar[tuple[str, ...]] = ("repeat", "near_repeat", "freeze")  # a word on these is one on a run

    def reach(self, settings: RepeatsSettings) -> int:
        """As far as frames around a repeat are asked."""
        return WIDE_CONTEXT

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where frames come again in a cadence."""
        if facts.cadence in {"none", "3:2 fields"}:
            return None
        return Suggestion(self.id, f"cadence {facts.cadence}")

    def study(self, reel: Reelwise, settings: RepeatsSettings, progress: Progress) -> Timing:
        """Which frames repeat, and what is done about it."""
        looked = reel.kept("repeats 5", lambda: changes_of(reel, progress))
        flags, cadences = np.zeros(len(reel), np.bool_), []
        for shot in shots_of(reel, progress):
            part = slice(shot.start, shot.stop)
            curves = {name: looked[name][part] for name in CURVES}
            repeats, cadence = repeats_in(curves, settings, reel.format.rate)
            flags[part] = repeats & ~looked["dark"][part]
            cadences.append((shot.start, shot.stop - 1, cadence))
        notes, doubts = [], []
        for run in runs_of(flags):
            word = reel.word_on(run.start)
            if word == "leave" or (len(run) >= settings.still_frames and word != "mend"):
                flags[run.start : run.stop] = False
                if word != "leave":
                    notes.append(f"Frames {run.start} to {run.stop - 1} stand still and are left alone.")
                    doubts.append(Doubt(run.start, run.stop - 1, "stands still: mend takes it out"))
        if settings.what == "only look" or not flags.any():
            return Timing(Timeline.same(len(reel), reel.format.rate), notes=tuple(notes), doubts=tuple(doubts))
        cadence = cadence_of(cadences, reel.format.rate)
        if settings.what == "rebuild":
            return replace(_rebuilt(reel, flags, tuple(notes)), doubts=tuple(doubts))
        return replace(_taken_out(reel, flags, cadence, tuple(notes)), doubts=tuple(doubts))

    def make(self, window: Window, timing: Timing, number: int, settings: RepeatsSettings) -> Frame:
        """A repeat made anew between the frames around it."""
        return made_frame(window, timing.plan[number], Making())

    def show(self, window: Window, timing: Timing, number: int, settings: RepeatsSettings) -> Evidence:
        """Where a frame made anew is the plain mix."""
        return shown_gap(window, timing.plan[number], Making())


def changes_of(reel: Reelwise, progress: Progress) -> Arrays:
    """Curves of the reel, (N,) each.

    "change" against the frame before, "moved" and "displaced", how much of it one displacement explains, in squared
    levels and as a share; "shared" and "whole", how much of the way each frame does (`step_done`); "parts" likewise,
    (N, 2, cells) (`parts_done`); NaN where the frames for that are not there; "dark", bool.
    """

    def look(number: int) -> _Look:
        try:
            here = reel.luma8(number)
            dark = float(np.percentile(here[::8, ::8], 99)) < DARK_P99
            if number == 0 or not reel.same_shot(number - 1, number):
                return _Look(dark)
            around = [_beside(reel, number, number + far) for far in AROUND]
            around[-AROUND.start] = here
            return _looked(around, reel.luma8(number - 1), here, dark)
        except UnreadableFrameError:
            return _Look(False)

    progress.begin(len(reel), "Looking for repeats")
    curves = np.full((len(CURVES) - 1, len(reel)), np.nan, np.float32)
    parts = np.full((len(reel), 2, CELLS[0] * CELLS[1]), np.nan, np.float32)
    dark = np.zeros(len(reel), np.bool_)
    for number, looked in enumerate(in_parallel(look, range(len(reel)))):
        dark[number] = looked.dark
        if looked.curves is not None:
            curves[:, number] = looked.curves
        if looked.parts is not None:
            parts[number] = looked.parts
        progress.advance()
    return {**dict(zip(CURVES, (*curves, parts), strict=True)), "dark": dark}


@dataclass(frozen=True)
class _Look:
    """What one frame shows: whether it is dark, its curves but the last, and that one."""

    dark: bool
    curves: tuple[float, ...] | None = None
    parts: npt.NDArray[np.float32] | None = None


def _looked(around: list[Luma8 | None], last: Luma8, here: Luma8, dark: bool) -> _Look:
    """Of a frame, the one before it, and those around."""
    nothing = float("nan")
    moved, displaced = displacement(last, here)
    six = [one for one in around if one is not None]
    before, after = around[1], around[4]
    done = (nothing, nothing) if before is None or after is None else step_done(before, last, here, after)
    curves = (largest_change(last, here), moved, displaced, *done)
    return _Look(dark, curves, parts_done(six) if len(six) == len(AROUND) else None)


def _beside(reel: Reelwise, number: int, other: int) -> Luma8 | None:
    """Luma of another frame of the same shot; None where there is none."""
    try:
        return reel.luma8(other) if 0 <= other < len(reel) and reel.same_shot(other, number) else None
    except UnreadableFrameError:
        return None


def repeats_in(curves: Arrays, settings: RepeatsSettings, rate: Fraction) -> tuple[Flags, Cadence]:
    """(N,) bool, the repeats of one shot, and its cadence.

    Args:
        curves: of the shot, as from `changes_of`.
        settings: of the step.
        rate: frames per second.
    """
    change, known = curves["change"], ~np.isnan(curves["change"])
    if settings.kind == "exact":
        flags = np.asarray(change == 0)
        found = regular(flags, known)
        return flags, of_repeats(flags, known, rate) if found is None else of_period(found[1], rate, found[0])
    done = done_shares(curves["shared"], curves["whole"])
    flags = surely_repeated(change, done, curves["displaced"], settings.near_share)
    found = regular(flags, known) or told_together(curves["parts"], curves["moved"])
    flags &= ~alone_of_its_own(change, curves["shared"], curves["whole"], flags)
    if found is None:
        flags = standing_apart(change, curves["displaced"], flags)
        return flags, of_repeats(flags, known, rate)
    confidence, period, phase = found
    flags |= known & (np.arange(len(change)) % period == phase) & ~(done >= DUE_DONE)
    return flags, of_period(period, rate, confidence)


def _taken_out(reel: Reelwise, flags: Flags, cadence: Cadence, notes: tuple[str, ...]) -> Timing:
    kept = np.flatnonzero(~flags)
    rate, length = reel.format.rate, len(reel)
    seconds = Fraction(length) / rate
    mean = Fraction(len(kept)) / seconds
    true = cadence.true_rate if cadence.period is not None else mean
    missed = abs(len(kept) / true - seconds) * rate
    if missed > max(NEAR_FRAMES, NEAR_SHARE * length):
        true = mean
    name = "no single cadence"
    if cadence.period is not None:
        regular_name = f"one frame in {cadence.period} repeats"
        name = regular_name if cadence.name == "irregular" else f"cadence {cadence.name}"
    word = f"{int(flags.sum())} repeated frames were taken out ({name}); the true rate is {float(true):.6g} frames/s."
    return Timing(Timeline(length, true, kept, np.zeros(len(kept), np.bool_)), notes=(word, *notes))


def _rebuilt(reel: Reelwise, flags: Flags, notes: tuple[str, ...]) -> Timing:
    length = len(reel)
    plan: dict[int, Gap] = {}
    for run in runs_of(flags):
        inside = run.start > 0 and run.stop < length
        plan.update(gaps_for(run, length, inside and reel.same_shot(run.start - 1, run.stop), good_beside(reel, flags)))
    made = np.zeros(length, np.bool_)
    made[list(plan)] = True
    same = Timeline.same(length, reel.format.rate)
    return Timing(Timeline(length, same.rate, same.sources, made), dict(plan), notes)
