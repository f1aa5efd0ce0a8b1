"""`grevin bench`: how good and how fast the steps are."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.table import Table

from grevin.cli import console
from grevin.core.errors import UsageError
from grevin.core.progress import Progress


def bench(
    suite: Annotated[
        str,
        typer.Option(
            help="dirt, protect (harm to clean footage), survey, time, light, noise, surface, tape, jitter, wobble, "
            "colour, compression, gradients, edges, stairs, enlarge, harm, flickering (dirt under flicker), captured "
            "(dirt behind codecs), output, full (hours), steps (speed of each), speed or looking."
        ),
    ] = "dirt",
    clip: Annotated[list[str] | None, typer.Option(help="Only these clips; may be given several times.")] = None,
    long_frames: Annotated[int, typer.Option(help="Speed: frames of a long reel for the memory figure.", min=0)] = 0,
    html: Annotated[Path | None, typer.Option(help="Also a page with the worst places in pictures.")] = None,
    history: Annotated[Path | None, typer.Option(help="File of earlier runs; the user's own by default.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON on stdout.")] = False,
) -> None:
    """Print how good (dirt with known truth on open clips and the demo) or how fast the steps are."""
    # loaded here: only this command needs the bench and the demo's painter
    from bench.history import history_path, last_run, write_down
    from bench.page import page
    from bench.worst import Worst

    if html is not None and html.suffix.lower() != ".html":
        raise UsageError(f"“{html.name}” is another kind of file.", "Use an ending of .html.")
    with console.progress() as progress:
        data, worst = _suites(clip or [], long_frames, suite)(progress)
    runs = history or history_path()
    before = last_run(runs, data)
    try:
        write_down(runs, data)
        if html is not None:
            html.write_text(page(data, worst or Worst(), before), encoding="utf-8")
    except OSError as fault:
        raise UsageError(f"{fault.filename} cannot be written ({fault.strerror}).", "Choose another place.") from fault
    if as_json:
        console.say_json({**data, "before": before})
    else:
        _print(data, before)


Measured = tuple[dict[str, Any], Any]


def _suites(clips: list[str], long_frames: int, suite: str) -> Callable[[Progress], Measured]:
    """What a suite runs."""
    from bench.captured import run_captured
    from bench.colour import run_colour
    from bench.compression import run_compression
    from bench.edges import run_edges
    from bench.enlarge import run_enlarge
    from bench.flickering import run_flickering
    from bench.gradients import run_gradients
    from bench.harm import run_harm
    from bench.in_full import run_full
    from bench.jitter import run_jitter
    from bench.light import run_light
    from bench.looking import run_looking
    from bench.noise import run_noise
    from bench.output import run_output
    from bench.protect import run_protect
    from bench.report import run_dirt
    from bench.speed import run_speed
    from bench.stairs import run_stairs
    from bench.step_speeds import run_step_speeds
    from bench.surface import run_surface
    from bench.survey import run_survey_suite
    from bench.tape import run_tape
    from bench.time import run_time
    from bench.wobble import run_wobble

    suites: dict[str, Callable[[Progress], Measured]] = {
        "dirt": lambda progress: run_dirt(clips, {}, progress),
        "protect": lambda progress: run_protect(clips, {}, progress),
        "steps": lambda progress: run_step_speeds(clips, progress),
        "speed": lambda progress: (run_speed(long_frames, progress), None),
        "looking": lambda progress: (run_looking(progress), None),
        "survey": lambda progress: (run_survey_suite(progress), None),
        "time": lambda progress: (run_time(progress), None),
        "light": lambda progress: run_light(clips, progress),
        "noise": lambda progress: run_noise(clips, progress),
        "output": lambda progress: (run_output(progress), None),
        "full": lambda progress: (run_full(progress), None),
        "surface": lambda progress: run_surface(clips, progress),
        "compression": lambda progress: run_compression(clips, progress),
        "jitter": lambda progress: run_jitter(clips, progress),
        "wobble": lambda progress: run_wobble(clips, progress),
        "colour": lambda progress: run_colour(clips, progress),
        "gradients": lambda progress: run_gradients(clips, progress),
        "edges": lambda progress: run_edges(clips, progress),
        "stairs": lambda progress: run_stairs(clips, progress),
        "harm": lambda progress: run_harm(clips, progress),
        "flickering": lambda progress: run_flickering(clips, progress),
        "captured": lambda progress: run_captured(clips, progress),
        "enlarge": lambda progress: run_enlarge(clips, progress),
        "tape": lambda progress: run_tape(clips, progress),
    }
    if suite not in suites:
        raise UsageError(f"There is no suite “{suite}”.", f"The suites are: {', '.join(suites)}.")
    return suites[suite]


def _print(data: dict[str, Any], before: dict[str, Any] | None) -> None:
    from bench.history import compared

    if data["suite"] == "dirt":
        _print_clips(data)
    elif data["suite"] == "protect":
        _print_harm(data)
    elif data["suite"] == "time":
        _print_time(data)
    for name, now, then in compared(data, before):
        last = "" if then is None or then == now else f"   (last run {then:g})"
        console.say(f"{name.replace('_', ' ')}: {now:g}{last}")
    for row in data.get("skipped", []):
        console.note(f"The clip {row['clip']} was left out: {row['reason']}.")


def _print_time(data: dict[str, Any]) -> None:
    table = Table(title="time: PSNR of luma in dB; * beside it: the mix of both neighbours, or bwdif alone")
    for heading in ("clip", "dB", "plain *", "gain"):
        table.add_column(heading, justify="left" if heading == "clip" else "right")
    for row in data["clips"]:
        gain = row["db"] - row["plain_db"]
        table.add_row(row["clip"], f"{row['db']:.2f}", f"{row['plain_db']:.2f}", f"{gain:+.2f}")
    console.say_table(table)


def _print_harm(data: dict[str, Any]) -> None:
    table = Table(title="protect: clean footage; all that is changed is harm; * beside it: the plain filter")
    for heading in ("clip", "clean, dB", "worst frame", "along motion *", "3x3 *", "blobs/frame", "changed, ppm"):
        table.add_column(heading, justify="left" if heading == "clip" else "right")
    for row in data["clips"]:
        clean = row["clean_db"]
        values = (clean["dirt"], row["clean_worst_db"], clean["median_along_motion"], clean["median_3x3"])
        tail = (f"{row['clean_blobs_per_frame']:.2f}", f"{row['clean_changed_ppm']:.0f}")
        table.add_row(row["clip"], *(f"{value:.1f}" for value in values), *tail)
    console.say_table(table)


def _print_clips(data: dict[str, Any]) -> None:
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
