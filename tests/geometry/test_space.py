"""Frames in space against SciPy's rotations."""

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from lexipod.geometry.shapes import arc
from lexipod.geometry.space import apply_frame, compose_frames, cross_product, invert_frame, line_frame, planar_frame, turn_frames, turned_over
from tests.samples import SEED


def frames(dice, count):
    """Random rigid frames ``(count, 3, 4)``, with their rotations and origins."""
    turns, origins = Rotation.random(count, random_state=dice.integers(2**31)), dice.uniform(-90, 90, (count, 3))
    return np.concatenate([turns.as_matrix(), origins[:, :, None]], axis=2), turns, origins


class SpaceTest(unittest.TestCase):
    def setUp(self):
        self.dice = np.random.default_rng(SEED + 31)

    def test_points_are_turned_and_moved(self):
        placed, turns, origins = frames(self.dice, 7)
        points = self.dice.uniform(-50, 50, (5, 3))
        for k in range(7):
            np.testing.assert_allclose(apply_frame(placed[k], points), turns[k].apply(points) + origins[k], atol=1e-10)
        np.testing.assert_allclose(apply_frame(placed, points)[3], apply_frame(placed[3], points), atol=1e-12)

    def test_one_within_the_other_and_back(self):
        outer, inner = frames(self.dice, 6)[0], frames(self.dice, 6)[0]
        points = self.dice.uniform(-50, 50, (4, 3))
        both = compose_frames(outer, inner)
        for k in range(6):
            np.testing.assert_allclose(apply_frame(both[k], points), apply_frame(outer[k], apply_frame(inner[k], points)), atol=1e-10)
            np.testing.assert_allclose(apply_frame(invert_frame(outer[k]), apply_frame(outer[k], points)), points, atol=1e-10)

    def test_turns_about_x(self):
        angles = np.concatenate([self.dice.uniform(-7, 7, 9), np.arange(-4, 5) * np.pi / 2])
        told = turn_frames(angles)
        np.testing.assert_allclose(told[..., :3], Rotation.from_euler("x", angles[:, None]).as_matrix(), atol=1e-12)
        self.assertTrue((told[..., 3] == 0).all())
        self.assertTrue(np.isin(told[9:], (-1.0, 0.0, 1.0)).all())  # quarter turns are exact

    def test_a_frame_along_a_line(self):
        for _ in range(20):
            start, end, normal = self.dice.uniform(-40, 40, (3, 3))
            told = line_frame(start, end, normal=normal)
            x, z = told[:, 0], told[:, 2]
            np.testing.assert_allclose(x * np.linalg.norm(end - start), end - start, atol=1e-9)
            np.testing.assert_allclose(told[:, :3].T @ told[:, :3], np.eye(3), atol=1e-12)
            self.assertGreater(np.linalg.det(told[:, :3]), 0.99)
            self.assertGreater(z @ normal, 0)
            self.assertAlmostEqual(np.linalg.det([x, z, normal]), 0.0, places=9)  # z leans only along the line
            np.testing.assert_allclose(told[:, 3], start)
        with self.assertRaises(ValueError):
            line_frame((1, 2, 3), (1, 2, 3))

    def test_a_pose_in_the_plane_and_a_sheet_turned_over(self):
        turned = planar_frame(12.0, -3.0, 0.7, z=2.0)
        np.testing.assert_allclose(turned[:, :3], Rotation.from_euler("z", 0.7).as_matrix(), atol=1e-12)
        np.testing.assert_allclose(turned[:, 3], (12.0, -3.0, 2.0))
        for axis in ("x", "y"):
            over = turned_over(4.0, 5.0, axis=axis, z=1.0)
            np.testing.assert_allclose(over[:, :3], Rotation.from_euler(axis, np.pi).as_matrix(), atol=1e-12)
            np.testing.assert_allclose(over[:, 3], (4.0, 5.0, 1.0))

    def test_chords_of_an_arc_leave_it_by_no_more_than_is_said(self):
        for start, end in ((-1.0, 1.0), (0.3, 2.9), (-2.8, -0.2)):
            points = arc((5.0, -2.0), radius_mm=40.0, start_rad=start, end_rad=end, chord_error_mm=0.05)
            middles = (points[1:] + points[:-1]) / 2 - (5.0, -2.0)
            self.assertLess((40.0 - np.linalg.norm(middles, axis=1)).max(), 0.0501)
            np.testing.assert_allclose(points[[0, -1]] - (5.0, -2.0), 40.0 * np.array([[np.cos(a), np.sin(a)] for a in (start, end)]), atol=1e-9)

    def test_cross_products(self):
        a, b = self.dice.uniform(-9, 9, (2, 8, 3))
        np.testing.assert_allclose(cross_product(a, b), np.cross(a, b), atol=1e-12)


if __name__ == "__main__":
    unittest.main()
