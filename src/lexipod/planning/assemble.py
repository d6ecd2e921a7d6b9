"""What is put in its place, one step after the other, and when it is tried.

Source: movements are tried before liners come off, before a brad's legs are opened for good, one sheet before both, and once more when a sheet is
down (order of work as makers do it; common practice, no source).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from lexipod.catalog import Adhesive
from lexipod.planning.bench import Bench, spots_of
from lexipod.planning.making_words import counted, stem
from lexipod.planning.model import Asked, Earlier, GlueSpot, Step
from lexipod.planning.prepare import Work
from lexipod.planning.put_words import say_put
from lexipod.planning.puts import BASES, Put, Workbench, pierced_by
from lexipod.planning.reach import Building

LEAST_ASKED_MM = 1.0
"""A distance that is less cannot be measured with a ruler."""


class Assembling(Bench):
    """Turns puts into steps, and keeps which step put what."""

    def __init__(self, work: Work, bench: Workbench) -> None:
        super().__init__(work, bench)
        self._tested: dict[str, str] = {}
        self._turned: list[str] = []

    def build(self, building: Building, *, in_hand: bool = False) -> list[str]:
        """Steps for all puts of a building in their order; the ids of the steps that put something."""
        made: list[str] = []
        for group in self._grouped(building):
            name = group[0]
            unit = building.units.get(name)
            if unit is not None:
                made += self.build(unit, in_hand=True)
                self._test(unit.puts, "in the hand, before it is put on the card")
                made += self._mount_unit(name, unit, building)
                continue
            puts = [self.bench.puts[i] for i in group]
            if name == building.seed and name in BASES:
                self._begin_with_card(puts[0])
                continue
            self._before_liners(puts, building)
            made.append(self._put(puts, building, in_hand=in_hand).id)
            self._after(puts, building)
        return made

    def _begin_with_card(self, put: Put) -> None:
        """Nothing is done with the card that all else is put on, but what was done to it comes first."""
        ready = self.work.last.get(put.blank, [])
        self.placed.append(put.id)
        if ready:
            self.step_of[put.id] = ready[-1]

    def _grouped(self, building: Building) -> list[list[str]]:
        """Neighbours in the order that are the same kind of thing, put in one step."""
        groups: list[list[str]] = []
        for name in building.order:
            put = self.bench.puts.get(name)
            last = self.bench.puts.get(groups[-1][-1]) if groups else None
            if put is not None and last is not None and name != building.seed and last.id != building.seed and self._alike(put, last):
                groups[-1].append(name)
            else:
                groups.append([name])
        return groups

    def _alike(self, a: Put, b: Put) -> bool:
        p, q = self.by_id[a.parts[0]], self.by_id[b.parts[0]]
        if a.kind != b.kind or a.mechanism != b.mechanism:
            return False
        if a.kind == "foam":
            return a.of == b.of
        if a.kind in ("brad", "legs"):
            return p.stock == q.stock and p.name.split(" ")[0] == q.name.split(" ")[0]
        if a.kind == "flap":
            return a.between == b.between or stem(p.name) == stem(q.name)
        same = p.stock == q.stock and p.role == q.role and p.face == q.face
        return same and (stem(p.name) == stem(q.name) or (p.face == "foam" and abs(p.z_mm - q.z_mm) < 1e-6))

    def _why(self, ids: Iterable[str], building: Building) -> tuple[tuple[Earlier, ...], str]:
        """The steps that must come first, and the phrase that says what would be in the way."""
        wanted = set(ids)
        found: dict[str, Earlier] = {}
        for row in building.before:
            step = self.step_of.get(row.first)
            if row.then in wanted and row.first not in wanted and step is not None and step not in found:
                found[step] = Earlier(step, row.why, sets=self.work.by_id[step].wait > 0 and row.sets)
        place = {name: k for k, name in enumerate(building.order)}
        rows = [r for r in building.before if r.first in wanted and r.then not in wanted and r.first != building.seed and not r.own]
        nearest = min(rows, key=lambda r: place.get(r.then, len(place)), default=None)
        phrase = "" if nearest is None else _as_reason(nearest.why)
        return tuple(found.values()), phrase

    def _reason(self, put: Put, building: Building, phrase: str, why_glue: str) -> str:
        if put.id == building.seed:
            return "its back and its front are needed"
        if put.id in BASES:
            return "all that lies behind it is done"
        return "; ".join(p for p in (phrase, why_glue) if p) or "nothing is in its way now"

    def _put(self, puts: Sequence[Put], building: Building, *, in_hand: bool) -> Step:
        said = say_put(self, puts, building)
        kind = said.kind
        parts = tuple(i for p in puts for i in p.parts)
        blanks = tuple(dict.fromkeys(p.blank for p in puts if p.blank))
        earlier, phrase = self._why([p.id for p in puts], building)
        ready = self.work.after([*blanks, *(b for p in puts for b in self.plies(p))], "it is ready to be put")
        known = {r.step for r in (*ready, *earlier)}
        earlier = (*earlier, *(e for e in self._grounds(puts) if e.step not in known), *(self._trials() if kind == "mount" else ()))
        spots = () if puts[0].id == building.seed else self.glue(puts) if kind in ("glue", "flap", "loop", "mount") else ()
        glue, why_glue = self.adhesive(puts, spots) if spots or kind in ("glue", "loop") else (None, "")
        tools = {"brad": ("piercer", "brad"), "legs": ("spacer tool", "brad"), "foam": ("scissors",), "glue": (), "mount": ("tweezers",)}.get(
            kind, ()
        )
        first = self.bench.puts[puts[0].id]
        number = len(self.step_of)
        side = building.side.get(first.id, "up")
        wait = glue.waits if glue is not None and kind in ("glue", "flap", "loop") else 0.0
        step = self.work.add(
            Step(
                f"put-{first.id}" if first.id not in {s.id[4:] for s in self.work.steps if s.id.startswith("put-")} else f"put-{first.id}-{number}",
                kind,
                said.do + (f", with {glue.name}." if glue is not None else "."),
                self._reason(first, building, phrase, "" if glue is None else f"{glue.name.split(' from')[0]}, since {why_glue}"),
                earlier=(*ready, *(e for e in earlier if e.step not in {r.step for r in ready})),
                parts=parts,
                blanks=blanks,
                mechanism=first.mechanism,
                minutes=self.work.minutes(kind, len(puts)),
                setup=self.work.setup(kind),
                wait=wait,
                wait_for=f"the glue on the {counted([self.name_of(p) for p in puts])}" if wait else "",
                position=self._position(puts),
                reach="hand" if in_hand else "front" if side == "up" else "back",
                tools=tools,
                tips=said.tips,
                glue=spots,
                adhesive=glue.kind if glue is not None else "foam" if kind == "foam" else "",
                asks=self._asks(puts, building),
            )
        )
        for put in puts:
            self.step_of[put.id] = step.id
            self.placed.append(put.id)
        for blank in blanks:
            self.work.ready(blank, step.id)
        return step

    def _position(self, puts: Sequence[Put]) -> dict[str, float]:
        """As it was laid down; a stop is set with the mechanism held at its end."""
        drive = self.work.assembly.drive_of(puts[0].mechanism)
        at_end = drive is not None and any(p.parts[0].rpartition(".")[2].startswith("stop") for p in puts)
        return {**self.work.position, puts[0].mechanism: drive.end} if at_end and drive is not None else dict(self.work.position)

    def _grounds(self, puts: Sequence[Put]) -> list[Earlier]:
        """The steps that put what these are glued on."""
        found: dict[str, Earlier] = {}
        for put in puts:
            onto = {j.b for j in self.work.assembly.joints if j.kind == "fixed" and j.a in put.parts} | {z.to for z in self.marked(put)}
            for part in onto:
                step = self.step_of.get(self.bench.put_of.get(part, ""))
                if step is not None and self.bench.put_of[part] in self.placed:
                    found.setdefault(step, Earlier(step, "it is glued on it"))
        return list(found.values())

    def _trials(self) -> list[Earlier]:
        """What was tried so far, before something is closed over it."""
        return [Earlier(t, "it is tried first", must=False) for t in dict.fromkeys([*self._tested.values(), *self._turned])]

    def _asks(self, puts: Sequence[Put], building: Building) -> tuple[Asked, ...]:
        """What can be measured now: how thick foam lies, and where a sheet or a piece came to lie on what carries it."""
        put = puts[0]
        if put.id == building.seed:
            return ()
        if put.id in BASES:
            return self._asks_of_place(self.bench.puts[building.seed])
        part = self.by_id[put.parts[0]]
        if part.face == "foam" and part.role == "spacer":
            return (Asked(f"{part.id}.thickness", f"thickness of the {stem(part.name)} as it lies", round(part.thickness_mm, 3), "foam", part.id),)
        return self._asks_of_place(put)

    def _asks_of_place(self, put: Put) -> tuple[Asked, ...]:
        part, ground = self.by_id[put.parts[0]], self.ground_of(put)
        if ground is None or put.kind != "piece" or part.id in self.work.assembly.moving:
            return ()
        left = part.region_at_home.bounds[0] - ground.region_at_home.bounds[0]
        if left < LEAST_ASKED_MM:
            return ()
        return (Asked(f"{part.id}.place", f"from the left edge of the {ground.name} to the {part.name}", round(left, 3), "place", part.id),)

    def _before_liners(self, puts: Sequence[Put], building: Building) -> None:
        """Everything that moves so far is tried before a sheet is stuck over it."""
        if any(self.carries_foam(p) or (p.id in BASES and p.id != building.seed) for p in puts):
            how = "laid on the card" if puts[0].id in BASES else f"with the {self.name_of(puts[0])} held in its place"
            self._test([*self.placed, *(p.id for p in puts)], f"{how}, all liners on")

    def _after(self, puts: Sequence[Put], building: Building) -> None:
        if any(p.kind == "legs" for p in puts):
            self._turn(puts)
        elif any(p.kind in ("flap", "loop") and any(self._moves(self.bench.puts[i]) for i in p.between if i in self.bench.puts) for p in puts):
            self._test(self.placed, "straight and with scarcely any play across", of=puts[0].mechanism)

    def _turn(self, legs: Sequence[Put]) -> None:
        """What a brad holds is turned while its legs can still be bent."""
        held = counted([self.by_id[i].name for i in dict.fromkeys(i for p in legs for i in pierced_by(self.bench, p.of))])
        last = [self.step_of[p.id] for p in legs]
        step = self.work.add(
            Step(
                f"turn-{legs[0].of}",
                "test",
                f"Turn what the brad holds ({held}): it must go by itself and not wobble.",
                "while its legs can still be bent",
                earlier=tuple(Earlier(s, "the brad is in") for s in dict.fromkeys(last)),
                mechanism=legs[0].mechanism,
                minutes=self.work.minutes("test"),
                position=dict(self.work.position),
                reach="hand",
            )
        )
        self._turned.append(step.id)

    def _mount_unit(self, name: str, unit: Building, building: Building) -> list[str]:
        """What was joined in the hand comes to its place."""
        seed = self.bench.puts[unit.seed]
        low = min((self.by_id[i] for p in unit.puts for i in self.bench.puts[p].parts), key=lambda p: p.z_mm)
        joint = next(
            (j for j in self.work.assembly.joints if j.kind == "fixed" and j.a in self._unit_parts(unit) and j.b not in self._unit_parts(unit)), None
        )
        earlier, phrase = self._why([name], building)
        own = tuple(Earlier(s, "it is joined first") for s in dict.fromkeys(self.step_of[p] for p in unit.puts))
        spots: tuple[GlueSpot, ...]
        glue: Adhesive | None = None
        if joint is None:
            do, kind, spots = f"Lay the joined {self.name_of(seed)} in its place", "lay", ()
        else:
            ground = self.by_id[joint.b]
            spots = tuple(spots_of(self.by_id[low.id], ground)) or tuple(spots_of(self.by_id[joint.a], ground))
            glue = self.adhesive([seed], spots)[0] if spots else None
            do, kind = f"Set the joined {self.name_of(seed)} on the {ground.name}{f', with {glue.name}' if glue is not None else ''}", "mount"
        tested, wait = tuple(self._trials()), glue.waits if glue is not None else 0.0
        step = self.work.add(
            Step(
                f"set-{unit.seed}",
                kind,  # type: ignore[arg-type]
                f"{do}; glue only what lies still.",
                phrase or "it was joined where both its faces could be reached",
                earlier=(*own, *(e for e in earlier if e.step not in {o.step for o in own}), *tested),
                parts=tuple(self._unit_parts(unit)),
                mechanism=seed.mechanism,
                minutes=self.work.minutes("mount"),
                wait=wait,
                wait_for=f"the glue on the {self.name_of(seed)}" if wait else "",
                position=dict(self.work.position),
                reach="front" if building.side.get(seed.id) != "down" else "back",
                glue=spots,
                adhesive=glue.kind if glue is not None else "foam" if spots else "",
                asks=self._asks_of_place(seed) if joint is not None else (),
            )
        )
        for put in unit.puts:
            self.step_of[put] = step.id
        self.step_of[name] = step.id
        return [step.id]

    def _unit_parts(self, unit: Building) -> list[str]:
        return [i for p in unit.puts for i in self.bench.puts[p].parts]

    def _test(self, puts: Iterable[str], how: str, *, of: str = "") -> None:
        """A test of every mechanism of which all that moves it is there."""
        there, bodies = set(puts), self.work.assembly.bodies
        for drive in self.work.assembly.drives:
            if of and drive.mechanism != of:
                continue
            own = [p for p in self.bench.puts.values() if p.mechanism == drive.mechanism and self._moves(p)]
            done = [p.id for p in own if p.id in there]
            driven = next((p.id for p in own if p.id in there and bodies[p.parts[0]] == bodies[drive.part]), "")
            joint = next((j for j in self.work.assembly.joints if j.id == drive.joint), None)
            runs = joint is not None and {joint.a, joint.b} - self._auxiliary() <= {i for n in there for i in self.bench.puts[n].parts}
            if (
                not done
                or not runs
                or driven not in there
                or any(s.kind == "test" and s.id.startswith(f"test-{drive.mechanism}-{len(done)}-") for s in self.work.steps)
            ):
                continue
            count = sum(s.id.startswith(f"test-{drive.mechanism}") for s in self.work.steps) + 1
            name = self.by_id[drive.part].name
            stops = " against both stops" if self._has_stops(drive.joint) else ""
            step = self.work.add(
                Step(
                    f"test-{drive.mechanism}-{len(done)}-{count}",
                    "test",
                    f"{'Turn' if drive.kind == 'turn' else 'Move'} the {name} from rest to its end and back{stops}, {how}.",
                    "while everything can still be shifted",
                    earlier=tuple(
                        Earlier(s, "it is in its place", sets=True) for s in dict.fromkeys(self.step_of[i] for i in done if i in self.step_of)
                    ),
                    mechanism=drive.mechanism,
                    minutes=self.work.minutes("test"),
                    position={**self.work.position, drive.mechanism: drive.end},
                    reach="front",
                )
            )
            self._tested[drive.mechanism] = step.id

    def _auxiliary(self) -> set[str]:
        """Parts that are nothing of their own: shanks, necks, walls."""
        return {p.id for p in self.work.assembly.parts if not p.quantity}

    def _moves(self, put: Put) -> bool:
        part = self.by_id[put.parts[0]]
        return part.role in ("moving", "fastener") and put.kind != "flap"

    def _has_stops(self, joint_id: str) -> bool:
        joint = next((j for j in self.work.assembly.joints if j.id == joint_id), None)
        return joint is not None and "stop" in joint.ends


def _as_reason(why: str) -> str:
    """Why something comes before what would be in its way.

    >>> _as_reason("the frame covers it"), _as_reason("it carries the sheet")
    ('before the frame covers it', 'it carries the sheet')
    """
    if why.startswith("the ") and why.endswith("lies behind it"):
        return f"while its back is free: later {why}"
    return f"before {why}" if why.startswith("the ") else why.replace("the brad holds it", "before the brad is closed")
