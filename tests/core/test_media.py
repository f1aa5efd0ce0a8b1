from __future__ import annotations

import os
import shutil
import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
import tifffile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grevin.core.errors import CancelledError, GrevinError, MediaError, OutputError, UnreadableFrameError, UsageError
from grevin.core.intake.probe import probe
from grevin.core.media.image_sequence import ImageSequence, parse_pattern
from grevin.core.media.opening import open_reel
from grevin.core.media.still_image import read_image
from grevin.core.media.still_writer import as_picture
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment
from tests.conftest import FORMATS, moving_frames, random_frame, write_video

SD = PictureFormat(48, 32, "yuv", 10, chroma="4:2:2", rate=Fraction(25), field_order="top_first")


def copy(source: Path, output: Path, frames: range | None = None, overwrite: bool = False):
    reel = open_reel(source)
    return run(
        reel, Plan.whole(Treatment()), RunRequest(output, frames or range(len(reel)), overwrite=overwrite), Progress()
    )


# What is carried over


def test_rate_aspect_colour_fields_and_sound_are_carried_over(tmp_path: Path) -> None:
    frames = [random_frame(SD, number) for number in range(5)]
    tags = {"colorspace": 5, "color_primaries": 5, "color_trc": 6, "color_range": 1, "field_order": 2}
    first = write_video(tmp_path / "first.mkv", frames, sound=True, **tags)
    aspect = tmp_path / "aspect.mov"  # a container that our libraries give a pixel shape
    with av.open(str(first)) as source, av.open(str(aspect), "w") as target:
        stream = target.add_stream("prores_ks", rate=25)
        stream.width, stream.height, stream.pix_fmt = 48, 32, "yuv422p10le"
        stream.codec_context.sample_aspect_ratio = Fraction(16, 15)
        for name, value in tags.items():
            setattr(stream.codec_context, name, value)
        for frame in source.decode(video=0):
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    copy(aspect, tmp_path / "out.mkv")
    before, after = probe(open_reel(aspect)), probe(open_reel(tmp_path / "out.mkv"))
    assert before["pixel_aspect"] == "16/15"
    for name in ("width", "height", "pixel_aspect", "rate", "frames", "chroma", "bit_depth", "colour"):
        assert after[name] == before[name], name
    copy(first, tmp_path / "sound.mkv")
    assert probe(open_reel(tmp_path / "sound.mkv"))["field_order"]["declared"] == "top_first"
    assert _sound(tmp_path / "sound.mkv") == _sound(first)
    assert len(_sound(first)) > 1000


def _sound(path: Path) -> bytes:
    with av.open(str(path)) as container:
        return b"".join(bytes(packet) for packet in container.demux(audio=0))


def test_a_range_takes_its_own_sound(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, n) for n in range(50)], sound=True)
    proof = copy(source, tmp_path / "out.mkv", range(10, 35))
    assert any("Sound was cut" in note for note in proof.notes)
    seconds = len(_sound(tmp_path / "out.mkv")) / (48000 * 4)
    assert seconds == pytest.approx(1.0, abs=0.05)


@pytest.mark.reference
def test_another_reader_agrees_with_the_pixel_shape_and_the_header_is_sound(tmp_path: Path) -> None:
    frames = [random_frame(replace(FORMATS[0], pixel_aspect=Fraction(59, 54)), n) for n in range(2)]
    from grevin.core.media.video_writer import Start, VideoWriter

    writer = VideoWriter(tmp_path / "a.mkv", None, frames[0].format, range(2), False, Start())
    for frame in frames:
        writer.write(frame)
    writer.finish()
    writer.commit()
    with av.open(str(tmp_path / "a.mkv"), options={"err_detect": "crccheck+explode"}) as container:
        assert container.streams.video[0].sample_aspect_ratio == Fraction(59, 54)
        assert len(list(container.decode(video=0))) == 2


