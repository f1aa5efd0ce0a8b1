"""Which measured value fits which setting: by its unit. Plain data, tested without a window."""

from __future__ import annotations

from dataclasses import dataclass

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.recipe import TreatmentStep


@dataclass(frozen=True)
class Offer:
    """A measured value for a setting.

    Attributes:
        words: what would be done.
        setting: name of the setting.
        value: the value, within the setting's range.
    """

    words: str
    setting: str
    value: float


def offers(box: Box, fmt: PictureFormat, step: TreatmentStep | None) -> list[Offer]:
    """What of a box the step's settings could take; nothing without a step."""
    if step is None:
        return []
    measured = {
        "px": [("width", float(box.width)), ("height", float(box.height)), ("area", float(box.width * box.height))],
        "% of height": [("height", 100.0 * box.height / fmt.height)],
    }
    found = []
    for name, field in step_by_id(step.step).settings_model.model_fields.items():
        extra = field.json_schema_extra
        if not isinstance(extra, dict) or extra.get("low") is None:
            continue
        low, high, unit = float(extra["low"]), float(extra["high"]), str(extra["unit"])  # type: ignore[arg-type]
        for what, value in measured.get(unit, []):
            kept = int(value) if field.annotation is int else value
            if low <= kept <= high:
                found.append(Offer(f"{what} {kept:g} {unit} to {field.title}", name, kept))
    return found
