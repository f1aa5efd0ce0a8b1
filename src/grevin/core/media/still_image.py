"""Single PNG and TIFF pictures, read and written sample for sample."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
import tifffile

from grevin.core.errors import MediaError
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.format import ColourModel, PictureFormat
from grevin.core.picture.frame import Frame, Plane

PNG_SUFFIXES = {".png"}
TIFF_SUFFIXES = {".tif", ".tiff"}
IMAGE_SUFFIXES = PNG_SUFFIXES | TIFF_SUFFIXES
_MODELS: dict[int, tuple[ColourModel, bool]] = {
    1: ("grey", False),
    2: ("grey", True),
    3: ("rgb", False),
    4: ("rgb", True),
}


def read_image(path: Path) -> tuple[tuple[Plane, ...], ColourModel, int, bool]:
    """Planes of a picture.

    Returns:
        (planes, model, bit_depth, alpha); planes are (H, W) uint8 or uint16 in order R G B / grey, then alpha.

    Raises:
        MediaError: if it is missing, damaged or no 8- or 16-bit grey or RGB picture.
    """
    try:
        samples = _read_png(path) if path.suffix.lower() in PNG_SUFFIXES else tifffile.imread(path)
    except (OSError, ValueError, cv2.error, tifffile.TiffFileError) as fault:
        raise MediaError(f"{path.name} cannot be read as a picture ({fault}).", "Copy it again.") from fault
    if samples.ndim == 2:
        samples = samples[..., None]
    if samples.ndim != 3 or samples.shape[2] not in _MODELS or samples.dtype not in (np.uint8, np.uint16):
        raise MediaError(
            f"{path.name} holds {samples.dtype} samples of shape {samples.shape}, which are not supported.",
            "Convert it to one 8- or 16-bit grey or RGB picture per file.",
        )
    model, alpha = _MODELS[samples.shape[2]]
    planes = tuple(np.ascontiguousarray(samples[..., index]) for index in range(samples.shape[2]))
    return planes, model, samples.dtype.itemsize * 8, alpha


def _read_png(path: Path) -> npt.NDArray[Any]:
    data = np.fromfile(path, np.uint8)
    samples = cv2.imdecode(data, cv2.IMREAD_UNCHANGED) if data.size else None
    if samples is None:
        raise ValueError("the data is damaged or not PNG")
    if samples.ndim == 3:
        samples = samples[..., [2, 1, 0, 3][: samples.shape[2]]]
    return np.asarray(samples)


def write_image(path: Path, samples: npt.NDArray[Any]) -> None:
    """Write (H, W), (H, W, 3) or (H, W, 4) uint8/uint16 samples in order R G B A, without loss."""
    if path.suffix.lower() in TIFF_SUFFIXES:
        tifffile.imwrite(path, samples, photometric="rgb" if samples.ndim == 3 else "minisblack")
        return
    if samples.ndim == 3:
        samples = samples[..., [2, 1, 0, 3][: samples.shape[2]]]
    done, data = cv2.imencode(".png", samples)
    if not done:
        raise ValueError(f"cannot encode {samples.shape} {samples.dtype} as PNG")
    path.write_bytes(data.tobytes())


def image_format(fmt: PictureFormat) -> PictureFormat:
    """The format that a PNG or TIFF file of such a picture reads back as."""
    depth = 8 if fmt.bit_depth == 8 else 16
    return PictureFormat(
        fmt.width,
        fmt.height,
        "grey" if fmt.model == "grey" else "rgb",
        depth,
        alpha=fmt.alpha,
        full_range=True,
        pixel_aspect=fmt.pixel_aspect,
        rate=fmt.rate,
    )


def image_samples(frame: Frame) -> npt.NDArray[Any]:
    """(H, W[, 3 or 4]) uint8 or uint16 samples of a frame for a picture file.

    8- and 16-bit RGB and grey keep their code values. Other depths are shifted up to 16 bits (which loses
    nothing); Y'CbCr becomes full-range R'G'B', rounded once.
    """
    frame = frame.rounded()
    fmt = frame.format
    target = image_format(fmt)
    if fmt.model == "yuv":
        colour = np.clip(np.rint(to_rgb(frame) * np.float32(target.max_code)), 0, target.max_code)
        channels = list(np.moveaxis(colour.astype(target.dtype), 2, 0))
    else:
        channels = [_shifted_up(plane, fmt, target) for plane in frame.planes[: fmt.colour_planes]]
    if fmt.alpha:
        channels.append(_shifted_up(frame.planes[-1], fmt, target))
    if fmt.alpha and fmt.model == "grey":
        channels = [channels[0]] * 3 + [channels[-1]]
    return channels[0] if len(channels) == 1 else np.stack(channels, axis=-1)


def _shifted_up(plane: Plane, fmt: PictureFormat, target: PictureFormat) -> Plane:
    return np.asarray(np.left_shift(plane.astype(target.dtype), target.bit_depth - fmt.bit_depth, dtype=target.dtype))
