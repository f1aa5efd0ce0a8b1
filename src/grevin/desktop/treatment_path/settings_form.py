"""A form made from a settings model: labels, ranges, units and tooltips come from the declaration."""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import partial
from typing import Any, Literal, get_args, get_origin

from PySide6.QtCore import QSignalBlocker, QSize, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QSpinBox,
    QToolButton,
    QWidget,
)

from grevin.core.errors import SettingsError
from grevin.core.steps.settings import (
    Settings,
    is_list,
    is_numbers,
    is_rare,
    learned_names,
    matters,
    numbers_from,
    numbers_text,
    typed_item,
)
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.drawn_rows import DrawnRows

MARK = QSize(18, 20)
LABEL_WIDTH = 118  # px; longer ones take two lines
LEAST_WIDTH = 84  # px, of a number


class SettingsForm(QWidget):
    """One control per setting; emits {name: value} when the person changes one."""

    changed = Signal(dict)
    key_wanted = Signal(str, bool)

    def __init__(self, model: type[Settings], timed: bool = False, parent: QWidget | None = None) -> None:
        """Make the form.

        Args:
            model: of the settings.
            timed: whether its numbers may change over time.
            parent: the widget around it.
        """
        super().__init__(parent)
        self._timed = timed
        self._whole_shot = learned_names(model)
        self._keys: dict[str, QToolButton] = {}
        self._holders: dict[str, QWidget] = {}
        self._controls: dict[str, QWidget] = {}
        self.touched = ""
        layout = QFormLayout(self)
        self._rows = layout
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setVerticalSpacing(4)
        for name, field in model.model_fields.items():
            extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
            control = self._control(name, field.annotation, extra)
            control.setObjectName(name)
            tip = f"{tr(field.description or name)} ({name})"
            control.setToolTip(tip)
            label = QLabel(tr(field.title or name))
            label.setToolTip(tip)
            label.setWordWrap(True)
            label.setMinimumWidth(min(LABEL_WIDTH, label.fontMetrics().horizontalAdvance(label.text())))
            label.setBuddy(control)
            control.setAccessibleName(tr(field.title or name))
            self._controls[name] = control
            self._holders[name] = self._with_key(name, tr(field.title or name), control)
            layout.addRow(label, self._holders[name])
        self._model = model
        self._rare = {name for name in model.model_fields if is_rare(model, name)}
        self._shown: Settings | None = None
        self._more = QToolButton(self)
        self._more.hide()
        self._more.setObjectName("more_settings")
        self._more.setText(tr("More settings"))
        self._more.setCheckable(True)
        self._more.setToolTip(
            tr("Settings that are seldom changed; those that differ from the defaults are always shown.")
        )
        self._more.toggled.connect(self._show_rows)
        if self._rare:
            layout.addRow("", self._more)
            self._more.show()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Give words that need two lines the height for them: the layout does so only beside tall fields."""
        super().resizeEvent(event)
        for holder in self._holders.values():
            label = self._rows.labelForField(holder)
            if label is not None:
                label.setMinimumHeight(label.heightForWidth(label.width()))

    def _control(self, name: str, annotation: Any, extra: dict[str, Any]) -> QWidget:
        emit = partial(self._emit, name)
        if get_origin(annotation) is Literal:
            box = QComboBox()
            box.setSizePolicy(
                QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed
            )  # the list opens as wide as it needs
            box.setMinimumWidth(LEAST_WIDTH)
            for choice in get_args(annotation):
                box.addItem(tr(str(extra["words"].get(choice, choice))), choice)
            box.currentIndexChanged.connect(lambda _place: emit(box.currentData()))
            return box
        if annotation is bool:
            check = QCheckBox()
            check.toggled.connect(emit)
            return check
        if (item := typed_item(annotation)) is not None:
            line = QLineEdit()
            line.setPlaceholderText(" ".join(item.model_fields) + "; …")
            line.editingFinished.connect(partial(self._emit_typed, name, line, item.typed))
            line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            line.setMinimumWidth(LEAST_WIDTH)
            return line
        if is_list(annotation) and not is_numbers(annotation):
            rows = DrawnRows(tr("none drawn"))
            rows.changed.connect(emit)
            return rows
        if is_numbers(annotation):
            field = QLineEdit()
            field.setPlaceholderText(tr("such as 12, 13, 40-44"))
            field.editingFinished.connect(partial(self._emit_typed, name, field, numbers_from))
            return field
        spin: QSpinBox | QDoubleSpinBox
        if annotation is int:
            spin = QSpinBox()
            spin.setRange(int(extra["low"]), int(extra["high"]))
            spin.setSingleStep(int(extra["step"]))
        else:
            spin = QDoubleSpinBox()
            spin.setDecimals(int(extra["decimals"]))
            spin.setRange(float(extra["low"]), float(extra["high"]))
            spin.setSingleStep(float(extra["step"]))
        if extra["unit"]:
            spin.setSuffix(f" {tr(extra['unit'])}")
        if extra["lowest"]:
            spin.setSpecialValueText(tr(str(extra["lowest"])))
        spin.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        spin.setMinimumWidth(LEAST_WIDTH)
        spin.setKeyboardTracking(False)
        spin.valueChanged.connect(emit)
        return spin

    def _with_key(self, name: str, label: str, control: QWidget) -> QWidget:
        """A number with the mark beside it that sets a key frame."""
        if not self._timed or name in self._whole_shot or not isinstance(control, QSpinBox | QDoubleSpinBox):
            return control
        mark = QToolButton()
        mark.setObjectName(f"key_{name}")
        mark.setCheckable(True)
        mark.setIcon(style.icon("key"))
        mark.setIconSize(QSize(12, 12))
        mark.setAutoRaise(True)
        mark.setFixedSize(MARK)
        mark.setToolTip(tr("Key frame: the value holds on this frame and changes evenly to the next key frame."))
        mark.setAccessibleName(tr("Key frame: {0}", label))
        mark.clicked.connect(partial(self._want_key, name, mark))
        self._keys[name] = mark
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(control, 1)
        row.addWidget(mark)
        return holder

    def _want_key(self, name: str, mark: QToolButton) -> None:
        self.key_wanted.emit(name, mark.isChecked())

    def show_keys(self, here: Collection[str], somewhere: Collection[str]) -> None:
        """Which settings have a key frame on this frame, and which change over time at all."""
        for name, mark in self._keys.items():
            mark.setChecked(name in here)
            mark.setIcon(style.icon("key_on" if name in somewhere else "key"))

    def focused(self) -> str:
        """The setting that has the keys, else the one changed last; "" for none."""
        focus = self.focusWidget()
        return next((name for name, control in self._controls.items() if control is focus), self.touched)

    def _emit(self, name: str, value: object) -> None:
        self.touched = name
        self.changed.emit({name: value})

    def _emit_typed(self, name: str, field: QLineEdit, read: Callable[[str], object]) -> None:
        """A list that cannot be read is handed on as it was typed: the settings say what is wrong with it."""
        try:
            self._emit(name, read(field.text()))
        except SettingsError as fault:
            field.setToolTip(f"{fault.what} {fault.hint}")
            self._emit(name, field.text())

    def drawn(self, name: str, points: list[tuple[float, float]]) -> dict[str, Any]:
        """A list of typed things whose first two numbers were drawn, each with the rest of what lay nearest to it."""
        field = self._model.model_fields[name]
        item = typed_item(field.annotation)
        assert item is not None
        first, second = list(item.model_fields)[:2]
        old = [one.model_dump() for one in getattr(self._shown, name)]
        things = []
        for place, value in points:
            nearest: dict[str, float] = min(old, key=lambda one: abs(one[first] - place), default={})
            things.append({**nearest, first: place, second: value})
        return {name: tuple(things)}

    def show_values(self, settings: Settings) -> None:
        """Set the controls without emitting."""
        for name, control in self._controls.items():
            value = getattr(settings, name)
            blocker = QSignalBlocker(control)
            if isinstance(control, QComboBox):
                control.setCurrentIndex(control.findData(value))
            elif isinstance(control, QCheckBox):
                control.setChecked(bool(value))
            elif isinstance(control, DrawnRows):
                control.show_things(value)
            elif isinstance(control, QLineEdit):
                control.setText(_typed_text(value))
            elif isinstance(control, QSpinBox | QDoubleSpinBox):
                control.setValue(value)
            blocker.unblock()
        self._shown = settings
        self._show_rows()

    def _show_rows(self, _more: bool = False) -> None:
        """Only settings that have a say; those seldom changed where they are asked for, or changed."""
        settings = self._shown
        if settings is None:
            return
        for name, field in self._model.model_fields.items():
            folded = name in self._rare and not self._more.isChecked() and getattr(settings, name) == field.default
            self._rows.setRowVisible(self._holders[name], matters(settings, name) and not folded)


def _typed_text(values: tuple[Any, ...]) -> str:
    """A list as it is typed."""
    return (
        numbers_text(values) if all(isinstance(value, int) for value in values) else "; ".join(v.words for v in values)
    )
