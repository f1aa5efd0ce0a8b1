"""What suspect blobs look like among their surroundings: the dear measures, of the blobs worth it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8, places_of
from grevin.core.steps.dirt.blobs import Values
from grevin.core.steps.dirt.suspects import SKIRT_PX, Suspects

RIM_PX = 2  # a blob's own soft edge, not judged
RING_PX = 6  # width of the ring by which it is judged (methods, dirt: 2 to 6 px)
SEARCH_PX = 6  # how far a neighbour is searched for the same patch, displaced
LARGEST_PATCH_PX = 96  # a larger blob is searched for by its middle
CAP_NOISE = 8.0  # noise units: one large deviation in the ring must not hide the others
DEVIATING_NOISE = 3.0  # noise units from which a pixel of the ring deviates
RANGE_PX = 24  # how far around a blob a neighbour is searched for its level
RANGE_SCALE = 4  # the neighbour is brought down by it for that, so that noise and single pixels do not count
LEAST_RING = 12  # pixels: a smaller ring says nothing
UNKNOWN_SPREAD, UNKNOWN_BEND_PX = 40.0, 8.0  # texture and bend of a blob without a ring: assumed bad


@dataclass(frozen=True, eq=False)
class Around:
    """Surroundings of M blobs; (M,) arrays.

    Attributes:
        residual: mean of what the motion leaves unexplained in the ring, 8-bit levels.
        deviating: share of the ring that deviates, 0..1.
        texture: standard deviation of the picture in the ring, 8-bit levels.
        bend: spread of the motion in the ring, px.
        displaced: how well the patch is found displaced in a neighbour, against finding it in place: 1 not at all.
        room: distance of the blob from the picture's border, px.
        outlying: how far the blob's level lies outside what the neighbours show around, 8-bit levels; negative inside.
        apart: how far it lies from the level of its own ring, 8-bit levels.
        uneven: standard deviation inside the blob, 8-bit levels.
        edge: pixels of its soft edge over its own.
    """

    residual: Values
    deviating: Values
    texture: Values
    bend: Values
    displaced: Values
    room: Values
    outlying: Values
    apart: Values
    uneven: Values
    edge: Values


def look_around(seen: Suspects, chosen: npt.NDArray[np.bool_]) -> Around:
    """Measure the surroundings of the chosen blobs, (N,) bool; M of them."""
    height, width = seen.here.shape
    boxes = seen.features.boxes[chosen]
    x, y, wide, high = boxes.T
    blobs = seen.blobs
    own = seen.here[blobs.place].astype(np.float64)
    level = blobs.mean(own)
    uneven = np.sqrt(np.maximum(0.0, blobs.mean(np.square(own)) - np.square(level)))
    rings = _rings(seen, chosen)
    return Around(
        **{name: values[chosen] for name, values in rings.items() if name != "level"},
        displaced=np.array([_best_displaced(seen, box) for box in boxes]),
        room=np.minimum.reduce([x, y, width - x - wide, height - y - high]).astype(np.float64),
        outlying=_outlying(seen, level)[chosen],
        apart=np.where(np.isnan(rings["level"]), 0.0, np.abs(level - rings["level"]))[chosen],
        uneven=uneven[chosen],
    )


def _rings(seen: Suspects, chosen: npt.NDArray[np.bool_]) -> dict[str, Values]:
    """What the rings of the chosen blobs measure; of the others nothing. (N,) each."""
    count = seen.count
    made = {
        "residual": np.full(count, CAP_NOISE * seen.noise), "deviating": np.ones(count),
        "texture": np.full(count, UNKNOWN_SPREAD), "bend": np.full(count, UNKNOWN_BEND_PX), "edge": np.zeros(count),
        "level": np.full(count, np.nan),
    }  # fmt: skip
    for number, skirt in enumerate(seen.skirts):
        of_level = chosen & (seen.blobs.level == number)
        if not of_level.any():
            continue
        labels = seen.blobs.numbered(of_level, seen.here.shape)
        reached = cv2.dilate(labels, _square(SKIRT_PX))
        edge = places_of(np.asarray((reached > 0) & skirt & (labels == 0)))
        inner = cv2.dilate(skirt.view(np.uint8), _square(RIM_PX))
        around = np.asarray(cv2.dilate(labels, _square(RIM_PX + RING_PX)))
        ring = places_of(np.asarray((around > 0) & (inner == 0)))
        figures = _ring_figures(seen, ring, around[ring], int(of_level.sum()))
        edges = np.bincount(reached[edge], minlength=int(of_level.sum()) + 1)[1:]
        made["edge"][of_level] = edges / seen.features.pixels[of_level]
        known = figures.pop("pixels") >= LEAST_RING
        places = np.flatnonzero(of_level)[known]
        for name, values in figures.items():
            made[name][places] = values[known]
    return made


def _ring_figures(
    seen: Suspects, ring: tuple[npt.NDArray[Any], ...], owner: npt.NDArray[Any], count: int
) -> dict[str, Values]:  # fmt: skip
    """Figures of all rings of one threshold, (M,) each."""
    pixels = np.bincount(owner, minlength=count + 1)[1:]

    def mean(values: npt.NDArray[Any]) -> Values:
        return np.asarray(np.bincount(owner, values, minlength=count + 1)[1:] / np.maximum(pixels, 1))

    def spread(values: npt.NDArray[Any]) -> Values:
        wide = values.astype(np.float64)
        return np.sqrt(np.maximum(0.0, mean(wide * wide) - np.square(mean(wide))))

    left, own = seen.residual[ring].astype(np.float64), seen.here[ring].astype(np.float64)
    flows = [neighbour.flow[ring] for neighbour in seen.neighbours]
    bends = [spread(flow[:, 0]) + spread(flow[:, 1]) for flow in flows]
    return {
        "pixels": pixels.astype(np.float64), "residual": mean(np.minimum(left, CAP_NOISE * seen.noise)),
        "deviating": mean(left > DEVIATING_NOISE * seen.noise), "texture": spread(own), "bend": np.maximum(*bends),
        "level": mean(own),
    }  # fmt: skip


def _square(reach: int) -> Luma8:
    return np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)


def _outlying(seen: Suspects, level: Values) -> Values:
    """(N,) how far each blob's level lies outside the range of both neighbours round it; negative inside it."""
    height, width = seen.here.shape
    size = (max(1, width // RANGE_SCALE), max(1, height // RANGE_SCALE))
    rows, columns = seen.blobs.place
    place = np.minimum(rows // RANGE_SCALE, size[1] - 1), np.minimum(columns // RANGE_SCALE, size[0] - 1)
    square = _square(RANGE_PX // RANGE_SCALE)
    result = np.full(seen.count, np.inf)
    for neighbour in seen.neighbours:
        small = cv2.resize(neighbour.luma, size, interpolation=cv2.INTER_AREA)
        top = seen.blobs.extreme(cv2.dilate(small, square)[place], most=True)
        low = seen.blobs.extreme(cv2.erode(small, square)[place], most=False)
        result = np.minimum(result, np.maximum(level - top, low - level))
    return result


def _best_displaced(seen: Suspects, box: npt.NDArray[Any]) -> float:
    x, y, wide, high = (int(value) for value in box)
    return min(_displaced(seen.here, neighbour.luma, (x, y, wide, high)) for neighbour in seen.neighbours)


def _displaced(here: Luma8, moved: Luma8, box: tuple[int, int, int, int]) -> float:
    """Best match within the search distance over the match in place; 1 where moving does not help."""
    height, width = here.shape
    x, y, wide, high = box
    x, wide = _middle(x - RIM_PX, wide + 2 * RIM_PX)
    y, high = _middle(y - RIM_PX, high + 2 * RIM_PX)
    left, top = max(x, SEARCH_PX), max(y, SEARCH_PX)
    right, bottom = min(x + wide, width - SEARCH_PX), min(y + high, height - SEARCH_PX)
    if right - left < 3 or bottom - top < 3:
        return 1.0
    patch = here[top:bottom, left:right]
    field = moved[top - SEARCH_PX : bottom + SEARCH_PX, left - SEARCH_PX : right + SEARCH_PX]
    match = cv2.matchTemplate(field, patch, cv2.TM_SQDIFF)
    place = float(match[SEARCH_PX, SEARCH_PX])
    return float(np.sqrt((float(match.min()) + patch.size) / (place + patch.size)))


def _middle(start: int, length: int) -> tuple[int, int]:
    cut = max(0, length - LARGEST_PATCH_PX)
    return start + cut // 2, length - cut
