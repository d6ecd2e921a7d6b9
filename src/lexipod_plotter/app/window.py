"""The machine as a window: the sheet with what is drawn as it goes, its report, and what can go wrong at the press of a button."""

from __future__ import annotations

import math
import sys

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QApplication, QHBoxLayout, QLabel, QMainWindow, QPushButton, QVBoxLayout, QWidget

from lexipod_plotter.machine import Fault, Kind, Machine
from lexipod_plotter.picture import COLOURS
from lexipod_plotter.serve import Server

BUTTONS: tuple[tuple[Kind, str], ...] = (
    ("jam", "The sheet jams at once"),
    ("offline", "It neither reads nor answers"),
    ("full", "Its buffer stays full for three seconds"),
    ("slow", "It works ten times slower"),
    ("power", "Its power goes: it forgets where it is"),
    ("vanish", "The cable is pulled"),
)
STATES = {"ready": "ready", "jam": "the sheet is jammed", "offline": "offline", "off": "without power"}


class SheetPicture(QWidget):
    """What is drawn, in the machine's area."""

    def __init__(self, machine: Machine) -> None:
        super().__init__()
        self.machine = machine
        self.setMinimumSize(300, 360)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The area, the lines of the present sheet, and where the tool is."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor("#ece5d8"))
        across, along = self.machine.area_mm
        scale = min((self.width() - 24) / across, (self.height() - 24) / along)
        painter.translate((self.width() - across * scale) / 2, (self.height() + along * scale) / 2)
        painter.scale(scale, -scale)
        painter.fillRect(QRectF(0, 0, across, along), QColor("#fffdf8"))
        for line in list(self.machine.lines):
            if line.sheet != self.machine.shown:
                continue
            painter.setPen(QPen(QColor(COLOURS.get(line.pen, "#77726a")), 1.2 / scale))
            points = QPolygonF()
            for x, y in list(line.points):
                points.append(QPointF(x, y))
            painter.drawPolyline(points)
        x, y = self.machine.at
        painter.setPen(QPen(QColor("#a8321d"), 1.4 / scale))
        size = (5 if self.machine.is_down else 9) / scale
        painter.drawEllipse(QRectF(x - size / 2, y - size / 2, size, size))


class PlotterWindow(QMainWindow):
    """The whole window; it ends its server when it closes."""

    def __init__(self, server: Server) -> None:
        super().__init__()
        self.server = server
        self.setWindowTitle("Simulated plotter")
        self.picture = SheetPicture(server.machine)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column = QVBoxLayout()
        column.addWidget(self.words, 1)
        column.addWidget(QLabel("What goes wrong:"))
        for kind, told in BUTTONS:
            button = QPushButton(kind)
            button.setToolTip(told)
            button.clicked.connect(lambda _=False, kind=kind: server.fail(Fault(kind)))
            column.addWidget(button)
        fresh = QPushButton("new sheet")
        fresh.setToolTip("Takes the sheet out and lays a fresh one in")
        fresh.clicked.connect(server.new_sheet)
        column.addWidget(fresh)
        clear = QPushButton("set it right")
        clear.clicked.connect(server.clear)
        column.addWidget(clear)
        side = QWidget()
        side.setFixedWidth(240)
        side.setLayout(column)
        row = QHBoxLayout()
        row.addWidget(self.picture, 1)
        row.addWidget(side)
        middle = QWidget()
        middle.setLayout(row)
        self.setCentralWidget(middle)
        self._clock = QTimer(self)
        self._clock.timeout.connect(self.show_state)
        self._clock.start(60)
        self.show_state()

    def show_state(self) -> None:
        """Draws what has come since, and tells the report."""
        machine, report = self.server.machine, self.server.machine.report
        lines = [
            f"Listening on localhost:{self.server.port}",
            f"State: {STATES[machine.state]}{', somebody sends' if self.server.has_sender else ''}",
            f"Sheet {machine.sheet}, pen {machine.pen}, {report.lines} lines",
            f"Drawn {report.down_mm / 1000:.2f} m, lifted {report.up_mm / 1000:.2f} m",
            f"Time {report.seconds / 60:.1f} min at true speed",
        ]
        if report.unknown:
            lines.append(f"Not understood: {', '.join(report.unknown[-4:])}")
        if report.outside:
            lines.append(f"Out of its area: {len(report.outside)} places, last {report.outside[-1]}")
        self.words.setText("\n".join(lines))
        self.picture.update()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ends the server."""
        self._clock.stop()
        self.server.close()
        super().closeEvent(event)


def run_window(machine: Machine, *, port: int, hurry: float = math.inf) -> None:
    """Shows the window until it is closed."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    window = PlotterWindow(Server(machine, port=port, hurry=hurry).start())
    window.resize(820, 680)
    window.show()
    application.exec()
