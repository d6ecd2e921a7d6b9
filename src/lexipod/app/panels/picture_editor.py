"""The measures of the picture or greeting in hand: what it says, where it lies, what is asked of it."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

import msgspec
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from lexipod.app.panels.fields import QuantityField, choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.panels.picture_acts import PictureActs
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.building.fold_items import neighbours_of
from lexipod.design import Item
from lexipod.design.items import MOST_LETTERS
from lexipod.pictures.fonts import SHIPPED, font_names
from lexipod.recipes import Parameter

PLACE = Parameter("at", "place", "point", "Its middle, to the right and up from the middle of the part that carries it.", "", -2000, 2000)
WIDTH = Parameter("width", "width", "length", "A picture keeps its proportion.", "", 1, 2000)
HEIGHT = Parameter("height", "height", "length", "A picture keeps its proportion.", "", 1, 2000)
BORDER = Parameter("border", "border", "length", "So much of what carries it is left all round.", "", 0.2, 200)
CAPITALS = Parameter("height", "capitals", "length", "The height of the capitals.", "", 0.5, 200)
TURN = Parameter("turn", "turned", "angle", "Anticlockwise, as one looks at its face.", "", -360, 360)
RADIUS = Parameter("radius", "radius", "length", "Of the arc on which the letters stand; below 0 they run along its lower side.", "", -2000, 2000)
WAYS = {"line": "on a line", "arc": "along an arc", "circle": "round a circle"}
SIDES = {"left": "from the left", "middle": "from the middle", "right": "to the right"}
INKS = {
    "": "slate",
    "#1d1c1a": "black",
    "#7a2a1c": "brick",
    "#1f5b4c": "pine",
    "#274872": "deep blue",
    "#8a6a1e": "ochre",
    "#6b6860": "grey",
    "#fffdf8": "white",
}
"""Inks by their colour; another one is set by name (``item.g1.colour=#204060``)."""
LETTERS = {"serif": "Source Serif", "sans": "Source Sans", "sans-bold": "Source Sans, bold"}


class PictureEditor(QWidget):
    """Fields for the item in hand, and what can be done with it. ``acts`` are what that is; the panel changes fields by name."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, panel: Panel, acts: PictureActs) -> None:
        super().__init__()
        self.setObjectName("inside")
        self.session, self.desk, self.view, self.panel, self.acts = session, desk, view, panel, acts
        self._fields: dict[str, QuantityField] = {}
        self._edited: object = None
        self.flags: dict[str, QCheckBox] = {}
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.inner: QWidget = soft("Take something in hand: press it on the card, or in the list.")
        self.column.addWidget(self.inner)

    @property
    def item(self) -> Item | None:
        """The item in hand."""
        return self.acts.item

    # ---- the item in hand ---------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Shows the item as it is."""
        item = self.item
        key = (item.id, item.kind, item.along, item.round, (item.on, bool(item.across)) if item.kind == "mat" else "") if item is not None else None
        if key != self._edited or key is None:
            self._edited = key
            made = self._make_editor(item) if item is not None else soft("Take something in hand: press it on the card, or in the list.")
            self.column.replaceWidget(self.inner, made)
            put_away(self.inner)
            self.inner = made
        if item is None:
            return
        lying = self.acts.hands.picked
        own = lying.own if lying is not None else item
        for name, field in self._fields.items():
            field.show_value(getattr(own, name), self.session.style)
        set_choice(self.part_box, item.on)
        set_choice(self.face_box, item.face)
        set_choice(self.across_box, item.across)
        for name, box in self.flags.items():
            box.blockSignals(True)
            box.setChecked(getattr(item, name))
            box.blockSignals(False)
        if item.kind == "greeting":
            if not self.words.hasFocus() and self.words.toPlainText() != item.text:
                self.words.setPlainText(item.text)
            set_choice(self.font_box, item.font or "serif")
            set_choice(self.along_box, item.along)
            set_choice(self.align_box, item.align)
            if self.colour_box.findData(item.colour) < 0:
                self.colour_box.addItem(item.colour, item.colour)
            set_choice(self.colour_box, item.colour)
        self.lay_button.setChecked(self.view.lays)
        self.tell_findings()

    def _make_editor(self, item: Item) -> QWidget:
        holder = QWidget()
        holder.setObjectName("inside")
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        self._fields = {}
        row = 0

        def add(widget: QWidget) -> None:
            nonlocal row
            grid.addWidget(widget, row, 0, 1, 2)
            row += 1

        if item.kind == "greeting":
            self._add_words(add, item)
        assembly = self.desk.assembly
        parts = [(p.id, p.name) for p in assembly.parts if p.role not in ("spacer", "fastener")] if assembly is not None else []
        panels = [(p.id, p.name) for p in assembly.panels.values() if p.id not in dict(parts)] if assembly is not None else []
        self.part_box = choice_box([*parts, *panels], lambda key: self._pick("on", key), name="On which part")
        add(labelled("on the", self.part_box, label_width=92))
        self.face_box = choice_box([("front", "front"), ("back", "back")], lambda key: self._pick("face", key), name="On which face")
        add(labelled("face", self.face_box, label_width=92))
        self.across_box = choice_box([("", "nothing else"), *self._beside(item)], lambda key: self._pick("across", key), name="And across the fold")
        self.across_box.setToolTip("A mat may cover the panel beside it too, in one piece that is scored where they are.")
        if item.kind == "mat" and self.across_box.count() > 1:
            add(labelled("and on the", self.across_box, label_width=92))
        measures = [BORDER] if item.kind == "mat" else [CAPITALS] if item.kind == "greeting" else [WIDTH] if item.round else [WIDTH, HEIGHT]
        measures += [] if item.kind == "mat" else [PLACE, TURN, *([RADIUS] if item.along != "line" else [])]
        for parameter in measures:
            field = QuantityField(parameter)
            field.setFixedWidth(170 if parameter is PLACE else 112)
            field.setToolTip(parameter.meaning)
            field.entered.connect(functools.partial(self._typed, field, parameter.name))
            self._fields[parameter.name] = field
            add(labelled(parameter.label, field, label_width=92))
        self.flags = {}
        for name, text in (("hide_at_rest", "hidden at rest"), ("show_at_end", "shown at the end"), ("show_at_halt", "shown at one halt")):
            box = QCheckBox(text)
            box.toggled.connect(lambda on, name=name: self._set(name, on))
            self.flags[name] = box
            grid.addWidget(box, row + (len(self.flags) - 1) // 2, (len(self.flags) - 1) % 2)
        row += 2
        self._add_actions(grid, row)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setObjectName("small")
        grid.addWidget(self.told, grid.rowCount(), 0, 1, 2)
        return holder

    def _beside(self, item: Item) -> list[tuple[str, str]]:
        """The panels beside the one that carries an item, with their names."""
        foldings = self.desk.assembly.foldings if self.desk.assembly is not None else ()
        folding = next((f for f in foldings if item.on in f.by_id and not f.by_id[item.on].base), None)
        if folding is None:
            return []
        return [(p, folding.by_id[p].name) for p in neighbours_of(folding, item.on) if not folding.by_id[p].base]

    def _add_words(self, add: Callable[[QWidget], None], item: Item) -> None:
        self.words = QPlainTextEdit(item.text)
        self.words.setFixedHeight(58)
        self.words.setAccessibleName("What the greeting says")
        self.words.setTabChangesFocus(True)
        self.words.textChanged.connect(self._words_typed)
        add(self.words)
        names = [*LETTERS.items(), *((n, n) for n in font_names() if n not in SHIPPED)]
        self.font_box = choice_box(names, lambda key: self._pick("font", "" if key == "serif" else key), name="Letters")
        add(labelled("letters", self.font_box, label_width=92))
        self.along_box = choice_box(list(WAYS.items()), self._set_along, name="Along what")
        add(labelled("set", self.along_box, label_width=92))
        self.align_box = choice_box(list(SIDES.items()), lambda key: self._pick("align", key), name="From where")
        add(labelled("from", self.align_box, label_width=92))
        self.colour_box = choice_box(list(INKS.items()), lambda key: self._pick("colour", key), name="Ink")
        add(labelled("ink", self.colour_box, label_width=92))

    def _add_actions(self, grid: QGridLayout, row: int) -> None:
        self.lay_button = QPushButton("lay where I press (L)")
        self.lay_button.setCheckable(True)
        self.lay_button.setToolTip("The next press on the card lays it on what is seen there, the right way up.")
        self.lay_button.clicked.connect(self.view.set_laying)
        is_mat = self.item is not None and self.item.kind == "mat"
        if not is_mat:
            grid.addWidget(self.lay_button, row, 0)
        for k, (title, tip, act) in enumerate(self.acts.rows, start=0 if is_mat else 1):
            button = QPushButton(title)
            button.setToolTip(tip)
            if k > 1:
                button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, act=act: act())
            grid.addWidget(button, row + k // 2, k % 2)

    def tell_findings(self) -> None:
        """What the checks say of it."""
        item, judgement = self.item, self.desk.judgement
        if item is None or self._edited is None:
            return
        found = (
            [] if judgement is None or self.desk.is_stale else [f for f in judgement.findings if f.rule.startswith("picture") and f.need == item.id]
        )
        self.told.setText("\n".join(f"{f.title}. {f.message}" for f in found))

    # ---- changes ------------------------------------------------------------------------------------------------------

    def _set(self, name: str, value: Any) -> bool:
        item = self.item
        if item is None:
            return False
        done = self.panel.change({f"item.{item.id}.{name}": value}, text=f"{name.replace('_', ' ')} of {item.id}")
        if not done:
            self.refresh()
        return done

    def _pick(self, name: str, key: str) -> None:
        self._set(name, key)

    def _typed(self, field: QuantityField, name: str, text: str) -> None:
        item = self.item
        if item is not None and item.share is not None and name in ("at", "width", "height"):
            done = self.acts.hands.change({name: text}, text=f"{name} of {item.id}", refused=self.acts.said.emit)
        else:
            done = self._set(name, text)
        if not done:
            field.refuse()

    def _set_along(self, way: str) -> None:
        item = self.item
        if item is None:
            return
        radius = item.radius if abs(item.radius) >= 2 else max(10.0, 4.0 * item.height)
        self.acts.change_item(msgspec.structs.replace(item, along=way, radius=0.0 if way == "line" else radius), text=f"letters of {item.id}")

    def _words_typed(self) -> None:
        item, words = self.item, self.words.toPlainText()
        if item is None or words == item.text or not words.strip():
            return
        try:
            made = msgspec.structs.replace(item, text=words)
        except ValueError:
            self.told.setText(f"A greeting has at most {MOST_LETTERS} letters.")
            return
        laid = tuple(made if i.id == item.id else i for i in self.session.design.items)
        self.session.edit(msgspec.structs.replace(self.session.design, items=laid), text=f"words of {item.id}", gesture=hash(("words", item.id)))


__all__ = ["PictureEditor"]
