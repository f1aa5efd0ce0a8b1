"""What is known of the open reel, brought to where it is shown: reel column, survey chart, lists."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QObject, QTimer

from grevin.core.job.findings import Finding
from grevin.core.job.shots import frames_of
from grevin.core.picture.masks import runs_of
from grevin.core.steps.base import changes_time
from grevin.core.steps.registry import REGISTRY
from grevin.core.survey.lanes import Lanes
from grevin.core.survey.measures.base import Depth
from grevin.core.survey.survey import Survey
from grevin.core.survey.words import kind_words
from grevin.desktop.places.playing import Player
from grevin.desktop.places.survey import SurveyPlace
from grevin.desktop.reel_column.column import DECIDED, FOUND, Marks, ReelColumn
from grevin.desktop.session import Session
from grevin.desktop.steps.desks import LANES, desk_of
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look
from grevin.desktop.work.surveying import Surveying
from grevin.desktop.work.taking_in import TakingIn

SOON_MS = 150

COUNTED = tuple(lane.kind for lane in LANES)  # kinds of findings that have a lane of their own


class ReelFacts(QObject):
    """Joins session, background work and what draws it; begins surveys."""

    def __init__(
        self, session: Session, column: ReelColumn, place: SurveyPlace, player: Player, taking_in: TakingIn,
        surveying: Surveying, parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._session = session
        self._column = column
        self._place = place
        self._player = player
        self._taking_in = taking_in
        self._surveying = surveying
        self._shown_plan = session.plan
        self.tell_tracks: Callable[[], tuple[tuple[range, ...], str]] = lambda: ((), "")
        self._soon = QTimer(self, singleShot=True, interval=SOON_MS)
        self._soon.timeout.connect(self._enter_findings)
        self.acts: dict[str, Callable[[], object]] = {
            "survey": partial(self.survey, "full"), "survey_loop": partial(self.survey, "full", True),
            "quick_survey": partial(self.survey, "quick"),
            "mark": place.marks.mark_here, "mark_back": partial(self._go_mark, -1),
            "mark_on": partial(self._go_mark, 1), "split_shot": partial(place.shots.do, "split_shot"),
            "join_shot": self._join, "play_around": place.play_around,
        }  # fmt: skip
        self._connect()

    def _connect(self) -> None:
        session, surveying, taking_in = self._session, self._surveying, self._taking_in
        for signal in (session.declared_changed, session.counter_changed, session.parts_changed):
            signal.connect(self.show_marks)
        session.findings_changed.connect(self.show_marks)
        session.findings_changed.connect(self._soon.start)
        session.treatment_changed.connect(self._forget_dirt)
        session.treatment_changed.connect(self.show_marks)
        session.selection_changed.connect(self.show_marks)
        session.treatment_changed.connect(self._forget_doubts)
        session.reel_grew.connect(lambda: self.show_lanes(taking_in.lanes))
        self._player.loop_changed.connect(self.show_marks)
        taking_in.lanes_made.connect(self.show_lanes)
        taking_in.surveyed.connect(self._surveyed)
        for signal in (taking_in.lanes_changed, surveying.lanes_changed):
            signal.connect(self._column.refresh)
            signal.connect(self._place.refresh)
        surveying.finished.connect(self._surveyed)

    def is_ready(self, frame: int) -> bool:
        """Whether a frame's picture at the view point is at hand."""
        treated, view_point = self._session.treated, self._session.place.view_point
        if treated is None:
            return False
        chain = treated.at(frame)
        if view_point >= len(chain.view_points):
            return False
        making = self._session.making_at(view_point)
        return chain.is_ready(view_point, frame) or (
            making is not None
            and chain.is_studied(view_point, frame)
            and making.has(chain.output_of(view_point, frame))
        )

    def show_lanes(self, lanes: Lanes | None) -> None:
        """Other curves, or the same over more frames."""
        self._session.parts.lanes = lanes
        self._column.show_lanes(self._session.length, lanes, self.is_ready)
        self._place.show_lanes(lanes)
        self.show_marks()
        self._soon.start()

    def show_marks(self, _changed: object = None) -> None:
        """Trims, loop, unreadable frames, shots and marks."""
        session, player = self._session, self._player
        entry, length = session.entry, session.length
        loop = player.loop if player.loop_is_set else None
        self._place.marks.loop = loop
        self._place.time_bar.show_loop(loop, session.counter)
        shots = entry.shots if entry is not None else ()
        own = tuple(frames_of(shots, n, length) for n, shot in enumerate(shots) if shot.treatment is not None)
        marked = tuple(
            (range(mark.first, mark.last + 1), mark.note or kind_words(mark.kind) or "marked")
            for mark in session.parts.marks
        )
        cuts = tuple(shot.first for shot in shots if shot.first) if shots else None
        self._column.tell_found = self._found_words
        left_out, made, put_in = _moved_in_time(session)
        unreadable = tuple(sorted(session.unreadable))
        self._column.show_marks(
            Marks(
                session.kept,
                loop,
                own,
                marked,
                left_out,
                made,
                put_in,
                cuts,
                unreadable,
                _key_frames(session),
                session.counter,
                *self.tell_tracks(),
            )
        )

    def show_studied(self) -> None:
        """A time step knows the reel now: what it left out and made, and what it wants a word on."""
        chain, table = self._session.chain, self._session.findings
        if chain is not None and table is not None:
            for step in chain.steps:
                if step.is_time and step.is_studied(0):
                    doubts = (
                        Finding(step.step.id, one.first, one.last, one.words, confidence=0.5) for one in step.doubts()
                    )
                    table.replace(f"step {step.step.id}", doubts)
            table.judge(self._session.verdicts)
            self._session.findings_changed.emit()
        self.show_marks()

    def _forget_doubts(self) -> None:
        """Steps that are gone doubt nothing any more."""
        chain, table = self._session.chain, self._session.findings
        if chain is None or table is None:
            return
        present = {step.step.id for step in chain.steps}
        gone = [step.id for step in REGISTRY.steps.values() if changes_time(step) and step.id not in present]
        if sum(table.forget(f"step {step}") for step in gone):
            self._session.findings_changed.emit()

    def _found_words(self, frame: int) -> str:
        table = self._session.findings
        return ", ".join(map(kind_words, table.at(frame, COUNTED))) if table is not None else ""

    def _enter_findings(self) -> None:
        """How many findings touch each frame, and how many of them were decided; single specks have a lane."""
        lanes, table = self._taking_in.lanes, self._session.findings
        if lanes is None or table is None or not len(lanes):
            return
        for name, decided in ((FOUND, False), (DECIDED, True)):
            counts = np.zeros(len(lanes) + 1, np.float32)
            for first, last in table.spans(COUNTED, decided):
                if first < len(lanes):
                    counts[first] += 1
                    counts[min(last + 1, len(lanes))] -= 1
            lanes.curve(name)[:] = np.cumsum(counts[:-1])
        self._column.refresh()

    def _forget_dirt(self) -> None:
        """Another treatment finds other dirt; a verdict changes its own frame only, which is looked at again."""
        lanes = self._taking_in.lanes
        if lanes is not None and self._session.plan.parts != self._shown_plan.parts:
            for lane in LANES:
                lanes.forget(lane.found)
        self._shown_plan = self._session.plan
        self._column.refresh()

    def take_look(self, look: Look) -> None:
        """What the selected step found on a frame."""
        lanes, steps, place = self._taking_in.lanes, self._session.treatment.steps, self._session.selected
        if lanes is None or look.evidence is None or look.number >= len(lanes) or not 0 < place <= len(steps):
            return
        desk = desk_of(steps[place - 1].step)
        if desk is not None and desk.lane is not None:
            lanes.curve(desk.lane.found)[look.number] = len(look.evidence.blobs)

    # Surveys

    def survey(self, depth: Depth, loop: bool = False) -> None:
        """Begin a survey of the reel or the loop, or go on with one."""
        session, lanes = self._session, self._taking_in.lanes
        if session.entry is None or session.job_file is None or session.reel is None:
            return
        if lanes is None:
            session.told.emit(tr("The reel is still being opened to its end: a moment."))
            return
        if self._surveying.running:
            self._surveying.pause(not self._surveying.paused)
            return
        if loop and not self._player.loop_is_set:
            session.told.emit(tr("Set a loop first (Q where it begins, E where it ends)."))
            return
        frames = self._player.loop if loop else range(session.length)
        self._surveying.start(session.entry, session.job_file.path, lanes, depth, frames)

    def _surveyed(self, survey: Survey | None) -> None:
        self._surveying.adopt(survey)
        self._place.show_survey(survey)
        self._session.findings_changed.emit()
        if survey is not None and survey.frames.step == 1:
            for frame, words in survey.unreadable:
                self._session.note_unreadable(frame, words)

    # Marks and shots

    def _go_mark(self, direction: int) -> None:
        frame = self._session.place.frame
        firsts = [mark.first for mark in self._session.parts.marks]
        ahead = [first for first in firsts if (first - frame) * direction > 0]
        if ahead:
            self._session.go(min(ahead) if direction > 0 else max(ahead))
        else:
            self._session.told.emit(tr("No more marks that way."))

    def _join(self) -> None:
        """Join the shot in sight with the one before it."""
        parts = self._session.parts
        if not parts.settled:
            self._session.told.emit(tr("Cuts are still being looked for: shots can be worked with when all are known."))
        elif not parts.join(parts.at(self._session.place.frame)):
            self._session.told.emit(tr("There is no shot before the first."))


