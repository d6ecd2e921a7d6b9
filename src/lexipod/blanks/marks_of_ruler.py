"""Whether the measures of a blank lie on marks of the maker's ruler, and why not where they do not."""

from __future__ import annotations

from lexipod.assembly import Assembly, Blank
from lexipod.blanks.measures import diameter_of, is_boxy, measure_blank

NEAR_MM = 0.02
"""So near to a mark a measure is on it."""


def is_on_mark(length_mm: float, mark_mm: float) -> bool:
    """Whether a length is a whole number of marks.

    >>> is_on_mark(38.1, 25.4 / 16), is_on_mark(38.4, 25.4 / 16)
    (True, False)
    """
    return abs(length_mm - round(length_mm / mark_mm) * mark_mm) <= NEAR_MM


def why_off_mark(blank: Blank, assembly: Assembly) -> str:
    """Why some measure of a blank that lies square is off the ruler's marks; empty where all are on marks."""
    measure, mark, card = measure_blank(blank), assembly.mark_mm, assembly.card
    sizes = [measure.width_mm, measure.height_mm] if measure.diameter_mm is None else [measure.diameter_mm]
    scores = [c.start[k] for c in blank.creases for k in (0, 1) if abs(c.start[k] - c.end[k]) < 1e-9]
    off = [v for v in (*sizes, *scores) if not is_on_mark(v, mark)]
    if not off:
        return ""
    if blank.why_off:
        return blank.why_off
    own = [card.width_mm, card.height_mm, 2 * card.width_mm, 2 * card.height_mm]
    if any(not is_on_mark(v, mark) for v in own[:2]) and all(not is_on_mark(v, mark) and _goes_with(v, own, mark) for v in off):
        return "it goes with the card, whose own size is off these marks"
    if diameter_of(blank.outline) is None and not is_boxy(blank.region):
        return "its outline is drawn: cut by the template"
    return "it follows from a measure that is off the marks"


def _goes_with(length_mm: float, own: list[float], mark_mm: float) -> bool:
    """Whether a length is one of the card's, less whole marks, or half of that."""
    return any(is_on_mark(size - length_mm, mark_mm) or is_on_mark(size - 2 * length_mm, mark_mm) for size in own)
