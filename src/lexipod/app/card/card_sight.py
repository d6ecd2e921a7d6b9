"""The card seen from the front, as paper: where everything lies in the view, its measures, handles and marks."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import shapely
from PySide6.QtCore import QPointF, QRectF, QSizeF
from PySide6.QtGui import QResizeEvent

from lexipod.app.card.card_picture import CardPicture
from lexipod.app.card.drag import Drag, parameter_of, value_at
from lexipod.app.card.ground import Ground
from lexipod.app.card.lens import Lens
from lexipod.app.card.measures import Measure, lay_measure, measure_text, measured_handles
from lexipod.app.card.picture_hands import PictureHands
from lexipod.app.card.reach import ReachFrom
from lexipod.app.look import Theme
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.assembly import Handle, Part
from lexipod.checks import Finding
from lexipod.geometry.frames import apply_pose, invert_pose
from lexipod.geometry.space import apply_frame

if TYPE_CHECKING:
    from lexipod.fitting.reaching import Reach

HANDLE_PX = 7.0
EDGE_PX = 62.0
MARK_PX = 11.0
FEW_MEASURES = 4
"""So many measures do not hide a card."""
NEAR_PX = 44.0
BESIDE_MM = 20.0
LIGHT, PLAIN, HOT = 0, 1, 2


class CardSight(Ground):
    """Where the card lies in the view. Who takes the hands on it says what is ``hot`` under the pointer and which handle has the keyboard."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__(session, desk, view, theme, name="The card, seen from the front")
        self.picture = CardPicture(desk)
        self.lens = Lens(self.picture)
        self.pictures = PictureHands(session, desk, view)
        self._fitted_for: object = None
        self._laid: list[Measure] = []
        self._is_ready = False
        self._drag: Drag | None = None
        self._hot: str | None = None
        self.reach: tuple[ReachFrom, Reach] | None = None
        self._pointer = QPointF()
        self._focused = 0
        desk.rebuilt.connect(self._rebuilt)
        desk.current_changed.connect(self._current_changed)
        view.travel_changed.connect(self.update)
        view.picked_changed.connect(self.update)
        view.section_changed.connect(self.update)
        view.overlay_changed.connect(self.update)
        view.hidden_changed.connect(self.update)
        view.item_changed.connect(self.update)
        view.station_changed.connect(self._station_changed)
        desk.judged.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        """Repaints in other colours."""
        self.theme = theme
        self._prepare()

    # ---- geometry of the view -----------------------------------------------------------------------------------------

    def to_view(self, x: float, y: float) -> QPointF:
        """A point of the card (mm) in pixels."""
        return self.picture.to_view(x, y)

    def to_card(self, point: QPointF) -> tuple[float, float]:
        """A point of the view (pixels) on the card in mm."""
        return self.picture.to_card(point)

    def _rebuilt(self) -> None:
        if self._drag is None:
            self._fit()
        self._prepare()

    def _current_changed(self) -> None:
        self._focused = 0
        self._fit()
        self._prepare()

    def _station_changed(self, _: str) -> None:
        self._fit()
        self._prepare()

    def _fit(self) -> None:
        """The card as large as it goes, with room for what stands out and for the measures."""
        assembly = self.desk.assembly
        if assembly is None:
            return
        card = assembly.card
        low, high = np.array([0.0, 0.0]), np.array([card.width_mm, card.height_mm])
        for door in assembly.gates:
            left, bottom, right, top = door.region_at_home.bounds
            low, high = np.minimum(low, (left, bottom)), np.maximum(high, (right, top))
        for track in self.desk.tracks.values() if not self.view.here.seen.envelope else ():
            for part, poses in track.poses.items():
                reach = apply_pose(poses[[0, -1]], assembly.by_id[part].outline).reshape(-1, 2)
                low, high = np.minimum(low, reach.min(axis=0)), np.maximum(high, reach.max(axis=0))
        for mechanism, folds in self.desk.fold_tracks.items() if self.shows_folds else ():
            states = [s.at for s in folds.folding.states if not self.view.here.seen.envelope or s.posted]
            for frames in [folds.frames_at(at) for at in (*states, self.view.travel.get(mechanism, folds.folding.drive.rest))]:
                for panel in folds.folding.panels if frames else ():
                    corners = apply_frame(frames[panel.id], panel.corners)[:, :2]
                    low, high = np.minimum(low, corners.min(axis=0)), np.maximum(high, corners.max(axis=0))
        if self.view.here.seen.envelope and card.envelope_mm is not None:
            spare = np.abs(self.picture.envelope_size() - (card.width_mm, card.height_mm)) / 2 + 1
            low, high = np.minimum(low, -spare), np.maximum(high, np.add(spare, (card.width_mm, card.height_mm)))
        size = high - low
        above, below = (30.0, 46.0) if self.view.here.seen.section else (22.0, 56.0)
        scale = max(0.5, min((self.width() - 2 * EDGE_PX - 80) / size[0], (self.height() - above - below) / size[1]))
        centre = (low + high) / 2
        origin = QPointF(self.width() / 2 + 20 - centre[0] * scale, (self.height() + above - below) / 2 + centre[1] * scale)
        mark = (card.width_mm, card.height_mm, self.view.station, self.size(), self.desk.current, self.shows_folds)
        if self._fitted_for is not None and mark[:2] != self._fitted_for[:2]:  # type: ignore[index]
            self.lens.is_free = False  # another card
        far_ends = self.to_view(float(low[0]), float(high[1])), self.to_view(float(high[0]), float(low[1]))
        room = QRectF(self.rect()).adjusted(4, 4, -4, -4)
        self.lens.fit(scale, origin, QSizeF(self.size()), stays=mark == self._fitted_for and all(room.contains(p) for p in far_ends))
        self._fitted_for = mark

    @property
    def is_dragging(self) -> bool:
        """Whether a hand is on it."""
        return self._drag is not None

    def look_anew(self) -> None:
        """The card is seen at another scale or place."""
        self._prepare()

    @property
    def seen_rect(self) -> QRectF:
        """Where the card is seen."""
        assembly = self.desk.assembly
        if assembly is None:
            return QRectF()
        return QRectF(self.to_view(0.0, assembly.card.height_mm), self.to_view(assembly.card.width_mm, 0.0))

    def show_whole(self) -> None:
        """The whole card, as large as it goes."""
        self._fitted_for, self.lens.is_free = None, False
        self._fit()
        self._prepare()

    def _prepare(self) -> None:
        """What is seen changes: it is made ready when it is painted or asked for, however many changes came before."""
        self._is_ready = False
        self.update()

    def _make_ready(self) -> None:
        if self._is_ready:
            return
        self._is_ready = True
        self.picture.shows_envelope = self.view.here.seen.envelope
        self.picture.prepare(self.theme, self.size(), self.devicePixelRatioF())
        self._lay_measures()

    @property
    def _measures(self) -> list[Measure]:
        """The measures as they lie now."""
        self._make_ready()
        return self._laid

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fits the card anew."""
        self._fit()
        self._prepare()

    @property
    def shows_folds(self) -> bool:
        """Whether what folds is worked on, rather than what moves on the front."""
        assembly = self.desk.assembly
        return assembly is not None and bool(assembly.foldings) and (self.desk.folding is not None or not assembly.parts)

    # ---- handles and measures -----------------------------------------------------------------------------------------

    @property
    def handles(self) -> tuple[Handle, ...]:
        """The handles of the current station."""
        assembly = self.desk.assembly
        if assembly is None:
            return ()
        current = self.desk.current
        return tuple(h for h in assembly.handles if self.view.station in h.stations and (h.mechanism == current or h.parameter.startswith("item.")))

    def _value(self, handle: Handle) -> float:
        value = value_at(self.session.design, handle)
        return 0.0 if isinstance(value, tuple) else float(value)

    def _kind(self, handle: Handle) -> str:
        parameter = parameter_of(self.session.design, handle.mechanism, handle.parameter)
        return "angle" if parameter is not None and parameter.kind == "angle" else "length"

    def _lay_measures(self) -> None:
        assembly = self.desk.assembly
        self._laid = []
        if assembly is None:
            return
        card, style = assembly.card, self.session.style
        taken = [QRectF(p.x() - 11, p.y() - 11, 22, 22) for p in (self._handle_point(h) for h in self.handles)]
        bounds = QRectF(self.rect())
        w, h = card.width_mm, card.height_mm
        beside = (style.length(h), (w, 0.0), (w, h), 24.0) if self._lies_open else (style.length(h), (0.0, 0.0), (0.0, h), -24.0)
        for text, a, b, offset in ((style.length(w), (0.0, 0.0), (w, 0.0), 20.0), beside):
            extra = self.view.here.seen.aside_px
            away = offset + min(extra, 16.0) if offset > 0 else offset - extra
            self._laid.append(lay_measure(None, text, self.to_view(*a), self.to_view(*b), -away, taken, bounds))
        for handle in measured_handles(self.handles, card.width_mm, card.height_mm):
            start, end = (self.to_view(*p) for p in handle.span)
            text = measure_text(handle, self._value(handle), style, kind=self._kind(handle))
            self._laid.append(lay_measure(handle, text, start, end, handle.offset_mm * self.picture.scale, taken, bounds))

    @property
    def _lies_open(self) -> bool:
        """Whether paper lies left of the card as it is shown: its height is measured on the other side then."""
        for mechanism, folds in self.desk.fold_tracks.items() if self.shows_folds else ():
            frames = folds.frames_at(self.view.travel.get(mechanism, folds.folding.drive.rest))
            if frames and any(float(apply_frame(frames[p.id], p.corners)[:, 0].min()) < -BESIDE_MM for p in folds.folding.panels):
                return True
        return False

    def _handle_point(self, handle: Handle) -> QPointF:
        """Where a handle is: that of an item goes with the part that carries it."""
        found = self._item_pose(handle)
        if found is None:
            return self.to_view(*handle.at)
        part, pose = found
        x, y = apply_pose(pose, [(part.box[0] + part.box[1]) / 2])[0]
        return self.to_view(float(x), float(y))

    def _item_pose(self, handle: Handle) -> tuple[Part, np.ndarray] | None:
        """The item of a handle, and where it is at the shown travel; None for other handles and for what stands still."""
        if not handle.parameter.startswith("item.") or self.desk.assembly is None:
            return None
        part = self.desk.assembly.by_id.get(f"{handle.mechanism}.item-{handle.parameter.split('.')[1]}")
        pose = None if part is None else self.desk.poses_at(self.view.travel).get(part.id)
        return None if part is None or pose is None else (part, pose)

    def _turned(self, handle: Handle) -> Handle:
        """The handle of an item with its two ways turned as far as the part that carries it has turned."""
        found = self._item_pose(handle)
        if found is None:
            return handle
        cos, sin = float(np.cos(found[1][2])), float(np.sin(found[1][2]))
        return replace(handle, direction=(cos, sin), cross=(-sin, cos))

    def _handle_at(self, point: QPointF) -> Handle | None:
        near = [(QPointF.dotProduct(d, d), h) for h in self.handles if (d := point - self._handle_point(h)) is not None]
        near = [(d, h) for d, h in near if d <= (HANDLE_PX + 5) ** 2]
        return min(near, key=lambda row: row[0])[1] if near else None

    def _measure_at(self, point: QPointF) -> Measure | None:
        return next((m for m in self._measures if m.handle and m.box.contains(point)), None)

    def _part_at(self, x: float, y: float) -> str | None:
        """The moving part on top at a point of the card."""
        assembly = self.desk.assembly
        if assembly is None:
            return None
        poses = self.desk.poses_at(self.view.travel)
        for layer in reversed(self.desk.layers):
            pose = poses.get(layer.part)
            part = assembly.by_id[layer.part]
            home = np.asarray(part.home if pose is None else pose)
            inside = apply_pose(invert_pose(home), [(x, y)])[0]
            if shapely.contains_xy(part.region, inside[0], inside[1]):
                if pose is not None:
                    return layer.part
                if part.role in ("cover", "base"):
                    return None
        return None

    # ---- the cut ------------------------------------------------------------------------------------------------------

    def _section_line(self) -> tuple[QPointF, QPointF] | None:
        assembly = self.desk.assembly
        if assembly is None or not self.view.here.seen.section:
            return None
        w, h, share = assembly.card.width_mm, assembly.card.height_mm, self.view.section_share
        if self.view.section_axis == "y":
            return self.to_view(w * share, -4), self.to_view(w * share, h + 5)
        return self.to_view(-4, h * share), self.to_view(w + 5, h * share)

    def _section_knob(self) -> QRectF:
        line = self._section_line()
        if line is None:
            return QRectF()
        return QRectF(line[1].x() - 11, line[1].y() - 11, 22, 22)

    # ---- painting -----------------------------------------------------------------------------------------------------

    @property
    def marks(self) -> tuple[tuple[Finding, QPointF], ...]:
        """What stands in the way and where it is seen, the worst first; of several that lie on one another only the worst."""
        judgement = self.desk.judgement
        if judgement is None or self.desk.is_stale or self.shows_folds or not self.view.here.seen.marks:
            return ()
        found: list[tuple[Finding, QPointF]] = []
        for finding in judgement.findings:
            if finding.severity == "note" or finding.where is None:
                continue
            at = self.to_view(*finding.where)
            if all((at - other).manhattanLength() > MARK_PX * 2 for _, other in found):
                found.append((finding, at))
        return tuple(found)

    def _mark_at(self, point: QPointF) -> Finding | None:
        """The finding whose mark is under a point."""
        return next((f for f, at in self.marks if (point - at).manhattanLength() <= MARK_PX * 1.3), None)
