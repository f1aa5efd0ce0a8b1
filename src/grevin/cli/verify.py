"""`grevin verify`: proof that an output is its source outside the evidence."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console
from grevin.core.errors import ExitStatus, UsageError
from grevin.core.job.handing_over import verify_folder
from grevin.core.media.opening import open_reel
from grevin.core.render.verify import verify as verify_output
from grevin.core.timebase.rates import parse_range


def verify(
    source: Annotated[
        Path, typer.Argument(help="The material the output was made from; or, alone, a folder that was handed over.")
    ],
    output: Annotated[Path | None, typer.Argument(help="The output to prove.")] = None,
    evidence: Annotated[Path | None, typer.Option(help="Folder of evidence written by `grevin apply`.")] = None,
    frames: Annotated[
        str | None, typer.Option("--range", help="Frames A:B of the source that the output holds.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON on stdout.")] = False,
) -> None:
    """Compare frame counts, checksums and every sample outside the evidence. Leaves with 1 where it is not proved.

    Of a folder that “grevin handover” made: whether every file and frame is as it was.
    """
    if output is None:
        _verify_folder(source, as_json)
        return
    if evidence is not None and not evidence.is_dir():
        raise UsageError(
            f"There is no evidence folder {evidence}.", "Name the folder given to `grevin apply --evidence`."
        )
    with console.progress() as progress:
        reel, written = open_reel(source, progress), open_reel(output, progress)
        result = verify_output(reel, written, parse_range(frames, len(reel)), evidence, progress)
    if as_json:
        console.say_json(result.data())
    else:
        console.say(result.sentence())
    if not result.passed:
        raise typer.Exit(ExitStatus.FAULT)


def _verify_folder(folder: Path, as_json: bool) -> None:
    with console.progress() as progress:
        proof = verify_folder(folder, progress)
    if as_json:
        console.say_json(proof.data())
    else:
        console.say(proof.sentence())
    if not proof.passed:
        raise typer.Exit(ExitStatus.FAULT)
