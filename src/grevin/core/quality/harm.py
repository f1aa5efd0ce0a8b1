"""How much of what a treatment took away was structure of the picture, and not damage.

What is taken away rightly (noise, dirt) has nothing to do with the picture that stays. Where it looks like the
picture's own fine detail, detail was lost. Idea: method noise (Buades, Coll, Morel 2005); here as a figure.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Frame

BLOCK_PX = 16
DETAIL_SIGMA_PX = 2.0  # detail is what a blur of this width takes out of the result
LEAST_DETAIL = 0.1  # 8-bit levels: a block with less detail is flat
LEAST_CHANGED = 24  # changed samples in a block below which it says nothing

Values = npt.NDArray[np.float32]


def structure_share(before: Values, after: Values) -> float | None:
    """Share of what was taken away that follows the detail of the picture that stayed, 0..1.

    Args:
        before: (H, W) luma of the source, 8-bit levels.
        after: (H, W) luma of the result, 8-bit levels.

    Returns:
        Mean over blocks of the squared correlation between what was taken and what stayed, weighted with the
        energy taken and freed of what chance alone gives; None where next to nothing was taken.
    """
    taken = before.astype(np.float32) - after.astype(np.float32)
    changed = taken != 0
    if np.count_nonzero(changed) < LEAST_CHANGED:
        return None
    detail = after.astype(np.float32) - cv2.GaussianBlur(after.astype(np.float32), (0, 0), DETAIL_SIGMA_PX)
    detail = np.where(changed, detail, np.float32(0))
    count, energy, stayed, common = (
        _block_sums(values) for values in (changed.astype(np.float32), taken * taken, detail * detail, taken * detail)
    )
    used = (count >= LEAST_CHANGED) & (energy > 0)
    if not used.any():
        return None
    detailed = stayed[used] > LEAST_DETAIL**2 * count[used]  # where nothing but rounding is left, no detail was lost
    squared = np.where(detailed, common[used] ** 2 / (energy[used] * np.maximum(stayed[used], 1e-12)), 0.0)
    chance = 1.0 / count[used]
    freed = np.clip((squared - chance) / (1.0 - chance), 0.0, 1.0)
    return float(np.sum(freed * energy[used]) / np.sum(energy[used]))


def _block_sums(values: Values) -> npt.NDArray[np.float64]:
    height, width = values.shape
    padded = np.pad(values, ((0, -height % BLOCK_PX), (0, -width % BLOCK_PX))).astype(np.float64)
    rows, columns = padded.shape[0] // BLOCK_PX, padded.shape[1] // BLOCK_PX
    return np.asarray(padded.reshape(rows, BLOCK_PX, columns, BLOCK_PX).sum(axis=(1, 3)))


def harm_of(before: Frame, after: Frame) -> float | None:
    """`structure_share` of two frames of the same size, on their 8-bit luma; None for another size."""
    first, second = before.luma8(), after.luma8()
    if first.shape != second.shape:
        return None
    return structure_share(first.astype(np.float32), second.astype(np.float32))
