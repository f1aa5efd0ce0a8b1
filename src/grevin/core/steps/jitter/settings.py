"""Settings of line jitter."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class JitterSettings(Settings):
    """How lines are put straight."""

    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Which part of the displacement of each line is taken back.",
    )  # fmt: skip
    acts: Literal["found", "all"] = setting(
        "found", label="Acts", words={"found": "where lines tremble", "all": "on every shot"},
        help="On shots whose lines tremble by more than what steady pictures show, or on all.",
    )  # fmt: skip
    least_px: float = setting(
        0.15, label="From", unit="px", low=0.05, high=2.0, decimals=2, step=0.05, rare=True, when={"acts": "found"},
        help="Standard deviation of the displacements from which a shot trembles. Steady pictures show up to .1.",
    )  # fmt: skip
