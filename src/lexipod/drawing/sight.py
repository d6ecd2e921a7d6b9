"""What is seen of regions on panels and parts from where one looks: by the order in which everything is painted."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lexipod.drawing.folds import Camera, Scene, face_key, facets_of, layers_of
from lexipod.drawing.painters_order import order_facets
from lexipod.geometry.frames import Array
from lexipod.geometry.space import apply_flat, apply_frame

LEAST_SEEN_MM2 = 1e-6


@dataclass(frozen=True, slots=True)
class Seen:
    """How much of a region is seen (``share`` of what it takes on the paper), how far its top is turned from upright (degrees
    anticlockwise), and whether it is seen from behind."""

    share: float
    turned_deg: float = 0.0
    is_mirrored: bool = False


@dataclass(frozen=True, eq=False)
class Target:
    """A region on the face of a part or panel (``on``, with “:back” for its back), in its frame, with the directions to its right and its
    top as one looks at it."""

    on: str
    region: Any
    right: tuple[float, float] = (1.0, 0.0)
    up: tuple[float, float] = (0.0, 1.0)


def look_at(scene: Scene, camera: Camera, targets: Sequence[Target], *, clear: Collection[str] = ()) -> list[Seen]:
    """What is seen of each target at one position. What is ``clear`` (ids of panels and parts) hides nothing."""
    facets, _ = facets_of(scene)
    above, by_layers = layers_of(scene, camera.eye, dict(scene.sides))
    ordered = order_facets(facets, camera.eye, camera.project, above, by_layers)
    paper = [_on_paper(shapely.Polygon(f.rings[0], f.rings[1:]), f.frame, camera) for f in ordered]
    boxes = shapely.bounds(np.array(paper, dtype=object))
    names = {t.on.partition(":")[0] for t in targets}
    faces: dict[int, tuple[str, Array | None]] = {}
    for k, facet in enumerate(ordered):
        if facet.id in names:
            is_front = float(facet.normal @ (camera.eye - facet.frame[:, 3])) >= 0
            faces[k] = face_key(scene, facet.id, is_front=is_front)
    return [_look(target, ordered, paper, boxes, faces, camera, clear) for target in targets]


def _look(
    target: Target, ordered: list[Any], paper: list[Any], boxes: Array, faces: dict[int, tuple[str, Array | None]], camera: Camera, clear: Any
) -> Seen:
    whole, seen, lie = 0.0, 0.0, Seen(0.0)
    for k, (key, moved) in faces.items():
        facet = ordered[k]
        if facet.id != target.on.partition(":")[0]:
            continue
        region = target.region if moved is None else shapely.transform(target.region, lambda xy, moved=moved: apply_flat(moved, xy))
        whole = max(whole, float(_on_paper(region, facet.frame, camera).area))
        lie = _lie(target, moved, facet.frame, camera)
        if key != target.on:
            continue
        on_facet = shapely.intersection(region, shapely.Polygon(facet.rings[0], facet.rings[1:]))
        free = _on_paper(on_facet, facet.frame, camera)
        if free.is_empty:
            continue
        low, high = np.array(free.bounds[:2]), np.array(free.bounds[2:])
        over = (boxes[k + 1 :, :2] < high).all(axis=1) & (boxes[k + 1 :, 2:] > low).all(axis=1)
        covers = [paper[j] for j in (np.flatnonzero(over) + k + 1).tolist() if ordered[j].id not in clear and ordered[j].id != facet.id]
        seen += float(shapely.difference(free, shapely.union_all(covers)).area) if covers else float(free.area)
    share = seen / whole if whole > LEAST_SEEN_MM2 else 0.0
    return Seen(min(1.0, share), lie.turned_deg, lie.is_mirrored)


def _lie(target: Target, moved: Array | None, frame: Array, camera: Camera) -> Seen:
    """How a target lies on the paper."""
    middle = shapely.get_coordinates(target.region.centroid)[0] if not target.region.is_empty else np.zeros(2)
    flat = np.array([middle, middle + target.right, middle + target.up])
    at = camera.project(apply_frame(frame, np.column_stack([apply_flat(moved, flat) if moved is not None else flat, np.zeros(3)])))
    right, up = at[1] - at[0], at[2] - at[0]
    turned = math.degrees(math.atan2(-up[0], up[1]))
    return Seen(0.0, round(turned, 3) + 0.0, bool(right[0] * up[1] - right[1] * up[0] < 0))


def _on_paper(region: Any, frame: Array, camera: Camera) -> Any:
    """A region of a frame as it is seen."""
    seen = shapely.transform(region, lambda xy: camera.project(apply_frame(frame, np.column_stack([xy, np.zeros(len(xy))]))))
    return seen if seen.is_valid else shapely.make_valid(seen)


__all__ = ["Seen", "Target", "look_at"]
