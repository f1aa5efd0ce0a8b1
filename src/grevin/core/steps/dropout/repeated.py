"""Lines that a deck showed once more in place of one that was gone: nothing stands out, but two lines are one.

Noise makes any two lines of a tape differ. A run of pixels that are those of the line above, where the fields before
and after show two different lines there and agree with the lines above and below the run, is such a line.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.spikes import Bytes, Spikes, most_of
from grevin.core.steps.dropout.streaks import FEATURES, Streak

SAME_LEVELS = 1  # 8-bit levels by which two lines that are one may differ: rounding
SHORTEST_PX = 8  # of a run on one line; how many lines it takes to be no chance is reckoned
LEAST_LEVELS = 0.7  # by which the fields around have to differ from it: less is not seen
TIMES = 1.2  # times what they differ by above and below it, at least
SURROUNDINGS, SHARES = (61, 31), (0.05, 0.98)  # px and lines in which it is told how often two pixels are the same
NEAR_LINES = 6  # above and below a run, and in the other fields, in which the same is told of its own columns
CHANCE = 20.0  # logarithm of one over the odds that a run comes about by that: there are a million places on a field
SCORE = 3.0  # logarithms of odds for each e-fold beyond that
SURER, SURE = 20.0, 2.5  # logarithms of odds by which a run is less than chance for each that it counts for; the most

Plane = npt.NDArray[np.float32]


def repeated_of(
    luma: Luma8, spikes: Spikes, others: tuple[Bytes, ...], theirs: tuple[Luma8, ...], settings: DropoutSettings
) -> list[tuple[Streak, float]]:
    """Runs of a field that are the line above once more, with scores as the judge gives them.

    Args:
        luma: (H, W) uint8 of the field: two of its lines may share their colour.
        spikes: of the field.
        others: (H, W, 3) uint8 R'G'B' of the fields around, as they are.
        theirs: (H, W) uint8 luma of them.
        settings: of the step.
    """
    same, elsewhere = _same(luma), [_same(one) for one in theirs]
    least = max(SHORTEST_PX, settings.shortest_px)
    runs = cv2.morphologyEx(same, cv2.MORPH_OPEN, np.ones((1, least), np.uint8))
    off = _off(spikes, others)
    runs[cv2.blur(off, (least, 1)) < LEAST_LEVELS] = 0  # what nobody sees is not looked at closer
    _, labels, stats, _ = cv2.connectedComponentsWithStats(runs, connectivity=4)
    usual = np.asarray(cv2.blur(same.astype(np.float32), SURROUNDINGS), np.float32)
    found: list[tuple[Streak, float, float]] = []
    for label in _worth_a_look(np.asarray(stats), usual, settings.most_lines):
        x, y, width, height, _ = (int(value) for value in stats[label])
        part = slice(y, y + height), slice(x, x + width)
        mask = labels[part] == label
        own = float(off[part][mask].mean())
        beside = max(float(off[line, part[1]].mean()) for line in (y - 1, y + height))
        differs = SCORE * float(np.log((own + 1e-3) / (TIMES * beside + LEAST_LEVELS)))
        share = max(float(usual[y + height // 2, x + width // 2]), _share_near(same, elsewhere, (x, y, width, height)))
        chance = int(mask.sum()) * -float(np.log(np.clip(share, *SHARES))) - CHANCE
        found.append((Streak((x, y, width, height), mask, own, np.zeros(len(FEATURES))), differs, chance))
    count = sum(chance > 0 for _, _, chance in found)
    return [(streak, _score(differs, chance, count)) for streak, differs, chance in found]


def _score(differs: float, chance: float, count: int) -> float:
    """What speaks for a run, as the judge gives it.

    Where a picture is plain, or a codec made it so, lines are alike of themselves: then there are many such runs on a
    field, and each has to differ clearly from the fields around. Where there are few, that hardly any comes about by
    chance speaks for itself.
    """
    surer = min(max(chance, 0.0) / SURER, SURE) - float(np.log(max(count, 1)))
    return min(differs + surer, chance)


def _same(luma: Luma8) -> Luma8:
    """(H, W) 1 where a pixel is the one above it."""
    same = (cv2.absdiff(luma, np.concatenate([luma[:1], luma[:-1]])) <= SAME_LEVELS).astype(np.uint8)
    same[0] = 0
    return same


def _worth_a_look(stats: npt.NDArray[Any], usual: Plane, most_lines: int) -> list[int]:
    """Labels of runs of few lines that hardly any comes about by chance, by what is usual around; never the rest."""
    x, y, width, height, size = stats.T
    share = usual[y + height // 2, x + width // 2]
    rare = size * -np.log(np.clip(share, *SHARES)) > CHANCE
    told = rare & (height <= most_lines) & (y + height < len(usual))
    return [label for label in np.flatnonzero(told).tolist() if label]


def _share_near(same: Luma8, elsewhere: list[Luma8], area: tuple[int, int, int, int]) -> float:
    """How often pixels are those above them in the columns of a run: over it, under it, in the other fields."""
    x, y, width, height = area
    columns = slice(x, x + width)
    over, under = slice(max(0, y - NEAR_LINES), y), slice(y + height, y + height + NEAR_LINES)
    parts = [same[over, columns], same[under, columns]]
    parts += [one[max(0, y - NEAR_LINES) : y + height + NEAR_LINES, columns] for one in elsewhere]
    return max(float(part.mean()) for part in parts if part.size)


def _off(spikes: Spikes, others: tuple[Bytes, ...]) -> Plane:
    """(H, W) 8-bit levels by which a field differs from those around, moved or where they are: the least of all."""
    apart = (most_of(np.asarray(cv2.absdiff(spikes.here, one), np.uint8)) for one in (*spikes.moved, *others))
    return np.asarray(np.minimum.reduce(list(apart)), np.float32)
