"""Output: what is to be written with a picture of it, the queue, and the proof of what was written."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from grevin.core.errors import GrevinError
from grevin.core.job.document import Reel, reel_stem
from grevin.core.job.orders import Order
from grevin.core.job.queue import user_queue
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import ProgressReport
from grevin.core.render.proof import Proof
from grevin.core.treatment.chain import Chain
from grevin.desktop.places.output_form import OutputForm
from grevin.desktop.places.output_picture import OutputLooks, OutputPicture
from grevin.desktop.places.output_proofs import Proofs
from grevin.desktop.places.output_queue import QueueList
from grevin.desktop.places.output_running import OrderRunner
from grevin.desktop.session import Session
from grevin.desktop.texts import tr, tr_count

FORM_PX = 430
SOON_MS = 300  # behind the last change of the form
LOOK_AGAIN_MS = 1000  # at the queue, which others may change


class Output(QWidget):
    """The place where versions are written."""

    told = Signal(str)
    faulted = Signal(object)
    written = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._kept = range(0)
        self._queue = user_queue()
        self._runner = OrderRunner(self._queue, self)
        self._left = QWidget(self)
        form = self._form = OutputForm(self._left)
        self.version, self.quality, self.path = form.version, form.quality, form.path
        self.first, self.last, self.sound, self.bits = form.first, form.last, form.sound, form.bits
        self.dither, self.evidence, self.ledger, self.overwrite = (
            form.dither,
            form.evidence,
            form.ledger,
            form.overwrite,
        )
        self.write = QPushButton(tr("Write"))
        self.every = QPushButton(tr("Order for every reel"))
        self.every.setToolTip(tr("This version of all reels of the job, each between its trims, into the same folder."))
        self.cancel = QPushButton(tr("Cancel"))
        self.bar = QProgressBar()
        self.result = QLabel()
        self.picture = OutputPicture()
        self.queue = QueueList(self._queue)
        self._looks = OutputLooks(self)
        self.proofs = Proofs(session)
        for name in ("write", "every", "cancel", "result"):
            getattr(self, name).setObjectName(f"output_{name}")
        self._lay_out()
        self._connect()

    def _connect(self) -> None:
        form = self._form
        self.version.currentIndexChanged.connect(self._suggest)
        seen = (form.lines, form.enlarge, form.first_field, form.colours, form.chroma, form.levels, form.bits)
        boxes = (box.currentIndexChanged for box in (self.version, *seen))
        for changed in (*boxes, form.square.toggled, form.whole_frames.toggled):
            changed.connect(self.show_facts)
        self._form.faulted.connect(self.faulted)
        self._form.keep_it.clicked.connect(self._keep_version)
        self._form.shot.clicked.connect(self._choose_shot)
        self._form.all.clicked.connect(lambda: self._form.show_frames(self._session.kept))
        self.write.clicked.connect(self.start)
        self.cancel.clicked.connect(self._runner.cancel)
        self.every.clicked.connect(self._order_all)
        self.queue.wanted.connect(self._runner.work_off)
        self.queue.held.connect(self._hold)
        runner = self._runner
        runner.changed.connect(self._show_changed)
        runner.progressed.connect(self._show_progress)
        runner.said.connect(self.result.setText)
        runner.finished.connect(self._finish)
        runner.faulted.connect(self.faulted)
        runner.through.connect(self._tell_desktop)
        self._looks.pictured.connect(self._show_picture)
        self._looks.counted.connect(self._kept_words.setText)
        self._looks.failed.connect(self._show_why_not)
        self._session.reel_opened.connect(self._show_reel)
        self._session.declared_changed.connect(self._follow_trims)
        self._session.reels_changed.connect(self._show_reels)
        self.proofs.told.connect(self.told)
        self.proofs.faulted.connect(self.faulted)
        self.queue.faulted.connect(self.faulted)
        self._looks.sized.connect(self._form.room.setText)
        self._soon = QTimer(self, interval=SOON_MS, singleShot=True)
        self._soon.timeout.connect(self._ask_size)
        self._form.changed.connect(self._soon.start)
        self._again = QTimer(self, interval=LOOK_AGAIN_MS)
        self._again.timeout.connect(self.queue.show_orders)

    def _lay_out(self) -> None:
        self._left.setFixedWidth(FORM_PX)
        column = QVBoxLayout(self._left)
        column.setContentsMargins(0, 0, 0, 0)
        self._treated = QLabel()
        self._treated.setProperty("title", True)
        self._treated.setWordWrap(True)
        column.addWidget(self._treated)
        column.addSpacing(6)
        column.addWidget(self._form)
        self.write.setProperty("strong", True)
        self.write.setMinimumWidth(140)
        self.write.setToolTip(
            tr("Written under a temporary name, read back, then renamed. The source is never written to.")
        )
        self.cancel.hide()
        self.every.hide()
        self.bar.hide()
        buttons = QHBoxLayout()
        for part in (self.write, self.every, self.cancel):
            buttons.addWidget(part)
        buttons.addStretch(1)
        column.addSpacing(6)
        column.addLayout(buttons)
        column.addWidget(self.bar)
        self.result.setWordWrap(True)
        self.result.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.result)
        column.addStretch(1)
        column.addLayout(self._kept_row())
        layout = QHBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 10)
        layout.setSpacing(16)
        layout.addWidget(self._left)
        layout.addLayout(self._right(), 1)

    def _kept_row(self) -> QHBoxLayout:
        self._kept_words = QLabel()
        self._kept_words.setProperty("quiet", True)
        self._kept_words.setWordWrap(True)
        forget = QPushButton(tr("Forget them"))
        forget.setObjectName("output_forget")
        forget.setToolTip(tr("Treated frames that are kept on disk: a run that was stopped goes on with them."))
        forget.clicked.connect(self._looks.forget)
        row = QHBoxLayout()
        row.addWidget(self._kept_words, 1)
        row.addWidget(forget)
        return row

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self._caption = QLabel()
        self._caption.setProperty("quiet", True)
        column.addWidget(self.picture, 1)
        column.addWidget(self._caption)
        self._tabs = QTabWidget()
        self._tabs.setObjectName("output_lists")
        self._tabs.setAccessibleName(tr("Queue and proofs"))
        self._tabs.addTab(self.queue, tr("Queue"))
        self._tabs.addTab(self.proofs, tr("Written from this job, with proof"))
        self._tabs.setFixedHeight(250)
        column.addWidget(self._tabs)
        return column

    def _show_reel(self) -> None:
        self.show_length()
        self._kept = range(0)
        self._follow_trims()
        self.result.clear()
        self._suggest()
        self.show_facts()
        self.show_runs()
        self.queue.show_orders()
        waiting = self.queue.waiting
        if waiting and not self.writing:
            words = tr_count("{0} order waits in the queue.", "{0} orders wait in the queue.", waiting)
            self.result.setText(words + " " + tr("“Work off what waits” goes on with it."))

    def _follow_trims(self) -> None:
        """Other trims: all that is kept is written, until another range is chosen."""
        kept = self._session.kept
        if kept != self._kept:
            self._kept = kept
            self._form.show_frames(kept)

    def _choose_shot(self) -> None:
        """The shot in sight is written, as far as it lies between the trims."""
        parts, kept = self._session.parts, self._session.kept
        shot = parts.frames(parts.at(self._session.place.frame), self._session.length)
        both = range(max(shot.start, kept.start), min(shot.stop, kept.stop))
        self._form.show_frames(both or kept)

    def show_length(self) -> None:
        """The reel grew while it was being indexed: a range that ended with it still does."""
        last = max(0, self._session.length - 1)
        follows = self.last.value() == self.last.maximum()
        for box in (self.first, self.last):
            box.setRange(0, last)
        if follows:
            self.last.setValue(self._session.kept.stop - 1)

    def _show_reels(self) -> None:
        self.every.setVisible(len(self._session.document.reels) > 1)

    def _suggest(self) -> None:
        entry = self._session.entry
        if entry is not None:
            source = Path(entry.path)
            self._form.suggest(source.parent, reel_stem(source) or "reel")

    def _keep_version(self) -> None:
        entry = self._session.entry
        if entry is not None:
            self._form.ask_to_keep(reel_stem(Path(entry.path)))

    def show_facts(self) -> None:
        """Say and show what would be written."""
        if self._form.chosen.sound_alone:
            self._show_sound()
            return
        plan = self._form.wishes.planned(self._session.plan)
        treatments = plan.treatments()
        steps = dict.fromkeys(step.step for one in treatments for step in one.steps if step.enabled)
        words = "treated: " + ", ".join(steps) if steps else "not treated: this would be a plain copy"
        words += f"; {len(treatments)} different treatments, shot by shot" if len(treatments) > 1 else ""
        treated, frame = self._session.treated, self._session.place.frame
        chain = None if treated is None else treated.under(plan.treatment_at(frame))
        fmt = chain.size_format.describe() if chain is not None else ""
        self._treated.setText(f"{fmt}, {words}")
        self.queue.show_orders()
        if chain is not None and self.isVisible():
            self._ask_picture(chain, frame)

    def _ask_picture(self, chain: Chain, frame: int) -> None:
        """A frame as it will be written."""
        reel, entry = self._session.reel, self._session.entry
        if reel is None or entry is None:
            return
        try:
            request = self._order(entry).request(reel.kept).for_material(reel.format)
        except GrevinError as fault:
            self._show_why_not(fault)
            return
        self.picture.show_words(tr("Making the picture …"))
        self._looks.ask(chain, frame, request)

    def _show_sound(self) -> None:
        self._treated.setText(tr("sound alone, as long as the picture plays when it is treated"))
        self.picture.show_words(tr("This version has no picture."))
        self._caption.clear()
        self.queue.show_orders()

    def showEvent(self, event: object) -> None:
        self._again.start()
        self._soon.start()
        self.show_facts()

    def hideEvent(self, event: object) -> None:
        self._again.stop()

    def _show_picture(self, screen: object, fmt: PictureFormat, known: bool) -> None:
        if self._form.chosen.sound_alone:  # chosen since it was asked for
            return
        self.picture.show_picture(screen, fmt)
        wide, high = fmt.display_size
        words = tr("Frame {0} as it will be written", self._session.place.frame)
        if not known:
            words = tr("Frame {0} before the steps that look at the whole reel first", self._session.place.frame)
        shown = tr("shown {0:.0f} x {1:.0f}", wide, high)
        self._caption.setText(f"{words}: {fmt.describe()}, {shown}")

    def _show_why_not(self, fault: GrevinError) -> None:
        self.picture.show_words(str(fault))
        self._caption.clear()

    def only_picture(self, on: bool) -> None:
        """The light table alone: a hidden place still asks for its width."""
        self._left.setHidden(on)
        self._tabs.setHidden(on)

    def show_runs(self) -> None:
        """List the proofs that the job holds."""
        self.proofs.show_runs()

    @property
    def writing(self) -> bool:
        """Whether something is being written."""
        return self._runner.running

    @property
    def busy(self) -> bool:
        """Whether something is being written or made to be shown."""
        return self.writing or self._looks.busy or self.proofs.busy

    def start(self) -> None:
        """Order what the form says; written at once, or when what is being written is done."""
        entry, job = self._session.entry, self._session.job_file
        if entry is None or job is None:
            return
        if self.last.value() < self.first.value():
            self.result.setText(tr("The last frame lies before the first: choose a run of frames."))
            return
        self._runner.order(self._order(entry, str(job.path)))

    def _order_all(self) -> None:
        """Order what the form says for every reel of the job, all of each between its trims, under names of its own."""
        job, path = self._session.job_file, Path(self.path.text()).expanduser().absolute()
        if job is None:
            return
        folder, orders = self._form.folder_of(path), list[Order]()
        try:
            known = {Path(output) for output in self._runner.wanted_outputs()}
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        for entry in self._session.document.reels:
            output = self._form.chosen.free_path(folder, reel_stem(Path(entry.path)) or "reel", known)
            known.add(output)
            wanted = {**self._form.order(output), "first": 0, "stop": 0}
            words = tuple(job.verdicts(entry.id))
            orders.append(Order(job=str(job.path), reel=entry, verdicts=words, output=str(output), **wanted))
        self._runner.order(*orders)
        self.told.emit(tr("{0} reels are ordered.", len(orders)))

    def _order(self, entry: Reel, job: str = "") -> Order:
        output = Path(self.path.text()).expanduser().absolute()
        words = tuple(self._session.verdicts) if job else ()
        return Order(job=job, reel=entry, verdicts=words, output=str(output), **self._form.order(output))

    def _ask_size(self) -> None:
        """How large what the form says becomes."""
        reel, entry = self._session.reel, self._session.entry
        if reel is None or entry is None or not self.isVisible() or self.last.value() < self.first.value():
            self._form.room.clear()
            return
        try:
            order = self._order(entry)
            self._looks.expect(reel, order.plan(), order.request(reel.kept).for_material(reel.format))
        except GrevinError as fault:
            self._form.room.setText(fault.what)

    def _hold(self, number: int) -> None:
        """Stop an order for now."""
        if not self._runner.hold(number):
            self.told.emit(tr("Another window or command is at that order."))

    def stop(self) -> None:
        """Stop and wait, before the window closes."""
        self._again.stop()
        self._soon.stop()
        self._looks.stop()
        self.proofs.stop()
        self._runner.stop()

    def _show_changed(self) -> None:
        self._show_running(self._runner.running)
        self.queue.show_orders()

    def _show_running(self, running: bool) -> None:
        self.write.setText(tr("Put in the queue") if running else tr("Write"))
        self.cancel.setVisible(running)
        self.bar.setVisible(running)

    def _show_progress(self, report: ProgressReport) -> None:
        self.bar.setRange(0, max(1, report.total))
        self.bar.setValue(report.done)
        left = report.seconds_left
        rest = f", {left:.0f} s left" if left is not None else ""
        self.bar.setFormat(f"{report.message} {report.done}/{report.total}{rest}")

    def _finish(self, proof: Proof) -> None:
        self.result.setText(tr("Proved. ") + " ".join((proof.sentence(), *proof.notes)))
        self.show_runs()
        self.show_facts()
        self.told.emit(tr("{0} is written and proved.", Path(proof.output).name))
        self.written.emit()

    def _tell_desktop(self) -> None:
        """All is written: who looks elsewhere meanwhile is told by the desktop."""
        if not self.window().isActiveWindow():
            QApplication.alert(self.window())
