"""A second opinion on plans: the card is built step by step out of columns of paper, in any order that the plan allows.

Every part is a set of cells of one millimetre with a lower and an upper height; no polygon of the program's is met and none of its words about what
covers what. A step is good when the cells that it brings are free from the side that it says, when a brad's legs have nothing behind them, when
what it is glued on is there.
"""

import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.design import Card, Ways
from lexipod.editing.change import add_mechanism, new_design
from lexipod.errors import LexipodError
from lexipod.planning.plan import make_plan
from lexipod.recipes import RECIPES
from tests.random_folds import random_settings
from tests.zoo import CATALOG

CELL_MM = 1.0
SLACK_MM = 0.06
LEAST_CELLS = 3
PUTTING = ("glue", "lay", "flap", "loop", "foam", "brad", "legs", "mount")


def draw_design(rng):
    """One mechanism of any recipe, or two, with measures drawn from all that is allowed; None where they did not go together."""
    card = Card(size=str(rng.choice(["na.a2", "na.a7", "iso.a5", "na.sq6"])), fold=str(rng.choice(["left", "top"])))
    names = [str(n) for n in rng.choice(sorted(RECIPES), 2 if rng.random() < 0.35 else 1, replace=False)]
    try:
        design = new_design(names[0], CATALOG, card=card, ways=Ways(units="mm"), given=random_settings(rng, names[0]))
        for name in names[1:]:
            design = add_mechanism(design, name, CATALOG, given={})
        return names, design, build_assembly(design, CATALOG)
    except (LexipodError, ValueError):
        return names, None, None


def any_order(plan, rng):
    """The steps in some order that keeps to what must come before."""
    known = {s.id for s in plan.steps}
    waits = {s.id: {e.step for e in s.earlier if e.must and e.step in known} for s in plan.steps}
    done = []
    while waits:
        free = sorted(i for i, firsts in waits.items() if not firsts)
        assert free, "the steps wait for each other in a ring"
        chosen = free[int(rng.integers(len(free)))]
        done.append(plan.by_id[chosen])
        del waits[chosen]
        for firsts in waits.values():
            firsts.discard(chosen)
    return done


class Columns:
    """Cells of the parts that are there, each with the heights between which it is taken."""

    def __init__(self, assembly):
        self.assembly = assembly
        boxes = np.array([p.region_at_home.bounds for p in assembly.parts] or [(0.0, 0.0, 10.0, 10.0)])
        low, high = boxes[:, :2].min(axis=0) - 2, boxes[:, 2:].max(axis=0) + 2
        nx, ny = np.ceil((high - low) / CELL_MM).astype(int)
        self.x, self.y = np.meshgrid(low[0] + (np.arange(nx) + 0.5) * CELL_MM, low[1] + (np.arange(ny) + 0.5) * CELL_MM)
        self._cells = {}

    def cells(self, part_id):
        """Cells whose middle lies inside the part."""
        if part_id not in self._cells:
            region = self.assembly.by_id[part_id].region_at_home.buffer(-0.3)
            self._cells[part_id] = shapely.contains_xy(region, self.x, self.y) if not region.is_empty else np.zeros(self.x.shape, bool)
        return self._cells[part_id]

    def in_the_way(self, part_id, others, side):
        """Which of the others lie over the part (side “front”) or under it."""
        part = self.assembly.by_id[part_id]
        found = []
        for other_id in others:
            other = self.assembly.by_id[other_id]
            beyond = other.z_mm >= part.top_mm - SLACK_MM if side == "front" else other.top_mm <= part.z_mm + SLACK_MM
            if ".hold-" in part_id:
                continue  # slats bend down under it with their tabs
            if beyond and (self.cells(part_id) & self.cells(other_id)).sum() >= LEAST_CELLS:
                found.append(other_id)
        return found


def real_parts(assembly):
    return {p.id for p in assembly.parts if p.quantity or p.role == "fastener"}


def carrier_of(assembly, foam):
    """The sheet behind which foam is stuck: it comes with that sheet."""
    sheet = foam.partition("-foam")[0]
    return sheet if sheet in assembly.by_id and sheet != foam else next(j.b for j in assembly.joints if j.kind == "fixed" and j.a == foam)


