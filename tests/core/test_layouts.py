"""Memory layouts of decoders, each checked against samples that were put in by hand or by the FFmpeg libraries."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest

from grevin.core.errors import MediaError, OutputError
from grevin.core.media.ffv1_check import slices_are_whole
from grevin.core.media.frame_index import FrameIndex, decoded_pieces
from grevin.core.media.matroska_header import write_display_size
from grevin.core.media.opening import open_reel
from grevin.core.media.pixel_layout import lossless_layout, unpack
from grevin.core.media.still_image import read_image
from grevin.core.media.still_writer import as_picture, write_picture
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from tests.conftest import FORMATS, random_frame, write_video

SIZE = (12, 10)


def raw(layout: str, *planes: np.ndarray) -> av.VideoFrame:
    """A frame in a layout, its planes filled with samples line by line."""
    frame = av.VideoFrame(*SIZE, layout)
    for target, samples in zip(frame.planes, planes, strict=True):
        lines = np.frombuffer(memoryview(target), samples.dtype).reshape(-1, target.line_size // samples.dtype.itemsize)
        lines[: samples.shape[0], : samples.shape[1]] = samples
    return frame


def samples(height: int, width: int, limit: int = 256, dtype: type = np.uint8) -> np.ndarray:
    return np.random.default_rng(height * width).integers(0, limit, (height, width)).astype(dtype)


@pytest.mark.parametrize(("layout", "swapped"), [("nv12", False), ("nv21", True)])
def test_semi_planar(layout: str, swapped: bool) -> None:
    luma, pairs = samples(10, 12), samples(5, 12)
    planes, model, depth, chroma, alpha = unpack(raw(layout, luma, pairs))
    assert (model, depth, chroma, alpha) == ("yuv", 8, "4:2:0", False)
    first, second = pairs[:, 0::2], pairs[:, 1::2]
    for ours, theirs in zip(planes, (luma, second, first) if swapped else (luma, first, second), strict=True):
        np.testing.assert_array_equal(ours, theirs)


def test_ten_bits_in_the_high_bits() -> None:
    luma, pairs = samples(10, 12, 1024, np.uint16), samples(5, 12, 1024, np.uint16)
    planes, _, depth, chroma, _ = unpack(raw("p010le", luma << 6, pairs << 6))
    assert (depth, chroma) == (10, "4:2:0")
    np.testing.assert_array_equal(planes[0], luma)
    np.testing.assert_array_equal(planes[2], pairs[:, 1::2])


@pytest.mark.parametrize(("layout", "order"), [("yuyv422", (0, 1, 3)), ("uyvy422", (1, 0, 2)), ("yvyu422", (0, 3, 1))])
def test_packed_four_two_two(layout: str, order: tuple[int, int, int]) -> None:
    packed = samples(10, 24)
    planes, _, _, chroma, _ = unpack(raw(layout, packed))
    assert chroma == "4:2:2"
    np.testing.assert_array_equal(planes[0], packed[:, order[0] :: 2])
    np.testing.assert_array_equal(planes[1], packed[:, order[1] :: 4])
    np.testing.assert_array_equal(planes[2], packed[:, order[2] :: 4])


PACKED = {
    "rgb24": (0, 1, 2), "bgr24": (2, 1, 0), "rgba": (0, 1, 2, 3), "bgra": (2, 1, 0, 3), "argb": (1, 2, 3, 0),
    "abgr": (3, 2, 1, 0), "rgb0": (0, 1, 2), "0bgr": (3, 2, 1),
}  # fmt: skip


@pytest.mark.parametrize("layout", sorted(PACKED))
def test_packed_rgb(layout: str) -> None:
    per_pixel = 3 if layout in {"rgb24", "bgr24"} else 4
    packed = samples(10, 12 * per_pixel)
    planes, model, _, _, alpha = unpack(raw(layout, packed))
    assert (model, alpha) == ("rgb", len(PACKED[layout]) == 4)
    for plane, offset in zip(planes, PACKED[layout], strict=True):
        np.testing.assert_array_equal(plane, packed[:, offset::per_pixel])


def test_big_endian_samples_are_turned() -> None:
    values = samples(10, 36, 65536, np.uint16)
    planes, _, depth, _, _ = unpack(raw("rgb48be", values.astype(">u2")))
    assert depth == 16
    np.testing.assert_array_equal(planes[1], values[:, 1::3])


@pytest.mark.reference
def test_palettes_and_single_bits_are_looked_up() -> None:
    """The FFmpeg libraries make the palette picture; the colours that come out must be those that went in."""
    grey = raw("gray", np.where(samples(10, 12) > 127, 255, 0).astype(np.uint8))
    planes, model, depth, _, _ = unpack(grey.reformat(format="monow"))
    assert (model, depth) == ("grey", 8)
    np.testing.assert_array_equal(planes[0], grey.to_ndarray())


@pytest.mark.parametrize("layout", ["gbrpf32le", "grayf32le", "rgb555le"])
def test_layouts_that_hold_no_integers_of_eight_to_sixteen_bits(layout: str) -> None:
    with pytest.raises(MediaError, match=f"“{layout}” is not supported"):
        unpack(av.VideoFrame(*SIZE, layout))


def test_what_ffv1_cannot_carry_is_said() -> None:
    with pytest.raises(OutputError, match="cannot carry 8x8 4:1:0 16 bit without loss"):
        lossless_layout(PictureFormat(8, 8, "yuv", 16, chroma="4:1:0"))


def test_grey_with_alpha_as_a_picture(tmp_path: Path) -> None:
    frame = random_frame(PictureFormat(8, 6, "grey", 8, alpha=True, full_range=True))
    write_picture(tmp_path / "a.png", as_picture(frame, ".png"))
    picture = read_image(tmp_path / "a.png")
    assert (picture.model, picture.bit_depth, picture.alpha) == ("rgb", 8, True)
    np.testing.assert_array_equal(picture.planes[0], frame.planes[0])
    np.testing.assert_array_equal(picture.planes[3], frame.planes[1])


@pytest.mark.reference
def test_the_slice_check_agrees_with_the_encoder(tmp_path: Path) -> None:
    path = write_video(
        tmp_path / "a.mkv", [random_frame(FORMATS[1], n) for n in range(3)],
        options={"level": "3", "slicecrc": "1", "g": "1", "slices": "4"},
    )  # fmt: skip
    with av.open(str(path)) as container:
        packets = [bytes(packet) for packet in container.demux(video=0) if packet.size]
    rng = np.random.default_rng(1)
    for packet in packets:
        assert slices_are_whole(packet)
        for place in rng.integers(0, len(packet), 20):
            broken = bytearray(packet)
            broken[place] ^= 1 << int(rng.integers(0, 8))
            assert not slices_are_whole(bytes(broken))
    assert not slices_are_whole(b"1234567")


def test_a_header_without_room_is_a_mistake_of_ours(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mkv", [random_frame(FORMATS[0])])
    (tmp_path / "b.mkv").write_bytes(b"\x1a\x45\xdf\xa3\x80 nothing")
    with pytest.raises(ValueError, match="no element"):
        write_display_size(tmp_path / "b.mkv", 4, 3)
    before = path.read_bytes()
    with pytest.raises(ValueError, match="no reserved room"):
        write_display_size(path, 4, 3)
    assert path.read_bytes() == before


def test_frames_without_usable_times_are_counted(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mkv", [random_frame(FORMATS[0], n) for n in range(8)])
    timed, counted = open_reel(path), open_reel(path)
    assert isinstance(timed, VideoFile)
    assert isinstance(counted, VideoFile)
    counted.index = FrameIndex(None, np.zeros(8, np.bool_), 8)
    for number in (5, 2, 7, 0, 3):
        for ours, theirs in zip(counted.frame(number).planes, timed.frame(number).planes, strict=True):
            np.testing.assert_array_equal(ours, theirs)
    assert counted.time_of(3) == 3 / counted.format.rate
    *_, decoded = decoded_pieces(str(path))
    assert decoded.times is not None
    np.testing.assert_array_equal(decoded.times, timed.index.times)


def test_the_index_finds_numbers_and_keys() -> None:
    index = FrameIndex(np.array([0, 10, 25, 30]), np.array([True, False, True, False]), 4)
    assert [index.number_at(time) for time in (0, 25, 11, 99, None)] == [0, 2, None, None, None]
    assert [index.key_before(number) for number in range(4)] == [0, 0, 2, 2]
    assert FrameIndex(index.times, np.zeros(4, np.bool_), 4).key_before(3) == 0


def test_a_file_that_vanishes_is_said(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mkv", [random_frame(FORMATS[0], n) for n in range(120)])
    reel = open_reel(path)
    reel.frame(119)
    path.unlink()
    reel._decoded.clear()
    with pytest.raises(MediaError, match="can no longer be read"):
        reel.frame(0)
    reel.close()
