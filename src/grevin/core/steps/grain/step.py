"""Gives grain back at the end: new on every frame, with the size, level curve and spectrum of the material's own.

The grain is measured in the pictures as they were before the step Grain and noise, and made anew from a seed: nothing
of the old pattern is copied, so it sticks to nothing that moves. Without that step before it, and with nothing else
said, every frame stays as it is.
"""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.measure.noise.made import grains, plain_spectrum
from grevin.core.measure.noise.model import PLANES, NoiseModel, unpacked
from grevin.core.measure.noise.over_shot import measured
from grevin.core.motion.flow import Flow, estimate_flow
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.levels import levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.charting import LEFT_ALONE
from grevin.core.steps.grain.settings import GrainSettings
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

BEFORE = "noise"  # the step that takes what is given back
LEAST_SIGMA = 0.3  # 8-bit levels: less is lost in rounding
LEVEL_PX = 5  # side of the surroundings whose level says how much grain there is
COLOUR_SHARE = 0.5  # of the level of plain grain, that its colour has (common practice, no source)


class GrainStep:
    """See the module."""

    id: ClassVar[str] = "grain"
    label: ClassVar[str] = "Grain given back"
    fault: ClassVar[str] = "The picture looks like wax without its grain"
    version: ClassVar[int] = 4
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "finish"
    settings_model: ClassVar[type[Settings]] = GrainSettings

    def reach(self, settings: GrainSettings) -> int:
        """Looks at no other frame."""
        return 0

    def learn(self, shot: Shotwise, settings: GrainSettings, progress: Progress) -> Arrays:
        """The grain of a shot before it was taken."""
        if settings.kind == "plain":
            return {"plain": np.array([True])}

        def around(number: int) -> tuple[Frame, Frame] | None:
            return shot.window(number).around(BEFORE)

        def before(number: int) -> Frame | None:
            both = around(number)
            return None if both is None else both[0]

        def flow(number: int) -> Flow:
            here, there = around(number), around(number + 1)
            assert here is not None
            assert there is not None
            return estimate_flow(here[1].luma8(), there[1].luma8(), "steady")

        def seen(number: int) -> Mask | None:
            mask, frame = shot.seen(number), before(number)
            same = mask is not None and frame is not None and mask.shape == frame.planes[0].shape
            return mask if same else None

        # not asked whether it stands: every frame that is looked at has to be made by the steps before
        found = shot.kept("grain", lambda: measured(shot.frames, before, flow, seen, progress, 1))
        return {**found, "plain": np.array([False])}

    def render(self, window: Window, settings: GrainSettings) -> Frame:
        """The frame under new grain; itself where there is none to give."""
        frame = window.frame()
        model = _plain(settings, frame.format) if settings.kind == "plain" else _measured(window.study())
        amount = 1.0 if settings.kind == "plain" else settings.amount
        if model is None or amount * model.typical < LEAST_SIGMA:
            return frame
        levels = levels_of(frame)
        around = cv2.blur(levels[0], (LEVEL_PX, LEVEL_PX))
        size = 1.0 if settings.kind == "plain" else settings.size
        grained = {}
        made = grains([plane.shape[:2] for plane in levels], model, size, (settings.seed, window.number))
        for place, (plane, own) in enumerate(zip(levels, made, strict=True)):
            sigma = model.at(np.arange(256, dtype=np.float32), place) * np.float32(amount)
            if sigma.any():
                here = cv2.resize(around, plane.shape[::-1], interpolation=cv2.INTER_AREA)
                grained[place] = plane + sigma[np.clip(here, 0, 255).astype(np.uint8)] * own
        return with_levels(frame, levels, grained)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What is given back in a shot, in words."""
        if study["plain"].any():
            return ("Grain of a size and level of its own.",)
        model = _measured(study)
        if model is None:
            return ("No grain was measured before the step Grain and noise: there is none to give back.", LEFT_ALONE)
        return (f"Grain of {model.typical:.1f} levels was measured before the step Grain and noise.",)


def _measured(study: Arrays) -> NoiseModel | None:
    """As much as was sure enough to be taken."""
    model = unpacked(study)
    return None if model is None else model.sure()


def _plain(settings: GrainSettings, fmt: PictureFormat) -> NoiseModel:
    """Grain of one size and level all over the range."""
    colour = COLOUR_SHARE if fmt.model == "yuv" else 1.0
    sigma = settings.plain_levels * np.array([[1.0], [colour], [colour]])
    spectrum = np.stack([plain_spectrum(settings.plain_px)] * PLANES)
    return NoiseModel(np.array([128.0]), sigma, spectrum, np.array([1]), np.zeros(1), np.eye(PLANES))
