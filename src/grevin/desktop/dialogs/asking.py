"""Asking for files and folders, and saying what this is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from grevin import __version__
from grevin.core.intake.folder import VIDEO_SUFFIXES
from grevin.core.media.still_image import IMAGE_SUFFIXES
from grevin.desktop.dialogs import files
from grevin.desktop.texts import tr

Take = Callable[[Sequence[Path]], object]


def material_filter() -> str:
    """The file dialog's filter for everything that can be opened."""
    endings = " ".join(f"*{suffix}" for suffix in ("", *sorted(VIDEO_SUFFIXES | IMAGE_SUFFIXES)) if suffix)
    return f"Jobs and material (*.grevin {endings});;All files (*)"


def ask_material(parent: QWidget, take: Take) -> None:
    """Ask for files."""
    paths = files.ask_open(parent, "material", tr("Material or a job"), material_filter())
    if paths:
        take(paths)


def ask_folder(parent: QWidget, take: Take) -> None:
    """Ask for a folder; every reel in it and below it is meant."""
    folder = files.ask_folder(parent, "material", tr("A folder of material"))
    if folder is not None:
        take([folder])


def ask_copy(parent: QWidget, take: Callable[[Path], object]) -> None:
    """Ask where a copy of the job is to be kept."""
    path = files.ask_save(parent, "job", tr("Save the job as"), "Jobs (*.grevin)")
    if path is not None:
        take(path.with_suffix(".grevin"))


def ask_closing(parent: QWidget, stop: Callable[[], object], wait: Callable[[], object]) -> QMessageBox:
    """Ask what is to become of an output that is being written, now that the window is to be closed."""
    box = QMessageBox(parent)
    box.setObjectName("closing")
    box.setWindowTitle(tr("An output is being written"))
    box.setText(tr("An output is being written."))
    box.setInformativeText(tr("Stopped, nothing of it is left behind. The job has lost nothing either way."))
    acts: dict[str, Callable[[], object]] = {
        tr("Close when it is written"): wait, tr("Stop it and close"): stop, tr("Stay"): box.close,
    }  # fmt: skip
    for words in acts:
        box.addButton(words, QMessageBox.ButtonRole.ActionRole)
    box.buttonClicked.connect(lambda button: acts[button.text()]())
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.open()
    return box


def say_about(parent: QWidget) -> None:
    """Say what this program is and whose work is in it."""
    QMessageBox.about(
        parent,
        "About Grevin",
        f"<b>Grevin {__version__}</b>"
        "<p>Restoration of digitised film and tape that never harms what is not damaged."
        "<p>Free software under the GNU General Public License, version 3 or later. The type is B612 (SIL Open "
        "Font License); video is read and written by the FFmpeg libraries.",
    )
