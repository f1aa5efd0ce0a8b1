"""Simulated scratches over open clips, found and mended, surveyed, and what is mended by hand: the suite `surface`.

Clean footage beside it. Only clips that rules and the judge were not set on.
"""

from __future__ import annotations

import time
from typing import Any

import cv2
import numpy as np

from bench.by_hand import spots_figures, strokes_figures
from bench.clips import REPORTS, Clip, long_run
from bench.on_fields import ORDERS, interlaced
from bench.over_clips import over_clips
from bench.soft_sides import sides_figures
from grevin.core.motion.flow import estimate_flow
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.progress import Progress
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.evidence import Evidence
from grevin.core.survey.survey import run_survey
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH = 25  # frames
LOOKED_AT = (3, 9, 15, 21)
SURVEYED = 12  # of them
FIELDS_LENGTH, FIELDS_LOOKED_AT = 12, (2, 5, 9)  # frames of interlaced material, and those of them
GRAIN = 3.0  # 8-bit levels
COUNT = 9
WANDERS = (0.0, 0.3, 0.6)  # px a frame, by clip
SEED = 9511
NEAR_PX = 2.5  # from the middle of a scratch, beside half its width: a line that lies on it
STANDING_PX = 0.5  # of motion, the middle of a clip: less, and the camera stands
TELEA_PX = 3.0  # radius of the comparison (Telea 2004), which is told the truth


ERRORS = ("made", "found", "worn", "telea", "opaque", "joined", "found_opaque", "found_joined")
GREAT_IS_BAD = ("steadiness", "false_heights", "learn_seconds", "mend_seconds", "survey_clean", "spots_false",
                "fields_spots_false")  # fmt: skip


def names() -> list[str]:
    """Clips that can be asked for."""
    return [clip.name for clip in REPORTS]


