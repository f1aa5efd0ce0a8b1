"""The treatment path: source, then a card for each step, top to bottom, with the view point at its side."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.over_time import FAMILIES, is_keyed, settings_at
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.desktop.regions.panel import RegionsPanel
from grevin.desktop.steps.desks import desk_of
from grevin.desktop.steps.panel import DeskPanel
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.chooser import Chooser
from grevin.desktop.treatment_path.over_time_panel import OverTimePanel
from grevin.desktop.treatment_path.settings_form import SettingsForm
from grevin.desktop.treatment_path.shot_chart import ShotChart
from grevin.desktop.work.looks import ShotLook

RAIL_WIDTH = 22
PATH_WIDTH = 306
NODE_Y = 16
DRAG_PX = 14  # a shorter way is a click


class Rail(QWidget):
    """The piece of the path beside a card: a line with a node; a click looks from here."""

    chosen = Signal()

    def __init__(self, place: int, last: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(RAIL_WIDTH)
        self._first = place == 0
        self._last = last
        self._here = False
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(tr("Look at the picture from this place of the path (W and R move the view point)."))

    def show_here(self, here: bool) -> None:
        """Whether the view point is at this node."""
        self._here = here
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = RAIL_WIDTH / 2
        painter.setPen(QPen(style.QUIET, 2))
        painter.drawLine(QPointF(x, NODE_Y if self._first else 0), QPointF(x, NODE_Y if self._last else self.height()))
        painter.setPen(QPen(style.ACCENT if self._here else style.QUIET, 2))
        painter.setBrush(style.ACCENT if self._here else style.SURFACE)
        painter.drawEllipse(QPointF(x, NODE_Y), 5.5, 5.5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit()


class Card(QFrame):
    """One step: name, whether it acts, a line of facts; unfolds its settings when selected."""

    selected = Signal()
    removed = Signal()
    switched = Signal(bool)
    changed = Signal(dict)
    over_time_changed = Signal(object)
    key_wanted = Signal(str, bool)
    acted = Signal(str)
    dropped = Signal(float)

    def __init__(self, step: TreatmentStep, place: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._pressed: float | None = None  # where on the screen the pointer went down
        self.setToolTip(tr("Drag the card to move the step (Alt+PgUp and Alt+PgDown)."))
        kind = step_by_id(step.step)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 5, 8, 6)
        layout.setSpacing(3)
        head = QHBoxLayout()
        title = QLabel(f"{place}. {tr(kind.label)}")
        title.setProperty("title", True)
        head.addWidget(title, 1)
        self._acts = QCheckBox(tr("on"))
        self._acts.setObjectName("acts")
        self._acts.setToolTip(tr("Switched off, the picture passes this step unchanged."))
        self._acts.toggled.connect(self.switched)
        head.addWidget(self._acts)
        remove = QToolButton()
        remove.setIcon(style.icon("remove"))
        remove.setIconSize(QSize(12, 12))
        remove.setObjectName("remove")
        remove.setToolTip(tr("Take this step out of the treatment (undo brings it back)."))
        remove.clicked.connect(self.removed)
        head.addWidget(remove)
        layout.addLayout(head)
        self._facts = QLabel()
        self._facts.setProperty("quiet", True)
        self._facts.setWordWrap(True)
        layout.addWidget(self._facts)
        self.chart = ShotChart()
        self.chart.acted.connect(self.acted)
        self.chart.drawn.connect(self._take_drawn)
        layout.addWidget(self.chart)
        self._form = SettingsForm(kind.settings_model, timed=kind.family in FAMILIES)
        self._form.key_wanted.connect(self.key_wanted)
        self._form.changed.connect(self.changed)
        layout.addWidget(self._form)
        desk = desk_of(step.step)
        self._desk = DeskPanel(desk.keys if desk is not None else ())
        self._desk.acted.connect(self.acted)
        layout.addWidget(self._desk)
        self._keys = desk.keys if desk is not None else ()
        self.panel = desk.panel() if desk is not None and desk.panel is not None else None
        if self.panel is not None:
            layout.addWidget(self.panel)
        self.regions = RegionsPanel(callable(getattr(kind, "learn", None))) if kind.family != "shape" else None
        if self.regions is not None:
            self.regions.acted.connect(self.acted)
            layout.addWidget(self.regions)
        fields = kind.settings_model.model_fields
        self._over_time = OverTimePanel({name: field.title or name for name, field in fields.items()})
        self._over_time.changed.connect(self.over_time_changed)
        layout.addWidget(self._over_time)

    def show_step(self, step: TreatmentStep, unfolded: bool, looked: bool, frame: int) -> None:
        """Show the step's state, with the values on a frame of the reel."""
        self._acts.blockSignals(True)
        self._acts.setChecked(step.enabled)
        self._acts.blockSignals(False)
        kind = step_by_id(step.step)
        self._form.show_values(settings_at(kind.settings_model, step.settings, step.over_time, frame, step.step))
        changing = {one.setting for one in step.over_time}
        self._form.show_keys({name for name in changing if is_keyed(step.over_time, name, frame)}, changing)
        self._form.setVisible(unfolded)
        self._desk.setVisible(unfolded and bool(self._keys))
        if self.panel is not None:
            self.panel.setVisible(unfolded)
        if self.regions is not None:
            self.regions.setVisible(unfolded)
        self._over_time.show_changes(step.over_time if unfolded else (), frame)
        if self.property("looked") != looked:
            self.setProperty("looked", looked)
            self.style().unpolish(self)
            self.style().polish(self)

    def _take_drawn(self, name: str, points: list[tuple[float, float]]) -> None:
        self.changed.emit(self._form.drawn(name, points))

    def show_held(self, held: Callable[[str], bool]) -> None:
        """Which tools are in hand."""
        for key in self._keys:
            if key.holds_tool:
                self._desk.show_held(key.act, held(key.act))

    def focused_setting(self) -> str:
        """The setting worked on last, "" for none."""
        return self._form.focused()

    def show_facts(self, words: str) -> None:
        """A line about the present frame."""
        self._facts.setText(words)
        self._facts.setVisible(bool(words))
        self._facts.setMinimumHeight(self._facts.heightForWidth(self._facts.width()) if words else 0)
        self.updateGeometry()  # a sentence over several lines needs its height

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = event.globalPosition().y()
        self.selected.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and abs(event.globalPosition().y() - self._pressed) > DRAG_PX:
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, self._pressed = self._pressed, None
        self.unsetCursor()
        if pressed is not None and abs(event.globalPosition().y() - pressed) > DRAG_PX:
            self.dropped.emit(event.globalPosition().y())


