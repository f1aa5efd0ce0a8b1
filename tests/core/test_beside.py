"""What runs beside the picture: subtitles, chapters and other streams are carried, or said."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.job.shots import Shot
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SRT = "".join(f"{n + 1}\n00:00:0{n},200 --> 00:00:0{n},600\nHarbour {n}\n\n" for n in range(4))
RATE, COUNT = 25, 100


@pytest.fixture
def spoken(tmp_path: Path) -> Path:
    """Four seconds with a subtitle in each, in two chapters."""
    (tmp_path / "a.srt").write_text(SRT)
    path = tmp_path / "spoken.mkv"
    with av.open(str(tmp_path / "a.srt")) as words, av.open(str(path), "w") as made:
        video: Any = made.add_stream("ffv1", rate=RATE)
        video.width, video.height, video.pix_fmt = 32, 16, "yuv420p"
        track = made.add_stream_from_template(words.streams.subtitles[0])
        edge = {"time_base": Fraction(1, 1000), "metadata": {"title": "At the quay"}}
        made.set_chapters([
            {"id": 1, "start": 0, "end": 2000, **edge},
            {"id": 2, "start": 2000, "end": 4000, **edge, "metadata": {"title": "At sea"}},
        ])  # fmt: skip
        for n in range(COUNT):
            made.mux(video.encode(av.VideoFrame.from_ndarray(np.full((16, 32, 3), n, np.uint8))))
        made.mux(video.encode(None))
        for packet in words.demux():
            if packet.size:
                packet.stream = track
                made.mux(packet)
    return path


def written(source: Path, output: Path, **wanted: Any) -> tuple[Any, str]:
    """What another reader finds (PyAV by itself), and what was said."""
    reel = wanted.pop("reel", Reel(path=str(source)))
    proof = carry_out(Order(reel=reel, output=str(output), **wanted), Progress())
    return av.open(str(output)), " ".join(proof.notes)


def subtitles(found: Any) -> list[tuple[float, str]]:
    return [
        (float(one.pts * one.time_base), bytes(one).decode())
        for one in found.demux(found.streams.subtitles) if one.size
    ]  # fmt: skip


def chapters(found: Any) -> list[tuple[float, float, str]]:
    return [
        (float(one["start"] * one["time_base"]), float(one["end"] * one["time_base"]), one["metadata"]["title"])
        for one in found.chapters()
    ]


@pytest.mark.reference
def test_subtitles_and_chapters_go_along(spoken: Path, tmp_path: Path) -> None:
    found, notes = written(spoken, tmp_path / "a.mkv")
    assert notes == ""
    assert subtitles(found) == [(pytest.approx(n + 0.2), f"Harbour {n}") for n in range(4)]
    assert chapters(found) == [(0, 2, "At the quay"), (2, 4, "At sea")]


def test_a_range_takes_its_part_of_them(spoken: Path, tmp_path: Path) -> None:
    found, _ = written(spoken, tmp_path / "a.mkv", first=25, stop=75)
    assert subtitles(found) == [(pytest.approx(n - 0.8), f"Harbour {n}") for n in (1, 2)]
    assert chapters(found) == [(0, 1, "At the quay"), (1, 2, "At sea")]


def test_what_a_container_cannot_carry_is_said(spoken: Path, tmp_path: Path) -> None:
    found, notes = written(spoken, tmp_path / "a.mp4")
    assert "1 track(s) of subtitles were left out: a .mp4 file carries none of their kind (srt)." in notes
    assert [title for _, _, title in chapters(found)] == ["At the quay", "At sea"]


def test_shots_become_chapters(spoken: Path, tmp_path: Path) -> None:
    shots = (Shot(first=0), Shot(first=30, name="Gulls"), Shot(first=80))
    reel = Reel(path=str(spoken), shots=shots)
    for ending in ("mkv", "mov", "mp4"):
        found, _ = written(spoken, tmp_path / f"a.{ending}", reel=reel)
        assert chapters(found) == [(0, 1.2, "Shot 1"), (1.2, 3.2, "Gulls"), (3.2, 4, "Shot 3")]
    found, _ = written(spoken, tmp_path / "b.mkv", reel=reel, first=40, stop=90)
    assert chapters(found) == [(0, 1.6, "Gulls"), (1.6, 2, "Shot 3")]


def test_where_time_moves_shots_move_and_subtitles_are_said(spoken: Path, tmp_path: Path) -> None:
    rows = (TreatmentStep.make("rebuild").changed(settings={"put_in_after": [49], "put_in": 25, "way": "mix"}),)
    reel = Reel(path=str(spoken), treatment=Treatment(steps=rows), shots=(Shot(first=0), Shot(first=80)))
    found, notes = written(spoken, tmp_path / "a.mkv", reel=reel)
    assert "subtitles were left out: they no longer fit the picture" in notes
    assert chapters(found) == [(0, 4.2, "Shot 1"), (4.2, 5, "Shot 2")]


def test_streams_of_other_kinds_are_said(spoken: Path, tmp_path: Path) -> None:
    with av.open(str(spoken)) as source, av.open(str(tmp_path / "b.mkv"), "w") as made:
        track = made.add_stream_from_template(source.streams.video[0])
        made.add_attachment("quay.txt", "text/plain", b"Port Ellery")
        for packet in source.demux(source.streams.video[0]):
            if packet.size:
                packet.stream = track
                made.mux(packet)
    assert open_reel(tmp_path / "b.mkv").details.others == ("attachment",)
    _, notes = written(tmp_path / "b.mkv", tmp_path / "c.mkv")
    assert "1 stream(s) of other kinds were left out (attachment)." in notes
