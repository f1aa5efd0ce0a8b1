"""Settings of grain given back."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class GrainSettings(Settings):
    """Settings of grain given back."""

    kind: Literal["as measured", "plain"] = setting(
        "as measured", label="Grain", learned=True, words={"plain": "of a size and level of its own"},
        help="As it was measured before the step Grain and noise, or of a given size and level.",
    )  # fmt: skip
    amount: float = setting(
        1.0, label="Amount", low=0.0, high=2.0, decimals=2, step=0.05, when={"kind": "as measured"},
        help="Times the grain that was measured; 1 is all of it.",
    )  # fmt: skip
    size: float = setting(
        1.0, label="Size", low=0.25, high=6.0, decimals=2, step=0.25, when={"kind": "as measured"},
        help="Times the size that the grain had; as many as the picture was enlarged.",
    )  # fmt: skip
    plain_levels: float = setting(
        4.0, label="Level", unit="levels", low=0.0, high=40.0, decimals=1, step=0.5, when={"kind": "plain"},
        help="Standard deviation of the grain in brightness.",
    )  # fmt: skip
    plain_px: float = setting(
        0.7, label="Size", unit="px", low=0.0, high=6.0, decimals=1, step=0.1, when={"kind": "plain"},
        help="Standard deviation of the blur that makes the grain as large; 0 is as fine as the pixels.",
    )  # fmt: skip
    seed: int = setting(
        1, label="Seed", low=0, high=9999, rare=True,
        help="Another number gives other grain; the same number always the same, on every frame alone.",
    )  # fmt: skip
