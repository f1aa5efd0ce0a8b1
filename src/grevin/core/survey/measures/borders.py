"""Black or ragged borders."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
import numpy.typing as npt

from grevin.core.survey.measures.base import Depth, Series, Sight

DARK_LEVELS = 26  # 8-bit levels: black of limited range, with noise
MOST_SHARE = 0.25  # of the picture that a border can take


class Borders:
    """How many lines and columns at each side are black."""

    series: ClassVar[tuple[Series, ...]] = tuple(
        Series(f"border_{side}", "px", f"black border at the {side}") for side in ("left", "right", "top", "bottom")
    )
    depth: ClassVar[Depth] = "quick"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma
        dark_rows = np.quantile(luma[:, ::8], 0.9, axis=1) <= DARK_LEVELS
        dark_columns = np.quantile(luma[::8], 0.9, axis=0) <= DARK_LEVELS
        if dark_rows.mean() > 1 - MOST_SHARE:
            return 0.0, 0.0, 0.0, 0.0  # a black frame has no border
        return (*_ends(dark_columns), *_ends(dark_rows))


def _ends(dark: npt.NDArray[np.bool_]) -> tuple[float, float]:
    most = int(MOST_SHARE * len(dark))
    return tuple(float(np.cumprod(run[:most]).sum()) for run in (dark, dark[::-1]))  # type: ignore[return-value]
