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

SCALES_PX = (1.0, 2.0)  # standard deviations of the Gaussians by which detail is parted
NEAR_PX = 4.0  # of the Gaussian over which it is told how far both agree
SMOOTH_PX = 2.0  # a shadow is soft, noise is not
FEWEST_PX = 60  # of a circle that both halves have to tell
LEAST = 1e-9  # of a square of logarithms

Values = npt.NDArray[np.float32]


def halves_of(ratios: Values) -> tuple[Values, Values]:
    """What the first and the second half of a shot are off their mean, and how far all of it together is likely to be.

    Both (h, w, 3), NaN where one of them tells nothing. Where one half tells more often than the other, all together
    are as good as the better one.

    Args:
        ratios: (N, h, w, 3) logarithms in the order of time, NaN where unknown.
    """
    half = len(ratios) // 2
    first, second = (known_median(some) if len(some) else ratios[0] * np.nan for some in (ratios[:half], ratios[half:]))
    some, others = (np.isfinite(part[..., 0]).sum(axis=0) for part in (ratios[:half], ratios[half:]))
    alike = 2 * np.sqrt(some * others) / np.maximum(some + others, 1)
    apart = np.asarray((first - second) / 2, np.float32)
    return apart, np.asarray(apart * alike[..., None], np.float32)


def certain(light: Values, doubt: Values, told: Mask) -> Values:
    """(h, w, 3) a shadow with its detail as far as it is more than what is not known of it.

    Args:
        light: (h, w, 3) logarithms, known or guessed everywhere.
        doubt: (h, w, 3) how far it is likely to be off, NaN where that is unknown.
        told: (h, w) bool, where the light is known.
    """
    both = _told_by_both(doubt, told)
    everywhere = np.ones_like(told)
    rest, unsure = light, np.where(both[..., None], doubt, 0)
    kept = np.zeros_like(light)
    for scale in SCALES_PX:
        soft, soft_unsure = smooth(rest, everywhere, scale), smooth(unsure, both, scale)
        there, off = _power(rest - soft, told), _power(unsure - soft_unsure, both)
        kept += np.clip(1 - off / np.maximum(there, LEAST), 0, 1) * (rest - soft)
        rest, unsure = soft, soft_unsure
    return np.asarray(kept + rest, np.float32)


def agreement(light: Values, apart: Values, told: Mask) -> float:
    """How many times a shadow is as large as what the halves of a shot are off it, smoothly: mistaken motion.

    Args:
        light: (h, w, 3) logarithms, what is certain of it.
        apart: (h, w, 3) what the halves are off their mean, NaN where one of them tells nothing.
        told: (h, w) bool, where the light is known.
    """
    both = _told_by_both(apart, told)
    if both.sum() < FEWEST_PX:
        return 0.0
    off = float(np.sqrt(np.square(smooth(apart, both)[both]).mean()))
    return float(np.sqrt(np.square(smooth(light, told)[both]).mean())) / max(off, 1e-6)


def smooth(light: Values, told: Mask, scale_px: float = SMOOTH_PX) -> Values:
    """(h, w, C) what is told alone, evened by a Gaussian."""
    known = cv2.GaussianBlur(told.astype(np.float32), (0, 0), scale_px)
    blurred = cv2.GaussianBlur(np.where(told[..., None], light, 0).astype(np.float32), (0, 0), scale_px)
    return np.asarray(blurred.reshape(light.shape) / np.maximum(known, np.float32(1e-3))[..., None])


def _told_by_both(doubt: Values, told: Mask) -> Mask:
    return np.asarray(told & np.isfinite(doubt[..., 0]))


def _power(detail: Values, told: Mask) -> Values:
    """(h, w, 1) mean square around each place, of all channels."""
    return np.asarray(smooth(np.square(detail), told, NEAR_PX).mean(axis=2, keepdims=True))
