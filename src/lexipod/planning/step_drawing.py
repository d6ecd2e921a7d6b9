"""A drawing for each step: what is there already in faint lines, what is new strong, glue hatched, where glue must never come crossed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import Assembly, Blank, Folding, Part
from lexipod.checks import Examination
from lexipod.checks.seen import scene_at
from lexipod.drawing import STANDING, Camera, Drawing, Label, Primitive, Scene, Shape, Stroke, draw_folds, fit_camera
from lexipod.drawing.cues import draw_cue
from lexipod.geometry.frames import Array, apply_pose, transform_regions
from lexipod.geometry.space import apply_frame
from lexipod.motion import solve_folds, solve_track
from lexipod.planning.model import ON_PIECES, GlueSpot, Plan, Step

GAP_MM = 6.0
CROSS_MM, CROSS_EVERY_MM = 1.6, 5.0
MOST_BLANKS = 14
LETTER_MM = 3.4
NEVER_MM2 = 20.0


def draw_step(plan: Plan, step: Step, examination: Examination, blanks: Sequence[Blank]) -> Drawing:
    """One step: pieces that are worked on lie beside each other; what is put is shown in its place, from the side from which it is done, with the
    mechanisms in the position of the step."""
    assembly = examination.assembly
    folding = assembly.folding_of(step.mechanism)
    if step.kind in ON_PIECES and not step.reach:
        return _draw_blanks([b for b in blanks if b.id in set(step.blanks)], fold_lines=step.kind not in ("cut", "punch"))
    there = placed_before(plan, step, assembly)
    if (folding is not None and folding.kind != "face") or (folding is not None and step.kind in ("join", "last", "thread", "test", "lay")):
        return _draw_folded(plan, step, examination, folding, there)
    is_flat = any(p in assembly.by_id for p in step.parts)
    if assembly.foldings and not is_flat and assembly.foldings[0].kind != "face":
        return _draw_folded(plan, step, examination, assembly.foldings[0], there)
    return _draw_flat(step, examination, blanks, there)


def placed_before(plan: Plan, step: Step, assembly: Assembly) -> set[str]:
    """Parts and panels that are in their places when a step begins."""
    there: set[str] = set()
    for other in plan.steps:
        if other.id == step.id:
            break
        there |= set(other.parts)
    if not any("card.front" in s.parts for s in plan.steps):
        there |= {p.id for p in assembly.parts if p.id in ("card.front", "card.back") or p in assembly.gates}
    return there


def _draw_blanks(blanks: Sequence[Blank], *, fold_lines: bool) -> Drawing:
    """Pieces beside each other, in rows about as wide as high, each with its name."""
    shown = list(blanks[:MOST_BLANKS])
    if not shown:
        return Drawing((), (0.0, 0.0, 60.0, 40.0))
    area = sum(b.size_mm[0] * b.size_mm[1] for b in shown)
    most = max(max(b.size_mm[0] for b in shown), 1.5 * area**0.5)
    items: list[Primitive] = []
    x, y, row, right = 0.0, 0.0, 0.0, 0.0
    letter = max(LETTER_MM, most / 38)
    for blank in sorted(shown, key=lambda b: -b.size_mm[1]):
        width, height = blank.size_mm
        if x > 0 and x + width > most + 1e-6:
            x, y, row = 0.0, y - row - 2.2 * letter - GAP_MM, 0.0
        low = y - height
        shift = np.array([x, low])
        items.append(Shape(tuple(r + shift for r in (blank.outline, *blank.holes)), "moving", "paper", blank.id))
        for ring, what in blank.guides if fold_lines else ():
            items.append(Shape((ring + shift,), "glue" if "glue" in what else "art", "hatch" if "glue" in what else "", blank.id))
        for crease in blank.creases if fold_lines else ():
            items.append(Stroke(np.array([crease.start, crease.end]) + shift, crease.fold, blank.id))
        items.append(Label((x, low - 1.3 * letter), blank.name, letter))
        x += max(width, len(blank.name) * letter * 0.5) + GAP_MM
        row, right = max(row, height), max(right, x - GAP_MM)
    if len(blanks) > len(shown):
        items.append(Label((x, y - row / 2), f"and {len(blanks) - len(shown)} more", letter))
        right = max(right, x + 8 * letter)
    return Drawing(tuple(items), (0.0, y - row - 2.4 * letter, right, 0.0))


def _poses(examination: Examination, position: Mapping[str, float], there: set[str]) -> dict[str, Array]:
    """Where every part lies with the mechanisms at a position."""
    assembly = examination.assembly
    poses: dict[str, Array] = {}
    for drive in assembly.drives:
        at = position.get(drive.mechanism)
        if at is None or abs(at - drive.home) < 1e-9:
            continue
        track = solve_track(assembly, drive, np.array([at]), system=examination.system(drive.mechanism))
        poses |= {p: track.poses[p][0] for p in track.poses if p in there}
    return poses


def _draw_flat(step: Step, examination: Examination, blanks: Sequence[Blank], there: set[str]) -> Drawing:
    assembly = examination.assembly
    back = step.reach == "back"
    new = {p for p in step.parts if p in assembly.by_id}
    if step.kind in ("trim", "colour"):
        worked = {i for b in blanks if b.id in step.blanks for i in b.panels}
        new = {p.id for p in assembly.parts if p.id in worked}
    in_hand = step.reach == "hand" or step.id.startswith("turn-")
    shown = [p for p in assembly.parts if (p.id in there or p.id in new or _hangs(assembly, p, there | new)) and p.id != "card.back"]
    if in_hand:
        shown = [p for p in shown if p.mechanism == step.mechanism] or shown
    poses = _poses(examination, step.position, there | new)
    items: list[Primitive] = []
    for part in sorted(shown, key=lambda p: -p.top_mm if back else p.z_mm):
        pose = np.asarray(poses.get(part.id, part.home), dtype=float)
        rings = tuple(apply_pose(pose, r) for r in (part.outline, *part.holes))
        strong = part.id in new or (step.kind == "test" and part.id in assembly.moving and part.mechanism == step.mechanism)
        items.append(Shape(rings, "strong" if strong else "faint", part.face if strong else "faded", part.id))
    if step.kind == "cue":
        for cue in assembly.cues:
            pose = np.asarray(poses.get(cue.part, assembly.by_id[cue.part].home), dtype=float)
            items += [i.mapped(partial(apply_pose, pose)) for i in draw_cue(cue) if isinstance(i, Shape)]
    items += _never(step, examination)
    for spot in step.glue:
        items += _spot(assembly, spot, poses)
    items += _ghost(step, examination, there | new)
    for part in shown:
        if part.id in new and part.face == "foam" and part.plies > 1:
            x, y = part.region_at_home.representative_point().coords[0]
            items.append(Label((float(x), float(y)), f"{part.plies} layers", LETTER_MM, "middle"))
    box = _box(items, assembly)
    if back:
        across = box[0] + box[2]
        items = [i.mapped(lambda points: np.column_stack([across - points[:, 0], points[:, 1]])) for i in items]
        items.append(Label((box[0], box[3] + 1.5), "seen from behind", LETTER_MM))
        box = (box[0], box[1], box[2], box[3] + 2 * LETTER_MM)
    return Drawing(tuple(items), box)


def _hangs(assembly: Assembly, part: Part, there: set[str]) -> bool:
    """Whether a brad's shank or legs go with a head that is there."""
    if part.role != "fastener" or part.quantity:
        return False
    return part.id.rpartition("-")[0] in there and part.id.endswith("-shank")


