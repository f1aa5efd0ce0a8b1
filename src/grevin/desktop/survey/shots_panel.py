"""Shots: divided, named, with treatments of their own, and what the survey proposes for each."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from grevin.core.steps.proposing import Suggestion
from grevin.core.survey.proposal import proposal_for, words_of
from grevin.core.survey.survey import Survey
from grevin.desktop.keys import hint_of, key_of
from grevin.desktop.session import Session
from grevin.desktop.texts import tr

NUMBER, WHERE, NAME, KIND, TREATMENT, HELP = range(6)
HEADS = ("", "begins", "name", "kind", "treatment", "would help")
MOST_PROPOSED = 400  # shots whose proposal stands in the table; that of any other is worked out when it is chosen
BUTTONS = (
    ("split_shot", "Split here", "The present frame becomes the first of a new shot."),
    ("join_shot", "Join with the one before", "The cut before the chosen shot is taken away."),
    ("own_treatment", "Own treatment", "The chosen shots get a treatment of their own, for now as it is."),
    ("follow_reel", "Follow the reel", "The chosen shots follow the reel's treatment again."),
    ("copy_to_chosen", "Copy to chosen", "The treatment of the shot in sight, copied to the chosen shots."),
    ("copy_to_kind", "Copy to its kind", "The same, to all shots of the kind of the shot in sight."),
    ("copy_to_all", "Copy to all", "The same, to every shot."),
    ("accept", "Accept proposal", "The proposed steps are added to the chosen shots, as treatments of their own."),
)


class ShotsPanel(QWidget):
    """The table of shots; editing a name or a kind in place."""

    told = Signal(str)
    frame_chosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._survey: Survey | None = None
        self._proposals: dict[int, list[Suggestion]] = {}
        self._filling = False
        self.table = QTreeWidget()
        self.table.setObjectName("shots")
        self.table.setRootIsDecorated(False)
        self.table.setHeaderLabels([tr(head) for head in HEADS])
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.header().setStretchLastSection(True)
        for column, width in ((NUMBER, 28), (WHERE, 54), (NAME, 84), (KIND, 52), (TREATMENT, 78)):
            self.table.header().setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
            self.table.setColumnWidth(column, width)
        self.table.itemChanged.connect(self._edited)
        self.table.itemClicked.connect(
            lambda item, _column: self.frame_chosen.emit(item.data(0, Qt.ItemDataRole.UserRole))
        )
        self.table.itemSelectionChanged.connect(self._show_proposal)
        self.words = QLabel()
        self.words.setObjectName("proposal")
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        grid = QGridLayout()
        for place, (name, words, tip) in enumerate(BUTTONS):
            button = QPushButton(tr(words))
            button.setObjectName(f"do_{name}")
            keyed = name in {"split_shot", "join_shot"}
            button.setToolTip(hint_of(key_of(name), tip) if keyed else tr(tip))
            button.clicked.connect(partial(self.do, name))
            grid.addWidget(button, place // 2, place % 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.words)
        layout.addLayout(grid)
        for signal in (session.reel_opened, session.parts_changed, session.treatment_changed):
            signal.connect(self.refresh)

    def show_survey(self, survey: Survey | None) -> None:
        """What the proposals follow from; only a full survey of the whole reel tells enough."""
        self._survey = survey if survey is not None and survey.cadence is not None else None
        self.refresh()

    def refresh(self) -> None:
        """Fill the table anew, keeping what is chosen."""
        chosen = set(self.chosen())
        session = self._session
        self._filling = True
        self.table.clear()
        self._proposals = {}
        entry = session.entry
        if entry is not None:
            shots = session.parts.shots
            for place, shot in enumerate(shots):
                own = shot.treatment
                steps = ", ".join(step.step for step in own.steps) if own is not None else ""
                words = "as the reel" if own is None else f"own: {steps or 'nothing'}"
                item = QTreeWidgetItem(
                    [str(place + 1), session.counter.text(shot.first), shot.name, shot.kind, words, self._steps(place)]
                )
                item.setData(0, Qt.ItemDataRole.UserRole, shot.first)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                self.table.addTopLevelItem(item)
                item.setSelected(place in chosen)
        self._filling = False
        self._show_proposal()

    def chosen(self) -> list[int]:
        """Places of the chosen shots."""
        return sorted(self.table.indexOfTopLevelItem(item) for item in self.table.selectedItems())

    def _edited(self, item: QTreeWidgetItem, column: int) -> None:
        if self._filling:
            return
        if column in {NAME, KIND} and self._ready():
            name = "name" if column == NAME else "kind"
            self._session.parts.name(self.table.indexOfTopLevelItem(item), **{name: item.text(column).strip()})
        self.refresh()

    def _ready(self) -> bool:
        if not self._session.parts.settled:
            self.told.emit(tr("Cuts are still being looked for: shots can be worked with when all are known."))
        return self._session.parts.settled

    # Proposals

    def proposal(self, place: int) -> list[Suggestion]:
        """What is proposed for a shot."""
        if self._survey is None:
            return []
        if place not in self._proposals:
            frames = self._session.parts.frames(place, self._session.length)
            self._proposals[place] = proposal_for(self._survey, frames)
        return self._proposals[place]

    def _steps(self, place: int) -> str:
        """The steps that would help, in short."""
        if self._survey is None or place >= MOST_PROPOSED:
            return ""
        proposed = [one.step for one in self.proposal(place)]
        entry, shot = self._session.entry, self._session.parts.shots[place]
        present = shot.treatment or (entry.treatment if entry is not None else None)
        done = {step.step for step in present.steps if step.enabled} if present is not None else set()
        return ", ".join(step for step in proposed if step not in done) or ("nothing more" if proposed else "nothing")

    def _show_proposal(self) -> None:
        if self._survey is None:
            self.words.setText(tr("What would help is proposed here once the reel was surveyed in full."))
            return
        places = self.chosen() or [self._session.parts.at(self._session.place.frame)]
        lines = []
        for place in places[:4]:
            suggestions = self.proposal(place)
            lines.append(f"Shot {place + 1}: {words_of(suggestions)}.")
        more = [f"and {len(places) - 4} more shots"] if len(places) > 4 else []
        self.words.setText("\n".join(lines + more))

    # Acts

    def do(self, name: str, _checked: bool = False) -> None:
        """One of the buttons."""
        if self._session.entry is None or not self._ready():
            return
        parts, frame = self._session.parts, self._session.place.frame
        here = parts.at(frame)
        chosen = self.chosen() or [here]
        treatment = self._session.treatment
        kind = parts.shots[here].kind
        done = {
            "split_shot": lambda: parts.split(frame),
            "join_shot": lambda: parts.join(chosen[0]),
            "own_treatment": lambda: parts.give_own(chosen),
            "follow_reel": lambda: parts.follow(chosen),
            "copy_to_chosen": lambda: parts.copy(treatment, chosen),
            "copy_to_kind": lambda: bool(kind) and parts.copy(treatment, parts.of_kind(kind)),
            "copy_to_all": lambda: parts.copy(treatment, range(len(parts.shots))),
            "accept": lambda: self._accept(chosen),
        }[name]()
        if not done:
            self.told.emit(self._why_not(name, kind))

    def _accept(self, places: list[int]) -> bool:
        return self._session.parts.accept({place: self.proposal(place) for place in places})

    def _why_not(self, name: str, kind: str) -> str:
        if name == "copy_to_kind" and not kind:
            return "The shot in sight has no kind: type one beside its name."
        if name == "accept":
            return "Nothing is proposed that this shot does not have already."
        return {
            "split_shot": "A shot begins with this frame already.", "join_shot": "There is no shot before the first.",
        }.get(name, "Nothing would change.")  # fmt: skip
