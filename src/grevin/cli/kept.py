"""`grevin kept`: the treated frames that are kept on disk."""

from __future__ import annotations

from typing import Annotated

import typer

from grevin.cli import console
from grevin.core.errors import OutputError
from grevin.core.render.ready import user_ready_frames

GIGABYTE = 1_000_000_000


def kept(
    clear: Annotated[bool, typer.Option("--clear", help="Forget all of them.")] = False,
    most: Annotated[
        float | None, typer.Option(min=0.0, help="Gigabytes that may be kept; those used longest ago go first.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="The figures as JSON on stdout.")] = False,
) -> None:
    """Say how many treated frames are kept, so that runs go on where they were; forget them; bound them."""
    ready = user_ready_frames()
    if clear:
        ready.clear()
    if most is not None:
        try:
            ready.allow(round(most * GIGABYTE))
        except OSError as fault:
            raise OutputError(f"{ready.folder} cannot be written ({fault.strerror}).", "Check its rights.") from fault
    used, allowed = ready.used_bytes, ready.most_bytes
    if as_json:
        console.say_json({
            "format": "grevin-kept", "version": 1, "folder": str(ready.folder), "bytes": used, "most_bytes": allowed,
        })  # fmt: skip
        return
    console.say(
        f"{used / GIGABYTE:.2f} GB of treated frames are kept, of at most {allowed / GIGABYTE:.2f} GB, "
        f"in {ready.folder}."
    )
