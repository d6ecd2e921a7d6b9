"""The maker's wish first: what she set by hand and what she pinned is kept, and the rest fitted round it.

It is tried with all that she ever set, then with what she set later, last with what she set last; what is pinned is kept every time. A
cure that keeps the wish stands before those that give some of it up, and these say how much. Where the wish cannot be kept, it is told
how much of it can, and what leaves no more room.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import msgspec

from lexipod.building.card import card_frame
from lexipod.catalog import Catalog
from lexipod.catalog.book import Size
from lexipod.checks import Finding, Remedy
from lexipod.design import Design, Mechanism
from lexipod.errors import LexipodError
from lexipod.fitting.sizing import Fitted, fit_design
from lexipod.recipes import Parameter, Recipe, find_recipe
from lexipod.units import UnitStyle, format_quantity
from lexipod.units.quantities import Value

MOST_NAMED = 2
MOST_REASONS = 3
LOOKED_FOR_SECONDS = 1.5
EXITS_BY = ("direction", "exit")
"""Choices of the edge of exit: another edge is another card."""
MATERIALS = ("foam", "brad", "paper", "stock", "cue", "rider", "window_from")
"""Choices of what something is made of, or how it is told: they make no room."""


@dataclass(frozen=True, slots=True)
class Granted:
    """What becomes of the wish for one mechanism: the cure that keeps it, or why there is none."""

    remedy: Remedy | None
    limit: str = ""
    most: tuple[tuple[str, float], ...] = ()
    because: tuple[str, ...] = ()


def wishes_of(mechanism: Mechanism) -> list[tuple[str, ...]]:
    """The measures to be kept, the most of them first: all that were decided, the later half of them, the last one, each with the pinned."""
    pinned = [n for n in mechanism.pinned if n in mechanism.parameters]
    decided = [n for n in mechanism.decided if n in mechanism.parameters and n not in pinned]
    counts = dict.fromkeys((len(decided), (len(decided) + 1) // 2, min(1, len(decided))))
    return [names for count in counts if (names := (*decided[:count], *pinned))]


def grant_wishes(
    design: Design,
    catalog: Catalog,
    findings: Sequence[Finding],
    *,
    explains: bool = True,
    mends: bool = True,
    is_current: Callable[[], bool] = lambda: True,
) -> dict[str, Granted]:
    """For every mechanism that has a wish and something that blocks: the rest fitted round it, or how much of it can be. That takes long;
    unless it ``explains``, those whose wish is not kept by sizing anew and by cures are left out. Where that was asked before, it need not
    be tried again (``mends``): then the rest is for those that were left out."""
    out: dict[str, Granted] = {}
    style = design.ways.style()
    for mechanism in design.mechanisms:
        wishes = wishes_of(mechanism) if mends else wishes_of(mechanism)[-1:]
        if not wishes or not any(f.severity == "block" and f.mechanism == mechanism.id for f in findings):
            continue
        told, names = None, wishes[-1]
        for names in wishes:
            if not is_current():
                return out
            try:
                last = names == wishes[-1]
                told = fit_design(design, catalog, mechanism.id, names, widens=False, mends=mends, explains=explains and last, is_current=is_current)
            except LexipodError:
                continue
            if told.is_free:
                break
        if told is None or not (explains or told.is_free):
            continue
        granted = _granted(mechanism, names, told, style)
        if granted.limit:
            elsewhere = _elsewhere(design, catalog, mechanism, names, is_current)
            granted = replace(granted, limit=f"{granted.limit} {elsewhere}".strip())
        if granted.remedy is not None:
            granted = replace(granted, remedy=_telling_loss(design, granted.remedy, style))
        out[mechanism.id] = granted
    return out


def _elsewhere(design: Design, catalog: Catalog, mechanism: Mechanism, names: tuple[str, ...], is_current: Callable[[], bool]) -> str:
    """Where all of the wish could be kept: with another choice, or from which larger card on. It is looked for a moment only."""
    until = time.monotonic() + LOOKED_FOR_SECONDS
    recipe = find_recipe(mechanism.recipe)

    def may_go_on() -> bool:
        return is_current() and time.monotonic() < until

    def is_kept(changed: Design) -> bool:
        try:
            return fit_design(changed, catalog, mechanism.id, names, widens=False, explains=False).is_free
        except (LexipodError, ValueError):
            return False

    told = []
    for parameter, choice in _other_choices(recipe, mechanism, names):
        if not may_go_on():
            break
        if is_kept(design.with_parameters(mechanism.id, {parameter.name: choice})):
            told.append(f"with “{choice}” for {parameter.label}")
            break
    for size in _larger_cards(design, catalog):
        if not may_go_on():
            break
        card = msgspec.structs.replace(design.card, size=size.id, width=None, height=None)
        if is_kept(msgspec.structs.replace(design, card=card, envelope=None)):
            told.append(f"from the {size.name} card on")
            break
    return f"All of it can be had {', or '.join(told)}." if told else ""


def _other_choices(recipe: Recipe, mechanism: Mechanism, names: tuple[str, ...]) -> Iterator[tuple[Parameter, str]]:
    """Choices that are not made, but for those that are part of the wish or only say what it is made of."""
    for parameter in recipe.parameters:
        is_material = any(word in parameter.name for word in MATERIALS)
        if parameter.name in names or is_material or parameter.name in EXITS_BY:
            continue
        yield from ((parameter, choice) for choice in parameter.choices if choice != mechanism.parameters.get(parameter.name))


def _larger_cards(design: Design, catalog: Catalog) -> list[Size]:
    """Cards that are larger both ways, the smallest first."""
    frame = card_frame(design, catalog)
    wide, high = sorted((frame.width_mm, frame.height_mm))
    found = [c for c in catalog.cards.values() if min(c.width_mm, c.height_mm) >= wide and max(c.width_mm, c.height_mm) >= high]
    return sorted((c for c in found if c.width_mm * c.height_mm > wide * high + 1.0), key=lambda c: c.width_mm * c.height_mm)


def _granted(mechanism: Mechanism, names: tuple[str, ...], told: Fitted, style: UnitStyle) -> Granted:
    recipe = find_recipe(mechanism.recipe)
    wished = [f"{recipe.find_parameter(n).label} {_show(recipe.find_parameter(n), mechanism.parameters[n], style)}" for n in names]
    listed = ", ".join(wished[:MOST_NAMED]) + (f" and {len(wished) - MOST_NAMED} more" if len(wished) > MOST_NAMED else "")
    if told.is_free and told.changed:
        changes = tuple(
            f"{recipe.find_parameter(n).label}: {_show(recipe.find_parameter(n), old, style)} → {_show(recipe.find_parameter(n), new, style)}"
            for n, (old, new) in told.changed.items()
        )
        settings = {k: v for n, (old, new) in told.changed.items() for k, v in _settings(n, old, new)}
        return Granted(Remedy(f"Keep {listed}, fit the rest", settings, mechanism.id, keeps=True, changes=changes))
    if told.is_free:
        return Granted(None)
    possible = [f"{_show(p, w.possible, style)} of {p.label}" for w in told.impossible for p in (recipe.find_parameter(w.name),)]
    reasons = list(dict.fromkeys(f.title for f in told.blocks))[:MOST_REASONS]
    why = told.refusal.partition(": ")[2] or "; ".join(r[:1].lower() + r[1:] for r in reasons)
    limit = f"No way was found to keep {listed} with everything else fitted" + (f": {why}" if why else "") + "."
    limit += f" At most {' and '.join(possible)} was found to fit this card." if possible else ""
    rules = tuple(dict.fromkeys(f.rule for f in told.blocks))[:MOST_REASONS]
    return Granted(None, limit, tuple((w.name, w.possible) for w in told.impossible), rules)


def _settings(name: str, old: Value, new: Value) -> Iterator[tuple[str, Value]]:
    """What is to be set, as it can be written: of a place each measure that changes."""
    if isinstance(old, tuple) and isinstance(new, tuple):
        yield from ((f"{name}.{axis}", float(after)) for axis, before, after in zip("xy", old, new, strict=True) if after != before)
    else:
        yield name, new


def _show(parameter: Parameter, value: Value, style: UnitStyle) -> str:
    return format_quantity(value, parameter.kind, style)


def wish_first(design: Design, findings: Sequence[Finding], granted: Mapping[str, Granted]) -> tuple[Finding, ...]:
    """The findings, each with the cure that keeps the wish first, then those that leave it alone, last those that give some of it up."""
    style = design.ways.style()
    return tuple(_ordered(design, f, granted.get(f.mechanism), style) for f in findings)


def _ordered(design: Design, finding: Finding, granted: Granted | None, style: UnitStyle) -> Finding:
    spared: list[Remedy] = []
    given: list[Remedy] = []
    for remedy in finding.remedies:
        if remedy.keeps or (granted is not None and granted.remedy is not None and remedy.set == granted.remedy.set):
            continue  # that is the first one
        told = _telling_loss(design, remedy, style)
        (given if told.gives_up else spared).append(told)
    if granted is None or finding.severity != "block":
        return replace(finding, remedies=(*spared, *given))
    first = [] if granted.remedy is None else [granted.remedy]
    return replace(finding, remedies=(*first, *spared, *given), limit=granted.limit, most=granted.most, because=granted.because)


def _telling_loss(design: Design, remedy: Remedy, style: UnitStyle) -> Remedy:
    """The cure, saying what of the wish it takes away."""
    lost = {} if remedy.gives_up else gives_up(design, remedy, style)
    return replace(remedy, label=f"{remedy.label} – gives up {' and '.join(lost.values())}", gives_up=tuple(lost)) if lost else remedy


def gives_up(design: Design, remedy: Remedy, style: UnitStyle) -> dict[str, str]:
    """What of the wish a cure takes away, by measure in words (“9/16 in of travel”)."""
    lost: dict[str, str] = {}
    for setting, value in remedy.set.items():
        owner, dot, own = setting.partition(".")
        mechanism = design.find_mechanism(owner) if dot else None
        name = own if mechanism is not None else setting
        mechanism = mechanism or (design.find_mechanism(remedy.mechanism) if remedy.mechanism else None)
        base = name.partition(".")[0]
        if mechanism is None or base not in (*mechanism.decided, *mechanism.pinned) or base not in mechanism.parameters:
            continue
        parameter, before = find_recipe(mechanism.recipe).find_parameter(base), mechanism.parameters[base]
        if isinstance(value, int | float) and isinstance(before, int | float) and not isinstance(value, bool):
            if abs(float(value) - float(before)) > 1e-9:
                lost[base] = f"{_show(parameter, abs(float(value) - float(before)), style)} of {parameter.label}"
        elif value != before:
            lost[base] = parameter.label
    return lost


__all__ = ["Granted", "gives_up", "grant_wishes", "wish_first", "wishes_of"]
