"""Intake: the reels of the job, what each really is, and setting it upright."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from grevin.core.intake.declared import Declared
from grevin.core.intake.examination import contradictions
from grevin.core.intake.found import facts
from grevin.desktop.intake.declaring import Declaring
from grevin.desktop.intake.reels_list import ReelsList
from grevin.desktop.light_table.drawing import Drawing
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look, Ways

SHOWN_FINDINGS = 4
QUARTER = 90
IN_A_ROW = 3  # buttons
LIST_HEIGHT = 150


class Intake(QWidget):
    """The place where material is taken in."""

    reel_wanted = Signal(int)
    acted = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._outdated = False
        self.reels = ReelsList()
        self.declaring = Declaring()
        self.table = LightTable()
        self.table.setObjectName("intake_picture")
        self.table.show_ways(Ways(), Drawing(before=True))  # what comes in, not what was made of it
        self.doubts = QLabel()
        self.doubts.setObjectName("doubts")
        self.doubts.setWordWrap(True)
        self.doubts.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(self.doubts)
        column.addWidget(self.declaring)
        column.addStretch(1)
        scroll.setWidget(inner)
        left = QSplitter(Qt.Orientation.Vertical)
        left.addWidget(self.reels)
        left.addWidget(scroll)
        left.setStretchFactor(0, 0)
        left.setStretchFactor(1, 1)
        left.setSizes([LIST_HEIGHT, 4 * LIST_HEIGHT])
        right = QVBoxLayout()
        right.addWidget(self.table, 1)
        right.addLayout(self._buttons())
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 8, 8, 8)
        layout.addWidget(left, 7)
        layout.addLayout(right, 5)

    def _buttons(self) -> QGridLayout:
        grid = QGridLayout()
        for place, (name, icon, words, tip) in enumerate(
            (
                ("turn", "turn", "Turn", "A quarter turn clockwise, sample for sample."),
                ("flip_sideways", "flip", "Flip horizontally", "Exchange left and right."),
                ("flip_upright", "flip_upright", "Flip vertically", "Exchange top and bottom."),
                ("head", "shot_back", "Trim head here", "Leave out everything before the present frame."),
                ("tail", "shot_forward", "Trim tail here", "Leave out everything after the present frame."),
            )
        ):
            button = QPushButton(style.icon(icon), tr(words))
            button.setObjectName(f"do_{name}")
            button.setIconSize(QSize(14, 14))
            button.setToolTip(tr("{0} The file is not touched; undo takes it back.", tip))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(partial(self._set, name))
            grid.addWidget(button, place // IN_A_ROW, place % IN_A_ROW)
        return grid

    def _connect(self) -> None:
        session = self._session
        session.reels_changed.connect(self._show_reels)
        for signal in (session.reel_opened, session.declared_changed, session.reel_grew, session.findings_changed):
            signal.connect(self._show_facts)
        self.declaring.declared.connect(lambda values: session.declare(**values))
        self.reels.reel_wanted.connect(self.reel_wanted)
        self.reels.renamed.connect(session.rename_reel)
        self.reels.named.connect(session.name_reels)
        self.reels.removed.connect(session.remove_reel)
        self.reels.acted.connect(self.acted)

    def show_look(self, look: Look) -> None:
        """The picture of the present frame."""
        self.table.show_look(look)

    def show_missing(self, words: str) -> None:
        """The present frame cannot be read."""
        self.table.show_missing(words)

    def _set(self, name: str, _checked: bool = False) -> None:
        entry, frame = self._session.entry, self._session.place.frame
        if entry is None:
            return
        declared = entry.declared
        value = {
            "turn": (declared.turn + QUARTER) % 360, "flip_sideways": not declared.flip_sideways,
            "flip_upright": not declared.flip_upright, "head": frame, "tail": self._session.length - 1 - frame,
        }[name]  # fmt: skip
        self._session.declare(**{name: value})

    def _show_reels(self) -> None:
        self.reels.show_reels(self._session.document.reels, self._session.reel_index)

    def showEvent(self, event: QShowEvent) -> None:
        """Show what became known while another place was in sight."""
        super().showEvent(event)
        if self._outdated:
            self._show_facts()

    def _show_facts(self) -> None:
        session = self._session
        self._outdated = not self.isVisible()
        if session.reel is None or self._outdated:
            return
        declared = session.entry.declared if session.entry is not None else Declared()
        self.declaring.show_facts(facts(session.reel.reader, session.examined, declared), session.length)
        self.declaring.show_declared(declared)
        sentences = [*contradictions(session.reel.format, session.examined), *session.reel.notes]
        lost = list(session.unreadable.values())
        sentences += lost[:SHOWN_FINDINGS]
        if len(lost) > SHOWN_FINDINGS:
            sentences.append(f"{len(lost)} frames in all cannot be read; the reel column marks them with a cross.")
        if session.examined is None:
            sentences.append("The picture is still being examined …")
        self.doubts.setText("\n".join(f"•  {words}" for words in sentences) or tr("No contradictions found."))
