"""Values that are known in places, continued over those where they are not."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float32]
Hole = npt.NDArray[np.bool_]

LEAST_KNOWN = 0.05  # share of a cell that must be known for its own mean
LEVELS = np.float32(255.0)  # OpenCV 5.0.0 is wrong by more than the whole range on pictures of 0..1


def spread(sums: Values, shares: Values) -> Values:
    """(H, W, C) means of what is known, from coarser grids where too little is.

    Normalised averages (pull and push: Gortler, Grzeszczuk, Szeliski, Cohen 1996, from memory).

    Args:
        sums: (H, W, C) values, 0 where they are not known.
        shares: (H, W) 0..1, how much of each is known.
    """
    means = np.asarray(sums / np.maximum(shares, 1e-6)[..., None], np.float32)
    little = shares < LEAST_KNOWN
    if not little.any() or min(shares.shape) < 2:
        return means
    halves = (np.asarray(cv2.pyrDown(one), np.float32) for one in (sums, shares))
    coarser = spread(*halves)
    wide = cv2.resize(coarser, (shares.shape[1], shares.shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray(np.where(little[..., None], wide.reshape(means.shape), means), np.float32)


def inpainted(picture: Values, hole: Hole, radius_px: float) -> Values:
    """(H, W, C) float32 0..1, what lies in a hole continued from around it (Telea 2004, as in OpenCV)."""
    planes = (np.ascontiguousarray(picture[..., place]) * LEVELS for place in range(picture.shape[2]))
    made = [cv2.inpaint(plane, hole.view(np.uint8), radius_px, cv2.INPAINT_TELEA) for plane in planes]
    return np.asarray(np.stack(made, axis=-1) / LEVELS, np.float32)
