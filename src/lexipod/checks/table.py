"""The table of checks: a new check is one function and one row here."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass

from lexipod.checks import (
    catching,
    closing,
    company,
    cover,
    cutting,
    fastening,
    foam,
    fold_flat,
    fold_items,
    fold_layers,
    fold_space,
    forces,
    gate,
    glued,
    height_map,
    outline,
    pictures,
    post,
    reader,
    rubbing,
    seams,
    stack,
    tilting,
    travel,
)
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, sort_findings


@dataclass(frozen=True, slots=True)
class Rule:
    """What a finding is about: the ``station`` at which it is settled; whether it ``may_block`` (a cure for something else is not judged by
    one that never does); whether an item that has a share in it is moved for it (``moves_items``); whether the levers against it win a
    margin when a card is fitted (``wins_margin``); and the word for what is below nothing (“0.2 mm overlap”)."""

    id: str
    station: str
    may_block: bool = True
    moves_items: bool = False
    wins_margin: bool = False
    below: str = "short"


@dataclass(frozen=True, slots=True)
class Check:
    """One check: the rules it may find against, what it asks in the maker's words, where that comes from, and what runs it."""

    rules: tuple[Rule, ...]
    asks: str
    source: str
    run: Callable[[Examination], Iterator[Finding]]


_TRAVEL = Rule("travel", "travel", moves_items=True, wins_margin=True)
_CLEARANCE = Rule("clearance", "travel", moves_items=True, wins_margin=True, below="overlap")
_OUTLINE = Rule("outline", "card", moves_items=True)
_REVEAL = (Rule("reveal-rest", "fit", below="showing"), Rule("reveal-end", "fit", below="covered"))
_CROSSING = Rule("crossing", "travel", moves_items=True)
_CATCH = Rule("catch", "fit", moves_items=True)
_LAND = Rule("land", "mechanism", wins_margin=True, below="outside")
_HELD = Rule("held", "mechanism", wins_margin=True)
_REACH = Rule("reach", "fit")
_FLAP = Rule("flap", "mechanism")
_SPIN = Rule("spin", "travel")
_STANDS_OUT = Rule("stands-out", "card")
_FOLD = Rule("fold", "mechanism")
_LAYERS = Rule("layers", "mechanism")
_ONE_PIECE = Rule("one-piece", "mechanism", below="apart")
_CLOSURE = Rule("closure", "card")
"""Rules that more than one check finds against; the others stand in their row."""

