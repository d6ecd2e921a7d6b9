"""The middle of the window: the card lying flat, standing, or as the sheets it is folded from."""

from __future__ import annotations

import functools

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from lexipod.app.card.card_view import CardView
from lexipod.app.card.flow import FlowLayout
from lexipod.app.card.fold_view import LOOKS, FoldView
from lexipod.app.card.painter import paint_drawing
from lexipod.app.look import DAY, Theme
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.blanks import find_blanks
from lexipod.drawing import Drawing
from lexipod.fabricate import draw_pieces


class SheetView(QWidget):
    """The sheets of the mechanism that is worked on, with their scores; made again when they are looked at."""

    def __init__(self, session: Session, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.session, self.desk, self.theme = session, desk, theme
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The sheets it is folded from")
        self._drawn: Drawing | None = None
        self._drawn_for: object = None
        desk.rebuilt.connect(self.update)
        desk.current_changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The sheets on the ground, as large as they go."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        drawing = self._drawing()
        if drawing is None:
            return
        width, height = drawing.size_mm
        scale = min((self.width() - 48) / width, (self.height() - 32) / height)
        left, bottom = (self.width() - width * scale) / 2, (self.height() + height * scale) / 2
        painter.fillRect(QRectF(left - 8, bottom - height * scale - 8, width * scale + 16, height * scale + 16), QColor("#ffffff"))
        paint_drawing(painter, drawing, DAY, left=left, bottom=bottom, pixels_per_mm=scale)

    def _drawing(self) -> Drawing | None:
        assembly, style = self.desk.assembly, self.session.style
        mark = (assembly, style, self.desk.current)
        if mark != self._drawn_for:
            self._drawn, self._drawn_for = None, mark
            mine = [p for p in find_blanks(assembly) if p.mechanism == self.desk.current] if assembly else []
            if assembly is not None and mine:
                self._drawn = draw_pieces(assembly, self.session.catalog, style, title="", only=self.desk.current)
        return self._drawn


class BenchView(QWidget):
    """Card, fold view and sheets on one place, with a row of buttons above them where something folds."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__()
        self.session, self.desk, self.view, self.theme = session, desk, view, theme
        self.setObjectName("ground")
        self.card_view = CardView(session, desk, view, theme)
        self.fold_view = FoldView(session, desk, view, theme)
        self.sheet_view = SheetView(session, desk, theme)
        self.stack = QStackedWidget()
        for child in (self.card_view, self.fold_view, self.sheet_view):
            self.stack.addWidget(child)
        self.bar = QWidget()
        self.bar.setObjectName("ground")
        self._row = FlowLayout(self.bar)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.bar.setSizePolicy(policy)
        self.look_buttons: dict[str, QPushButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.bar)
        column.addWidget(self.stack, 1)
        self._shown: object = None
        desk.rebuilt.connect(self.refresh)
        desk.current_changed.connect(self.refresh)
        view.station_changed.connect(self._turned)
        view.look_changed.connect(self.refresh)
        view.travel_changed.connect(self._mark)
        self.refresh()

    @property
    def look(self) -> str:
        """How the card is shown just now: “plan”, “standing” or “sheets”."""
        if self.desk.folding is None:
            return "plan"
        return self.view.look or ("standing" if self.view.here.seen.standing else "plan")

    def _turned(self, _: str) -> None:
        """Another station shows what suits it."""
        self.view.look = ""
        self.refresh()

    def refresh(self, _: object = None) -> None:
        """Shows the wanted view, and the buttons that suit the mechanism."""
        self.view.linked = self.desk.linked
        folding = self.desk.folding
        self.bar.setVisible(folding is not None and not self.view.here.seen.plain)
        if folding is not None:
            mark = (folding.mechanism, tuple((s.name, s.at) for s in folding.states), self.look)
            if mark != self._shown:
                self._shown = mark
                self._fill()
        child = {"plan": self.card_view, "standing": self.fold_view, "sheets": self.sheet_view}[self.look]
        if self.stack.currentWidget() is not child:
            had_focus = any(w.hasFocus() for w in (self.card_view, self.fold_view, self.sheet_view))
            self.stack.setCurrentWidget(child)
            if had_focus:
                child.setFocus()
        self._mark()

    def _fill(self) -> None:
        while self._row.count():
            item = self._row.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.look_buttons = {}
        folding = self.desk.folding
        assert folding is not None
        self._add("standing", "standing", lambda: self.view.look_at("standing"), "Paper in space, turned and opened by hand")
        for k, state in enumerate(folding.states):
            text = state.name if len(folding.states) <= 3 or k == 0 else str(k)
            self._add(f"flat:{state.name}", text, functools.partial(self._lay, state.at), f"Lying flat, seen from the front: {state.name}")
        self._add("sheets", "its sheets", lambda: self.view.look_at("sheets"), "What is cut and scored")
        if self.look == "standing":
            for name, (turn, tilt) in LOOKS.items():
                button = QPushButton(name)
                button.setObjectName("quiet")
                button.clicked.connect(lambda _=False, turn=turn, tilt=tilt: self.fold_view.look_from(turn, tilt))
                self._row.addWidget(button)

    def _add(self, name: str, text: str, act, tip: str) -> None:  # type: ignore[no-untyped-def]
        button = QPushButton(text)
        button.setCheckable(True)
        button.setObjectName("choice")
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False: act())
        self.look_buttons[name] = button
        self._row.addWidget(button)

    def _lay(self, at: float) -> None:
        """Flat, in one of its states."""
        folding = self.desk.folding
        if folding is not None:
            self.view.set_travel(folding.mechanism, at)
            self.view.look_at("plan")
            self.refresh()

    def _mark(self) -> None:
        """The button of what is shown stays down."""
        folding = self.desk.folding
        if folding is None:
            return
        at = self.view.travel.get(folding.mechanism, folding.drive.rest)
        for name, button in self.look_buttons.items():
            state = next((s for s in folding.states if name == f"flat:{s.name}"), None)
            button.setChecked(name == self.look if state is None else self.look == "plan" and abs(state.at - at) < 1e-6)

    def come_nearer(self, factor: float) -> None:
        """What is shown, larger by a factor."""
        child = self.stack.currentWidget()
        if isinstance(child, CardView | FoldView):
            child.come_nearer(factor)

    def show_whole(self) -> None:
        """All of what is shown, as large as it goes."""
        child = self.stack.currentWidget()
        if isinstance(child, CardView | FoldView):
            child.show_whole()

    def set_theme(self, theme: Theme) -> None:
        """Repaints in other colours."""
        self.theme = self.fold_view.theme = self.sheet_view.theme = theme
        self.card_view.set_theme(theme)
        self.fold_view.update()
        self.sheet_view.update()
