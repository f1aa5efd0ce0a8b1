"""Whether a line was drawn or built: by another one like it that lies across, or by bending as compasses do.

A scratch goes down the film and never across it. What has the width, the polarity and the level of a line that lies
across the picture beside it is drawn with the same ink: the cross of a leader that counts down, the frame round an
inset, a grid of few lines, the bars of a window. Nor does a scratch bend far and evenly, as the side of a circle does.
"""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from grevin.core.steps.scratch.paths import Path
from grevin.core.steps.scratch.responses import HOP_PX, ROWS, Map, beyond_flanks

AWAY_PX, LONG_PX = 6, 48  # from the line to where one across is looked for, and the length of a piece of it
FEWEST_PX = 24  # of a piece, beside the rim of the picture
FEWEST_PIECES, BESIDE_COUNTS = 3, 2  # of one across, where those right beside the line tell as much as two others
LEAST_OF_IT = 0.5  # of the line's contrast, that the one across has
CLEAR_SHARE = 0.75  # of the length of the one across that shows it; of a line's rows, which may show less of it
ASIDE_PX = 3  # by which a line may lie beside its way
LEVEL_SHARE = 0.12  # of the line's contrast, by which both may differ in level
LEAST_BEND_PX, LEAST_BEND_SHARE = 2.5, 0.02  # off a straight line, and that as a share of the length
BEND_OFF_SHARE = 0.12  # of the bend, the rms off an even one


def crossed(luma: Map, beyond: Map, columns: Map, path: Path, width: int, dark: bool) -> bool:
    """Whether a line like it lies across the picture, from right beside it or long enough elsewhere.

    Args:
        luma: (H/ROWS, W) float32, means over rows.
        beyond: the same by `beyond_flanks` of the line's width.
        columns: (H, W/ROWS) float32, means over columns.
        path: the line.
        width: of it, px.
        dark: its polarity.
    """
    sign = -1.0 if dark else 1.0
    contrast, level = _told(luma, beyond, path, width, dark)
    if contrast <= 0:
        return False
    middle, pieces = path.middle, np.zeros(len(columns), np.int64)
    for start, stop, beside in _pieces(middle, ROWS * columns.shape[1]):
        part = np.ascontiguousarray(columns[:, round(start / ROWS) : round(stop / ROWS)].T)
        least = np.quantile(sign * beyond_flanks(part, width), 1 - CLEAR_SHARE, axis=0)
        levels = _inked(part, width, dark).mean(axis=0)
        across = (least >= LEAST_OF_IT * contrast) & (np.abs(levels - level) <= LEVEL_SHARE * contrast)
        pieces += across * (BESIDE_COUNTS if beside else 1)
    return bool(pieces.max(initial=0) >= FEWEST_PIECES)


def _pieces(middle: float, width: int) -> Iterator[tuple[float, float, bool]]:
    """Pieces of the picture beside a line: from which px, up to which, and whether they lie right beside it."""
    for side in (-1, 1):
        rim = width if side > 0 else 0
        for place, near in enumerate(np.arange(middle + side * AWAY_PX, rim, side * LONG_PX)):
            far = min(max(near + side * LONG_PX, 0), width)
            if abs(far - near) >= FEWEST_PX:
                yield min(near, far), max(near, far), place == 0


def _told(luma: Map, beyond: Map, path: Path, width: int, dark: bool) -> tuple[float, float]:
    """By how many 8-bit levels a line stands out, and its level."""
    sign = -1.0 if dark else 1.0
    rows, centre = path.middles(len(luma))
    at = np.clip(centre[:, None] + np.arange(-ASIDE_PX, ASIDE_PX + 1)[None, :], 0, luma.shape[1] - 1)
    stands_out = sign * beyond[rows[:, None], at]
    contrasts = np.quantile(stands_out, CLEAR_SHARE, axis=0)
    best = int(np.argmax(contrasts))
    clear = stands_out[:, best] >= LEAST_OF_IT * contrasts[best]
    return float(contrasts[best]), float(np.median(_inked(luma, width, dark)[rows, at[:, best]][clear]))


def _inked(rows: Map, width: int, dark: bool) -> Map:
    """(H, W) the level of a line of some width round each place: a mean would mix it with what lies beside it."""
    own = np.ones((1, width), np.uint8)
    return np.asarray(cv2.erode(rows, own) if dark else cv2.dilate(rows, own), np.float32)


def bent_evenly(path: Path) -> bool:
    """Whether a line bends far, and to one side alone, as a part of a circle does."""
    rows = np.linspace(-1.0, 1.0, len(path.across))
    bend, slope, start = np.polyfit(rows, path.across, 2)
    off = path.across - (bend * rows * rows + slope * rows + start)
    far, least = abs(float(bend)), max(LEAST_BEND_PX, LEAST_BEND_SHARE * HOP_PX * len(path.across))
    return far >= least and float(np.sqrt(np.mean(off * off))) <= BEND_OFF_SHARE * far