class TreatmentPath(QScrollArea):
    """The whole path."""

    step_added = Signal(str)
    step_removed = Signal(int)
    step_switched = Signal(int, bool)
    settings_changed = Signal(int, dict)
    built = Signal()
    over_time_changed = Signal(int, object)
    key_wanted = Signal(int, str, bool)
    step_moved = Signal(int, int)
    step_selected = Signal(int)
    view_point_chosen = Signal(int)
    frame_chosen = Signal(int, int)
    acted = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("treatment_path")
        self.setFixedWidth(PATH_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._inner = QWidget()
        self._layout = QVBoxLayout(self._inner)
        self._layout.setContentsMargins(4, 4, 6, 4)
        self._layout.setSpacing(0)
        self.setWidget(self._inner)
        self.clicked_on = self._inner  # what a right click lands on, wherever on the path
        self._shape: tuple[str, ...] | None = None
        self._cards: list[Card] = []
        self._rails: list[Rail] = []
        self._source_words = QLabel()
        self.add_button = QToolButton()
        self.chooser = Chooser(self)
        self.chooser.chosen.connect(self.step_added)

    def show_treatment(
        self, treatment: Treatment, selected: int, view_point: int, source_words: str, frame: int = 0
    ) -> None:  # fmt: skip
        """Show a treatment on a frame of the reel; cards are kept while the list of steps stays the same."""
        shape = tuple(step.step for step in treatment.steps)
        if shape != self._shape:
            self._build(treatment)
            self._shape = shape
            self.built.emit()
        self._source_words.setText(source_words)
        for place, (card, step) in enumerate(zip(self._cards, treatment.steps, strict=True), 1):
            card.show_step(step, place == selected, place == view_point, frame)
        for place, rail in enumerate(self._rails):
            rail.show_here(place == view_point)

    def show_facts(self, place: int, words: str) -> None:
        """Facts of the present frame on a step's card."""
        if 0 < place <= len(self._cards):
            self._cards[place - 1].show_facts(words)

    def show_shot(self, place: int, shot: ShotLook | None) -> None:
        """What a step measured of the shot in sight, on its card."""
        if 0 < place <= len(self._cards):
            self._cards[place - 1].chart.show_shot(shot)

    def show_held(self, held: Callable[[str], bool]) -> None:
        """Which tools are in hand."""
        for card in self._cards:
            card.show_held(held)

    def _drop(self, place: int, height: float) -> None:
        """A card was let go at a height of the screen: it goes between the others there."""
        others = (card for card in self._cards if card is not self._cards[place - 1])
        before = sum(card.mapToGlobal(card.rect().center()).y() < height for card in others)
        if before + 1 != place:
            self.step_moved.emit(place, before + 1 - place)

    def step_at(self, place: int) -> str:
        """Id of the step of a card."""
        return self._shape[place - 1] if self._shape is not None else ""

    def region_panel(self, place: int) -> RegionsPanel | None:
        """The regions on the card of a step."""
        return self._cards[place - 1].regions if 0 < place <= len(self._cards) else None

    def panels(self) -> dict[str, dict[int, QWidget]]:
        """What steps show on their cards besides, by step and place."""
        found: dict[str, dict[int, QWidget]] = {}
        for place, card in enumerate(self._cards, 1):
            if card.panel is not None:
                found.setdefault(self.step_at(place), {})[place] = card.panel
        return found

    def region_panels(self) -> list[RegionsPanel]:
        """Those on all cards."""
        return [card.regions for card in self._cards if card.regions is not None]

    def open_menu(self) -> None:
        """Choose a step to add."""
        self.chooser.open_beside(self.add_button)

    def card(self, place: int) -> Card:
        """The card of a step, counted from 1."""
        return self._cards[place - 1]

    def _build(self, treatment: Treatment) -> None:
        while (item := self._layout.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._cards, self._rails = [], []
        self._source_words = QLabel()
        self._source_words.setWordWrap(True)
        self._row(0, not treatment.steps, self._source_card())
        for place, step in enumerate(treatment.steps, 1):
            card = Card(step, place)
            card.selected.connect(partial(self.step_selected.emit, place))
            card.removed.connect(partial(self.step_removed.emit, place))
            card.switched.connect(partial(self.step_switched.emit, place))
            card.changed.connect(partial(self.settings_changed.emit, place))
            card.key_wanted.connect(partial(self.key_wanted.emit, place))
            card.over_time_changed.connect(partial(self.over_time_changed.emit, place))
            card.acted.connect(self.acted)
            card.chart.frame_chosen.connect(partial(self.frame_chosen.emit, place))
            card.dropped.connect(partial(self._drop, place))
            self._cards.append(card)
            self._row(place, place == len(treatment.steps), card)
        self._layout.addWidget(self._adder())
        self._layout.addStretch(1)

    def _source_card(self) -> QWidget:
        box = QWidget()
        layout = QVBoxLayout(box)
        layout.setContentsMargins(4, 6, 4, 6)
        title = QLabel(tr("Source"))
        title.setProperty("title", True)
        layout.addWidget(title)
        self._source_words.setProperty("quiet", True)
        layout.addWidget(self._source_words)
        return box

    def _row(self, place: int, last: bool, content: QWidget) -> None:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        rail = Rail(place, last)
        rail.chosen.connect(partial(self.view_point_chosen.emit, place))
        self._rails.append(rail)
        layout.addWidget(rail)
        layout.addWidget(content, 1)
        content.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        holder = QWidget()
        outer = QVBoxLayout(holder)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(row)
        self._layout.addWidget(holder)

    def _adder(self) -> QWidget:
        self.add_button = QToolButton()
        self.add_button.setObjectName("add_step")
        self.add_button.setText(tr("Add a step"))
        self.add_button.setIcon(style.icon("add"))
        self.add_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.add_button.setToolTip(tr("Choose a repair step by what is wrong with the picture (N)."))
        self.add_button.clicked.connect(self.open_menu)
        holder = QWidget()
        layout = QHBoxLayout(holder)
        layout.setContentsMargins(RAIL_WIDTH + 4, 8, 0, 0)
        layout.addWidget(self.add_button)
        layout.addStretch(1)
        return holder
