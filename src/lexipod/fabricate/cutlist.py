"""The cut and score list: what to cut, from what, where to score, in the maker's own unit."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from io import StringIO

import shapely

from lexipod.assembly import Allowance, Assembly, Crease, Trim
from lexipod.blanks import Batch, Measure, Opening, find_batches, find_corners, find_openings, measure_blank, why_off_mark
from lexipod.catalog import Catalog, Punch, nearest_punch
from lexipod.catalog.punches import SAME_MM
from lexipod.closing.card import close_card
from lexipod.geometry.frames import Array
from lexipod.pictures.papers import is_paper
from lexipod.units import UnitStyle

WHOLE_MM = 0.05
LEAST_PUNCHED_MM = 12.0
"""What is smaller is a hole for a fastener."""
ROUND_SHARE = 0.9
"""An opening that fills less of its box is round (a disc fills 0.785 of it)."""


@dataclass(frozen=True, slots=True)
class Score:
    """A score parallel to an edge: ``along`` “width” or “height”, ``at`` mm from the left (or the bottom). One that slants is
    ``along`` “slant”, its left end ``at``. ``start`` and ``end`` are its ends on the piece; ``is_whole`` when it goes all across.

    ``fold`` is mountain or valley as seen from the piece's front; a *free* one is worked until limp. ``order`` is the step at which
    it is folded.
    """

    along: str
    at_mm: float
    fold: str
    name: str = ""
    runs: str = "crisp"
    order: int = 1
    start: tuple[float, float] = (0.0, 0.0)
    end: tuple[float, float] = (0.0, 0.0)
    is_whole: bool = True


PIECE = "the piece itself"


@dataclass(frozen=True, slots=True)
class Punched:
    """What of a piece could be punched: its name and size, the punch that comes nearest, and the next one up (for a ring round it)."""

    name: str
    width_mm: float
    height_mm: float
    punch: Punch
    next_up: Punch | None

    @property
    def is_cut(self) -> bool:
        """Whether the punch cuts what is asked for."""
        return max(abs(self.punch.width_mm - self.width_mm), abs(self.punch.height_mm - self.height_mm)) <= SAME_MM


@dataclass(frozen=True, eq=False)
class CutRow:
    """One row of the list: blanks that are cut the same. ``measure`` is the box that is cut before openings and notches, or the
    diameters of what is round; ``outline`` and ``holes`` are its shape, ``parts`` what becomes of it once it is folded. ``why_off`` says why a
    measure of it is off the marks of the maker's ruler, empty where all are on marks."""

    blank: str
    name: str
    stock: str
    stock_name: str
    measure: Measure
    plies: int
    quantity: int
    scores: tuple[Score, ...] = ()
    openings: tuple[Opening, ...] = ()
    note: str = ""
    grain: str = ""
    allowances: tuple[Allowance, ...] = ()
    slits_mm: tuple[float, ...] = ()
    trims: tuple[Trim, ...] = ()
    blanks: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    outline: Array | None = None
    holes: tuple[Array, ...] = ()
    why_off: str = ""
    punched: tuple[Punched, ...] = ()
    papers: tuple[str, ...] = ()

    @property
    def width_mm(self) -> float:
        return self.measure.width_mm

    @property
    def height_mm(self) -> float:
        return self.measure.height_mm


def cut_list(assembly: Assembly, catalog: Catalog) -> tuple[CutRow, ...]:
    """A row for each kind of blank, in the order of :func:`find_batches`, and one for each kind of brad and weight."""
    rows = [_row(batch, assembly, catalog) for batch in find_batches(assembly)]
    bought = [p for p in assembly.parts if p.role == "fastener" and p.quantity and p.stock in catalog.brads]
    for brad in dict.fromkeys(p.stock for p in bought):
        names = [p.name for p in bought if p.stock == brad]
        size = catalog.brads[brad].head_mm
        note = "for " + ", ".join(names)
        rows.append(CutRow(f"brads.{brad}", "brads", brad, catalog.brads[brad].name, Measure(size, size, size), 1, len(names), note=note))
    for part in (p for p in assembly.parts if p.bought and p.quantity and p.stock in catalog.weights):
        weight = catalog.weights[part.stock]
        size, note = weight.diameter_mm, f"{weight.thickness_mm:g} mm thick, for the {part.name}"
        rows.append(CutRow(f"weights.{part.id}", part.name, weight.id, weight.name, Measure(size, size, size), 1, part.quantity, note=note))
    closing = close_card(assembly)
    if closing is not None and closing.magnets:
        across, thick = closing.magnet_mm
        note = f"{thick:g} mm thick, in pairs: one on each page at the same height"
        round_mm = Measure(across, across, across)
        rows.append(CutRow("card.magnets", "magnets", "magnet", f"disc magnet {across:g} mm", round_mm, 1, 2 * len(closing.magnets), note=note))
    return tuple(rows)


