"""The window: places, menus, keys, message bar; opening and closing."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, QEvent, QObject, QSettings, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from grevin import __version__
from grevin.core.errors import GrevinError
from grevin.core.job.job_file import JobFile
from grevin.desktop.dialogs.keys_page import KeysPage
from grevin.desktop.keys import KEYS, hint
from grevin.desktop.light_table.view import FIT
from grevin.desktop.message_bar import MessageBar
from grevin.desktop.places.bench import Bench
from grevin.desktop.places.output import Output
from grevin.desktop.reel_column.column import ReelColumn
from grevin.desktop.reel_column.filling import LaneFiller
from grevin.desktop.session import Session, found_reel, prepare
from grevin.desktop.work.looks import Look, is_ready
from grevin.desktop.work.workers import Task

REMEMBER_MS = 2000  # how often the place where one looks is written down, so that a kill loses no more than that
ZOOMS = {"zoom_fit": FIT, "zoom_100": 1.0, "zoom_200": 2.0, "zoom_300": 3.0, "zoom_400": 4.0}
LEAVING_KEYS = {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape}
STEPS = {"step_back": -1, "step_forward": 1, "ten_back": -10, "ten_forward": 10}
MATERIAL = (
    "Jobs and material (*.grevin *.mkv *.mov *.mp4 *.avi *.mxf *.mpg *.ts *.dv *.png *.tif *.tiff);;All files (*)"
)


def application() -> QApplication:
    """The application, which exists as long as there is a window."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app


