"""The station Pictures: what lies on the card for the eye, held where it is read, placed and asked to be hidden or shown."""

from __future__ import annotations

import functools
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

import msgspec
import numpy as np
import shapely
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QMessageBox, QPushButton, QWidget

from lexipod.app.card.picture_hands import own_measures
from lexipod.app.jobs.job import Job
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.panels.picture_editor import PictureEditor
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.checks import Examination
from lexipod.checks.examination import COARSE_STEPS
from lexipod.checks.pictures import named_item
from lexipod.checks.seen import SEEN_KINDS
from lexipod.checks.surfaces import halts_of, surfaces_at
from lexipod.design import Design, Item
from lexipod.editing.arranging import equal_gaps, in_the_middle
from lexipod.editing.items import format_item, free_item_ids
from lexipod.errors import LexipodError
from lexipod.fitting.papering import covering, same_on_alike
from lexipod.fitting.splitting import right_of, split_picture
from lexipod.fitting.through import also_elsewhere, find_surface, laid_through
from lexipod.pictures.loading import ENDINGS, import_picture, read_picture_file

Asked = Literal["picture", "shape"]
MOST_HALTS = 14
LARGEST_FITTED_MM = 400.0
NEARLY_ALL, MOST_TOLD = 0.995, 8
FIRST_WORDS = "Your words"


