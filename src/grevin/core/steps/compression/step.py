"""Takes the residue of old codecs: the borders of blocks, the ringing and the specks round edges, blotchy colour.

A codec of cosine transforms leaves its grid in the picture, and a shot in which none shows comes out bit for bit. What
is residue a small network tells, which was trained on photographs and on the same ones after codecs of every kind and
strength (published as a method by Dong and others 2015, from memory; network, pictures and training are our own). Then
a place is averaged with the frames around where they show the same thing: each of them was coded anew. Colour, which
codecs keep at half the size, is left to a smaller network, and gains by more frames what that loses. Quickly, the
smaller one does it all, each frame alone.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.motion.meaning import Around, Comparing, meaned
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import Plane, levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.compression.combs import combs_of
from grevin.core.steps.compression.grids import Grids, grids_in, measured, share_of
from grevin.core.steps.compression.network import cleaned
from grevin.core.steps.compression.settings import CompressionSettings
from grevin.core.steps.compression.telling import words_of
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.ways import ways

LEFT_OVER = 2.0  # rms of the residue that is left, over that of what the network took: set on clips that rule


class CompressionStep:
    """See the module."""

    id: ClassVar[str] = "compression"
    label: ClassVar[str] = "Compression clean-up"
    fault: ClassVar[str] = "Blocks, ringing or blotchy colour of an old codec show"
    version: ClassVar[int] = 3
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = CompressionSettings
    works_on_fields: ClassVar[bool] = True  # the two fields of a frame are two moments
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: CompressionSettings) -> int:
        """Frames that may be averaged."""
        return settings.reach_frames if settings.speed == "full" else 0

    def learn(self, shot: Shotwise, settings: CompressionSettings, progress: Progress) -> Arrays:
        """The grids of a shot, and how its pictures were coded; not of fields, of which blocks may hold both."""

        def made() -> Arrays:
            grids = measured(shot.frames, frame, progress)
            own = shot.frames[:0] if shot.of_fields else shot.frames
            return {**grids, "combs": combs_of(own, frame, grids_in(grids)[0], progress)}

        def frame(number: int) -> Frame:
            return shot.window(number).frame()

        return shot.kept("block grids and combs", made)

    def render(self, window: Window, settings: CompressionSettings) -> Frame:
        """The frame without residue; itself where no grid was found, or nothing is to be taken."""
        frame, grids = window.frame(), grids_in(window.study())
        shares = (1.0, 1.0) if settings.acts == "all" else (share_of(grids[0]), share_of(grids[1]))
        strengths = [
            shares[0] * settings.strength
            if place == 0 or frame.format.model == "rgb"
            else shares[1] * settings.colour_strength
            for place in range(frame.format.colour_planes)
        ]
        if not any(strengths):
            return frame
        own, clean = levels_of(frame), _clean(window, grids, settings.speed == "quick")
        made = _along_motion(window, grids, own, clean, self.reach(settings)) if self.reach(settings) else clean
        changed = {
            place: own[place] + np.float32(strength) * (plane - own[place])
            for place, (plane, strength) in enumerate(zip(made, strengths, strict=True)) if strength > 0
        }  # fmt: skip
        return with_levels(frame, own, changed)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        return words_of(grids_in(study), study["combs"])

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found a grid."""
        if "compression" not in facts.found:
            return None
        times = facts.middle("block_clearness")
        return Suggestion("compression", f"a grid of blocks stands out {times:.0f} times")


def _clean(window: Window, grids: Grids, quick: bool = False) -> list[Plane]:
    """The planes of the middle frame as the network sees them without residue; made once for all that look at it."""

    def make() -> list[Plane]:
        frame = window.frame()
        yuv = frame.format.model == "yuv"
        made = []
        for place, plane in enumerate(levels_of(frame)):
            of_colour = yuv and place > 0
            made.append(cleaned(plane, *grids[int(of_colour)], quick=quick or of_colour))
        return made

    name = f"compression {CompressionStep.version} {'quick ' if quick else ''}{grids}"
    return window.keep(name, make, lambda planes: sum(plane.nbytes for plane in planes))


def _along_motion(window: Window, grids: Grids, own: list[Plane], clean: list[Plane], reach: int) -> list[Plane]:
    """Clean planes in the mean over the frames around."""
    sigmas = [np.full_like(plane, LEFT_OVER * _rms(plane - before)) for plane, before in zip(clean, own, strict=True)]
    flows = ways(window, reach, lambda offset, side: window.at(offset).motion(side, "steady"))
    others = (Around(_clean(window.at(offset), grids), flow, abs(offset)) for offset, flow in flows)
    return [one.plane for one in meaned(clean, others, sigmas, [Comparing()] * len(clean))]


def _rms(plane: Plane) -> float:
    return float(np.sqrt(np.mean(np.square(plane))))
