"""Colour displaced over open clips, found and brought back: the suite `colour`.

What is found is held against what was displaced *and* what the clip shows by itself, for colour and brightness need not
change at one place. The rules (one sample, and how far other places may be as alike) were set on all of these clips,
looked at with other displacements; the displacements here are drawn anew.
"""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, Clip, pristine
from bench.colour_lines import line_rows, lines_together
from bench.colour_smeared import colour_db, smeared_rows, smeared_together
from bench.over_clips import suite_over_clips
from grevin.core.measure.colour_shift import SHARPENED, Shift, likeness, sharpened, shift_of
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 4057  # drawn when the rules were set
FRAMES = slice(0, 24, 4)
MOST, LEAST = 4.0, 1.5  # samples of colour by which it is displaced
NOISE = 4.0  # 8-bit levels, in colour
WORN = ("", "noise")


def run_colour(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("colour", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    clean = [row for row in rows if row["worn"] == "not displaced"]
    if clean:
        found["clean_changed"] = float(sum(row["changed"] for row in clean))
        found["clean_own_shift_worst"] = max(row["own"] for row in clean)
    for worn in WORN:
        own = [row for row in rows if row["worn"] == (worn or "as it is")]
        if own:
            name = worn or "plain"
            errors = [row["error"] for row in own]
            found[f"{name}_error_median"] = round(float(np.median(errors)), 3)
            found[f"{name}_error_worst"] = max(errors)
            found[f"{name}_told"] = round(float(np.mean([row["told"] for row in own])), 3)
            gains = [row["gain_db"] for row in own]
            found[f"{name}_gain_db"] = round(float(np.mean(gains)), 2)
            found[f"{name}_gain_db_worst"] = round(min(gains), 2)
            found[f"{name}_seconds"] = round(float(np.mean([row["seconds"] for row in own])), 4)
    found = {**found, **smeared_together(rows), **lines_together(rows)}
    return {name: round(value, 3) for name, value in found.items()}


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    clean = [frame.with_number(number) for number, frame in enumerate(pristine(clip)[FRAMES])]
    if clean[0].format.model != "yuv" or all(float(frame.planes[1].std()) < 1 for frame in clean):
        return []
    rng = np.random.default_rng((SEED, place))
    own = _found(clean)
    largest = max(abs(own.right), abs(own.down)) if own.is_known else 0.0
    chain = _chain(clean)
    rows = [{
        "clip": clip.name, "worn": "not displaced", "own": round(largest, 3),
        "changed": float(chain.result.frame(0) is not chain.source.frame(0)),
    }]  # fmt: skip
    for worn in WORN:
        right, down = (float(rng.uniform(LEAST, MOST) * rng.choice([-1, 1])) for _ in range(2))
        rows.append(_figures(clip, worn, clean, (right, down / 2), own, rng))
    return rows + smeared_rows(clip, place, clean) + line_rows(clip, place, clean)


def _chain(frames: list[Frame]) -> Chain:
    return Chain(MemorySource(frames, "colour"), Treatment(steps=(TreatmentStep.make("chroma"),)))


def _found(frames: list[Frame]) -> Shift:
    planes = [levels_of(frame) for frame in frames]
    shift = shift_of([likeness(one[0], one[1:]) for one in planes])
    for _ in range(SHARPENED):
        shift = sharpened(shift, ((one[0], one[1:]) for one in planes)) if shift.is_known else shift
    return shift


def _displaced(frame: Frame, by: tuple[float, float], noise: float, rng: np.random.Generator) -> Frame:
    way = np.array([[1.0, 0.0, by[0]], [0.0, 1.0, by[1]]])
    planes: list[npt.NDArray[Any]] = [frame.planes[0]]
    for plane in frame.planes[1:3]:
        moved = cv2.warpAffine(plane.astype(np.float32), way, plane.shape[::-1], flags=cv2.INTER_CUBIC,
                               borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        values = np.rint(moved + rng.normal(0, noise, plane.shape)) if noise else np.rint(moved)
        planes.append(np.clip(values, 0, frame.format.max_code).astype(plane.dtype))
    return replace(frame, planes=tuple(planes))


def _figures(
    clip: Clip, worn: str, clean: list[Frame], by: tuple[float, float], own: Shift,
    rng: np.random.Generator,
) -> dict[str, Any]:  # fmt: skip
    faulty = [_displaced(frame, by, NOISE if worn else 0.0, rng) for frame in clean]
    found, chain = _found(faulty), _chain(faulty)
    chain.result.frame(0)  # the shot is learned with it
    begun = time.process_time()
    made = chain.result.frame(1).rounded()
    seconds = time.process_time() - begun
    known = found.is_known and own.is_known
    apart = max(abs(found.right - own.right - by[0]), abs(found.down - own.down - by[1])) if known else 0.0
    return {
        "clip": clip.name, "worn": worn or "as it is", "error": round(apart, 3),
        "told": float(found.is_known),
        "gain_db": round(colour_db(clean[1], made) - colour_db(clean[1], faulty[1]), 2), "seconds": round(seconds, 4),
    }  # fmt: skip
