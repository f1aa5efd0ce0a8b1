"""Marks: places that a person wants to find again, with a word on why."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field, model_validator


class Mark(BaseModel):
    """A run of frames with a note.

    Attributes:
        first, last: frames, both included.
        kind: id of a step, or any plain word; "" for none.
        note: what the person wrote.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    first: int = Field(ge=0)
    last: int = Field(ge=0)
    kind: str = ""
    note: str = ""

    @model_validator(mode="after")
    def _in_order(self) -> Mark:
        if self.last < self.first:
            raise ValueError("a mark ends before it begins")
        return self


def with_mark(marks: tuple[Mark, ...], mark: Mark) -> tuple[Mark, ...]:
    """The marks with one more, in the order of frames; one of the same frames and kind is replaced."""
    others = (old for old in marks if (old.first, old.last, old.kind) != (mark.first, mark.last, mark.kind))
    return tuple(sorted((*others, mark), key=lambda one: (one.first, one.last, one.kind)))


def merged(marks: tuple[Mark, ...], more: tuple[Mark, ...]) -> tuple[Mark, ...]:
    """Both, without saying anything twice."""
    for mark in more:
        marks = with_mark(marks, mark)
    return marks
