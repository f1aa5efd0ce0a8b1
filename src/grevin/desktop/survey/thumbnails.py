"""Small pictures of findings: the very area where one is known, else the whole frame. Made off the GUI thread."""

from __future__ import annotations

from functools import partial
from typing import Any

import cv2
import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap

from grevin.core.errors import UnreadableFrameError
from grevin.core.job.findings import Finding
from grevin.core.picture.display import to_screen
from grevin.core.picture.source import FrameSource
from grevin.desktop.work.workers import LatestWorker, Request

WIDTH, HEIGHT = 84, 56
ROOM = 1.6  # times the size of a finding that is shown round it
LEAST_PX = 42  # pixels of the picture that are shown across at least, so that a speck has surroundings
MOST_KEPT = 4000  # pictures of 19 kB


class Thumbnails(QObject):
    """Makes and keeps the pictures of findings by their number."""

    made = Signal(int)
    faulted = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._kept: dict[int, QIcon] = {}
        self._worker = LatestWorker("thumbnails", self)
        self._worker.done.connect(self._take)
        self._failed: set[int] = set()
        self._worker.failed.connect(self._miss)

    @property
    def busy(self) -> bool:
        """Whether pictures are being made."""
        return self._worker.busy

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()

    def forget(self) -> None:
        """Another reel, or other findings."""
        self._worker.ask()
        self._kept.clear()
        self._failed.clear()

    def of(self, finding: Finding) -> QIcon | None:
        """The picture, if it was made."""
        return self._kept.get(finding.id)

    def want(self, findings: list[Finding], source: FrameSource) -> None:
        """These are in sight."""
        missing = [one for one in findings if one.id not in self._kept and one.id not in self._failed]
        self._worker.ask(*(Request(one.id, partial(picture_of, source, one)) for one in missing))

    def _miss(self, tag: Any, fault: Exception) -> None:
        """A frame that cannot be read has no picture, and is a finding of its own; anything else is told."""
        self._failed.add(tag)
        if not isinstance(fault, UnreadableFrameError):
            self.faulted.emit(fault)

    def _take(self, tag: Any, picture: Any) -> None:
        while len(self._kept) >= MOST_KEPT:
            self._kept.pop(next(iter(self._kept)))
        height, width = picture.shape[:2]
        image = QImage(picture.data, width, height, picture.strides[0], QImage.Format.Format_RGB32)
        shown = QPixmap.fromImage(image.copy())
        icon = QIcon(shown)
        icon.addPixmap(shown, QIcon.Mode.Selected)  # a tint would falsify it
        self._kept[tag] = icon
        self.made.emit(tag)


def picture_of(source: FrameSource, finding: Finding) -> Any:
    """(56, 84, 4) uint8 of a finding's surroundings, or of the whole frame."""
    screen = to_screen(source.frame(finding.first))
    height, width = screen.shape[:2]
    x, y, wide, high = finding.area
    if wide:
        across = min(width, max(LEAST_PX, round(ROOM * wide), round(ROOM * high * WIDTH / HEIGHT)))
        down = min(height, max(1, round(across * HEIGHT / WIDTH)))
        left = min(max(0, x + wide // 2 - across // 2), width - across)
        top = min(max(0, y + high // 2 - down // 2), height - down)
        screen = screen[top : top + down, left : left + across]
    smaller = screen.shape[1] > WIDTH
    method = cv2.INTER_AREA if smaller else cv2.INTER_NEAREST
    return np.ascontiguousarray(cv2.resize(np.ascontiguousarray(screen), (WIDTH, HEIGHT), interpolation=method))
