"""Settings over time: a number of a step that changes between key frames of the reel."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from grevin.core.errors import SettingsError
from grevin.core.steps.base import AnyStep
from grevin.core.steps.settings import Settings, learned_names

FAMILIES = ("local", "whole")  # a change of time is one for the whole reel, and a shape has key frames of its own
MOST_HELD = 256


def can_change(step: AnyStep, setting: str) -> bool:
    """Whether a number of a step may change over time: not where it has a say in what is learned of a whole shot."""
    return step.family in FAMILIES and setting not in learned_names(step.settings_model)


class ValueKey(BaseModel):
    """The value on one frame of the reel."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    frame: int = Field(ge=0)
    value: float


class OverTime(BaseModel):
    """How one setting changes.

    Attributes:
        setting: its name.
        keys: values on some frames; evenly or with ease between two, standing before the first and behind the last.
        ease: whether it changes evenly, or slowly at both ends.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    setting: str
    keys: tuple[ValueKey, ...] = Field(min_length=1)
    ease: Literal["none", "both"] = "none"

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[ValueKey, ...]) -> tuple[ValueKey, ...]:
        if len({key.frame for key in keys}) < len(keys):
            raise ValueError("two values on one frame")
        return tuple(sorted(keys, key=lambda key: key.frame))

    def at(self, frame: int) -> float:
        """The value on a frame of the reel."""
        frames = np.array([key.frame for key in self.keys], np.float64)
        values = np.array([key.value for key in self.keys], np.float64)
        if self.ease == "both" and frames[0] < frame < frames[-1]:
            last = int(np.searchsorted(frames, frame, "right")) - 1
            share = (frame - frames[last]) / (frames[last + 1] - frames[last])
            share = share * share * (3 - 2 * share)
            return float(values[last] + share * (values[last + 1] - values[last]))
        return float(np.interp(frame, frames, values))

    @property
    def words(self) -> str:
        """For people."""
        told = ", ".join(f"{key.value:g} at frame {key.frame}" for key in self.keys)
        return f"{self.setting} over time: {told}"


def checked(step: AnyStep, settings: Mapping[str, Any], over_time: tuple[OverTime, ...]) -> None:
    """Refuse what cannot change over time.

    Raises:
        SettingsError: naming the setting, or the value that is not allowed.
    """
    names = [one.setting for one in over_time]
    for name in names:
        field = step.settings_model.model_fields.get(name)
        if field is None or field.annotation not in {int, float} or not can_change(step, name):
            raise SettingsError(
                f"“{name}” of the step {step.id} cannot change over time.",
                "Only numbers of steps that mend pictures can, and none that a whole shot is learned by.",
            )
        if names.count(name) > 1:
            raise SettingsError(
                f"“{name}” of the step {step.id} changes over time twice.", "Put its values into one list."
            )
    for one in over_time:
        for key in one.keys:
            settings_at(step.settings_model, settings, (one,), key.frame, step.id)


def settings_at(
    model: type[Settings], settings: Mapping[str, Any], over_time: tuple[OverTime, ...], frame: int, step: str
) -> Settings:  # fmt: skip
    """The settings on a frame of the reel."""
    whole = {one.setting: model.model_fields[one.setting].annotation is int for one in over_time}
    values = {one.setting: round(one.at(frame)) if whole[one.setting] else one.at(frame) for one in over_time}
    return model.read({**settings, **values}, step)


class SettingsOverTime:
    """The settings of a step on each frame."""

    def __init__(self, settings: Settings, over_time: tuple[OverTime, ...], step: str) -> None:
        self._plain = settings
        self._over_time = over_time
        model, values = type(settings), settings.model_dump()
        self._read = lru_cache(MOST_HELD)(lambda frame: settings_at(model, values, over_time, frame, step))

    def at(self, frame: int) -> Settings:
        """The settings on a frame of the reel."""
        return self._read(frame) if self._over_time else self._plain

    def each(self) -> list[Settings]:
        """The settings on every key frame, and those without any."""
        return [self._plain, *(self.at(key.frame) for one in self._over_time for key in one.keys)]


def keyed(over_time: tuple[OverTime, ...], setting: str, frame: int, value: float) -> tuple[OverTime, ...]:
    """The numbers that change, with one more value on a frame, or another one there."""
    known = next((one for one in over_time if one.setting == setting), None)
    if known is None:
        return (*over_time, OverTime(setting=setting, keys=(ValueKey(frame=frame, value=value),)))
    others = tuple(key for key in known.keys if key.frame != frame)
    changed = OverTime(setting=setting, keys=(*others, ValueKey(frame=frame, value=value)), ease=known.ease)
    return tuple(changed if one is known else one for one in over_time)


def unkeyed(over_time: tuple[OverTime, ...], setting: str, frame: int) -> tuple[OverTime, ...]:
    """The numbers that change, without the value on a frame; without the last one the setting does not change."""
    found = []
    for one in over_time:
        left = tuple(key for key in one.keys if key.frame != frame) if one.setting == setting else one.keys
        if left:
            found.append(one.model_copy(update={"keys": left}))
    return tuple(found)


def is_keyed(over_time: tuple[OverTime, ...], setting: str, frame: int | None = None) -> bool:
    """Whether a setting changes over time, or has a value of its own on a frame."""
    return any(
        one.setting == setting and (frame is None or any(key.frame == frame for key in one.keys)) for one in over_time
    )
