"""Dense motion by inverse search, as in OpenCV.

Kroeger, Timofte, Dai, Van Gool 2016, doi:10.1007/978-3-319-46493-0_29.
"""

from __future__ import annotations

import threading
from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.camera import with_camera
from grevin.core.picture.spreading import spread

Luma8 = npt.NDArray[np.uint8]
Flow = npt.NDArray[np.float32]
Places = tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]
MotionQuality = Literal["fine", "quick", "glance", "far", "steady"]

SMALLEST_SIDE = 16  # pictures below this have no motion that can be estimated
COARSE_PX = 4  # grid on which motion is continued where it is not to be trusted
POINTS_A_ROW = 1024  # OpenCV reads tables of positions, not lists
FAR_PX = 8.0  # displacement of the whole picture from which flow is also begun there
MINIATURE_PX = 128  # width of the pictures in which that is looked for
_PRESETS = {
    "fine": cv2.DISOPTICAL_FLOW_PRESET_MEDIUM, "quick": cv2.DISOPTICAL_FLOW_PRESET_FAST,
    "glance": cv2.DISOPTICAL_FLOW_PRESET_FAST, "far": cv2.DISOPTICAL_FLOW_PRESET_MEDIUM,
    "steady": cv2.DISOPTICAL_FLOW_PRESET_MEDIUM,
}  # fmt: skip
# Of the presets (OpenCV 5.0, `DISOpticalFlow::create`)
FINEST_SCALES, PATCH_PX = {"fine": 1, "far": 1, "quick": 2, "glance": 2}, 8
# Less work than the presets do, tried on the open clips. Fine: two fifths of the time of the preset, and what is moved
# fits as well; from a stride of 6, or of one refinement, specks are missed on real footage. Far: half of the time; at
# the stride of fine, lines that sway are told worse. Glance: two thirds of the time of quick, for .02 dB of
# deinterlaced frames.
FINE_STRIDE_PX, FAR_STRIDE_PX, FINE_REFINEMENTS, FINE_DESCENTS = 5, 4, 2, 12
GLANCE_DESCENTS, GLANCE_REFINEMENTS = 10, 2
# Steady: large patches and much evenness, so that correlated grain is not laid onto grain; measured on open clips with
# grain of 1.2 px, where small patches lose half of what averaging along the motion gains.
STEADY_PATCH_PX, STEADY_STRIDE_PX, STEADY_EVENNESS, STEADY_DESCENTS = 16, 8, 100.0, 12
STEADY_BLUR_PX, STEADY_LEAST_PX = 0.7, 96
_estimators = threading.local()


def _estimator(quality: MotionQuality) -> Any:
    """One estimator a thread and quality: it holds buffers and must not be shared."""
    if not hasattr(_estimators, quality):
        made = cv2.DISOpticalFlow.create(_PRESETS[quality])
        if quality in {"fine", "far"}:
            made.setPatchStride(FINE_STRIDE_PX if quality == "fine" else FAR_STRIDE_PX)
            made.setVariationalRefinementIterations(FINE_REFINEMENTS)
        if quality == "fine":
            made.setGradientDescentIterations(FINE_DESCENTS)
        if quality == "glance":
            made.setGradientDescentIterations(GLANCE_DESCENTS)
            made.setVariationalRefinementIterations(GLANCE_REFINEMENTS)
        setattr(_estimators, quality, made)
    return getattr(_estimators, quality)


def estimate_flow(here: Luma8, there: Luma8, quality: MotionQuality = "fine") -> Flow:
    """Where each pixel of `here` is found in `there`.

    Args:
        here: (H, W) uint8 luma.
        there: (H, W) uint8 luma of another frame.
        quality: "fine"; "quick" at half of the time and with more failures where things move fast; "glance"
            quicker still, for what lies near in time; "far" as fine, and from the displacement of the whole
            picture where that is large, as in a fast pan; "steady" at half the size, over large patches, which noise
            does not pull.

    Returns:
        (H, W, 2) float32 displacement (right, down) in pixels: here(x) ~ there(x + flow(x)).
    """
    if min(here.shape) < SMALLEST_SIDE:
        return np.zeros((*here.shape, 2), np.float32)
    here, there = np.ascontiguousarray(here), np.ascontiguousarray(there)
    if quality == "steady":
        return _steady_flow(here, there)
    return _far_flow(here, there) if quality == "far" else _near_flow(here, there, quality)