class PicturesPanel(Panel):
    """One list of what lies on the card for the eye, and the measures of the one in hand."""

    def __init__(self, session: Session, desk: Desk, view: ViewState) -> None:
        super().__init__(session, desk)
        self.view = view
        self.seen: dict[str, list[tuple[str, float, float]]] = {}
        self.seeing = Job(self, session, done=self._seen, failed=lambda _: None)
        self._asked: Design | None = None
        self._listed: object = None
        self._rows: list[QWidget] = []
        put = self.sheet("Put on the card", "It goes to what is seen at the position that is held, the right way up.")
        row = QHBoxLayout()
        for text, act, tip in (
            ("picture …", lambda: self._choose("picture"), "An SVG, PNG, JPEG or WebP"),
            ("greeting", self.add_greeting, "Words in letters of the program or of this machine"),
            ("mat", self.add_mat, "A layer of paper with a border, on what is seen most, or on the part of what is in hand"),
            ("cut-out …", lambda: self._choose("shape"), "A picture that is cut out along its outline: a part of its own"),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
        put.addLayout(row)
        self.held = self.sheet("Held at", "Lay a picture where it is read: hold the card there first (keys [ and ]).")
        self.halts = QWidget()
        self.held.addWidget(self.halts)
        self._halts_for: object = None
        holder = self.sheet("In hand")
        self.editor = PictureEditor(session, desk, view, self, self._acts())
        holder.addWidget(self.editor)
        self.list = self.sheet("On the card", "N and B go through them. What is seen now is told beside each.")
        seen = self.sheet("Seen of the card", "Good paper, ink and stamps only where something is ever seen.")
        self.ever = QLabel()
        self.ever.setWordWrap(True)
        seen.addWidget(self.ever)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        desk.judged.connect(self.editor.tell_findings)
        desk.current_changed.connect(self.refresh_if_seen)
        view.item_changed.connect(self.refresh_if_seen)
        view.travel_changed.connect(self._travel_moved)
        self.refresh_if_seen()

    def _acts(self) -> tuple[tuple[str, str, Callable[[], None]], ...]:
        """What can be done with the item in hand."""
        return (
            ("at the other halts too", "One more for every halt, on what is seen then in the same place of the card.", self.also_elsewhere),
            ("within what is seen", "As large as it goes inside what is seen there at the position that is held.", self.fit_within),
            ("upright as held", "The right way up for the reader, at the position that is held.", self.set_upright),
            ("cut in two …", "Press along a line on the card, then Enter: what lies to its right goes onto the part that is there.", self.begin_cut),
            ("middle of its part", "Its middle on that of the part that carries it.", lambda: self._middle("part")),
            ("middle of the card", "Its middle on that of the card.", lambda: self._middle("card")),
            ("equal gaps across", "All on the same side of this part, from left to right.", lambda: self._spread("x")),
            ("equal gaps down", "All on the same side of this part, from bottom to top.", lambda: self._spread("y")),
            ("over all its piece", "Patterned paper: so large that the piece is cut from it.", self.cover_piece),
            ("on all pieces alike", "The same motif at the same place of every piece that is cut the same.", self.on_alike),
            ("take off", "Delete; undo brings it back.", self.take_off),
        )

    # ---- what is shown ------------------------------------------------------------------------------------------------

    @property
    def item(self) -> Item | None:
        """The item in hand."""
        return self.session.design.find_item(self.view.picked_item) if self.view.picked_item else None

    def refresh(self) -> None:
        """Shows the design."""
        if self.desk.assembly is None:
            return
        self._show_halts()
        self._list_items()
        self.editor.refresh()
        if self.isVisible() and self._asked is not self.session.design:
            self._asked = self.session.design
            self.seeing.start("seen", self.session.design)

    def _seen(self, told: dict[str, Any]) -> None:
        self.seen = told["shares"]
        assembly, style = self.desk.assembly, self.session.style
        rows = sorted((row for row in told["ever"] if row[2] < NEARLY_ALL), key=lambda row: row[2])[:MOST_TOLD]
        lines = []
        for on, face, share in rows:
            name = assembly.part_name(on) if assembly is not None else on
            lines.append(f"{name}{', its back' if face == 'back' else ''}: {100 * share:.0f} % ever seen")
        lines += [f"to write on: {name}, {style.area(area)}" for name, area in told["room"]]
        self.ever.setText("\n".join(lines))
        self._listed = None
        self._list_items()

    def _travel_moved(self) -> None:
        if self.isVisible():
            self._show_halts()
            self._listed = None
            self._list_items()

    def _show_halts(self) -> None:
        drive, assembly = self.desk.drive, self.desk.assembly
        halts = halts_of(assembly, drive.mechanism)[:MOST_HALTS] if drive is not None and assembly is not None else ()
        at = self.view.travel.get(drive.mechanism, drive.rest) if drive is not None else 0.0
        key = (halts, drive.mechanism if drive is not None else "", self.session.style)
        if key != self._halts_for:
            self._halts_for = key
            made = QWidget()
            made.setObjectName("inside")
            grid = QGridLayout(made)
            grid.setContentsMargins(0, 0, 0, 0)
            grid.setSpacing(4)
            for k, halt in enumerate(halts):
                name = {0: "rest", 1: "end"}[k] if drive is not None and halts == (drive.rest, drive.end) else self.desk.amount(halt)
                button = QPushButton(name)
                button.setCheckable(True)
                button.setObjectName("choice")
                button.setProperty("halt", halt)
                button.clicked.connect(functools.partial(self._hold, halt))
                grid.addWidget(button, k // 4, k % 4)
            self.held.replaceWidget(self.halts, made)
            put_away(self.halts)
            self.halts = made
        for button in self.halts.findChildren(QPushButton):
            button.setChecked(abs(float(button.property("halt")) - at) < 1e-3)

    def _hold(self, at: float, _: bool = False) -> None:
        drive = self.desk.drive
        if drive is not None:
            self.view.set_travel(drive.mechanism, at)
            if self.desk.folding is not None:
                self.view.look_at("plan")

    def to_halt(self, step: int) -> None:
        """The next halt, or the one before."""
        drive, assembly = self.desk.drive, self.desk.assembly
        if drive is None or assembly is None:
            return
        halts = sorted(halts_of(assembly, drive.mechanism), reverse=drive.end < drive.rest)
        at = self.view.travel.get(drive.mechanism, drive.rest)
        way = 1.0 if drive.end >= drive.rest else -1.0
        later = [h for h in halts if (h - at) * way * step > 1e-6]
        if later:
            self._hold(later[0] if step > 0 else later[-1])

    def _list_items(self) -> None:
        items = tuple(i for i in self.session.design.items if i.kind in SEEN_KINDS)
        mark = (items, self.view.picked_item, self.session.style)
        if mark == self._listed:
            return
        self._listed = mark
        for row in self._rows:
            self.list.removeWidget(row)
            put_away(row)
        self._rows = [self._row(item) for item in items] or [soft("Nothing yet: put a picture or a greeting on, it lands where you look.")]
        for row in self._rows:
            self.list.addWidget(row)

    def _row(self, item: Item) -> QWidget:
        row = QWidget()
        row.setObjectName("inside")
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 1, 0, 1)
        assembly = self.desk.assembly
        on = assembly.part_name(item.on) if assembly is not None else item.on
        name = named_item(item).removeprefix("the ")
        button = QPushButton(f"{name}, {on}{' (back)' if item.face == 'back' else ''}")
        button.setCheckable(True)
        button.setObjectName("choice")
        button.setChecked(item.id == self.view.picked_item)
        button.setStyleSheet("text-align: left;")
        button.setAccessibleName(f"take {name} in hand")
        button.clicked.connect(lambda _=False: self.view.pick_item(item.id))
        layout.addWidget(button, 1)
        share = self._share_now(item)
        told = QLabel("" if share is None else f"{100 * share:.0f} %")
        told.setObjectName("small")
        told.setFixedWidth(44)
        told.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        told.setToolTip("So much of it is seen at the halt that is nearest to what is held")
        layout.addWidget(told)
        return row

    def _share_now(self, item: Item) -> float | None:
        """What is seen of an item at the halt nearest to the position that is held."""
        drive = self.desk.drive
        if drive is None:
            return None
        at = self.view.travel.get(drive.mechanism, drive.rest)
        rows = [(abs(travel - at), share) for mechanism, travel, share in self.seen.get(item.id, []) if mechanism == drive.mechanism]
        return min(rows)[1] if rows else None

    # ---- changes --------------------------------------------------------------------------------------------------

    def change_item(self, item: Item, *, text: str) -> None:
        """One edit: an item as it is now wanted."""
        items = tuple(item if i.id == item.id else i for i in self.session.design.items)
        self.session.edit(msgspec.structs.replace(self.session.design, items=items), text=text)

    def take_off(self) -> None:
        """The item in hand off the card; undo brings it back."""
        item = self.item
        if item is not None and self.change({f"item.{item.id}": "none"}, text=f"take off {item.id}"):
            self.view.pick_item("")

    def _middle(self, of: Literal["part", "card"]) -> None:
        item, assembly = self.item, self.desk.assembly
        if item is None or assembly is None:
            return
        try:
            self.change_item(in_the_middle(self.session.design, assembly, item, of=of), text=f"{item.id} in the middle")
        except LexipodError as error:
            self.said.emit(str(error))

    def _spread(self, axis: Literal["x", "y"]) -> None:
        item, assembly = self.item, self.desk.assembly
        if item is None or assembly is None:
            return
        company = [i for i in self.session.design.items if (i.on, i.face) == (item.on, item.face) and i.kind in SEEN_KINDS]
        try:
            moved = {i.id: i for i in equal_gaps(assembly, company, axis)}
        except LexipodError as error:
            self.said.emit(str(error))
            return
        items = tuple(moved.get(i.id, i) for i in self.session.design.items)
        self.session.edit(msgspec.structs.replace(self.session.design, items=items), text="equal gaps")

    # ---- laid where it is read ----------------------------------------------------------------------------------------

    def _examination(self) -> Examination:
        assert self.desk.assembly is not None
        return Examination(self.desk.assembly, self.session.catalog, self.session.design.ways, steps=COARSE_STEPS)

    @property
    def _at(self) -> dict[str, float]:
        known = {d.mechanism for d in self.desk.assembly.all_drives} if self.desk.assembly is not None else set()
        return {m: t for m, t in self.view.travel.items() if m in known}

    def lay_at(self, x: float, y: float) -> None:
        """The item in hand on what is seen at a place of the card."""
        item = self.item
        if item is None:
            return
        self.view.set_laying(False)
        try:
            made = laid_through(self._examination(), item, self._at, shapely.Point(x, y))
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.change_item(made, text=f"lay {item.id}")

    def fit_within(self) -> None:
        """The item in hand inside the piece of its part that is seen where it lies, as large as that allows."""
        item, lying = self.item, self.editor.hands.picked
        if item is None or lying is None:
            return
        spot = shapely.Point(lying.on_card(np.array([lying.box.middle]))[0])
        examination = self._examination()
        try:
            surface = find_surface(examination, self._at, spot.buffer(1.0))
            piece = max(shapely.get_parts(surface.seen), key=lambda p: -p.distance(spot))
            made = laid_through(examination, _grown(own_measures(lying)), self._at, piece)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.change_item(made, text=f"{item.id} within what is seen")

    def begin_cut(self) -> None:
        """Draws a line along which the picture in hand is cut in two; the same again with a line drawn cuts it."""
        if self.view.cut_line:
            self.cut_in_two()
            return
        drive = self.desk.drive
        if self.item is None or self.item.kind != "picture":
            self.said.emit("Only a picture is cut in two; take one in hand.")
            return
        if drive is not None:
            self.view.set_travel(drive.mechanism, drive.rest)
        self.view.set_cutting([])
        self.said.emit("Press along the line; what lies to its right goes onto the part that is there. Enter cuts, Escape leaves it.")

    def cut_in_two(self) -> None:
        """Cuts the picture in hand along the line that was drawn."""
        item, line = self.item, self.view.cut_line
        self.view.set_cutting(None)
        if item is None or not line:
            return
        examination = self._examination()
        try:
            onto = right_of(examination, item.on, line)
            made = split_picture(self.session.design, examination, item.id, line, onto, curved=len(line) > 2)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.session.edit(made, text=f"cut {item.id} in two")

    def set_upright(self) -> None:
        """The item in hand the right way up for the reader, at the position that is held."""
        item = self.item
        lying = self.editor.hands.picked
        if item is None or lying is None:
            return
        x, y = lying.on_card(shapely.get_coordinates(shapely.Point(lying.box.middle)))[0]
        try:
            made = laid_through(self._examination(), item, self._at, shapely.Point(float(x), float(y)))
        except LexipodError as error:
            self.said.emit(str(error))
            return
        if (made.on, made.face) != (item.on, item.face):
            self.said.emit("Another part lies over it at this position; hold the card where it is read.")
            return
        self.change_item(msgspec.structs.replace(own_measures(lying), turn=made.turn), text=f"turn of {item.id}")

    def also_elsewhere(self) -> None:
        """One more of the item in hand at every other halt."""
        item, drive = self.item, self.desk.drive
        if item is None or drive is None:
            return
        at = self.view.travel.get(drive.mechanism, drive.rest)
        try:
            made = also_elsewhere(self.session.design, self._examination(), item.id, drive.mechanism, at)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        count = len(made.items) - len(self.session.design.items)
        self.session.edit(made, text=f"{item.id} at the other halts")
        self.said.emit(f"{count} more, one for each other halt." if count else "The same part is seen there at every halt: one will do.")

    def cover_piece(self) -> None:
        """The picture in hand over all of its piece, as patterned paper."""
        item, assembly = self.item, self.desk.assembly
        if item is None or assembly is None:
            return
        if item.kind != "picture":
            self.said.emit("Only a picture is a paper; take one in hand.")
            return
        try:
            made = covering(item, assembly)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.change_item(made, text=f"{item.id} over all its piece")

    def on_alike(self) -> None:
        """The same as what is in hand on every piece that is cut alike."""
        item, assembly = self.item, self.desk.assembly
        if item is None or assembly is None:
            return
        try:
            made = same_on_alike(self.session.design, assembly, item.id)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.session.edit(made, text=f"{item.id} on all pieces alike")

    def add_greeting(self) -> None:
        """A greeting in the middle of what is seen most."""
        item_id = next(free_item_ids(self.session.design.items, "g"))
        self._put(Item(item_id, "greeting", "card.front", text=FIRST_WORDS, height=6.0))

    def add_mat(self) -> None:
        """A mat on the part of what is in hand, or on what is seen most."""
        item_id = next(free_item_ids(self.session.design.items, "mat"))
        border = 3.175 if self.session.style.unit == "in" else 3.0
        on, face = (self.item.on, self.item.face) if self.item is not None else ("", "front")
        try:
            if not on:
                best = max(surfaces_at(self._examination(), self._at), key=lambda s: s.seen.area)
                on, face = best.on, best.face  # type: ignore[assignment]
            made = Item(item_id, "mat", on, face, layers=0, border=border)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        if self.change({f"item.{item_id}": format_item(made)}, text=f"put {item_id} on"):
            self.view.pick_item(item_id)

    def _choose(self, kind: Asked) -> None:
        start = str(self.session.path.parent) if self.session.path else ""
        endings = " ".join(f"*{e}" for e in ENDINGS)
        path, _ = QFileDialog.getOpenFileName(self, "A picture", start, f"Pictures ({endings})")
        if path:
            self.add_picture(Path(path), kind)

    def add_picture(self, path: Path, kind: Asked = "picture", *, copies: bool | None = None) -> None:
        """A picture from a file in the middle of what is seen most. One that lies elsewhere is copied beside the design, when that is
        wished (``copies``; it is asked where that is left open)."""
        if self.session.path is None:
            self.said.emit("Save the card first: its pictures are kept beside it.")
            return
        folder = self.session.path.parent.resolve()
        try:
            picture = read_picture_file(path)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        if not path.resolve().is_relative_to(folder):
            if not (self._may_copy(path) if copies is None else copies):
                return
            path = _copied(path, folder)
        source = path.resolve().relative_to(folder).as_posix()
        item_id = next(free_item_ids(self.session.design.items, "a" if kind == "picture" else "s"))
        made = import_picture(item_id, source, picture, on="card.front", kind=kind)
        self._put(made)
        if picture.told:
            self.said.emit(f"{path.name}: {'; '.join(picture.told)}.")

    def add_dropped(self, path: Path, x: float, y: float) -> None:
        """A picture that was dropped on the card, where it fell."""
        before = {i.id for i in self.session.design.items}
        self.add_picture(path)
        if self.view.picked_item and self.view.picked_item not in before:
            self.lay_at(x, y)

    def _may_copy(self, path: Path) -> bool:
        answer = QMessageBox.question(self, "Copy it?", f"{path.name} lies elsewhere. Copy it beside the card, so that both stay together?")
        return answer == QMessageBox.StandardButton.Yes

    def _put(self, item: Item) -> None:
        """An item on what is seen most at the position that is held."""
        examination = self._examination()
        try:
            surfaces = surfaces_at(examination, self._at)
            best = max(surfaces, key=lambda s: s.seen.area)
            made = laid_through(examination, item, self._at, best.seen)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        settings = {f"item.{item.id}": format_item(made)}
        if item.outline or item.proportion:
            self.session.edit(msgspec.structs.replace(self.session.design, items=(*self.session.design.items, made)), text=f"put {item.id} on")
        elif not self.change(settings, text=f"put {item.id} on"):
            return
        self.view.pick_item(item.id)


def _grown(item: Item) -> Item:
    """The item so large that it is made as small as need be."""
    scale = LARGEST_FITTED_MM / max(item.width, item.height)
    return msgspec.structs.replace(item, width=item.width * scale, height=item.height * scale)


def _copied(path: Path, folder: Path) -> Path:
    """A copy of a file in a folder, under a name that is free there."""
    target, k = folder / path.name, 2
    while target.exists():
        target, k = folder / f"{path.stem}-{k}{path.suffix}", k + 1
    shutil.copyfile(path, target)
    return target


__all__ = ["PicturesPanel"]
