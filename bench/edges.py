"""Simulated borders over open clips, found and filled: the suite `edges`. Only clips that rules were not set on."""

from __future__ import annotations

import time
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from bench.clips import REPORTS, Clip, load_clip
from bench.over_clips import suite_over_clips
from grevin.core.measure.active_area import Borders, borders_of
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.border import BorderDamage
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 7926  # drawn when the rules were set
LOOKED_AT = (4, 11, 19)
DARK = 0.06  # of the light above black that is left of a dark shot
WORN: dict[str, dict[str, Any]] = {
    "black": {}, "ragged": {"ragged": 0.8, "dots": 0.25}, "torn": {"ragged": 0.5, "torn": 8}, "dark": {},
}  # fmt: skip


def run_edges(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in REPORTS]
    return suite_over_clips("edges", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    for kind in (*WORN, "clean", "clean_dark"):
        own = [row for row in rows if row["borders"] == kind]
        if own:
            found[f"{kind}_sides_within_1_px"] = round(float(np.mean([row["sides_off"] <= 1 for row in own])), 3)
            found[f"{kind}_lines_within_1"] = round(float(np.mean([row["lines_off"] <= 1 for row in own])), 3)
            found[f"{kind}_most_off"] = max(max(row["sides_off"], row["lines_off"]) for row in own)
    filled = [row for row in rows if row.get("by_frames", 0.0) > 0]
    if filled:
        for name in ("by_frames", "frames_db", "mirror_db"):
            found[name] = round(float(np.mean([row[name] for row in filled])), 2)
        gains = [row["frames_db"] - row["mirror_db"] for row in filled]
        found["gain_over_mirror_db_worst"] = round(min(gains), 2)
    seconds = [row["seconds"] for row in rows if "seconds" in row]
    if seconds:
        found["seconds_a_frame"] = round(float(np.mean(seconds)), 4)
    return found


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = REPORTS[place]
    source = load_clip(clip)
    clean = [source.frame(number) for number in range(len(source))]
    rng = np.random.default_rng((SEED, place))
    rows = []
    own = borders_of(np.stack([frame.luma8() for frame in clean]))
    if clip.move is not None:  # footage may have borders of its own
        rows.append({"clip": clip.name, "borders": "clean", **_off(own, Borders())})
        hardly = borders_of(np.stack([_dark(frame).luma8() for frame in clean]))
        rows.append({"clip": clip.name, "borders": "clean_dark", **_off(hardly, Borders())})
    for kind, more in WORN.items():
        left, right = (int(one) for one in rng.integers(4, 14, 2))
        top, bottom = (int(one) for one in rng.integers(0, 6, 2))
        damage = BorderDamage(int(rng.integers(1 << 20)), left, right, top, bottom, **more)
        worn = [damage.add(_dark(frame) if kind == "dark" else frame)[0] for frame in clean]
        found = borders_of(np.stack([frame.luma8() for frame in worn]))
        truth = Borders(left, right, top, bottom + damage.torn, damage.torn)
        filled = _filled(clip, clean, worn) if kind == "ragged" else {}
        rows.append({"clip": clip.name, "borders": kind, **_off(found, truth), **filled})
    return rows


def _off(found: Borders, truth: Borders) -> dict[str, int]:
    off = {name: abs(value - getattr(truth, name)) for name, value in asdict(found).items()}
    return {"sides_off": max(off["left"], off["right"]), "lines_off": max(off["top"], off["bottom"])}


def _dark(frame: Frame) -> Frame:
    """Hardly lit: limited range, 8 or more bits."""
    black = 16 << (frame.format.bit_depth - 8)
    luma = np.rint(black + DARK * (frame.planes[0].astype(np.float32) - black)).astype(frame.planes[0].dtype)
    return replace(frame, planes=(luma, *frame.planes[1:]))


def _filled(clip: Clip, clean: list[Frame], worn: list[Frame]) -> dict[str, float]:
    """What other frames gave of the borders, and how good that is beside what is mirrored there."""
    by_frames, by_mirror = (
        Chain(MemorySource(worn, clip.name), Treatment(steps=(TreatmentStep.make("edges", {"source": source}),)))
        for source in ("best", "mirror")
    )
    ours = plain = 0.0
    given = count = 0
    seconds = 0.0
    for number in LOOKED_AT:
        by_frames.result.frame(number - 1)
        begun = time.process_time()
        made = by_frames.result.frame(number).luma8().astype(np.float64)
        seconds += (time.process_time() - begun) / len(LOOKED_AT)
        mirrored = by_mirror.result.frame(number).luma8().astype(np.float64)
        evidence = by_frames.evidence_at(1, number)
        assert evidence is not None
        other = evidence.mask & (made != mirrored)
        right = clean[number].luma8()
        ours += float(np.square(made - right)[other].sum())
        plain += float(np.square(mirrored - right)[other].sum())
        given, count = given + int(other.sum()), count + int(evidence.mask.sum())
    if given / max(1, count) < 0.02:
        return {"by_frames": 0.0, "seconds": round(seconds, 4)}
    return {
        "by_frames": round(given / count, 3), "frames_db": round(psnr(ours, given), 2),
        "mirror_db": round(psnr(plain, given), 2), "seconds": round(seconds, 4),
    }  # fmt: skip
