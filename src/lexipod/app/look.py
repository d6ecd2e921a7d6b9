"""Colours, type and the style sheet. Names say what a colour is for; day and night give each its value."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPen

TEXT_FAMILY = "Source Sans 3"
HEAD_FAMILY = "Source Serif 4"


@dataclass(frozen=True, slots=True)
class Theme:
    """One set of colours. Alarm and caution differ in lightness as well as in hue."""

    name: str
    ground: str
    sheet: str
    ink: str
    pencil: str
    line: str
    accent: str
    on_accent: str
    accent_soft: str
    alarm: str
    alarm_soft: str
    caution: str
    caution_soft: str
    calm: str
    shadow: str
    paper_dim: float

    def colour(self, name: str) -> QColor:
        """The colour of a name (an ink of the drawing layer, or one of the theme's own)."""
        aliases = {"graphite": "ink"}
        return QColor(getattr(self, aliases.get(name, name)))


DAY = Theme(
    "day",
    "#ece5d8",
    "#fffdf8",
    "#2b2a28",
    "#6a655c",
    "#d6cdbb",
    "#274872",
    "#fffdf8",
    "#dde5ee",
    "#a8321d",
    "#f4ddd4",
    "#8a5a06",
    "#f3e4c2",
    "#dbe3e4",
    "#b9ae9a",
    1.0,
)
NIGHT = Theme(
    "night",
    "#211f1d",
    "#2d2b28",
    "#ece7dc",
    "#ada699",
    "#4a4640",
    "#a3bddf",
    "#1c1b19",
    "#38424f",
    "#f39179",
    "#54322a",
    "#e8be66",
    "#4c4128",
    "#3a4346",
    "#000000",
    0.9,
)


def load_fonts() -> None:
    """Makes the shipped fonts known to Qt."""
    for entry in (resources.files("lexipod.assets") / "fonts").iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


@lru_cache(maxsize=256)
def font(size: float, *, bold: bool = False, head: bool = False) -> QFont:
    """The text (or heading) face at a pixel size, with figures of one width (the text face has no others)."""
    made = QFont(HEAD_FAMILY if head else TEXT_FAMILY)
    made.setPixelSize(round(size))
    made.setWeight(QFont.Weight.DemiBold if bold or head else QFont.Weight.Normal)
    if head:
        made.setFeature(QFont.Tag("tnum"), 1)
    return made


def paint_focus(painter: QPainter, rect: QRect, theme: Theme) -> None:
    """A dotted line round a view that has the keyboard; nothing inside it is painted over."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour("accent"), 1, Qt.PenStyle.DotLine))
    painter.drawRect(rect.adjusted(0, 0, -1, -1))


def style_sheet(t: Theme) -> str:
    """The style sheet of the whole window."""
    return f"""
    * {{ color: {t.ink}; font-family: "{TEXT_FAMILY}"; font-size: 14px; }}
    QMainWindow, QWidget#ground, QScrollArea, QWidget#column {{ background: {t.ground}; }}
    QScrollArea {{ border: none; }}
    QWidget#header {{ background: {t.sheet}; border-bottom: 1px solid {t.line}; }}
    QWidget#plain {{ background: {t.sheet}; }}
    QFrame#sheet {{ background: {t.sheet}; border: 1px solid {t.line}; border-radius: 6px; }}
    QWidget#inside {{ background: {t.sheet}; }}
    QLabel {{ background: transparent; }}
    QLabel#head {{ font-family: "{HEAD_FAMILY}"; font-size: 17px; font-weight: 600; }}
    QLabel#title {{ font-family: "{HEAD_FAMILY}"; font-size: 20px; font-weight: 600; }}
    QLabel#soft {{ color: {t.pencil}; }}
    QLabel#small {{ color: {t.pencil}; font-size: 13px; }}
    QLabel#alarm {{ color: {t.alarm}; font-weight: 600; }}
    QLabel#caution {{ color: {t.caution}; font-weight: 600; }}
    QLabel#fine {{ color: {t.accent}; font-weight: 600; }}
    QLineEdit, QComboBox, QPlainTextEdit {{ background: {t.sheet}; border: none; border-bottom: 1.5px solid {t.pencil}; padding: 3px 2px;
        selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border-bottom: 2px solid {t.accent}; background: {t.accent_soft}; }}
    QLineEdit[wrong="true"] {{ border-bottom: 2px solid {t.alarm}; background: {t.alarm_soft}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: none; width: 0; height: 0; border-left: 4px solid {t.sheet}; border-right: 4px solid {t.sheet};
        border-top: 6px solid {t.pencil}; margin-right: 5px; }}
    QComboBox QAbstractItemView {{ background: {t.sheet}; border: 1px solid {t.line}; selection-background-color: {t.accent};
        selection-color: {t.on_accent}; outline: none; }}
    QPushButton {{ background: transparent; border: 1.5px solid {t.accent}; color: {t.accent}; border-radius: 4px; padding: 4px 12px;
        outline: none; }}
    QPushButton:hover {{ background: {t.accent_soft}; }}
    QPushButton:focus {{ border: 2px solid {t.ink}; }}
    QPushButton:disabled {{ border-color: {t.line}; color: {t.pencil}; }}
    QPushButton#main, QPushButton:checked {{ background: {t.accent}; color: {t.on_accent}; font-weight: 600; }}
    QLabel#on-main {{ color: {t.on_accent}; font-weight: 600; }}
    QLabel#on-button {{ color: {t.accent}; }}
    QPushButton#choice {{ border-radius: 0; padding: 4px 6px; }}
    QPushButton#quiet {{ border: none; color: {t.accent}; text-decoration: underline; padding: 4px 4px; }}
    QPushButton#quiet:focus {{ border: 1px dashed {t.ink}; }}
    QCheckBox {{ spacing: 8px; }}
    QCheckBox:focus {{ color: {t.accent}; }}
    QCheckBox::indicator {{ width: 15px; height: 15px; border: 1.5px solid {t.pencil}; border-radius: 2px; background: {t.sheet}; }}
    QCheckBox::indicator:checked {{ background: {t.accent}; border-color: {t.accent}; }}
    QProgressBar {{ background: {t.sheet}; border: 1.5px solid {t.line}; border-radius: 4px; text-align: center; height: 20px; }}
    QProgressBar::chunk {{ background: {t.accent_soft}; }}
    QSlider::groove:horizontal {{ height: 2px; background: {t.pencil}; }}
    QSlider::handle:horizontal {{ background: {t.accent}; width: 12px; height: 12px; margin: -5px 0; border-radius: 2px; }}
    QSlider:focus {{ border: 1px dashed {t.ink}; }}
    QMenuBar {{ background: {t.sheet}; padding: 1px 18px; }}
    QMenuBar::item {{ padding: 3px 10px; background: transparent; }}
    QMenuBar::item:selected {{ background: {t.accent_soft}; }}
    QMenu {{ background: {t.sheet}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 14px; }}
    QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenu::item:disabled {{ color: {t.pencil}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 28px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 4px; min-width: 28px; }}
    QListWidget, QTableWidget {{ background: {t.sheet}; border: 1px solid {t.line}; border-radius: 3px; outline: none; }}
    QListWidget::item:selected, QTableWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
    QListWidget:focus, QTableWidget:focus {{ border: 1px solid {t.accent}; }}
    QHeaderView, QHeaderView::section {{ background: {t.ground}; color: {t.pencil}; border: none; padding: 3px 4px; text-align: left; }}
    QHeaderView::section {{ border-bottom: 1px solid {t.line}; }}
    QTableCornerButton::section {{ background: {t.ground}; }}
    QToolTip {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QWidget#strip {{ background: {t.caution_soft}; border-bottom: 1px solid {t.line}; }}
    QDialog {{ background: {t.sheet}; }}
    """
