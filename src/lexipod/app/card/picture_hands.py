"""Pictures and greetings in the hand: where each lies on the view, moved, sized and turned on the part that carries it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np
import shapely
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from lexipod.app.card.drag import Drag, Pointer, Refused, ruler_step
from lexipod.app.look import Theme, font
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.assembly import Assembly
from lexipod.checks.seen import SEEN_KINDS
from lexipod.design import Design, Item
from lexipod.drawing.folds import Scene, page_frame
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_flat, apply_frame, compose_frames, invert_frame, planar_frame
from lexipod.pictures import Box, box_of, laid_outline, own_measures
from lexipod.units import format_quantity
from lexipod.units.quantities import Value

ToView = Callable[[float, float], QPointF]
HAND_PX = 8.0
TURN_PX = 30.0
SNAP_DEG = 5.0
LIGHT = QColor("#274872")
HANDS = {"move": "place", "size": "size", "turn": "turn"}


@dataclass(frozen=True, eq=False)
class Lying:
    """An item as it lies now: its box in the frame of its part, that frame in the card ``(3, 4)``, its outline on the card as rings, and
    whether its face looks at the reader; ``own`` is the item with measures of its own."""

    item: Item
    box: Box
    frame: Array
    rings: tuple[Array, ...]
    is_towards: bool
    own: Item

    def on_card(self, points: Array) -> Array:
        """Points of the part on the card (mm)."""
        return apply_flat(self.frame, points)

    def on_part(self, x: float, y: float) -> Array:
        """A point of the card on the part."""
        z = float(self.frame[2, 3])
        local: Array = apply_frame(invert_frame(self.frame), np.array([[x, y, z]]))[0, :2]
        return local

    @property
    def is_flat(self) -> bool:
        """Whether its part lies flat, so that it can be taken in hand."""
        return abs(abs(float(self.frame[2, 2])) - 1.0) < 1e-6


class PictureHands:
    """What lies on the card for the eye, at the shown travel."""

    def __init__(self, session: Session, desk: Desk, view: ViewState) -> None:
        self.session, self.desk, self.view = session, desk, view
        self._known: tuple[object, tuple[Lying, ...]] | None = None

    @property
    def lying(self) -> tuple[Lying, ...]:
        """Every item that is there to be seen, as it lies now, in the order in which they were put on."""
        key = (self.session.revision, tuple(sorted(self.view.travel.items())))
        if self._known is None or self._known[0] != key:
            self._known = (key, tuple(self._lie()))
        return self._known[1]

    @property
    def picked(self) -> Lying | None:
        """The item in hand."""
        return next((row for row in self.lying if row.item.id == self.view.picked_item), None)

    def _lie(self) -> Iterator[Lying]:
        assembly = self.desk.assembly
        if assembly is None:
            return
        scene = self.desk.scene(self.view.travel) if assembly.foldings else None
        poses = self.desk.poses_at(self.view.travel)
        for item in self.session.design.items:
            if item.kind not in SEEN_KINDS:
                continue
            for on in (item.on, item.across) if item.across else (item.on,):
                frame = self._frame_of(assembly, on, scene, poses)
                try:
                    covered = None if frame is None else _covered(assembly, item, on)
                except LexipodError:
                    continue
                if frame is None or covered is None:
                    continue
                region, box, own = covered
                pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon"]
                rings = tuple(apply_flat(frame, shapely.get_coordinates(r)[:-1]) for p in pieces for r in (p.exterior, *p.interiors))
                is_towards = (float(frame[2, 2]) > 0) == (item.face == "front")
                yield Lying(item, box, frame, rings, is_towards, own)

    def _frame_of(self, assembly: Assembly, on: str, scene: Scene | None, poses: Mapping[str, Array]) -> Array | None:
        """Where a part or panel is now, ``(3, 4)``; None for what is not shown."""
        part = assembly.by_id.get(on)
        if scene is not None and on in scene.frames:
            moved = page_frame(assembly, on) if part is not None else None
            return scene.frames[on] if moved is None else compose_frames(scene.frames[on], moved)
        if part is None:
            return None
        pose = poses.get(part.id)
        return planar_frame(*(float(v) for v in (part.home if pose is None else pose)), z=0.0)

    # ---- what is under the pointer ------------------------------------------------------------------------------------

    def corners(self, lying: Lying, to_view: ToView) -> list[QPointF]:
        """The four corners of an item's frame on the view: lower left, lower right, upper right, upper left as it is read."""
        points = lying.on_card(lying.box.lay(_frame_shares(lying)))
        return [to_view(float(x), float(y)) for x, y in points]

    def hands(self, lying: Lying, to_view: ToView) -> dict[str, QPointF]:
        """Where an item is taken hold of to move, size and turn it."""
        corners = self.corners(lying, to_view)
        top, middle = (corners[2] + corners[3]) / 2, (corners[0] + corners[2]) / 2
        away = top - middle
        length = math.hypot(away.x(), away.y()) or 1.0
        return {"move": middle, "size": corners[1], "turn": top + away / length * TURN_PX}

    def hand_at(self, point: QPointF, to_view: ToView) -> str | None:
        """Which hand of the item in hand is at a point of the view."""
        lying = self.picked
        if lying is None or not lying.is_flat or lying.item.kind == "mat":
            return None
        near = [((point - at).manhattanLength(), name) for name, at in self.hands(lying, to_view).items()]
        best = min(near)
        return best[1] if best[0] <= HAND_PX * 1.8 else None

    def item_at(self, x: float, y: float) -> Lying | None:
        """The item that was put on last at a point of the card, of those that look at the reader; the one in hand first."""
        found = [row for row in self.lying if row.is_towards and _holds(row, x, y)]
        return next((row for row in found if row.item.id == self.view.picked_item), found[-1] if found else None)

    # ---- the hands ----------------------------------------------------------------------------------------------------

    def drag(self, hand: str, press: Pointer, *, refused: Refused) -> Drag:
        """Moves, sizes or turns the item in hand: one step, or none where it ends as it began."""
        lying = self.picked
        assert lying is not None
        self.session.hold()
        try:
            yield from self._drag_held(lying, hand, press, refused)
        finally:
            self.session.let_go(text=f"{HANDS[hand]} of {lying.item.id}")

    def _drag_held(self, lying: Lying, hand: str, press: Pointer, refused: Refused) -> Drag:
        before = self.session.design
        while (pointer := (yield)) is not None:
            if (pointer.x, pointer.y) == (press.x, press.y):
                self.session.show(before)
                continue
            changed = self._changed(before, lying, hand, press, pointer, refused)
            if changed is not None:
                self.session.show(changed)
        self.session.show(before)

    def _changed(self, before: Design, lying: Lying, hand: str, press: Pointer, pointer: Pointer, refused: Refused) -> Design | None:
        item, box = lying.own, lying.box
        step = ruler_step(before, fine=pointer.fine)
        start, now = lying.on_part(press.x, press.y), lying.on_part(pointer.x, pointer.y)
        if hand == "move":
            place = np.round((np.asarray(item.at) + now - start) / step) * step
            settings: dict[str, Value] = {"at": (round(float(place[0]), 6), round(float(place[1]), 6))}
            return self._with(before, item, settings, refused)
        middle = np.asarray(box.middle)
        first, last = start - middle, now - middle
        if hand == "turn":
            way = -1.0 if box.is_back else 1.0
            turned = math.degrees(math.atan2(first[0] * last[1] - first[1] * last[0], float(first @ last))) * way
            grain = 1.0 if pointer.fine else SNAP_DEG
            turn = round((item.turn + turned) / grain) * grain
            return self._with(before, item, {"turn": (turn + 180.0) % 360.0 - 180.0}, refused)
        scale = max(0.02, float(np.linalg.norm(last)) / max(float(np.linalg.norm(first)), 1e-6))
        if item.kind == "greeting":
            return self._with(before, item, {"height": max(0.5, round(item.height * scale, 2))}, refused)
        width = max(step, round(item.width * scale / step) * step)
        settings = {"width": width}
        if not item.proportion and not item.round:
            settings["height"] = max(step, round(item.height * scale / step) * step)
        return self._with(before, item, settings, refused)

    def _with(self, design: Design, item: Item, settings: Mapping[str, Value], refused: Refused) -> Design | None:
        """The design with some fields of an item changed; a share of the part becomes its own measures first."""
        base = msgspec.structs.replace(design, items=tuple(item if i.id == item.id else i for i in design.items))
        try:
            return change_design(base, self.session.catalog, {f"item.{item.id}.{n}": v for n, v in settings.items()})
        except LexipodError as error:
            refused(str(error))
            return None

    def change(self, settings: Mapping[str, Value], *, text: str, refused: Refused) -> bool:
        """One edit of the item in hand; whether it was made."""
        lying = self.picked
        if lying is None:
            return False
        made = self._with(self.session.design, lying.own, settings, refused)
        if made is not None:
            self.session.edit(made, text=text)
        return made is not None

    def take_off(self, *, refused: Refused) -> None:
        """The item in hand off the card; undo brings it back."""
        item = self.picked.item if self.picked is not None else self.session.design.find_item(self.view.picked_item)
        if item is None:
            return
        try:
            made = change_design(self.session.design, self.session.catalog, {f"item.{item.id}": "none"})
        except LexipodError as error:
            refused(str(error))
            return
        self.session.edit(made, text=f"take off {item.id}")
        self.view.pick_item("")

    def nudge(self, dx: int, dy: int, *, fine: bool, refused: Refused) -> None:
        """Moves the item in hand by a mark of the ruler, as one looks at the card."""
        lying = self.picked
        if lying is None:
            return
        step = ruler_step(self.session.design, fine=fine)
        x, y = lying.on_card(np.array([lying.box.middle]))[0]
        way = lying.on_part(float(x) + dx * step, float(y) + dy * step) - np.asarray(lying.box.middle)
        at = np.asarray(lying.own.at) + way
        self.change({"at": (round(float(at[0]), 4), round(float(at[1]), 4))}, text=f"place of {lying.item.id}", refused=refused)

    # ---- painting -----------------------------------------------------------------------------------------------------

    def paint(self, painter: QPainter, theme: Theme, to_view: ToView) -> None:
        """Light outlines of everything, and the item in hand with its frame, its hands and its size."""
        picked = self.picked
        self._paint_cut(painter, to_view)
        for row in self.lying:
            if picked is not None and row.item.id == picked.item.id:
                continue
            pen = QPen(LIGHT, 1.0, Qt.PenStyle.DotLine)
            colour = QColor(LIGHT)
            colour.setAlpha(150 if row.is_towards else 70)
            pen.setColor(colour)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF(self.corners(row, to_view)))
        if picked is None:
            return
        corners = self.corners(picked, to_view)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        halves = [row for row in self.lying if row.item.id == picked.item.id]
        for width, colour in ((4.0, QColor("#fffdf8")), (1.8, LIGHT)):
            painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine))
            for row in halves:
                painter.drawPolygon(QPolygonF(self.corners(row, to_view)))
        if not picked.is_flat or picked.item.kind == "mat":
            return
        hands = self.hands(picked, to_view)
        painter.setPen(QPen(LIGHT, 1.4))
        painter.drawLine((corners[2] + corners[3]) / 2, hands["turn"])
        painter.setBrush(QColor("#fffdf8"))
        painter.setPen(QPen(LIGHT, 2.0))
        painter.drawEllipse(hands["turn"], HAND_PX - 1, HAND_PX - 1)
        painter.drawArc(QRectF(hands["turn"].x() - 4, hands["turn"].y() - 4, 8, 8), 30 * 16, 280 * 16)
        size = hands["size"]
        painter.drawPolygon(
            QPolygonF([size + QPointF(0, -HAND_PX), size + QPointF(HAND_PX, 0), size + QPointF(0, HAND_PX), size + QPointF(-HAND_PX, 0)])
        )
        self._paint_size(painter, theme, picked, corners)

    def _paint_cut(self, painter: QPainter, to_view: ToView) -> None:
        """The line along which the picture in hand is to be cut, as far as it is drawn."""
        line = self.view.cut_line
        if not line:
            return
        points = [to_view(*p) for p in line]
        for width, colour in ((4.5, QColor("#fffdf8")), (2.0, QColor("#7a2a1c"))):
            painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine if width > 3 else Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF(points))
        painter.setBrush(QColor("#7a2a1c"))
        for point in points:
            painter.drawEllipse(point, 4.0, 4.0)

    def _paint_size(self, painter: QPainter, theme: Theme, picked: Lying, corners: list[QPointF]) -> None:
        item, style = picked.own, self.session.style
        words = f"capitals {style.length(item.height)}" if item.kind == "greeting" else f"{style.length(item.width)} × {style.length(item.height)}"
        if abs(item.turn) > 0.05:
            words += f", turned {format_quantity(item.turn, 'angle', style)}"
        painter.setFont(font(14))
        width = painter.fontMetrics().horizontalAdvance(words) + 14
        lowest = max(corners, key=lambda p: p.y())
        box = QRectF(sum(c.x() for c in corners) / 4 - width / 2, lowest.y() + 14, width, painter.fontMetrics().height() + 4)
        painter.setPen(QPen(theme.colour("line"), 1.0))
        painter.setBrush(theme.colour("sheet"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(theme.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _covered(assembly: Assembly, item: Item, on: str) -> tuple[Any, Box, Item] | None:
    """What an item covers of a part or panel, in its frame, the box of it, and the item with measures of its own; None where that is gone."""
    carrier = assembly.by_id.get(on) or assembly.panels.get(on)
    if carrier is None:
        return None
    own = own_measures(item, carrier.outline)
    half = f"{carrier.mechanism}.item-{item.id}{'-across' if on == item.across else ''}"
    if not item.across or half not in assembly.panels:
        return laid_outline(item, carrier.outline), box_of(item, carrier.outline), own
    cut = assembly.panels[half]
    low, high = cut.outline.min(axis=0), cut.outline.max(axis=0)
    (x, y), (wide, tall) = (low + high) / 2, high - low
    return cut.region, Box((float(x), float(y)), float(wide), float(tall), 0.0), own


def _frame_shares(lying: Lying) -> Array:
    """The frame that is drawn round an item, as shares of its box: that of its letters for a greeting."""
    if lying.item.kind != "greeting" or not lying.rings:
        return np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    from lexipod.pictures.laying import greeting_region

    left, bottom, right, top = greeting_region(lying.item).bounds
    size = np.array([lying.box.width, lying.box.height])
    corners = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
    shares: Array = corners / size + 0.5
    return shares


def _holds(row: Lying, x: float, y: float) -> bool:
    corners = row.on_card(row.box.lay(_frame_shares(row)))
    return bool(shapely.Polygon(corners).buffer(0.5).contains(shapely.Point(x, y)))


__all__ = ["Lying", "PictureHands"]
