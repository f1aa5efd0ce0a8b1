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

Where = Literal["shot", "reels"]
REELS_HEIGHT = 150  # px; more of them are scrolled


class TakingDialog(QDialog):
    """Asks where and how; shows the difference for the present shot."""

    def __init__(self, name: str, recipe: Treatment, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Take {name}")
        self.resize(460, 480)
        self._recipe = recipe
        self._session = session
        layout = QVBoxLayout(self)
        self._hows = self._choice(layout, {
            "instead": "instead of the steps that are there", "behind": "behind the steps that are there",
        })  # fmt: skip
        wheres = {"reels": "for the reels ticked below"}
        if session.parts.settled and session.parts.shots:
            wheres["shot"] = "for the present shot alone, which gets a treatment of its own"
        self._wheres = self._choice(layout, wheres)
        self._reels = QListWidget()
        self._reels.setObjectName("recipe_reels")
        self._reels.setAccessibleName("Reels")
        self._reels.setMaximumHeight(REELS_HEIGHT)
        for place, reel in enumerate(session.document.reels):
            item = QListWidgetItem(reel.title, self._reels)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if place == session.reel_index else Qt.CheckState.Unchecked)
        layout.addWidget(self._reels)
        layout.addWidget(QLabel("What changes here:"))
        self._words = QLabel()
        self._words.setObjectName("recipe_changes")
        self._words.setWordWrap(True)
        self._words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self._words, 1)
        self._buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self._buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Take it")
        self._buttons.accepted.connect(self.accept)
        self._buttons.rejected.connect(self.reject)
        layout.addWidget(self._buttons)
        for changed in (self._hows.buttonToggled, self._wheres.buttonToggled, self._reels.itemChanged):
            changed.connect(self._show)
        self._show()

    def _choice(self, layout: QVBoxLayout, choices: dict[str, str]) -> QButtonGroup:
        group = QButtonGroup(self)
        for name, words in choices.items():
            button = QRadioButton(words)
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
        """For the present shot, or for reels."""
        return _chosen(self._wheres)  # type: ignore[return-value]

    @property
    def reels(self) -> set[int]:
        """Places of the reels that are ticked."""
        count = self._reels.count()
        return {place for place in range(count) if self._reels.item(place).checkState() == Qt.CheckState.Checked}

    def _show(self, *_changed: object) -> None:
        present = self._session.treatment
        lines = change_words(present, taken(present, self._recipe, self.how))
        self._words.setText("\n".join(lines) or "Nothing: it is treated like that already.")
        self._reels.setEnabled(self.where == "reels")
        ready = self.where == "shot" or bool(self.reels)
        self._buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(ready)


def _chosen(group: QButtonGroup) -> str:
    button = group.checkedButton()
    assert button is not None
    return button.objectName().removeprefix("recipe_")
