"""Filling dirt from other frames along the motion of the surroundings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.known import known_median
from grevin.core.measure.one_light import ALIKE, Lighting
from grevin.core.motion.flow import Flow, outside, sample
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.picture.masks import boxes_around, values_in
from grevin.core.picture.spreading import inpainted

Patch = npt.NDArray[np.float32]

RING_PX = 6  # width of the clean ring by which a frame is judged (methods: 2 to 6 px round the blob)
LARGEST_OFFSET = 8.0 / 255.0  # a frame's brightness is matched to the ring by at most this much
ERROR_POWER = 1.5  # weight of a frame falls with its ring variance to this power (measured: methods, dirt)
LEAST_VARIANCE = (1.0 / 255.0) ** 2  # of one 8-bit level: no frame is better than rounding
LEAST_CLEAN = 0.02  # share of a frame that counts even where it is dirty: something has to be taken
SEEN_CLEAN = 0.5  # from which a frame shows a place well enough
INPAINT_PX = 4.0  # radius in which the picture around is looked at
GRAIN_SIGMA_PX = 1.2  # grain is what a blur of this width takes out
MOST_GRAIN = 1.5  # factor by which grain is raised at most


@dataclass(frozen=True, eq=False)
class Source:
    """A frame to fill from.

    Attributes:
        offset: its place, counted from the frame that is mended.
        picture: (H, W, 3) float32 R'G'B'.
        flow: (H, W, 2) float32 from this frame to it, not bent by the dirt.
        dirty: (H, W) bool, its own dirt.
        light: of that frame against this one.
    """

    offset: int
    picture: Rgb
    flow: Flow
    dirty: Mask
    light: Lighting = ALIKE

    @cached_property
    def soiled(self) -> npt.NDArray[np.uint8]:
        """(H, W) uint8, 255 where it is dirty: to be read between samples."""
        return np.asarray(self.dirty.view(np.uint8) * np.uint8(255))


@dataclass(frozen=True, eq=False)
class Offer:
    """What a source offers for one patch.

    Attributes:
        patch: (h, w, 3) float32, moved and matched in brightness to the ring.
        clean: (h, w) float32 0..1, how far it is not dirty and inside its picture.
        variance: of its difference from the ring.
    """

    patch: Patch
    clean: npt.NDArray[np.float32]
    variance: float

    @cached_property
    def weight(self) -> npt.NDArray[np.float32]:
        """(h, w) share in the mix, not yet normalised."""
        return np.float32(1.0 / (self.variance + LEAST_VARIANCE) ** ERROR_POWER) * np.maximum(self.clean, LEAST_CLEAN)


def fill_blobs(picture: Rgb, mask: Mask, sources: Sequence[Source]) -> None:
    """Replace what lies in `mask` in place.

    Args:
        picture: (H, W, 3) float32 R'G'B', changed inside the mask only.
        mask: (H, W) bool, all damage of the frame.
        sources: the frames to take from.
    """
    original = picture.copy()
    for inside, rows, columns in boxes_around(mask, RING_PX):
        ring = ~mask[rows, columns]
        filled = _fill_patch(original[rows, columns], inside, ring, sources, (rows, columns))
        picture[rows, columns][inside] = filled[inside]


def fill_shares(picture: Rgb, mask: Mask, sources: Sequence[Source], area: Area) -> list[float]:
    """How much of what is filled inside an area comes from each source, 0..1; see `fill_blobs`."""
    x, y, width, height = area
    rows = slice(max(0, y - RING_PX), min(mask.shape[0], y + height + RING_PX))
    columns = slice(max(0, x - RING_PX), min(mask.shape[1], x + width + RING_PX))
    inside = mask[rows, columns]
    offers = [_offer(picture[rows, columns], ~inside, source, (rows, columns)) for source in sources]
    weights = [float(offer.weight[inside].sum()) for offer in offers]
    return [weight / max(sum(weights), 1e-30) for weight in weights]


def _fill_patch(
    patch: Rgb, inside: Mask, ring: Mask, sources: Sequence[Source], place: tuple[slice, slice]
) -> Patch:  # fmt: skip
    offers = [_offer(patch, ring, source, place) for source in sources]
    total = np.sum([offer.weight for offer in offers], axis=0)
    mix = np.sum([offer.weight[..., None] * offer.patch for offer in offers], axis=0) / total[..., None]
    best = max(offers, key=lambda offer: float(offer.weight.sum()))
    filled = _with_grain(patch, ring, np.asarray(mix, np.float32), best)
    nowhere = inside & (np.max([offer.clean for offer in offers], axis=0) < SEEN_CLEAN)
    return _from_around(patch, filled, nowhere, inside)


def _from_around(patch: Rgb, filled: Patch, nowhere: Mask, inside: Mask) -> Patch:
    """The fill with what no frame shows clean continued from the picture around it."""
    if not nowhere.any():
        return filled
    known = np.where(inside[..., None], filled, patch).astype(np.float32)
    return np.where(nowhere[..., None], inpainted(known, nowhere, INPAINT_PX), filled).astype(np.float32)


def _offer(patch: Rgb, ring: Mask, source: Source, place: tuple[slice, slice]) -> Offer:
    rows, columns = place
    across = np.arange(columns.start, columns.stop, dtype=np.float32)[None, :] + source.flow[rows, columns, 0]
    down = np.arange(rows.start, rows.stop, dtype=np.float32)[:, None] + source.flow[rows, columns, 1]
    moved = _read(source.picture, across, down)
    dirty = sample(source.soiled, across, down).astype(np.float32) / np.float32(255)
    clean = np.asarray((1.0 - dirty) * ~outside(across, down, source.dirty.shape), np.float32)
    around = ring & (clean > 0.5)
    offset, variance = _match_ring(patch, moved, around)
    if source.light.differs:  # the ring tells a small change better
        lit = source.light.over(moved, place, source.dirty.shape)
        lit_offset, lit_variance = _match_ring(patch, lit, around)
        if lit_variance < variance:
            moved, offset, variance = lit, lit_offset, lit_variance
    return Offer(np.asarray(moved + offset, np.float32), clean, variance)


def _read(picture: npt.NDArray[np.float32], across: Patch, down: Patch) -> Patch:
    """Cubic: linear reading takes the edge off detail and grain."""
    moved = cv2.remap(picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, np.float32)


def _match_ring(patch: Rgb, moved: Patch, ring: Mask) -> tuple[npt.NDArray[np.float32], float]:
    """Offset (per channel) that brings a frame's ring to ours, and the variance that is left."""
    if not ring.any():
        return np.zeros(3, np.float32), 1.0
    error = values_in(patch - moved, ring)
    offset = np.clip(known_median(error), -LARGEST_OFFSET, LARGEST_OFFSET).astype(np.float32)
    return offset, float(np.square(error - offset).mean())


def _with_grain(patch: Rgb, ring: Mask, mix: Patch, best: Offer) -> Patch:
    """The mix with grain like that of the surroundings: a mean of two frames is smoother than either.

    Its fine part is exchanged for that of the best frame, whose grain is the material's own, raised to the ring's.
    """
    single = np.where(best.clean[..., None] > 0.5, best.patch, mix)
    fine = np.asarray(single - cv2.GaussianBlur(single, (0, 0), GRAIN_SIGMA_PX), np.float32)
    raised = 1.0
    if ring.any():
        ours = np.asarray(patch - cv2.GaussianBlur(patch, (0, 0), GRAIN_SIGMA_PX), np.float32)
        inner = cv2.erode(ring.view(np.uint8), np.ones((3, 3), np.uint8), borderValue=1) > 0  # clear of the dirt's edge
        inner = inner if inner.any() else ring
        around, filled = (np.square(values_in(grain, inner)).mean() for grain in (ours, fine))
        raised = float(np.sqrt(around / max(1e-12, float(filled))))
    smooth = cv2.GaussianBlur(mix, (0, 0), GRAIN_SIGMA_PX)
    return np.asarray(smooth + np.float32(np.clip(raised, 1.0, MOST_GRAIN)) * fine, np.float32)
