"""`grevin probe`: what a reel says of itself."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.table import Table

from grevin.cli import console
from grevin.core.intake.examination import examine
from grevin.core.intake.probe import probe as probe_reel
from grevin.core.media.opening import open_reel
from grevin.core.timebase.rates import parse_rate


def probe(
    source: Annotated[Path, typer.Argument(metavar="INPUT", help="Video file, folder or pattern (name.%06d.png).")],
    rate: Annotated[str | None, typer.Option(help="Frames per second of a picture sequence.")] = None,
    look: Annotated[bool, typer.Option("--look", help="Look at the pictures too: fields, range.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON on stdout.")] = False,
) -> None:
    """Say what the material is: size, rate, chroma, depth, colour, sound, length."""
    with console.progress() as progress:
        reel = open_reel(source, progress, parse_rate(rate) if rate else None)
        data = probe_reel(reel, examine(reel, progress) if look else None)
    if as_json:
        console.say_json(data)
        return
    table = Table(title=str(source), show_header=False)
    for name, value in data.items():
        if name not in {"format", "version"}:
            table.add_row(name.replace("_", " "), _words(value))
    console.say_table(table)


def _words(value: object) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{name.replace('_', ' ')} {_words(part)}" for name, part in value.items())
    if isinstance(value, list):
        return "; ".join(_words(part) for part in value) or "none"
    return "not known" if value is None else str(value)
