"""Between linear light, as OpenEXR holds it, and the non-linear R'G'B' in which steps work.

The curve is that of ITU-R BT.709-6 (item 1.2), continued as an odd function below black and freely above white,
so that it can be undone for every value.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float32]

SLOPE, EXPONENT, SCALE, OFFSET, KNEE = 4.5, 0.45, 1.099, 0.099, 0.018  # BT.709-6, item 1.2


def encode_linear(linear: Values) -> Values:
    """Linear light to non-linear values, any shape, nominal 0..1; values outside are kept."""
    size = np.abs(linear)
    curve = SCALE * np.power(np.maximum(size, KNEE), EXPONENT) - OFFSET
    return np.asarray(np.copysign(np.where(size < KNEE, SLOPE * size, curve), linear), np.float32)


def decode_linear(encoded: Values) -> Values:
    """The inverse of `encode_linear`."""
    size = np.abs(encoded)
    curve = np.power((np.maximum(size, SLOPE * KNEE) + OFFSET) / SCALE, 1.0 / EXPONENT)
    return np.asarray(np.copysign(np.where(size < SLOPE * KNEE, size / SLOPE, curve), encoded), np.float32)
