"""What is to be written: the form of the place Output."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any, get_args

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)  # fmt: skip

from grevin.core.errors import UsageError
from grevin.core.job.orders import beside
from grevin.core.media.codings import QUALITIES
from grevin.core.media.reshaping import Shape
from grevin.core.picture.depth import DEPTHS
from grevin.core.render.playing import LONGEST_BLACK_S
from grevin.core.render.request import Sound
from grevin.core.render.versions import VERSIONS, Version, own_version, user_versions
from grevin.desktop.dialogs import files
from grevin.desktop.texts import tr

NAMED = (
    "version", "keep_it", "forget_it", "quality", "enlarge", "lines", "square", "colours", "rate", "before", "after",
    "path", "first", "last", "sound", "bits", "dither", "evidence", "ledger", "overwrite",
)  # fmt: skip
ENLARGED_LINES = (720, 1080, 1440, 2160)  # of deliveries
MOST_LINES = (2160, 1080, 720, 576, 480, 360)  # usual heights of pictures that are looked at
QUALITY_WORDS = {
    "finest": "finest: no loss to be seen, large", "fine": "fine: hardly any loss", "small": "small: for a quick look",
}  # fmt: skip
RATES = ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60")  # of deliveries
COLOUR_WORDS = {"own": "as the material", "bt709": "of HD (BT.709)"}


class OutputForm(QWidget):
    """Version, place, frames, sound, depth."""

    changed = Signal()
    faulted = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.version = QComboBox()
        self.keep_it = QPushButton(tr("Keep …"))
        self.keep_it.setToolTip(tr("Keep what is set here as a version of your own, for other reels and jobs."))
        self.forget_it = QPushButton(tr("Forget"))
        self.forget_it.clicked.connect(self.forget)
        self.quality = QComboBox()
        self.enlarge = QComboBox()
        self.lines = QComboBox()
        self.square = QCheckBox(tr("Square pixels"))
        self.colours = QComboBox()
        self.rate = QComboBox()
        self.before, self.after = QDoubleSpinBox(), QDoubleSpinBox()
        self.path = QLineEdit()
        self.first = QSpinBox()
        self.last = QSpinBox()
        self.sound = QComboBox()
        self.bits = QComboBox()
        self.dither = QCheckBox(tr("Dither"))
        self.evidence = QCheckBox(tr("Evidence pictures beside it"))
        self.ledger = QCheckBox(tr("Ledger (CSV) beside it"))
        self.overwrite = QCheckBox(tr("Overwrite existing files"))
        for name in NAMED:
            getattr(self, name).setObjectName(f"output_{name}")
        self._fill()
        self._lay_out()
        self.version.currentIndexChanged.connect(self._take)
        self._show_what_applies()
        for box in (self.version, self.quality, self.bits, self.lines, self.enlarge, self.colours, self.rate):
            box.currentIndexChanged.connect(self.changed)
        self.square.toggled.connect(self.changed)
        for number in (self.first, self.last, self.before, self.after):
            number.valueChanged.connect(self.changed)
        self.path.textChanged.connect(self.changed)

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
        if version.own:
            self._show_lines(version.most_lines)
            self._show_enlarged(version.enlarged_lines)
            self._show_rate(version.plays_at)
            for box, value in (
                (self.quality, version.quality), (self.sound, version.sound), (self.bits, version.bits),
                (self.lines, version.most_lines), (self.enlarge, version.enlarged_lines),
                (self.colours, version.colours), (self.rate, version.plays_at),
            ):  # fmt: skip
                box.setCurrentIndex(box.findData(value))
            for tick in ("dither", "evidence", "ledger"):
                getattr(self, tick).setChecked(getattr(version, tick))
            self.square.setChecked(version.square_pixels)
            self.before.setValue(version.black_before_s)
            self.after.setValue(version.black_after_s)
        self._show_what_applies()

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
                label, path, stem, coding_id=coding.id if coding else "", quality=self.quality.currentData(),
                sound=self.sound.currentData(), bits=self.bits.currentData(), dither=self.dither.isChecked(),
                evidence=self.evidence.isChecked(), ledger=self.ledger.isChecked(),
                enlarged_lines=self.enlarged_lines, **self._shape(), **self._playing(),
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

    def _fill(self) -> None:
        self.show_versions()
        for quality in QUALITIES:
            self.quality.addItem(tr(QUALITY_WORDS[quality]), quality)
        self.quality.setCurrentIndex(QUALITIES.index("fine"))
        for sound in get_args(Sound):
            self.sound.addItem(tr(sound), sound)
        self.sound.setToolTip(
            tr(
                "Sound is carried over untouched where the picture plays as long as before. Where it does not: "
                "padded keeps its speed, with silence or a cut at its end; re-timed plays it at another speed, its "
                "pitch with it."
            )
        )
        self.enlarge.addItem(tr("as treated"), None)
        for lines in ENLARGED_LINES:
            self._show_enlarged(lines)
        self.enlarge.setToolTip(
            tr(
                "A version may be larger than the others of the same treatment: its pictures go through “Enlarge” at "
                "the end, whose settings are those of the treatment where it stands there."
            )
        )
        self.lines.addItem(tr("all lines"), None)
        for most in MOST_LINES:
            self._show_lines(most)
        self.lines.setToolTip(tr("Larger pictures are made smaller, evenly across and down; smaller ones stay."))
        self.square.setToolTip(
            tr("For players that take no notice of the shape of pixels: the width follows from the lines.")
        )
        for colours, words in COLOUR_WORDS.items():
            self.colours.addItem(tr(words), colours)
        self.colours.setToolTip(
            tr(
                "High definition has other colours than tape of standard definition: other weights of red, green and "
                "blue in luma, and other primaries. Of an enlarged picture that is delivered as HD, choose BT.709."
            )
        )
        self._show_rate("")
        for rate in RATES:
            self._show_rate(rate)
        self.rate.setToolTip(
            tr(
                "The same pictures, none left out or added, shown so many a second: film of 24 as video of 25, say. "
                "Sound that no longer fits is left out unless you have it padded or re-timed."
            )
        )
        for number, suffix in ((self.before, tr(" s before")), (self.after, tr(" s after"))):
            number.setRange(0.0, LONGEST_BLACK_S)
            number.setDecimals(1)
            number.setSuffix(suffix)
            number.setToolTip(
                tr("Black with silence. A timecode begins as much earlier, so that the pictures keep theirs.")
            )
        self.bits.addItem(tr("as the material"), None)
        for bits in DEPTHS:
            self.bits.addItem(tr("{0} bit", bits), bits)
        self.bits.setToolTip(
            tr(
                "More bits keep what a step that changes whole pictures made between two code values; samples that "
                "nothing changed keep their values."
            )
        )
        self.dither.setToolTip(tr("Round what a step changed with fine noise, so that soft gradients show no steps."))
        for box in (self.version, self.quality, self.sound):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)

    def _lay_out(self) -> None:
        form = self._form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
        form.addRow(tr("Version"), _row(self.version, self.keep_it, self.forget_it))
        form.addRow(tr("Quality"), self.quality)
        self._shape_row = _row(self.lines, self.square, None)
        form.addRow(tr("Enlarged"), self.enlarge)
        form.addRow(tr("Shape"), self._shape_row)
        form.addRow(tr("Colours"), self.colours)
        form.addRow(tr("Rate"), self.rate)
        self._black_row = _row(self.before, self.after, None)
        form.addRow(tr("Black"), self._black_row)
        browse = QPushButton(tr("Choose …"))
        browse.clicked.connect(self._browse)
        form.addRow(tr("Write to"), _row(self.path, browse))
        self.room = QLabel()
        self.room.setObjectName("output_size")
        self.room.setProperty("quiet", True)
        self.room.setWordWrap(True)
        form.addRow(tr("Size"), self.room)
        form.addRow(tr("Frames"), _row(self.first, QLabel(tr("to")), self.last, None))
        form.addRow(tr("Sound"), self.sound)
        self._depth = _row(self.bits, self.dither, None)
        form.addRow(tr("Depth"), self._depth)
        for box in (self.evidence, self.ledger, self.overwrite):
            form.addRow("", box)

    @property
    def chosen(self) -> Version:
        """The version that is chosen."""
        version: Version = self.version.currentData()
        return version

    def _show_what_applies(self) -> None:
        coding, sound_alone = self.chosen.coding, self.chosen.sound_alone
        form = self._form
        form.setRowVisible(self.quality, coding is not None and bool(coding.qualities))
        form.setRowVisible(self.enlarge, not sound_alone)
        for row in (self._shape_row, self.colours, self.rate, self._black_row):
            form.setRowVisible(row, self._with_loss)
        form.setRowVisible(self._depth, not sound_alone and (coding is None or coding.lossless))
        form.setRowVisible(self.sound, sound_alone or coding is not None)
        for box in (self.evidence, self.ledger):
            form.setRowVisible(box, not sound_alone)
        self.forget_it.setVisible(self.chosen.own)

    def _show_enlarged(self, lines: int | None) -> None:
        """A number of lines to which pictures may be enlarged."""
        if self.enlarge.findData(lines) < 0:
            self.enlarge.addItem(tr("to {0} lines", lines), lines)

    @property
    def enlarged_lines(self) -> int | None:
        """The number of lines to which pictures are enlarged; None for as they are."""
        lines: int | None = None if self.chosen.sound_alone else self.enlarge.currentData()
        return lines

    def _show_lines(self, most: int | None) -> None:
        """A number of lines that can be chosen."""
        if self.lines.findData(most) < 0:
            self.lines.addItem(tr("at most {0} lines", most), most)

    def _show_rate(self, rate: str) -> None:
        """A rate that can be chosen."""
        if self.rate.findData(rate) < 0:
            words = tr("{0} frames/s", f"{float(Fraction(rate)):.5g}") if rate else tr("as treated")
            self.rate.addItem(words, rate)

    @property
    def _with_loss(self) -> bool:
        """Whether some of every picture is lost: only then is another shape or rate to be had."""
        return self.chosen.coding is not None and not self.chosen.coding.lossless

    def _playing(self) -> dict[str, Any]:
        """How the output plays; nothing where none is lost."""
        if not self._with_loss:
            return {}
        return {
            "plays_at": self.rate.currentData(), "black_before_s": self.before.value(),
            "black_after_s": self.after.value(),
        }  # fmt: skip

    def _shape(self) -> dict[str, Any]:
        """What becomes of shape and colours of the pictures; nothing where none is lost."""
        if not self._with_loss:
            return {}
        return {
            "square_pixels": self.square.isChecked(), "most_lines": self.lines.currentData(),
            "colours": self.colours.currentData(),
        }  # fmt: skip

    @property
    def shape(self) -> Shape:
        """The same, as pictures are brought into it."""
        return Shape(**self._shape())

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

    def wanted(self, output: Path) -> dict[str, Any]:
        """What the form says, as an order has it, for an output."""
        coding, pictures = self.chosen.coding, not self.chosen.sound_alone
        return {
            "first": self.first.value(), "stop": self.last.value() + 1,
            "evidence": beside(output, "evidence") if pictures and self.evidence.isChecked() else "",
            "ledger": beside(output, "ledger.csv") if pictures and self.ledger.isChecked() else "",
            "overwrite": self.overwrite.isChecked(), "sound": self.sound.currentData(),
            "bits": self.bits.currentData(), "dither": self.dither.isChecked(),
            "coding": coding.id if coding is not None else "", "quality": self.quality.currentData(),
            "enlarged_lines": self.enlarged_lines, **self._shape(), **self._playing(),
        }  # fmt: skip


def _row(*parts: QWidget | None) -> QWidget:
    """Widgets side by side; None for what gives way. The first alone grows where nothing gives way."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    for place, part in enumerate(parts):
        if part is None:
            layout.addStretch(1)
        else:
            layout.addWidget(part, 1 if place == 0 and None not in parts else 0)
    return row