def _row(batch: Batch, assembly: Assembly, catalog: Catalog) -> CutRow:
    blank = batch.blank
    openings, measure = find_openings(blank, assembly), measure_blank(blank)
    return CutRow(
        blank.id,
        batch.name,
        blank.stock,
        catalog.stocks[blank.stock].name if blank.stock in catalog.stocks else catalog.foams[blank.stock].name,
        measure,
        blank.plies,
        batch.quantity,
        tuple(sorted((_score(c, blank.size_mm) for c in blank.creases), key=lambda s: (s.along, s.at_mm))),
        openings,
        blank.note,
        blank.grain,
        blank.allowances,
        tuple(round(float(shapely.LineString(slit).length), 4) for slit in blank.slits),
        blank.trims,
        batch.ids,
        batch.panels,
        blank.outline,
        blank.holes,
        why_off_mark(blank, assembly),
        tuple(_punched(openings, measure, catalog)),
        tuple(dict.fromkeys(_papers(batch.panels, assembly))),
    )


def _papers(panels: tuple[str, ...], assembly: Assembly) -> Iterator[str]:
    """The patterned papers that pieces are cut from, each by the name of its file."""
    for item in assembly.items:
        carrier = assembly.carriers.get(item.on)
        if item.on in panels and carrier is not None and is_paper(item, carrier.outline):
            yield item.title


def punched_sizes(openings: tuple[Opening, ...], measure: Measure) -> Iterator[tuple[str, float, float, bool]]:
    """Name, width and height (mm) of what could be punched, and whether it is round: the windows, and a piece that is round itself."""
    for opening in openings:
        if opening.kind != "window" or min(opening.width_mm, opening.height_mm) < LEAST_PUNCHED_MM:
            continue
        area = shapely.Polygon(opening.outline).area if len(opening.outline) > 2 else 0.0
        yield opening.name, opening.width_mm, opening.height_mm, area < ROUND_SHARE * opening.width_mm * opening.height_mm
    if measure.diameter_mm is not None and measure.diameter_mm >= LEAST_PUNCHED_MM:
        yield PIECE, measure.diameter_mm, measure.diameter_mm, True


def _punched(openings: tuple[Opening, ...], measure: Measure, catalog: Catalog) -> Iterator[Punched]:
    """The punches that come nearest to what could be punched."""
    for name, width, height, is_round in punched_sizes(openings, measure):
        best, larger = nearest_punch(catalog.punches, width, height, is_round=is_round)
        if best is not None:
            yield Punched(name, width, height, best, larger)


def _score(crease: Crease, size: tuple[float, float]) -> Score:
    (x0, y0), (x1, y1) = crease.start, crease.end
    named = (crease.fold, crease.name, crease.runs, crease.order, crease.start, crease.end)
    if abs(x1 - x0) < 1e-9:
        return Score("width", x0, *named, abs(y1 - y0) > size[1] - WHOLE_MM)
    if abs(y1 - y0) < 1e-9:
        return Score("height", y0, *named, abs(x1 - x0) > size[0] - WHOLE_MM)
    return Score("slant", min(x0, x1), *named, False)


def cut_list_json(rows: tuple[CutRow, ...]) -> dict[str, object]:
    """The rows as the documented JSON object."""
    return {"format": "lexipod-cutlist/2", "pieces": [_row_json(r) for r in rows]}


