"""Names by which a screen reader tells widgets apart."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QWidget,
)

from grevin.desktop.texts import tr

# of what has neither words nor a label of its own, by the name of the widget
NAMES = {
    "recent_jobs": "Last jobs", "output_path": "Write to", "output_first": "First frame that is written",
    "output_last": "Last frame that is written", "output_result": "What became of the last output",
    "survey_picture": "Picture", "light_table": "Light table", "intake_picture": "Picture", "marks": "List of marks",
    "shots": "List of shots", "findings": "List of findings", "cells": "Test strip",
    "strip_first": "First value of the test strip",
    "strip_last": "Last value of the test strip", "declare_timecode": "Timecode of the first frame",
    "declare_head": "Frames before the picture begins", "declare_tail": "Frames after the picture ends",
    "frame_field": "Frame", "survey_chart": "Curves of the survey", "treatment_path": "Treatment path",
    "remove": "Take this step out", "pattern": "Pattern of the reels' names", "reels": "Reels of the job",
}  # fmt: skip


def give_name(widget: QWidget) -> None:
    """Give a widget that has none the name of its label, else what its tooltip says first."""
    if widget.accessibleName() or isinstance(widget.window(), QFileDialog):
        return  # Qt names its own dialog, and does not bear that its parts are asked for while it is made
    if isinstance(widget, QAbstractButton) and len(widget.text()) > 1:
        return
    name = tr(NAMES.get(widget.objectName(), "")) or _label_of(widget) or _first_words(widget.toolTip())
    if not name and isinstance(widget, QLineEdit):
        name = widget.placeholderText()
    if not name and isinstance(widget, QScrollArea):
        name = tr("Scrolled part")
    if name:
        widget.setAccessibleName(name)
    if isinstance(widget, QComboBox):
        widget.view().setAccessibleName(name)


def _label_of(widget: QWidget) -> str:
    """Words of the label in front of it."""
    parent = widget.parentWidget()
    layout = parent.layout() if parent is not None else None
    if isinstance(layout, QFormLayout):
        label = layout.labelForField(widget)
        if isinstance(label, QLabel):
            return label.text()
    within = parent.parentWidget() if parent is not None else None
    for place in (parent, within):
        labels = place.findChildren(QLabel) if place is not None else []
        found = next((label.text() for label in labels if label.buddy() is widget), "")
        if found:
            return found
    return ""


def _first_words(tip: str) -> str:
    """The first sentence of a tooltip, without the key."""
    return tip.split("\n")[0].split(" (")[0].split(". ")[0].rstrip(".")
