"""What rises, in perspective: rigid panels with both faces in their papers, shaded so that depth reads."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
import shapely

from lexipod.assembly import Assembly, Folding, Panel, Part
from lexipod.drawing.display import Drawing, Primitive, Shape, Stroke, lighter_ring
from lexipod.drawing.painters_order import Above, Facet, order_facets
from lexipod.drawing.pens import colour_of_fill
from lexipod.geometry.frames import Array
from lexipod.geometry.shapes import region_of_rings, rings_of
from lexipod.geometry.space import apply_flat, apply_frame, compose_frames, invert_frame, planar_frame
from lexipod.motion import FoldTrack, glued_sides, lay_together, order_at, solve_folds

LIGHT = np.array([-0.35, 0.45, 0.82]) / np.linalg.norm([-0.35, 0.45, 0.82])
DARKEST, BRIGHTEST = 0.7, 1.0


@dataclass(frozen=True, slots=True)
class Camera:
    """Where the card is looked at from: turned about the upright axis of the card, tilted back, from ``distance_mm`` (infinite for
    a plan). ``centre`` is the point that stays in the middle."""

    turn_deg: float = 0.0
    tilt_deg: float = 0.0
    distance_mm: float = math.inf
    centre: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def rotation(self) -> Array:
        """From the card's directions to those of the view: x to the right, y up, z towards the eye."""
        return _rotation(self.turn_deg, self.tilt_deg)

    @property
    def eye(self) -> Array:
        """The eye in the card's frame; very far away for a plan."""
        return _eye(self)

    def project(self, points: Array) -> Array:
        """Points ``(..., 3)`` of the card on the paper, ``(..., 2)`` mm."""
        seen = (np.asarray(points) - np.asarray(self.centre)) @ self.rotation.T
        if not math.isfinite(self.distance_mm):
            flat: Array = seen[..., :2]
            return flat
        near = np.maximum(self.distance_mm - seen[..., 2], self.distance_mm * 0.05)
        scaled: Array = seen[..., :2] * (self.distance_mm / near)[..., None]
        return scaled


@lru_cache(maxsize=16)
def _rotation(turn_deg: float, tilt_deg: float) -> Array:
    a, b = math.radians(turn_deg), math.radians(tilt_deg)
    about_y = np.array([[math.cos(a), 0.0, math.sin(a)], [0.0, 1.0, 0.0], [-math.sin(a), 0.0, math.cos(a)]])
    about_x = np.array([[1.0, 0.0, 0.0], [0.0, math.cos(b), -math.sin(b)], [0.0, math.sin(b), math.cos(b)]])
    turned: Array = about_x @ about_y
    turned.flags.writeable = False
    return turned


@lru_cache(maxsize=16)
def _eye(camera: Camera) -> Array:
    away = camera.distance_mm if math.isfinite(camera.distance_mm) else 1e7
    eye: Array = np.asarray(camera.centre) + camera.rotation.T @ np.array([0.0, 0.0, away])
    eye.flags.writeable = False
    return eye


PLAN = Camera()
STANDING = (-24.0, -50.0)
"""Turn and tilt of a card that lies before one on a desk."""


