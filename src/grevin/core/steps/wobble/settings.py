"""Settings of wobble."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class WobbleSettings(Settings):
    """How a swaying picture is put straight."""

    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Which part of the bend is taken back.",
    )  # fmt: skip
    acts: Literal["found", "all"] = setting(
        "found", label="Acts", words={"found": "where pictures sway", "all": "on every shot"}, learned=True,
        help="On shots whose lines sway together by more than what steady pictures show, or on all.",
    )  # fmt: skip
    frames: float = setting(
        6.0, label="Against", unit="frames", low=2.0, high=50.0, decimals=0, step=1.0, learned=True,
        help="A picture is put straight by those around it, about so many before and behind. "
        "What sways slower is left.",
    )  # fmt: skip
    least_px: float = setting(
        0.25, label="From", unit="px", low=0.05, high=5.0, decimals=2, step=0.05, rare=True, when={"acts": "found"},
        learned=True,
        help="Standard deviation of the bends from which a shot is put straight. Steady pictures show up to .2.",
    )  # fmt: skip
