"""Finding dirt: pixel tests against both neighbours, then a judgement of whole blobs.

All tests run on 8-bit luma. Thresholds are in units of the noise of the motion-compensated difference.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import feather_inside, grow
from grevin.core.steps.base import Blob, Evidence
from grevin.core.steps.dirt.settings import DirtSettings

Levels = npt.NDArray[np.float32]

MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
LEAST_NOISE = 1.0  # 8-bit levels: rounding alone spreads a difference that far
GROW_SHARE = 0.75  # of the seed threshold: pixels that join a seed (hysteresis)
DEVIATING = 1.6  # noise units: pixels next to a blob that are still visibly off join it
EDGE_PX = 2  # how far a blob's soft edge is followed
NEAR_PX = 13  # window in which the surroundings of a blob are judged
FAR_PX = 41  # window in which local activity is judged (methods: best single features with the ring)
ACTIVITY_CAP = 8.0  # noise units: one large deviation must not hide everything around it
CLEAR_SHARE = 0.05  # of a square that must be free of suspects for its mean to mean anything
LARGE_BLOB_PX = 60  # size adds no more confidence beyond this: large false blobs do the most harm
DECISION = 0.5  # confidence from which a blob is mended


@dataclass(frozen=True, eq=False)
class Neighbour:
    """Another frame brought onto this one along the motion.

    Attributes:
        luma: (H, W) uint8 moved luma.
        flow: (H, W, 2) float32.
        off: (H, W) bool, places whose motion leads off the picture.
    """

    luma: Luma8
    flow: Flow
    off: Mask

    @classmethod
    def along(cls, here: Luma8, there: Luma8, flow: Flow) -> Neighbour:
        """Move `there` onto `here`."""
        across, down = positions(flow)
        return cls(sample(there, across, down), flow, outside(across, down))


def find_blobs(here: Luma8, neighbours: tuple[Neighbour, Neighbour], settings: DirtSettings) -> Evidence:
    """Evidence of dirt on `here`."""
    first, second = neighbours
    residual = np.asarray(cv2.max(cv2.absdiff(here, first.luma), cv2.absdiff(here, second.luma)), np.uint8)
    noise = robust_noise(here, first.luma, second.luma)
    spike, excess = spike_and_range(here, first, second, settings.polarity)
    labels, count = candidates(spike, excess, noise * settings.sensitivity)
    if count == 0:
        return Evidence.nothing(here.shape)
    features = blob_features(here, neighbours, labels, count, spike, residual, noise)
    kept = judge(features, settings)
    if not kept.any():
        return Evidence.nothing(here.shape)
    chosen = np.concatenate([[False], kept])[labels]
    core = grow(chosen, EDGE_PX) & (spike > DEVIATING * noise) | chosen
    mask = grow(core, settings.grow_px)
    return Evidence(mask, feather_inside(mask, grow(core, max(0, settings.grow_px - 1))), blobs_of(features, kept))


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


@dataclass(frozen=True, eq=False)
class BlobFeatures:
    """One row per blob; (N,) arrays, levels in 8 bits.

    Attributes:
        pixels: size.
        boxes: (N, 4) x, y, width, height.
        contrast: mean deviation from the nearer neighbour.
        sign: +1 brighter, -1 darker.
        over_near: contrast over the residual of the near surroundings.
        over_far: contrast over the local activity.
        disagreement: difference of both neighbours over the contrast.
        speed: mean motion, px per frame.
    """

    pixels: npt.NDArray[Any]
    boxes: npt.NDArray[Any]
    contrast: npt.NDArray[Any]
    sign: npt.NDArray[Any]
    over_near: npt.NDArray[Any]
    over_far: npt.NDArray[Any]
    disagreement: npt.NDArray[Any]
    speed: npt.NDArray[Any]


def blob_features(
    here: Luma8, neighbours: tuple[Neighbour, Neighbour], labels: npt.NDArray[np.int32], count: int,
    spike: Luma8, residual: Luma8, noise: float,
) -> BlobFeatures:  # fmt: skip
    """Measure every blob; surroundings leave out all suspect pixels."""
    first, second = neighbours
    place = np.nonzero(labels)
    blob = labels[place] - 1
    pixels = np.bincount(blob, minlength=count)

    def mean(values: npt.NDArray[Any]) -> npt.NDArray[np.float64]:
        return np.bincount(blob, values.astype(np.float64), minlength=count) / pixels

    clear = cv2.erode((labels == 0).view(np.uint8), np.ones((3, 3), np.uint8))
    cap = min(255, round(ACTIVITY_CAP * noise))
    capped = np.asarray(np.minimum(residual, np.uint8(cap)) * clear, np.uint8)
    near, far = (local_mean(capped, clear, size, place, cap) for size in (NEAR_PX, FAR_PX))
    contrast = np.maximum(mean(spike[place]), 0.5)
    one, other = first.luma[place].astype(np.float64), second.luma[place].astype(np.float64)
    return BlobFeatures(
        pixels=pixels,
        boxes=_boxes(place[0], place[1], blob, count),
        contrast=contrast,
        sign=np.sign(mean(here[place]) - mean((one + other) / 2)),
        over_near=contrast / (mean(near) + 0.5 * noise),
        over_far=contrast / (mean(far) + 0.5 * noise),
        disagreement=mean(np.abs(one - other)) / contrast,
        speed=np.maximum(*(mean(np.hypot(*n.flow[place].T)) for n in neighbours)),
    )


def local_mean(
    values: Luma8, clear: npt.NDArray[Any], size: int, place: tuple[npt.NDArray[Any], ...], unknown: float
) -> Levels:
    """Mean of `values` over the clear pixels of a square round each place.

    Args:
        values: (H, W) uint8, 0 where not clear.
        clear: (H, W) uint8, 1 where a pixel counts.
        size: side of the square, px.
        place: (rows, columns) of N places.
        unknown: taken where the square holds hardly a clear pixel: a blob so large has to be assumed busy.

    Returns:
        (N,) float32 means.
    """
    total = cv2.boxFilter(values, cv2.CV_32S, (size, size), normalize=False)[place]
    number = cv2.boxFilter(np.asarray(clear), cv2.CV_32S, (size, size), normalize=False)[place]
    enough = number > CLEAR_SHARE * size * size
    return np.where(enough, total / np.maximum(number, 1), unknown).astype(np.float32)


def _boxes(
    rows: npt.NDArray[Any], columns: npt.NDArray[Any], blob: npt.NDArray[Any], count: int
) -> npt.NDArray[np.int64]:
    limits = np.array([[1 << 30, 1 << 30, -1, -1]] * count)
    np.minimum.at(limits[:, 0], blob, columns)
    np.minimum.at(limits[:, 1], blob, rows)
    np.maximum.at(limits[:, 2], blob, columns)
    np.maximum.at(limits[:, 3], blob, rows)
    limits[:, 2:] += 1 - limits[:, :2]
    return limits


def confidence(features: BlobFeatures) -> npt.NDArray[np.float64]:
    """0..1 for each blob.

    A plain logistic rule over the features that tell best (docs/steps/dirt.md); weights set by hand on the
    open clips of the bench, in round numbers.
    """
    score = (
        2.8 * np.log(features.over_near)
        + 1.7 * np.log(features.over_far)
        - 2.2 * features.disagreement
        + 0.7 * np.log(np.minimum(features.pixels, LARGE_BLOB_PX))
        - 6.8
    )
    return np.asarray(1.0 / (1.0 + np.exp(-score)))


def judge(features: BlobFeatures, settings: DirtSettings) -> Mask:
    """Which blobs are dirt."""
    in_size = (features.pixels >= settings.smallest_px) & (features.pixels <= settings.largest_px)
    slow = features.speed <= settings.motion_limit_px
    return np.asarray(in_size & slow & (confidence(features) >= DECISION), np.bool_)


def blobs_of(features: BlobFeatures, kept: Mask) -> tuple[Blob, ...]:
    """Rows for the ledger."""
    sure = confidence(features)
    return tuple(
        Blob(
            (int(box[0]), int(box[1]), int(box[2]), int(box[3])),
            int(features.pixels[index]),
            round(float(features.sign[index] * features.contrast[index]), 2),
            round(float(sure[index]), 3),
        )
        for index, box in enumerate(features.boxes)
        if kept[index]
    )
