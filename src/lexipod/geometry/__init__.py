"""Plain planar geometry in millimetres: outlines, regions and rigid frames.

outline
    A closed polyline as an ``(n, 2)`` array without a repeated last point.
region
    A Shapely polygon or multipolygon made from outlines and their holes.
pose
    Where a frame lies in another one: ``(x_mm, y_mm, turn_rad)``, counter-clockwise from +x, y up.
"""

from lexipod.geometry.frames import apply_pose, invert_pose, pose_matrix, relative_pose, transform_regions
from lexipod.geometry.shapes import arc, circle, pill, rectangle, region_from, rounded_rectangle, split_region

__all__ = [
    "apply_pose",
    "arc",
    "circle",
    "invert_pose",
    "pill",
    "pose_matrix",
    "rectangle",
    "region_from",
    "relative_pose",
    "rounded_rectangle",
    "split_region",
    "transform_regions",
]
