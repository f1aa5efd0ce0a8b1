"""`grevin demo`: the Port Ellery reel, drawn once, then the window on it."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console
from grevin.cli.window import show_window


def demo(
    folder: Annotated[Path | None, typer.Option(help="Where the reel is kept.")] = None,
    every: Annotated[bool, typer.Option("--every", help="Draw all its reels now, not when they are opened.")] = False,
    no_window: Annotated[bool, typer.Option("--no-window", help="Only draw the reel.")] = False,
) -> None:
    """Draw the dirty film reel of Port Ellery (once) and open the window on it."""
    from grevin.demo.making import demo_folder, make_demo  # loaded here: the other commands do not need it

    place = folder or demo_folder()
    with console.progress() as progress:
        files = make_demo(place, progress, every=every)
    console.say(f"The demo reel is {files.reel}.")
    if not no_window:
        show_window(files.job)