def _key_frames(session: Session) -> tuple[int, ...]:
    """Key frames of the selected step: of its regions, of numbers that change, and of what its settings list."""
    steps, place = session.treatment.steps, session.selected
    if not 0 < place <= len(steps):
        return ()
    row = steps[place - 1]
    listed = getattr(row.model(), "keys", ())
    shapes = (*row.regions, *(stroke.where for stroke in row.strokes))
    drawn = {key.frame for shape in shapes for key in shape.keys}
    changing = {key.frame for one in row.over_time for key in one.keys}
    return tuple(sorted(drawn | changing | {key.frame for key in listed}))


def _moved_in_time(session: Session) -> tuple[tuple[range, ...], tuple[range, ...], tuple[range, ...]]:
    """Runs of frames that the treatment leaves out, makes anew, and puts others in after, as far as that is known."""
    chain = session.chain
    last = len(chain.view_points) - 1 if chain is not None else 0
    if chain is None or not chain.changes_time(last) or not chain.knows_time(last):
        return (), (), ()
    timeline = chain.timeline
    left_out = np.ones(timeline.length, np.bool_)
    left_out[timeline.sources] = False
    made, put_in = np.zeros(timeline.length, np.bool_), np.zeros(timeline.length, np.bool_)
    first = np.append(True, timeline.sources[1:] != timeline.sources[:-1])
    made[timeline.sources[timeline.made & first]] = True
    put_in[timeline.sources[timeline.made & ~first]] = True
    return tuple(runs_of(left_out)), tuple(runs_of(made)), tuple(runs_of(put_in & ~made))
