"""A window that is killed at work: nothing that was done is lost, nothing half-written bears a name."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.conftest import FORMATS, random_frame, write_video
from tests.desktop.conftest import WAIT_MS

AT_WORK = """
import sys
from pathlib import Path
from PySide6.QtCore import QSettings, QTimer
from grevin.desktop.main import make_application
from grevin.desktop.window import Window

app = make_application()
window = Window(QSettings(sys.argv[3], QSettings.Format.IniFormat))
window.show()

def work():
    window.session.go(7)
    window.session.add_step("dirt")
    window.session.change_settings(1, {"grow_px": 6})
    window.session.remember_place()
    window.output.path.setText(sys.argv[2])
    window.output.start()
    window.output._runner.progressed.connect(tell)

def tell(report):
    if report.done > 3:
        print(window.session.job_file.path, flush=True)

window.session.reel_opened.connect(lambda: QTimer.singleShot(100, work))
window.open(Path(sys.argv[1]))
app.exec()
"""


@pytest.mark.gui
@pytest.mark.slow
def test_kill_and_reopen(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    source = write_video(tmp_path / "long.mkv", [random_frame(FORMATS[1], n % 5) for n in range(900)])
    output = tmp_path / "out" / "treated.mkv"
    words = [sys.executable, "-c", AT_WORK, str(source), str(output), str(tmp_path / "s.ini")]
    worker = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    assert worker.stdout is not None
    job = Path(worker.stdout.readline().strip())
    os.kill(worker.pid, signal.SIGKILL)
    worker.wait()
    worker.stdout.close()
    assert not output.exists()
    window = new_window(job)
    assert window.session.place.frame == 7
    assert window.session.place.view_point == 1
    assert window.session.treatment.steps[0].settings["grow_px"] == 6
    window.output.last.setValue(9)
    window.output.path.setText(str(output))
    window.output.start()
    qtbot.waitUntil(lambda: not window.output.writing, timeout=WAIT_MS)
    assert window.output.result.text().startswith("Proved. 10 frames")
    assert [path.name for path in output.parent.iterdir()] == ["treated.mkv"], "what the kill left is gone"
