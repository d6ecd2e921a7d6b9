"""Template pages side by side as paper, true to proportion."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QStackedWidget, QWidget

from lexipod.app.card.painter import paint_drawing
from lexipod.app.look import DAY, Theme, font, paint_focus
from lexipod.app.sheets.sheet_desk import SheetDesk
from lexipod.app.sheets.sheet_table import SheetTable
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.drawing import Drawing
from lexipod.fabricate import draw_template_pages


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


class SheetBench(QStackedWidget):
    """The laid sheets, or the template pages: one of them is seen."""

    def __init__(self, session: Session, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.sheets = SheetDesk(self, session, desk)
        self.table = SheetTable(self.sheets, theme)
        self.templates = TemplateView(session, desk, theme)
        self.addWidget(self.table)
        self.addWidget(self.templates)

    def show_templates(self, *, on: bool) -> None:
        """Template pages instead of the laid sheets, or back."""
        self.setCurrentWidget(self.templates if on else self.table)

    def set_theme(self, theme: Theme) -> None:
        """Day or night."""
        self.table.theme = theme
        self.templates.theme = theme
        self.templates.update()
