"""What actions and files may ask of the window, whatever it is composed of."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMainWindow, QMenu

from lexipod.app.card.bench_view import BenchView
from lexipod.app.frame.messages import MessageStrip
from lexipod.app.frame.stations import Parts
from lexipod.app.look import Theme
from lexipod.app.sheets.template_view import TemplateView
from lexipod.app.state.recovery import Autosave
from lexipod.app.state.view_state import ViewState

if TYPE_CHECKING:
    from lexipod.app.panels.fit_panel import FitPanel
    from lexipod.app.panels.mechanism_panel import MechanismPanel
    from lexipod.app.panels.pictures_panel import PicturesPanel


class Hull(QMainWindow):
    """A window with a message strip, panels, a view and a theme, which whoever composes it sets. What is asked of it goes out as signals:
    for the ``chooser``, for the card instead (``bench``), for its ``title`` to be told anew, for a ``theme``."""

    chooser_wanted = Signal()
    bench_wanted = Signal()
    title_wanted = Signal()
    theme_wanted = Signal(object)

    view: ViewState
    bench: BenchView
    theme: Theme
    strip: MessageStrip
    parts: Parts
    templates: TemplateView
    fit_panel: FitPanel
    mechanism_panel: MechanismPanel
    pictures_panel: PicturesPanel
    recent_menu: QMenu
    autosave: Autosave
    recovery: Path | None

    def say(self, text: str) -> None:
        """A sentence in the message strip."""
        self.strip.say(text, passing=True)
