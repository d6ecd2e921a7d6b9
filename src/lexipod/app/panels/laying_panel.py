"""How pieces are laid on sheets: how many cards, which sheets, straight or free; the piece that is picked; the order of cuts."""

from __future__ import annotations

import functools

from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.sheets.template_view import SheetBench
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.catalog import load_catalog
from lexipod.catalog.book import keep_offcuts
from lexipod.errors import LexipodError
from lexipod.fabricate.machining import find_misfits
from lexipod.fabricate.sheeting import room_of, usual_sheet
from lexipod.fabricate.sheets_told import cuts_told, why_unplaced
from lexipod.fabricate.shelving import offcuts_of
from lexipod.fitting.lapping import Lapping
from lexipod.units import parse_length

SEARCH_S = 30.0
LABEL_PX = 92


class LayingPanel(Panel):
    """Settings of the sheets, and what came of them."""

    def __init__(self, session: Session, desk: Desk, bench: SheetBench) -> None:
        super().__init__(session, desk)
        self.bench, self.sheets = bench, bench.sheets
        top = self.top = self.sheet("Sheets")
        self.told = QLabel()
        self.told.setWordWrap(True)
        top.addWidget(self.told)
        self.copies = QLineEdit()
        self.copies.setValidator(QIntValidator(1, 9999, self.copies))
        self.copies.setAccessibleName("How many cards")
        self.copies.editingFinished.connect(self._copies_typed)
        top.addWidget(labelled("cards", self.copies, label_width=LABEL_PX))
        self.cuts = choice_box([("straight", "straight, edge to edge"), ("free", "free, along each outline")], self._use_cuts, name="Way of cutting")
        top.addWidget(labelled("cut", self.cuts, label_width=LABEL_PX))
        self.gap, self.margin = self._length("gap", "Gap between pieces"), self._length("margin", "Empty margin of each sheet")
        top.addWidget(labelled("gap", self.gap, label_width=LABEL_PX))
        top.addWidget(labelled("margin", self.margin, label_width=LABEL_PX))
        grains = [("where it can", "along, where it can"), ("always", "always along"), ("free", "as it comes")]
        self.grain = choice_box(grains, lambda key: self.sheets.change("grain", grain=key), name="Grain")
        top.addWidget(labelled("grain", self.grain, label_width=LABEL_PX))
        self.stocks = QWidget()
        top.addWidget(self.stocks)
        self.offcuts = QCheckBox("use off-cuts from the shelf first")
        self.offcuts.clicked.connect(lambda on: self.sheets.change("off-cuts", uses_offcuts=on))
        top.addWidget(self.offcuts)
        self._add_doing(top)
        self.lap = QPushButton("cut it in two that lap")
        self.lap.setToolTip("Looks for a place away from scores, openings and glue; the double thickness counts in every check.")
        self.lap.clicked.connect(self._look_for_lap)
        self.lapping = Job(self, session, done=self._lapped, failed=self.said.emit)
        top.addWidget(self.lap)
        self.unlap = QPushButton("whole pieces again")
        self.unlap.setObjectName("quiet")
        self.unlap.clicked.connect(lambda: self.sheets.change("whole pieces", laps={}))
        top.addWidget(self.unlap)
        self.piece = self.sheet("The piece that is picked")
        self.piece_told = soft("")
        self.piece.addWidget(self.piece_told)
        self._add_hands()
        self.order = self.sheet("Order of cuts", "Lay what is named against the stop and cut; each cut makes two parts, numbered on.")
        self.order_rows = QWidget()
        self.order.addWidget(self.order_rows)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        session.changed.connect(self.refresh_if_seen)
        self.sheets.changed.connect(self.refresh_if_seen)
        self.sheets.said.connect(self.said)
        self.sheets.went_on.connect(self._went_on)
        bench.table.said.connect(self.said)
        bench.table.picked.connect(self._show_piece)
        self.refresh_if_seen()

    def _length(self, name: str, label: str) -> QLineEdit:
        field = QLineEdit()
        field.setAccessibleName(label)
        field.setToolTip("Empty for what suits the way of cutting.")
        field.editingFinished.connect(functools.partial(self._length_typed, name, field))
        return field

    def _add_doing(self, top: QVBoxLayout) -> None:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.better = QPushButton("look for better")
        self.better.setToolTip("Tries other layouts for half a minute in the background; the best is shown, and kept.")
        self.better.clicked.connect(self._search)
        anew = QPushButton("lay anew")
        anew.setToolTip("Lays everything anew but what is locked.")
        anew.clicked.connect(lambda: self.sheets.lay_anew())
        row.addWidget(self.better)
        row.addWidget(anew)
        row.addStretch(1)
        top.addLayout(row)
        keep = QPushButton("put off-cuts on the shelf")
        keep.setToolTip("What is left over and worth keeping is used first by the next cards.")
        keep.clicked.connect(self.keep_offcuts)
        top.addWidget(keep)

    def _add_hands(self) -> None:
        table = self.bench.table.top
        row = QHBoxLayout()
        row.setSpacing(4)
        self.hands: list[QPushButton] = []
        for text, tip, does in (
            ("turn", "A quarter (R)", table.turn_picked),
            ("lock", "Stays where it is when the rest is laid anew (L)", self._lock),
            ("next sheet", "On the next sheet of its stock (N)", table.to_next_sheet),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, does=does: does())
            row.addWidget(button)
            self.hands.append(button)
        row.addStretch(1)
        self.piece.addLayout(row)
        stocks = [("", "as it was designed"), *((s.id, s.name) for s in self.session.catalog.stocks.values())]
        self.stock = choice_box(stocks, self._use_stock, name="Stock this piece is cut from")
        self.stock.setToolTip("For sheets and kit alone: what the checks say is for the stock of the design.")
        self.piece.addWidget(labelled("cut from", self.stock, label_width=LABEL_PX))

    # ---- showing

    def refresh(self) -> None:
        """Shows the settings and what came of them."""
        sheeting, style = self.session.design.sheeting, self.session.style
        for field, text in ((self.copies, str(sheeting.copies)), (self.gap, self._shown(sheeting.gap)), (self.margin, self._shown(sheeting.margin))):
            if not field.hasFocus():
                field.setText(text)
        self.gap.setPlaceholderText(f"usual: {style.length(sheeting.gap_mm)}")
        self.margin.setPlaceholderText(f"usual: {style.length(sheeting.margin_mm)}")
        set_choice(self.cuts, sheeting.cuts)
        set_choice(self.grain, sheeting.grain)
        self.offcuts.setChecked(sheeting.uses_offcuts)
        self.offcuts.setVisible(bool(self.session.catalog.offcuts))
        self._show_stocks()
        self._show_told()
        self._show_piece()
        self._show_order()
        self.lap.setVisible(self.sheets.sheets is not None and bool(self.sheets.sheets.unplaced))
        self.unlap.setVisible(bool(sheeting.laps))
        self.better.setText("stop" if self.sheets.searching.is_running else "look for better")
        self.better.setEnabled(sheeting.cuts == "free" or self.sheets.searching.is_running)

    def _shown(self, length: float | None) -> str:
        return "" if length is None else self.session.style.length(length)

    def _show_told(self) -> None:
        sheets = self.sheets.sheets
        if self.sheets.trouble:
            self.told.setText(self.sheets.trouble)
            return
        if sheets is None or self.desk.assembly is None:
            self.told.setText("Laying the pieces …")
            return
        copies = sheets.sheeting.copies
        lines = [
            f"{sheets.count} sheet{'' if sheets.count == 1 else 's'} for {copies} card{'' if copies == 1 else 's'}, {100 * sheets.use:.0f} % used"
        ]
        if not self.sheets.is_current and not self.sheets.searching.is_running:
            lines[0] += " (being laid anew)"
        for piece, board in list(sheets.unplaced)[:4]:
            lines.append(f"No room for the {piece.blank.name}: {why_unplaced(piece, board, self.session.catalog, self.session.style)}.")
        against = sheets.against_grain(self.desk.assembly, self.session.catalog)
        if against:
            lines.append(f"Across the grain, since no sheet takes it along: {', '.join(against)}.")
        lines += [
            f"{m.subject}: {m.text}"
            for m in find_misfits(sheets, self.desk.assembly, self.session.catalog, self.session.design.ways, self.session.style)
        ][:4]
        self.told.setText("\n".join(lines))

    def _show_stocks(self) -> None:
        assembly, catalog, design = self.desk.assembly, self.session.catalog, self.session.design
        box = QWidget()
        box.setObjectName("inside")
        layout = QVBoxLayout(box)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        used = [] if self.sheets.sheets is None else list(dict.fromkeys(s.lot.stock for s in self.sheets.sheets.sheets))
        for stock in used if assembly is not None else ():
            kind = catalog.kind_of(stock)
            rows = [("", f"usual: {catalog.sheets[usual_sheet(stock, catalog, design.ways.units)].name}")]
            rows += [(s.id, s.name) for s in catalog.sheets.values() if not s.of or s.of == kind]
            name = catalog.stocks[stock].name if stock in catalog.stocks else catalog.foams[stock].name
            choice = choice_box(rows, functools.partial(self._use_sheet, stock), name=f"Sheet for {name}")
            set_choice(choice, design.sheeting.sheets.get(stock, ""))
            layout.addWidget(labelled(name, choice, label_width=LABEL_PX))
        self.top.replaceWidget(self.stocks, box)
        put_away(self.stocks)
        self.stocks = box

    def _show_piece(self) -> None:
        found = self.bench.table.top.picked_piece
        for button in self.hands:
            button.setEnabled(found is not None)
        self.stock.setEnabled(found is not None and found[1].blank.stock in self.session.catalog.stocks)
        set_choice(self.stock, "" if found is None else self.sheets.sheeting.instead.get(found[1].blank.id, ""))
        if found is None:
            self.piece_told.setText("Click a piece, or Tab to the sheets and go on with the Page keys. Drag it, or move it with the arrow keys.")
            return
        sheet, piece, spot = found
        style = self.session.style
        is_locked = piece.name in self.sheets.locked
        self.hands[1].setText("unlock" if is_locked else "lock")
        turned = f", turned {spot.turn}°" if spot.turn else ""
        locked = ", locked" if is_locked else ""
        where = f"{style.length(spot.x_mm)} from the left, {style.length(spot.y_mm)} up{turned}{locked}"
        self.piece_told.setText(f"{piece.blank.name} of card {piece.copy}, on {sheet.title}: {where}.")

    def _show_order(self) -> None:
        rows = QWidget()
        rows.setObjectName("inside")
        layout = QVBoxLayout(rows)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        sheets = self.sheets.sheets
        if sheets is None or sheets.sheeting.cuts != "straight":
            layout.addWidget(soft("Free layouts are cut along each outline; for an order of straight cuts choose “straight” above."))
        else:
            for sheet in sheets.sheets[:12]:
                title = QLabel(sheet.title)
                title.setStyleSheet("font-weight: 600;")
                title.setWordWrap(True)
                layout.addWidget(title)
                if sheet.cuts is None:
                    layout.addWidget(soft("No order of straight cuts frees these; lay anew, or cut them with a knife."))
                for told in cuts_told(sheet, self.session.style):
                    layout.addWidget(soft(told))
            if len(sheets.sheets) > 12:
                layout.addWidget(soft(f"… and {len(sheets.sheets) - 12} more sheets; print them with their cuts from “files, cutting”."))
        self.order.replaceWidget(self.order_rows, rows)
        put_away(self.order_rows)
        self.order_rows = rows

    # ---- doing

    def _copies_typed(self) -> None:
        text = self.copies.text().strip()
        if text.isdigit() and int(text) != self.session.design.sheeting.copies:
            self.sheets.change("number of cards", copies=int(text))
        self.copies.clearFocus()
        self.copies.setText(str(self.session.design.sheeting.copies))

    def _length_typed(self, name: str, field: QLineEdit) -> None:
        text, sheeting = field.text().strip(), self.session.design.sheeting
        before = getattr(sheeting, name)
        try:
            made = None if text in ("", "usual") else round(parse_length(text, default_unit=self.session.style.unit), 6)
        except LexipodError as error:
            self.said.emit(str(error))
            field.setText(self._shown(before))
            return
        if made is not None and before is not None and self._shown(made) == self._shown(before):
            return
        if made != before:
            self.sheets.change(name, **{name: made})
            if getattr(self.session.design.sheeting, name) != made:
                field.setText(self._shown(before))

    def _use_cuts(self, key: str) -> None:
        self.sheets.change("way of cutting", cuts=key, placed=(), made_for="")

    def _use_sheet(self, stock: str, key: str) -> None:
        kept = {k: v for k, v in self.session.design.sheeting.sheets.items() if k != stock}
        self.sheets.change("sheet", sheets=kept | ({stock: key} if key else {}))

    def _search(self) -> None:
        if self.sheets.searching.is_running:
            self.sheets.stop_search()
        else:
            self.sheets.search(SEARCH_S)

    def _went_on(self, share: float) -> None:
        if self.sheets.laying.is_running:
            self.told.setText(f"Laying the pieces … {100 * share:.0f} %")
            return
        self.better.setText(f"stop ({100 * share:.0f} %)")

    def _use_stock(self, key: str) -> None:
        found = self.bench.table.top.picked_piece
        if found is not None:
            kept = {k: v for k, v in self.sheets.sheeting.instead.items() if k != found[1].blank.id}
            self.sheets.change("another stock", instead=kept | ({found[1].blank.id: key} if key else {}))

    def _look_for_lap(self) -> None:
        sheets = self.sheets.sheets
        if sheets is None or not sheets.unplaced:
            return
        piece, _ = sheets.unplaced[0]
        self.said.emit(f"Looking where the {piece.blank.name} can be cut in two …")
        self.lapping.start("lap", self.session.design, piece.blank.id, room_of(piece, sheets, self.session.design, self.session.catalog))

    def _lapped(self, found: Lapping | None) -> None:
        if self.lapping.is_old:
            self.said.emit(CHANGED)
        elif found is None:
            self.said.emit("Nowhere can it be cut in two parts that fit this sheet; take a larger one.")
        elif found.blocks:
            self.said.emit(f"A lap there would block: {'; '.join(found.blocks)}. Take a larger sheet, or one more layer of foam first.")
        else:
            self.sheets.change("cut in two that lap", laps=self.session.design.sheeting.laps | {found.part: found.lap})
            self.said.emit(f"Cut in two that lap by {self.session.style.length(found.lap.over)}; undo takes it back.")

    def _lock(self) -> None:
        found = self.bench.table.top.picked_piece
        if found is not None:
            self.sheets.lock(found[1].name, on=found[1].name not in self.sheets.locked)

    def keep_offcuts(self) -> None:
        """Puts what is left and worth keeping on the shelf."""
        sheets = self.sheets.sheets
        if sheets is None or not self.sheets.is_current:
            self.said.emit("The sheets are being laid; try again in a moment.")
            return
        made = offcuts_of(sheets, self.session.catalog, self.session.design.title)
        if not made:
            self.said.emit("Nothing is left over that is worth keeping.")
            return
        try:
            keep_offcuts([*self.session.catalog.offcuts.values(), *made])
        except LexipodError as error:
            self.said.emit(str(error))
            return
        self.session.catalog = load_catalog()
        self.said.emit(f"{sum(o.count for o in made)} off-cuts are on the shelf; “use off-cuts” takes them first.")
        self.refresh()
