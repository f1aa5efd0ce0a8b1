"""Settings of stair-step smoothing."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class StairsSettings(Settings):
    """What is done about stair-steps."""

    lines: Literal["found", "leave"] = setting(
        "found", label="Repeated lines", words={"found": "made anew", "leave": "left"},
        help="Lines and columns that repeat their neighbours are found for each shot, in moving parts for each frame, "
        "and made anew from the samples that there are.",
    )  # fmt: skip
    diagonals: Literal["found", "all"] = setting(
        "found", label="Diagonals", words={"found": "where lines repeat", "all": "everywhere"},
        help="Where diagonal edges are smoothed along themselves. Everywhere takes sharp diagonals that are right as "
        "well: draw a region, and look at the loss of sharpness.",
    )  # fmt: skip
    passes: int = setting(
        1, label="Passes", low=0, high=20, lowest="none",
        help="How often diagonal edges are smoothed along themselves. Up to 5 are usual; above 8 the picture blurs.",
    )  # fmt: skip
    threshold: float = setting(
        12.0, label="Threshold", unit="levels", low=1.0, high=80.0, decimals=1, step=1.0,
        help="Difference between the two sides of an edge, in 8-bit levels, from which it is smoothed.",
    )  # fmt: skip
    soft_px: float = setting(
        2.0, label="Soft edge", unit="px", low=0.0, high=10.0, decimals=1, step=0.5,
        help="Over which the smoothing fades out beside the edges that were found.",
    )  # fmt: skip
