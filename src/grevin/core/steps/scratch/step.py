"""Line scratches: upright lines that stay for many frames while the picture moves beneath them.

Lines are looked for in bands of rows, in brightness, green and blue, and summed over time, for a scratch stays; then
each is judged: whether it stays where the picture moves on, whether the picture shines through, whether its flanks
agree. How far its soft sides reach is told by all frames of a shot together, where the picture goes by. What is left
under a shallow scratch is kept; where the picture moves the frames around show what a deep one hides. A scratch that
was not found is drawn with two clicks, on the frames and with the key frames that it needs; one that was found
becomes a drawn one where it has to be nudged, cut or joined, and what is drawn goes before what was found there.
Structures of the picture that stand upright while the camera stands still are hard to tell from scratches: set a
region over them to be left alone.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from typing import ClassVar

import cv2
import numpy as np

from grevin.core.keys import content_key
from grevin.core.motion.flow import Flow, estimate_flow
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.picture.masks import grow
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.charting import Chart
from grevin.core.steps.charting import Line as ChartLine
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.scratch.centring import centred
from grevin.core.steps.scratch.frames_around import REACH, FramesAround
from grevin.core.steps.scratch.judge import shipped
from grevin.core.steps.scratch.lines import (
    Line,
    blob_of,
    drawn_line,
    extent_of,
    is_cut,
    lay,
    lines_of,
    threshold,
    upright,
)
from grevin.core.steps.scratch.mending import mend_line
from grevin.core.steps.scratch.over_shot import measured
from grevin.core.steps.scratch.responses import HOP_PX, bands_of
from grevin.core.steps.scratch.settings import ScratchSettings
from grevin.core.steps.scratch.shapes import shapes_of, with_shoulders
from grevin.core.steps.scratch.sight import Sight, sight_of
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

HELD = 0.5  # of a line that the evidence has to hold, to be mended
PASSES_PX = (
    1.5  # a frame: where the picture moves faster under a line, nothing that stands in it was ever taken for one
)
BESIDE_PX = 2  # of what a person drew, where a line that was found is the same scratch
LEAST_OPAQUE = 0.02  # of its length, that is worth a word


class ScratchStep:
    """See the module."""

    id: ClassVar[str] = "scratch"
    label: ClassVar[str] = "Line scratch"
    fault: ClassVar[str] = "Upright scratches that stay for many frames"
    version: ClassVar[int] = 17
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "surface"
    fills_strokes: ClassVar[bool] = True
    works_on_fields: ClassVar[bool] = True  # what other frames show under a scratch is of another moment
    learns_from: ClassVar[LearnsFrom] = "one field"
    settings_model: ClassVar[type[Settings]] = ScratchSettings

    def reach(self, settings: ScratchSettings) -> int:
        """Frames that may show what lies under a scratch."""
        return REACH

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found scratches."""
        if "scratch" not in facts.found:
            return None
        heights = facts.figures["scratch"]["heights"]
        return Suggestion(self.id, f"scratches of {heights:.1f} picture heights a frame stay while the picture moves")

    def learn(self, shot: Shotwise, settings: ScratchSettings, progress: Progress) -> Arrays:
        """The lines of a shot; which of them are taken is a matter of the settings."""
        frames = shot.frames

        def sight(number: int) -> Sight | None:
            window = shot.window(number)
            if not bands_of(window.format.height):
                return None  # not high enough for a line to be one
            flow = _small_flow(window) if number + 1 < frames.stop else None
            return sight_of(window.rgb(), flow)

        found = shot.kept("lines", lambda: measured(frames, sight, shipped(), progress))
        shapes = shot.kept("shapes", lambda: shapes_of(found, frames, lambda n: shot.window(n).rgb(), progress))
        return {**found, **shapes, "shot": np.array([frames.start, frames.stop])}

    def find(self, window: Window, settings: ScratchSettings) -> Evidence:
        """The scratches of a frame."""
        mask, blobs, passed = self._scratches(window, settings)
        mask, blobs = mask.copy(), list(blobs)
        for stroke in window.strokes():
            mask[stroke.box] |= stroke.inside
            blobs.append(stroke.blob)
        return Evidence(mask, blobs=tuple(blobs), passed=tuple(passed))

    def _scratches(self, window: Window, settings: ScratchSettings) -> tuple[Mask, list[Blob], list[Blob]]:
        """Mask and pieces of those that are taken, and those that nearly are; made once, not to be written to.

        Where a person drew a scratch, that goes before what was found there.
        """
        study, drawn = window.study(), _drawn_by_hand(window)
        learned = (study[name].tobytes().hex() for name in sorted(study))
        by_hand = "" if drawn is None else np.packbits(drawn).tobytes().hex()
        name = f"scratches {self.version} {content_key(settings.model_dump_json(), by_hand, *learned)}"
        return window.keep(name, lambda: self._laid(window, settings, drawn), lambda found: found[0].nbytes)

    def _laid(
        self, window: Window, settings: ScratchSettings, drawn: Mask | None
    ) -> tuple[Mask, list[Blob], list[Blob]]:  # fmt: skip
        fmt, rgb = window.format, window.rgb()
        mask = np.zeros((fmt.height, fmt.width), np.bool_)
        taken: list[Blob] = []
        nearly: list[Blob] = []
        limit = threshold(settings)
        for found in lines_of(window.study(), window.number, fmt.height, settings):
            line = _centred(window, found)
            left, right = _reaching(rgb, line, window.study(), settings)
            if drawn is not None and _lies_under(line, drawn):
                continue
            sure = line.score > limit and (_passed_by(window, line) or is_cut(rgb, line))
            area = lay(mask if sure else np.zeros_like(mask), line, left, right)
            (taken if sure else nearly).append(blob_of(line, area, rgb, limit))
        return mask, taken, nearly

    def mend(self, window: Window, evidence: Evidence, settings: ScratchSettings) -> Rgb:
        """The picture without its scratches."""
        picture, around = window.rgb().copy(), self._around(window, evidence, settings)
        for line, (left, right) in self._lines_in(window, evidence, settings):
            mend_line(picture, line, (left, right), partial(around.showing, line, left + right + 1))
        return picture

    def _around(self, window: Window, evidence: Evidence, settings: ScratchSettings) -> FramesAround:
        return FramesAround(window, evidence.mask, lambda there: self._scratches(there, settings)[0])

    def _lines_in(
        self, window: Window, evidence: Evidence, settings: ScratchSettings
    ) -> Iterator[tuple[Line, tuple[int, int]]]:  # fmt: skip
        """The scratches that the evidence holds, and how far each reaches; those drawn by hand are among them."""
        rgb, height = window.rgb(), window.format.height
        rest = evidence.mask.copy()
        for stroke in window.strokes():
            whole = np.zeros_like(rest)
            whole[stroke.box] = stroke.inside
            if (whole & rest).sum() > HELD * whole.sum() and (own := drawn_line(whole, stroke.blob.area)) is not None:
                rest &= ~whole
                yield own
        for found in lines_of(window.study(), window.number, height, _unsure(settings)):
            line = _centred(window, found)
            reach = _reaching(rgb, line, window.study(), settings)
            mine = np.zeros_like(rest)
            lay(mine, line, *reach)
            if mine.any() and (mine & rest).sum() > HELD * mine.sum():
                rest &= ~grow(mine, 2)
                yield line, reach
        for blob in evidence.blobs:
            if blob.by_hand and (drawn := drawn_line(rest, blob.area)) is not None:
                yield drawn

    def find_at(self, window: Window, area: Area, settings: ScratchSettings) -> Evidence:
        """The line that a person points at, whether the judge takes it for a scratch or not; else what was drawn."""
        rgb, height = window.rgb(), window.format.height
        x, y, width, tall = area
        for found in lines_of(window.study(), window.number, height, _unsure(settings)):
            line = _centred(window, found)
            mask = np.zeros(rgb.shape[:2], np.bool_)
            around = lay(mask, line, *_reaching(rgb, line, window.study(), settings))
            if mask[y : y + tall, x : x + width].any():
                return Evidence(mask, blobs=(replace(blob_of(line, around, rgb, 0.0), by_hand=True),))
        mask = np.zeros(rgb.shape[:2], np.bool_)
        mask[y : y + tall, x : x + width] = True
        return Evidence(mask, blobs=(Blob(area, int(mask.sum()), 0.0, 0.0, by_hand=True),))

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: ScratchSettings) -> str:
        """How a scratch is mended, in words."""
        x, y, width, tall = area
        for line, (left, right) in self._lines_in(window, evidence, settings):
            mine = np.zeros_like(evidence.mask)
            lay(mine, line, left, right)
            if not mine[y : y + tall, x : x + width].any():
                continue
            others = partial(self._around(window, evidence, settings).showing, line, left + right + 1)
            done = mend_line(window.rgb().copy(), line, (left, right), others)
            words = f"{left + right + 1} px wide; what is left under it is kept"
            if done.opaque < LEAST_OPAQUE:
                return words
            put = f"{done.opaque:.0%} of its length hides everything: {done.from_others:.0%} of that from other frames"
            return f"{words}; {put}, the rest from its flanks"
        return ""

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        sure = (study["score"] > threshold(ScratchSettings())) & upright(study)
        frames = int(study["shot"][1] - study["shot"][0])
        if not sure.any():
            return ("No scratch in this shot that is sure enough with the usual caution.",)
        on, counts = np.unique(study["frame"][sure], return_counts=True)
        most = "1 scratch" if counts.max() == 1 else f"{counts.max()} scratches"
        return (f"Up to {most} on a frame, on {len(on)} of {frames} frames, with the usual caution.",)

    def chart(self, study: Arrays) -> Chart | None:
        """How much of the height scratches take, over the frames."""
        first, stop = (int(value) for value in study["shot"])
        sure = (study["score"] > threshold(ScratchSettings())) & upright(study)
        length = np.zeros(stop - first, np.float32)
        np.add.at(length, study["frame"][sure] - first, study["bands"][sure] * np.float32(HOP_PX))
        lines = (ChartLine("scratches", length),)
        return Chart("length of all scratches", "px", lines) if sure.any() else None


