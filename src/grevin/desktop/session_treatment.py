"""The treatment of what is looked at: the part of the session that changes steps, settings, regions and verdicts."""

from __future__ import annotations

from collections.abc import Collection
from functools import partial
from typing import Any

from PySide6.QtCore import QObject

from grevin.core.errors import GrevinError
from grevin.core.job.document import (
    Reel,
    add_step,
    change_over_time,
    change_regions,
    change_settings,
    change_strokes,
    place_of_new,
    remove_step,
    switch_step,
)
from grevin.core.picture.geometry import Area
from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.over_time import OverTime, is_keyed, keyed, settings_at, unkeyed
from grevin.core.treatment.path_edits import How, doubled, moved, taken
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment
from grevin.core.treatment.regions import Region
from grevin.core.treatment.strokes import Stroke
from grevin.core.treatment.verdicts import Verdict, Word
from grevin.desktop.place import Place
from grevin.desktop.session_job import JobSession
from grevin.desktop.session_shots import ReelParts


class TreatmentSession(JobSession):
    """Changes the treatment of the shot that is looked at; each change is one act, which undo takes back."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.plan = Plan.whole(Treatment())
        self.parts = ReelParts(lambda: self.entry, self._change_reel)
        self.selected = 0
        self.place = Place(0, 0)

    @property
    def treatment(self) -> Treatment:
        """Treatment of the shot that is looked at."""
        return self.plan.treatment_at(self.place.frame)

    def select(self, place: int) -> None:
        """Select a step of the path (1 is the first), 0 for the source."""
        raise NotImplementedError

    def view_from(self, view_point: int) -> None:
        """Look from another place of the path."""
        raise NotImplementedError

    def add_step(self, step: str) -> None:
        """Put a step where its stage belongs, look from after it."""
        place = place_of_new(self.treatment, step) + 1
        if self._treat(f"Add {step_by_id(step).label}", add_step(self.treatment, step)):
            self.select(place)
            self.view_from(place)

    def _label(self, place: int) -> str:
        return step_by_id(self.treatment.steps[place - 1].step).label

    def move_step(self, place: int, by: int) -> None:
        """Move a step towards the source (-1) or on (+1), as far as that goes."""
        to = min(max(1, place + by), len(self.treatment.steps))
        if 0 < place <= len(self.treatment.steps) and to != place:
            treatment = moved(self.treatment, place - 1, to - 1)
            self._treat(f"Move {self._label(place)}", treatment)
            self.select(to)
            for words in treatment.out_of_order():
                self.told.emit(words)

    def double_step(self, place: int) -> None:
        """A step once more, behind itself."""
        there = 0 < place <= len(self.treatment.steps)
        if there and self._treat(f"Add {self._label(place)} once more", doubled(self.treatment, place - 1)):
            self.select(place + 1)
            self.view_from(place + 1)

    def treat_reels(self, label: str, recipe: Treatment, how: How, reels: Collection[int]) -> bool:
        """Take a recipe for whole reels of the job; shots with treatments of their own keep them."""
        document = self.document
        for place in reels:
            document = document.with_treatment(place, taken(document.reels[place].treatment, recipe, how))
        return document != self.document and self._act(label, document)

    def put_treatment(self, label: str, treatment: Treatment, place: int) -> None:
        """Another treatment, as one act, with the step at a place in hand."""
        if self._treat(label, treatment):
            self.select(place)
            self.view_from(place)

    def remove_step(self, place: int) -> None:
        """Take a step out."""
        self._treat(f"Take out {self._label(place)}", remove_step(self.treatment, place - 1))

    def change_settings(self, place: int, changes: dict[str, Any]) -> None:
        """Give a step other settings; a value that is not allowed is refused with a sentence.

        A number that changes over time gets a key frame on the present frame.
        """
        row = self.treatment.steps[place - 1]
        name = next(iter(changes), "")
        if len(changes) == 1 and is_keyed(row.over_time, name):
            self.change_over_time(place, keyed(row.over_time, name, self.place.frame, float(changes[name])))
            return
        try:
            treatment = change_settings(self.treatment, place - 1, changes)
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        if treatment != self.treatment:
            fields = step_by_id(row.step).settings_model.model_fields
            self._treat(f"Change {', '.join(fields[name].title or name for name in changes)}", treatment)

    def switch_step(self, place: int, enabled: bool) -> None:
        """Let a step act or rest."""
        self._treat(
            "Switch the step on" if enabled else "Switch the step off", switch_step(self.treatment, place - 1, enabled)
        )

    def give_verdict(self, area: Area, word: Word, source: str = "") -> bool:
        """A person's word on a place of the frame that is looked at, for the selected step; False where none is."""
        entry, place = self.entry, self.selected
        if self.job_file is None or entry is None or not 0 < place <= len(self.treatment.steps):
            return False
        return self.judge(Verdict(self.treatment.steps[place - 1].step, self.place.frame, area, word, source))

    def judge(self, verdict: Verdict) -> bool:
        """A person's word on any place: of a step's finding or of the survey's."""
        labels = {"leave": "Leave a place alone", "mend": "Mend a place", "undecided": "Take a verdict back"}
        label = "Choose from where a place is mended" if verdict.source else labels[verdict.word]
        return self.judge_all(label, (verdict,))

    def judge_all(self, label: str, verdicts: tuple[Verdict, ...]) -> bool:
        """Words on many places as one act."""
        entry = self.entry
        if self.job_file is None or entry is None:
            return False
        return self._change(partial(self.job_file.act, label, self.document, entry.id, verdicts))

    def change_regions(self, place: int, regions: tuple[Region, ...]) -> None:
        """Other regions of a step."""
        if regions != self.treatment.steps[place - 1].regions:
            self._treat("Change regions", change_regions(self.treatment, place - 1, regions))

    def change_strokes(self, place: int, strokes: tuple[Stroke, ...], label: str) -> None:
        """Other strokes of a step."""
        if strokes != self.treatment.steps[place - 1].strokes:
            self._treat(label, change_strokes(self.treatment, place - 1, strokes))

    def change_over_time(self, place: int, over_time: tuple[OverTime, ...]) -> None:
        """Other numbers of a step that change from frame to frame."""
        if over_time != self.treatment.steps[place - 1].over_time:
            self._treat("Change settings over time", change_over_time(self.treatment, place - 1, over_time))

    def key_setting(self, place: int, name: str, on: bool) -> None:
        """A key frame of a number on the present frame, with the value that it has there; or none any more."""
        row, frame = self.treatment.steps[place - 1], self.place.frame
        if on:
            model = step_by_id(row.step).settings_model
            value = getattr(settings_at(model, row.settings, row.over_time, frame, row.step), name)
            self.change_over_time(place, keyed(row.over_time, name, frame, float(value)))
        else:
            self.change_over_time(place, unkeyed(row.over_time, name, frame))

    def _treat(self, label: str, treatment: Treatment) -> bool:
        changed = self.parts.with_treatment(self.place.frame, treatment)
        return changed is not None and self._change_reel(label, changed)

    def _change_reel(self, label: str, entry: Reel) -> bool:
        """Another state of the open reel, as one act."""
        raise NotImplementedError
