"""Open pictures brought down and enlarged again: the suite `enlarge`.

None of the pictures was trained on (`bench.photographs`). Pictures are brought down by the bicubic kernel at the width
of the factor, rounded to 8 bits, and compared by their luma without a border as wide as the factor, as the literature
does; the butterfly of the classic set is among them, so that figures can be held beside published ones.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from skimage import data as photographs

from bench.clips import CLIPS, Clip, pristine
from bench.compression import BUTTERFLY, STILLS
from bench.fetching import fetched
from bench.over_clips import suite_over_clips
from grevin.core.measure.carried import carried
from grevin.core.motion.flow import estimate_flow, positions, sample
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.resampling import KERNELS, resized
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

Luma = npt.NDArray[np.uint8]
Plane = npt.NDArray[np.float32]

SEED = 9241  # of the noise; drawn when the network had been trained
FACTORS = (2, 3, 4)
TARGETS = {"1.5": 1.5, "2.25": 2.25}
BLUR, NOISE, QUALITY = 0.4, 1.5, 80  # of worn ones: px of the small picture, 8-bit levels, of JPEG
MIDDLE, RUN = 12, 4  # frame of a clip that is a still, and frames that are looked at one after the other
WAYS: dict[str, dict[str, Any]] = {
    "learned": {}, "quick": {"speed": "quick"}, "edges": {"way": "edges"}, "lanczos": {"way": "lanczos"},
    "cubic": {"way": "cubic"},
}  # fmt: skip
ENLARGED = {"native": "", "after_cubic": "cubic", "after_lanczos": "lanczos"}
BEFORE = (1.5, 2.25)  # times that pictures were enlarged before
LEAST_PX = 96  # of a small picture


def names() -> list[str]:
    """What can be asked for."""
    return ["butterfly", *STILLS, *(clip.name for clip in CLIPS)]


def run_enlarge(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the step.

    Raises:
        UsageError: for a name that does not exist.
    """
    return suite_over_clips(
        "enlarge",
        wanted,
        names(),
        lambda name: list(_of(name)),
        lambda rows: {**_together(rows), **_of_steps()},
        progress,
    )


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    found: dict[str, float] = {}
    for kind in dict.fromkeys(row["kind"] for row in rows):
        own = [row for row in rows if row["kind"] == kind]
        if "cubic_db" in own[0]:
            for base in ("cubic", "lanczos"):
                gains = [row["learned_db"] - row[f"{base}_db"] for row in own]
                found[f"{kind}_over_{base}_db"] = round(float(np.mean(gains)), 2)
                found[f"{kind}_over_{base}_db_worst"] = round(min(gains), 2)
            for way in ("quick", "edges"):
                gains = [row[f"{way}_db"] - row["cubic_db"] for row in own]
                found[f"{kind}_{way}_over_cubic_db"] = round(float(np.mean(gains)), 2)
                found[f"{kind}_{way}_over_cubic_db_worst"] = round(min(gains), 2)
            again = [row["down_again_rms"] for row in own]
            found[f"{kind}_down_again_rms_worst"] = max(again)
            if "clean_db" in own[0]:
                found[f"{kind}_all_taken_over_cubic_db"] = _mean(row["clean_db"] - row["cubic_db"] for row in own)
        for name in WAYS:
            if f"{name}_shimmer" in own[0]:
                found[f"{name}_shimmer"] = _mean(row[f"{name}_shimmer"] for row in own)
                found[f"{name}_shimmer_worst"] = max(row[f"{name}_shimmer"] for row in own)
        if "share" in own[0]:
            shares = [row["share"] for row in own]
            found[kind], found[f"{kind}_least"], found[f"{kind}_most"] = _mean(iter(shares)), min(shares), max(shares)
        if "seconds" in own[0]:
            found[f"{kind}_seconds_a_megapixel_in"] = _mean(row["seconds"] / row["megapixels"] for row in own)
    return found


def _mean(values: Iterator[float]) -> float:
    return round(float(np.mean(list(values))), 3)


