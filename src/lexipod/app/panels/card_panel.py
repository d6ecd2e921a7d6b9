"""The station Card: card, paper, envelope and the maker's ways."""

from __future__ import annotations

import functools

import msgspec
from PySide6.QtWidgets import QLabel, QLineEdit, QPlainTextEdit, QWidget

from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.checks import Examination
from lexipod.checks.outline import envelope_room, flat_size, thickness_mm
from lexipod.design import Closure
from lexipod.units.quantities import exact_text

SHAPES = {
    "front_less": ("front less", "as wide as the back", "How much narrower the front is than the back, at its free edge."),
    "inner": ("inner card", "none", "How far an inner card stands back from the card's outer edges; at the fold it reaches it."),
    "corners": ("corners", "square", "How much is cut off the corners at the free edges."),
    "hole": ("hole", "none", "Diameter of the hole for a cord, at the middle of the top edge."),
    "hole_from": ("its middle", "as suits it", "How far below the top edge the middle of the hole lies."),
}
"""Measures of the card's own shape: the words for them, for none, and what they are."""


OWN_ENVELOPES = {"in": "5 1/8 x 7 in", "mm": "130 x 180 mm"}


class CardPanel(Panel):
    """Card, paper, envelope and the maker's ways."""

    def __init__(self, session: Session, desk: Desk) -> None:
        super().__init__(session, desk)
        top = self.sheet("The card", "Size as it lies closed. Its usual envelope comes with it.")
        self.title = QLineEdit()
        self.title.setAccessibleName("Title")
        self.title.editingFinished.connect(self._title_entered)
        top.addWidget(labelled("title", self.title, label_width=84))
        self.size_box = choice_box([], self._size_chosen, name="Card size")
        top.addWidget(labelled("size", self.size_box, label_width=84))
        self.free = QLineEdit()
        self.free.setPlaceholderText("or measured, like 4 x 6 in")
        self.free.setAccessibleName("Free card size")
        self.free.returnPressed.connect(self._free_entered)
        top.addWidget(labelled("free size", self.free, label_width=84))
        pairs = {
            "orientation": [("portrait", "upright"), ("landscape", "lying")],
            "fold": [("left", "fold at the left"), ("top", "fold at the top")],
            "base": [("folded", "folded card"), ("panel", "single panel"), ("tag", "gift tag"), ("page", "album page"), ("gate", "gate fold")],
        }
        self.boxes = {}
        for name, rows in pairs.items():
            box = choice_box(rows, lambda key, name=name: self._chosen(name, key), name=name)  # type: ignore[misc]
            self.boxes[name] = box
            top.addWidget(labelled({"orientation": "lies"}.get(name, name), box, label_width=84))
        self.shape_fields: dict[str, QLineEdit] = {}
        self.shape_rows: dict[str, QWidget] = {}
        for name, (label, empty, tip) in SHAPES.items():
            field = QLineEdit()
            field.setAccessibleName(f"Card, {label}")
            field.setPlaceholderText(empty)
            field.setToolTip(tip)
            field.editingFinished.connect(functools.partial(self._shape_entered, name))
            self.shape_fields[name] = field
            self.shape_rows[name] = labelled(label, field, label_width=84)
            top.addWidget(self.shape_rows[name])
        cuts = [("round", "rounded"), ("clipped", "clipped")]
        self.boxes["corner_cut"] = choice_box(cuts, lambda key: self._chosen("card.corner_cut", key), name="Corners are")
        self.shape_rows["corner_cut"] = labelled("they are", self.boxes["corner_cut"], label_width=84)
        top.addWidget(self.shape_rows["corner_cut"])
        paper = self.sheet("Paper and envelope")
        self.boxes["stock"] = choice_box([], lambda key: self._chosen("stock", key), name="Paper")
        paper.addWidget(labelled("paper", self.boxes["stock"], label_width=84))
        self.boxes["envelope"] = choice_box([], lambda key: self._chosen("envelope", key), name="Envelope")
        paper.addWidget(labelled("envelope", self.boxes["envelope"], label_width=84))
        self.own_envelope = QLineEdit()
        self.own_envelope.setAccessibleName("Envelope of your own size")
        self.own_envelope.returnPressed.connect(self._envelope_entered)
        paper.addWidget(labelled("its size", self.own_envelope, label_width=84))
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        paper.addWidget(self.facts)
        closing = self.sheet("What closes it", "A band is slipped off, magnets in a hem snap, a seal strip is torn once.")
        kinds = [("none", "nothing"), ("band", "wrap band"), ("hem", "hem with magnets"), ("seal", "seal strip")]
        self.boxes["closure"] = choice_box(kinds, lambda key: self._chosen("closure", key), name="Closure")
        closing.addWidget(labelled("closure", self.boxes["closure"], label_width=84))
        self.closure_fields: dict[str, QLineEdit] = {}
        self.closure_rows: dict[str, QWidget] = {}
        for name, label in (("width", "width"), ("at", "place"), ("lap", "lap"), ("magnet", "magnet"), ("magnet_thickness", "its thickness")):
            field = QLineEdit()
            field.setAccessibleName(f"Closure, {label}")
            field.setPlaceholderText("as suits the card")
            field.editingFinished.connect(functools.partial(self._closure_entered, name))
            self.closure_fields[name] = field
            self.closure_rows[name] = labelled(label, field, label_width=84)
            closing.addWidget(self.closure_rows[name])
        self.closure_facts = QLabel()
        self.closure_facts.setWordWrap(True)
        self.closure_facts.setObjectName("small")
        closing.addWidget(self.closure_facts)
        ways = self.sheet("Your ways", "How you measure and cut decides how much air parts need.")
        for name, label, rows in (
            ("units", "measures", [("in", "inches"), ("mm", "millimetres")]),
            ("denominator", "finest", [(str(d), f"1/{d} in") for d in (8, 16, 32, 64)]),
            ("small", "small inches", [("decimal", "0.020 in"), ("mark", "nearest 1/64 in")]),
            ("cutting", "cut by", [("hand", "hand, knife"), ("trimmer", "trimmer"), ("die", "dies"), ("plotter", "plotter")]),
            ("scores_from", "scores from", [("left", "the left"), ("right", "the right")]),
        ):
            box = choice_box(rows, lambda key, name=name: self._chosen(name, key), name=label)  # type: ignore[misc]
            self.boxes[name] = box
            ways.addWidget(labelled(label, box, label_width=84))
        story = self.sheet("Its story")
        self.story = QPlainTextEdit()
        self.story.setFixedHeight(84)
        self.story.setTabChangesFocus(True)
        self.story.setAccessibleName("Story of the card")
        self.story.textChanged.connect(self._story_changed)
        story.addWidget(self.story)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    def refresh(self) -> None:
        """Shows the design."""
        design, catalog, style = self.session.design, self.session.catalog, self.session.style
        sizes = [(s.id, f"{s.name}, {style.length(s.width_mm)} × {style.length(s.height_mm)}") for s in catalog.cards.values()]
        if design.card.size == "free":
            sizes.insert(0, ("free", f"Free size, {style.length(design.card.width or 0)} × {style.length(design.card.height or 0)}"))
        for box, rows in (
            (self.size_box, sizes),
            (self.boxes["stock"], [(s.id, f"{s.name}, {style.thickness(s.caliper_mm)}") for s in catalog.stocks.values()]),
            (
                self.boxes["envelope"],
                [("usual", "the usual one"), *self._own_envelope()]
                + [(e.id, f"{e.name}, {style.length(e.width_mm)} × {style.length(e.height_mm)}") for e in catalog.envelopes.values()],
            ),
        ):
            if [box.itemText(k) for k in range(box.count())] != [text for _, text in rows]:
                box.blockSignals(True)
                box.clear()
                for key, text in rows:
                    box.addItem(text, key)
                box.blockSignals(False)
        self.own_envelope.setPlaceholderText(f"or measured, like {OWN_ENVELOPES[style.unit]}")
        set_choice(self.size_box, design.card.size)
        set_choice(self.boxes["envelope"], design.envelope or "usual")
        for name in ("orientation", "fold", "base", "stock", "corner_cut"):
            set_choice(self.boxes[name], getattr(design.card, name))
        for name in ("units", "denominator", "small", "cutting", "scores_from"):
            set_choice(self.boxes[name], str(getattr(design.ways, name)))
        self._show_shape()
        self._show_closure()
        if not self.title.hasFocus():
            self.title.setText(design.title)
        if not self.story.hasFocus() or self.story.toPlainText() != design.story:
            self.story.blockSignals(True)
            if self.story.toPlainText() != design.story:
                self.story.setPlainText(design.story)
            self.story.blockSignals(False)
        self._tell_facts()

    def _show_shape(self) -> None:
        card = self.session.design.card
        folded, cut = card.base == "folded", card.base != "gate"
        shown = {"front_less": folded, "inner": folded, "corners": cut, "corner_cut": cut and card.corners > 0, "hole": card.base == "tag"}
        shown["hole_from"] = card.base == "tag" and card.hole > 0
        for name, is_shown in shown.items():
            self.shape_rows[name].setVisible(is_shown)
        for name, field in self.shape_fields.items():
            if not field.hasFocus():
                field.setText(self._shape_text(getattr(card, name)))

    def _shape_text(self, value: float | None) -> str:
        return exact_text(value, "length", self.session.style) if value else ""

    def _shape_entered(self, name: str) -> None:
        """Takes a measure of the card's own shape; an emptied one is left out."""
        field, value = self.shape_fields[name], getattr(self.session.design.card, name)
        text = field.text().strip()
        if text == self._shape_text(value):
            return
        if not text:
            text = "none" if name == "inner" else "0mm"
        elif text[-1:].isdigit():
            text = f"{text} {self.session.style.unit}"
        if not self.change({f"card.{name}": text}, text=f"card, {SHAPES[name][0]}"):
            field.setText(self._shape_text(value))

    def _show_closure(self) -> None:
        closure, style = self.session.design.closing, self.session.style
        set_choice(self.boxes["closure"], closure.kind)
        shown = {"none": (), "band": ("width", "at", "lap"), "seal": ("width", "at", "lap"), "hem": ("width", "at", "magnet", "magnet_thickness")}
        for name, field in self.closure_fields.items():
            self.closure_rows[name].setVisible(name in shown[closure.kind])
            value = getattr(closure, name)
            if not field.hasFocus():
                field.setText(exact_text(value, "length", style) if value else "")
        closing = self.desk.closing
        told = [f"{s.name}: {style.length(s.size_mm[0])} × {style.length(s.size_mm[1])}" for s in closing.sheets] if closing else []
        if closing is not None and closing.hem_mm:
            told.append(f"Hem {style.length(closing.hem_mm)} deep at both free edges, {2 * len(closing.magnets)} magnets.")
        self.closure_facts.setText("; ".join(told))
        self.closure_facts.setVisible(bool(told))

    def _closure_entered(self, name: str) -> None:
        """Takes a measure of the closure; an emptied one is sized again."""
        closure, field = self.session.design.closing, self.closure_fields[name]
        text = field.text().strip()
        value = getattr(closure, name)
        if text == (exact_text(value, "length", self.session.style) if value else ""):
            return
        if not text:
            text = str(getattr(Closure(), name))
        elif text[-1:].isdigit():
            text = f"{text} {self.session.style.unit}"
        if not self.change({f"closure.{name}": text}, text=f"closure, {name.replace('_', ' ')}"):
            field.setText(exact_text(value, "length", self.session.style) if value else "")

    def _tell_facts(self) -> None:
        assembly = self.desk.assembly
        if assembly is None:
            return
        length = self.session.style.length
        examination = Examination(assembly, self.session.catalog, self.session.design.ways, steps=2)
        width, height = flat_size(examination)
        thick = thickness_mm(examination)
        text = f"Closed it is {self.session.style.thickness(thick)} thick at its thickest and needs {length(width)} × {length(height)}."
        if assembly.card.envelope_mm is not None:
            room = envelope_room(examination, assembly.card.envelope_mm)
            text += f" The envelope leaves {length(room)} to spare." if room >= 0 else f" The envelope is {length(-room)} too small."
        self.facts.setText(text)

    def _chosen(self, name: str, key: str) -> None:
        if not self.change({name: key}, text=name):
            self.refresh()

    def _size_chosen(self, key: str) -> None:
        if key != "free" and not self.change({"card": key}, text="card size"):
            self.refresh()

    def _free_entered(self) -> None:
        if self.change({"card": self.free.text()}, text="card size"):
            self.free.clear()

    def _envelope_entered(self) -> None:
        if self.change({"envelope": self.own_envelope.text()}, text="envelope"):
            self.own_envelope.clear()

    def _own_envelope(self) -> list[tuple[str, str]]:
        """The row of an envelope of the maker's own size, where the card has one."""
        key, style = self.session.design.envelope, self.session.style
        if key is None or key in self.session.catalog.envelopes:
            return []
        own = self.session.catalog.find_envelope(key)
        return [(key, f"{own.name}, {style.length(own.width_mm)} × {style.length(own.height_mm)}")]

    def _title_entered(self) -> None:
        if self.title.text().strip() and self.title.text() != self.session.design.title:
            self.change({"title": self.title.text()}, text="title")

    def _story_changed(self) -> None:
        text = self.story.toPlainText()[:5000]
        if text != self.session.design.story:
            self.session.edit(msgspec.structs.replace(self.session.design, story=text), text="story", gesture=-1)
