"""The manual page of a step, made from its module's words and its settings."""

from __future__ import annotations

import inspect
import sys
from typing import Any, Literal, get_args, get_origin

from grevin.core.steps.base import AnyStep
from grevin.core.steps.settings import is_list, is_numbers, typed_item


def manual_page(step: AnyStep) -> str:
    """Markdown: what the step is for, and a table of its settings."""
    words = inspect.getdoc(sys.modules[type(step).__module__]) or ""
    rows = [_row(name, field) for name, field in step.settings_model.model_fields.items()]
    head = "| setting | in the form | default | allowed | meaning |\n| --- | --- | --- | --- | --- |"
    return "\n".join([f"# {step.label} (`{step.id}`)", "", words.strip(), "", "## Settings", "", head, *rows, ""])


def _choice(value: object, words: dict[str, str]) -> str:
    """A value as recipes hold it, and how the form calls it where that differs."""
    told = words.get(str(value))
    return f"`{value}` ({told})" if told else f"`{value}`"


def _row(name: str, field: Any) -> str:
    extra = field.json_schema_extra
    if get_origin(field.annotation) is Literal:
        allowed = ", ".join(_choice(choice, extra["words"]) for choice in get_args(field.annotation))
    elif is_numbers(field.annotation):
        allowed = "a list of whole numbers"
    elif (item := typed_item(field.annotation)) is not None:
        allowed = "a list of " + ", ".join(f"`{part}`" for part in item.model_fields)
    elif is_list(field.annotation):
        allowed = "drawn in the window"
    elif field.annotation is bool:
        allowed = "`true`, `false`"
    else:
        allowed = f"{extra['low']} to {extra['high']} {extra['unit']}".strip()
    return f"| `{name}` | {field.title} | `{field.default}` | {allowed} | {field.description} |"
