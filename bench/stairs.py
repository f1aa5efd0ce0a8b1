"""Doubled lines and enlarging by the nearest sample over open clips, found and made anew: the suite `stairs`.

Which lines repeat is told by a rule that was set by its reason (half way between a repeat and none); that it separates
was looked at on stills of scikit-image and on the reporting clips. Clips on which other steps set their rules were not
looked at before this suite ran, so here they are the ones that are unseen, and both groups are told apart.
"""

from __future__ import annotations

import time
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, Clip, pristine
from bench.over_clips import suite_over_clips
from grevin.core.measure.repeated_lines import repeats_of, slopes
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

Luma = npt.NDArray[np.uint8]

SEED = 6271  # of the places of moving parts and of the noise; drawn when the rules were set
FACTORS = {"nearest_1.5": 1.5, "nearest_2": 2.0, "nearest_2.25": 2.25}
KINDS = ("doubled", *FACTORS, "moving")
LATER = ("", "noise", "jpeg")  # what came over the picture behind the fault
NOISE, QUALITY = 3.0, 60  # 8-bit levels; of JPEG
FRAMES = (2, 3, 4)
MOVED_PX, MOVED_LEVELS = 15, 5
DEEP = 0.05  # sizes that differ less are the same


def run_stairs(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("stairs", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    for group in ("rules", "reports"):
        for fault in dict.fromkeys(row["fault"] for row in rows):
            own = [row for row in rows if row["fault"] == fault and row["group"] == group]
            if not own:
                continue
            name = f"{fault}_{group}"
            if fault.startswith("clean"):
                found[f"{name}_changed_worst"] = max(row["changed"] for row in own)
                found[f"{name}_db_worst"] = min(row["after_db"] for row in own)
                continue
            gains = [row["after_db"] - row["before_db"] for row in own]
            found[f"{name}_gain_db"] = round(float(np.mean(gains)), 2)
            found[f"{name}_gain_db_worst"] = round(min(gains), 2)
            if "right" in own[0]:
                found[f"{name}_found_right"] = round(float(np.mean([row["right"] for row in own])), 3)
    seconds = [row["seconds"] for row in rows if row["changed"] > DEEP]
    if seconds:
        found["seconds_a_frame"] = round(float(np.mean(seconds)), 4)
    return found


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    source = pristine(clip)
    clean = [source[number].luma8() for number in FRAMES]
    height, width = (size // 2 * 2 for size in clean[0].shape)
    clean = [np.ascontiguousarray(one[:height, :width]) for one in clean]
    rng = np.random.default_rng((SEED, place))
    rows = []
    for later in LATER:
        kind = "clean" if clip.move is not None else "clean_footage"  # which may hold repeats of its own
        rows.append(_figures(clip, _name(kind, later), clean, [_worn(one, later, rng) for one in clean], 1.0))
        for kind in KINDS:
            faulty = [_worn(_faulty(one, kind, rng, _moved(clean, n)), later, rng) for n, one in enumerate(clean)]
            size = 1.0 if kind == "moving" else FACTORS.get(kind, 2.0)
            rows.append(_figures(clip, _name(kind, later), clean, faulty, size))
    return rows


def _name(kind: str, later: str) -> str:
    return f"{kind}_{later}" if later else kind


def _moved(clean: list[Luma], number: int) -> npt.NDArray[np.bool_]:
    """(H, W) where a frame differs from those beside it: deinterlacers double lines only there."""
    others = [clean[place] for place in (number - 1, number + 1) if 0 <= place < len(clean)]
    apart = np.max([cv2.blur(cv2.absdiff(clean[number], one), (MOVED_PX, MOVED_PX)) for one in others], axis=0)
    return np.asarray(apart >= MOVED_LEVELS)


def _faulty(luma: Luma, kind: str, rng: np.random.Generator, moved: npt.NDArray[np.bool_]) -> Luma:
    height, width = luma.shape
    if kind in FACTORS:
        small = cv2.resize(luma, None, fx=1 / FACTORS[kind], fy=1 / FACTORS[kind], interpolation=cv2.INTER_AREA)
        return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_NEAREST), np.uint8)
    doubled = np.repeat(luma[::2], 2, axis=0)
    if kind == "doubled":
        return doubled
    made = luma.copy()
    y, x = int(rng.integers(0, height // 2)), int(rng.integers(0, width // 2))
    part = slice(y // 2 * 2, y // 2 * 2 + height // 2), slice(x, x + width // 2)
    made[part] = np.where(moved[part], doubled[part], luma[part])
    return made


def _worn(luma: Luma, later: str, rng: np.random.Generator) -> Luma:
    if later == "noise":
        return np.clip(np.rint(luma + rng.normal(0, NOISE, luma.shape)), 0, 255).astype(np.uint8)
    if later == "jpeg":
        packed = cv2.imencode(".jpg", luma, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1]
        return np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8)
    return luma


def _figures(clip: Clip, fault: str, clean: list[Luma], faulty: list[Luma], size: float) -> dict[str, Any]:
    height, width = clean[0].shape
    fmt = PictureFormat(width, height, "grey", 8, full_range=True)
    chain = Chain(MemorySource([Frame(number, fmt, (one,)) for number, one in enumerate(faulty)], clip.name),
                  Treatment(steps=(TreatmentStep.make("stairs"),)))  # fmt: skip
    chain.result.frame(0)  # the shot is learned with it
    begun = time.process_time()
    made = [chain.result.frame(number).planes[0] for number in range(len(faulty))][1:]
    seconds = (time.process_time() - begun) / len(made)
    pairs = list(zip(clean[1:], faulty[1:], made, strict=True))
    said: dict[str, Any] = {}
    if size > 1.0 or fault.startswith("clean"):
        period = repeats_of(np.sum([slopes(one) for one in faulty], axis=0)).period or 1.0
        said = {"lines_a_sample": round(period, 3), "right": float(abs(period - size) < DEEP)}
    truth = [one if fault.startswith("clean") else right for right, one, _ in pairs]
    return {
        "clip": clip.name, "group": clip.group, "fault": fault, **said,
        "changed": round(float(np.mean([(one != after).mean() for _, one, after in pairs])), 4),
        "before_db": _db(truth, [one for _, one, _ in pairs]), "after_db": _db(truth, [after for _, _, after in pairs]),
        "seconds": round(seconds, 4),
    }  # fmt: skip


def _db(right: list[Luma], other: list[Luma]) -> float:
    apart = sum(float(np.square(a.astype(np.float64) - b).sum()) for a, b in zip(right, other, strict=True))
    return round(psnr(apart, right[0].size * len(right)), 3) if apart else 99.0
