"""Flip panels: a frame is pulled to the side, and one or two panels turn over and show their backs.

By ``lift`` the frame is carried over on equal panels, as a parallelogram, and ends two panel widths further. By ``link`` it stays
down: a strip from each panel to the frame turns the panel by half a turn over a pull of twice the strip's radius.
"""

from __future__ import annotations

import math
from typing import Any

import shapely

from lexipod.assembly import Bound, Crease, Drive, FlatState, FoldNeed, GlueFlap, Handle, Opens, Panel, Reading, SeenAt, Stage
from lexipod.assembly.model import Piece
from lexipod.errors import ParameterError
from lexipod.recipes.kit.folds import Folds, add_face, box
from lexipod.recipes.kit.parameters import Advice, Lever, Parameter, Recipe, Site, Values
from lexipod.recipes.kit.sheets import Sheet
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place, sized_count

TAB_MM = 8.0
RIM_MM = 8.0
LINK_WIDTH_MM = 8.0
RUNNER_MM = 10.0
"""Width of the strip of the frame that runs under the panels to its links."""
AIR_MM = 1.0

PARAMETERS = (
    Parameter("panels", "panels", "count", "One panel or two that turn over together.", "Panels", 1, 2),
    Parameter("panel_width", "width of panel", "length", "From the hinge to the far edge.", "Panels", 10, 200),
    Parameter("panel_height", "height of panel", "length", "Along the hinge.", "Panels", 10, 300),
    Parameter("hinge", "hinge", "point", "Lower end of the first hinge: from the left and from the bottom edge.", "Panels", 0, 400),
    Parameter(
        "drive",
        "turned by",
        "choice",
        "The frame is lifted over, or stays down and turns them by a link.",
        "Drive",
        choices=("lift", "link"),
    ),
    Parameter("link", "link", "length", "Length of the link strip.", "Drive", 5, 300),
    Parameter("link_radius", "link at", "length", "From the hinge to where the link is fixed on the panel.", "Drive", 3, 150),
    Parameter("gap", "gap", "length", "Gap between panel and frame all round.", "Panels", 0.3, 10),
    Parameter("rim", "rim of frame", "length", "Width of the frame round the panels.", "Drive", 3, 60),
)


def size(site: Site, kept: Values) -> Values:
    """Panels on the right half of the card, so that the frame ends over the left one; its grip stands at the card's edge."""
    values: Values = {"drive": "lift", "gap": site.nice(1.0), **kept}
    card, grid = site.card, site.grid_mm
    if card.width_mm < 70 or card.height_mm < 50:
        raise RECIPE.refuse(site, "panels and frame find no room")
    n = sized_count(values, "panels", 1)
    rim = keep(values, "rim", RIM_MM, grid_mm=grid)
    span = (card.width_mm - 2 * rim - 4.0) / ((2.0 if values["drive"] == "lift" else 2.3) if n == 1 else 2.6)
    w = keep(values, "panel_width", below(span / n * (1.0 if n == 1 else 0.8), grid))
    least = RUNNER_MM + 2 * AIR_MM + 14.0 if values["drive"] == "link" and n > 1 else 0.0
    h = keep(values, "panel_height", below(min(card.height_mm - 2 * rim - 10.0, max(w * 1.5, least)), grid))
    r = keep(values, "link_radius", below(w * 0.45, grid))
    link = keep(values, "link", below(max(1.4 * r, w * 0.8), grid), grid_mm=grid)
    beyond = number(values, "gap") if values["drive"] == "lift" else max(number(values, "gap"), r + link - w)
    last = card.width_mm - rim - 2.0 - beyond
    x = last - w - (n - 1) * (w + rim + 2 * number(values, "gap"))
    keep_place(values, "hinge", x, (card.height_mm - h) / 2, grid_mm=grid)
    return values


def sheets(site: Site, values: Values) -> tuple[Sheet, ...]:
    """Nothing raised: panels and frame lie on the front."""
    return ()


