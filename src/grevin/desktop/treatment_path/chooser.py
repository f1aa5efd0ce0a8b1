"""Choosing a step by what is wrong with the picture: grouped by the stage of the work; typing filters."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QKeyEvent, QPainter, QPixmap
from PySide6.QtWidgets import QApplication, QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from grevin.core.steps.base import STAGES, AnyStep
from grevin.core.steps.registry import REGISTRY
from grevin.desktop.steps.desks import desk_of
from grevin.desktop.texts import tr

STAGE_WORDS = {
    "time": "Time is wrong", "signal": "The signal is damaged", "light": "The light is uneasy",
    "surface": "The surface is damaged", "frame": "The frame does not fit",
    "size": "The picture is too small", "finish": "To finish",
}  # fmt: skip
PICTURE = QSize(44, 33)
STEP = Qt.ItemDataRole.UserRole
WIDTH, HEIGHT, MARGIN = 380, 430, 6  # px


def application() -> QApplication:
    """The application."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app


class Chooser(QFrame):
    """A list over the window, until a step is chosen or the focus goes elsewhere; emits the step's id."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAutoFillBackground(True)
        self.hide()
        self.setObjectName("chooser")
        self.resize(WIDTH, HEIGHT)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        self.field = QLineEdit()
        self.field.setObjectName("chooser_field")
        self.field.setPlaceholderText(tr("What is wrong with the picture?"))
        self.field.setAccessibleName(tr("What is wrong with the picture"))
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        layout.addWidget(self.field)
        self.steps = QListWidget()
        self.steps.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.steps.setObjectName("chooser_list")
        self.steps.setAccessibleName(tr("Steps"))
        self.steps.setIconSize(PICTURE)
        self.steps.setWordWrap(True)
        self.steps.itemClicked.connect(self._take)
        layout.addWidget(self.steps)

    def open_beside(self, button: QWidget) -> None:
        """Open under a button, inside its window."""
        window = button.window()
        self.setParent(window)
        self.field.clear()
        self._fill("")
        corner = button.mapTo(window, button.rect().bottomRight())
        self.resize(WIDTH, min(HEIGHT, window.height() - 2 * MARGIN))
        x = min(max(MARGIN, corner.x() - self.width()), window.width() - self.width() - MARGIN)
        y = min(max(MARGIN, corner.y()), window.height() - self.height() - MARGIN)
        self.move(x, y)
        self.show()
        self.raise_()
        self.field.setFocus(Qt.FocusReason.OtherFocusReason)
        application().focusChanged.connect(self._follow_focus)

    def close_again(self) -> None:
        """Put it away."""
        if self.isVisible():
            application().focusChanged.disconnect(self._follow_focus)
            self.hide()

    def _follow_focus(self, _old: QWidget | None, new: QWidget | None) -> None:
        if new is not None and not self.isAncestorOf(new):
            self.close_again()

    def _fill(self, text: str) -> None:
        self.steps.clear()
        words = text.lower().split()
        for stage in STAGES:
            fitting = [step for step in REGISTRY.steps.values() if step.stage == stage and _fits(step, words)]
            if fitting:
                head = QListWidgetItem(tr(STAGE_WORDS[stage]), self.steps)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
            for step in fitting:
                item = QListWidgetItem(_picture(step), f"{tr(step.label)}\n{tr(fault_of(step))}", self.steps)
                item.setData(STEP, step.id)
        self._move(1)

    def _move(self, by: int) -> None:
        """To the next step on or back, past the headings."""
        place = self.steps.currentRow()
        while 0 <= place + by < self.steps.count():
            place += by
            if self.steps.item(place).data(STEP):
                self.steps.setCurrentRow(place)
                return

    def _take(self, item: QListWidgetItem | None) -> None:
        step = item.data(STEP) if item is not None else None
        if step:
            self.close_again()
            self.chosen.emit(step)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Keys of the field that belong to the list; Esc means the list, not the picture."""
        if not isinstance(event, QKeyEvent):
            return super().eventFilter(watched, event)
        if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape:
            event.accept()
            return True
        if event.type() == QEvent.Type.KeyPress:
            if event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Up}:
                self._move(1 if event.key() == Qt.Key.Key_Down else -1)
                return True
            if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
                self._take(self.steps.currentItem())
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.close_again()
                return True
        return super().eventFilter(watched, event)


def fault_of(step: AnyStep) -> str:
    """What the step is for, in one line."""
    return str(getattr(step, "fault", ""))


def _fits(step: AnyStep, words: list[str]) -> bool:
    parts = (step.label, fault_of(step), STAGE_WORDS[step.stage])
    told = " ".join((step.id, *parts, *map(tr, parts))).lower()
    return all(word in told for word in words)


def _picture(step: AnyStep) -> QIcon:
    pixmap = QPixmap(PICTURE * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    desk = desk_of(step.id)
    if desk is not None:
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        desk.draw_fault(painter, QRectF(1, 1, PICTURE.width() - 2, PICTURE.height() - 2))
        painter.end()
    return QIcon(pixmap)
