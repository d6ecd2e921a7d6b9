"""How the card is painted: its parts, what is picked and stands in the way, measures and handles over it."""

from __future__ import annotations

import numpy as np
import shapely
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF

from lexipod.app.card.card_sight import FEW_MEASURES, HANDLE_PX, HOT, LIGHT, MARK_PX, NEAR_PX, PLAIN, CardSight
from lexipod.app.card.measures import Measure, is_near, paint_measure, whole_name
from lexipod.app.card.painter import make_path, paint_folds, pose_transform
from lexipod.app.card.reach import paint_reach
from lexipod.app.look import font, paint_focus
from lexipod.assembly import Handle
from lexipod.checks.figures import figure_of
from lexipod.drawing import PLAN, draw_folds
from lexipod.geometry.frames import apply_pose


class CardPaint(CardSight):
    """Paints what `CardSight` has laid."""

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ground, shadow, card, hidden edges, what is picked, the cut, measures and handles."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        assembly = self.desk.assembly
        if assembly is None:
            painter.fillRect(self.rect(), self.theme.colour("ground"))
            return
        self._make_ready()
        poses = self.desk.poses_at(self.view.travel)
        if self.shows_folds:
            self.picture.paint_flat(painter)
            drawing = draw_folds(self.desk.scene(self.view.travel), PLAN, art=self.desk.fold_art, picked=frozenset(self.view.picked_parts))
            paint_folds(painter, drawing, self.theme, origin=self.picture.origin, pixels_per_mm=self.picture.scale)
        else:
            self.picture.paint(painter, poses, hidden=self.view.shows_hidden and self.view.here.seen.hidden)
        self._paint_overlay(painter, poses)
        self._paint_preview(painter)
        self._paint_closing(painter)
        self._paint_ghost(painter)
        self._paint_picked(painter, poses)
        self._paint_section(painter)
        shows_measures = self.view.here.seen.measures
        focused = self.handles[self._focused % len(self.handles)] if self.handles and self.hasFocus() else None
        for measure, weight in self._weighed(focused) if shows_measures else []:
            paint_measure(painter, measure, self.theme, hot=weight == HOT, light=weight == LIGHT, pinned=self._is_pinned(measure.handle))
        if self.view.here.seen.pictures:
            self.pictures.paint(painter, self.theme, self.to_view)
        self._paint_marks(painter)
        if self.reach is not None:
            paint_reach(painter, *self.reach, self.theme, self.session.style, to_view=self.to_view, within=QRectF(self.rect()))
        for handle in self.handles:
            self._paint_handle(painter, handle, hot=self._hot == handle.parameter or handle is focused)
        if not self.session.design.mechanisms:
            self._paint_first_step(painter)
        if self.hasFocus() and not self.view.here.seen.plain:
            paint_focus(painter, self.rect(), self.theme)

    def _weighed(self, focused: Handle | None) -> list[tuple[Measure, int]]:
        """The measures with their weights, what is painted last on top: where there are many, those that the pointer is not near are light."""
        many = sum(m.handle is not None for m in self._measures) > FEW_MEASURES
        rows, room = [], QRectF(self.rect())
        for measure in self._measures:
            line = QRectF(measure.start, measure.end).normalized().adjusted(-1, -1, 1, 1)
            if not line.intersects(room):
                continue  # what it measures is out of sight
            if measure.handle is not None and (self._hot == measure.handle.parameter or self._is_of(measure.handle, focused)):
                weight = HOT
            elif many and measure.handle is not None and not (self.underMouse() and is_near(measure, self._pointer, NEAR_PX)):
                weight = LIGHT
            else:
                weight = PLAIN
            rows.append((measure, weight))
        return sorted(rows, key=lambda row: row[1])

    def _is_pinned(self, handle: Handle | None) -> bool:
        """Whether fitting keeps what a handle moves."""
        return handle is not None and self.session.is_pinned(handle.mechanism, whole_name(handle))

    @staticmethod
    def _is_of(handle: Handle, focused: Handle | None) -> bool:
        """Whether a measure is that of the handle with the keyboard; a place has two."""
        return focused is not None and handle.mechanism == focused.mechanism and whole_name(handle) == focused.parameter

    def _paint_first_step(self, painter: QPainter) -> None:
        """What to do on an empty card, in one sentence, written on the card itself."""
        assert self.desk.assembly is not None
        card = self.desk.assembly.card
        page = QRectF(self.to_view(0, card.height_mm), self.to_view(card.width_mm, 0)).adjusted(18, 18, -18, -18)
        painter.setFont(font(17, head=True))
        painter.setPen(QColor("#2b2a28"))
        text = (
            "Choose your card on the right, then turn to Mechanism to put something on it that moves."
            if self.view.here.seen.envelope
            else "Nothing moves on this card yet: put a mechanism on it at the station Mechanism."
        )
        painter.drawText(page, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, text)

    def _paint_closing(self, painter: QPainter) -> None:
        """What closes the card, over its front: paper that one sees through, magnets as rings."""
        closing = self.desk.closing
        if closing is None or not self.view.here.seen.envelope:
            return
        painter.save()
        self.picture.place(painter)
        paper = QColor("#c9b48a")
        paper.setAlpha(150)
        painter.setBrush(paper if closing.kind != "hem" else Qt.BrushStyle.NoBrush)
        pen = QPen(QColor("#2b2a28"), 1.2 / self.picture.scale, Qt.PenStyle.SolidLine if closing.kind != "hem" else Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawPath(make_path((shapely.get_coordinates(closing.footprint)[:-1],)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for x, y in closing.magnets:
            painter.drawEllipse(QPointF(x, y), closing.magnet_mm[0] / 2, closing.magnet_mm[0] / 2)
        painter.restore()

    def _paint_ghost(self, painter: QPainter) -> None:
        """The moving parts in front at the end of their travel."""
        if not self.view.here.seen.ghost:
            return
        assert self.desk.assembly is not None
        painter.save()
        self.picture.place(painter)
        pen = QPen(self.theme.colour("accent"), 1.2 / self.picture.scale)
        pen.setDashPattern([4, 3])
        pen.setColor(QColor("#274872"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        base = painter.transform()
        for track in self.desk.tracks.values():
            end = {part: poses[-1] for part, poses in track.poses.items()}
            for part, pose in end.items():
                if self.desk.assembly.by_id[part].role == "decoration":
                    painter.setTransform(pose_transform(pose) * base)
                    painter.setPen(pen)
                    painter.drawPath(make_path((self.desk.assembly.by_id[part].outline,)))
        painter.restore()

    def _paint_overlay(self, painter: QPainter, poses: dict[str, np.ndarray]) -> None:
        """A free zone: what is taken hatched, what is free ringed by a line of dots."""
        overlay, assembly = self.view.overlay, self.desk.assembly
        if overlay is None or assembly is None or overlay.part not in assembly.by_id or self.shows_folds:
            return
        pose = poses.get(overlay.part)
        pose = np.asarray(assembly.by_id[overlay.part].home) if pose is None else pose
        caution, accent, veil = QColor(self.theme.alarm), QColor(self.theme.accent), QColor(self.theme.sheet)
        veil.setAlpha(150)
        for polygons, is_free in ((overlay.taken, False), (overlay.free, True)):
            path = QPainterPath()
            path.setFillRule(Qt.FillRule.OddEvenFill)
            for rings in polygons:
                for ring in rings:
                    path.addPolygon(QPolygonF([self.to_view(float(x), float(y)) for x, y in apply_pose(pose, ring)]))
            painter.fillPath(path, veil)
            if is_free:
                wash = QColor(accent)
                wash.setAlpha(34)
                painter.fillPath(path, wash)
                painter.setPen(QPen(accent, 1.6, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPath(path)
            else:
                painter.fillPath(path, QBrush(caution, Qt.BrushStyle.BDiagPattern))

    def _paint_preview(self, painter: QPainter) -> None:
        """The outlines that the cure under the pointer would give."""
        if not self.view.preview or self.shows_folds:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, colour in ((4.0, QColor(self.theme.sheet)), (1.8, QColor(self.theme.accent))):
            painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine if width > 3 else Qt.PenStyle.DashLine))
            for ring in self.view.preview:
                painter.drawPolygon(QPolygonF([self.to_view(float(x), float(y)) for x, y in ring]))

    def _paint_picked(self, painter: QPainter, poses: dict[str, np.ndarray]) -> None:
        assert self.desk.assembly is not None
        painter.save()
        self.picture.place(painter)
        base = painter.transform()
        soft = QColor(self.theme.alarm)
        soft.setAlpha(46)
        for part_id in self.view.picked_parts:
            part = self.desk.assembly.by_id.get(part_id)
            if part is None or part.mechanism == "card":
                continue
            pose = poses.get(part_id)
            painter.setTransform(pose_transform(np.asarray(part.home) if pose is None else pose) * base)
            painter.setPen(QPen(QColor("#a8321d"), 2.2 / self.picture.scale))
            painter.setBrush(soft if part.role != "cover" else Qt.BrushStyle.NoBrush)
            painter.drawPath(make_path((part.outline, *part.holes)))
        painter.restore()
        if self.view.picked_place is not None:
            at = self.to_view(*self.view.picked_place)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for radius, colour, width in ((15, "#fffdf8", 5.0), (15, "#a8321d", 2.6)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawEllipse(at, radius, radius)

    def _paint_marks(self, painter: QPainter) -> None:
        """The places that stand in the way, hatched, each with its figure."""
        painter.setFont(font(12, bold=True))
        metrics = painter.fontMetrics()
        for finding, at in reversed(self.marks):
            colour = self.theme.colour("alarm" if finding.severity == "block" else "caution")
            painter.setPen(QPen(self.theme.colour("sheet"), 4.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, MARK_PX, MARK_PX)
            painter.setPen(QPen(colour, 2.0))
            painter.setBrush(QBrush(colour, Qt.BrushStyle.BDiagPattern))
            painter.drawEllipse(at, MARK_PX, MARK_PX)
            text = figure_of(finding, self.session.style)
            if text:
                width = metrics.horizontalAdvance(text) + 10
                left = min(max(at.x() - width / 2, 4.0), self.width() - width - 4.0)
                box = QRectF(left, at.y() + MARK_PX + 3, width, metrics.height() + 2)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(self.theme.colour("sheet"))
                painter.drawRoundedRect(box, 3, 3)
                painter.setPen(colour)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_section(self, painter: QPainter) -> None:
        line = self._section_line()
        if line is None:
            return
        pen = QPen(self.theme.colour("caution"), 1.4)
        pen.setDashPattern([9, 3, 2, 3])
        painter.setPen(pen)
        painter.drawLine(*line)
        knob = self._section_knob()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.colour("caution"))
        painter.drawRoundedRect(knob, 4, 4)
        painter.setPen(self.theme.colour("sheet"))
        painter.setFont(font(13, bold=True))
        painter.drawText(knob, Qt.AlignmentFlag.AlignCenter, "A")

    def _paint_handle(self, painter: QPainter, handle: Handle, *, hot: bool) -> None:
        """A lozenge with two ticks that tell along which line it moves."""
        at = self._handle_point(handle)
        size = HANDLE_PX + (2.0 if hot else 0.0)
        along = QPointF(handle.direction[0], -handle.direction[1])
        painter.setPen(QPen(QColor("#274872"), 2.0))
        for sign in (1, -1):
            painter.drawLine(at + along * (sign * (size + 1)), at + along * (sign * (size + 6)))
        if handle.parameter == "shift" or handle.parameter.startswith(("item.", "cue.")):
            self._paint_whole(painter, at, size, hot=hot)
            return
        diamond = QPolygonF([at + QPointF(0, -size), at + QPointF(size, 0), at + QPointF(0, size), at + QPointF(-size, 0)])
        painter.setBrush(QColor("#274872") if hot else QColor("#fffdf8"))
        painter.drawPolygon(diamond)

    def _paint_whole(self, painter: QPainter, at: QPointF, size: float, *, hot: bool) -> None:
        """The knob by which the whole mechanism is moved: a ring with a cross."""
        painter.setBrush(QColor("#274872") if hot else QColor("#fffdf8"))
        painter.drawEllipse(at, size + 2, size + 2)
        painter.setPen(QPen(QColor("#fffdf8") if hot else QColor("#274872"), 1.6))
        for dx, dy in ((1.0, 0.0), (0.0, 1.0)):
            way = QPointF(dx, dy) * (size - 1)
            painter.drawLine(at - way, at + way)
