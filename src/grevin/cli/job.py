"""`grevin job export` and `grevin job import`: jobs as plain JSON."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console
from grevin.core.errors import JobFileError
from grevin.core.job.job_file import export_job, import_job

app = typer.Typer(help="Jobs as plain JSON, readable without Grevin.", no_args_is_help=True)


@app.command("export")
def export(job: Annotated[Path, typer.Argument(help="Job file (.grevin).")]) -> None:
    """Print the job's current document as JSON."""
    console.say_json(export_job(job))


@app.command("import")
def import_(
    data: Annotated[Path, typer.Argument(help="JSON written by `grevin job export`.")],
    job: Annotated[Path, typer.Argument(help="Job file to make (.grevin).")],
) -> None:
    """Make a job file from exported JSON."""
    try:
        document = json.loads(data.read_text(encoding="utf-8"))
    except (OSError, ValueError) as fault:
        raise JobFileError(f"{data} cannot be read as JSON ({fault}).", "Export it again.") from fault
    import_job(document, job)
    console.say(f"Made {job}.")
