"""Colour run out along the lines of open clips, brought back: part of the suite `colour`.

How far it runs out is drawn for each clip; a Gaussian low-pass, on pictures as they are, under noise, of two fields,
through H.264, and samples that are recorded half as many. The rules were set on the clips that rules are set on; the
others only report.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import Clip, Wear, carried_by_codec, worn
from bench.groups import by_group
from bench.on_fields import ORDERS, interlaced
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 4418  # drawn when the rules were set
LEAST, MOST = 1.5, 4.0  # standard deviation of the low-pass, samples of colour
NOISE = 3.0  # 8-bit levels, in colour
EDGE = 12  # samples beside the sides that are not counted
LOOKED_AT = 1  # frame
KINDS = ("smeared", "smeared noise", "smeared fields", "smeared h264", "doubled")
CLEAN = ("clean", "clean noise", "clean fields", "clean h264")

Plane = npt.NDArray[Any]


def smeared_rows(clip: Clip, place: int, clean: list[Frame]) -> list[dict[str, Any]]:
    """A row for every kind, and for clean material of each.

    Args:
        clip: the clip.
        place: of it among all, for what is drawn.
        clean: frames of it as they are.
    """
    rng = np.random.default_rng((SEED, place))
    woven = interlaced(clip, ORDERS[place % 2], len(clean), 0.0)
    rows = []
    for kind in (*CLEAN, *KINDS):
        sigma = float(rng.uniform(LEAST, MOST))
        right = woven if kind.endswith("fields") else clean
        if right is not None and (carried_by_codec(right[0]) or not kind.endswith("h264")):
            rows.append({"clip": clip.name, "worn": kind, **_figures(right, kind, sigma, rng)})
    return rows


def smeared_together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """Means and worst of both groups."""
    found: dict[str, float] = {}
    for kind in KINDS:
        own = [row for row in rows if row["worn"] == kind]
        name = kind.replace(" ", "_")
        found.update(by_group(f"{name}_gain_db", {row["clip"]: row["gain_db"] for row in own}))
        found.update(by_group(f"{name}_acted", {row["clip"]: row["acted"] for row in own}))
    own = [row for row in rows if row["worn"] in CLEAN]
    if own:
        found["smear_on_clean_acted"] = float(sum(row["acted"] for row in own))
        found["smear_seconds"] = float(np.mean([row["seconds"] for row in rows if row.get("acted")] or [0.0]))
    return found


def _figures(right: list[Frame], kind: str, sigma: float, rng: np.random.Generator) -> dict[str, Any]:
    alter: Callable[[Plane], Plane] = partial(_smeared, sigma=sigma)
    if kind == "doubled":
        alter = _doubled
    elif kind in CLEAN:
        alter = np.asarray
    noise = NOISE if kind.endswith("noise") else 0.0
    faulty = [_with_colour(frame, alter, noise, rng) for frame in right]
    if kind.endswith("h264"):
        source = worn(faulty, Wear(0.0, codec="h264"), SEED, "coded")
        faulty = [source.frame(number) for number in range(len(source))]
    chain = Chain(MemorySource(faulty, "colour"), Treatment(steps=(TreatmentStep.make("chroma", {"acts": "given"}),)))
    chain.result.frame(0)  # the shot is learned with it
    begun = time.process_time()
    made = chain.result.frame(LOOKED_AT)
    seconds = time.process_time() - begun
    acted = made is not chain.source.frame(LOOKED_AT)
    truth = right[LOOKED_AT]
    gain = colour_db(truth, made.rounded()) - colour_db(truth, faulty[LOOKED_AT]) if acted else 0.0
    return {
        "sigma": round(sigma, 2), "acted": float(acted), "gain_db": round(gain, 2), "seconds": round(seconds, 4),
    }  # fmt: skip


def _with_colour(frame: Frame, alter: Callable[[Plane], Plane], noise: float, rng: np.random.Generator) -> Frame:
    planes: list[Plane] = [frame.planes[0]]
    for plane in frame.planes[1:3]:
        made = alter(plane.astype(np.float32))
        values = np.rint(made + rng.normal(0, noise, plane.shape)) if noise else np.rint(made)
        planes.append(np.clip(values, 0, frame.format.max_code).astype(plane.dtype))
    return replace(frame, planes=tuple(planes))


def _smeared(plane: Plane, sigma: float) -> Plane:
    size = 2 * int(np.ceil(4 * sigma)) + 1
    kernel = cv2.getGaussianKernel(size, sigma)
    return np.asarray(cv2.sepFilter2D(plane, cv2.CV_32F, kernel, np.ones(1), borderType=cv2.BORDER_REPLICATE))


def _doubled(plane: Plane) -> Plane:
    width = plane.shape[1] // 2 * 2
    made = plane.copy()
    made[:, :width] = np.repeat((plane[:, :width:2] + plane[:, 1:width:2]) / 2, 2, axis=1)
    return made


def colour_db(right: Frame, other: Frame) -> float:
    """PSNR of both colour planes together."""
    inner = slice(EDGE, -EDGE)
    apart = [np.square(a[inner, inner].astype(np.float64) - b[inner, inner])
             for a, b in zip(right.planes[1:3], other.planes[1:3], strict=True)]  # fmt: skip
    return psnr(float(sum(one.sum() for one in apart)), sum(one.size for one in apart))
