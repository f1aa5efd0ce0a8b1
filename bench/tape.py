"""Simulated faults of tape over open clips, found and mended: the suite `tape`. Only clips that rules were not set on.

Dropouts on interlaced pictures, in either order of fields, beside plain alternatives that are told the truth; the same
after a codec, as tapes are captured: there the clean clip through the codec is what is right; and under the noise of a
tape, and under much grain, which are right as they are.
"""

from __future__ import annotations

import time
from typing import Any, Literal, get_args

import cv2
import numpy as np

from bench.clips import REPORTS, Clip, carried_by_codec, through
from bench.on_fields import GRAIN, ORDERS, interlaced
from bench.over_clips import over_clips
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.progress import Progress
from grevin.core.quality.damage.dropout import SEEN_LEVELS, DropoutDamage
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 9343  # drawn behind the rules
A_FRAME = 5.0
Condition = Literal["", "mpeg2", "tape noise", "grain"]  # "" for little grain
CONDITIONS: tuple[Condition, ...] = get_args(Condition)
MUCH = 6.0  # 8-bit levels of grain
LOOKED_AT = (2, 5, 8)
LOSSLESS_DB = 99.0
GREAT_IS_BAD = ("false_a_clean_frame", "seconds_a_frame")


def names() -> list[str]:
    """Clips that can be asked for."""
    return [clip.name for clip in REPORTS]


