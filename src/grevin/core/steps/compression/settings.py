"""Settings of compression clean-up."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class CompressionSettings(Settings):
    """How the residue of codecs is taken."""

    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Which part of the residue in brightness is taken; 1 is all that was learned to be residue.",
    )  # fmt: skip
    colour_strength: float = setting(
        1.0, label="Strength in colour", low=0.0, high=1.0, decimals=2, step=0.05,
        help="The same in the colour differences, whose blocks are often twice as large.",
    )  # fmt: skip
    speed: Literal["full", "quick"] = setting(
        "full", label="Speed", words={"full": "in full", "quick": "quick"},
        help="Quick: by a network of a sixth of the work, each frame alone. For looking, and for trial outputs.",
    )  # fmt: skip
    reach_frames: int = setting(
        4, label="Reach", unit="frames", low=0, high=4, when={"speed": "full"},
        help="Frames before and after that are averaged where they show the same thing; 0 takes each frame alone.",
    )  # fmt: skip
    acts: Literal["grid", "all"] = setting(
        "grid", label="Acts", learned=True,
        words={"grid": "where blocks show", "all": "on every shot"},
        help="On shots in which a grid of blocks was found, or on all: for residue whose grid a second codec smoothed.",
    )  # fmt: skip
