"""Shots: runs of frames between two cuts, each with its name and, if it has one, a treatment of its own."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Collection, Iterable

from pydantic import BaseModel, ConfigDict

from grevin.core.treatment.plan import Part, Plan
from grevin.core.treatment.recipe import Treatment


class Shot(BaseModel):
    """One shot; it ends where the next begins.

    Attributes:
        first: its first frame.
        name: given by the person, "" for none.
        kind: a word that shots share, such as "interior"; a treatment can be copied to all of one kind.
        treatment: its own; None where it follows the reel's.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    first: int
    name: str = ""
    kind: str = ""
    treatment: Treatment | None = None


Shots = tuple[Shot, ...]


def shots_from_cuts(cuts: Iterable[int]) -> Shots:
    """Shots as they were measured."""
    return tuple(Shot(first=first) for first in sorted({0, *cuts}))


def shot_index(shots: Shots, frame: int) -> int:
    """Place of the shot that a frame belongs to."""
    return max(0, bisect_right(shots, frame, key=lambda shot: shot.first) - 1)


def frames_of(shots: Shots, place: int, length: int) -> range:
    """The frames of a shot."""
    return range(shots[place].first, shots[place + 1].first if place + 1 < len(shots) else length)


def split_at(shots: Shots, frame: int) -> Shots:
    """The shots with a cut before a frame; both halves keep the treatment. Unchanged where there is one already."""
    place = shot_index(shots, frame)
    if shots[place].first == frame:
        return shots
    later = shots[place].model_copy(update={"first": frame, "name": ""})
    return (*shots[: place + 1], later, *shots[place + 1 :])


def joined_before(shots: Shots, place: int) -> Shots:
    """The shots without the cut before one of them; the earlier one's name and treatment hold for both."""
    return shots if place <= 0 else (*shots[:place], *shots[place + 1 :])


def changed(shots: Shots, place: int, **values: object) -> Shots:
    """The shots with other values of one."""
    return (*shots[:place], shots[place].model_copy(update=values), *shots[place + 1 :])


def copied(shots: Shots, treatment: Treatment, places: Collection[int]) -> Shots:
    """The shots with a treatment of their own at some places."""
    return tuple(
        shot.model_copy(update={"treatment": treatment}) if place in places else shot
        for place, shot in enumerate(shots)
    )


def plan_of(treatment: Treatment, shots: Shots) -> Plan:
    """What is done to a reel whose shots follow `treatment` but for those with their own.

    Neighbouring shots under one treatment make one part. Without shots, cuts are found from the pictures.
    """
    if not shots:
        return Plan.whole(treatment)
    parts: list[Part] = []
    for shot in shots:
        own = treatment if shot.treatment is None else shot.treatment
        if not parts or parts[-1].treatment != own:
            parts.append(Part(shot.first if parts else 0, own))
    return Plan(tuple(parts), frozenset(shot.first for shot in shots if shot.first))
