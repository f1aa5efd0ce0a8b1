"""Simulated wobble: a time base that sways over many lines, runs unsteadily, and pulls aside at the top.

Every field has its own bend where there are fields: its lines were written one after the other. The truth of a frame is
the frame before; what is bent alike on all frames is no part of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.line_jitter import lines_of_plane, moved_lines
from grevin.core.picture.fields import parities_in_time
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import Plane, levels_of, with_levels
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import FrameByFrame, Truth

WAVES = 3  # that roll over the picture
WAVE_HEIGHTS = (0.25, 1.0)  # of a picture, from crest to crest
TURNS = (0.4, 2.5)  # radians by which a wave goes on from picture to picture
RESTLESS_HEIGHT = 0.05  # of a picture: standard deviation of what makes restless bends smooth

Lines = npt.NDArray[np.float32]


@dataclass(frozen=True)
class WobbleDamage:
    """By how much lines lie aside.

    Attributes:
        seed: same seed, same bends.
        waves_px: root mean square of waves that roll over the picture.
        restless_px: root mean square of bends that each picture has for itself.
        top_px: root mean square of how far the first line lies aside.
        top_height: of the picture, over which that falls to a third.
    """

    seed: int = 3
    waves_px: float = 1.0
    restless_px: float = 0.0
    top_px: float = 0.0
    top_height: float = 0.04

    kind: ClassVar[str] = "wobble"

    def over(self, source: FrameSource) -> FrameByFrame:
        """The source, swaying."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """The frame bent, and where it is."""
        levels = levels_of(frame)
        fields = frame.format.has_fields
        order = parities_in_time(frame.format) if fields else (0,)
        changed = {place: plane.copy() for place, plane in enumerate(levels)}
        for moment, parity in enumerate(order):
            part = slice(parity, None, 2) if fields else slice(None)
            luma = levels[0][part]
            far = self.aside(len(luma), len(order) * frame.number + moment)
            for place, plane in enumerate(levels):
                own = plane[part]
                changed[place][part] = moved_lines(np.ascontiguousarray(own), -lines_of_plane(far, own, luma))
        made = with_levels(frame, levels, changed).rounded()
        mask = np.not_equal(_brightness(made), _brightness(frame))
        return made, Truth(self.kind, mask, (), frame.number)

    def aside(self, lines: int, picture: int) -> Lines:
        """(lines,) px by which the lines of a picture lie too far right; the middle of them lies right."""
        down = np.arange(lines) / lines
        steady, own = np.random.default_rng((self.seed, 11)), np.random.default_rng((self.seed, picture, 12))
        far = np.zeros(lines)
        for _ in range(WAVES):
            height, turn = steady.uniform(*WAVE_HEIGHTS), steady.uniform(*TURNS) * steady.choice((-1, 1))
            far += np.sin(2 * np.pi * down / height + turn * picture + steady.uniform(0, 2 * np.pi))
        far *= self.waves_px * np.sqrt(2 / WAVES)
        if self.restless_px:
            far += self.restless_px * _smooth(own, lines)
        far += self.top_px * own.normal() * np.exp(-down / self.top_height)
        return np.asarray(far - np.median(far), np.float32)


def _smooth(rng: np.random.Generator, lines: int) -> npt.NDArray[np.float64]:
    """(lines,) smooth noise of a root mean square of 1 in the mean."""
    sigma = max(1.0, RESTLESS_HEIGHT * lines)
    noise = rng.normal(0, 1, (lines, 1))
    side = 2 * round(4 * sigma) + 1
    kernel = cv2.getGaussianKernel(side, sigma)
    soft = np.asarray(cv2.filter2D(noise, cv2.CV_64F, kernel, borderType=cv2.BORDER_REFLECT_101))[:, 0]
    return np.asarray(soft / np.sqrt(float(np.square(kernel).sum())), np.float64)


def _brightness(frame: Frame) -> Plane:
    return levels_of(frame)[0]
