"""Open clips that sway, put straight: the suite `wobble`.

Rules were set on the clips that rule, with other bends; on all of them it was looked at whether steady ones can be told
from swaying ones.
"""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import numpy as np

from bench.clips import CLIPS, Clip, pristine
from bench.coded import coded_run
from bench.jitter import OPTIONS, even, luma_db
from bench.over_clips import suite_over_clips
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.quality.damage.wobble import WobbleDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 8263  # of the bends and the noise; drawn when the rules were set
FRAMES = slice(0, 20)
LOOKED_AT = range(1, 20, 3)  # the first and the last ones among them
FIELDS = "_fields"  # two frames of the clip as the fields of one
STEADY = WobbleDamage(waves_px=0.0)
# bends; noise, levels; codec
KINDS: dict[str, tuple[WobbleDamage, float, str]] = {
    "waves_0.3_px": (WobbleDamage(waves_px=0.3), 1.5, ""), "waves_1_px": (WobbleDamage(waves_px=1.0), 1.5, ""),
    "waves_3_px": (WobbleDamage(waves_px=3.0), 1.5, ""),
    "restless_1_px": (WobbleDamage(waves_px=0.0, restless_px=1.0), 1.5, ""),
    "top_3_px": (WobbleDamage(waves_px=0.2, top_px=3.0), 1.5, ""),
    "waves_1_px_noisy": (WobbleDamage(waves_px=1.0), 6.0, ""),
    "waves_1_px_mpeg2": (WobbleDamage(waves_px=1.0), 1.5, "mpeg2video"),
    f"waves_1_px{FIELDS}": (WobbleDamage(waves_px=1.0), 1.5, ""),
    "steady": (STEADY, 1.5, ""), "steady_noisy": (STEADY, 6.0, ""), "steady_mpeg2": (STEADY, 1.5, "mpeg2video"),
    f"steady{FIELDS}": (STEADY, 1.5, ""),
}  # fmt: skip


def run_wobble(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("wobble", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    for group in ("rules", "reports"):
        for kind in KINDS:
            own = [row for row in rows if row["kind"] == kind and row["group"] == group]
            if not own:
                continue
            found[f"{kind}_{group}_acted"] = round(float(np.mean([row["acted"] for row in own])), 3)
            found[f"{kind}_{group}_gain_db"] = round(float(np.mean([row["gain_db"] for row in own])), 2)
            found[f"{kind}_{group}_gain_db_worst"] = round(min(row["gain_db"] for row in own), 2)
            found[f"{kind}_{group}_frame_db_worst"] = round(min(row["frame_db"] for row in own), 2)
    found["seconds_a_frame"] = round(float(np.mean([row["seconds"] for row in rows])), 3)
    return found


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    clean = [even(frame).with_number(number) for number, frame in enumerate(pristine(clip)[FRAMES])]
    rng = np.random.default_rng((SEED, place))
    pairs = zip(clean[::2], clean[1::2], strict=True)
    woven = [_woven(early, late, number) for number, (early, late) in enumerate(pairs)]
    return [
        _figures(clip, kind, woven if kind.endswith(FIELDS) else clean, SEED + 100 * place + turn, rng)
        for turn, kind in enumerate(KINDS)
    ]


def _woven(early: Frame, late: Frame, number: int) -> Frame:
    luma = early.planes[0].copy()
    luma[1::2] = late.planes[0][1::2]
    return Frame(number, replace(early.format, field_order="top_first"), (luma,))


def _worn(frame: Frame, kind: str, seed: int, rng: np.random.Generator) -> Frame:
    damage, noise, _ = KINDS[kind]
    bent = frame if damage is STEADY else replace(damage, seed=seed).add(frame)[0]
    levels = levels_of(bent)
    grainy = levels[0] + rng.normal(0, noise, levels[0].shape)
    return with_levels(bent, levels, {0: np.asarray(grainy, np.float32)}).rounded()


def _figures(clip: Clip, kind: str, clean: list[Frame], seed: int, rng: np.random.Generator) -> dict[str, Any]:
    worn = [_worn(frame, kind, seed, rng) for frame in clean]
    if KINDS[kind][2]:
        coded = coded_run([frame.planes[0] for frame in worn], KINDS[kind][2], OPTIONS)
        worn = [replace(frame, planes=(one,)) for frame, one in zip(worn, coded, strict=True)]
    chain = Chain(MemorySource(worn, "wobble"), Treatment(steps=(TreatmentStep.make("wobble"),)))
    begun = time.process_time()
    made = {number: chain.result.frame(number) for number in LOOKED_AT if number < len(worn)}
    seconds = time.process_time() - begun
    gains = [luma_db(clean[n], one.rounded()) - luma_db(clean[n], worn[n]) for n, one in made.items()]
    study = chain.steps[0].study_of(0)
    return {
        "clip": clip.name, "group": clip.group, "kind": kind, "gain_db": round(float(np.mean(gains)), 3),
        "frame_db": round(min(gains), 3), "acted": float(any(one is not worn[n] for n, one in made.items())),
        "known": round(float(study["known"]), 3), "size_px": round(float(study["size"]), 4),
        "seconds": round(seconds / len(worn), 4),
    }  # fmt: skip
