"""Frame N is the same picture whichever way it is reached. Numbers are burnt in as bars and read back."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from grevin.core.media.checksums import frame_checksum
from grevin.core.media.opening import open_reel
from grevin.core.media.probe import probe
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from tests.conftest import write_video

BITS = 10
BAR = 16
SIZE = (BITS * BAR, 64)


def numbered(number: int) -> np.ndarray:
    """A picture that shows its number in binary, in bars wide enough for any codec."""
    picture = np.full((SIZE[1], SIZE[0], 3), 60, np.uint8)
    for bit in range(BITS):
        if number >> bit & 1:
            picture[:, bit * BAR : (bit + 1) * BAR] = 200
    return picture


def read_number(frame: Frame) -> int:
    luma = frame.luma8()[16:48].astype(float)
    return sum((luma[:, bit * BAR + 4 : (bit + 1) * BAR - 4].mean() > 130) << bit for bit in range(BITS))


def numbered_file(
    path: Path, codec: str, count: int, options: dict[str, str], pix_fmt: str = "yuv420p", **more
) -> Path:
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=Fraction(25), options=options)
        stream.width, stream.height, stream.pix_fmt = *SIZE, pix_fmt
        for name, value in more.items():
            setattr(stream.codec_context, name, value)
        for number in range(count):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(numbered(number), "rgb24")))
        container.mux(stream.encode(None))
    return path


CASES = {
    "h264-b-frames.mp4": ("libx264", {"g": "24", "bf": "3"}, {}),
    "h264-open-groups.mkv": ("libx264", {"g": "12", "bf": "2", "x264-params": "open-gop=1"}, {}),
    "h264.ts": ("libx264", {"g": "15", "bf": "2"}, {}),
    "mpeg2.mpg": ("mpeg2video", {"g": "12", "bf": "2"}, {}),
    "mpeg4-in.avi": ("mpeg4", {"g": "20", "bf": "2"}, {}),
    "mjpeg.avi": ("mjpeg", {}, {"pix_fmt": "yuvj420p"}),
    "ffv1.mkv": ("ffv1", {}, {}),
    "prores.mov": ("prores_ks", {}, {"pix_fmt": "yuv422p10le"}),
    "hevc.mp4": ("libx265", {"x265-params": "log-level=none:keyint=20:bframes=3"}, {}),
}


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("name", sorted(CASES))
def test_every_frame_by_any_route(name: str, tmp_path: Path) -> None:
    codec, options, more = CASES[name]
    path = numbered_file(tmp_path / name, codec, 70, options, **more)
    one_by_one = open_reel(path)
    assert len(one_by_one) == 70
    sums = []
    for number in range(70):
        frame = one_by_one.frame(number)
        assert read_number(frame) == number
        sums.append(frame_checksum(frame))
    for seed in range(2):
        jumping = open_reel(path)
        for number in np.random.default_rng(seed).permutation(70):
            assert frame_checksum(jumping.frame(int(number))) == sums[number]
    backwards = open_reel(path)
    for number in range(69, -1, -1):
        assert frame_checksum(backwards.frame(number)) == sums[number]


def test_a_long_reel_is_reached_by_seeking(tmp_path: Path) -> None:
    path = numbered_file(tmp_path / "long.mp4", "libx264", 600, {"g": "250", "bf": "3", "preset": "ultrafast"})
    reel = open_reel(path)
    for number in (599, 3, 300, 298, 511, 0, 250, 249):
        assert read_number(reel.frame(number)) == number


def test_uneven_times_are_kept(tmp_path: Path) -> None:
    fmt = PictureFormat(32, 16, "yuv", 8, chroma="4:2:0", rate=Fraction(25))
    frames = [Frame(n, fmt, tuple(np.full(s, 20 * n + 16, np.uint8) for s in fmt.plane_shapes())) for n in range(6)]
    path = write_video(tmp_path / "uneven.mkv", frames, pts=[0, 1, 5, 6, 20, 21])
    reel = open_reel(path)
    assert isinstance(reel, VideoFile)
    assert reel.details.variable_rate
    assert [float(reel.time_of(n)) for n in range(6)] == pytest.approx([0, 0.04, 0.2, 0.24, 0.8, 0.84])
    assert probe(reel)["variable_rate"]
    assert any("not evenly spaced" in note for note in reel.notes)


def test_outside_the_reel_is_an_index_error(tmp_path: Path) -> None:
    reel = open_reel(numbered_file(tmp_path / "a.mkv", "ffv1", 3, {}))
    for number in (-1, 3):
        with pytest.raises(IndexError):
            reel.frame(number)


@pytest.mark.reference
def test_the_checksum_is_framemd5s(tmp_path: Path) -> None:
    """FFmpeg's own framemd5 muxer over the same file gives the same sums."""
    path = numbered_file(tmp_path / "a.mkv", "ffv1", 4, {})
    target = tmp_path / "sums.txt"
    with av.open(str(path)) as source, av.open(str(target), "w", format="framemd5") as sums:
        stream = sums.add_stream("rawvideo", rate=25)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for frame in source.decode(video=0):
            sums.mux(stream.encode(frame))
        sums.mux(stream.encode(None))
    theirs = [line.split(",")[-1].strip() for line in target.read_text().splitlines() if not line.startswith("#")]
    reel = open_reel(path)
    assert [frame_checksum(reel.frame(n)) for n in range(4)] == theirs
