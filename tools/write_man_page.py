"""Writes the manual page from the commands themselves: python tools/write_man_page.py [--check]."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import typer.main

from grevin import __version__
from grevin.cli.main import app

PAGE = Path(__file__).resolve().parents[1] / "src/grevin/installed/grevin.1"


def escaped(words: str) -> str:
    """Text as roff takes it."""
    return words.replace("\\", "\\e").replace("-", "\\-").replace("\n", " ").strip()


def options_of(command: Any) -> list[str]:
    """The options of a command, with what they do."""
    lines = []
    for option in command.params:
        if option.param_type_name != "option" or getattr(option, "hidden", False):
            continue
        takes = "" if option.is_flag else f" {escaped((option.metavar or option.name).upper())}"
        lines += [".TP", f".B {escaped(', '.join(option.opts))}{takes}", escaped(option.help or "")]
    return lines


def about(name: str, command: Any) -> list[str]:
    """A command, or those of a group."""
    if hasattr(command, "commands"):
        return [line for one in command.commands for line in about(f"{name} {one}", command.commands[one])]
    arguments = [one.name.upper() for one in command.params if one.param_type_name == "argument"]
    return [f".SS {escaped(' '.join([name, *arguments]))}", escaped(command.help or ""), *options_of(command)]


def page() -> str:
    """The whole page."""
    group: Any = typer.main.get_command(app)
    lines = [
        f'.TH GREVIN 1 "" "Grevin {__version__}" "User Commands"', ".SH NAME",
        "grevin \\- restoration of digitised film and tape", ".SH SYNOPSIS", ".B grevin",
        "[\\fICOMMAND\\fR] [\\fIOPTIONS\\fR] [\\fIARGUMENTS\\fR]", ".SH DESCRIPTION", escaped(group.help or ""),
        "Without a command the window opens. A file that is named instead of a command is opened in it.",
        ".SH COMMANDS",
    ]  # fmt: skip
    for name, command in sorted(group.commands.items()):
        lines += about(name, command)
    lines += [
        ".SH EXIT STATUS", "0 done; 1 a fault of ours, or a difference was found; 2 wrong usage; 3 input that cannot",
        "be read; 4 no space is left; 130 stopped.", ".SH FILES", ".I ~/.cache/grevin/ready",
        "treated frames that are kept (grevin kept)", ".br", ".I ~/.local/share/grevin/queue.sqlite", "the queue",
    ]  # fmt: skip
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(PAGE.read_text(encoding="utf-8") != page())
    PAGE.write_text(page(), encoding="utf-8")