def test_tiff_and_png_sequences_round_trip(tmp_path: Path) -> None:
    for fmt in (FORMATS[7], FORMATS[8], FORMATS[9], FORMATS[10], FORMATS[11]):
        frames = [random_frame(fmt, number) for number in range(2)]
        source = write_video(tmp_path / "in.mkv", frames)
        for ending in ("png", "tif"):
            folder = tmp_path / f"{ending}-{fmt.model}{fmt.bit_depth}{fmt.alpha}"
            copy(source, folder / f"picture.%04d.{ending}")
            back = open_reel(folder)
            for number, frame in enumerate(frames):
                for ours, theirs in zip(back.frame(number).planes, frame.planes, strict=True):
                    np.testing.assert_array_equal(ours, theirs)


@pytest.mark.reference
def test_other_readers_see_the_same_pictures(tmp_path: Path) -> None:
    frame = random_frame(FORMATS[8])
    copy(write_video(tmp_path / "in.mkv", [frame]), tmp_path / "out" / "p.%02d.tif")
    assert np.array_equal(tifffile.imread(tmp_path / "out" / "p.00.tif"), np.dstack(frame.planes))
    copy(write_video(tmp_path / "in2.mkv", [frame]), tmp_path / "out2" / "p.%02d.png")
    with av.open(str(tmp_path / "out2" / "p.00.png")) as container:
        picture = next(container.decode(video=0)).to_ndarray(format="rgb48le")
    assert np.array_equal(picture, np.dstack(frame.planes))


def test_ten_bits_become_sixteen_without_loss() -> None:
    frame = random_frame(PictureFormat(8, 4, "grey", 10, full_range=True))
    np.testing.assert_array_equal(as_picture(frame, ".tif").planes[0] >> 6, frame.planes[0])


def test_a_sequence_from_video_is_proved_against_it(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, n) for n in range(3)])
    proof = copy(source, tmp_path / "out" / "p.%06d.png")
    assert any("R'G'B'" in note for note in proof.notes)
    assert verify(open_reel(source), open_reel(tmp_path / "out"), range(3), None, Progress()).passed


# Sequences


def _pictures(folder: Path, numbers: list[int], size: tuple[int, int] = (12, 10)) -> Path:
    folder.mkdir(exist_ok=True)
    for number in numbers:
        cv2.imwrite(str(folder / f"scan_{number:05}.png"), np.full((size[1], size[0], 3), number, np.uint8))
    return folder


def test_a_sequence_by_folder_pattern_and_single_picture(tmp_path: Path) -> None:
    folder = _pictures(tmp_path / "s", [7, 8, 9])
    for path in (folder, folder / "scan_%05d.png"):
        reel = open_reel(path, rate=Fraction(18))
        assert isinstance(reel, ImageSequence)
        assert (len(reel), reel.first_number, reel.format.rate) == (3, 7, 18)
        assert int(reel.frame(1).planes[0][0, 0]) == 8
    assert len(open_reel(folder / "scan_00008.png")) == 1


def test_gaps_are_reported_and_stop_only_ranges_that_hold_them(tmp_path: Path) -> None:
    folder = _pictures(tmp_path / "s", [1, 2, 3, 6, 7])
    reel = open_reel(folder)
    assert len(reel) == 7
    assert reel.notes == ("2 picture(s) are missing from scan_%05d.png: 4, 5.",)
    with pytest.raises(UnreadableFrameError, match=r"scan_00004.png is missing"):
        reel.frame(3)
    with pytest.raises(UnreadableFrameError, match=r"2 picture\(s\) are missing from the range, first 4"):
        copy(folder, tmp_path / "out.mkv")
    assert not (tmp_path / "out.mkv").exists()
    assert copy(folder, tmp_path / "out.mkv", range(3)).frames == 3


def test_a_picture_of_another_size_is_named(tmp_path: Path) -> None:
    folder = _pictures(tmp_path / "s", [1, 2])
    _pictures(folder, [3], size=(14, 10))
    with pytest.raises(UnreadableFrameError, match=r"scan_00003.png is 14x10 .* first picture is 12x10"):
        open_reel(folder).frame(2)


@pytest.mark.parametrize("name", ["a.png", "a.%d.%d.png", "a.%06d.txt"])
def test_what_is_no_pattern(name: str) -> None:
    with pytest.raises(UsageError, match="is not a sequence pattern"):
        parse_pattern(Path(name))


