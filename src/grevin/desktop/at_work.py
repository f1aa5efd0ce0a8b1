"""A window that works by itself until it is killed: `python -m grevin.desktop.at_work JOB_OR_REEL OUTPUT SETTINGS`.

For `grevin bench --suite output`. It treats a reel and writes it; prints the path of the job as soon as that holds the
treatment, and the proof as JSON when the output is proved.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

from PySide6.QtCore import QSettings, QTimer

from grevin.core.errors import GrevinError
from grevin.core.job.queue import user_queue
from grevin.desktop.main import make_application
from grevin.desktop.window import Window

SOON_MS = 100


def main(opened: Path, output: Path, settings: Path) -> None:
    """Open a job or a reel, let it have a step, write it or work off what waits.

    Args:
        opened: a job, or material for a new one.
        output: the file.
        settings: of the window.
    """
    app = make_application()
    window = Window(QSettings(str(settings), QSettings.Format.IniFormat))
    window.show()
    place, session = window.output, window.session
    watch = QTimer(interval=SOON_MS)

    def work() -> None:
        if session.job_file is None:  # it is being opened
            QTimer.singleShot(SOON_MS, work)
            return
        if not session.treatment.steps:
            session.add_step("dirt")
        _say(str(session.job_file.path))
        watch.start()
        if any(one.state == "waiting" for one in user_queue().orders()):
            place.queue.wanted.emit()
            return
        place.path.setText(str(output))
        place.write.click()

    def look() -> None:
        runs = session.job_file.runs() if session.job_file is not None else []
        if runs and not place.writing:
            _say(json.dumps(runs[-1][1]))
            app.quit()

    def fail(fault: GrevinError) -> None:
        _say(json.dumps({"fault": str(fault)}))
        app.exit(1)

    watch.timeout.connect(look)
    place.faulted.connect(fail)
    session.reel_opened.connect(lambda: QTimer.singleShot(SOON_MS, work))
    window.open(opened)
    sys.exit(app.exec())


def _say(words: str) -> None:
    sys.stdout.write(words + "\n")
    sys.stdout.flush()


if __name__ == "__main__":
    main(*map(Path, sys.argv[1:]))
