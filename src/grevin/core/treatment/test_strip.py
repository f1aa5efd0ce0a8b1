"""Values of one setting to try side by side, as a darkroom test strip."""

from __future__ import annotations

from typing import Any, Literal, get_args, get_origin

import numpy as np

from grevin.core.steps.settings import Settings

CELLS = 5  # pictures side by side: more are too small to judge


def is_number(model: type[Settings], name: str) -> bool:
    """Whether a setting is a number with a range, and not a choice."""
    return model.model_fields[name].annotation in {int, float}


def proposed_range(settings: Settings, name: str) -> tuple[float, float]:
    """Lowest and highest value to try: half to twice the present one, at least two steps either way, as allowed."""
    low, high, step, _ = _facts(type(settings), name)
    present = float(getattr(settings, name))
    tried: Any = (type(settings).model_fields[name].json_schema_extra or {}).get("tried")  # type: ignore[union-attr]
    if tried and present == low:
        return float(tried[0]), float(tried[1])
    first = max(low, present - max(2 * step, abs(present) / 2))
    return first, min(high, present + max(2 * step, abs(present)))


def values_to_try(settings: Settings, name: str, span: tuple[float, float] | None = None) -> tuple[Any, ...]:
    """Up to `CELLS` different values, ascending; every choice where the setting is one.

    Args:
        settings: the present values.
        name: of the setting.
        span: lowest and highest value; `proposed_range` by default, and then the present value is among them.
    """
    field = type(settings).model_fields[name]
    if get_origin(field.annotation) is Literal:
        return get_args(field.annotation)
    if field.annotation is bool:
        return (False, True)
    low, high, _, decimals = _facts(type(settings), name)
    first, last = sorted(span or proposed_range(settings, name))
    values = np.clip(np.linspace(first, last, CELLS), low, high)
    if span is None:
        present = float(getattr(settings, name))
        values[np.argmin(np.abs(values - present))] = present
    rounded = sorted({round(float(value), decimals) for value in values})
    return tuple(int(value) for value in rounded) if field.annotation is int else tuple(rounded)


def _facts(model: type[Settings], name: str) -> tuple[float, float, float, int]:
    """(low, high, step, decimals) of a numeric setting."""
    extra = model.model_fields[name].json_schema_extra
    if not isinstance(extra, dict) or extra.get("low") is None:
        raise ValueError(f"{name} has no range")
    return float(extra["low"]), float(extra["high"]), float(extra["step"]), int(extra["decimals"])  # type: ignore[arg-type]
