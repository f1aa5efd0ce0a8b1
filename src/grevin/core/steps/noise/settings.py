"""Settings of the noise step."""

from __future__ import annotations

import pydantic

from grevin.core.steps.settings import Settings, TypedItem, setting


class NoisePoint(TypedItem):
    """A point of a curve of noise that a person draws.

    Attributes:
        level: 0 for black to 255 for white.
        noise: standard deviation of brightness there, 8-bit levels.
        colour: of both planes of colour; below 0 for what was measured.
    """

    level: float = pydantic.Field(ge=0.0, le=255.0)
    noise: float = pydantic.Field(ge=0.0, le=60.0)
    colour: float = pydantic.Field(-1.0, ge=-1.0, le=60.0)


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
        5, label="Reach", unit="frames", low=0, high=5, lowest="this frame alone",
        help="How many frames on either side are averaged along the motion, where they show the same thing.",
    )  # fmt: skip
    quick: bool = setting(
        False, label="Quick", rare=True,
        help="For looking: two frames a side and one pass, in half of the time; the same character, a little less "
        "taken.",
    )  # fmt: skip
    curve: tuple[NoisePoint, ...] = setting(
        (), label="Drawn curve", rare=True, learned=True,
        help="Level, noise of brightness, noise of colour; then the next, after a semicolon. Nothing is as measured; "
        "its points are dragged on the drawing, too.",
    )  # fmt: skip
    renews_every_frames: int = setting(
        0, label="Noise renews every", unit="frames", low=0, high=12, lowest="found by itself", rare=True, learned=True,
        help="For how many frames the same noise stands; frames that share it are never measured against each other.",
    )  # fmt: skip
    finest: float = setting(
        1.0, label="Fine noise", low=0.0, high=2.0, decimals=2, step=0.05, rare=True,
        help="Times the measured noise of structure up to 3 px that is taken.",
    )  # fmt: skip
    coarsest: float = setting(
        1.0, label="Coarse noise", low=0.0, high=2.0, decimals=2, step=0.05, rare=True,
        help="Times the measured noise of structure of 6 px and more that is taken.",
    )  # fmt: skip
