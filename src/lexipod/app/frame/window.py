"""The window: composes the parts, and lets them follow what changes."""

from __future__ import annotations

import functools
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from lexipod.app.card.bench_view import BenchView
from lexipod.app.frame.actions import build_menus
from lexipod.app.frame.chooser import Chooser
from lexipod.app.frame.doing import Doing
from lexipod.app.frame.files import Files
from lexipod.app.frame.header import Header
from lexipod.app.frame.hull import Hull
from lexipod.app.frame.messages import MessageStrip
from lexipod.app.frame.reader_bar import ReaderBar
from lexipod.app.frame.stations import READER, STATIONS, TABLE, Parts, find_station
from lexipod.app.jobs.job import Job
from lexipod.app.jobs.late_pictures import LatePictures
from lexipod.app.look import DAY, NIGHT, Theme, style_sheet
from lexipod.app.making.plan_desk import PlanDesk
from lexipod.app.panels.panel import Panel
from lexipod.app.panels.ribbon_view import RibbonFrame, RibbonView
from lexipod.app.sheets.template_view import SheetBench
from lexipod.app.state.desk import Desk
from lexipod.app.state.examiner import Examiner
from lexipod.app.state.logbook import Logbook
from lexipod.app.state.recovery import Autosave
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.demo import demo_names, load_demo

if TYPE_CHECKING:
    from lexipod.app.log.log_view import LogView
    from lexipod.app.making.plan_view import PlanView
    from lexipod.app.making.table_view import TableView
    from lexipod.app.panels.fit_panel import FitPanel
    from lexipod.app.panels.mechanism_panel import MechanismPanel
    from lexipod.app.panels.pictures_panel import PicturesPanel
    from lexipod.app.panels.travel_panel import TravelPanel

COLUMN_PX = 396
LEAST_PX = (980, 620)
LEAST_RIBBON_PX = 110
ALL_SEEN = 1.25
"""Rows that need no more than this many times their usual room are all shown."""


class Panels(dict[str, Any]):
    """The panels by their stations, each made when it is first asked for."""

    def __init__(self, make: Callable[[str], QWidget]) -> None:
        super().__init__()
        self._make = make

    def __missing__(self, station: str) -> QWidget:
        made = self[station] = self._make(station)
        return made


