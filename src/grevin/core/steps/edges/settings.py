"""Settings of edges."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting

FOUND = -1


class EdgesSettings(Settings):
    """What is done about borders."""

    way: Literal["fill", "enlarge", "crop"] = setting(
        "fill", label="Borders", learned=True,
        words={"fill": "written anew", "enlarge": "enlarged away", "crop": "cut off"},
        help="Written anew at the same size; trimmed, and what is left enlarged to the same size; or cut off, which "
        "gives a smaller picture.",
    )  # fmt: skip
    source: Literal["best", "mirror", "soft"] = setting(
        "best", label="Filled from", when={"way": "fill"}, learned=True,
        words={"best": "frames around", "mirror": "mirrored picture", "soft": "mirrored, soft"},
        help="From where a border is written anew: what other frames show there, where the camera moves, else the "
        "picture beside it, mirrored.",
    )  # fmt: skip
    reach_frames: int = setting(
        12, label="Reach", unit="frames", low=0, high=24, when={"way": "fill", "source": "best"},
        help="Frames before and after in which is looked for what the border hides.",
    )  # fmt: skip
    left_px: int = setting(
        FOUND, label="Left", unit="px", low=FOUND, high=400, lowest="found", tried=(0, 24), learned=True,
        help="Columns of the left border. Where nothing is said it is found for each shot, or 1.5 % are hidden or cut "
        "off.",
    )  # fmt: skip
    right_px: int = setting(
        FOUND, label="Right", unit="px", low=FOUND, high=400, lowest="found", tried=(0, 24), learned=True,
        help="Columns of the right border.",
    )  # fmt: skip
    top_lines: int = setting(
        FOUND, label="Top", unit="lines", low=FOUND, high=400, lowest="found", tried=(0, 24), learned=True,
        help="Lines of the upper border.",
    )  # fmt: skip
    bottom_lines: int = setting(
        FOUND, label="Bottom", unit="lines", low=FOUND, high=400, lowest="found", tried=(0, 24), learned=True,
        help="Lines of the lower border, those that a head switch tore among them.",
    )  # fmt: skip
    most_pct: float = setting(
        4.0, label="No border above", unit="% of the side", low=0.5, high=25.0, decimals=1, step=0.5, learned=True,
        rare=True, when={"way": "fill"},
        help="What was found to be wider is a box round the picture and is left as it is, and said.",
    )  # fmt: skip
