"""What can be done while the card is looked at as its reader sees it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget


class ReaderBar(QWidget):
    """Back to work, and the card as a picture, a moving picture, or a strip of still frames."""

    def __init__(self, *, back: Callable[[], None], export: Callable[[str, str], None]) -> None:
        super().__init__()
        self.setObjectName("ground")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 6, 0, 0)
        self.back = QPushButton("back to work (Esc)")
        self.back.clicked.connect(lambda _=False: back())
        row.addWidget(self.back)
        told = QLabel("Move the card by its pull or page; [ and ] go to its halts.")
        told.setObjectName("small")
        row.addWidget(told)
        row.addStretch(1)
        ways = (
            ("picture …", ".png", "card"),
            ("strip of stills …", ".png", "strip"),
            ("moving picture …", ".gif", ""),
            ("the same, smaller …", ".webp", ""),
        )
        for text, ending, what in ways:
            button = QPushButton(text)
            button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, ending=ending, what=what: export(ending, what))
            row.addWidget(button)


__all__ = ["ReaderBar"]
