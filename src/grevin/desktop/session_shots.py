"""The shots and marks of the open reel: the part of the session that divides it and notes places."""

from __future__ import annotations

from collections.abc import Callable, Collection

from grevin.core.job.document import Reel
from grevin.core.job.marks import Mark, merged, with_mark
from grevin.core.job.shots import (
    Shots,
    changed,
    copied,
    frames_of,
    joined_before,
    shot_index,
    shots_from_cuts,
    split_at,
)
from grevin.core.steps.base import changes_time
from grevin.core.steps.proposing import Suggestion
from grevin.core.steps.registry import step_by_id
from grevin.core.survey.lanes import Lanes
from grevin.core.treatment.path_edits import How, taken
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region


class ReelParts:
    """What the document says of the open reel's shots and marks, and changing it.

    Until a person divides the reel, its shots are those that were measured; the first act that concerns one makes
    them the document's own.
    """

    def __init__(self, entry: Callable[[], Reel | None], change: Callable[[str, Reel], bool]) -> None:
        self._entry = entry
        self._change = change
        self.lanes: Lanes | None = None
        self._measured: tuple[int, Shots] = (-1, shots_from_cuts(()))

    @property
    def shots(self) -> Shots:
        """The shots, as divided by the person or as far as they were measured."""
        entry = self._entry()
        if entry is not None and entry.shots:
            return entry.shots
        if self.lanes is None:
            return shots_from_cuts(())
        known = int(self.lanes.looked.sum())
        if known != self._measured[0]:
            self._measured = (known, shots_from_cuts(self.lanes.cuts()))
        return self._measured[1]

    @property
    def settled(self) -> bool:
        """Whether all cuts are known, so that shots can be worked with."""
        entry = self._entry()
        return bool(entry is not None and entry.shots) or (self.lanes is not None and self.lanes.complete)

    def at(self, frame: int) -> int:
        """Place of the shot that a frame belongs to."""
        return shot_index(self.shots, frame)

    def frames(self, place: int, length: int) -> range:
        """The frames of a shot."""
        return frames_of(self.shots, place, length)

    def title(self, place: int) -> str:
        """What a shot is called."""
        name = self.shots[place].name
        return f"shot {place + 1} of {len(self.shots)}" + (f": {name}" if name else "")

    def whose(self, frame: int) -> str:
        """Whose treatment it is that acts on a frame; "" where the reel was not divided."""
        entry = self._entry()
        if entry is None or not entry.shots:
            return ""
        place = shot_index(entry.shots, frame)
        if entry.shots[place].treatment is not None:
            return f"Treatment of {self.title(place)} alone"
        own = sum(shot.treatment is not None for shot in entry.shots)
        return "Treatment of the reel" + (f", but for {own} shots with their own" if own else "")

    # Shots

    def split(self, frame: int) -> bool:
        """A cut before a frame."""
        return self._put("Split a shot", split_at(self.shots, frame))

    def join(self, place: int) -> bool:
        """No cut before a shot."""
        return self._put("Join two shots", joined_before(self.shots, place))

    def name(self, place: int, **words: str) -> bool:
        """Another name or kind."""
        return self._put("Name a shot", changed(self.shots, place, **words))

    def give_own(self, places: Collection[int]) -> bool:
        """Let shots have treatments of their own, for now the one that they follow."""
        entry = self._entry()
        assert entry is not None
        without = {place for place in places if self.shots[place].treatment is None}
        return self._put("Give a shot its own treatment", copied(self.shots, entry.treatment, without))

    def follow(self, places: Collection[int]) -> bool:
        """Let shots follow the reel's treatment again."""
        shots = self.shots
        for place in places:
            shots = changed(shots, place, treatment=None)
        return self._put("Let a shot follow the reel", shots)

    def copy(self, treatment: Treatment, places: Collection[int], label: str = "") -> bool:
        """Copy a treatment to other shots."""
        words = "Copy the treatment to a shot" if len(places) == 1 else f"Copy the treatment to {len(places)} shots"
        return self._put(label or words, copied(self.shots, treatment, places))

    def take(self, recipe: Treatment, how: How, places: Collection[int], label: str) -> bool:
        """Take a recipe for some shots, which then have treatments of their own."""
        entry, shots = self._entry(), self.shots
        assert entry is not None
        for place in places:
            shots = changed(shots, place, treatment=taken(shots[place].treatment or entry.treatment, recipe, how))
        return self._put(label, shots)

    def of_kind(self, kind: str) -> set[int]:
        """The shots of a kind."""
        return {place for place, shot in enumerate(self.shots) if shot.kind == kind}

    def accept(self, proposals: dict[int, list[Suggestion]]) -> bool:
        """Take over what was proposed for shots: those steps that they do not have yet.

        Steps that change time go to the beginning of every treatment of the reel, or the shots would fall apart.
        """
        entry, shots = self._entry(), self.shots
        assert entry is not None
        every = [one for suggestions in proposals.values() for one in suggestions]
        in_time = [one for one in every if changes_time(step_by_id(one.step))]
        for place, suggestions in proposals.items():
            treatment = shots[place].treatment or entry.treatment
            own = [one for one in suggestions if one not in in_time]
            shots = changed(shots, place, treatment=_with(treatment, own, at_front=False)) if own else shots
        reel = _with(entry.treatment, in_time, at_front=True)
        shots = tuple(
            shot
            if shot.treatment is None
            else shot.model_copy(update={"treatment": _with(shot.treatment, in_time, True)})
            for shot in shots
        )
        if (shots, reel) == (self.shots, entry.treatment):
            return False
        return self._change("Accept a proposal", entry.model_copy(update={"shots": shots, "treatment": reel}))

    def with_treatment(self, frame: int, treatment: Treatment) -> Reel | None:
        """The reel with another treatment where a frame lies: of its shot, if that has its own, else of the reel."""
        entry = self._entry()
        if entry is None:
            return None
        place = shot_index(entry.shots, frame) if entry.shots else 0
        if entry.shots and entry.shots[place].treatment is not None:
            return entry.model_copy(update={"shots": changed(entry.shots, place, treatment=treatment)})
        return entry.model_copy(update={"treatment": treatment})

    def _put(self, label: str, shots: Shots) -> bool:
        entry = self._entry()
        if entry is None or shots == entry.shots:
            return False
        return self._change(label, entry.model_copy(update={"shots": shots}))

    # Marks

    @property
    def marks(self) -> tuple[Mark, ...]:
        """The marks."""
        entry = self._entry()
        return entry.marks if entry is not None else ()

    def mark(self, mark: Mark) -> bool:
        """Put a mark."""
        return self._mark("Put a mark", with_mark(self.marks, mark))

    def change_mark(self, place: int, **values: str) -> bool:
        """Other words on a mark."""
        marks = list(self.marks)
        marks[place] = marks[place].model_copy(update=values)
        return self._mark("Change a mark", tuple(marks))

    def remove_marks(self, places: Collection[int]) -> bool:
        """Take marks away."""
        return self._mark("Remove marks", tuple(m for p, m in enumerate(self.marks) if p not in places))

    def add_marks(self, more: tuple[Mark, ...]) -> bool:
        """Take over marks from a file."""
        return self._mark(f"Read {len(more)} marks", merged(self.marks, more))

    def _mark(self, label: str, marks: tuple[Mark, ...]) -> bool:
        entry = self._entry()
        if entry is None or marks == entry.marks:
            return False
        return self._change(label, entry.model_copy(update={"marks": marks}))


def _with(treatment: Treatment, suggestions: list[Suggestion], at_front: bool) -> Treatment:
    """A treatment with the suggested steps that it does not hold yet."""
    steps = treatment.steps
    added: tuple[TreatmentStep, ...] = ()
    for one in suggestions:
        if all(step.step != one.step for step in (*steps, *added)):
            regions = tuple(Region(**where) for where in one.regions)
            added += (TreatmentStep.make(one.step, one.settings, regions=regions),)
    return Treatment(steps=(*added, *steps) if at_front else (*steps, *added))
