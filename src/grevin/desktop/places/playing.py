"""Playing: the clock says which frame is due; frames that are not ready in time are left out, and that is said."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from grevin.core.timebase.pace import Pace
from grevin.desktop.session import Session
from grevin.desktop.texts import tr

TICK_MS = 8
TELL_S = 0.5  # how often the rate that is reached is said
FASTEST = 16  # times the true rate
NEARLY = 0.97  # of the rate: the rest is rounding of the clock


class Player(QObject):
    """Moves the session's place along with time, round and round over a loop."""

    told = Signal(str)
    playing_changed = Signal(bool)
    loop_changed = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._timer = QTimer(self, interval=TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._clock = QElapsedTimer()
        self._start = 0
        self._shown = 0
        self._told_at = 0.0
        self._loop: range | None = None
        self._narrow: range | None = None
        self._pace: Pace | None = None
        self._frames = range(0)
        self._moved = False
        self.speed = 0

    @property
    def playing(self) -> bool:
        """Whether pictures run."""
        return self.speed != 0

    @property
    def loop(self) -> range:
        """The frames that are played: those between the trims, the loop that was set, or the few of a test strip."""
        kept = self._session.kept
        wanted = self._narrow or self._loop or kept
        first = min(max(kept.start, wanted.start), kept.stop - 1)
        return range(first, max(first + 1, min(kept.stop, wanted.stop)))

    @property
    def loop_is_set(self) -> bool:
        """Whether the person chose a loop."""
        return self._loop is not None

    def set_loop(self, loop: range | None) -> None:
        """Play these frames; None for all."""
        self._loop = loop
        self.loop_changed.emit(loop)
        if self.playing:
            self._begin(self.speed)

    def start_here(self) -> None:
        """The loop begins at the present frame."""
        frame, loop = self._session.place.frame, self.loop
        self.set_loop(range(frame, loop.stop if loop.stop > frame else self._session.kept.stop))

    def end_here(self) -> None:
        """The loop ends with the present frame."""
        frame, loop = self._session.place.frame, self.loop
        self.set_loop(range(loop.start if loop.start <= frame else self._session.kept.start, frame + 1))

    def narrow(self, frames: range | None) -> None:
        """Play only these for a while, whatever the loop is (test strip)."""
        self._narrow = frames
        if self.playing:
            self._begin(self.speed)

    def toggle(self) -> None:
        """Play or stop."""
        if self.playing:
            self.stop()
        else:
            self._begin(1)

    def shuttle(self, direction: int) -> None:
        """Play that way; twice as fast each time."""
        same = self.speed * direction > 0
        self._begin(direction * min(FASTEST, 2 * abs(self.speed)) if same else direction)

    def _begin(self, speed: int) -> None:
        session = self._session
        reel, timeline = session.reel, session.moved
        if reel is None:
            return
        self._moved = timeline is not None
        frames = self.loop if timeline is None else timeline.outputs_in(self.loop)
        if len(frames) < 2:
            return
        self._frames = frames
        self._pace = reel.pace if timeline is None else Pace(timeline.rate)
        frame = session.place.frame if timeline is None else session.output
        was_playing = self.playing
        self.speed = speed
        self._start = frame if frame in frames else frames.start
        self._shown, self._told_at = 0, 0.0
        self._clock.start()
        self._timer.start()
        if not was_playing:
            self.playing_changed.emit(True)

    def stop(self) -> None:
        """Stop where one is."""
        if not self.playing:
            return
        self._timer.stop()
        self.speed = 0
        self.playing_changed.emit(False)
        self._session.place_changed.emit(self._session.place)

    def count_shown(self) -> None:
        """A picture reached the screen."""
        if self.playing:
            self._shown += 1

    def _tick(self) -> None:
        if self._session.reel is None or self._pace is None:
            self.stop()
            return
        if self._moved != (self._session.moved is not None):
            self._begin(self.speed)  # the view point passed a change of time
        seconds = self._clock.elapsed() / 1000.0
        frame = self._pace.frame_due(self._start, seconds * self.speed, self._frames)
        if self._moved and frame != self._session.output:
            self._session.go_output(frame)
        elif not self._moved and frame != self._session.place.frame:
            self._session.go(frame)
        if seconds - self._told_at > TELL_S:
            self._told_at = seconds
            self._tell(seconds, float(self._pace.rate))

    def _tell(self, seconds: float, rate: float) -> None:
        shown = self._shown / seconds
        whole = shown > NEARLY * rate * abs(self.speed)
        times = f" {abs(self.speed)} times as fast" if abs(self.speed) > 1 else ""
        back = " backwards" if self.speed < 0 else ""
        left_out = "" if whole else "; frames are left out to keep time"
        self.told.emit(tr("Playing{0}{1} at {2:.5g} frames/s, {3:.1f} shown{4}.", back, times, rate, shown, left_out))
