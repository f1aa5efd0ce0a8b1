"""Settings of the noise step."""

from __future__ import annotations

from grevin.core.steps.settings import Settings, setting


class NoiseSettings(Settings):
    """Settings of the noise step."""

    strength: float = setting(
        1.0, label="Strength", low=0.0, high=2.0, decimals=2, step=0.05,
        help="Times the measured noise that is taken for noise; 1 is what was measured.",
    )  # fmt: skip
    colour_strength: float = setting(
        1.0, label="Strength in colour", low=0.0, high=2.0, decimals=2, step=0.05,
        help="The same for the noise of colours.",
    )  # fmt: skip
    reach_frames: int = setting(
        4, label="Reach", unit="frames", low=0, high=5, lowest="this frame alone",
        help="How many frames on either side are averaged along the motion, where they show the same thing.",
    )  # fmt: skip
    finest: float = setting(
        1.0, label="Fine noise", low=0.0, high=2.0, decimals=2, step=0.05, rare=True,
        help="Times the measured noise of structure up to 3 px that is taken.",
    )  # fmt: skip
    coarsest: float = setting(
        1.0, label="Coarse noise", low=0.0, high=2.0, decimals=2, step=0.05, rare=True,
        help="Times the measured noise of structure of 6 px and more that is taken.",
    )  # fmt: skip
