"""The job file: one SQLite database, every act one transaction, so that a kill loses nothing that was done.

docs/formats.md describes the tables. Documents inside are JSON with a schema version.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import asdict, astuple, fields
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pydantic

from grevin.core.errors import JobFileError, NoSpaceError
from grevin.core.intake.examination import Examination
from grevin.core.job import findings, measured
from grevin.core.job.document import JOB_FORMAT, JOB_VERSION, Job, migrated
from grevin.core.job.findings import FindingsTable
from grevin.core.job.older_files import bring_up_to_date, keep_checksums
from grevin.core.render.ledger import LedgerRow
from grevin.core.survey.findings import SurveyFinding
from grevin.core.treatment.verdicts import Verdict, Verdicts

APPLICATION_ID = 0x47525631  # "GRV1" in the SQLite header, so that `file` and we know what it is
LONGEST_HISTORY = 1000  # acts kept for undo
_VERDICT_ROWS = pydantic.TypeAdapter(list[Verdict])
_VERDICT_COLUMNS = "step, frame, x, y, width, height, word, source"

_SCHEMA = """
CREATE TABLE acts (id INTEGER PRIMARY KEY AUTOINCREMENT, label TEXT NOT NULL, done_at TEXT NOT NULL,
  document TEXT NOT NULL);
CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE runs (id INTEGER PRIMARY KEY, done_at TEXT NOT NULL, reel INTEGER NOT NULL, proof TEXT NOT NULL);
CREATE TABLE ledger (run INTEGER NOT NULL REFERENCES runs(id), frame INTEGER NOT NULL, place INTEGER NOT NULL,
  step TEXT NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
  pixels INTEGER NOT NULL, contrast REAL NOT NULL, confidence REAL NOT NULL, verdict TEXT NOT NULL,
  frames INTEGER NOT NULL DEFAULT 1, source TEXT NOT NULL DEFAULT '');