def test_folders_with_nothing_or_too_much(tmp_path: Path) -> None:
    with pytest.raises(MediaError, match="holds no numbered"):
        open_reel(tmp_path)
    _pictures(tmp_path, [1])
    cv2.imwrite(str(tmp_path / "other_1.png"), np.zeros((4, 4), np.uint8))
    with pytest.raises(MediaError, match="holds several sequences"):
        open_reel(tmp_path)


# Bad input


def test_missing_empty_and_foreign_files(tmp_path: Path) -> None:
    (tmp_path / "empty.mkv").touch()
    (tmp_path / "text.mp4").write_text("not a film")
    for name, words in (
        ("none.mkv", "There is no file"),
        ("empty.mkv", "is empty"),
        ("text.mp4", "cannot|can be read"),
    ):
        with pytest.raises(MediaError, match=words):
            open_reel(tmp_path / name)


def test_sound_without_picture_is_said(tmp_path: Path) -> None:
    with av.open(str(tmp_path / "a.wav"), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=8000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 800), np.int16), format="s16", layout="mono")
        frame.sample_rate = 8000
        container.mux(stream.encode(frame))
    with pytest.raises(MediaError, match="holds no video stream"):
        open_reel(tmp_path / "a.wav")


def test_a_truncated_file_keeps_its_readable_frames(tmp_path: Path) -> None:
    whole = write_video(tmp_path / "whole.mkv", [random_frame(SD, n) for n in range(60)])
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(whole.read_bytes()[: whole.stat().st_size // 3])
    reel = open_reel(cut)
    assert 10 < len(reel) < 30
    assert any("may have been cut off" in note for note in reel.notes)
    assert copy(cut, tmp_path / "out.mkv", range(len(reel) - 1)).frames == len(reel) - 1


def test_a_damaged_frame_is_named_and_nothing_is_left(tmp_path: Path) -> None:
    source = write_video(
        tmp_path / "in.mkv", [random_frame(SD, n) for n in range(9)], options={"slicecrc": "1", "level": "3", "g": "1"}
    )
    data = bytearray(source.read_bytes())
    with av.open(str(source)) as container:
        packets = [p for p in container.demux(video=0) if p.size]
        place, size = packets[5].pos, packets[5].size
    for offset in range(size // 2, size // 2 + 8):
        data[place + offset] ^= 0xFF
    source.write_bytes(bytes(data))
    reel = open_reel(source)
    assert isinstance(reel, VideoFile)
    with pytest.raises(UnreadableFrameError, match="Frame 5 of in.mkv"):
        reel.frame(5)
    with pytest.raises(UnreadableFrameError, match="Frame 5"):
        copy(source, tmp_path / "out.mkv")
    reel.frame(4)
    reel.frame(6)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["in.mkv"]


def test_the_output_may_not_be_the_source_or_replace_by_accident(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, 0)])
    before = source.read_bytes()
    with pytest.raises(OutputError, match="the source itself"):
        copy(source, source, overwrite=True)
    (tmp_path / "there.mkv").write_text("mine")
    with pytest.raises(OutputError, match="exists already"):
        copy(source, tmp_path / "there.mkv")
    assert (tmp_path / "there.mkv").read_text() == "mine"
    copy(source, tmp_path / "there.mkv", overwrite=True)
    assert source.read_bytes() == before
    folder = _pictures(tmp_path / "s", [1, 2])
    with pytest.raises(OutputError, match="the source itself"):
        copy(folder, folder / "scan_%05d.png", overwrite=True)


def test_unknown_endings_are_refused(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, 0)])
    with pytest.raises(UsageError, match=r"“out.avi” is not one that Grevin writes"):
        copy(source, tmp_path / "out.avi")


