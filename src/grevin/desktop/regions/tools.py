"""The region tools, kept in step with the card of the selected step."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import get_args

from grevin.core.steps.registry import step_by_id
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.regions.drawing import RegionDrawing
from grevin.desktop.regions.panel import TOOLS, RegionsPanel
from grevin.desktop.regions.tool import RegionTool, Shape
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.path import TreatmentPath


class RegionTools:
    """A tool for each shape, the acts, and the panel on the card."""

    def __init__(self, drawing: RegionDrawing, table: LightTable, path: TreatmentPath) -> None:
        self._drawing = drawing
        self._table = table
        self._path = path
        self._tools = {TOOLS[shape]: RegionTool(shape, drawing, table) for shape in get_args(Shape)}
        self.acts: dict[str, Callable[[], object]] = {
            **{act: partial(self._toggle, act) for act in self._tools},
            "region_key": drawing.key_here, "region_out": drawing.take_out,
            "copy_regions": drawing.copy, "paste_regions": drawing.paste,
        }  # fmt: skip
        drawing.picked.connect(self._show_panel)
        table.tool_changed.connect(self._show_panel)
        path.built.connect(self._connect)

    def _toggle(self, act: str) -> None:
        tool = self._tools[act]
        if self._table.tool is not tool and not self._may_draw():
            self._drawing.told.emit(tr("Select a step that mends pictures first: a region says where it may act."))
            return
        self._table.take_tool(None if self._table.tool is tool else tool)

    def _may_draw(self) -> bool:
        place = self._drawing.place
        return place > 0 and step_by_id(self._path.step_at(place)).family != "shape"

    def _connect(self) -> None:
        """Cards were built anew."""
        for panel in self._path.region_panels():
            panel.use_chosen.connect(self._use)
            panel.picked.connect(self._drawing.pick)
            panel.removed.connect(self._remove)
            panel.changed.connect(lambda values: self._drawing.change_active(**values))

    def _use(self, use: str) -> None:
        self._drawing.use = use  # type: ignore[assignment]
        self._drawing.change_active(use=use)

    def _remove(self, place: int) -> None:
        self._drawing.pick(place)
        self._drawing.take_out()

    def show(self) -> None:
        """Another frame, treatment or selection."""
        self._drawing.show()
        if self._table.tool in self._tools.values() and not self._may_draw():
            self._table.take_tool(None)

    def _show_panel(self) -> None:
        panel: RegionsPanel | None = self._path.region_panel(self._drawing.place)
        if panel is not None:
            panel.show_regions(self._drawing.regions, self._drawing.active, self._drawing.frame)
            panel.show_held(next((act for act, tool in self._tools.items() if tool is self._table.tool), ""))
