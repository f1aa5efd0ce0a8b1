"""Simulated grain: noise that is new on every frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from grevin.core.picture.frame import Frame
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import DamagedSource, FrameByFrame, Truth


@dataclass(frozen=True)
class GrainDamage:
    """Normal noise on luma, or on red, green and blue.

    Attributes:
        seed: same seed, same grain.
        sigma: standard deviation, 8-bit levels.
    """

    kind: ClassVar[str] = "noise"
    seed: int = 7
    sigma: float = 2.5

    def over(self, source: FrameSource) -> DamagedSource:
        """The source with grain."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """One frame with grain."""
        fmt = frame.format
        rng = np.random.default_rng((self.seed, frame.number))
        count = 3 if fmt.model == "rgb" else 1
        grain = rng.normal(0.0, self.sigma * (1 << (fmt.bit_depth - 8)), frame.planes[0].shape)
        grainy = tuple(np.clip(np.rint(p + grain), 0, fmt.max_code).astype(p.dtype) for p in frame.planes[:count])
        everywhere = np.ones((fmt.height, fmt.width), np.bool_)
        return Frame(frame.number, fmt, grainy + frame.planes[count:]), Truth(self.kind, everywhere, (), frame.number)
