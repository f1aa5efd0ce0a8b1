"""A proposal for each shot: which steps, with which settings, and the figure that speaks for each.

Each step has its own rule (`propose`). It is never applied by itself, and it may well be empty. Thresholds: common
practice and own measurements on open clips; each stands beside its rule.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from grevin.core.picture.geometry import Area
from grevin.core.steps.base import STAGES
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.registry import REGISTRY
from grevin.core.survey.survey import Survey

Rule = Callable[[ShotFacts], Suggestion | None]


def proposal_for(survey: Survey, frames: range) -> list[Suggestion]:
    """What a run of frames would gain from, in the order in which it is done; empty for "nothing to do".

    Args:
        survey: a full one.
        frames: of the shot.
    """
    facts = _facts(survey, frames)
    told = (rule(facts) for _, rule in sorted(_rules(), key=lambda one: STAGES.index(one[0])))
    return [suggestion for suggestion in told if suggestion is not None]


def _rules() -> Iterable[tuple[str, Rule]]:
    """Every rule, with the stage of the work that its step belongs to."""
    return ((step.stage, step.propose) for step in REGISTRY.steps.values() if hasattr(step, "propose"))


def _facts(survey: Survey, frames: range) -> ShotFacts:
    start = survey.frames.start
    part = slice(max(0, frames.start - start), max(0, frames.stop - start))
    found: dict[str, int] = {}
    figures: dict[str, dict[str, float]] = {}
    areas: dict[str, list[Area]] = {}
    for finding in survey.findings:
        if finding.first < frames.stop and finding.last >= frames.start:
            found[finding.kind] = found.get(finding.kind, 0) + 1
            figures[finding.kind] = finding.figures
            if finding.area is not None:
                areas.setdefault(finding.kind, []).append(finding.area)
    cadences = [one.name for first, last, one in survey.shots if first <= frames.start <= last]
    curves = {name: curve[part] for name, curve in survey.series.items()}
    return ShotFacts(frames, curves, found, figures, cadences[0] if cadences else "none", areas)


def words_of(suggestions: Iterable[Suggestion]) -> str:
    """A proposal in one line."""
    return "; ".join(f"{one.step}: {one.reason}" for one in suggestions) or "nothing to do"
