"""The sheet of keys: everything that a key does, in columns, with a field to look for it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLabel, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from lexipod.app.frame.actions import ACTIONS

MOST_COLUMNS = 3
ON_VIEWS: dict[str, tuple[tuple[str, str], ...]] = {
    "On the card": (
        ("next or previous handle", "Tab, Shift+Tab"),
        ("move the handle by one mark, finely", "arrows, Shift+arrows"),
        ("type its measure", "Enter"),
        ("keep its measure, or let it change", "K"),
        ("give up a drag", "Esc"),
        ("nearer and farther, about the pointer", "wheel, pinch"),
        ("move the card", "Ctrl+arrows, middle button, two fingers"),
    ),
    "On a card that stands": (
        ("turn it, finely", "arrows, Shift+arrows"),
        ("open and shut it", "Page Up, Page Down"),
        ("let it run", "Space"),
        ("look as at first", "Home"),
    ),
    "On the travel ribbon": (("scrub, finely", "← →, Shift+← →"), ("pick a row", "↑ ↓"), ("all rows, or those that matter", "Enter")),
    "On the edge view": (("move the cut, turn it", "← →, T"),),
    "In a field": (("one mark up or down", "↑ ↓"), ("take it, or give it up", "Enter, Esc")),
}


def key_groups() -> dict[str, tuple[tuple[str, str], ...]]:
    """What keys do, by menu and by view: words and keys."""
    out: dict[str, list[tuple[str, str]]] = {}
    for row in ACTIONS:
        if row.shortcut:
            out.setdefault(row.menu, []).append((row.title.removesuffix(" …"), row.shortcut.split()[0]))
    return {menu: tuple(rows) for menu, rows in out.items()} | ON_VIEWS


def found_groups(wanted: str) -> dict[str, tuple[tuple[str, str], ...]]:
    """The groups with the rows in whose words or keys every word of ``wanted`` is found; groups without any are left out."""
    words = wanted.lower().split()
    out = {}
    for name, rows in key_groups().items():
        hits = tuple(row for row in rows if all(word in f"{name} {row[0]} {row[1]}".lower() for word in words))
        if hits:
            out[name] = hits
    return out


class KeysSheet(QDialog):
    """Stays beside the window until it is closed; never taller than its screen."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 16)
        self.wanted = QLineEdit()
        self.wanted.setPlaceholderText("look for a key or for what it does")
        self.wanted.setAccessibleName("look for a key")
        self.wanted.setClearButtonEnabled(True)
        self.wanted.textChanged.connect(self._fill)
        column.addWidget(self.wanted)
        self._page = QWidget()
        row = QHBoxLayout(self._page)
        row.setContentsMargins(0, 8, 8, 0)
        row.setSpacing(30)
        self._columns: list[QVBoxLayout] = []
        for _ in range(MOST_COLUMNS):
            self._columns.append(QVBoxLayout())
            self._columns[-1].setSpacing(12)
            row.addLayout(self._columns[-1])
        row.addStretch(1)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QScrollArea.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidget(self._page)
        self._page.setObjectName("plain")
        self.area.viewport().setObjectName("plain")
        column.addWidget(self.area)
        room = self.screen().availableGeometry().size()
        self._count = MOST_COLUMNS
        self._fill("")
        while self._count > 1 and self._page.sizeHint().width() + 60 > room.width() - 40:
            self._count -= 1
            self._fill("")
        wanted = self._page.sizeHint()
        self.resize(min(wanted.width() + 60, room.width() - 40), min(wanted.height() + 96, room.height() - 60))

    def _fill(self, wanted: str) -> None:
        for column in self._columns:
            while (item := column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
        groups = found_groups(wanted)
        heights = [0] * self._count
        for name, entries in groups.items():
            at = heights.index(min(heights))
            lines = "".join(f"<tr><td style='padding-right:18px'>{what}</td><td><b>{keys}</b></td></tr>" for what, keys in entries)
            label = QLabel(f"<b>{name}</b><table cellspacing=2>{lines}</table>")
            label.setTextFormat(Qt.TextFormat.RichText)
            self._columns[at].addWidget(label)
            heights[at] += label.sizeHint().height() + 12
        if not groups:
            self._columns[0].addWidget(QLabel("No key does that; what has no key is in the menus."))
        for column in self._columns:
            column.addStretch(1)


__all__ = ["KeysSheet", "found_groups", "key_groups"]
