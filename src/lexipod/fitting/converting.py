"""Another size: a design carried over to another card.

What the program had sized is sized anew. Of what the maker decided, layout and pictures are scaled with the card; clearances, foam,
fasteners and what fingers reach stay as they are, since neither paper nor hands grow with a card. What then blocks is cured, and where a
decision stands in the way it is let go and named.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import msgspec

from lexipod.building import build_assembly, site_for
from lexipod.building.card import own_site, resolve_parameters
from lexipod.catalog import Catalog
from lexipod.checks import Examination, Finding, run_checks
from lexipod.checks.examination import COARSE_STEPS
from lexipod.checks.table import NEVER_BLOCKING
from lexipod.cures import find_remedies
from lexipod.design import Card, Closure, Design, Item, Mechanism
from lexipod.design.items import LARGEST_MM
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.recipes import Recipe, find_recipe
from lexipod.recipes.kit.parameters import Site, Values
from lexipod.units.quantities import Value

How = Literal["scaled", "kept", "sized", "cured", "let go"]
SAME_MM = 0.02
MOST_CURES = 6
GAPS = frozenset(["clearance", "pad_play", "pad_start", "overlap", "lap", "slot_gap"]) | frozenset(
    ["gap", "pill_distance", "front_left", "behind_left", "rail_width", "rim"]
)
FASTENERS = frozenset(["hole", "bearing", "pill", "washer", "brad", "slot_width"]) | frozenset(
    ["pin_distance", "washer_width", "link_width", "connector_width", "stick_width", "thread"]
)
HELD = frozenset(["notch_depth", "protrusion", "reach", "grip", "tab", "tab_width"]) | frozenset(
    ["flap", "belt_glue", "strap_width", "strip_width", "strut", "flange", "corner"]
)
STAYING = GAPS | FASTENERS | HELD
"""Lengths that do not grow with a card: clearances, holes, fasteners, glue flaps, and what fingers take hold of."""


@dataclass(frozen=True, slots=True)
class MeasureChange:
    """One measure before and after, and how it came about."""

    mechanism: str
    name: str
    old: Value
    new: Value
    how: How


@dataclass(frozen=True, slots=True)
class Converted:
    """The design on the other card, what changed, what still blocks, and why a mechanism cannot stand there at all (by id)."""

    design: Design
    changes: tuple[MeasureChange, ...]
    blocks: tuple[Finding, ...]
    refusals: dict[str, str]

    @property
    def is_free(self) -> bool:
        return not self.blocks and not self.refusals

    @property
    def reason(self) -> str:
        """Why it does not fit, in one sentence; empty when it does."""
        if self.refusals:
            return next(iter(self.refusals.values()))
        return f"{self.blocks[0].title}. {self.blocks[0].message}" if self.blocks else ""


def decided_values(recipe: Recipe, site: Site, values: Values, by_hand: Iterable[str] = ()) -> Values:
    """The least of a mechanism's values from which the recipe would size all the others as they are, with all that was set by hand: what
    the maker decided."""
    decided: Values = {name: values[name] for name in (*recipe.shaping, *by_hand) if name in values}
    for _ in recipe.parameters:
        try:
            sized = resolve_parameters(recipe, site, decided)
        except LexipodError:
            return dict(values)
        different = next((n for n in values if n not in decided and not _same(values[n], sized[n])), None)
        if different is None:
            break
        decided[different] = values[different]
    return decided


def _same(a: Value, b: Value) -> bool:
    if isinstance(a, tuple) and isinstance(b, tuple):
        return all(abs(x - y) <= SAME_MM for x, y in zip(a, b, strict=True))
    if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
        return abs(a - b) <= SAME_MM
    return a == b


def scaled_values(recipe: Recipe, decided: Values, ratios: tuple[float, float]) -> tuple[Values, dict[str, How]]:
    """Decided values as they are on the other card, and which of them were scaled."""
    made: Values = {}
    how: dict[str, How] = {}
    least = min(ratios)
    for name, value in decided.items():
        kind = recipe.find_parameter(name).kind
        if kind == "point" and isinstance(value, tuple):
            made[name] = (round(value[0] * ratios[0], 2), round(value[1] * ratios[1], 2))
        elif kind == "length" and name not in STAYING and isinstance(value, int | float):
            made[name] = round(float(value) * least, 2)
        else:
            made[name] = value
        how[name] = "kept" if made[name] == value else "scaled"
    return made, how


def convert_design(design: Design, catalog: Catalog, card: Card) -> Converted:
    """The design on another card. What cannot stand there keeps the mechanism as it was and says why; the design given is not touched."""
    old_site = site_for(design, catalog)
    bare = msgspec.structs.replace(design, card=card, envelope=None, mechanisms=(), items=(), closure=_closure(design), corners={})
    new_site = site_for(bare, catalog)
    ratios = (new_site.card.width_mm / old_site.card.width_mm, new_site.card.height_mm / old_site.card.height_mm)
    made = bare
    changes: list[MeasureChange] = []
    refusals: dict[str, str] = {}
    for mechanism in design.mechanisms:
        whole, how, refusal = _carried(made, catalog, mechanism, old_site, new_site, ratios)
        if whole is None:
            refusals[mechanism.id] = refusal
            continue
        made = whole
        fresh = made.find_mechanism(mechanism.id)
        assert fresh is not None
        changes += [
            MeasureChange(mechanism.id, name, old, fresh.parameters[name], how.get(name, "sized"))
            for name, old in mechanism.parameters.items()
            if not _same(old, fresh.parameters[name])
        ]
    kept_items = tuple(i for i in design.items if i.on.partition(".")[0] not in refusals)
    made = msgspec.structs.replace(
        made,
        items=_carried_items(kept_items, design, made, catalog),
        corners={p: r for p, r in design.corners.items() if p.partition(".")[0] not in refusals},
    )
    made, cured = _cured(made, catalog)
    changes += [MeasureChange(m, n, old, new, "cured") for m, n, old, new in cured]
    return Converted(made, tuple(changes), _blocks(made, catalog), refusals)


def _closure(design: Design) -> Closure | Literal["none"]:
    """The same kind of closure, sized for the other card."""
    kind = design.closing.kind
    return "none" if kind == "none" else Closure(kind)


def _carried_items(items: tuple[Item, ...], design: Design, made: Design, catalog: Catalog) -> tuple[Item, ...]:
    """The items on the parts of the other card: each is scaled with the part that carries it, which need not grow as the card does."""
    old = build_assembly(design, catalog).by_id
    carried: list[Item] = []
    for item in items:  # in turn, since one may lie on another
        new = build_assembly(msgspec.structs.replace(made, items=tuple(carried)), catalog).by_id
        sizes = [by_id[item.on].size_mm if item.on in by_id else (1.0, 1.0) for by_id in (old, new)]
        carried.append(_scaled_item(item, (sizes[1][0] / sizes[0][0], sizes[1][1] / sizes[0][1])))
    return tuple(carried)


def _scaled_item(item: Item, ratios: tuple[float, float]) -> Item:
    """Places, pictures and letters scaled; pads and film keep their size, and what is a share of its part is one of the new part."""
    at = (round(item.at[0] * ratios[0], 2), round(item.at[1] * ratios[1], 2))
    if item.share is not None or item.kind == "mat":
        return item
    if item.kind in ("pad", "glide", "film"):
        return msgspec.structs.replace(item, at=at)
    least = min(ratios)
    size = {side: min(LARGEST_MM, max(1.0, round(getattr(item, side) * least, 2))) for side in ("width", "height")}
    bow = {"radius": math.copysign(max(2.0, round(abs(item.radius) * least, 2)), item.radius)} if item.radius else {}
    return msgspec.structs.replace(item, at=at, **size, **bow)


def _carried(
    made: Design, catalog: Catalog, mechanism: Mechanism, old_site: Site, new_site: Site, ratios: tuple[float, float]
) -> tuple[Design | None, dict[str, How], str]:
    """The design with one more mechanism on it; decisions that stand in the way are let go, the last one first."""
    recipe = find_recipe(mechanism.recipe)
    old, new = own_site(old_site, mechanism), own_site(new_site, mechanism)
    turned = ratios if mechanism.turned % 180 == 0 else ratios[::-1]
    decided = decided_values(recipe, old, mechanism.parameters, mechanism.decided)
    wanted, how = scaled_values(recipe, decided, turned)
    shift = (round(mechanism.shift[0] * ratios[0], 2), round(mechanism.shift[1] * ratios[1], 2))
    base = msgspec.structs.replace(mechanism, shift=shift)
    free = [name for name in wanted if name not in recipe.shaping]
    refusal, best = "", None
    for dropped in range(len(free) + 1):
        kept = {n: v for n, v in wanted.items() if n not in free[len(free) - dropped :]} if dropped else wanted
        told: dict[str, How] = {n: how[n] if n in kept else "let go" for n in wanted}
        try:
            values = resolve_parameters(recipe, new, kept)
            whole = msgspec.structs.replace(made, mechanisms=(*made.mechanisms, msgspec.structs.replace(base, parameters=values)))
            blocks = _blocks(whole, catalog)
        except (LexipodError, ValueError) as error:
            refusal = str(error)
            continue
        if not blocks:
            return whole, told, ""
        if best is None or len(blocks) < best[2]:
            best = (whole, told, len(blocks))
    return (None, {}, refusal) if best is None else (best[0], best[1], "")


def _cured(design: Design, catalog: Catalog) -> tuple[Design, list[tuple[str, str, Value, Value]]]:
    """Whole cures applied while something blocks."""
    done = []
    for _ in range(MOST_CURES):
        blocks = _blocks(design, catalog)
        cure = next((r for f in blocks for r in find_remedies(design, catalog, f) if r.cures and "card" not in r.set), None)
        if cure is None:
            break
        before = design
        design = change_design(design, catalog, cure.set, mechanism=cure.mechanism)
        for name, value in cure.set.items():
            old: Value = "" if cure.mechanism is None else _value(before, cure.mechanism, name)
            done.append((cure.mechanism or "card", name, old, value))
    return design, done


def _value(design: Design, mechanism_id: str, name: str) -> Value:
    mechanism = design.find_mechanism(mechanism_id)
    return "" if mechanism is None else mechanism.parameters.get(name.partition(".")[0], "")


def _blocks(design: Design, catalog: Catalog) -> tuple[Finding, ...]:
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=COARSE_STEPS)
    return tuple(f for f in run_checks(examination, without=NEVER_BLOCKING) if f.severity == "block")
