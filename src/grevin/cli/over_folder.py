"""The same work over all reels of a folder: what fails is told at the end, the others go on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import typer
from rich.table import Table

from grevin.cli import console
from grevin.core.errors import CancelledError, ExitStatus, GrevinError, MediaError, UsageError
from grevin.core.intake.folder import find_material
from grevin.core.job.document import reel_stem
from grevin.core.media.codings import CODINGS
from grevin.core.media.image_sequence import is_pattern
from grevin.core.progress import Progress
from grevin.core.render.proof import Proof

Write = Callable[[Path, Path, Progress], Proof]


def is_folder_work(source: Path, output: Path) -> bool:
    """Whether a folder of reels goes into another folder: the output's name says neither video nor pictures."""
    return source.is_dir() and not output.suffix and not is_pattern(output)


def over_folder(folder: Path, into: Path, coding: str, carry_on: bool, write: Write, as_json: bool) -> None:
    """Write every reel of a folder into another one, under its own name; leaves with a fault's status if one failed.

    Raises:
        GrevinError: if there is nothing to do, or the two folders are one.
    """
    if coding and coding not in CODINGS:
        raise UsageError(f"There is no coding “{coding}”.", f"Give one of {', '.join(CODINGS)}.")
    if into.resolve() == folder.resolve():
        raise UsageError("The outputs would lie among the sources.", "Give another folder for the outputs.")
    rows: list[dict[str, object]] = []
    with console.progress() as progress:
        reels = find_material(folder, progress).reels
        if not reels:
            raise MediaError(f"{folder} holds no reel.", "Give a folder with video files or numbered pictures.")
        outputs = _outputs(reels, folder, into, CODINGS[coding or "ffv1"].suffix)
        for place, (reel, output) in enumerate(zip(reels, outputs, strict=True), 1):
            console.note(f"{place} of {len(reels)}: {reel.relative_to(folder)}")
            rows.append({"reel": str(reel), "output": str(output), **_one(reel, output, carry_on, write, progress)})
    _tell(rows, folder, as_json)
    if any(row["state"] == "failed" for row in rows):
        raise typer.Exit(ExitStatus.FAULT)


def _one(reel: Path, output: Path, carry_on: bool, write: Write, progress: Progress) -> dict[str, object]:
    if carry_on and output.exists():
        return {"state": "there already", "words": ""}
    try:
        proof = write(reel, output, progress)
    except CancelledError:
        raise
    except GrevinError as fault:
        return {"state": "failed", "words": str(fault)}
    return {"state": "written", "words": proof.sentence(), "frames": proof.frames}


def _outputs(reels: tuple[Path, ...], folder: Path, into: Path, suffix: str) -> list[Path]:
    """A name of its own for each, in the same folders below."""
    found: list[Path] = []
    for reel in reels:
        place = into / reel.relative_to(folder).parent
        stem, output, again = reel_stem(reel), place / f"{reel_stem(reel)}{suffix}", 2
        while output in found:  # two reels of one name in different containers
            output = place / f"{stem}-{again}{suffix}"
            again += 1
        found.append(output)
    return found


def _tell(rows: list[dict[str, object]], folder: Path, as_json: bool) -> None:
    if as_json:
        console.say_json({"format": "grevin-folder", "version": 1, "reels": rows})
        return
    table = Table(title=f"{len(rows)} reels")
    for heading in ("reel", "state", "frames", "what happened"):
        table.add_column(heading, justify="right" if heading == "frames" else "left")
    for row in rows:
        name = str(Path(str(row["reel"])).relative_to(folder))
        table.add_row(name, str(row["state"]), str(row.get("frames", "")), str(row["words"]))
    console.say_table(table)
