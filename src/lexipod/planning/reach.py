"""What must be in its place before what: a face that is worked on is free, and hands come to it.

Source: what lies nearer to the sheet on which one builds goes first; a brad's legs are opened when all it holds is on it and before anything
lies behind them; a flap is folded over when what it holds is there (order of work as makers do it; common practice, no source).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any, Literal

from lexipod.planning.puts import BASES, LEVEL_MM, Put, Workbench, pierced_by

Side = Literal["up", "down"]
Row = Callable[..., Iterable["Before"]]
Wish = Callable[[str, Sequence[str]], Any]


@dataclass(frozen=True, slots=True)
class Before:
    """``first`` is put before ``then``, and why. With ``sets`` its glue must have set by then; ``own`` says only that the one belongs to the
    other, and is no reason to tell."""

    first: str
    then: str
    why: str
    sets: bool = False
    own: bool = False


@dataclass(frozen=True, eq=False)
class Building:
    """How the puts of a card, or of one unit of it, come together: outwards from the ``seed``, each from its side; ``order`` is one order
    that keeps to all that is ``before``. ``units`` are puts that are joined in the hand first and then come as one."""

    seed: str
    side: Mapping[str, Side]
    before: tuple[Before, ...]
    order: tuple[str, ...]
    units: Mapping[str, Building]
    puts: tuple[str, ...] = ()


Units = Mapping[str, Building]


def find_building(bench: Workbench, in_hand: Iterable[str] = ()) -> Building | None:
    """The first way that never traps a step: on the card itself, else on a loose panel or frame; what brads hold together, what is glued
    to the part that is moved of mechanisms that are better so (``in_hand``), and mechanisms that cannot be built otherwise, joined in the
    hand. None where none is found."""
    if not bench.puts:
        return Building("", {}, (), (), {})
    mechanisms = list(dict.fromkeys(p.mechanism for p in bench.puts.values() if p.mechanism != "card"))
    wished = [m for m in mechanisms if m in set(in_hand)]
    for seed in _seeds(bench):
        for bodies in (wished, []) if wished else ([],):
            for count in range(min(len(mechanisms), 4) + 1):
                for whole in combinations(mechanisms, count):
                    for joined in (True, False):
                        units = _units(bench, whole, seed, joined=joined, bodies=bodies)
                        built = None if units is None else _built(bench, seed, units, tuple(bench.puts))
                        if built is not None:
                            return built
    return None


def _seeds(bench: Workbench) -> list[str]:
    """What a card can be built on: its own sheet, panel or frame."""
    own = [p for p in bench.puts.values() if p.mechanism == "card" and p.kind == "piece"]
    order = {**dict.fromkeys(BASES, 0), "card.panel": 1, "card.frame": 2}
    return [p.id for p in sorted(own, key=lambda p: order.get(p.id, 3)) if "inner" not in p.id]


def _units(bench: Workbench, mechanisms: Sequence[str], seed: str, *, joined: bool, bodies: Sequence[str]) -> dict[str, Building] | None:
    """Whole mechanisms joined in the hand, of the others what brads hold together, and of some (``bodies``) what is glued to the part that
    is moved; None where a mechanism cannot be."""
    units: dict[str, Building] = {}
    for mechanism in mechanisms:
        unit = _unit(bench, tuple(p.id for p in bench.puts.values() if p.mechanism == mechanism))
        if unit is None:
            return None
        units[f"unit:{mechanism}"] = unit
    for mechanism in bodies:
        group = _glued_to_the_moved(bench, mechanism)
        unit = _unit(bench, group) if mechanism not in mechanisms and len(group) > 1 else None
        if unit is not None:
            units[f"unit:{unit.seed}"] = unit
    for group in _held_by_brads(bench) if joined else ():
        if seed not in group and not any(bench.puts[i].mechanism in mechanisms for i in group):
            unit = _unit(bench, group)
            if unit is not None:
                units[f"unit:{unit.seed}"] = unit
    return units


def _glued_to_the_moved(bench: Workbench, mechanism: str) -> tuple[str, ...]:
    """The pieces that are glued to the part by which a mechanism is moved, with that part."""
    drive = bench.assembly.drive_of(mechanism)
    if drive is None or drive.part not in bench.put_of:
        return ()
    body = bench.assembly.bodies[drive.part]
    return tuple(p.id for p in bench.puts.values() if p.kind == "piece" and bench.assembly.bodies[p.parts[0]] == body)


def _held_by_brads(bench: Workbench) -> list[tuple[str, ...]]:
    """Pieces of one mechanism that its brads hold to one another and to nothing of the card, with these brads."""
    groups: list[set[str]] = []
    for put in bench.puts.values():
        if put.kind != "legs":
            continue
        held = {bench.put_of[p] for p in pierced_by(bench, put.of)}
        if len(held) < 2 or any(bench.puts[i].mechanism != put.mechanism or bench.puts[i].kind != "piece" for i in held):
            continue
        met = [g for g in groups if g & held]
        groups = [g for g in groups if g not in met] + [{put.id, put.of, *held, *(i for g in met for i in g)}]
    return [tuple(i for i in bench.puts if i in g) for g in groups]


def _unit(bench: Workbench, own: tuple[str, ...]) -> Building | None:
    """Some puts joined in the hand, on what lies still of them, the largest first."""
    pieces = [bench.puts[i] for i in own if bench.puts[i].kind == "piece"]
    by_id = bench.assembly.by_id
    by_size = sorted(pieces, key=lambda p: (by_id[p.parts[0]].role != "base", -by_id[p.parts[0]].region.area, p.id))
    for seed in by_size:
        built = _built(bench, seed.id, {}, own)
        if built is not None:
            return built
    return None


def _built(bench: Workbench, seed: str, units: Units, own: tuple[str, ...]) -> Building | None:
    puts = [bench.puts[i] for i in own]
    whole = {i: next((name for name, unit in units.items() if i in unit.puts), i) for i in own}
    side: dict[str, Side] = {p.id: _side(bench, p, seed) for p in puts if p.id != seed}
    for unit in units.values():
        side |= dict.fromkeys(unit.puts, _side(bench, bench.puts[unit.seed], seed))
    before = tuple(dict.fromkeys(_before(bench, seed, whole, puts, side)))
    order = find_order(list(dict.fromkeys(whole.values())), before, lambda name, done: _wish(bench, name, units, side, seed, done))
    return None if order is None else Building(seed, side, before, order, units, own)


def _side(bench: Workbench, put: Put, seed: str) -> Side:
    """From where something is put: from the front (“up”) or from behind."""
    by_id = bench.assembly.by_id
    low, high = _span(bench, bench.puts[seed].parts[:1])
    z0, z1 = _span(bench, put.parts[:1])
    if put.kind == "legs":
        return "down"
    if z0 >= high - LEVEL_MM:
        return "up"
    if z1 <= low + LEVEL_MM:
        return "down"
    held_by = next((by_id[j.b] for j in bench.assembly.joints if j.kind == "fixed" and j.a == put.parts[0]), None)
    if held_by is not None and held_by.id not in bench.puts[seed].parts:
        return "down" if held_by.z_mm >= z1 - LEVEL_MM else "up"
    return "up" if z0 + z1 >= low + high else "down"


def _span(bench: Workbench, parts: Iterable[str]) -> tuple[float, float]:
    found = [bench.assembly.by_id[i] for i in parts]
    return min(p.z_mm for p in found), max(p.top_mm for p in found)


def _before(bench: Workbench, seed: str, whole: Mapping[str, str], puts: Sequence[Put], side: Mapping[str, Side]) -> Iterable[Before]:
    by_put = {p.id: p for p in puts}
    name = bench.assembly.part_name

    def row(first: str, then: str, why: str, *, sets: bool = False, own: bool = False) -> Iterable[Before]:
        if first in by_put and then in by_put and whole[first] != whole[then]:
            yield Before(whole[first], whole[then], why, sets, own)

    for put in puts:
        if put.id != seed:
            yield from row(seed, put.id, f"everything is built on the {_called(bench, seed)}")
    for upper, lower in bench.over:
        x, y = bench.put_of.get(upper, ""), bench.put_of.get(lower, "")
        if x not in by_put or y not in by_put or x == y or whole[x] == whole[y]:
            continue
        a, b = by_put[x], by_put[y]
        if "foam" in (a.kind, b.kind) or (a.kind == "loop" and y in a.between) or (b.kind == "loop" and x in b.between):
            continue
        if (a.kind == "legs" and whole[x] == x) or (b.kind == "legs" and whole[y] == y):
            continue
        if (upper, lower) in bench.tucked:
            yield from row(x, y, f"its tabs lie under the {name(lower)}")
            continue
        if y != seed and side[y] == "up":
            yield from row(y, x, f"the {name(upper)} covers it")
        if x != seed and side[x] == "down":
            yield from row(x, y, f"the {name(lower)} lies behind it")
    for put in puts:
        if put.kind == "legs":
            yield from _about_legs(bench, put, row, in_hand=whole[put.id] != put.id)
        elif put.kind in ("flap", "loop"):
            if put.of:
                yield from row(put.of, put.id, "it is a flap of it", own=True)
            for inside in put.between:
                for held in (i for i in by_put if i == inside or (by_put[i].blank == inside and by_put[i].kind != "flap")):
                    yield from row(held, put.id, "it is folded over it" if put.kind == "flap" else "it goes round it", sets=True)
        elif put.kind == "foam":
            yield from _about_foam(bench, put, seed, side, row)


def _about_legs(bench: Workbench, legs: Put, row: Row, *, in_hand: bool) -> Iterable[Before]:
    yield from row(legs.of, legs.id, "its head is in first", own=True)
    held = pierced_by(bench, legs.of)
    for part in held:
        yield from row(bench.put_of[part], legs.id, "the brad holds it", sets=True)
    for upper, lower in bench.over:
        if upper == legs.parts[0] and not in_hand:
            yield from row(legs.id, bench.put_of.get(lower, ""), "behind it the legs could not be opened")


def _about_foam(bench: Workbench, foam: Put, seed: str, side: Mapping[str, Side], row: Row) -> Iterable[Before]:
    """Foam is stuck behind its sheet, and is there before sheet and ground are joined."""
    sheet = bench.put_of.get(foam.of, "")
    ground = next((j.b for j in bench.assembly.joints if j.kind == "fixed" and j.a == foam.parts[0]), "")
    below = bench.put_of.get(ground, "")
    if sheet and sheet != seed and side.get(sheet) == "up":
        yield from row(foam.id, sheet, "it carries the sheet")
    elif below and below != seed:
        yield from row(foam.id, below, "it carries the sheet")


def _called(bench: Workbench, put: str) -> str:
    return "card" if put in BASES else bench.assembly.part_name(bench.puts[put].parts[0])


def _wish(bench: Workbench, name: str, units: Units, side: Mapping[str, Side], seed: str, done: Sequence[str]) -> tuple[object, ...]:
    """Which of several is put next: what is begun is ended, the card is not turned over for nothing, foam and what passes a slot wait until
    they are needed, and what lies nearer to the seed goes first."""
    put = bench.puts[units[name].seed if name in units else name]
    last = next((i for i in reversed(done) if i in side), None)
    part = bench.assembly.by_id[put.parts[0]]
    begun = 0 if put.kind == "legs" else 1
    flips = 0 if last is None or side.get(put.id) == side.get(last) else 1
    lower, upper = _span(bench, bench.puts[seed].parts[:1])
    away = part.z_mm - upper if side.get(put.id) == "up" else lower - part.top_mm
    return (begun, _lateness(bench, put), flips, round(away, 3), name)


def _lateness(bench: Workbench, put: Put) -> int:
    part = bench.assembly.by_id[put.parts[0]]
    drive = bench.assembly.drive_of(put.mechanism)
    if put.id in BASES:
        return 3
    if put.kind == "foam":
        return 2
    passes = part.joins and part.role == "moving" and put.kind == "piece" and len(part.joins) == 2
    return 1 if part.role == "decoration" or put.kind == "brad" or (passes and drive is not None and drive.by != "gravity") else 0


def find_order(names: Sequence[str], before: Iterable[Before], wish: Wish) -> tuple[str, ...] | None:
    """An order of the names that keeps to all that is before; of several that can be next the one with the least ``wish(name, done)``. None
    where they go round in a ring.

    >>> find_order(["b", "a"], [Before("a", "b", "")], lambda name, done: name)
    ('a', 'b')
    """
    waits: dict[str, set[str]] = {n: set() for n in names}
    for row in before:
        if row.then in waits and row.first in waits and row.first != row.then:
            waits[row.then].add(row.first)
    done: list[str] = []
    while waits:
        free = [n for n, firsts in waits.items() if not firsts]
        if not free:
            return None
        chosen = min(free, key=lambda n: wish(n, done))
        done.append(chosen)
        del waits[chosen]
        for firsts in waits.values():
            firsts.discard(chosen)
    return tuple(done)
