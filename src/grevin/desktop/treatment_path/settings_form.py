"""A form made from a settings model: labels, ranges, units and tooltips come from the declaration."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, Literal, get_args, get_origin

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QSpinBox,
    QWidget,
)

from grevin.core.errors import SettingsError
from grevin.core.steps.settings import Settings, is_list, is_numbers, matters, numbers_from, numbers_text, typed_item
from grevin.desktop.treatment_path.drawn_rows import DrawnRows


class SettingsForm(QWidget):
    """One control per setting; emits {name: value} when the person changes one."""

    changed = Signal(dict)

    def __init__(self, model: type[Settings], parent: QWidget | None = None) -> None:
        super().__init__(parent)
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
            tip = f"{field.description} ({name})"
            control.setToolTip(tip)
            label = QLabel(field.title or name)
            label.setToolTip(tip)
            label.setBuddy(control)
            layout.addRow(label, control)
            self._controls[name] = control

    def _control(self, name: str, annotation: Any, extra: dict[str, Any]) -> QWidget:
        emit = partial(self._emit, name)
        if get_origin(annotation) is Literal:
            box = QComboBox()
            box.addItems([str(choice) for choice in get_args(annotation)])
            box.currentTextChanged.connect(emit)
            return box
        if annotation is bool:
            check = QCheckBox()
            check.toggled.connect(emit)
            return check
        if (item := typed_item(annotation)) is not None:
            line = QLineEdit()
            line.setPlaceholderText(" ".join(item.model_fields) + "; …")
            line.editingFinished.connect(partial(self._emit_typed, name, line, item.typed))
            return line
        if is_list(annotation) and not is_numbers(annotation):
            rows = DrawnRows("none drawn")
            rows.changed.connect(emit)
            return rows
        if is_numbers(annotation):
            field = QLineEdit()
            field.setPlaceholderText("such as 12, 13, 40-44")
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
            spin.setSuffix(f" {extra['unit']}")
        spin.setKeyboardTracking(False)
        spin.valueChanged.connect(emit)
        return spin

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

    def show_values(self, settings: Settings) -> None:
        """Set the controls without emitting."""
        for name, control in self._controls.items():
            value = getattr(settings, name)
            blocker = QSignalBlocker(control)
            if isinstance(control, QComboBox):
                control.setCurrentText(str(value))
            elif isinstance(control, QCheckBox):
                control.setChecked(bool(value))
            elif isinstance(control, DrawnRows):
                control.show_things(value)
            elif isinstance(control, QLineEdit):
                control.setText(_typed_text(value))
            elif isinstance(control, QSpinBox | QDoubleSpinBox):
                control.setValue(value)
            blocker.unblock()
            self._rows.setRowVisible(control, matters(settings, name))


def _typed_text(values: tuple[Any, ...]) -> str:
    """A list as it is typed."""
    return (
        numbers_text(values) if all(isinstance(value, int) for value in values) else "; ".join(v.words for v in values)
    )