def build(site: Site, mechanism: str, values: Values) -> Piece:
    """Card front, panels, and the frame; at rest every panel lies to the right of its hinge."""
    folds = Folds(site, mechanism)
    n, w, h = count(values, "panels"), number(values, "panel_width"), number(values, "panel_height")
    (x, y), gap, rim = place(values, "hinge"), number(values, "gap"), number(values, "rim")
    ground = add_face(folds)
    step = w + rim + 2 * gap
    hinges = [x + k * step for k in range(n)]
    lifts = values["drive"] == "lift"
    frame_region = _frame(values, hinges, y)
    frame = folds.panel("frame", "frame", frame_region, "frame", faces=("frame", "paper"), plies=2, stands_out=False)
    panels: list[Panel] = []
    joints = []
    guess: dict[str, float] = {}
    closes: list[str] = []
    for k, x0 in enumerate(hinges):
        panel = folds.panel(f"panel-{k + 1}", f"panel {k + 1}", box(x0, y, x0 + w, y + h), f"panel-{k + 1}", faces=("wheel", "picture"))
        tabs = _tabs(site, values, k, x0, y)
        line = ((x0, tabs[0].bounds[3]), (x0, y))
        joints.append(folds.hinge(f"hinge-{k + 1}", panel, ground, line, line))
        panels.append(panel)
        folds.sheet(
            f"panel-{k + 1}",
            f"panel {k + 1}",
            shapely.union_all([box(x0, y, x0 + w + (site.nice(TAB_MM) if lifts else 0.0), y + h), *tabs]),
            guides=[
                *((tab, "hinge tab, glued to the card") for tab in tabs),
                (box(x0 + w, y, x0 + w + site.nice(TAB_MM), y + h) if lifts else shapely.Polygon(), "hinge tab, glued to the frame"),
            ],
            creases=_scores(panel, x0, w, y, h, tabs, lifts=lifts),
            note="both sides are seen; score both hinges and work them both ways",
        )
    drive = Drive(mechanism, joints[0].id, panels[0].id, "open", 0.0, 180.0, 90.0)
    driven = {joints[0].id: (0.0, 180.0)}
    ids = [p.id for p in panels]
    if lifts:
        edge = ((x + w, y), (x + w, y + h))
        back = (edge[1], edge[0])
        held = folds.hinge("frame-hinge-1", frame, panels[0], back, back)
        guess[held.id] = -90.0
        if n == 1:
            folds.parallel("frame-level", frame, ground)
            closes.append(f"{mechanism}.frame-level")
        else:
            far = ((hinges[1] + w, y), (hinges[1] + w, y + h))
            folds.closing_hinge("frame-hinge-2", frame, panels[1], far, far)
            guess[joints[1].id] = 90.0
            closes.append(f"{mechanism}.frame-hinge-2")
    else:
        r, length = number(values, "link_radius"), number(values, "link")
        slide = folds.slide("pull", frame, ground, (-1.0, 0.0, 0.0))
        guess[slide.id] = r + length - math.sqrt(max(length**2 - r**2, 0.0))
        for k, x0 in enumerate(hinges):
            middle = y + h / 2
            region = box(x0 + r, middle - LINK_WIDTH_MM / 2, x0 + r + length, middle + LINK_WIDTH_MM / 2)
            link = folds.panel(f"link-{k + 1}", f"link {k + 1}", region, f"link-{k + 1}", faces=("paper", "paper"))
            at = ((x0 + r, middle + LINK_WIDTH_MM / 2), (x0 + r, middle - LINK_WIDTH_MM / 2))
            joint = folds.hinge(f"link-hinge-{k + 1}", link, panels[k], at, at)
            end = ((x0 + r + length, middle - 4.0), (x0 + r + length, middle + 4.0))
            folds.closing_hinge(f"link-end-{k + 1}", link, frame, end, end)
            guess[joint.id] = -(90.0 + math.degrees(math.asin(min(1.0, r / length))))
            closes.append(f"{mechanism}.link-end-{k + 1}")
            if k:
                guess[joints[k].id] = 90.0
            folds.sheet(
                f"link-{k + 1}",
                f"link {k + 1}",
                box(region.bounds[0] - site.nice(TAB_MM), region.bounds[1], region.bounds[2] + site.nice(TAB_MM), region.bounds[3]),
            )
            ids.append(link.id)
    folds.sheet("frame", "frame", plies=2, note="two plies")
    stage = Stage(0.0, 180.0, 90.0, driven, guess, tuple(closes), (True, True))
    if lifts:  # carried over, the frame comes down on the panels; pulled along, it lies under its links, and they under the panels
        order, turned = (ground.id, *ids, frame.id), (ground.id, *ids, frame.id)
    else:
        order, turned = (ground.id, frame.id, *ids[n:], *ids[:n]), (ground.id, frame.id, *ids)
    states = (FlatState("rest", 0.0, True, True, order), FlatState("turned", 180.0, False, False, turned))
    folding = folds.folding(
        "face",
        ground,
        drive,
        (stage,),
        states,
        readings=(Reading("pull", frame.id, (x, y, 0.0), (-1.0, 0.0, 0.0)),),
        needs=_needs(site, mechanism, values, panels, frame, ground, hinges),
        carries={"card.front": ground.id},
    )
    return Piece((), handles=tuple(_handles(mechanism, values)), folding=folding)


