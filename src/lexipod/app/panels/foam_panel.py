"""Where something may be glued, the foam that is planned, and what the maker put on: pads, decorations, films."""

from __future__ import annotations

import functools
from typing import Any

import msgspec
import shapely
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.panels.fields import QuantityField, choice_box, set_choice
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import Overlay, ViewState
from lexipod.checks import Examination
from lexipod.checks.foam import count_foam
from lexipod.design import Item
from lexipod.editing.items import format_item, free_item_ids, place_on
from lexipod.recipes import Parameter
from lexipod.units.quantities import Value

PLAN = "plan pads where it sags"
USES = {"foam": "foam", "flat": "something flat", "glue": "glue"}
STYLES = {"strips": "strips", "pads": "pads", "sheet": "cut sheet"}
KINDS = {"decoration": "decoration", "pad": "foam pad", "glide": "glide pad", "film": "film"}
PLACE = Parameter("at", "place", "point", "Middle of it, to the right and up from the middle of the part that carries it.", "", -2000, 2000)
WIDTH = Parameter("width", "width", "length", "From left to right.", "", 1, 2000)
HEIGHT = Parameter("height", "height", "length", "From bottom to top.", "", 1, 2000)


class FoamPanel(Panel):
    """Free zones on the card, foam, and items."""

    def __init__(self, session: Session, desk: Desk, view: ViewState) -> None:
        super().__init__(session, desk)
        self.view = view
        self.places: dict[str, Any] = {}
        self._asked: object = None
        self._rows: list[QWidget] = []
        self._listed: object = None
        self.job = Job(self, session, done=self._show_places, failed=self._no_places)
        self.planning = Job(self, session, done=self._take_plan, failed=self._no_plan)
        where = self.sheet("Where it may go", "Clear at every position of everything that moves, with the air that your cutting needs.")
        grid = QGridLayout()
        grid.setSpacing(4)
        self.part_box = choice_box([], lambda _: self.ask(), name="On which part")
        self.use_box = choice_box(list(USES.items()), lambda _: self.ask(), name="For what")
        self.face_box = choice_box([("front", "its front"), ("back", "its back")], lambda _: self.ask(), name="On which face")
        grid.addWidget(self.use_box, 0, 0)
        grid.addWidget(self.face_box, 0, 1)
        grid.addWidget(self.part_box, 1, 0, 1, 2)
        where.addLayout(grid)
        self.told = QLabel()
        self.told.setWordWrap(True)
        where.addWidget(self.told)
        foam = self.sheet("Foam", "Under frame and panel; as high everywhere as the highest thing that moves under it.")
        styles = QHBoxLayout()
        self.style_buttons = {}
        for key, text in STYLES.items():
            button = QPushButton(text)
            button.setCheckable(True)
            button.setObjectName("choice")
            button.clicked.connect(functools.partial(self._style, key))
            self.style_buttons[key] = button
            styles.addWidget(button)
        foam.addLayout(styles)
        self.counted = QLabel()
        self.counted.setWordWrap(True)
        foam.addWidget(self.counted)
        self.plan = QPushButton(PLAN)
        self.plan.setToolTip("Adds pads inside the free zone under every place that is too far from any foam, and glide pads under pictures.")
        self.plan.clicked.connect(self._plan)
        foam.addWidget(self.plan)
        put = self.sheet("Put on by you", "Drag it on the card by its ring, or type. What catches or blocks is said under findings.")
        adding = QHBoxLayout()
        self.kind_box = choice_box(list(KINDS.items()), lambda _: None, name="What to put on")
        self.add_button = QPushButton("put on the part above")
        self.add_button.clicked.connect(self._add)
        adding.addWidget(self.kind_box, 1)
        adding.addWidget(self.add_button)
        put.addLayout(adding)
        self.items = put
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    def refresh(self) -> None:
        """Shows the design, and asks for the zone."""
        assembly = self.desk.assembly
        if assembly is None:
            return
        rows = [(p.id, p.name) for p in assembly.parts if p.role not in ("fastener", "spacer") and p.id != "card.back"]
        if [self.part_box.itemData(k) for k in range(self.part_box.count())] != [r[0] for r in rows]:
            before = self.part_box.currentData()
            self.part_box.clear()
            for key, text in rows:
                self.part_box.addItem(text, key)
            wanted = before if before in dict(rows) else "card.panel" if "card.panel" in dict(rows) else "card.front"
            set_choice(self.part_box, wanted)
        for key, button in self.style_buttons.items():
            button.setChecked(key == self.session.design.foam_style)
        examination = Examination(assembly, self.session.catalog, self.session.design.ways, steps=2)
        foams = self.session.catalog.foams
        lines = [
            f"{row.pieces} × {foams[row.foam].name}, {row.layers} layer{'s' if row.layers > 1 else ''}: {self.session.style.area(row.area_mm2)}"
            + (f" ({row.by_maker} by you)" if row.by_maker else "")
            for row in count_foam(examination)
        ]
        self.counted.setText("\n".join(lines) or "No foam on this card.")
        self._list_items()
        self.ask()

    def ask(self) -> None:
        """Asks for the free zone of the chosen part, if it is looked at."""
        part = self.part_box.currentData()
        if part is None or not self.isVisible():
            return
        question = (part, self.face_box.currentData(), self.use_box.currentData())
        if question == self._asked and not self.job.is_old:
            return
        self._asked = question
        self.told.setText("working it out …")
        self.view.set_overlay(None)
        self.job.start("places", self.session.design, *question)

    def _no_places(self, why: str) -> None:
        """It could not be worked out; the next look asks again."""
        self._asked = None
        self.told.setText(why)

    def _show_places(self, found: dict[str, Any]) -> None:
        self.places = found
        assembly, style = self.desk.assembly, self.session.style
        zone = found.get("zone")
        if zone is None or assembly is None or zone.part not in assembly.by_id:
            return
        part = assembly.by_id[zone.part]
        names = ", ".join(dict.fromkeys(assembly.part_name(p) for p in zone.passing)) or "nothing"
        text = f"Free: {style.area(zone.area_mm2)} of {style.area(part.region.area)}, up to {style.thickness(zone.height_mm)} high. "
        text += f"Passing there: {names}."
        sides = found.get("overhangs")
        if sides:
            told = ", ".join(f"{side} {'as you like' if mm >= 79.9 else style.length(mm)}" for side, mm in sides.items())
            text += f"\nSomething flat on it may stand out: {told}."
        self.told.setText(text)
        self.view.set_overlay(Overlay(zone.part, _rings(zone.free), _rings(zone.taken)))

    def hideEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Takes the zone off the card."""
        super().hideEvent(event)
        self._asked = None
        self.view.set_overlay(None)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Shows the zone of now."""
        super().showEvent(event)
        self.ask()

    def _style(self, key: str, _: bool = False) -> None:
        self.change({"foam_style": key}, text=f"foam as {STYLES[key]}")
        self.refresh()

    def _plan(self) -> None:
        """Plans; the same again gives up."""
        if self.planning.is_running:
            self.planning.stop()
            self._no_plan("Planning was stopped; nothing was put on.")
            return
        self.plan.setText("stop planning")
        self.planning.start("foam", self.session.design)

    def _no_plan(self, why: str) -> None:
        self.plan.setText(PLAN)
        self.said.emit(why)

    def _take_plan(self, items: tuple[Item, ...]) -> None:
        self.plan.setText(PLAN)
        if self.planning.is_old:
            self.said.emit(CHANGED)
            return
        if not items:
            self.said.emit("Every sheet is carried well enough; no pad is missing.")
            return
        design = self.session.design
        self.session.edit(msgspec.structs.replace(design, items=(*design.items, *items)), text=f"{len(items)} planned pads")

    def _add(self) -> None:
        """One more item in the middle of what is free on the part."""
        kind, part = str(self.kind_box.currentData()), self.part_box.currentData()
        assembly = self.desk.assembly
        if assembly is None or part not in assembly.by_id:
            return
        item_id = next(free_item_ids(self.session.design.items, kind[0]))
        size = (8.0, 8.0) if kind in ("pad", "glide") else (20.0, 16.0)
        face = "back" if kind == "glide" else str(self.face_box.currentData())
        carrier, at = assembly.by_id[part], (0.0, 0.0)
        zone = self.places.get("zone")
        if zone is not None and zone.part == part and not zone.free.is_empty:
            at = place_on(carrier, shapely.get_coordinates(shapely.maximum_inscribed_circle(zone.free, tolerance=1.0))[0])
        made = Item(item_id, kind, part, face, at, *size, layers=1 if kind in ("pad", "glide") else 0)  # type: ignore[arg-type]
        self.change({f"item.{item_id}": format_item(made)}, text=f"{KINDS[kind]} {item_id}")

    def _list_items(self) -> None:
        items, style = tuple(i for i in self.session.design.items if i.kind in KINDS), self.session.style
        mark = (items, style)
        if mark == self._listed:
            return
        self._listed = mark
        for row in self._rows:
            self.items.removeWidget(row)
            put_away(row)
        self._rows = [self._row(item) for item in items] or [soft("Nothing yet.")]
        for row in self._rows:
            self.items.addWidget(row)

    def _row(self, item: Item) -> QWidget:
        row = QWidget()
        row.setObjectName("inside")
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setHorizontalSpacing(4)
        assembly = self.desk.assembly
        on = assembly.part_name(item.on) if assembly is not None else item.on
        name = QLabel(f"{KINDS[item.kind]} {item.id} on the {on}")
        name.setWordWrap(True)
        grid.addWidget(name, 0, 0, 1, 3)
        off = QPushButton("take off")
        off.setObjectName("quiet")
        off.setAccessibleName(f"take off {item.id}")
        off.clicked.connect(functools.partial(self._take_off, item.id))
        grid.addWidget(off, 0, 3)
        values: dict[str, Value] = {"at": item.at, "width": item.width, "height": item.height}
        for k, parameter in enumerate((PLACE, WIDTH) if item.round else (PLACE, WIDTH, HEIGHT)):
            field = QuantityField(parameter)
            field.setFixedWidth(132 if parameter is PLACE else 76)
            field.setAccessibleName(f"{parameter.label} of {item.id}")
            field.setToolTip(parameter.meaning)
            field.show_value(values[parameter.name], self.session.style)
            field.entered.connect(functools.partial(self._set, field, item.id, parameter.name))
            grid.addWidget(field, 1, k)
        grid.setColumnStretch(3, 1)
        return row

    def _set(self, field: QuantityField, item_id: str, name: str, text: str) -> None:
        if not self.change({f"item.{item_id}.{name}": text}, text=f"{name} of {item_id}"):
            field.refuse()

    def _take_off(self, item_id: str, _: bool = False) -> None:
        self.change({f"item.{item_id}": "none"}, text=f"take off {item_id}")


def _rings(region: Any) -> tuple[Any, ...]:
    """All rings of a region, as arrays of points."""
    rings = []
    for polygon in shapely.get_parts(region):
        if polygon.geom_type == "Polygon" and polygon.area > 0.5:
            rings.append(tuple(shapely.get_coordinates(ring) for ring in (polygon.exterior, *polygon.interiors)))
    return tuple(rings)
