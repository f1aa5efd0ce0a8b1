"""Asking for files and folders; each kind of question begins in the folder of its last answer."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QWidget

_settings: list[QSettings] = []  # of the one window; without one nothing is remembered


def remember_in(settings: QSettings) -> None:
    """Where last folders are kept."""
    _settings[:] = [settings]


def last_folder(purpose: str) -> str:
    """The folder of the last answer; empty for none, or where it is gone."""
    folder = str(_settings[0].value(f"folder/{purpose}", "")) if _settings else ""
    return folder if Path(folder).is_dir() else ""


def _keep(purpose: str, folder: Path) -> None:
    if _settings:
        _settings[0].setValue(f"folder/{purpose}", str(folder))


def ask_open(parent: QWidget, purpose: str, title: str, kinds: str) -> list[Path]:
    """Files to open; none where it was given up."""
    names, _ = QFileDialog.getOpenFileNames(parent, title, last_folder(purpose), kinds)
    if names:
        _keep(purpose, Path(names[0]).parent)
    return [Path(name) for name in names]


def ask_one(parent: QWidget, purpose: str, title: str, kinds: str) -> Path | None:
    """One file to open; None where it was given up."""
    name, _ = QFileDialog.getOpenFileName(parent, title, last_folder(purpose), kinds)
    if not name:
        return None
    _keep(purpose, Path(name).parent)
    return Path(name)


def ask_folder(parent: QWidget, purpose: str, title: str) -> Path | None:
    """A folder; None where it was given up."""
    name = QFileDialog.getExistingDirectory(parent, title, last_folder(purpose))
    if not name:
        return None
    _keep(purpose, Path(name))
    return Path(name)


def ask_save(parent: QWidget, purpose: str, title: str, kinds: str = "", proposed: str = "") -> Path | None:
    """Where to write; None where it was given up.

    Args:
        parent: whose question it is.
        purpose: kind of question, for the folder that is remembered.
        title: the question.
        kinds: filter of the dialog.
        proposed: a path, or a mere name in the last folder.
    """
    folder = last_folder(purpose)
    begins = str(Path(folder) / proposed) if folder and proposed and not Path(proposed).is_absolute() else proposed
    name, _ = QFileDialog.getSaveFileName(parent, title, begins or folder, kinds)
    if not name:
        return None
    _keep(purpose, Path(name).parent)
    return Path(name)
