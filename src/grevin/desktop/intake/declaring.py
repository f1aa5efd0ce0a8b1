"""What was found of the open reel beside what the operator declares; the operator's word overrules."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QLineEdit, QSpinBox, QWidget

from grevin.core.intake.declared import Declared
from grevin.core.intake.found import MATRIX_WORDS, SCAN_WORDS, Fact
from grevin.core.timebase.gauges import FRAMES_PER_FOOT
from grevin.desktop.texts import tr

AS_FOUND = "as found"
# Both conventions for 720 samples, named by what fills the picture's width (common practice).
ASPECTS = (
    ("1:1", "1:1 square"), ("12:11", "12:11 (4:3, 625 lines, 704 wide)"), ("59:54", "59:54 (4:3, 625 lines, 702 wide)"),
    ("16:15", "16:15 (4:3, 625 lines, 720 wide)"), ("16:11", "16:11 (16:9, 625 lines)"),
    ("64:45", "64:45 (16:9, 625 lines, 720 wide)"), ("10:11", "10:11 (4:3, 525 lines, 704 wide)"),
    ("8:9", "8:9 (4:3, 525 lines, 720 wide)"), ("40:33", "40:33 (16:9, 525 lines)"),
    ("32:27", "32:27 (16:9, 525 lines, 720 wide)"),
)  # fmt: skip
RATES = ("16", "50/3", "18", "24000/1001", "24", "25", "30000/1001", "30", "50", "60000/1001", "60")
TURNS = ((0, "upright"), (90, "a quarter turn clockwise"), (180, "half a turn"), (270, "a quarter turn back"))


class Declaring(QWidget):
    """A grid: name, found, measured, declared. Emits {field: value} when the operator declares something."""

    declared = Signal(dict)
    trimmed = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 3)
        self._grid.setColumnStretch(2, 3)
        self._grid.setColumnStretch(3, 2)
        self._lines: list[QLabel] = []
        self._setters: dict[str, Callable[[Declared], None]] = {}
        self.editors: dict[str, QWidget] = self._make_editors()

    def _make_editors(self) -> dict[str, QWidget]:
        editors: dict[str, QWidget] = {
            "pixel_aspect": self._choice("pixel_aspect", [(None, AS_FOUND), *ASPECTS], free=True),
            "rate": self._choice("rate", [(None, AS_FOUND), *((rate, rate) for rate in RATES)], free=True),
            "field_order": self._choice(
                "field_order", [(None, AS_FOUND), *((key, SCAN_WORDS[key]) for key in list(SCAN_WORDS)[:3])]
            ),
            "full_range": self._choice("full_range", [(None, AS_FOUND), (False, "limited"), (True, "full")]),
            "matrix": self._choice("matrix", [(None, AS_FOUND), *MATRIX_WORDS.items()]),
            "timecode": self._line("timecode"),
            "gauge": self._choice("gauge", [(None, "not declared"), *((name, name) for name in FRAMES_PER_FOOT)]),
            "running_speed": self._choice(
                "running_speed", [(None, "not declared"), *((rate, rate) for rate in RATES)], free=True
            ),
            "turn": self._choice("turn", list(TURNS)),
            "flip_sideways": self._check("flip_sideways", "left and right exchanged"),
            "flip_upright": self._check("flip_upright", "top and bottom exchanged"),
            "head": self._number("head"), "tail": self._number("tail"),
        }  # fmt: skip
        return editors

    # Editors: each knows how to show a declaration, and emits its own field

    def _choice(self, field: str, choices: list[tuple[Any, str]], free: bool = False) -> QComboBox:
        box = QComboBox()
        box.setObjectName(f"declare_{field}")
        box.setMinimumContentsLength(12)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setEditable(free)
        for value, words in choices:
            box.addItem(tr(words), value)

        def emit(place: int) -> None:
            self.declared.emit({field: box.itemData(place)})

        def emit_text() -> None:
            text = (box.currentText() or AS_FOUND).strip()
            place = box.findText(text)
            value = box.itemData(place) if place >= 0 else text.split(" ")[0]
            self.declared.emit({field: value})

        def show(declared: Declared) -> None:
            value = getattr(declared, field)
            place = next((row for row in range(box.count()) if box.itemData(row) == value), -1)
            box.setCurrentIndex(place)
            if place < 0:
                box.setEditText(str(value))

        box.activated.connect(emit)
        line = box.lineEdit()
        if line is not None:
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
            line.returnPressed.connect(emit_text)
        self._setters[field] = show
        return box

    def _line(self, field: str) -> QLineEdit:
        line = QLineEdit()
        line.setObjectName(f"declare_{field}")
        line.setPlaceholderText(tr(AS_FOUND))
        line.editingFinished.connect(lambda: self.declared.emit({field: line.text().strip() or None}))
        self._setters[field] = lambda declared: line.setText(getattr(declared, field) or "")
        return line

    def _check(self, field: str, words: str) -> QCheckBox:
        box = QCheckBox(tr(words))
        box.setObjectName(f"declare_{field}")
        box.toggled.connect(lambda on: self.declared.emit({field: on}))
        self._setters[field] = lambda declared: box.setChecked(getattr(declared, field))
        return box

    def _number(self, field: str) -> QSpinBox:
        box = QSpinBox()
        box.setObjectName(f"declare_{field}")
        box.setKeyboardTracking(False)
        box.setSuffix(tr(" frames"))
        box.setRange(0, 10_000_000)
        box.valueChanged.connect(lambda value: self.declared.emit({field: value}))
        self._setters[field] = lambda declared: box.setValue(getattr(declared, field))
        return box

    # Showing

    def show_declared(self, declared: Declared) -> None:
        """Show the operator's word without emitting."""
        for field, editor in self.editors.items():
            blocker = QSignalBlocker(editor)
            self._setters[field](declared)
            blocker.unblock()

    def show_facts(self, facts: list[Fact], length: int) -> None:
        """Lay out what was found, with the editors beside what they overrule."""
        for label in self._lines:
            label.deleteLater()
        self._lines = []
        for column, words in enumerate(("", "what was found", "what the picture shows", "declared by you")):
            self._put(words, 0, column, quiet=True)
        row = 1
        for fact in facts:
            self._put(fact.name, row, 0)
            self._put(fact.found, row, 1)
            self._put(fact.measured, row, 2)
            if fact.field in self.editors:
                self._grid.addWidget(self.editors[fact.field], row, 3)
            row += 1
        for name, field, words in (
            ("Gauge", "gauge", "for counting feet and frames"),
            ("Running speed", "running_speed", "of the film itself"),
            ("Turned", "turn", "set upright, sample for sample"), ("Flipped", "flip_sideways", ""),
            ("", "flip_upright", ""), ("Trimmed at the head", "head", "frames before the picture begins"),
            ("Trimmed at the tail", "tail", "frames after it ends"),
        ):  # fmt: skip
            self._put(name, row, 0)
            self._put(words, row, 1, quiet=True, span=2)
            self._grid.addWidget(self.editors[field], row, 3)
            row += 1
        for field in ("head", "tail"):
            box = self.editors[field]
            assert isinstance(box, QSpinBox)
            blocker = QSignalBlocker(box)
            box.setMaximum(max(0, length - 1))
            blocker.unblock()

    def _put(self, words: str, row: int, column: int, quiet: bool = False, span: int = 1) -> None:
        if not words:
            return
        label = QLabel(tr(words))
        label.setWordWrap(column > 0)
        label.setProperty("quiet", quiet or column == 0)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        label.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._grid.addWidget(label, row, column, 1, span)
        self._lines.append(label)
