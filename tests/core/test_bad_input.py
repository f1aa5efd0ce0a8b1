"""Damaged material: what can be read stays usable, the rest is said in a sentence each; nothing crashes or hangs."""

from __future__ import annotations

import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from grevin.core.cache import ByteCache
from grevin.core.errors import GrevinError, MediaError, UnreadableFrameError
from grevin.core.intake.examination import examine
from grevin.core.intake.folder import find_material
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.survey.survey import run_survey
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import write_video
from tests.core.test_frame_accuracy import CASES, SEQUENCES, numbered, numbered_file, read_number, write_picture

ROUNDS = 14  # mutants of each kind in one test run
LONGEST_S = 20.0
MEMORY_MB = 1500


def noisy_file(path: Path, count: int) -> Path:
    """Numbered pictures with grain, so that every packet of FFV1 is large."""
    fmt = PictureFormat(160, 64, "yuv", 8, chroma="4:2:0", rate=Fraction(25))
    rng = np.random.default_rng(4)
    frames = []
    for number in range(count):
        luma = np.clip(numbered(number)[..., 0] + rng.normal(0, 8, (64, 160)), 0, 255).astype(np.uint8)
        frames.append(Frame(number, fmt, (luma, *(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:]))))
    return write_video(path, frames, options={"level": "3", "slicecrc": "1", "g": "1"})


def packet_places(path: Path) -> list[tuple[int, int]]:
    with av.open(str(path)) as container:
        return [(packet.pos, packet.size) for packet in container.demux(video=0) if packet.size]


