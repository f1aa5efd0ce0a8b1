"""A disk that is full at random moments: a sentence, nothing half-written, and the run goes on when there is room.

The system refuses to let files grow beyond a limit (setrlimit(2), RLIMIT_FSIZE), as it does where a disk is full.
"""

from __future__ import annotations

import random
import resource
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from grevin.core.errors import NoSpaceError
from grevin.core.job.document import Job
from grevin.core.job.job_file import JobFile
from grevin.core.job.measured import MeasuredFile
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames, write_video

COUNT, PLACES = 10, 50
DIRT = Plan.whole(Treatment(steps=(TreatmentStep.make("dirt"),)))


@contextmanager
def room_for_files_of(most_bytes: int) -> Iterator[None]:
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (most_bytes, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


@pytest.mark.parametrize("name", ["a.mkv", "a.mov", "a.mp4", "p.%03d.png", "p.%03d.dpx"])
def test_a_full_disk_at_random_places(tmp_path: Path, name: str) -> None:
    damage, clean = DirtDamage(seed=5, blobs_per_frame=20, hair_share=0.0, largest_px=8), moving_frames(COUNT, 96, 64)
    material = write_video(tmp_path / "in.mkv", [damage.add(clean.frame(n))[0] for n in range(COUNT)], sound=True)
    reel, store, drawn = open_reel(material), ReadyFrames(tmp_path / "store"), random.Random(f"full {name}")
    whole = RunRequest(tmp_path / "whole" / name, range(COUNT))
    right = run(reel, DIRT, whole, Progress(), ready=store).checksums
    largest = max(path.stat().st_size for path in whole.output.parent.iterdir())
    refused = 0
    for place in range(PLACES // 5):
        output = tmp_path / f"out-{place}" / name
        request = RunRequest(output, range(COUNT), ledger=output.parent / "ledger.csv")
        try:
            with room_for_files_of(drawn.randrange(largest)):
                run(reel, DIRT, request, Progress(), ready=store)
        except NoSpaceError as fault:
            refused += 1
            assert "no room left" in fault.what
            assert [path.name for path in output.parent.glob("*")] == [], "nothing half-written"
        proof = run(reel, DIRT, RunRequest(output, range(COUNT), overwrite=True), Progress(), ready=store)
        assert proof.checksums == right
        assert proof.ready == COUNT, "nothing that was made is made again"
    assert refused == PLACES // 5


def test_a_full_disk_for_what_is_kept_alone_harms_nothing(tmp_path: Path) -> None:
    clean = moving_frames(COUNT, 96, 64)
    reel = open_reel(write_video(tmp_path / "in.mkv", [clean.frame(n) for n in range(COUNT)]))
    store = ReadyFrames(tmp_path / "store")
    with room_for_files_of(100):
        store.put("ab" * 20, b"x" * 200)
    assert store.get("ab" * 20) is None
    assert not [path for path in store.folder.rglob("*") if path.is_file()]
    assert run(reel, DIRT, RunRequest(tmp_path / "a.mkv", range(COUNT)), Progress(), ready=store).frames == COUNT


def test_a_job_stays_what_it_was(tmp_path: Path) -> None:
    job = JobFile.create(tmp_path / "a.grevin", Job().with_added([tmp_path / "reel.mkv"]))
    with pytest.raises(NoSpaceError, match=r"a\.grevin cannot be changed"), room_for_files_of(1):
        job.act("Add dirt", job.document.with_treatment(0, Treatment(steps=(TreatmentStep.make("dirt"),))))
    with room_for_files_of(1):
        job.remember("frame", "7")  # nothing depends on it
        measured = MeasuredFile(tmp_path / "b.sqlite")
        measured.keep_study("a", b"learned")
        assert measured.study("a") is None
        assert measured.count("a") == 0
        assert list(measured.measured("a")) == []
    assert job.document.reels[0].treatment.steps == ()
    job.act("Add dirt", job.document.with_treatment(0, Treatment(steps=(TreatmentStep.make("dirt"),))))
    job.close()
    again = JobFile.open(tmp_path / "a.grevin")
    assert [step.step for step in again.document.reels[0].treatment.steps] == ["dirt"]
    again.close()