def run_tape(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the dropout step.

    Raises:
        UsageError: for a name that does not exist.
    """
    rows: list[dict[str, Any]] = []

    def measure(name: str) -> int:
        place = next(number for number, one in enumerate(REPORTS) if one.name == name)
        for condition in CONDITIONS:
            figures = dropout_figures(REPORTS[place], place, SEED, condition)
            if figures:
                rows.append({"clip": name, "condition": condition, **figures})
        return len(rows)

    _, skipped = over_clips(wanted, names(), measure, progress)
    return {
        "format": "grevin-bench", "version": 1, "suite": "tape", "rows": rows, "skipped": skipped,
        "together": {
            f"{condition.replace(' ', '_')}_{name}".strip("_"): figure for condition in CONDITIONS
            for name, figure in _together([row for row in rows if row["condition"] == condition]).items()
        },
    }, None  # fmt: skip


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """The mean over the clips, and the worst."""
    found: dict[str, float] = {"clips": len(rows)}
    for name in rows[0] if rows else ():
        if name not in {"clip", "condition"}:
            values = [row[name] for row in rows]
            found[name] = round(float(np.mean(values)), 3)
            found[f"{name}_worst"] = max(values) if name in GREAT_IS_BAD else min(values)
    return found


def dropout_figures(clip: Clip, place: int, seed: int, condition: Condition = "") -> dict[str, float]:
    """What the step makes of dropouts on a clip, and of the clip without any; nothing where it gives no fields."""
    clean = _clean(clip, place, seed, condition)
    if not clean:
        return {}
    damage = DropoutDamage(seed + place, A_FRAME)
    worn = [damage.add(frame) for frame in clean]
    if condition == "mpeg2":
        coded = through([frame for frame, _ in worn], condition)
        clean, worn = through(clean, condition), [(frame, truth) for frame, (_, truth) in zip(coded, worn, strict=True)]
    chain, untouched = _chain([frame for frame, _ in worn], clip.name), _chain(clean, f"{clip.name} clean")
    counts = {"found": 0, "right": 0, "there": 0, "hit": 0}
    squares = {name: [0.0, 0.0] for name in ("before", "whole", "inside_before", "inside", "told_lines", "found_lines")}
    false, least, seconds = 0, LOSSLESS_DB, 0.0
    for number in LOOKED_AT:
        begun = time.process_time()
        made = chain.result.frame(number)
        seconds += (time.process_time() - begun) / len(LOOKED_AT)
        evidence, truth = chain.evidence_at(1, number), worn[number][1].mask
        assert evidence is not None
        counts["found"] += int(evidence.mask.sum())
        counts["right"] += int((evidence.mask & (_near(truth) | _spread(clean[number], worn[number][0]))).sum())
        counts["there"] += int(truth.sum())
        counts["hit"] += int((evidence.mask & truth).sum())
        _add_errors(squares, clean[number], worn[number][0], made, truth, evidence.mask)
        own = untouched.evidence_at(1, number)
        assert own is not None
        false += len(own.blobs)
        least = min(least, _apart(untouched.result.frame(number), clean[number]))
    found = {
        name: psnr(total, int(count)) if count and total else LOSSLESS_DB for name, (total, count) in squares.items()
    }
    return {
        "precision": round(counts["right"] / max(1, counts["found"]), 3),
        "recall": round(counts["hit"] / max(1, counts["there"]), 3),
        "false_a_clean_frame": round(false / len(LOOKED_AT), 2), "clean_db": round(least, 2),
        "seconds_a_frame": round(seconds, 3), **{f"{name}_db": round(db, 2) for name, db in found.items()},
    }  # fmt: skip


def _clean(clip: Clip, place: int, seed: int, condition: Condition) -> list[Frame]:
    """A clip as it is before any dropouts; nothing where it gives no fields, or the codec does not carry them."""
    grain = {"tape noise": 0.0, "grain": MUCH}.get(condition, GRAIN)
    frames = interlaced(clip, ORDERS[place % 2], grain=grain)
    if frames is None or (condition == "mpeg2" and not carried_by_codec(frames[0])):
        return []
    noise = TapeNoiseDamage(seed + place)
    return [noise.add(frame)[0] for frame in frames] if condition == "tape noise" else frames


def _near(truth: Mask) -> Mask:
    """Damaged pixels and those beside: ends that fade are mended too, and whole blocks of chroma, of two lines."""
    return np.asarray(cv2.dilate(truth.astype(np.uint8), np.ones((5, 41), np.uint8)) > 0)


def _spread(clean: Frame, worn: Frame) -> Mask:
    """What differs: a codec spreads a streak over the lines of its blocks, and that is damaged too."""
    return np.asarray(np.abs(to_rgb(worn) - to_rgb(clean)).max(axis=2) * 255 > SEEN_LEVELS)


def _chain(frames: list[Frame], name: str) -> Chain:
    return Chain(MemorySource(frames, name), Treatment(steps=(TreatmentStep.make("dropout"),)))


def _apart(one: Frame, other: Frame) -> float:
    apart = np.square(one.luma8().astype(np.float32) - other.luma8())
    return psnr(float(apart.sum()), apart.size) if apart.any() else LOSSLESS_DB


def _add_errors(
    squares: dict[str, list[float]], clean: Frame, worn: Frame, made: Frame, truth: Mask, taken: Mask
) -> None:  # fmt: skip
    right, before, after = (to_rgb(frame) * 255 for frame in (clean, worn, made))
    lines = _from_lines(before, truth)
    everywhere = np.ones_like(truth)
    for name, picture, mask in (
        ("before", before, everywhere), ("whole", after, everywhere), ("inside_before", before, truth),
        ("inside", after, truth & taken), ("told_lines", lines, truth), ("found_lines", lines, truth & taken),
    ):  # fmt: skip
        squares[name][0] += float(np.square(picture - right)[mask].sum())
        squares[name][1] += 3 * int(mask.sum())


def _from_lines(picture: np.ndarray, truth: Mask) -> np.ndarray:
    """The plain alternative, told the truth: straight down between the nearest good lines of the field."""
    made = picture.copy()
    for parity in (0, 1):
        field, bad = made[parity::2], truth[parity::2]
        rows = np.arange(len(field), dtype=np.float64)
        for column in np.flatnonzero(bad.any(axis=0)):
            good = ~bad[:, column]
            for channel in range(3):
                field[:, column, channel] = np.interp(rows, rows[good], field[good, column, channel])
    return made
