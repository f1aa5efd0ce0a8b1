"""Figures of both groups of clips: mean, worst, and how far the reporting one falls behind."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from bench.clips import CLIPS

GROUP_OF = {clip.name: clip.group for clip in CLIPS}


def by_group(name: str, values: Mapping[str, float]) -> dict[str, float]:
    """Means, the worst clip of each group, and the mean of the reporting group less that of the ruling one.

    Args:
        name: of the figure; more is better.
        values: by clip; what is no open clip counts as ruling.
    """
    figures: dict[str, float] = {}
    groups = {
        group: [value for clip, value in values.items() if GROUP_OF.get(clip, "rules") == group]
        for group in ("rules", "reports")
    }
    for group, found in groups.items():
        if found:
            figures[f"{name}_{group}"] = float(np.mean(found))
            figures[f"{name}_{group}_worst"] = float(min(found))
    if all(groups.values()):
        figures[f"{name}_reports_less_rules"] = figures[f"{name}_reports"] - figures[f"{name}_rules"]
    return figures
