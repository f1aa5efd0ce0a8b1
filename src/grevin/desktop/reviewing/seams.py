"""Frames that were made anew, one after the other: going to them, and playing over the seam."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, Signal

from grevin.desktop.places.playing import Player
from grevin.desktop.session import Session
from grevin.desktop.texts import tr

AROUND_SEAM = 10  # frames before and after a seam that are played with it


class Seams(QObject):
    """Turns keys into places and loops."""

    told = Signal(str)

    def __init__(self, session: Session, player: Player, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._player = player
        self.acts: dict[str, Callable[[], object]] = {
            "made_back": partial(self.go, -1), "made_on": partial(self.go, 1),
            "play_seam": self.play,
        }  # fmt: skip

    def go(self, direction: int) -> None:
        """To the next run of made frames on (+1) or back (-1)."""
        chain, view_point = self._session.chain, self._session.place.view_point
        if chain is None or not chain.changes_time(view_point) or not chain.knows_time(view_point):
            self.told.emit(tr("No frame is rebuilt at this view point: move it behind the step that does (R)."))
            return
        found = chain.next_made(view_point, self._session.output, direction)
        if found is None:
            self.told.emit(tr("No more rebuilt frames that way."))
        else:
            self._session.go_output(found)

    def play(self) -> None:
        """Play over the seam in a loop: the made frames, the good ones around them, and some more."""
        chain, place = self._session.chain, self._session.place
        if chain is None or self._player.playing:
            self._player.stop()
            return
        first = last = place.frame
        if chain.changes_time(place.view_point) and chain.knows_time(place.view_point):
            sources = chain.timeline_at(place.view_point).sources
            first, last = (int(sources[end]) for end in chain.seam_at(place.view_point, self._session.output))
        self._player.set_loop(range(max(0, first - AROUND_SEAM), last + AROUND_SEAM + 1))
        self._player.toggle()
