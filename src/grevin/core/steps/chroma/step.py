"""Brings colour back to its edges: tapes lay it to the right, a line lower with every copy, and smear it.

The shift is found for each shot, over many of its frames, by the distance at which changes of colour and of brightness
are most alike. What is below one sample of colour is left, bit for bit: pictures whose colour is right show up to .7 of
one. Where colour seems to lie at several places, as on things that repeat, nothing is done, and numbers help. Where the
shift changes down the picture, as colour with a time base of its own does, each line is brought back by its own.

Colour that ran out along the lines is told by the sharpest of its upright edges: where not one is sharp, and those of
brightness and level ones are, the recording could not carry more. It is brought back to the edges that brightness
shows beside it, and has to give what was recorded when it is smeared again. Colour of which every second sample repeats
the one before (4:1:1 in wider planes) is treated alike. Only the colour planes are changed; brightness is not touched.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.colour_lines import taken_back
from grevin.core.measure.colour_shift import moved
from grevin.core.measure.colour_smear import TEN_TO_NINETY
from grevin.core.measure.line_jitter import Lines, moved_lines
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import Plane, levels_of, with_levels
from grevin.core.picture.resampling import KERNELS, resized
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.chroma.looking import Known, known_of, looked_at, words_of
from grevin.core.steps.chroma.settings import LEAST_SAMPLES, ChromaSettings
from grevin.core.steps.chroma.unsmearing import UNDOUBLED, undoubled, unsmeared
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

NOTHING = 0.01  # px
LEAST_SIDE = 5  # samples of a plane in which colour can follow brightness


class ChromaStep:
    """See the module."""

    id: ClassVar[str] = "chroma"
    label: ClassVar[str] = "Colour shift"
    fault: ClassVar[str] = "Colour lies beside or below the things it belongs to, or ran out along the lines"
    version: ClassVar[int] = 4
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = ChromaSettings
    works_on_fields: ClassVar[bool] = True
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: ChromaSettings) -> int:
        """Looks at no other frame."""
        return 0

    def learn(self, shot: Shotwise, settings: ChromaSettings, progress: Progress) -> Arrays:
        """How far colour lies beside its edges, across and down, and how far it ran out."""
        return shot.kept("colour shift and smear", lambda: looked_at(shot, progress))

    def render(self, window: Window, settings: ChromaSettings) -> Frame:
        """The frame with its colour moved back and sharp; itself where nothing is to be done."""
        frame, fmt = window.frame(), window.format
        if fmt.model != "yuv":
            return frame
        known = known_of(window.study())
        right, down, lines = _shift(known, settings)
        sigma, doubled = _smear(known, settings)
        moves = max(abs(right), abs(down)) >= NOTHING or len(lines) > 0
        if not moves and (sigma < NOTHING or min(frame.planes[1].shape) < LEAST_SIDE):
            return frame
        levels = levels_of(frame)
        colours = [_brought_back(plane, right, down, lines) if moves else plane for plane in levels[1:3]]
        if sigma >= NOTHING:
            luma = resized(levels[0], (colours[0].shape[0], colours[0].shape[1]), KERNELS["cubic"])
            colours = [_sharp(plane, luma, sigma, doubled, settings.smear_strength) for plane in colours]
        return with_levels(frame, levels, dict(enumerate(colours, 1)))

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        return words_of(known_of(study))

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found colour beside its edges, or run out."""
        if "chroma" not in facts.found:
            return None
        told = []
        right, down = facts.middle("colour_right"), facts.middle("colour_down")
        if max(abs(right), abs(down)) >= LEAST_SAMPLES:  # unknown is not
            told.append(f"colour lies {right:+.1f} samples to the right and {down:+.1f} down")
        apart = facts.middle("colour_lines")
        if apart > 0:
            told.append(f"lines of colour lie {apart:.1f} samples apart")
        smear = facts.middle("colour_smear")
        if smear > 0:
            told.append(f"colour takes {smear:.0f} px over its sharpest edges")
        return Suggestion("chroma", "; ".join(told)) if told else None


def _shift(known: Known, settings: ChromaSettings) -> tuple[float, float, Lines]:
    """Samples of colour that are taken back, to the right and down, and of each line."""
    alike = known.beside[:0]
    if settings.acts == "given":
        return settings.right_px / known.across, settings.down_lines / known.down, alike
    found, least = known.shift, settings.least_samples
    if settings.lines == "found" and len(known.beside):
        is_low = found.is_known and abs(found.down) >= least
        return 0.0, found.down if is_low else 0.0, taken_back(known.beside, least)
    is_shifted = found.is_known and max(abs(found.right), abs(found.down)) >= least
    return (found.right, found.down, alike) if is_shifted else (0.0, 0.0, alike)


def _brought_back(plane: Plane, right: float, down: float, lines: Lines) -> Plane:
    if not len(lines):
        return moved(plane, -right, -down)
    own = np.interp(np.linspace(0, 1, len(plane)), np.linspace(0, 1, len(lines)), lines)  # a field may have one more
    return moved_lines(moved(plane, 0.0, -down) if down else plane, own.astype(np.float32))


def _smear(known: Known, settings: ChromaSettings) -> tuple[float, bool]:
    """Standard deviation of the low-pass that is taken back, in samples of colour, and whether samples are doubled."""
    if settings.smear == "leave" or settings.smear_strength == 0:
        return 0.0, False
    doubled = known.smear.is_doubled
    if settings.smear == "given":
        return settings.smear_px / TEN_TO_NINETY / known.across, doubled
    return max(known.along, UNDOUBLED if doubled else 0.0), doubled


def _sharp(plane: Plane, luma: Plane, sigma: float, doubled: bool, strength: float) -> Plane:
    made = unsmeared(undoubled(plane) if doubled else plane, luma, sigma)
    return np.asarray(plane + np.float32(strength) * (made - plane), np.float32)