CHECKS: tuple[Check, ...] = (
    Check((_TRAVEL,), "Does it go all the way?", "common practice, no source", travel.check_travel),
    Check((Rule("stop", "travel"),), "Is there a real stop at both ends?", "common practice, no source", travel.check_stops),
    Check((_CLEARANCE,), "Do moving parts keep clear of each other?", "least distance of polygons", travel.check_clearances),
    Check(
        (_CROSSING,),
        "Do the mechanisms keep out of each other's way?",
        "least distance of polygons",
        travel.check_crossings,
    ),
    Check(
        (Rule("crowded", "mechanism", moves_items=True),),
        "Is every glued part alone in its place?",
        "common practice, no source",
        travel.check_crowded,
    ),
    Check((Rule("push", "travel"),), "Is it pushed the way it goes?", "pressure angle, theory of mechanisms", forces.check_driven),
    Check(
        (Rule("height", "mechanism", moves_items=True, below="too high"),),
        "Is the foam high enough?",
        "common practice, no source",
        stack.check_heights,
    ),
    Check(
        (Rule("slot-hidden", "fit", wins_margin=True, below="open"),),
        "Is the slot hidden at every position?",
        "common practice, no source",
        cover.check_covered,
    ),
    Check((_HELD,), "Is it held behind its slot?", "common practice, no source", cover.check_held),
    Check(_REVEAL, "Is the surprise hidden at rest and shown at the end?", "common practice, no source", cover.check_shown),
    Check((_OUTLINE,), "Does the closed card keep everything inside?", "common practice, no source", outline.check_outline),
    Check((Rule("envelope", "card", below="too large"),), "Does it go into its envelope?", "girth of a convex section", outline.check_envelope),
    Check((Rule("jam", "fit", wins_margin=True),), "Does the guide run without jamming?", "drawer rule, statics", forces.check_jam),
    Check((Rule("buckling", "fit", may_block=False),), "Can it be pushed back?", "Euler's column", forces.check_buckling),
    Check((Rule("effort", "fit"),), "Does it move with pleasure?", "virtual work; coefficients from memory", rubbing.check_effort),
    Check((Rule("finger-room", "fit"),), "Does a finger get behind it?", "common practice, no source", height_map.check_fingers),
    Check((Rule("bending", "mechanism"),), "Is a long tab stiff enough?", "cantilever with an end load", forces.check_bending),
    Check((_REACH,), "Is there enough to take hold of?", "common practice, no source", forces.check_reach),
    Check((_LAND,), "Is there enough paper round the slot?", "common practice, no source", cover.check_land),
    Check(
        (Rule("spacer-shows", "mechanism", below="outside"),), "Are foam and backing out of sight?", "common practice, no source", cover.check_under
    ),
    Check(
        (Rule("gate", "card", moves_items=True, below="past the edge"),), "Do the doors shut over it?", "common practice, no source", gate.check_doors
    ),
    Check((Rule("wobble", "fit"),), "Does it run straight?", "similar triangles", forces.check_wobble),
    Check((Rule("cue", "mechanism"),), "Is the reader told how to move it?", "common practice, no source", reader.check_cues),
    Check((Rule("slope", "mechanism"),), "Does it slide when the card is tilted?", "friction on an inclined plane", tilting.check_tilting),
    Check((_CATCH,), "Does an edge catch on another one?", "common practice; sagitta of an arc", catching.check_catching),
    Check((Rule("fastener", "mechanism"),), "Do the fasteners hold?", "common practice, no source", fastening.check_fasteners),
    Check((_ONE_PIECE,), "Is every piece cut in one?", "common practice, no source", cutting.check_in_one_piece),
    Check((_ONE_PIECE,), "Does what is folded hang on the rest?", "common practice, no source", cutting.check_hangs),
    Check((Rule("narrow", "mechanism"),), "Is every piece wide enough to be cut?", "common practice, no source", cutting.check_narrow),
    Check(
        (Rule("cutter", "sheets", may_block=False, below="too much"),),
        "Does it go through what cuts it?",
        "common practice, no source",
        cutting.check_cutter,
    ),
    Check((_TRAVEL,), "Does it open all the way?", "closure of the folds", fold_space.check_opens),
    Check((_CLEARANCE,), "Does anything go through anything?", "segments and planes", fold_space.check_pierced),
    Check((_LAYERS,), "Can it be laid flat, with nothing glued in?", "conditions of flat folding", fold_layers.check_layers),
    Check((_FOLD,), "Does it shut with all that lies in it?", "similar triangles", fold_layers.check_short_of_flat),
    Check(
        (_CROSSING, _LAYERS),
        "Does what folds keep out of the way of all else?",
        "planes, polygons and balls",
        company.check_company,
    ),
    Check((_CLEARANCE,), "Do parts in space keep apart?", "distance of points and planes", fold_space.check_keeps_off),
    Check((_SPIN,), "Does it turn freely on its thread?", "room of a ball", fold_space.check_spins),
    Check((_OUTLINE,), "Does it lie flat inside the card?", "common practice, no source", fold_flat.check_flat_outline),
    Check((_STANDS_OUT,), "Does anything leave the card on its way?", "common practice, no source", fold_flat.check_on_the_way),
    Check(_REVEAL, "Is it hidden when shut and shown when open?", "common practice, no source", fold_flat.check_seen),
    Check((_CATCH,), "Does it come back in front?", "common practice, no source", fold_flat.check_laps),
    Check((_CLEARANCE,), "Does what is stuck on it stand in the way?", "planes and polygons; our own limit", fold_items.check_stands_up),
    Check((_CATCH,), "Does an edge of what is stuck on it catch?", "common practice; sagitta of an arc", fold_items.check_edges),
    Check((_FLAP,), "Is there room for glue, clear of scores?", "common practice, no source", fold_flat.check_flaps),
    Check(
        (
            _FOLD,
            _FLAP,
            _LAND,
            _OUTLINE,
            _CLOSURE,
            Rule("trial", "mechanism"),
            _REACH,
            _SPIN,
            _STANDS_OUT,
            Rule("writing", "fit"),
            _CLEARANCE,
        ),
        "Do its measures go together?",
        "each bound says its own",
        fold_flat.check_bounds,
    ),
    Check(
        (Rule("glued", "mechanism", moves_items=True),),
        "Is there paper where it is glued?",
        "what is glued has an area; common practice, no source",
        glued.check_glued,
    ),
    Check((_CLOSURE,), "Does what closes it let it move?", "way round a stack along the neutral line", closing.check_closure),
    Check((Rule("spine", "card"),), "Is the spine wide enough?", "common practice, no source", fold_flat.check_spine),
    Check((Rule("post", "card", may_block=False),), "Which letter class takes it?", "dated tables of the carriers", post.check_post),
    Check(
        (Rule("support", "mechanism", may_block=False, moves_items=True),),
        "Is every sheet carried?",
        "sagitta of an arc; our own limit",
        foam.check_support,
    ),
    Check((Rule("foam-seen", "mechanism", may_block=False, moves_items=True),), "Is foam seen?", "common practice, no source", foam.check_foam_seen),
    Check(
        (Rule("item", "mechanism", may_block=False, moves_items=True),), "Has everything its place?", "each item lies on a part", foam.check_strays
    ),
    Check(
        (
            Rule("picture-hidden", "pictures", may_block=False, below="seen"),
            Rule("picture-shown", "pictures", may_block=False, below="covered"),
            Rule("picture-upright", "pictures", may_block=False, below="turned"),
            Rule("picture-face", "pictures", may_block=False),
            Rule("picture-place", "pictures", may_block=False, below="off the paper"),
        ),
        "Is every picture seen as it is meant?",
        "exact areas; common practice, no source",
        pictures.check_pictures,
    ),
    Check(
        (Rule("picture-back", "pictures", may_block=False, below="bare"),),
        "Is what turns over dressed on both faces?",
        "common practice, no source",
        pictures.check_faces,
    ),
    Check(
        (
            Rule("picture-seam", "pictures", may_block=False, below="off"),
            Rule("picture-edges", "pictures", may_block=False),
        ),
        "Is a picture over two parts one picture at rest?",
        "common practice, no source",
        seams.check_seams,
    ),
    Check((Rule("spare-foam", "mechanism", may_block=False),), "Would less foam do?", "common practice, no source", foam.check_spare_foam),
)

RULES: Mapping[str, Rule] = {rule.id: rule for check in CHECKS for rule in check.rules}
"""Every rule, by its id."""
NEVER_BLOCKING = tuple(rule.id for rule in RULES.values() if not rule.may_block)
"""A change for something else is not judged by these."""


def each_finding(examination: Examination, *, rules: Iterable[str] | None = None, without: Iterable[str] = ()) -> Iterator[Finding]:
    """The findings one by one, in the order of the table: for who may have seen enough before the last check has run."""
    wanted = (set(RULES) if rules is None else set(rules)) - set(without)
    for check in CHECKS:
        if any(rule.id in wanted for rule in check.rules):
            yield from (f for f in check.run(examination) if f.rule in wanted)


def run_checks(examination: Examination, *, rules: Iterable[str] | None = None, without: Iterable[str] = ()) -> tuple[Finding, ...]:
    """The findings of all checks (or of those for some rules, or of all but some), worst first, without remedies."""
    return sort_findings(each_finding(examination, rules=rules, without=without))
