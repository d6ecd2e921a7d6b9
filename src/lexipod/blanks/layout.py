"""Every blank of a card: panels laid open beside each other, the card's two pages among them; any other part is a blank of its own."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank, Crease, Folding, Part, Seam
from lexipod.assembly.blanks import Fold, after
from lexipod.blanks.laps import lapped
from lexipod.closing.card import Closing, close_card
from lexipod.geometry.frames import Array, pose_matrix, relative_pose
from lexipod.geometry.shapes import circle, join_regions, region_from, scraps_of, split_region

Point = tuple[float, float]
SAME_MM = 1e-4
SHORT_MM = 0.2
LONG_TIMES = 2.5
"""What is so many times as long as wide curls across its length first: its grain runs along it (common practice, no source; the number is
our own judgement)."""


def count_pieces(assembly: Assembly) -> int:
    """How many pieces are cut for a card."""
    return sum(blank.quantity for blank in find_blanks(assembly))


def find_blanks(assembly: Assembly) -> tuple[Blank, ...]:
    """All blanks of the card, each with the lower left corner of its box at the origin: the card itself first, then from the back to the
    front."""
    blanks = []
    closing = close_card(assembly)
    if assembly.gates:
        blanks.append(_gate_card(assembly))
    if "card.back" in assembly.by_id:
        blanks.append(_hemmed(_folded_card(assembly), assembly, closing))
    hangs = {seam.a for seam in assembly.seams}
    for part in assembly.parts:
        if part.id == "card.back" or part in assembly.gates or (part.id == "card.front" and ("card.back" in assembly.by_id or assembly.gates)):
            continue
        if part.role != "fastener" and not part.bought and part.quantity and part.id not in hangs:
            blanks += _laid_open(assembly, part)
    blanks += [replace(s, mechanism=f.mechanism, slits=find_slits(f, s)).as_cut() for f in assembly.foldings for s in f.sheets]
    blanks += [replace(s, mechanism="card") for s in (closing.sheets if closing is not None else ())]
    if assembly.laps:
        return tuple(half.at_origin() for blank in blanks for half in lapped(blank.at_origin(), assembly))
    return tuple(blank.at_origin() for blank in blanks)


def find_slits(folding: Folding, sheet: Blank) -> tuple[Array, ...]:
    """Where a sheet of something that folds is cut inside, in the sheet's frame."""
    panels = [folding.by_id[p].region for p in sheet.panels if p in folding.by_id]
    return inner_cuts(panels, (sheet.outline, *sheet.holes), sheet.creases)


def inner_cuts(panels: Sequence[Any], rims: Iterable[Array], creases: Iterable[Crease]) -> tuple[Array, ...]:
    """Lines ``(n, 2)`` along which a blank is cut inside: edges of its panels that are neither rim nor crease."""
    edges = shapely.union_all([shapely.set_precision(region.boundary, 1e-6) for region in panels])
    kept = shapely.union_all([shapely.LinearRing(rim) for rim in rims] + [shapely.LineString([c.start, c.end]) for c in creases])
    cut = shapely.difference(edges, kept.buffer(SAME_MM, cap_style="flat", join_style="mitre"))
    if cut.is_empty:
        return ()
    lines = shapely.get_parts(shapely.line_merge(cut) if cut.geom_type != "LineString" else cut)
    return tuple(_up_to(shapely.get_coordinates(line), kept) for line in lines if line.length > SHORT_MM)


def _up_to(line: Array, kept: Any) -> Array:
    """A cut whose ends go straight on to the rim or crease that they stop short of."""
    return np.vstack([_straight_on(line[1], line[0], kept), line[1:-1], _straight_on(line[-2], line[-1], kept)])


def _straight_on(start: Array, end: Array, kept: Any) -> Array:
    ahead = end + (end - start) / np.linalg.norm(end - start) * 4 * SAME_MM
    met = shapely.get_coordinates(shapely.intersection(shapely.LineString([end, ahead]), kept))
    if len(met):
        return met[np.argmin(np.linalg.norm(met - end, axis=1))]
    near = shapely.shortest_line(shapely.LineString([end, ahead]), kept)  # it ends beside the end of a crease
    return shapely.get_coordinates(near)[-1] if near.length < SAME_MM else end


