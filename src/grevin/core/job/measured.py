"""What was measured of a reel, in a database.

Rows of a survey, so that a pass goes on where it was stopped (`survey.survey.MeasuredStore`), and what time steps
learned (`treatment.window.Studies`).
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, suppress
from pathlib import Path

import numpy as np

from grevin.core.survey.measures.base import SPOT
from grevin.core.survey.rows import Row

TABLES = """
CREATE TABLE IF NOT EXISTS measured (key TEXT NOT NULL, frame INTEGER NOT NULL, cut INTEGER NOT NULL,
  fault TEXT NOT NULL, curves BLOB NOT NULL, spots BLOB NOT NULL, PRIMARY KEY (key, frame)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS studied (key TEXT PRIMARY KEY, data BLOB NOT NULL);
"""


class MeasuredFile:
    """Two tables of a database file, over a connection for each act, so that any thread may use it.

    What cannot be read or kept (the file is held, damaged, its disk full) is measured or learned again.
    """

    def __init__(self, path: Path) -> None:
        self._path = path

    def _connect(self) -> sqlite3.Connection:
        self._path.parent.mkdir(parents=True, exist_ok=True)
        database = sqlite3.connect(self._path)
        database.execute("PRAGMA synchronous = NORMAL")
        database.executescript(TABLES)
        return database

    def measured(self, key: str) -> Iterator[Row]:
        """The rows kept under a key, in the order of frames."""
        with suppress(sqlite3.DatabaseError), closing(self._connect()) as database:
            query = "SELECT frame, cut, fault, curves, spots FROM measured WHERE key = ? ORDER BY frame"
            for frame, cut, fault, curves, spots in database.execute(query, (key,)):
                yield Row(frame, np.frombuffer(curves, np.float32), bool(cut), fault, np.frombuffer(spots, SPOT))

    def keep_measured(self, key: str, rows: list[Row]) -> None:
        """Keep more rows; where there is no room they are measured again."""
        with suppress(sqlite3.DatabaseError), closing(self._connect()) as database, database:
            database.executemany(
                "INSERT OR REPLACE INTO measured VALUES (?, ?, ?, ?, ?, ?)",
                (
                    (key, row.frame, int(row.cut), row.fault, row.values.tobytes(), row.spots.tobytes())
                    for row in rows
                ),
            )  # fmt: skip

    def count(self, key: str) -> int:
        """How many frames are kept under a key."""
        with suppress(sqlite3.DatabaseError), closing(self._connect()) as database:
            return int(database.execute("SELECT count(*) FROM measured WHERE key = ?", (key,)).fetchone()[0])
        return 0

    def study(self, key: str) -> bytes | None:
        """What a time step learned, None where it did not yet."""
        row = None
        with suppress(sqlite3.DatabaseError), closing(self._connect()) as database:
            row = database.execute("SELECT data FROM studied WHERE key = ?", (key,)).fetchone()
        return None if row is None else bytes(row[0])

    def keep_study(self, key: str, data: bytes) -> None:
        """Keep what a time step learned; where there is no room it is learned again."""
        with suppress(sqlite3.DatabaseError), closing(self._connect()) as database, database:
            database.execute("INSERT OR REPLACE INTO studied VALUES (?, ?)", (key, data))
