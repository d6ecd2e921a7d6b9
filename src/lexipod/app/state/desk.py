"""What follows from the design for the eyes: assembly and poses at once, findings from the background."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, Signal

from lexipod.app.state.examiner import Examiner
from lexipod.app.state.session import Session, is_same_but_sheets
from lexipod.aside.judgement import Judgement
from lexipod.assembly import Assembly, Drive, Folding
from lexipod.building import build_assembly
from lexipod.closing.card import Closing, close_card
from lexipod.closing.stacked import Heights, stack_heights
from lexipod.design import Design
from lexipod.drawing import PartLayer, Scene, Shape, is_hidden, lighter_shape, part_layer, seen_parts
from lexipod.drawing.art import pictures_of
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.motion import FoldTrack, Pulled, System, Track, glued_sides, pulled_lengths, solve_folds, solve_track
from lexipod.pictures.loading import changed_at, unread
from lexipod.recipes import find_recipe

TRACK_STEPS = 181
DETAIL_MM = 0.06
ART_DETAIL_MM = 0.15
"""What rises is drawn anew for each frame: its curves have as few corners as the eye allows at the scale of a window."""


class Desk(QObject):
    """Derived state of the current design. ``rebuilt`` follows each change, ``judged`` each answer of the checks."""

    rebuilt = Signal()
    judged = Signal()
    current_changed = Signal()

    def __init__(self, session: Session, examiner: Examiner | None = None) -> None:
        super().__init__()
        self.session = session
        self.assembly: Assembly | None = None
        self._built: Design | None = None
        self._current = ""
        self.layers: tuple[PartLayer, ...] = ()
        self._layers: dict[object, PartLayer] = {}
        self.tracks: dict[str, Track] = {}
        self.fold_tracks: dict[str, FoldTrack] = {}
        self.art: dict[str, tuple[Shape, ...]] = {}
        self.fold_art: dict[str, tuple[Shape, ...]] = {}
        self.closing: Closing | None = None
        self._sides: dict[tuple[str, str], int] = {}
        self._heights: dict[str, Heights] | None = None
        self.judgement: Judgement | None = None
        self.picture_faults: tuple[str, ...] = ()
        self.unread: dict[str, Path] = {}
        """Sources of pictures that are to be read aside, with their files."""
        self.refused: dict[tuple[Path, int], str] = {}
        """Files that could not be read aside, as they were then (time of the last change), each with the sentence that says why."""
        self._asked = self._answered = -1
        self._owns = examiner is None
        self.examiner = examiner or Examiner(self)
        self.examiner.told.connect(self._take)
        self.examiner.lost.connect(self._ask_again)
        session.changed.connect(self.rebuild)
        self.rebuild(session.revision)

    @property
    def is_stale(self) -> bool:
        """Whether the findings belong to an earlier design."""
        return self.judgement is None or self.judgement.revision != self.session.revision

    @property
    def pulled(self) -> Pulled | None:
        """How far the mechanism in hand is pulled over its travel; None for one that is not known by that."""
        drive = self.drive
        folding = self.assembly.folding_of(drive.mechanism) if drive is not None and self.assembly is not None else None
        return pulled_lengths(folding) if folding is not None else None

    def amount(self, travel: float) -> str:
        """A travel of the mechanism in hand, in the maker's words."""
        drive, pulled = self.drive, self.pulled
        if pulled is not None:
            return self.session.style.length(pulled.length_at(travel))
        return self.session.style.amount(travel, "mm" if drive is None else drive.unit)

    @property
    def drive(self) -> Drive | None:
        """The drive of the current mechanism, which the ribbon and the keys move."""
        if not self.assembly or not self.assembly.all_drives:
            return None
        return self.assembly.drive_of(self.current) or self.assembly.all_drives[0]

    @property
    def folding(self) -> Folding | None:
        """How the current mechanism folds; None where it stays flat."""
        return self.assembly.folding_of(self.current) if self.assembly else None

    @property
    def linked(self) -> tuple[str, ...]:
        """Mechanisms that one page opens together."""
        return tuple(f.mechanism for f in self.assembly.foldings if f.kind == "inside") if self.assembly else ()

    @property
    def current(self) -> str:
        """The mechanism that is worked on: the one picked last, or the first; empty where there is none."""
        ids = [m.id for m in self.session.design.mechanisms]
        return self._current if self._current in ids else ids[0] if ids else ""

    def use(self, mechanism: str) -> None:
        """Turns to another mechanism of the card."""
        if mechanism != self.current:
            self._current = mechanism
            self.current_changed.emit()

    def name_of(self, mechanism: str) -> str:
        """What a mechanism is called: its recipe's name, with a number where there are several of a kind."""
        design = self.session.design
        found = design.find_mechanism(mechanism)
        if found is None:
            return "card"
        same = [m.id for m in design.mechanisms if m.recipe == found.recipe]
        name = find_recipe(found.recipe).name
        return name if len(same) == 1 else f"{name} {same.index(mechanism) + 1}"

    def rebuild(self, revision: int) -> None:
        """Builds the assembly and its poses; the checks are asked in the background."""
        design = self.session.design
        if self.assembly is not None and self._built is not None and is_same_but_sheets(design, self._built):
            self._ask()  # how pieces are laid on sheets changes no piece
            return
        self._built = design
        self.assembly = build_assembly(design, self.session.catalog)
        self._draw_art(self.assembly)
        self.tracks = {}
        for drive in self.assembly.drives:
            try:
                track = solve_track(self.assembly, drive, drive.coordinates(TRACK_STEPS), system=System(self.assembly, drive))
            except LexipodError as error:
                self.picture_faults += (str(error),)
            else:
                self.tracks[drive.mechanism] = track
        self._solve_folds(self.assembly)
        self.closing = close_card(self.assembly)
        self.rebuilt.emit()
        self._ask()

    def _draw_art(self, assembly: Assembly) -> None:
        """What is drawn on the parts; what takes long to read is left out until it was read aside."""
        design, folder = self.session.design, self.session.path.parent if self.session.path else None
        slow = unread((i.source for i in design.items if i.source), folder)
        why = {source: self.refused.get((path, changed_at(path)), "") for source, path in slow.items()}
        self.unread = {source: path for source, path in slow.items() if not why[source]}
        without = {source: why[source] or f"{path.name} is being read; it is drawn when it is ready" for source, path in slow.items()}
        self.art, self.picture_faults = pictures_of(design, assembly, folder, without=without)
        self.layers = self._keep_layers(assembly, self.art)
        self.fold_art = {on: tuple(lighter_shape(shape, ART_DETAIL_MM) for shape in shapes) for on, shapes in self.art.items()}

    def redraw(self) -> None:
        """Draws the pictures anew: one more of them was read, or refused."""
        if self.assembly is not None:
            self._draw_art(self.assembly)
            self.rebuilt.emit()

    def _solve_folds(self, assembly: Assembly) -> None:
        """The panels of everything that folds, over its travel."""
        self.fold_tracks, self._sides, self._heights = {}, {}, None
        for folding in assembly.foldings:
            travel = np.linspace(folding.drive.rest, folding.drive.end, TRACK_STEPS)
            self.fold_tracks[folding.mechanism] = solve_folds(folding, travel)
            self._sides |= glued_sides(folding)

    def is_reached(self, mechanism: str, travel: float) -> bool:
        """Whether a mechanism can be where the cursor stands; past a dead point it stays where the way to it ends."""
        track: Track | FoldTrack | None = self.tracks.get(mechanism) or self.fold_tracks.get(mechanism)
        return track is None or bool(track.reached[int(np.argmin(np.abs(track.travel - travel)))])

    def scene(self, travel: Mapping[str, float], *, detail_mm: float = DETAIL_MM) -> Scene:
        """Everything that is seen at a travel of each mechanism; curves are drawn to ``detail_mm``."""
        assert self.assembly is not None
        frames: dict[str, Array] = {}
        for mechanism, track in reversed(self.fold_tracks.items()):
            frames |= track.frames_at(travel.get(mechanism, track.folding.drive.rest))
        return Scene(self.assembly, frames, self.poses_at(travel), travel, self._sides, detail_mm)

    @property
    def heights(self) -> dict[str, Heights]:
        """For each mechanism that folds, from which height to which its panels lie as it goes into the envelope."""
        if self._heights is None:
            self._heights = {f.mechanism: stack_heights(f) for f in self.assembly.foldings} if self.assembly is not None else {}
        return self._heights

    def _ask(self) -> None:
        """Checks the current design, once the coarse answer to the last request is there: so each step of a drag is answered."""
        if self._asked == self._answered and self._asked != self.session.revision:
            self._asked = self.session.revision
            self.examiner.ask(self._asked, self.session.design)

    def _ask_again(self) -> None:
        self._asked = self._answered = -1
        self._ask()

    def _keep_layers(self, assembly: Assembly, art: Mapping[str, tuple[Shape, ...]]) -> tuple[PartLayer, ...]:
        """The layers of the parts; one that looks as before is the same object as before."""
        kept: dict[object, PartLayer] = {}
        layers = []
        for part in seen_parts(assembly):
            shapes = art.get(part.id, ())
            key = (
                part.id,
                part.face,
                part.role,
                part.outline.tobytes(),
                tuple(h.tobytes() for h in part.holes),
                tuple(id(shape) for shape in shapes),
                part.over,
                tuple(c for c in assembly.cues if c.part == part.id),
                tuple(seam for seam in assembly.seams if part.id in (seam.a, seam.b)),
                is_hidden(assembly, part),
            )
            kept[key] = self._layers.get(key) or part_layer(assembly, part, shapes)
            layers.append(kept[key])
        self._layers = kept
        return tuple(layers)

    def _take(self, judgement: Judgement) -> None:
        """Takes an answer. One to an earlier design is shown while a later one is awaited, and counts as stale."""
        self._answered = max(self._answered, judgement.revision)
        newer = self.judgement is None or judgement.revision > self.judgement.revision
        if judgement.revision == self.session.revision or newer:
            self.judgement = judgement
            self.judged.emit()
        self._ask()

    def poses_at(self, travel: Mapping[str, float]) -> dict[str, Array]:
        """Pose ``(3,)`` of every moving part at a travel of each mechanism, between the solved positions by straight lines."""
        poses: dict[str, Array] = {}
        for mechanism, track in self.tracks.items():
            at = travel.get(mechanism, track.drive.rest)
            order = np.argsort(track.travel)
            for part, values in track.poses.items():
                poses[part] = np.array([np.interp(at, track.travel[order], values[order, k]) for k in range(3)])
        return poses

    def close(self) -> None:
        """Lets the examiner go, and ends it where no other desk has it."""
        self.examiner.told.disconnect(self._take)
        self.examiner.lost.disconnect(self._ask_again)
        self.examiner.forget()
        if self._owns:
            self.examiner.close()
