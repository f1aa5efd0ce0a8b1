"""One written frame, with all that was done to it, as bytes and back: what is kept of a run (`ready`).

A picture that is the source's own is not held again. Planes are differences along rows, their bits shuffled, then
Zstandard (RFC 8878): far quicker than FFV1, for somewhat more room (`python -m bench --suite output`).
"""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

import imagecodecs
import numpy as np
import numpy.typing as npt

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask, Plane
from grevin.core.render.proof import Written
from grevin.core.steps.evidence import Blob
from grevin.core.treatment.step_source import Acted, StepSource

PACKED_VERSION = 2
ZSTD_LEVEL = 1
HEAD_BYTES = 4  # the length of the head


def packed(written: Written, is_source: bool) -> bytes:
    """The frame and its traces; where `is_source`, without its planes."""
    arrays = [] if is_source else [_packed_plane(plane) for plane in written.frame.planes]
    traces = []
    for place, _, acted in written.steps:
        mask = None if acted.mask is None else list(acted.mask.shape)
        if acted.mask is not None:
            arrays.append(bytes(imagecodecs.zstd_encode(np.packbits(acted.mask).tobytes(), level=ZSTD_LEVEL)))
        traces.append({**_plain(acted), "place": place, "mask": mask})
    head = json.dumps({
        "number": written.number, "source": written.source, "made": written.made, "differing": written.differing,
        "begins": written.begins, "is_source": is_source, "traces": traces, "lengths": [len(one) for one in arrays],
    }).encode()  # fmt: skip
    return b"".join((len(head).to_bytes(HEAD_BYTES, "little"), head, *arrays))


def unpacked(content: bytes, fmt: PictureFormat, source: Frame | None, steps: dict[int, StepSource]) -> Written:
    """What `packed` gave.

    Args:
        content: the bytes; whole, which a checksum has shown.
        fmt: of the frame.
        source: the source's frame in that format, for one that is no other; None where it was not asked for.
        steps: of the path, by their places.
    """
    head, arrays = _parts(content)
    planes = () if head["is_source"] else tuple(_plane(arrays.pop(0), fmt, shape) for shape in fmt.plane_shapes())
    traces = []
    for trace in head["traces"]:
        place, shape = trace.pop("place"), trace.pop("mask")
        mask = None if shape is None else _mask(arrays.pop(0), tuple(shape))
        mended, left = (tuple(_blob(one) for one in trace.pop(name)) for name in ("mended", "left"))
        traces.append((place, steps[place], Acted(mask, mended, left, **trace)))
    frame = source if source is not None else Frame(head["number"], fmt, planes)
    return Written(
        head["number"], head["source"], frame, head["made"], head["differing"], tuple(traces), head["begins"],
        ready=True,
    )  # fmt: skip


def is_source(content: bytes) -> bool:
    """Whether a kept frame is the source's own."""
    return bool(_parts(content)[0]["is_source"])


def _parts(content: bytes) -> tuple[dict[str, Any], list[bytes]]:
    end = HEAD_BYTES + int.from_bytes(content[:HEAD_BYTES], "little")
    head, arrays = json.loads(content[HEAD_BYTES:end]), []
    for length in head["lengths"]:
        arrays.append(content[end : end + length])
        end += length
    return head, arrays


def _plain(acted: Acted) -> dict[str, Any]:
    return {
        "mended": [asdict(blob) for blob in acted.mended], "left": [asdict(blob) for blob in acted.left],
        "doubt": acted.doubt, "made": acted.made, "reshaped": acted.reshaped, "whole_levels": acted.whole_levels,
    }  # fmt: skip


def _blob(plain: dict[str, Any]) -> Blob:
    return Blob(**{**plain, "area": tuple(plain["area"])})


def _packed_plane(plane: Plane) -> bytes:
    codes = plane.view(np.uint16) if plane.dtype == np.float16 else plane
    along = imagecodecs.delta_encode(np.ascontiguousarray(codes), axis=1)
    shuffled = imagecodecs.bitshuffle_encode(along)
    return bytes(imagecodecs.zstd_encode(shuffled.tobytes(), level=ZSTD_LEVEL))


def _plane(content: bytes, fmt: PictureFormat, shape: tuple[int, ...]) -> Plane:
    codes = np.dtype(np.uint8) if fmt.dtype == np.uint8 else np.dtype(np.uint16)
    shuffled = np.frombuffer(imagecodecs.zstd_decode(content), codes).reshape(shape)
    along = imagecodecs.bitshuffle_decode(shuffled)
    plane: npt.NDArray[Any] = imagecodecs.delta_decode(along, axis=1)
    return plane.view(fmt.dtype)


def _mask(content: bytes, shape: tuple[int, ...]) -> Mask:
    bits = np.frombuffer(imagecodecs.zstd_decode(content), np.uint8)
    return np.unpackbits(bits, count=int(np.prod(shape))).reshape(shape).astype(np.bool_)
