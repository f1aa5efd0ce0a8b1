"""R'G'B' of one set of primaries in another: what is red there is not quite red here.

Values are brought to linear light, to CIE XYZ and back (SMPTE RP 177:1993 derives the matrices from chromaticities).
All sets here have the white of D65, so nothing has to be adapted.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb
from grevin.core.picture.transfer import decode_linear, encode_linear

BT709, BT470BG, SMPTE_C, BT2020 = 1, 5, 6, 9
# (x, y) of red, green, blue by their codes in ITU-T H.273, table 2; 7 is 6 by another name
CHROMATICITIES = {
    BT709: ((0.640, 0.330), (0.300, 0.600), (0.150, 0.060)),
    BT470BG: ((0.640, 0.330), (0.290, 0.600), (0.150, 0.060)),
    SMPTE_C: ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070)),
    7: ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070)),
    BT2020: ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
}  # fmt: skip
D65 = (0.3127, 0.3290)

Matrix = npt.NDArray[np.float64]


def _to_xyz(code: int) -> Matrix:
    def column(x: float, y: float) -> tuple[float, float, float]:
        return x / y, 1.0, (1 - x - y) / y

    primaries = np.array([column(*place) for place in CHROMATICITIES[code]]).T
    return np.asarray(primaries * np.linalg.solve(primaries, np.array(column(*D65))))


def between(old: int, new: int) -> Matrix:
    """(3, 3) from linear R, G, B of one set of primaries to those of another; codes of H.273, table 2."""
    return np.asarray(np.linalg.solve(_to_xyz(new), _to_xyz(old)))


def in_primaries(rgb: Rgb, old: int, new: int) -> Rgb:
    """(H, W, 3) float32 R'G'B', nominal 0..1, in other primaries; what these do not reach goes beyond 0..1."""
    linear = decode_linear(rgb) @ between(old, new).astype(np.float32).T
    return encode_linear(np.asarray(linear, np.float32))
