"""Going through what a step was not sure of: found but nearly not, and nearly found."""

from __future__ import annotations

from grevin.core.progress import Progress
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.treatment.chain import Chain


def doubtful_blobs(evidence: Evidence | None) -> list[Blob]:
    """What waits for a person's word on one frame, from top to bottom."""
    if evidence is None:
        return []
    blobs = [blob for blob in (*evidence.blobs, *evidence.passed) if blob.doubtful]
    return sorted(blobs, key=_order)


def next_doubtful(
    chain: Chain, view_point: int, start: tuple[int, Blob | None], direction: int, kept: range, progress: Progress
) -> tuple[int, Blob] | None:  # fmt: skip
    """The next place that waits for a word, on this frame or a later (+1) or earlier (-1) one.

    Args:
        chain: the reel under its treatment.
        view_point: the step's place on the path.
        start: the present frame and the blob that was looked at last, None for none.
        direction: +1 or -1.
        kept: frames that are looked through.
        progress: one unit a frame.

    Returns:
        Frame and blob; None where there is no more.

    Raises:
        CancelledError: if asked to stop.
    """
    number, last = start
    frames = range(number, kept.stop) if direction > 0 else range(number, kept.start - 1, -1)
    progress.begin(len(frames), "Looking for what is doubtful")
    for frame in frames:
        blobs = doubtful_blobs(chain.evidence_at(view_point, frame))
        if frame == number and last is not None:
            blobs = [b for b in blobs if (_order(b) > _order(last) if direction > 0 else _order(b) < _order(last))]
        elif frame == number and direction < 0:
            blobs = []
        if blobs:
            return frame, blobs[0 if direction > 0 else -1]
        progress.advance()
    return None


def _order(blob: Blob) -> tuple[int, int]:
    return blob.area[1], blob.area[0]