def _tabs(site: Site, values: Values, k: int, x0: float, y: float) -> list[Any]:
    """The hinge tab of a panel, in two where the runner to an earlier link passes between them."""
    tab = box(x0 - site.nice(TAB_MM), y, x0, y + number(values, "panel_height"))
    if values["drive"] == "lift" or k == 0:
        return [tab]
    middle, half = y + number(values, "panel_height") / 2, RUNNER_MM / 2 + AIR_MM
    left = shapely.difference(tab, box(x0 - 1e3, middle - half, x0, middle + half))
    if left.is_empty:
        least = site.length(2 * half)
        raise ParameterError("panel_height", f"the runner to the first link leaves nothing of this panel's hinge; it must be higher than {least}")
    return sorted(shapely.get_parts(left), key=lambda part: part.bounds[1])


def _scores(panel: Panel, x0: float, w: float, y: float, h: float, tabs: list[Any], *, lifts: bool) -> list[Crease]:
    """The hinge to the card, and that to the frame where it is lifted."""
    pair = (panel.id, panel.id)
    hinges = [Crease("hinge", (x0, tab.bounds[1]), (x0, tab.bounds[3]), "valley", pair, "free", 1) for tab in tabs]
    return [*hinges, Crease("frame hinge", (x0 + w, y), (x0 + w, y + h), "mountain", pair, "free", 2)] if lifts else hinges


def _frame(values: Values, hinges: list[float], y: float) -> shapely.Polygon:
    """The frame with an opening for each panel (lift), or a bar beyond the last panel with room for the links (link)."""
    w, h, gap, rim = (number(values, n) for n in ("panel_width", "panel_height", "gap", "rim"))
    if values["drive"] == "lift":
        outer = box(hinges[0] - gap - rim, y - gap - rim, hinges[-1] + w + rim, y + h + gap + rim)
        return shapely.difference(outer, shapely.union_all([box(x - gap, y - gap, x + w, y + h + gap) for x in hinges]))
    ends = [x + number(values, "link_radius") + number(values, "link") for x in hinges]
    bar = box(max(hinges[-1] + w + gap, ends[-1] - 2.0), y, max(hinges[-1] + w + gap, ends[-1] - 2.0) + rim, y + h)
    runner = box(min(ends) - 2.0, y + h / 2 - RUNNER_MM / 2, bar.bounds[2], y + h / 2 + RUNNER_MM / 2)
    return shapely.union(bar, runner)