def _near_flow(here: Luma8, there: Luma8, quality: MotionQuality) -> Flow:
    least, (height, width) = PATCH_PX << FINEST_SCALES[quality], here.shape
    if min(height, width) < least:  # of less than a patch at its finest scale OpenCV 5.0.0 crashes
        border = (0, max(0, least - height), 0, max(0, least - width), cv2.BORDER_REPLICATE)
        wide, other = (np.asarray(cv2.copyMakeBorder(picture, *border), np.uint8) for picture in (here, there))
        return np.ascontiguousarray(_near_flow(wide, other, quality)[:height, :width])
    estimator = _estimator(quality)
    # Set each time: on small pictures it rewrites its own settings, and would see the next ones otherwise than before
    estimator.setFinestScale(FINEST_SCALES[quality])
    estimator.setPatchSize(PATCH_PX)
    return np.asarray(estimator.calc(here, there, None), np.float32)


def _steady_flow(here: Luma8, there: Luma8) -> Flow:
    size = here.shape[1] // 2, here.shape[0] // 2
    if min(size) < STEADY_LEAST_PX:  # patches of that size do not fit into smaller pictures
        return _near_flow(here, there, "quick")
    small = []
    for picture in (here, there):
        fine = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        small.append(np.asarray(cv2.GaussianBlur(fine, (0, 0), STEADY_BLUR_PX), np.uint8))
    first, second = small
    flow = _even_flow(first, second)
    shift = displacement(first, second)
    if float(np.hypot(*shift)) >= FAR_PX:
        whole = np.rint(shift).astype(np.float32)
        moved = _shifted(_even_flow(first, _moved(second, whole)), whole)
        flow = min(flow, moved, key=lambda one: _unexplained(first, second, one))
    large = cv2.resize(with_camera(flow, first, second), here.shape[::-1], interpolation=cv2.INTER_LINEAR)
    scale = np.array([here.shape[1] / size[0], here.shape[0] / size[1]], np.float32)
    return stretched(np.asarray(large, np.float32), scale)


def _even_flow(here: Luma8, there: Luma8) -> Flow:
    estimator = _estimator("steady")
    estimator.setFinestScale(0)
    estimator.setPatchSize(STEADY_PATCH_PX)  # set each time: it rewrites its own settings on small pictures
    estimator.setPatchStride(STEADY_STRIDE_PX)
    estimator.setVariationalRefinementAlpha(STEADY_EVENNESS)
    estimator.setGradientDescentIterations(STEADY_DESCENTS)
    estimator.setVariationalRefinementIterations(1)
    return np.asarray(estimator.calc(here, there, None), np.float32)