def _of(name: str) -> Iterator[dict[str, Any]]:
    for large in _picture(name):
        for factor in FACTORS:
            height, width = (size // factor * factor for size in large.shape)
            right = large[:height, :width]
            if min(height, width) // factor >= LEAST_PX or name == "butterfly":
                yield _figures(name, f"x{factor}", right, _small(right, float(factor)), factor)
        for words, times in TARGETS.items():
            lines = int(min(large.shape) // 18 * 18)
            right = large[:lines, : large.shape[1] // 18 * 18]
            yield _figures(name, words, right, _small(right, times), 3)
        yield from _carried(name, large)
        right = large[: large.shape[0] // 2 * 2, : large.shape[1] // 2 * 2]
        yield _figures(name, "worn_x2", right, _worn(right, name), 2)
    clip = next((one for one in CLIPS if one.name == name), None)
    if clip is not None and clip.group == "reports" and clip.move is not None:
        yield _shimmer(clip)


def _carried(name: str, large: Luma) -> Iterator[dict[str, Any]]:
    """Which share of its lines and columns is said to carry a picture; of those that it had, where it was enlarged."""
    for words, kernel in ENLARGED.items():
        for times in BEFORE if kernel else (1.0,):
            given = large
            if kernel:
                small = _small(large, times).astype(np.float32)
                given = _rounded(resized(small, large.shape[:2], KERNELS[kernel]))
            shares = [share * times for share in carried(given) if np.isfinite(share)]
            if shares:
                yield {"picture": name, "kind": f"carried_{words}", "share": round(float(np.mean(shares)), 3)}


def _picture(name: str) -> Iterator[Luma]:
    if name == "butterfly":
        read = cv2.imread(str(fetched(*BUTTERFLY)), cv2.IMREAD_COLOR)
        assert read is not None
        # as the literature has it: luma of limited range
        yield np.rint(16 + (65.481 * read[..., 2] + 128.553 * read[..., 1] + 24.966 * read[..., 0]) / 255).astype(
            np.uint8
        )
    elif name in STILLS:
        colour = np.asarray(getattr(photographs, name)())
        yield np.asarray(colour if colour.ndim == 2 else cv2.cvtColor(colour, cv2.COLOR_RGB2GRAY), np.uint8)
    else:
        yield pristine(next(one for one in CLIPS if one.name == name))[MIDDLE].luma8()


def _rounded(plane: Plane) -> Luma:
    return np.clip(np.rint(plane), 0, 255).astype(np.uint8)


def _small(large: Luma, times: float) -> Luma:
    shape = round(large.shape[0] / times), round(large.shape[1] / times)
    return _rounded(resized(large.astype(np.float32), shape, KERNELS["cubic"]))


def _worn(large: Luma, name: str) -> Luma:
    rng = np.random.default_rng((SEED, *name.encode()))
    soft = cv2.GaussianBlur(large.astype(np.float32), (0, 0), 2 * BLUR)
    shape = large.shape[0] // 2, large.shape[1] // 2
    small = resized(np.asarray(soft, np.float32), shape, KERNELS["cubic"])
    noisy = _rounded(np.asarray(small + rng.normal(0, NOISE, shape), np.float32))
    packed = cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1]
    return np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8)


def _chain(frames: list[Luma], settings: dict[str, Any], height: int) -> Chain:
    fmt = PictureFormat(frames[0].shape[1], frames[0].shape[0], "grey", 8, full_range=True)
    source = MemorySource([Frame(place, fmt, (one,)) for place, one in enumerate(frames)], "enlarge")
    step = TreatmentStep.make("enlarge", {"height": height, **settings})
    return Chain(source, Treatment(steps=(step,)))


def _figures(name: str, kind: str, right: Luma, small: Luma, border: int) -> dict[str, Any]:
    height = right.shape[0]
    row: dict[str, Any] = {"clip": name, "kind": kind, "megapixels": round(small.size / 1e6, 4)}
    ways = dict(WAYS)
    if kind.startswith("worn"):
        ways["clean"] = {"noise": 1.0, "noise_levels": NOISE, "sharpness_px": BLUR}
    for way, settings in ways.items():
        chain = _chain([small], settings, height)
        if way == "learned":
            chain.result.frame(0)  # loaded and learned
            chain = _chain([small], settings, height)
        begun = time.process_time()
        made = chain.result.frame(0).planes[0]
        if way == "learned":
            row["seconds"] = round(time.process_time() - begun, 4)
            again = resized(np.asarray(made, np.float32), small.shape, KERNELS["cubic"]) - small
            row["down_again_rms"] = round(float(np.sqrt(np.mean(np.square(again)))), 3)
        width = min(made.shape[1], right.shape[1])
        row[f"{way}_db"] = _db(right[:, :width], _rounded(made)[:, :width], border)
    return row


def _db(right: Luma, other: Luma, border: int) -> float:
    inner = slice(border, -border)
    apart = np.square(right[inner, inner].astype(np.float64) - other[inner, inner])
    return round(psnr(float(apart.sum()), apart.size), 3)


def _shimmer(clip: Clip) -> dict[str, Any]:
    """How much the enlarged pictures change along the motion, over what the right ones do."""
    frames = [frame.luma8() for frame in pristine(clip)[MIDDLE : MIDDLE + RUN]]
    height, width = (size // 2 * 2 for size in frames[0].shape)
    right = [np.ascontiguousarray(one[:height, :width]) for one in frames]
    small = [_small(one, 2.0) for one in right]
    flows = [estimate_flow(one, other) for one, other in pairwise(right)]
    base = _changes([one.astype(np.float32) for one in right], flows)
    row: dict[str, Any] = {"clip": clip.name, "kind": "moving"}
    for way, settings in WAYS.items():
        chain = _chain(small, settings, height)
        made = [np.asarray(chain.result.frame(number).planes[0], np.float32) for number in range(RUN)]
        row[f"{way}_shimmer"] = round(_changes(made, flows) / base, 3)
    return row


def _changes(frames: list[Plane], flows: list[Any]) -> float:
    apart = []
    for (one, other), flow in zip(pairwise(frames), flows, strict=True):
        moved = sample(other, *positions(flow))
        apart.append(float(np.abs(one - moved)[16:-16, 16:-16].mean()))
    return float(np.mean(apart))


def _of_steps() -> dict[str, float]:
    """Overshoot at straight edges of 100 levels in many directions, % of their height; averaged down, without any."""
    side, most = 256, 0.0
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) - side / 2
    for degrees in range(0, 90, 10):
        distance = x * np.cos(np.radians(degrees)) + y * np.sin(np.radians(degrees))
        large = _rounded(np.asarray(80 + 100 * np.clip(distance + 0.5, 0, 1), np.float32))
        half = cv2.resize(large, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        small = np.asarray(half, np.uint8)
        made = np.asarray(_chain([small], {}, side).result.frame(0).planes[0], np.float32)[32:-32, 32:-32]
        most = max(most, float(made.max()) - 180, 80 - float(made.min()))
    return {"overshoot_pct": round(most, 2)}
