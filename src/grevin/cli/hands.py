"""Who carries an order out: this process, alone or with workers ahead of it."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console
from grevin.core.errors import UsageError
from grevin.core.job.crew import OrderCrew, chosen_workers
from grevin.core.job.orders import Order, carry_out
from grevin.core.progress import Progress
from grevin.core.render.proof import Proof
from grevin.core.render.ready import ReadyFrames, user_ready_frames

WorkersOption = Annotated[
    int, typer.Option("--workers", min=0, help="Processes of this machine that make frames ahead; 0: this one alone.")
]
SchedulerOption = Annotated[
    str, typer.Option("--scheduler", help="Address of a Dask scheduler, tcp://HOST:8786, whose workers make frames.")
]
SharedOption = Annotated[
    Path | None, typer.Option("--shared", help="Folder for the frames, one that every worker sees under this path.")
]
CarryOut = Callable[[Order, Progress], Proof]


@contextmanager
def hands(workers: int, scheduler: str, shared: Path | None, anew: bool = False) -> Iterator[CarryOut]:
    """What carries an order out.

    Args:
        workers: processes of this machine, 0 for none.
        scheduler: of a cluster, "" for none.
        shared: folder in which frames are kept; None for the user's own.
        anew: whether every frame is made anew, and none kept.

    Raises:
        UsageError: if they cannot be had, or do not go together.
    """
    if anew and (workers or scheduler):
        raise UsageError("What workers make is kept, for one another.", "Leave --anew out, or the workers.")
    if shared is not None:
        _check_shared(shared)
    with chosen_workers(workers, scheduler) as crew:

        def write(order: Order, progress: Progress) -> Proof:
            ready = None if anew else ReadyFrames(shared.absolute()) if shared else user_ready_frames()
            ahead = None if crew is None or ready is None else OrderCrew(crew, order, ready)
            return carry_out(order, progress, ready, ahead, console.note)

        yield write


def _check_shared(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as fault:
        raise UsageError(
            f"{folder} cannot be made ({fault.strerror}).", "Give a folder that you may write to."
        ) from fault
    if not os.access(folder, os.W_OK):
        raise UsageError(f"{folder} cannot be written to.", "Give a folder that you may write to.")
