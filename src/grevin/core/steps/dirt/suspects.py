"""Suspects: what differs from both neighbours at the same place of the moving picture, pixel by pixel.

All tests run on 8-bit luma. Thresholds are in units of the noise of the motion-compensated difference.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.steps.dirt.features import BlobFeatures, blob_features
from grevin.core.steps.dirt.neighbour import Neighbour
from grevin.core.steps.dirt.settings import DirtSettings

MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
LEAST_NOISE = 1.0  # 8-bit levels: rounding alone spreads a difference that far
GROW_SHARE = 0.75  # of the seed threshold: pixels that join a seed (hysteresis)
SKIRT_PX = 5  # how far a blob's soft edge is followed
SKIRT_NOISE = 1.0  # noise units of the 3x3 mean from which a pixel beside a blob belongs to its soft edge


@dataclass(frozen=True, eq=False)
class Suspects:
    """Everything on a frame that may be dirt.

    Attributes:
        here: (H, W) uint8 luma.
        neighbours: both neighbours moved onto it.
        spike: (H, W) uint8 deviation from the nearer neighbour.
        residual: (H, W) uint8 deviation from the farther one.
        noise: standard deviation of the moved difference, 8-bit levels.
        labels: (H, W) int32, 0 for none, 1..count.
        count: number of blobs.
        skirt: (H, W) bool, the blobs with their soft edges.
        features: what they measure.
        both_sides: whether one neighbour lies before and one after.
    """

    here: Luma8
    neighbours: tuple[Neighbour, Neighbour]
    spike: Luma8
    residual: Luma8
    noise: float
    labels: npt.NDArray[np.int32]
    count: int
    skirt: Mask
    features: BlobFeatures
    both_sides: bool = True


def find_suspects(here: Luma8, neighbours: tuple[Neighbour, Neighbour], settings: DirtSettings) -> Suspects:
    """Pixel tests against both neighbours, and what the blobs measure."""
    first, second = neighbours
    residual = np.asarray(cv2.max(cv2.absdiff(here, first.luma), cv2.absdiff(here, second.luma)), np.uint8)
    noise = robust_noise(here, first.luma, second.luma)
    spike, excess = spike_and_range(here, first, second, settings.polarity)
    labels, count = candidates(spike, excess, noise * settings.sensitivity)
    skirt = with_edges(labels, spike, noise)
    features = blob_features(here, neighbours, labels, count, skirt, spike, residual, noise)
    return Suspects(here, neighbours, spike, residual, noise, labels, count, skirt, features)


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


def candidates(spike: Luma8, excess: Luma8, threshold: float) -> tuple[npt.NDArray[np.int32], int]:
    """Hysteresis: connected pixels above the lower threshold that hold a seed above the upper one.

    Returns:
        (H, W) int32 labels, 0 for none, 1..count; and count.
    """
    above = (spike > GROW_SHARE * threshold).astype(np.uint8)
    joined = cv2.morphologyEx(above, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    count, labels = cv2.connectedComponents(joined, connectivity=8)
    seeded = np.zeros(count, np.int32)
    seeded[labels[excess > threshold]] = 1
    seeded[0] = 0
    renumbered = np.cumsum(seeded).astype(np.int32) * seeded
    return renumbered[labels], int(seeded.sum())


def with_edges(labels: npt.NDArray[np.int32], spike: Luma8, noise: float) -> Mask:
    """(H, W) bool: the blobs, and what is beside them and still visibly off."""
    blobs = labels > 0
    off = cv2.blur(spike, (3, 3)) > SKIRT_NOISE * noise
    return np.asarray(grow(blobs, SKIRT_PX) & off | blobs)
