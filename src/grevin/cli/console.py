"""The only place that prints: results on stdout, progress and faults on stderr."""

from __future__ import annotations

import json
import logging
import signal
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import Any

import platformdirs
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskID, TextColumn, TimeRemainingColumn
from rich.table import Table

from grevin.core.errors import ExitStatus, GrevinError
from grevin.core.progress import Progress as WorkProgress
from grevin.core.progress import ProgressReport
from grevin.core.render.proof import Proof

PLAIN_SECONDS = 5.0  # between two lines where there is no terminal

_errors = Console(stderr=True, highlight=False, soft_wrap=True)
_results = Console(highlight=False, soft_wrap=True)


def say(text: str) -> None:
    """A line of result for people."""
    _results.print(text, markup=False)


def note(text: str) -> None:
    """A line that is not the result."""
    _errors.print(text, markup=False)


def say_json(data: Any) -> None:
    """The result for machines: JSON alone on stdout."""
    print(json.dumps(data, indent=1, ensure_ascii=False))


def say_table(table: Table) -> None:
    """A table, as wide as it needs to be where stdout is no terminal."""
    console = _results if sys.stdout.isatty() else Console(highlight=False, width=200)
    console.print(table)


class _Lines:
    """Progress as plain lines, now and then; work of less than a second says nothing."""

    def __init__(self) -> None:
        self._said_at = 0.0

    def __call__(self, report: ProgressReport) -> None:
        now = time.monotonic()
        finished = report.total > 0 and report.done == report.total
        if report.seconds >= 1.0 and (finished or now - self._said_at >= PLAIN_SECONDS):
            total = f"/{report.total}" if report.total else ""
            note(f"{report.message}: {report.done}{total}")
            self._said_at = now


class _Bars:
    """Progress as bars on a terminal."""

    def __init__(self, bars: Progress) -> None:
        self._bars = bars
        self._task: TaskID | None = None
        self._message = ""

    def __call__(self, report: ProgressReport) -> None:
        if self._task is None or report.message != self._message:
            self._task = self._bars.add_task(report.message, total=report.total or None)
            self._message = report.message
        self._bars.update(self._task, completed=report.done)


@contextmanager
def progress() -> Iterator[WorkProgress]:
    """Progress shown to whoever looks; an interrupt from the keyboard cancels the work properly."""
    if _errors.is_terminal:
        columns = (
            TextColumn("{task.description}"),
            BarColumn(),
            TextColumn("{task.completed}/{task.total}"),
            TimeRemainingColumn(),
        )
        with (
            Progress(*columns, console=_errors, transient=True) as bars,
            _cancelled_by_interrupt(WorkProgress(_Bars(bars))) as work,
        ):
            yield work
    else:
        with _cancelled_by_interrupt(WorkProgress(_Lines())) as work:
            yield work


@contextmanager
def _cancelled_by_interrupt(work: WorkProgress) -> Iterator[WorkProgress]:
    def cancel(_number: int, _frame: FrameType | None) -> None:
        work.cancel()

    before = {number: signal.signal(number, cancel) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield work
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def say_proof(proof: Proof, output: Path, as_json: bool) -> None:
    """What was shown about an output."""
    if as_json:
        say_json(proof.data())
        return
    say(f"{output}: {proof.sentence()}")
    for line in proof.notes:
        say(line)


def log_path() -> Path:
    """Where faults of our own are written down."""
    return Path(platformdirs.user_log_dir("grevin")) / "grevin.log"


def report_fault(fault: BaseException) -> ExitStatus:
    """Say what went wrong; faults that nobody foresaw go to the log with all details."""
    if isinstance(fault, GrevinError):
        note(f"{fault.what} {fault.hint}")
        return fault.exit_status
    if isinstance(fault, KeyboardInterrupt):
        note("Cancelled.")
        return ExitStatus.CANCELLED
    path = log_path()
    path.parent.mkdir(parents=True, exist_ok=True)
    logging.basicConfig(filename=path, format="%(asctime)s %(levelname)s %(message)s")
    logging.getLogger("grevin").error("unexpected fault", exc_info=fault)
    note(f"Internal error ({type(fault).__name__}: {fault}); the details are in {path}.")
    return ExitStatus.FAULT
