"""Frames and outlines."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from lexipod.geometry.frames import apply_pose, compose_pose, invert_pose, pose_matrix, relative_pose, transform_regions
from lexipod.geometry.shapes import COARSE_MM, FINE_MM, arc, circle, pill, rectangle, region_from, rounded_rectangle, split_region

POSES = st.tuples(st.floats(-300, 300), st.floats(-300, 300), st.floats(-7, 7)).map(np.array)
POINTS = np.array([[0.0, 0.0], [10.0, -3.0], [-40.0, 25.0]])


class FrameTest(unittest.TestCase):
    @given(POSES)
    def test_there_and_back_again_is_where_one_was(self, pose):
        np.testing.assert_allclose(apply_pose(invert_pose(pose), apply_pose(pose, POINTS)), POINTS, atol=1e-9)

    @given(POSES, POSES)
    def test_composed_poses_act_one_after_the_other(self, outer, inner):
        np.testing.assert_allclose(apply_pose(compose_pose(outer, inner), POINTS), apply_pose(outer, apply_pose(inner, POINTS)), atol=1e-9)
        np.testing.assert_allclose(apply_pose(outer, apply_pose(relative_pose(outer, inner), POINTS)), apply_pose(inner, POINTS), atol=1e-9)

    @given(POSES)
    def test_distances_and_handedness_stay(self, pose):
        moved = apply_pose(pose, POINTS)
        np.testing.assert_allclose(np.linalg.norm(moved[1] - moved[0]), np.linalg.norm(POINTS[1] - POINTS[0]))
        self.assertGreater(
            np.linalg.det(np.array([moved[1] - moved[0], moved[2] - moved[0]]))
            * np.linalg.det(np.array([POINTS[1] - POINTS[0], POINTS[2] - POINTS[0]])),
            0,
        )

    def test_a_quarter_turn_about_a_corner_by_hand(self):
        np.testing.assert_allclose(apply_pose((5, 1, math.pi / 2), [(2, 0), (0, 3)]), [(5, 3), (2, 1)], atol=1e-12)

    @given(POSES)
    def test_the_matrix_is_the_pose_in_space(self, pose):
        matrix = pose_matrix(pose, z_mm=1.5)
        in_space = np.column_stack([POINTS, np.zeros(3), np.ones(3)]) @ matrix.T
        np.testing.assert_allclose(in_space[:, :2], apply_pose(pose, POINTS), atol=1e-9)
        np.testing.assert_allclose(in_space[:, 2], 1.5)

    def test_regions_are_laid_at_many_poses_at_once_with_their_holes(self):
        region = region_from(rectangle(0, 0, 10, 6), [rectangle(2, 2, 4, 4)])
        laid = transform_regions(region, [(0, 0, 0), (100, 0, math.pi / 2), (0, 50, math.pi)])
        self.assertEqual([round(r.area, 9) for r in laid], [56, 56, 56])
        self.assertEqual([round(v, 9) for v in laid[1].bounds], [94, 0, 100, 10])
        self.assertEqual(region.bounds, (0, 0, 10, 6))


class OutlineTest(unittest.TestCase):
    @given(st.floats(0.5, 120))
    def test_circles_stay_within_their_chord_error(self, radius):
        for error in (FINE_MM, COARSE_MM):
            outline = circle((3, 4), radius_mm=radius, chord_error_mm=error)
            np.testing.assert_allclose(np.linalg.norm(outline - (3, 4), axis=1), radius)
            middles = (outline + np.roll(outline, -1, axis=0)) / 2
            self.assertGreaterEqual(np.linalg.norm(middles - (3, 4), axis=1).min(), radius - error * 1.0001)

    def test_an_arc_has_both_its_ends(self):
        points = arc((0, 0), radius_mm=10, start_rad=0.3, end_rad=2.0)
        np.testing.assert_allclose(points[[0, -1]], [[10 * math.cos(0.3), 10 * math.sin(0.3)], [10 * math.cos(2), 10 * math.sin(2)]])

    @given(st.floats(1, 200), st.floats(1, 200), st.floats(0, 150))
    def test_rounded_rectangles_keep_their_box_and_their_area(self, width, height, radius):
        outline = rounded_rectangle(5, 7, 5 + width, 7 + height, radius_mm=radius)
        r = min(radius, width / 2, height / 2)
        region = shapely.Polygon(outline)
        np.testing.assert_allclose(region.bounds, (5, 7, 5 + width, 7 + height), atol=1e-9)
        self.assertTrue(region.is_valid and region.exterior.is_ccw)
        self.assertAlmostEqual(region.area, width * height - (4 - math.pi) * r * r, delta=0.03 * 2 * math.pi * r + 1e-6)

    def test_a_pill_is_as_long_as_said_in_any_direction(self):
        for turn in (0.0, 0.7, 2.5):
            along = np.array([math.cos(turn), math.sin(turn)])
            outline = pill((10, 20), (10, 20) + 30 * along, width_mm=8)
            reach = (outline - (10, 20)) @ along
            self.assertAlmostEqual(reach.min(), 0, places=6)
            self.assertAlmostEqual(reach.max(), 30, places=6)
            self.assertAlmostEqual(shapely.Polygon(outline).area, 22 * 8 + math.pi * 16, delta=0.6)

    @settings(max_examples=30)
    @given(st.floats(1, 9), st.floats(1, 9))
    def test_outline_and_holes_come_back_from_a_region(self, x, y):
        outline, holes = split_region(region_from(rectangle(0, 0, 20, 20), [rectangle(x, y, x + 5, y + 5)]))
        self.assertEqual(len(holes), 1)
        self.assertAlmostEqual(shapely.Polygon(outline, holes).area, 375)
        self.assertFalse(np.array_equal(outline[0], outline[-1]))

    def test_of_a_region_in_pieces_the_largest_stays_and_an_empty_one_is_refused(self):
        outline, _ = split_region(shapely.union(shapely.box(0, 0, 2, 2), shapely.box(5, 0, 15, 10)))
        self.assertEqual(shapely.Polygon(outline).area, 100)
        with self.assertRaises(ValueError):
            split_region(shapely.Polygon())
