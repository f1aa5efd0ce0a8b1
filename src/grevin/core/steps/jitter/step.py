"""Puts lines straight that a trembling time base displaced sideways, each line by itself: upright edges tremble.

Each line is moved until it fits those above and below, by fractions of a pixel, in each field by itself; the colour
goes with it. Whether a shot trembles is told first, over many of its frames: one that does not comes out bit for bit.
What bends slowly, over many lines, is left: it cannot be told from what one picture shows. Wobble takes that.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.line_jitter import displacements, lines_of_plane, moved_lines, trembling
from grevin.core.measure.sampling import spread_over
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import Plane, levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.jitter.settings import JitterSettings
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

BESIDE = (1, 2, -1)  # frames from one to another that is no repeat of it
LOOKED_AT = 8  # frames of a shot: a time base trembles all along


class JitterStep:
    """See the module."""

    id: ClassVar[str] = "jitter"
    label: ClassVar[str] = "Line jitter"
    fault: ClassVar[str] = "Upright edges tremble: each line lies displaced sideways"
    version: ClassVar[int] = 2
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = JitterSettings
    works_on_fields: ClassVar[bool] = True  # the lines of a field were written one after the other
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: JitterSettings) -> int:
        """Looks at no other frame."""
        return 0

    def learn(self, shot: Shotwise, settings: JitterSettings, progress: Progress) -> Arrays:
        """By how much the lines of a shot tremble."""
        return shot.kept("line jitter of its own", lambda: _measured(shot, progress))

    def render(self, window: Window, settings: JitterSettings) -> Frame:
        """The frame with its lines put straight; itself where they do not tremble."""
        frame = window.frame()
        steady = float(window.study()["trembles"]) < settings.least_px
        if settings.strength <= 0 or (settings.acts == "found" and steady):
            return frame
        levels = levels_of(frame)
        far = np.float32(settings.strength) * displacements(_brightness(frame, levels))
        if not far.any():
            return frame
        changed = {
            place: moved_lines(plane, lines_of_plane(far, plane, levels[0])) for place, plane in enumerate(levels)
        }
        return with_levels(frame, levels, changed)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        size = float(study["trembles"])
        told = f"Lines are displaced by {size:.2f} px, each by itself."
        return (told,) if size >= JitterSettings().least_px else (f"{told} Steady pictures show as much.",)

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found lines that tremble."""
        if "jitter" not in facts.found:
            return None
        return Suggestion("jitter", f"lines tremble by about {facts.middle('line_jitter'):.2f} px")


def _measured(shot: Shotwise, progress: Progress) -> Arrays:
    """Standard deviation of the displacements, px: the middle over frames."""
    frames = shot.frames
    chosen = spread_over(frames, LOOKED_AT)
    progress.begin(len(chosen), "Looking how lines lie")
    sizes = []
    for number in chosen:
        here = _plane_of(shot, number)
        others = (_plane_of(shot, number + by) for by in BESIDE if number + by in frames)
        beside = next((displacements(other) for other in others if not np.array_equal(other, here)), None)
        sizes.append(trembling(displacements(here), beside))
        progress.advance()
    return {"trembles": np.array(np.median(sizes))}


def _plane_of(shot: Shotwise, number: int) -> Plane:
    frame = shot.window(number).frame()
    return _brightness(frame, levels_of(frame))


def _brightness(frame: Frame, levels: list[Plane]) -> Plane:
    """Luma, grey, or green."""
    return levels[1] if frame.format.model == "rgb" else levels[0]
