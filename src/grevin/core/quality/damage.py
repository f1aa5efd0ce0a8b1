"""Simulated damage with known truth: dust, blotches and hairs that sit on one frame."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import align_to_chroma

Alpha = npt.NDArray[np.float32]

VISIBLE_ALPHA = 0.2  # share of dirt from which a pixel counts as damaged
LEAST_CONTRAST = 0.1  # of nominal white: fainter dirt is given the other polarity, so that all truth is visible
AREA_OF_SD = 720 * 576


@dataclass(frozen=True)
class DirtDamage:
    """How dirty the material is.

    Attributes:
        seed: same seed, same dirt.
        blobs_per_frame: mean number on a 720x576 picture; scaled by area.
        hair_share: share of blobs that are hairs, 0..1.
        largest_px: largest diameter of a blotch.
    """

    seed: int = 1
    blobs_per_frame: float = 10.0
    hair_share: float = 0.12
    largest_px: float = 28.0


@dataclass(frozen=True)
class DirtTruth:
    """What was added to one frame.

    Attributes:
        mask: (H, W) bool, visibly damaged pixels.
        areas: (x, y, width, height) of each blob.
    """

    mask: Mask
    areas: tuple[tuple[int, int, int, int], ...]


def add_dirt(frame: Frame, damage: DirtDamage) -> tuple[Frame, DirtTruth]:
    """Dirt on one frame, the same for the same seed and frame number; all other code values stay."""
    rng = np.random.default_rng((damage.seed, frame.number))
    fmt = frame.format
    picture = to_rgb(frame)
    tone = picture.copy()
    alpha = np.zeros((fmt.height, fmt.width), np.float32)
    areas = []
    share = fmt.width * fmt.height / AREA_OF_SD
    for _ in range(rng.poisson(damage.blobs_per_frame * share)):
        shape = _hair(rng) if rng.random() < damage.hair_share else _blotch(rng, damage.largest_px)
        area = _place(rng, shape, picture, tone, alpha)
        if area is not None:
            areas.append(area)
    mask = align_to_chroma(alpha > 0, fmt)
    dirty = paint_inside(frame, tone, mask, alpha) if mask.any() else frame
    return Frame(frame.number, fmt, dirty.planes), DirtTruth(alpha > VISIBLE_ALPHA, tuple(areas))


def _blotch(rng: np.random.Generator, largest: float) -> Alpha:
    """An irregular patch: a smooth random field, cut off, inside a soft disc."""
    diameter = float(np.clip(rng.lognormal(1.9, 0.6), 3.0, largest))
    size = int(diameter * 1.6) + 6
    smooth = cv2.GaussianBlur(rng.standard_normal((size, size)).astype(np.float32), (0, 0), max(0.8, diameter / 5))
    field = np.asarray(smooth / max(1e-6, float(smooth.std())), np.float32)
    down, across = np.indices((size, size), dtype=np.float32) - (size - 1) / 2
    stretch = rng.uniform(0.7, 1.4)
    distance = np.sqrt((across * stretch) ** 2 + (down / stretch) ** 2) / (diameter / 2)
    shape = ((1.0 - distance) * 2.2 + 0.5 * field > 0).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(shape, (0, 0), rng.uniform(0.5, 0.9)), np.float32)


def _hair(rng: np.random.Generator) -> Alpha:
    """A bent thread, drawn four times larger and brought down."""
    length, scale = rng.uniform(25, 110), 4
    steps = 24
    bend = np.cumsum(rng.normal(0, 0.12, steps)) + rng.uniform(0, 2 * np.pi)
    points = np.cumsum(np.stack([np.cos(bend), np.sin(bend)], 1) * length / steps, axis=0)
    points -= points.min(axis=0) - 4
    size = np.ceil(points.max(axis=0) + 4).astype(int)
    canvas = np.zeros((size[1] * scale, size[0] * scale), np.uint8)
    width = max(2, round(rng.uniform(1.2, 2.6) * scale))
    cv2.polylines(canvas, [np.rint(points * scale).astype(np.int32)], False, 255, width, cv2.LINE_AA)
    small = cv2.resize(canvas, (int(size[0]), int(size[1])), interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32) / 255.0


def _place(
    rng: np.random.Generator,
    shape: Alpha,
    picture: npt.NDArray[np.float32],
    tone: npt.NDArray[np.float32],
    alpha: Alpha,
) -> tuple[int, int, int, int] | None:
    height, width = alpha.shape
    high, wide = shape.shape
    if high >= height or wide >= width:
        return None
    top, left = int(rng.integers(0, height - high)), int(rng.integers(0, width - wide))
    place = (slice(top, top + high), slice(left, left + wide))
    if np.any(alpha[place] > 0):
        return None  # blobs do not overlap, so that each counts once
    inside = shape > VISIBLE_ALPHA
    level = float(picture[place][inside].mean()) if inside.any() else 0.5
    dark = rng.random() < 0.6
    density = rng.uniform(0.75, 1.0)
    value = rng.uniform(0.02, 0.15) if dark else rng.uniform(0.85, 0.98)
    if abs(value - level) * density < LEAST_CONTRAST:
        value = 1.0 - value
    tone[place] = value
    alpha[place] = shape * np.float32(density)
    rows, columns = np.nonzero(inside)
    if len(rows) == 0:
        return None
    return (
        left + int(columns.min()), top + int(rows.min()), int(np.ptp(columns)) + 1, int(np.ptp(rows)) + 1,
    )  # fmt: skip
