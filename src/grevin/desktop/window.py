"""The window: places, menus, keys, message bar; opening and closing."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, QSettings, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QMainWindow, QWidget

from grevin.core.errors import GrevinError
from grevin.core.survey.cut_search import CutSearch
from grevin.core.timebase.counters import COUNTER_LABELS
from grevin.desktop.dialogs import asking, files
from grevin.desktop.dialogs.keys_page import KeysPage
from grevin.desktop.focus_rules import FocusRules
from grevin.desktop.held_keys import HeldKeys
from grevin.desktop.job_looking import JobLooking
from grevin.desktop.job_opening import JobOpening
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.view import FIT
from grevin.desktop.memory import remember_looking, restore_looking
from grevin.desktop.menus import ON_FINDINGS, ON_FRAMES, ON_PATH, ON_PICTURE, Menus
from grevin.desktop.own_keys import OwnKeys
from grevin.desktop.recipes.recipes import Recipes
from grevin.desktop.reel_facts import ReelFacts
from grevin.desktop.session import Session
from grevin.desktop.start.starting import Starting
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.step_acts import StepActs
from grevin.desktop.window_layout import WindowLayout
from grevin.desktop.work.looks import Look
from grevin.desktop.work.surveying import Surveying

REMEMBER_MS = 2000  # how often the place where one looks is written down, so that a kill loses no more than that
ZOOMS = {"zoom_fit": FIT, "zoom_100": 1.0, "zoom_200": 2.0, "zoom_300": 3.0, "zoom_400": 4.0}
STEPS = {"step_back": -1, "step_forward": 1, "ten_back": -10, "ten_forward": 10}
PANS = {"pan_left": (1, 0), "pan_right": (-1, 0), "pan_up": (0, 1), "pan_down": (0, -1)}


def application() -> QApplication:
    """The application, which exists as long as there is a window."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app


