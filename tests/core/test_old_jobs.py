"""Jobs that were made by every earlier version of the format, as that version itself wrote them (`jobs/*.sql`)."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from grevin.core.job.document import JOB_VERSION
from grevin.core.job.job_file import JobFile
from grevin.core.treatment.verdicts import Verdict

KEPT = Path(__file__).parent / "jobs"
OLD = range(1, JOB_VERSION)


def old_job(tmp_path: Path, version: int) -> Path:
    path = tmp_path / "old.grevin"
    with closing(sqlite3.connect(path)) as database:
        database.executescript((KEPT / f"version-{version}.sql").read_text(encoding="utf-8"))
    return path


def test_there_is_one_of_each() -> None:
    assert {path.name for path in KEPT.iterdir()} == {f"version-{version}.sql" for version in OLD}


@pytest.mark.parametrize("version", OLD)
def test_nothing_of_an_old_job_is_lost(tmp_path: Path, version: int) -> None:
    path = old_job(tmp_path, version)
    with closing(JobFile.open(path)) as job:
        quay, ferry = job.document.reels
        assert job.document.version == JOB_VERSION
        assert (quay.title, ferry.title, ferry.declared.rate) == ("quay", "ferry", "18")
        assert [(row.step, row.enabled) for row in quay.treatment.steps] == [("dirt", True), ("dirt", False)]
        for row in quay.treatment.steps:
            row.model()  # its settings are still settings
        assert [(shot.first, shot.name) for shot in quay.shots] == ([] if version < 4 else [(0, ""), (12, "Gulls")])
        said = [Verdict("dirt", 3, (10, 12, 4, 5), "leave")]
        assert list(job.verdicts(quay.id)) == (said if version >= 3 else [])
        assert job.fact("frame") == "7"
        assert [proof["summary"] for _, proof in job.runs()] == ["fine"]
        assert job.checksums() == ["aa", "bb"]


@pytest.mark.parametrize("version", OLD)
def test_an_old_job_is_undone_and_redone(tmp_path: Path, version: int) -> None:
    with closing(JobFile.open(old_job(tmp_path, version))) as job:
        assert job.redo_label() == "Something undone"
        job.redo()
        assert job.document.reels[0].treatment.steps == ()
        for _ in range(3):
            job.undo()
        assert job.document.reels[0].treatment.steps == ()
        job.redo()
        assert len(job.document.reels[0].treatment.steps) == 2
