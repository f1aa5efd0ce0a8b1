"""The Bench: light table, neighbour strip and treatment path, kept in step with the session."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from grevin.core.errors import GrevinError, UnreadableFrameError
from grevin.core.measure.area import read_point
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.view import View
from grevin.desktop.measuring.measuring import Measuring
from grevin.desktop.neighbour_strip.neighbours import Neighbours
from grevin.desktop.neighbour_strip.strip import COUNTS, NeighbourStrip
from grevin.desktop.place import Place
from grevin.desktop.places.drafting import Drafting, Wanted
from grevin.desktop.places.frame_facts import doubts_whole_frame, frame_facts
from grevin.desktop.places.looking_bar import LookingBar
from grevin.desktop.places.playing import Player
from grevin.desktop.places.time_bar import TimeBar
from grevin.desktop.places.ways_of_looking import WaysOfLooking
from grevin.desktop.regions.drawing import RegionDrawing
from grevin.desktop.regions.tools import RegionTools
from grevin.desktop.reviewing.seams import Seams
from grevin.desktop.reviewing.specks import Specks
from grevin.desktop.scopes.panel import ScopesPanel
from grevin.desktop.session import Session
from grevin.desktop.steps.desks import Desks
from grevin.desktop.test_strip.strip import ValueStrip
from grevin.desktop.test_strip.trying import Trying
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.path import PATH_WIDTH, TreatmentPath
from grevin.desktop.work.looks import Look, drafted, make_look
from grevin.desktop.work.measuring_left import MeasuringLeft
from grevin.desktop.work.readying import Readying
from grevin.desktop.work.studying import Studying
from grevin.desktop.work.workers import LatestWorker, Request

SMALL_SCALE = 0.5  # up to this zoom a picture of half the size shows the same while playing
READY_DELAY_MS = 600  # making treated frames ready waits until the person pauses at a frame


class Bench(QWidget):
    """The place where one looks and mends."""

    looked = Signal(object)
    studied = Signal()
    faulted = Signal(object)
    told = Signal(str)
    acted = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.looking = WaysOfLooking(self)
        self.table = LightTable()
        self.strip = NeighbourStrip()
        self.looking_bar = LookingBar()
        self.time_bar = TimeBar()
        self.path = TreatmentPath()
        self.scopes = ScopesPanel()
        self.value_strip = ValueStrip()
        self.pictures = QStackedWidget()
        self.player = Player(session, self)
        self.trying = Trying(session, self.value_strip, self)
        self.measuring = Measuring(session, self.table, self.looking_bar, self.scopes, self.looking, self)
        self.specks = Specks(session, self.table, self)
        self.desks = Desks(session, self.table, self)
        self.regions = RegionDrawing(session, self.table, self)
        self.region_tools = RegionTools(self.regions, self.table, self.path)
        self.seams = Seams(session, self.player, self)
        self.readying = Readying(self)
        self.studying = Studying(self)
        self.left = MeasuringLeft(session, self)
        self._shown_view_point = 0
        self._shown_whose = ""
        self._looker = LatestWorker("look", self)
        self.neighbours = Neighbours(session, self.strip, self)
        self.drafting = Drafting(self.table, self)
        self._workers = (
            self._looker, self.drafting, self.neighbours, self.trying, self.scopes, self.specks, self.studying,
            self.left, self.measuring.colours,
        )  # fmt: skip
        self._ready_timer = QTimer(self, singleShot=True, interval=READY_DELAY_MS)
        self._lay_out()
        self._connect()
        self._show_looking()

    def _lay_out(self) -> None:
        self.pictures.addWidget(self.table)
        self.pictures.addWidget(self.value_strip)
        self.side = QWidget()
        self.side.setFixedWidth(PATH_WIDTH)
        side = QVBoxLayout(self.side)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(0)
        side.addWidget(self.path, 3)
        side.addWidget(self.measuring.panel)
        side.addWidget(self.scopes, 2)
        self.measuring.panel.hide()
        self.scopes.hide()
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.looking_bar)
        middle.addWidget(self.pictures, 1)
        middle.addWidget(self.time_bar)
        middle.addWidget(self.strip)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(middle, 1)
        layout.addWidget(self.side)

    def _connect(self) -> None:
        session = self._session
        session.reel_opened.connect(self._show_reel)
        session.treatment_changed.connect(self._show_treatment)
        session.parts_changed.connect(self._show_path)
        session.declared_changed.connect(self._show_declared)
        session.place_changed.connect(self._show_place)
        session.selection_changed.connect(self._show_selection)
        session.counter_changed.connect(self._show_time)
        session.reel_grew.connect(self._show_time)
        session.reel_grew.connect(self._study)
        self._looker.done.connect(self._take_look)
        self._looker.failed.connect(self._take_fault)
        self.drafting.made.connect(self._take_draft)
        self.neighbours.faulted.connect(self.faulted)
        self._ready_timer.timeout.connect(self._make_ready)
        self.studying.studied.connect(self._show_studied)
        self.table.view_changed.connect(self._share_view)
        self.table.wipe_changed.connect(self.looking.move_wipe)
        self.table.pointed.connect(self._show_probe)
        self.table.pointed.connect(self.specks.point)
        self.table.clicked.connect(self.specks.click)
        self.measuring.box_changed.connect(self.specks.show_box)
        self.specks.evidence_wanted.connect(self._show_evidence)
        for told in (
            self.player.told, self.specks.told, self.measuring.told, self.studying.told, self.desks.told,
            self.regions.told, self.seams.told, self.left.told,
        ):  # fmt: skip
            told.connect(self.told)
        for part in (self.scopes, self.trying, self.specks, self.studying, self.left, self.measuring.colours):
            part.faulted.connect(self.faulted)
        self.left.measured.connect(self._ask_look)
        self.looking.ways_changed.connect(self._change_ways)
        self.looking.drawing_changed.connect(self._show_looking)
        self.looking.wipe_changed.connect(lambda: self.table.show_wipe(self.looking.wipe))
        self.looking_bar.held.connect(self.set_before)
        self.looking_bar.ways_wanted.connect(self.looking.change)
        self.looking_bar.colour_wanted.connect(lambda colour: self.looking.draw(colour=colour))
        self.looking_bar.zoom_chosen.connect(self.table.zoom_to)
        self.looking_bar.acted.connect(self.acted)
        self.time_bar.acted.connect(self.acted)
        self.time_bar.frame_typed.connect(session.go)
        self.time_bar.counter_chosen.connect(session.count_in)
        self.time_bar.faulted.connect(self.faulted)
        self.strip.frame_chosen.connect(session.go_output)
        self.path.step_added.connect(session.add_step)
        self.path.step_removed.connect(session.remove_step)
        self.path.step_switched.connect(session.switch_step)
        self.path.settings_changed.connect(session.change_settings)
        self.path.step_moved.connect(session.move_step)
        self.path.key_wanted.connect(session.key_setting)
        self.path.over_time_changed.connect(session.change_over_time)
        self.path.acted.connect(self.acted)
        self.path.frame_chosen.connect(self._go_before)
        self.path.built.connect(lambda: self.desks.take_panels(self.path.panels()))
        self.desks.shown.connect(lambda: self.path.show_held(self.desks.held))
        self.path.step_selected.connect(session.select)
        self.path.view_point_chosen.connect(session.view_from)
        self.value_strip.cells.zoom_wanted.connect(self.table.zoom_step)
        self.value_strip.cells.moved.connect(self.table.move_by)
        self.player.playing_changed.connect(self._show_playing)
        self.player.loop_changed.connect(self._show_time)

    def stop(self) -> None:
        """End the threads."""
        self._ready_timer.stop()
        self.player.stop()
        for worker in (*self._workers, self.readying):
            worker.stop()

    @property
    def busy(self) -> bool:
        """Whether pictures that are wanted now are still being made."""
        return any(part.busy for part in self._workers)

    @property
    def states(self) -> dict[str, Callable[[], bool]]:
        """What tells whether an act of the Bench that switches something is on."""
        return {
            **self.looking.states, "measure": lambda: self.measuring.on, "test_strip": lambda: self.trying.on,
            "scopes": lambda: self.scopes.isVisibleTo(self.side), "play": lambda: self.player.playing,
        }  # fmt: skip

    # What the session says

    def aspect(self) -> float:
        """Width of a pixel over its height at the view point: a step may have changed its shape."""
        chain, place = self._session.chain, self._session.place
        return float(chain.size_format_at(place.view_point).pixel_aspect) if chain is not None else 1.0

    def _show_reel(self) -> None:
        self.player.stop()
        self.player.set_loop(None)
        self.try_values(False)
        self.table.show_words(tr("Reading the first picture …"))
        self.table.show_view(View())
        self.measuring.show_box(None)
        self.strip.forget()
        self._show_path()
        self._show_place(self._session.place)

    def _show_treatment(self) -> None:
        self.strip.forget()
        self._show_path()
        self.measuring.show_again()
        if self.trying.on:
            self.try_values(self._session.selected > 0)
        self._show_place(self._session.place)

    def _show_declared(self) -> None:
        self._show_path()
        self._show_time()

    def _show_selection(self, _place: int) -> None:
        self._show_path()
        self.measuring.show_again()
        if self.trying.on:
            self.try_values(True)
        self._ask_look()

    def _show_path(self) -> None:
        session = self._session
        words = session.reel.format.describe() if session.reel is not None else ""
        self._shown_whose = session.parts.whose(session.place.frame)
        words = f"{words}\n{self._shown_whose}".strip()
        self.path.show_treatment(
            session.treatment, session.selected, session.place.view_point, words, session.place.frame
        )
        self.desks.show()
        self.region_tools.show()

    def _show_place(self, place: Place) -> None:
        session = self._session
        if session.reel is None:
            return
        self._show_time()
        if place.view_point != self._shown_view_point:
            self._shown_view_point = place.view_point
            self.strip.forget()
            self._show_path()
        elif session.parts.whose(place.frame) != self._shown_whose or self._changes_over_time():
            self._show_path()
        self._ask_look()
        self.trying.show_frame(self.looking.ways, self.player.playing)
        if not self.player.playing:  # the strip waits while playing: seven more pictures a frame cost too much
            self.neighbours.show_place(self.aspect())
            self._ready_timer.start()
            self.player.narrow(self.trying.frames() if self.trying.on else None)

    def _changes_over_time(self) -> bool:
        """Whether the selected step has numbers that change: its card shows those of the present frame."""
        steps, place = self._session.treatment.steps, self._session.selected
        return 0 < place <= len(steps) and bool(steps[place - 1].over_time)

    def _show_time(self, _changed: object = None) -> None:
        session = self._session
        if session.reel is None:
            return
        counter, feet = session.counter, session.reel.declared.gauge is not None
        self.time_bar.show_place(session.place.frame, session.kept, counter, feet)
        self.time_bar.show_loop(self.player.loop if self.player.loop_is_set else None, counter)

    def _show_playing(self, playing: bool) -> None:
        self.time_bar.show_playing(playing)
        self.strip.setEnabled(not playing)
        if playing:
            self._ready_timer.stop()
            self.readying.pause()
            self.neighbours.pause()

    # Pictures

    def _ask_look(self) -> None:
        chain, place = self._session.chain, self._session.place
        if chain is None:
            return
        self._study()
        view_point = chain.known_view_point(place.view_point, place.frame)
        selected = min(self._session.selected, len(chain.view_points) - 1)  # a shot of its own may have fewer steps
        hidden = self.looking.drawing.evidence == "off"
        evidence_of = 0 if hidden and self.player.playing else chain.known_view_point(selected, place.frame)
        small = self.player.playing and self.table.scale() <= SMALL_SCALE
        ways = replace(self.looking.ways, small=small)
        output = place.output if view_point == place.view_point else None
        tag = (chain, place.frame, view_point, output, ways)
        self.table.show_waiting(not self.player.playing)
        shapes = (self.regions.regions, self.desks.drawn())
        kept = self._session.kept_at(view_point)
        make = partial(make_look, chain, place.frame, view_point, evidence_of, ways, output, *shapes, kept)
        self._looker.ask(Request(tag, make))
        fmt = None if self.player.playing else drafted(chain, view_point, place.frame, output)
        draft = partial(make_look, chain, place.frame, view_point, 0, ways, output, *shapes, None)
        self.drafting.want(None if fmt is None else Wanted(tag, fmt, draft))

    def _study(self) -> None:
        """Let steps study the reel, or its shot, once all its frames are known."""
        if self._session.chain is not None and self._session.knows_all_frames:
            self.studying.look_at(self._session.chain, self._session.place.frame)

    def _show_studied(self) -> None:
        self.strip.forget()
        self._show_place(self._session.place)
        self.studied.emit()

    def _take_look(self, tag: Any, look: Look) -> None:
        session = self._session
        chain, place = session.chain, session.place
        if chain is None or tag[0] is not chain:
            return
        self.table.show_look(look)
        self.drafting.want(None)
        known = chain.known_view_point(place.view_point, place.frame)
        self.table.show_waiting(not self.player.playing and tag[1:4] != (place.frame, known, place.output))
        if not self.player.playing:
            self._share_view(self.table.view)
            at_output = session.moved is not None and look.output is not None
            self.strip.show_picture(look.output if at_output else look.number, look.after)  # type: ignore[arg-type]
            self._show_facts(look)
            self.measuring.read(look)
            self.specks.take_look()
            self.desks.show()
            self.region_tools.show()
        if not (self.player.playing and self.scopes.busy):
            self.scopes.show_frame(look.frame)
        self.looked.emit(look)

    def _take_draft(self, look: Look) -> None:
        self.table.show_look(look)
        self.table.show_waiting(True)

    def _show_facts(self, look: Look) -> None:
        for place, step in enumerate(self._session.treatment.steps, 1):
            here = place == self._session.selected
            self.path.show_facts(place, frame_facts(look, step.step) if here else "")
            self.path.show_shot(place, look.shot if here else None)
            if here and doubts_whole_frame(look, step.step):
                self._session.note_doubt(look.number, look.evidence.doubt)  # type: ignore[union-attr]

    def _go_before(self, place: int, number: int) -> None:
        """Go to a frame, by its number before a step."""
        if self._session.chain is not None:
            self._session.go(self._session.chain.reel_frame(place, number))

    def _take_fault(self, tag: Any, fault: Exception) -> None:
        chain, frame = self._session.chain, self._session.place.frame
        if chain is None or tag[0] is not chain or tag[1] != frame:
            return
        self.drafting.want(None)
        if isinstance(fault, UnreadableFrameError):
            self.table.show_missing(fault.what)
            self._session.note_unreadable(fault.number, fault.what)
            if not self.player.playing:
                self.told.emit(fault.what)
            return
        self.table.show_missing(fault.what if isinstance(fault, GrevinError) else tr("This frame cannot be shown."))
        self.player.stop()
        self.faulted.emit(fault)

    def _make_ready(self) -> None:
        chain, place = self._session.chain, self._session.place
        idle = chain is None or place.view_point == 0 or self.player.playing or self.trying.on
        if chain is None or idle or chain.known_view_point(place.view_point, place.frame) < place.view_point:
            self.readying.pause()
            return
        timeline = self._session.moved
        frames = self._wanted_ready()
        frames = frames if timeline is None else timeline.outputs_in(frames)
        frame = place.frame if timeline is None else self._session.output
        self.readying.start(chain, place.view_point, frames, frame, self._session.making_at(place.view_point))

    def _wanted_ready(self) -> range:
        """The frames that are likely to be played: the loop that was set, else the shot in sight."""
        loop, parts, session = self.player.loop, self._session.parts, self._session
        if self.player.loop_is_set:
            return loop
        shot = parts.frames(parts.at(session.place.frame), session.length)
        return range(max(loop.start, shot.start), min(loop.stop, shot.stop))

    # Ways of looking

    def _change_ways(self) -> None:
        self._show_looking()
        self.neighbours.renew(self.looking.ways)
        self.trying.show_frame(self.looking.ways, self.player.playing)
        self._ask_look()

    def _show_looking(self) -> None:
        looking = self.looking
        if looking.drawing.evidence != "off" and self._session.selected == 0 and self._session.treatment.steps:
            self._session.select(self._session.place.view_point or 1)
        self.table.show_ways(looking.ways, looking.drawing)
        self.specks.show(looking.drawing.evidence != "off")
        self.looking_bar.show_ways(looking.ways, looking.drawing)
        self._share_view(self.table.view)

    def _share_view(self, view: View) -> None:
        drawing = self.looking.drawing
        self.strip.show_view(view)
        self.value_strip.cells.show_view(view, drawing.colour if drawing.evidence != "off" else None)
        self.looking_bar.show_zoom(view.zoom, self.table.scale())

    def _show_evidence(self) -> None:
        """A step's findings are looked through: they have to be seen."""
        if self.looking.drawing.evidence == "off":
            self.looking.draw(evidence="hatch")

    def set_before(self, on: bool) -> None:
        """Show the source while held."""
        self.looking.draw(before=on)

    def widen_strip(self) -> None:
        """Three, five or seven neighbours, in turn."""
        self.strip.show_count(COUNTS[(COUNTS.index(self.strip.count) + 1) % len(COUNTS)])
        self.neighbours.show_place(self.aspect())

    def try_values(self, on: bool) -> None:
        """Test strip on or off."""
        selected = self._session.selected
        fresh = on and not self.trying.on and 0 < selected <= len(self._session.treatment.steps)
        showing = self.trying.switch(on, self.path.card(selected).focused_setting() if fresh else "")
        if on and not showing:
            self.told.emit(tr("Add or select a step first: the test strip tries values of its settings."))
        self.pictures.setCurrentWidget(self.value_strip if showing else self.table)
        self.player.narrow(self.trying.frames() if showing else None)
        self.looking_bar.show_toggle("test_strip", showing)
        if showing:
            self.trying.show_frame(self.looking.ways, self.player.playing)
            self.value_strip.cells.setFocus(Qt.FocusReason.OtherFocusReason)

    # Reading values

    def _show_probe(self, place: tuple[int, int] | None) -> None:
        look = self.table.look
        if look is None or place is None:
            self.time_bar.show_probe(None, ())
            return
        shown = look.source if self.looking.drawing.before else look.frame
        self.time_bar.show_probe(place, read_point(shown, *place))

    def show_scopes(self, on: bool) -> None:
        """Scopes on or off."""
        self.scopes.setVisible(on)
        self.looking_bar.show_toggle("scopes", on)
        if on and self.table.look is not None:
            self.scopes.show_frame(self.table.look.frame)

    def close_reel(self) -> None:
        """Nothing is open any more."""
        self.player.stop()
        self.player.set_loop(None)
        self.try_values(False)
        self.readying.pause()
        self.neighbours.pause()
        self._looker.ask()
        self.drafting.want(None)
        self.table.show_words("")
        self.scopes.show_frame(None)

    def only_picture(self, on: bool) -> None:
        """The light table alone, for the full screen."""
        for part in (self.looking_bar, self.time_bar, self.strip, self.side):
            part.setVisible(not on)

    def focus_table(self) -> None:
        """Give the keys to the light table."""
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)
