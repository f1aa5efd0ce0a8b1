"""Pieces of evidence one at a time: pointed at, clicked, stepped through, each with a verdict."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.measure.area import Box
from grevin.core.picture.geometry import Area
from grevin.core.progress import Progress
from grevin.core.steps.base import changes_time
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.registry import sources_of, step_by_id
from grevin.core.treatment.doubtful import next_doubtful
from grevin.core.treatment.verdicts import Word, same_place
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.marks import OutlineMark
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.one_task import OneTask
from grevin.desktop.work.workers import LatestWorker, Request

CLICK_PX = 9  # side of the square in which a click on nothing looks for what was missed
NEAR_PX = 3  # a click this far beside a speck still means it


class Specks(QObject):
    """Keeps what is picked; shows it on the light table; turns clicks and keys into verdicts."""

    told = Signal(str)
    faulted = Signal(object)
    evidence_wanted = Signal()

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._table = table
        self._box: Box | None = None
        self._picked: Blob | None = None
        self._stepped = False
        self._coming: tuple[int, Blob] | None = None
        self._words = ""
        self.shown = False
        self.search = OneTask("doubtful", self)
        self.search.failed.connect(self.faulted)
        self._explainer = LatestWorker("explain", self)
        self._explainer.done.connect(self._take_words)
        self._explainer.failed.connect(lambda _tag, fault: self.faulted.emit(fault))
        self.acts: dict[str, Callable[[], None]] = {
            "mend": partial(self.give, "mend"), "leave": partial(self.give, "leave"),
            "undecided": partial(self.give, "undecided"), "doubt_on": partial(self.step, 1),
            "doubt_back": partial(self.step, -1), "another_source": self.another_source,
        }  # fmt: skip

    @property
    def busy(self) -> bool:
        """Whether something is looked for."""
        return self.search.busy or self._explainer.busy

    @property
    def picked(self) -> Blob | None:
        """What the next verdict by key is about."""
        return self._picked

    @property
    def words(self) -> str:
        """What is said of it."""
        return self._words

    def stop(self) -> None:
        """End the threads."""
        self.search.cancel()
        self._explainer.stop()

    def _evidence(self) -> Evidence | None:
        """What a verdict may be about; what a step that changes time shows of a frame has no pieces to judge."""
        steps, place = self._session.treatment.steps, self._session.selected
        if 0 < place <= len(steps) and changes_time(step_by_id(steps[place - 1].step)):
            return None
        look = self._table.look
        return look.evidence if look is not None and look.number == self._session.place.frame else None

    # What is shown

    def show(self, on: bool) -> None:
        """Whether the evidence lies over the picture: only then are its pieces shown and clicked."""
        self.shown = on
        self._refresh()

    def show_box(self, box: Box | None) -> None:
        """The measured box, which a verdict by key may be about."""
        self._box = box

    def take_look(self) -> None:
        """Another frame, or the same under another treatment."""
        if self._coming is not None and self._coming[0] == self._session.place.frame and self._evidence() is not None:
            self._pick(self._find(self._on(self._coming[1].area)), stepped=True)
            self._coming = None
        elif self._picked is not None:
            self._pick(self._find(self._picked.area), stepped=self._stepped)
        self._refresh()

    def _on(self, area: Area) -> Area:
        """A place of the reel's picture, on the one that is looked at."""
        look = self._table.look
        return area if look is None or look.geometry is None else look.geometry.area_on(area)

    def _back(self, area: Area) -> Area:
        """A place of the picture that is looked at, on the reel's own."""
        look = self._table.look
        return area if look is None or look.geometry is None else look.geometry.area_back(area)

    def _find(self, area: Area) -> Blob | None:
        evidence = self._evidence()
        every = (*evidence.blobs, *evidence.left, *evidence.passed) if evidence is not None else ()
        return next((blob for blob in every if same_place(blob.area, area)), None)

    def _refresh(self) -> None:
        evidence, marks = self._evidence(), []
        if self.shown and evidence is not None:
            marks = [OutlineMark(blob.area, "left") for blob in evidence.left]
            marks += [OutlineMark(blob.area, "passed") for blob in evidence.passed]
            marks += [OutlineMark(self._picked.area, "picked")] if self._picked is not None else []
        self._table.show_marks(tuple(marks), self._words if self.shown else "")

    # Pointing

    def point(self, spot: tuple[int, int] | None) -> None:
        """The pointer moved."""
        if not self.shown or spot is None:
            return
        blob = self._under(spot)
        if blob is not None and blob != self._picked:
            self._pick(blob, stepped=False)
            self._refresh()
        elif blob is None and self._picked is not None and not self._stepped:
            self._pick(None, stepped=False)
            self._refresh()

    def _under(self, spot: tuple[int, int]) -> Blob | None:
        """The smallest piece at a place of the picture."""
        evidence = self._evidence()
        if evidence is None:
            return None
        every = (*evidence.blobs, *evidence.left, *evidence.passed)
        near = [blob for blob in every if _holds(blob.area, spot)]
        return min(near, key=lambda blob: blob.area[2] * blob.area[3], default=None)

    def _pick(self, blob: Blob | None, stepped: bool) -> None:
        self._picked, self._stepped = blob, stepped and blob is not None
        evidence, chain = self._evidence(), self._session.chain
        self._words = self._state(blob, evidence) if blob is not None and evidence is not None else ""
        place = self._session.selected
        if blob is None or evidence is None or chain is None or blob not in evidence.blobs:
            self._explainer.ask()
            return
        frame = self._session.place.frame
        explain = partial(chain.explain, place, frame, self._back(blob.area))
        self._explainer.ask(Request((chain, frame, blob), explain))

    def _state(self, blob: Blob, evidence: Evidence) -> str:
        if blob in evidence.left:
            return f"Left alone by your word: {blob.words}"
        if blob in evidence.passed:
            return f"Doubtful, not mended: {blob.words}"
        if blob.by_hand or blob.source:
            return f"Mended by your word: {blob.words}"
        return f"{'Doubtful, mended' if blob.doubtful else 'Mended'}: {blob.words}"

    def _take_words(self, tag: Any, words: str) -> None:
        if tag == (self._session.chain, self._session.place.frame, self._picked) and words:
            self._words = f"{self._words}\n{words[:1].upper()}{words[1:]}"
            self._refresh()

    # Verdicts

    def click(self, spot: tuple[int, int]) -> None:
        """A click: what is mended is left, what is left is undecided again, what was missed is mended."""
        evidence = self._evidence()
        if not self.shown or evidence is None:
            return
        blob = self._under(spot)
        if blob is None:
            self._say(_square(spot, evidence.mask.shape), "mend")
        elif blob in evidence.left or blob.by_hand:
            self._say(blob.area, "undecided")
        else:
            self._say(blob.area, "mend" if blob in evidence.passed else "leave")

    def give(self, word: Word) -> None:
        """A verdict by key: on what is picked, else on the measured box."""
        box = self._box
        if self._picked is not None:
            self._say(self._picked.area, word)
        elif box is not None:
            self._say((box.x, box.y, box.width, box.height), word)
        else:
            self.told.emit(tr("Point at a speck, step to a doubtful one (.) or drag a box (Shift) first."))

    def another_source(self) -> None:
        """Have what is picked mended from the step's next source; behind the last one as the step thinks best."""
        steps, place = self._session.treatment.steps, self._session.selected
        row = steps[place - 1] if 0 < place <= len(steps) else None
        sources = sources_of(row.step) if row is not None else {}
        if row is None or not sources:
            self.told.emit(tr("Select a step that can mend a place from several sources, such as Dropout concealment."))
        elif self._picked is None:
            self.told.emit(tr("Point at a place that is mended, or step to a doubtful one (.) first."))
        else:
            own = step_by_id(row.step).settings_model.model_validate(row.settings)
            names = ["", *(name for name in sources if name != getattr(own, "source", ""))]
            at = names.index(self._picked.source) if self._picked.source in names else 0
            self._say(self._picked.area, "mend", names[(at + 1) % len(names)])

    def _say(self, area: Area, word: Word, source: str = "") -> None:
        if not self._session.give_verdict(self._back(area), word, source):
            self.told.emit(tr("Select a step first: a verdict is about what a step found."))

    # Stepping

    def step(self, direction: int) -> None:
        """Go to the next (+1) or previous (-1) doubtful piece, on this frame or another."""
        session, chain = self._session, self._session.chain
        if chain is None or not 0 < session.selected <= len(session.treatment.steps):
            self.told.emit(tr("Select a step first: doubtful places belong to a step."))
            return
        self.evidence_wanted.emit()
        picked = self._picked if self._stepped else None
        last = None if picked is None else replace(picked, area=self._back(picked.area))
        start = (session.place.frame, last)
        kept, place = session.kept, session.selected

        def look(progress: Progress) -> tuple[int, Blob] | None:
            return next_doubtful(chain, place, start, direction, kept, progress)

        self.search.run(look, self._go)

    def _go(self, found: tuple[int, Blob] | None) -> None:
        if found is None:
            self.told.emit(tr("Nothing more is doubtful that way."))
            return
        self._coming = found
        if found[0] == self._session.place.frame:
            self.take_look()
        else:
            self._session.go(found[0])
        x, y, width, height = self._on(found[1].area)
        self._table.show_middle(x + width / 2, y + height / 2)


def _holds(area: Area, spot: tuple[int, int]) -> bool:
    x, y, width, height = area
    return x - NEAR_PX <= spot[0] < x + width + NEAR_PX and y - NEAR_PX <= spot[1] < y + height + NEAR_PX


def _square(spot: tuple[int, int], shape: tuple[int, ...]) -> Area:
    """The square round a place, inside the picture."""
    x, y = (max(0, value - CLICK_PX // 2) for value in spot)
    return x, y, min(CLICK_PX, shape[1] - x), min(CLICK_PX, shape[0] - y)