class Window(QMainWindow):
    """Grevin's one window."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self.setWindowTitle(tr("Grevin"))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._settings = settings or QSettings("grevin", "grevin")
        files.remember_in(self._settings)
        self.session = Session(self)
        self.surveying = Surveying(self)
        self.parts = WindowLayout(self.session, self.surveying, self)
        self.bench, self.intake, self.output = self.parts.bench, self.parts.intake, self.parts.output
        self.survey = self.parts.survey
        self.column, self.messages, self.start_view = self.parts.column, self.parts.messages, self.parts.start_view
        self.opening = JobOpening(self.session, lambda: self.output.writing, self)
        self.taking_in = self.opening.taking_in
        self.starting = Starting(self.start_view, self.session, self.bench, self.opening, self._settings, self)
        self.step_acts = StepActs(self.session, self)
        self.recipes = Recipes(self.session, self)
        self._keys_page: KeysPage | None = None
        self.job_looking = JobLooking(self.session, self.parts)
        self.own_keys = OwnKeys(self._settings, self)
        self.facts = ReelFacts(
            self.session, self.column, self.survey, self.bench.player, self.taking_in, self.surveying, self
        )
        held = HeldKeys(self, self._table_in_sight, self._show_before, self._play, self.own_keys.of)
        self.focus_rules = FocusRules(held, self)
        self._closes_when_written = False
        self._shown_view_point = 0
        self._was_maximised = False
        self._remember_timer = QTimer(self, interval=REMEMBER_MS)
        self.setCentralWidget(self.parts)
        self.menus = Menus(
            self,
            self.own_keys,
            {**self.bench.states, "full_screen": self.isFullScreen, "surround": style.light_surround},
        )
        self.menus.wanted.connect(self.do)
        for where, acts in (
            (self.bench.table, ON_PICTURE), (self.survey.table, ON_PICTURE), (self.column, ON_FRAMES),
            (self.bench.strip, ON_FRAMES), (self.bench.path.clicked_on, ON_PATH),
            (self.survey.findings.view, ON_FINDINGS),
        ):  # fmt: skip
            self.menus.offer(where, acts)
        self._acts = self._make_acts()
        self._connect()
        self._restore_window()
        self._show_history()
        self._show_start()

    def _connect(self) -> None:
        session, bench = self.session, self.bench
        session.reel_opened.connect(self._show_reel)
        session.reels_changed.connect(self._show_state)
        session.reel_gone.connect(partial(self.opening.open_reel, 0))
        session.declared_changed.connect(self._show_declared)
        session.reel_grew.connect(self._show_grown)
        session.treatment_changed.connect(self._show_treatment)
        session.place_changed.connect(self._show_place)
        session.history_changed.connect(self._show_history)
        for part in (
            session,
            bench,
            self.output,
            self.opening,
            self.survey,
            self.surveying,
            self.recipes,
        ):
            part.told.connect(self.messages.say)
            part.faulted.connect(self.tell_fault)
        self.step_acts.told.connect(self.messages.say)
        self.output.written.connect(partial(self._end_closing, True))
        self.output.faulted.connect(lambda _fault: self._end_closing(False))
        bench.looked.connect(self._take_look)
        bench.acted.connect(self.do)
        bench.player.playing_changed.connect(self.taking_in.hold)
        bench.player.playing_changed.connect(self.surveying.hold)
        self.survey.acted.connect(self.do)
        self.survey.play_wanted.connect(self._play_around)
        bench.player.playing_changed.connect(self.survey.time_bar.show_playing)
        bench.readying.made.connect(self.column.refresh_soon)
        self.intake.acted.connect(self.do)
        self.intake.reel_wanted.connect(self.opening.open_reel)
        bench.desks.shown.connect(self._show_acts)
        self.parts.place_changed.connect(self._show_acts)
        self.start_view.acted.connect(self.do)
        self.start_view.job_chosen.connect(lambda name: self.open(Path(name)))
        self.parts.acted.connect(self.do)
        self.column.frame_chosen.connect(session.go)
        for name, progressed, cancel in (
            ("opening", self.opening.task.progressed, self.opening.task.cancel),
            ("indexing", self.taking_in.progressed, self.taking_in.cancel),
            ("report", self.survey.condition.progressed, self.survey.condition.stop),
            ("study", bench.studying.progressed, bench.studying.cancel),
            ("left", bench.left.progressed, bench.left.stop),
        ):
            self.messages.follow(name, progressed, cancel)
        bench.studied.connect(self.facts.show_studied)
        self.facts.tell_tracks = bench.desks.tracks
        self.opening.closing.connect(bench.close_reel)
        self.opening.closing.connect(self.surveying.stop)
        self.opening.closing.connect(self.survey.condition.stop)
        self.opening.closed.connect(self._show_closed)
        self._remember_timer.timeout.connect(session.remember_place)
        self._remember_timer.timeout.connect(self.job_looking.remember)
        self.opening.closing.connect(self.job_looking.remember)
        self._remember_timer.start()
        application().installEventFilter(self.focus_rules)
        for widget in self.findChildren(QWidget):  # those that were polished before anybody listened
            self.focus_rules.meet(widget)

    # Acts

    def _make_acts(self) -> dict[str, Callable[[], object]]:
        session, bench, player = self.session, self.bench, self.bench.player
        return {
            **{name: partial(self._step, by) for name, by in STEPS.items()},
            **{name: partial(self._on_table, "zoom_to", zoom) for name, zoom in ZOOMS.items()},
            **{name: partial(self._on_table, "pan", *way) for name, way in PANS.items()},
            **{name: partial(self.parts.go_to, name) for name in self.parts.places},
            **{name: partial(self._review, name) for name in bench.specks.acts},
            **bench.looking.acts, **self.facts.acts, **bench.desks.acts, **bench.seams.acts,
            **bench.region_tools.acts,
            **self.recipes.acts, **self.step_acts.acts, **self.starting.acts,
            "undo": session.undo, "redo": session.redo, "add_step": bench.path.open_menu,
            "test_strip": lambda: bench.try_values(not bench.trying.on), "one_picture": self._plain,
            "shot_back": partial(self._go_shot, -1), "shot_forward": partial(self._go_shot, 1),
            "to_start": lambda: session.go(0), "to_end": lambda: session.go(session.length),
            "play": player.toggle, "shuttle_back": partial(player.shuttle, -1),
            "shuttle_forward": partial(player.shuttle, 1), "loop_start": player.start_here,
            "loop_end": player.end_here, "loop_all": lambda: player.set_loop(None), "loop_shot": self._loop_shot,
            "count": self._count_next, "zoom_in": partial(self._on_table, "zoom_step", 1),
            "zoom_out": partial(self._on_table, "zoom_step", -1),
            "view_back": lambda: session.view_from(session.place.view_point - 1),
            "view_on": lambda: session.view_from(session.place.view_point + 1),
            "wider_strip": bench.widen_strip, "measure_left": bench.left.measure, "full_screen": self._full_screen,
            "measure": lambda: bench.measuring.measure(not bench.measuring.on),
            "colour_range": bench.measuring.colours.toggle,
            "measure_whole": lambda: bench.measuring.show_box(bench.table.visible_box()),
            "surround": self._change_surround,
            "scopes": lambda: bench.show_scopes(not bench.scopes.isVisibleTo(bench.side)),
            "open_material": partial(asking.ask_material, self, self.opening.open),
            "open_folder": partial(asking.ask_folder, self, self.opening.open),
            "add_reels": partial(asking.ask_material, self, self.opening.add),
            "add_folder": partial(asking.ask_folder, self, self.opening.add),
            "reel_back": lambda: self.opening.open_reel(session.reel_index - 1),
            "reel_on": lambda: self.opening.open_reel(session.reel_index + 1),
            "open_again": lambda: self.opening.open_reel(session.reel_index),
            "save_job_as": self._ask_copy, "start_page": self.opening.close,
            "show_keys": self._show_keys, "about": partial(asking.say_about, self), "quit": self.close,
        }  # fmt: skip

    def do(self, act: str, _checked: bool = False) -> None:
        """Do one of the acts of `keys.KEYS`."""
        self._acts[act]()

    def _table_in_sight(self) -> LightTable | None:
        """The light table that keys act on."""
        return next((place.table for place in (self.bench, self.survey) if place.isVisible()), None)

    def _on_table(self, name: str, *values: Any) -> None:
        table = self._table_in_sight()
        if table is not None:
            getattr(table, name)(*values)

    def _show_before(self, before: bool) -> None:
        self.bench.set_before(before)
        self.survey.show_before(before)

    def _play(self) -> None:
        if self.session.reel is not None:
            self.bench.player.toggle()

    def _play_around(self, frames: range) -> None:
        player = self.bench.player
        if player.playing:
            player.stop()
        else:
            player.set_loop(frames)
            player.toggle()

    def _review(self, act: str) -> None:
        """Verdicts and stepping: on the survey's findings where they are in sight, else on the selected step's."""
        if not self.survey.isVisible():
            self.bench.specks.acts[act]()
        elif act in {"doubt_on", "doubt_back"}:
            self.survey.step(1 if act == "doubt_on" else -1)
        else:
            self.survey.give(act)  # type: ignore[arg-type]

    def _step(self, by: int) -> None:
        frames = self.bench.looking.step_field(by, self.bench.table.look)
        if frames:
            self.session.step(frames)

    def _plain(self) -> None:
        """One picture, nothing over it; and out of full screen and test strip first."""
        if self.isFullScreen():
            self._full_screen()
        elif self.bench.trying.on:
            self.bench.try_values(False)
        else:
            self.bench.table.take_tool(None)
            self.bench.measuring.measure(False)
            self.bench.measuring.show_box(None)
            self.bench.looking.plain()

    def _search(self, then: Callable[[Any], None], work: Callable[[CutSearch, Any], object]) -> None:
        chain = self.session.chain
        if chain is None:
            return
        cuts = CutSearch(chain.shots, self.taking_in.lanes, self.session.kept)
        self.opening.task.run(partial(work, cuts), then)

    def _go_shot(self, direction: int) -> None:
        frame = self.session.place.frame
        self._search(self.session.go, lambda cuts, progress: cuts.next_cut(frame, direction, progress))

    def _loop_shot(self) -> None:
        frame = self.session.place.frame
        self._search(self.bench.player.set_loop, lambda cuts, progress: cuts.shot_around(frame, progress))

    def _count_next(self) -> None:
        kinds = list(COUNTER_LABELS)
        gauge = self.session.reel is not None and self.session.reel.declared.gauge is not None
        kinds = kinds if gauge else kinds[:2]
        present = self.session.counter.kind
        self.session.count_in(kinds[(kinds.index(present) + 1) % len(kinds)])

    def _full_screen(self) -> None:
        on = not self.isFullScreen()
        if on:
            self.parts.go_to("go_bench")
        self.parts.only_picture(on)
        self.menuBar().setVisible(not on)
        if on:
            self._was_maximised = self.isMaximized()
            self.showFullScreen()
        elif self._was_maximised:
            self.showMaximized()
        else:
            self.showNormal()

    def _change_surround(self) -> None:
        style.use_light_surround(not style.light_surround())
        for widget in self.findChildren(QWidget):
            widget.update()

    def _show_keys(self) -> None:
        self._keys_page = self._keys_page or KeysPage(self.own_keys, self)
        self._keys_page.show()

    def _ask_copy(self) -> None:
        if self.session.job_file is None:
            self.messages.say(tr("There is no job yet: open material first."))
        else:
            asking.ask_copy(self, self.save_copy)

    def save_copy(self, path: Path) -> None:
        """Keep a copy of the job, and go on working in it."""
        assert self.session.job_file is not None
        try:
            self.session.remember_place()
            self.session.job_file.save_copy(path)
        except GrevinError as fault:
            self.tell_fault(fault)
            return
        self.open(path)

    def open(self, path: Path) -> None:
        """Open a job or material."""
        self.opening.open([path])

    # Showing

    def _show_closed(self) -> None:
        self.column.show_lanes(0, None, bool)
        self.messages.clear()
        self._show_history()
        self._show_start()

    def _show_start(self) -> None:
        self.starting.show()
        self.parts.show_start(True)
        self.setWindowTitle(tr("Grevin"))

    def _show_reel(self) -> None:
        self.parts.show_start(False)
        self.facts.show_lanes(None)
        self._show_state()
        self.job_looking.give_back()
        self._show_place(self.session.place)
        self.bench.focus_table()

    def _show_grown(self) -> None:
        self._show_state()
        self.output.show_length()

    def _show_declared(self) -> None:
        self._show_state()
        self.output.show_facts()

    def _show_state(self) -> None:
        self.parts.show_state(self.session)
        if self.session.job_file is not None:
            self.setWindowTitle(tr("{0} - Grevin", self.session.job_file.path.stem))

    def _show_treatment(self) -> None:
        self._show_state()
        self.output.show_facts()

    def _show_place(self, place: Any) -> None:
        self.column.show_frame(place.frame)
        if place.view_point != self._shown_view_point:
            self._shown_view_point = place.view_point
            self.column.refresh()
        self._show_state()

    def _take_look(self, look: Look) -> None:
        self.bench.player.count_shown()
        self.facts.take_look(look)
        if self.survey.isVisible():
            self.survey.show_look(look)
        if self.intake.isVisible():
            self.intake.show_look(look)

    def _show_acts(self) -> None:
        self.menus.show_allowed(self.parts.present, self.bench.desks.may)

    def _show_history(self) -> None:
        job = self.session.job_file
        self.menus.show_history(job.undo_label() if job else None, job.redo_label() if job else None)

    def tell_fault(self, fault: Exception) -> None:
        """Say what went wrong; what nobody foresaw goes to the log too."""
        if not isinstance(fault, GrevinError):
            logging.getLogger("grevin").error("unexpected fault", exc_info=fault)
        self.messages.say_fault(fault)

    # Dropping, closing

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            self.opening.add(paths)

    def _restore_window(self) -> None:
        geometry = self._settings.value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
        restore_looking(self._settings, self.bench)
        self.session.count_in(str(self._settings.value("counter", "frames")))  # type: ignore[arg-type]

    def close_now(self) -> None:
        """Stop what is being written, leaving nothing behind, and close."""
        self.output.stop()
        self.close()

    def _close_later(self) -> None:
        """Go on writing out of sight, and close then; what fails brings the window back."""
        self._closes_when_written = self.output.writing
        if self.output.writing:
            self.hide()
        else:
            self.close()

    def _end_closing(self, closes: bool) -> None:
        if self._closes_when_written:
            self._closes_when_written = False
            self.close() if closes else self.show()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.output.writing:
            event.ignore()
            asking.ask_closing(self, self.close_now, self._close_later)
            return
        if not self.isFullScreen():
            self._settings.setValue("geometry", self.saveGeometry())
        self._settings.setValue("counter", self.session.counter_kind)
        self.starting.remember()
        self.job_looking.remember()
        remember_looking(self._settings, self.bench)
        application().removeEventFilter(self.focus_rules)
        self.surveying.stop()
        self.survey.stop()
        self.opening.stop()
        self._remember_timer.stop()
        self.output.stop()
        self.bench.stop()
        self.session.leave()
        super().closeEvent(event)

    def threads_alive(self) -> list[str]:
        """Names of our own threads that still run, for tests."""
        return [thread.name for thread in threading.enumerate() if thread.name.startswith("grevin-")]
