"""A row of widgets that goes on in the next line where there is no more room."""

from __future__ import annotations

from PySide6.QtCore import QMargins, QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    """Lays its widgets side by side, each as large as it wants to be, in as many lines as it takes."""

    def __init__(self, parent: QWidget, *, spacing: int = 6) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.setSpacing(spacing)
        self.setContentsMargins(QMargins(2, 0, 2, 0))

    def addItem(self, item: QLayoutItem) -> None:
        """One more at the end."""
        self._items.append(item)

    def count(self) -> int:
        """How many there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """One of them, None beyond the last."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Takes one out."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It wants no more than it needs."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """The narrower, the more lines."""
        return True

    def heightForWidth(self, width: int) -> int:
        """So high at a width."""
        return self._lay(QRect(0, 0, width, 0), moves=False)

    def sizeHint(self) -> QSize:
        """As the least."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        """The largest of its widgets."""
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def setGeometry(self, rect: QRect) -> None:
        """Lays them out."""
        super().setGeometry(rect)
        self._lay(rect, moves=True)

    def _lay(self, rect: QRect, *, moves: bool) -> int:
        """Places the widgets line by line if it ``moves`` them, each in the middle of its line; the height that it takes."""
        lines: list[list[QLayoutItem]] = [[]]
        x = 0
        for item in (i for i in self._items if (w := i.widget()) is None or not w.isHidden()):
            wide = item.sizeHint().width()
            if lines[-1] and x + wide > rect.width():
                lines.append([])
                x = 0
            lines[-1].append(item)
            x += wide + self.spacing()
        y = rect.y()
        for line in lines:
            height, x = max((i.sizeHint().height() for i in line), default=0), rect.x()
            for item in line if moves else ():
                size = item.sizeHint()
                item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
                x += size.width() + self.spacing()
            y += height + self.spacing() // 2
        return y - self.spacing() // 2 - rect.y()
