"""Where more than the noise was taken: what went is compared with what was measured.

What is taken of a place may hold as much as its noise does, and no more but by chance.
"""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.picture.levels import Plane
from grevin.core.steps.evidence import Evidence

PLACE_PX = 16
BY_CHANCE = 3.5  # standard deviations of the noise's energy in a place
ADVICE_FROM = 0.02  # of the picture
MOST_AREA = 16.0  # px of a grain: a place of more than one says little


def checked(before: Plane, made: Plane, sigma: Plane, grain_area: float) -> Evidence:
    """Places that lost more than noise.

    Args:
        before: (H, W) float32, 8-bit levels of brightness.
        made: the same without its noise.
        sigma: (H, W) standard deviation that was measured.
        grain_area: pixels that go together, 1 for white noise.
    """
    height, width = before.shape
    size = max(1, width // PLACE_PX), max(1, height // PLACE_PX)
    taken = np.square((before - made) / np.maximum(sigma, np.float32(1e-3)))
    energy = np.asarray(cv2.resize(taken, size, interpolation=cv2.INTER_AREA), np.float32)
    chance = np.sqrt(2.0 * min(MOST_AREA, max(1.0, grain_area)) / PLACE_PX**2)
    more = (energy > 1.0 + BY_CHANCE * chance).astype(np.uint8)
    mask = cv2.resize(more, (width, height), interpolation=cv2.INTER_NEAREST).astype(np.bool_)
    return Evidence(mask, words=_words(energy, more.astype(np.bool_), (height, width)))


def _words(energy: Plane, more: np.ndarray, shape: tuple[int, int]) -> str:
    share = float(more.mean())
    if not share:
        return f"nothing but noise was taken, {100 * float(np.median(energy)):.0f} % of what was measured."
    down, across = np.unravel_index(int(np.argmax(energy)), energy.shape)
    x, y = (int(across) + 0.5) * shape[1] / energy.shape[1], (int(down) + 0.5) * shape[0] / energy.shape[0]
    words = f"more than noise went on {max(0.1, 100 * share):.1f} % of the picture, most at {x:.0f}, {y:.0f}"
    return f"{words}; take less." if share > ADVICE_FROM else f"{words}."
