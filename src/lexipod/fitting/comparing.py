"""What-if: two versions of a design side by side, in what they decide, how they run, and what is cut for them."""

from __future__ import annotations

from dataclasses import dataclass

from lexipod.assembly import Assembly
from lexipod.blanks import count_pieces
from lexipod.building import build_assembly
from lexipod.catalog import Catalog
from lexipod.checks import Examination, Finding, run_checks, verdict_of
from lexipod.checks.outline import thickness_mm
from lexipod.checks.post import find_posted
from lexipod.design import Design
from lexipod.editing.items import format_item
from lexipod.fabricate import cut_list
from lexipod.fabricate.cutlist import CutRow
from lexipod.recipes import find_recipe
from lexipod.ribbon import RibbonRow, fold_rows, ribbon_rows
from lexipod.units import UnitStyle, format_quantity
from lexipod.units.quantities import Value

STEPS = 91
SAME_MM = 0.005


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that differs: whose it is, what it is called, and its text in either version (empty: not there)."""

    subject: str
    name: str
    first: str
    second: str


@dataclass(frozen=True, slots=True)
class RowPair:
    """One row of the ribbon in both versions: the least value over the travel (of play and push the greatest), its need, and whether it is
    in trouble; None where it is not there."""

    mechanism: str
    label: str
    unit: str
    needed: float
    first: float | None
    second: float | None
    first_trouble: bool
    second_trouble: bool


@dataclass(frozen=True, slots=True)
class Comparison:
    """Everything that differs between two designs. ``gone`` are findings of the first that the second no longer has, ``new`` those that it
    has besides, ``changed`` those of both that are worse or better."""

    decisions: tuple[Difference, ...]
    gone: tuple[Finding, ...]
    new: tuple[Finding, ...]
    changed: tuple[tuple[Finding, Finding], ...]
    same: tuple[Finding, ...]
    rows: tuple[RowPair, ...]
    cut: tuple[Difference, ...]
    totals: tuple[Difference, ...]
    verdicts: tuple[str, str]


def compare_designs(first: Design, second: Design, catalog: Catalog, *, steps: int = STEPS) -> Comparison:
    """Both designs checked, and what differs; told in the units of the second."""
    style = second.ways.style()
    assemblies = [build_assembly(d, catalog) for d in (first, second)]
    examinations = [Examination(a, catalog, d.ways, steps=steps) for a, d in zip(assemblies, (first, second), strict=True)]
    found = [run_checks(e) for e in examinations]
    one, two = ({f.key: f for f in findings} for findings in found)
    shared = [k for k in two if k in one]
    changed = tuple((one[k], two[k]) for k in shared if (one[k].severity, round(one[k].missing, 3)) != (two[k].severity, round(two[k].missing, 3)))
    return Comparison(
        tuple(find_decisions(first, second, style)),
        tuple(f for k, f in one.items() if k not in two),
        tuple(f for k, f in two.items() if k not in one),
        changed,
        tuple(two[k] for k in shared if (one[k], two[k]) not in changed),
        _row_pairs(*examinations),
        tuple(_cut_differences(cut_list(assemblies[0], catalog), cut_list(assemblies[1], catalog), style)),
        tuple(_totals(examinations, assemblies, style)),
        (verdict_of(found[0]), verdict_of(found[1])),
    )


def find_decisions(first: Design, second: Design, style: UnitStyle) -> list[Difference]:
    """What was decided otherwise: card, closure, foam, parameters, items, corners."""
    found = []
    for name, a, b in (
        ("size", first.card.size, second.card.size),
        ("width", first.card.width, second.card.width),
        ("height", first.card.height, second.card.height),
        ("orientation", first.card.orientation, second.card.orientation),
        ("fold", first.card.fold, second.card.fold),
        ("base", first.card.base, second.card.base),
        ("stock", first.card.stock, second.card.stock),
        ("front less", first.card.front_less, second.card.front_less),
        ("inner card", first.card.inner, second.card.inner),
        ("corners", first.card.corners, second.card.corners),
        ("corner cut", first.card.corner_cut, second.card.corner_cut),
        ("hole", first.card.hole, second.card.hole),
        ("hole from top", first.card.hole_from, second.card.hole_from),
        ("envelope", first.envelope or "usual", second.envelope or "usual"),
        ("closure", first.closing.kind, second.closing.kind),
        ("foam style", first.foam_style, second.foam_style),
        ("cutting", first.ways.cutting, second.ways.cutting),
    ):
        if a != b:
            found.append(Difference("card", name, "" if a is None else _told(a, "length", style), "" if b is None else _told(b, "length", style)))
    ids = dict.fromkeys([*(m.id for m in first.mechanisms), *(m.id for m in second.mechanisms)])
    for mechanism_id in ids:
        found += _mechanism_differences(first, second, mechanism_id, style)
    texts = [{i.id: format_item(i) for i in d.items} for d in (first, second)]
    for item in dict.fromkeys([*texts[0], *texts[1]]):
        if texts[0].get(item) != texts[1].get(item):
            found.append(Difference("item", item, texts[0].get(item, ""), texts[1].get(item, "")))
    for part in dict.fromkeys([*first.corners, *second.corners]):
        a, b = first.corners.get(part), second.corners.get(part)
        if a != b:
            found.append(Difference("corner", part, "" if a is None else style.length(a), "" if b is None else style.length(b)))
    return found


def _told(value: Value, kind: str, style: UnitStyle) -> str:
    return format_quantity(value, kind, style) if isinstance(value, int | float | tuple) and not isinstance(value, bool) else str(value)


def _mechanism_differences(first: Design, second: Design, mechanism_id: str, style: UnitStyle) -> list[Difference]:
    a, b = first.find_mechanism(mechanism_id), second.find_mechanism(mechanism_id)
    if a is None or b is None or a.recipe != b.recipe:
        names = [find_recipe(m.recipe).name if m is not None else "" for m in (a, b)]
        return [Difference(mechanism_id, "mechanism", *names)]
    found = []
    recipe = find_recipe(a.recipe)
    for parameter in recipe.parameters:
        old, new = a.parameters.get(parameter.name), b.parameters.get(parameter.name)
        if old is None or new is None or _is_same(old, new):
            continue
        found.append(Difference(mechanism_id, parameter.label, *(format_quantity(v, parameter.kind, style) for v in (old, new))))
    for name, old_place, new_place in (("mirrored", a.mirror, b.mirror), ("turned", a.turned, b.turned), ("shifted", a.shift, b.shift)):
        if old_place != new_place:
            kind = "flag" if name == "mirrored" else "angle" if name == "turned" else "point"
            found.append(Difference(mechanism_id, name, format_quantity(old_place, kind, style), format_quantity(new_place, kind, style)))
    return found


def _is_same(a: Value, b: Value) -> bool:
    if isinstance(a, tuple) and isinstance(b, tuple):
        return all(abs(x - y) < SAME_MM for x, y in zip(a, b, strict=True))
    if isinstance(a, int | float) and isinstance(b, int | float):
        return abs(a - b) < SAME_MM
    return a == b


def _row_pairs(first: Examination, second: Examination) -> tuple[RowPair, ...]:
    pairs = []
    rows = [_all_rows(e) for e in (first, second)]
    for key in dict.fromkeys([*rows[0], *rows[1]]):
        a, b = rows[0].get(key), rows[1].get(key)
        known = b or a
        assert known is not None
        pairs.append(RowPair(key[0], key[1], known.unit, known.needed, _worst(a), _worst(b), _trouble(a), _trouble(b)))
    return tuple(pairs)


def _all_rows(examination: Examination) -> dict[tuple[str, str], RibbonRow]:
    found = {(d.mechanism, row.label): row for d in examination.drives for row in ribbon_rows(examination, d.mechanism)}
    return found | {(f.mechanism, row.label): row for f in examination.assembly.foldings for row in fold_rows(examination, f.mechanism)}


def _worst(row: RibbonRow | None) -> float | None:
    return None if row is None else row.least


def _trouble(row: RibbonRow | None) -> bool:
    return row is not None and bool(row.trouble.any())


def _cut_differences(first: tuple[CutRow, ...], second: tuple[CutRow, ...], style: UnitStyle) -> list[Difference]:
    texts = [{row.blank: _piece_text(row, style) for row in rows} for rows in (first, second)]
    names = {row.blank: row.name for row in (*first, *second)}
    return [
        Difference("cut list", names[piece], texts[0].get(piece, ""), texts[1].get(piece, ""))
        for piece in dict.fromkeys([*texts[0], *texts[1]])
        if texts[0].get(piece) != texts[1].get(piece)
    ]


def _piece_text(row: CutRow, style: UnitStyle) -> str:
    size = f"{style.length(row.width_mm)} × {style.length(row.height_mm)}"
    plies = f", {row.plies} plies" if row.plies > 1 else ""
    count = f"{row.quantity} × " if row.quantity > 1 else ""
    scores = f", {len(row.scores)} scores" if row.scores else ""
    return f"{count}{size} {row.stock_name}{plies}{scores}"


def _totals(examinations: list[Examination], assemblies: list[Assembly], style: UnitStyle) -> list[Difference]:
    thick = [style.thickness(thickness_mm(e)) for e in examinations]
    posted = [find_posted(e) for e in examinations]
    mass = ["" if p is None else f"{p.mass_g:.0f} g" for p in posted]
    pieces = [str(count_pieces(a)) for a in assemblies]
    rows = [("thickest place", thick), ("mass with envelope", mass), ("pieces", pieces)]
    return [Difference("whole card", name, *pair) for name, pair in rows]
