"""The cosine transform of blocks, as a matrix: for eight pixels faster than a general one, and loaded with nothing."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

PART = 8  # px of a block's side


def _cosines() -> npt.NDArray[np.float32]:
    """Orthonormal type II (Ahmed, Natarajan, Rao 1974)."""
    number = np.arange(PART)
    rows = np.cos(np.pi * (2 * number[None, :] + 1) * number[:, None] / (2 * PART)) * np.sqrt(2 / PART)
    rows[0] /= np.sqrt(2)
    return np.asarray(rows, np.float32)


COSINES = _cosines()
