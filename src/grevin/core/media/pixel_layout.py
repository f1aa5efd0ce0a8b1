"""Between the many memory layouts of decoders and our planes, by moving samples, never by converting them."""

from __future__ import annotations

from typing import Any

import av
import numpy as np
import numpy.typing as npt

from grevin.core.errors import MediaError, OutputError
from grevin.core.picture.format import CHROMA_RATIOS, ColourModel, PictureFormat
from grevin.core.picture.frame import Plane

# Packed layouts: samples per pixel and where red, green, blue (and alpha) lie.
_PACKED_RGB: dict[str, tuple[int, tuple[int, ...]]] = {
    "rgb24": (3, (0, 1, 2)),
    "bgr24": (3, (2, 1, 0)),
    "rgba": (4, (0, 1, 2, 3)),
    "bgra": (4, (2, 1, 0, 3)),
    "argb": (4, (1, 2, 3, 0)),
    "abgr": (4, (3, 2, 1, 0)),
    "rgb0": (4, (0, 1, 2)),
    "bgr0": (4, (2, 1, 0)),
    "0rgb": (4, (1, 2, 3)),
    "0bgr": (4, (3, 2, 1)),
    "rgb48": (3, (0, 1, 2)),
    "bgr48": (3, (2, 1, 0)),
    "rgba64": (4, (0, 1, 2, 3)),
    "bgra64": (4, (2, 1, 0, 3)),
    "ya8": (2, (0, 1)),
    "ya16": (2, (0, 1)),
    "gray": (1, (0,)),
}
# Packed 4:2:2: offsets of Y, Cb, Cr in a group of four samples.
_PACKED_422 = {"yuyv422": (0, 1, 3), "uyvy422": (1, 0, 2), "yvyu422": (0, 3, 1)}
_CHROMA_NAMES = {ratio: name for name, ratio in CHROMA_RATIOS.items()}


