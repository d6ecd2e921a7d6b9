"""The window: composes the parts, and carries out the actions."""

from __future__ import annotations

import functools
from collections.abc import Callable
from pathlib import Path

import msgspec
from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from lexipod import __version__
from lexipod.app.actions import build_menus, shortcut_sheet
from lexipod.app.bench_view import BenchView
from lexipod.app.card_panel import CardPanel
from lexipod.app.chooser import Chooser
from lexipod.app.desk import Desk
from lexipod.app.edge_view import EdgeView
from lexipod.app.exporting import Exporting
from lexipod.app.findings_view import FindingsView
from lexipod.app.fit_panel import FitPanel
from lexipod.app.job import Job
from lexipod.app.look import DAY, NIGHT, Theme, style_sheet
from lexipod.app.mechanism_panel import MechanismPanel
from lexipod.app.messages import MessageStrip
from lexipod.app.recovery import Autosave, find_recovered
from lexipod.app.ribbon_view import RibbonFrame, RibbonView
from lexipod.app.session import Session
from lexipod.app.sheets_view import SheetsPanel, TemplateView
from lexipod.app.stations import STATIONS, StationRuler, find_station
from lexipod.app.travel_panel import TravelPanel
from lexipod.app.view_state import ViewState
from lexipod.checks import Remedy
from lexipod.demo import demo_names, load_demo
from lexipod.design import Design
from lexipod.errors import LexipodError
from lexipod.recipes import build_assembly, find_recipe
from lexipod.recipes.change import add_mechanism, change_design

COLUMN_PX = 396
FILES = "Lexipod designs (*.lexipod)"


