"""What keeps the search for gaps short must never hide one: bounds on where parts can be, depths of overlaps, and two travels at once."""

import math
import unittest
from dataclasses import replace

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from lexipod.assembly import Drive, Joint, Segment
from lexipod.geometry.frames import apply_pose, relative_pose, transform_regions
from lexipod.geometry.shapes import circle, rectangle, region_from
from lexipod.motion import find_meeting_pairs, solve_track
from lexipod.motion.clearance import Clearance, Whereabouts, as_stop, boxes_stay_apart, depth_of, find_jointed_pairs, overlap_depth, share_a_level
from lexipod.motion.cross import measure_crossings
from lexipod.motion.gravity import gravity_in_card, pull_along, starting_slope_deg
from tests.zoo import assembly, part


def arm_and_post(x, y, *, length=60.0, size=4.0):
    """An arm that turns about (200, 200) past a square post."""
    arm = part("arm", rectangle(0, -2, length, 2), home=(200.0, 200.0, 0.0))
    post = part("post", rectangle(x, y, x + size, y + size), role="spacer")
    joints = [Joint("pin", "pin", "arm", "card.front", (0, 0), (200, 200)), Joint("glue", "fixed", "post", "card.front")]
    return assembly([arm, post], joints, Drive("m1", "pin", "arm", "turn", 0.0, 120.0, 0.0))


class BoundTest(unittest.TestCase):
    @settings(max_examples=50, deadline=None)
    @given(st.floats(120, 280), st.floats(120, 280), st.floats(0.5, 30))
    def test_parts_that_are_said_to_stay_apart_do(self, x, y, by_mm):
        built = arm_and_post(x, y)
        track = solve_track(built, built.drives[0], built.drives[0].coordinates(61))
        if Whereabouts(built, track).stay_apart("arm", "post", by_mm):
            arm, post = built.by_id["arm"], built.by_id["post"]
            gaps = shapely.distance(transform_regions(arm.region, track.poses["arm"]), post.region_at_home)
            self.assertGreater(gaps.min(), by_mm - 1e-9)

    @settings(max_examples=50, deadline=None)
    @given(st.floats(120, 280), st.floats(120, 280), st.floats(0.5, 30))
    def test_boxes_that_are_said_to_stay_apart_do(self, x, y, by_mm):
        built = arm_and_post(x, y)
        track = solve_track(built, built.drives[0], built.drives[0].coordinates(61))
        arm, post = built.by_id["arm"], built.by_id["post"]
        poses = relative_pose(np.tile(post.home, (61, 1)), track.poses["arm"])
        if boxes_stay_apart(arm, post, poses, by_mm=by_mm):
            gaps = shapely.distance(transform_regions(arm.region, poses), post.region)
            self.assertGreater(gaps.min(), by_mm - 1e-9)

    def test_a_far_post_is_told_apart_and_a_near_one_is_not(self):
        for x, expected in ((270.0, True), (262.0, False), (230.0, False)):
            built = arm_and_post(x, 198.0)
            track = solve_track(built, built.drives[0], built.drives[0].coordinates(31))
            self.assertEqual(Whereabouts(built, track).stay_apart("arm", "post", 5.0), expected, x)

    def test_no_step_is_longer_than_the_largest_that_is_told(self):
        built = arm_and_post(300.0, 300.0)
        track = solve_track(built, built.drives[0], built.drives[0].coordinates(13))
        middle = np.array([30.0, 0.0])
        way = apply_pose(track.poses["arm"], middle[None])[:, 0]
        self.assertGreaterEqual(Whereabouts(built, track).largest_step_mm, np.linalg.norm(np.diff(way, axis=0), axis=1).max())


