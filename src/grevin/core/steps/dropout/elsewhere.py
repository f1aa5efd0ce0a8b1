"""Whether a streak is seen in another field too, at another place: a thing that moves, which motion did not follow."""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.steps.dropout.spikes import Bytes
from grevin.core.steps.dropout.streaks import Streak

WIDEST_PX = 96  # of what is looked for
ROOM = (32, 6)  # px and lines to every side in which it is looked for
RIM_LINES = 1  # above and below that have to agree too
ALIKE = 0.5  # share of what it stands out by that may be left where it is seen again


def seen_elsewhere(streak: Streak, here: Bytes, others: tuple[Bytes, ...]) -> bool:
    """Whether any of some other fields shows it; asked in the channel that it stands out in most.

    Args:
        streak: of the field.
        here: (H, W, 3) uint8 R'G'B' of the field.
        others: the same of fields around.
    """
    x, y, width, height = streak.area
    shown = min(width, WIDEST_PX)
    left = x + (width - shown) // 2
    rows = slice(max(0, y - RIM_LINES), min(len(here), y + height + RIM_LINES))
    piece = here[rows, left : left + shown]
    rim = np.concatenate([piece[:1], piece[-1:]]).mean(axis=0)
    apart = np.sqrt(np.square(piece.astype(np.float32) - rim).mean(axis=(0, 1)))  # of a place without it
    channel = int(np.argmax(apart))
    own = np.ascontiguousarray(piece[..., channel])
    return any(
        _least_apart(own, rows.start, left, other[..., channel]) < ALIKE * float(apart[channel]) for other in others
    )


def _least_apart(piece: Bytes, top: int, left: int, other: Bytes) -> float:
    """Levels rms by which a piece differs from the place of another field that is most like it."""
    across, down = ROOM
    area = other[
        max(0, top - down) : top + len(piece) + down, max(0, left - across) : left + piece.shape[1] + across
    ]  # fmt: skip
    squares = cv2.matchTemplate(np.ascontiguousarray(area), piece, cv2.TM_SQDIFF)
    return float(np.sqrt(max(0.0, float(squares.min())) / piece.size))
