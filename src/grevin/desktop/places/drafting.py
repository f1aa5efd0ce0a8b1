"""A part of a picture at once: what is seen of it is made first, beside the whole, where a step gives drafts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.work.looks import Look, part_of
from grevin.desktop.work.workers import LatestWorker, Request


@dataclass(frozen=True)
class Wanted:
    """A picture that is being made.

    Attributes:
        tag: tells what it is.
        fmt: its format.
        make: a draft of it, right in a part.
    """

    tag: Any
    fmt: PictureFormat
    make: Callable[[Box], Look]


class Drafting(QObject):
    """Has drafts made while the light table waits; a whole picture that came before its draft is kept."""

    made = Signal(object)

    def __init__(self, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._table = table
        self._wanted: Wanted | None = None
        self._seen: Box | None = None
        self._worker = LatestWorker("draft", self)
        self._worker.done.connect(self._take)
        table.view_changed.connect(self._ask)

    @property
    def busy(self) -> bool:
        """Whether one is being made."""
        return self._worker.busy

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()

    def want(self, wanted: Wanted | None) -> None:
        """Have a draft made of another picture, or of none."""
        self._wanted, self._seen = wanted, None
        self._ask()

    def _ask(self, _view: object = None) -> None:
        wanted = self._wanted
        if wanted is None:
            return
        seen = part_of(self._table.seen_of(wanted.fmt), wanted.fmt)
        if seen is None or seen == self._seen:
            return
        self._seen = seen
        self._worker.ask(Request((wanted.tag, seen), lambda: wanted.make(seen)))

    def _take(self, tag: Any, look: Look) -> None:
        if self._wanted is not None and tag == (self._wanted.tag, self._seen):
            self.made.emit(look)
