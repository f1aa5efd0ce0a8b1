"""DPX and OpenEXR as outputs: every sample comes back, and files are what their standards say."""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenEXR
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.media.still_image import read_image
from grevin.core.media.still_writer import as_picture, picture_format, write_picture
from grevin.core.picture.colour import decode_linear
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment
from tests.conftest import random_frame, write_video

RGB = {
    bits: PictureFormat(12, 6, "rgb", bits, full_range=True, pixel_aspect=Fraction(3, 2)) for bits in (8, 10, 12, 16)
}
OTHERS = (
    PictureFormat(12, 6, "grey", 8, full_range=True), PictureFormat(12, 6, "grey", 12, full_range=True),
    PictureFormat(12, 6, "rgb", 8, alpha=True, full_range=True),
    PictureFormat(12, 6, "rgb", 10, alpha=True, full_range=True),
    PictureFormat(12, 6, "yuv", 10, "4:2:2"), PictureFormat(12, 6, "grey", 8, alpha=True, full_range=True),
)  # fmt: skip


@pytest.mark.parametrize("suffix", [".dpx", ".exr", ".png", ".tif"])
@pytest.mark.parametrize("fmt", [*RGB.values(), *OTHERS], ids=PictureFormat.describe)
def test_what_is_written_reads_back(fmt: PictureFormat, suffix: str, tmp_path: Path) -> None:
    frame = as_picture(random_frame(fmt), suffix)
    path = tmp_path / f"a{suffix}"
    write_picture(path, frame)
    back, target = read_image(path), picture_format(fmt, suffix)
    assert (back.model, back.bit_depth, back.alpha, back.sample) == (
        target.model, target.bit_depth, target.alpha, target.sample,
    )  # fmt: skip
    for ours, theirs in zip(back.planes, frame.planes, strict=True):
        np.testing.assert_array_equal(ours, theirs)


@pytest.mark.reference
@pytest.mark.parametrize("bits", [8, 10, 12, 16])
def test_the_header_is_that_of_smpte_st_268(bits: int, tmp_path: Path) -> None:
    """Places of fields as in SMPTE ST 268-1:2014, tables 1 to 3 (from memory)."""
    frame = random_frame(RGB[bits])
    write_picture(tmp_path / "a.dpx", as_picture(frame, ".dpx"))
    data = (tmp_path / "a.dpx").read_bytes()
    order = {b"SDPX": ">", b"XPDS": "<"}[data[:4]]
    (start, size, width, height, descriptor, depth) = (
        *struct.unpack_from(order + "I", data, 4), *struct.unpack_from(order + "I", data, 16),
        *struct.unpack_from(order + "II", data, 772), data[800], data[803],
    )  # fmt: skip
    assert (size, width, height, descriptor, depth) == (len(data), 12, 6, 50, bits)
    assert struct.unpack_from(order + "II", data, 1628) == (3, 2), "pixel aspect"
    if bits == 10:  # three samples in a word, filled at its low end (packing method A)
        words = np.frombuffer(data, order + "u4", 72, start).reshape(6, 12)
        for place, plane in enumerate(frame.planes):
            np.testing.assert_array_equal(words >> (22 - 10 * place) & 1023, plane)


@pytest.mark.reference
def test_openexr_holds_linear_light(tmp_path: Path) -> None:
    """sRGB's curve (IEC 61966-2-1), as for half floats that come in; read by the format's own library."""
    frame = random_frame(RGB[8])
    write_picture(tmp_path / "a.exr", as_picture(frame, ".exr"))
    with OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True) as file:
        assert file.header()["pixelAspectRatio"] == pytest.approx(1.5)
        for name, plane in zip("RGB", frame.planes, strict=True):
            light = decode_linear(plane.astype(np.float32) / np.float32(255))
            np.testing.assert_allclose(file.channels()[name].pixels, light, rtol=1e-3, atol=1e-6)


@pytest.mark.parametrize("suffix", [".dpx", ".exr"])
def test_a_sequence_is_written_proved_and_compared(suffix: str, tmp_path: Path) -> None:
    source = open_reel(
        write_video(tmp_path / "a.mkv", [random_frame(PictureFormat(16, 8, "yuv", 10, "4:2:2"), n) for n in range(3)])
    )
    output = tmp_path / "out" / f"p.%03d{suffix}"
    proof = run(source, Plan.whole(Treatment()), RunRequest(output, range(3)), Progress())
    assert proof.untouched == proof.frames == 3
    assert any("made from" in words for words in proof.notes)
    assert verify(source, open_reel(output), range(3), None, Progress()).passed


def test_half_floats_come_back_as_they_were(tmp_path: Path) -> None:
    fmt = PictureFormat(12, 6, "rgb", 16, full_range=True, sample="half")
    frame = random_frame(fmt)
    assert all(one is other for one, other in zip(as_picture(frame, ".exr").planes, frame.planes, strict=True))
