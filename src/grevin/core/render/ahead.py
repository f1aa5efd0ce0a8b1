"""Frames that others make ahead of the one who writes: workers on this machine or on many.

They share the store of ready frames (`ready`), so nothing but the numbers of frames goes between them: the writer
takes what a worker made from there. A worker that is lost costs time, never a frame: the writer makes what is not
there.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from concurrent.futures import CancelledError as LostError
from concurrent.futures import Future
from concurrent.futures import TimeoutError as NotYetError
from typing import Any, Protocol

from grevin.core.errors import GrevinError, WorkersDifferError
from grevin.core.progress import Progress

STRETCH = 24  # frames of one task: neighbours of its ends are prepared twice, a lost worker costs as many at most
AHEAD = 2  # tasks for each worker that are given out at once: one in work, one that waits
LOOK_S = 0.2  # how often a waiting writer looks whether it was cancelled
TRIES = 3  # times that a stretch is given out


class Crew(Protocol):
    """Workers that make frames of one output into the store."""

    @property
    def size(self) -> int:
        """How many stretches they make at once."""
        ...

    @property
    def alive(self) -> bool:
        """Whether somebody is there who gives the work to them."""
        ...

    def make(self, first: int, stop: int) -> Future[Any]:
        """Let a worker make output frames `first` to `stop` - 1; the future gives how many it had no room to keep."""
        ...


class Ahead:
    """Gives out stretches of an output in order, never more than the workers need to stay busy."""

    def __init__(self, crew: Crew, outputs: range, lacks: Callable[[int], bool], progress: Progress) -> None:
        """Begin.

        Args:
            crew: who makes them.
            outputs: the output frames, in the order in which they are written.
            lacks: whether a frame would be kept, but is not yet.
            progress: asked whether to stop.
        """
        self._crew = crew
        self._outputs = outputs
        self._lacks = lacks
        self._progress = progress
        self._lock = threading.Lock()
        self._given: dict[int, Future[Any] | None] = {}
        self._next = 0
        self._made: set[int] = set()
        self._missed: set[int] = set()
        self._open = True
        self._full = False
        self._alone = False
        self.lost = 0
        self._give_out(0)

    def wait_for(self, number: int) -> None:
        """Wait until output frame `number` is there, or nobody is going to make it.

        Raises:
            CancelledError: if the run was asked to stop.
            WorkersDifferError: if a worker is of another version.
        """
        try:
            self._wait(number)
        except BaseException:
            self.close()  # no other thread has to wait then
            raise

    def _wait(self, number: int) -> None:
        stretch = (number - self._outputs.start) // STRETCH
        for _ in range(TRIES):
            self._give_out(stretch)
            future = self._given.get(stretch)
            if future is None or self._ended_well(future, number):
                return
            with self._lock:
                if not self._open or self._left_alone():
                    return
                if self._given.get(stretch) is future:  # once, however many threads wait for it
                    self.lost += 1
                    self._given[stretch] = self._task(stretch)

    def made(self, number: int) -> bool:
        """Whether a worker made a frame for this run."""
        return number in self._made

    def notes(self) -> tuple[str, ...]:
        """What the reader of the output should know of the workers."""
        told = []
        if self.lost:
            told.append(f"{self.lost} pieces of work were given out again, because a worker was lost.")
        if self._full:
            told.append("There was no room to keep more frames: the workers were let go, and the rest was made by one.")
        if self._missed:
            told.append(
                f"{len(self._missed)} frames had to be made again, because workers saw another file or other studies "
                "than this machine: the path must lead to the same file everywhere, with the same size and date."
            )
        if self._alone:
            told.append("The scheduler was lost; the rest was made without it.")
        return tuple(told)

    def close(self) -> None:
        """Take back what nobody has begun."""
        with self._lock:
            self._open = False
            for future in self._given.values():
                if future is not None:
                    future.cancel()

    def _give_out(self, stretch: int) -> None:
        """Keep the workers busy from a stretch on."""
        with self._lock:
            until = stretch + self._crew.size * AHEAD
            while (
                self._open
                and not self._left_alone()
                and self._next <= until
                and self._next * STRETCH < len(self._outputs)
            ):
                self._given[self._next] = self._task(self._next)
                self._next += 1

    def _task(self, stretch: int) -> Future[Any] | None:
        """Give a stretch out; None where all of it is there, or no worker takes it."""
        frames = self._frames(stretch)
        missing = [number for number in frames if self._lacks(number)]
        if not missing:
            return None
        self._made.update(missing)
        try:
            return self._crew.make(frames.start, frames.stop)
        except Exception:  # noqa: BLE001 - whatever ails the workers, the writer is there
            return None

    def _frames(self, stretch: int) -> range:
        return self._outputs[stretch * STRETCH : (stretch + 1) * STRETCH]

    def _left_alone(self) -> bool:
        self._alone = self._alone or not self._crew.alive
        return self._alone

    def _ended_well(self, future: Future[Any], number: int) -> bool:
        """Wait for the task that a frame is of: whether it ended, or has to be given out again."""
        while not future.done():
            self._progress.check()
            if not self._open or self._left_alone():
                return True
            with contextlib.suppress(NotYetError, LostError):  # `result` tells
                future.exception(timeout=LOOK_S)
        try:
            left = future.result()
        except WorkersDifferError:
            raise
        except GrevinError:  # the writer meets the same, and says it
            return True
        except (LostError, Exception):  # noqa: BLE001 - whatever became of the worker, others are there
            return False
        if left != 0:  # a full store, or an answer that is none
            with self._lock:
                self._open, self._full = False, True
        elif self._lacks(number):
            self._miss(number)
        return True

    def _miss(self, number: int) -> None:
        """A worker made a frame, but not under the name that it has here."""
        with self._lock:
            self._made.discard(number)
            self._missed.add(number)
            self._open = self._open and len(self._missed) < STRETCH
