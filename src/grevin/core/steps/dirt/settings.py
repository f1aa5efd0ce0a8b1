"""Settings of the dirt step."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting

ALONG_MOTION, MEDIAN = {"way": "along motion"}, {"way": "median"}


class DirtSettings(Settings):
    """Settings of the dirt step."""

    way: Literal["along motion", "median"] = setting(
        "along motion", label="Method",
        help="Along motion compares with the frames around; median looks at one frame alone, for a region where that "
        "will do.",
    )  # fmt: skip
    median_px: int = setting(
        9, label="Median size", unit="px", low=3, high=41, step=2, when=MEDIAN,
        help="For the median way: side of the square that is looked at; about twice the width of the specks.",
    )  # fmt: skip
    median_levels: int = setting(
        20, label="Median threshold", unit="levels", low=2, high=200, when=MEDIAN,
        help="For the median way: how far of 255 levels a speck must stand out from the median of its surroundings.",
    )  # fmt: skip
    polarity: Literal["both", "darker", "brighter"] = setting(
        "both",
        label="Dirt is",
        help="Which dirt to take: darker than the picture, brighter, or either.",
        words={"both": "either"},
    )
    smallest_px: int = setting(
        3, label="Smallest", unit="px", low=1, high=200,
        help="Specks with fewer pixels than this are left alone.",
    )  # fmt: skip
    largest_px: int = setting(
        4000, label="Largest", unit="px", low=4, high=100000, step=100, rare=True,
        help="Blobs with more pixels than this are left alone.",
    )  # fmt: skip
    sensitivity: float = setting(
        3.5, label="Threshold", unit="x noise", when=ALONG_MOTION, low=1.5, high=20.0, decimals=1, step=0.5,
        help="How far a speck must stand out, in units of the measured noise; lower finds fainter dirt.",
    )  # fmt: skip
    caution: float = setting(
        0.1, label="False specks allowed", unit="a frame", when=ALONG_MOTION, low=0.02, high=5.0, decimals=2, step=0.05,
        help="How many false specks are allowed on a clean frame; fewer leaves more doubtful dirt alone.",
    )  # fmt: skip
    motion: Literal["fine", "quick"] = setting(
        "fine",
        label="Motion",
        when=ALONG_MOTION,
        help="Quick is for looking: twice the speed, but less is found where things move fast.",
    )  # fmt: skip
    motion_limit_px: float = setting(
        60.0, label="Motion limit", unit="px/frame", when=ALONG_MOTION, low=1.0, high=200.0, decimals=1, rare=True,
        help="Where the picture moves faster than this, nothing is touched.",
    )  # fmt: skip
    most_pct: float = setting(
        6.0, label="Leave frame alone above", unit="% of picture", when=ALONG_MOTION, low=0.5, high=100.0,
        decimals=1, step=0.5, rare=True,
        help="A frame with more than this to mend is left alone and said: it looks like a flash or a bad frame.",
    )  # fmt: skip
    most_specks: int = setting(
        150, label="Leave frame alone above", unit="specks, 720x576", when=ALONG_MOTION, low=5, high=5000,
        step=10, rare=True,
        help="A frame with more specks than this (scaled by its area) is left alone: it looks like rain or snow.",
    )  # fmt: skip
    grow_px: int = setting(
        1, label="Grow", unit="px", low=0, high=10,
        help="How far the repair reaches over the edge of what was found.",
    )  # fmt: skip
