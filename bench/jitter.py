"""Lines of open clips displaced sideways and put straight: the suite `jitter`.

Passes and thresholds were set on the clips that rule, without noise and with other displacements; that clips of both
groups can be told from steady ones was looked at on all.
"""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, Clip, pristine
from bench.coded import coded_run
from bench.over_clips import suite_over_clips
from grevin.core.measure.line_jitter import moved_lines
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 9403  # of the displacements and the noise; drawn when the rules were set
FRAMES = slice(8, 13)
FIELD = "_field"  # every other line alone
# px, standard deviation; how much of a line's displacement goes on to the next; noise, levels; codec
KINDS: dict[str, tuple[float, float, float, str]] = {
    "0.3_px": (0.3, 0.0, 1.5, ""), "0.6_px": (0.6, 0.0, 1.5, ""), "1.2_px": (1.2, 0.0, 1.5, ""),
    "2.5_px": (2.5, 0.0, 1.5, ""), "0.8_px_wavy": (0.8, 0.6, 1.5, ""), "0.8_px_noisy": (0.8, 0.0, 6.0, ""),
    "0.8_px_mpeg2": (0.8, 0.0, 1.5, "mpeg2video"), "steady": (0.0, 0.0, 1.5, ""), "steady_noisy": (0.0, 0.0, 6.0, ""),
    "steady_mpeg2": (0.0, 0.0, 1.5, "mpeg2video"),
    f"0.6_px{FIELD}": (0.6, 0.0, 1.5, ""), f"steady{FIELD}": (0.0, 0.0, 1.5, ""),
}  # fmt: skip
EDGE = 16  # px at the sides that are not counted
OPTIONS = {"qmin": "6", "qmax": "6", "g": "12", "bf": "2"}


def run_jitter(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("jitter", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    for group in ("rules", "reports"):
        for kind in KINDS:
            own = [row for row in rows if row["kind"] == kind and row["group"] == group]
            if not own:
                continue
            found[f"{kind}_{group}_acted"] = round(float(np.mean([row["acted"] for row in own])), 3)
            gains = [row["gain_db"] for row in own]
            found[f"{kind}_{group}_gain_db"] = round(float(np.mean(gains)), 2)
            found[f"{kind}_{group}_gain_db_worst"] = round(min(gains), 2)
    acted = [row["seconds"] for row in rows if row["acted"]]
    if acted:
        found["seconds_a_frame"] = round(float(np.mean(acted)), 3)
    return found


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    clean = [even(frame).with_number(number) for number, frame in enumerate(pristine(clip)[FRAMES])]
    rng = np.random.default_rng((SEED, place))
    fields = [_field(frame) for frame in clean]
    return [_figures(clip, kind, fields if kind.endswith(FIELD) else clean, rng) for kind in KINDS]


def _field(frame: Frame) -> Frame:
    luma = np.ascontiguousarray(frame.planes[0][::2])
    return Frame(frame.number, replace(frame.format, height=len(luma)), (luma,))


def even(frame: Frame) -> Frame:
    """Luma alone, of whole blocks."""
    luma = frame.luma8()
    height, width = (size // 16 * 16 for size in luma.shape)
    fmt = replace(frame.format, width=width, height=height, model="grey", chroma="4:4:4", bit_depth=8, alpha=False)
    return Frame(frame.number, fmt, (np.ascontiguousarray(luma[:height, :width]),))


def _displacements(height: int, px: float, goes_on: float, rng: np.random.Generator) -> npt.NDArray[np.float32]:
    fresh = rng.normal(0, px, height)
    for line in range(1, height):
        fresh[line] = goes_on * fresh[line - 1] + (1 - goes_on**2) ** 0.5 * fresh[line]
    return np.asarray(fresh, np.float32)


def _worn(frame: Frame, kind: str, rng: np.random.Generator) -> Frame:
    px, goes_on, noise, _ = KINDS[kind]
    levels = levels_of(frame)
    far = _displacements(frame.format.height, px, goes_on, rng)
    moved = moved_lines(levels[0], far) if px else levels[0]
    return with_levels(frame, levels, {0: np.asarray(moved + rng.normal(0, noise, moved.shape), np.float32)}).rounded()


def _figures(clip: Clip, kind: str, clean: list[Frame], rng: np.random.Generator) -> dict[str, Any]:
    worn = [_worn(frame, kind, rng) for frame in clean]
    if KINDS[kind][3]:
        coded = coded_run([frame.planes[0] for frame in worn], KINDS[kind][3], OPTIONS)
        worn = [replace(frame, planes=(one,)) for frame, one in zip(worn, coded, strict=True)]
    chain = Chain(MemorySource(worn, "jitter"), Treatment(steps=(TreatmentStep.make("jitter"),)))
    chain.result.frame(0)  # the shot is learned with it
    begun = time.process_time()
    made = chain.result.frame(1)
    seconds = time.process_time() - begun
    return {
        "clip": clip.name, "group": clip.group, "kind": kind, "acted": float(made is not worn[1]),
        "gain_db": round(luma_db(clean[1], made.rounded()) - luma_db(clean[1], worn[1]), 3),
        "seconds": round(seconds, 4),
    }  # fmt: skip


def luma_db(right: Frame, other: Frame) -> float:
    """PSNR of luma, dB, without the sides."""
    apart = np.square(right.planes[0].astype(np.float64) - other.planes[0])[:, EDGE:-EDGE]
    return psnr(float(apart.sum()), apart.size)
