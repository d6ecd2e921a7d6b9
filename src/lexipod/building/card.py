"""From a design to its assembly: the card itself, then each mechanism on it."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, replace
from typing import Any

import shapely

from lexipod.assembly import Assembly, CardFrame, Handle
from lexipod.assembly.doors import folded_top_mm, shut_doors
from lexipod.assembly.model import Piece
from lexipod.building.base import base_parts, clear_of_card, gate_parts
from lexipod.building.cue_placing import cue_handles, place_cues
from lexipod.building.fold_items import with_items
from lexipod.building.items import build_items, item_handles, round_corners
from lexipod.building.laps import build_laps
from lexipod.building.piercing import pierce
from lexipod.building.placing import Placing
from lexipod.building.refusing import sized_values
from lexipod.building.sharing import share_pages
from lexipod.catalog import Catalog
from lexipod.design import Closure, Design, Mechanism
from lexipod.errors import ChoiceError, FileError, ParameterError
from lexipod.recipes.kit.parameters import Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet, Stand, agree, build_sheets
from lexipod.recipes.registry import find_recipe
from lexipod.units.quantities import Value

_RECENT: deque[tuple[Design, Catalog, Assembly]] = deque(maxlen=4)


SPARE_MM = 3.0
"""What a card wants of its envelope on the whole, both sides together: what the traded pairs have at least."""


def card_frame(design: Design, catalog: Catalog) -> CardFrame:
    """The closed card of a design with its envelope; ``FileError`` names an id that the catalog does not have."""
    card = design.card
    if card.size == "free":
        assert card.width is not None and card.height is not None
        title, width, height, envelopes = "Free size", card.width, card.height, ()
    else:
        size = _look_up(catalog, "cards", card.size, "card.size")
        title, width, height, envelopes = size.name, size.width_mm, size.height_mm, size.envelopes
        if card.orientation == "landscape":
            width, height = height, width
    stock = _look_up(catalog, "stocks", card.stock, "card.stock")
    envelope_id = design.envelope or (envelopes[0] if envelopes else None)
    if envelope_id is None and card.size == "free":
        envelope_id = nearest_envelope(catalog, width, height)
    try:
        envelope = catalog.find_envelope(envelope_id) if envelope_id else None
    except (KeyError, ValueError):
        envelope = _look_up(catalog, "envelopes", str(envelope_id), "envelope")
    return CardFrame(
        card.size,
        title,
        card.orientation,
        width,
        height,
        card.fold,
        card.base,
        stock.id,
        stock.caliper_mm,
        envelope_id,
        (envelope.width_mm, envelope.height_mm) if envelope else None,
        front_less_mm=min(card.front_less, (width if card.fold == "left" else height) / 2),
        inner_mm=card.inner,
        corners_mm=card.corners,
        corner_cut=card.corner_cut,
        hole_mm=card.hole,
        hole_from_mm=card.hole_from,
    )


def nearest_envelope(catalog: Catalog, width_mm: float, height_mm: float) -> str | None:
    """The smallest envelope that takes a card of that size with a little air, or None where all are too small."""
    short, long = sorted((width_mm, height_mm))
    fitting = [
        e for e in catalog.envelopes.values() if min(e.width_mm, e.height_mm) >= short + SPARE_MM and max(e.width_mm, e.height_mm) >= long + SPARE_MM
    ]
    return min(fitting, key=lambda e: (e.width_mm * e.height_mm, e.id)).id if fitting else None


def _look_up(catalog: Catalog, table: str, key: str, place: str) -> Any:
    entries = getattr(catalog, table)
    if key not in entries:
        raise FileError("design", str(ChoiceError(table.removesuffix("s"), key, sorted(entries))), place=place)
    return entries[key]


def site_for(design: Design, catalog: Catalog) -> Site:
    """What recipes are told about the place they stand in."""
    return Site(card_frame(design, catalog), catalog, design.ways)


def resolve_parameters(recipe: Recipe, site: Site, given: dict[str, Value], *, path: str = "parameters", bounded: bool = True) -> Values:
    """A value for each parameter: the given ones, checked (against their limits if they are ``bounded``), and the rest sized for the card.

    Raises ``ParameterError`` with the path of a bad value, ``ChoiceError`` for an unknown name, ``CardTooSmall``.
    """
    kept = {}
    for name, value in given.items():
        try:
            parameter = recipe.find_parameter(name)
        except ChoiceError as error:
            raise ParameterError(f"{path}.{name}", str(error)) from error
        kept[name] = parameter.accept(value, path=f"{path}.{name}", bounded=bounded)
    if len(kept) == len(recipe.parameters):
        return {p.name: kept[p.name] for p in recipe.parameters}
    return sized_values(recipe, site, kept, path=path)


def build_as_cut(design: Design, catalog: Catalog) -> Assembly:
    """The assembly of a design whose measures may lie a little outside their limits, as those of a build do."""
    return _build(design, catalog, bounded=False)


def build_assembly(design: Design, catalog: Catalog) -> Assembly:
    """Parts, joints, drives, zones and needs of the whole card.

    The assemblies of the last few designs are kept, since one edit is built to see that it can be, and again to be shown;
    designs never change, so the same object always means the same assembly.
    """
    for known_design, known_catalog, assembly in list(_RECENT):
        if known_design is design and known_catalog is catalog:
            return assembly
    built = _build(design, catalog)
    _RECENT.append((design, catalog, built))
    return built


def _build(design: Design, catalog: Catalog, *, bounded: bool = True) -> Assembly:
    site = site_for(design, catalog)
    plans = [_plan(site, k, m, bounded=bounded) for k, m in enumerate(design.mechanisms)]
    is_made = _check_company(site, plans)
    sheets = [replace(sheet, region=clear_of_card(site.card, sheet.region)) for plan in plans for sheet in plan.sheets()]
    stand = agree(sheets, catalog, card_mm=site.card_mm, caliper_mm=site.card.caliper_mm)
    pieces = [plan.build(stand) for plan in plans]
    try:
        pieces = share_pages(pieces)
    except ValueError as error:
        raise ParameterError(plans[-1].mechanism.id, f"nothing is left of an inner card beside the other folds: {error}") from error
    pieces = [replace(p, folding=with_items(p.folding, design.items, catalog)) if p.folding is not None else p for p in pieces]
    panels = {panel for p in pieces if p.folding is not None for panel in p.folding.by_id}
    openings: dict[str, list[Any]] = {}
    for piece in pieces:
        for part, regions in piece.openings.items():
            openings.setdefault(part, []).extend(regions)
    parts, joints, seams = ([], [], []) if is_made else base_parts(site.card, openings.get("card.front", ()))
    sheet_parts, sheet_joints = build_sheets(sheets, stand, catalog, site.card.stock, openings, design.foam_style, site.grid_mm)
    parts += sheet_parts
    joints += sheet_joints
    for piece in pieces:
        parts += piece.parts
        joints += piece.joints
    parts = pierce(parts)
    if design.corners:
        parts = [round_corners(p, design.corners[p.id]) if p.id in design.corners else p for p in parts]
    cues = place_cues([c for p in pieces for c in p.cues], design.cues, parts)
    if site.card.base == "gate":  # how far apart their scores are follows from all that lies between, also what was put on by hand
        doors, _ = gate_parts(site.card, 0.0, site.grid_mm)
        stuck, glued, _ = build_items(design.items, [*parts, *doors], catalog)
        foldings = [p.folding for p in pieces if p.folding is not None]
        on_doors = shut_doors(site.card, [*parts, *stuck], doors, glued, foldings)
        lying = {p.id: p.top_mm for p in (*parts, *stuck)} | {d.part.id: d.face_mm for d in on_doors}
        highest = max(*lying.values(), folded_top_mm(parts, foldings))
        doors, hinges = gate_parts(site.card, highest - site.card.caliper_mm, site.grid_mm)
        parts += doors
        joints += hinges
    added, glued, strays = build_items(design.items, parts, catalog, panels)
    parts += added
    joints += glued
    doubled, laid = build_laps(design.sheeting.laps, parts, catalog)
    parts += doubled
    joints += laid
    return Assembly(
        site.card,
        tuple(sorted(parts, key=lambda p: (p.level, p.z_mm))),
        tuple(joints),
        drives=tuple(d for p in pieces for d in p.drives),
        zones=tuple(z for p in pieces for z in p.zones),
        needs=tuple(n for p in pieces for n in p.needs),
        handles=(*(h for p in pieces for h in p.handles), *item_handles(design.items, parts), *cue_handles(cues, parts)),
        clearances=tuple(c for p in pieces for c in p.clearances),
        cues=cues,
        foldings=tuple(p.folding for p in pieces if p.folding is not None),
        closure=_closure(design, site, is_made=is_made),
        strays=tuple(strays),
        seams=(*seams, *(s for p in pieces for s in p.seams)),
        mark_mm=site.grid_mm,
        items=design.items,
        laps=dict(design.sheeting.laps),
    )


def _closure(design: Design, site: Site, *, is_made: bool) -> Closure:
    """What keeps the card shut; ``ParameterError`` where it cannot."""
    closure = design.closing
    if closure.kind == "hem" and site.card.front_less_mm:
        raise ParameterError("closure", "magnets in two hems meet only where front and back are equally wide; set card.front_less=0")
    if closure.kind == "hem" and (is_made or site.card.base != "folded"):
        raise ParameterError("closure", "a hem with magnets is folded from the two pages of a folded card; this is none. Take a band or a seal strip")
    return closure


def _check_company(site: Site, plans: list[_Plan]) -> bool:
    """Whether one of the mechanisms makes the card itself; ``ParameterError`` where they cannot stand on one card."""
    makers = [plan for plan in plans if plan.recipe.makes == "card"]
    if makers and len(plans) > 1:
        other = next(plan for plan in plans if plan is not makers[0])
        raise ParameterError(
            makers[0].mechanism.id, f"the {makers[0].recipe.name} is a card of its own; it cannot share one with the {other.recipe.name}"
        )
    for plan in plans:
        unequal = site.card.front_less_mm and plan.recipe.makes == "card"
        if plan.recipe.makes != "face" and (site.card.inner_mm is not None or unequal):
            name = "card.inner" if site.card.inner_mm is not None else "card.front_less"
            why = "brings its own inner card" if plan.recipe.makes == "inside" and name == "card.inner" else "needs two equal panels"
            raise ParameterError(name, f"the {plan.recipe.name} {why}; set {name}={'none' if name == 'card.inner' else '0mm'}")
        if plan.recipe.makes == "inside" and site.card.base != "folded":
            raise ParameterError(plan.mechanism.id, f"the {plan.recipe.name} stands inside a folded card; this base is a {site.card.base}")
        if plan.recipe.makes == "card" and site.card.base != "folded":
            raise ParameterError("card.base", f"the {plan.recipe.name} makes the card itself, so it has no {site.card.base}; set base=folded")
        is_moved = plan.mechanism.shift != (0.0, 0.0) or (plan.recipe.makes == "inside" and plan.mechanism.turned)
        if plan.recipe.makes != "face" and is_moved:
            where = "the gutter" if plan.recipe.makes == "inside" else "its own card"
            raise ParameterError(plan.mechanism.id, f"the {plan.recipe.name} belongs to {where}: it is moved by its own measures")
    return bool(makers)


@dataclass(frozen=True, slots=True)
class _Plan:
    """One mechanism on its way to be built: what it decided, and the card as its recipe sees it."""

    site: Site
    mechanism: Mechanism
    recipe: Recipe
    values: Values
    placing: Placing

    def sheets(self) -> list[Sheet]:
        """What it asks of panel and frame, in the card's frame."""
        try:
            asked = self.recipe.sheets(self.site, self.values)
        except ValueError as error:
            raise self._refused(error) from error
        return [replace(s, region=self.placing.region(s.region, shifts=False), clear=tuple(self.placing.region(c) for c in s.clear)) for s in asked]

    def _refused(self, error: ValueError) -> ParameterError:
        return ParameterError(self.mechanism.id, f"these measures leave nothing of a part of the {self.recipe.name}: {error}")

    def build(self, stand: Stand) -> Piece:
        """Its piece in the card's frame."""
        try:
            piece = self.placing.piece(self.recipe.build(replace(self.site, stand=stand), self.mechanism.id, self.values))
        except ValueError as error:
            raise self._refused(error) from error
        moving = [p for p in piece.parts if p.role == "moving"] or list(piece.parts)
        if not moving and (piece.folding is None or piece.folding.kind != "face"):
            return piece
        if piece.folding is not None:
            x, y = shapely.MultiPoint([h.at for h in piece.handles]).centroid.coords[0]
        else:
            x, y = shapely.MultiPoint([p.region_at_home.centroid for p in moving]).centroid.coords[0]
        whole = Handle(self.mechanism.id, "shift", "whole mechanism", (float(x), float(y)), (1.0, 0.0), 1.0, ((x, y), (x, y)), cross=(0.0, 1.0))
        return replace(piece, handles=(*piece.handles, whole))


def own_site(site: Site, mechanism: Mechanism) -> Site:
    """The card as the recipe of a mechanism sees it: the panel that it stands on, laid the other way round for a turned one."""
    if find_recipe(mechanism.recipe).makes != "face":
        return site
    x0, y0, x1, y1 = site.card.front_box
    width, height = (x1 - x0, y1 - y0) if mechanism.turned % 180 == 0 else (y1 - y0, x1 - x0)
    if (width, height) == (site.card.width_mm, site.card.height_mm):
        return site
    return replace(site, card=replace(site.card, width_mm=width, height_mm=height, front_less_mm=0.0))


def _plan(site: Site, index: int, mechanism: Mechanism, *, bounded: bool) -> _Plan:
    path = f"mechanisms[{index}]"
    try:
        recipe = find_recipe(mechanism.recipe)
    except ChoiceError as error:
        raise ParameterError(f"{path}.recipe", str(error)) from error
    own = own_site(site, mechanism)
    values = resolve_parameters(recipe, own, mechanism.parameters, path=f"{path}.parameters", bounded=bounded)
    return _Plan(own, mechanism, recipe, values, Placing.of(mechanism, site.card))
