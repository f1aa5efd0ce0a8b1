"""Treated frames made ready in the background, so that they can be played at the true rate."""

from __future__ import annotations

import time
from functools import partial

from PySide6.QtCore import QObject, Signal

from grevin.core.render.making import Making
from grevin.core.treatment.chain import Chain
from grevin.desktop.work.workers import LatestWorker, Request

FULL_SHARE = 0.9  # of the cache for results: beyond it, the first frames would be dropped again
PAUSE_S = 0.002  # between two frames, so that looking goes first


class Readying(QObject):
    """Makes the frames of a loop ready, from the present one on, until the cache, or the room on disk, is full."""

    made = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = LatestWorker("ready", self)
        self._worker.done.connect(self._take)
        self._turn = 0
        self._held = 0
        self._room = 0.0
        self._making: Making | None = None

    @property
    def busy(self) -> bool:
        """Whether frames are still being made."""
        return self._worker.busy

    def start(self, chain: Chain, view_point: int, loop: range, frame: int, making: Making | None) -> None:
        """Begin anew with frames of the view point; what was waiting is dropped.

        Args:
            chain: the reel under its treatment.
            view_point: place on the path.
            loop: frames of the view point.
            frame: the present one of them.
            making: what keeps them on disk too, where the view point is the end of the path.
        """
        first = frame if frame in loop else loop.start
        order = [*range(first, loop.stop), *range(loop.start, first)]
        self._turn += 1
        self._held, self._room, self._making = 0, FULL_SHARE * chain.results.limit_bytes, making
        make = partial(_make, chain, view_point, making)
        self._worker.ask(*(Request(self._turn, partial(make, number)) for number in order))

    def pause(self) -> None:
        """Drop what is waiting."""
        self._worker.ask()

    def _take(self, turn: int, size: int) -> None:
        if turn != self._turn:
            return
        self._held += size
        on_disk = self._making is not None and self._making.keeps
        if self._held > self._room and not on_disk:
            self._worker.ask()
        self.made.emit()

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()


def _make(chain: Chain, view_point: int, making: Making | None, number: int) -> int:
    """Make one frame; a fault is said where the frame is looked at."""
    time.sleep(PAUSE_S)
    if making is not None and making.has(number):
        return 0
    if making is not None and making.keeps:
        making.written(number)
    return chain.view_points[view_point].frame(number).nbytes
