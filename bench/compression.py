"""Open pictures through old codecs, and what the step makes of them: the suite `compression`.

Pictures and clips that the network was not trained on: the reporting clips, half of them with grain, as video and the
photographs among them as JPEG, and the butterfly of the classic set. How much is taken of finely coded pictures was set
on the stills of scikit-image: they are told apart (`ruling`). Figures are those of luma. Pictures that show a grid of
their own went through a codec before they came here: what is taken of that counts as an error, so they are told apart.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any

import cv2
import numpy as np
from skimage import data as photographs

from bench.clips import REPORTS, pristine
from bench.codec_kinds import kind_rows, kinds_together
from bench.coded import Luma, coded_run
from bench.fetching import fetched
from bench.over_clips import over_clips
from grevin.core.measure.blocks import grids_of, steps_across
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import blockiness_db, psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 7482  # of the grain; drawn when colour was left to the small network and nine frames were averaged
STILLS = ("astronaut", "coffee", "chelsea", "camera", "grass", "brick", "gravel", "page")
BUTTERFLY = ("opencv-doc", "usr/share/doc/opencv-doc/examples/dnn_superres/butterfly.png")
QUALITIES = (5, 10, 20, 40, 80, 95)
VIDEO: dict[str, tuple[str, dict[str, str]]] = {
    "mpeg2_q4": ("mpeg2video", {"qmin": "4", "qmax": "4", "g": "12", "bf": "2"}),
    "mpeg2_q12": ("mpeg2video", {"qmin": "12", "qmax": "12", "g": "12", "bf": "2"}),
    "mpeg2_q24": ("mpeg2video", {"qmin": "24", "qmax": "24", "g": "12", "bf": "2"}),
    "mpeg4_q10": ("mpeg4", {"qmin": "10", "qmax": "10", "g": "12", "bf": "2"}),
    "mjpeg_q14": ("mjpeg", {"qmin": "14", "qmax": "14"}),
    "h264_26": ("libx264", {"crf": "26"}),
    "h264_34": ("libx264", {"crf": "34"}),
}  # fmt: skip
RUN, MIDDLE = 9, 4  # frames, and the one that is measured
GRAIN = 2.5  # 8-bit levels, of every other clip


def names() -> list[str]:
    """What can be asked for."""
    return [*STILLS, "butterfly", *(clip.name for clip in REPORTS)]


def run_compression(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    rows: list[dict[str, Any]] = []
    kinds: list[dict[str, Any]] = []

    def measure(name: str) -> int:
        if name in {clip.name for clip in REPORTS}:
            kinds.extend(kind_rows(name))
        rows.extend({"clip": name, **row} for row in (_of_still(name) if name in STILLS or name == "butterfly"
                                                      else _of_clip(name)))  # fmt: skip
        return len(rows)

    _, skipped = over_clips(wanted, names(), measure, progress)
    return {
        "format": "grevin-bench", "version": 1, "suite": "compression", "rows": rows, "kinds": kinds,
        "skipped": skipped, "together": {**_together(rows), **kinds_together(kinds)},
    }, None  # fmt: skip


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """For each codec the mean gain, the worst, and how much less of blocks is to be seen."""
    found: dict[str, float] = {}
    for codec in dict.fromkeys(row["codec"] for row in rows):
        everything = [row for row in rows if row["codec"] == codec]
        own = [row for row in everything if not row["coded_before"]] or everything
        gains = [row["gain_db"] for row in own]
        found[f"{codec}_gain_db"] = round(float(np.mean(gains)), 3)
        found[f"{codec}_gain_db_worst"] = min(gains)
        quick = [row["quick_gain_db"] for row in own]
        found[f"{codec}_quick_gain_db"] = round(float(np.mean(quick)), 3)
        found[f"{codec}_quick_gain_db_worst"] = min(quick)
        found[f"{codec}_blocks_gain_db"] = round(float(np.mean([row["blocks_gain_db"] for row in own])), 3)
        found[f"{codec}_changed"] = round(float(np.mean([row["changed"] for row in own])), 3)
    before = [row["gain_db"] for row in rows if row["coded_before"] and not row["codec"].startswith("clean")]
    if before:
        found["coded_before_gain_db_worst"] = min(before)
    seconds = [row["seconds"] for row in rows if row["changed"] and row["codec"] in VIDEO]
    if seconds:
        found["seconds_a_frame"] = round(float(np.mean(seconds)), 3)
    return found


def _of_still(name: str) -> Iterator[dict[str, Any]]:
    if name == "butterfly":
        read = cv2.imread(str(fetched(*BUTTERFLY)), cv2.IMREAD_GRAYSCALE)
        assert read is not None
    else:
        colour = np.asarray(getattr(photographs, name)())
        read = colour if colour.ndim == 2 else cv2.cvtColor(colour, cv2.COLOR_RGB2GRAY)
    clean = np.ascontiguousarray(read[: read.shape[0] // 8 * 8, : read.shape[1] // 8 * 8], np.uint8)
    yield from _as_jpeg(clean, "" if name == "butterfly" else "_ruling")


def _as_jpeg(clean: Luma, group: str) -> Iterator[dict[str, Any]]:
    yield _figures(f"clean{group}", [clean], [clean], 0)
    for quality in QUALITIES:
        packed = cv2.imencode(".jpg", clean, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
        coded = np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8)
        yield _figures(f"jpeg_q{quality}{group}", [clean], [coded], 0)


def _of_clip(name: str) -> Iterator[dict[str, Any]]:
    place = next(number for number, one in enumerate(REPORTS) if one.name == name)
    frames = [frame.luma8() for frame in pristine(REPORTS[place])[:RUN]]
    if place % 2:
        rng = np.random.default_rng((SEED, place))
        frames = [np.clip(np.rint(one + rng.normal(0, GRAIN, one.shape)), 0, 255).astype(np.uint8) for one in frames]
    height, width = (size // 16 * 16 for size in frames[0].shape)
    clean = [np.ascontiguousarray(one[:height, :width]) for one in frames]
    if REPORTS[place].move is not None:  # the others went through a codec before they came here
        yield _figures("clean", clean, clean, MIDDLE)
        yield from _as_jpeg(clean[0], "")
    for codec, (encoder, options) in VIDEO.items():
        yield _figures(codec, clean, coded_run(clean, encoder, options), MIDDLE)


def _figures(codec: str, clean: list[Luma], coded: list[Luma], number: int) -> dict[str, Any]:
    height, width = coded[0].shape
    fmt = PictureFormat(width, height, "grey", 8, full_range=True)
    source = MemorySource([Frame(place, fmt, (one,)) for place, one in enumerate(coded)], codec)
    chain, quick = (
        Chain(source, Treatment(steps=(TreatmentStep.make("compression", {"speed": speed}),)))
        for speed in ("full", "quick")
    )
    chain.result.frame(max(0, number - 1))  # what is counted is a frame that follows another
    begun = time.process_time()
    made = chain.result.frame(number)
    seconds = time.process_time() - begun
    right, before, after = clean[number], coded[number], made.rounded().planes[0]
    profiles = (np.mean([steps_across(turn(one)) for one in clean], axis=0) for turn in (np.asarray, _turned))
    return {
        "codec": codec, "coded_before": any(grids_of(*profiles)), "changed": float(made is not source.frame(number)),
        "before_db": _db(right, before), "gain_db": round(_db(right, after) - _db(right, before), 3),
        "quick_gain_db": round(_db(right, quick.result.frame(number).rounded().planes[0]) - _db(right, before), 3),
        "blocks_gain_db": round(blockiness_db(right, after) - blockiness_db(right, before), 3),
        "seconds": round(seconds, 3),
    }  # fmt: skip


def _turned(luma: Luma) -> Luma:
    return np.ascontiguousarray(luma.T)


def _db(one: Luma, other: Luma) -> float:
    apart = np.square(one.astype(np.float64) - other)
    return round(psnr(float(apart.sum()), apart.size), 3) if apart.any() else 99.0
