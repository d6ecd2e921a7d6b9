"""Waterfall: leaves on a strip turn over one after the other as its tail is pulled.

The strip is scored at one pitch and folded back at its uppermost score. Its front flap is glued to the middle of a belt, whose
ends are stuck to the card; the tail runs behind, between belt and card, and comes out below. Each leaf is stuck within one pitch
at the upper score of its section; pulled by twice the pitch, the section turns over, and the leaf with it. Makers also let the strip
slide over the belt's edge instead (`sliding_strip`).
"""

from __future__ import annotations

import math
from dataclasses import replace

import shapely

from lexipod.assembly import Allowance, Bound, Drive, FlatState, FoldNeed, Handle, Move, Opens, Panel, Reading, SeenAt, Stage
from lexipod.assembly.folding import FoldJoint
from lexipod.assembly.model import Piece
from lexipod.geometry.space import turned_over
from lexipod.recipes.kit.folds import Folds, add_face, box
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.sliding_strip import BAR_MM, build_sliding, edge_of
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place, sized_count

CLEAR_MM = 0.8
LAP_MM = 0.5

PARAMETERS = (
    Parameter("leaves", "leaves", "count", "How many leaves turn over.", "Leaves", 1, 10),
    Parameter("leaf_size", "height of leaf", "length", "Height of each leaf.", "Leaves", 10, 250),
    Parameter("leaf_width", "width of leaf", "length", "Width of each leaf.", "Leaves", 10, 250),
    Parameter("pitch", "pitch", "length", "Distance of the scores; each leaf turns over a pull of twice this.", "Strip", 4, 80),
    Parameter("strip_width", "width of strip", "length", "Width of strip and tail.", "Strip", 8, 200),
    Parameter("flap", "flap", "length", "Height of the front flap below the last section.", "Strip", 6, 200),
    Parameter("place", "place", "point", "Middle of the flap's lower edge: from the left and from the bottom.", "Strip", 0, 400),
    Parameter(
        "construction",
        "held by",
        "choice",
        "A belt over the flap; two straps, each glued with one square to the flap; or a belt over whose edge the strip slides.",
        "Belt",
        choices=("belt", "straps", "sliding-strip"),
    ),
    Parameter("belt_width", "belt", "length", "Width of the belt that holds strip and tail.", "Belt", 12, 400),
    Parameter("belt_height", "height of belt", "length", "Height of the belt.", "Belt", 5, 100),
    Parameter("belt_glue", "glue of belt", "length", "How far glue reaches inwards at each end of the belt.", "Belt", 2, 60),
    Parameter("grip", "grip", "length", "How far the tail reaches below the belt at rest.", "Strip", 0, 100),
)


