from __future__ import annotations

import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import pytest

from grevin.core.errors import JobFileError
from grevin.core.intake.declared import Declared
from grevin.core.job.document import JOB_VERSION, Job, Reel, add_step, change_settings, remove_step, switch_step
from grevin.core.job.job_file import JobFile, export_job, import_job
from grevin.core.render.ledger import LedgerRow
from grevin.core.treatment.recipe import Treatment
from grevin.core.treatment.verdicts import Verdict


def new_job(path: Path) -> JobFile:
    return JobFile.create(path, Job(reels=(Reel(path="/material/reel.mkv", declared=Declared(rate="18/1")),)))


def test_acts_are_kept_and_undone_across_reopening(tmp_path: Path) -> None:
    job = new_job(tmp_path / "a.grevin")
    empty = job.document
    job.act("Add dirt", job.document.with_treatment(0, add_step(Treatment(), "dirt")))
    treatment = change_settings(job.document.reels[0].treatment, 0, {"grow_px": 5})
    job.act("Change grow_px", job.document.with_treatment(0, treatment))
    last = job.document
    assert (job.undo_label(), job.redo_label()) == ("Change grow_px", None)
    job.close()
    job = JobFile.open(tmp_path / "a.grevin")
    assert job.document == last
    assert job.undo()
    assert job.document.reels[0].treatment.steps[0].settings["grow_px"] == 1
    assert job.redo_label() == "Change grow_px"
    assert job.undo()
    assert job.document == empty
    assert not job.undo()
    assert job.redo()
    job.act("Rest", job.document.with_treatment(0, switch_step(job.document.reels[0].treatment, 0, False)))
    assert job.redo_label() is None
    assert not job.redo()
    removed = remove_step(job.document.reels[0].treatment, 0)
    assert removed == Treatment()


def test_proofs_ledger_and_looking_are_kept(tmp_path: Path) -> None:
    job = new_job(tmp_path / "a.grevin")
    row = LedgerRow(3, 1, "dirt", 10, 20, 5, 6, 21, -40.0, 0.97)
    job.add_run(0, {"output": "o.mkv", "summary": "fine"}, [row, row])
    job.remember("frame", "12")
    assert job.fact("frame") == "12"
    assert job.fact("view_point", "0") == "0"
    assert [proof["summary"] for _, proof in job.runs()] == ["fine"]
    job.close()
    with sqlite3.connect(tmp_path / "a.grevin") as database:
        assert database.execute("SELECT frame, step, verdict FROM ledger").fetchall() == [(3, "dirt", "mend")] * 2
    database.close()


def test_checksums_of_runs_are_read_only_when_asked_for(tmp_path: Path) -> None:
    job = new_job(tmp_path / "a.grevin")
    job.add_run(0, {"output": "a.mkv", "summary": "fine", "checksums": ["aa", "bb"]}, [])
    job.add_run(0, {"output": "b.mkv", "summary": "better", "checksums": ["cc"]}, [])
    assert [proof for _, proof in job.runs()] == [
        {"output": "b.mkv", "summary": "better"}, {"output": "a.mkv", "summary": "fine"},
    ]  # fmt: skip
    assert job.checksums() == ["cc"]
    assert job.checksums(1) == ["aa", "bb"]
    job.close()


def test_a_job_of_version_4_opens_with_its_runs(tmp_path: Path) -> None:
    path = tmp_path / "old.grevin"
    new_job(path).close()
    with closing(sqlite3.connect(path)) as old, old:
        document = json.loads(old.execute("SELECT document FROM acts").fetchone()[0])
        old.execute("UPDATE acts SET document = ?", (json.dumps({**document, "version": 4}),))
        proof = json.dumps({"output": "o.mkv", "summary": "fine", "checksums": ["aa", "bb", "cc"]})
        old.execute("INSERT INTO runs (done_at, reel, proof) VALUES ('then', 1, ?)", (proof,))
        old.execute("DROP TABLE checksums")
        old.execute("PRAGMA user_version = 4")
    job = JobFile.open(path)
    assert job.document.version == JOB_VERSION
    assert job.runs() == [("then", {"output": "o.mkv", "summary": "fine"})]
    assert job.checksums() == ["aa", "bb", "cc"]
    job.close()
    again = JobFile.open(path)
    assert again.checksums() == ["aa", "bb", "cc"]
    again.close()


