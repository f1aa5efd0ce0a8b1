"""The job document: immutable; every act makes a new one, undo is the list of the old ones."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict

from grevin.core.intake.declared import Declared
from grevin.core.job.marks import Mark
from grevin.core.job.shots import Shot, plan_of
from grevin.core.media.image_sequence import is_pattern
from grevin.core.steps.base import place_for
from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.over_time import OverTime
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep, as_counted_before
from grevin.core.treatment.regions import Region
from grevin.core.treatment.strokes import Stroke

JOB_FORMAT, JOB_VERSION = "grevin-job", 7


class Reel(BaseModel):
    """One digitised film or tape and its treatment.

    Attributes:
        id: number of the reel in its job; never used again, so that findings and runs stay with it.
        path: file, folder or pattern as named by the person.
        name: given by the person, "" where the file's own name serves.
        declared: the operator's word on it.
        treatment: what is done to it, but for shots with a treatment of their own.
        shots: as divided by the person; without any, cuts are found from the pictures.
        marks: places to find again.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: int = 0
    path: str
    name: str = ""
    declared: Declared = Declared()
    treatment: Treatment = Treatment()
    shots: tuple[Shot, ...] = ()
    marks: tuple[Mark, ...] = ()

    def plan(self) -> Plan:
        """What is done to each of its frames."""
        return plan_of(self.treatment, self.shots)

    def treatment_at(self, frame: int) -> Treatment:
        """What is done to a frame."""
        return self.plan().treatment_at(frame)

    @property
    def title(self) -> str:
        """What people call it."""
        return self.name or reel_stem(Path(self.path))


class Job(BaseModel):
    """Everything that undo covers."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: str = JOB_FORMAT
    version: int = JOB_VERSION
    reels: tuple[Reel, ...] = ()

    def with_reel(self, index: int, **changes: object) -> Job:
        """The job with other values of one reel."""
        reels = list(self.reels)
        reels[index] = reels[index].model_copy(update=changes)
        return self.model_copy(update={"reels": tuple(reels)})

    def with_names(self, names: list[str]) -> Job:
        """The job with a name for every reel."""
        reels = (reel.model_copy(update={"name": name}) for reel, name in zip(self.reels, names, strict=True))
        return self.model_copy(update={"reels": tuple(reels)})

    def with_added(self, paths: list[Path]) -> Job:
        """The job with more reels at the end."""
        first = max((reel.id for reel in self.reels), default=-1) + 1
        added = (Reel(id=first + place, path=str(path.absolute())) for place, path in enumerate(paths))
        return self.model_copy(update={"reels": (*self.reels, *added)})

    def without(self, index: int) -> Job:
        """The job without a reel; its file is not touched."""
        return self.model_copy(update={"reels": self.reels[:index] + self.reels[index + 1 :]})

    def with_treatment(self, index: int, treatment: Treatment) -> Job:
        """The job with another treatment of one reel."""
        return self.with_reel(index, treatment=treatment)


def reel_stem(path: Path) -> str:
    """Name of a file, or of a sequence without its number."""
    stem = path.name.split("%")[0].rstrip("._- ") if is_pattern(path) else path.stem
    return stem or path.parent.name


def migrated(data: dict[str, Any]) -> dict[str, Any]:
    """A document of any earlier version as one of the present version."""
    if data.get("version") == 1:  # one reel with its rate beside it; no names, nothing else declared
        reels = [
            {"id": place, "path": reel["path"], "declared": {"rate": reel.get("rate")}, "treatment": reel["treatment"]}
            for place, reel in enumerate(data.get("reels", []))
        ]
        data = {**data, "version": 2, "reels": reels}
    if data.get("version") in range(2, 6):  # later ones have regions, shots, marks; frames named before the step
        data = {**data, "version": 6, "reels": [_counted_before(reel) for reel in data.get("reels", [])]}
    if data.get("version") == 6:  # the document is as it was; what was said of places has sources
        data = {**data, "version": JOB_VERSION}
    return data


def _counted_before(reel: dict[str, Any]) -> dict[str, Any]:
    """A reel of the time when settings named frames before the step."""
    changed = dict(reel)
    if reel.get("treatment"):
        changed["treatment"] = as_counted_before(Treatment.model_validate(reel["treatment"]))
    if reel.get("shots"):
        shots = (Shot.model_validate(shot) for shot in reel["shots"])
        changed["shots"] = [
            shot.model_copy(update={"treatment": shot.treatment and as_counted_before(shot.treatment)})
            for shot in shots
        ]
    return changed


def add_step(treatment: Treatment, step: str) -> Treatment:
    """The treatment with one more step at its defaults, where its stage belongs."""
    place = place_of_new(treatment, step)
    return Treatment(steps=(*treatment.steps[:place], TreatmentStep.make(step), *treatment.steps[place:]))


def place_of_new(treatment: Treatment, step: str) -> int:
    """Where a step that is added goes."""
    return place_for(step_by_id(step), [step_by_id(other.step) for other in treatment.steps])


def remove_step(treatment: Treatment, place: int) -> Treatment:
    """The treatment without the step at `place`."""
    return Treatment(steps=treatment.steps[:place] + treatment.steps[place + 1 :])


def change_settings(treatment: Treatment, place: int, changes: dict[str, Any]) -> Treatment:
    """The treatment with other settings at `place`.

    Raises:
        SettingsError: if a value is not allowed.
    """
    old = treatment.steps[place]
    new = old.changed(settings={**old.settings, **changes})
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))


def change_regions(treatment: Treatment, place: int, regions: tuple[Region, ...]) -> Treatment:
    """The treatment with other regions at `place`."""
    new = treatment.steps[place].model_copy(update={"regions": regions})
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))


def change_strokes(treatment: Treatment, place: int, strokes: tuple[Stroke, ...]) -> Treatment:
    """The treatment with other strokes at `place`."""
    new = treatment.steps[place].model_copy(update={"strokes": strokes})
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))


def change_over_time(treatment: Treatment, place: int, over_time: tuple[OverTime, ...]) -> Treatment:
    """The treatment with other numbers that change over time at `place`.

    Raises:
        SettingsError: if one cannot, or a value is not allowed.
    """
    new = treatment.steps[place].changed(over_time=over_time)
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))


def switch_step(treatment: Treatment, place: int, enabled: bool) -> Treatment:
    """The treatment with the step at `place` acting or resting."""
    new = treatment.steps[place].model_copy(update={"enabled": enabled})
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))
