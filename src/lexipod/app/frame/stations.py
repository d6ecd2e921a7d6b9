"""The stations of the work, in the maker's order: one row each holds its panel, loaded when it is first needed, and what is seen there.

Which findings are settled at a station stands with the rules of the checks (`lexipod.checks.table`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from lexipod.app.card.edge_view import EdgeView
from lexipod.app.look import Theme
from lexipod.app.making.plan_desk import PlanDesk
from lexipod.app.sheets.template_view import SheetBench
from lexipod.app.state.desk import Desk
from lexipod.app.state.logbook import Logbook
from lexipod.app.state.session import Session
from lexipod.app.state.station import Sight, Station
from lexipod.app.state.view_state import ViewState
from lexipod.checks import RULES, Finding, Remedy

if TYPE_CHECKING:
    from lexipod.app.panels.findings_view import FindingsView


@dataclass(eq=False)
class Parts:
    """What panels are made of: the state, the theme, the sheets and template pages, and what they ask the window to do. ``edges`` are the edge views
    that were made for them, ``findings`` the list of findings."""

    session: Session
    desk: Desk
    view: ViewState
    theme: Theme
    sheet_bench: SheetBench
    apply: Callable[[Remedy], None]
    export: Callable[..., None]
    plan: PlanDesk
    book: Logbook
    table: Callable[[], None]
    booklet: Callable[[], None]
    open_design: Callable[[object], None]
    edges: list[EdgeView] = field(default_factory=list)
    findings: list[FindingsView] = field(default_factory=list)

    def edge(self) -> EdgeView:
        """One more edge view."""
        self.edges.append(EdgeView(self.session, self.desk, self.view, self.theme))
        return self.edges[-1]


def _card_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.card_panel import CardPanel

    return CardPanel(parts.session, parts.desk)


def _mechanism_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.mechanism_panel import MechanismPanel

    return MechanismPanel(parts.session, parts.desk)


def _travel_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.travel_panel import TravelPanel

    return TravelPanel(parts.session, parts.desk, parts.view, parts.edge)


def _pictures_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.pictures_panel import PicturesPanel

    return PicturesPanel(parts.session, parts.desk, parts.view)


def _sheets_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.sheets_view import SheetsPanel

    return SheetsPanel(parts.session, parts.desk, parts.sheet_bench, parts.export)


def _build_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.build_panel import BuildPanel

    return BuildPanel(parts.session, parts.desk, parts.plan, table=parts.table, booklet=parts.booklet)


def _log_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.log_panel import LogPanel

    return LogPanel(parts.session, parts.desk, parts.book, open_design=parts.open_design)


def _fit_panel(parts: Parts) -> QWidget:
    from lexipod.app.panels.findings_view import FindingsView
    from lexipod.app.panels.fit_panel import FitPanel

    parts.findings.append(FindingsView(parts.session, parts.desk, parts.view, parts.theme, apply=parts.apply))
    return FitPanel(parts.session, parts.desk, parts.view, parts.theme, parts.findings[-1], parts.edge)


STATIONS: tuple[Station, ...] = (
    Station(
        "card",
        "Card",
        "Which card, from which paper, in which envelope.",
        Sight(envelope=True, hidden=False, aside_px=14.0),
        _card_panel,
    ),
    Station(
        "mechanism",
        "Mechanism",
        "What moves, and its measures.",
        Sight(ghost=True, ribbon=0.235, aside_px=44.0, marks=True),
        _mechanism_panel,
        chooses=True,
    ),
    Station(
        "travel",
        "Travel",
        "How far it goes, and what stops it.",
        Sight(section=True, ghost=True, standing=True, ribbon=0.24, marks=True),
        _travel_panel,
    ),
    Station(
        "pictures",
        "Pictures",
        "What the reader sees, and where.",
        Sight(hidden=False, ribbon=0.2, pictures=True, marks=False),
        _pictures_panel,
    ),
    Station("fit", "Fit", "What stands in the way, and the cure.", Sight(section=True, standing=True, ribbon=0.24, marks=True), _fit_panel),
    Station(
        "sheets",
        "Sheets",
        "What to cut, at true size.",
        Sight(measures=False, hidden=False, templates=True),
        _sheets_panel,
        counts_pieces=True,
    ),
    Station(
        "build",
        "Build",
        "In which order it is put together, and when.",
        Sight(measures=False, hidden=False, center="plan"),
        _build_panel,
    ),
    Station(
        "log",
        "Log",
        "What was made, measured and learned; what is on the shelf.",
        Sight(measures=False, hidden=False, center="log"),
        _log_panel,
    ),
)


READER = Station(
    "reader", "Reader", "The card as it is read: moved by its own pull or page.", Sight(measures=False, hidden=False, standing=True, plain=True)
)
"""Not on the way of the work: the finished card alone, over the whole window."""
TABLE = Station("table", "At the table", "One step at a time.", Sight(measures=False, hidden=False, plain=True, center="table"))
"""Not on the way of the work either: the steps in large type, for hands that are busy."""


def find_station(station_id: str) -> Station:
    """The station of an id."""
    return next(s for s in STATIONS if s.id == station_id)


def station_of(finding: Finding) -> str:
    """Where a finding is settled."""
    return RULES[finding.rule].station
