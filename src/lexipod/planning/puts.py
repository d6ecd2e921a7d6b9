"""What is put in its place at one moment: pieces, flaps that are folded over others, the heads and the legs of brads."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank, Part
from lexipod.blanks import find_blanks
from lexipod.geometry.shapes import region_from

Kind = Literal["piece", "flap", "loop", "foam", "brad", "legs", "weight"]
BASES = ("card.sheet", "card.front")
"""The card itself: its folded sheet, or the one panel that it is."""
INNER = ("card.inner-back", "card.inner-front")
"""The inner card, which is glued between the two pages."""
TOUCH_MM2 = 0.3
"""Parts that have less in common in the plan do not lie over one another."""
LEVEL_MM = 0.05
"""What is less above something lies beside it."""


@dataclass(frozen=True, eq=False)
class Put:
    """One thing that comes to its place: its ``parts`` with the ``blank`` that they are cut from (a bought one has none). A ``flap`` and
    ``legs`` belong to the put ``of`` which they hang; ``foam`` is stuck behind the sheet ``of`` which it carries; a ``loop`` is slipped
    over what it goes round. ``between`` are the puts that a flap is folded over."""

    id: str
    kind: Kind
    parts: tuple[str, ...]
    blank: str = ""
    of: str = ""
    between: tuple[str, ...] = ()
    mechanism: str = ""


@dataclass(eq=False)
class Workbench:
    """The flat parts of a card with what lies over what."""

    assembly: Assembly
    blanks: tuple[Blank, ...]
    puts: dict[str, Put] = field(default_factory=dict)

    @cached_property
    def flat_parts(self) -> tuple[Part, ...]:
        """Everything that lies in the plan of the card and is cut or bought."""
        return tuple(p for p in self.assembly.parts if (p.quantity or p.role == "fastener") and p.id not in (*INNER, "card.back"))

    @cached_property
    def over(self) -> frozenset[tuple[str, str]]:
        """Pairs ``(upper, lower)`` of parts of which the one lies over the other where both are laid down."""
        parts = self.flat_parts
        tree = shapely.STRtree([p.region_at_home for p in parts])
        found = set()
        for k, part in enumerate(parts):
            for n in tree.query(part.region_at_home, predicate="intersects"):
                other = parts[int(n)]
                is_over = int(n) != k and part.z_mm >= other.top_mm - LEVEL_MM and part.z_mm > other.z_mm
                if is_over and shapely.intersection(part.region_at_home, other.region_at_home).area > TOUCH_MM2:
                    found.add((part.id, other.id))
        return frozenset(found)

    @cached_property
    def tucked(self) -> frozenset[tuple[str, str]]:
        """Pairs ``(part, strip)``: the tab of a part that bends up lies under a strip that is glued over it, in the gap that the strip leaves."""
        by_id, bodies = self.assembly.by_id, self.assembly.bodies
        found = set()
        for joint in self.assembly.joints:
            strip, ground = by_id[joint.a], by_id[joint.b]
            gap = strip.z_mm - ground.top_mm
            if joint.kind != "fixed" or gap < 2 * LEVEL_MM or strip.face == "foam" or ground.face == "foam":
                continue
            for upper, lower in self.over:
                part = by_id[upper]
                if (
                    lower == strip.id
                    and bodies[upper] == bodies[lower]
                    and part.thickness_mm <= gap + LEVEL_MM
                    and part.role == "moving"
                    and part.face != "foam"
                ):
                    found.add((upper, lower))
        return frozenset(found)

    @cached_property
    def put_of(self) -> dict[str, str]:
        """Which put brings each part."""
        return {part: put.id for put in self.puts.values() for part in put.parts}


def find_puts(assembly: Assembly) -> Workbench:
    """Everything that is put on a card that lies flat, in the order of the parts. What folds is told by its joints, not here."""
    blanks = find_blanks(assembly)
    bench = Workbench(assembly, tuple(blanks))
    folded = {sheet.id for folding in assembly.foldings for sheet in folding.sheets}
    flat = [b for b in blanks if b.id not in folded and b.id not in INNER and any(panel in assembly.by_id for panel in b.panels)]
    owner = {panel: b.id for b in flat for panel in b.panels}
    for blank in flat:
        for put in _of_blank(bench, blank, owner):
            bench.puts[put.id] = put
    for part in assembly.parts:
        if part.role == "fastener" and part.quantity:
            legs = f"{part.id}-legs"
            shank = f"{part.id}-shank"
            head = tuple(i for i in (part.id, shank) if i in assembly.by_id)
            bench.puts[part.id] = Put(part.id, "brad", head, mechanism=part.mechanism)
            if legs in assembly.by_id:
                bench.puts[legs] = Put(legs, "legs", (legs,), of=part.id, mechanism=part.mechanism)
        elif part.bought and part.id not in owner:
            bench.puts[part.id] = Put(part.id, "weight", (part.id,), mechanism=part.mechanism)
    return bench


def _of_blank(bench: Workbench, blank: Blank, owner: dict[str, str]) -> list[Put]:
    """The blank as it comes to its place, and each flap of it that is folded over something else afterwards."""
    assembly = bench.assembly
    trunk = next(p for p in blank.panels if p in assembly.by_id)
    first = assembly.by_id[trunk]
    carried = _carried_sheet(assembly, first)
    if carried:
        return [Put(blank.id, "foam", (trunk,), blank.id, of=carried, mechanism=first.mechanism)]
    if blank.id == "card.sheet":
        outside = tuple(p for p in blank.panels if p in assembly.by_id and p != "card.back")
        return [Put(blank.id, "piece", outside, blank.id, mechanism="card")]
    folded = {seam.a: seam for seam in assembly.seams if seam.a in blank.panels and seam.line is not None}
    own = [p for p in blank.panels if p in assembly.by_id]
    with_trunk = [p for p in own if p not in folded]
    flaps: list[tuple[str, tuple[str, ...]]] = []
    for panel in (p for p in own if p in folded):
        base = folded[panel].b
        inside = _between(bench, base, panel, blank.id, owner)
        if inside or any(base == flap for flap, _ in flaps):
            flaps.append((panel, inside))
        else:
            with_trunk.append(panel)
    if flaps and any(_goes_round(assembly, trunk, flap) for flap, inside in flaps if inside):
        wrapped = tuple(dict.fromkeys(i for _, inside in flaps for i in inside))
        return [Put(blank.id, "loop", tuple(own), blank.id, between=wrapped, mechanism=first.mechanism)]
    puts = [Put(blank.id, "piece", tuple(with_trunk), blank.id, mechanism=first.mechanism)]
    return puts + [Put(flap, "flap", (flap,), blank.id, blank.id, inside, first.mechanism) for flap, inside in flaps]


def _carried_sheet(assembly: Assembly, part: Part) -> str:
    """The piece behind which a strip or pad of foam is stuck, empty for anything else: panel and frame lie on foam of their own, and what is
    glued to something over it hangs behind that."""
    if part.face != "foam":
        return ""
    if part.mechanism == "card" and "-foam" in part.id:
        sheet = part.id.partition("-foam")[0]
        return sheet if sheet in assembly.by_id else ""
    held = next((assembly.by_id[j.b] for j in assembly.joints if j.kind == "fixed" and j.a == part.id), None)
    return held.id if held is not None and held.z_mm >= part.top_mm - LEVEL_MM else ""


def _between(bench: Workbench, base: str, flap: str, blank: str, owner: dict[str, str]) -> tuple[str, ...]:
    """Blanks and bought things that lie between a panel and the flap that is folded from it."""
    by_id = bench.assembly.by_id
    a, b = by_id[base], by_id[flap]
    low, high = (a.top_mm, b.z_mm) if a.z_mm < b.z_mm else (b.top_mm, a.z_mm)
    found = []
    for part in bench.flat_parts:
        if owner.get(part.id, part.id) == blank or part.z_mm < low - LEVEL_MM or part.top_mm > high + LEVEL_MM:
            continue
        if shapely.intersection(part.region_at_home, b.region_at_home).area > TOUCH_MM2:
            found.append(owner.get(part.id, part.id))
    return tuple(dict.fromkeys(found))


def _goes_round(assembly: Assembly, trunk: str, flap: str) -> bool:
    """Whether the flap lies nearer to what its piece is glued on than the piece itself: then it is a loop, made before it is put on."""
    by_id = assembly.by_id
    ground = next((j.b for j in assembly.joints if j.kind == "fixed" and j.a == trunk), None)
    if ground is None:
        return False
    middle = (by_id[ground].z_mm + by_id[ground].top_mm) / 2
    here, there = (abs((by_id[i].z_mm + by_id[i].top_mm) / 2 - middle) for i in (trunk, flap))
    same_side = (by_id[trunk].z_mm > middle) == (by_id[flap].z_mm > middle)
    return same_side and there < here - LEVEL_MM


def pierced_by(bench: Workbench, brad: str) -> tuple[str, ...]:
    """The parts that a brad holds: those round its shank between head and legs."""
    by_id = bench.assembly.by_id
    head = by_id[brad]
    legs = by_id.get(f"{brad}-legs")
    low = legs.top_mm - LEVEL_MM if legs is not None else head.z_mm - 20.0
    middle = shapely.Point(np.asarray(head.region_at_home.centroid.coords[0]))
    found = []
    for part in bench.flat_parts:
        if part.role == "fastener" or part.z_mm < low - LEVEL_MM or part.top_mm > head.z_mm + LEVEL_MM:
            continue
        filled = region_from(shapely.get_coordinates(part.region_at_home.exterior)[:-1])
        if filled.contains(middle):
            found.append(part.id)
    return tuple(found)
