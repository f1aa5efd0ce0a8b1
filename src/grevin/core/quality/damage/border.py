"""Simulated borders: blanking that is black and ragged, dots along it, and lines that a head switch tore.

The blanking of a tape is a little above black, wavers by a pixel from line to line, and rises over two or three pixels;
the last lines before the heads are switched begin elsewhere and are noisy (common practice, no source).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of, with_levels
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import FrameByFrame, Mark, Truth

BLACK = 17.0  # 8-bit level, limited range, of blanking on tape
TEAR_NOISE = 12.0  # 8-bit levels
DOT_LEVEL = 190.0
RISE = (0.35, 0.75)  # share of the picture in the pixels behind the edge

Plane = npt.NDArray[np.float32]


@dataclass(frozen=True)
class BorderDamage:
    """What is done to the sides.

    Attributes:
        seed: of what differs from frame to frame.
        left, right: px, black.
        top, bottom: lines, black.
        torn: lines above the black ones at the bottom, moved sideways and noisy.
        ragged: px, standard deviation from line to line.
        dots: share of the lines with a bright dot in the left border.
        noise: 8-bit levels in the black.
    """

    seed: int = 1
    left: int = 8
    right: int = 10
    top: int = 0
    bottom: int = 0
    torn: int = 0
    ragged: float = 0.0
    dots: float = 0.0
    noise: float = 1.0

    kind: ClassVar[str] = "edges"

    def over(self, source: FrameSource) -> FrameByFrame:
        """The source, with borders."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """The frame with borders, and where they are: the raggedness lies inside them."""
        rng = np.random.default_rng((self.seed, frame.number))
        fmt = frame.format
        levels = levels_of(frame)
        luma = levels[0].copy()
        height, width = luma.shape
        self._tear(luma, rng)
        share = self._share(height, width, rng)
        black = BLACK + rng.normal(0, self.noise, luma.shape)
        dots = self._dots(height, rng)
        changed = {}
        for place, plane in enumerate(levels):
            if place and fmt.model == "yuv":
                small = share[:: fmt.chroma_ratio[1], :: fmt.chroma_ratio[0]]
                changed[place] = np.asarray(128 + small * (plane - 128), np.float32)
                continue
            changed[place] = np.asarray(share * (luma if place == 0 else plane) + (1 - share) * black, np.float32)
            changed[place][dots] = DOT_LEVEL
        mask = np.ones((height, width), np.bool_)
        mask[self.top : height - self.bottom - self.torn, self.left : width - self.right] = False
        mark = Mark("border", (0, 0, width, height), int(mask.sum()), -100.0)
        made = with_levels(frame, levels, changed).rounded()
        return made, Truth(self.kind, mask, (mark,) if mask.any() else (), frame.number)

    def _dots(self, height: int, rng: np.random.Generator) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
        """(lines, columns) of bright dots in the left border."""
        lines = np.flatnonzero(rng.random(height) < (self.dots if self.left > 3 else 0.0))
        return lines, np.asarray(rng.integers(1, max(2, self.left - 2), len(lines)), np.intp)

    def _tear(self, luma: Plane, rng: np.random.Generator) -> None:
        for line in range(luma.shape[0] - self.bottom - self.torn, luma.shape[0] - self.bottom):
            moved = np.roll(luma[line], int(rng.integers(30, 90)))
            luma[line] = moved + rng.normal(0, TEAR_NOISE, len(moved))

    def _share(self, height: int, width: int, rng: np.random.Generator) -> Plane:
        """(H, W) 0..1, how much of the picture is left: all of it inside the borders."""
        across, down = np.arange(width)[None, :], np.arange(height)[:, None]
        waver = np.abs(rng.normal(0, self.ragged, (height, 2))) if self.ragged else np.zeros((height, 2))
        share = np.ones((height, width), np.float32)
        for depth, far, out in ((self.left, across, waver[:, :1]), (self.right, width - 1 - across, waver[:, 1:])):
            if depth:
                begin = depth - len(RISE) - out  # the picture is whole from `depth` on
                rise = np.interp(far - begin, (-1, *range(len(RISE)), len(RISE)), (0.0, *RISE, 1.0))
                share *= rise.astype(np.float32)
        share[down[:, 0] < self.top] = 0
        share[down[:, 0] >= height - self.bottom] = 0
        return share
