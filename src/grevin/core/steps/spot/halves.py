"""What both halves of a shot tell of a shadow.

Something that stands on the sensor is the same in both; noise is not, nor what a mistaken motion tells. The detail of a
shadow is kept as far as both show it, scale by scale, in the manner of Wiener's filter (from memory): what is left of
their difference is what is not known of it.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.known import known_median
from grevin.core.picture.frame import Mask

SCALES_PX = (1.0, 2.0, 4.0)  # standard deviations of the Gaussians by which detail is parted
NEAR_PX = 4.0  # of the Gaussian over which it is told how far both agree
SMOOTH_PX = 2.0  # a shadow is soft, noise is not
FEWEST_PX = 60  # of a circle that both halves have to tell
LEAST = 1e-9  # of a square of logarithms

Values = npt.NDArray[np.float32]


def halves_of(ratios: Values) -> tuple[Values, Values]:
    """(h, w, 3) the middle ratio of the first and of the second half of a shot, NaN where it tells none.

    Args:
        ratios: (N, h, w, 3) logarithms in the order of time, NaN where unknown.
    """
    half = len(ratios) // 2
    first, second = (known_median(some) if len(some) else ratios[0] * np.nan for some in (ratios[:half], ratios[half:]))
    return first, second


def certain(light: Values, halves: tuple[Values, Values], told: Mask) -> Values:
    """(h, w, 3) a shadow with its detail as far as both halves of the shot show it; 0 where it is not told.

    Args:
        light: (h, w, 3) logarithms, told by the whole shot.
        halves: the same by each half.
        told: (h, w) bool, where the light is known.
    """
    both = _told_by_both(halves, told)
    rest, doubt = np.where(told[..., None], light, 0), _doubt(halves, both)
    kept = np.zeros_like(rest)
    for scale in SCALES_PX:
        soft, soft_doubt = smooth(rest, told, scale), smooth(doubt, both, scale)
        there, unsure = _power(rest - soft, told), _power(doubt - soft_doubt, both)
        kept += np.clip(1 - unsure / np.maximum(there, LEAST), 0, 1) * (rest - soft)
        rest, doubt = soft, soft_doubt
    return np.asarray(np.where(told[..., None], kept + rest, 0), np.float32)


def agreement(light: Values, halves: tuple[Values, Values], told: Mask) -> float:
    """How many times a shadow is as large as what the halves of a shot are off it: by that motion was mistaken.

    Args:
        light: (h, w, 3) logarithms, what is certain of it.
        halves: by each half of the shot.
        told: (h, w) bool, where the light is known.
    """
    both = _told_by_both(halves, told)
    if both.sum() < FEWEST_PX:
        return 0.0
    off = float(np.sqrt(np.square(smooth(_doubt(halves, both), both)[both]).mean()))
    return float(np.sqrt(np.square(smooth(light, told)[both]).mean())) / max(off, 1e-6)


def smooth(light: Values, told: Mask, scale_px: float = SMOOTH_PX) -> Values:
    """(h, w, C) what is told alone, evened by a Gaussian."""
    known = cv2.GaussianBlur(told.astype(np.float32), (0, 0), scale_px)
    blurred = cv2.GaussianBlur(np.where(told[..., None], light, 0).astype(np.float32), (0, 0), scale_px)
    return np.asarray(blurred.reshape(light.shape) / np.maximum(known, np.float32(1e-3))[..., None])


def _told_by_both(halves: tuple[Values, Values], told: Mask) -> Mask:
    return np.asarray(told & np.isfinite(halves[0][..., 0]) & np.isfinite(halves[1][..., 0]))


def _doubt(halves: tuple[Values, Values], both: Mask) -> Values:
    """(h, w, 3) by how much the mean of the halves is off it, either way; 0 where one of them tells nothing."""
    return np.asarray(np.where(both[..., None], (halves[0] - halves[1]) / 2, 0), np.float32)


def _power(detail: Values, told: Mask) -> Values:
    """(h, w, 1) mean square around each place, of all channels."""
    return np.asarray(smooth(np.square(detail), told, NEAR_PX).mean(axis=2, keepdims=True))
