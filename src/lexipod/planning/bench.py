"""What is in its place already while a card is built, and what holds what: grounds, places for glue, names."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from lexipod.assembly import Guided, Part, Zone
from lexipod.catalog import Adhesive
from lexipod.geometry.frames import apply_pose, invert_pose
from lexipod.planning.gluing import advise
from lexipod.planning.model import GlueSpot
from lexipod.planning.prepare import Work
from lexipod.planning.puts import BASES, Put, Workbench, pierced_by

LEAST_GLUE_MM2 = 1.0
TOUCHING_MM = 0.35
"""Parts that lie so near each other touch."""


class Bench:
    """The workbench while it is worked at: which put is in its place, by which step."""

    def __init__(self, work: Work, puts: Workbench) -> None:
        self.work, self.bench = work, puts
        self.by_id = work.assembly.by_id
        self.step_of: dict[str, str] = {}
        self.placed: list[str] = []

    def name_of(self, put: Put) -> str:
        """What a put is called."""
        blank = next((b for b in self.work.blanks if b.id == put.blank), None)
        return "card" if put.id in BASES else blank.name if blank is not None and put.kind != "flap" else self.by_id[put.parts[0]].name

    def ground_of(self, put: Put) -> Part | None:
        """What a put is glued to."""
        own = set(put.parts)
        for joint in self.work.assembly.joints:
            if joint.kind == "fixed" and joint.a in own and joint.b not in own:
                ground = self.by_id[joint.b]
                marked = next((self.by_id[z.to] for z in self.marked(put) if z.to in self.by_id), None)
                return marked or ground
        return None

    def marked(self, put: Put) -> list[Zone]:
        """Places for glue that the piece itself has, each with what it is glued to."""
        return [z for z in self.work.assembly.zones if z.kind == "glue" and z.part in put.parts and z.to and z.to not in put.parts]

    @property
    def parts_there(self) -> set[str]:
        """The parts that are in their places."""
        return {i for name in self.placed for i in self.bench.puts[name].parts}

    def name_of_put(self, name: str) -> str:
        """What a put or part is called by its id."""
        return self.name_of(self.bench.puts[name]) if name in self.bench.puts else self.work.assembly.part_name(name)

    def nearest(self, flap: Put) -> str:
        """What a flap comes to lie against."""
        part = self.by_id[flap.parts[0]]
        inside = [self.by_id[i] for n in flap.between for i in (self.bench.puts[n].parts if n in self.bench.puts else (n,))]
        against = min(inside, key=lambda p: min(abs(p.z_mm - part.top_mm), abs(part.z_mm - p.top_mm)), default=None)
        return "piece" if against is None else against.name

    def is_held_otherwise(self, put: Put) -> bool:
        """Whether a brad holds it, or a flap that is folded over it."""
        others = self.bench.puts.values()
        by_brads = any(o.kind == "legs" and set(put.parts) & set(pierced_by(self.bench, o.of)) for o in others)
        return by_brads or any(o.kind == "flap" and put.id in o.between for o in others)

    def is_touching(self, part: Part, ground: Part) -> bool:
        """Whether nothing fits between two parts."""
        return min(abs(part.z_mm - ground.top_mm), abs(ground.z_mm - part.top_mm)) < TOUCHING_MM or not ground.quantity

    def carries_foam(self, put: Put) -> bool:
        """Whether a sheet of the card lies on foam."""
        return put.mechanism == "card" and any(p.kind == "foam" and p.of in put.parts for p in self.bench.puts.values())

    @property
    def has_foam(self) -> bool:
        """Whether foam with liners on is there."""
        return any(p.kind == "foam" and p.id in self.placed for p in self.bench.puts.values())

    def glue(self, puts: Sequence[Put]) -> tuple[GlueSpot, ...]:
        """Where pieces meet what they are glued on, as outlines in their own frames."""
        spots: list[GlueSpot] = []
        for put in puts:
            spots += [GlueSpot(z.part, z.polygon, z.face, z.to) for z in self.marked(put) if z.to in self.parts_there]
            for joint in self.work.assembly.joints:
                if joint.kind != "fixed" or joint.a not in put.parts or joint.b in put.parts or self._is_own(put, joint.b):
                    continue
                a, b = self.by_id[joint.a], self.by_id[joint.b]
                if "fastener" in (a.role, b.role) or not (a.quantity and b.quantity):
                    continue
                if put.kind == "piece" and self.carries_foam(put) and not {a.face, b.face} & {"foam"}:
                    continue
                spots += spots_of(a, b)
            if put.kind == "flap":
                under = [self.by_id[i] for i in self.by_id if i not in put.parts and self._meets(put.parts[0], i)]
                spots += [s for other in under[:1] for s in spots_of(self.by_id[put.parts[0]], other)]
        return tuple(spots)

    def _is_own(self, put: Put, part: str) -> bool:
        """Whether a part is of the same piece of paper."""
        blank = next((b for b in self.work.blanks if b.id == put.blank), None)
        return blank is not None and part in blank.panels

    def _meets(self, flap: str, other: str) -> bool:
        """Whether a flap lies right on a part of which it may be glued: one that lies still against it."""
        a, b = self.by_id[flap], self.by_id[other]
        bodies = self.work.assembly.bodies
        touching = abs(a.z_mm - b.top_mm) < 0.25 or abs(b.z_mm - a.top_mm) < 0.25
        return touching and bodies[flap] == bodies[other] and b.quantity > 0 and a.region_at_home.intersection(b.region_at_home).area > LEAST_GLUE_MM2

    def adhesive(self, puts: Sequence[Put], spots: Sequence[GlueSpot]) -> tuple[Adhesive | None, str]:
        """Which glue it is put with, and why; none for what sticks by itself."""
        part = self.by_id[puts[0].parts[0]]
        onto = [self.by_id[s.onto].stock for s in spots if s.onto in self.by_id]
        if part.face == "foam" or any(s in self.work.catalog.foams for s in onto):
            return None, "foam sticks by itself"
        area = sum(float(shapely.Polygon(s.outline).area) for s in spots)
        guides = {g for need in self.work.assembly.needs if isinstance(need, Guided) for g in need.guides}
        loaded = part.id in self.work.assembly.moving or part.id in guides or puts[0].kind in ("flap", "loop")
        return advise(self.work.catalog, self.work.design.ways, (part.stock, *onto), area_mm2=area, loaded=loaded, aligned=True)

    def plies(self, put: Put) -> list[str]:
        """Further plies that were laminated to it."""
        return [b.id for b in self.work.blanks if b.id == f"{put.blank}-plies"]


def spots_of(a: Part, b: Part) -> list[GlueSpot]:
    """What two parts have in common where they lie, in the frame of the first."""
    touching = min(abs(a.z_mm - b.top_mm), abs(b.z_mm - a.top_mm)) < TOUCHING_MM
    common = shapely.intersection(a.region_at_home, b.region_at_home) if touching else shapely.Polygon()
    inverse = invert_pose(np.asarray(a.home, dtype=float))
    out = []
    for piece in shapely.get_parts(common):
        if piece.geom_type == "Polygon" and piece.area > LEAST_GLUE_MM2:
            rings = [apply_pose(inverse, shapely.get_coordinates(r)[:-1]) for r in (piece.exterior, *piece.interiors)]
            out.append(GlueSpot(a.id, rings[0], "back" if a.z_mm > b.z_mm else "front", b.id, tuple(rings[1:])))
    return out
