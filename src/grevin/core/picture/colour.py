"""Y'CbCr and R'G'B': native code values to float R'G'B' and, where something was mended, back.

Matrices follow ITU-R BT.601-7 (table 3), BT.709-6 (item 3) and BT.2020-2 (table 4); ranges BT.601-7 item 3.5.
Chroma is repeated to the luma grid and averaged back over the same block, so that a picture that is not
changed comes back with exactly its own code values.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask, Plane
from grevin.core.picture.transfer import decode_linear, encode_linear

Rgb = npt.NDArray[np.float32]
Places = npt.NDArray[np.int64]
Values = npt.NDArray[np.float64]

# (Kr, Kb) of each matrix: BT.601-7 item 2.5.1, BT.709-6 item 3.2, BT.2020-2 table 4.
LUMA_COEFFICIENTS: dict[str, tuple[float, float]] = {
    "bt601": (0.299, 0.114),
    "bt709": (0.2126, 0.0722),
    "bt2020": (0.2627, 0.0593),
}


def code_scale(fmt: PictureFormat) -> tuple[float, float, float, float]:
    """(luma span, luma offset, chroma span, chroma offset) in code values, BT.601-7 / BT.2020-2 table 5."""
    unit = float(1 << (fmt.bit_depth - 8))
    half = 128.0 * unit
    if fmt.full_range:
        return float(fmt.max_code), 0.0, float(fmt.max_code), half
    return 219.0 * unit, 16.0 * unit, 224.0 * unit, half


def rgb_from_ycc_matrix(matrix: str) -> npt.NDArray[np.float64]:
    """3x3 matrix from nominal Y' (0..1), Cb, Cr (-0.5..0.5) to R'G'B' (0..1)."""
    red, blue = LUMA_COEFFICIENTS[matrix]
    green = 1.0 - red - blue
    return np.array(
        [
            [1.0, 0.0, 2.0 * (1.0 - red)],
            [1.0, -2.0 * blue * (1.0 - blue) / green, -2.0 * red * (1.0 - red) / green],
            [1.0, 2.0 * (1.0 - blue), 0.0],
        ]
    )


def luma_weights(matrix: str) -> npt.NDArray[np.float64]:
    """(3,) share of R', G' and B' in luma; BT.709's where a format names none."""
    red, blue = LUMA_COEFFICIENTS.get(matrix, LUMA_COEFFICIENTS["bt709"])
    return np.array([red, 1.0 - red - blue, blue])


def rgb_affine(fmt: PictureFormat) -> npt.NDArray[np.float64]:
    """3x4 affine map from code values (Y, Cb, Cr) to nominal R'G'B'."""
    luma_span, luma_offset, chroma_span, chroma_offset = code_scale(fmt)
    matrix = rgb_from_ycc_matrix(fmt.matrix)
    scaled = matrix / np.array([luma_span, chroma_span, chroma_span])
    shift = -scaled @ np.array([luma_offset, chroma_offset, chroma_offset])
    return np.hstack([scaled, shift[:, None]])


def spread_chroma(plane: Plane, fmt: PictureFormat) -> Plane:
    """A chroma plane repeated to the luma grid, (H, W), its own dtype."""
    across, down = fmt.chroma_ratio
    if across == 1 and down == 1:
        return plane
    height, width = plane.shape
    wide = cv2.resize(plane, (width * across, height * down), interpolation=cv2.INTER_NEAREST)
    return np.asarray(wide[: fmt.height, : fmt.width])


def to_rgb(frame: Frame) -> Rgb:
    """(H, W, 3) float32 non-linear R'G'B', nominal 0..1, values outside kept."""
    fmt = frame.format
    if fmt.model == "yuv":
        planes = [frame.planes[0], *(spread_chroma(p, fmt) for p in frame.planes[1:3])]
        codes = cv2.merge([p.astype(np.float32) for p in planes])
        return np.asarray(cv2.transform(codes, rgb_affine(fmt)), np.float32)
    if fmt.sample == "half":
        return encode_linear(np.asarray(cv2.merge([p.astype(np.float32) for p in frame.planes[:3]]), np.float32))
    luma_span, luma_offset = grey_scale(fmt)
    planes = [frame.planes[0]] * 3 if fmt.model == "grey" else list(frame.planes[:3])
    codes = cv2.merge([p.astype(np.float32) for p in planes])
    return np.asarray((codes - np.float32(luma_offset)) * np.float32(1.0 / luma_span), np.float32)


def grey_scale(fmt: PictureFormat) -> tuple[float, float]:
    """(span, offset) in code values of RGB and grey planes."""
    if fmt.full_range:
        return float(fmt.max_code), 0.0
    span, offset, _, _ = code_scale(fmt)
    return span, offset


