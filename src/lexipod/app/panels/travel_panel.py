"""The station Travel: the edge view, what stops the travel, and what happens on the way."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSlider, QVBoxLayout, QWidget

from lexipod.app.panels.panel import Panel
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.checks.rubbing import friction_of
from lexipod.geometry.frames import apply_pose
from lexipod.motion import find_rest, gravity_in_card


class TravelPanel(Panel):
    """What stops the travel, and what happens on the way."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, edge: Callable[[], QWidget]) -> None:
        super().__init__(session, desk)
        self.view = view
        frame = QFrame()
        frame.setObjectName("sheet")
        holder = QVBoxLayout(frame)
        holder.setContentsMargins(4, 4, 4, 4)
        self.edge = edge()
        holder.addWidget(self.edge)
        self.column.addWidget(frame)
        self.stops = self.sheet("What stops it", "Both ends must be real stops; a little is left to spare on purpose.")
        self.stop_rows = QLabel()
        self.stop_rows.setWordWrap(True)
        self.stops.addWidget(self.stop_rows)
        events = self.sheet("On the way")
        self.event_rows = QLabel()
        self.event_rows.setWordWrap(True)
        events.addWidget(self.event_rows)
        row = QHBoxLayout()
        for text, share in (("to rest", 0.0), ("half way", 0.5), ("to the end", 1.0)):
            button = QPushButton(text)
            button.clicked.connect(lambda _=False, share=share: self._go(share))
            row.addWidget(button)
        events.addLayout(row)
        self.reading = self.sheet("At this place of the travel")
        self.reading_rows = QLabel()
        self.reading_rows.setWordWrap(True)
        self.reading.addWidget(self.reading_rows)
        self.tilt = QSlider(Qt.Orientation.Horizontal)
        self.tilt.setRange(-180, 180)
        self.tilt.setPageStep(15)
        self.tilt.setAccessibleName("Turn the card in its plane, in degrees")
        self.tilt.setToolTip("Turns the card in its plane: the rider slides as far as friction lets it.")
        self.tilt.valueChanged.connect(self._tilted)
        self.tilt_words = QLabel()
        self.tilt_words.setObjectName("small")
        self.reading.addWidget(self.tilt_words)
        self.reading.addWidget(self.tilt)
        self.column.addStretch(1)
        desk.judged.connect(self.refresh_if_seen)
        desk.current_changed.connect(self.refresh_if_seen)
        view.travel_changed.connect(self._read)
        self.refresh_if_seen()

    def _go(self, share: float) -> None:
        drive = self.desk.drive
        if drive is not None:
            self.view.set_travel(drive.mechanism, drive.rest + share * (drive.end - drive.rest))

    def _tilted(self, degrees: int) -> None:
        """The card is turned in its plane: the rider slides to where friction holds it."""
        drive, assembly = self.desk.drive, self.desk.assembly
        if drive is None or assembly is None or drive.by != "gravity":
            return
        joint, track = assembly.find_joint(drive.joint), self.desk.tracks[drive.mechanism]
        way = apply_pose(track.poses_of(joint.a, assembly.by_id[joint.a].home), [joint.at_a])[:, 0]
        rest = find_rest(
            track.travel,
            way,
            gravity_in_card(-float(degrees)),
            friction=friction_of(assembly, self.session.catalog, self.session.design.ways, assembly.by_id[drive.part]),
            start=self.view.travel.get(drive.mechanism, drive.rest),
        )
        self.tilt_words.setText(f"card turned by {degrees}°")
        self.view.set_travel(drive.mechanism, rest)

    def _read(self) -> None:
        """What is measured at the shown travel: play, push, and how much is seen."""
        judgement, drive = self.desk.judgement, self.desk.drive
        if not self.isVisible() or judgement is None or drive is None:
            return
        travel, lines = self.view.travel.get(drive.mechanism, drive.rest), []
        for row in judgement.rows.get(drive.mechanism, ()):
            if row.kind in ("play", "push", "share", "circle", "reading"):
                order = np.argsort(row.travel)
                value = float(np.interp(travel, row.travel[order], row.values[order]))
                told = {
                    "play": self.session.style.length(value),
                    "reading": self.session.style.length(value),
                    "push": f"{value:.0f}°",
                    "share": f"{100 * value:.0f} %",
                    "circle": f"a circle of {self.session.style.length(value)}",
                }[row.kind]
                lines.append(f"{row.label}: {told}")
        self.reading_rows.setText("\n".join(line[:1].upper() + line[1:] for line in lines) or "Nothing to measure here.")
        is_tilted = drive.by == "gravity"
        self.tilt.setVisible(is_tilted)
        self.tilt_words.setVisible(is_tilted)
        if is_tilted and not self.tilt_words.text():
            self.tilt_words.setText("Turn the card in its plane:")

    def _amount(self, value: float) -> str:
        return self.desk.amount(value)

    def refresh(self) -> None:
        """Tells stops and events."""
        judgement, drive = self.desk.judgement, self.desk.drive
        self._read()
        if judgement is None or drive is None:
            self.stop_rows.setText("Nothing moves yet.")
            self.event_rows.setText("")
            return
        lines, moments = [], []
        back, on = {"slide": ("Pushed back", "Pulled out"), "turn": ("Turned back", "Turned on"), "open": ("Shut", "Opened")}[drive.kind]
        if self.desk.pulled is not None:
            back, on = "Pushed back", "Pulled out"
        if drive.by == "gravity":
            back, on = "Tilted back", "Tilted on"
        sense = 1.0 if drive.end >= drive.rest else -1.0
        for event in judgement.events.get(drive.mechanism, ()):
            if event.kind.startswith("stop"):
                side = back if event.kind == "stop-rest" else on
                beyond = ((event.travel - drive.end) if event.kind == "stop-end" else (drive.rest - event.travel)) * sense
                where = "rest" if event.kind == "stop-rest" else "the end"
                word = (
                    f"stops {self._amount(abs(beyond))} past {where}"
                    if beyond >= 0
                    else f"stops {self._amount(abs(beyond))} before {where}, too early"
                )
                lines.append(f"{side}, it {word}{event.by}." if event.label == "stop" else f"{side}, it comes to a {event.label}.")
            elif event.kind == "settles":
                moments.append(f"On the card held upright it comes to rest at {self._amount(event.travel)}.")
            elif event.kind == "detent":
                continue
            elif event.kind == "flat":
                moments.append(f"At {self._amount(event.travel)} it lies flat: {event.label}{', ' + event.by if event.by else ''}.")
            elif event.kind not in ("rest", "end"):
                what = "begins to show" if event.kind == "hidden-ends" else "is all shown"
                moments.append(f"At {self._amount(event.travel)} what is revealed {what}.")
        if drive.detents:
            moments.insert(0, f"{len(drive.detents)} places to halt at, {self._amount(abs(drive.detents[1] - drive.detents[0]))} apart.")
        if drive.endless:
            lines = ["Nothing: it goes round and round."]
        if drive.kind == "open" and not lines:
            flat = "At both ends" if self.desk.pulled is not None else "Shut and open"
            lines = [f"{flat} its own paper stops it: it lies flat." if drive.end >= 180 else "Its own paper stops it."]
        self.stop_rows.setText("\n".join(lines) or "Nothing stops it.")
        self.event_rows.setText("\n".join(dict.fromkeys(moments)) or "Nothing is uncovered.")
