"""Frame pick: capture sets, where a camera took several pictures of each film frame. One is kept.

The sets are found by themselves (`pick.sets`), or by the number of captures that is given; transition pictures are
left out. Of each set the best is kept: sharp, and like those beside it. Or the set is averaged, each capture moved onto
the best one, which lowers the noise. The output plays at the film's speed, or at a broadcast rate: some film frames are
then shown again, evenly, so that it plays as long.

Material that is no capture sets comes out unchanged. A verdict of leave on a set keeps it out. Where a set begins or
goes on by a person's word, the others are divided around it.
"""

from __future__ import annotations

from collections import deque
from fractions import Fraction
from math import ceil
from typing import ClassVar, Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.errors import SettingsError, UnreadableFrameError
from grevin.core.motion.flow import estimate_flow
from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.pick.looking import LAGS, Curve, Look, Shift, against
from grevin.core.steps.pick.sets import Borders, CaptureSet, sets_in
from grevin.core.steps.seen import Arrays, Reelwise, Window
from grevin.core.steps.settings import Settings, setting
from grevin.core.steps.timing import Doubt, Timing
from grevin.core.timebase.timeline import Timeline

RATES = {
    "24": Fraction(24), "25": Fraction(25), "29.97": Fraction(30000, 1001), "30": Fraction(30), "50": Fraction(50),
    "59.94": Fraction(60000, 1001), "60": Fraction(60),
}  # fmt: skip
LONGEST_PATTERN = 12  # film frames; a longer pattern is not spelled out
SHARP_WEIGHT = 0.5  # of sharpness against likeness when the best of a set is chosen


class PickSettings(Settings):
    """Settings of the pick step."""

    captures: int = setting(
        0, label="Captures", unit="a film frame", low=0, high=60, lowest="found by itself",
        help="How many pictures were taken of each film frame; 0 to find it.",
    )  # fmt: skip
    vary: int = setting(
        2, label="May vary by", unit="captures", low=0, high=20,
        help="By how many captures a set may differ from that before it is divided or called doubtful.",
    )  # fmt: skip
    keep: Literal["best", "mean"] = setting(
        "best", label="Keep", help="The best capture of each set, sample for sample, or the aligned mean of the set."
    )
    begins: tuple[int, ...] = setting(
        (),
        label="Film frame starts at",
        names_frames="first",
        help="Captures that begin a film frame by a person's word; set with a key on the bench.",
    )
    joins: tuple[int, ...] = setting(
        (),
        label="Film frame continues at",
        names_frames="each",
        help="Captures that begin no film frame by a person's word; set with a key on the bench.",
    )
    film_speed: float = setting(
        18.0, label="Film speed", unit="frames/s", low=1.0, high=120.0, decimals=3, step=1.0,
        help="How many film frames are shown in a second; 16 and 18 are usual for small gauges, 24 for sound film.",
    )  # fmt: skip
    written_at: Literal["film speed", "24", "25", "29.97", "30", "50", "59.94", "60"] = setting(
        "film speed", label="Written at",
        help="At film speed every film frame is written once; at a broadcast rate some are shown again, evenly.",
    )  # fmt: skip


class PickStep:
    """Keeps one picture of each film frame."""

    id: ClassVar[str] = "pick"
    label: ClassVar[str] = "Frame pick"
    fault: ClassVar[str] = "Each film frame was taken several times"
    version: ClassVar[int] = 5
    family: ClassVar[Family] = "time"
    stage: ClassVar[Stage] = "time"
    settings_model: ClassVar[type[Settings]] = PickSettings
    doubts_are: ClassVar[str] = "doubtful capture set"

    def reach(self, settings: PickSettings) -> int:
        """As far as a set may be long."""
        return max(60, settings.captures + settings.vary)

    def study(self, reel: Reelwise, settings: PickSettings, progress: Progress) -> Timing:
        """The sets, and the best capture of each.

        Raises:
            SettingsError: if the film is faster than the rate it is to be written at.
        """
        speed = Fraction(settings.film_speed).limit_denominator(1001)
        rate = RATES.get(settings.written_at, speed)
        if rate < speed:
            raise SettingsError(
                f"A film at {float(speed):.6g} frames/s cannot be written at {settings.written_at} without losses.",
                "Choose a faster rate, or film speed.",
            )
        looked = reel.kept("captures 4", lambda: _looked_at(reel, progress))
        changes, sharp = looked["changes"][:, 0], looked["sharp"]
        said = Borders(settings.begins, settings.joins)
        sets, transitions = sets_in(looked["changes"], looked["way"], settings.captures, settings.vary, said)
        if not sets:
            same = Timeline.same(len(reel), reel.format.rate)
            return Timing(same, notes=("No capture sets were found: nothing was picked.",))
        sets = [one for one in sets if reel.word_on(one.first) != "leave"]
        best = np.array([_best(one, changes, sharp) for one in sets], np.int64)
        shown = shown_at(len(sets), speed, rate)
        made = np.full(len(shown), settings.keep == "mean")
        plan = {place: sets[number] for place, number in enumerate(shown)} if settings.keep == "mean" else {}
        doubtful = [one for one in sets if one.doubtful]
        notes = [
            f"{len(sets)} film frames out of {len(reel)} captures; {len(transitions)} transition pictures left out."
        ]
        notes += [cadence_words(shown, speed, rate)] if rate != speed else []
        notes += [f"{len(doubtful)} sets are doubtful: Survey lists them."] if doubtful else []
        doubts = tuple(Doubt(one.first, one.stop - 1, one.doubtful) for one in doubtful)
        timeline = Timeline(len(reel), rate, best[shown], made)
        return Timing(timeline, plan, tuple(notes), doubts=doubts, groups=tuple(range(o.first, o.stop) for o in sets))

    def make(self, window: Window, timing: Timing, number: int, settings: PickSettings) -> Frame:
        """The aligned mean of a set."""
        one: CaptureSet = timing.plan[number]
        return window.keep(f"mean {one.first} {one.stop}", lambda: _mean(window, one), lambda frame: frame.nbytes)


