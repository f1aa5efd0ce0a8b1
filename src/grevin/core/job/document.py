"""The job document: immutable; every act makes a new one, undo is the list of the old ones."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from pydantic import BaseModel, ConfigDict, field_validator

from grevin.core.timebase.rates import parse_rate
from grevin.core.treatment.recipe import Treatment, TreatmentStep

JOB_FORMAT, JOB_VERSION = "grevin-job", 1


class Reel(BaseModel):
    """One digitised film or tape and its treatment.

    Attributes:
        path: file, folder or pattern as named by the person.
        rate: declared frames per second as text ("24/1"), for material that carries none.
        treatment: what is done to it.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    path: str
    rate: str | None = None
    treatment: Treatment = Treatment()

    @field_validator("rate")
    @classmethod
    def _check_rate(cls, value: str | None) -> str | None:
        if value is not None:
            parse_rate(value)
        return value

    def declared_rate(self) -> Fraction | None:
        """The declared rate as a number."""
        return None if self.rate is None else parse_rate(self.rate)


class Job(BaseModel):
    """Everything that undo covers."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: str = JOB_FORMAT
    version: int = JOB_VERSION
    reels: tuple[Reel, ...] = ()

    def with_treatment(self, index: int, treatment: Treatment) -> Job:
        """The job with another treatment of one reel."""
        reels = list(self.reels)
        reels[index] = reels[index].model_copy(update={"treatment": treatment})
        return self.model_copy(update={"reels": tuple(reels)})


def add_step(treatment: Treatment, step: str) -> Treatment:
    """The treatment with one more step, at its defaults."""
    return Treatment(steps=(*treatment.steps, TreatmentStep.make(step)))


def remove_step(treatment: Treatment, place: int) -> Treatment:
    """The treatment without the step at `place`."""
    return Treatment(steps=treatment.steps[:place] + treatment.steps[place + 1 :])


def change_settings(treatment: Treatment, place: int, changes: dict[str, Any]) -> Treatment:
    """The treatment with other settings at `place`.

    Raises:
        SettingsError: if a value is not allowed.
    """
    old = treatment.steps[place]
    new = TreatmentStep.make(old.step, {**old.settings, **changes}, old.enabled)
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))


def switch_step(treatment: Treatment, place: int, enabled: bool) -> Treatment:
    """The treatment with the step at `place` acting or resting."""
    new = treatment.steps[place].model_copy(update={"enabled": enabled})
    return Treatment(steps=(*treatment.steps[:place], new, *treatment.steps[place + 1 :]))