def _spot(assembly: Assembly, spot: GlueSpot, poses: Mapping[str, Array]) -> list[Primitive]:
    part = assembly.by_id.get(spot.part)
    if part is None:
        return []
    pose = np.asarray(poses.get(part.id, part.home), dtype=float)
    return [Shape(tuple(apply_pose(pose, r) for r in (spot.outline, *spot.holes)), "glue", "hatch", f"glue:{part.id}")]


def never_glue(step: Step, examination: Examination) -> Any:
    """Where glue must not come at this step: what moving parts that lie at the height of its glue pass over, on all of their travel, less the place
    that is glued itself. A region in the card's frame, empty for none."""
    assembly = examination.assembly
    spots = [s for s in step.glue if s.part in assembly.by_id]
    if not spots:
        return shapely.Polygon()
    heights = [
        (min(assembly.by_id[s.part].z_mm, assembly.by_id[s.onto].z_mm), max(assembly.by_id[s.part].top_mm, assembly.by_id[s.onto].top_mm))
        for s in spots
        if s.onto in assembly.by_id
    ]
    if not heights:
        return shapely.Polygon()
    low, high = min(h[0] for h in heights), max(h[1] for h in heights)
    own = {assembly.bodies[s.part] for s in spots}
    swept = []
    for part_id in assembly.moving:
        part = assembly.by_id[part_id]
        if assembly.bodies[part_id] in own or part.top_mm < low - 0.3 or part.z_mm > high + 0.3 or not part.quantity:
            continue
        swept += list(transform_regions(part.region, examination.poses(part_id)[:: max(1, len(examination.poses(part_id)) // 24)]))
    if not swept:
        return shapely.Polygon()
    near = shapely.union_all([assembly.by_id[s.part].region_at_home.buffer(12.0) for s in spots])
    glued = shapely.union_all([transform_regions(shapely.Polygon(s.outline), np.array([assembly.by_id[s.part].home]))[0] for s in spots])
    return shapely.difference(shapely.intersection(shapely.union_all(swept), near), glued)


def _never(step: Step, examination: Examination) -> list[Primitive]:
    region = never_glue(step, examination)
    if region.is_empty or region.area < NEVER_MM2:
        return []
    items: list[Primitive] = []
    for piece in shapely.get_parts(region):
        if piece.geom_type == "Polygon" and piece.area > NEVER_MM2:
            items.append(Shape((shapely.get_coordinates(piece.exterior)[:-1],), "never", "", "never"))
    x0, y0, x1, y1 = region.bounds
    grid = [(x, y) for x in np.arange(x0, x1, CROSS_EVERY_MM) for y in np.arange(y0, y1, CROSS_EVERY_MM)]
    for x, y in grid:
        if region.contains(shapely.Point(x, y).buffer(CROSS_MM)):
            for sign in (1, -1):
                items.append(Stroke(np.array([[x - CROSS_MM, y - sign * CROSS_MM], [x + CROSS_MM, y + sign * CROSS_MM]]), "cross", "never"))
    return items


def _ghost(step: Step, examination: Examination, there: set[str]) -> list[Primitive]:
    """Where the part that is moved lies at rest, while a test shows it at its end."""
    if step.kind != "test":
        return []
    assembly = examination.assembly
    drive = next((d for d in assembly.drives if d.mechanism == step.mechanism), None)
    if drive is None or drive.part not in there or step.id.startswith("turn-"):
        return []
    part = assembly.by_id[drive.part]
    poses = _poses(examination, {drive.mechanism: drive.rest}, there)
    return [Shape((apply_pose(np.asarray(poses.get(part.id, part.home)), part.outline),), "ghost", "", part.id)]


def _box(items: Sequence[Primitive], assembly: Assembly) -> tuple[float, float, float, float]:
    points = [r for i in items if isinstance(i, Shape) for r in i.rings]
    if not points:
        return (0.0, 0.0, assembly.card.width_mm, assembly.card.height_mm)
    low, high = np.vstack(points).min(axis=0) - 2, np.vstack(points).max(axis=0) + 2
    return (float(low[0]), float(low[1]), float(high[0]), float(high[1]))


def _draw_folded(plan: Plan, step: Step, examination: Examination, folding: Folding, there: set[str]) -> Drawing:
    """The panels that are there, opened as far as the step asks."""
    assembly = examination.assembly
    new = set(step.parts)
    own = set(folding.by_id)
    bases = {p.id for p in folding.panels if p.base or not _sheet_of(folding, p.id)}
    shown = (there | new) & set(assembly.panels)
    if step.kind == "test" and not shown:
        shown = own
    if step.reach != "hand":
        shown |= bases
    else:
        shown &= own
    if step.kind in ("join", "thread"):
        shown |= {p for s in folding.sheets for p in s.panels if set(s.panels) & {g.onto for g in step.glue} or s.id in {g.onto for g in step.glue}}
    position = {m: v for m, v in step.position.items() if assembly.folding_of(m) is not None or m in {d.mechanism for d in assembly.drives}}
    if step.reach == "hand" and step.kind in ("join", "thread"):
        position[folding.mechanism] = _opened(folding)
    scene = scene_at(examination, position)
    frames = {k: v for k, v in scene.frames.items() if k in shown}
    flat = tuple(p for p in assembly.parts if p.id in there and p.id not in own and p.id in assembly.by_id and "card.front" in shown)
    known = {p.id for p in flat}
    kept = replace(
        assembly,
        parts=(*(p for p in assembly.parts if p.id in ("card.front", "card.back") and p.id not in known), *flat),
        joints=(),
        seams=(),
    )
    if "card.front" not in shown and folding.kind == "inside":
        kept = replace(kept, parts=())
    track = solve_folds(folding, np.linspace(folding.drive.rest, folding.drive.end, 31))
    camera, _, _ = fit_camera([track], *STANDING)
    drawn = draw_folds(Scene(kept, frames, scene.poses, scene.travel, scene.sides), camera, picked=frozenset())
    items = [_toned(i, new, step) for i in drawn.primitives]
    for spot in step.glue:
        items += _folded_spot(folding, spot, frames, camera)
    if not items:
        return _draw_blanks([], fold_lines=False)
    box = _box(items, assembly)
    return Drawing(tuple(items), box)


def _opened(folding: Folding) -> float:
    """Some way open, so that one sees what is glued where."""
    return folding.drive.rest + 0.35 * (folding.drive.end - folding.drive.rest)


def _sheet_of(folding: Folding, panel: str) -> str:
    return next((s.id for s in folding.sheets if panel in s.panels), "")


def _toned(item: Primitive, new: set[str], step: Step) -> Primitive:
    """New panels strong, all others faded."""
    subject = getattr(item, "subject", "")
    strong = subject in new or step.kind == "test"
    if isinstance(item, Shape):
        return replace(item, pen=("strong" if strong else "faint") if item.pen else "", fill=item.fill if strong else "faded")
    if isinstance(item, Stroke):
        return replace(item, pen="strong" if strong else "faint")
    return item


def _folded_spot(folding: Folding, spot: GlueSpot, frames: Mapping[str, Array], camera: Camera) -> list[Primitive]:
    """A place for glue on the panel that it lies on."""
    middle = shapely.Polygon(spot.outline).representative_point()
    sheet = next((s for s in folding.sheets if s.id == spot.part), None)
    panels = [spot.part] if sheet is None else [p for p in sheet.panels if p in folding.by_id and folding.by_id[p].region.contains(middle)]
    frame = next((frames[p] for p in panels if p in frames), None)
    if frame is None:
        return []
    seen = camera.project(apply_frame(frame, np.column_stack([spot.outline, np.zeros(len(spot.outline))])))
    return [Shape((seen,), "glue", "hatch", f"glue:{spot.part}")]
