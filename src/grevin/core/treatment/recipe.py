"""A treatment as data: which steps with which settings, in order; and the recipe file that carries it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

import pydantic
from pydantic import BaseModel, ConfigDict

from grevin.core.errors import SettingsError, UsageError
from grevin.core.steps.base import STAGES
from grevin.core.steps.registry import REGISTRY, step_by_id
from grevin.core.steps.settings import Settings, names_frames
from grevin.core.treatment.over_time import OverTime, checked
from grevin.core.treatment.regions import Region
from grevin.core.treatment.strokes import Stroke

RECIPE_FORMAT, RECIPE_VERSION = "grevin-recipe", 2
Counted = Literal["reel", "before"]


class TreatmentStep(BaseModel):
    """One step with its settings, valid by construction.

    Attributes:
        step: id of the step.
        settings: only what differs from the defaults need be given; kept in full.
        enabled: whether it acts.
        regions: where it may act; everywhere where there are none.
        over_time: numbers that change from frame to frame.
        counted: whether frames that the settings of a time step name are the reel's own, or, as Grevin had it before
            version 2 of recipes, those before the step.
        strokes: what was drawn over damage, for steps that fill strokes.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    step: str
    settings: dict[str, Any] = {}
    enabled: bool = True
    regions: tuple[Region, ...] = ()
    over_time: tuple[OverTime, ...] = ()
    counted: Counted = "reel"
    strokes: tuple[Stroke, ...] = ()

    @classmethod
    def make(
        cls, step: str, settings: dict[str, Any] | None = None, enabled: bool = True, regions: tuple[Region, ...] = (),
        over_time: tuple[OverTime, ...] = (), counted: Counted = "reel", strokes: tuple[Stroke, ...] = (),
    ) -> TreatmentStep:  # fmt: skip
        """A step with checked settings.

        Raises:
            SettingsError: if the step or a setting is unknown or out of range.
        """
        model = step_by_id(step).settings_model.read(settings or {}, step)
        checked(step_by_id(step), model.model_dump(), over_time)
        if strokes and not hasattr(step_by_id(step), "fills_strokes"):
            raise SettingsError(f"The step {step} fills no strokes.", "Give them to the step “retouch”.")
        return cls(
            step=step, settings=model.model_dump(), enabled=enabled, regions=regions, over_time=over_time,
            counted=counted, strokes=strokes,
        )  # fmt: skip

    def changed(self, **values: Any) -> TreatmentStep:
        """The step with other values, checked anew.

        Raises:
            SettingsError: if a value is not allowed.
        """
        return type(self).make(**{**{name: getattr(self, name) for name in type(self).model_fields}, **values})

    def model(self) -> Settings:
        """The settings as the step's own model."""
        return step_by_id(self.step).settings_model.read(self.settings, self.step)


class Treatment(BaseModel):
    """Steps in order."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    steps: tuple[TreatmentStep, ...] = ()

    def out_of_order(self) -> tuple[str, ...]:
        """A sentence for each acting step that stands behind one whose stage of the work comes later."""
        acting = [step_by_id(row.step) for row in self.steps if row.enabled]
        words = []
        for place, step in enumerate(acting):
            late = [one for one in acting[:place] if STAGES.index(one.stage) > STAGES.index(step.stage)]
            if late:
                words.append(f"{step.label} stands behind {late[0].label}; it works better before it.")
        return tuple(words)

    def recipe(self) -> dict[str, Any]:
        """The plain data of a recipe file."""
        steps = []
        for step in self.steps:
            row: dict[str, Any] = {"step": step.step, "settings": step.settings}
            if not step.enabled:
                row["enabled"] = False
            if step.regions:
                row["regions"] = [region.data() for region in step.regions]
            if step.over_time:
                row["over_time"] = [one.model_dump() for one in step.over_time]
            if step.strokes:
                row["strokes"] = [stroke.data() for stroke in step.strokes]
            if step.counted != "reel":
                row["counted"] = step.counted
            steps.append(row)
        return {"format": RECIPE_FORMAT, "version": RECIPE_VERSION, "steps": steps}


def treatment_from_recipe(data: Any, name: str) -> Treatment:
    """A treatment from the plain data of a recipe.

    Raises:
        SettingsError: naming what is wrong and where.
    """
    if not isinstance(data, dict) or data.get("format") != RECIPE_FORMAT:
        raise SettingsError(f"{name} is not a recipe.", f'It must hold {{"format": "{RECIPE_FORMAT}", ...}}.')
    if data.get("version") not in range(1, RECIPE_VERSION + 1):
        raise SettingsError(
            f"{name} has recipe version {data.get('version')!r}; this Grevin reads 1 to {RECIPE_VERSION}.",
            "Use the Grevin that wrote it or a later one.",
        )
    extra = set(data) - {"format", "version", "steps", "name", "note"}
    rows = data.get("steps")
    if extra or not isinstance(rows, list):
        what = f"it holds unknown parts ({', '.join(sorted(extra))})" if extra else "its “steps” is not a list"
        raise SettingsError(f"{name} cannot be used: {what}.", "See docs/formats.md for what a recipe holds.")
    treatment = Treatment(steps=tuple(_read_step(row, place, name) for place, row in enumerate(rows, 1)))
    return treatment if data["version"] == RECIPE_VERSION else as_counted_before(treatment)


def as_counted_before(treatment: Treatment) -> Treatment:
    """A treatment of the time when settings named frames before the step, not the reel's own.

    Both are the same but behind a step that changes time.
    """
    steps: list[TreatmentStep] = []
    for step in treatment.steps:
        known = REGISTRY.steps.get(step.step)
        behind = any(
            one.step in REGISTRY.steps and step_by_id(one.step).family == "time" for one in steps if one.enabled
        )
        model = known.settings_model if known is not None else Settings
        named = any(names_frames(model, name) and step.settings.get(name) for name in model.model_fields)
        steps.append(step.changed(counted="before") if behind and named else step)
    return Treatment(steps=tuple(steps))


def _read_step(row: Any, place: int, name: str) -> TreatmentStep:
    try:
        raw = TreatmentStep.model_validate(row)
    except pydantic.ValidationError as fault:
        where = ", ".join(".".join(map(str, error["loc"])) or "the step" for error in fault.errors())
        raise SettingsError(
            f"Step {place} of {name} is not written as one ({where}).", 'Write {"step": "dirt", "settings": {}}.'
        ) from fault
    return TreatmentStep.make(raw.step, raw.settings, raw.enabled, raw.regions, raw.over_time, raw.counted, raw.strokes)


def read_recipe(path: Path) -> Treatment:
    """Read a recipe file.

    Raises:
        UsageError: if the file cannot be read or is not JSON.
        SettingsError: if its contents are not a valid recipe.
    """
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except OSError as fault:
        raise UsageError(f"The recipe {path} cannot be read ({fault.strerror}).", "Check its name.") from fault
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as fault:
        raise UsageError(f"The recipe {path.name} is not JSON ({fault}).", "Correct it in a text editor.") from fault
    return treatment_from_recipe(data, path.name)
