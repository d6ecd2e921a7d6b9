"""Findings as sentences, worst first, each with its figure, “show me” and the cures."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent, QSize, Qt, QTimer
from PySide6.QtGui import QEnterEvent, QFocusEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from lexipod.app.look import Theme
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Finding, Remedy
from lexipod.checks.figures import figure_of
from lexipod.design import Design
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array, apply_pose
from lexipod.units import UnitStyle, typeset

MOST_LINES = 5
SEVERITY_WORDS = {"block": "■ blocks", "warn": "▲ watch", "note": "○ to know"}
SEVERITY_COLOURS = {"block": "alarm", "warn": "caution", "note": "pencil"}


def outlines_with(design: Design, catalog: Catalog, remedy: Remedy) -> tuple[Array, ...]:
    """Outlines and openings on the card of the parts that a cure changes or moves."""
    try:
        now = build_assembly(design, catalog).by_id
        then = build_assembly(change_design(design, catalog, remedy.set, mechanism=remedy.mechanism), catalog).by_id
    except LexipodError:
        return ()
    rings: list[Array] = []
    for part in then.values():
        old = now.get(part.id)
        for k, ring in enumerate((part.outline, *part.holes)):
            laid = apply_pose(part.home, ring)
            same = old is not None and any(
                len(r) == len(ring) and np.allclose(apply_pose(old.home, r), laid, atol=0.05) for r in ((old.outline,) if k == 0 else old.holes)
            )
            if not same and part.role not in ("fastener", "spacer"):
                rings.append(laid)
    return tuple(rings)


class WrappingButton(QPushButton):
    """A button whose text takes as many lines as it needs."""

    def __init__(self, text: str, *, is_main: bool) -> None:
        super().__init__()
        self.setAccessibleName(text)
        if is_main:
            self.setObjectName("main")
        self._label = QLabel(text)
        self._label.setWordWrap(True)
        self._label.setObjectName("on-main" if is_main else "on-button")
        self._label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 5, 12, 5)
        layout.addWidget(self._label)
        self.pointed: Callable[[bool], None] = lambda _: None
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def enterEvent(self, event: QEnterEvent) -> None:
        """The pointer comes over it."""
        super().enterEvent(event)
        self.pointed(True)

    def leaveEvent(self, event: QEvent) -> None:
        """The pointer goes; with the focus it stays pointed at."""
        super().leaveEvent(event)
        self.pointed(self.hasFocus())

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The focus comes."""
        super().focusInEvent(event)
        self.pointed(True)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The focus goes."""
        super().focusOutEvent(event)
        self.pointed(False)

    def sizeHint(self) -> QSize:
        """The whole text on one line."""
        line = self._label.fontMetrics().horizontalAdvance(self._label.text())
        return QSize(line + 30, self.heightForWidth(line + 30))

    def minimumSizeHint(self) -> QSize:
        """Narrow enough for any column."""
        return QSize(120, 30)

    def hasHeightForWidth(self) -> bool:
        """The narrower, the higher."""
        return True

    def heightForWidth(self, width: int) -> int:
        """As high as the wrapped text."""
        return max(30, self._label.heightForWidth(width - 24) + 10)


class FindingCard(QFrame):
    """One finding."""

    def __init__(
        self,
        finding: Finding,
        style: UnitStyle,
        theme: Theme,
        *,
        show: Callable[[Finding], None],
        apply: Callable[[Remedy], None],
        preview: Callable[[Remedy | None], None],
        waiting: bool,
    ) -> None:
        super().__init__()
        self.finding, self.theme = finding, theme
        self.setObjectName("sheet")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 9, 12, 9)
        layout.setSpacing(4)
        head = QHBoxLayout()
        title = QLabel(typeset(finding.title))
        title.setWordWrap(True)
        title.setStyleSheet("font-weight: 600; font-size: 15px;")
        head.addWidget(title, 1)
        figure = QLabel(figure_of(finding, style))
        figure.setObjectName({"block": "alarm", "warn": "caution"}.get(finding.severity, "soft"))
        figure.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        head.addWidget(figure)
        layout.addLayout(head)
        message = QLabel(typeset(finding.message))
        message.setWordWrap(True)
        layout.addWidget(message)
        if finding.limit:
            limit = QLabel(typeset(finding.limit))
            limit.setWordWrap(True)
            limit.setObjectName("small")
            layout.addWidget(limit)
        for k, remedy in enumerate(finding.remedies):
            button = WrappingButton(typeset(remedy.label), is_main=k == 0)
            button.setToolTip(remedy.remaining or "Tried on this design: it cures this and makes nothing else block.")
            button.clicked.connect(lambda _=False, remedy=remedy: apply(remedy))
            button.pointed = partial(_point, preview, remedy)
            row = QHBoxLayout()
            row.addWidget(button)
            row.addStretch(1)
            layout.addLayout(row)
            if remedy.changes:
                layout.addWidget(_changes(remedy))
        foot = QHBoxLayout()
        looking = "  ·  looking for a cure …" if waiting and not finding.remedies else "  ·  not all cures looked for" if finding.cut_short else ""
        word = QLabel(SEVERITY_WORDS[finding.severity] + looking)
        word.setObjectName("small")
        foot.addWidget(word, 1)
        shown = QPushButton("show me")
        shown.setObjectName("quiet")
        shown.clicked.connect(lambda: show(finding))
        foot.addWidget(shown)
        layout.addLayout(foot)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The sheet, and a stripe at its left edge."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.fillRect(
            1, 8, 5 if self.finding.severity == "block" else 3, self.height() - 16, self.theme.colour(SEVERITY_COLOURS[self.finding.severity])
        )


def _point(preview: Callable[[Remedy | None], None], remedy: Remedy, on: bool) -> None:
    preview(remedy if on else None)


def _changes(remedy: Remedy) -> QLabel:
    """What a cure changes, one line each; of many the first ones."""
    lines = list(remedy.changes[:MOST_LINES])
    if len(remedy.changes) > MOST_LINES:
        lines.append(f"and {len(remedy.changes) - MOST_LINES} more")
    label = QLabel(typeset("\n".join(lines)))
    label.setWordWrap(True)
    label.setObjectName("small")
    label.setToolTip("\n".join(remedy.changes))
    return label


class FindingsView(QWidget):
    """The list of findings, or the word that all is well."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme, *, apply: Callable[[Remedy], None]) -> None:
        super().__init__()
        self.session, self.desk, self.view, self.theme, self.apply = session, desk, view, theme, apply
        self.setObjectName("column")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        head = QHBoxLayout()
        title = QLabel("What stands in the way")
        title.setObjectName("head")
        self.count = QLabel()
        self.count.setObjectName("small")
        head.addWidget(title, 1)
        head.addWidget(self.count)
        layout.addLayout(head)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(self.area, 1)
        self._shown: object = None
        self._timer = QTimer(self, singleShot=True, interval=140)
        self._timer.timeout.connect(self.refresh)
        desk.judged.connect(self._timer.start)
        desk.rebuilt.connect(self._dim)
        self.refresh()

    def _dim(self) -> None:
        self.count.setText("checking …")

    def refresh(self) -> None:
        """Shows the latest findings; the same ones are left as they are, so that nothing jumps under the pointer."""
        judgement = self.desk.judgement
        if judgement is None:
            return
        findings = judgement.findings
        blocks, warns = (sum(f.severity == s for f in findings) for s in ("block", "warn"))
        self.count.setText("checking …" if judgement.stage == "coarse" else f"{blocks} block · {warns} to watch")
        mark = (findings, judgement.fault, judgement.stage == "cured", self.session.style, self.theme.name)
        if mark == self._shown:
            return
        self._shown = mark
        self.view.set_preview(())  # the cure that was pointed at may be gone
        scrolled = self.area.verticalScrollBar().value()
        inside = QWidget()
        inside.setObjectName("column")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(8)
        for finding in findings:
            column.addWidget(
                FindingCard(
                    finding,
                    self.session.style,
                    self.theme,
                    show=self._show,
                    apply=self.apply,
                    preview=self._preview,
                    waiting=judgement.stage != "cured",
                )
            )
        if judgement.fault:
            column.addWidget(self._all_well(fault=judgement.fault))
        elif not findings:
            column.addWidget(self._all_well())
        column.addStretch(1)
        self.area.setWidget(inside)
        self.area.verticalScrollBar().setValue(scrolled)

    def _preview(self, remedy: Remedy | None) -> None:
        """The outlines that a cure would give, over the card as it is."""
        self.view.set_preview(() if remedy is None else outlines_with(self.session.design, self.session.catalog, remedy))

    def _all_well(self, *, fault: str = "") -> QWidget:
        sheet = QFrame()
        sheet.setObjectName("sheet")
        layout = QVBoxLayout(sheet)
        layout.setContentsMargins(18, 12, 12, 12)
        nothing = not self.session.design.mechanisms
        head = QLabel("It could not be checked" if fault else "Nothing moves on this card yet." if nothing else "✓ Free to move")
        head.setObjectName("alarm" if fault else "fine")
        text = QLabel(
            fault or "Turn to Mechanism and choose one."
            if fault or nothing
            else "Every check is content over the whole travel. Turn to Sheets for the cut list and the templates."
        )
        text.setWordWrap(True)
        layout.addWidget(head)
        layout.addWidget(text)
        return sheet

    def _show(self, finding: Finding) -> None:
        if self.session.design.find_mechanism(finding.mechanism) is not None:
            self.desk.use(finding.mechanism)
        self.view.show_finding(finding)
