"""Settings of steps: one declaration makes the form, the command line's help, the recipe schema and the manual."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any, Literal, Self, get_args, get_origin

import pydantic
from pydantic import BaseModel, ConfigDict, ValidationInfo, field_validator

from grevin.core.errors import SettingsError

MOST_NUMBERS = 100_000  # in one run of a list


def setting(
    default: Any, *, label: str, help: str, unit: str = "", low: float | None = None, high: float | None = None,
    decimals: int = 0, step: float = 1.0, when: Mapping[str, str | int] | None = None,
    names_frames: Literal["", "each", "first", "last", "keys"] = "", lowest: str = "", rare: bool = False,
    words: Mapping[str, str] | None = None, learned: bool = False, tried: tuple[float, float] | None = None,
) -> Any:  # fmt: skip
    """Declare one setting.

    Args:
        default: value where nothing is said.
        label: words in the form.
        help: a full sentence for tooltip and manual.
        unit: physical unit, such as px or frames.
        low: smallest value allowed.
        high: largest value allowed.
        decimals: places kept; a value is rounded to them, so that form, file and cache key hold the same number.
        step: change of one press of an arrow key.
        when: values of other settings with which alone this one matters; the form hides it else.
        names_frames: where the setting of a time step lists frames of the reel: whether each place where one is shown
            is meant, the first or the last; "keys" for things with key frames.
        lowest: what the smallest value means, in words that the form shows instead of it.
        words: what people read for values that are chosen among; recipes hold the values themselves.
        learned: whether it has a say in what is learned of a shot: it is the same all over the shot, and a change of it
            has the shot learned anew. A step that learns says so of each such setting; where none is, all are.
        tried: lowest and highest value of a test strip where the present one is the lowest, which has words of its own.
        rare: whether it is seldom changed; the form folds it away until it is asked for or differs from the default.
    """
    extra: dict[str, Any] = {"unit": unit, "low": low, "high": high, "decimals": decimals, "step": step}
    extra["when"] = dict(when or {})
    extra |= {
        "names_frames": names_frames,
        "lowest": lowest,
        "rare": rare,
        "words": dict(words or {}),
        "learned": learned,
        "tried": list(tried or ()),
    }
    return pydantic.Field(default, title=label, description=help, ge=low, le=high, json_schema_extra=extra)


class Settings(BaseModel):
    """Base of all settings models: frozen, nothing unknown, valid by construction."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True)

    @field_validator("*", mode="before")
    @classmethod
    def _round(cls, value: Any, info: ValidationInfo) -> Any:
        extra = cls.model_fields[info.field_name or ""].json_schema_extra
        if isinstance(value, float) and isinstance(extra, dict):
            decimals = extra.get("decimals", 0)
            return round(value, decimals) if isinstance(decimals, int) else value
        return value

    @classmethod
    def read(cls, values: Mapping[str, Any], step: str) -> Self:
        """Settings from plain data.

        Raises:
            SettingsError: naming the field, the value and what is allowed.
        """
        try:
            return cls.model_validate(dict(values))
        except pydantic.ValidationError as fault:
            raise SettingsError(*_sentence(cls, fault, step)) from fault


def names_frames(model: type[Settings], name: str) -> str:
    """Whether a setting lists frames of the reel, and which of the places where they are shown are meant."""
    extra = model.model_fields[name].json_schema_extra
    return str(extra.get("names_frames", "")) if isinstance(extra, dict) else ""


def learned_names(model: type[Settings]) -> set[str]:
    """Settings that have a say in what is learned of a shot; empty where the model does not tell."""
    extras = {name: field.json_schema_extra for name, field in model.model_fields.items()}
    return {name for name, extra in extras.items() if isinstance(extra, dict) and extra.get("learned")}


def is_rare(model: type[Settings], name: str) -> bool:
    """Whether a setting is seldom changed."""
    extra = model.model_fields[name].json_schema_extra
    return bool(extra.get("rare", False)) if isinstance(extra, dict) else False


def value_words(model: type[Settings], name: str, value: object) -> str:
    """What people read for a value of a setting that is chosen among."""
    extra = model.model_fields[name].json_schema_extra
    words = extra.get("words") if isinstance(extra, dict) else None
    return str(words.get(str(value), value)) if isinstance(words, dict) else str(value)


