"""Lengths as text: ``3 1/2 in``, ``3-1/2"``, ``3.5in``, ``89 mm``, ``8.9cm``."""

from __future__ import annotations

import math
import re
from fractions import Fraction

from lexipod.errors import MeasureError, quoted

MM_PER_INCH = 25.4
DENOMINATORS = (8, 16, 32, 64)
SHOWN_EXACT_MM = 0.05
EXAMPLES = 'a length; write it like 3 1/2 in, 3-1/2", 3.5in, 89 mm or 8.9cm'

_VULGAR = {"½": (1, 2), "¼": (1, 4), "¾": (3, 4), "⅛": (1, 8), "⅜": (3, 8), "⅝": (5, 8), "⅞": (7, 8)}
_UP, _DOWN, _DIGITS = "⁰¹²³⁴⁵⁶⁷⁸⁹", "₀₁₂₃₄₅₆₇₈₉", "0123456789"
_PLAIN = str.maketrans(_UP + _DOWN + "\u2009", _DIGITS * 2 + " ")
_RAISED, _LOWERED = str.maketrans(_DIGITS, _UP), str.maketrans(_DIGITS, _DOWN)
_FRACTION = re.compile(r"(?<![\d./])(\d{1,2})/(2|4|8|16|32|64)(?![\d./])", re.ASCII)
_UNITS = {
    "mm": 1.0,
    "cm": 10.0,
    "in": MM_PER_INCH,
    "inch": MM_PER_INCH,
    "inches": MM_PER_INCH,
    '"': MM_PER_INCH,
    "″": MM_PER_INCH,
    "''": MM_PER_INCH,
    "”": MM_PER_INCH,
}
_LENGTH = re.compile(
    r"""(?P<sign>[+\-−]?)\s*
        (?: (?P<whole>\d{1,6}) (?:\s+|\s*-\s*) (?P<num>\d{1,3}) \s*[/⁄]\s* (?P<den>\d{1,3})
          | (?P<onum>\d{1,3}) \s*[/⁄]\s* (?P<oden>\d{1,3})
          | (?P<vwhole>\d{0,6}) \s* (?P<vulgar>[½¼¾⅛⅜⅝⅞])
          | (?P<decimal>\d{1,7}(?:\.\d{1,12})?|\.\d{1,12}) )
        \s* (?P<unit>[A-Za-z]+|"|″|”|'')?""",
    re.VERBOSE | re.ASCII,
)


def parse_length(text: str, *, default_unit: str | None = "mm") -> float:
    """The length in mm that ``text`` states, whole text or nothing.

    A bare number is read in ``default_unit``; with ``None`` a unit is demanded. Fractions are of an
    inch, to 1/64, and need an inch unit. A leading “≈”, as the formatter writes it, is let through.

    >>> parse_length('3-1/2"')
    88.9
    >>> parse_length("8.9cm")
    89.0
    >>> parse_length("1,5mm")
    Traceback (most recent call last):
    lexipod.errors.MeasureError: “1,5mm” is not a length; write it like 3 1/2 in, 3-1/2", 3.5in, 89 mm or 8.9cm
    """
    match = _LENGTH.fullmatch(text.translate(_PLAIN).strip().removeprefix("≈").strip())
    if match is None:
        raise MeasureError(text, EXAMPLES)
    unit = (match["unit"] or "").lower() or default_unit
    if unit is None:
        raise MeasureError(text, EXAMPLES + " (the unit is missing)")
    if unit not in _UNITS:
        raise MeasureError(text, f'a length: the unit {quoted(unit)} is unknown; use mm, cm, in or "')
    value, is_fraction = _number(match, text)
    if is_fraction and _UNITS[unit] != MM_PER_INCH:
        raise MeasureError(text, "a length: fractions are of an inch; write 1.5 mm with a point")
    length_mm = float(value * Fraction(str(_UNITS[unit])))
    return -length_mm if match["sign"] in ("-", "−") and length_mm else length_mm


def _number(match: re.Match[str], text: str) -> tuple[Fraction, bool]:
    if match["decimal"] is not None:
        return Fraction(match["decimal"]), False
    if match["vulgar"] is not None:
        return int(match["vwhole"] or 0) + Fraction(*_VULGAR[match["vulgar"]]), True
    num, den = int(match["num"] or match["onum"]), int(match["den"] or match["oden"])
    if den not in (2, 4, 8, 16, 32, 64):
        raise MeasureError(text, "a length: fractions of an inch go by 2, 4, 8, 16, 32 or 64")
    return int(match["whole"] or 0) + Fraction(num, den), True


def format_length(length_mm: float, *, unit: str = "mm", denominator: int = 16, decimals: int = 1, mark: bool = True) -> str:
    """The text for a length in the user's unit; a “≈” stands before it when more than 0.05 mm were rounded off.

    >>> format_length(88.9, unit="in")
    '3 1/2 in'
    >>> format_length(90.0, unit="in")
    '≈ 3 9/16 in'
    >>> format_length(-12.7, unit="in"), format_length(41.26)
    ('-1/2 in', '41.3 mm')
    """
    if not math.isfinite(length_mm):
        raise ValueError(f"a length must be finite, not {length_mm}")
    if unit == "mm":
        text = f"{length_mm:.{decimals}f}"
        text = text.rstrip("0").rstrip(".") if "." in text else text
        shown_mm = float(text)
        body = f"{'0' if text == '-0' else text} mm"
    elif unit == "in":
        if denominator not in DENOMINATORS:
            raise ValueError(f"the denominator must be one of {DENOMINATORS}, not {denominator}")
        shown = Fraction(round(abs(length_mm) / MM_PER_INCH * denominator), denominator)
        shown_mm = math.copysign(float(shown) * MM_PER_INCH, length_mm)
        body = ("-" if length_mm < 0 and shown else "") + _inches(shown) + " in"
    else:
        raise ValueError(f"the unit must be mm or in, not {unit}")
    is_rounded = abs(shown_mm - length_mm) > SHOWN_EXACT_MM + 1e-9
    return f"≈ {body}" if mark and is_rounded else body


def _inches(value: Fraction) -> str:
    whole, rest = divmod(value, 1)
    if not rest:
        return str(whole)
    fraction = f"{rest.numerator}/{rest.denominator}"
    return f"{whole} {fraction}" if whole else fraction


def typeset(text: str) -> str:
    """The text with its fractions of an inch as true ones, for a typeface that has them; reads back the same.

    >>> typeset("3 7/16 in × 1/2 in"), parse_length(typeset("3 7/16 in"))
    ('3\u2009⁷⁄₁₆ in × ½ in', 87.3125)
    """
    true = _FRACTION.sub(_true_fraction, text)
    return re.sub(r"(\d) (?=[⁰¹²³⁴⁵⁶⁷⁸⁹½¼¾⅛⅜⅝⅞])", "\\1\u2009", true)


def _true_fraction(match: re.Match[str]) -> str:
    pair = (int(match[1]), int(match[2]))
    glyph = next((glyph for glyph, value in _VULGAR.items() if value == pair), "")
    return glyph or f"{match[1].translate(_RAISED)}⁄{match[2].translate(_LOWERED)}"
