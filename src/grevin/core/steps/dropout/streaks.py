"""Streaks: suspect pixels joined along their lines, and what is measured of each."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Mask
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.spikes import Bytes, Of, Spikes, most_of

FEATURES = (
    "mean", "most", "over surroundings", "time over surroundings", "length", "lines", "full", "around agree",
    "fields agree", "motion", "motion uneven", "noise", "beside in time", "grey", "others",
)  # fmt: skip
# 8-bit levels by which a streak stands out at least, all along and somewhere
LEAST: dict[Of, tuple[float, float]] = {"picture": (6.0, 13.0), "colour": (4.0, 8.0)}
LOW, HIGH = 2.5, 5.0  # x noise: a streak goes on from the low one, and reaches the high one somewhere
GAP_PX = 5  # between pieces of one streak
SURROUNDINGS = (61, 31)  # px across, lines
BESIDE_LINES = 2  # above and below, where nothing of a dropout is
FEWEST = 4  # px

Values = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Streak:
    """A piece of a field that may be a dropout.

    Attributes:
        area: (x, y, width, height) on the field.
        mask: (height, width) bool, which pixels of it.
        levels: mean 8-bit levels by which it stands out; negative for darker.
        features: (F,) measures, in the order of `FEATURES`.
        of: what it was seen in.
    """

    area: tuple[int, int, int, int]
    mask: Mask
    levels: float
    features: Values
    of: Of = "picture"


def streaks_of(spikes: Spikes, settings: DropoutSettings) -> list[Streak]:
    """All that may be dropouts on a field, by its spikes."""
    found: list[Streak] = []
    around = _Around(spikes)
    for kind, levels in (("brighter", spikes.bright), ("darker", spikes.dark)):
        if settings.polarity in {"both", kind}:
            found += _of_kind(levels, kind, spikes, around, settings)
    for streak in found:
        streak.features[-1] = np.log1p(len(found))
    return found


class _Around:
    """What is measured of the whole field, once."""

    def __init__(self, spikes: Spikes) -> None:
        self.time = cv2.boxFilter(spikes.in_time, cv2.CV_32F, SURROUNDINGS)
        self._spikes = spikes

    def bent(self, part: tuple[slice, slice]) -> npt.NDArray[np.float32]:
        """(h, w) px by which motion differs from a line to the next."""
        rows, columns = part
        flow = self._spikes.flows[1][rows.start : rows.stop + 1, columns]
        missing = rows.stop - rows.start + 1 - len(flow)  # below the last line motion goes on
        flow = np.concatenate([flow, flow[-1:]]) if missing else flow
        return np.asarray(np.abs(np.diff(flow, axis=0)).sum(axis=2), np.float32)

    def apart(self, part: tuple[slice, slice]) -> Bytes:
        """(h, w) levels by which the fields around differ."""
        first, second = (np.ascontiguousarray(one[part]) for one in self._spikes.moved)
        return most_of(np.asarray(cv2.absdiff(first, second), np.uint8))


def _of_kind(
    levels: Bytes, kind: str, spikes: Spikes, around: _Around, settings: DropoutSettings
) -> list[Streak]:  # fmt: skip
    low, high = (max(least, times * spikes.noise) for least, times in zip(LEAST[spikes.of], (LOW, HIGH), strict=True))
    blurred, found = None, []
    for part, mask in _thin(levels, low, settings):
        if int(levels[part][mask].max()) >= high:
            if blurred is None:
                blurred = np.asarray(cv2.boxFilter(levels, cv2.CV_32F, SURROUNDINGS), np.float32)
            own = levels[part][mask].astype(np.float64)
            measures = _measures(own, mask, part, spikes, around, blurred)
            levels_off = float(own.mean()) * (-1 if kind == "darker" else 1)
            rows, columns = part
            area = (columns.start, rows.start, columns.stop - columns.start, rows.stop - rows.start)
            found.append(Streak(area, mask, levels_off, measures, spikes.of))
    return found


def _thin(levels: Bytes, low: float, settings: DropoutSettings) -> Iterator[tuple[tuple[slice, slice], Mask]]:
    """Where pixels stand out along a few lines, and which; what is taller is looked at again from twice the levels on.

    What a codec rings around a streak, over the lines of its blocks, would make it as tall as these.
    """
    suspect = (levels >= low).astype(np.uint8)
    while suspect.any():
        joined = cv2.morphologyEx(suspect, cv2.MORPH_CLOSE, np.ones((1, GAP_PX), np.uint8))
        _, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=4)
        long = (stats[:, 2] >= settings.shortest_px) & (stats[:, 4] >= FEWEST)
        long[0] = False
        tall = stats[:, 3] > settings.most_lines
        for label in np.flatnonzero(long & ~tall):
            x, y, width, height, _ = (int(value) for value in stats[label])
            part = slice(y, y + height), slice(x, x + width)
            yield part, labels[part] == label
        low *= 2.0
        suspect = ((long & tall)[labels] & (levels >= low)).astype(np.uint8)


def _measures(
    own: Values, mask: Mask, part: tuple[slice, slice], spikes: Spikes, around: _Around,
    blurred: npt.NDArray[np.float32],
) -> Values:  # fmt: skip
    rows, columns = part
    middle = (rows.start + rows.stop) // 2, (columns.start + columns.stop) // 2
    over = np.clip(rows.start - 1 - np.arange(BESIDE_LINES), 0, len(spikes.here) - 1)
    under = np.clip(rows.stop + np.arange(BESIDE_LINES), 0, len(spikes.here) - 1)
    beside = np.concatenate([over, under])
    above, below = (spikes.here[at[0], columns].astype(np.float64) for at in (over, under))
    mean = float(own.mean())
    inside = spikes.here[part][mask].astype(np.float64)
    flow = spikes.flows[1][part][mask]
    time = spikes.in_time[part][mask].astype(np.float64)
    return np.array([
        np.log(mean), np.log(own.max()), np.log(mean / (float(blurred[middle]) + 0.5)),
        np.log((time.mean() + 0.5) / (float(around.time[middle]) + 0.5)), np.log(mask.shape[1]), mask.shape[0],
        mask.mean(), np.log1p(float(np.abs(above - below).mean())) - np.log(mean),
        np.log1p(float(around.apart(part)[mask].mean())) - np.log(mean),
        np.log1p(float(np.hypot(flow[:, 0], flow[:, 1]).mean())), np.log1p(float(around.bent(part)[mask].mean())),
        np.log(spikes.noise), np.log1p(float(spikes.in_time[beside, columns].mean())) - np.log(mean),
        np.log1p(float(np.ptp(inside, axis=1).mean())), 0.0,
    ])  # fmt: skip
