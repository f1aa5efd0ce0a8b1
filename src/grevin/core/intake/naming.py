"""Naming reels by a pattern with running numbers, such as PE-{year}-{reel:03}."""

from __future__ import annotations

import string
from datetime import UTC, datetime
from pathlib import Path

from grevin.core.errors import UsageError

FIELDS = ("reel", "year", "file", "gauge")
EXAMPLE = "PE-{year}-{reel:03}"


def names_by_pattern(
    pattern: str, files: list[Path], gauges: list[str | None], first: int = 1, year: int | None = None
) -> list[str]:
    """Names for reels, in order.

    Args:
        pattern: text with `{reel}` (running number, `{reel:03}` with three digits), `{year}`, `{file}` (name of the
            file without its ending) and `{gauge}`.
        files: path of each reel.
        gauges: gauge of each reel, None where none is declared.
        first: number of the first reel.
        year: what `{year}` stands for; this year by default.

    Raises:
        UsageError: if the pattern cannot be filled in, or gives two reels the same name.
    """
    used = _fields(pattern)
    if len(files) > 1 and not used & {"reel", "file"}:
        raise UsageError(f"The pattern “{pattern}” gives all reels the same name.", f"Use {{reel}}, as in {EXAMPLE}.")
    year = year or datetime.now(UTC).year
    names = []
    for place, (file, gauge) in enumerate(zip(files, gauges, strict=True)):
        values = {"reel": first + place, "year": year, "file": file.stem, "gauge": gauge or "unknown gauge"}
        try:
            names.append(pattern.format(**values).strip())
        except (ValueError, IndexError) as fault:
            raise _wrong(pattern, str(fault)) from fault
    if len(set(names)) < len(names) or not all(names):
        raise UsageError(f"The pattern “{pattern}” gives two reels the same name.", f"Use {{reel}}, as in {EXAMPLE}.")
    return names


def _fields(pattern: str) -> set[str]:
    try:
        used = {name for _, name, _, _ in string.Formatter().parse(pattern) if name is not None}
    except ValueError as fault:
        raise _wrong(pattern, str(fault)) from fault
    unknown = used - set(FIELDS)
    if unknown:
        raise _wrong(pattern, f"there is no {{{sorted(unknown)[0]}}}")
    return used


def _wrong(pattern: str, reason: str) -> UsageError:
    words = ", ".join(f"{{{name}}}" for name in FIELDS)
    return UsageError(f"“{pattern}” is not a pattern for names: {reason}.", f"Use {words}, as in {EXAMPLE}.")