def _laid_open(assembly: Assembly, root: Part) -> list[Blank]:
    """The blank of a part with all that hangs on it laid open round it, in the part's own frame; laminated plies of a part on which
    others hang are a blank of their own."""
    laid = {root.id: np.eye(2, 3)}
    creases: list[Crease] = []
    bridges: list[Any] = []
    waiting = list(assembly.seams)
    while found := [seam for seam in waiting if seam.b in laid and seam.a not in laid]:
        for seam in found:
            flat, scores, bridge = _opened(assembly, seam, laid[seam.b])
            laid[seam.a] = flat
            creases += scores
            bridges += bridge
    regions = [region_from(ring(to, p.outline), [ring(to, h) for h in p.holes]) for p, to in ((assembly.by_id[i], to) for i, to in laid.items())]
    whole = regions[0] if len(regions) == 1 else join_regions([*regions, *bridges])
    outline, holes = split_region(whole)
    folded = {seam.a for seam in assembly.seams if seam.line is not None}
    flaps = [region for region, panel in zip(regions, laid, strict=True) if panel in folded]
    slits = [
        *(inner_cuts(flaps, (outline, *holes), creases) if flaps else ()),
        *(ring(to, s) for i, to in laid.items() for s in assembly.by_id[i].slits),
    ]
    guides = [
        (ring(laid[z.part], z.polygon), z.name)
        for z in assembly.zones
        if z.part in laid and z.kind in ("art", "glue") and z.polygon is not assembly.by_id[z.part].outline
    ]
    is_folded = len(laid) > 1
    own = Blank(
        root.id,
        root.name,
        root.stock,
        outline,
        tuple(laid),
        holes,
        tuple(creases),
        plies=1 if is_folded else root.plies,
        quantity=root.quantity,
        grain=_grain_of(root),
        note=root.note,
        guides=tuple(guides),
        mechanism=root.mechanism,
        slits=tuple(slits),
        trims=root.trims,
        laid=laid,
        why_off=root.why_off,
        apart=(*scraps_of(whole), *(ring(to, scrap) for panel, to in laid.items() for scrap in assembly.by_id[panel].scraps)),
    )
    if not is_folded or root.plies == 1:
        return [own]
    note = f"stuck on the {root.name}, behind what is folded over it"
    more = Blank(
        f"{root.id}-plies", f"{root.name}, further plies", root.stock, root.outline, (), root.holes, plies=root.plies - 1, quantity=root.quantity
    )
    return [own, replace(more, note=note, mechanism=root.mechanism, trims=root.trims)]


def _grain_of(part: Part) -> str:
    """A long part that is pulled, pushed or carried keeps straight along the grain; of all others it does not matter."""
    short, long = sorted(part.size_mm)
    return "along its length" if part.role == "moving" and long >= LONG_TIMES * short else ""


def ring(to_blank: Array, points: Array) -> Array:
    """Points of a panel in the blank's frame; what is reflected keeps its sense of turning."""
    moved = points @ to_blank[:, :2].T + to_blank[:, 2]
    return moved if np.linalg.det(to_blank[:, :2]) > 0 else moved[::-1]


def _opened(assembly: Assembly, seam: Seam, of_base: Array) -> tuple[Array, list[Crease], list[Any]]:
    """Where a part lies once it is folded open, the scores between it and what it hangs on, and the strip between two scores."""
    part, base = assembly.by_id[seam.a], assembly.by_id[seam.b]
    folded = pose_matrix(relative_pose(base.home, part.home))[:2, [0, 1, 3]]
    if seam.line is None:
        return after(of_base, folded), [], []
    start, end = (np.asarray(p, dtype=float) for p in seam.line)
    along = (end - start) / np.linalg.norm(end - start)
    side = np.array([-along[1], along[0]])
    middle = folded[:, :2] @ shapely.get_coordinates(part.region.centroid)[0] + folded[:, 2]
    away = -side if (middle - start) @ side > 0 else side  # open, it lies on the other side of the crease
    mirror = np.eye(2) - 2 * np.outer(side, side)
    open_in_base = np.column_stack([mirror, start - mirror @ start + away * seam.gap_mm])
    is_turned = bool(np.linalg.det(of_base[:, :2]) < 0)
    fold: Fold = "valley" if (part.z_mm > base.z_mm) != is_turned else "mountain"
    ends = np.array([start, end, end + away * seam.gap_mm, start + away * seam.gap_mm])
    a, b, c, d = ((float(x), float(y)) for x, y in ends @ of_base[:, :2].T + of_base[:, 2])
    scores = [Crease(seam.name or part.name, a, b, fold, (seam.b, seam.a), seam.runs, seam.order)]
    if seam.gap_mm <= 0:
        return after(of_base, after(open_in_base, folded)), scores, []
    scores.append(replace(scores[0], name=f"{scores[0].name}, second", start=d, end=c))
    return after(of_base, after(open_in_base, folded)), scores, [shapely.Polygon([a, b, c, d])]


