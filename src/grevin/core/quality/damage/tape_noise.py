"""Simulated noise of a tape: new on every frame, soft along the lines by what the tape carries, and in the colour."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from grevin.core.picture.frame import Frame, Plane
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import DamagedSource, FrameByFrame, Truth

SAMPLES_MHZ = 13.5  # of luma of standard definition, 720 across: BT.601-7, table 3
LUMA_MHZ, COLOUR_MHZ = 3.0, 0.5  # that a home cassette carries (from memory)
HALF_POWER = 0.1325  # standard deviation of a Gaussian times the frequency at which it leaves half of the power


@dataclass(frozen=True)
class TapeNoiseDamage:
    """Noise on luma and on both planes of colour; on red, green and blue alike where there are none.

    Attributes:
        seed: same seed, same noise.
        sigma: standard deviation on luma, 8-bit levels.
        colour_sigma: on each plane of colour.
    """

    kind: ClassVar[str] = "noise"
    seed: int = 7
    sigma: float = 3.0
    colour_sigma: float = 4.0

    def over(self, source: FrameSource) -> DamagedSource:
        """The source with noise."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """One frame with noise."""
        rng = np.random.default_rng((self.seed, frame.number))
        planes = []
        for number, plane in enumerate(frame.planes):
            of_colour = frame.format.model == "yuv" and number in (1, 2)
            sigma, mhz = (self.colour_sigma, COLOUR_MHZ) if of_colour else (self.sigma, LUMA_MHZ)
            wide = HALF_POWER / mhz * SAMPLES_MHZ * plane.shape[1] / frame.format.width
            planes.append(plane if number == 3 else self._noisy(plane, sigma, wide, frame.format.bit_depth, rng))
        everywhere = np.ones((frame.format.height, frame.format.width), np.bool_)
        return Frame(frame.number, frame.format, tuple(planes)), Truth(self.kind, everywhere, (), frame.number)

    @staticmethod
    def _noisy(plane: Plane, sigma: float, wide: float, depth: int, rng: np.random.Generator) -> Plane:
        fine = rng.normal(0.0, 1.0, plane.shape).astype(np.float32)
        soft = np.asarray(cv2.GaussianBlur(fine, (0, 0), sigmaX=wide, sigmaY=1e-3))  # along the lines alone
        noise = soft * (sigma * (1 << (depth - 8)) / float(soft.std()))
        return np.asarray(np.clip(np.rint(plane + noise), 0, (1 << depth) - 1), plane.dtype)
