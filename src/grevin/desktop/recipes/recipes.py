"""Saving the present treatment as a recipe, and taking one for shots and reels."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from grevin.core.errors import GrevinError, OutputError
from grevin.core.treatment.recipe import Treatment, read_recipe
from grevin.desktop.dialogs import files
from grevin.desktop.recipes.taking import TakingDialog
from grevin.desktop.session import Session
from grevin.desktop.texts import tr

KIND = "Recipes (*.recipe.json *.json)"
SUFFIX = ".recipe.json"


class Recipes(QObject):
    """The acts of recipes."""

    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self._session = session
        self._window = window
        self.dialog: TakingDialog | None = None
        self.acts: dict[str, Callable[[], object]] = {"save_recipe": self.ask_to_save, "take_recipe": self.ask_to_take}

    def ask_to_save(self) -> None:
        """Ask for a name, then save."""
        if not self._session.treatment.steps:
            self.told.emit(tr("There is no step yet: a recipe holds the steps of a treatment."))
            return
        path = files.ask_save(self._window, "recipe", tr("Save the treatment as a recipe"), KIND)
        if path is not None:
            self.save(path)

    def save(self, path: Path) -> None:
        """Write the present treatment as a recipe, whole or not at all."""
        path = path if path.name.endswith(".json") else path.with_name(path.name + SUFFIX)
        aside = path.with_name(f".{path.name}.part")
        try:
            aside.write_text(json.dumps(self._session.treatment.recipe(), indent=1), encoding="utf-8")
            aside.replace(path)
        except OSError as fault:
            self.faulted.emit(
                OutputError(f"{path} cannot be written ({fault.strerror}).", "Choose a folder you may write to.")
            )
            return
        self.told.emit(tr("{0} holds {1} steps.", path.name, len(self._session.treatment.steps)))

    def ask_to_take(self) -> None:
        """Ask for a recipe, then show what it would change."""
        if self._session.entry is None:
            self.told.emit(tr("Open material first: a recipe is taken for a reel."))
            return
        path = files.ask_one(self._window, "recipe", tr("Take a recipe"), KIND)
        if path is not None:
            self.take(path)

    def take(self, path: Path) -> None:
        """Show what a recipe would change, and for which shots and reels it is to be taken."""
        try:
            recipe = read_recipe(path)
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        self.dialog = TakingDialog(path.name, recipe, self._session, self._window)
        self.dialog.accepted.connect(lambda: self._apply(path.name, recipe))
        self.dialog.open()

    def _apply(self, name: str, recipe: Treatment) -> None:
        dialog = self.dialog
        assert dialog is not None
        if dialog.where == "shots":
            done = self._session.parts.take(recipe, dialog.how, dialog.shots, f"Take {name}")
        else:
            done = self._session.treat_reels(f"Take {name}", recipe, dialog.how, dialog.reels)
        self.told.emit(tr("{0} is taken: undo takes it back.", name) if done else tr("{0} changes nothing here.", name))
