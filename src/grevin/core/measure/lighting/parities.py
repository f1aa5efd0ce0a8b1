"""What the two fields of a frame differ by all along: structure between their lines, which is no light.

Fine lines that one field alone shows make it lighter than the other on every frame. Light that differs from field to
field does so all over the picture; structure does so where it lies.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import FOOT
from grevin.core.measure.lighting.table import Arrays

Values = npt.NDArray[np.float64]

SURE_TIMES = 4.0  # standard errors by which what is fixed must differ from what the whole picture does
MEDIAN_ERROR = 1.2533  # standard error of a median over that of a mean, of normal errors
FROM_MAD = 1.4826  # standard deviation over the median of absolute deviations, of normal errors
FEWEST = 4  # pairs from the one parity to the other; fewer show nothing that is fixed


def without_structure(arrays: Arrays) -> Arrays:
    """Pairs of fields without what those of the two parities differ by on all frames, but for the whole picture's part.

    Args:
        arrays: of `table.measured`, over fields in the order of their time.
    """
    first = arrays["first"].astype(np.int64)
    across = (arrays["second"].astype(np.int64) - first) % 2 == 1
    ratio, levels = arrays["ratio"].astype(np.float64), arrays["levels"].astype(np.float64)
    for parity in (0, 1):  # each way apart: what lies in both pictures differs a little by the way
        pairs = across & (first % 2 == parity)
        if np.count_nonzero(pairs) < FEWEST:
            continue
        blocks, _ = _fixed(ratio[pairs])
        whole = float(np.nanmedian(blocks)) if np.isfinite(blocks).any() else 0.0
        ratio[pairs] -= _structure(ratio[pairs], whole)
        one, other = (np.log(levels[pairs][..., end] + FOOT) for end in (0, 1))
        levels[pairs, ..., 1] = np.exp(other - _structure(other - one, whole)) - FOOT
    return arrays | {"ratio": ratio.astype(np.float32), "levels": levels.astype(np.float32)}


def _fixed(values: Values) -> tuple[Values, Values]:
    """The median over the first axis, and its standard error; NaN where nothing is known."""
    known = np.isfinite(values)
    count = np.maximum(known.sum(axis=0), 1)
    held = np.where(known.any(axis=0), values, 0.0)
    middle = np.nanmedian(held, axis=0)
    spread = FROM_MAD * np.nanmedian(np.abs(held - middle), axis=0)
    enough = known.sum(axis=0) >= FEWEST
    return np.where(enough, middle, np.nan), MEDIAN_ERROR * spread / np.sqrt(count)


def _structure(values: Values, whole: float) -> Values:
    """(...) what is fixed beside the whole picture's part, zero where that is not sure."""
    middle, error = _fixed(values)
    apart = middle - whole
    return np.where(np.abs(apart) > SURE_TIMES * error, np.nan_to_num(apart), 0.0)
