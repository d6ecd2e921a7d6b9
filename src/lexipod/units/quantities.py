"""Quantities of the kinds that parameters have, as text in the user's unit."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass

from lexipod.errors import ChoiceError, MeasureError
from lexipod.units.lengths import DENOMINATORS, MM_PER_INCH, format_length, parse_length, typeset

_ANGLE = re.compile(r"(?P<number>[+\-−]?(?:\d{1,6}(?:\.\d{1,12})?|\.\d{1,12}))\s*(?P<unit>°|deg|degrees)?", re.ASCII)
_NUMBER = re.compile(r"[+\-−]?(?:\d{1,9}(?:\.\d{1,12})?|\.\d{1,12})", re.ASCII)
_POINT = re.compile(r"(.+?)\s*[x×]\s*(.+)")
_UNIT_AT_END = re.compile(r"(mm|cm|inches|inch|in|\"|″)\s*$")
_YES = {"yes": True, "true": True, "on": True, "no": False, "false": False, "off": False}

SMALL_MM = 3.17
ALIKE_MM = 1e-6
ON_MARK_MM = 0.005
Value = float | int | str | bool | tuple[float, float]


@dataclass(frozen=True, slots=True)
class UnitStyle:
    """How lengths are shown: ``unit`` mm or in, the finest fraction of an inch, whether fractions are typeset, and whether ``small`` amounts
    of an inch that lie on no mark are told in thousandths (“decimal”) or as the nearest 1/64 (“mark”)."""

    unit: str = "mm"
    denominator: int = 16
    typesets: bool = False
    small: str = "decimal"

    def __post_init__(self) -> None:
        if self.unit not in ("mm", "in"):
            raise ChoiceError("unit", self.unit, ["in", "mm"])
        if self.denominator not in DENOMINATORS:
            raise ChoiceError("denominator", self.denominator, [str(d) for d in DENOMINATORS])
        if self.small not in ("decimal", "mark"):
            raise ChoiceError("small", self.small, ["decimal", "mark"])

    def length(self, length_mm: float, *, decimals: int = 1) -> str:
        """``length_mm`` as this user reads it. In inches what is under 1/8 in and lies on no mark is told in thousandths or 64ths, since a
        coarser fraction would hide it.

        >>> UnitStyle("in").length(1.5875), UnitStyle("in").length(0.3), UnitStyle("in").length(90.0)
        ('1/16 in', '0.012 in', '≈ 3 9/16 in')
        >>> UnitStyle("in", small="mark").length(0.5), UnitStyle("in", small="mark").length(0.1)
        ('≈ 1/64 in', 'under 1/64 in')
        """
        if self.unit == "in" and 0 < abs(length_mm) < SMALL_MM:
            marks = abs(length_mm) / MM_PER_INCH * self.denominator
            if abs(marks - round(marks)) * MM_PER_INCH / self.denominator > ON_MARK_MM:
                if self.small == "mark":
                    return self._nearest_mark(length_mm)
                thousandths = f"{length_mm / MM_PER_INCH:.3f}".rstrip("0").rstrip(".")
                return f"{thousandths} in" if thousandths not in ("0", "-0") else "0 in"
        text = format_length(length_mm, unit=self.unit, denominator=self.denominator, decimals=decimals)
        return typeset(text) if self.typesets else text

    def _nearest_mark(self, length_mm: float) -> str:
        """A small amount as the nearest 1/64 in."""
        text = format_length(length_mm, unit="in", denominator=DENOMINATORS[-1])
        if text.removeprefix("≈ ") == "0 in":
            text = f"under 1/{DENOMINATORS[-1]} in"
        return typeset(text) if self.typesets else text

    def telling_apart(self, one_mm: float, other_mm: float) -> Callable[[float], str]:
        """How lengths are told in a sentence that holds one length against another: if both would read alike, those two with more digits.

        >>> say = UnitStyle("in").telling_apart(9.6, 9.9); say(9.6), say(9.9), say(25.4)
        ('0.378 in', '0.39 in', '1 in')
        >>> say = UnitStyle("mm").telling_apart(1.96, 2.0); say(1.96), say(2.0)
        ('1.96 mm', '2 mm')
        """
        texts = [self.length(v).removeprefix("≈ ") for v in (one_mm, other_mm)]
        if texts[0] != texts[1] or abs(one_mm - other_mm) < ALIKE_MM:
            return self.length
        per = MM_PER_INCH if self.unit == "in" else 1.0
        for digits in range(3 if self.unit == "in" else 2, 7):
            texts = [f"{v / per:.{digits}f}".rstrip("0").rstrip(".") + f" {self.unit}" for v in (one_mm, other_mm)]
            if texts[0] != texts[1]:
                break
        shown = {one_mm: texts[0], other_mm: texts[1]}
        return lambda length_mm: shown.get(length_mm, self.length(length_mm))

    def thickness(self, length_mm: float) -> str:
        """How thick or high something is, as calipers tell it.

        >>> UnitStyle("in").thickness(2.032), UnitStyle("mm").thickness(2.032)
        ('0.080 in', '2.03 mm')
        """
        return f"{length_mm / MM_PER_INCH:.3f} in" if self.unit == "in" else f"{length_mm:.2f} mm"

    def area(self, area_mm2: float) -> str:
        """So much paper or foam.

        >>> UnitStyle("in").area(645.16), UnitStyle("mm").area(645.16)
        ('1.0 in²', '6.5 cm²')
        """
        return f"{area_mm2 / MM_PER_INCH**2:.1f} in²" if self.unit == "in" else f"{area_mm2 / 100:.1f} cm²"

    def amount(self, value: float, unit: str) -> str:
        """So much of a travel, in its drive's unit: a length, or degrees.

        >>> UnitStyle().amount(8.0, "deg"), UnitStyle().amount(8.0, "mm")
        ('8.0°', '8 mm')
        """
        return f"{value:.1f}°" if unit == "deg" else self.length(value)


def parse_quantity(text: str, kind: str, *, choices: tuple[str, ...] = (), default_unit: str = "mm") -> Value:
    """The value of a parameter of ``kind`` length, point, angle, count, number, choice or flag.

    >>> parse_quantity("1/2in", "length"), parse_quantity("30°", "angle"), parse_quantity("yes", "flag")
    (12.7, 30.0, True)
    >>> parse_quantity("30 x 84 mm", "point")
    (30.0, 84.0)
    """
    stripped = text.strip()
    if kind == "length":
        return parse_length(stripped, default_unit=default_unit)
    if kind == "point":
        match = _POINT.fullmatch(stripped)
        if match is None:
            raise MeasureError(text, "a place; write how far it is from the left and from the bottom, like 30 x 84 mm")
        unit = _UNIT_AT_END.search(match[2])
        default = unit[1] if unit else default_unit
        return parse_length(match[1], default_unit=default), parse_length(match[2], default_unit=default)
    if kind == "choice":
        if stripped.lower() not in choices:
            raise ChoiceError("choice", stripped, list(choices))
        return stripped.lower()
    if kind == "flag":
        if stripped.lower() not in _YES:
            raise MeasureError(text, "yes or no")
        return _YES[stripped.lower()]
    if kind == "angle":
        match = _ANGLE.fullmatch(stripped)
        if match is None:
            raise MeasureError(text, "an angle in degrees; write it like 30, 30° or 30 deg")
        return float(match["number"].replace("−", "-"))
    if kind == "count":
        if not re.fullmatch(r"\d{1,4}", stripped, re.ASCII):
            raise MeasureError(text, "a count; write a whole number like 2")
        return int(stripped)
    if kind == "number":
        if not _NUMBER.fullmatch(stripped):
            raise MeasureError(text, "a number; write it like 0.5")
        return float(stripped.replace("−", "-"))
    raise ValueError(f"unknown kind {kind}")


def format_quantity(value: Value, kind: str, style: UnitStyle) -> str:
    """The text of a value of ``kind`` in the user's unit.

    >>> format_quantity(12.7, "length", UnitStyle("in")), format_quantity(True, "flag", UnitStyle())
    ('1/2 in', 'yes')
    """
    if isinstance(value, tuple):
        return " × ".join(style.length(v) for v in value)
    if kind == "length":
        return style.length(float(value))
    if kind == "angle":
        return f"{float(value):.4g}°"
    if kind == "flag":
        return "yes" if value else "no"
    if kind == "number":
        return f"{float(value):.6g}"
    return str(value)


def exact_text(value: Value, kind: str, style: UnitStyle) -> str:
    """What stands in an edit field: reads back to the same value (mm with up to nine decimals, or the exact fraction).

    >>> exact_text(88.9, "length", UnitStyle("in")), exact_text(90.0, "length", UnitStyle("in"))
    ('3 1/2 in', '90 mm')
    """
    if isinstance(value, tuple):
        return " x ".join(exact_text(v, "length", style) for v in value)
    if kind != "length":
        return f"{float(value):.10g}" if kind == "angle" else format_quantity(value, kind, style)
    length_mm = float(value)
    if not math.isfinite(length_mm):
        raise ValueError("a length must be finite")
    if style.unit == "in":
        text = format_length(length_mm, unit="in", denominator=64)
        if math.isclose(parse_length(text), length_mm, abs_tol=1e-9):
            return text
    return f"{length_mm:.9f}".rstrip("0").rstrip(".") + " mm"
