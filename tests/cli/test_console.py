"""What people see: tables, progress, and the ways into the window."""

from __future__ import annotations

import builtins
import json
import sys
from pathlib import Path

import pytest

from grevin.cli import console
from grevin.cli.console import _Lines, report_fault
from grevin.core.errors import CancelledError, ExitStatus, UsageError
from grevin.core.progress import ProgressReport
from tests.cli.test_commands import call


def test_short_work_says_nothing_and_long_work_now_and_then(capsys: pytest.CaptureFixture[str]) -> None:
    lines = _Lines()
    for done in range(5):
        lines(ProgressReport(done, 4, "Quick", 0.2))
    assert capsys.readouterr().err == ""
    for done in range(100):
        lines(ProgressReport(done, 100, "Long", 2.0 + done / 100))
    lines(ProgressReport(100, 100, "Long", 3.0))
    assert capsys.readouterr().err.split("\n") == ["Long: 0/100", "Long: 100/100", ""]


def test_faults_and_their_exit_codes(capsys: pytest.CaptureFixture[str]) -> None:
    assert report_fault(UsageError("Wrong.", "Do right.")) == ExitStatus.USAGE
    assert report_fault(CancelledError()) == ExitStatus.CANCELLED
    assert report_fault(KeyboardInterrupt()) == ExitStatus.CANCELLED
    assert report_fault(RuntimeError("odd")) == ExitStatus.FAULT
    said = capsys.readouterr().err
    assert said.startswith("Wrong. Do right.\nThe work was cancelled. Nothing was written.\nCancelled.\n")
    assert "RuntimeError: odd" in said


def test_probe_for_people(capsys, dirty_reel: Path) -> None:
    status, out, _ = call(capsys, "probe", dirty_reel)
    assert status == 0
    for words in ("160", "24/1", "4:2:0", "pcm_s16le", "notes", "none", "not known"):
        assert words in out


def test_apply_and_verify_for_people(capsys, recipe, dirty_reel: Path, tmp_path: Path) -> None:
    status, out, _ = call(capsys, "apply", recipe(), dirty_reel, tmp_path / "p.%04d.png", "--range", ":3")
    assert status == 0
    assert "3 frames written and read back" in out
    assert "the audio tracks were left out" in out
    status, out, _ = call(capsys, "verify", dirty_reel, tmp_path / "p.%04d.png", "--range", ":3")
    assert (status, "Not proved" in out) == (1, True)
    assert "pictures made from 160x120 4:2:0 8 bit" not in out


ROW = {
    "clip": "made up", "size": "8x8", "frames": 2, "blob_precision": 0.9, "blob_recall": 0.8, "pixel_precision": 0.7,
    "pixel_recall": 0.6, "damaged": {"whole_db": 30.0},
    "dirt": {"whole_db": 41.25, "inside_db": 25.0, "outside_db": 50.0},
    "median_3x3": {"whole_db": 29.0, "inside_db": 9.0}, "median_of_3_frames": {"whole_db": 33.0, "inside_db": 20.0},
    "clean_db": {"dirt": 60.0, "median_3x3": 35.0, "median_of_3_frames": 36.0}, "clean_worst_db": 50.0,
    "clean_blobs_per_frame": 0.25, "frames_per_second": 9.0,
}  # fmt: skip


def test_bench_prints_a_table_or_json(capsys, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    skipped = [{"clip": "far", "reason": "no network"}]
    data = {"suite": "dirt", "clips": [ROW], "skipped": skipped, "together": {"whole_gain_db": 11.0}}
    monkeypatch.setattr("bench.report.run_dirt", lambda *_: (data, None))
    runs, html = ("--history", tmp_path / "runs.jsonl"), tmp_path / "page.html"
    _, out, err = call(capsys, "bench", *runs, "--html", html)
    assert "made up" in html.read_text()
    assert "made up" in out
    assert "41.2" in out
    assert "whole gain db: 11\n" in out
    assert "The clip far was left out: no network." in err
    data["together"] = {"whole_gain_db": 12.5}
    assert "whole gain db: 12.5   (last run 11)" in call(capsys, "bench", *runs)[1]
    _, out, _ = call(capsys, "bench", *runs, "--json")
    assert json.loads(out)["together"] == data["together"]
    assert json.loads(out)["before"]["figures"] == {"whole_gain_db": 12.5}
    assert call(capsys, "bench", *runs, "--html", tmp_path / "no" / "page.html")[0] == 2
    monkeypatch.setattr("bench.speed.run_speed", lambda *_: {"suite": "speed", "cached_frame_ms": 2.0})
    assert "cached frame ms: 2\n" in call(capsys, "bench", *runs, "--suite", "speed")[1]
    assert call(capsys, "bench", "--suite", "taste")[0] == 2


def test_demo_draws_and_leaves_where_no_window_is_wanted(
    capsys, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from grevin.demo.making import demo_files

    asked: list[Path] = []
    monkeypatch.setattr(
        "grevin.demo.making.make_demo", lambda place, _, every: asked.append(place) or demo_files(place)
    )
    status, out, _ = call(capsys, "demo", "--no-window", "--folder", tmp_path)
    assert status == 0
    assert asked == [tmp_path]
    assert str(tmp_path / "port-ellery-reel.mkv") in out


def test_a_window_that_cannot_start_says_why(capsys, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delitem(sys.modules, "grevin.desktop.main", raising=False)
    original = builtins.__import__

    def without_qt(name: str, *rest: object, **more: object) -> object:
        if name == "grevin.desktop.main":
            raise ImportError("libEGL.so.1: cannot open shared object file")
        return original(name, *rest, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(builtins, "__import__", without_qt)
    status, _, err = call(capsys, "open")
    assert status == 2
    assert "libEGL.so.1" in err
    assert "tools/setup.sh" in err


def test_material_named_alone_is_opened(capsys, monkeypatch: pytest.MonkeyPatch, dirty_reel: Path) -> None:
    opened: list[Path | None] = []
    monkeypatch.setattr("grevin.cli.window.show_window", opened.append)
    call(capsys, dirty_reel)
    call(capsys, "open", dirty_reel)
    assert opened == [dirty_reel, dirty_reel]


def test_json_alone_is_on_stdout(capsys: pytest.CaptureFixture[str]) -> None:
    console.say_json({"name": "Küste"})
    assert json.loads(capsys.readouterr().out) == {"name": "Küste"}