def run_surface(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the scratch step.

    Raises:
        UsageError: for a name that does not exist.
    """
    rows: list[dict[str, Any]] = []

    def measure(name: str) -> int:
        clip = next(one for one in REPORTS if one.name == name)
        rows.append({"clip": name, **_figures(clip, REPORTS.index(clip))})
        return len(rows)

    _, skipped = over_clips(wanted, names(), measure, progress)
    together = {key: _together([row for row in rows if row["stands"] == (key == "standing")]) for key in
                ("moving", "standing")}  # fmt: skip
    flat = {f"{key}_{name}": value for key, some in together.items() for name, value in some.items()}
    return {
        "format": "grevin-bench", "version": 1, "suite": "surface", "rows": rows, "skipped": skipped,
        "together": flat,
    }, None  # fmt: skip


def _figures(clip: Clip, place: int) -> dict[str, Any]:
    seed = SEED + 10 * place
    clean = [GrainDamage(seed, GRAIN).add(frame)[0] for frame in long_run(clip, LENGTH)]
    damage = ScratchDamage(seed, COUNT, WANDERS[place % len(WANDERS)], length=LENGTH)
    worn = [damage.add(frame)[0] for frame in clean]
    chain = _chain(worn, clip.name)
    begun = time.process_time()
    chain.steps[0].study_of(0)
    learned = (time.process_time() - begun) / LENGTH
    sums: dict[str, float] = dict.fromkeys(("there", "hit", "found", "right", "seconds"), 0.0)
    errors: dict[str, list[float]] = {name: [0.0, 0.0] for name in ERRORS}
    changes = [0.0, 0.0]
    for number in LOOKED_AT:
        begun = time.process_time()
        made = chain.result.frame(number)
        sums["seconds"] += (time.process_time() - begun) / len(LOOKED_AT)
        evidence = chain.evidence_at(1, number)
        assert evidence is not None
        _count(sums, evidence, damage, number)
        _inside(errors, clean[number], worn[number], made, damage, evidence.mask)
        _change(changes, (clean[number], clean[number + 1]), (made, chain.result.frame(number + 1)), damage)
    untouched = _chain(clean, f"{clip.name} clean")
    whole = [_clean_figures(untouched, number, clean[number]) for number in LOOKED_AT]
    flow = estimate_flow(clean[0].luma8(), clean[1].luma8(), "quick")
    pace = float(np.median(np.hypot(flow[..., 0], flow[..., 1])))
    found = {name: psnr(squares, int(count)) if count else 0.0 for name, (squares, count) in errors.items()}
    recall = round(sums["hit"] / max(1e-9, sums["there"]), 3)
    return {
        "stands": pace < STANDING_PX, "pace": round(pace, 2), "recall": recall,
        "precision": round(sums["right"] / max(1e-9, sums["found"]), 3),
        "false_heights": round(float(np.mean([heights for heights, _ in whole])), 3),
        "steadiness": round(float(np.sqrt(changes[0] / max(changes[1], 1e-9))), 3),
        "clean_db": round(min(db for _, db in whole), 2), "learn_seconds": round(learned, 3),
        "mend_seconds": round(sums["seconds"], 3), **{f"{name}_db": round(db, 2) for name, db in found.items()},
        "survey_worn": _surveyed(worn, clip.name), "survey_clean": _surveyed(clean, f"{clip.name} clean"),
        **strokes_figures(clean, seed, clip.name), **spots_figures(clean, seed, clip.name),
        **_fields_figures(clip, place, seed), **sides_figures(clean, seed, clip.name),
    }  # fmt: skip


def _fields_figures(clip: Clip, place: int, seed: int) -> dict[str, float]:
    """The same scratches on both fields of interlaced material; nothing where a clip has no two whole fields."""
    clean = interlaced(clip, ORDERS[place % 2], FIELDS_LENGTH)
    if clean is None:
        return {}
    damage = ScratchDamage(seed, COUNT, WANDERS[place % len(WANDERS)], length=FIELDS_LENGTH)
    worn = [damage.add(frame)[0] for frame in clean]
    chain, untouched = _chain(worn, f"{clip.name} on fields"), _chain(clean, f"{clip.name} on fields clean")
    sums: dict[str, float] = dict.fromkeys(("there", "hit", "found", "right"), 0.0)
    errors: dict[str, list[float]] = {name: [0.0, 0.0] for name in ERRORS}
    whole = []
    for number in FIELDS_LOOKED_AT:
        evidence = chain.evidence_at(1, number)
        assert evidence is not None
        _count(sums, evidence, damage, number)
        _inside(errors, clean[number], worn[number], chain.result.frame(number), damage, evidence.mask)
        whole.append(_clean_figures(untouched, number, clean[number]))
    found = {name: psnr(errors[name][0], int(errors[name][1])) for name in ("made", "worn", "telea")}
    spots = spots_figures(clean, seed, f"{clip.name} on fields")
    return {
        "fields_recall": round(sums["hit"] / max(1e-9, sums["there"]), 3),
        "fields_precision": round(sums["right"] / max(1e-9, sums["found"]), 3),
        "fields_clean_db": round(min(db for _, db in whole), 2),
        **{f"fields_{name}_db": round(db, 2) for name, db in found.items()},
        **{f"fields_{name}": value for name, value in spots.items()},
    }  # fmt: skip


def _surveyed(frames: list[Frame], name: str) -> float:
    """Picture heights of scratches that the survey finds on a frame in the middle of a shot, in the mean."""
    survey = run_survey(MemorySource(frames, name), range(SURVEYED), "full", Progress())
    lengths = survey.series["scratch_length"]
    return round(float(np.nanmean(lengths)), 3) if not np.isnan(lengths).all() else 0.0


def _chain(frames: list[Frame], name: str) -> Chain:
    return Chain(MemorySource(frames, name), Treatment(steps=(TreatmentStep.make("scratch"),)))


def _count(sums: dict[str, float], evidence: Evidence, damage: ScratchDamage, number: int) -> None:
    """Lengths of scratches that are there, of those that are hit, of lines that were found, of those that are right."""
    height = evidence.mask.shape[0]
    truth = np.zeros_like(evidence.mask)
    for place, line in enumerate(damage.drawn):
        if not line.begin <= number < line.end:
            continue
        rows, across = _rows_of(damage, place, line, number, evidence.mask.shape)
        sums["there"] += len(rows) / height
        sums["hit"] += float(evidence.mask[rows, across].sum()) / height
        for by in range(-int(NEAR_PX + line.width_px / 2), int(NEAR_PX + line.width_px / 2) + 1):
            truth[rows, np.clip(across + by, 0, truth.shape[1] - 1)] = True
    for blob in evidence.blobs:
        x, y, width, tall = blob.area
        sums["found"] += tall / height
        part = truth[y : y + tall, x : x + width] & evidence.mask[y : y + tall, x : x + width]
        sums["right"] += float(part.any(axis=1).sum()) / height


def _rows_of(
    damage: ScratchDamage, place: int, line: Line, number: int, shape: tuple[int, ...]
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    height, width = shape[:2]
    rows = np.arange(int(line.first * height), int(line.last * height))
    across = np.rint(damage.centres(place, number, (height, width))[rows]).astype(int)
    inside = (across >= 0) & (across < width)
    return rows[inside], across[inside]


def _inside(
    errors: dict[str, list[float]], clean: Frame, worn: Frame, made: Frame, damage: ScratchDamage, taken: Mask
) -> None:  # fmt: skip
    """Squared errors inside the truth, of shallow scratches and of opaque ones, and of those that were found."""
    right, before, after = (to_rgb(frame) * 255 for frame in (clean, worn, made))
    masks = {False: np.zeros(right.shape[:2], np.bool_), True: np.zeros(right.shape[:2], np.bool_)}
    _, truth = damage.add(clean)
    for mark in truth.marks:
        x, y, width, height = mark.area
        masks[mark.kind == "opaque"][y : y + height, x : x + width] |= truth.mask[y : y + height, x : x + width]
    told = truth.mask.astype(np.uint8)
    eight = np.clip(before, 0, 255).astype(np.uint8)
    telea = cv2.inpaint(eight, told, TELEA_PX, cv2.INPAINT_TELEA).astype(np.float32)
    for name, picture, mask in (
        ("made", after, masks[False]), ("found", after, masks[False] & taken), ("worn", before, masks[False]),
        ("telea", telea, masks[False]),
        ("opaque", after, masks[True]), ("joined", telea, masks[True]),
        ("found_opaque", after, masks[True] & taken), ("found_joined", telea, masks[True] & taken),
    ):  # fmt: skip
        errors[name][0] += float(np.square(picture - right)[mask].sum())
        errors[name][1] += 3 * int(mask.sum())


def _change(
    changes: list[float], clean: tuple[Frame, Frame], made: tuple[Frame, Frame], damage: ScratchDamage
) -> None:  # fmt: skip
    """Squared change from a frame to the next inside the truth of both: of the result, and of the clean material."""
    inside = damage.add(clean[0])[1].mask & damage.add(clean[1])[1].mask
    for place, (first, second) in enumerate((made, clean)):
        changes[place] += float(np.square((to_rgb(second) - to_rgb(first))[inside] * 255).sum())


def _clean_figures(chain: Chain, number: int, clean: Frame) -> tuple[float, float]:
    """False picture heights on a clean frame, and what became of it."""
    evidence, made = chain.evidence_at(1, number), chain.result.frame(number)
    assert evidence is not None
    heights = sum(blob.area[3] for blob in evidence.blobs) / evidence.mask.shape[0]
    apart = np.square(np.asarray(made.luma8(), np.float32) - clean.luma8())
    return heights, psnr(float(apart.sum()), apart.size) if apart.any() else 99.0


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """The mean over the clips, and the worst."""
    if not rows:
        return {}
    found: dict[str, float] = {"clips": len(rows)}
    for name in dict.fromkeys(name for row in rows for name in row):
        if name in {"clip", "stands", "pace"}:
            continue
        known = [row[name] for row in rows if name in row]
        values = [value for value in known if value or not name.endswith("_db")] or [0.0]
        worst = max(values) if name in GREAT_IS_BAD or name.endswith("_rim") else min(values)
        found |= {name: round(float(np.mean(values)), 3), f"{name}_worst": worst}
    return found
