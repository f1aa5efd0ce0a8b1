"""A recipe over a folder of reels."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

from grevin.core.media.opening import open_reel
from tests.cli.test_commands import Recipe, call


def test_every_reel_of_a_folder_is_written_and_what_fails_is_told(
    capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path
) -> None:
    reels, out = tmp_path / "reels", tmp_path / "out"
    (reels / "box-2").mkdir(parents=True)
    shutil.copy(dirty_reel, reels / "first.mkv")
    shutil.copy(dirty_reel, reels / "box-2" / "second.mkv")
    (reels / "broken.mov").write_bytes(b"no film at all" * 40)
    (reels / "notes.txt").write_text("of no concern")
    status, text, _ = call(capsys, "apply", recipe(), reels, out, "--json")
    rows = {Path(row["reel"]).name: row for row in json.loads(text)["reels"]}
    assert status == 1
    assert {name: row["state"] for name, row in rows.items()} == {
        "first.mkv": "written", "second.mkv": "written", "broken.mov": "failed",
    }  # fmt: skip
    assert "is not a video file that can be read" in rows["broken.mov"]["words"]
    assert len(open_reel(out / "box-2" / "second.mkv")) == 12
    (out / "first.mkv").unlink()
    (reels / "broken.mov").unlink()
    status, text, _ = call(capsys, "apply", recipe(), reels, out, "--continue")
    assert status == 0
    assert "there already" in text
    assert (out / "first.mkv").exists()


def test_a_folder_into_itself_an_empty_one_and_evidence_are_refused(capsys, recipe: Recipe, dirty_reel, tmp_path: Path):
    reels, empty = tmp_path / "reels", tmp_path / "empty"
    reels.mkdir()
    empty.mkdir()
    shutil.copy(dirty_reel, reels)
    assert call(capsys, "apply", recipe(), reels, reels)[0] == 2
    assert call(capsys, "apply", recipe(), empty, tmp_path / "out")[0] == 3
    assert call(capsys, "apply", recipe(), reels, tmp_path / "out", "--evidence", tmp_path / "e")[0] == 2
    assert call(capsys, "apply", recipe(), reels, tmp_path / "out", "--coding", "none")[0] == 2
    assert not (tmp_path / "out").exists()
    assert call(capsys, "apply", recipe(), reels, tmp_path / "out", "--coding", "h264")[0] == 0
    assert (tmp_path / "out" / "dirty.mp4").exists()