class MainWindow(Hull):
    """One window for one design. ``files`` and ``doing`` carry out its actions, ``parts`` are what its panels are made of."""

    def __init__(self, session: Session, settings: QSettings, *, recovery: Path | None = None, examiner: Examiner | None = None) -> None:
        super().__init__()
        self.session, self.settings = session, settings
        self.theme = NIGHT if settings.value("theme") == "night" else DAY
        self.view = ViewState((*STATIONS, READER, TABLE))
        self.desk = Desk(session, examiner)
        self.late_pictures = LatePictures(self, session, self.desk)
        self.autosave = Autosave(session, recovery)
        self.recovery = recovery
        self.plan = PlanDesk(self, session, self.desk)
        self.book = Logbook(self, session, self.desk)
        self.book.said.connect(self.say)
        self.files = Files(self, session, settings)
        self.doing = Doing(self, session, self.desk, self.view)
        self.actions_by_id, submenus = build_menus(self)
        self.addActions([self.actions_by_id[name] for name in ("read", "table", "rest", "end", "pull", "push", "next-halt", "last-halt", "theme")])
        self.recent_menu, self.demo_menu = submenus["recent"], submenus["demo"]
        for name in demo_names():
            self.demo_menu.addAction(load_demo(name).title, functools.partial(self.files.open_demo, name))
        self._asks_empty = False
        self._ribbon_px = int(settings.value("ribbon", 0))  # type: ignore[call-overload]
        self._compose()
        self._follow()
        self.resize(1280, 800)
        geometry = settings.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        self.keep_on_screen()
        self.card_view.setFocus()

    # ---- composition --------------------------------------------------------------------------------------------------

    def _compose(self) -> None:
        central = QWidget()
        central.setObjectName("ground")
        outer = QVBoxLayout(central)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.header = Header(self.session, self.desk, self.view, self.theme, use_unit=self.doing.use_unit)
        outer.addWidget(self.header)
        self.strip = MessageStrip()
        outer.addWidget(self.strip)
        body = QHBoxLayout()
        body.setContentsMargins(16, 12, 16, 14)
        body.setSpacing(14)
        body.addWidget(self._left(), 1)
        body.addWidget(self._right())
        outer.addLayout(body, 1)
        self.setCentralWidget(central)

    def _left(self) -> QWidget:
        self.bench = BenchView(self.session, self.desk, self.view, self.theme)
        self.card_view, self.fold_view = self.bench.card_view, self.bench.fold_view
        self.card_view.said.connect(self.say)
        self.card_view.laid.connect(lambda x, y: self.pictures_panel.acts.lay_at(x, y))
        self.card_view.cut.connect(lambda: self.pictures_panel.acts.cut_in_two())
        self.card_view.dropped.connect(lambda path, x, y: self.pictures_panel.acts.add_picture(Path(path), at=(x, y)))
        self.ribbon = RibbonView(self.session, self.desk, self.view, self.theme)
        self.ribbon_frame = RibbonFrame(self.ribbon)
        self.sheet_bench = SheetBench(self.session, self.desk, self.theme)
        self.templates = self.sheet_bench.templates
        self._middle = QWidget()
        self._middle.setObjectName("ground")
        column = QVBoxLayout(self._middle)
        column.setContentsMargins(0, 0, 0, 0)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.setChildrenCollapsible(False)
        self.split.setHandleWidth(10)
        self.split.addWidget(self.bench)
        self.split.addWidget(self.ribbon_frame)
        self.split.setStretchFactor(0, 1)
        self.split.splitterMoved.connect(self._ribbon_moved)
        self.split.handle(1).setToolTip("Drag to give the travel ribbon more room, or the card.")
        column.addWidget(self.split)
        self.reader_bar = ReaderBar(back=self.doing.switch_reader, export=self.files.export)
        column.addWidget(self.reader_bar)
        self.chooser = Chooser(self.session, self.theme)
        self.chooser.chosen.connect(self.doing.put_on_card)
        self.chooser.wished.connect(self.doing.take_proposal)
        self.chooser.said.connect(self.say)
        self.chooser.left.connect(self.show_bench)
        self.left = QStackedWidget()
        for widget in (self._middle, self.sheet_bench, self.chooser):
            self.left.addWidget(widget)
        self.centers = Panels(self._make_center)
        return self.left

    def _make_center(self, name: str) -> QWidget:
        """What lies in the middle at some stations instead of the card, when it is first needed."""
        made: QWidget
        if name == "plan":
            from lexipod.app.making import plan_view

            made = plan_view.PlanView(self.plan, self.theme)
        elif name == "log":
            from lexipod.app.log import log_view

            made = log = log_view.LogView(self.book, self.theme)
            log.picked.connect(lambda _: self.panels["log"].refresh())
        else:
            from lexipod.app.making import table_view

            made = table = table_view.TableView(self.plan, self.book, self.theme)
            table.said.connect(self.say)
            table.left.connect(self.doing.leave_table)
        self.left.addWidget(made)
        return made

    @property
    def plan_view(self) -> PlanView:
        """The steps of the plan."""
        found: PlanView = self.centers["plan"]
        return found

    @property
    def log_view(self) -> LogView:
        """What was made, and the rulers of what was measured."""
        found: LogView = self.centers["log"]
        return found

    @property
    def table(self) -> TableView:
        """One step at a time, in large type."""
        found: TableView = self.centers["table"]
        return found

    def _leave_the_table(self) -> None:
        if "table" in self.centers and self.table.is_sat_at:
            self.table.stand_up()

    def _right(self) -> QWidget:
        self.parts = Parts(
            self.session,
            self.desk,
            self.view,
            self.theme,
            self.sheet_bench,
            self.doing.apply_remedy,
            self.files.export,
            self.plan,
            self.book,
            self.doing.sit_at_table,
            self.files.write_booklet,
            self.files.open_as_it_was,
        )
        self.right = QStackedWidget()
        self.right.setFixedWidth(COLUMN_PX)
        self.panels = Panels(self._make_panel)
        return self.right

    def _make_panel(self, station_id: str) -> QWidget:
        """The panel of a station, when it is first needed."""
        station = find_station(station_id)
        self.parts.theme = self.theme
        made: QWidget = station.panel(self.parts) if station.panel is not None else QWidget()
        self.right.addWidget(made)
        for panel in (made, *made.findChildren(Panel)):
            if isinstance(panel, Panel):
                panel.said.connect(self.say)
        if station.chooses:
            cast("MechanismPanel", made).choosing.connect(self.doing.choose_mechanism)
        return made

    @property
    def mechanism_panel(self) -> MechanismPanel:  # type: ignore[override]
        """The measures of the mechanism."""
        found: MechanismPanel = self.panels["mechanism"]
        return found

    @property
    def travel_panel(self) -> TravelPanel:
        """What stops it, and what happens on the way."""
        found: TravelPanel = self.panels["travel"]
        return found

    @property
    def fit_panel(self) -> FitPanel:  # type: ignore[override]
        """Findings, foam, heights, builds and versions."""
        found: FitPanel = self.panels["fit"]
        return found

    @property
    def pictures_panel(self) -> PicturesPanel:  # type: ignore[override]
        """What lies on the card for the eye."""
        found: PicturesPanel = self.panels["pictures"]
        return found

    def _follow(self) -> None:
        """Ties what must follow the design, its file, its history and the station, and shows all of it once."""
        self.chooser_wanted.connect(self.show_chooser)
        self.bench_wanted.connect(self.show_bench)
        self.title_wanted.connect(self.show_title)
        self.theme_wanted.connect(self.use_theme)
        self.session.file_changed.connect(self.show_title)
        self.session.changed.connect(self.strip.go_on)
        self.session.changed.connect(self.show_title)
        self.session.changed.connect(self._mechanisms_changed)
        self.session.moved.connect(self._undo_changed)
        self.view.station_changed.connect(self._station_changed)
        self.desk.judged.connect(self._size_ribbon)
        self.ribbon.resized.connect(self._size_ribbon)
        self.use_theme(self.theme)
        self.show_title()
        self._undo_changed()
        self.files.fill_recent()
        self._station_changed(self.view.station)

    # ---- following changes --------------------------------------------------------------------------------------------

    def show_title(self, _: object = None) -> None:
        """What card it is, in which file, and whether that is saved."""
        design, path = self.session.design, self.session.path
        name = path.name if path else "not saved yet"
        self.setWindowTitle(f"{design.title}{' *' if self.session.is_unsaved else ''} – {name} – Lexipod")
        self.header.refresh()
        if self.desk.picture_faults:
            self.say("; ".join(self.desk.picture_faults))

    def _undo_changed(self) -> None:
        history = self.session.history
        for name, can, text in (("undo", history.can_undo, history.undo_text), ("redo", history.can_redo, history.redo_text)):
            self.actions_by_id[name].setEnabled(can)
            self.actions_by_id[name].setText(f"{name.title()} {text}".strip())

    def _station_changed(self, station: str) -> None:
        here = self.view.here
        for part in (self.header, self.right, self.menuBar()):
            part.setVisible(not here.seen.plain)
        self.reader_bar.setVisible(here.seen.plain and not here.seen.center)
        if station != "table":
            self._leave_the_table()
        if here.seen.center == "table":
            self.left.setCurrentWidget(self.table)
            self.table.sit_down()
            return
        if here.seen.plain:
            self.left.setCurrentWidget(self._middle)
            self.ribbon_frame.setVisible(False)
            child = self.bench.stack.currentWidget()
            if child is not None:
                child.setFocus()
            return
        self.right.setCurrentWidget(self.panels[station])
        if here.chooses and not self.session.design.mechanisms:
            self.show_chooser()
        else:
            self.left.setCurrentWidget(self._center())
        self.ribbon_frame.setVisible(here.seen.ribbon > 0)
        self._size_ribbon()
        self.setStatusTip(here.help)

    def _mechanisms_changed(self, _: object = None) -> None:
        """An emptied card asks what should happen; one that is filled again, by undo or otherwise, is shown."""
        if not self.session.design.mechanisms:
            if self.view.here.chooses:
                self.show_chooser()
        elif self._asks_empty:
            self.show_bench()

    def show_bench(self) -> None:
        """The card again, instead of the chooser."""
        self._asks_empty = False
        if self.left.currentWidget() is self.chooser:
            self.left.setCurrentWidget(self._center())

    def _center(self) -> QWidget:
        """What lies in the middle at this station."""
        seen = self.view.here.seen
        if seen.center:
            found: QWidget = self.centers[seen.center]
            return found
        return self.sheet_bench if seen.templates else self._middle

    def show_chooser(self) -> None:
        """What should happen?"""
        self._asks_empty = not self.session.design.mechanisms
        self.left.setCurrentWidget(self.chooser)

    def _size_ribbon(self) -> None:
        wanted = self.ribbon.sizeHint().height() + 14
        usual = round(max(self.height(), LEAST_PX[1]) * (self.view.here.seen.ribbon or 0.3))
        usual = max(usual, wanted) if wanted <= ALL_SEEN * usual else usual  # a last strip is not worth scrolling for
        tall = min(wanted, self._ribbon_px or usual)
        self.ribbon_frame.setMinimumHeight(min(wanted, LEAST_RIBBON_PX))
        self.ribbon_frame.setMaximumHeight(wanted)
        whole = max(self.split.height(), tall + 1)
        self.split.setSizes([whole - tall, tall])

    def keep_on_screen(self) -> None:
        """Never larger than its screen, and not beside it."""
        room = self.screen().availableGeometry()
        frame = self.frameGeometry().size() - self.size()
        most = (room.width() - frame.width(), room.height() - frame.height())
        self.setMinimumSize(min(LEAST_PX[0], most[0]), min(LEAST_PX[1], most[1]))
        if self.isMaximized() or self.isFullScreen():
            return
        self.resize(min(self.width(), most[0]), min(self.height(), most[1]))
        left = min(max(self.x(), room.left()), room.right() + 1 - self.width() - frame.width())
        self.move(left, min(max(self.y(), room.top()), room.bottom() + 1 - self.height() - frame.height()))

    def _ribbon_moved(self) -> None:
        """The maker gave it another height; it is kept, for the next time too."""
        self._ribbon_px = self.ribbon_frame.height()
        self.settings.setValue("ribbon", self._ribbon_px)

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Keeps the ribbon's share."""
        super().resizeEvent(event)
        self._size_ribbon()

    def use_theme(self, theme: Theme) -> None:
        """Day or night, everywhere."""
        self.theme = theme
        self.settings.setValue("theme", theme.name)
        self.setStyleSheet(style_sheet(theme))
        themed: tuple[Any, ...] = (self.header.ruler, self.ribbon, self.chooser, *self.parts.findings, *self.parts.edges)
        for part in themed:
            part.theme = theme
            part.update()
        self.bench.set_theme(theme)
        self.sheet_bench.set_theme(theme)
        for center in (c for name, c in self.centers.items() if name != "table"):
            center.set_theme(theme)
        if "table" in self.centers:
            self.table.theme = theme
        if "fit" in self.panels:
            self.fit_panel.heights.set_theme(theme)
        for findings in self.parts.findings:
            findings.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape goes back to work from the card as it is read, and closes the message."""
        if event.key() == Qt.Key.Key_Escape and self.view.here.seen.plain:
            self.doing.leave_table() if self.view.here.seen.center else self.doing.switch_reader()
        elif event.key() == Qt.Key.Key_Escape and self.strip.isVisible():
            self.strip.hide()
        else:
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Asks about unsaved work, then remembers the window and ends all work on the side."""
        if self.session.is_unsaved and not self.files.may_close():
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self._leave_the_table()
        self.book.close()
        self.desk.close()
        for job in self.findChildren(Job):
            job.stop()
        self.autosave.clear()
        super().closeEvent(event)
