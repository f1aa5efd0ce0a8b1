"""Finding dirt among the suspects: blobs are judged whole."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.picture.masks import feather_inside, grow
from grevin.core.steps.dirt.features import BlobFeatures
from grevin.core.steps.dirt.judge import MODEL, judge, plain_score
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.dirt.suspects import SKIRT_PX, Suspects
from grevin.core.steps.evidence import Blob, Evidence

# Squared 8-bit levels summed over a blob, below which a wrong repair is hardly seen; tried on the clean open clips so
# that no frame falls below 38 dB. At the ends of a shot what comes into view or goes looks like dirt.
SMALL_STAKE, SMALL_STAKE_AT_END = 2.2e5, 2e4
DOUBTFUL_SCORE = 1.0  # a blob is doubtful where its score lies no farther than this from what is needed
AROUND_PX = 4  # width of the surroundings that a drawn place is compared with
STAKE_SLOPE = 0.6  # rise of the needed score with the logarithm of the stake
# Of its contrast, by which what both frames beside show under a speck may differ, beyond their noise. Of 1,724 specks
# found on ten open clips two are lost by that, and four fifths of what was taken of twigs in the wind and of words on
# a bar (by the squared levels of it, other clips).
TOLD_APART, APART_SLOPE = 0.3, 12.0  # and the score that is needed more for each time its contrast beyond that
MEAN_OF_NOISE = 0.8  # of the absolute value, over the standard deviation, of a normal distribution


def find_roughly(seen: Suspects, settings: DirtSettings) -> Mask:
    """(H, W) bool: dirt by the plain rule alone, for cleaning a frame that others are compared with."""
    score = np.where(in_bounds(seen.features, settings), plain_score(seen.features), -np.inf)
    kept = seen.blobs.best(score) & (score > 0)
    return grow(_reached(seen, kept), settings.grow_px) if kept.any() else np.zeros(seen.here.shape, np.bool_)


def surcharge(seen: Suspects) -> npt.NDArray[np.float64]:
    """(N,) how much surer the judge has to be: the more a wrong repair would spoil, the more.

    And where the frames beside show two different things in its place, since dirt has lain on one.
    """
    features = seen.features
    apart = features.disagreement - MEAN_OF_NOISE * seen.noise / features.contrast
    stake = features.pixels * np.square(features.contrast)
    small = SMALL_STAKE if seen.both_sides else SMALL_STAKE_AT_END
    dearer = STAKE_SLOPE * np.log(np.maximum(1.0, stake / small))
    return np.asarray(dearer + APART_SLOPE * np.maximum(0.0, apart - TOLD_APART))


def find_blobs(seen: Suspects, flying: Mask, settings: DirtSettings) -> tuple[Evidence, int]:
    """Evidence of dirt among the suspects, of which those that fly are none; and how many look like it with those.

    Of blobs that lie in each other the best judged is taken.
    """
    if seen.count == 0:
        return Evidence.nothing(seen.here.shape), 0
    sure = judge(seen)
    over, best = chosen_of(seen, sure, settings)
    likely, near = best & (over >= 0), np.abs(over) < DOUBTFUL_SCORE
    kept = likely & ~flying
    blobs = blobs_of(seen.features, kept, sure, near)
    passed = blobs_of(seen.features, best & ~likely & ~flying & near, sure, near)
    mask, weight = mask_of(seen, kept, settings)
    return Evidence(mask, weight, blobs, passed=passed), int(np.count_nonzero(likely))


def chosen_of(
    seen: Suspects, sure: npt.NDArray[np.float64], settings: DirtSettings
) -> tuple[npt.NDArray[np.float64], Mask]:  # fmt: skip
    """(N,) how far each blob's score lies over what is needed, and (N,) bool, the best of those that overlap."""
    over = score_of(sure) - surcharge(seen) - MODEL.score(settings.caution)
    allowed = in_bounds(seen.features, settings) & (sure > 0)
    over = np.where(allowed, over, -np.inf)
    return over, np.asarray(seen.blobs.best(over) & allowed)


