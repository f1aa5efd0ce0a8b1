"""Takes noise along the motion and out of what is left, by what was measured of it.

The noise of a shot is measured in plain places of neighbouring frames: its size at each level, in luma and in colour,
and its spectrum, for grain is no white noise. A frame is averaged with those around where they show the same thing,
place by place, and what noise is left is taken by its spectrum. Material without noise above its own rounding comes
out bit for bit.
"""

from __future__ import annotations

from typing import Any, ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import PART
from grevin.core.measure.noise.model import PLANES, NoiseModel, unpacked
from grevin.core.measure.noise.over_shot import measured
from grevin.core.motion.flow import Flow
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.charting import LEFT_ALONE, Chart, Line
from grevin.core.steps.noise.along_motion import Plane, eight_bit, meaned, near_px, ways
from grevin.core.steps.noise.settings import NoiseSettings
from grevin.core.steps.noise.shrinking import COARSE_STEP, FINE_STEP, shrunk
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

LEAST_SIGMA = 0.45  # 8-bit levels: rounding alone is .29 (the root of a twelfth), a codec's little more
NOISY_SIGMA = 2.0  # 8-bit levels of a survey from which noise is proposed to be taken
LEVEL_PX = 5  # side of the surroundings whose level says how much noise there is
FINE_PX, COARSE_PX = 3.0, 6.0  # periods up to which noise is fine, and from which it is coarse


class NoiseStep:
    """See the module."""

    id: ClassVar[str] = "noise"
    label: ClassVar[str] = "Grain and noise"
    fault: ClassVar[str] = "Grain or noise hides the picture, or costs too many bits"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = NoiseSettings

    def reach(self, settings: NoiseSettings) -> int:
        """Frames that are averaged."""
        return settings.reach_frames

    def learn(self, shot: Shotwise, settings: NoiseSettings, progress: Progress) -> Arrays:
        """The noise of a shot."""

        def frame(number: int) -> Frame:
            return shot.window(number).frame()

        def flow(number: int) -> Flow:
            return shot.window(number).motion(1, "steady")

        return shot.kept("noise", lambda: measured(shot.frames, frame, flow, progress))

    def render(self, window: Window, settings: NoiseSettings) -> Frame:
        """The frame without its noise; itself where none was measured."""
        frame, model = window.frame(), unpacked(window.study())
        taken = [] if model is None else [plane for plane in range(PLANES) if _takes(model, plane, settings)]
        if model is None or 0 not in taken:
            return frame
        places = [plane for plane in range(min(PLANES, len(frame.planes))) if plane in taken]
        unit = _unit(frame)
        own = [eight_bit(frame.planes[place], unit) for place in places]
        sigmas = _sigmas(model, own, places, settings)
        others = (
            ([eight_bit(window.frame(offset).planes[place], unit) for place in places], flow)
            for offset, flow in ways(window, settings.reach_frames)
        )
        sides = [near_px(model.grain_area(place)) for place in places]
        made = meaned(own, others, sigmas, sides)
        planes: list[npt.NDArray[Any]] = list(frame.planes)
        for place, mean, sigma in zip(places, made, sigmas, strict=True):
            spectrum = _weighted(model.spectrum[place], settings)
            step = FINE_STEP if place == 0 else COARSE_STEP  # colour is coarse to the eye
            quiet = shrunk(mean.plane, sigma * sigma * mean.share, spectrum, step)
            planes[place] = quiet * np.float32(unit)
        return frame.with_planes(tuple(planes))

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was measured in a shot, in words."""
        model = unpacked(study)
        if model is None:
            return ("No plain place was found in which noise could be measured.", LEFT_ALONE)
        size = model.typical
        if size < LEAST_SIGMA:
            return (f"No noise in this shot above its rounding: {size:.2f} levels.", LEFT_ALONE)
        most, least = int(np.argmax(model.sigma[0])), int(np.argmin(model.sigma[0]))
        words = f"Noise of {size:.1f} levels"
        if model.sigma[0, most] > 1.25 * model.sigma[0, least]:
            words += (f", from {model.sigma[0, least]:.1f} at level {model.levels[least]:.0f} to "
                      f"{model.sigma[0, most]:.1f} at level {model.levels[most]:.0f}")  # fmt: skip
        colour = float(np.sqrt(np.mean(np.square(model.sigma[1:]))))
        return (
            f"{words}, {_grain_words(model)}; {colour:.1f} in colour.",
            f"Measured in {int(model.samples.sum())} plain places of {len(model.levels)} levels.",
        )

    def chart(self, study: Arrays) -> Chart | None:
        """The noise at each level."""
        model = unpacked(study)
        if model is None:
            return None
        luma, blue, red = (model.at(np.arange(0, 256, 4, dtype=np.float32), plane) for plane in range(PLANES))
        colour = np.sqrt(0.5 * (blue * blue + red * red)).astype(np.float32)
        lines = (Line("noise of brightness", luma), Line("noise of colour", colour, measured=False))
        return Chart("noise from black to white", "levels", lines, over="levels")

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey measured noise that shows."""
        sigma = facts.middle("noise") if "noise" in facts.curves else 0.0
        if not sigma > NOISY_SIGMA:
            return None
        return Suggestion("noise", f"noise of {sigma:.1f} levels")


def _takes(model: NoiseModel, plane: int, settings: NoiseSettings) -> bool:
    strength = settings.strength if plane == 0 else settings.colour_strength
    return strength > 0 and float(np.sqrt(np.mean(np.square(model.sigma[plane])))) > LEAST_SIGMA


def _unit(frame: Frame) -> float:
    """Code values of an 8-bit level."""
    return 1.0 / 255.0 if frame.format.sample == "half" else float(1 << (frame.format.bit_depth - 8))


def _sigmas(model: NoiseModel, own: list[Plane], places: list[int], settings: NoiseSettings) -> list[Plane]:
    """(H, W) standard deviation of the noise in each plane, by the level around."""
    level = cv2.blur(own[0], (LEVEL_PX, LEVEL_PX))
    result = []
    for plane, place in zip(own, places, strict=True):
        here = cv2.resize(level, plane.shape[::-1], interpolation=cv2.INTER_AREA)
        strength = settings.strength if place == 0 else settings.colour_strength
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


def _grain_words(model: NoiseModel) -> str:
    """White, or how large the grain is."""
    spectrum = model.spectrum[0]
    fine = float(spectrum[5:, 5:].mean())
    coarse = float(spectrum[:3, :3].mean())
    if fine > 0.6 * coarse:
        return "as fine as the picture's own pixels"
    return f"{'a little' if fine > 0.2 * coarse else 'much'} coarser than the picture's own pixels"