def _sample_array(plane: Any, itemsize: int, big_endian: bool) -> npt.NDArray[Any]:
    dtype = np.dtype(np.uint8) if itemsize == 1 else np.dtype(">u2" if big_endian else "<u2")
    lines: npt.NDArray[Any] = np.frombuffer(plane, dtype).reshape(-1, plane.line_size // itemsize)
    return lines


def _native(samples: npt.NDArray[Any], shift: int = 0) -> Plane:
    native = samples.astype(np.uint8 if samples.dtype.itemsize == 1 else np.uint16)  # a copy that we own
    return np.right_shift(native, shift, dtype=native.dtype) if shift else native


def unpack(frame: av.VideoFrame) -> tuple[tuple[Plane, ...], ColourModel, int, str, bool]:
    """Samples of a decoded frame.

    Returns:
        (planes, model, bit_depth, chroma, alpha) as in `PictureFormat`.

    Raises:
        MediaError: for a layout that holds no 8- to 16-bit integer samples.
    """
    fmt = frame.format
    name = fmt.name.removesuffix("le").removesuffix("be")
    if name in {"pal8", "monow", "monob"}:  # exact by nature: a table look-up
        frame = frame.reformat(format="bgra" if name == "pal8" else "gray")
        fmt, name = frame.format, frame.format.name
    if name in _PACKED_RGB:
        return _unpack_packed(frame, name)
    if name in _PACKED_422:
        lines = _sample_array(frame.planes[0], 1, False)[: frame.height]
        steps = (2, 4, 4)
        widths = (frame.width, -(-frame.width // 2), -(-frame.width // 2))
        offsets = _PACKED_422[name]
        planes = tuple(_native(lines[:, o::s][:, :w]) for o, s, w in zip(offsets, steps, widths, strict=True))
        return planes, "yuv", 8, "4:2:2", False
    planar = name.startswith(("yuv", "gbr", "gray", "nv", "p0", "p2", "p4"))
    depth = fmt.components[0].bits if fmt.components else 0
    if not planar or "f32" in name or "f16" in name or not 8 <= depth <= 16:
        raise MediaError(
            f"The pixel layout “{fmt.name}” is not supported.",
            "Convert the material to 8- to 16-bit Y'CbCr, RGB or grey without loss first.",
        )
    return _unpack_planar(frame, name, depth)


def _unpack_packed(frame: av.VideoFrame, name: str) -> tuple[tuple[Plane, ...], ColourModel, int, str, bool]:
    per_pixel, offsets = _PACKED_RGB[name]
    itemsize = 2 if name in {"rgb48", "bgr48", "rgba64", "bgra64", "ya16"} else 1
    lines = _sample_array(frame.planes[0], itemsize, frame.format.is_big_endian)
    samples = lines[: frame.height, : frame.width * per_pixel]
    planes = tuple(_native(samples[:, offset::per_pixel]) for offset in offsets)
    model: ColourModel = "rgb" if len(offsets) >= 3 else "grey"
    return planes, model, 8 * itemsize, "4:4:4", len(offsets) in {2, 4}


def _unpack_planar(
    frame: av.VideoFrame, name: str, depth: int
) -> tuple[tuple[Plane, ...], ColourModel, int, str, bool]:
    fmt = frame.format
    itemsize = 1 if depth == 8 else 2
    shift = 16 - depth if name[0] == "p" and depth < 16 else 0  # P010 and its kin keep samples in the high bits
    arrays = [_sample_array(plane, itemsize, fmt.is_big_endian) for plane in frame.planes]
    alpha = any(component.is_alpha for component in fmt.components)
    if name.startswith("gray"):
        return (_native(arrays[0][: frame.height, : frame.width]),), "grey", depth, "4:4:4", False
    if name.startswith("gbr"):
        green, blue, red, *rest = (_native(a[: frame.height, : frame.width]) for a in arrays)
        return (red, green, blue, *rest), "rgb", depth, "4:4:4", alpha
    width, height = fmt.chroma_width(frame.width), fmt.chroma_height(frame.height)
    ratio = (fmt.chroma_width(64) and 64 // fmt.chroma_width(64), 64 // fmt.chroma_height(64))
    luma = _native(arrays[0][: frame.height, : frame.width], shift)
    if len(arrays) == 2:  # semi-planar: Cb and Cr samples take turns
        pairs = arrays[1][:height, : 2 * width]
        first, second = _native(pairs[:, 0::2], shift), _native(pairs[:, 1::2], shift)
        chroma = (second, first) if name in {"nv21", "nv42"} else (first, second)
    else:
        chroma = (_native(arrays[1][:height, :width]), _native(arrays[2][:height, :width]))
    rest = [_native(arrays[3][: frame.height, : frame.width])] if alpha else []
    return (luma, *chroma, *rest), "yuv", depth, _CHROMA_NAMES[ratio], alpha


def lossless_layout(fmt: PictureFormat) -> str:
    """Name of the FFV1 pixel layout that carries this format unchanged.

    Raises:
        OutputError: if FFV1 has none.
    """
    bits = "" if fmt.bit_depth == 8 else f"{fmt.bit_depth}le"
    alpha = "a" if fmt.alpha else ""
    if fmt.model == "yuv":
        name = f"yuv{alpha}{fmt.chroma.replace(':', '')}p{bits}"
    elif fmt.model == "grey":
        name = {"": f"gray{bits}", "a": "ya8" if fmt.bit_depth == 8 else "ya16le"}[alpha]
    else:
        name = ("bgra" if fmt.alpha else "bgr0") if fmt.bit_depth == 8 else f"gbr{alpha}p{bits}"
    known = {layout.name for layout in av.codec.Codec("ffv1", "w").video_formats or ()}
    if name not in known:
        raise OutputError(
            f"FFV1 cannot carry {fmt.describe()}{' with alpha' if fmt.alpha else ''} without loss.",
            "Write a TIFF or PNG sequence instead.",
        )
    return name


def pack(planes: tuple[Plane, ...], fmt: PictureFormat, layout: str) -> av.VideoFrame:
    """Our planes as a frame for the encoder, in `layout` (from `lossless_layout`)."""
    frame = av.VideoFrame(fmt.width, fmt.height, layout)
    if layout in _PACKED_RGB and layout != "gray":
        per_pixel, offsets = _PACKED_RGB[layout]
        lines = _writable(frame.planes[0], fmt)
        for plane, offset in zip(planes, offsets, strict=True):
            lines[: fmt.height, offset : fmt.width * per_pixel : per_pixel] = plane
        return frame
    ordered = (planes[1], planes[2], planes[0], *planes[3:]) if fmt.model == "rgb" else planes
    for target, plane in zip(frame.planes, ordered, strict=True):
        height, width = plane.shape
        _writable(target, fmt)[:height, :width] = plane
    return frame


def _writable(plane: Any, fmt: PictureFormat) -> npt.NDArray[Any]:
    samples: npt.NDArray[Any] = np.frombuffer(memoryview(plane), fmt.dtype)
    return samples.reshape(-1, plane.line_size // fmt.dtype.itemsize)
