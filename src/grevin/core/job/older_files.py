"""Job files of earlier versions, brought up to date when they are opened."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable

from grevin.core.job.document import JOB_VERSION


def bring_up_to_date(database: sqlite3.Connection, tables: Iterable[str]) -> None:
    """Make an older file one of the present version.

    Args:
        database: of the file.
        tables: statements that make every table that is missing.
    """
    with database:
        for statement in tables:
            database.execute(statement)
        old = database.execute("SELECT 1 FROM sqlite_master WHERE name = 'findings'").fetchone()
        if old:  # before version 4 findings had neither places nor figures
            database.execute(
                "INSERT OR IGNORE INTO found (reel, origin, kind, first, last, x, y, width, height, confidence, words,"
                " figures) SELECT reel, 'looking', kind, first, last, 0, 0, 0, 0, 1.0, words, '{}' FROM findings"
            )
            database.execute("DROP TABLE findings")
        # before version 6 nothing was done to whole pictures, before version 7 no source could be chosen
        _add_column(database, "ledger", "frames", "INTEGER NOT NULL DEFAULT 1")
        _add_column(database, "ledger", "source", "TEXT NOT NULL DEFAULT ''")
        _add_column(database, "verdicts", "source", "TEXT NOT NULL DEFAULT ''")
        for run, text in database.execute("SELECT id, proof FROM runs").fetchall():
            proof = json.loads(text)
            if "checksums" in proof:  # before version 5 they were parsed whenever a job was opened
                keep_checksums(database, run, proof.pop("checksums"))
                database.execute("UPDATE runs SET proof = ? WHERE id = ?", (json.dumps(proof), run))
        database.execute(f"PRAGMA user_version = {JOB_VERSION}")


def _add_column(database: sqlite3.Connection, table: str, column: str, kind: str) -> None:
    """Unless it is there."""
    if column not in {row[1] for row in database.execute(f"PRAGMA table_info({table})")}:
        database.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")


def keep_checksums(database: sqlite3.Connection, run: int, checksums: Iterable[str]) -> None:
    """Store the checksum of every frame of a run."""
    rows = ((run, place, checksum) for place, checksum in enumerate(checksums))
    database.executemany("INSERT OR REPLACE INTO checksums VALUES (?, ?, ?)", rows)
