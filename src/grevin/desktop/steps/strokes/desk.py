"""The desk of a step that fills strokes: they are drawn, changed, gone to, copied."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, ClassVar

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from grevin.core.treatment.region_edits import (
    cut,
    ends_before_it_begins,
    has_key,
    joined,
    moved_everywhere,
    with_key,
    without_key,
)
from grevin.core.treatment.regions import STANDING, Region, RegionKey, Shift
from grevin.core.treatment.step_source import StepSource
from grevin.core.treatment.strokes import Stroke, middle
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.tools import Point
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.strokes.options import Options, Tools
from grevin.desktop.steps.strokes.panel import StrokesPanel
from grevin.desktop.steps.strokes.tool import StrokeTool
from grevin.desktop.texts import tr, tr_count

WIDER = 1.25
WIDEST_PX = 400.0
NUDGE_PX = 0.5


class StrokesDesk(Desk):
    """What a step that fills strokes adds to the window; its acts are called by the id of the step and what they do."""

    panel: ClassVar[type[QWidget] | None] = StrokesPanel

    def __init__(
        self, session: Session, table: LightTable, tools: tuple[Tools, ...], options: Options,
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        """Make the desk.

        Args:
            session: what is open.
            table: the light table.
            tools: with which strokes are drawn.
            options: how they are drawn at first.
            parent: owner.
        """
        super().__init__(session, table, parent)
        self.options = options
        self.active = -1  # place of the stroke that is worked on
        self._panels: dict[int, StrokesPanel] = {}
        self._copied: tuple[tuple[Stroke, ...], int] = ((), 0)
        self.tools = {f"{self.step}_{tool}": StrokeTool(tool, self) for tool in tools}
        does: dict[str, Callable[[], object]] = {
            "out": self.take_out, "key": self.key_here, "fill": self.fill_from_here, "here": self.hold_to_here,
            "back": partial(self.go, -1), "on": partial(self.go, 1), "copy": self.copy, "paste": self.paste,
            "wider": partial(self.widen, WIDER), "narrower": partial(self.widen, 1 / WIDER),
            "left": partial(self.nudge, -NUDGE_PX), "right": partial(self.nudge, NUDGE_PX),
            "cut": self.cut_here, "join": self.join,
        }  # fmt: skip
        acts = {f"{self.step}_{name}": does[name] for name in does}
        self.acts = {**acts, **{act: partial(self.toggle, act) for act in self.tools}}

    def tracks(self) -> tuple[range, ...]:
        """The runs of frames on which strokes hold."""
        length = self.session.length
        return tuple(
            range(one.where.first or 0, min(length, length if one.where.last is None else one.where.last + 1))
            for one in self.strokes
        )

    # what there is

    @property
    def strokes(self) -> tuple[Stroke, ...]:
        """Those of the selected step."""
        return self.session.treatment.steps[self.place - 1].strokes if self.place else ()

    @property
    def frame(self) -> int:
        """The present frame of the reel."""
        return self.session.place.frame

    def drawn(self) -> tuple[Region, ...]:
        """Shapes whose place on the frame in sight is wanted."""
        return tuple(stroke.where for stroke in self.strokes)

    def shift_of(self, place: int) -> Shift:
        """How far a stroke that follows the picture has come, as far as it is known on the frame that is shown."""
        look = self.table.look
        known = look.drawn if look is not None and look.number == self.frame else ()
        return next((shift for at, _, shift in known if at == place), STANDING)

    def shown(self) -> list[tuple[int, Stroke, Shift]]:
        """The strokes that hold on the present frame."""
        return [(at, one, self.shift_of(at)) for at, one in enumerate(self.strokes) if one.where.holds(self.frame)]

    def active_here(self) -> Stroke | None:
        """The stroke that is worked on, where it holds on the present frame."""
        held = self._held()
        return held if held is not None and held.where.holds(self.frame) else None

    def source_mark(self, present: Stroke | None = None) -> Point | None:
        """Where the middle of the other place of the stroke that is worked on lies; None where it has none."""
        stroke = self.active_here() if present is None else present
        if stroke is None or stroke.fill.way != "place":
            return None
        x, y = middle(stroke.where, self.frame, self.shift_of(self.active)) + 0.5
        return float(x + stroke.fill.right), float(y + stroke.fill.down)

    def _held(self) -> Stroke | None:
        return self.strokes[self.active] if 0 <= self.active < len(self.strokes) else None

    # changing strokes

    def pick(self, place: int) -> None:
        """Work on another one."""
        self.active = place
        held = self._held()
        if held is not None:
            where = held.where
            self.options.fill = held.fill
            self.options.rounding_px = where.rounding_px
            if where.shape == "brush":
                self.options.width_px = where.width_px
        self.show()

    def draw(self, tool: Tools, points: list[Point]) -> None:
        """One more stroke, which is worked on then."""
        where = self.options.shape(tool, points)
        if where is None:
            return
        parts = self.session.parts
        shot = parts.frames(parts.at(self.frame), self.session.length)
        stroke = self.options.stroke(where, self.frame, shot)
        self.active = len(self.strokes)
        self._set((*self.strokes, _beside(stroke)), tr("Draw a stroke"))

    def change(self, stroke: Stroke, label: str = "") -> None:
        """Another stroke instead of the one that is worked on."""
        if self._held() is not None:
            strokes = self.strokes
            self._set((*strokes[: self.active], stroke, *strokes[self.active + 1 :]), label or tr("Change a stroke"))

    def set_fill(self, **values: Any) -> None:
        """How the one that is worked on is filled, and those that come next."""
        stroke = self._held()
        self.options.set_way((stroke.fill if stroke is not None else self.options.fill).model_copy(update=values))
        if stroke is not None:
            self.change(_beside(stroke.changed(**values)))
        else:
            self.show()

    def set_shape(self, **values: Any) -> None:
        """Width, feather and the like of the one that is worked on, and of those that come next."""
        for name in ("width_px", "feather_px", "rounding_px"):
            if name in values:
                setattr(self.options, name, values[name])
        stroke = self._held()
        if stroke is None:
            self.show()
            return
        where = stroke.where
        if ends_before_it_begins(where.model_copy(update=values)):
            self.told.emit(tr("A stroke ends where it begins, or later."))
            self.show()
            return
        if values.get("follow"):  # it goes on from where it lies now
            where = with_key(where, self.frame, self.shift_of(self.active))
        self.change(stroke.model_copy(update={"where": where.model_copy(update=values)}))

    def set_span(self, span: str) -> None:
        """On which frames strokes hold that come next."""
        self.options.span = "shot" if span == "shot" else "frame"

    def take_out(self) -> None:
        """Take out the one that is worked on."""
        if self._asked() is not None:
            strokes = self.strokes
            place, self.active = self.active, -1
            self._set((*strokes[:place], *strokes[place + 1 :]), tr("Take out a stroke"))

    def key_here(self) -> None:
        """A key frame where the stroke lies on this frame; or none any more."""
        stroke = self._asked()
        if stroke is None:
            return
        keyed = has_key(stroke.where, self.frame)
        where = without_key(stroke.where, self.frame) if keyed else with_key(
            stroke.where, self.frame, self.shift_of(self.active)
        )  # fmt: skip
        self.change(stroke.model_copy(update={"where": where}))
        gone, come = tr("The stroke has no key frame on frame {0} any more."), tr("Key frame {0} of the stroke.")
        self.told.emit((gone if keyed else come).format(self.frame))

    def fill_from_here(self) -> None:
        """The stroke that is worked on is filled from the present frame."""
        stroke = self._asked()
        if stroke is not None:
            way = stroke.fill.way if stroke.fill.way == "plate" else "frame"
            self.set_fill(way=way, frame=self.frame)
            self.told.emit(tr("The stroke is filled from frame {0}.", self.frame))

    def hold_to_here(self) -> None:
        """The stroke that is worked on reaches to the present frame."""
        stroke = self._asked()
        if stroke is None:
            return
        first = stroke.where.first or 0
        ends = {"first": self.frame} if self.frame < first else {"last": self.frame}
        self.set_shape(**ends)

    def nudge(self, by: float) -> None:
        """The stroke that is worked on lies so many px farther to the right, on all its frames."""
        stroke = self._asked()
        if stroke is not None:
            where = moved_everywhere(stroke.where, (by, 0.0))
            self.change(stroke.model_copy(update={"where": where}), tr("Nudge a stroke"))

    def cut_here(self) -> None:
        """The stroke that is worked on becomes two: one up to the frame before this one, one from it on."""
        stroke = self._asked()
        if stroke is None:
            return
        first, last = stroke.where.first or 0, self.session.length - 1
        last = last if stroke.where.last is None else stroke.where.last
        if not first < self.frame <= last:
            self.told.emit(tr("Go to a frame inside the stroke, behind its first one: it is cut before that frame."))
            return
        halves = (stroke.model_copy(update={"where": half}) for half in cut(stroke.where, self.frame))
        strokes, place = self.strokes, self.active
        self.active = place + 1
        self._set((*strokes[:place], *halves, *strokes[place + 1 :]), tr("Cut a stroke"))
        self.told.emit(tr("Cut before frame {0}; the part behind is in hand.", self.frame))

    def join(self) -> None:
        """The stroke that is worked on and the next one in time become one, evenly over the frames between."""
        stroke = self._asked()
        if stroke is None:
            return
        other = self._next_in_time(stroke)
        if other is None:
            self.told.emit(tr("There is no other stroke that begins behind this one, or ends before it."))
            return
        one, behind = sorted((stroke, self.strokes[other]), key=lambda part: part.where.first or 0)
        try:
            where = joined(one.where, behind.where)
        except ValueError:
            self.told.emit(tr("Only lines and brush strokes are joined, and none that follows the picture."))
            return
        strokes, kept = self.strokes, min(self.active, other)
        rest = [part for place, part in enumerate(strokes) if place not in {self.active, other}]
        rest.insert(kept, one.model_copy(update={"where": where}))
        self.active = kept
        self._set(tuple(rest), tr("Join strokes"))
        self.told.emit(tr("Joined: frames {0} to {1}.", where.first or 0, where.last or 0))

    def _next_in_time(self, stroke: Stroke) -> int | None:
        """The place of the stroke with the fewest frames between it and this one; of several the nearest across."""
        found = []
        for place, other in enumerate(self.strokes):
            first, behind = sorted((stroke.where, other.where), key=lambda where: where.first or 0)
            if other is stroke or first.last is None or behind.first is None or first.last >= behind.first:
                continue
            ends = middle(first, first.last, STANDING), middle(behind, behind.first, STANDING)
            found.append((behind.first - first.last, float(abs(ends[0][0] - ends[1][0])), place))
        return min(found)[2] if found else None

    def widen(self, times: float) -> None:
        """A wider or narrower brush."""
        width = round(min(WIDEST_PX, max(1.0, self.options.width_px * times)))
        stroke = self._held()
        if stroke is None or stroke.where.shape == "brush":
            self.set_shape(width_px=float(width))
        else:
            self.options.width_px = float(width)
            self.show()

    def go(self, way: int) -> None:
        """To the nearest frame on which a stroke begins."""
        firsts = {stroke.where.first or 0 for stroke in self.strokes}
        ahead = [first for first in firsts if (first - self.frame) * way > 0]
        if ahead:
            self.session.go(min(ahead, key=lambda first: abs(first - self.frame)))
        else:
            self.told.emit(tr("No more strokes that way."))

    def copy(self) -> None:
        """Keep the strokes on this frame."""
        found = tuple(stroke for _, stroke, _ in self.shown())
        self._copied = found, self.frame
        words = tr_count("{0} stroke copied.", "{0} strokes copied.", len(found))
        self.told.emit(words if found else tr("There is no stroke on this frame."))

    def paste(self) -> None:
        """Give this frame what was copied: held as long, moved in time."""
        strokes, since = self._copied
        if not strokes:
            self.told.emit(tr("Copy the strokes of a frame first."))
            return
        by = self.frame - since
        self.active = len(self.strokes)
        self._set((*self.strokes, *(_later(stroke, by) for stroke in strokes)), tr("Paste strokes"))

    def _asked(self) -> Stroke | None:
        held = self._held()
        if held is None:
            self.told.emit(tr("Take hold of a stroke first: click it in the list, or with Shift on the light table."))
        return held

    def _set(self, strokes: tuple[Stroke, ...], label: str) -> None:
        self.session.change_strokes(self.place, strokes, label)
        self.table.update()
        self.show()

    # the card

    def take_panels(self, panels: dict[int, QWidget]) -> None:
        """Cards were built anew."""
        self._panels = {place: panel for place, panel in panels.items() if isinstance(panel, StrokesPanel)}
        for panel in self._panels.values():
            panel.picked.connect(self.pick)
            panel.fill_changed.connect(lambda values: self.set_fill(**values))
            panel.shape_changed.connect(lambda values: self.set_shape(**values))
            panel.span_chosen.connect(self.set_span)

    def show(self) -> None:
        """Another frame, treatment or selection."""
        if self.active >= len(self.strokes):
            self.active = -1
        panel = self._panels.get(self.place)
        if panel is not None:
            panel.show_strokes(self.shown(), self.active, self._held(), self.options, self.frame, self.table.look)
            panel.show_elsewhere(self._elsewhere())
        if self.table.tool in self.tools.values():
            self.table.update()

    def _elsewhere(self) -> str:
        """Of strokes on other frames, and of those that a step before takes away."""
        others = [stroke for stroke in self.strokes if not stroke.where.holds(self.frame)]
        words = [tr_count("{0} stroke on other frames", "{0} strokes on other frames", len(others))] if others else []
        gone = sum(self._is_gone(stroke) for stroke in self.strokes)
        words += (
            [tr_count("{0} on frames that are left out, kept", "{0} on frames that are left out, kept", gone)]
            if gone
            else []
        )
        return "; ".join(words)

    def _is_gone(self, stroke: Stroke) -> bool:
        session, chain = self.session, self.session.chain
        first = stroke.where.first or 0
        last = session.length - 1 if stroke.where.last is None else stroke.where.last
        frames = range(max(first, session.kept.start), min(last + 1, session.kept.stop))
        if not frames:
            return True
        if chain is None or self.place >= len(chain.view_points) or not chain.changes_time(self.place):
            return False
        step = chain.view_points[self.place]
        known = isinstance(step, StepSource) and chain.knows_time(self.place)
        return known and not len(chain.timeline_at(self.place).outputs_in(frames))


def _beside(stroke: Stroke) -> Stroke:
    """A stroke whose other place, where it has none yet, lies beside it."""
    where, fill = stroke.where, stroke.fill
    if fill.way != "place" or fill.right or fill.down:
        return stroke
    across = [x for x, _ in where.points]
    wide = max(across) - min(across) + where.width_px if where.has_points else where.outline(where.first or 0)[1][0]
    return stroke.changed(right=round(1.25 * float(wide) + 4, 1))


def _later(stroke: Stroke, by: int) -> Stroke:
    """The same some frames later, its key frames too."""
    where = stroke.where
    keys = tuple(RegionKey(**{**key.model_dump(), "frame": max(0, key.frame + by)}) for key in where.keys)
    held = {
        "first": None if where.first is None else max(0, where.first + by),
        "last": None if where.last is None else max(0, where.last + by), "keys": keys,
    }  # fmt: skip
    return stroke.model_copy(update={"where": where.model_copy(update=held)})
