"""Marks that stand all through a shot: looked at on some frames of it, once its ends are known."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.standing import Standing, standing_marks
from grevin.core.motion.flow import Luma8
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress
from grevin.core.survey.measures.base import SPOT
from grevin.core.survey.rows import MeasuredStore, Row

KIND = "spot"


def marks_of_shots(
    source: FrameSource, shots: Sequence[range], progress: Progress, store: MeasuredStore | None, key: str, workers: int
) -> Iterator[tuple[range, Row]]:  # fmt: skip
    """Each shot with a row that holds its marks; those of shots that are in the store are not looked for again.

    Args:
        source: the reel.
        shots: frames of each.
        progress: one unit a shot.
        store: where rows are kept.
        key: under which.
        workers: threads; 0 for all processors.

    Raises:
        CancelledError: if asked to stop; the shots that were looked at are kept.
    """
    known = {row.frame: row for row in store.measured(key)} if store is not None else {}
    progress.begin(len(shots), "Looking for marks that stand")
    for shot in shots:
        row = known.get(shot.start)
        if row is None or int(row.values[0]) != shot[-1]:
            row = _row(shot, _marks(source, shot, progress, workers))
            if store is not None:
                store.keep_measured(key, [row])
        yield shot, row
        progress.advance()


def _marks(source: FrameSource, shot: range, progress: Progress, workers: int) -> list[Standing]:
    def luma(number: int) -> Luma8 | None:
        progress.check()
        try:
            return source.frame(number).luma8()
        except UnreadableFrameError:
            return None

    return standing_marks(shot, (source.format.height, source.format.width), luma, Progress(), workers)


def _row(shot: range, marks: list[Standing]) -> Row:
    """The last frame of a shot as the only value, and a place for each mark."""
    spots = [(KIND, shot.start, *mark.area, mark.pixels, 0.0, mark.sure) for mark in marks]
    return Row(shot.start, np.array([shot[-1]], np.float32), spots=np.array(spots, SPOT))
