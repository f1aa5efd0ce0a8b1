"""Help: the page of keys, generated from the list of keys."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from grevin.desktop.keys import page
from grevin.desktop.steps.desks import every_key


class KeysPage(QDialog):
    """A window that may stay open beside the work."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(460, 620)
        text = QTextBrowser()
        text.setHtml(page(every_key()))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.addWidget(text)
