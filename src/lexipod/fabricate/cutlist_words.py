"""The cut list in words, as makers speak: along which side to score and where, what is cut out, what else is to be known."""

from __future__ import annotations

import itertools
from collections.abc import Callable

from lexipod.assembly import Allowance
from lexipod.blanks import Measure, find_corners
from lexipod.fabricate.cutlist import CutRow, Punched, Score
from lexipod.units import MM_PER_INCH, UnitStyle


def scores_text(row: CutRow, style: UnitStyle, *, from_right: bool = False) -> str:
    """The scores as they are spoken: along which side, at which places from its end, and which way each is folded. Where one does
    not go all across, from where to where; a slanting one by its two ends."""
    told = []
    for along in ("width", "height"):
        side, length = ("left", row.width_mm) if along == "width" else ("bottom", row.height_mm)
        places = [(length - s.at_mm if from_right else s.at_mm, s) for s in row.scores if s.along == along]
        if from_right:
            side = {"left": "right", "bottom": "top"}[side]
            places.reverse()
        if places:
            at, first = places[0]
            spoken = [f"{style.length(at)} from the {side} ({_folded(first, style)})"]
            spoken += [f"{style.length(at)} ({_folded(score, style)})" for at, score in places[1:]]
            told.append(f"along the {style.length(length)} side score at " + ", ".join(spoken))
    for score in row.scores:
        if score.along == "slant":
            ends = [f"{style.length(x)} from the left and {style.length(y)} up" for x, y in (score.start, score.end)]
            told.append(f"slanting, score from {ends[0]} to {ends[1]} ({_folded(score, style)})")
    if len({s.order for s in row.scores}) > 1:
        in_turn = sorted(row.scores, key=lambda s: s.order)
        told.append("fold in this order: " + ", ".join(dict.fromkeys(s.name.replace("-", " ") for s in in_turn)))
    return "; ".join(told)


def _folded(score: Score, style: UnitStyle) -> str:
    told = score.fold if score.runs == "crisp" else f"{score.fold}, runs free"
    if score.is_whole or score.along == "slant":
        return told
    axis, ends = (1, "up") if score.along == "width" else (0, "from the left")
    low, high = sorted((score.start[axis], score.end[axis]))
    return f"{told}, only from {style.length(low)} to {style.length(high)} {ends}"


def size_text(measure: Measure, style: UnitStyle) -> str:
    """Width by height, or the diameters of what is round."""
    if measure.diameter_mm is None:
        return f"{style.length(measure.width_mm)} × {style.length(measure.height_mm)}"
    inner = "" if measure.inner_mm is None else f", inside Ø {style.length(measure.inner_mm)}"
    return f"Ø {style.length(measure.diameter_mm)}{inner}"


def openings_text(row: CutRow, style: UnitStyle, *, from_right: bool = False) -> str:
    """What is cut out of it: size and place of each opening, a round one by diameter and centre; measured from the end from which scores
    are told."""
    side = "right" if from_right else "left"

    def across(from_left: float, width: float = 0.0) -> str:
        return f"{style.length(row.width_mm - from_left - width if from_right else from_left)} from the {side}"

    told, corners = [], find_corners(row.openings)
    for o in row.openings:
        if corners is not None and o.kind == "corner":
            continue
        if row.measure.inner_mm is not None and o.diameter_mm == row.measure.inner_mm:
            continue
        if o.kind == "slit" and len(o.outline) == 2:
            ends = [f"{across(float(x))} and {style.length(float(y))} up" for x, y in o.outline]
            told.append(f"cut inside from {ends[0]} to {ends[1]}, after scoring")
        elif o.diameter_mm is not None:
            place = f"{across(o.centre[0])} and {style.length(o.centre[1])} up"
            told.append(f"{o.name} Ø {style.length(o.diameter_mm)}, centre {place}")
        else:
            place = f"{across(o.from_left_mm, 0.0 if o.turned_deg else o.width_mm)} and {style.length(o.from_bottom_mm)} up"
            turned = f", turned {o.turned_deg:.1f}°, centre" if o.turned_deg else ","
            told.append(f"{o.name} {style.length(o.width_mm)} × {style.length(o.height_mm)}{turned} {place}")
    if corners is not None:
        how = f"rounded, radius {style.length(corners.radius_mm)}" if corners.radius_mm else f"cut off by {style.length(corners.cut_mm)}"
        told.append(f"all corners {how}")
    return "; ".join(told)


