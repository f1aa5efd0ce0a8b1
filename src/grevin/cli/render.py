"""`grevin render`: a reel of a job as it stands in the job. `grevin queue`: what was ordered, without a window."""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console, wishes
from grevin.cli.hands import CarryOut, SchedulerOption, SharedOption, WorkersOption, hands
from grevin.core.errors import CancelledError, ExitStatus, GrevinError, UsageError
from grevin.core.job.orders import MOST_FRAMES, Order, order_of, order_of_version
from grevin.core.job.queue import Queue, Queued, user_queue
from grevin.core.media.codings import CODINGS
from grevin.core.render.versions import version_named
from grevin.core.render.wanted import Wanted
from grevin.core.timebase.rates import parse_range


def render(
    job: Annotated[Path, typer.Argument(help="Job file (.grevin).")],
    output: Annotated[
        Path | None,
        typer.Argument(
            help="NAME.mkv, .mov, .mp4, .wav, or a pattern (n.%06d.dpx, .tif, .exr, .png); with --version a folder, "
            "without one that of the material."
        ),
    ] = None,
    version: Annotated[
        str, typer.Option("--version", help="A version that Grevin begins with (ffv1, h264, tiff ...), or your own.")
    ] = "",
    reel: Annotated[int, typer.Option(min=1, help="Which reel of the job, from 1.")] = 1,
    frames: Annotated[
        str | None, typer.Option("--range", help="Frames A:B; those between the trims without it.")
    ] = None,
    evidence: Annotated[Path | None, typer.Option(help="Folder for evidence pictures.")] = None,
    ledger: Annotated[Path | None, typer.Option(help="File for the ledger, .csv or .json.")] = None,
    sound: wishes.SoundOption = "fits",
    bits: wishes.BitsOption = None,
    dither: wishes.DitherOption = False,
    coding: Annotated[
        str, typer.Option(help=f"Coding of a video: {', '.join(CODINGS)}; without it by the ending.")
    ] = "",
    quality: wishes.QualityOption = "fine",
    square_pixels: wishes.SquareOption = False,
    most_lines: wishes.LinesOption = None,
    colours: wishes.ColoursOption = "own",
    chroma: wishes.ChromaOption = "usual",
    levels: wishes.LevelsOption = "own",
    first_field: wishes.FirstFieldOption = "own",
    plays_at: wishes.PlaysOption = "",
    black_before: wishes.BeforeOption = 0.0,
    black_after: wishes.AfterOption = 0.0,
    whole_frames: wishes.WholeFramesOption = False,
    enlarge_to: wishes.EnlargeOption = None,
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace an output of that name.")] = False,
    workers: WorkersOption = 0,
    scheduler: SchedulerOption = "",
    shared: SharedOption = None,
    queue: Annotated[bool, typer.Option("--queue", help="Put it in the queue instead of writing it now.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="The proof as JSON on stdout.")] = False,
) -> None:
    """Write a reel of JOB with the treatment, shots and verdicts that the job holds; the job keeps the proof."""
    chosen = _range(frames)
    said = wishes.wanted(
        sound, plays_at, bits=bits, dither=dither, quality=quality, square_pixels=square_pixels, most_lines=most_lines,
        colours=colours, chroma=chroma, levels=levels, first_field=first_field, black_before_s=black_before,
        black_after_s=black_after, whole_frames=whole_frames, enlarged_lines=enlarge_to,
    )  # fmt: skip
    if version:
        if (evidence, ledger, coding, said) != (None, None, "", Wanted()):
            raise UsageError(f"The version “{version}” says how it is written.", "Leave the other options out.")
        order = order_of_version(
            job.absolute(), reel - 1, version_named(version), output.absolute() if output else None,
            first=chosen.start, stop=chosen.stop, overwrite=overwrite,
        )  # fmt: skip
        _carry_out(order, queue, as_json, hands(workers, scheduler, shared))
        return
    if output is None:
        raise UsageError("It is not said what is to be written.", "Give OUTPUT, or --version.")
    order = order_of(
        job.absolute(), reel - 1, output.absolute(), first=chosen.start, stop=chosen.stop,
        evidence=str(evidence.absolute()) if evidence else "", ledger=str(ledger.absolute()) if ledger else "",
        overwrite=overwrite, coding=coding, **said.model_dump(),
    )  # fmt: skip
    _carry_out(order, queue, as_json, hands(workers, scheduler, shared))


def _carry_out(order: Order, later: bool, as_json: bool, crew: AbstractContextManager[CarryOut]) -> None:
    """Write an order, or put it in the queue."""
    output = Path(order.output)
    if later:
        number = user_queue().add(order)
        console.say(f"Order {number}: {output}. “grevin queue --run” works off what waits.")
        return
    with crew as write, console.progress() as progress:
        proof = write(order, progress)
    console.say_proof(proof, output, as_json)


def _range(text: str | None) -> range:
    return parse_range(text, MOST_FRAMES) if text else range(0)


def queue(
    go: Annotated[bool, typer.Option("--run", help="Work off what waits, one after the other.")] = False,
    remove: Annotated[int | None, typer.Option(help="Forget the order of this number.")] = None,
    first: Annotated[int | None, typer.Option(help="Work off the order of this number before the others.")] = None,
    again: Annotated[int | None, typer.Option(help="Let an order that failed or is held wait again.")] = None,
    workers: WorkersOption = 0,
    scheduler: SchedulerOption = "",
    shared: SharedOption = None,
    as_json: Annotated[bool, typer.Option("--json", help="The queue as JSON on stdout.")] = False,
) -> None:
    """Show what is ordered; work it off without a window; change its order."""
    orders = user_queue()
    known = {one.id for one in orders.orders()}
    for number in (remove, first, again):
        if number is not None and number not in known:
            raise UsageError(f"There is no order {number}.", "“grevin queue” lists them.")
    if remove is not None:
        orders.remove(remove)
    if first is not None:
        orders.first(first)
    if again is not None:
        orders.put(again, "waiting")
    failed = 0
    if go:
        with hands(workers, scheduler, shared) as write:
            failed = _work_off(orders, write)
    _show(orders.orders(), as_json)
    if failed:
        raise typer.Exit(ExitStatus.FAULT)


def _work_off(orders: Queue, write: CarryOut) -> int:
    """Carry out what waits; how many failed."""
    failed = 0
    while (queued := orders.take()) is not None:
        try:
            with console.progress() as progress:
                orders.follow(queued.id, progress)
                proof = write(queued.order, progress)
            orders.put(queued.id, "done", proof.sentence())
        except CancelledError:
            orders.put(queued.id, "waiting")  # it goes on when the queue is worked off again
            raise
        except GrevinError as fault:
            failed += 1
            orders.put(queued.id, "failed", str(fault))
            console.note(f"Order {queued.id}: {fault}")
    return failed


def _show(orders: list[Queued], as_json: bool) -> None:
    if as_json:
        console.say_json({"format": "grevin-queue", "version": 1, "orders": [_plain(one) for one in orders]})
        return
    for one in orders:
        words = f": {one.words}" if one.words else ""
        console.say(f"{one.id}  {one.state}  {_name(one)}{words}")
    if not orders:
        console.say("The queue is empty.")


def _plain(one: Queued) -> dict[str, object]:
    return {
        "id": one.id, "state": one.state, "output": _name(one), "done": one.done, "total": one.total,
        "words": one.words,
    }  # fmt: skip


def _name(one: Queued) -> str:
    try:
        order: Order = one.order
    except UsageError:
        return "of another version of Grevin"
    return order.output
