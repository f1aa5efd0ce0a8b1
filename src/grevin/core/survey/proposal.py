"""A proposal for each shot: which steps, with which settings, and the figure that speaks for each.

It is never applied by itself, and it may well be empty. Thresholds: common practice and own measurements on open
clips; each stands beside its rule.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.steps.registry import REGISTRY
from grevin.core.survey.survey import Survey

DIRT_A_FRAME = 0.7  # clean open clips count up to .6 false specks a frame (tried by hand)
FAST_PX = 25.0  # motion from which more caution is due: the judge's precision falls there (docs/steps/dirt.md)
FAST_CAUTION = 0.05  # false specks a clean frame; half of the usual
NOISE_LEVELS = 4.0  # of 255: noise that is seen on a calm picture (common practice)
COMBED_SHARE = 0.2  # of the frames of a shot

Curve = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Suggestion:
    """One step that a shot would gain from.

    Attributes:
        step: its id.
        reason: the figure that speaks for it, in words.
        settings: what differs from the defaults.
        available: whether this Grevin has the step.
    """

    step: str
    reason: str
    settings: dict[str, Any] = field(default_factory=dict)
    available: bool = True


@dataclass(frozen=True, eq=False)
class ShotFacts:
    """What is known of a shot.

    Attributes:
        frames: of the shot.
        curves: by name, cut to the shot.
        found: how many findings of each kind touch it.
        figures: the figures of one finding of each kind.
        cadence: name of its cadence.
    """

    frames: range
    curves: dict[str, Curve]
    found: dict[str, int]
    figures: dict[str, dict[str, float]]
    cadence: str

    def middle(self, name: str) -> float:
        """Median of a curve, NaN where nothing is known."""
        return _told(self.curves[name], np.nanmedian)

    def mean(self, name: str) -> float:
        """Mean of a curve, NaN where nothing is known."""
        return _told(self.curves[name], np.nanmean)

    def most(self, name: str) -> float:
        """Largest value of a curve, NaN where nothing is known."""
        return _told(self.curves[name], np.nanmax)


def _told(curve: Curve, figure: Callable[[Curve], Any]) -> float:
    return float("nan") if not len(curve) or np.isnan(curve).all() else float(figure(curve))


def proposal_for(survey: Survey, frames: range) -> list[Suggestion]:
    """What a run of frames would gain from, in the order in which it is done; empty for "nothing to do".

    Args:
        survey: a full one.
        frames: of the shot.
    """
    facts = _facts(survey, frames)
    told = (rule(facts) for rule in _RULES)
    return [suggestion for suggestion in told if suggestion is not None]


def _facts(survey: Survey, frames: range) -> ShotFacts:
    start = survey.frames.start
    part = slice(max(0, frames.start - start), max(0, frames.stop - start))
    found: dict[str, int] = {}
    figures: dict[str, dict[str, float]] = {}
    for finding in survey.findings:
        if finding.first < frames.stop and finding.last >= frames.start:
            found[finding.kind] = found.get(finding.kind, 0) + 1
            figures[finding.kind] = finding.figures
    cadences = [one.name for first, last, one in survey.shots if first <= frames.start <= last]
    curves = {name: curve[part] for name, curve in survey.series.items()}
    return ShotFacts(frames, curves, found, figures, cadences[0] if cadences else "none")


def _suggest(step: str, reason: str, settings: dict[str, Any] | None = None) -> Suggestion:
    return Suggestion(step, reason, settings or {}, step in REGISTRY.steps)


def _repeats(facts: ShotFacts) -> Suggestion | None:
    if facts.cadence in {"none", "3:2 fields"}:
        return None
    return _suggest("repeats", f"cadence {facts.cadence}")


def _fields(facts: ShotFacts) -> Suggestion | None:
    combed = facts.found.get("combing", 0)
    if facts.cadence == "3:2 fields":
        return _suggest("fields", "film lies over the fields, 3:2")
    flags = facts.curves["combing"]
    share = float(np.mean(flags[~np.isnan(flags)] > 0)) if combed and not np.isnan(flags).all() else 0.0
    return (
        _suggest("fields", f"{facts.mean('combing'):.1f} % of the picture is combed") if share > COMBED_SHARE else None
    )


def _rebuild(facts: ShotFacts) -> Suggestion | None:
    lost = facts.found.get("unreadable", 0)
    return _suggest("rebuild", f"{lost} unreadable frames", {"unreadable": "rebuild"}) if lost else None


def _compression(facts: ShotFacts) -> Suggestion | None:
    if "compression" not in facts.found:
        return None
    return _suggest("compression", f"steps over block borders are {facts.middle('block_grid'):.2f} times the others")


def _noise(facts: ShotFacts) -> Suggestion | None:
    noise = facts.middle("noise")
    return _suggest("noise", f"noise of {noise:.1f} levels of 255") if noise >= NOISE_LEVELS else None


def _flicker(facts: ShotFacts) -> Suggestion | None:
    if "flicker" not in facts.found:
        return None
    figures = facts.figures["flicker"]
    period = figures.get("period_frames", 0)
    every = f", every {period:.0f} frames" if period else ""
    return _suggest("flicker", f"the light changes by {figures['percent']:.1f} % from frame to frame{every}")


def _dirt(facts: ShotFacts) -> Suggestion | None:
    count = facts.mean("dirt_count")
    if not count >= DIRT_A_FRAME:  # neither too few nor unknown
        return None
    words = f"{count:.1f} specks a frame, at most {facts.most('dirt_count'):.0f}; {facts.mean('dirt_area'):.2f} % of it"
    fast = facts.middle("motion_p95")
    if fast > FAST_PX:
        return _suggest("dirt", f"{words}; caution, as things move {fast:.0f} px a frame", {"caution": FAST_CAUTION})
    return _suggest("dirt", words)


def _edges(facts: ShotFacts) -> Suggestion | None:
    if "edges" not in facts.found:
        return None
    sides = (f"{side} {facts.middle(f'border_{side}'):.0f}" for side in ("left", "right", "top", "bottom"))
    return _suggest("edges", f"black borders, px: {', '.join(sides)}")


_RULES: tuple[Callable[[ShotFacts], Suggestion | None], ...] = (
    _repeats, _fields, _rebuild, _compression, _noise, _flicker, _dirt, _edges,
)  # fmt: skip


def words_of(suggestions: Iterable[Suggestion]) -> str:
    """A proposal in one line."""
    return "; ".join(f"{one.step}: {one.reason}" for one in suggestions) or "nothing to do"
