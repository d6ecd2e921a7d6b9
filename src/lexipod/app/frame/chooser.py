"""The chooser: what should happen, and which mechanisms can do it on this card, each as a small moving picture."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from lexipod.app.card.flow import FlowLayout
from lexipod.app.card.painter import PreparedLayer, paint_folds, paint_items, pose_transform, prepare_layer
from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.look import Theme, font
from lexipod.app.panels.findings_view import WrappingButton
from lexipod.app.panels.panel import put_away
from lexipod.app.state.session import Session
from lexipod.assembly import Assembly
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.design import Design, Quarter
from lexipod.drawing import STANDING, Camera, Scene, draw_folds, fit_camera, part_layers
from lexipod.editing.change import add_mechanism
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array, apply_pose
from lexipod.motion import FoldTrack, System, Track, glued_sides, solve_folds, solve_track
from lexipod.recipes import RECIPES, Recipe
from lexipod.recipes.kit.parameters import VERBS, Verb
from lexipod.units import parse_quantity

if TYPE_CHECKING:
    from lexipod.fitting import Proposal

PICTURE_PX = 176
STEPS = 49
TICK_MS = 50
ROUND_SECONDS = 4.0
MOST_COLUMNS = 3
LEAST_PX = 200
"""A sample is at least so wide."""
ASIDE_PX = 32
"""What margins and the scroll bar take."""
MOST_ANSWERS = 4
LARGEST_WISH_MM = 400.0
EXAMPLES = {"in": "1 3/4 x 1 1/4 in", "mm": "45 x 30 mm"}


@dataclass(frozen=True, eq=False)
class Sample:
    """A recipe tried on this card: the design with it alone, moved; or why it does not fit."""

    recipe: Recipe
    turn: Quarter = 0
    assembly: Assembly | None = None
    track: Track | None = None
    note: str = ""
    folds: FoldTrack | None = None
    sides: dict[tuple[str, str], int] = field(default_factory=dict)


def make_sample(recipe: Recipe, design: Design, session: Session) -> Sample:
    """The recipe on an empty card like this one; turned by a quarter where only that fits."""
    alone = msgspec.structs.replace(design, mechanisms=(), items=())
    refusal = ""
    turns: tuple[Quarter, ...] = (0, 90)
    for turn in turns:
        try:
            made = add_mechanism(alone, recipe.id, session.catalog, given={"turned": str(turn)})
            assembly = build_assembly(made, session.catalog)
        except LexipodError as error:
            refusal = refusal or str(error)
            continue
        note = _beside_others(recipe, turn, design, session)
        if assembly.foldings:
            folding = assembly.foldings[0]
            folds = solve_folds(folding, np.linspace(folding.drive.rest, folding.drive.end, STEPS))
            return Sample(recipe, turn, assembly, note=note, folds=folds, sides=glued_sides(folding))
        drive = assembly.drives[0]
        track = solve_track(assembly, drive, drive.coordinates(STEPS), system=System(assembly, drive))
        return Sample(recipe, turn, assembly, track, note)
    return Sample(recipe, note=refusal)


def _beside_others(recipe: Recipe, turn: Quarter, design: Design, session: Session) -> str:
    """What it would lie on, of what is on the card already."""
    if not design.mechanisms:
        return ""
    try:
        both = add_mechanism(design, recipe.id, session.catalog, given={"turned": str(turn)})
        found = run_checks(Examination(build_assembly(both, session.catalog), session.catalog, design.ways, steps=13), rules=["crowded", "crossing"])
    except (LexipodError, ValueError):
        return "It does not fit beside what is on the card."
    return "It would lie on what is there already; move or turn one of the two then." if found else "There is room beside what is there."


def swept_extent(sample: Sample) -> tuple[Array, Array]:
    """Lower left and upper right corner of the card with all that moves on it, over the whole travel (mm)."""
    assert sample.assembly is not None
    card = sample.assembly.card
    low, high = np.zeros(2), np.array([card.width_mm, card.height_mm])
    for part, poses in sample.track.poses.items() if sample.track is not None else ():
        reach = apply_pose(poses, sample.assembly.by_id[part].outline).reshape(-1, 2)
        low, high = np.minimum(low, reach.min(axis=0)), np.maximum(high, reach.max(axis=0))
    return low, high


class SampleView(QWidget):
    """One recipe: its moving picture, its name, and what it does."""

    chosen = Signal(str, int)

    def __init__(self, sample: Sample, theme: Theme) -> None:
        super().__init__()
        self.sample, self.theme = sample, theme
        self.phase = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(PICTURE_PX + 74)
        self.setMinimumWidth(LEAST_PX)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        name = sample.recipe.name
        self.setAccessibleName(name[:1].upper() + name[1:])
        self.setAccessibleDescription(f"{sample.recipe.does} {sample.note}")
        self.setToolTip(sample.note or sample.recipe.does)
        self._layers: tuple[PreparedLayer, ...] = ()
        self._scale, self._middle_mm = 1.0, np.zeros(2)
        if sample.assembly is not None:
            low, high = swept_extent(sample)
            self._middle_mm = (low + high) / 2
            self._scale = (PICTURE_PX - 22) / float(max(high - low))
            self._layers = tuple(prepare_layer(layer, theme, pixels_per_mm=self._scale) for layer in part_layers(sample.assembly))
        self._camera, self._middle = Camera(), np.zeros(2)
        if sample.folds is not None:
            self._camera, low, high = fit_camera([sample.folds], *STANDING)
            self._middle = (low + high) / 2
            self._scale = (PICTURE_PX - 18) / float(max(high - low))

    def sizeHint(self) -> QSize:
        """A little wider than its picture."""
        return QSize(230, PICTURE_PX + 74)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Chooses it."""
        self.choose()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter or space chooses it."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.choose()
        else:
            super().keyPressEvent(event)

    def choose(self) -> None:
        """Puts it on the card, if it fits."""
        if self.sample.assembly is not None:
            self.chosen.emit(self.sample.recipe.id, self.sample.turn)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Picture, name, sentence."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        frame = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setPen(QPen(self.theme.colour("accent" if self.hasFocus() else "line"), 2.0 if self.hasFocus() else 1.0))
        painter.setBrush(self.theme.colour("sheet"))
        painter.drawRoundedRect(frame, 6, 6)
        if self.sample.assembly is not None:
            self._paint_card(painter)
        painter.setPen(self.theme.colour("ink" if self.sample.assembly else "pencil"))
        painter.setFont(font(16, head=True))
        name = self.sample.recipe.name
        painter.drawText(QRectF(12, PICTURE_PX + 2, self.width() - 24, 24), Qt.AlignmentFlag.AlignVCenter, name[:1].upper() + name[1:])
        painter.setFont(font(13))
        painter.setPen(self.theme.colour("pencil"))
        does = self.sample.note if self.sample.assembly is None else self.sample.recipe.does
        room = QRectF(12, PICTURE_PX + 25, self.width() - 24, 44) if self.sample.assembly else QRectF(12, 14, self.width() - 24, PICTURE_PX - 20)
        painter.drawText(room, Qt.TextFlag.TextWordWrap, does)

    def _paint_folds(self, painter: QPainter) -> None:
        """What rises, on its way."""
        assembly, folds = self.sample.assembly, self.sample.folds
        assert assembly is not None and folds is not None
        drive = folds.folding.drive
        travel = drive.rest + (0.5 - 0.5 * math.cos(2 * math.pi * self.phase)) * (drive.end - drive.rest)
        scene = Scene(assembly, folds.frames_at(travel), {}, {folds.folding.mechanism: travel}, self.sample.sides)
        origin = QPointF(self.width() / 2 - float(self._middle[0]) * self._scale, PICTURE_PX / 2 + 4 + float(self._middle[1]) * self._scale)
        paint_folds(painter, draw_folds(scene, self._camera), self.theme, origin=origin, pixels_per_mm=self._scale)

    def _paint_card(self, painter: QPainter) -> None:
        if self.sample.folds is not None:
            self._paint_folds(painter)
            return
        assembly, track = self.sample.assembly, self.sample.track
        assert assembly is not None and track is not None
        share = 0.5 - 0.5 * math.cos(2 * math.pi * self.phase) if not track.drive.endless else self.phase
        travel = track.drive.rest + share * (track.drive.end - track.drive.rest)
        order = np.argsort(track.travel)
        x, y = (float(v) * self._scale for v in self._middle_mm)
        origin = QPointF(self.width() / 2 - x, PICTURE_PX / 2 + 4 + y)
        painter.save()
        painter.setClipRect(QRectF(2, 2, self.width() - 4, PICTURE_PX))
        painter.translate(origin)
        painter.scale(self._scale, -self._scale)
        base = painter.transform()
        for layer in self._layers:
            poses = track.poses.get(layer.part)
            if poses is None:
                pose = np.asarray(assembly.by_id[layer.part].home)
            else:
                pose = np.array([np.interp(travel, track.travel[order], poses[order, k]) for k in range(3)])
            painter.setTransform(pose_transform(pose) * base)
            paint_items(painter, layer.front)
        painter.restore()


