"""The colours of the measured box as a range: what they select, before and after, and how steadily."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import QObject, QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from grevin.core.measure.area import Box
from grevin.core.measure.colour_range import (
    FIRST_REACH,
    LEAST_REACH,
    MOST_REACH,
    ColourRange,
    Steadiness,
    range_of,
    selected,
    steadiness,
)
from grevin.core.treatment.chain import Chain
from grevin.desktop.keys import hint
from grevin.desktop.places.ways_of_looking import WaysOfLooking
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look
from grevin.desktop.work.workers import LatestWorker, Request

FRAMES_AROUND = 4  # a side


class ColourCheck(QObject):
    """Shows only the chosen colours on the light table, and measures how steadily they select."""

    faulted = Signal(object)
    told = Signal(str)

    def __init__(self, session: Session, looking: WaysOfLooking, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._looking = looking
        self._look: Look | None = None
        self._box: Box | None = None
        self._worker = LatestWorker("colour range", self)
        self._worker.done.connect(self._take)
        self._worker.failed.connect(lambda _tag, fault: self.faulted.emit(fault))
        looking.ways_changed.connect(self._follow)
        self.row = QWidget()
        self.switch = QCheckBox(tr("Colour range"))
        self.switch.setObjectName("colour_range")
        self.switch.setToolTip(hint("colour_range"))
        self.switch.toggled.connect(self._pick)
        self.reach = QDoubleSpinBox()
        self.reach.setObjectName("colour_reach")
        self.reach.setRange(LEAST_REACH, MOST_REACH)
        self.reach.setDecimals(0)
        self.reach.setValue(FIRST_REACH)
        self.reach.setSuffix(tr(" levels"))
        self.reach.setToolTip(tr("By how many levels a colour may differ from that of the box."))
        self.reach.setAccessibleName(tr("Reach of the colour range"))
        self.reach.setKeyboardTracking(False)
        self.reach.valueChanged.connect(self._reach_further)
        self.words = QLabel()
        self.words.setObjectName("steadiness")
        self.words.setWordWrap(True)
        top = QHBoxLayout()
        top.addWidget(self.switch, 1)
        top.addWidget(self.reach)
        layout = QVBoxLayout(self.row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addLayout(top)
        layout.addWidget(self.words)

    @property
    def busy(self) -> bool:
        """Whether it is being measured."""
        return self._worker.busy

    @property
    def colours(self) -> ColourRange | None:
        """The range that is shown."""
        return self._looking.ways.colours

    def toggle(self) -> None:
        """Take the colours of the box, or show all again."""
        if self._box is None:
            self.told.emit(tr("Measure a box on a colour first: its colours are then shown alone."))
            return
        self.switch.toggle()

    def show_box(self, box: Box | None) -> None:
        """Another box: its colours are taken if a range is shown; without one all are shown."""
        if box != self._box:
            self._box = box
            self.row.setEnabled(box is not None)
            self._pick(self.switch.isChecked())

    def read(self, look: Look) -> None:
        """Another frame or picture: the steadiness is another one."""
        self._look = look
        self._ask()

    def _pick(self, on: bool) -> None:
        look, box = self._look, self._box
        if not on or look is None or box is None or not box.fits(look.frame.format):
            with QSignalBlocker(self.switch):
                self.switch.setChecked(False)
            self._show(None)
            return
        self._show(range_of(look.frame, box, self.reach.value()))

    def _reach_further(self, reach: float) -> None:
        if self.colours is not None:
            self._show(replace(self.colours, reach=reach))

    def _show(self, colours: ColourRange | None) -> None:
        self._looking.change({"colours": colours})
        self._ask()

    def _follow(self) -> None:
        """All colours may have been asked for from elsewhere."""
        if self.colours is None:
            with QSignalBlocker(self.switch):
                self.switch.setChecked(False)
            self.words.clear()

    def _ask(self) -> None:
        chain, look, colours = self._session.chain, self._look, self.colours
        if colours is not None:
            self.words.setText(tr("Measuring how steady it is …"))
        if chain is not None and look is not None and colours is not None:
            tag = (look.number, look.view_point, colours)
            self._worker.ask(Request(tag, partial(_both, chain, look.number, look.view_point, colours)))

    def _take(self, tag: tuple[int, int, ColourRange], found: tuple[Steadiness, Steadiness]) -> None:
        if self.colours != tag[2]:
            return
        source, here = found
        words = tr("{0:.1f} % of the picture; from frame to frame {1:.1f} % of it flips.",
                   100 * here.share, 100 * here.flips)  # fmt: skip
        more = "" if tag[1] == 0 else tr(" In the source: {0:.1f} %.", 100 * source.flips)
        self.words.setText(words + more)
        self.words.setMinimumHeight(self.words.heightForWidth(self.words.width()))

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()


def _both(chain: Chain, number: int, view_point: int, colours: ColourRange) -> tuple[Steadiness, Steadiness]:
    """How steady the selection is over the frames around, in the source and at the view point."""
    numbers = [
        place for place in range(max(0, number - FRAMES_AROUND), min(len(chain.source), number + FRAMES_AROUND + 1))
        if chain.shots.same_shot(number, place)
    ]  # fmt: skip
    point = chain.view_points[view_point]
    source = steadiness(selected(chain.source.frame(place), colours) for place in numbers)
    if view_point == 0:
        return source, source
    outputs = dict.fromkeys(chain.output_of(view_point, place) for place in numbers)
    return source, steadiness(selected(point.frame(place), colours) for place in outputs)