def size(site: Site, kept: Values) -> Values:
    """Leaves as large as the card's upper part takes, and a pitch that lets them all turn within it."""
    values: Values = {"construction": "belt", **kept}
    card, grid = site.card, site.grid_mm
    if card.width_mm < 60 or card.height_mm < 90:
        raise RECIPE.refuse(site, "strip and leaves find no room")
    n = sized_count(values, "leaves", 4)
    pitch = keep(values, "pitch", below(max(6.0, min(12.0, card.height_mm * 0.07)), grid))
    glue = keep(values, "belt_glue", 8.0, grid_mm=grid)
    belt = keep(values, "belt_width", below(card.width_mm - 8.0, grid))
    wide = keep(values, "leaf_width", below(min(belt - 2 * glue - 2 * CLEAR_MM - 2.0, 160.0), grid))
    keep(values, "strip_width", below(wide * 0.8, grid))
    low = keep(values, "grip", max(12.0, site.ways.fingertip + 2.0), grid_mm=grid) + 4.0
    rise = card.height_mm - low - 8.0
    flap = keep(values, "flap", max(6.0, below(min(rise - n * pitch, card.height_mm * 0.38), grid)))
    slides = values["construction"] == "sliding-strip"
    held = flap - (BAR_MM if slides else 0.0)  # higher, the belt would hold the last section down, or the bar would not pass under it
    keep(values, "belt_height", max(5.5, below(min(max(12.0, card.height_mm * 0.1), held), grid)))
    leaf = min(flap + n * pitch, wide, card.height_mm - low - flap - n * pitch + (-4.0 if slides else 2 * pitch), low + flap + pitch - 2.0)
    keep(values, "leaf_size", max(10.0, below(leaf, grid)))
    keep_place(values, "place", card.width_mm / 2, low, grid_mm=grid)
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """Nothing raised."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Strip laid flat with its front up: flap, sections from the last to the first, tail."""
    if values["construction"] == "sliding-strip":
        folding, turning, belt = build_sliding(site, mechanism, values)
        needs = (*_needs(site, mechanism, values, turning, belt), *_sliding_needs(mechanism, values, belt))
        return Piece((), handles=tuple(_handles(mechanism, values)), folding=replace(folding, needs=needs))
    folds = Folds(site, mechanism)
    n, p, flap_height = count(values, "leaves"), number(values, "pitch"), number(values, "flap")
    (x, y), half, size_mm, wide = place(values, "place"), number(values, "strip_width") / 2, number(values, "leaf_size"), number(values, "leaf_width")
    ground = add_face(folds)
    flap = folds.panel("flap", "flap", box(x - half, y, x + half, y + flap_height), "strip", faces=("strip", "paper"))
    lift = folds.slide("lift", flap, ground, (0.0, 0.0, 1.0))
    first = y + flap_height
    tops = [first + k * p for k in range(n + 1)]
    tail_length = tops[n] - y + number(values, "grip")
    sections: list[Panel] = []
    joints = []
    under: Panel = flap
    for k in range(n, 0, -1):
        low = tops[n - k]
        panel = folds.panel(f"section-{k}", f"section {k}", box(x - half, low, x + half, low + p), "strip", faces=("strip", "paper"))
        joints.append(folds.crease(f"score-{k}", panel, under, ((x - half, low), (x + half, low)), "mountain", runs="free", order=1))
        sections.append(panel)
        under = panel
    sections, joints = sections[::-1], joints[::-1]
    tail = folds.panel("tail", "tail", box(x - half, tops[n], x + half, tops[n] + tail_length), "strip", faces=("strip", "paper"))
    joints.insert(0, folds.crease("score-0", tail, sections[0], ((x - half, tops[n]), (x + half, tops[n])), "mountain", runs="free"))
    leaves = []
    for k, section in enumerate(sections, start=1):
        top = tops[n - k + 1]
        leaf = folds.panel(f"leaf-{k}", f"leaf {k}", box(x - wide / 2, top - size_mm, x + wide / 2, top), f"leaf-{k}", faces=("picture", "wheel"))
        folds.glue(leaf, section)
        folds.sheet(f"leaf-{k}", f"leaf {k}", guides=[(box(x - half, top - p + 1.0, x + half, top), "glue within one pitch, short of the score")])
        leaves.append(leaf)
    belt_wide, belt_high = number(values, "belt_width"), number(values, "belt_height")
    held = _held_by(folds, values, flap)
    over = turned_over(0.0, 2 * tops[n], axis="x")
    folds.joints.append(FoldJoint(f"{mechanism}.tail-runs", "slide", tail.id, ground.id, place=over, along=(0.0, 1.0, 0.0), closes=True))
    glue, t = number(values, "belt_glue"), site.stock.caliper_mm
    ends = shapely.MultiPolygon([box(at, y, at + glue, y + belt_high) for at in (x - belt_wide / 2, x + belt_wide / 2 - glue)])
    bow = round(math.ceil(2 * (n + 1) * t / site.grid_mm - 1e-9) * site.grid_mm, 6)
    folds.sheet("strip", "strip", grain="across the scores", note="all scores one way; folded back at the uppermost")
    for k, strap in enumerate(held):
        name = strap.id.removeprefix(f"{mechanism}.")
        left, _, right, _ = strap.region.bounds
        inner = shapely.intersection(strap.region, flap.region)
        glued = [(part, "glue here, nowhere else") for part in ends.geoms if part.intersects(strap.region)]
        glued += [(inner, "glue this square to the flap, nothing between")] if len(held) > 1 else []
        more = bow if len(held) == 1 else round(math.ceil(bow / 2 / site.grid_mm - 1e-9) * site.grid_mm, 6)
        middle = x if len(held) == 1 else ((left + x - half) / 2 if k == 0 else (x + half + right) / 2)
        allowance = Allowance(
            "length", more, "gap", "leaves and strip pass under it: it bows over them", right - left, (Move("after", middle, more),)
        )
        folds.sheet(name, strap.name, allowances=(allowance,), guides=glued)
    stages = []
    for k in range(1, n + 1):
        driven = {joints[k].id: (0.0, -180.0)}
        driven |= {joints[j].id: (0.0, 0.0) for j in range(n + 1) if j not in (k, k - 1)}
        guess = {joints[k - 1].id: -90.0, lift.id: p}
        stages.append(Stage(180.0 * (k - 1), 180.0 * k, 180.0 * k - 90.0, driven, guess, (f"{mechanism}.tail-runs",), (True, True)))
    chain = [s.id for s in sections]
    states = []
    for j in range(n + 1):
        turned = [leaf.id for leaf in leaves[:j]]  # the first lies nearest to the card
        hanging = chain[:j][::-1]
        order = [ground.id, *turned, tail.id, *hanging, flap.id, *chain[j:][::-1], *(b.id for b in held), *(leaf.id for leaf in reversed(leaves[j:]))]
        states.append(FlatState("rest" if j == 0 else f"leaf {j} turned", 180.0 * j, j == 0, j == 0, tuple(order)))
    drive = Drive(mechanism, joints[1].id, tail.id, "open", 0.0, 180.0 * n, 90.0, detents=tuple(180.0 * j for j in range(n + 1)))
    folding = folds.folding(
        "face",
        ground,
        drive,
        tuple(stages),
        tuple(states),
        readings=(Reading("pull", tail.id, (x, tops[n], 0.0), (0.0, -1.0, 0.0)),),
        needs=tuple(_needs(site, mechanism, values, leaves, held[0])),
        carries={"card.front": ground.id},
    )
    return Piece((), handles=tuple(_handles(mechanism, values)), folding=folding)


