"""All actions as rows: menus, shortcuts and the shortcut sheet are built from them."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu


@dataclass(frozen=True, slots=True)
class ActionRow:
    """One action: ``run`` names a method of the window. An empty title is a line between actions."""

    id: str
    title: str
    menu: str
    shortcut: str = ""
    run: str = ""


ACTIONS: tuple[ActionRow, ...] = (
    ActionRow("new", "New card", "Design", "Ctrl+N", "new_design"),
    ActionRow("open", "Open …", "Design", "Ctrl+O", "open_dialog"),
    ActionRow("recent", "Recent", "Design", "", ""),
    ActionRow("demo", "Demo cards", "Design", "", ""),
    ActionRow("line1", "", "Design"),
    ActionRow("save", "Save", "Design", "Ctrl+S", "save"),
    ActionRow("save-as", "Save as …", "Design", "Ctrl+Shift+S", "save_as"),
    ActionRow("export", "Export templates …", "Design", "Ctrl+E", "export_pdf"),
    ActionRow("line2", "", "Design"),
    ActionRow("quit", "Quit", "Design", "Ctrl+Q", "close"),
    ActionRow("undo", "Undo", "Edit", "Ctrl+Z", "undo"),
    ActionRow("redo", "Redo", "Edit", "Ctrl+Shift+Z", "redo"),
    ActionRow("cure", "Apply the first cure", "Edit", "Ctrl+Return", "apply_first_cure"),
    ActionRow("mirror", "Mirror the mechanism", "Edit", "Ctrl+M", "mirror"),
    ActionRow("turn", "Turn the mechanism by 90°", "Edit", "Ctrl+Shift+M", "turn_mechanism"),
    ActionRow("add", "Add a mechanism …", "Edit", "Ctrl+Shift+A", "choose_mechanism"),
    ActionRow("fit", "Fit the mechanism for me", "Edit", "Ctrl+F", "fit_mechanism"),
    ActionRow("keep", "Set this version aside", "Edit", "Ctrl+K", "keep_version"),
    ActionRow("next", "Next mechanism", "Edit", "Ctrl+Tab", "next_mechanism"),
    ActionRow("station-card", "Card", "Go", "Ctrl+1", "go_card"),
    ActionRow("station-mechanism", "Mechanism", "Go", "Ctrl+2", "go_mechanism"),
    ActionRow("station-travel", "Travel", "Go", "Ctrl+3", "go_travel"),
    ActionRow("station-fit", "Fit", "Go", "Ctrl+4", "go_fit"),
    ActionRow("station-sheets", "Sheets", "Go", "Ctrl+5", "go_sheets"),
    ActionRow("line4", "", "Go"),
    ActionRow("page-findings", "What stands in the way", "Go", "Alt+1", "show_findings"),
    ActionRow("page-foam", "Foam and free zones", "Go", "Alt+2", "show_foam"),
    ActionRow("page-heights", "Heights and post", "Go", "Alt+3", "show_heights"),
    ActionRow("page-builds", "A thousand builds", "Go", "Alt+4", "show_builds"),
    ActionRow("page-versions", "Versions and other sizes", "Go", "Alt+5", "show_versions"),
    ActionRow("line3", "", "Go"),
    ActionRow("rest", "To rest", "Go", "Alt+Home", "go_rest"),
    ActionRow("end", "To the end", "Go", "Alt+End", "go_end"),
    ActionRow("pull", "Pull a little", "Go", "Alt+Right", "pull_on"),
    ActionRow("push", "Push a little", "Go", "Alt+Left", "push_back"),
    ActionRow("units", "Inches or millimetres", "View", "Ctrl+U", "switch_units"),
    ActionRow("theme", "Day or night", "View", "Ctrl+T", "switch_theme"),
    ActionRow("hidden", "Hidden edges", "View", "Ctrl+H", "switch_hidden"),
    ActionRow("turn-cut", "Turn the cut", "View", "Ctrl+R", "turn_cut"),
    ActionRow("shortcuts", "Keys", "Help", "F1", "show_keys"),
    ActionRow("about", "About Lexipod", "Help", "", "show_about"),
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
            action.setShortcut(QKeySequence(row.shortcut))
        action.triggered.connect(lambda _=False, name=row.run: getattr(window, name)())
        menu.addAction(action)
        made[row.id] = action
    return made, submenus


def shortcut_sheet() -> str:
    """The keys as a table in rich text."""
    rows = "".join(f"<tr><td style='padding-right:24px'>{r.title}</td><td><b>{r.shortcut}</b></td></tr>" for r in ACTIONS if r.shortcut)
    more = (
        ("on the card: next or previous handle", "Tab, Shift+Tab"),
        ("move the handle by one mark, finely", "arrows, Shift+arrows"),
        ("type its measure", "Enter"),
        ("give up a drag", "Esc"),
        ("on the ribbon: scrub, finely", "← →, Shift+← →"),
        ("pick a row", "↑ ↓"),
        ("on the edge view: move the cut, turn it", "← →, T"),
        ("in a field: one mark up or down", "↑ ↓"),
    )
    rows += "".join(f"<tr><td style='padding-right:24px'>{what}</td><td><b>{keys}</b></td></tr>" for what, keys in more)
    return f"<table cellspacing=3>{rows}</table>"