def fit_camera(tracks: Iterable[FoldTrack], turn_deg: float, tilt_deg: float, *, extra: Array | None = None) -> tuple[Camera, Array, Array]:
    """A camera from which all of some travels is seen, and the box on its paper (lower left and upper right corner, mm).

    ``extra`` are more points ``(n, 3)`` that must be seen.
    """
    clouds = [] if extra is None else [extra]
    for track in tracks:
        good = np.flatnonzero(track.reached)
        picks = good[np.unique(np.linspace(0, len(good) - 1, min(len(good), 13)).round().astype(int))] if len(good) else good
        clouds += [apply_frame(track.frames[p.id][picks], p.corners).reshape(-1, 3) for p in track.folding.panels if len(picks)]
    points = np.vstack(clouds) if clouds else np.array([[0.0, 0.0, 0.0], [100.0, 100.0, 0.0]])
    low, high = points.min(axis=0), points.max(axis=0)
    middle = (low + high) / 2
    away = 2.6 * float(np.linalg.norm(high - low))
    camera = Camera(turn_deg, tilt_deg, away, (float(middle[0]), float(middle[1]), float(middle[2])))
    seen = camera.project(points)
    return camera, seen.min(axis=0), seen.max(axis=0)


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything that is seen at one position: where each panel is, and where each flat part lies with what carries it.

    Outlines are drawn with chords that leave them by at most ``detail_mm``.
    """

    assembly: Assembly
    frames: Mapping[str, Array]
    poses: Mapping[str, Array]
    travel: Mapping[str, float]
    sides: Mapping[tuple[str, str], int] = field(default_factory=dict)
    detail_mm: float = 0.0


def shaded(fill: str, normal: Array) -> str:
    """The fill as the light falls on it."""
    colour = colour_of_fill(fill) or "#ffffff"
    share = DARKEST + (BRIGHTEST - DARKEST) * abs(float(normal @ LIGHT))
    channels = [round(int(colour[k : k + 2], 16) * share) for k in (1, 3, 5)]
    return "art:#" + "".join(f"{c:02x}" for c in channels) + (fill[11:13] if fill.startswith("art:") else "")


def draw_folds(scene: Scene, camera: Camera, *, art: Mapping[str, tuple[Shape, ...]] | None = None, picked: frozenset[str] = frozenset()) -> Drawing:
    """Panels and flat parts as they are seen, from the farthest to the nearest.

    ``art`` holds shapes in the frame of a part or panel; those on the back of a panel are under its id with “:back” behind it. What is
    ``picked`` gets a bold edge.
    """
    facets, faces = facets_of(scene)
    if not facets:
        return Drawing((), (0.0, 0.0, 1.0, 1.0))
    above, by_layers = layers_of(scene, camera.eye, dict(scene.sides))
    ordered = order_facets(facets, camera.eye, camera.project, above, by_layers)
    art = art or {}
    items: list[Primitive] = []
    for facet in ordered:
        normal = facet.normal
        is_front = float(normal @ (camera.eye - facet.frame[:, 3])) >= 0
        fill = faces[facet.id][0 if is_front else 1]
        rings = tuple(_seen(ring, facet.frame, camera) for ring in facet.rings)
        pen = "trouble" if facet.id in picked else "outline"
        key, moved = face_key(scene, facet.id, is_front=is_front)
        pictures = art.get(key, ())
        is_plain = facet.whole and not pictures
        items.append(Shape(rings, pen if is_plain else "", shaded(fill, normal), facet.id))
        for shape in pictures:
            items += _art(shape if moved is None else _laid(shape, moved), facet, camera, normal)
        if is_plain:
            continue
        if facet.whole:
            items.append(Shape(rings, pen, "", facet.id))
        else:
            items += [Stroke(_seen(line, facet.frame, camera), pen, facet.id) for line in _own_edges(facet, facets)]
    low, high = _box(items)
    return Drawing(tuple(items), (float(low[0]), float(low[1]), float(high[0]), float(high[1])), scene.assembly.card.title)


def draw_standing(assembly: Assembly, art: Mapping[str, tuple[Shape, ...]], *, share: float = 0.62) -> Drawing:
    """The card lying before one on a desk, opened by a share of its travel (of the first mechanism that folds and all that the same
    page opens)."""
    frames: dict[str, Array] = {}
    tracks, sides, travel = [], dict[tuple[str, str], int](), {}
    for k, folding in reversed(list(enumerate(assembly.foldings))):
        drive = folding.drive
        goes = k == 0 or folding.kind == assembly.foldings[0].kind == "inside"
        at = drive.rest + (share if goes else 0.0) * (drive.end - drive.rest)
        track = solve_folds(folding, np.linspace(drive.rest, drive.end, 61))
        frames |= track.frames_at(at)
        tracks.append(track)
        sides |= glued_sides(folding)
        travel[folding.mechanism] = at
    camera, _, _ = fit_camera(tracks, *STANDING)
    return draw_folds(Scene(assembly, frames, {}, travel, sides), camera, art=art)


def _seen(points: Array, frame: Array, camera: Camera) -> Array:
    return camera.project(apply_frame(frame, np.column_stack([points, np.zeros(len(points))])))


def face_key(scene: Scene, facet_id: str, *, is_front: bool) -> tuple[str, Array | None]:
    """The name under which a face's pictures go, and how they are laid into the panel's frame. The pages of a card have theirs in
    the frames of the parts: the outside of the front page is its front, whichever way its panel lies."""
    moved = page_frame(scene.assembly, facet_id)
    if moved is None:
        return (facet_id if is_front else f"{facet_id}:back"), None
    return (facet_id if is_front == (moved[2, 2] > 0) else f"{facet_id}:back"), moved


def page_frame(assembly: Assembly, page: str) -> Array | None:
    """From the frame of a page's part to that of the panel which it is; None for what is no page."""
    folding = next((f for f in assembly.foldings if page in f.by_id), None)
    if folding is None or not folding.by_id[page].base or page not in assembly.by_id:
        return None
    return invert_frame(_page_shut(folding, page))


