"""What a step says of a shot that was surveyed: whether the shot would gain from it, and which figure speaks for it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt

from grevin.core.picture.geometry import Area

Curve = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Suggestion:
    """One step that a shot would gain from.

    Attributes:
        step: its id.
        reason: the figure that speaks for it, in words.
        settings: what differs from the defaults.
        regions: where it may act, each as in a recipe; everywhere where there are none.
    """

    step: str
    reason: str
    settings: dict[str, Any] = field(default_factory=dict)
    regions: tuple[dict[str, Any], ...] = ()


@dataclass(frozen=True, eq=False)
class ShotFacts:
    """What is known of a shot.

    Attributes:
        frames: of the shot.
        curves: by name, cut to the shot.
        found: how many findings of each kind touch it.
        figures: the figures of one finding of each kind.
        cadence: name of its cadence.
        areas: places of the findings of each kind that have one.
    """

    frames: range
    curves: dict[str, Curve]
    found: dict[str, int]
    figures: dict[str, dict[str, float]]
    cadence: str
    areas: dict[str, list[Area]] = field(default_factory=dict)

    def middle(self, name: str) -> float:
        """Median of a curve, NaN where nothing is known."""
        return _told(self.curves[name], np.nanmedian)

    def mean(self, name: str) -> float:
        """Mean of a curve, NaN where nothing is known."""
        return _told(self.curves[name], np.nanmean)

    def most(self, name: str) -> float:
        """Largest value of a curve, NaN where nothing is known."""
        return _told(self.curves[name], np.nanmax)

    def share(self, name: str) -> float:
        """Share of the frames on which a curve is above 0, 0 where nothing is known."""
        curve = self.curves[name]
        return 0.0 if not len(curve) or np.isnan(curve).all() else float(np.mean(curve[~np.isnan(curve)] > 0))


class Proposing(Protocol):
    """What a step may have besides: it proposes itself."""

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """The step with the figure that speaks for it; None where nothing does."""
        ...


def _told(curve: Curve, figure: Callable[[Curve], Any]) -> float:
    return float("nan") if not len(curve) or np.isnan(curve).all() else float(figure(curve))