def test_damaged_packets_lose_only_their_frames(tmp_path: Path) -> None:
    """A corrupt byte range: FFV1's own checksums tell which frames are lost, all others stay right."""
    path = noisy_file(tmp_path / "a.mkv", 40)
    content = bytearray(path.read_bytes())
    for number in (11, 12, 30):
        start, size = packet_places(path)[number]
        content[start + size // 2 : start + size // 2 + 400] = np.random.default_rng(number).bytes(400)
    path.write_bytes(bytes(content))
    reel = open_reel(path)
    lost = []
    for number in range(len(reel)):
        try:
            assert read_number(reel.frame(number)) == number
        except UnreadableFrameError as fault:
            lost.append(fault.number)
            assert f"Frame {number} of a.mkv cannot be read" in fault.what
    assert lost == [11, 12, 30]
    survey = run_survey(reel, range(len(reel)), "first", Progress())
    assert [number for number, _ in survey.unreadable] == lost
    assert np.nonzero(np.isnan(survey.series["level_luma_mean"]))[0].tolist() == lost


def test_packets_that_vanished_leave_a_gap_that_is_said(tmp_path: Path) -> None:
    path = noisy_file(tmp_path / "a.mkv", 40)
    places = packet_places(path)
    content = bytearray(path.read_bytes())
    content[places[15][0] - 40 : places[18][0]] = bytes(places[18][0] - places[15][0] + 40)
    path.write_bytes(bytes(content))
    reel = open_reel(path)
    assert len(reel) < 40
    assert any("there is no picture for" in note for note in reel.notes), reel.notes
    assert [read_number(reel.frame(number)) for number in (0, 10)] == [0, 10]
    assert read_number(reel.frame(len(reel) - 1)) == 39


def test_a_step_works_on_beside_a_frame_that_is_lost(tmp_path: Path) -> None:
    for number in range(9):
        if number != 4:
            write_picture(tmp_path / f"s_{number:03}.png", "png-8", number)
    reel = open_reel(tmp_path)
    chain = Chain(reel, Treatment(steps=(TreatmentStep.make("dirt"),)), ByteCache(64 << 20))
    for number in (0, 1, 2, 3, 5, 6, 7, 8):
        assert chain.result.frame(number).number == number
    with pytest.raises(UnreadableFrameError):
        chain.result.frame(4)
    found = examine(reel, Progress())
    assert (4, "Frame 4 of s_%03d.png cannot be read (s_004.png is missing).") in found.unreadable


def test_a_sequence_that_loses_a_frame_on_disk(tmp_path: Path) -> None:
    for number in range(6):
        write_picture(tmp_path / f"s_{number:03}.png", "png-8", number)
    reel = open_reel(tmp_path)
    assert read_number(reel.frame(3)) == 3
    (tmp_path / "s_002.png").unlink()
    (tmp_path / "s_004.png").write_bytes(b"")
    for number, words in ((2, "is missing"), (4, "is damaged")):
        with pytest.raises(UnreadableFrameError, match=words):
            reel.frame(number)
    assert read_number(reel.frame(5)) == 5


@pytest.mark.parametrize("name", ["ffv1-8.mkv", "h264-b-frames.mp4", "h264.ts", "mpeg2.mpg", "prores-422.mov"])
def test_a_truncated_file_keeps_its_first_frames(name: str, tmp_path: Path) -> None:
    codec, options, more = CASES[name]
    path = numbered_file(tmp_path / name, codec, 60, options, **more)
    path.write_bytes(path.read_bytes()[: path.stat().st_size * 2 // 3])
    try:
        reel = open_reel(path)
    except MediaError as fault:
        assert name.endswith(("mp4", "mov")), "these keep their table of contents at the end"
        assert "cut off" in fault.hint or "copied completely" in fault.hint
        return
    assert 20 < len(reel) < 60
    assert [read_number(reel.frame(number)) for number in (0, 7, 15)] == [0, 7, 15]


def test_zero_length_and_huge_sizes(tmp_path: Path) -> None:
    (tmp_path / "a.mkv").touch()
    with pytest.raises(MediaError, match="is empty"):
        open_reel(tmp_path / "a.mkv")
    write_picture(tmp_path / "a.png", "png-8", 1)
    content = bytearray((tmp_path / "a.png").read_bytes())
    content[16:24] = (200_000).to_bytes(4, "big") * 2
    (tmp_path / "a.png").write_bytes(bytes(content))
    with pytest.raises(MediaError, match="200000x200000"):
        open_reel(tmp_path / "a.png")


FUZZ = """
import random, sys, time
from pathlib import Path
from grevin.core.errors import GrevinError
from grevin.core.intake.examination import contradictions, examine
from grevin.core.intake.found import facts
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress

original, rounds, limit = Path(sys.argv[1]), int(sys.argv[2]), float(sys.argv[3])
whole = original.read_bytes()
for seed in range(rounds):
    dice = random.Random(seed)
    content = bytearray(whole)
    for _ in range(dice.choice((1, 3, 12, 60))):
        content[dice.randrange(len(content) if dice.random() < 0.5 else min(400, len(content)))] = dice.randrange(256)
    if dice.random() < 0.3:
        content = content[: dice.randrange(len(content))]
    mutant = original.with_name(f"mutant{original.suffix}")
    mutant.write_bytes(bytes(content))
    started = time.monotonic()
    try:
        reel = open_reel(mutant)
        found = examine(reel, Progress())
        contradictions(reel.format, found), facts(reel, found)
        for number in dice.sample(range(len(reel)), min(4, len(reel))):
            try:
                reel.frame(number)
            except GrevinError:
                pass
        reel.close()
    except GrevinError as fault:
        assert fault.what.endswith(".") and fault.hint.endswith((".", "?")), fault
    assert time.monotonic() - started < limit, f"seed {seed} took too long"
from pathlib import Path
most = next(row for row in Path("/proc/self/status").read_text().splitlines() if row.startswith("VmHWM"))
print(int(most.split()[1]) // 1024)  # the system's own figure for a process starts with its parent's
"""


@pytest.mark.slow
@pytest.mark.parametrize("name", ["ffv1-8.mkv", "ffv1-8-in.avi", "ffv1-10.mxf", "prores-422.mov", "h264-b-frames.mp4",
    "h264.ts", "mpeg2.mpg", "dv-420.dv", "v210.mov", "mjpeg.avi", *SEQUENCES])  # fmt: skip
def test_mutants_of_every_container(name: str, tmp_path: Path) -> None:
    """In a process of its own, so that a crash of a library would be seen, and its memory."""
    if name in SEQUENCES:
        path = tmp_path / f"a.{name.partition('-')[0]}"
        write_picture(path, name, 5)
    else:
        codec, options, more = CASES[name]
        path = numbered_file(tmp_path / f"a{Path(name).suffix}", codec, 12, options, **more)
    words = [sys.executable, "-c", FUZZ, str(path), str(ROUNDS), str(LONGEST_S)]
    done = subprocess.run(words, capture_output=True, text=True, check=False, timeout=ROUNDS * LONGEST_S)
    assert done.returncode == 0, done.stderr[-2000:]
    assert int(done.stdout.split()[-1]) < MEMORY_MB


def test_a_folder_gives_its_reels_and_says_what_is_none(tmp_path: Path) -> None:
    (tmp_path / "scans").mkdir()
    for number in range(3):
        write_picture(tmp_path / "scans" / f"reel_{number:04}.tif", "tif-8", number)
    write_picture(tmp_path / "poster.png", "png-8", 0)
    numbered_file(tmp_path / "b.mov", "mjpeg", 3, {}, pix_fmt="yuvj420p")
    (tmp_path / "notes.txt").write_text("words")
    (tmp_path / ".hidden.mkv").touch()
    material = find_material(tmp_path, Progress())
    assert [path.relative_to(tmp_path).as_posix() for path in material.reels] == ["b.mov", "scans/reel_%04d.tif"]
    assert [path.name for path in material.passed_over] == ["notes.txt"]
    with pytest.raises(GrevinError):
        open_reel(tmp_path)
    assert Fraction(24) == open_reel(material.reels[1]).format.rate


def memory_mb() -> int:
    """What this process holds now: the most that it ever held would hide what a test before it needed."""
    rows = Path("/proc/self/status").read_text().splitlines()
    return int(next(row for row in rows if row.startswith("VmRSS")).split()[1]) // 1024


def test_memory_does_not_grow_with_the_number_of_frames_looked_at(tmp_path: Path) -> None:
    path = numbered_file(tmp_path / "a.mkv", "ffv1", 200, {}, size=(720, 576))
    reel = open_reel(path)
    for number in range(60):
        reel.frame(number)
    before = memory_mb()
    started = time.monotonic()
    for number in range(60, 200):
        reel.frame(number)
    grown = memory_mb() - before
    assert grown < 120, f"{grown} MB in {time.monotonic() - started:.1f} s"
