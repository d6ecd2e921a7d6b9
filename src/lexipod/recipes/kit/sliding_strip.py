"""The other waterfall: a strip that runs over the edge of its belt, and leaves that snap over with it.

Flap and sections hang in front of the belt; the strip goes over the belt's upper edge and its tail runs down behind. Each leaf is
stuck just below the score at the upper end of its section. As the tail is pulled the front rises; a leaf snaps over when its score
comes to the edge, and sinks behind it. A bar on the back of the flap stops at the belt's lower edge, or the flap would go over too.

Between its scores the strip bends round the edge. Here it runs over in narrow pieces, each of which turns when its middle is on the
edge; so within half a piece the drawn strip is not the bent one.
"""

from __future__ import annotations

import math
from itertools import pairwise

from lexipod.assembly import Allowance, Drive, FlatState, Folding, Move, Panel, Reading, Stage
from lexipod.assembly.folding import SNAP_MM, FoldJoint
from lexipod.geometry.space import turned_over
from lexipod.recipes.kit.folds import Folds, add_face, box
from lexipod.recipes.kit.parameters import Site, Values
from lexipod.recipes.kit.values import count, number, place

PARKED_MM = 2.0
"""How far below the edge the first score is parked."""
GLUE_MM = 4.0
"""A leaf is stuck so far down from its score: higher glue would have to bend round the edge."""
PIECE_MM = 4.0
BAR_MM = 6.0
SNAP_DEG = 90.0
"""How much of a leaf's 180 degrees of travel is its turn itself; the strip slides for the rest."""


def edge_of(values: Values) -> float:
    """The height of the edge on the card."""
    return place(values, "place")[1] + number(values, "flap") + count(values, "leaves") * number(values, "pitch") + PARKED_MM


def turn_overs(values: Values) -> list[float]:
    """How far it is pulled when each leaf snaps over (mm)."""
    return [PARKED_MM + k * number(values, "pitch") for k in range(count(values, "leaves"))]


def full_pull(values: Values) -> float:
    """How far it is pulled until the bar stops (mm)."""
    return PARKED_MM + count(values, "leaves") * number(values, "pitch")


