"""The card as paper, ready to be painted: what stands still between changes is kept as pictures."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap, QTransform

from lexipod.app.card.painter import PreparedLayer, paint_items, paint_words, pose_transform, prepare_layer
from lexipod.app.look import Theme
from lexipod.app.state.desk import Desk
from lexipod.drawing import PartLayer


class CardPicture:
    """Paints the card at a scale and place of the view. ``prepare`` follows every change of design, size or theme."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.scale, self.origin = 3.0, QPointF(0, 0)
        self.shows_envelope = False
        self._theme: Theme | None = None
        self._size, self._ratio = QSize(1, 1), 1.0
        self._layers: tuple[PreparedLayer, ...] = ()
        self._made: list[tuple[PartLayer, PreparedLayer]] = []
        self._made_for: object = None
        self._stills: dict[int, QPixmap] = {}
        self._close: list[PreparedLayer] = []
        self._close_for: object = None

    def to_view(self, x: float, y: float) -> QPointF:
        """A point of the card (mm) in pixels."""
        return QPointF(self.origin.x() + x * self.scale, self.origin.y() - y * self.scale)

    def to_card(self, point: QPointF) -> tuple[float, float]:
        """A point of the view (pixels) on the card in mm."""
        return (point.x() - self.origin.x()) / self.scale, (self.origin.y() - point.y()) / self.scale

    def envelope_size(self) -> np.ndarray:
        """The envelope (mm), lying as the card does."""
        assert self.desk.assembly is not None
        card = self.desk.assembly.card
        envelope = np.array(sorted(card.envelope_mm or (0.0, 0.0)))
        return envelope if card.width_mm <= card.height_mm else envelope[::-1]

    def prepare(self, theme: Theme, size: QSize, ratio: float) -> None:
        """Makes paths of the layers, keeping those of parts that look as before."""
        self._theme, self._size, self._ratio = theme, size, ratio
        mark = (theme.name, self.scale)
        known = {id(layer): made for layer, made in self._made} if mark == self._made_for else {}
        self._made = [(layer, known.get(id(layer)) or prepare_layer(layer, theme, pixels_per_mm=self.scale)) for layer in self.desk.layers]
        self._made_for, self._layers = mark, tuple(made for _, made in self._made)
        self._stills.clear()

    def place(self, painter: QPainter) -> None:
        """Lets the painter draw in the card's millimetres."""
        painter.translate(self.origin)
        painter.scale(self.scale, -self.scale)

    def paint(self, painter: QPainter, poses: dict[str, np.ndarray], *, hidden: bool) -> None:
        """Parts from the back to the front. Runs of parts that stand still are kept as pictures between changes."""
        for k, (moves, layers) in enumerate(self._runs()):
            if moves:
                self._paint_parts(painter, layers, poses, behind=False)
            else:
                self._paint_kept(painter, k, layers, behind=False)
        if hidden:
            self._paint_kept(painter, -1, [layer for layer in self._layers if layer.part not in poses], behind=True)
            self._paint_parts(painter, [layer for layer in self._layers if layer.part in poses], poses, behind=True)

    def paint_flat(self, painter: QPainter) -> None:
        """Ground, envelope and shadow for a card that is drawn anew each time."""
        self._paint_kept(painter, 0, [], behind=False)

    def paint_closer(self, painter: QPainter, at: QPointF, factor: float, poses: dict[str, np.ndarray], *, hidden: bool) -> None:
        """The same parts larger by a factor about a point of the view, with lines as thin as ever, within what the painter is clipped to."""
        assert self._theme is not None
        mark = (tuple(id(layer) for layer, _ in self._made), self._theme.name, self.scale * factor)
        if mark != self._close_for:
            self._close = [prepare_layer(layer, self._theme, pixels_per_mm=self.scale * factor) for layer, _ in self._made]
            self._close_for = mark
        painter.save()
        painter.translate(at)
        painter.scale(factor, factor)
        painter.translate(-at)
        self._paint_parts(painter, self._close, poses, behind=False)
        if hidden:
            self._paint_parts(painter, self._close, poses, behind=True)
        painter.restore()

    def _runs(self) -> list[tuple[bool, list[PreparedLayer]]]:
        moving = {part for track in self.desk.tracks.values() for part in track.poses}
        runs: list[tuple[bool, list[PreparedLayer]]] = []
        for layer in self._layers:
            if not runs or runs[-1][0] != (layer.part in moving):
                runs.append((layer.part in moving, []))
            runs[-1][1].append(layer)
        return runs

    def _paint_kept(self, painter: QPainter, key: int, layers: list[PreparedLayer], *, behind: bool) -> None:
        kept = self._stills.get(key)
        if kept is None:
            assert self._theme is not None
            kept = QPixmap(self._size * self._ratio)
            kept.setDevicePixelRatio(self._ratio)
            kept.fill(self._theme.colour("ground") if key == 0 else Qt.GlobalColor.transparent)
            brush = QPainter(kept)
            brush.setRenderHint(QPainter.RenderHint.Antialiasing)
            if key == 0:
                self._paint_envelope(brush)
                self._paint_shadow(brush)
            self._paint_parts(brush, layers, {}, behind=behind)
            brush.end()
            self._stills[key] = kept
        painter.drawPixmap(0, 0, kept)

    def _paint_parts(self, painter: QPainter, layers: list[PreparedLayer], poses: dict[str, np.ndarray], *, behind: bool) -> None:
        assert self.desk.assembly is not None
        painter.save()
        self.place(painter)
        base = painter.transform()
        for layer in layers:
            pose = poses.get(layer.part)
            pose = np.asarray(self.desk.assembly.by_id[layer.part].home) if pose is None else pose
            painter.setTransform(pose_transform(pose) * base)
            paint_items(painter, layer.behind if behind else layer.front)
            if layer.words and not behind:
                paint_words(painter, layer.words, turn_rad=float(self.desk.assembly.by_id[layer.part].home[2]))
        if not behind:
            self._mend_rings(painter, layers, poses, base)
        painter.restore()

    def _mend_rings(self, painter: QPainter, layers: list[PreparedLayer], poses: dict[str, np.ndarray], base: QTransform) -> None:
        """Where parts lie over one another in a ring, those that were painted too early are painted again, within the outline of
        the later ones that they lie over."""
        assert self.desk.assembly is not None
        order = {layer.part: k for k, layer in enumerate(layers)}
        for layer in layers:
            late = [layers[order[p]] for p in layer.over if order.get(p, -1) > order[layer.part]]
            if not late:
                continue
            clip = QPainterPath()
            for other in late:
                if other.outline is not None:
                    clip.addPath(pose_transform(self._pose(other.part, poses)).map(other.outline))
            clip.setFillRule(Qt.FillRule.WindingFill)
            painter.save()
            painter.setTransform(base)
            painter.setClipPath(clip)
            painter.setTransform(pose_transform(self._pose(layer.part, poses)) * base)
            paint_items(painter, layer.front)
            painter.restore()

    def _pose(self, part: str, poses: dict[str, np.ndarray]) -> np.ndarray:
        assert self.desk.assembly is not None
        pose = poses.get(part)
        return np.asarray(self.desk.assembly.by_id[part].home) if pose is None else pose

    def _paint_shadow(self, painter: QPainter) -> None:
        assert self.desk.assembly is not None and self._theme is not None
        card = self.desk.assembly.card
        a, b = self.to_view(0, card.height_mm), self.to_view(card.width_mm, 0)
        shade = QColor(self._theme.shadow)
        painter.setPen(Qt.PenStyle.NoPen)
        for k in range(6, 0, -1):
            shade.setAlpha(16)
            painter.setBrush(shade)
            painter.drawRoundedRect(QRectF(a, b).adjusted(-k * 0.6 + 2, -k * 0.4 + 3, k + 2, k * 1.4 + 2), 3, 3)

    def _paint_envelope(self, painter: QPainter) -> None:
        assembly = self.desk.assembly
        if assembly is None or self._theme is None or not self.shows_envelope or assembly.card.envelope_mm is None:
            return
        width, height = self.envelope_size()
        card = assembly.card
        left, bottom = (card.width_mm - width) / 2, (card.height_mm - height) / 2
        a, b = self.to_view(left, bottom + height), self.to_view(left + width, bottom)
        painter.setBrush(self._theme.colour("calm"))
        painter.setPen(QPen(self._theme.colour("pencil"), 1.1, Qt.PenStyle.DashLine))
        painter.drawRect(QRectF(a, b))
