"""Lines that a deck showed once more in place of one that was gone: nothing stands out, but two lines are one.

Noise makes any two lines of a tape differ. A run of pixels that are those of the line above, where the fields before
and after show two different lines there and agree with the lines above and below the run, is such a line.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.spikes import Bytes, Spikes, most_of
from grevin.core.steps.dropout.streaks import FEATURES, Streak

SAME_LEVELS = 1  # 8-bit levels by which two lines that are one may differ: rounding
SHORTEST_PX = 16  # of a run: so many pixels do not lie within rounding by chance, under noise of a level and more
LEAST_LEVELS = 0.7  # by which the fields around have to differ from it: less is not seen
TIMES = 1.2  # times what they differ by above and below it, at least
SURROUNDINGS, SHARES = (61, 31), (0.05, 0.98)  # px and lines in which it is told how often two pixels are the same
CHANCE = 20.0  # logarithm of one over the odds that a run comes about by that: there are a million places on a field
SCORE = 3.0  # logarithms of odds for each e-fold beyond that

Plane = npt.NDArray[np.float32]


def repeated_of(
    luma: Luma8, spikes: Spikes, others: tuple[Bytes, ...], settings: DropoutSettings
) -> list[tuple[Streak, float]]:
    """Runs of a field that are the line above once more, with scores as the judge gives them.

    Args:
        luma: (H, W) uint8 of the field: two of its lines may share their colour.
        spikes: of the field.
        others: (H, W, 3) uint8 R'G'B' of the fields around, as they are.
        settings: of the step.
    """
    above = np.concatenate([luma[:1], luma[:-1]])
    same = (cv2.absdiff(luma, above) <= SAME_LEVELS).astype(np.uint8)
    same[0] = 0
    least = max(SHORTEST_PX, settings.shortest_px)
    runs = cv2.morphologyEx(same, cv2.MORPH_OPEN, np.ones((1, least), np.uint8))
    off = _off(spikes, others)
    runs[cv2.blur(off, (least, 1)) < LEAST_LEVELS] = 0  # what nobody sees is not looked at closer
    count, labels, stats, _ = cv2.connectedComponentsWithStats(runs, connectivity=4)
    usual = np.clip(cv2.blur(same.astype(np.float32), SURROUNDINGS), *SHARES)
    found = []
    for label in range(1, count):
        x, y, width, height, _ = (int(value) for value in stats[label])
        if width < least or height > settings.most_lines or y + height >= len(off):
            continue
        part = slice(y, y + height), slice(x, x + width)
        mask = labels[part] == label
        own = float(off[part][mask].mean())
        beside = max(float(off[line, part[1]].mean()) for line in (y - 1, y + height))
        differs = SCORE * float(np.log((own + 1e-3) / (TIMES * beside + LEAST_LEVELS)))
        chance = int(mask.sum()) * -float(np.log(usual[y + height // 2, x + width // 2])) - CHANCE
        score = min(differs, chance)
        found.append((Streak((x, y, width, height), mask, own, np.zeros(len(FEATURES))), score))
    return found


def _off(spikes: Spikes, others: tuple[Bytes, ...]) -> Plane:
    """(H, W) 8-bit levels by which a field differs from those around, moved or where they are: the least of all."""
    apart = (most_of(np.asarray(cv2.absdiff(spikes.here, one), np.uint8)) for one in (*spikes.moved, *others))
    return np.asarray(np.minimum.reduce(list(apart)), np.float32)
