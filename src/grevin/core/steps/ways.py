"""Ways from a frame to those around it, from one to the next."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from grevin.core.motion.flow import Flow
from grevin.core.motion.meaning import chained
from grevin.core.steps.seen import Window


def ways(window: Window, reach: int, step: Callable[[int, int], Flow]) -> Iterator[tuple[int, Flow]]:
    """(offset, flow to it) of the frames around, nearest first on each side; chained from frame to frame.

    Args:
        window: on the frame.
        reach: frames a side.
        step: gives the flow from the frame at an offset to the next on a side, -1 or 1.
    """
    for side in (-1, 1):
        total: Flow | None = None
        for count in range(1, reach + 1):
            if not window.has(side * count):
                break
            more = step(side * (count - 1), side)
            total = more if total is None else chained(total, more)
            yield side * count, total
