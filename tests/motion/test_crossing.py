"""How deep panels go through each other, against closed forms and a second way of measuring.

Planes that meet in a line, rectangles cut by it: elementary geometry.
"""

import unittest

import numpy as np
import shapely

from lexipod.assembly import Panel
from lexipod.geometry.shapes import circle
from lexipod.geometry.space import compose_frames, planar_frame, turn_frames
from lexipod.motion import crossing_depths
from tests.solid_sheets import moved, pierces, triangles


def panel(outline, name="p", holes=()):
    return Panel(name, name, "m1", "s", np.asarray(outline, dtype=float), "card-300", 0.4, tuple(holes))


def box(x0, y0, x1, y1, name="p", holes=()):
    return panel([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], name, holes)


def upright(x, y, z, turn=0.0):
    """A panel set up on its lower edge, turned about the vertical."""
    return compose_frames(planar_frame(x, y, turn, z=z), turn_frames(np.pi / 2)[0])[None]


FLAT = planar_frame(0, 0, 0)[None]


def random_frame(rng):
    axes = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    axes *= np.sign(np.linalg.det(axes))
    return np.column_stack([axes, rng.uniform(-20, 20, 3)])


class DepthTest(unittest.TestCase):
    def depth(self, a, b, fa, fb):
        return float(crossing_depths(a, b, fa, fb)[0])

    def test_a_wall_through_a_floor_is_as_deep_as_the_nearest_border_allows(self):
        floor, wall = box(0, 0, 100, 60, "floor"), box(0, -10, 20, 30, "wall")
        # The wall stands along x from 40 to 60 at y = 30, 10 below the floor: 20 of it in common, its middle 10 from both ends.
        self.assertAlmostEqual(self.depth(wall, floor, upright(40, 30, 0), FLAT), 10.0, places=6)
        self.assertAlmostEqual(self.depth(wall, floor, upright(40, 4, 0), FLAT), 4.0, places=6)  # near the floor's edge
        self.assertAlmostEqual(self.depth(wall, floor, upright(40, 30, 9), FLAT), 1.0, places=6)  # only 1 of it is below

    def test_touching_is_not_crossing(self):
        floor, wall = box(0, 0, 100, 60, "floor"), box(0, 0, 20, 30, "wall")
        for x, y, z in ((40, 30, 0), (40, 0, 0), (-20, 30, -10), (40, 60, -5), (40, 30, 5)):
            self.assertLess(self.depth(wall, floor, upright(x, y, z), FLAT), 1e-6, (x, y, z))

    def test_mirror_images_cross_where_their_edges_meet(self):
        """Two equal blades that lean towards each other have all their crossing on the mirror plane: no edge lies inside the other."""
        blade = [(0, 0), (30, 0), (30, 10), (0, 10)]
        a, b = panel(blade, "a"), panel(blade, "b")
        lean = np.radians(50)
        left = compose_frames(planar_frame(0, 0, 0), compose_frames(planar_frame(0, 0, np.pi / 2), turn_frames(lean)[0]))
        mirror = np.diag([-1.0, 1.0, 1.0])
        right = np.column_stack([mirror @ left[:, :3] @ np.diag([1.0, -1.0, 1.0]), mirror @ left[:, 3]])
        b = panel([(x, -y) for x, y in blade][::-1], "b")
        shift = np.array([5.0 * np.cos(lean), 0.0, 0.0])
        left[:, 3] += shift
        right[:, 3] -= shift
        # Both 10 wide planes meet along the middle line, 5 from the edges, 30 long.
        self.assertAlmostEqual(self.depth(a, b, left[None], right[None]), 5.0, places=2)

    def test_a_hole_lets_through(self):
        floor = box(0, 0, 100, 60, "floor", holes=[circle((50, 30), radius_mm=15)])
        self.assertEqual(self.depth(box(-10, -10, 10, 30, "wall"), floor, upright(50, 30, 0), FLAT), 0.0)
        self.assertGreater(self.depth(box(-25, -10, 25, 30, "wall"), floor, upright(50, 30, 0), FLAT), 4.0)

    def test_panels_in_one_plane_cross_nowhere(self):
        self.assertEqual(self.depth(box(0, 0, 10, 10), box(5, 5, 20, 20), FLAT, FLAT), 0.0)

    def test_random_pairs_agree_with_triangles_that_pierce_each_other(self):
        rng = np.random.default_rng(4)
        counts = {True: 0, False: 0}
        for _ in range(700):
            shapes = []
            for name in "ab":
                xy = rng.uniform(-20, 20, (int(rng.integers(3, 9)), 2))
                hull = np.asarray(shapely.MultiPoint(xy).convex_hull.exterior.coords)[:-1]
                shapes.append(panel(hull[::-1] if not shapely.LinearRing(hull).is_ccw else hull, name))
            fa, fb = random_frame(rng), random_frame(rng)
            depth = self.depth(*shapes, fa[None], fb[None])
            if 0.2 < depth < 0.9:
                continue
            told = pierces(moved(triangles(shapes[0].region, 0.5), fa), moved(triangles(shapes[1].region, 0.5), fb))
            self.assertEqual(depth > 0.5, told)
            counts[told] += 1
        self.assertGreater(min(counts.values()), 40)


if __name__ == "__main__":
    unittest.main()
