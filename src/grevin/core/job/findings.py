"""Findings: what was met on a reel that the operator should know of, kept by the hundred thousand.

Verdicts on findings are those of `core.treatment.verdicts`: what a person says of a finding's place holds for the
repair too. A finding of a whole frame has no area; its verdict has that of the whole picture.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from grevin.core.picture.geometry import Area
from grevin.core.survey.findings import SurveyFinding
from grevin.core.treatment.verdicts import Verdicts, same_place

Order = Literal["first", "kind", "confidence", "verdict", "length", "size"]
NO_AREA: Area = (0, 0, 0, 0)

TABLES = """
CREATE TABLE IF NOT EXISTS found (id INTEGER PRIMARY KEY, reel INTEGER NOT NULL, origin TEXT NOT NULL,
  kind TEXT NOT NULL, first INTEGER NOT NULL, last INTEGER NOT NULL, x INTEGER NOT NULL, y INTEGER NOT NULL,
  width INTEGER NOT NULL, height INTEGER NOT NULL, confidence REAL NOT NULL, words TEXT NOT NULL,
  figures TEXT NOT NULL, UNIQUE (reel, origin, kind, first, last, x, y));
CREATE INDEX IF NOT EXISTS found_by_frame ON found(reel, first);
"""
_ORDERS: dict[Order, str] = {
    "first": "found.first, found.y", "kind": "found.kind, found.first", "confidence": "found.confidence, found.first",
    "verdict": "coalesce(said.word, 'undecided'), found.first", "length": "found.last - found.first, found.first",
    "size": "found.width * found.height, found.first",
}  # fmt: skip


_INSERT = (
    "INSERT OR IGNORE INTO found (reel, origin, kind, first, last, x, y, width, height, confidence, words, figures)"
    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)


@dataclass(frozen=True)
class Finding:
    """One thing that was found.

    Attributes:
        kind: id of the step that mends it, or a plain word such as "unreadable".
        first, last: frames it covers, both included.
        words: a sentence for people, "" where the figures say all.
        area: (x, y, width, height), `NO_AREA` for the whole picture.
        confidence: 0..1.
        figures: what speaks for it.
        id: its number in the job, 0 before it is kept.
        verdict: a person's word on it.
    """

    kind: str
    first: int
    last: int
    words: str = ""
    area: Area = NO_AREA
    confidence: float = 1.0
    figures: dict[str, float] = field(default_factory=dict)
    id: int = 0
    verdict: str = "undecided"


@dataclass(frozen=True)
class Wanted:
    """Which findings, and in which order.

    Attributes:
        kinds: of these kinds; all where empty.
        verdict: with this verdict; any where "".
        least_confidence: 0..1.
        frames: touching these frames; all where None.
        order: sorted by.
        falling: the other way round.
    """

    kinds: tuple[str, ...] = ()
    verdict: str = ""
    least_confidence: float = 0.0
    frames: range | None = None
    order: Order = "first"
    falling: bool = False


class FindingsTable:
    """The findings of one reel in an open database."""

    def __init__(self, database: sqlite3.Connection, reel: int) -> None:
        self._database = database
        self._reel = reel
        database.execute("CREATE TEMP TABLE IF NOT EXISTS said (id INTEGER PRIMARY KEY, word TEXT NOT NULL)")

    def put(self, origin: str, findings: Iterable[SurveyFinding], frames: range | None = None) -> None:
        """Replace what came from an origin, such as "survey"; with `frames` only what begins in them."""
        run = frames or range(1 << 62)
        with self._database:
            self._database.execute(
                "DELETE FROM found WHERE reel = ? AND origin = ? AND first >= ? AND first < ?",
                (self._reel, origin, run.start, run.stop),
            )
            self._database.executemany(
                _INSERT,
                (
                    (self._reel, origin, one.kind, one.first, one.last, *(one.area or NO_AREA), one.confidence, "",
                     json.dumps(one.data()["figures"]))
                    for one in findings
                ),
            )  # fmt: skip

    def add(self, origin: str, finding: Finding) -> bool:
        """Keep one more; False if it was known."""
        with self._database:
            cursor = self._database.execute(
                _INSERT,
                (
                    self._reel, origin, finding.kind, finding.first, finding.last, *finding.area, finding.confidence,
                    finding.words, json.dumps(finding.figures),
                ),
            )  # fmt: skip
        return cursor.rowcount > 0

    def replace(self, origin: str, findings: Iterable[Finding]) -> None:
        """Replace what came from an origin by findings with sentences."""
        self.forget(origin)
        for one in findings:
            self.add(origin, one)

    def forget(self, origin: str) -> bool:
        """Take away what came from an origin; whether there was anything."""
        with self._database:
            cursor = self._database.execute(
                "DELETE FROM found WHERE reel = ? AND origin = ?", (self._reel, origin)
            )  # fmt: skip
        return cursor.rowcount > 0

    def judge(self, verdicts: Verdicts) -> None:
        """Let queries know a person's words: each falls on the findings of its kind, frame and place."""
        self._database.execute("DELETE FROM said")
        self._database.execute(
            "CREATE TEMP TABLE IF NOT EXISTS words (kind TEXT, first INTEGER, x INTEGER, y INTEGER, width INTEGER,"
            " height INTEGER, word TEXT)"
        )
        self._database.execute("DELETE FROM words")
        said = ((one.step, one.frame, *one.area, one.word) for one in verdicts)
        self._database.executemany("INSERT INTO words VALUES (?, ?, ?, ?, ?, ?, ?)", said)
        near = self._database.execute(
            "SELECT found.id, found.x, found.y, found.width, found.height, words.x, words.y, words.width, words.height,"
            " words.word FROM words JOIN found ON found.reel = ? AND found.kind = words.kind"
            " AND found.first = words.first ORDER BY words.rowid",
            (self._reel,),
        )
        rows = [
            (id_, word)
            for id_, x, y, width, height, *area, word in near
            if not width or same_place((x, y, width, height), (area[0], area[1], area[2], area[3]))
        ]
        self._database.executemany("INSERT OR REPLACE INTO said VALUES (?, ?)", rows)
        self._database.commit()

    def ids(self, wanted: Wanted) -> list[int]:
        """Numbers of the findings that are wanted, in order; rows are fetched when they are looked at."""
        where, values = self._where(wanted)
        order = ", ".join(f"{part} DESC" if wanted.falling else part for part in _ORDERS[wanted.order].split(", "))
        if wanted.order == "verdict":  # a comma inside it
            order = f"coalesce(said.word, 'undecided') {'DESC' if wanted.falling else ''}, found.first"
        query = f"SELECT found.id FROM found LEFT JOIN said ON said.id = found.id WHERE {where} ORDER BY {order}"
        return [row[0] for row in self._database.execute(query, values)]

    def rows(self, ids: Sequence[int]) -> list[Finding]:
        """The findings with these numbers, in their order."""
        marks = ", ".join("?" * len(ids))
        rows = self._database.execute(
            "SELECT found.id, kind, first, last, words, x, y, width, height, confidence, figures,"
            " coalesce(said.word, 'undecided') FROM found LEFT JOIN said ON said.id = found.id"
            f" WHERE found.id IN ({marks})",
            tuple(ids),
        )
        found = {row[0]: _finding(row) for row in rows}
        return [found[id_] for id_ in ids if id_ in found]

    def kinds(self) -> dict[str, int]:
        """How many there are of each kind."""
        query = "SELECT kind, count(*) FROM found WHERE reel = ? GROUP BY kind ORDER BY kind"
        return {str(kind): int(count) for kind, count in self._database.execute(query, (self._reel,))}

    def spans(self, but: Collection[str], decided: bool) -> list[tuple[int, int]]:
        """First and last frame of every finding that is not of some kinds; only those with a verdict if asked."""
        query = "SELECT first, last FROM found LEFT JOIN said ON said.id = found.id WHERE reel = ?"
        query += f" AND kind NOT IN ({', '.join('?' * len(but))})" + (" AND word IS NOT NULL" if decided else "")
        rows = self._database.execute(query, (self._reel, *but))
        return [(int(first), int(last)) for first, last in rows]

    def at(self, frame: int, but: Collection[str]) -> list[str]:
        """Kinds of the findings that touch a frame, but for some."""
        query = "SELECT DISTINCT kind FROM found WHERE reel = ? AND first <= ? AND last >= ?"
        query += f" AND kind NOT IN ({', '.join('?' * len(but))}) ORDER BY kind"
        return [str(kind) for (kind,) in self._database.execute(query, (self._reel, frame, frame, *but))]

    def every(self, kind: str = "") -> list[Finding]:
        """All findings, or all of one kind, in the order of frames."""
        return self.rows(self.ids(Wanted(kinds=(kind,) if kind else ())))

    def _where(self, wanted: Wanted) -> tuple[str, list[object]]:
        parts: list[str] = ["found.reel = ?"]
        values: list[object] = [self._reel]
        if wanted.kinds:
            parts.append(f"found.kind IN ({', '.join('?' * len(wanted.kinds))})")
            values += wanted.kinds
        if wanted.verdict:
            parts.append("coalesce(said.word, 'undecided') = ?")
            values.append(wanted.verdict)
        if wanted.least_confidence > 0:
            parts.append("found.confidence >= ?")
            values.append(wanted.least_confidence)
        if wanted.frames is not None:
            parts.append("found.first < ? AND found.last >= ?")
            values += [wanted.frames.stop, wanted.frames.start]
        return " AND ".join(parts), values


def _finding(row: tuple[Any, ...]) -> Finding:
    id_, kind, first, last, words, x, y, width, height, confidence, figures, verdict = row
    return Finding(
        str(kind), int(first), int(last), str(words), (int(x), int(y), int(width), int(height)), float(confidence),
        json.loads(str(figures)), int(id_), str(verdict),
    )  # fmt: skip
