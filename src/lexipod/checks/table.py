"""The table of checks: a new check is one function and one row here."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from lexipod.checks import (
    catching,
    closing,
    cover,
    foam,
    fold_flat,
    fold_space,
    forces,
    height_map,
    outline,
    post,
    reader,
    rubbing,
    stack,
    tilting,
    travel,
)
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, sort_findings


@dataclass(frozen=True, slots=True)
class Check:
    """One check: the rules it may find against, what it asks in the maker's words, and where that comes from."""

    rules: tuple[str, ...]
    asks: str
    source: str
    run: Callable[[Examination], Iterator[Finding]]


CHECKS: tuple[Check, ...] = (
    Check(("travel",), "Does it go all the way?", "common practice, no source", travel.check_travel),
    Check(("stop",), "Is there a real stop at both ends?", "common practice, no source", travel.check_stops),
    Check(("clearance",), "Do moving parts keep clear of each other?", "least distance of polygons", travel.check_clearances),
    Check(("crossing",), "Do the mechanisms keep out of each other's way?", "least distance of polygons", travel.check_crossings),
    Check(("crowded",), "Is every glued part alone in its place?", "common practice, no source", travel.check_crowded),
    Check(("push",), "Is it pushed the way it goes?", "pressure angle, theory of mechanisms", forces.check_driven),
    Check(("height",), "Is the foam high enough?", "common practice, no source", stack.check_heights),
    Check(("slot-hidden",), "Is the slot hidden at every position?", "common practice, no source", cover.check_covered),
    Check(("held",), "Is it held behind its slot?", "common practice, no source", cover.check_held),
    Check(("reveal-rest", "reveal-end"), "Is the surprise hidden at rest and shown at the end?", "common practice, no source", cover.check_shown),
    Check(("outline",), "Does the closed card keep everything inside?", "common practice, no source", outline.check_outline),
    Check(("envelope",), "Does it go into its envelope?", "girth of a convex section", outline.check_envelope),
    Check(("jam",), "Does the guide run without jamming?", "drawer rule, statics", forces.check_jam),
    Check(("buckling",), "Can it be pushed back?", "Euler's column", forces.check_buckling),
    Check(("effort",), "Does it move with pleasure?", "virtual work; coefficients from memory", rubbing.check_effort),
    Check(("finger-room",), "Does a finger get behind it?", "common practice, no source", height_map.check_fingers),
    Check(("bending",), "Is a long tab stiff enough?", "cantilever with an end load", forces.check_bending),
    Check(("reach",), "Is there enough to take hold of?", "common practice, no source", forces.check_reach),
    Check(("land",), "Is there enough paper round the slot?", "common practice, no source", cover.check_land),
    Check(("spacer-shows",), "Are foam and backing out of sight?", "common practice, no source", cover.check_under),
    Check(("wobble",), "Does it run straight?", "similar triangles", forces.check_wobble),
    Check(("cue",), "Is the reader told how to move it?", "common practice, no source", reader.check_cues),
    Check(("slope",), "Does it slide when the card is tilted?", "friction on an inclined plane", tilting.check_tilting),
    Check(("catch",), "Does an edge catch on another one?", "common practice; sagitta of an arc", catching.check_catching),
    Check(("travel",), "Does it open all the way?", "closure of the folds", fold_space.check_opens),
    Check(("clearance",), "Does anything go through anything?", "segments and planes", fold_space.check_pierced),
    Check(("clearance",), "Do parts in space keep apart?", "distance of points and planes", fold_space.check_keeps_off),
    Check(("spin",), "Does it turn freely on its thread?", "room of a ball", fold_space.check_spins),
    Check(("outline",), "Does it lie flat inside the card?", "common practice, no source", fold_flat.check_flat_outline),
    Check(("stands-out",), "Does anything leave the card on its way?", "common practice, no source", fold_flat.check_on_the_way),
    Check(("reveal-rest", "reveal-end"), "Is it hidden when shut and shown when open?", "common practice, no source", fold_flat.check_seen),
    Check(("catch",), "Does it come back in front?", "common practice, no source", fold_flat.check_laps),
    Check(("flap",), "Is there room for glue, clear of scores?", "common practice, no source", fold_flat.check_flaps),
    Check(
        ("fold", "flap", "land", "outline", "closure", "trial", "reach", "spin", "stands-out", "writing", "clearance"),
        "Do its measures go together?",
        "each bound says its own",
        fold_flat.check_bounds,
    ),
    Check(("closure",), "Does what closes it let it move?", "way round a stack along the neutral line", closing.check_closure),
    Check(("spine",), "Is the spine wide enough?", "common practice, no source", fold_flat.check_spine),
    Check(("post",), "Which letter class takes it?", "dated tables of the carriers", post.check_post),
    Check(("support",), "Is every sheet carried?", "sagitta of an arc; our own limit", foam.check_support),
    Check(("foam-seen",), "Is foam seen?", "common practice, no source", foam.check_foam_seen),
    Check(("item",), "Has everything its place?", "each item lies on a part", foam.check_strays),
    Check(("spare-foam",), "Would less foam do?", "common practice, no source", foam.check_spare_foam),
)


def each_finding(examination: Examination, *, rules: Iterable[str] | None = None, without: Iterable[str] = ()) -> Iterator[Finding]:
    """The findings one by one, in the order of the table: for who may have seen enough before the last check has run."""
    left_out = set(without)
    wanted = {rule for check in CHECKS for rule in check.rules} if rules is None else set(rules)
    wanted -= left_out
    for check in CHECKS:
        if wanted & set(check.rules):
            yield from (f for f in check.run(examination) if f.rule in wanted)


def run_checks(examination: Examination, *, rules: Iterable[str] | None = None, without: Iterable[str] = ()) -> tuple[Finding, ...]:
    """The findings of all checks (or of those for some rules, or of all but some), worst first, without remedies."""
    return sort_findings(each_finding(examination, rules=rules, without=without))
