"""What lies where in the window: head, reel column, the three places, message bar; or the start view."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from grevin.desktop.keys import hint
from grevin.desktop.message_bar import MessageBar
from grevin.desktop.places.bench import Bench
from grevin.desktop.places.intake import Intake
from grevin.desktop.places.output import Output
from grevin.desktop.places.survey import SurveyPlace
from grevin.desktop.reel_column.column import ReelColumn
from grevin.desktop.session import Session
from grevin.desktop.start.start_view import StartView
from grevin.desktop.texts import tr
from grevin.desktop.work.surveying import Surveying


class WindowLayout(QWidget):
    """Holds the parts; says which place was chosen.

    Each part is made where it belongs, from the outside in: one that is put elsewhere later is given the style of the
    application again, with all that it holds.
    """

    acted = Signal(str)
    place_changed = Signal()

    def __init__(self, session: Session, surveying: Surveying, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._whole = QStackedWidget(self)
        self.start_view = StartView(self._whole)
        self._work = QWidget(self._whole)
        self.head = QWidget(self._work)
        self.column = ReelColumn(self._work)
        self._stack = QStackedWidget(self._work)
        self.intake = Intake(session, self._stack)
        self.survey = SurveyPlace(session, surveying, self._stack)
        self.bench = Bench(session, self._stack)
        self.output = Output(session, self._stack)
        self.messages = MessageBar(self)
        self.places: dict[str, QWidget] = {
            "go_intake": self.intake, "go_survey": self.survey, "go_bench": self.bench, "go_output": self.output,
        }  # fmt: skip
        self._buttons: dict[str, QPushButton] = {}
        self.title = QLabel(self.head)
        self.state = QLabel(self.head)
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout(self.head)
        head.setContentsMargins(8, 4, 8, 4)
        for act, words in (
            ("go_intake", "Intake"),
            ("go_survey", "Survey"),
            ("go_bench", "Bench"),
            ("go_output", "Output"),
        ):
            button = QPushButton(tr(words))
            button.setObjectName(act)
            button.setCheckable(True)
            button.setToolTip(hint(act))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(partial(self._act, act))
            head.addWidget(button)
            self._buttons[act] = button
            self._stack.addWidget(self.places[act])
        head.addSpacing(14)
        self.title.setProperty("title", True)
        head.addWidget(self.title)
        head.addSpacing(14)
        self.state.setProperty("quiet", True)
        self.state.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # never widens the window
        head.addWidget(self.state, 1)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.column)
        middle.addWidget(self._stack, 1)
        column = QVBoxLayout(self._work)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addLayout(middle, 1)
        self._whole.addWidget(self.start_view)
        self._whole.addWidget(self._work)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._whole, 1)
        layout.addWidget(self.messages)

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def go_to(self, act: str) -> None:
        """Show one of the places."""
        if act not in {"go_bench", "go_survey"}:
            self.bench.player.stop()
        self._stack.setCurrentWidget(self.places[act])
        for name, button in self._buttons.items():
            button.setChecked(name == act)
        look = self.bench.table.look
        if act == "go_intake" and look is not None:
            self.intake.show_look(look)
        if act == "go_survey" and look is not None:
            self.survey.show_look(look)
            self.survey.table.setFocus(Qt.FocusReason.OtherFocusReason)
        if act == "go_output":
            self.output.show_facts()
        self.place_changed.emit()

    @property
    def present(self) -> str:
        """The place in sight, by the act that goes there; "" for the start view."""
        if self._whole.currentIndex() == 0:
            return ""
        return next(act for act, place in self.places.items() if place is self._stack.currentWidget())

    def show_start(self, on: bool) -> None:
        """The start view instead of the places."""
        self._whole.setCurrentIndex(0 if on else 1)
        self.place_changed.emit()

    def only_picture(self, on: bool) -> None:
        """The light table and nothing else."""
        for part in (self.head, self.column, self.messages):
            part.setVisible(not on)
        self.bench.only_picture(on)
        self.output.only_picture(on)
        self.survey.only_picture(on)  # a hidden place still asks for its width

    def show_state(self, session: Session) -> None:
        """What is open, whether it is treated, and where one looks: always in sight."""
        reel, entry = session.reel, session.entry
        if reel is None or entry is None:
            return
        self.title.setText(entry.title)
        self.title.setToolTip(str(Path(entry.path)))
        fmt = reel.format
        steps = [step.step for step in session.treatment.steps if step.enabled]
        treated = tr("treated: {0}", ", ".join(steps)) if steps else tr("not treated")
        point = session.place.view_point
        seen = tr("after {0}. {1}", point, session.treatment.steps[point - 1].step) if point else tr("source")
        out = session.chain.size_format if session.chain is not None else fmt
        same = (out.width, out.height) == (fmt.width, fmt.height)
        size = tr("not enlarged") if same else tr("enlarged") if "enlarge" in steps else tr("another size")
        words = tr(
            "{0}, {1:.5g} frames/s    {2}, {3}, output {4}x{5}    view point: {6}",
            fmt.describe(), float(fmt.rate), treated, size, out.width, out.height, seen,
        )  # fmt: skip
        self.state.setText(words)
        self.state.setToolTip(words)
