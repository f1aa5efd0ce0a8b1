"""Soft pictures rounded to few bits, and widened again: the suite `gradients`.

What is true is a frame of an open clip or photograph, softened and brought to half its size in floating point, so that
it lies between the code values; and skies drawn from planes and waves. Rounded, with noise, and through codecs. No rule
was set on the clips: on three pictures of scikit-image and four drawn grounds. The plain way is `deband` of the FFmpeg
libraries with its own defaults, at ten bit.
"""

from __future__ import annotations

import time
from fractions import Fraction
from typing import Any

import av
import cv2
import numpy as np
import numpy.typing as npt
from av.filter import Graph

from bench.clips import CLIPS, pristine
from bench.coded import coded_run
from bench.groups import GROUP_OF
from bench.over_clips import suite_over_clips
from grevin.core.picture.depth import in_depth
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

Truth = npt.NDArray[np.float64]
Luma = npt.NDArray[np.uint8]

SEED = 5521
PLACE, SOFT_PX = 8, 2.0  # the frame that is taken, and how far it is softened before it is made smaller
SKIES = tuple(f"sky {number}" for number in range(1, 9))
SIZE = 288, 360  # lines and columns of a sky
# bits that are left, noise before in 8-bit levels, codec
KINDS: dict[str, tuple[int, float, str]] = {
    "8_bit": (8, 0.0, ""), "6_bit": (6, 0.0, ""), "5_bit": (5, 0.0, ""), "8_bit_noise_.25": (8, 0.25, ""),
    "8_bit_noise_.5": (8, 0.5, ""), "8_bit_noise_2": (8, 2.0, ""), "h264": (8, 0.0, "libx264"),
    "mpeg2": (8, 0.0, "mpeg2video"),
}  # fmt: skip
OPTIONS = {"libx264": {"crf": "18"}, "mpeg2video": {"qmin": "3", "qmax": "3", "g": "12", "bf": "2"}}
WRITTEN = 10  # bits


def run_gradients(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [*(clip.name for clip in CLIPS), *SKIES]
    return suite_over_clips("gradients", wanted, known, _of_picture, _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    for group in ("skies", "rules", "reports"):
        for kind in KINDS:
            own = [row for row in rows if row["kind"] == kind and row["group"] == group]
            if not own:
                continue
            name = f"{kind}_{group}"
            found[f"{name}_acted"] = round(float(np.mean([row["acted"] for row in own])), 3)
            for way in ("gain_db", "plain_db"):
                found[f"{name}_{way}"] = round(float(np.mean([row[way] for row in own])), 2)
                found[f"{name}_{way}_worst"] = round(min(row[way] for row in own), 2)
            found[f"{name}_source_kept"] = float(np.mean([row["source_kept"] for row in own]))
    found["seconds_a_frame"] = round(float(np.mean([row["seconds"] for row in rows if row["acted"]] or [0.0])), 4)
    return found


def _of_picture(name: str) -> list[dict[str, Any]]:
    truth = _sky(SKIES.index(name)) if name in SKIES else _softened(name)
    group = "skies" if name in SKIES else GROUP_OF[name]
    rng = np.random.default_rng((SEED, *name.encode()))
    return [{"clip": name, "group": group, "kind": kind, **_figures(truth, kind, rng)} for kind in KINDS]


def _softened(name: str) -> Truth:
    (clip,) = (one for one in CLIPS if one.name == name)
    luma = pristine(clip)[PLACE].luma8().astype(np.float64)
    height, width = (side // 32 * 16 for side in luma.shape)
    soft = cv2.GaussianBlur(luma, (0, 0), SOFT_PX)[: 2 * height, : 2 * width]
    return np.asarray(cv2.resize(soft, (width, height), interpolation=cv2.INTER_AREA), np.float64)


def _sky(number: int) -> Truth:
    """Light that falls off slowly, a soft sun, and a dark coast before it."""
    rng = np.random.default_rng((SEED, number))
    height, width = SIZE
    down, across = np.mgrid[0:height, 0:width] / width
    sky = rng.uniform(30, 180) + rng.uniform(-15, 15) * across + rng.uniform(-30, 30) * down
    sun = np.hypot(across - rng.uniform(0, 1), down - rng.uniform(0, 0.6))
    sky += rng.uniform(5, 25) * np.exp(-np.square(sun / rng.uniform(0.2, 0.8)))
    coast = 0.6 + 0.1 * np.sin(across * rng.uniform(4, 12)) + rng.uniform(-0.1, 0.1)
    land = 1 / (1 + np.exp(-(down - coast) * width))
    return np.asarray(np.clip(sky * (1 - 0.7 * land), 1, 254))


def _figures(truth: Truth, kind: str, rng: np.random.Generator) -> dict[str, Any]:
    bits, noise, codec = KINDS[kind]
    step = 255 / (2**bits - 1)
    noisy = truth + rng.normal(0, noise, truth.shape) if noise else truth
    rounded = np.clip(np.rint(np.rint(noisy / step) * step), 0, 255).astype(np.uint8)
    luma = coded_run([rounded] * 3, codec, OPTIONS[codec])[1] if codec else rounded
    frame = Frame(0, PictureFormat(luma.shape[1], luma.shape[0], "grey", 8), (luma,))
    chain = Chain(MemorySource([frame], "gradients"), Treatment(steps=(TreatmentStep.make("gradients"),)))
    chain.prepare(Progress(), (0,))
    begun = time.process_time()
    made = chain.result.frame(0)
    seconds = time.process_time() - begun
    before = _db(luma, truth)
    written = in_depth(made, WRITTEN).planes[0].astype(np.float64) / 2 ** (WRITTEN - 8)
    return {
        "acted": float(made is not frame), "gain_db": round(_db(written, truth) - before, 3),
        "plain_db": round(_db(_plain(luma), truth) - before, 3),
        "source_kept": float(np.array_equal(made.rounded().planes[0], luma)), "seconds": round(seconds, 4),
    }  # fmt: skip


def _db(picture: npt.NDArray[Any], truth: Truth) -> float:
    return psnr(float(np.square(picture.astype(np.float64) - truth).sum()), truth.size)


def _plain(luma: Luma) -> Truth:
    """By the FFmpeg libraries, at ten bit."""
    height, width = luma.shape
    graph: Any = Graph()
    source = graph.add_buffer(width=width, height=height, format="yuv420p10le", time_base=Fraction(1, 25))
    filtered, sink = graph.add("deband"), graph.add("buffersink")
    source.link_to(filtered)
    filtered.link_to(sink)
    graph.configure()
    deep = luma.astype("<u2") * 4
    grey = np.full((height // 2, width), 512, "<u2")
    frame = av.VideoFrame.from_ndarray(np.concatenate([deep, grey]), "yuv420p10le")
    frame.pts = 0
    graph.push(frame)
    plane: Any = graph.pull().planes[0]
    rows = np.frombuffer(plane, "<u2").reshape(plane.height, plane.line_size // 2)
    return np.asarray(rows[:, :width] / 4.0, np.float64)
