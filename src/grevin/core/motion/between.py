"""A picture between two others: both moved along the motion to a moment in between, occlusion handled.

The motion is splatted forward to the moment, not the colours, so that no holes tear the picture; both pictures are
then read backward along it (in the manner of softmax splatting: Niklaus and Liu 2020, from memory). Where the two do
not agree, or the motion there and back does not, their plain mix takes over.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample

Picture = npt.NDArray[np.float32]
Weights = npt.NDArray[np.float32]

RESIDUE_LEVELS = 16.0  # 8-bit levels of disagreement that take a motion's weight down to 1/e; tried on the open clips
BACK_PX = 8.0  # pixels of disagreement there and back that do the same; tried likewise
SMOOTH_PX = 2.0  # standard deviation over which disagreement is looked at
HOLE_PX = 5.0  # standard deviation of the blur that fills what no motion reaches
LEAST = 1e-4
TRUST_LEVELS = 30.0  # 8-bit levels by which both moved pictures may differ; beyond it the mix takes over


def _disagreement(here: Luma8, there: Luma8, flow: Flow, back: Flow) -> Weights:
    """(H, W) float32 0..1 weight of each motion, by what it leaves unexplained and by the way back."""
    across, down = positions(flow)
    residue = cv2.absdiff(here, np.asarray(sample(there, across, down), np.uint8)).astype(np.float32)
    residue = np.asarray(cv2.GaussianBlur(residue, (0, 0), SMOOTH_PX), np.float32)
    returned = sample(back, across, down)
    error = np.hypot(flow[..., 0] + returned[..., 0], flow[..., 1] + returned[..., 1])
    return np.asarray(np.exp(-(residue / RESIDUE_LEVELS + error / BACK_PX)) + LEAST, np.float32)


def splatted(flow: Flow, weight: Weights, share: float) -> tuple[Flow, Weights]:
    """The motion as seen from the moment at a share of it: (H, W, 2) flow, and (H, W) how well it is known."""
    height, width = weight.shape
    rows, columns = np.indices((height, width), dtype=np.float32)
    x, y = columns + share * flow[..., 0], rows + share * flow[..., 1]
    left, top = np.floor(x), np.floor(y)
    sums = [np.zeros(height * width) for _ in range(3)]
    for dx in (0, 1):
        for dy in (0, 1):
            to_x, to_y = left + dx, top + dy
            near = (1 - np.abs(x - to_x)) * (1 - np.abs(y - to_y)) * weight
            inside = (to_x >= 0) & (to_x < width) & (to_y >= 0) & (to_y < height)
            place = (to_y[inside] * width + to_x[inside]).astype(np.int64)
            part = near[inside]
            values = (part, part * flow[..., 0][inside], part * flow[..., 1][inside])
            for total, value in zip(sums, values, strict=True):
                total += np.bincount(place, value, minlength=height * width)
    known, across, down = (total.reshape(height, width).astype(np.float32) for total in sums)
    wide = [cv2.GaussianBlur(plane, (0, 0), HOLE_PX) for plane in (known, across, down)]
    reached = known > LEAST
    total = np.where(reached, known, np.maximum(wide[0], 1e-9))
    filled = [
        np.where(reached, plane, blurred) / total for plane, blurred in zip((across, down), wide[1:], strict=True)
    ]
    return np.stack(filled, -1).astype(np.float32), np.minimum(known, 1.0)


def between(
    first: tuple[Picture, Luma8], second: tuple[Picture, Luma8], there: Flow, back: Flow, share: float
) -> Picture:
    """The picture at a share of the way from one to another.

    Args:
        first: (H, W, C) float32 picture and (H, W) uint8 luma of it.
        second: the same of the other.
        there: (H, W, 2) flow of the first to the second.
        back: flow of the second to the first.
        share: 0..1, where between them.

    Returns:
        (H, W, C) float32, in the units of what went in.
    """
    one, other = first[0], second[0]
    sure = (_disagreement(first[1], second[1], there, back), _disagreement(second[1], first[1], back, there))
    ways = (splatted(there, sure[0], share), splatted(back, sure[1], 1.0 - share))
    moved: list[Picture] = []
    weights: list[Weights] = []
    lumas: list[Picture] = []
    for (picture, luma), (flow, known), part, mix in zip(
        (first, second), ways, (share, 1.0 - share), (1.0 - share, share), strict=True
    ):
        across, down = positions(np.asarray(-part * flow, np.float32))
        read = cv2.remap(picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        moved.append(np.asarray(read, np.float32).reshape(picture.shape))
        lumas.append(np.asarray(sample(luma, across, down), np.float32))
        off = outside(across, down, known.shape)
        weights.append(np.where(off, LEAST, mix * (known + LEAST)).astype(np.float32))
    total = weights[0] + weights[1]
    along = (moved[0] * weights[0][..., None] + moved[1] * weights[1][..., None]) / total[..., None]
    apart = cv2.GaussianBlur(np.abs(lumas[0] - lumas[1]), (0, 0), SMOOTH_PX)
    one_sided = np.minimum(weights[0], weights[1]) < 0.1 * np.maximum(weights[0], weights[1])
    trust = np.where(one_sided, 1.0, np.exp(-np.square(apart / TRUST_LEVELS))).astype(np.float32)
    trust = np.asarray(cv2.GaussianBlur(trust, (0, 0), SMOOTH_PX), np.float32)
    plain = one * np.float32(1.0 - share) + other * np.float32(share)
    return np.asarray(plain + trust[..., None] * (along - plain), np.float32)