CREATE INDEX ledger_by_frame ON ledger(run, frame);
"""
_LATER_TABLES = """
CREATE TABLE IF NOT EXISTS indices (identity TEXT PRIMARY KEY, data BLOB NOT NULL);
CREATE TABLE IF NOT EXISTS examined (identity TEXT PRIMARY KEY, data TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS verdicts (id INTEGER PRIMARY KEY, act INTEGER NOT NULL, reel INTEGER NOT NULL,
  step TEXT NOT NULL, frame INTEGER NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL, width INTEGER NOT NULL,
  height INTEGER NOT NULL, word TEXT NOT NULL, source TEXT NOT NULL DEFAULT '');
CREATE INDEX IF NOT EXISTS verdicts_by_reel ON verdicts(reel, act);
CREATE TABLE IF NOT EXISTS checksums (run INTEGER NOT NULL REFERENCES runs(id), place INTEGER NOT NULL,
  checksum TEXT NOT NULL, PRIMARY KEY (run, place)) WITHOUT ROWID;
"""
_EVERY_TABLE = [
    statement.strip()
    for part in (_LATER_TABLES, findings.TABLES, measured.TABLES)
    for statement in part.split(";\n")
    if statement.strip()
]


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


class JobFile:
    """An open job file with its history."""

    def __init__(self, path: Path, database: sqlite3.Connection) -> None:
        self.path = path
        self._database = database
        self.document = self._load()

    @classmethod
    def create(cls, path: Path, document: Job) -> JobFile:
        """A new job file holding one document.

        Raises:
            JobFileError: if something of that name exists or cannot be made.
        """
        if path.exists():
            raise JobFileError(f"{path.name} exists already.", "Open it, or choose another name.")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            database = _connect(path)
            with database:
                database.execute(f"PRAGMA application_id = {APPLICATION_ID}")
                database.execute(f"PRAGMA user_version = {JOB_VERSION}")
                for statement in (*_SCHEMA.split(";\n"), *_EVERY_TABLE):
                    database.execute(statement)
                _insert_act(database, "New job", document)
        except (OSError, sqlite3.Error) as fault:
            raise JobFileError(f"{path} cannot be made ({fault}).", "Choose a folder you may write to.") from fault
        return cls(path, database)

    @classmethod
    def open(cls, path: Path) -> JobFile:
        """An existing job file, as it was after its last act.

        Raises:
            JobFileError: if it is missing, damaged, something else, or from a later version.
        """
        if not path.is_file():
            raise JobFileError(f"There is no job file {path}.", "Check its name.")
        try:
            database = _connect(path)
            application = database.execute("PRAGMA application_id").fetchone()[0]
            version = database.execute("PRAGMA user_version").fetchone()[0]
        except sqlite3.Error as fault:
            raise JobFileError(f"{path.name} is not a Grevin job ({fault}).", "Choose a .grevin file.") from fault
        if application != APPLICATION_ID or version > JOB_VERSION:
            database.close()
            reason = "is not a Grevin job" if application != APPLICATION_ID else f"has the later version {version}"
            raise JobFileError(f"{path.name} {reason}.", "Choose another file or use a newer Grevin.")
        try:
            if version < JOB_VERSION:
                bring_up_to_date(database, _EVERY_TABLE)
            return cls(path, database)
        except (sqlite3.Error, TypeError, KeyError, ValueError) as fault:
            database.close()
            raise JobFileError(f"{path.name} is damaged ({fault}).", "Go back to a copy of it.") from fault

    @contextmanager
    def _keeping(self) -> Iterator[None]:
        """One change of the file, or none.

        Raises:
            NoSpaceError: if it cannot be made; the file is as it was.
        """
        try:
            with self._database:
                yield
        except sqlite3.OperationalError as fault:
            raise NoSpaceError(
                f"{self.path.name} cannot be changed ({fault}); it is as it was before.",
                "Free some space on its disk, or wait for who holds it, then do it again.",
            ) from fault

    @contextmanager
    def _noting(self) -> Iterator[None]:
        """A change that nothing depends on: where it cannot be made it is found out again."""
        with suppress(sqlite3.OperationalError), self._database:
            yield

    def _load(self) -> Job:
        row = self._database.execute("SELECT document FROM acts WHERE id = ?", (self._current(),)).fetchone()
        return Job.model_validate(migrated(json.loads(row[0])))

    def _current(self) -> int:
        return int(self._database.execute("SELECT value FROM facts WHERE name = 'current_act'").fetchone()[0])

    def act(self, label: str, document: Job, reel: int = 0, verdicts: Iterable[Verdict] = ()) -> None:
        """Do something: store the new document and words on places of a reel; what was undone is gone for good."""
        with self._keeping():
            self._database.execute("DELETE FROM acts WHERE id > ?", (self._current(),))
            self._database.execute("DELETE FROM verdicts WHERE act > ?", (self._current(),))
            act = _insert_act(self._database, label, document)
            self._database.executemany(
                f"INSERT INTO verdicts (act, reel, {_VERDICT_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                ((act, reel, row.step, row.frame, *row.area, row.word, row.source) for row in verdicts),
            )
            self._database.execute("DELETE FROM acts WHERE id <= (SELECT max(id) FROM acts) - ?", (LONGEST_HISTORY,))
        self.document = document

    def verdicts(self, reel: int) -> list[Verdict]:
        """The words on places of the reel with that id, as far as they are not undone, oldest first."""
        rows = self._database.execute(
            f"SELECT {_VERDICT_COLUMNS} FROM verdicts WHERE reel = ? AND act <= ? ORDER BY id", (reel, self._current())
        ).fetchall()
        return [
            Verdict(step, frame, (x, y, width, height), word, source)
            for step, frame, x, y, width, height, word, source in rows
        ]

    def words_said(self, reel: int) -> tuple[int, int]:
        """Changes whenever `verdicts` would give others."""
        query = "SELECT count(*), coalesce(max(id), 0) FROM verdicts WHERE reel = ? AND act <= ?"
        count, last = self._database.execute(query, (reel, self._current())).fetchone()
        return int(count), int(last)

    def undo_label(self) -> str | None:
        """What undo would take back; None if there is nothing."""
        row = self._database.execute(
            "SELECT label FROM acts WHERE id = ? AND EXISTS (SELECT 1 FROM acts WHERE id < ?)", (self._current(),) * 2
        ).fetchone()
        return None if row is None else str(row[0])

    def redo_label(self) -> str | None:
        """What redo would do again; None if there is nothing."""
        row = self._neighbour(">", "min")
        return None if row is None else str(row[1])

    def undo(self) -> bool:
        """Go back one act; False at the beginning."""
        return self._go(self._neighbour("<", "max"))

    def redo(self) -> bool:
        """Go forward one act; False at the end."""
        return self._go(self._neighbour(">", "min"))

    def _neighbour(self, relation: str, pick: str) -> tuple[int, str] | None:
        query = f"SELECT id, label FROM acts WHERE id = (SELECT {pick}(id) FROM acts WHERE id {relation} ?)"
        row: tuple[int, str] | None = self._database.execute(query, (self._current(),)).fetchone()
        return row

    def _go(self, row: tuple[int, str] | None) -> bool:
        if row is None:
            return False
        with self._keeping():
            self._database.execute("UPDATE facts SET value = ? WHERE name = 'current_act'", (str(row[0]),))
        self.document = self._load()
        return True

    def fact(self, name: str, default: str = "") -> str:
        """A remembered fact of looking, such as the current frame (not covered by undo)."""
        row = self._database.execute("SELECT value FROM facts WHERE name = ?", (f"look.{name}",)).fetchone()
        return default if row is None else str(row[0])

    def remember(self, name: str, value: str) -> None:
        """Remember a fact of looking."""
        with self._noting():
            self._database.execute("INSERT OR REPLACE INTO facts VALUES (?, ?)", (f"look.{name}", value))

    def add_run(self, reel: int, proof: dict[str, Any], rows: Iterable[LedgerRow]) -> None:
        """Record a finished output with its proof and ledger."""
        names = ", ".join(column.name for column in fields(LedgerRow))
        marks = ", ".join("?" * len(fields(LedgerRow)))
        with self._keeping():
            kept = {name: value for name, value in proof.items() if name != "checksums"}
            cursor = self._database.execute(
                "INSERT INTO runs (done_at, reel, proof) VALUES (?, ?, ?)", (_now(), reel, json.dumps(kept))
            )
            keep_checksums(self._database, int(cursor.lastrowid or 0), proof.get("checksums", []))
            self._database.executemany(
                f"INSERT INTO ledger (run, {names}) VALUES (?, {marks})",
                ((cursor.lastrowid, *astuple(row)) for row in rows),
            )

    @classmethod
    def record_run(cls, path: Path, reel: int, proof: dict[str, Any], rows: Iterable[LedgerRow]) -> None:
        """Record a finished output over a connection of its own, from any thread."""
        with closing(cls.open(path)) as job:
            job.add_run(reel, proof, rows)

    def runs(self) -> list[tuple[str, dict[str, Any]]]:
        """(time, proof) of all finished outputs, newest first; without the checksums of their frames."""
        rows = self._database.execute("SELECT done_at, proof FROM runs ORDER BY id DESC").fetchall()
        return [(str(done_at), json.loads(proof)) for done_at, proof in rows]

    def run_reels(self) -> list[int]:
        """Of which reel each finished output is, newest first."""
        return [int(row[0]) for row in self._database.execute("SELECT reel FROM runs ORDER BY id DESC")]

    def checksums(self, place: int = 0) -> list[str]:
        """The checksums of the frames of a finished output, in order; 0 is the newest one."""
        newest = "SELECT id FROM runs ORDER BY id DESC LIMIT 1 OFFSET ?"
        query = f"SELECT checksum FROM checksums WHERE run = ({newest}) ORDER BY place"
        return [str(row[0]) for row in self._database.execute(query, (place,))]

    def ledger(self, place: int = 0) -> Iterator[LedgerRow]:
        """The ledger of a finished output, in order; 0 is the newest one."""
        names = ", ".join(column.name for column in fields(LedgerRow))
        newest = "SELECT id FROM runs ORDER BY id DESC LIMIT 1 OFFSET ?"
        query = f"SELECT {names} FROM ledger WHERE run = ({newest}) ORDER BY rowid"
        return (LedgerRow(*row) for row in self._database.execute(query, (place,)))

    def load(self, identity: str) -> bytes | None:
        """A stored frame index (`media.frame_index.IndexStore`)."""
        row = self._database.execute("SELECT data FROM indices WHERE identity = ?", (identity,)).fetchone()
        return None if row is None else bytes(row[0])

    def save(self, identity: str, data: bytes) -> None:
        """Keep a frame index."""
        with self._noting():
            self._database.execute("INSERT OR REPLACE INTO indices VALUES (?, ?)", (identity, data))

    def examination(self, identity: str) -> Examination | None:
        """What was measured of a reel when it was taken in, None if it was not, or by older rules."""
        row = self._database.execute("SELECT data FROM examined WHERE identity = ?", (identity,)).fetchone()
        try:
            return None if row is None else Examination.model_validate_json(row[0])
        except pydantic.ValidationError:
            return None

    def keep_examination(self, identity: str, examined: Examination) -> None:
        """Keep what was measured of a reel."""
        with self._noting():
            self._database.execute(
                "INSERT OR REPLACE INTO examined VALUES (?, ?)", (identity, examined.model_dump_json())
            )

    @classmethod
    def put_findings(
        cls, path: Path, reel: int, origin: str, found: Iterable[SurveyFinding], frames: range | None = None
    ) -> None:  # fmt: skip
        """Replace the findings of an origin over a connection of its own, from any thread."""
        with closing(cls.open(path)) as job:
            job.findings(reel).put(origin, found, frames)

    def findings(self, reel: int) -> FindingsTable:
        """The findings of the reel with that id."""
        return FindingsTable(self._database, reel)

    def save_copy(self, path: Path) -> None:
        """Write a complete copy, history included.

        Raises:
            JobFileError: if it cannot be written there or exists.
        """
        if path.exists():
            raise JobFileError(f"{path.name} exists already.", "Choose another name.")
        aside = path.with_name(f".{path.name}.part")
        try:
            with closing(sqlite3.connect(aside)) as target:
                self._database.backup(target)
            aside.replace(path)
        except (OSError, sqlite3.Error) as fault:
            aside.unlink(missing_ok=True)
            raise JobFileError(f"{path} cannot be written ({fault}).", "Choose another folder.") from fault

    def close(self) -> None:
        """Close the database."""
        self._database.close()


def _connect(path: Path) -> sqlite3.Connection:
    database = sqlite3.connect(path, check_same_thread=True)
    database.execute("PRAGMA journal_mode = WAL")
    database.execute("PRAGMA synchronous = NORMAL")  # safe against a kill; costs no wait per act
    return database


def _insert_act(database: sqlite3.Connection, label: str, document: Job) -> int:
    cursor = database.execute(
        "INSERT INTO acts (label, done_at, document) VALUES (?, ?, ?)", (label, _now(), document.model_dump_json())
    )
    database.execute("INSERT OR REPLACE INTO facts VALUES ('current_act', ?)", (str(cursor.lastrowid),))
    return int(cursor.lastrowid or 0)


def export_job(path: Path) -> dict[str, Any]:
    """The current document of a job file as plain data."""
    with closing(JobFile.open(path)) as job:
        words = {str(reel.id): [asdict(row) for row in Verdicts(job.verdicts(reel.id))] for reel in job.document.reels}
        verdicts = {reel: rows for reel, rows in words.items() if rows}
        return {**job.document.model_dump(mode="json"), **({"verdicts": verdicts} if verdicts else {})}


def import_job(data: Any, path: Path) -> None:
    """A new job file from plain data.

    Raises:
        JobFileError: if the data is no job, or the file exists.
    """
    known = range(1, JOB_VERSION + 1)
    if not isinstance(data, dict) or data.get("format") != JOB_FORMAT or data.get("version") not in known:
        raise JobFileError("This is not an exported Grevin job.", f'It must hold "format": "{JOB_FORMAT}".')
    words = data.get("verdicts", {})
    try:
        document = Job.model_validate(migrated({name: value for name, value in data.items() if name != "verdicts"}))
        verdicts = {int(reel): _VERDICT_ROWS.validate_python(rows) for reel, rows in words.items()}
    except pydantic.ValidationError as fault:
        first = fault.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise JobFileError(f"The job data is wrong at {where}: {first['msg']}.", "Correct it and try again.") from fault
    with closing(JobFile.create(path, document)) as job:
        for reel, rows in verdicts.items():
            job.act("Take verdicts over", document, reel, rows)