class MainWindow(QMainWindow):
    """One window for one design."""

    def __init__(self, session: Session, settings: QSettings, *, recovery: Path | None = None) -> None:
        super().__init__()
        self.session, self.settings = session, settings
        self.theme: Theme = NIGHT if settings.value("theme") == "night" else DAY
        self.view = ViewState()
        self.desk = Desk(session)
        self.autosave = Autosave(session, recovery)
        self.recovery = recovery
        self.actions_by_id, submenus = build_menus(self)
        self.recent_menu, self.demo_menu = submenus["recent"], submenus["demo"]
        for name in demo_names():
            self.demo_menu.addAction(load_demo(name).title, functools.partial(self.open_demo, name))
        self._compose()
        session.file_changed.connect(self._file_changed)
        session.changed.connect(self._file_changed)
        session.undo_stack.indexChanged.connect(self._undo_changed)
        self.view.station_changed.connect(self._station_changed)
        session.changed.connect(self._mechanisms_changed)
        self.desk.judged.connect(self._size_ribbon)
        self._apply_theme()
        self._file_changed()
        self._undo_changed()
        self._fill_recent()
        self._station_changed(self.view.station)
        self.resize(1280, 800)
        geometry = settings.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        self.setMinimumSize(980, 620)
        self.card_view.setFocus()

    # ---- composition --------------------------------------------------------------------------------------------------

    def _compose(self) -> None:
        central = QWidget()
        central.setObjectName("ground")
        outer = QVBoxLayout(central)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self._header())
        self.strip = MessageStrip()
        outer.addWidget(self.strip)
        body = QHBoxLayout()
        body.setContentsMargins(16, 12, 16, 14)
        body.setSpacing(14)
        body.addWidget(self._left(), 1)
        body.addWidget(self._right())
        outer.addLayout(body, 1)
        self.setCentralWidget(central)

    def _header(self) -> QWidget:
        header = QWidget()
        header.setObjectName("header")
        header.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(header)
        row.setContentsMargins(24, 4, 20, 6)
        row.setSpacing(18)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.title_label, self.subtitle_label = QLabel(), QLabel()
        self.title_label.setObjectName("title")
        self.subtitle_label.setObjectName("small")
        words.addWidget(self.title_label)
        words.addWidget(self.subtitle_label)
        row.addLayout(words)
        self.ruler = StationRuler(self.session, self.desk, self.view, self.theme)
        row.addWidget(self.ruler, 1)
        self.unit_buttons = {}
        units = QHBoxLayout()
        units.setSpacing(0)
        for unit, name in (("in", "inches"), ("mm", "millimetres")):
            button = QPushButton(unit)
            button.setCheckable(True)
            button.setFixedWidth(50)
            button.setObjectName("choice")
            button.setToolTip(f"Measures in {name} (Ctrl+U changes)")
            button.setAccessibleName(f"Measures in {name}")
            button.clicked.connect(lambda _=False, unit=unit: self.use_unit(unit))
            units.addWidget(button)
            self.unit_buttons[unit] = button
        row.addLayout(units)
        return header

    def _left(self) -> QWidget:
        self.bench = BenchView(self.session, self.desk, self.view, self.theme)
        self.card_view, self.fold_view = self.bench.card_view, self.bench.fold_view
        self.card_view.said.connect(self.say)
        self.ribbon = RibbonView(self.session, self.desk, self.view, self.theme)
        self.ribbon_frame = RibbonFrame(self.ribbon)
        self.templates = TemplateView(self.session, self.desk, self.theme)
        bench = QWidget()
        bench.setObjectName("ground")
        column = QVBoxLayout(bench)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.bench, 1)
        column.addWidget(self.ribbon_frame)
        self.left = QStackedWidget()
        self.left.addWidget(bench)
        self.left.addWidget(self.templates)
        self.chooser = Chooser(self.session, self.theme)
        self.chooser.chosen.connect(self.put_on_card)
        self.chooser.wished.connect(self.take_proposal)
        self.chooser.said.connect(self.say)
        self.chooser.left.connect(self._show_bench)
        self.left.addWidget(self.chooser)
        return self.left

    def _right(self) -> QWidget:
        def edge() -> EdgeView:
            made = EdgeView(self.session, self.desk, self.view, self.theme)
            self.edges.append(made)
            return made

        self.edges: list[EdgeView] = []
        self.card_panel = CardPanel(self.session, self.desk)
        self.mechanism_panel = MechanismPanel(self.session, self.desk)
        self.travel_panel = TravelPanel(self.session, self.desk, self.view, edge)
        self.findings = FindingsView(self.session, self.desk, self.view, self.theme, apply=self.apply_remedy)
        self.sheets_panel = SheetsPanel(self.session, self.desk, self.templates, self.export)
        self.fit_panel = FitPanel(self.session, self.desk, self.view, self.theme, self.findings, edge)
        self.right = QStackedWidget()
        self.right.setFixedWidth(COLUMN_PX)
        self.panels = {
            "card": self.card_panel,
            "mechanism": self.mechanism_panel,
            "travel": self.travel_panel,
            "fit": self.fit_panel,
            "sheets": self.sheets_panel,
        }
        for panel in self.panels.values():
            self.right.addWidget(panel)
        self.mechanism_panel.choosing.connect(self.choose_mechanism)
        for said in (self.card_panel, self.mechanism_panel, self.travel_panel, self.sheets_panel, *self.fit_panel.panels):
            said.said.connect(self.say)
        return self.right

    # ---- following changes --------------------------------------------------------------------------------------------

    def _file_changed(self, _: object = None) -> None:
        design, path = self.session.design, self.session.path
        name = path.name if path else "not saved yet"
        self.setWindowTitle(f"{design.title}{' *' if self.session.is_unsaved else ''} – {name} – Lexipod")
        metrics = self.title_label.fontMetrics()
        self.title_label.setText(metrics.elidedText(design.title, Qt.TextElideMode.ElideRight, 300))
        card = self.desk.assembly.card if self.desk.assembly else None
        if card is not None:
            length = self.session.style.length
            names = [self.desk.name_of(m.id) for m in design.mechanisms]
            what = ", ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "") or "nothing that moves yet"
            text = f"{card.title}  ·  {length(card.width_mm)} × {length(card.height_mm)}  ·  {what}"
            self.subtitle_label.setText(self.subtitle_label.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 330))
        for unit, button in self.unit_buttons.items():
            button.setChecked(unit == self.session.style.unit)
        if self.desk.picture_faults:
            self.say("; ".join(self.desk.picture_faults))

    def _undo_changed(self, _: int = 0) -> None:
        stack = self.session.undo_stack
        for name, can, text in (("undo", stack.canUndo(), stack.undoText()), ("redo", stack.canRedo(), stack.redoText())):
            self.actions_by_id[name].setEnabled(can)
            self.actions_by_id[name].setText(f"{name.title()} {text}".strip())

    def _station_changed(self, station: str) -> None:
        self.right.setCurrentWidget(self.panels[station])
        empty = station == "mechanism" and not self.session.design.mechanisms
        self.left.setCurrentIndex(1 if station == "sheets" else 2 if empty else 0)
        self.ribbon_frame.setVisible(station in ("mechanism", "travel", "fit"))
        self._size_ribbon()
        self.setStatusTip(find_station(station).help)

    def _mechanisms_changed(self, _: object = None) -> None:
        """An emptied card asks what should happen; a filled one is shown."""
        if self.view.station == "mechanism" and not self.session.design.mechanisms:
            self.left.setCurrentIndex(2)

    def _show_bench(self) -> None:
        """The card again, instead of the chooser."""
        self.left.setCurrentIndex(0)

    def choose_mechanism(self) -> None:
        """The chooser, at the station Mechanism."""
        self.view.go_to("mechanism")
        self.left.setCurrentIndex(2)

    def put_on_card(self, recipe_id: str, turn: int) -> None:
        """One more mechanism on the card, sized for it."""
        design = self.session.design
        try:
            made = add_mechanism(design, recipe_id, self.session.catalog, given={"turned": str(turn)})
        except LexipodError as error:
            self.say(str(error))
            return
        self.session.edit(made, text=f"put {find_recipe(recipe_id).name} on the card")
        self.desk.use(made.mechanisms[-1].id)
        self._show_bench()

    def take_proposal(self, made: Design) -> None:
        """A mechanism that was sized for a wish, put on the card."""
        design, wanted = self.session.design, made.mechanisms[0]
        taken = {m.id for m in design.mechanisms}
        name = next(f"m{k}" for k in range(1, 99) if f"m{k}" not in taken)
        both = msgspec.structs.replace(design, mechanisms=(*design.mechanisms, msgspec.structs.replace(wanted, id=name)))
        try:
            build_assembly(both, self.session.catalog)
        except LexipodError as error:
            self.say(str(error))
            return
        self.session.edit(both, text=f"put {find_recipe(wanted.recipe).name} on the card")
        self.desk.use(name)
        self._show_bench()

    def _size_ribbon(self) -> None:
        share = {"travel": 0.38, "fit": 0.29, "mechanism": 0.235}.get(self.view.station, 0.3)
        wanted = self.ribbon.sizeHint().height() + 14
        self.ribbon_frame.setFixedHeight(min(wanted, round(max(self.height(), 600) * share)))

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Keeps the ribbon's share."""
        super().resizeEvent(event)
        self._size_ribbon()

    def _apply_theme(self) -> None:
        self.setStyleSheet(style_sheet(self.theme))
        themed: list[StationRuler | RibbonView | TemplateView | FindingsView | EdgeView] = [
            self.ruler,
            self.ribbon,
            self.templates,
            self.findings,
            *self.edges,
        ]
        for part in themed:
            part.theme = self.theme
            part.update()
        self.chooser.theme = self.theme
        self.bench.set_theme(self.theme)
        self.fit_panel.heights.set_theme(self.theme)
        self.findings.refresh()

    def say(self, text: str) -> None:
        """A sentence in the message strip."""
        self.strip.say(text, passing=True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes the message."""
        if event.key() == Qt.Key.Key_Escape and self.strip.isVisible():
            self.strip.hide()
        else:
            super().keyPressEvent(event)

    # ---- actions: files -----------------------------------------------------------------------------------------------

    def new_design(self) -> None:
        """An empty card, after asking about unsaved work."""
        self._after_saving(lambda: self._start(Design(ways=self.session.design.ways)))

    def _start(self, design: Design, *, demo_name: str = "") -> None:
        self.view.travel.clear()
        self.view.kept = None
        self.view.pick(())
        self.session.start(design, demo_name=demo_name)
        self.view.go_to("card")

    def open_demo(self, name: str = "") -> None:
        """A card of the demo collection; the first one where none is named."""
        name = name or demo_names()[0]
        self._after_saving(lambda: self._start(load_demo(name), demo_name=name))

    def open_dialog(self) -> None:
        """Asks for a file and opens it."""

        def ask() -> None:
            path, _ = QFileDialog.getOpenFileName(self, "Open a design", str(self.settings.value("folder") or ""), FILES)
            if path:
                self.open_path(Path(path))

        self._after_saving(ask)

    def open_path(self, path: Path) -> None:
        """Opens a file; what is wrong with it is said, and the present design stays."""
        try:
            self.session.open(path)
        except LexipodError as error:
            self.strip.say(str(error))
            return
        self.view.travel.clear()
        self.view.pick(())
        self._remember(path)

    def save(self) -> bool:
        """Saves to the design's file, or asks for one."""
        return self.save_as() if self.session.path is None else self._save_to(self.session.path)

    def save_as(self) -> bool:
        """Asks for a file and saves there."""
        start = self.session.path or Path(str(self.settings.value("folder") or "")) / f"{self.session.design.title}.lexipod"
        path, _ = QFileDialog.getSaveFileName(self, "Save the design", str(start), FILES)
        if not path:
            return False
        target = Path(path)
        return self._save_to(target if target.suffix else target.with_suffix(".lexipod"))

    def _save_to(self, path: Path) -> bool:
        try:
            self.session.save(path)
        except LexipodError as error:
            self.strip.say(str(error), ("save elsewhere …", lambda: self.save_as()))
            return False
        self.autosave.clear()
        self._remember(path)
        self.strip.say(f"Saved as {path.name}.", passing=True)
        return True

    def _remember(self, path: Path) -> None:
        recent = [str(path), *(p for p in self._recent() if p != str(path))][:8]
        self.settings.setValue("recent", recent)
        self.settings.setValue("folder", str(path.parent))
        self._fill_recent()

    def _recent(self) -> list[str]:
        kept = self.settings.value("recent") or []
        return [kept] if isinstance(kept, str) else [str(p) for p in list(kept)]

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in self._recent():
            self.recent_menu.addAction(path, functools.partial(self._open_recent, path))
        self.recent_menu.setEnabled(bool(self._recent()))

    def _open_recent(self, path: str) -> None:
        self._after_saving(lambda: self.open_path(Path(path)))

    def _after_saving(self, go_on: Callable[[], object]) -> None:
        """Goes on at once, or asks first whether unsaved work is to be saved."""
        if not self.session.is_unsaved:
            go_on()
            return
        self.strip.say(f"“{self.session.design.title}” is not saved.", ("save", lambda: self.save() and go_on()), ("go on without", go_on))

    def export(self, suffix: str) -> None:
        """Asks where to, and writes templates, picture or list in the background."""
        kinds = {".pdf": "PDF templates", ".svg": "SVG of the pieces", ".png": "Picture of the card", ".csv": "Cut list"}
        start = Path(str(self.settings.value("folder") or "")) / f"{self.session.design.title}{suffix}"
        path, _ = QFileDialog.getSaveFileName(self, "Export", str(start), f"{kinds[suffix]} (*{suffix})")
        if path:
            self.export_to(Path(path) if Path(path).suffix else Path(path).with_suffix(suffix))

    def export_to(self, target: Path) -> None:
        """Writes one export in the background and says so."""
        job = Exporting(self.session.design, self.session.path, target, sheet=self.templates.paper, layout=self.templates.layout_name, parent=self)
        job.ended.connect(lambda fault: self.strip.say(fault) if fault else self.say(f"Written: {target}"))
        self.strip.say(f"Writing {target.name} …", ("stop", job.stop))
        job.start()

    def export_pdf(self) -> None:
        """Templates as PDF."""
        self.export(".pdf")

    # ---- actions: design ----------------------------------------------------------------------------------------------

    def undo(self) -> None:
        """Takes the last change back."""
        self.session.undo_stack.undo()

    def redo(self) -> None:
        """Makes it again."""
        self.session.undo_stack.redo()

    def apply_remedy(self, remedy: Remedy) -> None:
        """Applies a cure, undoable."""
        try:
            design = change_design(self.session.design, self.session.catalog, remedy.set, mechanism=remedy.mechanism)
        except LexipodError as error:
            self.say(str(error))
            return
        self.view.pick(())
        self.session.edit(design, text=f"“{remedy.label}”")

    def apply_first_cure(self) -> None:
        """The first cure of the worst finding."""
        judgement = self.desk.judgement
        remedies = [r for f in (judgement.findings if judgement and not self.desk.is_stale else ()) for r in f.remedies]
        if remedies:
            self.apply_remedy(remedies[0])
        else:
            self.say("There is no cure to apply just now.")

    def mirror(self) -> None:
        """Mirrors the current mechanism left to right."""
        current = self.session.design.find_mechanism(self.desk.current)
        if current is not None:
            changed = change_design(self.session.design, self.session.catalog, {"mirror": not current.mirror}, mechanism=current.id)
            self.session.edit(changed, text="mirror")

    def turn_mechanism(self) -> None:
        """Turns the current mechanism by a quarter."""
        self.mechanism_panel.turn_whole()

    def fit_mechanism(self) -> None:
        """Sizes the current mechanism round what is pinned."""
        self.view.go_to("mechanism")
        self.mechanism_panel.fit()

    def next_mechanism(self) -> None:
        """The next mechanism of the card."""
        ids = [m.id for m in self.session.design.mechanisms]
        if ids:
            self.desk.use(ids[(ids.index(self.desk.current) + 1) % len(ids)])

    def switch_units(self) -> None:
        """Inches to millimetres and back."""
        self.use_unit("mm" if self.session.design.ways.units == "in" else "in")

    def use_unit(self, unit: str) -> None:
        """Measures in “in” or “mm” from now on."""
        self.session.edit(change_design(self.session.design, self.session.catalog, {"units": unit}), text=f"measures in {unit}")
        self._file_changed()

    # ---- actions: looking ---------------------------------------------------------------------------------------------

    def go_card(self) -> None:
        """To the station Card."""
        self.view.go_to("card")

    def go_mechanism(self) -> None:
        """To the station Mechanism."""
        self.view.go_to("mechanism")

    def go_travel(self) -> None:
        """To the station Travel."""
        self.view.go_to("travel")

    def go_fit(self) -> None:
        """To the station Fit."""
        self.view.go_to("fit")

    def go_sheets(self) -> None:
        """To the station Sheets."""
        self.view.go_to("sheets")

    def _go_to_share(self, share: float | None, step: float = 0.0) -> None:
        drive = self.desk.drive
        if drive is None:
            return
        span = drive.end - drive.rest
        now = (self.view.travel.get(drive.mechanism, drive.rest) - drive.rest) / span
        share = now + step if share is None else share
        self.view.set_travel(drive.mechanism, drive.rest + span * min(1.0, max(0.0, share)))

    def go_rest(self) -> None:
        """Everything at rest."""
        self._go_to_share(0.0)

    def go_end(self) -> None:
        """Pulled out."""
        self._go_to_share(1.0)

    def pull_on(self) -> None:
        """A little further."""
        self._go_to_share(None, 1 / 36)

    def push_back(self) -> None:
        """A little back."""
        self._go_to_share(None, -1 / 36)

    def show_findings(self) -> None:
        """What stands in the way, at the station Fit."""
        self._fit_page("findings")

    def show_foam(self) -> None:
        """Free zones, foam and items."""
        self._fit_page("foam")

    def show_heights(self) -> None:
        """Heights and post."""
        self._fit_page("heights")

    def show_builds(self) -> None:
        """Simulated builds."""
        self._fit_page("builds")

    def show_versions(self) -> None:
        """Two versions side by side, and another size."""
        self._fit_page("versions")

    def _fit_page(self, page: str) -> None:
        self.view.go_to("fit")
        self.fit_panel.turn_to(page)

    def keep_version(self) -> None:
        """Sets the present version aside."""
        self.fit_panel.versions.keep_version()
        self.say("This version is set aside; at Fit, under versions, it stands beside what you change.")

    def switch_theme(self) -> None:
        """Day to night and back."""
        self.theme = NIGHT if self.theme is DAY else DAY
        self.settings.setValue("theme", self.theme.name)
        self._apply_theme()

    def switch_hidden(self) -> None:
        """Shows or leaves out hidden edges."""
        self.view.set_hidden(not self.view.shows_hidden)

    def turn_cut(self) -> None:
        """Cuts the other way."""
        self.edges[0].turn()

    def show_keys(self) -> None:
        """The keys."""
        self._box("Keys", shortcut_sheet())

    def show_about(self) -> None:
        """What this is."""
        names = ", ".join(s.title for s in STATIONS)
        self._box(
            "About Lexipod",
            (
                f"<p><b>Lexipod {__version__}</b></p><p>A bench on which a moving card is worked out before anything is cut.</p>"
                f"<p>Stations: {names}.</p><p>Typefaces: Source Sans 3 and Source Serif 4 (SIL Open Font License).</p>"
                "<p>Blades cut: use a mat and a metal ruler, and cut away from the body. Small parts are not for young children.</p>"
            ),
        )

    def _box(self, title: str, text: str) -> None:
        box = QMessageBox(self)
        box.setWindowTitle(title)
        box.setTextFormat(Qt.TextFormat.RichText)
        box.setText(text)
        box.open()

    # ---- start and end ------------------------------------------------------------------------------------------------

    def offer_recovery(self) -> None:
        """Offers the unsaved work of a run that was killed."""
        found = find_recovered(self.recovery)
        if found is None:
            return

        def restore() -> None:
            self.session.start(found.design, path=found.path, recovered=True)
            found.kept_in.unlink(missing_ok=True)
            self.autosave.keep()

        self.strip.say(
            f"Unsaved work on “{found.design.title}” was kept from a run that did not end well.",
            ("restore it", restore),
            ("discard it", lambda: found.kept_in.unlink(missing_ok=True)),
        )

    def closeEvent(self, event: QCloseEvent) -> None:
        """Asks about unsaved work, then remembers the window."""
        if self.session.is_unsaved and not self._may_close():
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self.desk.close()
        for job in self.findChildren(Job):
            job.stop()
        self.autosave.clear()
        self.session.undo_stack.indexChanged.disconnect(self._undo_changed)
        self.session.undo_stack.cleanChanged.disconnect(self.session.file_changed)
        super().closeEvent(event)

    def _may_close(self) -> bool:
        box = QMessageBox(self)
        box.setWindowTitle("Not saved")
        box.setText(f"“{self.session.design.title}” is not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Close without saving", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is drop or (box.clickedButton() is save and self.save())
