"""Texts of the window: all of them pass through one call, so that a language is a file."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree as ET

import pytest
from PySide6.QtCore import QCoreApplication, QLocale, QTranslator
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QWidget
from pytestqt.qtbot import QtBot

from grevin.desktop import texts
from grevin.desktop.texts import CONTEXT, tr, tr_count
from grevin.desktop.window import Window
from tests.desktop.conftest import settle

TOOL = Path(__file__).parents[2] / "tools" / "write_texts.py"
# what a reel is called, what was found in it, where it lies: nothing that could be translated
OWN = re.compile(r"^(dirty.*|/.*|\d.*|PE-.*|BT\.\d+|none|matroska.*|fit.*|[RGBYC]'?.*\d.*)$", re.DOTALL)
FROM_THE_CORE = {"condition", "proposal", "doubts", "output_result"}


class Bracketed(QTranslator):
    """A language in which every text stands in brackets."""

    def translate(self, context: str, text: str, _more: str = "", _count: int = -1) -> str:  # type: ignore[override]
        return f"«{text}»" if context == CONTEXT else ""

    def isEmpty(self) -> bool:  # noqa: N802
        return False


def shown(widget: QWidget) -> list[str]:
    said = [widget.toolTip(), widget.windowTitle(), widget.accessibleName()]
    if isinstance(widget, QLabel | QAbstractButton):
        said.append(widget.text())
    if isinstance(widget, QComboBox):
        said += [widget.itemText(place) for place in range(widget.count())]
    return said


def test_every_text_of_the_window_passes_through_the_call(
    qtbot: QtBot, qapp: QApplication, new_window, dirty_reel: Path
) -> None:  # fmt: skip
    language = Bracketed(qapp)
    qapp.installTranslator(language)
    try:
        window: Window = new_window(dirty_reel)
        for step in ("pick", "repeats", "fields", "rebuild", "dirt", "reframe", "sidefill"):
            window.session.add_step(step)
        settle(qtbot, window)
        for place in window.parts.places:
            window.do(place)
            settle(qtbot, window)
            for widget in window.findChildren(QWidget):
                if widget.isVisible() and widget.objectName() not in FROM_THE_CORE:
                    untold = [text for text in shown(widget) if wants_language(text)]
                    assert untold == [], (type(widget).__name__, widget.objectName(), place)
        entries = [action.text() for action in window.findChildren(QAction) if wants_language(action.text())]
        assert entries == []
    finally:
        qapp.removeTranslator(language)


def wants_language(text: str) -> bool:
    return any(letter.isalpha() for letter in text) and "«" not in text and not OWN.match(text)


def test_a_language_is_added_by_a_file(qapp: QApplication, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "languages"
    folder.mkdir()
    source = folder / "grevin_cy.ts"
    run = subprocess.run([sys.executable, str(TOOL), str(source)], capture_output=True, text=True, check=True)
    assert int(run.stdout.split()[0]) > 600
    tree = ET.parse(source)
    for message in tree.iter("message"):
        translation = message.find("translation")
        if message.findtext("source") == "Play or stop":
            translation.text = "Chwarae neu stopio"
            del translation.attrib["type"]
        if message.findtext("source") == "{0} regions copied.":
            for child in list(translation):
                translation.remove(child)
            for form in range(6):
                ET.SubElement(translation, "numerusform").text = f"{{0}} form {form}"
            del translation.attrib["type"]
    tree.write(source, "utf-8")
    again = subprocess.run([sys.executable, str(TOOL), str(source)], capture_output=True, text=True, check=True)
    assert int(again.stdout.split()[0]) == int(run.stdout.split()[0]) - 2, "what is translated is kept"
    subprocess.run(
        [str(Path(sys.executable).parent / "pyside6-lrelease"), str(source)], capture_output=True, check=True
    )
    monkeypatch.setattr(texts, "folders", lambda: (folder,))
    assert tr("Play or stop") == "Play or stop"
    before = len(qapp.findChildren(QTranslator))
    assert texts.put_on(qapp, QLocale("cy_GB"))
    try:
        assert tr("Play or stop") == "Chwarae neu stopio"
        assert tr("Mark here") == "Mark here", "what is not translated stays English"
        told = {count: tr_count("{0} region copied.", "{0} regions copied.", count) for count in (0, 1, 2, 6, 7)}
        assert len({text.split()[-1] for text in told.values()}) == 5, "the forms of that language's plural"
        assert told[7].startswith("7 ")
    finally:
        for translator in qapp.findChildren(QTranslator)[before:]:
            QCoreApplication.removeTranslator(translator)
    assert not texts.put_on(qapp, QLocale("is_IS"))
    assert tr_count("{0} region copied.", "{0} regions copied.", 1) == "1 region copied."
    assert tr_count("{0} region copied.", "{0} regions copied.", 2) == "2 regions copied."
