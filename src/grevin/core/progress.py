"""Progress of long work, and the way to stop it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from grevin.core.errors import CancelledError


@dataclass(frozen=True)
class ProgressReport:
    """One state of a piece of work: `done` of `total` units, and what is being done."""

    done: int
    total: int
    message: str
    seconds: float

    @property
    def fraction(self) -> float:
        """Share done, 0 to 1 (0 where the total is unknown)."""
        return min(1.0, self.done / self.total) if self.total > 0 else 0.0

    @property
    def seconds_left(self) -> float | None:
        """Estimate from the pace so far; None before anything is done."""
        if self.done <= 0 or self.total <= 0:
            return None
        return self.seconds * (self.total - self.done) / self.done


class Progress:
    """Handed to anything long; reports go to `listener`, `cancel()` and `hold()` may come from any thread."""

    def __init__(self, listener: Callable[[ProgressReport], None] | None = None) -> None:
        self._listener = listener
        self._cancelled = threading.Event()
        self._free = threading.Event()
        self._free.set()
        self._started = time.monotonic()
        self._done = 0
        self._total = 0
        self._message = ""

    def also(self, listener: Callable[[ProgressReport], None]) -> None:
        """Tell another one too."""
        first = self._listener

        def both(report: ProgressReport) -> None:
            if first is not None:
                first(report)
            listener(report)

        self._listener = both

    def begin(self, total: int, message: str) -> None:
        """Start a phase of `total` units."""
        self._started = time.monotonic()
        self._done, self._total, self._message = 0, total, message
        self._report()

    def advance(self, units: int = 1) -> None:
        """Count finished units.

        Raises:
            CancelledError: if `cancel` was called.
        """
        self._done += units
        self._report()
        self.check()

    def hold(self, on: bool) -> None:
        """Let the work wait at its next unit, or go on; from any thread."""
        if on:
            self._free.clear()
        else:
            self._free.set()

    def check(self) -> None:
        """Wait while held; raise CancelledError if `cancel` was called."""
        self._free.wait()
        if self._cancelled.is_set():
            raise CancelledError

    def cancel(self) -> None:
        """Ask the work to stop at its next unit."""
        self._cancelled.set()
        self._free.set()

    @property
    def cancelled(self) -> bool:
        """Whether `cancel` was called."""
        return self._cancelled.is_set()

    def _report(self) -> None:
        if self._listener is not None:
            self._listener(ProgressReport(self._done, self._total, self._message, time.monotonic() - self._started))
