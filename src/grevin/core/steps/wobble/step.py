"""Puts pictures straight that sway and bend sideways: a time base that wobbles, or runs in too late at the top.

Each line goes back to where it lies on the pictures around, many lines together, in each field by itself; the colour
goes with it. Bends are told from what the picture does by itself: they go sideways only, along the whole of a line, and
not steadily. A shot that does not sway comes out bit for bit, and so does one in which too much moves by itself.
What is bent alike on all pictures of a shot is left: nothing shows how it should lie.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.line_jitter import lines_of_plane, moved_lines
from grevin.core.measure.wobble import PARTS, Strips, bends, lines_of, strips_of, swayed
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.charting import LEFT_ALONE, Chart, Line
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.wobble.settings import WobbleSettings

LEAST_KNOWN = 0.4  # share of the strips that have to tell whether a shot sways
LEAST_PX = 0.05  # a frame whose lines would move by less is left bit for bit
FEWEST = 5  # pictures of a shot, of which a bend can be told from what goes on


class WobbleStep:
    """See the module."""

    id: ClassVar[str] = "wobble"
    label: ClassVar[str] = "Wobble"
    fault: ClassVar[str] = "The picture sways and bends sideways, many lines together"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = WobbleSettings
    works_on_fields: ClassVar[bool] = True  # the lines of a field were written one after the other
    learns_from: ClassVar[LearnsFrom] = "fields"  # each is bent in its own way

    def reach(self, settings: WobbleSettings) -> int:
        """The shot is learned; a frame itself needs no other."""
        return 0

    def learn(self, shot: Shotwise, settings: WobbleSettings, progress: Progress) -> Arrays:
        """How the pictures of a shot bend."""
        looked = shot.kept("strips", lambda: _measured(shot, progress))
        return _studied(looked, settings, shot.per_frame, progress) | {"first": np.array(shot.frames.start)}

    def render(self, window: Window, settings: WobbleSettings) -> Frame:
        """The frame put straight; itself where it is not bent."""
        frame, study = window.frame(), window.study()
        if not len(study["bends"]) or settings.strength <= 0:
            return frame
        bend = np.float32(settings.strength) * study["bends"][window.moment - int(study["first"])]
        if float(np.abs(bend).max()) < LEAST_PX:
            return frame
        levels = levels_of(frame)
        far = lines_of(bend, len(levels[0]))
        changed = {
            place: moved_lines(plane, lines_of_plane(far, plane, levels[0])) for place, plane in enumerate(levels)
        }  # fmt: skip
        return with_levels(frame, levels, changed)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        known, size = float(study["known"]), float(study["size"])
        if not len(study["bends"]) and known < LEAST_KNOWN:
            return (
                f"Too much of the picture moves by itself, or too little is in it, to tell whether it sways: "
                f"{100 * known:.0f} % of the lines could be told.",
                LEFT_ALONE,
            )
        told = f"Lines sway together by {size:.2f} px."
        return (told,) if len(study["bends"]) else (f"{told} Steady pictures show as much.", LEFT_ALONE)

    def chart(self, study: Arrays) -> Chart | None:
        """How far the pictures bend, over the frames."""
        if not len(study["bends"]):
            return None
        size = np.abs(study["bends"]).max(axis=1).astype(np.float32)
        return Chart("how far lines lie aside, at most", "px", (Line("bend", size),), per_frame=int(study["per_frame"]))

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found that pictures sway."""
        if "wobble" not in facts.found:
            return None
        return Suggestion("wobble", f"lines sway together by about {facts.middle('wobble'):.1f} px")


def _measured(shot: Shotwise, progress: Progress) -> Arrays:
    """Of all pairs of pictures: "right", (T - 1, N, PARTS) px; "sure", the same shape; "down", (T - 1,) lines."""
    frames = shot.frames
    progress.begin(len(frames), "Looking how the picture sways")

    def look(number: int) -> Strips | None:
        window = shot.window(number)
        return strips_of(window.luma8(), window.luma8(1), window.motion(1, "far"))

    right, sure, down = [], [], []
    for strips in in_parallel(look, frames[:-1]):
        if strips is not None:
            right.append(strips.right.astype(np.float16))  # a shot may be an hour
            sure.append(strips.sure)
            down.append(strips.down)
        progress.advance()
    if not right:
        return {"right": np.zeros((0, 0, PARTS)), "sure": np.zeros((0, 0, PARTS), np.bool_), "down": np.zeros(0)}
    return {"right": np.stack(right), "sure": np.stack(sure), "down": np.array(down, np.float32)}


def _studied(looked: Arrays, settings: WobbleSettings, per_frame: int, progress: Progress) -> Arrays:
    """What the step acts by.

    Returns:
        "bends": (T, N) px by which strips lie too far right, empty where nothing is to be done; "size": standard
        deviation of bends, px; "known": share of the strips that told it; "per_frame": pictures a frame.
    """
    right, sure = looked["right"], looked["sure"].astype(np.bool_)
    down = looked["down"].astype(np.float64)
    nothing: Arrays = {"bends": np.zeros((0, 0), np.float32), "size": np.array(0.0), "known": np.array(0.0)}
    nothing["per_frame"] = np.array(per_frame)
    frames = settings.frames * per_frame
    if len(right) + 1 < FEWEST:
        return nothing
    progress.begin(2 * len(right) + 2, "Telling bends from what moves")
    sway = swayed(right, sure)
    told_bends = bends(sway, down, frames, progress)[:, sway.told]
    size = float((told_bends - np.median(told_bends, axis=1, keepdims=True)).std())  # a camera moves whole ones
    known = float(sway.known.mean())
    told: Arrays = nothing | {"size": np.array(size), "known": np.array(known)}
    if settings.acts == "found" and (known < LEAST_KNOWN or size < settings.least_px):
        return told
    sway = swayed(right, sure, most=True)
    return told | {"bends": bends(sway, down, frames, progress).astype(np.float32)}
