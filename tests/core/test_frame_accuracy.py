"""Frame N is the same picture whichever way it is reached. Numbers are burnt in as bars and read back."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile

from grevin.core.errors import MediaError, UnreadableFrameError
from grevin.core.intake.probe import probe
from grevin.core.media.checksums import frame_checksum
from grevin.core.media.frame_index import FrameIndex
from grevin.core.media.image_sequence import ImageSequence
from grevin.core.media.opening import open_reel
from grevin.core.media.picture_size import picture_size
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment
from tests.conftest import write_video

BITS = 10
BAR = 16
SIZE = (BITS * BAR, 64)
COUNT = 70
PAL, NTSC, WIDE = (720, 576), (720, 480), (256, 128)


def numbered(number: int, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A picture that shows its number in binary, in bars wide enough for any codec."""
    picture = np.full((size[1], size[0], 3), 60, np.uint8)
    for bit in range(BITS):
        if number >> bit & 1:
            picture[:, bit * BAR : (bit + 1) * BAR] = 200
    return picture


def read_number(frame: Frame) -> int:
    luma = frame.luma8()[16:48].astype(float)
    return sum((luma[:, bit * BAR + 4 : (bit + 1) * BAR - 4].mean() > 130) << bit for bit in range(BITS))


def numbered_file(
    path: Path, codec: str, count: int, options: dict[str, str], pix_fmt: str = "yuv420p",
    size: tuple[int, int] = SIZE, rate: Fraction = Fraction(25), sound: bool = False, **more: object,
) -> Path:  # fmt: skip
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, options=options)
        stream.width, stream.height, stream.pix_fmt = *size, pix_fmt
        for name, value in more.items():
            setattr(stream.codec_context, name, value)
        audio = container.add_stream("pcm_s16le", rate=48000, layout="stereo") if sound else None
        for number in range(count):
            frame = av.VideoFrame.from_ndarray(numbered(number, size), "rgb24").reformat(format=pix_fmt)
            frame.pts, frame.time_base = number, 1 / rate
            container.mux(stream.encode(frame))
            if audio is not None:
                quiet = av.AudioFrame.from_ndarray(np.zeros((1, 2 * 1920), np.int16), format="s16", layout="stereo")
                quiet.sample_rate, quiet.pts, quiet.time_base = 48000, 1920 * number, Fraction(1, 48000)
                container.mux(audio.encode(quiet))
        container.mux(stream.encode(None))
    return path