def _held_by(folds: Folds, values: Values, flap: Panel) -> list[Panel]:
    """The belt over the flap, or two straps beside it, glued to its front."""
    (x, y), half = place(values, "place"), number(values, "strip_width") / 2
    wide, high = number(values, "belt_width"), number(values, "belt_height")
    if values["construction"] == "belt":
        rows = [("belt", "belt", box(x - wide / 2, y, x + wide / 2, y + high))]
    else:
        square = min(high, half - 1.0)
        rows = [
            ("strap-1", "left strap", box(x - wide / 2, y, x - half + square, y + high)),
            ("strap-2", "right strap", box(x + half - square, y, x + wide / 2, y + high)),
        ]
    held = [folds.panel(name, label, region, name, faces=("frame", "paper"), flex=True) for name, label, region in rows]
    for strap in held:
        folds.glue(strap, flap)
    return held


def _needs(site: Site, mechanism: str, values: Values, leaves: list[Panel], belt: Panel) -> list[FoldNeed]:
    wide, glue = number(values, "leaf_width"), number(values, "belt_glue")
    free = number(values, "belt_width") - 2 * glue
    needs: list[FoldNeed] = [Opens(f"{mechanism}.opens", mechanism)]
    for k, leaf in enumerate(leaves):
        above = tuple(other.id for other in leaves if other is not leaf)
        clear = leaf.region.buffer(-LAP_MM)
        needs.append(SeenAt(f"{mechanism}.seen-{k + 1}", mechanism, leaf.id, clear, 180.0 * k, False, above, 0.0, f"leaf {k + 1}"))
    needs += [
        Bound(
            f"{mechanism}.belt-span",
            mechanism,
            "fold",
            (belt.id, leaves[0].id),
            round(free, 4),
            round(wide + 2 * CLEAR_MM, 4),
            "The leaves jam under the belt",
            "Turned leaves hang behind and pass under the belt: its free span must be wider than they are. Glue only at its ends.",
        ),
        Bound(
            f"{mechanism}.belt-glue",
            mechanism,
            "flap",
            (belt.id,),
            glue,
            5.0,
            "The belt's ends are glued on too little",
            "All the pull comes on them.",
        ),
        Bound(
            f"{mechanism}.glue-pitch",
            mechanism,
            "fold",
            (leaves[0].id,),
            number(values, "pitch"),
            5.0,
            "The pitch is small for glue",
            "Glue higher than the pitch less a millimetre covers the next score and stops the leaf.",
            severity="warn",
        ),
        Bound(
            f"{mechanism}.above",
            mechanism,
            "stands-out",
            (leaves[-1].id,),
            round(_highest(values), 4),
            site.card.height_mm,
            "Turned leaves stand above the card",
            "On their way and behind the fold they reach past the upper edge; nothing glued there may be in their way.",
            at_most=True,
            severity="note",
        ),
        Bound(
            f"{mechanism}.grip",
            mechanism,
            "reach",
            (f"{mechanism}.tail",),
            number(values, "grip"),
            site.ways.fingertip,
            "The tail is short to take hold of",
            "A fingertip of it must stand out below the belt.",
        ),
    ]
    return needs


