"""The start view: what to do first, and the jobs worked on before."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QIcon, QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from grevin.desktop.keys import hint
from grevin.desktop.memory import PICTURE
from grevin.desktop.texts import tr

FORMATS = (
    "Video: AVI, MOV, MP4, MKV, MXF, MPEG, DV.  Numbered pictures: TIFF, PNG, DPX, OpenEXR, JPEG.\n"
    "Nothing is copied and nothing is written to the material: a small job file keeps what you do."
)
FIRST = (
    "1. Look it through: Survey measures every frame and lists what stands out.",
    "2. Repair one thing at a time on the Bench: choose a step by what is wrong with the picture.",
    "3. Write it in Output: read back, proved, then named.",
)


class _Jobs(QListWidget):
    """Return opens the job of the row."""

    chosen = Signal(str)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        item = self.currentItem()
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and item is not None:
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
        else:
            super().keyPressEvent(event)


class StartView(QWidget):
    """Says what to do; emits an act, or the job that was chosen."""

    acted = Signal(str)
    job_chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("start_view")
        self.jobs = _Jobs()
        self.jobs.setObjectName("recent_jobs")
        self.jobs.chosen.connect(self.job_chosen)
        self.jobs.itemActivated.connect(lambda item: self.job_chosen.emit(item.data(Qt.ItemDataRole.UserRole)))
        self.words = QLabel()
        self.words.setWordWrap(True)
        first = QVBoxLayout()
        first.setSpacing(8)
        title = QLabel(tr("Begin with the demo or with material, or go on with a job"))
        title.setProperty("title", True)
        title.setWordWrap(True)
        first.addWidget(title)
        for act in ("open_demo", "open_material", "open_folder"):
            button = QPushButton(hint(act))
            button.setObjectName(f"start_{act}")
            button.clicked.connect(partial(self._act, act))
            first.addWidget(button)
        drop = QLabel(tr("Or drop files and folders from the file manager onto this window: each becomes a reel."))
        drop.setWordWrap(True)
        first.addWidget(drop)
        formats = QLabel(tr(FORMATS))
        formats.setWordWrap(True)
        formats.setProperty("quiet", True)
        first.addWidget(formats)
        first.addSpacing(10)
        for line in FIRST:
            label = QLabel(tr(line))
            label.setWordWrap(True)
            first.addWidget(label)
        help_button = QPushButton(tr("First ten minutes"))
        help_button.setObjectName("start_first_minutes")
        help_button.clicked.connect(partial(self._act, "first_minutes"))
        first.addWidget(help_button)
        first.addSpacing(10)
        first.addWidget(self.words)
        first.addStretch(1)
        second = QVBoxLayout()
        self._recent = QLabel(tr("Jobs worked on before"))
        self._recent.setProperty("title", True)
        self._recent.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        second.addWidget(self._recent)
        second.addWidget(self.jobs, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(60, 48, 60, 40)
        layout.setSpacing(48)
        layout.addLayout(first, 2)
        layout.addLayout(second, 3)

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def show_jobs(self, jobs: list[Path], words_on: Callable[[Path], str], picture_of: Callable[[Path], Path]) -> None:
        """The jobs worked on before, the last one first, with a picture and what was being done."""
        self.jobs.clear()
        self.jobs.setIconSize(PICTURE)
        for path in jobs:
            words = "\n".join(filter(None, (path.stem, words_on(path), str(path.parent))))
            item = QListWidgetItem(QIcon(str(picture_of(path))), words)
            item.setData(Qt.ItemDataRole.UserRole, str(path))
            self.jobs.addItem(item)
        self.jobs.setCurrentRow(0)
        self.jobs.setVisible(bool(jobs))
        self._recent.setVisible(bool(jobs))

    def show_words(self, words: str) -> None:
        """What is going on."""
        self.words.setText(words)
