"""How high it is: the card's heights as a picture, the thickest place, foam that is needed, and the card in the post."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLabel, QSizePolicy, QWidget

from lexipod.app.look import Theme, font
from lexipod.app.panels.fields import choice_box, labelled, set_choice
from lexipod.app.panels.panel import Panel
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.checks import Examination
from lexipod.checks.foam import find_foam_needs, share_of_less
from lexipod.checks.height_map import HeightMap, map_heights
from lexipod.checks.post import find_letter_rows, find_posted
from lexipod.units import MM_PER_INCH, UnitStyle

CELL_MM = 1.5
STEPS = 25


def _rgb(colour: QColor) -> tuple[int, int, int]:
    return colour.red(), colour.green(), colour.blue()


class HeightPicture(QWidget):
    """Heights seen from the front: the higher, the darker, with lines where a millimetre (or a thirty-second of an inch) is passed."""

    def __init__(self, theme: Theme, style: UnitStyle) -> None:
        super().__init__()
        self.theme, self.units = theme, style
        self.heights: HeightMap | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(210)
        self.setAccessibleName("Heights of the card, seen from the front")

    def paintEvent(self, event: QPaintEvent) -> None:
        """The picture, the thickest place, and the scale."""
        heights = self.heights
        if heights is None or not heights.top.size:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, thickest = heights.top, max(heights.thickest_mm, 1e-6)
        share = top / thickest
        ink, paper = QColor(self.theme.ink), QColor(self.theme.sheet)
        lines = np.zeros(top.shape, dtype=bool)
        inches = self.units.unit == "in"
        steps = np.floor(top / (MM_PER_INCH / 32 if inches else 1.0) + 1e-6)
        lines[1:] |= steps[1:] != steps[:-1]
        lines[:, 1:] |= steps[:, 1:] != steps[:, :-1]
        mix = np.where(top > 0, 0.08 + 0.62 * share, 0.0)
        mix = np.where(lines & (top > 0), np.minimum(1.0, mix + 0.25), mix)
        rgb = np.stack([(1 - mix) * p + mix * i for p, i in zip(_rgb(paper), _rgb(ink), strict=True)], axis=-1)
        pixels = np.ascontiguousarray(np.flipud(rgb).astype(np.uint8))
        image = QImage(pixels.data, pixels.shape[1], pixels.shape[0], 3 * pixels.shape[1], QImage.Format.Format_RGB888)
        room = QRectF(0, 4, self.width() - 110, self.height() - 8)
        scale = min(room.width() / image.width(), room.height() / image.height())
        box = QRectF(8, 4, image.width() * scale, image.height() * scale)
        painter.drawImage(box, image)
        x, y = heights.thickest_at
        cell = heights.x[1] - heights.x[0] if len(heights.x) > 1 else 1.0
        at = QPointF(box.left() + (x - heights.x[0] + cell / 2) / cell * scale, box.bottom() - (y - heights.y[0] + cell / 2) / cell * scale)
        painter.setPen(QPen(QColor(self.theme.alarm), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 7, 7)
        painter.setFont(font(13))
        painter.setPen(self.theme.colour("ink"))
        words = QRectF(box.right() + 10, 6, max(60.0, self.width() - box.right() - 14), 80)
        painter.drawText(words, int(Qt.TextFlag.TextWordWrap), f"thickest, ringed: {self.units.thickness(thickest)}")
        painter.setPen(self.theme.colour("pencil"))
        painter.drawText(words.translated(0, 56), int(Qt.TextFlag.TextWordWrap), f"a line at every {'1/32 in' if inches else 'millimetre'}")


class HeightsPanel(Panel):
    """Heights at the shown travel, foam, and post."""

    def __init__(self, session: Session, desk: Desk, view: ViewState, theme: Theme) -> None:
        super().__init__(session, desk)
        self.view = view
        high = self.sheet("How high it is", "At the travel that is shown; the flat parts of the card.")
        self.picture = HeightPicture(theme, session.style)
        high.addWidget(self.picture)
        self.foam = QLabel()
        self.foam.setWordWrap(True)
        high.addWidget(self.foam)
        post = self.sheet("In the post", "By the tables that come with the program; the carrier's current rules decide, so ask at your post office.")
        rows = [("", "any carrier")] + [(c.id, c.name) for c in session.catalog.carriers.values()]
        self.carrier = choice_box(rows, self._carrier_chosen, name="Carrier")
        post.addWidget(labelled("carrier", self.carrier, label_width=84))
        self.posted = QLabel()
        self.posted.setWordWrap(True)
        post.addWidget(self.posted)
        slip = self.sheet("What rubs", "Wax and powder halve the friction of everything that runs.")
        self.slip = choice_box(
            [("plain", "nothing on it"), ("wax", "rubbed with wax"), ("powder", "dusted with powder")], self._slip_chosen, name="Wax or powder"
        )
        slip.addWidget(labelled("edges", self.slip, label_width=84))
        self.black = choice_box([("white", "white"), ("black", "black")], self._colour_chosen, name="Colour of foam")
        slip.addWidget(labelled("foam is", self.black, label_width=84))
        self.column.addStretch(1)
        desk.rebuilt.connect(self.refresh_if_seen)
        view.travel_changed.connect(self.refresh_if_seen)
        self.refresh_if_seen()

    def set_theme(self, theme: Theme) -> None:
        """Repaints in other colours."""
        self.picture.theme = theme
        self.picture.update()

    def refresh(self) -> None:
        """Shows the heights of now."""
        assembly, design = self.desk.assembly, self.session.design
        if assembly is None:
            return
        set_choice(self.carrier, design.ways.carrier)
        set_choice(self.slip, design.ways.slip)
        set_choice(self.black, design.ways.foam_colour)
        examination = Examination(assembly, self.session.catalog, design.ways, steps=STEPS)
        self.picture.units = self.session.style
        self.picture.heights = map_heights(examination, self.view.travel, cell_mm=CELL_MM)
        self.picture.update()
        lines, thick = [], self.session.style.thickness
        for need in find_foam_needs(examination):
            name = assembly.part_name(need.sheet)
            told = f"The {name} lies on {need.layers} layer{'s' if need.layers > 1 else ''}, {thick(need.foam_mm)}; "
            told += f"the {assembly.part_name(need.part)} needs {thick(need.needed_mm)}."
            if need.layers > 1:
                told += f" Under {100 * share_of_less(examination, need.sheet):.0f} % of it a layer less would be enough."
            lines.append(told)
        self.foam.setText("\n".join(lines) or "Nothing lies on foam.")
        posted = find_posted(examination)
        if posted is None:
            self.posted.setText("This card has no envelope; choose one at the station Card.")
            return
        lines = [f"With its envelope {posted.mass_g:.0f} g, {thick(posted.thickness_mm)} thick, sides {posted.aspect:.2f} to 1."]
        for row in find_letter_rows(examination):
            if design.ways.carrier and row.carrier.id != design.ways.carrier:
                continue
            lines.append(f"{row.carrier.name} ({row.carrier.dated}): {'no letter class' if row.letter is None else row.letter.name}.")
            if design.ways.carrier:
                lines += [f"– {why}" for why in (*row.refused, *row.notes)]
        self.posted.setText("\n".join(lines))

    def _carrier_chosen(self, key: str) -> None:
        self.change({"carrier": key}, text="carrier")

    def _slip_chosen(self, key: str) -> None:
        self.change({"slip": key}, text="wax or powder")

    def _colour_chosen(self, key: str) -> None:
        self.change({"foam_colour": key}, text="colour of foam")