def _laid(shape: Shape, frame: Array) -> Shape:
    return shape.mapped(lambda ring: apply_flat(frame, ring))


def _art(shape: Shape, facet: Facet, camera: Camera, normal: Array) -> list[Primitive]:
    """One shape of a picture on a facet, cut with it."""
    rings = shape.rings
    if not facet.whole:
        kept = shapely.intersection(region_of_rings(rings), shapely.Polygon(facet.rings[0], facet.rings[1:]))
        rings = rings_of(kept, crumb_mm2=1e-3)
    if not rings:
        return []
    seen = replace(shape, rings=rings).mapped(lambda ring: _seen(ring, facet.frame, camera))
    return [replace(seen, pen="", fill=shaded(shape.fill, normal), subject=facet.id)]


def _own_edges(facet: Facet, whole: list[Facet]) -> list[Array]:
    """The edges of a cut facet that are edges of its panel, not cuts."""
    panel = next(f for f in whole if f.id == facet.id)
    rim = shapely.union_all([shapely.LinearRing(r) for r in panel.rings]).buffer(1e-3)
    lines = shapely.intersection(shapely.union_all([shapely.LinearRing(r) for r in facet.rings]), rim)
    return [shapely.get_coordinates(line) for line in shapely.get_parts(shapely.line_merge(lines)) if line.geom_type == "LineString"]


def _box(items: list[Primitive]) -> tuple[Array, Array]:
    points = np.vstack([ring for item in items if isinstance(item, Shape) for ring in item.rings])
    return points.min(axis=0), points.max(axis=0)


def facets_of(scene: Scene) -> tuple[list[Facet], dict[str, tuple[str, str]]]:
    """A facet for each panel (pages once), and for each flat part where its carrier has taken it."""
    facets, faces = [], dict[str, tuple[str, str]]()
    for folding in scene.assembly.foldings:
        for panel in folding.panels:
            frame = scene.frames.get(panel.id)
            if frame is None or panel.id in faces:
                continue
            facets.append(Facet(panel.id, tuple(lighter_ring(r, scene.detail_mm) for r in _rings(panel, scene)), frame))
            faces[panel.id] = panel.faces
    for part in scene.assembly.parts:
        if part.id in faces or part.id in ("card.front", "card.back"):
            continue
        facets.append(Facet(part.id, tuple(lighter_ring(r, scene.detail_mm) for r in (part.outline, *part.holes)), _carried(scene, part)))
        faces[part.id] = (part.face, part.face)
    return facets, faces


def _rings(panel: Panel, scene: Scene) -> tuple[Array, ...]:
    """The rings of a panel; a page of the card has all the openings that its part has."""
    if not panel.base or panel.id not in scene.assembly.by_id:
        return (panel.outline, *panel.holes)
    return _page_rings(scene.assembly, panel.id)


@lru_cache(maxsize=16)
def _page_rings(assembly: Assembly, page: str) -> tuple[Array, ...]:
    shut = invert_frame(_page_shut(next(f for f in assembly.foldings if page in f.by_id), page))
    region = shapely.transform(assembly.by_id[page].region_at_home, lambda xy: apply_flat(shut, xy))
    return tuple(shapely.get_coordinates(r)[:-1] for r in (region.exterior, *region.interiors))


