"""Single pictures written: PNG, TIFF, DPX and OpenEXR, each in the format that carries the frame's samples."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import numpy.typing as npt
import OpenEXR
import tifffile

from grevin.core.media.pixel_layout import pack
from grevin.core.media.still_image import EXR_SUFFIXES, PNG_SUFFIXES, TIFF_SUFFIXES
from grevin.core.picture.colour import from_rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Plane

DPX_SUFFIXES = {".dpx"}
WRITTEN_SUFFIXES = PNG_SUFFIXES | TIFF_SUFFIXES | DPX_SUFFIXES | EXR_SUFFIXES
DPX_DEPTHS = (8, 10, 12, 16)  # SMPTE ST 268, of R'G'B'
_DPX_LAYOUTS = {
    ("grey", 8, False): "gray", ("grey", 16, False): "gray16be", ("rgb", 8, False): "rgb24", ("rgb", 8, True): "rgba",
    ("rgb", 16, False): "rgb48be", ("rgb", 16, True): "rgba64be",
}  # fmt: skip


def picture_format(fmt: PictureFormat, suffix: str) -> PictureFormat:
    """The format that a picture file of such a frame reads back as.

    PNG and TIFF hold 8 or 16 bits, DPX 10 and 12 too; OpenEXR holds linear light in 16-bit floating point.
    """
    half = suffix in EXR_SUFFIXES
    grey = fmt.model == "grey" and not fmt.alpha and not half
    plain = not grey and not fmt.alpha
    depths = DPX_DEPTHS if suffix in DPX_SUFFIXES and plain else (8, 16)
    depth = next(bits for bits in depths if bits >= fmt.bit_depth)
    return PictureFormat(
        fmt.width, fmt.height, "grey" if grey else "rgb", 16 if half else depth, alpha=fmt.alpha, full_range=True,
        pixel_aspect=fmt.pixel_aspect, rate=fmt.rate, sample="half" if half else "integer",
    )  # fmt: skip


def as_picture(frame: Frame, suffix: str) -> Frame:
    """A frame as the picture file that would be written of it.

    R'G'B' and grey keep their code values, shifted up where the file is deeper (which loses nothing); Y'CbCr becomes
    full-range R'G'B', rounded once. In OpenEXR integer code values become linear light.
    """
    frame = frame.rounded()
    fmt, target = frame.format, picture_format(frame.format, suffix)
    if fmt.sample == "half" and target.sample == "half":
        planes = list(frame.planes)
    elif target.sample == "half":
        planes = [*_linear(frame, target), *(_share(plane, fmt) for plane in frame.planes[fmt.colour_planes :])]
    else:
        planes = _codes(frame, target)
    return Frame(frame.number, target, tuple(np.ascontiguousarray(plane) for plane in planes), frame.touched)


def _linear(frame: Frame, target: PictureFormat) -> list[Plane]:
    blank = Frame(frame.number, target, tuple(np.zeros(shape, np.float16) for shape in target.plane_shapes()))
    return list(from_rgb(blank, to_rgb(frame)).rounded().planes[: target.colour_planes])


def _share(alpha: Plane, fmt: PictureFormat) -> Plane:
    return (alpha.astype(np.float32) / np.float32(fmt.max_code)).astype(np.float16)


def _codes(frame: Frame, target: PictureFormat) -> list[Plane]:
    fmt, most = frame.format, np.float32(target.max_code)
    if fmt.model == "yuv" or fmt.sample == "half":
        colour = np.clip(np.rint(to_rgb(frame) * most), 0, most).astype(target.dtype)
        planes = list(np.moveaxis(colour, 2, 0))
    else:
        planes = [_shifted_up(plane, fmt, target) for plane in frame.planes[: fmt.colour_planes]]
    if len(planes) == 1 and target.model == "rgb":
        planes *= 3
    for alpha in frame.planes[fmt.colour_planes :]:
        if fmt.sample == "half":
            planes.append(np.rint(np.clip(alpha.astype(np.float32), 0, 1) * most).astype(target.dtype))
        else:
            planes.append(_shifted_up(alpha, fmt, target))
    return planes


def _shifted_up(plane: Plane, fmt: PictureFormat, target: PictureFormat) -> Plane:
    return np.asarray(np.left_shift(plane.astype(target.dtype), target.bit_depth - fmt.bit_depth, dtype=target.dtype))


def write_picture(path: Path, frame: Frame) -> None:
    """Write a frame that `as_picture` made for that ending, without loss."""
    suffix = path.suffix.lower()
    if suffix in EXR_SUFFIXES:
        _write_exr(path, frame)
    elif suffix in DPX_SUFFIXES:
        _write_dpx(path, frame)
    else:
        write_samples(path, frame.planes[0] if len(frame.planes) == 1 else np.stack(frame.planes, axis=-1))


def write_samples(path: Path, samples: npt.NDArray[Any]) -> None:
    """Write (H, W), (H, W, 3) or (H, W, 4) uint8/uint16 samples in order R G B A as PNG or TIFF, without loss."""
    if path.suffix.lower() in TIFF_SUFFIXES:
        tifffile.imwrite(path, samples, photometric="rgb" if samples.ndim == 3 else "minisblack")
        return
    if samples.ndim == 3:
        samples = samples[..., [2, 1, 0, 3][: samples.shape[2]]]
    done, data = cv2.imencode(".png", samples)
    if not done:
        raise ValueError(f"cannot encode {samples.shape} {samples.dtype} as PNG")
    path.write_bytes(data.tobytes())


def _write_dpx(path: Path, frame: Frame) -> None:
    """SMPTE ST 268 by the FFmpeg libraries."""
    fmt = frame.format
    layout = _DPX_LAYOUTS.get((fmt.model, fmt.bit_depth, fmt.alpha))
    if layout is None:
        packed = pack(frame.planes, fmt, f"gbrp{fmt.bit_depth}le")
    else:
        samples = frame.planes[0] if len(frame.planes) == 1 else np.stack(frame.planes, axis=-1)
        packed = av.VideoFrame.from_ndarray(np.ascontiguousarray(samples), layout)
    encoder: Any = av.CodecContext.create("dpx", "w")
    encoder.width, encoder.height, encoder.pix_fmt = fmt.width, fmt.height, packed.format.name
    encoder.time_base, encoder.framerate = 1 / fmt.rate, fmt.rate
    encoder.sample_aspect_ratio = fmt.pixel_aspect
    path.write_bytes(b"".join(bytes(packet) for packet in (*encoder.encode(packed), *encoder.encode(None))))


def _write_exr(path: Path, frame: Frame) -> None:
    header = {
        "type": OpenEXR.scanlineimage, "compression": OpenEXR.ZIP_COMPRESSION,
        "pixelAspectRatio": float(frame.format.pixel_aspect),
    }  # fmt: skip
    with OpenEXR.File(header, dict(zip("RGBA", frame.planes, strict=False))) as file:
        file.write(str(path))
