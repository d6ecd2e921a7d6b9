"""The whole plan of a card."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from lexipod.assembly import Assembly
from lexipod.catalog import Catalog
from lexipod.design import Design
from lexipod.planning.assemble import Assembling
from lexipod.planning.assemble_folds import fold_steps
from lexipod.planning.finish import finish, inner_card
from lexipod.planning.model import Plan, Step
from lexipod.planning.prepare import Work, prepare
from lexipod.planning.puts import find_puts
from lexipod.planning.reach import find_building
from lexipod.recipes import Recipe, find_recipe


def make_plan(assembly: Assembly, catalog: Catalog, design: Design) -> Plan:
    """Every step of building one card, in an order that never traps one; as the maker likes it where she said so."""
    work = Work.of(assembly, catalog, design)
    prepare(work)
    recipes = {m.id: find_recipe(m.recipe) for m in design.mechanisms}
    inner_card(work)
    inside = [f for f in assembly.foldings if f.kind != "face"]
    putting: list[str] = []
    faults: list[str] = []
    for folding in inside:
        putting += fold_steps(work, folding)
    bench = find_puts(assembly)
    building = find_building(bench, (m for m, r in recipes.items() if r.in_hand))
    if building is None:
        faults.append("No order was found in which every piece can be reached: look for parts that hold each other from both sides.")
    elif building.order:
        assembling = Assembling(work, bench)
        putting += assembling.build(building)
    for folding in assembly.foldings:
        if folding.kind == "face":
            putting += fold_steps(work, folding)
    finish(work, putting)
    steps = [_with_advice(s, recipes.get(s.mechanism)) for s in work.steps]
    steps, moved, order = ordered(steps, design.making.order)
    return Plan(design.title, tuple(steps), tuple(faults), moved, order)


def _with_advice(step: Step, recipe: Recipe | None) -> Step:
    """The step with what the trade knows about it."""
    if recipe is None:
        return step
    about = [*step.parts, *step.blanks]
    said = [a.says for a in recipe.advice if a.step == step.kind and (not a.part or any(i.partition(".")[2].startswith(a.part) for i in about))]
    return replace(step, tips=(*step.tips, *said)) if said else step


def ordered(steps: Sequence[Step], wished: Sequence[str]) -> tuple[list[Step], tuple[str, ...], tuple[str, ...]]:
    """The steps in the maker's own order as far as what must come before allows it; what of it could not be kept, or sets something aside that
    would be better; and the order that it came to (empty where none was wished)."""
    known = {s.id for s in steps}
    mine = [w for w in wished if w in known]
    if not mine:
        return list(steps), (), ()
    place = _places(steps, mine)
    by_id = {s.id: s for s in steps}
    waits = {s.id: {e.step for e in s.earlier if e.must and e.step in known} for s in steps}
    done: list[str] = []
    while waits:
        chosen = min((i for i, firsts in waits.items() if not firsts), key=lambda i: place[i])
        done.append(chosen)
        del waits[chosen]
        for firsts in waits.values():
            firsts.discard(chosen)
    at = {name: k for k, name in enumerate(done)}
    told = [
        f"“{by_id[name].do}” would better come after “{by_id[e.step].do}”: {e.why}."
        for name in done
        for e in by_id[name].earlier
        if not e.must and e.step in at and at[e.step] > at[name]
    ]
    return [by_id[i] for i in done], tuple(told), tuple(done)


def _places(steps: Sequence[Step], mine: Sequence[str]) -> dict[str, float]:
    """Where each step wants to stand: those that the maker named in her order, each other one right after the one it followed."""
    place: dict[str, float] = {name: float(k) for k, name in enumerate(mine)}
    last, step = -1.0, 1.0 / (len(steps) + 1)
    for row in steps:
        if row.id in place:
            last = place[row.id]
        else:
            last += step
            place[row.id] = last
    return place


def move_refused(plan: Plan, step_id: str, to: int) -> str:
    """Why a step cannot stand at a place of the plan (counted from 0); empty where it can."""
    rest = [s for s in plan.steps if s.id != step_id]
    moved = plan.by_id[step_id]
    for k, other in enumerate(rest):
        for earlier in other.earlier:
            if earlier.step == step_id and earlier.must and k < to:
                return f"“{other.do}” needs it first: {earlier.why}."
        for earlier in moved.earlier:
            if earlier.step == other.id and earlier.must and k >= to:
                return f"It needs “{other.do}” first: {earlier.why}."
    return ""


def moved_order(plan: Plan, step_id: str, to: int) -> tuple[str, ...]:
    """The order of all steps with one moved to a place (counted from 0)."""
    rest = [s.id for s in plan.steps if s.id != step_id]
    return (*rest[:to], step_id, *rest[to:])


def find_breaches(steps: Iterable[Step]) -> list[str]:
    """Steps that stand before one that must come first; none in a good plan."""
    seen: set[str] = set()
    out = []
    rows = list(steps)
    known = {s.id for s in rows}
    for step in rows:
        out += [f"{step.id} stands before {e.step}" for e in step.earlier if e.must and e.step in known and e.step not in seen]
        seen.add(step.id)
    return out
