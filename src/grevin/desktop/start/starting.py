"""What the start view offers, and what is remembered for it of the job that is left."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, QSettings
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QWidget

from grevin.demo.making import demo_folder, make_demo
from grevin.desktop.dialogs.first_minutes import FirstMinutes
from grevin.desktop.job_opening import JobOpening
from grevin.desktop.memory import picture_of, recent_jobs, remember_job, remember_state, words_on
from grevin.desktop.places.bench import Bench
from grevin.desktop.session import Session
from grevin.desktop.start.start_view import StartView
from grevin.desktop.texts import tr, tr_count


class Starting(QObject):
    """Acts of the start view, and its list of jobs."""

    def __init__(
        self, view: StartView, session: Session, bench: Bench, opening: JobOpening, settings: QSettings,
        window: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(window)
        self._view = view
        self._session = session
        self._bench = bench
        self._opening = opening
        self._settings = settings
        self._window = window
        self._first_minutes: FirstMinutes | None = None
        self.acts: dict[str, Callable[[], object]] = {
            "open_demo": self._open_demo, "first_minutes": self._show_first_minutes,
        }  # fmt: skip
        opening.opened.connect(partial(remember_job, settings))
        opening.closing.connect(self.remember)
        opening.told.connect(view.show_words)
        opening.faulted.connect(lambda _fault: view.show_words(""))

    def show(self) -> None:
        """The jobs as they are remembered."""
        self._view.show_jobs(recent_jobs(self._settings), partial(words_on, self._settings), picture_of)
        self._view.show_words("")

    def _open_demo(self) -> None:
        """Draw the demo where that was not done before, then open it."""
        self._view.show_words(tr("Drawing the harbour of Port Ellery, once …"))
        self._opening.task.run(
            lambda progress: make_demo(demo_folder(), progress), lambda files: self._opening.open([files.job])
        )

    def _show_first_minutes(self) -> None:
        self._first_minutes = self._first_minutes or FirstMinutes(self._window)
        self._first_minutes.show()

    def remember(self) -> None:
        """What one looked at in the present job, and what was being done."""
        session, look = self._session, self._bench.table.look
        if session.job_file is None or session.entry is None or look is None:
            return
        height, width = look.after.shape[:2]
        image = QImage(look.after.data, width, height, 4 * width, QImage.Format.Format_RGB32)
        steps = len(session.treatment.steps)
        words = tr_count(
            "{1}, frame {2}, {0} step", "{1}, frame {2}, {0} steps", steps, session.entry.title, session.place.frame
        )
        remember_state(self._settings, session.job_file.path, QPixmap.fromImage(image), words)