class DepthTest(unittest.TestCase):
    def test_of_a_strip_it_is_its_width(self):
        laid = np.array([region_from(rectangle(0, 0, 20, 10)), region_from(rectangle(0, 0, 20, 10))])
        fixed = region_from(rectangle(17, -5, 40, 30))
        self.assertTrue(np.allclose(overlap_depth(laid, fixed), 3.0, atol=0.02))

    def test_of_two_discs_it_is_the_lens(self):
        one, two = region_from(circle((0, 0), radius_mm=10.0)), region_from(circle((16, 0), radius_mm=10.0))
        # Of many overlaps the deepest is exact, wherever it lies, and none is told deeper than it is by more than a little.
        rng = np.random.default_rng(4)
        for _ in range(6):
            star = shapely.Polygon([(r * np.cos(a), r * np.sin(a)) for a, r in zip(np.linspace(0, 6, 14), rng.uniform(3, 11, 14), strict=True)])
            turned = transform_regions(star, np.column_stack([np.linspace(-9, 12, 90), np.full(90, 2.0), np.linspace(0, 3, 90)]))
            post = shapely.box(-4, -3, 5, 2)
            told = overlap_depth(turned, post)
            true = np.array([depth_of(region) for region in shapely.intersection(turned, post)])
            self.assertAlmostEqual(told.max(), true.max(), delta=0.03)
            self.assertGreaterEqual(true[int(np.argmax(told))], true.max() - 0.03)
            np.testing.assert_allclose(told, true, rtol=0.4, atol=0.3)
            self.assertTrue(((told > 0) == (true > 0)).all())
        self.assertAlmostEqual(float(overlap_depth(np.array([one]), two)[0]), 4.0, delta=0.03)  # 10 + 10 - 16

    def test_what_only_touches_has_none(self):
        touching = np.array([region_from(rectangle(0, 0, 10, 10)), region_from(rectangle(-30, 0, -20, 10))])
        self.assertEqual(overlap_depth(touching, region_from(rectangle(10, 0, 20, 10))).tolist(), [0.0, 0.0])

    def test_of_several_pieces_the_deepest_counts(self):
        comb = region_from(rectangle(0, 0, 30, 10), [rectangle(5, -1 + 2, 12, 9)])
        bar = region_from(rectangle(0, 4, 30, 6))
        self.assertAlmostEqual(float(overlap_depth(np.array([bar]), comb)[0]), 2.0, delta=0.02)


class PairTest(unittest.TestCase):
    def test_joined_parts_are_known_by_their_joint_only(self):
        self.assertEqual(find_jointed_pairs(arm_and_post(0, 0)), {frozenset(("arm", "card.front"))})

    def test_a_level_is_shared_by_what_takes_room_there(self):
        built = arm_and_post(250.0, 250.0)
        self.assertTrue(share_a_level(built, built.by_id["arm"], built.by_id["post"]))
        self.assertFalse(share_a_level(built, built.by_id["arm"], built.by_id["card.front"]))
        self.assertFalse(share_a_level(built, built.by_id["post"], built.by_id["post"]))
        self.assertEqual(find_meeting_pairs(built, "m1"), [("arm", "post")])

    def test_the_least_gap_lies_at_its_travel_between_positions_too(self):
        clearance = Clearance("a", "b", "m1", "gap", 0.5, np.array([0.0, 1.0, 2.0, 3.0]), np.array([4.0, 3.0, 3.5, 5.0]), np.array([3.0, 1.2, 3.5]))
        self.assertEqual((clearance.minimum_mm, clearance.at), (1.2, 1.0))
        self.assertEqual(clearance.profile.tolist(), [3.0, 1.2, 1.2, 3.5])
        stop = as_stop(clearance)
        self.assertEqual((stop.kind, stop.needed_mm, stop.minimum_mm), ("stop", 0.0, 1.2))