INTERLACED = {"flags": "+ildct+ilme", "g": "12", "bf": "2"}
X265 = {"x265-params": "log-level=none:keyint=20:bframes=3"}
# name: codec, its options, and what differs from 4:2:0, 160x64, 25 frames/s.
CASES: dict[str, tuple[str, dict[str, str], dict[str, object]]] = {
    "ffv1-8.mkv": ("ffv1", {}, {}),
    "ffv1-8-in.avi": ("ffv1", {}, {}),
    "ffv1-10.mkv": ("ffv1", {}, {"pix_fmt": "yuv422p10le"}),
    "ffv1-16.mkv": ("ffv1", {}, {"pix_fmt": "yuv444p16le"}),
    "ffv1-10.mxf": ("ffv1", {}, {"pix_fmt": "yuv422p10le"}),
    "prores-422.mov": ("prores_ks", {}, {"pix_fmt": "yuv422p10le"}),
    "prores-4444.mov": ("prores_ks", {"profile": "4"}, {"pix_fmt": "yuv444p10le"}),
    "dnxhr.mov": ("dnxhd", {"profile": "dnxhr_sq"}, {"pix_fmt": "yuv422p", "size": WIDE}),
    "dnxhr-hqx.mxf": ("dnxhd", {"profile": "dnxhr_hqx"}, {"pix_fmt": "yuv422p10le", "size": WIDE}),
    "h264-b-frames.mp4": ("libx264", {"g": "24", "bf": "3"}, {}),
    "h264-open-groups.mkv": ("libx264", {"g": "12", "bf": "2", "x264-params": "open-gop=1"}, {}),
    "h264-in.avi": ("libx264", {"g": "24", "bf": "2"}, {}),
    "h264-with-sound.mov": ("libx264", {"g": "24", "bf": "3"}, {"sound": True}),
    "h264.ts": ("libx264", {"g": "15", "bf": "2"}, {}),
    "h264-10-bit.mkv": ("libx264", {"g": "15", "bf": "2"}, {"pix_fmt": "yuv420p10le"}),
    "hevc.mp4": ("libx265", X265, {}),
    "hevc.mkv": ("libx265", X265, {"pix_fmt": "yuv420p10le"}),
    "mpeg2.mpg": ("mpeg2video", {"g": "12", "bf": "2"}, {}),
    "mpeg2-interlaced.mpg": ("mpeg2video", INTERLACED, {"size": (256, 128)}),
    "mpeg2-interlaced.ts": ("mpeg2video", INTERLACED, {"size": (256, 128)}),
    "mpeg2-422.mxf": ("mpeg2video", {"g": "12", "bf": "2"}, {"pix_fmt": "yuv422p"}),
    "dv-411.avi": ("dvvideo", {}, {"pix_fmt": "yuv411p", "size": NTSC, "rate": Fraction(30000, 1001)}),
    "dv-420.mov": ("dvvideo", {}, {"size": PAL}),
    "dv-420.dv": ("dvvideo", {}, {"size": PAL, "sound": True}),
    "v210.mov": ("v210", {}, {"pix_fmt": "yuv422p10le"}),
    "v210.avi": ("v210", {}, {"pix_fmt": "yuv422p10le"}),
    "uncompressed.avi": ("rawvideo", {}, {"pix_fmt": "yuv420p"}),
    "uncompressed-422.mov": ("rawvideo", {}, {"pix_fmt": "uyvy422"}),
    "mjpeg.avi": ("mjpeg", {}, {"pix_fmt": "yuvj420p"}),
    "mjpeg.mov": ("mjpeg", {}, {"pix_fmt": "yuvj422p"}),
    "mpeg4-in.avi": ("mpeg4", {"g": "20", "bf": "2"}, {}),
}


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("name", sorted(CASES))
def test_every_frame_by_any_route(name: str, tmp_path: Path) -> None:
    codec, options, more = CASES[name]
    count = COUNT if more.get("size", SIZE) not in {PAL, NTSC} else COUNT // 3
    path = numbered_file(tmp_path / name, codec, count, options, **more)
    one_by_one = open_reel(path)
    assert len(one_by_one) == count
    sums = []
    for number in range(count):
        frame = one_by_one.frame(number)
        assert read_number(frame) == number
        sums.append(frame_checksum(frame))
    for seed in range(2):
        jumping = open_reel(path)
        for number in np.random.default_rng(seed).permutation(count):
            assert frame_checksum(jumping.frame(int(number))) == sums[number]
    backwards = open_reel(path)
    for number in range(count - 1, -1, -1):
        assert frame_checksum(backwards.frame(number)) == sums[number]
    _comes_back_from_an_archive_master(path, sums)


def _comes_back_from_an_archive_master(path: Path, sums: list[str]) -> None:
    """Bit-exact round trip: what was read is written as FFV1 and read again."""
    output = path.with_name("master.mkv")
    proof = run(open_reel(path), Plan.whole(Treatment()), RunRequest(output, range(len(sums))), Progress())
    assert proof.untouched == len(sums)
    again = open_reel(output)
    assert [frame_checksum(again.frame(number)) for number in range(len(sums))] == sums


SEQUENCES = ("tif-8", "tif-16", "png-8", "png-16", "dpx-10", "dpx-16", "exr-half", "jpg-8", "jpeg-8")


def write_picture(path: Path, kind: str, number: int) -> None:
    """One numbered picture, written by a library that is not ours."""
    picture = numbered(number)
    if kind == "exr-half":
        channels = {name: (picture[..., at] / 255.0).astype(np.float16) for at, name in enumerate("RGB")}
        with OpenEXR.File({"type": OpenEXR.scanlineimage}, channels) as file:
            file.write(str(path))
    elif kind.startswith("dpx"):
        layout = {"dpx-10": "gbrp10be", "dpx-16": "rgb48be"}[kind]
        context = av.CodecContext.create("dpx", "w")
        context.width, context.height, context.pix_fmt, context.time_base = *SIZE, layout, Fraction(1, 24)
        path.write_bytes(b"".join(map(bytes, context.encode(av.VideoFrame.from_ndarray(picture, "rgb24")))))
    elif kind.startswith("tif"):
        tifffile.imwrite(path, picture if kind == "tif-8" else picture.astype(np.uint16) * 257, photometric="rgb")
    else:
        cv2.imwrite(str(path), picture if kind != "png-16" else picture.astype(np.uint16) * 257)


