"""The Bench: light table, neighbour strip and treatment path, kept in step with the session."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from grevin.core.treatment.chain import Chain
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.view import View
from grevin.desktop.neighbour_strip.strip import NEAREST_FIRST, NeighbourStrip
from grevin.desktop.places.bench_bar import BenchBar
from grevin.desktop.places.playing import Player
from grevin.desktop.session import Place, Session
from grevin.desktop.treatment_path.path import TreatmentPath
from grevin.desktop.work.looks import Look, make_look, screen_of
from grevin.desktop.work.workers import LatestWorker, Request

STRIP_DELAY_MS = 120  # neighbours wait until the person pauses at a frame
FIRST_WIPE = 0.5


class Bench(QWidget):
    """The place where one looks and mends."""

    looked = Signal(object)
    faulted = Signal(object)
    told = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.table = LightTable()
        self.strip = NeighbourStrip()
        self.bar = BenchBar()
        self.path = TreatmentPath()
        self._wipe = FIRST_WIPE
        self._shown_view_point = 0
        self._wipe_on = False
        self._evidence_on = False
        self._looker = LatestWorker("look", self)
        self._neighbours = LatestWorker("strip", self)
        self.player = Player(session, self)
        self._strip_timer = QTimer(self, singleShot=True, interval=STRIP_DELAY_MS)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.table, 1)
        middle.addWidget(self.bar)
        middle.addWidget(self.strip)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(middle, 1)
        layout.addWidget(self.path)

    def _connect(self) -> None:
        session = self._session
        session.reel_opened.connect(self._show_reel)
        session.treatment_changed.connect(self._show_treatment)
        session.place_changed.connect(self._show_place)
        session.selection_changed.connect(self._show_selection)
        self._looker.done.connect(self._take_look)
        self._looker.failed.connect(self._take_fault)
        self._neighbours.done.connect(self._take_neighbour)
        self._strip_timer.timeout.connect(self._ask_neighbours)
        self.table.view_changed.connect(self._share_view)
        self.table.wipe_moved.connect(self._move_wipe)
        self.strip.frame_chosen.connect(session.go)
        self.path.step_added.connect(session.add_step)
        self.path.step_removed.connect(session.remove_step)
        self.path.step_switched.connect(session.switch_step)
        self.path.settings_changed.connect(session.change_settings)
        self.path.step_selected.connect(session.select)
        self.path.view_point_chosen.connect(session.view_from)
        self.player.told.connect(self.told)
        self.player.playing_changed.connect(self.bar.show_playing)

    def stop(self) -> None:
        """End the threads."""
        self._strip_timer.stop()
        self.player.stop()
        self._looker.stop()
        self._neighbours.stop()

    @property
    def busy(self) -> bool:
        """Whether pictures are still being made."""
        return self._looker.busy or self._neighbours.busy or self._strip_timer.isActive()

    # What the session says

    def _aspect(self) -> float:
        return float(self._session.reel.format.pixel_aspect) if self._session.reel is not None else 1.0

    def _show_reel(self) -> None:
        self.table.show_words("Reading the first picture …")
        self.table.show_view(View())
        self.strip.forget()
        self._show_path()
        self._show_place(self._session.place)

    def _show_treatment(self) -> None:
        self.strip.forget()
        self._show_path()
        self._show_place(self._session.place)

    def _show_selection(self, _place: int) -> None:
        self._show_path()
        self._ask_look()

    def _show_path(self) -> None:
        session = self._session
        words = session.reel.format.describe() if session.reel is not None else ""
        self.path.show_treatment(session.treatment, session.selected, session.place.view_point, words)

    def _show_place(self, place: Place) -> None:
        session = self._session
        if session.reel is None:
            return
        self.bar.show_frame(place.frame, session.length, session.reel.format.rate)
        if place.view_point != self._shown_view_point:
            self._shown_view_point = place.view_point
            self._show_path()
        self._ask_look()
        if not self.player.playing:  # the strip waits while playing: seven more pictures a frame cost too much
            self.strip.show_place(place.frame, session.length, self._aspect())
            self._strip_timer.start()

    # Pictures

    def _ask_look(self) -> None:
        chain, place = self._session.chain, self._session.place
        if chain is None:
            return
        wanted_evidence = self._session.selected if self._evidence_on or not self.player.playing else 0
        tag = (id(chain), place.frame, place.view_point)
        self.table.show_waiting(not self.player.playing)
        self._looker.ask(Request(tag, partial(make_look, chain, place.frame, place.view_point, wanted_evidence)))

    def _take_look(self, tag: Any, look: Look) -> None:
        chain, place = self._session.chain, self._session.place
        if chain is None or tag[0] != id(chain):
            return
        self.table.show_look(look, self._aspect())
        self.table.show_waiting(tag != (id(chain), place.frame, place.view_point))
        if not self.player.playing:
            self._share_view(self.table.view)
        if not self.player.playing:
            self.strip.show_picture(look.number, look.after)
            self._show_facts(look)
        self.looked.emit(look)

    def _show_facts(self, look: Look) -> None:
        for place in range(1, len(self._session.treatment.steps) + 1):
            words = ""
            if place == self._session.selected and look.evidence is not None:
                area = 100.0 * float(look.evidence.mask.mean())
                count = len(look.evidence.blobs)
                words = (
                    f"This frame: {count} found, {area:.2f} % of the picture."
                    if count
                    else "This frame: nothing found."
                )
            self.path.show_facts(place, words)

    def _take_fault(self, tag: Any, fault: Exception) -> None:
        self.table.show_words("This frame cannot be shown")
        self.player.stop()
        self.faulted.emit(fault)

    def _ask_neighbours(self) -> None:
        chain, place = self._session.chain, self._session.place
        if chain is None:
            return
        frames = [place.frame + offset for offset in NEAREST_FIRST]
        self._neighbours.ask(
            *(
                Request((id(chain), frame, place.view_point), partial(_neighbour, chain, frame, place.view_point))
                for frame in frames
                if 0 <= frame < self._session.length
            )
        )

    def _take_neighbour(self, tag: Any, screen: Any) -> None:
        chain, place = self._session.chain, self._session.place
        if chain is not None and (tag[0], tag[2]) == (id(chain), place.view_point):
            self.strip.show_picture(tag[1], screen)

    # Ways of looking

    def _share_view(self, view: View) -> None:
        self.strip.show_view(view, (self.table.width(), self.table.height()))
        self.bar.show_zoom(view.zoom, self.table.scale())

    def _move_wipe(self, place: float) -> None:
        self._wipe = place
        self.table.show_wipe(place)

    def set_before(self, on: bool) -> None:
        """Show the source while held."""
        self.table.show_before(on)

    def set_wipe(self, on: bool) -> None:
        """Wipe on or off; its line stays where it was."""
        self._wipe_on = on
        self.table.show_wipe(self._wipe if on else None)
        self.bar.show_toggle("wipe", on)

    def set_evidence(self, on: bool) -> None:
        """Evidence over the picture on or off."""
        self._evidence_on = on
        if on and self._session.selected == 0 and self._session.treatment.steps:
            self._session.select(self._session.place.view_point or 1)
        self.table.show_evidence(on)
        self.bar.show_toggle("evidence", on)

    def toggle_wipe(self) -> None:
        """The other way."""
        self.set_wipe(not self._wipe_on)

    def toggle_evidence(self) -> None:
        """The other way."""
        self.set_evidence(not self._evidence_on)

    def open_step_menu(self) -> None:
        """Open the list of steps to add."""
        self.path.add_button.showMenu()

    def focus_table(self) -> None:
        """Give the keys to the light table."""
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)


def _neighbour(chain: Chain, frame: int, view_point: int) -> Any:
    place = chain.view_points[view_point]
    return screen_of(chain, place.frame(frame), place.key(frame))