def _highest(values: Values) -> float:
    """How high on the card the turned leaves reach (mm)."""
    if values["construction"] == "sliding-strip":
        return edge_of(values) + number(values, "leaf_size")
    sections = (count(values, "leaves") - 2) * number(values, "pitch")
    return place(values, "place")[1] + number(values, "flap") + sections + number(values, "leaf_size")


def _sliding_needs(mechanism: str, values: Values, belt: Panel) -> list[FoldNeed]:
    return [
        Bound(
            f"{mechanism}.stop",
            mechanism,
            "flap",
            (belt.id, f"{mechanism}.flap"),
            round(number(values, "flap") - number(values, "belt_height"), 4),
            BAR_MM,
            "The stop bar finds no room on the flap",
            "It is stuck on the flap's back as far below its upper end as the belt is high, and stops at the belt's lower edge; without it the flap "
            "goes over the edge too, and does not come back.",
        )
    ]


def _handles(mechanism: str, values: Values) -> list[Handle]:
    n, p, flap = count(values, "leaves"), number(values, "pitch"), number(values, "flap")
    (x, y), wide, size_mm = place(values, "place"), number(values, "leaf_width"), number(values, "leaf_size")
    top = y + flap + n * p
    return [
        Handle(mechanism, "place", "place", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "leaf_size", "leaf", (x, top - size_mm), (0.0, -1.0), 1.0, ((x, top), (x, top - size_mm)), 0.0),
        Handle(
            mechanism,
            "leaf_width",
            "leaf",
            (x + wide / 2, top - size_mm / 2),
            (1.0, 0.0),
            2.0,
            ((x - wide / 2, top - 4), (x + wide / 2, top - 4)),
            0.0,
        ),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "fold": (
        Lever("Make the leaves {by} narrower", {"leaf_width": -1.0}),
        Lever("Make the belt {by} longer", {"belt_width": 1.0}),
        Lever("Let the glue reach {by} less", {"belt_glue": -1.0}),
        Lever("Make the pitch {by} larger", {"pitch": 1.0}),
    ),
    "clearance": (
        Lever("Make the belt {by} lower", {"belt_height": -1.0}),
        Lever("Make the flap {by} higher", {"flap": 1.0}),
        Lever("Make the leaves {by} lower", {"leaf_size": -1.0}),
    ),
    "flap": (
        Lever("Glue the belt {by} further in", {"belt_glue": 1.0, "leaf_width": -2.0}),
        Lever("Make the belt {by} lower", {"belt_height": -1.0}),
        Lever("Make the flap {by} higher", {"flap": 1.0}),
    ),
    "outline": (
        Lever("Make the leaves {by} narrower", {"leaf_width": -1.0}),
        Lever("Make the belt {by} shorter", {"belt_width": -1.0, "leaf_width": -1.0}),
        Lever("Make the flap {by} lower", {"flap": -1.0}),
        Lever("Make the leaves {by} lower", {"leaf_size": -1.0}),
        Lever("Make the pitch {by} smaller", {"pitch": -1.0}),
        Lever("Move it all {by} down", {"place.y": -1.0}),
        Lever("Move it all {by} up", {"place.y": 1.0}),
    ),
    "reach": (Lever("Make the tail {by} longer", {"grip": 1.0}),),
    "stands-out": (Lever("Make the leaves {by} lower", {"leaf_size": -1.0}),),
}

ADVICE = (
    Advice("join", "Glue on one section only, short of its score; the uppermost leaf first; fold it back before the next.", "leaf"),
    Advice("join", "Equal margins at both sides of the strip: check with a ruler.", "belt"),
)
RECIPE = Recipe(
    "waterfall",
    "waterfall",
    "Leaves turn over one after the other as the tail is pulled.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(60.0, 90.0),
    verbs=("turn", "slide"),
    shaping=("leaves",),
    folds=True,
    advice=ADVICE,
)
