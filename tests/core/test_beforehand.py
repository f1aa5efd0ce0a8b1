"""What is known before an output is written: whether one may, how large it becomes, whether there is room."""

from __future__ import annotations

import os
import shutil
from collections import namedtuple
from dataclasses import replace
from pathlib import Path

import pytest

from grevin.core import memory
from grevin.core.errors import NoMemoryError, NoSpaceError, OutputError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.media.opening import open_reel
from grevin.core.parallel import usual_workers
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.beforehand import expected_bytes, room_for
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames, write_video

COUNT = 40
Usage = namedtuple("Usage", "total used free")


@pytest.fixture(scope="module")
def reel(tmp_path_factory: pytest.TempPathFactory) -> DeclaredReel:
    clean = moving_frames(COUNT, 320, 240)
    path = write_video(tmp_path_factory.mktemp("reel") / "a.mkv", [clean.frame(n) for n in range(COUNT)])
    return DeclaredReel(open_reel(path))


def size_of(output: Path) -> int:
    files = output.parent.glob(f"*{output.suffix}") if "%" in output.name else [output]
    return sum(path.stat().st_size for path in files)


PLAIN = Plan.whole(Treatment())
FOURFOLD = Plan.whole(Treatment(steps=(TreatmentStep.make("enlarge", {"factor": 4}),)))
NEARLY = 0.1  # of the size


@pytest.mark.parametrize(
    ("name", "off"),
    [
        ("a.mkv", NEARLY),
        ("a.mov", 0.15),
        ("a.mp4", 0.8),
        *((f"p.%02d.{end}", NEARLY) for end in ("png", "tif", "dpx", "exr")),
    ],
)
def test_the_expected_size_is_about_right(reel: DeclaredReel, tmp_path: Path, name: str, off: float) -> None:
    """A coding with groups of pictures is expected too large: its sample begins with a whole one."""
    request = RunRequest(tmp_path / "out" / name, range(COUNT))
    expected = expected_bytes(reel, PLAIN, request.for_material(reel.format))
    run(reel, Plan.whole(Treatment()), request, Progress())
    assert expected == pytest.approx(size_of(request.output), rel=off)


def test_the_size_of_a_larger_version_is_expected_larger(reel: DeclaredReel, tmp_path: Path) -> None:
    request = RunRequest(tmp_path / "a.mkv", range(COUNT)).for_material(reel.format)
    height = reel.format.height
    plain, large = (expected_bytes(reel, plan, request) for plan in (PLAIN, PLAIN.enlarged(2 * height)))
    assert 1.5 * plain < large < 5 * plain


def test_too_little_room_is_said_with_figures_before_anything_is_studied(
    reel: DeclaredReel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    request = RunRequest(tmp_path / "new" / "a.mkv", range(COUNT)).for_material(reel.format)
    expected = expected_bytes(reel, PLAIN, request)
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(10, 5, int(0.59 * expected)))
    assert room_for(reel, PLAIN, request).lacks
    flicker = Plan.whole(Treatment(steps=(TreatmentStep.make("flicker"),)))
    told: list[str] = []
    with pytest.raises(NoSpaceError, match=r"a\.mkv needs about 0\.00 GB, and 0\.00 GB are free there"):
        run(reel, flicker, request, Progress(lambda report: told.append(report.message)))
    assert told == []
    assert not (tmp_path / "new").exists()
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(10, 5, int(0.61 * expected)))
    assert not room_for(reel, PLAIN, request).lacks, "a guess alone refuses nothing"


def test_a_folder_that_may_not_be_written_to(
    reel: DeclaredReel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    request = RunRequest(tmp_path / "a.mkv", range(COUNT))
    monkeypatch.setattr(os, "access", lambda *_: False)
    with pytest.raises(OutputError, match="you may not write into"):
        run(reel, Plan.whole(Treatment()), request, Progress())
    monkeypatch.undo()
    (tmp_path / "file").write_text("")
    with pytest.raises(OutputError, match="is a file"):
        room_for(reel, PLAIN, replace(request, output=tmp_path / "file" / "a.mkv"))


def test_what_cannot_be_told_is_not_guessed(tmp_path: Path, reel: DeclaredReel) -> None:
    """An interlaced or odd reel may be brought into shape by a step: no refusal here."""
    small = DeclaredReel(open_reel(write_video(tmp_path / "b.mkv", [moving_frames(2, 33, 25).frame(0)])))
    request = RunRequest(tmp_path / "a.mp4", range(1)).for_material(small.format)
    assert room_for(small, PLAIN, request).expected == 0


def test_memory_is_said_and_a_picture_that_finds_none_is_refused(
    reel: DeclaredReel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """1280 x 960 px take 74 MB while they are made; with 50 MB free nothing is begun, and the source still goes."""
    request = RunRequest(tmp_path / "large.mkv", range(2))
    room = room_for(reel, FOURFOLD, request.for_material(reel.format))
    assert room.memory == 1280 * 960 * 60
    assert not room.lacks_memory
    meminfo = tmp_path / "meminfo"
    meminfo.write_text("MemTotal: 100000 kB\nMemAvailable:    50000 kB\n")
    monkeypatch.setattr(memory, "MEMINFO", meminfo)
    assert room_for(reel, FOURFOLD, request.for_material(reel.format)).lacks_memory
    with pytest.raises(NoMemoryError, match=r"1280 x 960 px: one takes about 0\.1 GB of memory") as fault:
        run(reel, FOURFOLD, request, Progress())
    assert fault.value.exit_status == 4
    assert not request.output.exists()
    chain = Chain(MemorySource([reel.frame(0)], "one"), FOURFOLD.treatments()[0])
    with pytest.raises(NoMemoryError):  # and looked at it is not made either
        chain.result.frame(0)
    run(reel, PLAIN, request, Progress())
    assert request.output.exists()
    plainly = Plan.whole(Treatment(steps=(TreatmentStep.make("enlarge", {"factor": 4, "way": "lanczos"}),)))
    run(reel, plainly, replace(request, output=tmp_path / "plain.mkv"), Progress())  # there is a way that works


def test_so_many_threads_as_there_is_memory_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    meminfo = tmp_path / "meminfo"
    monkeypatch.setattr(memory, "MEMINFO", meminfo)
    for kilobytes, threads in ((1 << 30, usual_workers()), (70_000, 1), (10, 1)):
        meminfo.write_text(f"MemAvailable: {kilobytes} kB\n")
        assert memory.workers_for(60_000_000) == threads
    assert memory.workers_for(0) == usual_workers(), "what takes nothing worth a word"
    meminfo.write_text("nothing that is known")
    assert memory.free_bytes() > 0
