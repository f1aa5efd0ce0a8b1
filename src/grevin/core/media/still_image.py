"""Single pictures: PNG, TIFF, DPX, JPEG and OpenEXR read sample for sample."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import numpy.typing as npt
import OpenEXR
import tifffile

from grevin.core.errors import MediaError
from grevin.core.media.container import check_size
from grevin.core.media.pixel_layout import unpack
from grevin.core.picture.format import ColourModel, PictureFormat, SampleKind
from grevin.core.picture.frame import Plane

PNG_SUFFIXES = {".png"}
TIFF_SUFFIXES = {".tif", ".tiff"}
CODED_SUFFIXES = {".dpx": "dpx", ".jpg": "mjpeg", ".jpeg": "mjpeg"}  # decoders of the FFmpeg libraries
EXR_SUFFIXES = {".exr"}
PNG_HEADER_BYTES = 26
DEFLATE_RATIO = 1032  # the most that deflate can shorten (zlib technical details): more is a damaged header
MOST_CHANNELS = 4
_PNG_CHANNELS = {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}  # colour types of ISO/IEC 15948, table 11.1
# What the picture libraries raise on damaged files; memory, where a header announces more than there is.
_DAMAGED = (
    OSError, ValueError, RuntimeError, LookupError, TypeError, AttributeError, MemoryError, struct.error, cv2.error,
    tifffile.TiffFileError, av.error.FFmpegError,
)  # fmt: skip
IMAGE_SUFFIXES = PNG_SUFFIXES | TIFF_SUFFIXES | set(CODED_SUFFIXES) | EXR_SUFFIXES
_MODELS: dict[int, tuple[ColourModel, bool]] = {
    1: ("grey", False),
    2: ("grey", True),
    3: ("rgb", False),
    4: ("rgb", True),
}


@dataclass(frozen=True, eq=False)
class Picture:
    """A picture file's own samples.

    Attributes:
        planes: (H, W) uint8, uint16 or float16 in order Y Cb Cr / R G B / grey, then alpha.
        model, bit_depth, chroma, alpha, sample: as in `PictureFormat`.
    """

    planes: tuple[Plane, ...]
    model: ColourModel
    bit_depth: int
    chroma: str = "4:4:4"
    alpha: bool = False
    sample: SampleKind = "integer"

    def format(self, rate: Fraction) -> PictureFormat:
        """What the planes mean; JPEG is BT.601 of full range (ITU-T T.871)."""
        height, width = self.planes[0].shape
        return PictureFormat(
            width, height, self.model, self.bit_depth, chroma=self.chroma, alpha=self.alpha, full_range=True,
            matrix="bt601" if self.model == "yuv" else "bt709", rate=rate, sample=self.sample,
        )  # fmt: skip


def read_image(path: Path) -> Picture:
    """Read a picture.

    Raises:
        MediaError: if it is missing, damaged or of a kind that is not supported.
    """
    suffix = path.suffix.lower()
    try:
        if suffix in CODED_SUFFIXES:
            return _read_coded(path, CODED_SUFFIXES[suffix])
        if suffix in EXR_SUFFIXES:
            return _read_exr(path)
        return _of_samples(path, _read_png(path) if suffix in PNG_SUFFIXES else _read_tiff(path))
    except _DAMAGED as fault:
        raise MediaError(f"{path.name} cannot be read as a picture ({fault}).", "Copy it again.") from fault


def _of_samples(path: Path, samples: npt.NDArray[Any]) -> Picture:
    if samples.ndim == 2:
        samples = samples[..., None]
    if samples.ndim != 3 or samples.shape[2] not in _MODELS or samples.dtype not in (np.uint8, np.uint16):
        raise MediaError(
            f"{path.name} holds {samples.dtype} samples of shape {samples.shape}, which are not supported.",
            "Convert it to one 8- or 16-bit grey or RGB picture per file.",
        )
    model, alpha = _MODELS[samples.shape[2]]
    planes = tuple(np.ascontiguousarray(samples[..., index]) for index in range(samples.shape[2]))
    return Picture(planes, model, samples.dtype.itemsize * 8, alpha=alpha)


def _read_tiff(path: Path) -> npt.NDArray[Any]:
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        check_size(path.name, int(page.imagewidth), int(page.imagelength))  # type: ignore[union-attr]
        samples = np.prod(page.shape) if page.shape else 0
        if samples > MOST_CHANNELS * page.imagewidth * page.imagelength:  # type: ignore[union-attr]
            raise ValueError(f"its header announces {samples} samples")
        return np.asarray(page.asarray())


def _check_png_chunks(data: npt.NDArray[np.uint8]) -> None:
    """Every chunk's length (ISO/IEC 15948, 5.3) has to lie inside the file."""
    place = 8
    while place < len(data):
        announced = int.from_bytes(data[place : place + 4].tobytes(), "big")
        place += announced + 12
        if place > len(data):
            raise ValueError("it is cut off or damaged")


def _read_png(path: Path) -> npt.NDArray[Any]:
    data = np.fromfile(path, np.uint8)
    if len(data) > PNG_HEADER_BYTES:  # ISO/IEC 15948, 11.2.2: width, height, depth and colour type from byte 16 on
        width, height, depth, kind = struct.unpack_from(">IIBB", data.tobytes()[:PNG_HEADER_BYTES], 16)
        check_size(path.name, width, height)
        if width * height * depth * _PNG_CHANNELS.get(kind, 4) > 8 * DEFLATE_RATIO * len(data):
            raise ValueError(f"{width}x{height} pixels cannot lie in {len(data)} bytes")
    _check_png_chunks(data)  # the decoder would take memory for whatever length a chunk announces
    samples = cv2.imdecode(data, cv2.IMREAD_UNCHANGED) if data.size else None
    if samples is None:
        raise ValueError("the data is damaged or not PNG")
    if samples.ndim == 3:
        samples = samples[..., [2, 1, 0, 3][: samples.shape[2]]]
    return np.asarray(samples)


def _read_coded(path: Path, codec: str) -> Picture:
    """DPX (SMPTE ST 268) and JPEG: the decoder's own samples, so that JPEG keeps its Y'CbCr."""
    decoder = av.CodecContext.create(codec, "r")
    decoder.thread_count = 1
    frames = decoder.decode(av.Packet(path.read_bytes()))  # type: ignore[attr-defined]
    frames = [*frames, *decoder.decode(None)]  # type: ignore[attr-defined]
    if not frames:
        raise ValueError("it holds no picture")
    planes, model, depth, chroma, alpha = unpack(frames[0])
    return Picture(planes, model, depth, chroma, alpha)


def _read_exr(path: Path) -> Picture:
    """OpenEXR with 16-bit floating-point samples; the data window is the picture."""
    if not path.is_file():
        raise MediaError(f"{path.name} is missing.", "Copy it again.")
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = {name.rsplit(".", 1)[-1].upper(): channel.pixels for name, channel in file.channels().items()}
    names = [name for name in ("R", "G", "B", "A") if name in channels]
    if names[:3] != ["R", "G", "B"]:
        names = ["Y"] * 3 if "Y" in channels else []
    planes = tuple(np.ascontiguousarray(channels[name]) for name in names)
    if not planes or any(plane.dtype != np.float16 for plane in planes):
        held = ", ".join(f"{name} {pixels.dtype}" for name, pixels in sorted(channels.items()))
        raise MediaError(
            f"{path.name} holds the channels {held}, which are not supported.",
            "Convert it to red, green and blue of 16-bit floating point (half).",
        )
    return Picture(planes, "rgb", 16, alpha=len(planes) == 4, sample="half")