def _folded_card(assembly: Assembly) -> Blank:
    """The sheet laid open with its outside up: the front on the right of the back, or below it for a fold at the top."""
    card, front = assembly.card, assembly.by_id["card.front"]
    width, height, less = card.width_mm, card.height_mm, card.front_less_mm
    if card.fold == "left":
        shift, ends = (width, 0.0), ((width, 0.0), (width, height))
        behind = np.array([[-1.0, 0.0, width], [0.0, 1.0, 0.0]])
    else:
        shift, ends = (0.0, -less), ((0.0, height - less), (width, height - less))
        behind = np.array([[1.0, 0.0, 0.0], [0.0, -1.0, 2 * height - less]])
    crease = Crease("fold", *ends, "mountain", ("card.back", "card.front"))
    panel = region_from(front.outline + shift, tuple(h + shift for h in front.holes))
    turned = region_from(ring(behind, assembly.by_id["card.back"].outline))
    outline, holes = split_region(join_regions([turned, panel]))
    note = "scored and folded; outside up"
    laid = {"card.front": np.column_stack([np.eye(2), shift]), "card.back": behind}
    panels = ("card.front", "card.back")
    return Blank("card.sheet", "card", card.stock, outline, panels, holes, (crease,), grain="along the fold", note=note, mechanism="card", laid=laid)


def _gate_card(assembly: Assembly) -> Blank:
    """The sheet of a gate card, its inside up: the middle with a door on either side; scored twice where much lies between."""
    card, doors = assembly.card, assembly.gates
    middle = assembly.by_id["card.front"]
    across, w, h = (0 if card.fold == "left" else 1), card.width_mm, card.height_mm
    creases, regions = [], [middle.region_at_home]
    for door in doors:
        low, high = door.region_at_home.bounds[across], door.region_at_home.bounds[across + 2]
        edge, hinge = ((w if across == 0 else h), low) if low > 0 else (0.0, high)
        for k, at in enumerate(dict.fromkeys((edge, hinge))):
            ends = ((at, 0.0), (at, h)) if across == 0 else ((0.0, at), (w, at))
            creases.append(Crease(f"{door.name}{', second' if k else ''}", ends[0], ends[1], "valley", (middle.id, door.id)))
        regions.append(door.region_at_home)
        if hinge != edge:
            near, far = sorted((edge, hinge))
            regions.append(shapely.box(near, 0, far, h) if across == 0 else shapely.box(0, near, w, far))
    outline, holes = split_region(join_regions(regions))
    laid = {p.id: np.column_stack([np.eye(2), p.home[:2]]) for p in (middle, *doors)}
    note = "scored and folded; inside up"
    return Blank(
        "card.sheet", "card", card.stock, outline, tuple(laid), holes, tuple(creases), grain="along the folds", note=note, mechanism="card", laid=laid
    )


def _hemmed(blank: Blank, assembly: Assembly, closing: Closing | None) -> Blank:
    """The card's sheet with a hem at both free edges: longer by it, scored at both edges, the magnets' places mirrored about the fold."""
    if closing is None or not closing.hem_mm:
        return blank
    hem, card = closing.hem_mm, assembly.card
    axis = 0 if card.fold == "left" else 1
    shift = np.array([hem, 0.0]) if axis == 0 else np.array([0.0, hem])
    width, height = blank.size_mm
    long = height if axis == 0 else width
    ends = (0.0, hem, hem + (width if axis == 0 else height), 2 * hem + (width if axis == 0 else height))
    laid = [shapely.box(a, 0, b, long) if axis == 0 else shapely.box(0, a, long, b) for a, b in ((ends[0], ends[1]), (ends[2], ends[3]))]
    blank = blank.moved(np.column_stack([np.eye(2), shift]))
    outline, holes = split_region(join_regions([blank.region, *laid]))
    lines = [((at, 0.0), (at, long)) if axis == 0 else ((0.0, at), (long, at)) for at in (ends[1], ends[2])]
    hems = tuple(Crease(f"hem-{k + 1}", a, b, "mountain", ("card.back", "card.front"), order=2) for k, (a, b) in enumerate(lines))
    radius = closing.magnet_mm[0] / 2
    guides = [*blank.guides]
    for x, y in closing.magnets:
        if axis == 0:
            places = ((hem + card.width_mm + x, y), (hem + card.width_mm - x, y))
        else:
            places = ((x, hem + y), (x, hem + 2 * card.height_mm - y))
        guides += [(circle(at, radius_mm=radius), "magnet, on the back") for at in places]
    note = f"{blank.note}; hems folded inwards over the magnets and glued: try the poles in pairs before the glue sets"
    return replace(blank, outline=outline, holes=holes, creases=(*blank.creases, *hems), guides=tuple(guides), note=note)
