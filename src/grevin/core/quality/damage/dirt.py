"""Simulated dirt: dust, blotches, hairs and fibres that sit on one frame, some on the next too, at another place.

Sizes, shares and densities are what scans of small-gauge film show (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb, paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import align_to_chroma
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import DamagedSource, FrameByFrame, Mark, Truth

Alpha = npt.NDArray[np.float32]

VISIBLE_ALPHA = 0.2  # share of a speck's density from which a pixel counts as damaged
LEAST_ALPHA = 0.01  # what is fainter is nothing: two levels at most
LEAST_CONTRAST = 0.1  # of nominal white: fainter dirt is made denser or given the other polarity: all truth is visible
AREA_OF_SD = 720 * 576
SMALLEST_PX = 2.0  # diameter
HAIR_STEPS = 24
HAIR_SCALE = 4  # hairs are drawn so many times larger, then brought down
LONG_HAIR_SHARE = 0.12  # of hairs that are fibres of up to `longest_px`


@dataclass(frozen=True)
class DirtDamage:
    """How dirty the material is.

    Attributes:
        seed: same seed, same dirt.
        blobs_per_frame: mean number on a 720x576 picture; scaled by area.
        hair_share: share of blobs that are hairs, 0..1.
        largest_px: largest diameter of a blotch.
        longest_px: largest length of a fibre.
        dark_share: share that is darker than the picture.
        soft_share: share with soft edges, as of dirt out of focus.
        faint_share: share that the picture shines through.
        again_share: share that lies on the next frame too, at another place.
    """

    kind: ClassVar[str] = "dirt"
    seed: int = 1
    blobs_per_frame: float = 10.0
    hair_share: float = 0.12
    largest_px: float = 28.0
    longest_px: float = 400.0
    dark_share: float = 0.6
    soft_share: float = 0.2
    faint_share: float = 0.2
    again_share: float = 0.05

    def over(self, source: FrameSource) -> DamagedSource:
        """The source with dirt."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """One frame with dirt; all other code values stay."""
        fmt = frame.format
        layer = Layer(to_rgb(frame))
        share = fmt.width * fmt.height / AREA_OF_SD
        rng = np.random.default_rng((self.seed, frame.number + 1, 1))
        for speck in self.specks(frame.number, share):
            layer.lay(speck, rng)
        for speck in self.specks(frame.number - 1, share):
            if speck.stays:
                layer.lay(speck, rng, again=True)
        mask = align_to_chroma(layer.alpha > 0, fmt)
        dirty = paint_inside(frame, layer.tone, mask, layer.alpha) if mask.any() else frame
        return Frame(frame.number, fmt, dirty.planes), Truth(self.kind, layer.truth, tuple(layer.marks), frame.number)

    def specks(self, number: int, share: float) -> Iterator[Speck]:
        """The dirt that comes up on a frame, before it is placed."""
        rng = np.random.default_rng((self.seed, number + 1, 0))
        for _ in range(rng.poisson(self.blobs_per_frame * share)):
            hair = rng.random() < self.hair_share
            soft = rng.random() < self.soft_share
            shape, edge = _hair(rng, self.longest_px, soft) if hair else _blotch(rng, self.largest_px, soft)
            density = rng.uniform(0.35, 0.75) if rng.random() < self.faint_share else rng.uniform(0.75, 1.0)
            dark = rng.random() < self.dark_share
            value = rng.uniform(0.02, 0.15) if dark else rng.uniform(0.85, 0.98)
            stays = rng.random() < self.again_share
            yield Speck("hair" if hair else "dust", shape, edge, density, value, stays)


@dataclass(frozen=True, eq=False)
class Speck:
    """One piece of dirt.

    Attributes:
        kind: "dust" or "hair".
        shape: (h, w) float32, 1 where it is densest.
        soft_px: standard deviation of its edge.
        density: 0..1.
        value: its R'G'B' value, 0..1.
        stays: whether it is on the next frame too.
    """

    kind: str
    shape: Alpha
    soft_px: float
    density: float
    value: float
    stays: bool


class Layer:
    """The dirt of one frame while it is laid.

    Attributes:
        tone: (H, W, 3) float32, the picture with the dirt's own colour where it lies.
        alpha: (H, W) float32, how much of it is seen.
        truth: (H, W) bool, visibly damaged pixels.
        marks: what was laid.
    """

    def __init__(self, picture: Rgb) -> None:
        self._picture = picture
        self.tone = picture.copy()
        self.alpha: Alpha = np.zeros(picture.shape[:2], np.float32)
        self.truth: Mask = np.zeros(picture.shape[:2], np.bool_)
        self.marks: list[Mark] = []

    def lay(self, speck: Speck, rng: np.random.Generator, again: bool = False) -> None:
        """Put a speck somewhere, unless it meets another one: blobs do not overlap, so that each counts once."""
        height, width = self.alpha.shape
        high, wide = speck.shape.shape
        if high >= height or wide >= width:
            return
        top, left = int(rng.integers(0, height - high)), int(rng.integers(0, width - wide))
        place = (slice(top, top + high), slice(left, left + wide))
        inside: Mask = np.asarray(speck.shape > VISIBLE_ALPHA, np.bool_)
        if np.any(self.alpha[place][speck.shape > 0] > 0) or not inside.any():
            return
        level = float(self._picture[place][inside].mean())
        value, density = visible(level, speck.value, speck.density)
        self.tone[place][speck.shape > 0] = value
        self.alpha[place] = np.maximum(self.alpha[place], speck.shape * np.float32(density))
        self.truth[place] |= inside
        x, y, across, down = cv2.boundingRect(inside.view(np.uint8))
        area = (left + x, top + y, across, down)
        pixels = int(np.count_nonzero(inside))
        contrast = round(255 * density * (value - level), 1)
        soft, density = round(speck.soft_px, 2), round(density, 3)
        self.marks.append(Mark(speck.kind, area, pixels, contrast, soft, density, again))


def visible(level: float, value: float, density: float) -> tuple[float, float]:
    """Value and density of a speck on a picture of that level, so that it can be seen."""
    if abs(value - level) * density < LEAST_CONTRAST:
        value = 1.0 - value if abs(1.0 - value - level) > abs(value - level) else value
        density = min(1.0, max(density, LEAST_CONTRAST / max(abs(value - level), LEAST_CONTRAST)))
    return value, density


def _blotch(rng: np.random.Generator, largest: float, soft: bool) -> tuple[Alpha, float]:
    """An irregular patch: a smooth random field, cut off, inside a soft disc."""
    diameter = float(np.clip(rng.lognormal(1.9, 0.6), SMALLEST_PX, largest))
    edge = min(4.0, diameter * rng.uniform(0.12, 0.3)) if soft else rng.uniform(0.5, 0.9)
    edge = max(edge, 0.5)
    size = int(diameter * 1.6 + 6 * edge) + 6
    smooth = cv2.GaussianBlur(rng.standard_normal((size, size)).astype(np.float32), (0, 0), max(0.8, diameter / 5))
    field = np.asarray(smooth / max(1e-6, float(smooth.std())), np.float32)
    down, across = np.indices((size, size), dtype=np.float32) - (size - 1) / 2
    stretch = rng.uniform(0.7, 1.4)
    distance = np.sqrt((across * stretch) ** 2 + (down / stretch) ** 2) / (diameter / 2)
    shape = ((1.0 - distance) * 2.2 + 0.5 * field > 0).astype(np.float32)
    return _softened(shape, edge), edge


def _hair(rng: np.random.Generator, longest: float, soft: bool) -> tuple[Alpha, float]:
    """A bent thread, drawn larger and brought down."""
    length = rng.uniform(110, longest) if longest > 110 and rng.random() < LONG_HAIR_SHARE else rng.uniform(25, 110)
    bend = np.cumsum(rng.normal(0, 0.12, HAIR_STEPS)) + rng.uniform(0, 2 * np.pi)
    points = np.cumsum(np.stack([np.cos(bend), np.sin(bend)], 1) * length / HAIR_STEPS, axis=0)
    edge = rng.uniform(0.8, 1.6) if soft else 0.0
    margin = 4 + 4 * edge
    points = points - (points.min(axis=0) - margin)
    size = np.ceil(points.max(axis=0) + margin).astype(int)
    canvas = np.zeros((size[1] * HAIR_SCALE, size[0] * HAIR_SCALE), np.uint8)
    width = max(2, round(rng.uniform(1.2, 2.6) * HAIR_SCALE))
    cv2.polylines(canvas, [np.rint(points * HAIR_SCALE).astype(np.int32)], False, 255, width, cv2.LINE_AA)
    small = cv2.resize(canvas, (int(size[0]), int(size[1])), interpolation=cv2.INTER_AREA)
    shape = np.asarray(small, np.float32) / np.float32(255.0)
    return (_softened(shape, edge) if edge else shape), edge


def _softened(shape: Alpha, edge: float) -> Alpha:
    blurred = np.asarray(cv2.GaussianBlur(shape, (0, 0), edge), np.float32)
    soft = blurred / np.float32(max(1e-6, float(blurred.max())))
    return np.asarray(np.where(soft < LEAST_ALPHA, np.float32(0), soft), np.float32)
