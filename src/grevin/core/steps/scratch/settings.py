"""Settings of the scratch step."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting


class ScratchSettings(Settings):
    """Settings of the scratch step."""

    seen_in: Literal["any", "luma", "green", "blue"] = setting(
        "any", label="Seen in", words={"any": "any channel", "luma": "brightness"},
        help="In which channel scratches show most; many show in one alone.",
    )  # fmt: skip
    polarity: Literal["both", "darker", "brighter"] = setting(
        "both", label="Scratches are", words={"both": "either"},
        help="Which scratches to take: darker than the picture, brighter, or either.",
    )  # fmt: skip
    least_width_px: float = setting(
        0.0, label="Narrowest", unit="px", low=0.0, high=12.0, decimals=1, step=0.5, rare=True,
        help="Narrower lines are left alone.",
    )  # fmt: skip
    most_width_px: float = setting(
        12.0, label="Widest", unit="px", low=1.0, high=12.0, decimals=1, step=0.5, rare=True,
        help="Wider lines are left alone.",
    )  # fmt: skip
    min_length_pct: float = setting(
        10.0, label="Shortest", unit="% of the height", low=5.0, high=100.0, decimals=0, step=5.0,
        help="Shorter lines are left alone; 30 finds the long ones safely, 10 the broken ones too.",
    )  # fmt: skip
    caution: float = setting(
        0.5, label="Caution", low=0.0, high=1.0, decimals=2, step=0.05,
        help="How sure a line has to be a scratch: less finds more of them, and more uprights of the picture.",
    )  # fmt: skip
    bridge_frames: int = setting(
        3, label="Followed through gaps", unit="frames", low=0, high=4, rare=True,
        help="For how many frames a line is followed where it is not found.",
    )  # fmt: skip
    grow_left_px: int = setting(
        0, label="Wider on the left", unit="px", low=-3, high=12, rare=True,
        help="Px that are mended beside what was found, on the left.",
    )  # fmt: skip
    grow_right_px: int = setting(
        0, label="Wider on the right", unit="px", low=-3, high=12, rare=True,
        help="The same on the right.",
    )  # fmt: skip