def build_sliding(site: Site, mechanism: str, values: Values) -> tuple[Folding, list[Panel], Panel]:
    """The folding without its needs, its leaves, and the belt."""
    folds = Folds(site, mechanism)
    n, p, flap_height = count(values, "leaves"), number(values, "pitch"), number(values, "flap")
    (x, y), half, size_mm, wide = place(values, "place"), number(values, "strip_width") / 2, number(values, "leaf_size"), number(values, "leaf_width")
    edge, belt_wide, belt_high, glue = edge_of(values), number(values, "belt_width"), number(values, "belt_height"), number(values, "belt_glue")
    ground = add_face(folds)
    paper = ("strip", "paper")
    left, right = x - belt_wide / 2, x + belt_wide / 2
    spans = {"belt": (left + glue, right - glue), "belt-left": (left, left + glue), "belt-right": (right - glue, right)}
    labels = {"belt": "belt", "belt-left": "left end of the belt", "belt-right": "right end of the belt"}
    belt, *ends = (
        folds.panel(name, labels[name], box(low, edge - belt_high, high, edge), "belt", faces=("frame", "paper"), flex=True)
        for name, (low, high) in spans.items()
    )
    for end in ends:
        folds.glue(end, ground)
    folds.glue(belt, ends[0])
    flap = folds.panel("flap", "flap", box(x - half, y, x + half, y + flap_height), "strip", faces=paper)
    lift = folds.slide("lift", flap, ground, (0.0, 1.0, 0.0))
    bar_top = y + flap_height - belt_high
    bar = folds.panel("bar", "stop bar", box(x - half, bar_top - BAR_MM, x + half, bar_top), "bar", faces=("frame", "paper"), plies=2)
    folds.glue(bar, flap)
    tail = folds.panel("tail", "tail", box(x - half, edge, x + half, edge + edge - y + number(values, "grip")), "strip", faces=paper)
    over = turned_over(0.0, 2 * edge, axis="x")
    sink = folds.slide("tail-runs", tail, ground, (0.0, -1.0, 0.0), place=over)

    runs: list[tuple[FoldJoint, float]] = []  # and how far it is pulled when each comes to the edge
    pieces: list[Panel] = []

    def piece(name: str, label: str, low: float, high: float, at: float) -> Panel:
        made = folds.panel(name, label, box(x - half, low, x + half, high), "strip", faces=paper)
        line, there = (((x - half, v, 0.0), (x + half, v, 0.0)) for v in (at, edge))
        joint = FoldJoint(f"{mechanism}.{name}-runs", "edge", made.id, belt.id, at_a=line, at_b=there)
        folds.joints.append(joint)
        runs.append((joint, edge - at))
        pieces.append(made)
        return made

    leaves: list[Panel] = []
    below = flap
    tops = [y + flap_height + (n - k + 1) * p for k in range(1, n + 1)]
    for k in range(n, 0, -1):
        top = tops[k - 1]
        cuts = [top - cut for cut in reversed(_cuts(p))]
        rest = len(cuts) - 2
        for m, (low, high) in enumerate(pairwise(cuts[:-1])):
            piece(f"section-{k}-{m + 1}", f"section {k}", low, high, (low + high) / 2)
        section = piece(f"section-{k}", f"section {k}, upper end", cuts[-2], top, top)
        leaf = folds.panel(f"leaf-{k}", f"leaf {k}", box(x - wide / 2, top - size_mm, x + wide / 2, top), f"leaf-{k}", faces=("picture", "wheel"))
        folds.glue(leaf, section)
        folds.sheet(f"leaf-{k}", f"leaf {k}", guides=[(section.region, "glue here, just below the score")])
        leaves.insert(0, leaf)
        if k < n:
            folds.score(f"score-{k + 1}", pieces[-rest - 1], below, ((x - half, top - p), (x + half, top - p)), "mountain", runs="free")
        below = section
    lead = piece("lead", "lead of the tail", tops[0], edge, (tops[0] + edge) / 2)
    folds.score("score-1", lead, below, ((x - half, tops[0]), (x + half, tops[0])), "mountain", runs="free")

    bow = round(math.ceil(2 * (n + 1) * site.stock.caliper_mm / site.grid_mm - 1e-9) * site.grid_mm, 6)
    folds.sheet(
        "strip",
        "strip",
        grain="along the scores",
        note="scored at the leaves; goes over the belt's upper edge",
        guides=[(bar.region, "stop bar on the back of the flap")],
    )
    more = Allowance("length", bow, "gap", "turned leaves and strip pass behind it: it bows over them", belt_wide, (Move("after", x, bow),))
    folds.sheet("belt", "belt", allowances=(more,), guides=[(end.region, "glue here, nowhere else") for end in ends])
    folds.sheet("bar", "stop bar", plies=2, note="on the back of the flap; stops at the belt's lower edge")

    hanging = [leaf.id for leaf in reversed(leaves)]
    states = []
    for j in range(n + 1):
        turned = [leaf.id for leaf in leaves[:j]]  # the first lies nearest to the card
        over_edge = [q.id for q in pieces if joint_at(runs, q) < pull_at(values, j)]
        in_front = [q.id for q in pieces if q.id not in over_edge]
        order = (ground.id, *turned, tail.id, *over_edge, belt.id, *(end.id for end in ends), bar.id, flap.id, *in_front, *hanging[: n - j])
        states.append(FlatState("rest" if j == 0 else f"leaf {j} turned", 180.0 * j, j == 0, j == 0, order))
    drive = Drive(mechanism, sink.id, tail.id, "open", 0.0, 180.0 * n, 90.0, detents=tuple(180.0 * j for j in range(n + 1)))
    others = [q for q in folds.panels if q not in pieces]
    why = "the strip bends round the edge where these pieces turn"
    bends = {frozenset((q.id, other.id)): why for q in pieces for other in (*others, *pieces) if other is not q}
    folding = folds.folding(
        "face",
        ground,
        drive,
        tuple(_stages(values, lift, sink, runs)),
        tuple(states),
        readings=(Reading("pull", tail.id, (x, edge, 0.0), (0.0, -1.0, 0.0)),),
        carries={"card.front": ground.id},
        bends=bends,
    )
    return folding, leaves, belt


def joint_at(runs: list[tuple[FoldJoint, float]], panel: Panel) -> float:
    """How far it is pulled when a piece comes to the edge (mm)."""
    return next(at for joint, at in runs if joint.a == panel.id)


def pull_at(values: Values, turned: int) -> float:
    """How far it is pulled where so many leaves have been turned and the strip rests (mm): about midway to the next, where no piece is
    just on the edge, or at the stop."""
    if turned == 0:
        return 0.0
    if turned == count(values, "leaves"):
        return full_pull(values)
    p = number(values, "pitch")
    return turn_overs(values)[turned - 1] + min(_cuts(p)[1:-1], key=lambda cut: abs(cut - p / 2))


def _cuts(pitch: float) -> list[float]:
    """Where a section is cut into pieces, down from its upper score to the next: what the leaf is stuck to, and the rest."""
    glued = min(GLUE_MM, pitch / 2)
    count = max(1, math.ceil((pitch - glued) / PIECE_MM))
    return [0.0, *(glued + (pitch - glued) * k / count for k in range(count + 1))]


def _stages(values: Values, lift: FoldJoint, sink: FoldJoint, runs: list[tuple[FoldJoint, float]]) -> list[Stage]:
    """Slide, turn over, slide: three for each leaf."""
    stages = []
    for k, turn in enumerate(turn_overs(values)):
        slides = (180.0 - SNAP_DEG) / 2
        pulls = (pull_at(values, k), turn - SNAP_MM, turn + SNAP_MM, pull_at(values, k + 1))
        travels = (0.0, slides, slides + SNAP_DEG, 180.0)
        for m in range(3):
            start, end = 180.0 * k + travels[m], 180.0 * k + travels[m + 1]
            driven = {lift.id: (pulls[m], pulls[m + 1]), sink.id: (pulls[m], pulls[m + 1])}
            driven |= {joint.id: (pulls[m] - at, pulls[m + 1] - at) for joint, at in runs}
            stages.append(Stage(start, end, (start + end) / 2, driven, {}, (), (m == 0, m == 2)))
    return stages