def _page_shut(folding: Folding, page: str) -> Array:
    """Where a page lies in the closed card (its front page is turned over)."""
    if folding.kind == "inside" and page == "card.front":
        over = np.array([[-1.0, 0.0, 0.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 0.0, -1.0, 0.0]])
        return compose_frames(folding.ground_pose, over)
    return folding.ground_pose


def _carried(scene: Scene, part: Part) -> Array:
    """The frame of a flat part at its pose, taken along by the page that carries it."""
    pose = scene.poses.get(part.id)
    pose = np.asarray(part.home if pose is None else pose)
    flat = planar_frame(float(pose[0]), float(pose[1]), float(pose[2]), z=0.0)
    carrier = next((f for f in scene.assembly.foldings if "card.front" in f.by_id and "card.front" in scene.frames), None)
    if carrier is None:
        return flat
    moved = compose_frames(scene.frames["card.front"], invert_frame(_page_shut(carrier, "card.front")))
    front = scene.assembly.by_id.get("card.front")
    up = max(0.0, part.z_mm - (front.top_mm if front is not None else 0.0)) + 0.2
    flat[2, 3] = up
    return compose_frames(moved, flat)


Sides = dict[tuple[str, str], int]
"""Of two panels that are glued to each other: on which side of the second the first lies (1: its front)."""


def _rank_together(foldings: tuple[Folding, ...], travel: float) -> Mapping[str, int]:
    """Ranks of all panels of some foldings that are opened together, in the flat state nearest to a travel that all of them have; empty
    where there is none."""
    shared = [s for s in foldings[0].states if all(any(s.name == t.name for t in f.states) for f in foldings)]
    if not shared:
        return {}
    return _rank_in(foldings, min(shared, key=lambda s: abs(s.at - travel)).name)


@lru_cache(maxsize=8)
def _rank_in(foldings: tuple[Folding, ...], name: str) -> Mapping[str, int]:
    states = [next(s for s in f.states if s.name == name) for f in foldings]
    return lay_together(foldings, [states])[0].rank


def layers_of(scene: Scene, eye: Array, sides: Sides) -> tuple[Above, Above]:
    """Which of two pieces in one plane is painted over the other: glued ones by the side they are glued on, others by the order of
    the nearest flat state."""
    foldings = scene.assembly.foldings
    ranks = {f.mechanism: order_at(f, scene.travel.get(f.mechanism, f.drive.rest)) for f in foldings}
    inside = tuple(f for f in foldings if f.kind == "inside")
    together = _rank_together(inside, scene.travel.get(inside[0].mechanism, inside[0].drive.rest)) if len(inside) > 1 else {}

    def rank_of(a: Facet, b: Facet) -> Mapping[str, int] | None:
        """The ranks that both have: those of one mechanism, or of all that fold inside."""
        if a.id in together and b.id in together:
            return together
        return next((ranks[f.mechanism] for f in foldings if a.id in f.by_id and b.id in f.by_id), None)

    def above(a: Facet, b: Facet) -> int:
        rank = rank_of(a, b)
        if rank is None:
            return 0
        side = sides.get((a.id, b.id))
        if side is not None:
            return side if float(b.normal @ (eye - b.frame[:, 3])) >= 0 else -side
        over = 1 if rank[a.id] > rank[b.id] else -1
        plane = abs(b.frame[2, 2])
        return over if plane < 0.5 or eye[2] >= b.frame[2, 3] else -over

    def by_layers(a: Facet, b: Facet) -> int:
        folding = next((f for f in foldings if a.id in f.by_id and b.id in f.by_id), None)
        if folding is None or not (folding.by_id[a.id].flex or folding.by_id[b.id].flex):
            return 0
        rank = ranks[folding.mechanism]
        over = 1 if rank[a.id] > rank[b.id] else -1
        return over if eye[2] >= 0 else -over

    return above, by_layers


__all__ = [
    "PLAN",
    "STANDING",
    "Camera",
    "Scene",
    "Sides",
    "draw_folds",
    "draw_standing",
    "face_key",
    "facets_of",
    "fit_camera",
    "layers_of",
    "page_frame",
]
