"""The session: the open job, its reel under treatment, and what is being looked at. One for the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.cache import ByteCache
from grevin.core.errors import GrevinError
from grevin.core.intake.declared import Declared, declare
from grevin.core.intake.examination import Examination
from grevin.core.intake.reel import DeclaredReel
from grevin.core.job.document import (
    Reel,
)
from grevin.core.job.findings import Finding, FindingsTable
from grevin.core.job.job_file import JobFile
from grevin.core.job.measured import MeasuredFile
from grevin.core.media.image_sequence import DEFAULT_RATE
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.frame import Frame
from grevin.core.render.making import Making
from grevin.core.render.ready import user_ready_frames
from grevin.core.steps.base import changes_time
from grevin.core.steps.registry import step_by_id
from grevin.core.timebase.counters import COUNTER_LABELS, Counter, CounterKind
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.budget import cache_bytes
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.recipe import Treatment
from grevin.core.treatment.verdicts import Verdicts
from grevin.desktop.place import Place
from grevin.desktop.session_treatment import TreatmentSession

CACHE_BYTES = 448 << 20  # pictures, motion and screens kept for looking; with the results below the 1.5 GB we promise
RESULT_BYTES = 256 << 20  # treated frames kept for playing: 400 frames of SD, 80 of HD
UNREADABLE = "unreadable"
LEFT_ALONE = "left_alone"


class Session(TreatmentSession):
    """Holds the truth that the widgets show; every change goes through here."""

    reel_opened = Signal()
    reels_changed = Signal()
    reel_gone = Signal()
    reel_grew = Signal()
    declared_changed = Signal()
    findings_changed = Signal()
    parts_changed = Signal()
    counter_changed = Signal()
    treatment_changed = Signal()
    place_changed = Signal(object)
    selection_changed = Signal(int)
    history_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.reel: DeclaredReel | None = None
        self.examined: Examination | None = None
        self.counter_kind: CounterKind = "frames"
        self.unreadable: dict[int, str] = {}
        self.chain: Chain | None = None
        self.treated: TreatedReel | None = None
        self.making: Making | None = None
        self.verdicts = Verdicts()
        self._words_said = (0, 0)  # which words those are
        self.findings: FindingsTable | None = None
        self._cache = ByteCache(CACHE_BYTES)
        self._results = ByteCache(RESULT_BYTES)
        self._remembered: dict[str, int] = {}

    @property
    def kept(self) -> range:
        """Frames between the trims; looking stays inside them."""
        return self.reel.kept if self.reel is not None and self.length else range(1)

    @property
    def counter(self) -> Counter:
        """How frames are counted now."""
        reel = self.reel
        if reel is None:
            return Counter("frames", DEFAULT_RATE)
        found = reel.reader.details.timecode if isinstance(reel.reader, VideoFile) else None
        declared = reel.declared
        kind = "frames" if self.counter_kind == "feet" and declared.gauge is None else self.counter_kind
        return Counter(kind, reel.format.rate, declared.timecode or found, declared.gauge)

    @property
    def timecode(self) -> Counter:
        """The reel's timecode, however frames are counted now."""
        return replace(self.counter, kind="timecode")

    @property
    def length(self) -> int:
        """Frames of the open reel, 0 without one."""
        return len(self.reel) if self.reel is not None else 0

    def adopt(self, job_file: JobFile, reel: DeclaredReel, index: int) -> None:
        """Take an opened job with one of its reels as what is worked on."""
        self.leave()
        self.job_file, self.reel, self.reel_index = job_file, reel, index
        entry = job_file.document.reels[index]
        self.examined = job_file.examination(reel.reader.identity)
        self.verdicts = self._words(entry.id)
        self.findings = job_file.findings(entry.id)
        self.findings.judge(self.verdicts)
        self.unreadable = {found.first: found.words for found in self.findings.every(UNREADABLE)}
        self._remembered = {}
        frame, view_point, selected = (self._fact(name) for name in ("frame", "view_point", "selected"))
        self.place = Place(self._inside(frame), view_point)
        self._rebuild()
        self._clamp(selected)
        self.reel_opened.emit()
        self.reels_changed.emit()
        self.findings_changed.emit()
        self.history_changed.emit()

    def _fact(self, name: str) -> int:
        assert self.job_file is not None
        assert self.entry is not None
        text = self.job_file.fact(f"{name}.{self.entry.id}", self.job_file.fact(name, "0"))
        return int(text) if text.isdigit() else 0

    def _inside(self, frame: int) -> int:
        return min(max(self.kept.start, frame), self.kept.stop - 1)

    def leave(self) -> None:
        """Close what is open, remembering where one was."""
        if self.job_file is not None:
            self.remember_place()
            self.job_file.close()
        if self.reel is not None:
            self.reel.close()
        self.job_file = self.reel = self.chain = self.treated = self.making = self.examined = self.findings = None
        self.parts.lanes = None
        self.plan = Plan.whole(Treatment())
        self.unreadable = {}
        self._remembered = {}

    def remember_place(self) -> None:
        """Write down what is looked at, if that changed since the last time."""
        looked = {"frame": self.place.frame, "view_point": self.place.view_point, "selected": self.selected}
        if self.job_file is not None and self.entry is not None and looked != self._remembered:
            for name, value in looked.items():
                self.job_file.remember(f"{name}.{self.entry.id}", str(value))
            self.job_file.remember("reel", str(self.reel_index))
            self._remembered = looked

    def go(self, frame: int) -> None:
        """Look at another frame."""
        self._look(Place(self._inside(frame), self.place.view_point))

    @property
    def moved(self) -> Timeline | None:
        """The frame map of the view point where it moves frames; None where frames lie as in the reel."""
        chain, view_point = self.chain, self.place.view_point
        if chain is None or not chain.changes_time(view_point) or not chain.knows_time(view_point):
            return None
        timeline = chain.timeline_at(view_point)
        return timeline if timeline.moves and len(timeline) else None

    @property
    def output(self) -> int:
        """The frame at the view point that is looked at."""
        if self.place.output is not None:
            return self.place.output
        return self.chain.output_of(self.place.view_point, self.place.frame) if self.chain is not None else 0

    def go_output(self, output: int) -> None:
        """Look at a frame of the view point's output."""
        timeline = self.moved
        if timeline is None:
            self.go(output)
            return
        inside = timeline.outputs_in(self.kept) or range(len(timeline))
        output = min(max(inside.start, output), inside.stop - 1)
        self._look(Place(int(timeline.sources[output]), self.place.view_point, output))

    def step(self, by: int) -> None:
        """Go some frames on or back: of the output where the view point lies behind a change of time."""
        if self.moved is None:
            self.go(self.place.frame + by)
        else:
            self.go_output(self.output + by)

    def view_from(self, view_point: int) -> None:
        """Move the view point along the treatment path."""
        self._look(Place(self.place.frame, min(max(0, view_point), len(self.treatment.steps))))

    def view_before(self, step: str) -> None:
        """Look from before a step that changes time, if one of that id is there: what it doubts is seen as it came."""
        places = (place for place, one in enumerate(self.treatment.steps) if one.step == step)
        place = next(places, None)
        if place is not None and changes_time(step_by_id(step)) and self.place.view_point > place:
            self.view_from(place)

    def _look(self, place: Place) -> None:
        if place == self.place:
            return
        self.place = place
        if self.treated is not None and self.treated.at(place.frame) is not self.chain:
            self.chain = self.treated.at(place.frame)  # another shot, with a treatment of its own
            self._clamp(self.selected)
            self.treatment_changed.emit()
        self.place_changed.emit(self.place)

    def _clamp(self, selected: int) -> None:
        """View point and selection inside the present treatment."""
        count = len(self.treatment.steps)
        self.selected = min(selected, count)
        self.place = Place(self.place.frame, min(self.place.view_point, count))

    def select(self, place: int) -> None:
        """Select a step of the path (1 is the first), 0 for the source."""
        if place != self.selected:
            self.selected = place
            self.selection_changed.emit(place)

    # Reels

    def declare(self, **changes: Any) -> None:
        """The operator's word on the open reel; what cannot be is refused with a sentence."""
        if self.reel is None or self.entry is None:
            return
        try:
            declared = declare(self.entry.declared, **changes)
            DeclaredReel(self.reel.reader, declared)
        except GrevinError as fault:
            self.faulted.emit(fault)
            self.declared_changed.emit()  # the form goes back to what holds
            return
        if declared != self.entry.declared:
            names = ", ".join(name.replace("_", " ") for name in changes)
            self._act(f"Declare {names}", self.document.with_reel(self.reel_index, declared=declared))

    def note_unreadable(self, frame: int, words: str) -> None:
        """A frame could not be read: keep it as a finding."""
        if self.job_file is None or self.entry is None or frame in self.unreadable:
            return
        self.unreadable[frame] = words
        if self.findings is not None:
            self.findings.add("looking", Finding(UNREADABLE, frame, frame, words))
        self.findings_changed.emit()

    def note_doubt(self, frame: int, words: str) -> None:
        """A step left a frame alone: keep it as a finding."""
        if self.findings is not None and self.findings.add("looking", Finding(LEFT_ALONE, frame, frame, words)):
            self.findings_changed.emit()

    def keep_examination(self, examined: Examination) -> None:
        """What was measured of the open reel."""
        if self.job_file is None or self.reel is None:
            return
        self.examined = examined
        self.job_file.keep_examination(self.reel.reader.identity, examined)
        for frame, words in examined.unreadable:
            self.note_unreadable(frame, words)
        self.declared_changed.emit()

    def grow(self) -> None:
        """The index of the open reel grew: there are more frames."""
        self.reel_grew.emit()

    def count_in(self, kind: CounterKind) -> None:
        """Count frames another way."""
        if kind != self.counter_kind and kind in COUNTER_LABELS:
            self.counter_kind = kind
            self.counter_changed.emit()

    def _change_reel(self, label: str, entry: Reel) -> bool:
        """Another state of the open reel, as one act."""
        values = {name: getattr(entry, name) for name in ("treatment", "shots", "marks")}
        return self._act(label, self.document.with_reel(self.reel_index, **values))

    def _change(self, change: Any) -> bool:
        """Change the document, then tell those whose part of it changed."""
        before, entry = self.document, self.entry
        try:
            if change() is False:
                return False
        except GrevinError as fault:  # the job's disk is full: all is as it was, and shown so
            self.faulted.emit(fault)
            self._treat_anew()
            return False
        self._find_open_reel(entry)
        after = self.entry
        if entry is not None and after is not None and entry.id == after.id:
            if entry.declared != after.declared:
                self._declare_anew(after.declared)
            mark = self.job_file.words_said(after.id) if self.job_file is not None else (0, 0)
            said = mark != self._words_said
            words = self._words(after.id) if said else self.verdicts
            if said and self.findings is not None:
                self.findings.judge(words)
            if said or entry.plan() != after.plan():
                self.verdicts = words
                self._treat_anew()
            if entry.shots != after.shots or entry.marks != after.marks:
                self.parts_changed.emit()
            if said:
                self.findings_changed.emit()
        if before.reels != self.document.reels:
            self.reels_changed.emit()
        self.history_changed.emit()
        return True

    def _words(self, reel: int) -> Verdicts:
        """What a person said on places of a reel."""
        assert self.job_file is not None
        self._words_said = self.job_file.words_said(reel)
        return Verdicts(self.job_file.verdicts(reel))

    def _find_open_reel(self, entry: Reel | None) -> None:
        """The open reel may have moved, or be gone, when taking it in was undone."""
        ids = [reel.id for reel in self.document.reels]
        if entry is not None and entry.id in ids:
            self.reel_index = ids.index(entry.id)
        elif entry is not None:
            self.reel_index = 0
            self.reel_gone.emit()

    def _declare_anew(self, declared: Declared) -> None:
        assert self.reel is not None
        self.reel = DeclaredReel(self.reel.reader, declared)
        self._rebuild()
        self.place = Place(self._inside(self.place.frame), self.place.view_point)
        self.declared_changed.emit()
        self.treatment_changed.emit()

    def _treat_anew(self) -> None:
        self._rebuild()
        self._clamp(self.selected)
        self.treatment_changed.emit()

    def _rebuild(self) -> None:
        assert self.reel is not None
        assert self.entry is not None
        self.plan = self.entry.plan()
        self._cache.limit_bytes = cache_bytes(self.plan, self.reel.format, CACHE_BYTES)
        studies = MeasuredFile(self.job_file.path) if self.job_file is not None else None
        self.treated = TreatedReel(self.reel, self.plan, self._cache, self._results, self.verdicts, studies)
        self.chain = self.treated.at(self.place.frame)
        self.making = Making(self.treated, range(self.length), ready=user_ready_frames())

    def making_at(self, view_point: int) -> Making | None:
        """What has treated frames on disk, where a view point is the end of a path that is known; else None."""
        chain = self.chain
        if chain is None or not chain.steps or view_point != len(chain.view_points) - 1:
            return None
        return self.making if chain.knows_time(view_point) else None

    def kept_at(self, view_point: int) -> Callable[[int], Frame | None] | None:
        """Gives the frames of a view point that are on disk; None where none can be."""
        making = self.making_at(view_point)
        return None if making is None else making.shown

    @property
    def knows_all_frames(self) -> bool:
        """Whether the open reel is indexed to its end: nothing of the whole may be learned before."""
        return self.reel is not None and self.reel.is_whole

    def chain_of(self, treatment: Treatment) -> Chain:
        """The open reel under a treatment, sharing what is known already."""
        assert self.treated is not None
        return self.treated.under(treatment)