def test_what_was_said_is_marked_without_reading_it(tmp_path: Path) -> None:
    job = new_job(tmp_path / "a.grevin")
    marks = [job.words_said(1)]
    for word in ("mend", "leave"):
        job.act("Say", job.document, 1, [Verdict("dirt", 3, (1, 2, 3, 4), word)])
        marks.append(job.words_said(1))
    job.act("Rest", job.document)
    assert job.words_said(1) == marks[-1]
    job.undo()
    job.undo()
    assert job.words_said(1) == marks[1]
    assert len(set(marks)) == 3
    assert job.words_said(2) == (0, 0)
    job.close()


def test_export_and_import_are_plain_json(tmp_path: Path) -> None:
    new_job(tmp_path / "a.grevin").close()
    data = export_job(tmp_path / "a.grevin")
    assert data["format"] == "grevin-job"
    import_job(data, tmp_path / "b.grevin")
    assert export_job(tmp_path / "b.grevin") == data
    for wrong, words in (({}, "not an exported"), ({**data, "reels": [{}]}, r"wrong at reels\.0\.path")):
        with pytest.raises(JobFileError, match=words):
            import_job(wrong, tmp_path / "c.grevin")
    with pytest.raises(JobFileError, match="exists already"):
        import_job(data, tmp_path / "b.grevin")


def test_copies_hold_the_history(tmp_path: Path) -> None:
    job = new_job(tmp_path / "a.grevin")
    job.act("Add dirt", job.document.with_treatment(0, add_step(Treatment(), "dirt")))
    job.save_copy(tmp_path / "b.grevin")
    copy = JobFile.open(tmp_path / "b.grevin")
    assert copy.document == job.document
    assert copy.undo()
    with pytest.raises(JobFileError, match="exists already"):
        job.save_copy(tmp_path / "b.grevin")
    with pytest.raises(JobFileError, match="cannot be written"):
        job.save_copy(tmp_path / "none" / "b.grevin")


def test_what_is_no_job_is_refused(tmp_path: Path) -> None:
    (tmp_path / "text.grevin").write_text("no database at all, only words " * 40)
    with sqlite3.connect(tmp_path / "other.grevin") as other:
        other.execute("CREATE TABLE t (x)")
    other.close()
    new_job(tmp_path / "later.grevin").close()
    with sqlite3.connect(tmp_path / "later.grevin") as later:
        later.execute("PRAGMA user_version = 99")
    later.close()
    new_job(tmp_path / "broken.grevin").close()
    with sqlite3.connect(tmp_path / "broken.grevin") as broken:
        broken.execute("UPDATE acts SET document = '{'")
    broken.close()
    for name, words in (
        ("none", "no job file"), ("text", "is not a Grevin job"), ("other", "is not a Grevin job"),
        ("later", "later version 99"), ("broken", "is damaged"),
    ):  # fmt: skip
        with pytest.raises(JobFileError, match=words):
            JobFile.open(tmp_path / f"{name}.grevin")


KILLED = """
import sys
from contextlib import closing
from pathlib import Path
from grevin.core.job.document import change_settings, add_step
from grevin.core.job.job_file import JobFile
job = JobFile.open(Path(sys.argv[1]))
job.act("Add", job.document.with_treatment(0, add_step(job.document.reels[0].treatment, "dirt")))
for number in range(10000):
    treatment = change_settings(job.document.reels[0].treatment, 0, {"largest_px": 10 + number})
    job.act("Change", job.document.with_treatment(0, treatment))
    print(10 + number, flush=True)
"""


@pytest.mark.slow
def test_a_kill_loses_nothing_that_was_done(tmp_path: Path) -> None:
    path = tmp_path / "a.grevin"
    new_job(path).close()
    for _ in range(3):
        worker = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE, text=True)
        assert worker.stdout is not None
        worker.stdout.readline()
        time.sleep(0.25)
        os.kill(worker.pid, signal.SIGKILL)
        said = worker.stdout.read().split()
        worker.wait()
        worker.stdout.close()
        job = JobFile.open(path)
        kept = job.document.reels[0].treatment.steps[0].settings["largest_px"]
        assert kept in {int(said[-1]), int(said[-1]) + 1}  # the last act may have been done but not told any more
        assert job.undo()
        job.act("Empty", job.document.with_treatment(0, Treatment()))
        job.close()
