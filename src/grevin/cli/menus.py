"""`grevin menus`: Grevin in the menus of the person who is logged in, and `man grevin`."""

from __future__ import annotations

import os
import shutil
import subprocess
from importlib.resources import as_file, files
from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console
from grevin.core.errors import OutputError

# Where each file belongs below the user's data folder: the Desktop Entry, Icon Theme, Shared MIME-info and AppStream
# specifications of freedesktop.org; man pages as man-db looks for them
PLACES = {
    ("grevin.installed", "grevin.desktop"): "applications/grevin.desktop",
    ("grevin.installed", "grevin.xml"): "mime/packages/grevin.xml",
    ("grevin.installed", "org.grevin.Grevin.metainfo.xml"): "metainfo/org.grevin.Grevin.metainfo.xml",
    ("grevin.installed", "grevin.1"): "man/man1/grevin.1",
    ("grevin.desktop.style", "icons/grevin.svg"): "icons/hicolor/scalable/apps/grevin.svg",
}
REFRESH = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))


def menus(
    remove: Annotated[bool, typer.Option("--remove", help="Take it out of the menus again.")] = False,
) -> None:
    """Put Grevin into your menus, with its icon, its job files and its manual page; nothing outside your home."""
    data = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    try:
        for (package, name), place in PLACES.items():
            target = data / place
            if remove:
                target.unlink(missing_ok=True)
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            with as_file(files(package).joinpath(name)) as source:
                shutil.copyfile(source, target)
        if not remove:
            _name_program(data / PLACES["grevin.installed", "grevin.desktop"])
    except OSError as fault:
        raise OutputError(f"{fault.filename} cannot be written ({fault.strerror}).", "Ask for the right to.") from fault
    for program, below in REFRESH:
        if shutil.which(program) and (data / below).is_dir():
            subprocess.run([program, str(data / below)], check=False, capture_output=True)
    console.say("Grevin is out of your menus." if remove else f"Grevin is in your menus now ({data}).")


def _name_program(entry: Path) -> None:
    """Desktops start programs with a search path of their own: the entry names the program where it lies."""
    program = shutil.which("grevin")
    if program is not None:
        words = entry.read_text(encoding="utf-8").replace("Exec=grevin ", f'Exec="{program}" ')
        entry.write_text(words, encoding="utf-8")
