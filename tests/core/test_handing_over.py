"""What is handed over can be proved, by us and by others."""

from __future__ import annotations

import json
import subprocess
from fractions import Fraction
from pathlib import Path

import av
import pytest

from grevin.core.errors import JobFileError, OutputError, UsageError
from grevin.core.job.document import Job, add_step
from grevin.core.job.handing_over import CHECKSUMS, HandedOver, hand_over, verify_folder
from grevin.core.job.job_file import JobFile
from grevin.core.job.orders import carry_out, order_of
from grevin.core.progress import Progress
from grevin.core.treatment.recipe import Treatment
from tests.cli.test_commands import call


@pytest.fixture
def job(tmp_path: Path, dirty_reel: Path) -> Path:
    path = tmp_path / "a.grevin"
    JobFile.create(path, Job().with_added([dirty_reel]).with_treatment(0, add_step(Treatment(), "dirt"))).close()
    return path


@pytest.fixture
def folder(job: Path, tmp_path: Path) -> Path:
    for name in ("old.mkv", "master.mkv", "copy.mp4", "pictures/p.%04d.png"):
        carry_out(order_of(job, 0, tmp_path / name), Progress())
    (tmp_path / "old.mkv").unlink()
    done = hand_over(job, tmp_path / "handed", Progress(), report=True)
    assert isinstance(done, HandedOver)
    assert sorted(done.outputs) == ["copy.mp4", "master.mkv", "p"]
    assert done.missing == ["old.mkv"]
    return tmp_path / "handed"


def test_others_can_check_files_and_frames(folder: Path) -> None:
    done = subprocess.run(["sha256sum", "-c", CHECKSUMS], cwd=folder, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert done.stdout.count(": OK") == len([path for path in folder.rglob("*") if path.is_file()]) - 1
    for name in ("master.mkv", "copy.mp4"):
        ours = [row for row in (folder / f"{name}.framemd5").read_text().splitlines() if not row.startswith("#")]
        assert [row.split(",")[5].strip() for row in ours] == theirs(folder / name), "FFmpeg's own muxer"
    readme = (folder / "README.txt").read_text()
    assert readme.count("12 frames written and read back") == 3, "of the pictures too"
    for words in ("master.mkv", "every mend", "sha256sum -c", "12 frames written and read back"):
        assert words in readme
    assert "Condition report" in (folder / "dirty.condition.html").read_text()
    assert "before and after treatment" in (folder / "master.mkv.condition.html").read_text()
    assert not (folder / "copy.mp4.condition.html").exists(), "its coding has changed more than the treatment"
    assert json.loads((folder / "job.json").read_text())["reels"][0]["treatment"]["steps"][0]["step"] == "dirt"
    proof = json.loads((folder / "master.mkv.proof.json").read_text())
    rows = (folder / "master.mkv.ledger.csv").read_text().splitlines()
    assert len(rows) - 1 == proof["mends"] > 10


def theirs(path: Path) -> list[str]:
    """Checksums of frames as the muxer `framemd5` of the FFmpeg libraries makes them."""
    listed = path.with_name("theirs.txt").parent.parent / f"{path.name}.theirs"
    with av.open(str(path)) as source, av.open(str(listed), "w", format="framemd5") as target:
        picture = source.streams.video[0]
        stream = target.add_stream("rawvideo", rate=Fraction(picture.average_rate))
        stream.width, stream.height, stream.pix_fmt = picture.width, picture.height, picture.format.name
        for number, frame in enumerate(source.decode(picture)):
            frame.pts, frame.time_base = number, 1 / Fraction(picture.average_rate)
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    rows = [row for row in listed.read_text().splitlines() if row and not row.startswith("#")]
    return [row.split(",")[5].strip() for row in rows]


def test_it_is_proved_and_any_change_is_noticed(folder: Path) -> None:
    proof = verify_folder(folder, Progress())
    assert proof.passed
    assert proof.frames == 3 * 12
    assert proof.sentence().startswith("Proved: ")
    (folder / "note.txt").write_text("from the archive")
    assert verify_folder(folder, Progress()).added == ["note.txt"]
    ledger = folder / "master.mkv.ledger.csv"
    before = ledger.read_text()
    ledger.write_text(before.replace("mend", "send", 1))
    assert verify_folder(folder, Progress()).changed == ["master.mkv.ledger.csv"]
    ledger.write_text(before)
    (folder / "p" / "p.0003.png").unlink()
    gone = verify_folder(folder, Progress())
    assert gone.missing == ["p/p.0003.png"]
    assert not gone.passed
    data = bytearray((folder / "master.mkv").read_bytes())
    data[len(data) // 2] ^= 1
    (folder / "master.mkv").write_bytes(bytes(data))
    hurt = verify_folder(folder, Progress())
    assert "master.mkv" in hurt.changed
    assert "master.mkv has changed" in hurt.sentence()


def test_what_cannot_be_handed_over_is_said(job: Path, tmp_path: Path) -> None:
    with pytest.raises(JobFileError, match="no output that is still there"):
        hand_over(job, tmp_path / "handed", Progress())
    carry_out(order_of(job, 0, tmp_path / "a.mkv", stop=6), Progress())
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "mine").write_text("mine")
    with pytest.raises(OutputError, match="is there already"):
        hand_over(job, tmp_path / "full", Progress())
    carry_out(order_of(job, 0, tmp_path / "b.mkv", first=6, stop=12), Progress())
    (tmp_path / "b.mkv").replace(tmp_path / "a.mkv")
    with pytest.raises(OutputError, match="a.mkv is no longer what was written: frame 0 differs"):
        hand_over(job, tmp_path / "handed", Progress())
    assert not (tmp_path / "handed").exists()
    assert not list(tmp_path.glob(".handed*"))
    with pytest.raises(UsageError, match="was not handed over by Grevin"):
        verify_folder(tmp_path / "full", Progress())


def test_a_list_that_points_out_of_the_folder_reads_nothing_there(folder: Path, tmp_path: Path) -> None:
    (tmp_path / "secret").write_text("x")
    with (folder / CHECKSUMS).open("a") as stream:
        stream.write(f"{'0' * 64}  ../secret\n")
    assert verify_folder(folder, Progress()).missing == ["../secret"]


def test_on_the_command_line(capsys, job: Path, tmp_path: Path) -> None:
    call(capsys, "render", job, tmp_path / "a.mkv")
    status, out, _ = call(capsys, "handover", job, tmp_path / "handed")
    assert (status, "1 output with its proof" in out) == (0, True)
    status, out, _ = call(capsys, "verify", tmp_path / "handed", "--json")
    assert (status, json.loads(out)["frames"]) == (0, 12)
    (tmp_path / "handed" / "job.json").unlink()
    status, out, _ = call(capsys, "verify", tmp_path / "handed")
    assert (status, "job.json is gone" in out) == (1, True)
