"""Changing the order of a treatment, and bringing in the steps of another one."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.base import place_for
from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.recipe import Treatment, TreatmentStep

ENLARGING, WHOLE_FRAMES = "enlarge", "fields"
How = Literal["instead", "behind"]


def moved(treatment: Treatment, place: int, to: int) -> Treatment:
    """The treatment with one step at another place; both counted from 0."""
    steps = list(treatment.steps)
    steps.insert(to, steps.pop(place))
    return Treatment(steps=tuple(steps))


def doubled(treatment: Treatment, place: int) -> Treatment:
    """The treatment with one step once more, behind itself; without what was drawn for it."""
    steps = treatment.steps
    again = TreatmentStep.make(steps[place].step, steps[place].settings, counted=steps[place].counted)
    return Treatment(steps=(*steps[: place + 1], again, *steps[place + 1 :]))


def enlarged(treatment: Treatment, lines: int) -> Treatment:
    """The treatment with its picture enlarged to so many lines: by the step that does so, or by one more."""
    steps = list(treatment.steps)
    own = [place for place, step in enumerate(steps) if step.step == ENLARGING and step.enabled]
    if own:
        last = steps[own[-1]]
        steps[own[-1]] = last.changed(settings={**last.settings, "height": lines})
        return Treatment(steps=tuple(steps))
    return _with_one_more(treatment, TreatmentStep.make(ENLARGING, {"height": lines}))


def in_whole_frames(treatment: Treatment) -> Treatment:
    """The treatment with fields made into whole frames: by the step that does so, or by one more."""
    if any(step.step == WHOLE_FRAMES and step.enabled for step in treatment.steps):
        return treatment
    return _with_one_more(treatment, TreatmentStep.make(WHOLE_FRAMES))


def _with_one_more(treatment: Treatment, step: TreatmentStep) -> Treatment:
    """The treatment with a step where its stage belongs."""
    place = place_for(step_by_id(step.step), [step_by_id(other.step) for other in treatment.steps])
    return Treatment(steps=(*treatment.steps[:place], step, *treatment.steps[place:]))


def handed_over(treatment: Treatment, place: int, other: TreatmentStep) -> Treatment:
    """The treatment with one step at rest, and another that does its work behind it."""
    steps = list(treatment.steps)
    steps[place : place + 1] = [steps[place].changed(enabled=False), other]
    return Treatment(steps=tuple(steps))


def taken(present: Treatment, recipe: Treatment, how: How) -> Treatment:
    """The treatment with the steps of a recipe."""
    return recipe if how == "instead" else Treatment(steps=(*present.steps, *recipe.steps))


def step_words(step: TreatmentStep) -> str:
    """A step in one line: its name, what differs from the defaults, whether it rests."""
    known = step_by_id(step.step)
    plain = known.settings_model().model_dump()
    said = {name: value for name, value in step.model().model_dump().items() if value != plain[name]}
    titles = {name: known.settings_model.model_fields[name].title or name for name in said}
    parts = [f"{titles[name]} {_short(value)}" for name, value in said.items()]
    parts += [_counted(len(step.regions), "region", "regions")] if step.regions else []
    parts += [_counted(len(step.strokes), "stroke", "strokes")] if step.strokes else []
    parts += [_counted(len(step.over_time), "setting over time", "settings over time")] if step.over_time else []
    parts += [] if step.enabled else ["rests"]
    return f"{known.label}: {', '.join(parts)}" if parts else known.label


def _counted(count: int, one: str, more: str) -> str:
    return f"{count} {one if count == 1 else more}"


def _short(value: object) -> str:
    if isinstance(value, tuple | list):
        return f"({len(value)})"
    return f"{value:g}" if isinstance(value, float) else str(value)


def change_words(present: Treatment, after: Treatment) -> list[str]:
    """What another treatment would change, a line each."""
    lines = [step_words(step) for step in present.steps]
    new = [step_words(step) for step in after.steps]
    gone = [f"goes: {line}" for line in lines if line not in new]
    come = [f"comes: {line}" for line in new if line not in lines]
    stay = sum(line in new for line in lines)
    kept = [f"{stay} steps stay as they are" if stay > 1 else "1 step stays as it is"] if stay else []
    return [*gone, *come, *kept, *after.out_of_order()]
