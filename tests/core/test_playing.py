"""Outputs that play at another rate, with black before and after, as other readers see them."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from pymediainfo import MediaInfo

from grevin.core.errors import GrevinError, UsageError
from grevin.core.intake.declared import Declared
from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.job.shots import Shot
from grevin.core.media.codings import CODINGS
from grevin.core.progress import Progress
from grevin.core.render.proof import Proof
from tests.conftest import write_video
from tests.core.test_codings import LOSSY, SD, drawn

COUNT, HEARD_HZ = 50, 48000
STYLE = "Name, Fontname, Fontsize, PrimaryColour, SecondaryColour, OutlineColour, BackColour, Bold, Italic, Underline"
ASS_HEADER = (  # what the encoder of such subtitles asks for
    f"[Script Info]\nScriptType: v4.00+\n\n[V4+ Styles]\nFormat: {STYLE}\n"
    "Style: Default,Arial,16,&Hffffff,&Hffffff,&H0,&H0,0,0,0\n\n[Events]\nFormat: Layer, Start, End, Style, Text\n"
).encode()


@pytest.fixture
def film(tmp_path: Path) -> Path:
    """Two seconds of 24 frames a second and a bit, with sound."""
    return write_video(tmp_path / "film.mkv", drawn(replace(SD, rate=Fraction(24)), COUNT), sound=True)


def written(source: Path, output: Path, **wanted: Any) -> Proof:
    reel = Reel(path=str(source), declared=Declared(timecode="10:00:00:00"), **wanted.pop("said", {}))
    return carry_out(Order(reel=reel, output=str(output), **wanted), Progress())


def lumas(path: Path) -> list[float]:
    with av.open(str(path)) as container:
        return [float(np.mean(frame.to_ndarray(format="gray"))) for frame in container.decode(video=0)]


def heard(path: Path) -> Any:
    with av.open(str(path)) as container:
        return np.concatenate([
            frame.to_ndarray().reshape(-1, frame.layout.nb_channels)[:, 0].astype(np.float64)
            if not frame.format.is_planar else frame.to_ndarray()[0].astype(np.float64)
            for frame in container.decode(audio=0)
        ])  # fmt: skip


@pytest.mark.reference
@pytest.mark.parametrize("coding", [one.id for one in LOSSY])
def test_black_lies_before_and_after_and_the_pictures_keep_their_timecode(
    film: Path, tmp_path: Path, coding: str
) -> None:
    output = tmp_path / f"out{CODINGS[coding].suffix}"
    said = {"shots": (Shot(first=0), Shot(first=24, name="Gulls"))}
    proof = written(film, output, coding=coding, black_before_s=1.0, black_after_s=0.5, said=said)
    assert proof.frames == len(proof.checksums) == COUNT + 24 + 12
    assert "Black was put before them (24 frames) and after (12)." in proof.sentence()
    assert proof.untouched == COUNT
    found = lumas(output)
    assert len(found) == proof.frames
    assert max(*found[:24], *found[-12:]) < 20
    assert min(found[24:-12]) > 60
    seen = MediaInfo.parse(output)
    codes = [track.time_code_of_first_frame for track in (*seen.video_tracks, *seen.other_tracks)]
    assert "09:59:59:00" in codes
    with av.open(str(output)) as container:
        starts = [float(one["start"] * one["time_base"]) for one in container.chapters()]
    assert starts == [0.0, 2.0], "the first part begins with the black before it"
    sound = heard(output)
    assert len(sound) == pytest.approx(HEARD_HZ * proof.frames / 24, abs=1024)
    loud = np.abs(sound) > 0.05 * np.abs(sound).max()
    assert not loud[: HEARD_HZ - 1024].any()
    assert loud[HEARD_HZ : HEARD_HZ + 2400].mean() > 0.5
    assert not loud[-HEARD_HZ // 2 + 2048 :].any()


@pytest.mark.reference
def test_the_same_pictures_at_another_rate(film: Path, tmp_path: Path) -> None:
    output = tmp_path / "out.mov"
    proof = written(film, output, plays_at="25", sound="re-timed")
    (picture,) = MediaInfo.parse(output).video_tracks
    assert (Fraction(picture.frame_rate), picture.frame_count) == (25, str(COUNT))
    assert proof.rate == 25
    assert (proof.frames, proof.untouched) == (COUNT, COUNT)
    assert len(heard(output)) == pytest.approx(HEARD_HZ * COUNT / 25, abs=2)
    assert any("1.042 times as fast" in note for note in proof.notes)
    silent = written(film, tmp_path / "b.mov", plays_at="25")
    assert any("the picture plays 2.00 s instead of 2.08 s" in note for note in silent.notes)
    ntsc = written(film, tmp_path / "c.mov", plays_at="23.976")
    assert ntsc.rate == Fraction(24000, 1001)
    assert not any("left out" in note for note in ntsc.notes), "two milliseconds are no reason"


def test_rate_and_black_at_once(film: Path, tmp_path: Path) -> None:
    output = tmp_path / "out.mp4"
    proof = written(film, output, plays_at="25", black_before_s=2, sound="padded", first=10, stop=30)
    assert proof.frames == 20 + 50
    assert proof.black == (50, 0)
    assert proof.coded_db[2] in range(10, 30), "black is not measured"
    (picture,) = MediaInfo.parse(output).video_tracks
    assert picture.time_code_of_first_frame in {None, "09:59:58:10"}
    assert len(heard(output)) == pytest.approx(HEARD_HZ * proof.frames / 25, abs=1024)


def test_pictures_with_times_of_their_own_keep_them_behind_black(tmp_path: Path) -> None:
    stamps = [0, 1, 2, 5, 6, 10, 11, 12]
    source = write_video(tmp_path / "uneven.mkv", drawn(SD, len(stamps)), pts=stamps)
    written(source, tmp_path / "out.mp4", black_before_s=0.2, black_after_s=0.08)
    with av.open(str(tmp_path / "out.mp4")) as container:
        times = [float(frame.pts * frame.time_base) for frame in container.decode(video=0)]
    expected = [*range(5), *(5 + stamp for stamp in stamps), 18, 19]
    assert times == pytest.approx([place / 25 for place in expected], abs=0.0015)


def test_subtitles_are_shown_with_their_pictures(tmp_path: Path) -> None:
    source = tmp_path / "spoken.mp4"
    with av.open(str(source), "w") as made:
        video: Any = made.add_stream("mpeg4", rate=25)
        video.width, video.height, video.pix_fmt = 64, 32, "yuv420p"
        words: Any = made.add_stream("mov_text")
        words.codec_context.subtitle_header = ASS_HEADER
        words.time_base = Fraction(1, 1000)
        for _ in range(50):
            made.mux(video.encode(av.VideoFrame.from_ndarray(np.full((32, 64, 3), 90, np.uint8))))
        made.mux(video.encode(None))
        packet = av.Packet(len(b"Gulls").to_bytes(2, "big") + b"Gulls")
        packet.stream, packet.time_base = words, Fraction(1, 1000)
        packet.pts = packet.dts = 400
        packet.duration = 600
        made.mux(packet)
    written(source, tmp_path / "out.mp4", black_before_s=1.0)
    with av.open(str(tmp_path / "out.mp4")) as container:
        found = [one for one in container.demux(container.streams.subtitles) if b"Gulls" in bytes(one)]
        assert [float(one.pts * one.time_base) for one in found] == [pytest.approx(1.4, abs=0.002)]


def test_what_is_written_without_loss_plays_as_it_is(film: Path, tmp_path: Path) -> None:
    for output in ("out.mkv", "out.%03d.png"):
        for wanted in ({"plays_at": "25"}, {"black_after_s": 1.0}):
            with pytest.raises(UsageError, match="without loss"):
                written(film, tmp_path / output, **wanted)
    assert not list(tmp_path.glob("*out*"))


@pytest.mark.parametrize("wanted", [{"plays_at": "fast"}, {"plays_at": "0"}, {"black_before_s": -1}])
def test_no_rate_and_no_black(film: Path, tmp_path: Path, wanted: dict[str, Any]) -> None:
    with pytest.raises((GrevinError, ValueError), match=r"is not a frame rate|cannot be written"):
        written(film, tmp_path / "out.mp4", **wanted)
