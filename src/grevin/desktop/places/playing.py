"""Playing at the true rate: the clock says which frame is due; frames that are not ready in time are left out."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from grevin.desktop.session import Session

TICK_MS = 8


class Player(QObject):
    """Moves the session's place along with time, round and round from where it was started."""

    told = Signal(str)
    playing_changed = Signal(bool)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._timer = QTimer(self, interval=TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._clock = QElapsedTimer()
        self._start = 0
        self._shown = 0
        self.playing = False

    def toggle(self) -> None:
        """Play or stop."""
        if self.playing:
            self.stop()
        elif self._session.length > 1:
            self.playing = True
            self._start = self._session.place.frame
            self._shown = 0
            self._clock.start()
            self._timer.start()
            self.playing_changed.emit(True)

    def stop(self) -> None:
        """Stop where one is."""
        if not self.playing:
            return
        self._timer.stop()
        self.playing = False
        self.playing_changed.emit(False)
        self._session.place_changed.emit(self._session.place)

    def count_shown(self) -> None:
        """A picture reached the screen."""
        if self.playing:
            self._shown += 1

    def _tick(self) -> None:
        reel = self._session.reel
        if reel is None:
            self.stop()
            return
        seconds = self._clock.elapsed() / 1000.0
        due = self._start + int(seconds * float(reel.format.rate))
        frame = due % self._session.length
        if frame != self._session.place.frame:
            self._session.go(frame)
            if seconds > 1.0 and due % 12 == 0:
                self._tell(seconds, float(reel.format.rate))

    def _tell(self, seconds: float, rate: float) -> None:
        shown = self._shown / seconds
        left_out = "" if shown > 0.97 * rate else "; frames are left out to keep time"
        self.told.emit(f"Playing at {rate:.5g} frames/s, {shown:.1f} shown{left_out}.")
