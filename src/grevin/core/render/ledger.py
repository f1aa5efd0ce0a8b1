"""The ledger: one row for every mend, one for every shot that was changed as a whole."""

from __future__ import annotations

import csv
import io
import json
import tempfile
import weakref
from collections.abc import Iterable, Iterator
from dataclasses import asdict, astuple, dataclass, fields, replace
from math import sqrt
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pydantic

from grevin.core.errors import UsageError
from grevin.core.media.writing import translated
from grevin.core.picture.frame import Mask
from grevin.core.steps.evidence import Blob
from grevin.core.steps.registry import sources_of
from grevin.core.treatment.step_source import Acted, StepSource
from grevin.core.treatment.verdicts import Verdict, Verdicts, Word

_VERDICT = pydantic.TypeAdapter(Verdict)
LEDGER_FORMAT, LEDGER_VERSION = "grevin-ledger", 1
SPOOL_BYTES = 8 << 20  # rows of short runs never reach the disk


@dataclass(frozen=True)
class LedgerRow:
    """One mend.

    Attributes:
        frame: number in the reel, from 0.
        step: id of the step; `place` its position in the treatment, from 1.
        x, y, width, height: area in pixels.
        pixels: size of what was found.
        contrast: 8-bit levels, positive brighter than the neighbours; of whole pictures the rms by which they changed.
        confidence: 0..1.
        verdict: "mend" for what was mended, "leave" for what a person had left alone; "undecided" for what was done to
            whole pictures, of which no single place can be judged.
        frames: how many frames the row is about: more than one for what was done to whole pictures of a shot.
        source: from which of the step's sources a person had the place mended; "" for the step's own choice.
    """

    frame: int
    place: int
    step: str
    x: int
    y: int
    width: int
    height: int
    pixels: int
    contrast: float
    confidence: float
    verdict: Word = "mend"
    frames: int = 1
    source: str = ""


class LedgerSpool:
    """Rows of a run, kept on disk until they are wanted, so that memory does not grow with the reel."""

    def __init__(self) -> None:
        self._file = tempfile.SpooledTemporaryFile(SPOOL_BYTES, "w+", encoding="utf-8")  # noqa: SIM115 - see close
        weakref.finalize(self, self._file.close)
        self._count = 0

    def __len__(self) -> int:
        return self._count

    def add(self, rows: Iterable[LedgerRow]) -> None:
        """Add rows at the end."""
        for row in rows:
            self._file.write(json.dumps(astuple(row)) + "\n")
            self._count += 1

    def __iter__(self) -> Iterator[LedgerRow]:
        self._file.flush()
        self._file.seek(0)
        for line in self._file:
            yield LedgerRow(*json.loads(line))

    def close(self) -> None:
        """Give the disk space back."""
        self._file.close()


Steps = Iterable[tuple[int, StepSource, Acted]]  # place on the path, step, what it did


def ledger_rows(frame: int, steps: Steps) -> list[LedgerRow]:
    """The mends of one frame of the reel, and what was left alone on a person's word."""
    rows: list[LedgerRow] = []
    for place, source, acted in steps:
        if acted.made and acted.mask is not None:
            rows.append(_row_of(frame, place, source.step.id, acted.mask, "mend", 0.0))
        words: tuple[tuple[Word, tuple[Blob, ...]], ...] = (("mend", acted.mended), ("leave", acted.left))
        rows.extend(
            LedgerRow(frame, place, source.step.id, *b.area, b.pixels, b.contrast, b.confidence, word, 1, b.source)
            for word, blobs in words
            for b in blobs
        )
    return rows


class WholeRows:
    """One row for each shot in which a step changed whole pictures."""

    def __init__(self) -> None:
        self._open: dict[tuple[int, str], tuple[LedgerRow, list[float]]] = {}

    def add(self, frame: int, steps: Steps, begins: bool) -> list[LedgerRow]:
        """One more frame of the reel; gives the rows of the shot that ended before it."""
        ended = self.finish() if begins else []
        for place, source, acted in steps:
            if acted.whole_levels is None or acted.mask is None:
                continue
            row = _row_of(frame, place, source.step.id, acted.mask, "undecided", 0.0)
            self._open.setdefault((place, source.step.id), (row, []))[1].append(acted.whole_levels)
        return ended

    def finish(self) -> list[LedgerRow]:
        """The rows that are still open."""
        rows = [
            replace(row, frames=len(levels), contrast=sqrt(sum(level**2 for level in levels) / len(levels)))
            for row, levels in self._open.values()
        ]
        self._open = {}
        return rows