def is_list(annotation: object) -> bool:
    """Whether a setting is a list: of whole numbers, or of what is drawn."""
    return get_origin(annotation) is tuple


def is_numbers(annotation: object) -> bool:
    """Whether a setting is a list of whole numbers."""
    return is_list(annotation) and get_args(annotation)[0] is int


class TypedItem(BaseModel):
    """One of a list of things that a person types as numbers, in the order of its fields."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    @property
    def words(self) -> str:
        """As it is typed; numbers at the end that say nothing are left out."""
        values = [(getattr(self, name), field.default) for name, field in type(self).model_fields.items()]
        said = max((place for place, (value, plain) in enumerate(values, 1) if value != plain), default=1)
        return " ".join(f"{value:g}" for value, _ in values[:said])

    @classmethod
    def typed(cls, text: str) -> tuple[dict[str, float], ...]:
        """Plain data of the things that a person typed, parted by semicolons.

        Raises:
            SettingsError: if that is none of it.
        """
        names, found = list(cls.model_fields), []
        for piece in filter(None, (piece.strip() for piece in text.split(";"))):
            try:
                numbers = [float(number) for number in piece.split()]
            except ValueError:
                numbers = []
            if not 1 <= len(numbers) <= len(names):
                raise SettingsError(
                    f"“{piece}” is not understood.", f"Write numbers: {', '.join(names)}; then the next."
                )
            found.append(dict(zip(names, numbers, strict=False)))
        return tuple(found)


def typed_item(annotation: object) -> type[TypedItem] | None:
    """What a setting lists, where a person types it."""
    inner = get_args(annotation)[0] if is_list(annotation) else None
    return inner if isinstance(inner, type) and issubclass(inner, TypedItem) else None


def numbers_text(numbers: Iterable[int]) -> str:
    """Whole numbers for people: runs as "first-last"."""
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(first) if first == last else f"{first}-{last}" for first, last in runs)


def numbers_from(text: str) -> tuple[int, ...]:
    """Whole numbers that a person typed, such as "12, 13, 40-44".

    Raises:
        SettingsError: if that is none of it.
    """
    found: set[int] = set()
    for part in filter(None, (piece.strip() for piece in re.split("[,;\\s]+", text))):
        run = re.fullmatch(r"(\d{1,9})(?:-(\d{1,9}))?", part)
        first, last = (int(run[1]), int(run[2] or run[1])) if run is not None else (1, 0)
        if first > last or last - first > MOST_NUMBERS:
            raise SettingsError(f"“{part}” is no frame.", "Write frames like 12, 13, 40-44.")
        found.update(range(first, last + 1))
    return tuple(sorted(found))


def matters(settings: Settings, name: str) -> bool:
    """Whether a setting has a say, the other settings being what they are."""
    extra = type(settings).model_fields[name].json_schema_extra
    when = extra.get("when") if isinstance(extra, dict) else None
    return (
        all(getattr(settings, str(other)) == wanted for other, wanted in when.items())
        if isinstance(when, dict)
        else True
    )


def _sentence(model: type[Settings], fault: pydantic.ValidationError, step: str) -> tuple[str, str]:
    problems = []
    for error in fault.errors():
        name = str(error["loc"][0]) if error["loc"] else "settings"
        if error["type"] == "extra_forbidden":
            known = ", ".join(model.model_fields)
            problems.append(f"“{name}” is not a setting of {step} (it has: {known})")
        else:
            problems.append(f"{name} = {error['input']!r} is not allowed ({allowed(model, name)})")
    return "In the step " + step + ": " + "; ".join(problems) + ".", "Correct the value or leave it out."


def allowed(model: type[Settings], name: str) -> str:
    """What a setting may be, in words."""
    field = model.model_fields.get(name)
    extra = field.json_schema_extra if field is not None else None
    if field is not None and is_numbers(field.annotation):
        return "a list of whole numbers from 0"
    if field is not None and (item := typed_item(field.annotation)) is not None:
        return "a list of " + ", ".join(item.model_fields)
    if field is not None and is_list(field.annotation):
        return "a list of what is drawn in the window"
    if isinstance(extra, dict) and extra.get("low") is not None:
        return f"{extra['low']} to {extra['high']} {extra['unit']}".strip()
    choices = model.model_json_schema()["properties"].get(name, {}).get("enum")
    return "one of " + ", ".join(map(str, choices)) if choices else "see the manual"
