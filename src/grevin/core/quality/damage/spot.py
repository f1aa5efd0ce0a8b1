"""Simulated standing spots: something on the sensor or lens that takes the same part of the light on every frame."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np
import numpy.typing as npt
from scipy.special import expit

from grevin.core.picture.colour import paint_inside, to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import align_to_chroma
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import FrameByFrame, Mark, Truth

SEEN = 0.01  # of the light: less is not part of the truth


@dataclass(frozen=True)
class Spot:
    """One spot.

    Attributes:
        across, down: of its middle, share of the width and height.
        radius_px: where half of its depth is left.
        depth: share of the light that it takes in its middle; below 0 it gives some.
        soft: of its edge, share of the radius.
    """

    across: float
    down: float
    radius_px: float
    depth: float
    soft: float = 0.25


@dataclass(frozen=True)
class SpotDamage:
    """Spots over a reel.

    Attributes:
        seed: of where they lie.
        count: how many.
        spots: those that are wanted instead of drawn ones.
    """

    kind: ClassVar[str] = "spot"

    seed: int
    count: int = 6
    spots: tuple[Spot, ...] = ()

    def over(self, source: FrameSource) -> FrameByFrame:
        """The source with spots."""
        return FrameByFrame(source, self)

    @cached_property
    def drawn(self) -> tuple[Spot, ...]:
        """The spots, each of its own size and depth, well apart."""
        if self.spots:
            return self.spots
        rng = np.random.default_rng((self.seed, 1))
        columns = (rng.permutation(self.count) + 0.5) / self.count
        spots = []
        for column in columns:
            radius, depth, soft = rng.uniform(5, 14), rng.uniform(0.06, 0.3), rng.uniform(0.15, 0.4)
            spots.append(Spot(float(column), float(rng.uniform(0.15, 0.85)), float(radius), float(depth), float(soft)))
        return tuple(spots)

    def light(self, shape: tuple[int, int]) -> npt.NDArray[np.float32]:
        """(H, W) by which the picture is multiplied."""
        height, width = shape
        down, across = np.mgrid[0:height, 0:width]
        light = np.ones(shape)
        for spot in self.drawn:
            away = np.hypot(across - spot.across * width, down - spot.down * height)
            light *= 1 - spot.depth * expit((spot.radius_px - away) / (spot.soft * spot.radius_px / 2))
        return np.asarray(light, np.float32)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """The frame with spots and where they are."""
        rgb = to_rgb(frame)
        light = self.light(rgb.shape[:2])
        mask = np.abs(light - 1) > SEEN
        made = paint_inside(
            frame, np.asarray(rgb * light[..., None], np.float32), align_to_chroma(mask, frame.format), None
        )
        marks = []
        for spot in self.drawn:
            x, y, r = round(spot.across * rgb.shape[1]), round(spot.down * rgb.shape[0]), round(1.3 * spot.radius_px)
            marks.append(Mark("shadow", (x - r, y - r, 2 * r, 2 * r), int(np.pi * r * r), -128 * spot.depth))
        return made.rounded(), Truth(self.kind, mask, tuple(marks), frame.number)
