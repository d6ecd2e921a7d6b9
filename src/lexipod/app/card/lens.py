"""How near a card is looked at, and which place of it: fitted to the view, or as the maker has brought it nearer."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QEvent, QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import QNativeGestureEvent, QWheelEvent

NEARER = 1.2
LEAST, MOST = 0.5, 24.0
"""How much farther and nearer than the whole card."""
SEEN_PX = 60.0
"""So much of the card stays in the view, however far it is moved."""


class Looked(Protocol):
    """What is looked at: pixels per mm, and where its own (0, 0) is in the view."""

    scale: float
    origin: QPointF


class Lens:
    """Keeps scale and place of a view. Until the maker comes nearer or moves the card, it is fitted; then it stays where it is."""

    def __init__(self, target: Looked) -> None:
        self.target = target
        self.is_free = False
        self._whole = (target.scale, QPointF(target.origin))
        self._size = QSizeF()

    @property
    def whole_scale(self) -> float:
        """Pixels per mm at which all of it is seen."""
        return self._whole[0]

    def fit(self, scale: float, origin: QPointF, size: QSizeF, *, stays: bool = False) -> None:
        """All of it is seen at this scale and place of a view of a size. Taken up unless the maker looks at it otherwise, or it ``stays``."""
        self._whole = (scale, QPointF(origin))
        if self.is_free:
            if self._size.isValid() and self._size != size:
                self.target.origin += QPointF(size.width() - self._size.width(), size.height() - self._size.height()) / 2
        elif not stays:
            self.target.scale, self.target.origin = scale, QPointF(origin)
        self._size = QSizeF(size)

    def show_whole(self) -> None:
        """All of it again."""
        self.is_free = False
        self.target.scale, self.target.origin = self._whole[0], QPointF(self._whole[1])

    def come_nearer(self, factor: float, at: QPointF) -> None:
        """Larger by a factor; what lies at a point of the view stays there."""
        scale = min(self._whole[0] * MOST, max(self._whole[0] * LEAST, self.target.scale * factor))
        self.target.origin = at + (self.target.origin - at) * (scale / self.target.scale)
        self.target.scale, self.is_free = scale, True

    def move(self, by: QPointF, card: QRectF) -> None:
        """Moves the card over the view; ``card`` is where it is seen now, some of which stays in the view."""
        moved = card.translated(by)
        dx = max(0.0, SEEN_PX - moved.right()) + min(0.0, self._size.width() - SEEN_PX - moved.left())
        dy = max(0.0, SEEN_PX - moved.bottom()) + min(0.0, self._size.height() - SEEN_PX - moved.top())
        self.target.origin += by + QPointF(dx, dy)
        self.is_free = True


def pinched_by(event: QEvent) -> float | None:
    """How much larger fingers on a pad want it; None for other events."""
    if isinstance(event, QNativeGestureEvent) and event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture:
        return max(0.2, 1.0 + event.value())
    return None


def turned_by(event: QWheelEvent) -> tuple[float, QPointF]:
    """What a wheel or two fingers on a pad ask for: a factor, and a move in pixels (fingers move the card, a wheel brings it nearer)."""
    pixels = QPointF(event.pixelDelta())
    nearer = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
    if not pixels.isNull() and not nearer and event.phase() != Qt.ScrollPhase.NoScrollPhase:
        return 1.0, pixels
    notches = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        return 1.0, QPointF(notches * 40.0, 0.0)
    return float(NEARER**notches), QPointF()


__all__ = ["NEARER", "Lens", "Looked", "pinched_by", "turned_by"]
