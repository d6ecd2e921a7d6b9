"""Sheets: the pieces on template pages, the cut list in the maker's own unit, and the way out as files."""

from __future__ import annotations

import functools
from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from lexipod.app.card.painter import paint_drawing
from lexipod.app.jobs.job import Job
from lexipod.app.look import DAY, Theme, font, paint_focus
from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel, put_away
from lexipod.app.panels.punches import PunchFields
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.drawing import Drawing
from lexipod.fabricate import EXPORTS, cut_list, draw_template_pages, notes_text, openings_text, scores_text, size_text
from lexipod.fabricate.cutlist import PIECE, CutRow, Punched


class TemplateView(QWidget):
    """Template pages side by side as paper, true to proportion."""

    page_changed = Signal()

    def __init__(self, session: Session, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.session, self.desk, self.theme = session, desk, theme
        self.setObjectName("ground")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Template pages")
        self.sheet = ""
        self.layout_name = "combined"
        self.pages: tuple[Drawing, ...] = ()
        self.page = 0
        self._made_for: object = None
        desk.rebuilt.connect(self._renew)

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(800, 600)

    @property
    def paper(self) -> str:
        """Id of the paper: the chosen one, or the unit's usual one."""
        return self.sheet or ("letter" if self.session.design.ways.units == "in" else "a4")

    def choose(self, *, sheet: str | None = None, layout: str | None = None) -> None:
        """Another paper or layout."""
        self.sheet = self.sheet if sheet is None else sheet
        self.layout_name = self.layout_name if layout is None else layout
        self._renew()

    def _renew(self) -> None:
        self._made_for = None
        if self.isVisible():
            self._make()
        self.update()

    def _make(self) -> None:
        mark = (self.session.revision, self.paper, self.layout_name)
        if mark == self._made_for or self.desk.assembly is None:
            return
        self._made_for = mark
        paper = self.session.catalog.sheets[self.paper]
        self.pages = draw_template_pages(
            self.desk.assembly,
            self.session.catalog,
            self.session.style,
            title=self.session.design.title,
            paper=paper,
            layout="single" if self.layout_name == "single" else "combined",
        )
        self.page = min(self.page, len(self.pages) - 1)
        self.page_changed.emit()

    def turn(self, step: int) -> None:
        """Turns to another page."""
        self._make()
        self.page = max(0, min(len(self.pages) - 1, self.page + step))
        self.page_changed.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right, page up and page down turn pages."""
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_PageUp: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: 1}
        if event.key() in steps:
            self.turn(steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The page that is turned up, and what follows it as far as there is room."""
        self._make()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        if not self.pages:
            return
        gap, left = 20.0, 24.0
        tallest = self.pages[self.page].size_mm[1]
        scale = min((self.height() - 76) / tallest, (self.width() - 48) / self.pages[self.page].size_mm[0])
        x = left
        for k in range(self.page, len(self.pages)):
            page = self.pages[k]
            width, height = page.size_mm[0] * scale, page.size_mm[1] * scale
            if k > self.page and (x + width > self.width() - 12 or height > self.height() - 70):
                break
            top = 16.0
            box = QRectF(x, top, width, height)
            shade = QColor(self.theme.shadow)
            shade.setAlpha(50)
            painter.fillRect(box.translated(3, 4), shade)
            painter.fillRect(box, QColor("#ffffff"))
            paint_drawing(painter, page, DAY, left=x, bottom=top + height, pixels_per_mm=scale)
            x += width + gap
        painter.setFont(font(13))
        painter.setPen(self.theme.colour("pencil"))
        text = f"page {self.page + 1} of {len(self.pages)}  ·  ← → turn the pages  ·  every page carries a 100 mm and a 4 in ruler"
        painter.drawText(QRectF(24, self.height() - 34, self.width() - 48, 24), Qt.AlignmentFlag.AlignLeft, text)
        if self.hasFocus():
            paint_focus(painter, self.rect(), self.theme)


class SheetsPanel(Panel):
    """The cut list, and the files."""

    def __init__(self, session: Session, desk: Desk, templates: TemplateView, export: Callable[[str, str], None]) -> None:
        super().__init__(session, desk)
        self.templates = templates
        out = self.sheet("Templates", "Print at 100 %, then lay a ruler on the printed one.")
        self.paper = choice_box([(s.id, f"{s.name}") for s in session.catalog.sheets.values()], lambda key: templates.choose(sheet=key), name="Paper")
        out.addWidget(labelled("paper", self.paper, label_width=84))
        self.layout_box = choice_box(
            [("combined", "several pieces on a page"), ("single", "one piece on a page")], lambda key: templates.choose(layout=key), name="Layout"
        )
        out.addWidget(labelled("pages", self.layout_box, label_width=84))
        row = QGridLayout()
        row.setSpacing(4)
        ways = [(f"{way.ending.removeprefix('.').upper()} …", way.title, way.ending, "") for way in EXPORTS]
        ways.append(("guides …", "Placement sheets, masks and windows at true size", ".pdf", "guides"))
        for k, (text, tip, ending, what) in enumerate(ways):
            button = QPushButton(text)
            button.setToolTip(tip)
            if k == 0:
                button.setObjectName("main")
            button.clicked.connect(lambda _=False, ending=ending, what=what: export(ending, what))
            row.addWidget(button, k // 4, k % 4)
        out.addLayout(row)
        owned = self.sheet("Punches and dies you own", "Sizes with commas between. The cut list says which comes nearest, and which cuts the ring.")
        self.punches = PunchFields(session)
        self.punches.said.connect(self.said)
        self.punches.kept.connect(self.refresh)
        owned.addWidget(self.punches)
        self.punching = Job(self, session, done=self._set, failed=self.said.emit)
        self._punch = ""
        self.list = self.sheet("Cut list")
        self.rows = QWidget()
        self.list.addWidget(self.rows)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    def refresh(self) -> None:
        """Lists the pieces."""
        if self.desk.assembly is None:
            return
        self.punches.refresh()
        set_choice(self.paper, self.templates.paper)
        rows = QWidget()
        rows.setObjectName("inside")
        layout = QVBoxLayout(rows)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(1)
        from_right = self.session.design.ways.scores_from == "right"
        for row in cut_list(self.desk.assembly, self.session.catalog):
            line = QHBoxLayout()
            name = QLabel(row.name if row.quantity == 1 else f"{row.quantity} × {row.name}")
            name.setStyleSheet("font-weight: 600;")
            size = QLabel(size_text(row.measure, self.session.style))
            line.addWidget(name, 1)
            line.addWidget(size)
            layout.addLayout(line)
            plies = "" if row.plies == 1 else f", {row.plies} {'layers' if row.stock in self.session.catalog.foams else 'plies'}"
            told = [f"{row.stock_name}{plies}"]
            told += [
                text
                for text in (
                    scores_text(row, self.session.style, from_right=from_right),
                    openings_text(row, self.session.style, from_right=from_right),
                    notes_text(row, self.session.style),
                )
                if text
            ]
            text = QLabel("; ".join(told))
            text.setObjectName("small")
            text.setWordWrap(True)
            layout.addWidget(text)
            for punched in row.punched:
                if not punched.is_cut:
                    layout.addWidget(self._setting_button(row, punched))
            layout.addSpacing(7)
        self.list.replaceWidget(self.rows, rows)
        put_away(self.rows)
        self.rows = rows

    def _setting_button(self, row: CutRow, punched: Punched) -> QPushButton:
        """Sets an opening to the punch that comes nearest."""
        of = "the piece" if punched.name == PIECE else f"the {punched.name}"
        button = QPushButton(f"set {of} to the {punched.punch.name}")
        button.setObjectName("quiet")
        button.setToolTip("Changes the measures of the card that the opening goes by; undo takes it back.")
        button.clicked.connect(functools.partial(self.set_to_punch, row.parts[0], punched.name, punched.punch.id))
        return button

    def set_to_punch(self, part: str, opening: str, punch: str, _: bool = False) -> None:
        """Finds the measures that make an opening as large as a punch cuts; they are set when they are found."""
        self.said.emit("Looking for the measures that set it …")
        self._punch = punch
        self.punching.start("punch", self.session.design, part, opening, punch)

    def _set(self, settings: dict[str, float]) -> None:
        punch = self.session.catalog.punches.get(self._punch)
        if self.punching.is_old or punch is None:
            self.said.emit("The card has changed since; try it again.")
            return
        if self.change(settings, text=f"set to {punch.name}"):
            style = self.session.style
            named = (f"{name.partition('.')[2].replace('_', ' ')} {style.length(value)}" for name, value in settings.items())
            self.said.emit(f"Set to the {punch.name}: {', '.join(named)}.")