def faults_of(assembly, plan, order):
    """What is wrong with building in this order."""
    columns = Columns(assembly)
    real = real_parts(assembly)
    there, clusters, faults, pending = [], {}, [], {}

    for step in order:
        if step.kind not in PUTTING or not step.parts:
            continue
        new = [p for p in step.parts if p in real and p not in there]
        again = [p for p in step.parts if p in real and p in there]
        if step.id.startswith("set-"):
            own = set(step.parts)
            for part in again:
                outside = [o for o in there if o not in own and o in clusters.get("table", set())]
                faults += [f"{step.id}: {o} is over {part}" for o in columns.in_the_way(part, outside, step.reach)]
            table = clusters.setdefault("table", set())
            table |= own
            continue
        in_hand = step.reach == "hand"
        near = [o for o in there if (o in clusters.get("table", set())) != in_hand or in_hand]
        if in_hand:
            mechanism = step.mechanism
            near = [o for o in there if assembly.by_id[o].mechanism == mechanism and o not in clusters.get("table", set())]
        new += [p for sheet in list(new) for p in pending.pop(sheet, ())]
        if step.kind == "foam" and "behind" in step.do:
            waiting = [p for p in new if carrier_of(assembly, p) not in there]
            for part in waiting:
                pending.setdefault(carrier_of(assembly, part), []).append(part)
            new = [p for p in new if p not in waiting]
        elif step.kind == "legs":
            for part in new:
                faults += [f"{step.id}: {o} lies behind the legs" for o in columns.in_the_way(part, near, "back")]
        elif step.kind == "loop":
            pass
        else:
            wall = [o for o in near if o not in new]
            for part in new:
                sides = ("front", "back") if in_hand else (step.reach,)
                blocked = [columns.in_the_way(part, wall, side) for side in sides]
                if all(blocked):
                    faults.append(f"{step.id}: {part} is shut in by {', '.join(blocked[0][:3])}")
        there += new
        if not in_hand:
            clusters.setdefault("table", set()).update(new)
    missing = sorted(real - set(there) - {p for p in assembly.by_id if p in ("card.back", "card.front") or p.startswith("card.gate-")})
    missing = [m for m in missing if not m.startswith(("card.inner", "card.left", "card.right"))]
    folded = {p for f in assembly.foldings for p in f.by_id}
    faults += [f"{m} is never put" for m in missing if m not in folded]
    return faults


def look_at(rng, orders=3):
    """One random design: its names, and the faults of its plan in its own order and in others; None for a card that cannot be, or that does
    not run free and has faults."""
    names, design, assembly = draw_design(rng)
    if assembly is None:
        return names, None
    plan = make_plan(assembly, CATALOG, design)
    faults = [f"no plan: {f}" for f in plan.faults]
    for k in range(orders):
        order = list(plan.steps) if k == 0 else any_order(plan, rng)
        faults += [*faults_of(assembly, plan, order), *fold_faults(assembly, order)]
    return names, faults if not faults or is_free(design, assembly) else None


def is_free(design, assembly):
    """Whether nothing blocks: what runs into something else has no plan to be judged."""
    from lexipod.checks import Examination, run_checks

    return not any(f.severity == "block" for f in run_checks(Examination(assembly, CATALOG, design.ways, steps=25)))


def fold_faults(assembly, order):
    """What is wrong with joining what folds in this order, told from the joints alone: what closes a loop comes after all that is joined to its
    sheets in the hand, what goes into the card after both; a sheet is joined when it has been folded."""
    faults, seen = [], []
    for step in order:
        seen.append(step.id)
        folding = assembly.folding_of(step.mechanism)
        if folding is None or step.kind not in ("join", "last", "thread") or not step.blanks:
            continue
        owner = {p: s.id for s in folding.sheets for p in s.panels}
        sheet = step.blanks[0]
        for blank in folding.sheets:
            if blank.id == sheet and blank.creases and not any(i.startswith("fold-") and blank.id in order_step(order, i).blanks for i in seen):
                faults.append(f"{step.id} before {sheet} is folded")
        closing = {owner[j.a] for j in folding.joints if j.closes and j.kind == "fixed" and j.a in owner and owner.get(j.b) is not None}
        if sheet in closing and step.kind in ("join", "last") and not step.id.startswith("page-"):
            late = [s.id for s in order[len(seen) :] if s.kind == "join" and s.id.startswith("join-") and s.mechanism == step.mechanism]
            late = [i for i in late if order_step(order, i).blanks[0] not in closing]
            faults += [f"{step.id} shuts out {i}" for i in late]
        if step.id.startswith("page-"):
            faults += [f"{step.id} before {s.id}" for s in order[len(seen) :] if s.id.startswith("join-") and s.mechanism == step.mechanism]
    return faults


def order_step(order, step_id):
    return next(s for s in order if s.id == step_id)