def _far_flow(here: Luma8, there: Luma8) -> Flow:
    """Flow from rest, or from the displacement of the whole picture where a quick look says that this fits better."""
    shift = displacement(here, there)
    if float(np.hypot(*shift)) < FAR_PX or min(here.shape) < 2 * SMALLEST_SIDE:
        return _near_flow(here, there, "far")
    small = [cv2.resize(picture, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for picture in (here, there)]
    glance, whole = np.asarray(small[0], np.uint8), np.rint(shift).astype(np.float32)
    half = whole * np.float32(0.5)
    plain = _near_flow(glance, np.asarray(small[1], np.uint8), "glance")
    moved = _shifted(_near_flow(glance, _moved(small[1], half), "glance"), half)
    if _unexplained(glance, small[1], moved) < _unexplained(glance, small[1], plain):
        return _shifted(_near_flow(here, _moved(there, whole), "far"), whole)
    return _near_flow(here, there, "far")


def _moved(picture: npt.NDArray[Any], shift: Flow) -> Luma8:
    """A picture moved against a shift (right, down).

    The picture is moved, not the flow begun elsewhere: OpenCV 5.0.0 then writes beyond its buffers and crashes later.
    """
    move = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
    flags = cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
    return np.asarray(
        cv2.warpAffine(picture, move, picture.shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE), np.uint8
    )


def _shifted(flow: Flow, shift: Flow) -> Flow:
    """A flow with the same (right, down) added everywhere; a fifth of the time that NumPy takes for pairs."""
    return (flow.reshape(flow.shape[0], -1) + np.tile(shift, flow.shape[1])).reshape(flow.shape)


def stretched(flow: Flow, factors: Flow) -> Flow:
    """A flow in other units, from factors (right, down), (2,) float32; as quickly."""
    return (flow.reshape(flow.shape[0], -1) * np.tile(factors, flow.shape[1])).reshape(flow.shape)


def _unexplained(here: Luma8, there: npt.NDArray[Any], flow: Flow) -> float:
    return float(cv2.absdiff(here, np.asarray(sample(there, *positions(flow)), np.uint8)).mean())


def displacement(here: Luma8, there: Luma8) -> tuple[float, float]:
    """(right, down) in pixels, where the middle of a picture is found in another, from miniatures."""
    share = min(1.0, MINIATURE_PX / here.shape[1])
    size = (max(8, round(here.shape[1] * share)), max(8, round(here.shape[0] * share)))
    small = [cv2.resize(picture, size, interpolation=cv2.INTER_AREA) for picture in (here, there)]
    left, top = size[0] // 4, size[1] // 4
    middle = small[0][top : size[1] - top, left : size[0] - left]
    if float(middle.std()) < 1.0 or float(small[1].std()) < 1.0:
        return 0.0, 0.0
    place = cv2.minMaxLoc(cv2.matchTemplate(small[1], middle, cv2.TM_CCOEFF_NORMED))[3]
    return (place[0] - left) / share, (place[1] - top) / share


@lru_cache(maxsize=8)
def _grid(height: int, width: int) -> tuple[Flow, Flow]:
    across, down = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return across, down


def positions(flow: Flow) -> tuple[Flow, Flow]:
    """(across, down) sampling positions, each (H, W) float32, of a flow field."""
    across, down = _grid(*flow.shape[:2])
    return across + flow[..., 0], down + flow[..., 1]


def moved_grid(flow: Flow, every: int) -> tuple[Flow, Flow]:
    """Those of one pixel of so many, right and down."""
    across, down = _grid(*flow.shape[:2])
    few = slice(None, None, every)
    return across[few, few] + flow[few, few, 0], down[few, few] + flow[few, few, 1]


def sample(picture: npt.NDArray[Any], across: Flow, down: Flow) -> npt.NDArray[Any]:
    """A picture read at fractional positions (linear; the nearest edge sample outside)."""
    return np.asarray(cv2.remap(picture, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def outside(across: Flow, down: Flow, shape: tuple[int, ...]) -> npt.NDArray[np.bool_]:
    """Bool of the positions' own shape: those that lie off a picture of (H, W)."""
    height, width = shape
    return np.asarray((across < 0) | (down < 0) | (across > width - 1) | (down > height - 1))


def places_of(mask: npt.NDArray[np.bool_]) -> Places:
    """(rows, columns) of the set pixels, each (N,) int64; several times faster than `np.nonzero` where they are few."""
    rows, columns = np.divmod(np.flatnonzero(mask), mask.shape[1])
    return rows, columns


def moved_places(flow: Flow, places: Places) -> tuple[Flow, Flow]:
    """Where the flow leads to from N places: (across, down), each (N,) float32."""
    rows, columns = places
    moved = flow[rows, columns]
    return columns.astype(np.float32) + moved[:, 0], rows.astype(np.float32) + moved[:, 1]


def straightened(flow: Flow, bent: npt.NDArray[np.bool_]) -> Flow:
    """The flow where it is to be trusted, and its smooth continuation elsewhere.

    Args:
        flow: (H, W, 2) float32.
        bent: (H, W) bool, where it is not to be trusted.
    """
    if not bent.any() or bent.all():
        return flow
    known = (~bent[::COARSE_PX, ::COARSE_PX]).astype(np.float32)
    coarse = spread(np.asarray(flow[::COARSE_PX, ::COARSE_PX] * known[..., None], np.float32), known)
    rows, columns = places_of(bent)
    share = np.float32(1.0 / COARSE_PX)
    result = flow.copy()
    result[rows, columns] = sample_at(coarse, columns * share, rows * share)
    return result


def sample_at(picture: npt.NDArray[Any], across: Flow, down: Flow) -> npt.NDArray[Any]:
    """A picture read at N fractional positions, each (N,) float32; (N,) or (N, channels)."""
    count = len(across)
    rows = -(-count // POINTS_A_ROW)
    padded = np.zeros((2, rows * POINTS_A_ROW), np.float32)
    padded[0, :count], padded[1, :count] = across, down
    read = sample(picture, padded[0].reshape(rows, -1), padded[1].reshape(rows, -1))
    return np.asarray(read.reshape(rows * POINTS_A_ROW, *picture.shape[2:])[:count])