class Chooser(QWidget):
    """Buttons for what should happen, and the mechanisms that can do it. Samples are made one by one, so that nothing waits."""

    chosen = Signal(str, int)
    left = Signal()
    wished = Signal(object)
    said = Signal(str)

    def __init__(self, session: Session, theme: Theme, *, make: Callable[[Recipe, Design, Session], Sample] = make_sample) -> None:
        super().__init__()
        self.session, self.theme, self._make = session, theme, make
        self.setObjectName("ground")
        self._verb: Verb | None = None
        self._made: dict[str, Sample] = {}
        self._made_for: object = None
        self._views: list[SampleView] = []
        self._columns = MOST_COLUMNS
        outer = QVBoxLayout(self)
        outer.setContentsMargins(4, 0, 4, 0)
        top = QHBoxLayout()
        question = QLabel("What should happen?")
        question.setObjectName("title")
        top.addWidget(question, 1)
        self.back = QPushButton("back to the card")
        self.back.clicked.connect(self.left)
        top.addWidget(self.back)
        outer.addLayout(top)
        self.buttons: dict[str, QPushButton] = {}
        self.words = QWidget()
        self.words.setObjectName("ground")
        words = FlowLayout(self.words)
        for verb, text in VERBS.items():
            button = QPushButton(f"something {text}")
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, verb=verb: self.ask(verb))
            self.buttons[verb] = button
            words.addWidget(button)
        outer.addWidget(self.words)
        outer.addLayout(self._wish_row())
        self.answers = QWidget()
        self.answers.setObjectName("ground")
        self.answer_rows = QVBoxLayout(self.answers)
        self.answer_rows.setContentsMargins(0, 0, 0, 0)
        self.answer_rows.setSpacing(4)
        self.answers.hide()
        outer.addWidget(self.answers)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inside = QWidget()
        self.inside.setObjectName("ground")
        self.grid = QGridLayout(self.inside)
        self.grid.setContentsMargins(0, 6, 6, 6)
        self.grid.setSpacing(10)
        area.setWidget(self.inside)
        outer.addWidget(area, 1)
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self._tick)

    def _wish_row(self) -> QHBoxLayout:
        """A picture's size, from which mechanisms are proposed."""
        self.job = Job(self, self.session, done=self._propose, failed=self._no_proposal)
        self.job.went_on.connect(self._went_on)
        self.wish = QLineEdit()
        self.wish.setPlaceholderText(self._example())
        self.wish.setAccessibleName("Size of the picture to reveal, width x height")
        self.wish.setFixedWidth(150)
        self.wish.returnPressed.connect(self.find_ways)
        self.finder = QPushButton("which can?")
        self.finder.clicked.connect(self.find_ways)
        row = QHBoxLayout()
        row.addWidget(QLabel("or reveal a picture of"))
        row.addWidget(self.wish)
        row.addWidget(self.finder)
        row.addStretch(1)
        return row

    def _example(self) -> str:
        """A picture's size in the maker's unit."""
        return EXAMPLES[self.session.style.unit]

    def find_ways(self) -> None:
        """Asks which mechanisms can reveal a picture of the wanted size; the same again gives up."""
        if self.job.is_running:
            self.job.stop()
            self._no_proposal("Stopped.")
            return
        text = self.wish.text().strip()
        if text[-1:].isdigit():
            text += f" {self.session.style.unit}"
        try:
            size = parse_quantity(text, "point")
        except LexipodError as error:
            self.said.emit(str(error))
            return
        assert isinstance(size, tuple)
        if not all(1.0 <= v <= LARGEST_WISH_MM for v in size):
            self.said.emit(f"A picture is 1 to {LARGEST_WISH_MM:g} mm wide and high.")
            return
        self.finder.setText("stop")
        design = self.session.design
        self.job.start("propose", design.card, design.ways, *size)

    def _went_on(self, share: float) -> None:
        self.finder.setText(f"stop ({100 * share:.0f} %)")

    def _no_proposal(self, text: str) -> None:
        self.finder.setText("which can?")
        self.said.emit(text)

    def _propose(self, found: tuple[Proposal, ...]) -> None:
        """Shows the ranked answers: those that can as buttons, the others with the reason."""
        self.finder.setText("which can?")
        if self.job.is_old:
            self.said.emit(CHANGED)
            return
        while (item := self.answer_rows.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                put_away(widget)
        sure = [p for p in found if p.design is not None]
        for k, proposal in enumerate(sure[:MOST_ANSWERS]):
            words = "free to move" if proposal.verdict == "free" else "with something to watch"
            button = WrappingButton(f"{k + 1}. {proposal.name}: {words}, {proposal.reason}", is_main=k == 0)
            button.clicked.connect(lambda _=False, design=proposal.design: self.wished.emit(design))
            self.answer_rows.addWidget(button)
        never = QLabel("Not: " + " ".join(f"{p.name} ({p.reason})" for p in found if p.design is None))
        never.setWordWrap(True)
        never.setObjectName("small")
        never.setVisible(len(sure) < len(found))
        self.answer_rows.addWidget(never)
        self.answers.show()

    def ask(self, verb: Verb) -> None:
        """Shows those that do this; the same again shows all."""
        self._verb = None if self._verb == verb else verb
        for name, button in self.buttons.items():
            button.setChecked(name == self._verb)
        self._lay_out()

    @property
    def wanted(self) -> list[Recipe]:
        """The recipes that do what is asked for."""
        return [r for r in RECIPES.values() if self._verb is None or self._verb in r.verbs]

    def showEvent(self, event: QShowEvent) -> None:
        """Begins to move."""
        super().showEvent(event)
        mark = (self.session.design.card, self.session.design.mechanisms, self.theme.name)
        if mark != self._made_for:
            self._made, self._made_for = {}, mark
            self.answers.hide()
        self.wish.setPlaceholderText(self._example())
        self._lay_out()
        self.timer.start()

    def hideEvent(self, event: QHideEvent) -> None:
        """Stands still."""
        self.timer.stop()
        super().hideEvent(event)

    def _lay_out(self) -> None:
        for view in self._views:
            self.grid.removeWidget(view)
            put_away(view)
        self._views = []
        self._make_room()
        for recipe in self.wanted:
            if recipe.id in self._made:
                self._add(self._made[recipe.id])

    def _add(self, sample: Sample) -> None:
        view = SampleView(sample, self.theme)
        view.chosen.connect(self.chosen)
        self._views.append(view)
        self._put_in_grid(len(self._views) - 1)
        view.show()
        self._make_room()

    def _put_in_grid(self, place: int) -> None:
        self.grid.addWidget(self._views[place], place // self._columns, place % self._columns)
        self.grid.setRowStretch(place // self._columns, 0)
        self.grid.setRowStretch(place // self._columns + 1, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """As many samples beside each other as there is room for."""
        super().resizeEvent(event)
        columns = min(MOST_COLUMNS, max(1, (self.width() - ASIDE_PX) // (LEAST_PX + self.grid.spacing())))
        if columns != self._columns:
            self._columns = columns
            for view in self._views:
                self.grid.removeWidget(view)
            for place in range(len(self._views)):
                self._put_in_grid(place)
            self._make_room()

    def _make_room(self) -> None:
        """As high as its rows are, at once: else they lie over each other until the next turn of the event loop."""
        inside = self.inside
        inside.setMinimumHeight(self.grid.minimumSize().height())
        inside.resize(inside.width(), max(inside.height(), inside.minimumHeight()))

    def _tick(self) -> None:
        """One more sample, or one more step of those that are there."""
        missing = [r for r in self.wanted if r.id not in self._made]
        if missing:
            sample = self._make(missing[0], self.session.design, self.session)
            self._made[sample.recipe.id] = sample
            self._add(sample)
        for view in self._views:
            view.phase = (view.phase + TICK_MS / 1000 / ROUND_SECONDS) % 1.0
            view.update()
