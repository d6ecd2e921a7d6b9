"""The station Mechanism: its measures in groups, the edge of exit, mirror, and a sentence of help."""

from __future__ import annotations

import functools
from typing import TYPE_CHECKING, Any

import msgspec
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from lexipod.app.card.drag import ruler_step
from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.panels.fields import QuantityField, choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel, put_away
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.building import resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.editing.change import without_mechanism
from lexipod.errors import LexipodError
from lexipod.recipes import Parameter, find_recipe
from lexipod.recipes.kit.lay import EXITS
from lexipod.units import format_quantity

if TYPE_CHECKING:
    from lexipod.fitting import Fitted

ARROWS = {"left": "← left", "right": "right →", "up": "↑ up", "down": "down ↓"}


class MechanismPanel(Panel):
    """The mechanism's measures in groups, the edge of exit, mirror, and a sentence of help."""

    choosing = Signal()

    def __init__(self, session: Session, desk: Desk) -> None:
        super().__init__(session, desk)
        self._fields: dict[str, Any] = {}
        self._pin_boxes: dict[tuple[str, str], QCheckBox] = {}
        self._shown: object = ""
        self.fitting = Job(self, session, done=self._fitted, failed=self._fit_ended)
        self.help = QLabel()
        self.help.setObjectName("small")
        self.help.setWordWrap(True)
        self.help.setMinimumHeight(40)
        self.help.setAlignment(Qt.AlignmentFlag.AlignTop)
        layout = self.layout()
        assert layout is not None
        layout.addWidget(self.help)
        desk.rebuilt.connect(self.refresh_if_seen)
        desk.current_changed.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    @property
    def mechanism(self):  # type: ignore[no-untyped-def]
        """The mechanism that is worked on, or None."""
        return self.session.design.find_mechanism(self.desk.current)

    def refresh(self) -> None:
        """Shows the design; the fields are made anew only for another recipe."""
        shown = (self.mechanism.recipe, self.desk.current, tuple(m.id for m in self.session.design.mechanisms)) if self.mechanism else None
        if shown != self._shown:
            self._shown = shown
            self._clear()
            if self.mechanism is None:
                self._make_choice()
            else:
                self._make_fields()
        if self.mechanism is None:
            return
        self._show_pins()
        for name, field in self._fields.items():
            asked = find_recipe(self.mechanism.recipe).find_asked(name)
            value = self.mechanism.parameters[name] if asked is None else asked.read(self.mechanism.parameters)
            if isinstance(field, QuantityField):
                field.show_value(value, self.session.style)
            elif isinstance(field, QCheckBox):
                field.blockSignals(True)
                field.setChecked(bool(value))
                field.blockSignals(False)
            elif isinstance(field, dict):
                field[str(value)].setChecked(True)
            else:
                set_choice(field, str(value))
        self.mirror.setChecked(self.mechanism.mirror)

    def _clear(self) -> None:
        self._fields, self._pin_boxes = {}, {}
        while (item := self.column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                put_away(widget)

    def _make_choice(self) -> None:
        sheet = self.sheet(
            "Nothing moves yet", "Choose on the left what should happen; every measure is sized for your card, and you change what you like."
        )
        button = QPushButton("Show the mechanisms")
        button.setObjectName("main")
        button.clicked.connect(self.choosing)
        sheet.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        self.column.addStretch(1)
        self.help.setText("A card can carry several mechanisms.")

    def _make_picker(self) -> None:
        """Which of the card's mechanisms is worked on, and one more."""
        sheet = self.sheet()
        grid = QGridLayout()
        grid.setSpacing(4)
        group = QButtonGroup(sheet.parentWidget())
        mechanisms = self.session.design.mechanisms
        for k, mechanism in enumerate(mechanisms):
            button = QPushButton(self.desk.name_of(mechanism.id))
            button.setCheckable(True)
            button.setChecked(mechanism.id == self.desk.current)
            button.clicked.connect(functools.partial(self._use, mechanism.id))
            group.addButton(button)
            grid.addWidget(button, k // 2, k % 2)
        more = QPushButton("add another …")
        more.clicked.connect(self.choosing)
        grid.addWidget(more, len(mechanisms) // 2, len(mechanisms) % 2)
        sheet.addLayout(grid)

    def _use(self, mechanism: str, _: bool = False) -> None:
        self.desk.use(mechanism)

    def _make_fields(self) -> None:
        recipe = find_recipe(self.mechanism.recipe)
        self._make_picker()
        top = self.sheet(recipe.name[:1].upper() + recipe.name[1:], recipe.does)
        directions = next((p for p in recipe.parameters if p.choices == EXITS), None)
        if directions is not None:
            top.addWidget(QLabel(directions.label))
            top.addWidget(self._exits(directions))
        row = QHBoxLayout()
        self.mirror = QCheckBox("mirrored")
        self.mirror.setToolTip("Left to right, as a whole (Ctrl+M)")
        self.mirror.clicked.connect(lambda on: self.change({"mirror": bool(on)}, text="mirror", mechanism=self.mechanism.id))
        row.addWidget(self.mirror)
        row.addStretch(1)
        turn = QPushButton("turn by 90°")
        turn.setToolTip("Turns the whole mechanism counter-clockwise; its measures stay, those of the card's edges follow (Ctrl+Shift+M)")
        turn.clicked.connect(self.turn_whole)
        row.addWidget(turn)
        size_anew = QPushButton("size anew")
        size_anew.setToolTip("Sizes every measure for this card, keeping the choices that make it what it is.")
        size_anew.clicked.connect(self._size_anew)
        row.addWidget(size_anew)
        self.fit_button = QPushButton("fit for me")
        self.fit_button.setToolTip("Sizes what is not pinned so that nothing blocks, with the largest margin (Ctrl+F).")
        self.fit_button.clicked.connect(self.fit)
        top.addLayout(row)
        last = QHBoxLayout()
        remove = QPushButton("take it off the card")
        remove.setObjectName("quiet")
        remove.clicked.connect(self.remove_whole)
        last.addWidget(self.fit_button)
        last.addStretch(1)
        last.addWidget(remove)
        top.addLayout(last)
        groups: dict[str, list[Parameter]] = {}
        for parameter in recipe.parameters:
            if parameter is not directions:
                groups.setdefault(parameter.group, []).append(parameter)
        for group, parameters in groups.items():
            sheet = self.sheet(group)
            for asked in (a.parameter for a in recipe.asks if a.parameter.group == group):
                sheet.addWidget(labelled(asked.label, self._field(asked)))
            for parameter in parameters:
                sheet.addWidget(self._with_pin(parameter, labelled(parameter.label, self._field(parameter))))
        self.column.addStretch(1)
        self.help.setText("Pick a measure here or on the card. Enter takes it, Ctrl+Z takes it back.")

    def _with_pin(self, parameter: Parameter, row: QWidget) -> QWidget:
        """The row of a measure with a box by which it is pinned for fitting."""
        if parameter.kind not in ("length", "point", "angle", "count"):
            return row
        pin = QCheckBox("keep")
        pin.setToolTip("Pinned: fitting and the first cures leave this measure as it is.")
        pin.setAccessibleName(f"keep {parameter.label}")
        session, owner = self.session, self.mechanism.id
        pin.setChecked(session.is_pinned(owner, parameter.name))
        self._pin_boxes[owner, parameter.name] = pin
        pin.toggled.connect(lambda on, owner=owner, name=parameter.name: session.pin(owner, name, on=on))
        layout = row.layout()
        assert isinstance(layout, QHBoxLayout)
        layout.addWidget(pin)
        return row

    def _show_pins(self) -> None:
        """What is pinned, also where that was done on the card."""
        for (owner, name), box in self._pin_boxes.items():
            box.blockSignals(True)
            box.setChecked(self.session.is_pinned(owner, name))
            box.blockSignals(False)

    def fit(self) -> None:
        """Sizes what is not pinned; the same again gives up."""
        if self.fitting.is_running:
            self.fitting.stop()
            self._fit_ended("Fitting was stopped; nothing was changed.")
            return
        if self.mechanism is None:
            self.said.emit("There is no mechanism to fit yet.")
            return
        keep = self.mechanism.pinned
        self.fit_button.setText("stop fitting")
        self.fitting.start("fit", self.session.design, self.mechanism.id, keep)

    def _fit_ended(self, text: str) -> None:
        if self._fields:
            self.fit_button.setText("fit for me")
        self.said.emit(text)

    def _fitted(self, told: Fitted) -> None:
        if self.fitting.is_old:
            self._fit_ended(CHANGED)
            return
        if told.is_free:
            self.session.edit(told.design, text="fit for me")
            count = len(told.changed)
            self._fit_ended(f"It fits: {count} measures changed." if count else "It fits as it is; no margin can be won by small changes.")
            return
        recipe, style = find_recipe(self.mechanism.recipe), self.session.style
        wishes = [
            f"with {recipe.find_parameter(w.name).label} {format_quantity(w.possible, recipe.find_parameter(w.name).kind, style)} instead of "
            f"{format_quantity(w.wanted, recipe.find_parameter(w.name).kind, style)} it would fit"
            for w in told.impossible
        ]
        why = told.refusal or (told.blocks[0].title if told.blocks else "")
        self._fit_ended(f"No way was found to fit it round what is pinned: {'; '.join(wishes) or why}.")

    def _exits(self, parameter: Parameter) -> QWidget:
        holder = QWidget()
        holder.setObjectName("inside")
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 4)
        group = QButtonGroup(holder)
        buttons = {}
        for k, choice in enumerate(("left", "right", "up", "down")):
            button = QPushButton(ARROWS[choice])
            button.setCheckable(True)
            button.setAccessibleName(f"pull towards {choice}")
            button.clicked.connect(functools.partial(self._turn_to, parameter.name, choice))
            group.addButton(button)
            grid.addWidget(button, 0, k)
            buttons[choice] = button
        self._fields[parameter.name] = buttons
        return holder

    def _turn_to(self, name: str, choice: str, _: bool = False) -> None:
        self._turn(name, choice)

    def _turn(self, name: str, choice: str) -> None:
        """Another edge of exit: the measures are sized anew for the other length of the card."""
        mechanism = self.mechanism
        old = mechanism.parameters[name]
        if old == choice:
            return
        swapped = {"left", "right"} if choice in ("left", "right") else {"up", "down"}
        if old in swapped:
            self.change({name: choice}, text="edge of exit", mechanism=mechanism.id)
            return
        self._resize({**self._shaping(), name: choice}, text="edge of exit", decided=(name,))
        self.refresh()

    def _shaping(self) -> dict[str, Any]:
        """The choices that make the mechanism what it is."""
        return {n: self.mechanism.parameters[n] for n in find_recipe(self.mechanism.recipe).shaping}

    def _size_anew(self) -> None:
        self._resize(self._shaping(), text="size anew")

    def turn_whole(self) -> None:
        """The whole mechanism a quarter further."""
        if self.mechanism is not None:
            self.change({"turned": f"{(self.mechanism.turned + 90) % 360}"}, text="turn", mechanism=self.mechanism.id)

    def remove_whole(self) -> None:
        """The mechanism off the card; undo brings it back."""
        if self.mechanism is not None:
            name = self.desk.name_of(self.mechanism.id)
            self.session.edit(without_mechanism(self.session.design, self.mechanism.id), text=f"take the {name} off")

    def _resize(self, kept: dict[str, Any], *, text: str, decided: tuple[str, ...] = ()) -> None:
        design, mechanism = self.session.design, self.mechanism
        try:
            site = own_site(site_for(design, self.session.catalog), mechanism)
            values = resolve_parameters(find_recipe(mechanism.recipe), site, kept)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        resized = msgspec.structs.replace(mechanism, parameters=values, decided=decided)
        mechanisms = tuple(resized if m.id == mechanism.id else m for m in design.mechanisms)
        self.session.edit(msgspec.structs.replace(design, mechanisms=mechanisms), text=text)

    def _field(self, parameter: Parameter) -> QWidget:
        if parameter.kind == "choice":
            catalog = self.session.catalog
            names = {f.id: f.name for f in catalog.foams.values()} | {w.id: w.name for w in catalog.weights.values()}
            rows = [(c, names.get(c, c)) for c in parameter.choices]
            box = choice_box(rows, lambda key: self._choose(parameter, key), name=parameter.label)
            box.setToolTip(parameter.meaning)
            self._fields[parameter.name] = box
            return box
        if parameter.kind == "flag":
            check = QCheckBox()
            check.setAccessibleName(parameter.label)
            check.setToolTip(parameter.meaning)
            check.clicked.connect(lambda on: self._set(parameter, bool(on)))
            self._fields[parameter.name] = check
            return check
        field = QuantityField(parameter)
        field.setToolTip(parameter.meaning)
        field.entered.connect(lambda text: None if self._set(parameter, text) else field.refuse())
        field.stepped.connect(lambda steps: self._step(parameter, steps))
        field.help_wanted.connect(self.help.setText)
        self._fields[parameter.name] = field
        return field

    def _set(self, parameter: Parameter, value: Any) -> bool:
        return self.change({parameter.name: value}, text=parameter.label, mechanism=self.mechanism.id)

    def _choose(self, parameter: Parameter, key: str) -> None:
        self._set(parameter, key)

    def _step(self, parameter: Parameter, steps: int) -> None:
        if parameter.kind == "point":
            return
        step = 1.0 if parameter.kind in ("count", "angle") else ruler_step(self.session.design, fine=False)
        asked = find_recipe(self.mechanism.recipe).find_asked(parameter.name)
        now = asked.read(self.mechanism.parameters) if asked is not None else float(self.mechanism.parameters[parameter.name])
        value = now + steps * step
        if parameter.minimum <= value <= parameter.maximum:
            self._set(parameter, round(value) if parameter.kind == "count" else round(value, 6))
