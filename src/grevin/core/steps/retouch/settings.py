"""Settings of retouching by hand; strokes carry their own besides."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class RetouchSettings(Settings):
    """For all strokes of the step."""

    strength_pct: float = setting(
        100.0, label="Strength", unit="%", low=0.0, high=100.0, decimals=0, step=5.0,
        help="How much of every stroke is taken; it can be raised from nothing over time.",
    )  # fmt: skip
    levels: Literal["rim", "mean", "as they are"] = setting(
        "rim", label="Levels", words={"rim": "matched all round the rim", "mean": "matched on the whole"},
        help="Whether the fill is brought to the brightness and colour of what lies round the stroke.",
    )  # fmt: skip
    grain: bool = setting(True, label="Grain", help="Give a fill that is smoother than its surroundings their grain.")