def notes_text(row: CutRow, style: UnitStyle) -> str:
    """What else is to be known: the grain, and what a measure was changed by, with the reason."""
    told = [row.note] if row.note else []
    if row.laminated == "after":
        told.append(f"cut {row.plies} alike each, laminate then")
    elif row.laminated == "before":
        told.append(f"laminate {row.plies} sheets first, cut then")
    if adds_up(row, style):
        told.append(adds_up(row, style))
    if row.grain:
        told.append(f"grain {row.grain}")
    told += [f"cut from “{name}”, as its guide shows" for name in row.papers]
    told += [_punched_text(p, style) for p in row.punched]
    if row.why_off:
        told.append(f"off the ruler's marks: {row.why_off}{_on_the_ruler(row, style)}")
    told += [f"cut {style.length(t.extra_mm)} longer at the {t.edge} and trimmed in place: {t.why}" for t in row.trims]
    told += [_allowance_text(a, style) for a in row.allowances]
    return "; ".join(told)


def adds_up(row: CutRow, style: UnitStyle) -> str:
    """The panels between whole scores, and that together they are the piece; empty where nothing is scored right across.

    Where a measure is on no mark of the ruler, all are told in decimals, so that the sum is the sum of what is read.
    """
    told = []
    for along, length in (("width", row.width_mm), ("height", row.height_mm)):
        places = sorted({round(s.at_mm, 6) for s in row.scores if s.along == along and s.is_whole})
        if not places:
            continue
        edges = [0.0, *places, length]
        panels = [b - a for a, b in itertools.pairwise(edges)]
        say = plain_sum(style)
        told.append(f"{' + '.join(say(p).removesuffix(f' {style.unit}') for p in panels)} = {say(length)}")
    return "; ".join(told)


def plain_sum(style: UnitStyle) -> Callable[[float], str]:
    """How lengths of a sum are told: as marks where they lie on them, else in decimals of the unit."""

    def say(length_mm: float) -> str:
        if style.unit == "mm":
            return f"{length_mm:.2f}".rstrip("0").rstrip(".") + " mm"
        told = style.length(length_mm)
        return told if not told.startswith("≈") else f"{length_mm / MM_PER_INCH:.3f}".rstrip("0").rstrip(".") + " in"

    return say


def _on_the_ruler(row: CutRow, style: UnitStyle) -> str:
    """The nearest marks of the sides that lie on none, with what is left, and whether it matters."""
    sides = {"width": row.width_mm, "height": row.height_mm} if row.measure.diameter_mm is None else {"diameter": row.measure.diameter_mm}
    told = [f"{name} {text}" for name, length in sides.items() if (text := nearest_mark(length, style))]
    if not told:
        return ""
    why = f"cut it to this: it fits the {row.matters}" if row.matters else "a hair more or less does no harm"
    return f" ({', '.join(told)}; {why})"


def nearest_mark(length_mm: float, style: UnitStyle) -> str:
    """The nearest mark of the ruler and the rest; empty for a length that lies on a mark.

    >>> nearest_mark(41.4, UnitStyle("in")), nearest_mark(41.4, UnitStyle("mm")), nearest_mark(38.1, UnitStyle("in"))
    ('1 5/8 in and 0.005 in', '41.5 mm less 0.1 mm', '')
    """
    mark = MM_PER_INCH / style.denominator if style.unit == "in" else 0.5
    nearest = round(length_mm / mark) * mark
    rest = length_mm - nearest
    if abs(rest) < 0.01:
        return ""
    small = f"{abs(rest) / MM_PER_INCH:.3f} in" if style.unit == "in" else f"{abs(rest):.2f}".rstrip("0").rstrip(".") + " mm"
    return f"{style.length(nearest)} {'and' if rest > 0 else 'less'} {small}"


def _punched_text(punched: Punched, style: UnitStyle) -> str:
    """“window: your circle 2 in is 1/16 in larger; next one up for the ring circle 2 1/4 in”."""
    wider, higher = punched.punch.width_mm - punched.width_mm, punched.punch.height_mm - punched.height_mm
    off = wider if abs(wider) >= abs(higher) else higher
    size = "cuts it" if punched.is_cut else f"is {style.length(abs(off))} {'larger' if off > 0 else 'smaller'}"
    ring = f"; next one up for the ring {punched.next_up.name}" if punched.next_up is not None else ""
    return f"{punched.name}: your {punched.punch.name} {size}{ring}"


def _allowance_text(allowance: Allowance, style: UnitStyle) -> str:
    """What a measure was changed by: from what to what, where the measure is known."""
    reason = f"for {_REASONS[allowance.reason]}: {allowance.why}"
    if allowance.of_mm:
        return f"{allowance.where} {style.length(allowance.of_mm + allowance.amount_mm)} instead of {style.length(allowance.of_mm)} {reason}"
    return f"{allowance.where} {'+' if allowance.amount_mm >= 0 else '−'}{style.length(abs(allowance.amount_mm))} {reason}"


_REASONS = {"creep": "creep", "crease": "the crease", "gap": "a gap", "band": "the way round"}
