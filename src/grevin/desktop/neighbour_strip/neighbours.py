"""Pictures and words for the neighbour strip, made off the GUI thread once the person pauses at a frame."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from grevin.core.errors import GrevinError, UnreadableFrameError
from grevin.core.timebase.timeline import Timeline
from grevin.desktop.neighbour_strip.strip import NeighbourStrip
from grevin.desktop.session import Session
from grevin.desktop.work.looks import Ways, judge_neighbour, make_neighbour
from grevin.desktop.work.workers import LatestWorker, Request

DELAY_MS = 120


def _output_words(timeline: Timeline, number: int) -> str:
    """What an output frame is."""
    source = int(timeline.sources[number])
    return f"made, after frame {source}" if timeline.made[number] else f"frame {source}"


class Neighbours(QObject):
    """Fills a strip for the session's place."""

    faulted = Signal(object)

    def __init__(self, session: Session, strip: NeighbourStrip, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._strip = strip
        self._ways = Ways()
        self._worker = LatestWorker("strip", self)
        self._worker.done.connect(self._take)
        self._worker.failed.connect(self._miss)
        self._timer = QTimer(self, singleShot=True, interval=DELAY_MS)
        self._timer.timeout.connect(self._ask)

    @property
    def busy(self) -> bool:
        """Whether pictures are wanted or being made."""
        return self._worker.busy or self._timer.isActive()

    def show_place(self, aspect: float) -> None:
        """The place changed: pictures follow in a moment."""
        session, timeline = self._session, self._session.moved
        if timeline is None:
            self._strip.show_place(session.place.frame, session.kept, aspect)
        else:
            outputs = timeline.outputs_in(session.kept)
            self._strip.show_place(session.output, outputs, aspect, partial(_output_words, timeline))
        self._timer.start()

    def renew(self, ways: Ways) -> None:
        """All pictures would be others now."""
        self._ways = ways
        self._strip.forget()
        self._timer.start()

    def pause(self) -> None:
        """Make none for now."""
        self._timer.stop()
        self._worker.ask()

    def stop(self) -> None:
        """End the thread."""
        self._timer.stop()
        self._worker.stop()

    def _ask(self) -> None:
        chain, place = self._session.chain, self._session.place
        if chain is None:
            return
        view_point = chain.known_view_point(place.view_point, place.frame)
        frames, key = self._strip.nearest_first(), (chain, view_point)
        make = partial(make_neighbour, chain, view_point, self._ways, self._session.kept_at(view_point))
        pictures = [Request(("picture", frame, key), partial(make, frame)) for frame in frames]
        if self._session.moved is not None:
            self._worker.ask(*pictures)
            return
        judgements = [Request(("judged", frame, key), partial(judge_neighbour, chain, frame)) for frame in frames]
        self._worker.ask(*pictures, *judgements)

    def _take(self, tag: Any, made: Any) -> None:
        kind, frame, key = tag
        chain = self._session.chain
        if chain is None or key[0] is not chain or made is None:
            return
        if key[1] != chain.known_view_point(self._session.place.view_point, self._session.place.frame):
            return
        if kind == "picture":
            self._strip.show_picture(frame, made)
        else:
            self._strip.show_judgement(frame, made)

    def _miss(self, tag: Any, fault: Exception) -> None:
        if isinstance(fault, UnreadableFrameError) and tag[0] == "picture":
            self._strip.show_missing(tag[1], fault.what)
            self._session.note_unreadable(fault.number, fault.what)
        elif not isinstance(fault, GrevinError):
            self.faulted.emit(fault)
