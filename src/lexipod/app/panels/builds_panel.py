"""How it comes out when it is built: many simulated builds, what spoils them, and the clearance that helps."""

from __future__ import annotations

import functools

from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton, QWidget

from lexipod.app.card.drag import parameter_of
from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.panels.fields import labelled
from lexipod.app.panels.findings_view import WrappingButton
from lexipod.app.panels.panel import Panel, put_away, soft
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.builds import BuildYield, Suggestion, accuracy_of
from lexipod.units import format_quantity

BUILDS = 1000


class BuildsPanel(Panel):
    """Simulated builds of the design as it stands."""

    def __init__(self, session: Session, desk: Desk) -> None:
        super().__init__(session, desk)
        self._rows: list[QWidget] = []
        self._is_told = False
        self.job = Job(self, session, done=self._show, failed=self._failed)
        self.job.went_on.connect(self._went_on)
        top = self.sheet("Built a thousand times", "Every measure a little off, as your way of cutting makes it: how many of the cards run?")
        self.how = QLabel()
        self.how.setWordWrap(True)
        top.addWidget(self.how)
        self.seed = QLineEdit("1")
        self.seed.setValidator(QIntValidator(1, 99999, self.seed))
        self.seed.setAccessibleName("Seed of the chances")
        self.seed.setToolTip("The same seed gives the same builds again.")
        top.addWidget(labelled("seed", self.seed, label_width=84))
        self.button = QPushButton("build them")
        self.button.setObjectName("main")
        self.button.clicked.connect(self._pressed)
        top.addWidget(self.button)
        self.result = self.sheet("What came of it")
        self.words = QLabel("Not built yet.")
        self.words.setWordWrap(True)
        self.result.addWidget(self.words)
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    def refresh(self) -> None:
        """Says how it is built, and whether the result is of an earlier design."""
        self.how.setText(f"Errors of {accuracy_of(self.session.design.ways).reason}, of packs of paper and foam, and of damp air.")
        self.button.setEnabled(bool(self.session.design.mechanisms))
        if self.job.is_old and not self.job.is_running and self._is_told:
            self._say("The card has changed since; build them again.", ())

    def _seed(self) -> int:
        """The seed that is typed; an empty field counts as the first."""
        if not self.seed.hasAcceptableInput():
            self.seed.setText("1")
        return int(self.seed.text())

    def _pressed(self) -> None:
        if self.job.is_running:
            self.job.stop()
            self.button.setText("build them")
            self._say("Stopped.", ())
            return
        self.button.setText("stop")
        self._say("building …", ())
        self.job.start("yield", self.session.design, BUILDS, self._seed())

    def _went_on(self, share: float) -> None:
        self.words.setText(f"building … {100 * share:.0f} %")

    def _failed(self, text: str) -> None:
        self.button.setText("build them")
        self._say(text, ())

    def _say(self, text: str, rows: tuple[QWidget, ...]) -> None:
        self._is_told = False
        self.words.setText(text)
        for row in self._rows:
            self.result.removeWidget(row)
            put_away(row)
        self._rows = list(rows)
        for row in self._rows:
            self.result.addWidget(row)

    def _show(self, told: BuildYield) -> None:
        self.button.setText("build them")
        if self.job.is_old:
            self._say(CHANGED, ())
            return
        low, high = told.interval95
        lines = [
            f"Of {told.builds} builds {100 * told.free:.1f} % run free (between {100 * low:.1f} and {100 * high:.1f} %); {told.whole} built whole."
        ]
        if told.spoilers:
            lines.append("What spoils the others:")
            lines += [f"– {self._name(s.dimension)}: {100 * s.share:.0f} %" for s in told.spoilers]
        if told.refused:
            lines.append(f"Not to be put together with some errors of: {', '.join(self._name(name) for name in told.refused)}.")
        rows: list[QWidget] = []
        for suggestion in told.suggested:
            changes = ", ".join(
                f"{name.replace('_', ' ')} {self._amount(suggestion.mechanism, name, value)}" for name, value in suggestion.set.items()
            )
            button = WrappingButton(f"{100 * suggestion.target:.0f} % run with {changes}", is_main=not rows)
            button.clicked.connect(functools.partial(self._take, suggestion))
            rows.append(button)
        if told.free < 0.99 and not told.suggested:
            rows.append(soft("No small change of one measure alone brings it to 95 %; cut more precisely, or give more clearance."))
        self._say("\n".join(lines), tuple(rows))
        self._is_told = True

    def _name(self, dimension: str) -> str:
        mechanism, dot, name = dimension.partition(".")
        if dot and self.session.design.find_mechanism(mechanism) is not None:
            return f"{name.replace('_', ' ')} of the {self.desk.name_of(mechanism)}"
        return dimension.replace("_", " ")

    def _amount(self, mechanism: str, name: str, value: float) -> str:
        """A measure in its own unit: a length, or an angle."""
        parameter = parameter_of(self.session.design, mechanism, name)
        return format_quantity(value, "length" if parameter is None or parameter.kind == "point" else parameter.kind, self.session.style)

    def _take(self, suggestion: Suggestion, _: bool = False) -> None:
        self.change(dict(suggestion.set), text="clearance from the builds", mechanism=suggestion.mechanism)
