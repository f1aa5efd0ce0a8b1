"""Takes noise along the motion and out of what is left, by what was measured of it.

The noise of a shot is measured in plain places of neighbouring frames: its size at each level, in luma and in colour,
and its spectrum, for grain is no white noise. A frame is averaged with those around where they show the same thing,
place by place, and what noise is left is taken by its spectrum. What the measure may be off by is left in the picture.
Material without noise above its own rounding comes out bit for bit.
"""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import PART
from grevin.core.measure.noise.model import PLANES, NoiseModel
from grevin.core.measure.noise.over_shot import measured
from grevin.core.motion.flow import Flow
from grevin.core.motion.meaning import Around, Comparing, meaned
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import Plane, levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.charting import Chart
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.noise.along_motion import ways_around
from grevin.core.steps.noise.checking import checked
from grevin.core.steps.noise.curve import drawn, model_for
from grevin.core.steps.noise.holds import Holds, frames_of
from grevin.core.steps.noise.settings import NoiseSettings
from grevin.core.steps.noise.shrinking import COARSE_STEP, FINE_STEP, shrunk
from grevin.core.steps.noise.telling import LEAST_SIGMA, chart_of, words_of
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

NOISY_SIGMA = 2.0  # 8-bit levels of a survey from which noise is proposed to be taken
LEVEL_PX = 5  # side of the surroundings whose level says how much noise there is
FINE_PX, COARSE_PX = 3.0, 6.0  # periods up to which noise is fine, and from which it is coarse


class NoiseStep:
    """See the module."""

    id: ClassVar[str] = "noise"
    label: ClassVar[str] = "Grain and noise"
    fault: ClassVar[str] = "Grain or noise hides the picture, or costs too many bits"
    version: ClassVar[int] = 6
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = NoiseSettings
    works_on_fields: ClassVar[bool] = True  # the two fields of a frame are two moments
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: NoiseSettings) -> int:
        """Frames that may be averaged: as many changes of the noise as are asked for, which may stand for some."""
        return frames_of(settings)

    def learn(self, shot: Shotwise, settings: NoiseSettings, progress: Progress) -> Arrays:
        """The noise of a shot."""

        def frame(number: int) -> Frame:
            return shot.window(number).frame()

        def flow(number: int) -> Flow:
            return shot.window(number).motion(1, "steady")

        renews = settings.renews_every_frames
        found = shot.kept(f"noise {renews}", lambda: measured(shot.frames, frame, flow, shot.seen, progress, renews))
        depth = shot.window(shot.frames.start).format.bit_depth
        first = np.array(shot.frames.start)
        return {**found, "first": first, "depth": np.array(depth), "drawn": drawn(settings.curve)}

    def render(self, window: Window, settings: NoiseSettings) -> Frame:
        """The frame without its noise; itself where none was measured for sure.

        What is not sure of the measure is not taken. Half of it counts when frames are compared: one that is believed
        too little takes no noise away, one that is believed too much takes detail.
        """
        frame, study = window.frame(), window.study()
        model = model_for(study)
        places = [] if model is None else _taken(model.sure(), frame.format, settings)
        if model is None or not places:
            return frame
        levels = levels_of(frame)
        own = [levels[place] for place in places]
        strengths = [_strength(place, frame.format, settings) for place in places]
        sigmas = _sigmas(model, levels[0], own, places, strengths)

        def around(offset: int, flow: Flow) -> Around:
            theirs = levels_of(window.frame(offset))
            return Around([theirs[place] for place in places], flow, holds.of(offset))

        holds = Holds(window, study)
        others = (
            around(offset, flow) for offset, flow in ways_around(window, holds, holds.reach(settings), model.typical**2)
        )
        comparing = [Comparing.of_grain(model.grain_area(place)) for place in places]
        alike = [sigma * np.float32(np.sqrt(model.certain)) for sigma in sigmas]
        made = meaned(own, others, alike, comparing)
        quiet = {}
        for place, mean, sigma in zip(places, made, sigmas, strict=True):
            step = COARSE_STEP if _is_chroma(place, frame.format) else FINE_STEP  # colour is coarse to the eye
            spectrum = _weighted(model.spectrum[place], settings)
            left = np.square(sigma * np.float32(model.certain)) * mean.share
            quiet[place] = shrunk(mean.plane, left, spectrum, step, settings.quick)
        return with_levels(frame, levels, quiet)

    def check(self, window: Window, made: Frame, settings: NoiseSettings) -> Evidence:
        """Where more than noise went."""
        frame, model = window.frame(), model_for(window.study())
        height, width = frame.format.height, frame.format.width
        if made is frame or model is None:
            return Evidence(np.zeros((height, width), np.bool_), words="left as it is.")
        before, after = levels_of(frame)[0], levels_of(made)[0]
        (sigma,) = _sigmas(model, before, [before], [0], [1.0])
        return checked(before, after, sigma, model.grain_area(0))

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was measured in a shot, in words."""
        return words_of(study, rate)

    def chart(self, study: Arrays) -> Chart | None:
        """The noise at each level, for a hand to draw on."""
        return chart_of(study)

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey measured noise that shows."""
        sigma = facts.middle("noise") if "noise" in facts.curves else 0.0
        if not sigma > NOISY_SIGMA:
            return None
        held = "; it stands still where the picture moves" if "held_noise" in facts.found else ""
        return Suggestion("noise", f"noise of {sigma:.1f} levels{held}")


def _is_chroma(plane: int, fmt: PictureFormat) -> bool:
    return plane > 0 and fmt.model == "yuv"


def _strength(plane: int, fmt: PictureFormat, settings: NoiseSettings) -> float:
    return settings.colour_strength if _is_chroma(plane, fmt) else settings.strength


def _taken(model: NoiseModel, fmt: PictureFormat, settings: NoiseSettings) -> list[int]:
    """The planes whose noise is taken."""
    return [
        plane for plane in range(min(PLANES, fmt.colour_planes))
        if _strength(plane, fmt, settings) > 0 and model.size(plane) > LEAST_SIGMA
    ]  # fmt: skip


def _sigmas(
    model: NoiseModel, first: Plane, own: list[Plane], places: list[int], strengths: list[float]
) -> list[Plane]:  # fmt: skip
    """(H, W) standard deviation of the noise in each plane, by the level of the first one around."""
    level = cv2.blur(first, (LEVEL_PX, LEVEL_PX))
    result = []
    for plane, place, strength in zip(own, places, strengths, strict=True):
        here = cv2.resize(level, plane.shape[::-1], interpolation=cv2.INTER_AREA)
        table = model.at(np.arange(256, dtype=np.float32), place) * np.float32(strength)
        result.append(table[np.clip(here, 0, 255).astype(np.uint8)])
    return result


def _weighted(spectrum: npt.NDArray[np.float64], settings: NoiseSettings) -> Plane:
    """A spectrum with fine and coarse noise as strong as they are to be taken."""
    number = np.arange(PART)
    period = 2 * PART / np.maximum(np.hypot(number[:, None], number[None, :]), 1e-3)
    share = np.clip((period - FINE_PX) / (COARSE_PX - FINE_PX), 0.0, 1.0)
    factor = settings.finest + (settings.coarsest - settings.finest) * share
    return np.asarray(spectrum * factor**2, np.float32)