def _row_json(r: CutRow) -> dict[str, object]:
    return {
        "blank": r.blank,
        "name": r.name,
        "blanks": list(r.blanks),
        "parts": list(r.parts),
        "stock": r.stock,
        "grain": r.grain,
        "width": r.width_mm,
        "height": r.height_mm,
        "diameter": r.measure.diameter_mm,
        "inner": r.measure.inner_mm,
        "plies": r.plies,
        "quantity": r.quantity,
        "outline": [] if r.outline is None else [[float(x), float(y)] for x, y in r.outline],
        "holes": [[[float(x), float(y)] for x, y in hole] for hole in r.holes],
        "openings": [_opening_json(o) for o in r.openings],
        "note": r.note,
        "papers": list(r.papers),
        "slits": list(r.slits_mm),
        "scores": [_score_json(s) for s in r.scores],
        "allowances": [{"where": a.where, "amount": a.amount_mm, "reason": a.reason, "why": a.why} for a in r.allowances],
        "punches": [
            {"for": p.name, "nearest": p.punch.id, "off": round(p.punch.width_mm - p.width_mm, 4), "next_up": p.next_up.id if p.next_up else None}
            for p in r.punched
        ],
        "on_mark": not r.why_off,
        "why_off": r.why_off,
        "trim_in_place": [{"edge": t.edge, "extra": t.extra_mm, "why": t.why} for t in r.trims],
    }


def _opening_json(o: Opening) -> dict[str, object]:
    return {
        "kind": o.kind,
        "name": o.name,
        "width": o.width_mm,
        "height": o.height_mm,
        "diameter": o.diameter_mm,
        "from_left": o.from_left_mm,
        "from_bottom": o.from_bottom_mm,
        "centre": list(o.centre),
        "turned": o.turned_deg,
        "for": o.passes,
    }


def _score_json(score: Score) -> dict[str, object]:
    out: dict[str, object] = {"along": score.along, "at": score.at_mm, "fold": score.fold}
    out |= {"name": score.name, "runs": score.runs, "order": score.order}
    return out | {"from": list(score.start), "to": list(score.end)}


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
    if row.grain:
        told.append(f"grain {row.grain}")
    told += [f"cut from “{name}”, as its guide shows" for name in row.papers]
    told += [_punched_text(p, style) for p in row.punched]
    if row.why_off:
        told.append(f"off the ruler's marks: {row.why_off}")
    told += [f"cut {style.length(t.extra_mm)} longer at the {t.edge} and trimmed in place: {t.why}" for t in row.trims]
    told += [_allowance_text(a, style) for a in row.allowances]
    return "; ".join(told)


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


def cut_list_csv(rows: tuple[CutRow, ...], style: UnitStyle, *, scores_from: str = "left") -> str:
    """The rows as CSV; sizes stand in mm and in the user's own words, both from one value."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\n")
    head = ["part", "name", "stock", "width_mm", "height_mm", "width", "height", "plies", "quantity", "scores", "note", "openings", "diameter_mm"]
    writer.writerow(head)
    for r in rows:
        diameter = r.measure.diameter_mm
        writer.writerow(
            [
                r.blank,
                r.name,
                r.stock_name,
                f"{r.width_mm:.3f}",
                f"{r.height_mm:.3f}",
                style.length(r.width_mm),
                style.length(r.height_mm),
                r.plies,
                r.quantity,
                scores_text(r, style, from_right=scores_from == "right"),
                notes_text(r, style),
                openings_text(r, style, from_right=scores_from == "right"),
                "" if diameter is None else f"{diameter:.3f}",
            ]
        )
    return out.getvalue()


def cut_list_text(rows: tuple[CutRow, ...], style: UnitStyle, *, scores_from: str = "left") -> str:
    """The rows as a table to read."""
    table = [("piece", "cut", "of", "plies", "make")]
    table += [(r.name, size_text(r.measure, style), r.stock_name, str(r.plies), str(r.quantity)) for r in rows]
    widths = [max(len(row[k]) for row in table) for k in range(5)]
    lines = []
    for k, row in enumerate(table):
        lines.append("  ".join(text.ljust(width) for text, width in zip(row, widths, strict=True)).rstrip())
        if k:
            scores = scores_text(rows[k - 1], style, from_right=scores_from == "right")
            openings = openings_text(rows[k - 1], style, from_right=scores_from == "right")
            lines += [f"    {text}" for text in (scores, openings, notes_text(rows[k - 1], style)) if text]
    return "\n".join(lines) + "\n"