@pytest.mark.parametrize("kind", SEQUENCES)
def test_every_picture_of_a_sequence(kind: str, tmp_path: Path) -> None:
    ending, _, sample = kind.partition("-")
    for number in range(20):
        write_picture(tmp_path / f"scan_{number + 1000:05}.{ending}", kind, number)
    reel = open_reel(tmp_path)
    assert len(reel) == 20
    assert reel.format.bit_depth == {"half": 16}.get(sample, int(sample) if sample.isdigit() else 0)
    assert reel.format.sample == ("half" if sample == "half" else "integer")
    for number in np.random.default_rng(1).permutation(20):
        assert read_number(reel.frame(int(number))) == number
    if kind.startswith(("tif", "png", "dpx")):
        output = tmp_path / "out" / "copy_%05d.tif"
        proof = run(reel, Plan.whole(Treatment()), RunRequest(output, range(20)), Progress())
        assert proof.untouched == 20


def test_other_padding_gaps_and_odd_sizes_are_reported(tmp_path: Path) -> None:
    for number in (7, 8, 9, 10, 12):
        write_picture(tmp_path / f"s{number}.png", "png-8", number)
    cv2.imwrite(str(tmp_path / "s9.png"), np.zeros((30, 50, 3), np.uint8))
    reel = open_reel(tmp_path)
    assert isinstance(reel, ImageSequence)
    assert (len(reel), reel.missing) == (6, (11,))
    assert reel.notes == ("1 picture(s) are missing from s%01d.png: 11.",)
    assert reel.odd_pictures(Progress()) == ("1 picture(s) are 50x30 instead of 160x64, the first is s9.png.",)
    assert [read_number(reel.frame(n)) for n in (0, 1, 3, 5)] == [7, 8, 10, 12]
    for number, words in ((2, "50x30"), (4, "is missing")):
        with pytest.raises(UnreadableFrameError, match=words):
            reel.frame(number)


@pytest.mark.parametrize("kind", SEQUENCES)
def test_the_size_stands_in_the_header(kind: str, tmp_path: Path) -> None:
    path = tmp_path / f"a.{kind.partition('-')[0]}"
    write_picture(path, kind, 3)
    assert picture_size(path) == SIZE
    path.write_bytes(path.read_bytes()[:9])
    assert picture_size(path) is None
    assert picture_size(tmp_path / f"none{path.suffix}") is None


def test_an_index_grows_and_is_kept(tmp_path: Path) -> None:
    """Opened without patience, the first frames are there at once; kept, the index need not be made again."""
    path = numbered_file(tmp_path / "a.mpg", "mpeg2video", 200, {"g": "12", "bf": "2"})
    kept: dict[str, bytes] = {}

    class Store:
        def load(self, identity: str) -> bytes | None:
            return kept.get(identity)

        def save(self, identity: str, data: bytes) -> None:
            kept[identity] = data

    reel = VideoFile(path, store=Store(), patient=False)
    assert read_number(reel.frame(0)) == 0
    reel.finish_index(Progress())
    assert len(reel) == 200
    assert list(kept) == [reel.identity]
    whole = FrameIndex.from_bytes(kept[reel.identity])
    assert whole is not None
    assert whole.times is not None
    np.testing.assert_array_equal(whole.times, reel.index.times)
    again = VideoFile(path, store=Store(), patient=False)
    assert again.index.complete
    assert [read_number(again.frame(number)) for number in (199, 5, 120)] == [199, 5, 120]
    assert FrameIndex.from_bytes(b"nonsense") is None
    kept[reel.identity] = kept[reel.identity][:40]
    assert len(VideoFile(path, store=Store())) == 200, "a damaged index is made anew"


def test_a_file_replaced_while_open_is_said(tmp_path: Path) -> None:
    path = numbered_file(tmp_path / "a.mkv", "ffv1", 30, {})
    reel = open_reel(path)
    assert read_number(reel.frame(3)) == 3
    other = numbered_file(tmp_path / "b.mkv", "ffv1", 12, {})
    other.replace(path)
    with pytest.raises(MediaError, match="changed or replaced since it was opened"):
        reel.frame(20)
    assert read_number(reel.frame(3)) == 3, "what was read before is still there"


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
