"""Suspects: what differs from both neighbours at the same place of the moving picture, pixel by pixel.

All tests run on 8-bit luma. Thresholds are in units of the noise of the motion-compensated difference.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import above, grow
from grevin.core.steps.dirt.blobs import STEPS, Blobs, find_blobs
from grevin.core.steps.dirt.features import BlobFeatures, blob_features
from grevin.core.steps.dirt.neighbour import Neighbour
from grevin.core.steps.dirt.settings import DirtSettings

MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
LEAST_NOISE = 1.0  # 8-bit levels: rounding alone spreads a difference that far
SKIRT_PX = 5  # how far a blob's soft edge is followed
SKIRT_NOISE = 1.0  # noise units of the 3x3 mean from which a pixel beside a blob belongs to its soft edge
SKIRT_SHARE = 0.2  # or this share of the blob's threshold: what stands out far has its edge where it falls to little


@dataclass(frozen=True, eq=False)
class Suspects:
    """Everything on a frame that may be dirt.

    Attributes:
        here: (H, W) uint8 luma.
        neighbours: both neighbours moved onto it.
        residual: (H, W) uint8 deviation from the farther one.
        noise: standard deviation of the moved difference, 8-bit levels.
        blobs: what stands out, at several thresholds.
        skirts: for each threshold (H, W) bool, its blobs with their soft edges.
        features: what the blobs measure.
        both_sides: whether one neighbour lies before and one after.
    """

    here: Luma8
    neighbours: tuple[Neighbour, Neighbour]
    residual: Luma8
    noise: float
    blobs: Blobs
    skirts: tuple[Mask, ...]
    features: BlobFeatures
    both_sides: bool = True

    @property
    def count(self) -> int:
        """Number of blobs."""
        return len(self.blobs)


def find_suspects(here: Luma8, neighbours: tuple[Neighbour, Neighbour], settings: DirtSettings) -> Suspects:
    """Pixel tests against both neighbours, and what the blobs measure."""
    first, second = neighbours
    residual = np.asarray(cv2.max(cv2.absdiff(here, first.luma), cv2.absdiff(here, second.luma)), np.uint8)
    noise = robust_noise(here, first.luma, second.luma)
    spike, excess = spike_and_range(here, first, second, settings.polarity)
    threshold = noise * settings.sensitivity
    blobs = find_blobs(spike, excess, threshold)
    skirts = with_edges(blobs, spike, noise, threshold)
    features = blob_features(here, neighbours, blobs, skirts, spike, residual, noise)
    return Suspects(here, neighbours, residual, noise, blobs, skirts, features)


def robust_noise(here: Luma8, first: Luma8, second: Luma8) -> float:
    """Standard deviation of the moved difference, 8-bit levels, from its median (deaf to dirt and failed motion).

    Every other pixel of every other line is plenty for a median.
    """
    sigmas = []
    for other in (first, second):
        counts = np.bincount(cv2.absdiff(here[::2, ::2], other[::2, ::2]).ravel(), minlength=256)
        half = counts.sum() / 2
        level = int(np.searchsorted(np.cumsum(counts), half))
        below = float(counts[:level].sum())
        sigmas.append(MAD_TO_SIGMA * (level + (half - below) / max(1, counts[level]) - 0.5))
    return float(max(LEAST_NOISE, min(sigmas)))


def spike_and_range(here: Luma8, first: Neighbour, second: Neighbour, polarity: str) -> tuple[Luma8, Luma8]:
    """Per pixel: deviation from the nearer of both neighbours, and from the range of their 3x3 surroundings.

    Returns:
        Two (H, W) uint8 arrays in 8-bit levels, 0 where the pixel lies between or within the neighbours.
    """
    upper, lower = cv2.max(first.luma, second.luma), cv2.min(first.luma, second.luma)
    square = np.ones((3, 3), np.uint8)
    zero = np.zeros_like(here)
    bright = polarity in {"both", "brighter"}
    dark = polarity in {"both", "darker"}
    spike = cv2.max(cv2.subtract(here, upper) if bright else zero, cv2.subtract(lower, here) if dark else zero)
    beyond_upper = cv2.subtract(here, cv2.dilate(upper, square)) if bright else zero
    beyond_lower = cv2.subtract(cv2.erode(lower, square), here) if dark else zero
    excess = cv2.max(beyond_upper, beyond_lower)
    off = first.off | second.off
    spike[off] = 0
    excess[off] = 0
    return np.asarray(spike, np.uint8), np.asarray(excess, np.uint8)


def with_edges(blobs: Blobs, spike: Luma8, noise: float, threshold: float) -> tuple[Mask, ...]:
    """(H, W) bool for each threshold: the blobs, and what is beside them and still visibly off."""
    even = np.asarray(cv2.blur(spike, (3, 3)), np.uint8)
    skirts = []
    for level in range(int(blobs.level.max()) + 1 if len(blobs) else 0):
        inside, of_level = np.zeros(spike.shape, np.bool_), blobs.level == level
        if of_level.any():
            inside[blobs.pixels_of(of_level)] = True
            off = above(even, max(SKIRT_NOISE * noise, SKIRT_SHARE * threshold * STEPS[level] * (level > 0)))
            inside |= grow(inside, SKIRT_PX) & off
        skirts.append(inside)
    return tuple(skirts)
