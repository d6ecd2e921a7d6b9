"""What can be done at the station Pictures: putting things on the card, laying them where they are read, arranging, cutting, papering.

Each act is one edit that undo takes back; what cannot be done is said in one sentence and changes nothing.
"""

from __future__ import annotations

import functools
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Literal

import msgspec
import numpy as np
import shapely
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from lexipod.app.card.picture_hands import Lying, PictureHands
from lexipod.app.jobs.job import Job
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.assembly import Assembly
from lexipod.building import build_assembly
from lexipod.checks import Examination
from lexipod.checks.examination import COARSE_STEPS
from lexipod.checks.seen import SEEN_KINDS
from lexipod.checks.surfaces import surfaces_at
from lexipod.design import Design, Item
from lexipod.drawing.contrast import ground_under, ink_on
from lexipod.editing.arranging import equal_gaps, in_the_middle
from lexipod.editing.items import free_item_ids
from lexipod.errors import LexipodError
from lexipod.fitting.papering import covering, same_on_alike
from lexipod.fitting.splitting import right_of, split_picture
from lexipod.fitting.through import also_elsewhere, find_surface, laid_through
from lexipod.pictures import Picture, laid_outline
from lexipod.pictures.laying import INK_COLOUR
from lexipod.pictures.loading import ENDINGS, import_picture, is_slow, keep_picture, read_picture_file

Asked = Literal["picture", "shape"]
Act = tuple[str, str, Callable[[], None]]
"""A title, what it does in a sentence, and the deed."""
LARGEST_FITTED_MM = 400.0
FIRST_WORDS = "Your words"
MAT_MM = {"in": 3.175, "mm": 3.0}


