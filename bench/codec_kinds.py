"""Which family of codecs pictures went through, as the step tells it: part of the suite `compression`.

The reporting clips through codecs with strength and length of groups drawn for each clip, beside pictures that went
through none. Right is the family, and every single picture that was coded by itself, as the decoder says. Clips that
came from such a codec are left out.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.clips import REPORTS, pristine
from bench.coded import coded_run_told
from grevin.core.measure.quantised import Coded, coded_as, combed
from grevin.core.picture.frame import Frame

SEED = 8264  # drawn when the rules were set
CODED_BEFORE = ".mpg"
GROUPED = ("mpeg2video", "mpeg4")
STRENGTH, GROUP = (3, 17), (6, 13)  # quantiser, frames: of which one is drawn, the last excluded


def kind_rows(name: str) -> list[dict[str, Any]]:
    """One row a codec, each with whether it was told."""
    place = next(number for number, one in enumerate(REPORTS) if one.name == name)
    if REPORTS[place].file.endswith(CODED_BEFORE):
        return []
    rng = np.random.default_rng((SEED, place))
    clean = [_even(frame) for frame in pristine(REPORTS[place])]
    group, strength = int(rng.integers(*GROUP)), str(rng.integers(*STRENGTH))
    options = {"qmin": strength, "qmax": strength, "g": str(group), "bf": str(rng.integers(0, 3))}
    rows = []
    for codec, how in (
        ("mpeg2video", options), ("mpeg4", options), ("mjpeg", {"qmin": strength, "qmax": strength}),
        ("libx264", {"crf": "26"}), ("", {}),
    ):  # fmt: skip
        coded, whole = coded_run_told(clean, codec, how) if codec else (clean, ())
        right = Coded(whole=whole) if codec in GROUPED else Coded(each=codec == "mjpeg")
        found = coded_as(np.array([combed(one.astype(np.float32)) for one in coded]))
        rows.append({
            "clip": name, "kind": codec or "none", "right": float(found == right), "whole": list(whole),
            "family": float((found.each, bool(found.whole)) == (right.each, bool(right.whole))),
            "found": list(found.whole),
        })  # fmt: skip
    return rows


def kinds_together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """Share of the clips on which the family was told, and every picture."""
    return {
        f"kind_{kind}_{name}": round(float(np.mean([row[name] for row in rows if row["kind"] == kind])), 3)
        for kind in dict.fromkeys(row["kind"] for row in rows)
        for name in ("family", "right")
    }


def _even(frame: Frame) -> np.ndarray:
    luma = frame.luma8()
    height, width = (size // 16 * 16 for size in luma.shape)
    return np.ascontiguousarray(luma[:height, :width])
