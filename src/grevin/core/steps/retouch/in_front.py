"""What stands before a patch: where a frame differs from the patched one by more than the light explains."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow

ROUNDS = 8  # of the robust fit of the light
DOWN = 4  # terms down the picture: a screen flickers in bands
SPREAD_OF_MAD = 1.4826
FAR = 4.0  # times the usual difference
LEAST_FAR = 8.0 / 255
CALM_PX = 1.5  # noise of single pixels is not looked at
SMALLEST_SHARE = 0.002  # of the patch: what is smaller does not cross it
GROWN_PX = 3
EDGE_PX = 2.0  # over which it fades


def in_front(here: Rgb, patch: Rgb, inside: Mask) -> npt.NDArray[np.float32]:
    """(h, w) float32 0..1, how far something stands before a patch.

    The light of the patch on this frame is a gain and an offset that change slowly down the picture, fitted to what
    most of it shows (iteratively reweighted least squares, weights of Cauchy).

    Args:
        here: (h, w, 3) R'G'B' of the frame.
        patch: (h, w, 3) what is to be laid over it.
        inside: (h, w) bool.
    """
    if not inside.any():
        return np.zeros(inside.shape, np.float32)
    calm_here, calm_patch = (np.asarray(cv2.GaussianBlur(one, (0, 0), CALM_PX), np.float32) for one in (here, patch))
    apart = np.zeros(inside.shape, np.float32)
    for channel in range(3):
        left = _unexplained(calm_here[..., channel], calm_patch[..., channel], inside)
        apart = np.maximum(apart, left)
    stands = _pieces((apart > 1.0) & inside, int(SMALLEST_SHARE * inside.sum()))
    soft = cv2.GaussianBlur(grow(stands, GROWN_PX).astype(np.float32), (0, 0), EDGE_PX)
    return np.asarray(np.clip(soft, 0.0, 1.0), np.float32)


def _unexplained(
    here: npt.NDArray[np.float32], patch: npt.NDArray[np.float32], inside: Mask
) -> npt.NDArray[np.float32]:
    """(h, w) differences that the light does not explain, 1 where they are just too large."""
    rows, _ = np.nonzero(inside)
    height = inside.shape[0]
    place = (2 * rows / max(1, height - 1) - 1).astype(np.float64)
    shapes = np.polynomial.legendre.legvander(place, DOWN - 1)
    values, targets = patch[inside].astype(np.float64), here[inside].astype(np.float64)
    terms = np.concatenate([shapes * values[:, None], shapes], axis=1)
    weights = np.ones(len(values))
    left = targets
    for _ in range(ROUNDS):
        scaled = terms * weights[:, None]
        fit = np.linalg.lstsq(scaled.T @ terms + 1e-6 * np.eye(terms.shape[1]), scaled.T @ targets, rcond=None)[0]
        left = targets - terms @ fit
        usual = max(SPREAD_OF_MAD * float(np.median(np.abs(left))), 1e-3)
        weights = 1.0 / (1.0 + np.square(left / (2 * usual)))
    apart = np.zeros(inside.shape, np.float32)
    apart[inside] = np.abs(left) / max(FAR * usual, LEAST_FAR)
    return apart


def _pieces(mask: Mask, least: int) -> Mask:
    """What holds together and is large enough, with its holes filled."""
    closed = cv2.morphologyEx(mask.view(np.uint8), cv2.MORPH_CLOSE, np.ones((7, 7), np.uint8))
    outlines, _ = cv2.findContours(closed, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    kept = np.zeros(mask.shape, np.uint8)
    large = [one for one in outlines if cv2.contourArea(one) >= max(4, least)]
    cv2.drawContours(kept, large, -1, 1, cv2.FILLED)
    return np.asarray(kept, np.bool_)
