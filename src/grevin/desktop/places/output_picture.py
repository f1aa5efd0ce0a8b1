"""The frame in sight as it will be written, at its own shape, and what is kept of treated frames."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from grevin.core.intake.reel import DeclaredReel
from grevin.core.picture.depth import in_depth
from grevin.core.picture.display import to_screen
from grevin.core.picture.format import PictureFormat
from grevin.core.render.beforehand import Room, room_for
from grevin.core.render.delivered import as_whole_frame, delivered
from grevin.core.render.ready import ReadyFrames, user_ready_frames
from grevin.core.render.request import RunRequest
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.desktop.style import look
from grevin.desktop.texts import tr
from grevin.desktop.work.workers import LatestWorker, Request

GIGABYTE = 1_000_000_000
MEMORY_TOLD = 2 * GIGABYTE  # of a picture, from which on it is worth a word


class OutputPicture(QWidget):
    """One picture, as large as there is room, its pixels as wide as they are meant to be."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._image: QImage | None = None
        self._aspect = 1.0
        self._words = ""
        self.setMinimumHeight(160)

    def show_words(self, words: str) -> None:
        """Words instead of a picture."""
        self._image, self._words = None, words
        self.update()

    def show_picture(self, screen: Any, fmt: PictureFormat) -> None:
        """A screen picture of a frame of some format."""
        height, width = screen.shape[:2]
        self._image = QImage(screen.data, width, height, 4 * width, QImage.Format.Format_RGB32).copy()
        self._aspect = float(fmt.pixel_aspect)
        self.update()

    @property
    def shown_size(self) -> tuple[float, float]:
        """Width and height of the picture on the screen; 0 and 0 for none."""
        if self._image is None:
            return 0.0, 0.0
        wide, high = self._image.width() * self._aspect, float(self._image.height())
        scale = min(self.width() / wide, self.height() / high)
        return wide * scale, high * scale

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), look.table())
        if self._image is None:
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._words)
            return
        wide, high = self.shown_size
        target = QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(target, self._image, QRectF(self._image.rect()))


class OutputLooks(QObject):
    """Makes the picture, counts what is kept, forgets it when asked."""

    pictured = Signal(object, object, bool)
    counted = Signal(str)
    sized = Signal(str)
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = LatestWorker("output", self)
        self._worker.done.connect(self._take)
        self._worker.failed.connect(lambda _tag, fault: self.failed.emit(fault))
        self._sizes = LatestWorker("size", self)
        self._sizes.done.connect(lambda _tag, words: self.sized.emit(words))
        self._sizes.failed.connect(lambda _tag, fault: self.sized.emit(str(fault)))

    @property
    def busy(self) -> bool:
        """Whether anything is being made."""
        return self._worker.busy or self._sizes.busy

    def ask(self, chain: Chain, frame: int, request: RunRequest) -> None:
        """The picture of a frame of the reel behind the whole treatment, as it is written, then what is kept.

        Behind what is known of it yet where a step has to look at the whole reel first.
        """

        def make() -> tuple[Any, PictureFormat, bool]:
            last = len(chain.view_points) - 1
            known = next(place for place in range(last, -1, -1) if chain.knows_time(place))
            made = chain.frame_at(known, frame)
            if known == last:
                made = delivered(in_depth(made, request.bits, request.dither), request)
            else:  # it may be of fields yet, and is of none when it is written
                made = as_whole_frame(made, request)
            return to_screen(made), made.format, known == last

        self._worker.ask(Request("picture", make), Request("kept", _kept_words))

    def expect(self, reel: DeclaredReel, plan: Plan, request: RunRequest) -> None:
        """How large an output becomes, and how much room there is."""
        self._sizes.ask(Request("size", lambda: _size_words(room_for(reel, plan, request))))

    def forget(self) -> None:
        """Forget all that is kept."""

        def clear() -> str:
            user_ready_frames().clear()
            return _kept_words()

        self._worker.ask(Request("kept", clear))

    def _take(self, tag: object, made: Any) -> None:
        if tag == "picture":
            self.pictured.emit(*made)
        else:
            self.counted.emit(made)

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()
        self._sizes.stop()


def _kept_words(ready: ReadyFrames | None = None) -> str:
    ready = ready or user_ready_frames()
    used, most = ready.used_bytes, ready.most_bytes / GIGABYTE
    return tr("{0} of treated frames are kept, of at most {1:.1f} GB: runs go on with them.", _bytes(used), most)


def _size_words(room: Room) -> str:
    free = tr("{0} free there", _bytes(room.free))
    if room.lacks_memory:
        return tr("Too little memory: {0} a picture, {1} free", _bytes(room.memory), _bytes(room.memory_free))
    if room.memory > MEMORY_TOLD:
        free += tr("; {0} of memory a picture, of {1} free", _bytes(room.memory), _bytes(room.memory_free))
    if not room.expected:
        return free
    words = tr("about {0}; {1}", _bytes(room.expected), free)
    return tr("Too little room: {0}", words) if room.lacks else words


def _bytes(count: int) -> str:
    return f"{count / GIGABYTE:.2f} GB" if count >= GIGABYTE else f"{count / 1e6:.1f} MB"
