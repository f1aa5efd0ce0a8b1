"""Frame pick: capture sets, where a camera took several pictures of each film frame. One is kept.

The sets are found by themselves (`pick.sets`), or by the number of captures that is given; transition pictures are
left out. Of each set the best is kept: sharp, and most like the others of its set. Or the set is averaged, each
capture moved onto the best one, which lowers the noise. The output plays at the film's speed.

Material that is no capture sets comes out unchanged. A verdict of leave on a set keeps it out.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import ClassVar, Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.motion.flow import estimate_flow
from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.base import Doubt, Reelwise, Timing, Window
from grevin.core.steps.pick.sets import CaptureSet, Curve, change, sets_in, small_and_even
from grevin.core.steps.settings import Settings, setting
from grevin.core.timebase.timeline import Timeline

SHARP_WEIGHT = 0.5  # of sharpness against likeness when the best of a set is chosen


class PickSettings(Settings):
    """Settings of the pick step."""

    captures: int = setting(
        0, label="Captures", unit="a film frame", low=0, high=60,
        help="How many pictures were taken of each film frame; 0 to find it.",
    )  # fmt: skip
    vary: int = setting(
        2, label="May vary by", unit="captures", low=0, high=20,
        help="By how many captures a set may differ from that before it is divided or called doubtful.",
    )  # fmt: skip
    keep: Literal["best", "mean"] = setting(
        "best", label="Keep", help="The best capture of each set, sample for sample, or the aligned mean of the set."
    )
    film_speed: float = setting(
        18.0, label="Film speed", unit="frames/s", low=1.0, high=120.0, decimals=3, step=1.0,
        help="How many film frames are shown in a second; 16 and 18 are usual for small gauges, 24 for sound film.",
    )  # fmt: skip


class PickStep:
    """Keeps one picture of each film frame."""

    id: ClassVar[str] = "pick"
    label: ClassVar[str] = "Frame pick"
    version: ClassVar[int] = 1
    settings_model: ClassVar[type[Settings]] = PickSettings

    def reach(self, settings: PickSettings) -> int:
        """As far as a set may be long."""
        return max(60, settings.captures + settings.vary)

    def study(self, reel: Reelwise, settings: PickSettings, progress: Progress) -> Timing:
        """The sets, and the best capture of each."""
        changes, sharp = _looked_at(reel, progress)
        sets, transitions = sets_in(changes, settings.captures, settings.vary)
        same = Timeline.same(len(reel), reel.format.rate)
        if not sets:
            return Timing(same, notes=("No capture sets were found: nothing was picked.",))
        sets = [one for one in sets if reel.word_on(one.first) != "leave"]
        best = list(in_parallel(lambda place: _best(reel, sets[place], sharp), range(len(sets))))
        sources = np.array(best, np.int64)
        made = np.full(len(sets), settings.keep == "mean")
        plan = dict(enumerate(sets)) if settings.keep == "mean" else {}
        rate = Fraction(settings.film_speed).limit_denominator(1001)
        doubtful = [one for one in sets if one.doubtful]
        notes = [
            f"{len(sets)} film frames out of {len(reel)} captures; {len(transitions)} transition pictures left out."
        ]
        notes += [f"{len(doubtful)} sets are doubtful: Survey lists them."] if doubtful else []
        doubts = tuple(Doubt(one.first, one.stop - 1, one.doubtful) for one in doubtful)
        return Timing(Timeline(len(reel), rate, sources, made), plan, tuple(notes), doubts=doubts)

    def make(self, window: Window, timing: Timing, number: int, settings: PickSettings) -> Frame:
        """The aligned mean of a set."""
        return _mean(window, timing.plan[number])


def _looked_at(reel: Reelwise, progress: Progress) -> tuple[Curve, npt.NDArray[np.float64]]:
    """(N,) change against the capture before, and (N,) sharpness."""

    def look(number: int) -> Curve | None:
        try:
            return small_and_even(reel.luma8(number))
        except UnreadableFrameError:
            return None

    progress.begin(len(reel), "Looking for capture sets")
    changes, sharp = np.full(len(reel), np.nan, np.float32), np.full(len(reel), -1.0)
    last: Curve | None = None
    for number, here in enumerate(in_parallel(look, range(len(reel)))):
        if here is not None:
            sharp[number] = float(cv2.Laplacian(here, cv2.CV_32F).var())
        if here is not None and last is not None:
            changes[number] = change(last, here)
        last = here
        progress.advance()
    return changes, sharp


def _best(reel: Reelwise, one: CaptureSet, sharp: npt.NDArray[np.float64]) -> int:
    """The capture that is sharp and most like the others."""
    numbers = [number for number in range(one.first, one.stop) if sharp[number] >= 0] or [one.first]
    if len(numbers) < 3:
        return max(numbers, key=lambda number: sharp[number])
    pictures = [small_and_even(reel.luma8(number)) for number in numbers]
    usual = np.median(np.stack(pictures), axis=0).astype(np.float32)
    unlike = np.array([change(usual, picture) for picture in pictures])
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
    return replace(from_rgb(window.frame(), mean).rounded(), touched="everything")
