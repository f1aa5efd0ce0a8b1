"""`grevin handover`: what was written from a job, with its proofs, in one folder."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console
from grevin.core.job.handing_over import hand_over


def handover(
    job: Annotated[Path, typer.Argument(help="Job file (.grevin).")],
    folder: Annotated[Path, typer.Argument(help="The folder to make.")],
    report: Annotated[
        bool, typer.Option("--report", help="With a condition report of every reel; measures those that are not yet.")
    ] = False,
) -> None:
    """Gather the outputs of JOB with proofs, ledgers, checksums of files and frames, and a README that explains them.

    “grevin verify FOLDER” proves it later; so do sha256sum and FFmpeg's framemd5, without Grevin.
    """
    with console.progress() as progress:
        done = hand_over(job, folder.absolute(), progress, report)
    console.say(done.sentence())
