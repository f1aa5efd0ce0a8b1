"""Filling dirt from the neighbouring frames along the motion of the surroundings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, sample
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import boxes_around

Patch = npt.NDArray[np.float32]

RING_PX = 6  # width of the clean ring by which a neighbour is judged (methods: 2 to 6 px round the blob)
LARGEST_OFFSET = 8.0 / 255.0  # a neighbour's brightness is matched to the ring by at most this much
ERROR_POWER = 1.5  # weight of a neighbour falls with its ring variance to this power (measured: methods, dirt)
LEAST_VARIANCE = (1.0 / 255.0) ** 2  # of one 8-bit level: no neighbour is better than rounding
LEAST_CLEAN = 0.02  # share of a neighbour that counts even where it is dirty: something has to be taken


@dataclass(frozen=True, eq=False)
class Source:
    """A neighbour to fill from.

    Attributes:
        picture: (H, W, 3) float32 R'G'B'.
        flow: (H, W, 2) float32 from this frame to it.
        dirty: (H, W) bool, its own dirt.
    """

    picture: Rgb
    flow: Flow
    dirty: Mask


def fill_blobs(picture: Rgb, mask: Mask, sources: Sequence[Source]) -> None:
    """Replace what lies in `mask` in place.

    Args:
        picture: (H, W, 3) float32 R'G'B', changed inside the mask only.
        mask: (H, W) bool, all damage of the frame.
        sources: both neighbours.
    """
    original = picture.copy()
    for inside, rows, columns in boxes_around(mask, RING_PX):
        ring = ~mask[rows, columns]
        filled = _fill_patch(original[rows, columns], inside, ring, sources, (rows, columns))
        picture[rows, columns][inside] = filled[inside]


def _fill_patch(
    patch: Rgb, inside: Mask, ring: Mask, sources: Sequence[Source], place: tuple[slice, slice]
) -> Patch:  # fmt: skip
    total = np.zeros_like(patch)
    weights = np.zeros(patch.shape[:2], np.float32)
    for source in sources:
        moved, clean = _moved_patch(source, ring, place)
        offset, variance = _match_ring(patch, moved, ring & (clean > 0.5))
        weight = np.float32(1.0 / (variance + LEAST_VARIANCE) ** ERROR_POWER) * np.maximum(clean, LEAST_CLEAN)
        total += weight[..., None] * (moved + offset)
        weights += weight
    return np.asarray(total / weights[..., None], np.float32)


def _moved_patch(source: Source, ring: Mask, place: tuple[slice, slice]) -> tuple[Patch, Patch]:
    """The neighbour's picture at this place, and how clean it is there, 0..1.

    It is moved by the motion of the ring: dirt bends the flow under itself.
    """
    rows, columns = place
    local = spread_from(source.flow[rows, columns], ring)
    across, down = np.meshgrid(
        np.arange(columns.start, columns.stop, dtype=np.float32), np.arange(rows.start, rows.stop, dtype=np.float32)
    )
    across, down = across + local[..., 0], down + local[..., 1]
    dirty = sample(source.dirty.view(np.uint8) * np.uint8(255), across, down).astype(np.float32) / np.float32(255)
    return sample(source.picture, across, down), 1.0 - dirty


def spread_from(flow: Flow, known: Mask) -> Flow:
    """The flow where it is known, and a smooth continuation of it elsewhere (normalised averaging)."""
    if known.all() or not known.any():
        return flow
    weight = known.astype(np.float32)
    side = 2 * RING_PX + 1
    numerator, denominator = flow * weight[..., None], weight
    filled = flow.copy()
    missing = ~known
    while missing.any():
        share = cv2.boxFilter(denominator, -1, (side, side), normalize=False, borderType=cv2.BORDER_CONSTANT)
        mean = cv2.boxFilter(numerator, -1, (side, side), normalize=False, borderType=cv2.BORDER_CONSTANT)
        reached = missing & (share > 0.5)
        filled[reached] = mean[reached] / share[reached][:, None]
        missing &= ~reached
        side = 2 * side + 1
    return filled


def _match_ring(patch: Rgb, moved: Patch, ring: Mask) -> tuple[npt.NDArray[np.float32], float]:
    """Offset (per channel) that brings the neighbour's ring to ours, and the variance that is left."""
    if not ring.any():
        return np.zeros(3, np.float32), 1.0
    error = patch[ring] - moved[ring]
    offset = np.clip(np.median(error, axis=0), -LARGEST_OFFSET, LARGEST_OFFSET).astype(np.float32)
    return offset, float(np.square(error - offset).mean())
