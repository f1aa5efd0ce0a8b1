"""The queue: orders of any jobs, worked off one after the other by whoever works: a window, a command, several.

It outlives every kill: an order whose worker is gone waits again, and finds the frames that were made before.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import platformdirs

from grevin.core.errors import GrevinError, JobFileError, NoSpaceError
from grevin.core.job.orders import Order
from grevin.core.progress import Progress, ProgressReport

State = Literal["waiting", "running", "held", "done", "failed"]
PATIENCE_S = 10.0  # for another process to finish its change
BEGAN = 19  # field of /proc/N/stat behind the name: ticks since the machine began (proc(5), starttime)
TELL_S = 1.0  # how often it is told how far an order is

_TABLE = """
CREATE TABLE IF NOT EXISTS orders (id INTEGER PRIMARY KEY AUTOINCREMENT, place REAL NOT NULL, state TEXT NOT NULL,
  worker TEXT NOT NULL DEFAULT '', done INTEGER NOT NULL DEFAULT 0, total INTEGER NOT NULL DEFAULT 0,
  words TEXT NOT NULL DEFAULT '', data TEXT NOT NULL)
"""


@dataclass(frozen=True)
class Queued:
    """An order in the queue.

    Attributes:
        id: its number, never used again.
        state: waiting, running, held (it waits for a person), done or failed.
        done, total: frames, as far as was told.
        words: why it failed, or its proof in words.
        data: the order as it was kept.
    """

    id: int
    state: State
    done: int
    total: int
    words: str
    data: str

    @property
    def order(self) -> Order:
        """What is to be written.

        Raises:
            UsageError: if a later version of Grevin ordered it.
        """
        return Order.read(self.data)


def user_queue() -> Queue:
    """The queue of the person who is logged in."""
    return Queue(Path(platformdirs.user_data_dir("grevin")) / "queue.sqlite")


class Queue:
    """A table of a database file, over a connection for each act, so that threads and processes may share it."""

    def __init__(self, path: Path) -> None:
        self._path = path

    @contextmanager
    def _changing(self) -> Iterator[sqlite3.Connection]:
        """One change of the queue, or none.

        Raises:
            NoSpaceError: if it cannot be made; the queue is as it was.
            JobFileError: if the file is none of a queue.
        """
        try:
            with self._opened() as database:
                yield database
        except (sqlite3.OperationalError, OSError) as fault:
            raise NoSpaceError(
                f"The queue {self._path} cannot be changed ({fault}); it is as it was before.",
                "Free some space on its disk, or wait for who holds it, then do it again.",
            ) from fault
        except sqlite3.DatabaseError as fault:
            raise JobFileError(
                f"The queue {self._path} is damaged ({fault}).",
                "Move the file away and order again what had not been written; jobs and outputs are not touched by it.",
            ) from fault

    @contextmanager
    def _opened(self) -> Iterator[sqlite3.Connection]:
        self._path.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(self._path, timeout=PATIENCE_S, isolation_level=None)) as database:
            database.execute("BEGIN IMMEDIATE")
            try:
                database.execute(_TABLE)
                yield database
            except BaseException:
                with suppress(sqlite3.Error):  # what led here is told
                    database.execute("ROLLBACK")
                raise
            database.execute("COMMIT")

    def add(self, order: Order) -> int:
        """Put an order at the end; its number."""
        return self.add_all([order])[0]

    def add_all(self, orders: Sequence[Order]) -> list[int]:
        """Put orders at the end, in one change; their numbers."""
        with self._changing() as database:
            last = database.execute("SELECT coalesce(max(place), 0) FROM orders").fetchone()[0]
            insert = "INSERT INTO orders (place, state, data) VALUES (?, 'waiting', ?)"
            rows = [(last + place, order.model_dump_json()) for place, order in enumerate(orders, 1)]
            return [int(database.execute(insert, row).lastrowid or 0) for row in rows]

    def orders(self) -> list[Queued]:
        """All of them, in the order in which they are worked off."""
        if not self._path.exists():
            return []
        with self._changing() as database:
            _wake(database)
            return [Queued(*row) for row in database.execute(f"SELECT {_COLUMNS} FROM orders ORDER BY place")]

    def take(self, number: int | None = None) -> Queued | None:
        """The next order that waits, or that of a number if it waits; it is running then. None where there is none."""
        if not self._path.exists():
            return None
        with self._changing() as database:
            _wake(database)
            which = "" if number is None else f" AND id = {int(number)}"
            query = f"SELECT {_COLUMNS} FROM orders WHERE state = 'waiting'{which} ORDER BY place LIMIT 1"
            row = database.execute(query).fetchone()
            if row is None:
                return None
            database.execute(
                "UPDATE orders SET state = 'running', worker = ? WHERE id = ?", (_process(str(os.getpid())), row[0])
            )
            return Queued(*row)

    def tell(self, number: int, done: int, total: int) -> None:
        """How far an order is; where that cannot be noted the work goes on all the same."""
        with suppress(GrevinError), self._changing() as database:
            database.execute("UPDATE orders SET done = ?, total = ? WHERE id = ?", (done, total, number))

    def follow(self, number: int, progress: Progress) -> None:
        """Tell now and then how far an order is, from what its progress reports."""
        last = [0.0]

        def tell(report: ProgressReport) -> None:
            if report.done == 0 or report.seconds - last[0] > TELL_S or report.done == report.total:
                last[0] = report.seconds
                self.tell(number, report.done, report.total)

        progress.also(tell)

    def put(self, number: int, state: State, words: str = "") -> None:
        """An order is done, failed, held, or waits again."""
        with self._changing() as database:
            database.execute("UPDATE orders SET state = ?, worker = '', words = ? WHERE id = ?", (state, words, number))

    def release(self, number: int) -> None:
        """An order that was stopped waits again; one that is done stays so."""
        with self._changing() as database:
            query = "UPDATE orders SET state = 'waiting', worker = '' WHERE id = ? AND state = 'running'"
            database.execute(query, (number,))

    def first(self, number: int) -> None:
        """Work an order off before all others."""
        with self._changing() as database:
            least = database.execute("SELECT min(place) FROM orders").fetchone()[0]
            database.execute("UPDATE orders SET place = ? WHERE id = ?", ((least or 0) - 1, number))

    def remove(self, *numbers: int) -> None:
        """Forget orders; what was written stays."""
        with self._changing() as database:
            database.executemany("DELETE FROM orders WHERE id = ?", ((number,) for number in numbers))


_COLUMNS = "id, state, done, total, words, data"


def _wake(database: sqlite3.Connection) -> None:
    """What was running in a process that is gone waits again."""
    running = database.execute("SELECT id, worker FROM orders WHERE state = 'running'").fetchall()
    for number, worker in running:
        if not worker or worker != _process(worker.split("/")[0]):
            database.execute("UPDATE orders SET state = 'waiting', worker = '' WHERE id = ?", (number,))


def _process(number: str) -> str:
    """A process by its number and when it began, "" if it is gone: after a restart another one may bear its number."""
    try:
        facts = Path(f"/proc/{number}/stat").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return ""
    return f"{number}/{facts.rsplit(')', 1)[1].split()[BEGAN]}"
