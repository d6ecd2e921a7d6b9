"""All actions as rows: menus, shortcuts and the shortcut sheet are built from them."""

from __future__ import annotations

import functools
import operator
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu

from lexipod.app.frame.stations import STATIONS
from lexipod.app.panels.fit_pages import PAGES


@dataclass(frozen=True, slots=True)
class ActionRow:
    """One action: ``run`` names what it calls on the window (like “files.save”), with ``argument`` where it has one. An empty title is a
    line between actions."""

    id: str
    title: str
    menu: str
    shortcut: str = ""
    run: str = ""
    argument: str = ""


ACTIONS: tuple[ActionRow, ...] = (
    ActionRow("new", "New card", "Design", "Ctrl+N", "files.new_design"),
    ActionRow("open", "Open …", "Design", "Ctrl+O", "files.open_dialog"),
    ActionRow("recent", "Recent", "Design", "", ""),
    ActionRow("demo", "Demo cards", "Design", "", ""),
    ActionRow("line1", "", "Design"),
    ActionRow("save", "Save", "Design", "Ctrl+S", "files.save"),
    ActionRow("save-as", "Save as …", "Design", "Ctrl+Shift+S", "files.save_as"),
    ActionRow("export", "Export templates …", "Design", "Ctrl+E", "files.export_pdf"),
    ActionRow("line2", "", "Design"),
    ActionRow("quit", "Quit", "Design", "Ctrl+Q", "close"),
    ActionRow("undo", "Undo", "Edit", "Ctrl+Z", "doing.undo"),
    ActionRow("redo", "Redo", "Edit", "Ctrl+Shift+Z", "doing.redo"),
    ActionRow("cure", "Apply the first cure", "Edit", "Ctrl+Return", "doing.apply_first_cure"),
    ActionRow("mirror", "Mirror the mechanism", "Edit", "Ctrl+M", "doing.mirror"),
    ActionRow("turn", "Turn the mechanism by 90°", "Edit", "Ctrl+Shift+M", "doing.turn_mechanism"),
    ActionRow("add", "Add a mechanism …", "Edit", "Ctrl+Shift+A", "doing.choose_mechanism"),
    ActionRow("fit", "Fit the mechanism for me", "Edit", "Ctrl+F", "doing.fit_mechanism"),
    ActionRow("keep", "Set this version aside", "Edit", "Ctrl+K", "doing.keep_version"),
    ActionRow("next", "Next mechanism", "Edit", "Ctrl+Tab", "doing.next_mechanism"),
    *(ActionRow(f"station-{s.id}", s.title, "Go", f"Ctrl+{k + 1}", "doing.go_to", s.id) for k, s in enumerate(STATIONS)),
    ActionRow("line4", "", "Go"),
    *(ActionRow(f"page-{p.id}", p.title, "Go", f"Alt+{k + 1}", "doing.show_page", p.id) for k, p in enumerate(PAGES)),
    ActionRow("line3", "", "Go"),
    ActionRow("rest", "To rest", "Go", "Alt+Home", "doing.go_rest"),
    ActionRow("end", "To the end", "Go", "Alt+End", "doing.go_end"),
    ActionRow("next-halt", "To the next halt", "Go", "]", "doing.to_halt", "1"),
    ActionRow("last-halt", "To the halt before", "Go", "[", "doing.to_halt", "-1"),
    ActionRow("pull", "Pull a little", "Go", "Alt+Right", "doing.pull_on"),
    ActionRow("push", "Push a little", "Go", "Alt+Left", "doing.push_back"),
    ActionRow("units", "Inches or millimetres", "View", "Ctrl+U", "doing.switch_units"),
    ActionRow("theme", "Day or night", "View", "Ctrl+T", "doing.switch_theme"),
    ActionRow("hidden", "Hidden edges", "View", "Ctrl+H", "doing.switch_hidden"),
    ActionRow("turn-cut", "Turn the cut", "View", "Ctrl+R", "doing.turn_cut"),
    ActionRow("read", "As the reader sees it", "View", "F2", "doing.switch_reader"),
    ActionRow("table", "At the table", "View", "F4", "doing.sit_at_table"),
    ActionRow("line5", "", "View"),
    ActionRow("nearer", "Nearer", "View", "Ctrl++ Ctrl+=", "doing.come_nearer"),
    ActionRow("farther", "Farther", "View", "Ctrl+-", "doing.go_farther"),
    ActionRow("glass", "A glass under the pointer", "View", "Ctrl+L", "doing.switch_glass"),
    ActionRow("whole", "The whole card", "View", "Ctrl+0", "doing.show_whole"),
    ActionRow("shortcuts", "Keys", "Help", "F1", "doing.show_keys"),
    ActionRow("about", "About Lexipod", "Help", "", "doing.show_about"),
)


def build_menus(window: QMainWindow) -> tuple[dict[str, QAction], dict[str, QMenu]]:
    """Menus of the rows; the actions by id, and the menus within menus, which the window fills."""
    menus: dict[str, QMenu] = {}
    made: dict[str, QAction] = {}
    submenus = {row.id: QMenu(row.title, window) for row in ACTIONS if row.title and not row.run}
    for row in ACTIONS:
        menu = menus.get(row.menu) or menus.setdefault(row.menu, window.menuBar().addMenu(row.menu))
        if row.id in submenus:
            menu.addMenu(submenus[row.id])
            continue
        if not row.title:
            menu.addSeparator()
            continue
        action = QAction(row.title, window)
        if row.shortcut:
            action.setShortcuts([QKeySequence(keys) for keys in row.shortcut.split()])
        action.triggered.connect(functools.partial(_run, window, row))
        menu.addAction(action)
        made[row.id] = action
    return made, submenus


def _run(window: QMainWindow, row: ActionRow, _: bool = False) -> None:
    """Calls what a row names."""
    call = operator.attrgetter(row.run)(window)
    call(row.argument) if row.argument else call()
