"""Settings of enlarging."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import field_validator

from grevin.core.steps.settings import Settings, setting

LARGEST_PX = 16384
FOUND = -1.0


class EnlargeSettings(Settings):
    """How large, and how."""

    factor: int = setting(
        2,
        label="Times",
        low=1,
        high=4,
        when={"height": 0},
        help="By how much, where no height is given: 1 only brings pixels to square.",
    )
    height: int = setting(
        0, label="Height", unit="lines", low=0, high=LARGEST_PX, step=2.0, lowest="by times",
        help="Lines of the output, such as 720, 1080 or 2160; the width follows from the picture's shape.",
    )  # fmt: skip
    pixels: Literal["square", "own"] = setting(
        "square", label="Pixels", words={"square": "square", "own": "of the source's shape"},
        help="Square pixels are what modern players show; both ways the picture is sampled once.",
    )  # fmt: skip
    way: Literal["learned", "edges", "lanczos", "cubic"] = setting(
        "learned", label="Way", learned=True,
        words={"learned": "learned", "edges": "along edges", "lanczos": "Lanczos", "cubic": "bicubic"},
        help="Learned adds to Lanczos what a network, trained on photographs, takes to have been there; the others "
        "only interpolate: along edges in the direction that changes least.",
    )  # fmt: skip
    speed: Literal["full", "quick"] = setting(
        "full", label="Speed", words={"full": "in full", "quick": "quick"}, when={"way": "learned"},
        help="Quick: by a network of a fifth of the work, each frame alone. For looking, and for trial outputs.",
    )  # fmt: skip
    amount: float = setting(
        1.0, label="Amount", low=0.0, high=1.0, decimals=2, step=0.05, when={"way": "learned"},
        help="Which part of what was learned is added; 0 is plain.",
    )  # fmt: skip
    reach_frames: int = setting(
        1, label="Steadied over", unit="frames", low=0, high=3, when={"way": "learned", "speed": "full"},
        help="Frames before and after that are averaged where they show the same thing along the motion: steadier, and "
        "nearer to what was there. 0 takes each frame alone, which is quicker.",
    )  # fmt: skip
    noise: float = setting(
        FOUND, label="Noise left out", low=FOUND, high=1.0, decimals=2, step=0.05, lowest="by the wear",
        when={"way": "learned"}, tried=(0.0, 1.0),
        help="Which part of the noise and residue that was measured is not carried over. At 0 the result, brought down "
        "again, is the source, grain and all; by the wear, it is so unless the blocks of a codec show.",
    )  # fmt: skip
    sharpness_px: float = setting(
        0.0, label="Softness undone", unit="px", low=0.0, high=1.4, decimals=2, step=0.05, lowest="not said",
        when={"way": "learned"},
        help="Standard deviation of the blur of lens or transfer that is undone, in pixels of the source. Where "
        "nothing is said the network undoes as much as such material usually has: hardly any, more where a codec "
        "left blocks.",
    )  # fmt: skip
    overshoot_pct: float = setting(
        4.0, label="Overshoot", unit="%", low=0.0, high=25.0, decimals=1, step=0.5, rare=True, when={"way": "learned"},
        help="By which share of an edge its sides may be made brighter or darker beside it: more looks sharper, and "
        "like a halo.",
    )  # fmt: skip
    noise_levels: float = setting(
        FOUND, label="Noise", unit="levels", low=FOUND, high=14.0, decimals=1, step=0.5, lowest="measured", rare=True,
        when={"way": "learned"}, tried=(0.0, 8.0),
        help="Standard deviation of the noise that the network reckons with, in 8-bit levels; measured for each shot "
        "where nothing is said.",
    )  # fmt: skip

    @field_validator("height", mode="before")
    @classmethod
    def _own(cls, value: Any) -> Any:
        return 0 if value is None else value
