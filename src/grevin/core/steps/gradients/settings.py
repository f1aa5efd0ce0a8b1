"""Settings of stepped gradients."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class GradientsSettings(Settings):
    """How steps in soft gradients are widened."""

    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Which part of the way from the steps to the soft gradient is gone.",
    )  # fmt: skip
    colour: bool = setting(
        True, label="Colour too", help="Steps in the colour differences are widened as well as those in brightness.",
    )  # fmt: skip
    acts: Literal["found", "all"] = setting(
        "found", label="Acts", words={"found": "where gradients show steps", "all": "on every shot"},
        help="On shots in which soft gradients lie in steps, or on all.",
    )  # fmt: skip
    least_pct: float = setting(
        0.5, label="From", unit="% of the picture", low=0.0, high=100.0, decimals=1, step=0.5, rare=True,
        when={"acts": "found"}, help="Share of the picture that lies in steps, from which a shot is acted on.",
    )  # fmt: skip
