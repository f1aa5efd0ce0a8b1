"""The bands of a shot: one for each stretch of frames, so that speed and depth may change."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.bands import CHANNELS, HARMONICS, Band, RowTable, found_band, row_ratios
from grevin.core.measure.lighting.over_pairs import over_pairs
from grevin.core.measure.lighting.pairs import SmallPicture
from grevin.core.progress import Progress
from grevin.core.steps.bands.settings import BandsSettings
from grevin.core.steps.seen import Arrays

Values = npt.NDArray[np.float64]

DISTANCES = (1, 2)  # frames between two that are compared
STRETCH, OVER = 48, 16  # frames of a stretch, and how many it shares with the next
SHORTEST_SHOT = 12  # frames
LEAST_DEPTH = 0.01  # of light
LEAST_TURNS = 1.0  # periods that a band goes on by over the shot: what does not come round is the scene's own light
COLOURED = 0.12  # share of the depth by which channels must differ to have bands of their own
HALF_AS_GOOD = 0.5  # of what is asked of the shot, enough for a single stretch of it


def measured(frames: range, small: Callable[[int], SmallPicture], progress: Progress) -> Arrays:
    """Rows of all pairs of a shot.

    Returns:
        "first", "second": (P,); "ratio": (P, CHANNELS, STRIPS, h) float16; "aspect".
    """
    progress.begin(len(frames), "Looking for bands")
    ends: list[tuple[int, int]] = []
    ratios: list[npt.NDArray[np.float16]] = []
    shape: list[tuple[int, ...]] = []

    def looked_at(number: int) -> SmallPicture:
        picture = small(number)
        shape[:] = [picture.shapes.shape]
        return picture

    for one, other, ratio in over_pairs(frames, looked_at, DISTANCES, row_ratios, progress):
        ends.append((one, other))
        ratios.append(ratio.astype(np.float16))
    aspect = shape[0][1] / shape[0][0] if shape else 1.0
    first, second = np.array(ends, np.int64).reshape(-1, 2).T
    return {
        "first": first, "second": second, "aspect": np.array([aspect]),
        "ratio": np.stack(ratios) if ratios else np.zeros((0, 0, 0, 0), np.float16),
    }  # fmt: skip


def studied(length: int, rows: Arrays, settings: BandsSettings, first: int) -> Arrays:
    """What the step acts by.

    Returns:
        "first": number of the shot's first frame; "stretches": (S, 2) frames; "bands": (S, 5) period, phase, slant,
        explained, depth; "waves": (S, CHANNELS, 2 * HARMONICS); "acts": (S,) whether each is taken; "explained",
        "each"; "stands": whether the one band that was found does not come round; "aspect" of the picture.
    """
    spans, bands = [], []
    near: Band | None = None
    for start, stop in _stretches(length) if length >= SHORTEST_SHOT else ():
        found = found_band(_part(rows, start, stop), near)
        if found is None:
            continue
        near = found if 100 * found.explained > settings.least_explained_pct else None
        spans.append((start, stop))
        bands.append(found)
    explained = float(np.median([band.explained for band in bands])) if bands else 0.0
    least = settings.least_explained_pct / 100
    turns = abs(sum(band.phase * (stop - start) for band, (start, stop) in zip(bands, spans, strict=True)))
    found_one, comes_round = explained > least, turns >= LEAST_TURNS
    acts = [
        found_one and comes_round and band.explained > HALF_AS_GOOD * least and band.depth > LEAST_DEPTH
        for band in bands
    ]
    waves = np.array([band.waves for band in bands]).reshape(-1, CHANNELS, 2 * HARMONICS)
    each = settings.colours == "each" or (settings.colours == "as measured" and _coloured(waves))
    return {
        "first": np.array([first]), "stretches": np.array(spans, np.int64).reshape(-1, 2),
        "bands": np.array([(b.period, b.phase, b.slant, b.explained, b.depth) for b in bands]).reshape(-1, 5),
        "waves": waves, "acts": np.array(acts, np.bool_), "explained": np.array([explained]), "each": np.array([each]),
        "stands": np.array([found_one and not comes_round]),
        "aspect": rows["aspect"],
    }  # fmt: skip


def _coloured(waves: Values) -> bool:
    if not len(waves):
        return False
    common = waves.mean(axis=1, keepdims=True)
    return float(np.abs(waves - common).max()) > COLOURED * float(np.abs(common).max())


def _stretches(length: int) -> Iterator[tuple[int, int]]:
    """First frame and frame behind the last of each; the last one is not a short one."""
    start = 0
    while length - start > STRETCH + OVER:
        yield start, start + STRETCH
        start += STRETCH - OVER
    yield start, length


def _part(rows: Arrays, start: int, stop: int) -> RowTable:
    inside = (rows["first"] >= start) & (rows["second"] < stop)
    ratio = rows["ratio"][inside].astype(np.float32)
    return RowTable(rows["first"][inside], rows["second"][inside], ratio, float(rows["aspect"][0]))


def bands_of(study: Arrays) -> list[Band]:
    """The bands of a study, one for each stretch."""
    return [
        Band(float(period), float(phase), float(slant), waves, float(explained), float(depth))
        for (period, phase, slant, explained, depth), waves in zip(study["bands"], study["waves"], strict=True)
    ]


def light_at(study: Arrays, place: int, size: tuple[int, int]) -> Values:
    """(CHANNELS, height, width) log light of the bands on a frame, on a grid over the picture; zero for nothing.

    Args:
        study: of the shot.
        place: frame, counted from the shot's first.
        size: (width, height) of the grid.
    """
    columns, rows = size
    aspect = float(study["aspect"][0])
    down = np.broadcast_to(((np.arange(rows) + 0.5) / rows)[:, None], (rows, columns))
    across = np.broadcast_to(((np.arange(columns) + 0.5) / columns * aspect)[None, :], (rows, columns))
    total, weights = np.zeros((CHANNELS, rows, columns)), 0.0
    for (start, stop), band, acts in zip(study["stretches"], bands_of(study), study["acts"], strict=True):
        if not start <= place < stop:
            continue
        weight = min(1.0, (place - start + 1) / OVER, (stop - place) / OVER)
        weights += weight
        if acts:
            total += weight * np.stack([band.at(place, down, across, channel) for channel in range(CHANNELS)])
    return total / weights if weights else total
