"""Settings of the dropout step."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting

SourceName = Literal["best", "before", "after", "both", "lines"]
SOURCES = {
    "best": "what agrees best", "before": "the field before", "after": "the field after",
    "both": "the fields before and after", "lines": "the lines above and below",
}  # fmt: skip


class DropoutSettings(Settings):
    """Settings of the dropout step."""

    caution: float = setting(
        0.5, label="Caution", low=0.0, high=1.0, decimals=2, step=0.05,
        help="How sure a streak has to be a dropout: less finds more of them, and more thin things that move.",
    )  # fmt: skip
    polarity: Literal["both", "darker", "brighter"] = setting(
        "both", label="Streaks are", words={"both": "either"},
        help="Which streaks to take: darker than the picture, brighter, or either, wrong colours too.",
    )  # fmt: skip
    shortest_px: int = setting(
        8, label="Shortest", unit="px", low=4, high=200, help="Shorter streaks are left alone."
    )  # fmt: skip
    most_lines: int = setting(
        6, label="Tallest", unit="lines", low=1, high=8, rare=True,
        help="Of one field: taller places are left alone.",
    )  # fmt: skip
    source: SourceName = setting(
        "best", label="Filled from", words=SOURCES,
        help="From where a streak is filled; on its own it is told place by place by what fits the lines beside it.",
    )  # fmt: skip
    grow_px: int = setting(
        3, label="Grow", unit="px", low=0, high=20, rare=True,
        help="How far the repair reaches over the ends of a streak, which often fade.",
    )  # fmt: skip
    most_pct: float = setting(
        6.0, label="Leave field alone above", unit="% of it", low=0.5, high=100.0, decimals=1, step=0.5, rare=True,
        help="A field with more than this to mend is left alone and said: it looks like a torn picture.",
    )  # fmt: skip
