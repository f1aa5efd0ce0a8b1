"""Worked jobs about what leaves the house, done in the real window: docs/jobs."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget
from pytestqt.qtbot import QtBot

from grevin.core.job.handing_over import verify_folder
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.desktop.dialogs import files
from grevin.desktop.window import Window
from tests.conftest import moving_frames, write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_killed import AT_WORK
from tests.desktop.test_output import choose, states, written

LEFT = Qt.MouseButton.LeftButton
LENGTH = 60


def worn_reel(folder: Path) -> Path:
    damage, clean = DirtDamage(seed=5, blobs_per_frame=60, hair_share=0.0, largest_px=10), moving_frames(LENGTH)
    frames = [damage.add(clean.frame(number))[0] for number in range(LENGTH)]
    return write_video(folder / "box-7.mkv", frames, sound=True)


def test_a_master_and_an_access_copy(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    window: Window = new_window(worn_reel(tmp_path))
    window.session.declare(pixel_aspect="16:15", timecode="10:00:00:00")
    window.session.add_step("dirt")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output = window.output
    qtbot.waitUntil(lambda: output.picture.shown_size[0] > 0, timeout=WAIT_MS)
    wide, high = output.picture.shown_size
    assert abs(wide / high - 160 * 16 / 15 / 120) < 0.02, "seen in its own shape before it is written"
    output.ledger.setChecked(True)
    qtbot.mouseClick(output.write, LEFT)
    output.ledger.setChecked(False)
    choose(window, "h264")
    qtbot.mouseClick(output.write, LEFT)
    assert states(window) == ["running", "waiting"], "the copy waits until the master is written"
    qtbot.waitUntil(lambda: states(window) == ["done", "done"], timeout=WAIT_MS)
    written(qtbot, window)
    words = output.result.text()
    assert f"{LENGTH} frames were ready from before" in words, "treated once"
    assert "H.264 costs some of every picture" in words
    assert len(window.session.job_file.runs()) == 2
    master, copy = tmp_path / "box-7-treated.mkv", tmp_path / "box-7-treated.mp4"
    assert (tmp_path / "box-7-treated-ledger.csv").exists()
    for path, sound in ((master, "pcm_s16le"), (copy, "aac")):
        with av.open(str(path)) as container:
            picture, track = container.streams.video[0], container.streams.audio[0]
            assert picture.sample_aspect_ratio == Fraction(16, 15)
            assert {name.lower(): value for name, value in picture.metadata.items()}["timecode"] == "10:00:00:00"
            assert track.codec_context.name == sound
            assert sum(1 for _ in container.decode(picture)) == LENGTH
    apart = open_reel(master).frame(30).planes[0].astype(float) - open_reel(copy).frame(30).planes[0]
    assert np.sqrt(np.square(apart).mean()) < 4


def test_hand_over_to_the_archive(qtbot: QtBot, new_window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    window: Window = new_window(worn_reel(tmp_path))
    window.session.add_step("dirt")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    window.output.last.setValue(19)
    for version in ("ffv1", "h264"):
        choose(window, version)
        qtbot.mouseClick(window.output.write, LEFT)
    qtbot.waitUntil(lambda: states(window) == ["done", "done"], timeout=WAIT_MS)
    written(qtbot, window)
    folder, proofs = tmp_path / "for the archive", window.output.proofs
    monkeypatch.setattr(files, "ask_save", lambda *_args, **_more: folder)
    window.output._tabs.setCurrentIndex(1)
    qtbot.mouseClick(proofs.hand_over, LEFT)
    qtbot.waitUntil(lambda: not proofs.busy, timeout=WAIT_MS)
    assert "2 outputs with their proofs lie in" in window.messages.text
    words = ["sha256sum", "--quiet", "-c", "checksums.sha256"]
    assert subprocess.run(words, cwd=folder, check=False).returncode == 0, "without Grevin"
    proof = verify_folder(folder, Progress())
    assert (proof.passed, proof.frames) == (True, 40)
    assert "every mend" in (folder / "README.txt").read_text()
    master = folder / "box-7-treated.mkv"
    data = bytearray(master.read_bytes())
    data[len(data) // 2] ^= 1
    master.write_bytes(bytes(data))
    assert "box-7-treated.mkv has changed" in verify_folder(folder, Progress()).sentence()


def test_killed_at_four_in_the_morning(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    reel, output = worn_reel(tmp_path), tmp_path / "out" / "treated.mkv"
    words = [sys.executable, "-c", AT_WORK, str(reel), str(output), str(tmp_path / "s.ini")]
    worker = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    job = Path(worker.stdout.readline().strip())
    os.kill(worker.pid, signal.SIGKILL)
    worker.communicate()
    assert not output.exists()
    window: Window = new_window(job)
    assert "1 order waits in the queue" in window.output.result.text()
    qtbot.keyClick(window, Qt.Key.Key_F5)
    assert states(window) == ["waiting"]
    qtbot.mouseClick(window.output.queue.go_on, LEFT)
    written(qtbot, window)
    assert window.output.result.text().startswith(f"Proved. {LENGTH} frames")
    assert "frames were ready from before" in window.output.result.text(), "nothing that was made is made again"
    assert [path.name for path in output.parent.iterdir()] == ["treated.mkv"], "what the kill left is gone"


def test_fifty_reels_overnight(qtbot: QtBot, new_window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A few stand for fifty; one of them is damaged."""
    box = tmp_path / "box"
    for place, name in enumerate(("mole", "quay", "ferry")):
        damage, clean = DirtDamage(seed=place, blobs_per_frame=60, hair_share=0.0, largest_px=10), moving_frames(12)
        (box / name).mkdir(parents=True)
        write_video(box / name / f"{name}.mkv", [damage.add(clean.frame(n))[0] for n in range(12)])
    window: Window = new_window(box)
    assert [reel.title for reel in window.session.document.reels] == ["ferry", "mole", "quay"]
    (tmp_path / "dirt.json").write_text('{"format": "grevin-recipe", "version": 1, "steps": [{"step": "dirt"}]}')
    window.recipes.take(tmp_path / "dirt.json")
    dialog = window.recipes.dialog
    assert dialog is not None
    for row in range(3):
        dialog.findChild(QListWidget, "recipe_reels").item(row).setCheckState(Qt.CheckState.Checked)
    dialog.accept()
    assert all(len(reel.treatment.steps) == 1 for reel in window.session.document.reels)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output = window.output
    output.path.setText(str(tmp_path / "out" / "ferry-treated.mkv"))
    job = window.session.job_file.path
    (box / "mole" / "mole.mkv").unlink()
    qtbot.mouseClick(output.every, LEFT)
    assert "3 reels are ordered" in window.messages.text
    window.close_now()  # home: the queue goes on without a window
    done = subprocess.run([sys.executable, "-m", "grevin.cli.main", "queue", "--run"], capture_output=True, check=False)
    assert done.returncode == 1, "one could not be read"
    again: Window = new_window(job)
    qtbot.keyClick(again, Qt.Key.Key_F5)
    assert sorted(states(again)) == ["done", "done", "failed"]
    table = again.output.queue.table
    words = " ".join(table.item(row, column).text() for row in range(3) for column in range(table.columnCount()))
    assert "There is no file or folder" in words
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["ferry-treated.mkv", "quay-treated.mkv"]
    for name in ("ferry", "quay"):
        made, source = open_reel(tmp_path / "out" / f"{name}-treated.mkv"), open_reel(box / name / f"{name}.mkv")
        assert len(made) == len(source) == 12
        assert not np.array_equal(made.frame(5).planes[0], source.frame(5).planes[0])
