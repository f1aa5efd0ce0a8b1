"""The bar over the light table: ways of looking and comparing, and the zoom."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QAction, QColor, QIcon, QPixmap
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QMenu, QToolButton, QWidget

from grevin.core.picture.display import CHANNELS
from grevin.desktop.keys import hint
from grevin.desktop.light_table.drawing import Drawing
from grevin.desktop.light_table.view import FIT, ZOOM_STEPS
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import COMPARE_LABELS, COMPUTED, Ways

# Colours for evidence: our violet, and those of Okabe and Ito's colour-blind-safe set (2008) that stand out on film.
EVIDENCE_COLOURS = {
    "violet": style.EVIDENCE, "orange": (230, 159, 0), "sky blue": (86, 180, 233), "bluish green": (0, 158, 115),
    "yellow": (240, 228, 66), "reddish purple": (204, 121, 167),
}  # fmt: skip
GAINS = (1.0, 64.0)
MAKING_ROOM = ("measure", "scopes")  # buttons that give up their words while the gain is shown


class LookingBar(QWidget):
    """Emits what the person wants; shows how one looks."""

    acted = Signal(str)
    held = Signal(bool)
    ways_wanted = Signal(dict)
    colour_wanted = Signal(object)
    zoom_chosen = Signal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._buttons: dict[str, QToolButton] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 3, 6, 3)
        layout.setSpacing(4)
        before = self._button("before", "before", "Before")
        before.pressed.connect(partial(self.held.emit, True))
        before.released.connect(partial(self.held.emit, False))
        layout.addWidget(before)
        self._compare = self._choice(
            "compare", {label: key for key, label in COMPARE_LABELS.items()},
            "How pictures are compared (C wipe, S side by side, Shift+S seam view, Shift+T difference, T taken away).",
        )  # fmt: skip
        self._compare.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._compare.setMinimumContentsLength(6)
        layout.addWidget(self._compare)
        self._gain = QDoubleSpinBox()
        self._gain.setObjectName("gain")
        self._gain.setPrefix(tr("gain "))
        self._gain.setDecimals(0)
        self._gain.setRange(*GAINS)
        self._gain.setKeyboardTracking(False)
        self._gain.setToolTip(tr("How much difference and taken-away view are amplified."))
        self._gain.valueChanged.connect(lambda gain: self.ways_wanted.emit({"gain": gain}))
        layout.addWidget(self._gain)
        self._channel = self._choice(
            "channel", {channel: channel for channel in CHANNELS}, "Which channel is shown (keys 5 to 9, 0 for colour)."
        )
        layout.addWidget(self._channel)
        evidence = self._button("evidence", "evidence", "Evidence", checkable=True)
        evidence.setMenu(self._evidence_menu(evidence))
        evidence.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        layout.addWidget(evidence)
        layout.addStretch(1)
        for act, icon, words_on in (
            ("test_strip", "strip", "Test strip"), ("measure", "measure", "Measure"), ("scopes", "scopes", "Scopes"),
        ):  # fmt: skip
            layout.addWidget(self._button(act, icon, words_on, checkable=True))
        self._zoom = QComboBox()
        self._zoom.setObjectName("zoom")
        self._zoom.setToolTip(tr("Zoom: screen pixels for a picture pixel. The wheel zooms at the pointer."))
        self._zoom.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._zoom.setMinimumContentsLength(5)  # the window has to fit screens of 1280 px
        self._zoom.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._zoom.addItem(tr("fit"), FIT)
        for zoom in ZOOM_STEPS:
            self._zoom.addItem(f"{zoom:.0%}", zoom)
        self._zoom.activated.connect(lambda place: self.zoom_chosen.emit(float(self._zoom.itemData(place))))
        layout.addWidget(self._zoom)

    def _button(self, act: str, icon: str, words: str, checkable: bool = False) -> QToolButton:
        button = QToolButton()
        button.setObjectName(act)
        button.setText(tr(words))
        button.setIcon(style.icon(icon))
        button.setIconSize(QSize(16, 16))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.setToolTip(hint(act))
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.setCheckable(checkable)
        if checkable:
            button.clicked.connect(partial(self._act, act))
        self._buttons[act] = button
        return button

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def _choice(self, name: str, choices: dict[str, str], tip: str) -> QComboBox:
        box = QComboBox()
        box.setObjectName(name)
        box.setToolTip(tr(tip))
        box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for words, value in choices.items():
            box.addItem(tr(words), value)
        box.activated.connect(lambda place: self.ways_wanted.emit({name: box.itemData(place)}))
        return box

    def _evidence_menu(self, parent: QWidget) -> QMenu:
        menu = QMenu(parent)
        for act in ("evidence", "mask"):
            action = QAction(hint(act), menu)
            action.triggered.connect(partial(self._act, act))
            menu.addAction(action)
        menu.addSection(tr("Its colour"))
        for name, colour in EVIDENCE_COLOURS.items():
            swatch = QPixmap(14, 14)
            swatch.fill(QColor(*colour))
            action = QAction(QIcon(swatch), tr(name), menu)
            action.triggered.connect(partial(self._choose_colour, colour))
            menu.addAction(action)
        return menu

    def _choose_colour(self, colour: tuple[int, int, int], _checked: bool = False) -> None:
        self.colour_wanted.emit(colour)

    def show_ways(self, ways: Ways, drawing: Drawing) -> None:
        """Show how one looks, without emitting."""
        for box, value in ((self._compare, ways.compare), (self._channel, ways.channel)):
            box.setCurrentIndex(box.findData(value))
        blocker = QSignalBlocker(self._gain)
        self._gain.setValue(ways.gain)
        blocker.unblock()
        computed = ways.compare in COMPUTED
        if not computed:
            self._gain.hide()
        words = Qt.ToolButtonStyle.ToolButtonIconOnly if computed else Qt.ToolButtonStyle.ToolButtonTextBesideIcon
        for act in MAKING_ROOM:  # before the gain is shown: the window keeps its width
            self._buttons[act].setToolButtonStyle(words)
        self._gain.setVisible(computed)
        self.show_toggle("evidence", drawing.evidence != "off")

    def show_toggle(self, act: str, on: bool) -> None:
        """Set a toggle without emitting."""
        self._buttons[act].setChecked(on)

    def show_zoom(self, zoom: float, scale: float) -> None:
        """Show the zoom: a step of the list, or fit with its scale."""
        self._zoom.setItemText(0, f"fit ({scale:.0%})" if zoom == FIT else "fit")
        self._zoom.setCurrentIndex(max(0, self._zoom.findData(zoom)))
