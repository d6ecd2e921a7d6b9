"""The area that a part sweeps over its travel, seen from another part, with nothing left out between positions.

A travel is thinned to the positions between which everything runs straight to within a twentieth of a millimetre; between two of
those the part's triangles are joined by their convex hulls, and what is left, the bow of the path, is added all round.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from lexipod.geometry.frames import Array, apply_pose

BOW_MM = 0.05
ROUGH_MM = 0.03


def thin_poses(poses: Array, reach_mm: float, *, bow_mm: float = BOW_MM) -> Array:
    """The poses ``(k, 3)`` out of ``(n, 3)`` between which no point within ``reach_mm`` of the origin leaves the straight line between
    two by more than ``bow_mm`` (Douglas and Peucker's rule on the pose as three lengths, and the chord of every turn)."""
    if len(poses) <= 2:
        return poses
    path = poses * np.array([1.0, 1.0, reach_mm])
    keep = np.zeros(len(path), dtype=bool)
    keep[0] = keep[-1] = True
    stack = [(0, len(path) - 1)]
    most_turn = 2 * np.sqrt(2 * bow_mm / max(reach_mm, 1e-6))
    while stack:
        low, high = stack.pop()
        if high - low < 2:
            continue
        way = path[high] - path[low]
        share = np.linspace(0.0, 1.0, high - low + 1)[1:-1, None]
        length = float(way @ way)
        if length > 1e-18:
            share = np.clip(((path[low + 1 : high] - path[low]) @ way / length)[:, None], 0.0, 1.0)
        off = np.linalg.norm(path[low + 1 : high] - (path[low] + share * way), axis=1)
        turned = abs(poses[high, 2] - poses[low, 2])
        if off.max() > bow_mm or turned > most_turn:
            middle = low + 1 + int(np.argmax(off)) if off.max() > bow_mm else (low + high) // 2
            keep[middle] = True
            stack += [(low, middle), (middle, high)]
    return poses[keep]


def swept_region(region: Any, poses: Array) -> Any:
    """Everything that ``region`` lies on at any of the poses ``(n, 3)`` or between two of them; at most a tenth of a millimetre more."""
    poses = np.atleast_2d(poses)
    if region.is_empty:
        return shapely.Polygon()
    ring = _full_turn(region, poses)
    if ring is not None:
        return ring
    reach = float(np.linalg.norm(shapely.get_coordinates(region), axis=1).max())
    kept = thin_poses(poses, reach)
    plain = shapely.simplify(region, ROUGH_MM)
    if len(kept) == 1:
        return _placed(plain, kept[0]).buffer(ROUGH_MM, join_style="mitre")
    corners = _pieces(plain)
    laid = [apply_pose(kept, c) for c in corners]
    hulls = []
    for points in laid:
        both = np.concatenate([points[:-1], points[1:]], axis=1)
        count = both.shape[1]
        clouds = shapely.multipoints(shapely.points(both.reshape(-1, 2)), indices=np.repeat(np.arange(len(both)), count))
        hulls.append(shapely.convex_hull(clouds))
    return shapely.union_all(np.concatenate(hulls)).buffer(BOW_MM + ROUGH_MM, join_style="mitre")


def _full_turn(region: Any, poses: Array) -> Any | None:
    """The ring that a region in one piece covers when it goes all the way round a fixed point; None when it does not."""
    turns = poses[:, 2]
    if len(poses) < 8 or np.ptp(turns) < 2 * np.pi - 1e-3 or region.geom_type != "Polygon" or np.abs(np.diff(turns)).max() > 0.2:
        return None
    cos, sin, one, none = np.cos(turns), np.sin(turns), np.ones(len(turns)), np.zeros(len(turns))
    rows = np.concatenate([np.column_stack([one, none, -cos, sin]), np.column_stack([none, one, -sin, -cos])])
    found, *_ = np.linalg.lstsq(rows, np.concatenate([poses[:, 0], poses[:, 1]]), rcond=None)
    if np.abs(rows @ found - np.concatenate([poses[:, 0], poses[:, 1]])).max() > 1e-6:
        return None
    about, centre = shapely.Point(found[2], found[3]), shapely.Point(found[0], found[1])
    outer = float(shapely.hausdorff_distance(about, region))
    inner = float(shapely.distance(about, region))
    disc = centre.buffer((outer + BOW_MM) / np.cos(np.pi / 256), quad_segs=64)
    return shapely.difference(disc, centre.buffer(inner - BOW_MM, quad_segs=64)) if inner > 2 * BOW_MM else disc


def _placed(region: Any, pose: Array) -> Any:
    return shapely.transform(region, lambda xy: apply_pose(pose, xy))


def _pieces(region: Any) -> list[Array]:
    """Corners of convex pieces that make up a region: itself, or its triangles."""
    pieces = []
    for polygon in shapely.get_parts(region):
        if not polygon.interiors and polygon.convex_hull.area - polygon.area < 1e-6:
            pieces.append(shapely.get_coordinates(polygon.exterior)[:-1])
        else:
            triangles = shapely.get_parts(shapely.constrained_delaunay_triangles(polygon))
            pieces += [shapely.get_coordinates(t.exterior)[:-1] for t in triangles]
    return pieces
