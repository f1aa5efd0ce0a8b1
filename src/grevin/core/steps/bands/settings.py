"""Settings of the bands step."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class BandsSettings(Settings):
    """Settings of the bands step."""

    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Share of the measured band that is taken; 1 is all of it.",
    )  # fmt: skip
    colours: Literal["as measured", "linked", "each"] = setting(
        "as measured", label="Colours", learned=True, words={"linked": "one band for all", "each": "a band for each"},
        help="Whether red, green and blue are given light by one band or by one each; as measured takes three where "
        "the band is coloured.",
    )  # fmt: skip
    least_explained_pct: float = setting(
        30.0, label="Band believed from", learned=True, unit="% explained", low=5.0, high=95.0,
        decimals=0, step=5.0, rare=True,
        help="How much of the change from row to row a band must explain before it is believed; clean "
        "material stays below 5, material that flickers went up to 25.",
    )  # fmt: skip