def _needs(site: Site, mechanism: str, values: Values, panels: list[Panel], frame: Panel, ground: Panel, hinges: list[float]) -> tuple[FoldNeed, ...]:
    w, r, length, rim = (number(values, n) for n in ("panel_width", "link_radius", "link", "rim"))
    y = place(values, "hinge")[1]
    needs: list[FoldNeed] = [Opens(f"{mechanism}.opens", mechanism)]
    for k, panel in enumerate(panels):
        needs.append(
            SeenAt(
                f"{mechanism}.seen-{k + 1}",
                mechanism,
                panel.id,
                panel.region.buffer(-1.0),
                0.0,
                False,
                (frame.id,),
                0.0,
                f"the front of panel {k + 1}",
            )
        )
        back = panel.region.buffer(-1.0)
        if values["drive"] == "lift":
            over = rim + (number(values, "gap") if k + 1 < len(hinges) else 0.0)
            back = shapely.difference(back, box(hinges[k] + w - over, y - 1.0, hinges[k] + w, y + 1e3))
        needs.append(SeenAt(f"{mechanism}.back-{k + 1}", mechanism, panel.id, back, 180.0, False, (frame.id,), 0.0, f"the back of panel {k + 1}"))
        for part, tab in enumerate(_tabs(site, values, k, hinges[k], y)):
            which = f"tab-{k + 1}" if not part else f"tab-{k + 1}b"
            needs.append(GlueFlap(f"{mechanism}.{which}", mechanism, ground.id, tab, 5.0, f"the hinge tab of panel {k + 1}"))
        spare = hinges[k] - w
        needs.append(
            Bound(
                f"{mechanism}.lands-{k + 1}",
                mechanism,
                "outline",
                (panel.id,),
                round(spare, 4),
                0.0,
                f"Panel {k + 1} lands past the card's edge",
                "Turned over, it must lie on the card.",
            )
        )
    if len(panels) == 2:
        needs.append(
            Bound(
                f"{mechanism}.apart",
                mechanism,
                "fold",
                (panels[0].id, panels[1].id),
                round(hinges[1] - hinges[0] - w, 4),
                round(number(values, "gap"), 4),
                "The second panel lands on the first hinge",
                "Between the panels at least the gap must stay.",
            )
        )
    if values["drive"] == "link":
        why = "The frame would have to push the panel over its own hinge; a link a tenth longer than its radius starts by itself."
        needs.append(Bound(f"{mechanism}.link", mechanism, "fold", (f"{mechanism}.link-1",), length, round(1.1 * r, 4), "The link is short", why))
    else:
        needs.append(
            Bound(
                f"{mechanism}.rim-over",
                mechanism,
                "reveal-end",
                (panels[0].id, frame.id),
                round(rim, 4),
                0.0,
                "The rim comes to lie over the edge of the backs",
                f"Turned over, the frame hangs on the panels' far edges and covers {site.length(rim)} of each back there: keep pictures clear of it.",
                at_most=True,
                severity="note",
            )
        )
        far = 2 * w
        lies = site.length(float(frame.outline[:, 0].min()) - far)
        why = f"It moves by {site.length(far)} and then lies from {lies} on; keep that place free of anything glued."
        needs.append(
            Bound(
                f"{mechanism}.lands-frame",
                mechanism,
                "stands-out",
                (frame.id,),
                round(max(0.0, far - float(frame.outline[:, 0].min())), 4),
                0.0,
                "The turned frame stands out of the card",
                why,
                at_most=True,
                severity="note",
            )
        )
    return tuple(needs)


def _handles(mechanism: str, values: Values) -> list[Handle]:
    (x, y), w, h = place(values, "hinge"), number(values, "panel_width"), number(values, "panel_height")
    return [
        Handle(mechanism, "hinge", "hinge", (x, y), (1.0, 0.0), 1.0, ((0.0, y), (x, y)), 0.0, cross=(0.0, 1.0)),
        Handle(mechanism, "panel_width", "panel", (x + w, y + h / 2), (1.0, 0.0), 1.0, ((x, y + h / 2), (x + w, y + h / 2)), 0.0),
        Handle(mechanism, "panel_height", "panel", (x + w / 2, y + h), (0.0, 1.0), 1.0, ((x + w / 2, y), (x + w / 2, y + h)), 0.0),
    ]


LEVERS: dict[str, tuple[Lever, ...]] = {
    "outline": (
        Lever("Make the panels {by} narrower", {"panel_width": -1.0}),
        Lever("Make the panels {by} lower", {"panel_height": -1.0}),
        Lever("Move the hinge {by} to the right", {"hinge.x": 1.0}),
        Lever("Move the hinge {by} to the left", {"hinge.x": -1.0}),
        Lever("Move the hinge {by} up", {"hinge.y": 1.0}),
        Lever("Move the hinge {by} down", {"hinge.y": -1.0}),
        Lever("Make the link {by} shorter", {"link": -1.0, "link_radius": -0.5}),
        Lever("Make the rim {by} narrower", {"rim": -1.0}),
    ),
    "travel": (Lever("Make the link {by} longer", {"link": 1.0}), Lever("Fix the link {by} nearer to the hinge", {"link_radius": -1.0})),
    "fold": (
        Lever("Make the link {by} longer", {"link": 1.0}),
        Lever("Fix the link {by} nearer to the hinge", {"link_radius": -1.0}),
        Lever("Make the rim {by} wider", {"rim": 1.0}),
    ),
    "reveal-rest": (Lever("Leave the gap {by} wider", {"gap": 1.0}),),
}

ADVICE = (
    Advice("join", "Leave a gap of a millimetre at the hinge; clear of the openings of the frame.", "frame"),
    Advice("test", "Burnish the hinges in the opened direction too."),
)
RECIPE = Recipe(
    "flip-panels",
    "flip panels",
    "Pulling a frame aside turns panels over and shows their backs.",
    PARAMETERS,
    size,
    sheets,
    build,
    LEVERS,
    smallest_mm=(70.0, 50.0),
    verbs=("turn", "cover"),
    shaping=("panels", "drive"),
    folds=True,
    advice=ADVICE,
)
