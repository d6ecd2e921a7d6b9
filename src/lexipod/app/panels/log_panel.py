"""Log: what is told of the make in hand, the maker's own errors, the shelf, and the ways in and out."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QMessageBox, QPushButton, QVBoxLayout, QWidget

from lexipod.app.jobs.job import Job
from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel, put_away
from lexipod.app.state.desk import Desk
from lexipod.app.state.logbook import Logbook
from lexipod.app.state.session import Session
from lexipod.catalog import load_catalog
from lexipod.design import write_bytes_atomically
from lexipod.errors import LexipodError
from lexipod.fabricate.kit import Kit, amount_text
from lexipod.records import backup, shelf
from lexipod.records.learning import learn_all, learned_text, own_errors
from lexipod.records.makes import RAN_WORDS, Make
from lexipod.records.making import compare_makes, design_of, now_text
from lexipod.records.store import LogError

LABEL_PX = 92
THUMB_PX = 104
FIELDS = (("where", "where"), ("note", "note"), ("changed", "changed"), ("next_time", "next time"), ("glue", "glue"), ("whom", "for whom"))
MOST_ROWS = 14


class LogPanel(Panel):
    """One make at a time, and what belongs to all."""

    def __init__(self, session: Session, desk: Desk, book: Logbook, *, open_design: Callable[[object], None]) -> None:
        super().__init__(session, desk)
        self.book, self._open = book, open_design
        self._fills = False
        self._rows: list[QWidget] = []
        self.job = Job(self, session, done=self._kit_told, failed=lambda text: self.said.emit(text))
        self._takes_for = ""
        self._add_make()
        self._add_errors()
        self._add_shelf()
        self._add_ways_out()
        self.column.addStretch(1)
        book.changed.connect(self.refresh_if_seen)
        session.changed.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    # ---- the make in hand

    def _add_make(self) -> None:
        box = self.sheet("This make")
        self.title = QLabel()
        self.title.setWordWrap(True)
        box.addWidget(self.title)
        self.form = QWidget()
        form = QVBoxLayout(self.form)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(4)
        self.ran = choice_box([(k, v.removesuffix(" at")) for k, v in RAN_WORDS.items()], self._tell_ran, name="How it ran")
        form.addWidget(labelled("it", self.ran, label_width=LABEL_PX))
        self.fields: dict[str, QLineEdit] = {}
        for name, label in FIELDS:
            field = QLineEdit()
            field.setAccessibleName(label)
            field.editingFinished.connect(lambda name=name: self._tell(name))
            self.fields[name] = field
            form.addWidget(labelled(label, field, label_width=LABEL_PX))
        self.photographs = QGridLayout()
        self.photographs.setSpacing(4)
        form.addLayout(self.photographs)
        row = QHBoxLayout()
        row.setSpacing(4)
        for text, act in (("photograph …", self._add_photograph), ("the design as it was", self._open_as_it_was), ("remove", self._remove)):
            button = QPushButton(text)
            if text == "remove":
                button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
        row.addStretch(1)
        form.addLayout(row)
        self.other = choice_box([("", "compare with …")], self._compare, name="Compare with another make")
        form.addWidget(self.other)
        self.compared = QLabel()
        self.compared.setWordWrap(True)
        form.addWidget(self.compared)
        box.addWidget(self.form)

    def _tell_ran(self, ran: str) -> None:
        if not self._fills and self.book.make_id:
            self.book.tell(self.book.make_id, ran=ran)

    def _tell(self, name: str) -> None:
        make = self.book.make
        text = self.fields[name].text().strip()
        if not self._fills and make is not None and getattr(make, name) != text:
            self.book.tell(make.id, **{name: text})

    def _add_photograph(self) -> None:
        if not self.book.make_id:
            return
        names, _ = QFileDialog.getOpenFileNames(self, "Photographs", "", "Photographs (*.jpg *.jpeg *.png *.webp)")
        for name in names:
            self.book.photograph(self.book.make_id, Path(name))

    def _open_as_it_was(self) -> None:
        make = self.book.make
        if make is None:
            return
        try:
            design = design_of(make)
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self._open(design)

    def _remove(self) -> None:
        make = self.book.make
        if make is None:
            return
        asked = QMessageBox.question(self, "Remove", f"Take the make of {make.began[:10]} out of the log? That cannot be taken back.")
        if asked == QMessageBox.StandardButton.Yes:
            self.book.make_id = ""
            self.book.changing(lambda: self.book.store.remove(make.id))

    def _compare(self, other_id: str) -> None:
        makes = {m.id: m for m in self.book.makes()}
        make, other = makes.get(self.book.make_id), makes.get(other_id)
        if self._fills or make is None or other is None:
            self.compared.hide()
            return
        nothing: list[tuple[str, str, str]] = []
        rows = self.book.trying(lambda: compare_makes(make, other), nothing)
        lines = [f"{name}: {one or '—'} | {two or '—'}" for name, one, two in rows[:MOST_ROWS]]
        if len(rows) > MOST_ROWS:
            lines.append(f"and {len(rows) - MOST_ROWS} more")
        self.compared.setText("\n".join(lines) or "They differ in nothing that was told.")
        self.compared.show()

    # ---- own errors

    def _add_errors(self) -> None:
        box = self.sheet("Your own errors", "From your measures, shrunk to what is usual while they are few.")
        self.errors = QLabel()
        self.errors.setWordWrap(True)
        box.addWidget(self.errors)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.use, self.forget = QPushButton("use them for this card"), QPushButton("back to the usual ones")
        self.use.clicked.connect(lambda: self._use(on=True))
        self.forget.clicked.connect(lambda: self._use(on=False))
        row.addWidget(self.use)
        row.addWidget(self.forget)
        row.addStretch(1)
        box.addLayout(row)

    def _use(self, *, on: bool) -> None:
        design = self.session.design
        errors = own_errors(learn_all(self.book.makes()), design.ways.cutting) if on else ()
        ways = msgspec.structs.replace(design.ways, errors=errors)
        self.session.edit(msgspec.structs.replace(design, ways=ways), text="own errors" if on else "usual errors")
        gap = self.session.style.length(ways.needed_gap_mm())
        self.said.emit(f"Moving edges ask for {gap} now; builds are reckoned with {'your own' if on else 'the usual'} errors.")
        self.refresh()

    # ---- the shelf

    def _add_shelf(self) -> None:
        box = self.sheet("Shelf")
        self.things = QLabel()
        self.things.setWordWrap(True)
        box.addWidget(self.things)
        self.item = choice_box([], lambda _: None, name="Thing")
        self.count = QLineEdit()
        self.count.setPlaceholderText("how many there are")
        self.count.setAccessibleName("How many")
        self.count.returnPressed.connect(self._put)
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.item, 2)
        row.addWidget(self.count, 2)
        put = QPushButton("put")
        put.clicked.connect(self._put)
        row.addWidget(put)
        box.addLayout(row)
        acts = QHBoxLayout()
        acts.setSpacing(4)
        self.need, self.take = QPushButton("what is to buy"), QPushButton("take the kit")
        self.need.setToolTip("For so many cards as the sheets are laid for.")
        self.need.clicked.connect(lambda: self._ask_kit(takes=False))
        self.take.clicked.connect(self._take_or_return)
        for button in (self.need, self.take):
            acts.addWidget(button)
        for text, act in (("CSV out …", self._shelf_out), ("CSV in …", self._shelf_in)):
            button = QPushButton(text)
            button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, act=act: act())
            acts.addWidget(button)
        acts.addStretch(1)
        box.addLayout(acts)
        self.short = QLabel()
        self.short.setWordWrap(True)
        box.addWidget(self.short)

    def _put(self) -> None:
        item = str(self.item.currentData() or "")
        try:
            count = float(self.count.text().replace(",", "."))
            kind, name, unit = shelf.known_item(item, self.session.catalog)
            old = next((t for t in self.book.shelf() if t.id == item), None)
            thing = msgspec.structs.replace(old, count=count) if old is not None else shelf.Thing(item, item, name, kind, unit, count)
            msgspec.convert(msgspec.to_builtins(thing), shelf.Thing)
        except (ValueError, msgspec.ValidationError):
            self.said.emit("Say how many there are, as a number of 0 or more.")
            return
        if self.book.changing(lambda: shelf.put_thing(self.book.store, thing)):
            self.count.clear()

    def _take_or_return(self) -> None:
        """Takes the kit for the make in hand; one that took it gives it back."""
        make = self.book.make_id
        if make and self.book.trying(lambda: shelf.has_taken(self.book.store, make), False):
            if self.book.changing(lambda: shelf.give_back(self.book.store, make)):
                self.short.setText("The kit is back on the shelf; off-cuts that were cut are not.")
        else:
            self._ask_kit(takes=True)

    def _ask_kit(self, *, takes: bool) -> None:
        if takes and not self.book.make_id:
            self.said.emit("Pick the make that takes the kit, in the list of makes.")
            return
        self._takes_for = self.book.make_id if takes else ""
        self.short.setText("counting …")
        self.short.show()
        self.job.start("kit", self.session.design)

    def _kit_told(self, told: tuple[Kit, list[str]]) -> None:
        kit, used = told
        make = self._takes_for
        try:
            short = shelf.take_kit(self.book.store, kit, make, at=now_text()) if make else shelf.find_short(self.book.store, kit)
        except LogError as error:
            self.short.setText(str(error))
            return
        style = self.session.style
        lines = [f"to buy: {amount_text(s.missing, s.unit, style)} of {s.name}" for s in short]
        done = f"The kit for {kit.copies} card{'' if kit.copies == 1 else 's'} was taken. " if make else ""
        self.short.setText(done + ("\n".join(lines) if lines else "All of it is on the shelf."))
        if make:
            self._offcuts_taken(used)
            self.book.changed.emit()

    def _offcuts_taken(self, used: list[str]) -> None:
        """Off-cuts that were used are off the shelf."""
        if used:
            shelf.take_offcuts(self.session.catalog, used)
            self.session.catalog = load_catalog()

    def _shelf_out(self) -> None:
        self._write("shelf.csv", "Shelf (*.csv)", lambda: shelf.shelf_csv(self.book.store).encode())

    def _shelf_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Shelf", "", "Shelf (*.csv)")
        if not name:
            return

        self.book.changing(lambda: shelf.import_shelf(self.book.store, Path(name)))

    # ---- in and out

    def _add_ways_out(self) -> None:
        box = self.sheet("The log", "It lies on this machine alone. A backup holds the photographs too.")
        row = QHBoxLayout()
        row.setSpacing(4)
        for text, act in (("backup …", lambda: self._export(".zip")), ("CSV …", lambda: self._export(".csv")), ("import …", self._import)):
            button = QPushButton(text)
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
        row.addStretch(1)
        box.addLayout(row)

    def _export(self, ending: str) -> None:
        self._write(f"lexipod-log{ending}", f"Log (*{ending})", lambda: backup.export_bytes(self.book.store, ending))

    def _write(self, suggested: str, kinds: str, make: Callable[[], bytes]) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write", suggested, kinds)
        if not name:
            return
        try:
            write_bytes_atomically(make(), Path(name))
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.said.emit(f"Written: {Path(name).name}.")

    def _import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import", "", "Logs (*.zip *.json *.csv)")
        if not name:
            return
        brought = self.book.trying(lambda: backup.import_file(self.book.store, Path(name)), None)
        if brought is not None:
            self.book.changed.emit()
            self.said.emit(f"{brought.new} new makes, {brought.known} were there already.")

    # ---- what is shown

    def refresh(self) -> None:
        """Shows make, errors and shelf as they are."""
        makes = self.book.makes()
        make = next((m for m in makes if m.id == self.book.make_id), None)
        self._fills = True
        self.form.setVisible(make is not None)
        if make is None:
            self.title.setText("Pick a make in the list." if makes else "Nothing was made yet.")
        else:
            self._show_make(make, makes)
        self._show_errors(makes)
        self._show_shelf()
        self._fills = False

    def _show_make(self, make: Make, makes: list[Make]) -> None:
        told = f"{make.title}, {make.began[:10]}, {make.copies} card{'' if make.copies == 1 else 's'}"
        made_of = ", ".join(p for p in (make.stock, make.foam, make.fasteners) if p)
        said = f"Before it was made: {make.prediction.verdict}." if make.prediction.verdict else ""
        self.title.setText("\n".join(t for t in (told, made_of, said) if t))
        set_choice(self.ran, make.ran)
        for name, field in self.fields.items():
            if not field.hasFocus():
                field.setText(getattr(make, name))
        while self.photographs.count():
            item = self.photographs.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                put_away(widget)
        for k, photograph in enumerate(make.photographs[:6]):
            label = QLabel()
            pixmap = QPixmap(str(self.book.store.photographs / photograph.name))
            if pixmap.isNull():
                label.setText("a photograph is missing")
            else:
                label.setPixmap(pixmap.scaled(THUMB_PX, THUMB_PX, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation))
            label.setToolTip(photograph.caption or photograph.name)
            self.photographs.addWidget(label, k // 3, k % 3)
        self.other.clear()
        self.other.addItem("compare with …", "")
        for other in makes:
            if other.id != make.id:
                self.other.addItem(f"{other.title}, {other.began[:10]}", other.id)
        self.other.setVisible(len(makes) > 1)
        self.compared.hide()

    def _show_errors(self, makes: list[Make]) -> None:
        learned = learn_all(makes)
        self.errors.setText("\n".join(learned_text(row, self.session.style) for row in learned) or "Nothing was measured yet.")
        self.use.setEnabled(bool(own_errors(learned, self.session.design.ways.cutting)))
        self.forget.setVisible(bool(self.session.design.ways.errors))

    def _show_shelf(self) -> None:
        rows = self.book.shelf()
        lines = [
            f"{amount_text(t.count, t.unit, self.session.style)} of {t.name}{f', {t.place}' if t.place else ''}{' — runs low' if t.runs_low else ''}"
            for t in rows
        ]
        offcuts = sum(o.count for o in self.session.catalog.offcuts.values())
        if offcuts:
            lines.append(f"{offcuts} off-cut{'' if offcuts == 1 else 's'}, used by the sheets first")
        self.things.setText("\n".join(lines) or "Empty. Say what is there, and a batch tells what is to buy.")
        self.short.setVisible(bool(self.short.text()))
        make = self.book.make_id
        taken = bool(make) and self.book.trying(lambda: shelf.has_taken(self.book.store, make), False)
        self.take.setText("give the kit back" if taken else "take the kit")
        here = self.item.currentData()
        self.item.clear()
        for item in self._items():
            self.item.addItem(shelf.known_item(item, self.session.catalog)[1], item)
        if here:
            set_choice(self.item, str(here))

    def _items(self) -> list[str]:
        """What this card uses, and what is on the shelf."""
        catalog, assembly = self.session.catalog, self.desk.assembly
        used = [p.stock for p in assembly.parts if p.quantity] if assembly is not None else []
        if assembly is not None:
            used += [s.stock for f in assembly.foldings for s in f.sheets]
            used += [assembly.card.envelope] if assembly.card.envelope in catalog.envelopes else []
        return list(dict.fromkeys([self.session.design.card.stock, *used, *(t.item for t in self.book.shelf()), "thread"]))