class PictureActs(QObject):
    """Changes the item in hand, or puts another one on. ``said`` carries why something cannot be done, or what came of it."""

    said = Signal(str)

    def __init__(self, session: Session, desk: Desk, view: ViewState, over: QWidget) -> None:
        super().__init__(over)
        self.session, self.desk, self.view, self.over = session, desk, view, over
        self.hands = PictureHands(session, desk, view)
        self.reading = Job(self, session, done=self._is_read, failed=self.said.emit)
        self._then: Callable[[], None] | None = None

    @property
    def rows(self) -> tuple[Act, ...]:
        """What can be done with the item in hand."""
        alike: Act = ("on all pieces alike", "The same motif at the same place of every piece that is cut the same.", self.on_alike)
        off: Act = ("take off", "Delete; undo brings it back.", self.take_off)
        if self.item is not None and self.item.kind == "mat":  # it lies where its border says
            return (off,) if self.item.across else (alike, off)
        return (
            ("at the other halts too", "One more for every halt, on what is seen then in the same place of the card.", self.also_elsewhere),
            ("within what is seen", "As large as it goes inside what is seen there at the position that is held.", self.fit_within),
            ("middle of what is seen", "Its middle on that of what is seen there at the position that is held.", self.to_middle_of_seen),
            ("upright as held", "The right way up for the reader, at the position that is held.", self.set_upright),
            ("cut in two …", "Press along a line on the card, then Enter: what lies to its right goes onto the part that is there.", self.begin_cut),
            ("middle of its part", "Its middle on that of the part that carries it.", lambda: self.to_middle("part")),
            ("middle of the card", "Its middle on that of the card.", lambda: self.to_middle("card")),
            ("equal gaps across", "All on the same side of this part, from left to right.", lambda: self.spread("x")),
            ("equal gaps down", "All on the same side of this part, from bottom to top.", lambda: self.spread("y")),
            ("over all its piece", "Patterned paper: so large that the piece is cut from it.", self.cover_piece),
            alike,
            off,
        )

    @property
    def item(self) -> Item | None:
        """The item in hand."""
        return self.session.design.find_item(self.view.picked_item) if self.view.picked_item else None

    def change_item(self, item: Item, *, text: str) -> None:
        """One edit: an item as it is now wanted."""
        self._edit(self._with(item), text)

    def _with(self, *items: Item) -> Design:
        changed = {i.id: i for i in items}
        design = self.session.design
        return msgspec.structs.replace(design, items=tuple(changed.get(i.id, i) for i in design.items))

    def _edit(self, design: Design, text: str) -> bool:
        """One step, if the card can be built with it."""
        try:
            build_assembly(design, self.session.catalog)
        except LexipodError as error:
            self.said.emit(str(error))
            return False
        self.session.edit(design, text=text)
        return True

    def _try(self, make: Callable[[Item, Assembly], Item | Design], text: str) -> bool:
        """One edit of the item in hand by what ``make`` gives for it; a refusal is said. False where nothing was changed."""
        item, assembly = self.item, self.desk.assembly
        if item is None or assembly is None:
            return False
        try:
            made = make(item, assembly)
        except LexipodError as error:
            self.said.emit(str(error))
            return False
        return self._edit(self._with(made) if isinstance(made, Item) else made, text.format(item.id))

    # ---- off, arranged and papered ------------------------------------------------------------------------------------

    def take_off(self) -> None:
        """The item in hand off the card; undo brings it back."""
        self.hands.take_off(refused=self.said.emit)

    def to_middle(self, of: Literal["part", "card"]) -> None:
        """The item in hand in the middle of its part, or of the card."""
        self._try(lambda item, assembly: in_the_middle(self.session.design, assembly, item, of=of), "{} in the middle")

    def spread(self, axis: Literal["x", "y"]) -> None:
        """All on the same side of the part of the item in hand with equal gaps."""

        def make(item: Item, assembly: Assembly) -> Design:
            company = [i for i in self.session.design.items if (i.on, i.face) == (item.on, item.face) and i.kind in SEEN_KINDS]
            return self._with(*equal_gaps(assembly, company, axis))

        self._try(make, "equal gaps")

    def cover_piece(self) -> None:
        """The picture in hand over all of its piece, as patterned paper."""

        def make(item: Item, assembly: Assembly) -> Item:
            if item.kind != "picture":
                raise LexipodError("Only a picture is a paper; take one in hand.")
            return covering(item, assembly)

        self._try(make, "{} over all its piece")

    def on_alike(self) -> None:
        """The same as what is in hand on every piece that is cut alike."""
        self._try(lambda item, assembly: same_on_alike(self.session.design, assembly, item.id), "{} on all pieces alike")

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
        self.view.set_laying(False)
        self._try(lambda item, _: laid_through(self._examination(), item, self._at, shapely.Point(x, y)), "lay {}")

    def fit_within(self) -> None:
        """The item in hand inside the piece of its part that is seen where it lies, as large as that allows."""
        self._into_seen(lambda lying: _grown(lying.own), "{} within what is seen", fits=True)

    def to_middle_of_seen(self) -> None:
        """The item in hand in the middle of the piece of its part that is seen where it lies, as large as it is."""
        self._into_seen(lambda lying: lying.own, "{} in the middle of what is seen", fits=False)

    def _into_seen(self, sized: Callable[[Lying], Item], text: str, *, fits: bool) -> None:
        lying = self.hands.picked
        if lying is None:
            return

        def make(_: Item, __: Assembly) -> Item:
            spot = shapely.Point(lying.on_card(np.array([lying.box.middle]))[0])
            examination = self._examination()
            surface = find_surface(examination, self._at, spot.buffer(1.0))
            piece = max(shapely.get_parts(surface.seen), key=lambda p: -p.distance(spot))
            return laid_through(examination, sized(lying), self._at, piece, fits=fits)

        self._try(make, text)

    def set_upright(self) -> None:
        """The item in hand the right way up for the reader, at the position that is held."""
        lying = self.hands.picked
        if lying is None:
            return

        def make(item: Item, _: Assembly) -> Item:
            spot = shapely.Point(lying.on_card(np.array([lying.box.middle]))[0])
            made = laid_through(self._examination(), item, self._at, spot)
            if (made.on, made.face) != (item.on, item.face):
                raise LexipodError("Another part lies over it at this position; hold the card where it is read.")
            return msgspec.structs.replace(lying.own, turn=made.turn)

        self._try(make, "turn of {}")

    def also_elsewhere(self) -> None:
        """One more of the item in hand at every other halt."""
        drive, before = self.desk.drive, len(self.session.design.items)
        if drive is None:
            return
        at = self.view.travel.get(drive.mechanism, drive.rest)

        def make(item: Item, _: Assembly) -> Design:
            return also_elsewhere(self.session.design, self._examination(), item.id, drive.mechanism, at)

        if self._try(make, "{} at the other halts"):
            count = len(self.session.design.items) - before
            self.said.emit(f"{count} more, one for each other halt." if count else "The same part is seen there at every halt: one will do.")

    # ---- cut in two ---------------------------------------------------------------------------------------------------

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
        line = self.view.cut_line
        self.view.set_cutting(None)
        if not line:
            return

        def make(item: Item, _: Assembly) -> Design:
            examination = self._examination()
            onto = right_of(examination, item.on, line)
            return split_picture(self.session.design, examination, item.id, line, onto, curved=len(line) > 2)

        self._try(make, "cut {} in two")

    # ---- put on the card ----------------------------------------------------------------------------------------------

    def add_greeting(self) -> None:
        """A greeting in the middle of what is seen most."""
        item_id = next(free_item_ids(self.session.design.items, "g"))
        self._put(Item(item_id, "greeting", "card.front", text=FIRST_WORDS, height=6.0))

    def add_mat(self) -> None:
        """A mat on the part of what is in hand, or on what is seen most."""
        item_id = next(free_item_ids(self.session.design.items, "mat"))
        on, face = (self.item.on, self.item.face) if self.item is not None else ("", "front")
        try:
            if not on:
                best = max(surfaces_at(self._examination(), self._at), key=lambda s: s.seen.area)
                on, face = best.on, best.face  # type: ignore[assignment]
            made = Item(item_id, "mat", on, face, layers=0, border=MAT_MM[self.session.style.unit])
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self._add(made)

    def choose(self, kind: Asked) -> None:
        """Asks for a file and puts it on."""
        start = str(self.session.path.parent) if self.session.path else ""
        endings = " ".join(f"*{e}" for e in ENDINGS)
        path, _ = QFileDialog.getOpenFileName(self.over, "A picture", start, f"Pictures ({endings})")
        if path:
            self.add_picture(Path(path), kind)

    def add_picture(
        self, path: Path, kind: Asked = "picture", *, copies: bool | None = None, at: tuple[float, float] | None = None, is_read: bool = False
    ) -> None:
        """A picture from a file in the middle of what is seen most, or ``at`` a place of the card. One that lies elsewhere is copied beside
        the design, when that is wished (``copies``; it is asked where that is left open). What takes long to read is read aside first."""
        if self.session.path is None:
            self.said.emit("Save the card first: its pictures are kept beside it.")
            return
        if is_slow(path) and not is_read:
            self.said.emit(f"Reading {path.name} …")
            self._then = functools.partial(self.add_picture, path, kind, copies=copies, at=at, is_read=True)
            self.reading.start("picture", str(path))
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
        try:
            made = import_picture(item_id, source, picture, on="card.front", kind=kind)
        except ValueError as error:
            self.said.emit(f"{path.name} cannot be put on: {error}")
            return
        self._put(made)
        if at is not None and self.view.picked_item == item_id:
            self.lay_at(*at)
        if picture.told:
            self.said.emit(f"{path.name}: {'; '.join(picture.told)}.")
        elif is_read:
            self.said.emit(f"{path.name} is on the card.")

    def _is_read(self, told: tuple[bytes, Picture]) -> None:
        keep_picture(*told)
        then, self._then = self._then, None
        if then is not None:
            then()

    def _may_copy(self, path: Path) -> bool:
        answer = QMessageBox.question(self.over, "Copy it?", f"{path.name} lies elsewhere. Copy it beside the card, so that both stay together?")
        return answer == QMessageBox.StandardButton.Yes

    def _put(self, item: Item) -> None:
        """An item on what is seen most at the position that is held."""
        examination = self._examination()
        try:
            best = max(surfaces_at(examination, self._at), key=lambda s: s.seen.area)
            made = laid_through(examination, item, self._at, best.seen)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self._add(self._readable(made) if made.kind == "greeting" else made)

    def _readable(self, item: Item) -> Item:
        """A greeting in white where its ink would not stand out from what it lies on."""
        assembly = self.desk.assembly
        carrier = None if assembly is None else assembly.carriers.get(item.on)
        if carrier is None:
            return item
        drawn = self.desk.art.get(f"{item.on}:back" if item.face == "back" else item.on, ())
        ground = ground_under(drawn, laid_outline(item, carrier.outline).envelope)
        return msgspec.structs.replace(item, colour=ink_on(ground, INK_COLOUR))

    def _add(self, item: Item) -> None:
        """One more item, in hand from now on."""
        design = self.session.design
        if self._edit(msgspec.structs.replace(design, items=(*design.items, item)), f"put {item.id} on"):
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


__all__ = ["Act", "PictureActs"]
