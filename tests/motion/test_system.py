"""The planar solver against closed forms, published values and its own laws."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lexipod.assembly import Arc, Drive, Joint, Segment
from lexipod.building import build_assembly
from lexipod.geometry.frames import apply_pose
from lexipod.motion import MechanismError, System, solve_track
from tests.zoo import CATALOG, assembly, crank_and_rocker, part, slider


def slider_crank(r=15.0, l=35.0, e=0.0, *, rest=25.0, end=155.0, home=60.0, reach=400.0):
    """A crank at (200, 200), a link, and a slide along x at height 200 + e."""
    t = math.radians(home)
    pin = np.array([200 + r * math.cos(t), 200 + r * math.sin(t)])
    x = 200 + r * math.cos(t) + math.sqrt(l**2 - (r * math.sin(t) - e) ** 2)
    turn = math.atan2(200 + e - pin[1], x - pin[0])
    parts = [part("crank", home=(200, 200, t)), part("link", home=(*pin, turn), level=2), part("rider", home=(x, 200 + e, 0), level=3)]
    joints = [
        Joint("j1", "pin", "crank", "card.front", (0, 0), (200, 200)),
        Joint("j2", "pin", "link", "crank", (0, 0), (r, 0)),
        Joint("j3", "pin", "link", "rider", (l, 0), (0, 0)),
        Joint("j4", "slide", "rider", "card.front", (0, 0), path_b=Segment((200 - reach, 200 + e), (200 + reach, 200 + e)), turn="fixed"),
    ]
    return assembly(parts, joints, Drive("m1", "j1", "crank", "turn", rest, end, home))


class ClosedFormTest(unittest.TestCase):
    def test_slider_crank_of_the_handbooks(self):
        # x = r cos(phi) + sqrt(l^2 - r^2 sin^2(phi)), any textbook on kinematics of machines; r 15, l 35.
        a = slider_crank(rest=0.0, end=180.0)
        track = solve_track(a, a.drives[0], np.array([0.0, 30, 60, 90, 120, 150, 180]))
        wanted = [50, 47.1774, 40, 31.6228, 25, 21.1966, 20]
        np.testing.assert_allclose(track.poses["rider"][:, 0] - 200, wanted, atol=5e-5)

    @settings(max_examples=60, deadline=None)
    @given(st.floats(5, 40), st.floats(1.15, 4), st.floats(-0.1, 0.1), st.floats(20, 160))
    def test_slider_crank_with_offset_on_random_sizes(self, r, ratio, offset, home):
        l, e = r * ratio, offset * r
        a = slider_crank(r, l, e, rest=15.0, end=165.0, home=home)
        phi = np.linspace(15, 165, 31)
        track = solve_track(a, a.drives[0], phi)
        t = np.radians(phi)
        self.assertTrue(track.reached.all())
        np.testing.assert_allclose(track.poses["rider"][:, 0] - 200, r * np.cos(t) + np.sqrt(l**2 - (r * np.sin(t) - e) ** 2), atol=1e-6)

    def test_four_bar_against_freudensteins_values(self):
        # a 20, b 70, c 60, d 80, open branch: rocker angles computed from Freudenstein's equation (1955).
        wanted = {0: 108.629331, 30: 101.928480, 75: 105.774140, 120: 119.314375, 200: 139.674443, 300: 130.686099}
        a = crank_and_rocker()
        track = solve_track(a, a.drives[0], np.array(list(wanted), dtype=float))
        np.testing.assert_allclose(np.degrees(track.poses["rocker"][:, 2]), list(wanted.values()), atol=2e-6)

    def test_slotted_arm_swings_by_the_arc_tangent(self):
        # Pull's pin on a line at h from the pivot, in a slot of the arm: tan(theta) = x / h; h 30.
        h, home = 30.0, 10.0
        theta = math.atan2(home, h)
        arm = part("arm", home=(200, 200, math.pi / 2 - theta), level=2)
        pull = part("pull", home=(200 + home, 200 + h, 0), level=3)
        joints = [
            Joint("j1", "slide", "pull", "card.front", (0, 0), path_b=Segment((180, 230), (260, 230), zero_mm=20), turn="fixed"),
            Joint("j2", "pin", "arm", "card.front", (0, 0), (200, 200)),
            Joint("j3", "slot", "pull", "arm", (0, 0), path_b=Segment((20, 0), (90, 0))),
        ]
        a = assembly([arm, pull], joints, Drive("m1", "j1", "pull", "slide", 0.0, 40.0, home))
        track = solve_track(a, a.drives[0], np.array([10.0, 20, 30, 40]))
        swing = 90 - np.degrees(track.poses["arm"][:, 2])
        np.testing.assert_allclose(swing, [18.4349, 33.6901, 45, 53.1301], atol=5e-5)
        np.testing.assert_allclose(track.joint_coordinates["j3"] + 20, np.hypot(h, [10, 20, 30, 40]), atol=1e-9)

    def test_a_rider_follows_an_arc_with_its_turn(self):
        rider = part("rider", home=(240, 200, 0.0), level=2)
        joint = Joint("j1", "slot", "rider", "card.front", (0, 0), path_b=Arc((200, 200), 40, -60, 80), turn="tangent")
        a = assembly([rider], [joint], Drive("m1", "j1", "rider", "turn", -50.0, 70.0, 0.0))
        track = solve_track(a, a.drives[0], np.linspace(-50, 70, 13))
        np.testing.assert_allclose(np.degrees(track.poses["rider"][:, 2]), track.travel, atol=1e-9)
        np.testing.assert_allclose(np.hypot(*(track.poses["rider"][:, :2] - 200).T), 40, atol=1e-9)


class LawTest(unittest.TestCase):
    def test_one_seven_or_many_positions_agree(self):
        a = crank_and_rocker()
        many = solve_track(a, a.drives[0], np.linspace(0, 300, 181))
        for steps in (7, 2):
            few = solve_track(a, a.drives[0], np.linspace(0, 300, steps))
            stride = 180 // (steps - 1)
            np.testing.assert_allclose(few.poses["rocker"], many.poses["rocker"][::stride], atol=1e-10)
        alone = solve_track(a, a.drives[0], np.array([120.0]))
        np.testing.assert_allclose(alone.poses["coupler"][0], many.poses["coupler"][72], atol=1e-10)

    def test_every_joint_closes_at_every_position(self):
        a = crank_and_rocker()
        track = solve_track(a, a.drives[0], np.linspace(0, 300, 61))
        for joint in a.joints:
            ends = [apply_pose(track.poses_of(p, a.by_id[p].home), [at])[:, 0] for p, at in ((joint.a, joint.at_a), (joint.b, joint.at_b))]
            np.testing.assert_allclose(ends[0], ends[1], atol=1e-9)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(-0.3, 0.3), st.floats(-0.3, 0.3), st.integers(0, 8))
    def test_the_jacobian_is_the_derivative_of_the_rows(self, dx, turn, column):
        a = slider_crank(e=3.0)
        system = System(a, a.drives[0])
        q = system.scaled_home.copy()
        q[:3] += [dx, -dx, 30 * turn]
        step = np.zeros_like(q)
        step[column] = 1e-6
        s = np.array([70.0])
        plus, _ = system.residual_and_jacobian((q + step)[None], s)
        minus, _ = system.residual_and_jacobian((q - step)[None], s)
        _, jacobian = system.residual_and_jacobian(q[None], s)
        np.testing.assert_allclose((plus - minus)[0] / 2e-6, jacobian[0][:, column], atol=1e-6)

    def test_a_redundant_joint_is_harmless_and_a_wrong_one_is_not(self):
        a = slider_crank()
        twice = Joint("j5", "pin", "crank", "card.front", (0, 0), (200, 200))
        sound = assembly(a.parts[1:], [*a.joints, twice], a.drives[0])
        self.assertTrue(solve_track(sound, sound.drives[0], np.linspace(25, 155, 9)).reached.all())
        pulled = Joint("j5", "pin", "link", "card.front", (17.0, 0), tuple(apply_pose(a.by_id["link"].home, [(17.0, 0)])[0]))
        over = assembly(a.parts[1:], [*a.joints, pulled], a.drives[0])
        self.assertFalse(solve_track(over, over.drives[0], np.linspace(25, 155, 9)).reached.any())

    def test_what_the_joints_leave_free_is_the_recipes_mistake(self):
        a = slider_crank()
        with self.assertRaisesRegex(MechanismError, "left free"):
            System(assembly(a.parts[1:], [j for j in a.joints if j.id != "j4"], a.drives[0]), a.drives[0])

    def test_joints_that_do_not_meet_at_home_are_told(self):
        a = slider_crank()
        torn = [j if j.id != "j1" else Joint("j1", "pin", "crank", "card.front", (0, 0), (200, 201)) for j in a.joints]
        with self.assertRaisesRegex(MechanismError, "do not close"):
            System(assembly(a.parts[1:], torn, a.drives[0]), a.drives[0])


class DeadPointTest(unittest.TestCase):
    def test_a_link_that_is_too_short_comes_to_its_dead_point_where_the_triangle_closes(self):
        # r 40, l 30: the link reaches the line only while r sin(phi) <= l, so up to asin(30 / 40).
        a = slider_crank(40.0, 30.0, rest=0.0, end=90.0, home=20.0)
        track = solve_track(a, a.drives[0], np.linspace(0, 90, 91))
        dead = math.degrees(math.asin(30 / 40))
        self.assertIsNotNone(track.dead_points[1])
        self.assertAlmostEqual(track.dead_points[1], dead, delta=0.02)
        self.assertEqual(track.reached.tolist(), (track.travel < dead - 0.01).tolist())
        # Past it nothing is made up: all stays where the way there ends.
        beyond = track.poses["rider"][~track.reached]
        self.assertTrue(np.isfinite(beyond).all())
        self.assertLess(float(np.ptp(beyond, axis=0).max()), 1e-12)
        # At 48 degrees the rider is at r cos(phi) + sqrt(l^2 - r^2 sin(phi)^2); at the dead point the root is nothing.
        phi, end = math.radians(48), math.asin(30 / 40)
        way = 40 * math.cos(phi) + math.sqrt(30**2 - (40 * math.sin(phi)) ** 2) - 40 * math.cos(end)
        self.assertAlmostEqual(float(np.abs(beyond[0] - track.poses["rider"][48]).max()), way, delta=0.3)

    def test_the_other_elbow_is_never_taken(self):
        a = crank_and_rocker()
        track = solve_track(a, a.drives[0], np.linspace(0, 300, 301))
        pin_b = apply_pose(track.poses["coupler"], [(70.0, 0)])[:, 0]
        pin_a = apply_pose(track.poses["crank"], [(20.0, 0)])[:, 0]
        to_b, to_d = pin_b - pin_a, np.array([280.0, 200.0]) - pin_a
        self.assertTrue((to_d[:, 0] * to_b[:, 1] - to_d[:, 1] * to_b[:, 0] > 0).all())


class SliderTest(unittest.TestCase):
    def test_the_strip_moves_by_its_travel_and_nothing_else_does(self):
        for direction, along in (("right", (1, 0)), ("left", (-1, 0)), ("up", (0, 1)), ("down", (0, -1))):
            a = build_assembly(slider(direction=direction), CATALOG)
            track = solve_track(a, a.drives[0], a.drives[0].coordinates(11))
            self.assertEqual(set(track.poses), {"m1.strip", "m1.pad", "m1.picture"})
            for name, poses in track.poses.items():
                home = np.array(a.by_id[name].home)
                np.testing.assert_allclose(poses - home, np.outer(track.travel, (*along, 0)), atol=1e-9)
