"""What was measured in the box: place, size, values per channel; and a way into a setting."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Literal

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from grevin.core.measure.area import Box, Reading
from grevin.core.picture.format import PictureFormat
from grevin.core.treatment.recipe import TreatmentStep
from grevin.desktop.measuring.sending import Offer, offers
from grevin.desktop.texts import tr

Use = Literal["protect", "only"]


@dataclass(frozen=True)
class RegionWanted:
    """What is to be made of the box.

    Attributes:
        use: leave its inside alone, or act only there.
        this_frame: on the present frame only, not on every frame.
    """

    use: Use
    this_frame: bool


class MeasuringPanel(QWidget):
    """Shows a box; emits {setting: value} when a measured value is to be taken over."""

    sent = Signal(dict)
    cleared = Signal()
    region_wanted = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("measuring_panel")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 4, 8, 4)
        layout.setSpacing(3)
        head = QHBoxLayout()
        title = QLabel(tr("Measured"))
        title.setProperty("title", True)
        head.addWidget(title, 1)
        clear = QPushButton(tr("Take the box away"))
        clear.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        clear.clicked.connect(self.cleared)
        head.addWidget(clear)
        layout.addLayout(head)
        self.words = QLabel()
        self.words.setObjectName("measured")
        self.words.setTextFormat(Qt.TextFormat.RichText)
        layout.addWidget(self.words)
        row = QHBoxLayout()
        self.offered = QComboBox()
        self.offered.setObjectName("offers")
        self.offered.setToolTip(tr("A measured value and the setting of the selected step that could take it."))
        self.send = QPushButton(tr("Send"))
        self.send.setObjectName("send")
        self.send.setToolTip(tr("Give the setting the measured value."))
        self.send.clicked.connect(self._send)
        row.addWidget(self.offered, 1)
        row.addWidget(self.send)
        layout.addLayout(row)
        layout.addLayout(self._region_row())

    def add(self, row: QWidget) -> None:
        """One more row at the end."""
        layout = self.layout()
        assert layout is not None
        layout.addWidget(row)

    def _region_row(self) -> QHBoxLayout:
        """A region of the selected step out of the box."""
        row = QHBoxLayout()
        self.run = QComboBox()
        self.run.setObjectName("region_run")
        self.run.addItem(tr("every frame"), False)
        self.run.addItem(tr("this frame"), True)
        self.run.setToolTip(tr("On which frames the region holds."))
        self.protect, self.only = QPushButton(tr("Leave alone")), QPushButton(tr("Only here"))
        self.protect.setToolTip(tr("The selected step leaves the inside of the box alone."))
        self.only.setToolTip(tr("The selected step leaves everything outside the box alone."))
        uses: tuple[tuple[QPushButton, Use], ...] = ((self.protect, "protect"), (self.only, "only"))
        for button, use in uses:
            button.setObjectName(f"region_{use}")
            button.clicked.connect(partial(self._want_region, use))
            row.addWidget(button)
        row.addWidget(self.run, 1)
        return row

    def _want_region(self, use: Use, _checked: bool = False) -> None:
        self.region_wanted.emit(RegionWanted(use, bool(self.run.currentData())))

    def show_box(
        self, box: Box | None, readings: tuple[Reading, ...], fmt: PictureFormat | None, step: TreatmentStep | None
    ) -> None:
        """Show a measured box, and what of it the selected step could take."""
        self.offered.clear()
        if box is None or fmt is None:
            self.words.setText(tr("Drag a box over the light table."))
        else:
            self.words.setText(_table(box, readings))
            for offer in offers(box, fmt, step):
                self.offered.addItem(offer.words, offer)
        self.offered.setVisible(self.offered.count() > 0)
        self.send.setVisible(self.offered.count() > 0)
        for part in (self.protect, self.only, self.run):
            part.setVisible(box is not None and step is not None)

    def _send(self) -> None:
        offer = self.offered.currentData()
        if isinstance(offer, Offer):
            self.sent.emit({offer.setting: offer.value})


def _table(box: Box, readings: tuple[Reading, ...]) -> str:
    rows = "".join(
        f"<tr><td>{r.channel}</td><td align=right>{r.mean:.1f}</td><td align=right>{r.percent:.1f} %</td>"
        f"<td align=right>{r.spread:.2f}</td><td align=right>{r.low:.5g} to {r.high:.5g}</td></tr>"
        for r in readings
    )
    heads = "".join(f"<td align=right>{name}</td>" for name in ("mean", "", "spread", "codes"))
    return (
        f"<b>{box.width} x {box.height} px</b> at x {box.x}, y {box.y}"
        f"<table cellspacing=0 cellpadding=2><tr><td></td>{heads}</tr>{rows}</table>"
    )