def _row_of(frame: int, place: int, step: str, where: Mask, verdict: Word, contrast: float) -> LedgerRow:
    """A row for a picture that was made anew, or changed as a whole: it stays on record for good."""
    x, y, width, height = cv2.boundingRect(where.view(np.uint8))
    pixels = int(np.count_nonzero(where))
    return LedgerRow(frame, place, step, x, y, width, height, pixels, contrast, 1.0, verdict)


def verdicts_from_ledger(path: Path) -> Verdicts:
    """The verdicts in a ledger that a person has looked through.

    Raises:
        UsageError: if it cannot be read or is no ledger; with the row.
    """
    check_ledger_path(path)
    try:
        text = path.read_text(encoding="utf-8-sig")
        data = (
            list(csv.DictReader(io.StringIO(text))) if path.suffix.lower() == ".csv" else list(json.loads(text)["rows"])
        )
    except OSError as fault:
        raise UsageError(f"The ledger {path} cannot be read ({fault.strerror}).", "Check its name.") from fault
    except (ValueError, KeyError, TypeError, csv.Error, RecursionError) as fault:
        raise UsageError(f"{path.name} is not a ledger ({fault}).", "Give a ledger that Grevin wrote.") from fault
    return Verdicts(_verdict(row, place, path.name) for place, row in enumerate(data, 1))


def _verdict(row: Any, place: int, name: str) -> Verdict:
    try:
        area = tuple(int(row[column]) for column in ("x", "y", "width", "height"))
        return _VERDICT.validate_python(
            {
                "step": row["step"], "frame": int(row["frame"]), "area": area, "word": row["verdict"],
                "source": _source(row),
            }
        )  # fmt: skip
    except (KeyError, TypeError, ValueError) as fault:
        raise UsageError(
            f"Row {place} of {name} is not a ledger's row ({_reason(fault)}).",
            "It needs step, frame, x, y, width, height and a verdict of mend, leave or undecided.",
        ) from fault


def _source(row: Any) -> str:
    """From where a place is to be mended; ledgers that were written before places had sources have no column."""
    source, known = str(row.get("source") or ""), sources_of(str(row["step"]))
    if source and source not in known:
        told = f"one of {', '.join(known)}, or nothing" if known else "nothing"
        raise ValueError(f"“{source}” is no source of {row['step']}: it takes {told}")
    return source


def _reason(fault: Exception) -> str:
    if isinstance(fault, pydantic.ValidationError):
        return str(fault.errors()[0]["msg"])
    return f"no {fault}" if isinstance(fault, KeyError) else str(fault)


def check_ledger_path(path: Path) -> None:
    """Refuse an ending that is no ledger's.

    Raises:
        UsageError: unless it is .csv or .json.
    """
    if path.suffix.lower() not in {".csv", ".json"}:
        raise UsageError(f"“{path.name}” is no name for a ledger.", "Use an ending of .csv or .json.")


def write_ledger(path: Path, rows: Iterable[LedgerRow]) -> None:
    """Write rows as CSV or JSON, by the ending; aside first."""
    check_ledger_path(path)
    aside = path.with_name(f".{path.name}.part")
    with translated(path):
        path.parent.mkdir(parents=True, exist_ok=True)
        with aside.open("w", newline="", encoding="utf-8") as stream:
            if path.suffix.lower() == ".csv":
                writer = csv.DictWriter(stream, [column.name for column in fields(LedgerRow)])
                writer.writeheader()
                writer.writerows(asdict(row) for row in rows)
            else:
                stream.write(f'{{"format": "{LEDGER_FORMAT}", "version": {LEDGER_VERSION}, "rows": [')
                for place, row in enumerate(rows):
                    stream.write(("," if place else "") + "\n" + json.dumps(asdict(row)))
                stream.write("\n]}\n")
        aside.replace(path)
