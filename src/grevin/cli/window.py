"""`grevin` and `grevin open`: the window. Qt is loaded here and nowhere else."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from grevin import __version__
from grevin.cli import console
from grevin.core.errors import UsageError


def say_version() -> None:
    """Print the version."""
    console.say(f"grevin {__version__}")


def open_window(
    path: Annotated[Path | None, typer.Argument(help="A job (.grevin), video file, folder or pattern.")] = None,
) -> None:
    """Open the window, on a job or on material."""
    show_window(path)


def show_window(path: Path | None) -> None:
    """Run the window until it is closed.

    Raises:
        UsageError: if the system libraries of a window are missing.
    """
    try:
        from grevin.desktop.main import run_window
    except ImportError as fault:
        raise UsageError(
            f"The window cannot start ({fault}).",
            "System libraries are missing: run ./start once as root, or install those that tools/setup.sh names.",
        ) from fault
    raise typer.Exit(run_window(path))