def shown_at(count: int, speed: Fraction, rate: Fraction) -> npt.NDArray[np.int64]:
    """For each frame of an output at a rate the film frame that is due, so that both play equally long."""
    length = max(1, ceil(count * rate / speed))
    return np.array([min(count - 1, int(place * speed / rate)) for place in range(length)], np.int64)


def cadence_words(shown: npt.NDArray[np.int64], speed: Fraction, rate: Fraction) -> str:
    """How often film frames are shown, in words."""
    times = np.bincount(shown)
    inner = times[:-1] if len(times) > 1 else times  # the last one may be cut short
    period = (speed / rate).numerator
    if period <= LONGEST_PATTERN:
        pattern = ":".join(str(number) for number in inner[:period])
        return f"Written at {float(rate):.6g} frames/s: film frames are shown {pattern} times in turn."
    return f"Written at {float(rate):.6g} frames/s: film frames are shown {inner.min()} or {inner.max()} times."


def _looked_at(reel: Reelwise, progress: Progress) -> Arrays:
    """Curves of the reel; every capture is loaded once.

    "changes" (N, LAGS) against the captures before but for tremble, "way" (N, 2) px from the one before, "sharp" (N,).
    """

    def look(number: int) -> Look | None:
        try:
            return Look.at(reel.luma8(number))
        except UnreadableFrameError:
            return None

    progress.begin(len(reel), "Looking for capture sets")
    changes, way = np.full((len(reel), LAGS), np.nan, np.float32), np.zeros((len(reel), 2))
    sharp = np.full(len(reel), -1.0)
    before: deque[Look | None] = deque(maxlen=LAGS)  # the last one first
    steps: deque[Shift] = deque(maxlen=LAGS)
    for number, here in enumerate(in_parallel(look, range(len(reel)))):
        if here is not None:
            sharp[number] = here.sharpness()
            way[number], found = against(here, list(before), list(steps))
            changes[number, : len(found)] = found
        before.appendleft(here)
        steps.appendleft(way[number])
        progress.advance()
    return {"changes": changes, "way": way, "sharp": sharp}


def _best(one: CaptureSet, changes: Curve, sharp: npt.NDArray[np.float64]) -> int:
    """The capture that is sharp and most like those beside it: a jolted one differs from both."""
    numbers = [number for number in range(one.first, one.stop) if sharp[number] >= 0] or [one.first]
    if len(numbers) < 3:
        return max(numbers, key=lambda number: sharp[number])
    inner = np.nan_to_num(changes[one.first + 1 : one.stop], nan=np.inf)
    edged = np.concatenate([[np.inf], inner, [np.inf]])
    apart = np.minimum(edged[:-1], edged[1:])[[number - one.first for number in numbers]]
    unlike = np.where(np.isinf(apart), apart[~np.isinf(apart)].max(initial=1.0), apart)
    fine = np.array([sharp[number] for number in numbers])
    score = SHARP_WEIGHT * fine / max(float(fine.max()), 1e-9) - unlike / max(float(unlike.max()), 1e-9)
    return numbers[int(np.argmax(score))]


def _mean(window: Window, one: CaptureSet) -> Frame:
    """The captures of a set, each moved by the median of its motion onto the best one, averaged."""
    here = window.number
    model = window.luma8()
    total = window.rgb().astype(np.float64)
    count = 1
    height, width = model.shape
    for number in range(one.first, one.stop):
        if number == here:
            continue
        flow = estimate_flow(model, window.luma8(number - here), "quick")
        shift = np.median(flow[::4, ::4].reshape(-1, 2), axis=0)
        move = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        other = window.rgb(number - here)
        total += cv2.warpAffine(other, move, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        count += 1
    mean = np.asarray(total / count, np.float32)
    made = from_rgb(window.frame(), mean)
    return made.rounded() if window.frame().is_native else made
