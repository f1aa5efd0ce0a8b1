"""Settings of the spot step."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class SpotSettings(Settings):
    """Settings of the spot step."""

    way: Literal["by itself", "divide", "fill"] = setting(
        "by itself", label="Method", learned=True,
        words={"by itself": "what is left decides", "divide": "take the shadow off", "fill": "fill from around"},
        help="Whether the shadow is divided out, which keeps what is under it, or the place is filled softly from its "
        "surroundings; by itself it is filled where nothing is left.",
    )  # fmt: skip
    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.5, decimals=2, step=0.05,
        help="How much of the shadow is taken off; 1 is what was measured.",
    )  # fmt: skip
