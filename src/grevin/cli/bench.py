"""`grevin bench`: how good and how fast the steps are."""

from __future__ import annotations

from typing import Annotated, Any

import typer
from rich.table import Table

from grevin.cli import console
from grevin.core.errors import UsageError


def bench(
    suite: Annotated[str, typer.Option(help="dirt (quality), speed or looking.")] = "dirt",
    clip: Annotated[list[str] | None, typer.Option(help="Only these clips; may be given several times.")] = None,
    long_frames: Annotated[int, typer.Option(help="Speed: frames of a long reel for the memory figure.", min=0)] = 0,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON on stdout.")] = False,
) -> None:
    """Print how good (dirt with known truth on open clips and the demo) or how fast the steps are."""
    # loaded here: only this command needs the bench and the demo's painter
    from bench.looking import run_looking
    from bench.report import run_dirt
    from bench.speed import run_speed

    suites = {
        "dirt": lambda progress: run_dirt(clip or [], {}, progress),
        "speed": lambda progress: run_speed(long_frames, progress),
        "looking": run_looking,
    }
    if suite not in suites:
        raise UsageError(f"There is no suite “{suite}”.", f"The suites are: {', '.join(suites)}.")
    with console.progress() as progress:
        data = suites[suite](progress)
    if as_json:
        console.say_json(data)
    elif suite == "dirt":
        _print(data)
    else:
        for name, value in data.items():
            console.say(f"{name.replace('_', ' ')}: {value}")


def _print(data: dict[str, Any]) -> None:
    table = Table(
        title="dirt: simulated dirt with truth; PSNR of luma in dB; * beside it: plain filters in the same run"
    )
    for heading in (
        "clip", "size", "blob P", "blob R", "pixel P", "pixel R", "damaged", "dirt", "3x3 *", "3 frames *", "inside",
        "3x3 *", "3 frames *", "outside", "clean", "worst", "3x3 *", "3 frames *", "blobs/frame", "frames/s",
    ):  # fmt: skip
        table.add_column(heading, justify="left" if heading in {"clip", "size"} else "right")
    for row in data["clips"]:
        dirt, space, time = row["dirt"], row["median_3x3"], row["median_of_3_frames"]
        shares = [f"{row[name]:.2f}" for name in ("blob_precision", "blob_recall", "pixel_precision", "pixel_recall")]
        levels = [
            row["damaged"]["whole_db"], dirt["whole_db"], space["whole_db"], time["whole_db"], dirt["inside_db"],
            space["inside_db"], time["inside_db"], dirt["outside_db"], row["clean_db"]["dirt"], row["clean_worst_db"],
            row["clean_db"]["median_3x3"], row["clean_db"]["median_of_3_frames"],
        ]  # fmt: skip
        tail = [f"{row['clean_blobs_per_frame']:.2f}", f"{row['frames_per_second']:.1f}"]
        table.add_row(row["clip"], row["size"], *shares, *(f"{level:.1f}" for level in levels), *tail)
    console.say_table(table)
    for name, value in data.get("together", {}).items():
        console.say(f"{name.replace('_', ' ')}: {value}")
    for row in data["skipped"]:
        console.note(f"The clip {row['clip']} was left out: {row['reason']}.")
