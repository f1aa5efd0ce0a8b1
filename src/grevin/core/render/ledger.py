"""The ledger: one row for every mend."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass, fields
from pathlib import Path

from grevin.core.errors import UsageError
from grevin.core.media.writing import translated
from grevin.core.treatment.chain import Chain

LEDGER_FORMAT, LEDGER_VERSION = "grevin-ledger", 1


@dataclass(frozen=True)
class LedgerRow:
    """One mend.

    Attributes:
        frame: number in the reel, from 0.
        step: id of the step; `place` its position in the treatment, from 1.
        x, y, width, height: area in pixels.
        pixels: size of what was found.
        contrast: 8-bit levels, positive brighter than the neighbours.
        confidence: 0..1.
        verdict: mend, leave or undecided.
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
    verdict: str = "mend"


def ledger_rows(chain: Chain, number: int) -> list[LedgerRow]:
    """The mends of one frame."""
    rows: list[LedgerRow] = []
    for place, source in enumerate(chain.steps, 1):
        evidence = source.evidence(number)
        found = evidence.blobs if evidence is not None else ()
        rows.extend(
            LedgerRow(number, place, source.step.id, *b.area, b.pixels, b.contrast, b.confidence) for b in found
        )
    return rows


def check_ledger_path(path: Path) -> None:
    """Refuse an ending that is no ledger's.

    Raises:
        UsageError: unless it is .csv or .json.
    """
    if path.suffix.lower() not in {".csv", ".json"}:
        raise UsageError(f"A ledger cannot be written as “{path.name}”.", "Use an ending of .csv or .json.")


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
                data = {"format": LEDGER_FORMAT, "version": LEDGER_VERSION, "rows": [asdict(row) for row in rows]}
                json.dump(data, stream, indent=1)
        aside.replace(path)
