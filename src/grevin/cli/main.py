"""`grevin`: the window without a command, else one of the commands."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import apply, bench, demo, handover, job, kept, menus, probe, render, survey, verify, window
from grevin.cli.console import note, report_fault
from grevin.core.errors import ExitStatus
from grevin.core.steps.registry import REGISTRY

app = typer.Typer(
    help="Restoration of digitised film and tape that never harms what is not damaged.",
    no_args_is_help=False,
    pretty_exceptions_enable=False,
)
app.command("apply")(apply.apply)
app.command("probe")(probe.probe)
app.command("survey")(survey.survey)
app.command("verify")(verify.verify)
app.command("render")(render.render)
app.command("queue")(render.queue)
app.command("handover")(handover.handover)
app.command("kept")(kept.kept)
app.command("menus")(menus.menus)
app.command("bench")(bench.bench)
app.command("demo")(demo.demo)
app.add_typer(job.app, name="job")
app.command("open")(window.open_window)

_COMMANDS = {
    "apply",
    "probe",
    "survey",
    "verify",
    "render",
    "queue",
    "handover",
    "kept",
    "menus",
    "bench",
    "demo",
    "job",
    "open",
}


@app.callback(invoke_without_command=True)
def _start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Say the version and leave.")] = False,
) -> None:
    for words in REGISTRY.faults:
        note(words)
    if version:
        window.say_version()
    elif context.invoked_subcommand is None:
        window.open_window(None)


def main(arguments: list[str] | None = None) -> None:
    """Run the command line and leave with its exit code (docs/formats.md)."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    if words and words[0] not in _COMMANDS and not words[0].startswith("-") and Path(words[0]).exists():
        words.insert(0, "open")  # `grevin reel.mkv` opens it
    try:
        status = app(words, standalone_mode=False)
    except typer.Exit as leaving:
        status = leaving.exit_code
    except SystemExit as leaving:
        status = leaving.code
    except Exception as fault:  # noqa: BLE001 - the one funnel from any fault to a sentence and an exit code
        status = _explain(fault)
    except KeyboardInterrupt as fault:
        status = report_fault(fault)
    raise SystemExit(int(status or ExitStatus.OK))


def _explain(fault: Exception) -> int:
    show = getattr(fault, "show", None)
    if callable(show) and hasattr(fault, "exit_code"):  # wrong usage, as found by the option parser
        show()
        return ExitStatus.USAGE
    return report_fault(fault)


if __name__ == "__main__":
    main()