def _codes_affine(fmt: PictureFormat) -> npt.NDArray[np.float64]:
    """3x4 (grey: 1x4) affine map from nominal R'G'B' to code values."""
    if fmt.model == "yuv":
        inverse = np.linalg.inv(rgb_affine(fmt)[:, :3])
        return np.hstack([inverse, -inverse @ rgb_affine(fmt)[:, 3:]])
    span, offset = grey_scale(fmt)
    if fmt.model == "grey":
        red, blue = LUMA_COEFFICIENTS["bt709"]
        return np.array([[red * span, (1.0 - red - blue) * span, blue * span, offset]])
    return np.hstack([np.eye(3) * span, np.full((3, 1), offset)])


def codes_from_rgb(values: Rgb, fmt: PictureFormat) -> npt.NDArray[np.float64]:
    """(N, 3) nominal R'G'B' to (N, planes) code values, not rounded; grey takes the BT.709 luma."""
    if fmt.sample == "half":
        return decode_linear(values).astype(np.float64)
    affine = _codes_affine(fmt)
    # OpenCV's is several times as fast as a product of so thin matrices
    if not len(values):
        return np.zeros((0, len(affine)))
    made = cv2.transform(values.astype(np.float64)[:, None], affine)
    return np.asarray(made, np.float64).reshape(len(values), -1)


def paint_inside(frame: Frame, mended: Rgb, mask: Mask, weight: npt.NDArray[np.float32] | None) -> Frame:
    """Put `mended` into `frame` inside `mask`, leaving every other code value as it is.

    Args:
        frame: the picture to change.
        mended: (H, W, 3) float32 R'G'B', nominal 0..1; read only inside the mask.
        mask: (H, W) bool, aligned to the chroma grid (`masks.align_to_chroma`).
        weight: (H, W) float32 0..1 mix of the mended picture inside the mask; None for 1 everywhere.

    Returns:
        A frame whose planes equal the source's wherever no sample of the mask lies.
    """
    fmt = frame.format
    places = np.flatnonzero(mask)
    codes = codes_from_rgb(mended.reshape(-1, 3).take(places, axis=0), fmt)
    mix = None if weight is None else weight.ravel().take(places).astype(np.float64)
    planes: list[Plane] = list(frame.planes)
    for index in range(fmt.colour_planes):
        coarse = fmt.model == "yuv" and index > 0 and fmt.chroma_ratio != (1, 1)
        samples, wanted, share = places, codes[:, index], mix
        if coarse:
            whose = _samples_of(fmt.height, fmt.width, fmt.chroma_ratio).take(places)
            samples, wanted, share = _meaned(whose, wanted, mix, frame.planes[index].size)
        planes[index] = _painted(frame.planes[index], samples, wanted, share, fmt)
    return Frame(frame.number, fmt, tuple(planes), frame.touched)


@lru_cache(maxsize=4)
def _samples_of(height: int, width: int, ratio: tuple[int, int]) -> Places:
    """(H * W,) the sample of a coarser plane that each pixel lies in."""
    across, down = ratio
    wide = -(-width // across)
    rows, columns = np.arange(height) // down, np.arange(width) // across
    return np.asarray((rows[:, None] * wide + columns[None, :]).ravel())


def _meaned(
    whose: Places, codes: Values, mix: Values | None, size: int
) -> tuple[Places, Values, Values | None]:  # fmt: skip
    """Samples of a coarser plane, and the means of what is wanted of their pixels."""
    counts = np.bincount(whose, minlength=size)
    samples = np.flatnonzero(counts)
    wanted = np.bincount(whose, codes, size)[samples] / counts[samples]
    return samples, wanted, None if mix is None else np.bincount(whose, mix, size)[samples] / counts[samples]


def _painted(plane: Plane, samples: Places, wanted: Values, share: Values | None, fmt: PictureFormat) -> Plane:
    result = plane.copy()
    flat = result.reshape(-1)
    old = flat.take(samples).astype(np.float64)
    new = old + (wanted - old if share is None else share * (wanted - old))
    if plane.dtype.kind == "u":
        new = np.clip(np.rint(new), 0, fmt.max_code)
    flat[samples] = new.astype(plane.dtype)
    return result


def from_rgb(frame: Frame, picture: Rgb) -> Frame:
    """A whole new picture in `frame`'s format: float32 planes in code-value units, everything touched."""
    fmt = frame.format
    half = fmt.sample == "half"
    codes = cv2.split(decode_linear(picture) if half else cv2.transform(picture, _codes_affine(fmt)))
    planes: list[Plane] = []
    for (height, width), full in zip(fmt.plane_shapes(), codes[: fmt.colour_planes], strict=False):
        planes.append(full if (height, width) == full.shape else _gather_chroma(full, fmt))
    if fmt.alpha:
        planes.append(frame.planes[-1].astype(np.float32))
    return Frame(frame.number, fmt, tuple(planes), "everything")


def _gather_chroma(full: Plane, fmt: PictureFormat) -> Plane:
    across, down = fmt.chroma_ratio
    pad_down, pad_across = -fmt.height % down, -fmt.width % across
    padded = np.pad(full, ((0, pad_down), (0, pad_across)), mode="edge")
    height, width = padded.shape
    size = width // across, height // down
    return np.asarray(cv2.resize(padded, size, interpolation=cv2.INTER_AREA), np.float32)  # the mean of each block