class TwoTravelsTest(unittest.TestCase):
    """Two sliders of different mechanisms at right angles: the worst combination of their travels, worked by hand."""

    def crossing(self, offset, *, travel=40.0):
        across = part("m1.across", rectangle(0, 0, 10, 10), home=(50.0, 100.0, 0.0))
        up = part("m2.up", rectangle(0, 0, 10, 10), home=(80.0 + offset, 50.0, 0.0), mechanism="m2")
        joints = [
            Joint("j1", "slide", "m1.across", "card.front", (0, 0), path_b=Segment((50.0, 100.0), (300.0, 100.0)), turn="fixed"),
            Joint("j2", "slide", "m2.up", "card.front", (0, 0), path_b=Segment((80.0 + offset, 50.0), (80.0 + offset, 300.0)), turn="fixed"),
        ]
        first = Drive("m1", "j1", "m1.across", "slide", 0.0, travel, 0.0)
        second = Drive("m2", "j2", "m2.up", "slide", 0.0, 60.0, 0.0)
        built = replace(assembly([across, up], joints, first), drives=(first, second))
        tracks = {d.mechanism: solve_track(built, d, d.coordinates(41)) for d in (first, second)}
        return measure_crossings(built, tracks, usual_mm=0.5)

    def test_ways_that_cross_overlap_as_deep_as_the_parts_are(self):
        (found,) = self.crossing(0.0)
        self.assertEqual((found.a, found.b), ("m1.across", "m2.up"))
        self.assertAlmostEqual(found.minimum_mm, -10.0, delta=0.6)

    def test_ways_that_end_beside_each_other_keep_their_gap(self):
        (found,) = self.crossing(23.0)  # the one stops at 100, the other goes up from 103 on
        self.assertAlmostEqual(found.minimum_mm, 3.0, delta=0.02)
        self.assertAlmostEqual(found.at["m1"], 40.0, places=6)
        self.assertTrue(40.0 <= found.at["m2"] <= 60.0)

    def test_far_ways_are_not_told(self):
        self.assertEqual(self.crossing(60.0), [])

    def test_corners_are_met_over_the_diagonal(self):
        (found,) = self.crossing(23.0, travel=37.0)
        self.assertAlmostEqual(found.minimum_mm, 6.0, delta=0.02)


class SlopeTest(unittest.TestCase):
    """Friction on an inclined plane: what slides is pulled by sin(a) less mu cos(a) (any text on statics)."""

    def test_gravity_turns_with_the_card_and_leans_back(self):
        for turn in (0.0, 30.0, 90.0, 215.0):
            self.assertAlmostEqual(float(np.linalg.norm(gravity_in_card(turn, 20.0))), 1.0)
        self.assertTrue(np.allclose(gravity_in_card(0.0), (0.0, -1.0, 0.0)))
        self.assertTrue(np.allclose(gravity_in_card(90.0), (-1.0, 0.0, 0.0)))
        self.assertTrue(np.allclose(gravity_in_card(0.0, 90.0), (0.0, 0.0, -1.0)))

    def test_the_pull_on_an_incline_is_weight_less_friction(self):
        way = np.column_stack([np.linspace(0, 50, 51), np.zeros(51)])
        for slope in (10.0, 25.0, 40.0, 70.0):
            pull = pull_along(way, gravity_in_card(-slope), 0.4)
            expected = max(0.0, math.sin(math.radians(slope)) - 0.4 * math.cos(math.radians(slope)))
            self.assertTrue(np.allclose(pull, expected, atol=1e-9), slope)

    def test_leaning_back_presses_it_on_the_card(self):
        way = np.column_stack([np.zeros(31), np.linspace(50, 0, 31)])  # straight down
        for lean in (0.0, 30.0, 60.0):
            a = math.radians(lean)
            pull = pull_along(way, gravity_in_card(0.0, lean), 0.3)
            self.assertTrue(np.allclose(pull, max(0.0, math.cos(a) - 0.3 * math.sin(a))), lean)

    def test_it_starts_at_the_angle_of_friction(self):
        for mu in (0.1, 0.35, 1.0):
            self.assertAlmostEqual(math.tan(math.radians(starting_slope_deg(mu))), mu)
            way = np.column_stack([np.linspace(0, 10, 11), np.zeros(11)])
            slope = starting_slope_deg(mu)
            self.assertTrue((pull_along(way, gravity_in_card(-(slope - 0.1)), mu) == 0).all())
            self.assertTrue((pull_along(way, gravity_in_card(-(slope + 0.1)), mu) > 0).all())


if __name__ == "__main__":
    unittest.main()
