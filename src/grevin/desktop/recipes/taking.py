"""What a recipe would change, and for what it is to be taken."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QDialogButtonBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from grevin.core.treatment.path_edits import How, change_words, taken
from grevin.core.treatment.recipe import Treatment
from grevin.desktop.session import Session
from grevin.desktop.texts import tr

Where = Literal["shots", "reels"]
LIST_HEIGHT = 130  # px; more of them are scrolled


class TakingDialog(QDialog):
    """Asks where and how; shows the difference for the present shot."""

    def __init__(self, name: str, recipe: Treatment, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Take {0}", name))
        self.resize(460, 480)
        self._recipe = recipe
        self._session = session
        layout = QVBoxLayout(self)
        self._hows = self._choice(layout, {
            "instead": "instead of the steps that are there", "behind": "behind the steps that are there",
        })  # fmt: skip
        wheres = {"reels": "for the reels ticked below"}
        if session.parts.settled and session.parts.shots:
            wheres["shots"] = "for the shots ticked below, which get treatments of their own"
        self._wheres = self._choice(layout, wheres)
        parts = session.parts
        titles = [reel.title for reel in session.document.reels]
        self._reels = self._list("recipe_reels", tr("Reels"), titles, session.reel_index)
        shots = [parts.title(place) for place in range(len(parts.shots))]
        self._shots = self._list("recipe_shots", tr("Shots"), shots, parts.at(session.place.frame) if shots else 0)
        layout.addWidget(self._reels)
        layout.addWidget(self._shots)
        layout.addWidget(QLabel(tr("What changes here:")))
        self._words = QLabel()
        self._words.setObjectName("recipe_changes")
        self._words.setWordWrap(True)
        self._words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self._words, 1)
        self._buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self._buttons.button(QDialogButtonBox.StandardButton.Ok).setText(tr("Take it"))
        self._buttons.accepted.connect(self.accept)
        self._buttons.rejected.connect(self.reject)
        layout.addWidget(self._buttons)
        for changed in (
            self._hows.buttonToggled,
            self._wheres.buttonToggled,
            self._reels.itemChanged,
            self._shots.itemChanged,
        ):
            changed.connect(self._show)
        self._show()

    @staticmethod
    def _list(name: str, words: str, titles: list[str], chosen: int) -> QListWidget:
        """Things to tick, one of them ticked."""
        rows = QListWidget()
        rows.setObjectName(name)
        rows.setAccessibleName(words)
        rows.setMaximumHeight(LIST_HEIGHT)
        for place, title in enumerate(titles):
            item = QListWidgetItem(title, rows)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if place == chosen else Qt.CheckState.Unchecked)
        return rows

    def _choice(self, layout: QVBoxLayout, choices: dict[str, str]) -> QButtonGroup:
        group = QButtonGroup(self)
        for name, words in choices.items():
            button = QRadioButton(tr(words))
            button.setObjectName(f"recipe_{name}")
            button.setChecked(not group.buttons())
            group.addButton(button)
            layout.addWidget(button)
        return group

    @property
    def how(self) -> How:
        """Whether the recipe's steps go behind those that are there, or take their place."""
        return _chosen(self._hows)  # type: ignore[return-value]

    @property
    def where(self) -> Where:
        """For shots of the open reel, or for reels."""
        return _chosen(self._wheres)  # type: ignore[return-value]

    @property
    def reels(self) -> set[int]:
        """Places of the reels that are ticked."""
        return _ticked(self._reels)

    @property
    def shots(self) -> set[int]:
        """Places of the shots that are ticked."""
        return _ticked(self._shots)

    def _show(self, *_changed: object) -> None:
        present = self._session.treatment
        lines = change_words(present, taken(present, self._recipe, self.how))
        self._words.setText("\n".join(lines) or tr("Nothing: it is treated like that already."))
        self._reels.setVisible(self.where == "reels")
        self._shots.setVisible(self.where == "shots")
        ready = bool(self.reels if self.where == "reels" else self.shots)
        self._buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(ready)


def _chosen(group: QButtonGroup) -> str:
    button = group.checkedButton()
    assert button is not None
    return button.objectName().removeprefix("recipe_")


def _ticked(rows: QListWidget) -> set[int]:
    return {place for place in range(rows.count()) if rows.item(place).checkState() == Qt.CheckState.Checked}
