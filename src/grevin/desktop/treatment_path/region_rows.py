"""The regions of a step on its card: a row for each, with a way to take it out."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from grevin.core.treatment.regions import Region
from grevin.desktop.style import look as style


class RegionRows(QWidget):
    """Emits the regions that are left when one is taken out."""

    changed = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 2, 0, 0)
        self._layout.setSpacing(2)
        self._regions: tuple[Region, ...] = ()
        self.hide()

    def show_regions(self, regions: tuple[Region, ...]) -> None:
        """Show them; nothing where there are none."""
        self.setVisible(bool(regions))
        if regions == self._regions:
            return
        self._regions = regions
        while (item := self._layout.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.setParent(None)
                widget.deleteLater()
        for place, region in enumerate(regions):
            self._layout.addWidget(self._row(place, region))

    def _row(self, place: int, region: Region) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        words = QLabel(region.words)
        words.setProperty("quiet", True)
        words.setWordWrap(True)
        layout.addWidget(words, 1)
        remove = QToolButton()
        remove.setObjectName("remove_region")
        remove.setIcon(style.icon("remove"))
        remove.setIconSize(QSize(12, 12))
        remove.setToolTip("Take this region out (undo brings it back).")
        remove.clicked.connect(partial(self._remove, place))
        layout.addWidget(remove)
        return row

    def _remove(self, place: int, _checked: bool = False) -> None:
        self.changed.emit(self._regions[:place] + self._regions[place + 1 :])
