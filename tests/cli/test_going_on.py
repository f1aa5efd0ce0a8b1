"""Runs that are killed go on where they were; what is kept for that is told, bounded, and forgotten when asked."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import platformdirs
import pytest

from grevin.core.job.document import Job, add_step
from grevin.core.job.job_file import JobFile
from grevin.core.treatment.recipe import Treatment
from tests.cli.conftest import COUNT
from tests.cli.test_commands import Recipe, call

KILLS = 3


def kept_files() -> list[Path]:
    return [path for path in (Path(platformdirs.user_cache_dir("grevin")) / "ready").glob("*/*") if path.is_file()]


@pytest.mark.slow
def test_a_run_that_is_killed_goes_on(capsys, recipe: Recipe, worn_reel: Path, tmp_path: Path) -> None:
    """Killed at random moments again and again: nothing bears the name, nothing that was made is made again."""
    output, drawn = tmp_path / "out" / "clean.mkv", random.Random(7)
    words = [sys.executable, "-m", "grevin.cli.main", "apply", str(recipe()), str(worn_reel), str(output)]
    known = 0
    for _ in range(KILLS):
        worker = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        wanted = known + drawn.randint(3, 10)
        while len(kept_files()) < wanted and worker.poll() is None:
            time.sleep(0.01)
        assert worker.poll() is None, "killed before it was done"
        os.kill(worker.pid, signal.SIGKILL)
        worker.wait()
        assert not output.exists()
        now = len([path for path in kept_files() if not path.name.startswith(".")])
        assert now >= wanted - 1
        known = now
    status, out, _ = call(capsys, "apply", recipe(), worn_reel, output, "--json")
    proof = json.loads(out)
    assert (status, proof["frames"]) == (0, COUNT)
    assert known <= proof["ready_frames"] < COUNT
    assert [path.name for path in output.parent.iterdir()] == ["clean.mkv"], "what the kills left is gone"
    _, out, _ = call(capsys, "apply", recipe(), worn_reel, tmp_path / "anew.mkv", "--anew", "--json")
    assert json.loads(out)["ready_frames"] == 0
    assert json.loads(out)["checksums"] == proof["checksums"]
    assert call(capsys, "verify", output, tmp_path / "anew.mkv")[0] == 0


def test_what_is_kept_is_told_bounded_and_forgotten(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    assert json.loads(call(capsys, "kept", "--json")[1])["bytes"] == 0
    call(capsys, "apply", recipe(), dirty_reel, tmp_path / "a.mkv")
    told = json.loads(call(capsys, "kept", "--json")[1])
    assert (told["format"], told["version"]) == ("grevin-kept", 1)
    assert told["bytes"] > 12 * 5000
    status, out, _ = call(capsys, "apply", recipe(), dirty_reel, tmp_path / "b.%03d.png")
    assert status == 0
    assert "12 frames were ready from before" in out
    told = json.loads(call(capsys, "kept", "--most", "0.00005", "--json")[1])
    assert told["most_bytes"] == 50_000
    assert told["bytes"] <= 50_000
    assert "of at most 0.00 GB" in call(capsys, "kept")[1]
    assert json.loads(call(capsys, "kept", "--clear", "--json")[1])["bytes"] == 0
    call(capsys, "apply", recipe(), dirty_reel, tmp_path / "c.mkv", "--anew")
    assert json.loads(call(capsys, "kept", "--json")[1])["bytes"] == 0
    assert call(capsys, "kept", "--most", "-1")[0] == 2


@pytest.fixture
def job(tmp_path: Path, dirty_reel: Path) -> Path:
    path = tmp_path / "a.grevin"
    JobFile.create(path, Job().with_added([dirty_reel]).with_treatment(0, add_step(Treatment(), "dirt"))).close()
    return path


def test_a_job_is_rendered_as_the_recipe_is_applied(
    capsys, recipe: Recipe, job: Path, dirty_reel: Path, tmp_path: Path
):
    status, out, _ = call(capsys, "render", job, tmp_path / "job.mkv", "--range", "3:9", "--json")
    assert status == 0
    rendered = json.loads(out)
    _, out, _ = call(capsys, "apply", recipe(), dirty_reel, tmp_path / "recipe.mkv", "--range", "3:9", "--json")
    assert rendered["checksums"] == json.loads(out)["checksums"]
    assert rendered["mended_frames"] > 3
    assert call(capsys, "render", job, tmp_path / "job.mkv")[0] == 2, "it exists already"
    status, _, err = call(capsys, "render", job, tmp_path / "x.mkv", "--reel", "2")
    assert (status, "has no reel 2" in err) == (3, True)
    assert call(capsys, "render", job, tmp_path / "x.mkv", "--range", "3:99")[0] == 2
    assert call(capsys, "render", job, tmp_path / "x.mp4", "--quality", "huge")[0] == 2


def test_a_queue_is_worked_off_and_goes_on_behind_what_fails(capsys, job: Path, tmp_path: Path) -> None:
    assert "The queue is empty" in call(capsys, "queue")[1]
    (tmp_path / "there.mkv").write_text("mine")
    for name in ("a.mkv", "there.mkv", "b.mp4"):
        status, out, _ = call(capsys, "render", job, tmp_path / name, "--queue")
        assert (status, "Order" in out) == (0, True)
    assert not (tmp_path / "a.mkv").exists()
    call(capsys, "queue", "--first", "3")
    listed = json.loads(call(capsys, "queue", "--json")[1])
    assert [one["id"] for one in listed["orders"]] == [3, 1, 2]
    status, out, err = call(capsys, "queue", "--run")
    assert status == 1
    assert "exists already" in err
    assert out.count("done") == 2
    assert (tmp_path / "there.mkv").read_text() == "mine"
    assert (tmp_path / "a.mkv").exists()
    assert (tmp_path / "b.mp4").exists()
    assert call(capsys, "queue", "--again", "9")[0] == 2
    (tmp_path / "there.mkv").unlink()
    call(capsys, "queue", "--again", "2")
    assert call(capsys, "queue", "--run")[0] == 0
    call(capsys, "queue", "--remove", "1")
    assert [one["state"] for one in json.loads(call(capsys, "queue", "--json")[1])["orders"]] == ["done", "done"]


def test_a_reel_is_rendered_as_a_version(capsys, job: Path, tmp_path: Path) -> None:
    assert call(capsys, "render", job, tmp_path / "v", "--version", "h264", "--range", "2:8")[0] == 0
    assert call(capsys, "render", job, tmp_path / "v", "--version", "h264", "--range", "2:8")[0] == 0
    assert sorted(path.name for path in (tmp_path / "v").iterdir()) == ["dirty-2-treated.mp4", "dirty-treated.mp4"]
    status, _, err = call(capsys, "render", job, tmp_path / "v", "--version", "h264", "--bits", "8")
    assert (status, "says how it is written" in err) == (2, True)
    status, _, err = call(capsys, "render", job, "--version", "cine")
    assert (status, "Give one of ffv1" in err) == (2, True)
    assert call(capsys, "render", job)[0] == 2