def _drawn_by_hand(window: Window) -> Mask | None:
    """(H, W) bool, what a person drew, with what is nearest to it; None where there is nothing."""
    strokes = window.strokes()
    if not strokes:
        return None
    mask = np.zeros((window.format.height, window.format.width), np.bool_)
    for stroke in strokes:
        mask[stroke.box] |= stroke.inside
    return grow(mask, BESIDE_PX)


def _lies_under(line: Line, drawn: Mask) -> bool:
    """Whether what was drawn is this line: most of its middle lies in it."""
    across = np.clip(np.rint(line.centre).astype(int), 0, drawn.shape[1] - 1)
    return float(drawn[line.rows, across].mean()) > HELD


def _passed_by(window: Window, line: Line) -> bool:
    """Whether the picture moves under a line, which then is none of the picture's own uprights."""
    side = next((side for side in (1, -1) if window.has(side)), None)
    if side is None:
        return False
    across = window.motion(side, "quick")[line.rows, np.clip(line.centre.astype(int), 0, window.format.width - 1), 0]
    return float(np.median(np.abs(across))) >= PASSES_PX


def _centred(window: Window, found: Line) -> Line:
    """A line where the frame shows it; made once."""
    where = content_key(found.top, found.centre.tobytes(), found.width, found.dark)
    moved = window.keep(
        f"centred {ScratchStep.version} {where}", lambda: centred(window.rgb(), found), lambda line: line.centre.nbytes
    )
    return replace(found, centre=moved.centre, width=moved.width)


def _reaching(rgb: Rgb, line: Line, study: Arrays, settings: ScratchSettings) -> tuple[int, int]:
    left, right = with_shoulders(study, line, extent_of(rgb, line))
    return max(0, left + settings.grow_left_px), max(0, right + settings.grow_right_px)


def _unsure(settings: ScratchSettings) -> ScratchSettings:
    """The same, but taking whatever was followed at all."""
    return settings.model_copy(update={"caution": 0.0, "min_length_pct": 0.0, "polarity": "both", "seen_in": "any"})


def _small_flow(window: Window) -> Flow:
    """From the frame to the next one, at half the size."""
    here, there = (_half(window.luma8(offset)) for offset in (0, 1))
    return estimate_flow(here, there, "quick")


def _half(luma: np.ndarray) -> np.ndarray:
    size = max(1, luma.shape[1] // 2), max(1, luma.shape[0] // 2)
    return np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)
