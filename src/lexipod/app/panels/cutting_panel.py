"""The ways out: template pages and sheets as files, printers and their check print, the plotter."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QProgressBar, QPushButton

from lexipod.app.jobs.job import Job
from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel, soft
from lexipod.app.sheets.template_view import SheetBench
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.catalog import Printer, load_catalog
from lexipod.catalog.book import keep_printer
from lexipod.errors import LexipodError
from lexipod.fabricate import EXPORTS
from lexipod.fabricate.exports import Cutting
from lexipod.plotting import SendError
from lexipod.units import parse_length

LABEL_PX = 92
ADDRESS = "localhost:9102"


class CuttingPanel(Panel):
    """Files and machines."""

    def __init__(self, session: Session, desk: Desk, bench: SheetBench, export: Callable[..., None]) -> None:
        super().__init__(session, desk)
        self.bench, self.export = bench, export
        self._add_files()
        self._add_printer()
        self._add_plotter()
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        session.changed.connect(self.refresh_if_seen)
        bench.sheets.changed.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    # ---- files

    def _add_files(self) -> None:
        templates, session = self.bench.templates, self.session
        out = self.sheet("Files", "Print at 100 %, then lay a ruler on the printed one.")
        self.what = choice_box([("pieces", "template pages"), ("sheets", "sheets as they are laid")], self._use_what, name="What is written")
        out.addWidget(labelled("of", self.what, label_width=LABEL_PX))
        papers = [(s.id, s.name) for s in session.catalog.sheets.values() if not s.roll and s.of != "foam"]
        self.paper = choice_box(papers, lambda key: templates.choose(sheet=key), name="Paper")
        out.addWidget(labelled("paper", self.paper, label_width=LABEL_PX))
        layouts = [("combined", "several pieces on a page"), ("single", "one piece on a page")]
        self.layout_box = choice_box(layouts, lambda key: templates.choose(layout=key), name="Layout")
        out.addWidget(labelled("pages", self.layout_box, label_width=LABEL_PX))
        self.trial = QCheckBox("a trial in plain paper, one colour a part")
        self.tiled = QCheckBox("sheets tiled on that paper")
        out.addWidget(self.trial)
        out.addWidget(self.tiled)
        row = QGridLayout()
        row.setSpacing(4)
        ways = [(f"{way.ending.removeprefix('.').upper()} …", way.title, way.ending, "") for way in EXPORTS if way.ending != ".csv"]
        ways.append(("guides …", "Placement sheets, masks and windows at true size", ".pdf", "guides"))
        for k, (text, tip, ending, what) in enumerate(ways):
            button = QPushButton(text)
            button.setToolTip(tip)
            if k == 0:
                button.setObjectName("main")
            button.clicked.connect(lambda _=False, ending=ending, what=what: self._write(ending, what))
            row.addWidget(button, k // 4, k % 4)
        out.addLayout(row)

    def _use_what(self, key: str) -> None:
        self.bench.show_templates(on=key == "pieces")
        self.refresh()

    def _write(self, ending: str, what: str) -> None:
        chosen = str(self.what.currentData())
        shown = {"pieces": (".pdf", ".svg", ".dxf"), "sheets": (".pdf", ".svg", ".dxf", ".png")}[chosen]
        if not what and ending in shown:
            what = chosen
        self.export(ending, what, Cutting(trial=self.trial.isChecked()), tiled=self.tiled.isChecked())

    # ---- printers

    def _add_printer(self) -> None:
        box = self.sheet("Printer", "Print the check print once, measure its square, and enter it: every page is corrected from then on.")
        self.printer = choice_box([("", "none: pages as they are")], self._use_printer, name="Printer")
        box.addWidget(labelled("printer", self.printer, label_width=LABEL_PX))
        self.name, self.across, self.up = QLineEdit(), QLineEdit(), QLineEdit()
        for field, label, holder in ((self.name, "name", "study"), (self.across, "across", "100 mm"), (self.up, "up", "100 mm")):
            field.setAccessibleName(f"Printer: {label}")
            field.setPlaceholderText(holder)
            box.addWidget(labelled(label, field, label_width=LABEL_PX))
        row = QHBoxLayout()
        row.setSpacing(4)
        check = QPushButton("check print …")
        check.clicked.connect(lambda: self.export(".pdf", "check"))
        keep = QPushButton("keep what I measured")
        keep.clicked.connect(self.keep_printer)
        row.addWidget(check)
        row.addWidget(keep)
        row.addStretch(1)
        box.addLayout(row)

    def _use_machine(self, key: str) -> None:
        self.change({"machine": key}, text="machine")

    def _use_printer(self, key: str) -> None:
        self.change({"printer": key}, text="printer")

    def keep_printer(self) -> None:
        """Keeps what the printer makes of the check print, and uses it."""
        name = re.sub(r"[^a-z0-9-]+", "-", self.name.text().strip().lower()).strip("-") or "printer"
        try:
            measured = [parse_length(f.text().strip() or "100 mm", default_unit="mm") for f in (self.across, self.up)]
            keep_printer(Printer(name, self.name.text().strip() or name, *measured))
        except (LexipodError, ValueError) as error:
            self.said.emit(str(error))
            return
        self.session.catalog = load_catalog()
        self.change({"printer": name}, text="printer")
        self.said.emit(f"Pages for {name} are stretched by {100 / measured[0]:.4f} across and {100 / measured[1]:.4f} up.")
        self.refresh()

    # ---- the plotter

    def _add_plotter(self) -> None:
        box = self.sheet("Plotter", "Scores first, inner cuts before outer ones. A simulated plotter ships with the program: lexipod-plotter.")
        self.machine = choice_box([], self._use_machine, name="Machine")
        box.addWidget(labelled("machine", self.machine, label_width=LABEL_PX))
        self.address = QLineEdit(ADDRESS)
        self.address.setAccessibleName("Address of the plotter")
        box.addWidget(labelled("address", self.address, label_width=LABEL_PX))
        self.number = choice_box([], lambda _: self._show_sending(), name="Sheet to cut")
        box.addWidget(labelled("sheet", self.number, label_width=LABEL_PX))
        row = QHBoxLayout()
        row.setSpacing(4)
        self.send, self.hold, self.again, self.skip = (QPushButton(t) for t in ("cut this sheet", "pause", "cut that run again", "leave it out"))
        self.send.setObjectName("main")
        self.send.clicked.connect(lambda: self.start_sending())
        self.hold.clicked.connect(self.pause)
        self.again.clicked.connect(lambda: self.start_sending("again"))
        self.skip.clicked.connect(lambda: self.start_sending("skip"))
        for button in (self.send, self.hold, self.again, self.skip):
            row.addWidget(button)
        row.addStretch(1)
        box.addLayout(row)
        self.bar = QProgressBar()
        self.bar.setTextVisible(True)
        self.bar.hide()
        box.addWidget(self.bar)
        self.state = soft("")
        box.addWidget(self.state)
        self.drop = QPushButton("give this sheet up")
        self.drop.setObjectName("quiet")
        self.drop.clicked.connect(self.give_up)
        box.addWidget(self.drop)
        self.sending = Job(self, self.session, done=self._sent, failed=self._stopped)
        self.sending.went_on.connect(self._went_on)
        self._done, self._of, self._unsure = 0, 0, False
        self._sheet_sent = 0
        self._is_fresh = True
        self._design = self.session.design

    def start_sending(self, unsure: str = "") -> None:
        """Sends the chosen sheet, or goes on where it stopped."""
        address = re.fullmatch(r"([A-Za-z0-9.\-]+):(\d{1,5})", self.address.text().strip())
        if address is None:
            self.said.emit(f"“{self.address.text()}” is no address; write one like {ADDRESS}.")
            return
        if not self._sheet_sent and self.session.design.sheeting.cuts != "free":
            self.bench.sheets.change("free, for the plotter", cuts="free", placed=(), made_for="")
            self.said.emit("A plotter cuts along outlines: the pieces are laid anew, free and inside a margin. Look at them, then cut.")
            return
        if self.sending.is_running or not (self._sheet_sent or self.bench.sheets.is_current):
            return
        start = self._done if self._sheet_sent else None
        if start is None:
            self._design = self.session.design  # a sheet that is begun is cut to its end as it was, whatever becomes of the card meanwhile
        self._is_fresh = start is None
        self._sheet_sent = self._sheet_sent or int(self.number.currentData() or 1)
        self._unsure = False
        self.sending.start("send", self._design, self._sheet_sent, address[1], int(address[2]), start, unsure)
        self.state.setText("Connecting …")
        self._show_sending()

    def pause(self) -> None:
        """Sends no more; what is on its way is cut to its end. It goes on after the last confirmed run."""
        self.sending.stop()
        self.state.setText(f"Paused after run {self._done} of {self._of}.")
        self._show_sending()

    def give_up(self) -> None:
        """Forgets how far the sheet is."""
        self.sending.stop()
        self._done = self._of = self._sheet_sent = 0
        self._unsure = False
        self.state.setText("")
        self._show_sending()

    def _went_on(self, told: Any) -> None:
        self._done, self._of = told
        self.state.setText(f"Run {self._done} of {self._of} is done.")
        self._show_sending()

    def _sent(self, done: int) -> None:
        number = self._sheet_sent
        self.give_up()
        self.state.setText(f"Sheet {number} is cut: {done} runs.")
        following = self.number.currentIndex() + 1
        if following < self.number.count():
            self.number.setCurrentIndex(following)
        self._show_sending()

    def _stopped(self, words: str) -> None:
        fault = self.sending.fault
        if isinstance(fault, SendError):
            self._done, self._unsure = fault.done, fault.kind == "unsure"
            if fault.kind == "absent" and self._is_fresh:
                self.give_up()  # nothing was sent: nothing is begun
        self.state.setText(words)
        self._show_sending()

    def _show_sending(self) -> None:
        is_begun = self._sheet_sent > 0
        self.bar.setVisible(is_begun)
        self.bar.setMaximum(max(1, self._of))
        self.bar.setValue(self._done)
        self.bar.setFormat("%v of %m runs")
        self.send.setText("go on" if is_begun and not self.sending.is_running else "cut this sheet")
        self.send.setVisible(not self._unsure and not self.sending.is_running)
        self.hold.setVisible(self.sending.is_running)
        self.again.setVisible(self._unsure)
        self.skip.setVisible(self._unsure)
        self.drop.setVisible(is_begun and not self.sending.is_running)
        self.number.setEnabled(not is_begun)

    def refresh(self) -> None:
        """Shows paper, printers, machines and the sheets there are to cut."""
        catalog, ways, sheets = self.session.catalog, self.session.design.ways, self.bench.sheets.sheets
        set_choice(self.paper, self.bench.templates.paper)
        is_pages = self.bench.currentWidget() is self.bench.templates
        set_choice(self.what, "pieces" if is_pages else "sheets")
        for box, wants_pages in ((self.layout_box, True), (self.trial, False), (self.tiled, False)):
            box.setEnabled(is_pages == wants_pages)
        self._fill(self.printer, [("", "none: pages as they are"), *((p.id, p.name) for p in catalog.printers.values())], ways.printer)
        self._fill(self.machine, [("", "none in particular"), *((m.id, m.name) for m in catalog.machines.values())], ways.machine)
        rows = [] if sheets is None else [s for s in sheets.sheets if s.lot.stock not in catalog.foams]
        titles = [(str(k), f"{k}: {s.stock_name}, {len(s.pieces)} pieces") for k, s in enumerate(rows, 1)]
        self._fill(self.number, titles, str(self._sheet_sent or self.number.currentData() or 1))
        self._show_sending()

    @staticmethod
    def _fill(box: Any, rows: list[tuple[str, str]], chosen: str) -> None:
        box.blockSignals(True)
        box.clear()
        for key, text in rows:
            box.addItem(text, key)
        box.setCurrentIndex(max(0, box.findData(chosen)))
        box.blockSignals(False)