def find_at(seen: Suspects, area: Area, settings: DirtSettings) -> Evidence:
    """Evidence of what a person points at: the suspect there, whatever the judge thinks, or the place itself."""
    rows, columns = seen.blobs.place
    x, y, width, height = area
    inside = (rows >= y) & (rows < y + height) & (columns >= x) & (columns < x + width)
    touched = seen.blobs.total(inside)
    if touched.any():
        sure = judge(seen)
        likeliest = np.where(touched == touched.max(), sure - 1e-9 * seen.features.pixels, -1.0)
        meant = np.zeros(seen.count, np.bool_)
        meant[int(np.argmax(likeliest))] = True
        mask, weight = mask_of(seen, meant, settings)
        return Evidence(mask, weight, blobs_of(seen.features, meant, sure, np.zeros_like(meant)))
    return drawn_evidence(seen.here, area, settings)


def drawn_evidence(here: Luma8, area: Area, settings: DirtSettings) -> Evidence:
    """Evidence of a place as a person drew it: the ellipse in the area; contrast against the median around it."""
    drawn = np.zeros(here.shape, np.uint8)
    middle = (area[0] + (area[2] - 1) / 2, area[1] + (area[3] - 1) / 2)
    cv2.ellipse(drawn, (middle, (float(area[2]), float(area[3])), 0.0), 1, cv2.FILLED)
    core = np.asarray(drawn, np.bool_)
    mask = grow(core, settings.grow_px)
    around = grow(mask, AROUND_PX) & ~mask
    contrast = float(here[core].mean() - np.median(here[around])) if core.any() and around.any() else 0.0
    return Evidence(mask, feather_inside(mask, core), (Blob(area, int(core.sum()), round(contrast, 2), 0.0),))


def mask_of(
    seen: Suspects, kept: Mask, settings: DirtSettings
) -> tuple[Mask, npt.NDArray[np.float32] | None]:  # fmt: skip
    """(H, W) bool and float32 0..1: what is mended of those blobs, and how much of it."""
    if not kept.any():
        return np.zeros(seen.here.shape, np.bool_), None
    core = _reached(seen, kept)
    mask = grow(core, settings.grow_px)
    return mask, feather_inside(mask, grow(core, max(0, settings.grow_px - 1)))


def score_of(sure: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """The score behind a confidence of 0..1."""
    held = np.clip(sure, 1e-6, 1 - 1e-6)
    return np.asarray(np.log(held / (1 - held)))


def _reached(seen: Suspects, kept: Mask) -> Mask:
    """The pixels of blobs, and what is still visibly off beside them."""
    result: npt.NDArray[Any] = np.zeros(seen.here.shape, np.uint8)
    for level, skirt in enumerate(seen.skirts):
        chosen = kept & (seen.blobs.level == level)
        if not chosen.any():
            continue
        reached: npt.NDArray[Any] = np.zeros(seen.here.shape, np.uint8)
        edges = skirt.view(np.uint8).copy()
        edges[seen.blobs.pixels_of((seen.blobs.level == level) & ~chosen)] = 0
        reached[seen.blobs.pixels_of(chosen)] = 1
        for _ in range(SKIRT_PX):
            reached = cv2.max(reached, cv2.min(cv2.dilate(reached, np.ones((3, 3), np.uint8)), edges))
        result = cv2.max(result, reached)
    return np.asarray(result.view(np.bool_))


def in_bounds(features: BlobFeatures, settings: DirtSettings) -> Mask:
    """Which blobs the settings allow at all."""
    in_size = (features.pixels >= settings.smallest_px) & (features.pixels <= settings.largest_px)
    return np.asarray(in_size & (features.speed <= settings.motion_limit_px), np.bool_)


def blobs_of(
    features: BlobFeatures, kept: Mask, sure: npt.NDArray[np.float64], near: Mask
) -> tuple[Blob, ...]:  # fmt: skip
    """What is told of the blobs that are kept; `near` says which of them are doubtful."""
    return tuple(
        Blob(
            (int(box[0]), int(box[1]), int(box[2]), int(box[3])),
            int(features.pixels[index]),
            round(float(features.sign[index] * features.contrast[index]), 2),
            round(float(sure[index]), 3),
            bool(near[index]),
        )
        for index, box in enumerate(features.boxes)
        if kept[index]
    )
