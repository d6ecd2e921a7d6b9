"""A real window, offscreen, with folders of its own, and the patience to wait for what it does in the background."""

import atexit
import os
import sys
import tempfile
import time
import unittest
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEvent, QEventLoop, QPointF, QProcess, QSettings, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from lexipod.app.frame.start import make_application
from lexipod.app.frame.window import MainWindow
from lexipod.app.state.examiner import Examiner
from lexipod.app.state.session import Session
from lexipod.demo import load_demo
from tests.zoo import CATALOG


class WindowTest(unittest.TestCase):
    """Opens the demo card; fails on exceptions in slots and on work left running."""

    design = None
    owns_examiner = False
    """Whether the window starts its own examiner, as in the program; else all windows of a run have one after another the same."""
    _shared = None

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.app = make_application()
        self.faults = []
        before = sys.excepthook
        sys.excepthook = lambda kind, fault, trace: self.faults.append(fault)
        self.addCleanup(setattr, sys, "excepthook", before)
        self.session = Session(CATALOG, self.design or load_demo("fog-lifts"))
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        self.window = MainWindow(self.session, settings, recovery=self.folder / "unsaved", examiner=self.examiner())
        self.window.book.folder = self.folder / "data"
        self.window.resize(1280, 800)
        self.window.show()
        self.until(self.is_looked_at)

    def tearDown(self):
        self.session.history.mark_saved()
        self.session._is_recovered = False
        self.window.close()
        if self.owns_examiner:
            self.assertEqual(self.window.desk.examiner.process.state(), QProcess.ProcessState.NotRunning)
        self.window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.assertEqual(self.faults, [])

    def examiner(self):
        """What the window is given to check its designs."""
        if not self.owns_examiner and WindowTest._shared is None:
            WindowTest._shared = Examiner(self.app)
            atexit.register(WindowTest._shared.close)
        return None if self.owns_examiner else WindowTest._shared

    def is_looked_at(self):
        """Whether there is a first answer to the present design; who needs the cures waits for ``is_judged``."""
        judgement = self.window.desk.judgement
        return judgement is not None and judgement.revision == self.session.revision

    def is_judged(self):
        """Whether the findings with their remedies belong to the present design."""
        judgement = self.window.desk.judgement
        return judgement is not None and judgement.revision == self.session.revision and judgement.stage == "cured"

    def until(self, condition, seconds=60.0):
        """Runs the event loop until something holds; fails when it never does."""
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                self.fail("it never came to pass")
            loop = QEventLoop()
            QTimer.singleShot(5, loop.quit)
            loop.exec()

    def mouse(self, widget, kind, point, *, held=True, modifiers=Qt.KeyboardModifier.NoModifier):
        """One mouse event at a point of a widget."""
        button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
        buttons = Qt.MouseButton.LeftButton if held else Qt.MouseButton.NoButton
        event = QMouseEvent(kind, QPointF(point), widget.mapToGlobal(QPointF(point)), button, buttons, modifiers)
        QApplication.sendEvent(widget, event)

    def drag(self, widget, start, end, *, steps=8, release=True, modifiers=Qt.KeyboardModifier.NoModifier):
        """Presses, moves in steps, and lets go."""
        self.mouse(widget, QEvent.Type.MouseButtonPress, start)
        for k in range(1, steps + 1):
            self.mouse(widget, QEvent.Type.MouseMove, start + (end - start) * (k / steps), modifiers=modifiers)
        if release:
            self.mouse(widget, QEvent.Type.MouseButtonRelease, end, held=False)

    def parameter(self, name):
        """A parameter of the first mechanism."""
        return self.session.design.mechanisms[0].parameters[name]

    def handle(self, name):
        """The handle of a parameter on the card."""
        return next(h for h in self.window.card_view.handles if h.parameter == name)