def test_a_full_disk_leaves_nothing_behind(tmp_path: Path) -> None:
    """A limit on file size stands in for a full disk: the system refuses to write more in both cases."""
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, n) for n in range(30)])
    (tmp_path / "r.json").write_text('{"format":"grevin-recipe","version":1,"steps":[]}')
    words = "import resource,sys; resource.setrlimit(resource.RLIMIT_FSIZE, (40000, 40000)); "
    words += "from grevin.cli.main import main; main(sys.argv[1:])"
    done = subprocess.run(
        [sys.executable, "-c", words, "apply", str(tmp_path / "r.json"), str(source), str(tmp_path / "out.mkv")],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 4, done.stderr
    assert "no room left" in done.stderr
    assert "Traceback" not in done.stderr
    assert sorted(path.name for path in tmp_path.iterdir()) == ["in.mkv", "r.json"]


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write anywhere")
def test_a_folder_without_permission(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, 0)])
    locked = tmp_path / "locked"
    locked.mkdir(mode=0o555)
    with pytest.raises(OutputError, match="cannot be written"):
        copy(source, locked / "out.mkv")


def test_a_place_that_is_no_folder(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, 0)])
    (tmp_path / "file").touch()
    with pytest.raises(OutputError, match="cannot be written"):
        copy(source, tmp_path / "file" / "out.mkv")


def test_cancelling_leaves_nothing_behind(tmp_path: Path) -> None:
    source = write_video(tmp_path / "in.mkv", [random_frame(SD, n) for n in range(20)])
    progress = Progress(lambda report: progress.cancel() if report.done == 7 else None)
    reel = open_reel(source)
    with pytest.raises(CancelledError):
        run(reel, Plan.whole(Treatment()), RunRequest(tmp_path / "out.mkv", range(20)), progress)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["in.mkv"]


@pytest.mark.parametrize("size", [(1, 1), (2, 2), (3, 5), (17, 9), (351, 287)])
def test_odd_and_tiny_pictures(size: tuple[int, int], tmp_path: Path) -> None:
    fmt = PictureFormat(*size, "yuv", 8, chroma="4:2:0")
    source = write_video(tmp_path / "in.mkv", [random_frame(fmt, n) for n in range(3)])
    assert copy(source, tmp_path / "out.mkv").untouched == 3


@given(data=st.data())
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_mutated_files_give_frames_or_a_sentence(tmp_path: Path, data: st.DataObject) -> None:
    whole = tmp_path / "whole.mkv"
    if not whole.exists():
        source = moving_frames(4, 64, 48)
        write_video(whole, [source.frame(n) for n in range(4)])
        shutil.copy(
            write_video(tmp_path / "w.avi", [source.frame(n) for n in range(4)], "mjpeg", color_range=2),
            tmp_path / "w.avi2",
        )
        cv2.imwrite(str(tmp_path / "w.png"), source.frame(0).luma8())
    original = data.draw(st.sampled_from([whole, tmp_path / "w.avi2", tmp_path / "w.png"]))
    content = bytearray(original.read_bytes())
    for _ in range(data.draw(st.integers(1, 12))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    content = content[: data.draw(st.integers(0, len(content)))]
    path = tmp_path / f"mutant{original.suffix}"
    path.write_bytes(bytes(content))
    try:
        reel = open_reel(path)
        for number in range(min(len(reel), 6)):
            reel.frame(number)
    except GrevinError as fault:
        assert fault.what.endswith(".")
        assert fault.hint.endswith((".", "?"))


def test_pictures_that_are_none(tmp_path: Path) -> None:
    (tmp_path / "a.png").write_bytes(b"\x89PNG nothing")
    (tmp_path / "a.tif").write_bytes(b"II*\x00nothing")
    tifffile.imwrite(tmp_path / "f.tif", np.zeros((4, 4), np.float32))
    for name in ("a.png", "a.tif", "f.tif"):
        with pytest.raises(MediaError):
            read_image(tmp_path / name)


def test_a_short_write_on_a_full_disk_is_no_space(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from grevin.core.errors import NoSpaceError
    from grevin.core.media import writing

    usage = shutil.disk_usage(tmp_path)
    for free, kind in ((1000, NoSpaceError), (10**9, OutputError)):
        monkeypatch.setattr(writing.shutil, "disk_usage", lambda _, free=free: usage._replace(free=free))
        with pytest.raises(kind) as caught, writing.translated(tmp_path / "o.tif"):
            raise OSError("2073600 requested and 204528 written")
        assert type(caught.value) is kind
