"""What is to be written: the form of the place Output."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)  # fmt: skip

from grevin.core.errors import UsageError
from grevin.core.job.orders import beside
from grevin.core.render.versions import VERSIONS, Version, own_version, user_versions
from grevin.core.render.wanted import Wanted
from grevin.desktop.dialogs import files
from grevin.desktop.places.output_wishes import CONTROLS, Wishes, row
from grevin.desktop.texts import tr

NAMED = (
    "version", "keep_it", "forget_it", "path", "first", "last", "shot", "all", "evidence", "ledger", "overwrite",
)  # fmt: skip


class OutputForm(Wishes):
    """Version, place and frames, with what is wanted besides."""

    changed = Signal()
    faulted = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.version = QComboBox()
        self.version.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.keep_it = QPushButton(tr("Keep …"))
        self.keep_it.setToolTip(tr("Keep what is set here as a version of your own, for other reels and jobs."))
        self.forget_it = QPushButton(tr("Forget"))
        self.forget_it.clicked.connect(self.forget)
        self.path = QLineEdit()
        self.first = QSpinBox()
        self.last = QSpinBox()
        self.shot, self.all = QPushButton(tr("This shot")), QPushButton(tr("All"))
        self.shot.setToolTip(tr("Write the shot that the frame in sight belongs to."))
        self.all.setToolTip(tr("Write all between the trims."))
        self.evidence = QCheckBox(tr("Evidence pictures beside it"))
        self.ledger = QCheckBox(tr("Ledger (CSV) beside it"))
        self.overwrite = QCheckBox(tr("Overwrite existing files"))
        for name in NAMED:
            getattr(self, name).setObjectName(f"output_{name}")
        self.show_versions()
        self._lay_out()
        self.version.currentIndexChanged.connect(self._take)
        self._show_what_applies()
        self._tell_changes()

    def _tell_changes(self) -> None:
        self.version.currentIndexChanged.connect(self.changed)
        self.path.textChanged.connect(self.changed)
        for control in (self.first, self.last, *(getattr(self, name) for name in CONTROLS.values())):
            if isinstance(control, QComboBox):
                control.currentIndexChanged.connect(self.changed)
            elif isinstance(control, QCheckBox):
                control.toggled.connect(self.changed)
            else:
                control.valueChanged.connect(self.changed)

    def show_versions(self, chosen: str = "") -> None:
        """Those to begin with, then a person's own."""
        own: tuple[Version, ...] = ()
        try:
            own = user_versions().all()
        except UsageError as fault:
            self.faulted.emit(fault)
        blocker = QSignalBlocker(self.version)
        self.version.clear()
        for version in VERSIONS:
            self.version.addItem(tr(version.label), version)
        for version in own:
            self.version.addItem(version.label, version)
        ids = [version.id for version in (*VERSIONS, *own)]
        self.version.setCurrentIndex(ids.index(chosen) if chosen in ids else 0)
        blocker.unblock()

    def _take(self) -> None:
        """A person's own version says everything; the others how the pictures are coded."""
        version = self.chosen
        self._show_what_applies()
        if version.own:
            self.take(version)
            self.evidence.setChecked(version.evidence)
            self.ledger.setChecked(version.ledger)

    def ask_to_keep(self, stem: str) -> None:
        """Keep what the form says as a version, under a name that is asked for."""
        proposed = self.chosen.label if self.chosen.own else ""
        label, given = QInputDialog.getText(
            self, tr("Keep a version"), tr("What is it called? Its files are named as this one is."), text=proposed
        )
        if given:
            self.keep(label, stem)

    def keep(self, label: str, stem: str) -> None:
        """Keep what the form says as a version of a person's own."""
        path, coding = Path(self.path.text()), self.chosen.coding
        try:
            version = own_version(
                label, path, stem, coding_id=coding.id if coding else "", evidence=self.evidence.isChecked(),
                ledger=self.ledger.isChecked(), **self.wishes.model_dump(),
            )  # fmt: skip
            user_versions().keep(version)
        except UsageError as fault:
            self.faulted.emit(fault)
            return
        self.show_versions(version.id)
        self._take()

    def forget(self) -> None:
        """Forget a version of a person's own."""
        try:
            user_versions().forget(self.chosen.id)
        except UsageError as fault:
            self.faulted.emit(fault)
        self.show_versions()
        self._take()

    def _lay_out(self) -> None:
        form = self._form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
        form.addRow(tr("Version"), row(self.version, self.keep_it, self.forget_it))
        self.add_rows(form)
        browse = QPushButton(tr("Choose …"))
        browse.clicked.connect(self._browse)
        form.addRow(tr("Write to"), row(self.path, browse))
        self.room = QLabel()
        self.room.setObjectName("output_size")
        self.room.setProperty("quiet", True)
        self.room.setWordWrap(True)
        form.addRow(tr("Size"), self.room)
        form.addRow(tr("Frames"), row(self.first, QLabel(tr("to")), self.last, self.shot, self.all, None))
        self.add_last_rows(form)
        for box in (self.evidence, self.ledger, self.overwrite):
            form.addRow("", box)

    def show_frames(self, frames: range) -> None:
        """Frames to write."""
        self.first.setValue(frames.start)
        self.last.setValue(frames.stop - 1)

    @property
    def chosen(self) -> Version:
        """The version that is chosen."""
        version: Version = self.version.currentData()
        return version

    @property
    def wishes(self) -> Wanted:
        """What is wanted besides."""
        return self.wanted(self.chosen)

    def _show_what_applies(self) -> None:
        self.show_what_applies(self._form, self.chosen)
        for box in (self.evidence, self.ledger):
            self._form.setRowVisible(box, not self.chosen.sound_alone)
        self.forget_it.setVisible(self.chosen.own)

    def _browse(self) -> None:
        path = files.ask_save(self, "output", tr("Write to"), proposed=self.path.text())
        if path is not None:
            self.path.setText(str(path))

    def suggest(self, folder: Path, stem: str) -> None:
        """A name for the version that is chosen."""
        self.path.setText(str(self.chosen.path(folder, stem)))
        self.path.setToolTip(self.path.text())

    def folder_of(self, path: Path) -> Path:
        """The folder that versions go into, of which `path` is one."""
        return path.parents[min(len(Path(self.chosen.name).parts), len(path.parents)) - 1]

    def order(self, output: Path) -> dict[str, Any]:
        """What the form says, as an order has it, for an output."""
        coding, pictures = self.chosen.coding, not self.chosen.sound_alone
        return {
            "first": self.first.value(), "stop": self.last.value() + 1,
            "evidence": beside(output, "evidence") if pictures and self.evidence.isChecked() else "",
            "ledger": beside(output, "ledger.csv") if pictures and self.ledger.isChecked() else "",
            "overwrite": self.overwrite.isChecked(), "coding": coding.id if coding is not None else "",
            **self.wishes.model_dump(),
        }  # fmt: skip