class Window(QMainWindow):
    """Grevin's one window."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Grevin")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._settings = settings or QSettings("grevin", "grevin")
        self.session = Session(self)
        self.bench = Bench(self.session)
        self.output = Output(self.session)
        self.column = ReelColumn()
        self.filler = LaneFiller(self.column, self)
        self.messages = MessageBar()
        self.places = QStackedWidget()
        self._opening: Task | None = None
        self._keys_page: KeysPage | None = None
        self._actions: dict[str, QAction] = {}
        self._shown_view_point = 0
        self._remember_timer = QTimer(self, interval=REMEMBER_MS)
        self._lay_out()
        self._make_actions()
        self._connect()
        self._restore_window()
        self._show_history()

    def _lay_out(self) -> None:
        self.places.addWidget(self.bench)
        self.places.addWidget(self.output)
        head = QHBoxLayout()
        head.setContentsMargins(8, 4, 8, 4)
        self._place_buttons: dict[str, QPushButton] = {}
        for act, words in (("go_bench", "Bench"), ("go_output", "Output")):
            button = QPushButton(words)
            button.setObjectName(act)
            button.setCheckable(True)
            button.setToolTip(hint(act))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(partial(self.do, act))
            head.addWidget(button)
            self._place_buttons[act] = button
        self._place_buttons["go_bench"].setChecked(True)
        head.addSpacing(14)
        self._title = QLabel("No reel is open")
        self._title.setProperty("title", True)
        head.addWidget(self._title)
        head.addSpacing(14)
        self._state = QLabel()
        self._state.setProperty("quiet", True)
        head.addWidget(self._state, 1)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.column)
        middle.addWidget(self.places, 1)
        whole = QVBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(head)
        whole.addLayout(middle, 1)
        whole.addWidget(self.messages)
        centre = QWidget()
        centre.setLayout(whole)
        self.setCentralWidget(centre)

    def _make_actions(self) -> None:
        menus: dict[str, Any] = {}
        for key in KEYS:
            menu = menus.setdefault(key.group, None) or self.menuBar().addMenu(key.group)
            menus[key.group] = menu
            if key.held:
                continue
            action = QAction(key.label, self)
            action.setObjectName(f"act_{key.act}")
            action.setShortcuts([QKeySequence(text) for text in key.keys])
            action.triggered.connect(partial(self.do, key.act))
            menu.addAction(action)
            self._actions[key.act] = action

    def _connect(self) -> None:
        session = self.session
        session.reel_opened.connect(self._show_reel)
        session.treatment_changed.connect(self._show_treatment)
        session.place_changed.connect(self._show_place)
        session.history_changed.connect(self._show_history)
        session.told.connect(self.messages.say)
        session.faulted.connect(self.tell_fault)
        self.bench.faulted.connect(self.tell_fault)
        self.bench.told.connect(self.messages.say)
        self.bench.looked.connect(self._take_look)
        self.output.faulted.connect(self.tell_fault)
        self.output.told.connect(self.messages.say)
        self.bench.bar.acted.connect(self.do)
        self.bench.bar.toggled.connect(self._toggle)
        self.bench.bar.frame_typed.connect(session.go)
        self.bench.bar.zoom_chosen.connect(self.bench.table.zoom_to)
        self.column.frame_chosen.connect(session.go)
        self.messages.cancel_asked.connect(self._cancel_opening)
        self.filler.faulted.connect(self.tell_fault)
        self._remember_timer.timeout.connect(session.remember_place)
        self._remember_timer.start()
        application().installEventFilter(self)

    # Acts

    def do(self, act: str, _checked: bool = False) -> None:
        """Do one of the acts of `keys.KEYS`."""
        if act in STEPS:
            self.session.go(self.session.place.frame + STEPS[act])
        elif act in ZOOMS:
            self.bench.table.zoom_to(ZOOMS[act])
        else:
            simple: dict[str, Callable[[], object]] = {
                "undo": self.session.undo, "redo": self.session.redo, "add_step": self.bench.open_step_menu,
                "shot_back": partial(self.session.go_shot, -1), "shot_forward": partial(self.session.go_shot, 1),
                "to_start": partial(self.session.go, 0), "to_end": partial(self.session.go, self.session.length - 1),
                "play": self.bench.player.toggle, "wipe": self.bench.toggle_wipe,
                "evidence": self.bench.toggle_evidence,
                "view_back": partial(self.session.view_from, self.session.place.view_point - 1),
                "view_on": partial(self.session.view_from, self.session.place.view_point + 1),
                "zoom_in": partial(self.bench.table.zoom_step, 1), "zoom_out": partial(self.bench.table.zoom_step, -1),
                "go_bench": partial(self._go_to, "go_bench"), "go_output": partial(self._go_to, "go_output"),
                "open_material": self._ask_material, "open_folder": self._ask_folder, "save_job_as": self._ask_copy,
                "show_keys": self._show_keys, "about": self._about, "quit": self.close,
                "full_screen": self._full_screen,
            }  # fmt: skip
            simple[act]()

    def _toggle(self, act: str, on: bool) -> None:
        {"before": self.bench.set_before, "wipe": self.bench.set_wipe, "evidence": self.bench.set_evidence}[act](on)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Before lasts as long as X is down; Return and Escape leave a number field, so that keys act again."""
        if isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_X and not event.isAutoRepeat():
            plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
            if self.isActiveWindow() and plain and event.type() in {QEvent.Type.KeyPress, QEvent.Type.KeyRelease}:
                self.bench.set_before(event.type() == QEvent.Type.KeyPress)
        leaving = isinstance(event, QKeyEvent) and event.key() in LEAVING_KEYS
        if leaving and isinstance(application().focusWidget(), QAbstractSpinBox) and self.bench.isVisible():
            QTimer.singleShot(0, self.bench.focus_table)
        return super().eventFilter(watched, event)

    def _go_to(self, act: str) -> None:
        self.places.setCurrentWidget(self.bench if act == "go_bench" else self.output)
        for name, button in self._place_buttons.items():
            button.setChecked(name == act)
        if act == "go_output":
            self.bench.player.stop()
            self.output.show_facts()

    def _full_screen(self) -> None:
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def _show_keys(self) -> None:
        self._keys_page = self._keys_page or KeysPage(self)
        self._keys_page.show()

    def _about(self) -> None:
        QMessageBox.about(
            self,
            "About Grevin",
            f"<b>Grevin {__version__}</b>"
            "<p>Restoration of digitised film and tape that never harms what is not damaged."
            "<p>Free software under the GNU General Public License, version 3 or later. The type is B612 (SIL Open "
            "Font License); video is read and written by the FFmpeg libraries.",
        )

    # Opening

    def _ask_material(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open material or a job", "", MATERIAL)
        if name:
            self.open(Path(name))

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a folder of numbered pictures")
        if name:
            self.open(Path(name))

    def _ask_copy(self) -> None:
        if self.session.job_file is None:
            self.messages.say("There is no job yet: open material first.")
            return
        name, _ = QFileDialog.getSaveFileName(self, "Keep a copy of the job as", "", "Jobs (*.grevin)")
        if name:
            self.save_copy(Path(name).with_suffix(".grevin"))

    def save_copy(self, path: Path) -> None:
        """Keep a copy of the job, and go on working in it."""
        assert self.session.job_file is not None
        try:
            self.session.remember_place()
            self.session.job_file.save_copy(path)
        except GrevinError as fault:
            self.tell_fault(fault)
            return
        self.open(path)

    def open(self, path: Path) -> None:
        """Open a job or material, off the GUI thread."""
        if self.output.writing:
            self.messages.say("An output is being written: wait for it or cancel it before opening another reel.")
            return
        self._cancel_opening()
        task = Task(partial(prepare, path), "open", self)
        task.progressed.connect(self.messages.show_progress)
        task.done.connect(self._adopt)
        task.failed.connect(self._opening_failed)
        task.finished.connect(partial(self.messages.show_progress, None))
        self._opening = task
        self.messages.say(f"Opening {path.name} …")
        if self.session.reel is None:
            self.bench.table.show_words(f"Opening {path.name} …")
        task.start()

    def _cancel_opening(self) -> None:
        if self._opening is not None:
            self._opening.cancel()
            self._opening.wait()
            self._opening = None

    def _adopt(self, prepared: Any) -> None:
        job_path, reel = prepared
        self._opening = None
        try:
            job_file = JobFile.open(job_path)
        except GrevinError as fault:
            self.tell_fault(fault)
            return
        self.filler.stop()
        self.bench.player.stop()
        self.session.adopt(job_file, reel)
        self.messages.say(" ".join(reel.notes))
        first = job_file.document.reels[0]
        found = first.model_copy(update={"path": str(found_reel(Path(first.path), job_path))})
        self.filler.start(found, self.session.length, self._is_ready)

    def _opening_failed(self, fault: Exception) -> None:
        self._opening = None
        if self.session.reel is None:
            self.bench.table.show_words("Open material or a job: Ctrl+O")
        self.tell_fault(fault)

    # Showing

    def _is_ready(self, frame: int) -> bool:
        chain = self.session.chain
        return chain is not None and is_ready(chain, frame, self.session.place.view_point)

    def _show_reel(self) -> None:
        self.column.show_lanes(self.session.length, None, self._is_ready)
        self._go_to("go_bench")
        self._show_state()
        self._show_place(self.session.place)
        self.bench.focus_table()

    def _show_state(self) -> None:
        reel = self.session.reel
        if reel is None or self.session.job_file is None:
            return
        path = Path(self.session.document.reels[self.session.reel_index].path)
        fmt = reel.format
        steps = [step.step for step in self.session.treatment.steps if step.enabled]
        treated = "treated: " + ", ".join(steps) if steps else "not treated"
        self._title.setText(path.name)
        self._title.setToolTip(str(path))
        point = self.session.place.view_point
        seen = f"after {point}. {self.session.treatment.steps[point - 1].step}" if point else "source"
        self._state.setText(
            f"{fmt.describe()}, {float(fmt.rate):.5g} frames/s    {treated}, not enlarged    view point: {seen}"
        )
        self.setWindowTitle(f"{self.session.job_file.path.stem} - Grevin")

    def _show_treatment(self) -> None:
        self.filler.forget_dirt()
        self._show_state()
        self.output.show_facts()

    def _show_place(self, place: Any) -> None:
        self.column.show_frame(place.frame)
        if place.view_point != self._shown_view_point:
            self._shown_view_point = place.view_point
            self.column.refresh()
            self._show_state()

    def _take_look(self, look: Look) -> None:
        self.bench.player.count_shown()
        self.filler.take_look(look)

    def _show_history(self) -> None:
        job = self.session.job_file
        for act, label in (("undo", job.undo_label() if job else None), ("redo", job.redo_label() if job else None)):
            action = self._actions[act]
            action.setEnabled(label is not None)
            name = act.capitalize()
            action.setText(f"{name}: {label}" if label else name)

    def tell_fault(self, fault: Exception) -> None:
        """Say what went wrong; what nobody foresaw goes to the log too."""
        if not isinstance(fault, GrevinError):
            logging.getLogger("grevin").error("unexpected fault", exc_info=fault)
        self.messages.say_fault(fault)

    # Dropping, closing

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        urls = [url for url in event.mimeData().urls() if url.isLocalFile()]
        if urls:
            self.open(Path(urls[0].toLocalFile()))

    def _restore_window(self) -> None:
        geometry = self._settings.value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._settings.setValue("geometry", self.saveGeometry())
        application().removeEventFilter(self)
        self._cancel_opening()
        self.filler.stop()
        self._remember_timer.stop()
        self.output.stop()
        self.bench.stop()
        self.session.leave()
        super().closeEvent(event)

    def threads_alive(self) -> list[str]:
        """Names of our own threads that still run, for tests."""
        return [thread.name for thread in threading.enumerate() if thread.name.startswith("grevin-")]
