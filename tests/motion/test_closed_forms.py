"""Every mechanism against the closed form of its motion, written here anew; the program itself moves by its general solver.

Sources: kinematics of the slider-crank and of the four-bar (any textbook on kinematics of machines), plane trigonometry.
"""

import math
import unittest

import numpy as np

from lexipod.geometry.frames import apply_pose, relative_pose
from tests.zoo import card_with, moved

RNG = np.random.default_rng(11)


def turn_deg(examination, part):
    """How far a part has turned since the first position, degrees."""
    poses = examination.poses(part)
    return np.degrees(np.unwrap(poses[:, 2])) - np.degrees(poses[0, 2])


class SlottedPivotTest(unittest.TestCase):
    def swing(self, kind, h, x0, x1, **more):
        design = card_with("pivot-arm", drive_joint=kind, offset=h, rest_at=x0, travel=x1 - x0, **more)
        return moved(design, 7)

    def test_swing_is_the_difference_of_two_arctangents(self):
        # tan(theta) = x / h; h = 30: x = 10, 20, 30, 40 gives 18.4349, 33.6901, 45, 53.1301 degrees.
        for x, degrees in ((10, 18.4349), (20, 33.6901), (30, 45.0), (40, 53.1301)):
            self.assertAlmostEqual(math.degrees(math.atan(x / 30)), degrees, places=4)
            for kind in ("slotted-arm", "slotted-pivot"):
                _, examination = self.swing(kind, 30.0, 0.0, float(x))
                self.assertAlmostEqual(abs(turn_deg(examination, "m1.arm")[-1]), degrees, places=4, msg=kind)

    def test_random_offsets_agree_within_a_millionth(self):
        for _ in range(6):
            h, x0, x1 = RNG.uniform(20, 40), RNG.uniform(-18, 0), RNG.uniform(6, 22)
            _, examination = self.swing("slotted-arm", round(h, 3), round(x0, 3), round(x1, 3))
            travel = examination.track("m1").travel
            expected = np.degrees(np.arctan((round(x0, 3) + travel) / round(h, 3)) - math.atan(round(x0, 3) / round(h, 3)))
            np.testing.assert_allclose(np.abs(turn_deg(examination, "m1.arm")), expected, atol=1e-6)

    def test_an_arm_that_slides_on_its_pivot_keeps_its_length_from_the_pull(self):
        # Tip radius L - sqrt(h^2 + x^2): L 120, h 30, x 10, 20, 30, 40 gives 88.377, 83.944, 77.574, 70.
        for x, radius in ((10, 88.377), (20, 83.944), (30, 77.574), (40, 70.0)):
            self.assertAlmostEqual(120 - math.hypot(30, x), radius, places=3)
        assembly, examination = self.swing("slotted-pivot", 30.0, 0.0, 40.0, arm_length=120.0)
        picture = assembly.by_id["m1.picture"]
        middle = picture.region.centroid
        tip = apply_pose(examination.poses("m1.picture"), [(middle.x, middle.y)])[:, 0]
        pivot = np.array(card_with("pivot-arm", offset=30.0, rest_at=0.0, travel=40.0).mechanisms[0].parameters["pivot"])
        np.testing.assert_allclose(np.linalg.norm(tip - pivot, axis=1), 120 - np.hypot(30, examination.track("m1").travel), atol=1e-6)


class SwingingPullTest(unittest.TestCase):
    def test_pin_and_collar_follow_the_law_of_cosines(self):
        # c = 18, D = 70: theta = 20, 60, 90, 120 gives 53.4413, 62.9603, 72.2772, 80.5233.
        def apart(theta):
            return math.sqrt(70**2 + 18**2 - 2 * 70 * 18 * math.cos(math.radians(theta)))

        for theta, expected in ((20, 53.4413), (60, 62.9603), (90, 72.2772), (120, 80.5233)):
            self.assertAlmostEqual(apart(theta), expected, places=4)
        design = card_with("pivot-arm", drive_joint="swinging-pull", crank=18.0, collar_at=70.0, rest_angle=120.0, travel=apart(120) - apart(60))
        _, examination = moved(design, 9)
        self.assertAlmostEqual(abs(turn_deg(examination, "m1.arm")[-1]), 60.0, places=5)
        theta = 120 - np.abs(turn_deg(examination, "m1.arm"))
        np.testing.assert_allclose([apart(t) for t in theta], apart(120) - examination.track("m1").travel, atol=1e-6)


class DialTest(unittest.TestCase):
    def test_riders_follow_the_in_line_slider_crank(self):
        # x = r cos(phi) + sqrt(l^2 - r^2 sin^2(phi)); r = 15, l = 35: 30, 60, 90, 120 gives 47.1774, 40, 31.6228, 25.
        def rider(r, long, phi):
            return r * np.cos(np.radians(phi)) + np.sqrt(long**2 - (r * np.sin(np.radians(phi))) ** 2)

        for phi, x in ((0, 50), (30, 47.1774), (60, 40), (90, 31.6228), (120, 25), (150, 21.1966), (180, 20)):
            self.assertAlmostEqual(rider(15, 35, phi), x, places=4)
        for _ in range(5):
            r, long = round(RNG.uniform(10, 17), 2), round(RNG.uniform(28, 40), 2)
            low, high = round(RNG.uniform(15, 40), 1), round(RNG.uniform(80, 120), 1)
            _, examination = moved(card_with("dial-riders", crank=r, link=long, from_angle=low, to_angle=high), 9)
            phi = high - examination.track("m1").travel
            for side, sign in (("upper", 1.0), ("lower", -1.0)):
                y = examination.point_on(f"m1.slot-{side}-1")[:, 1]
                way = sign * (y - y[0]) + rider(r, long, high)
                np.testing.assert_allclose(way, rider(r, long, phi), atol=1e-6)

    def test_there_are_seven_brads(self):
        # Common practice, no source: one pivot, two links, two in each rider.
        assembly, _ = moved(card_with("dial-riders"), 3)
        self.assertEqual(sum(p.quantity for p in assembly.parts if p.role == "fastener"), 7)


class IrisTest(unittest.TestCase):
    def test_tips_follow_the_slider_crank(self):
        # Rp = 35, tip at 46 and 107 degrees away, L = 65.4403: turned by 0, 20, 40, 60, 80: 46, 38.1066, 33.249, 30.862, 30.5621.
        def tip(rp, long, delta):
            return rp * np.cos(np.radians(delta)) + np.sqrt(long**2 - (rp * np.sin(np.radians(delta))) ** 2)

        long = math.sqrt(35**2 + 46**2 - 2 * 35 * 46 * math.cos(math.radians(107)))
        self.assertAlmostEqual(long, 65.4403, places=4)
        for turned, radius in ((0, 46.0), (20, 38.1066), (40, 33.249), (60, 30.862), (80, 30.5621)):
            self.assertAlmostEqual(tip(35, long, 107 + turned), radius, places=4)
        for blades in (3, 5, 8):
            design = card_with("iris", blades=blades)
            values = design.mechanisms[0].parameters
            _, examination = moved(design, 13)
            rp, r0, beta = values["pin_radius"], values["slot_to"], values["tip_angle"]
            chord = math.sqrt(rp**2 + r0**2 - 2 * rp * r0 * math.cos(math.radians(beta)))
            closing = values["turn"] - examination.track("m1").travel
            for k in range(blades):
                radius = np.linalg.norm(examination.point_on(f"m1.slot-{k + 1}") - values["centre"], axis=1)
                np.testing.assert_allclose(radius, tip(rp, chord, beta + closing), atol=1e-6)

    def test_the_tab_turns_as_far_as_the_connectors_let_it(self):
        # Turn <= 360 / m - (wc + wt) / R: R 50, 16 + 16: m = 3, 4, 6, 8 gives 83.33, 53.33, 23.33, 8.33 degrees.
        for m, degrees in ((3, 83.33), (4, 53.33), (6, 23.33), (8, 8.33)):
            self.assertAlmostEqual(360 / m - math.degrees(32 / 50), degrees, delta=0.005)
        design = card_with("iris", slot_from=8.0, turn=40.0)
        values = design.mechanisms[0].parameters
        assembly, examination = moved(design, 9)
        low = examination.free_range("m1").low
        self.assertEqual(low.cause, "contact")
        self.assertIn("m1.ring", low.parts)
        allowed = 360 / 3 - math.degrees((values["connector_width"] + values["tab_width"]) / (values["ring_diameter"] / 2))
        self.assertAlmostEqual(2 * (20.0 - low.at), allowed, delta=6.0)  # straight sides meet a little before what their arcs say


class WheelTest(unittest.TestCase):
    def test_half_angles_of_windows_and_how_many_pictures_they_allow(self):
        # Round window a = 15 at d = 35: asin(a / d) = 25.3769 degrees, so at most 7; rectangle 30 x 24: 33.1113.
        self.assertAlmostEqual(math.degrees(math.asin(15 / 35)), 25.3769, places=4)
        self.assertAlmostEqual(math.degrees(math.atan(15 / (35 - 12))), 33.1113, places=4)
        for shape, height, most in (("round", 30.0, 7), ("rectangle", 24.0, 5)):
            for n in (most, most + 1):
                design = card_with("window-wheel", window=shape, positions=n, window_width=30.0, window_height=height, window_distance=35.0, rim=0.1)
                found = self.land(design)
                # A picture that runs into its neighbour leaves no paper between them.
                self.assertEqual(found <= 0, n > most, (shape, n, found))

    def land(self, design):
        import shapely

        from lexipod.recipes.flat.window_wheel import images

        assembly, _ = moved(design, 3)
        on_wheel = images(design.mechanisms[0].parameters, assembly.by_id["m1.wheel"])
        return -1.0 if on_wheel[0].intersects(on_wheel[1]) else shapely.distance(on_wheel[0], on_wheel[1])

    def test_each_picture_comes_to_the_window_at_its_own_detent(self):
        design = card_with("window-wheel", positions=5)
        assembly, examination = moved(design, 181)
        wheel = assembly.by_id["m1.wheel"]
        window = next(n for n in assembly.needs if n.id == "m1.window").region
        arts = [z for z in assembly.zones if z.kind == "art"]
        self.assertEqual([round(z.at["m1"], 6) for z in arts], [0, 72, 144, 216, 288])
        import shapely

        for zone in arts:
            k = int(np.argmin(np.abs(examination.track("m1").travel - zone.at["m1"])))
            laid = shapely.Polygon(apply_pose(examination.poses(wheel.id)[k], zone.polygon))
            self.assertLess(laid.symmetric_difference(window).area, 1e-6)


class LouvreTest(unittest.TestCase):
    def test_seen_share_of_woven_slats(self):
        # p 15, of 4, ob 3: T 11; seen share 1 - (of + t) / p: t 0, 2.75, 5.5, 8.25, 11 gives 0.733, 0.550, 0.367, 0.183, 0.
        design = card_with("louvre", weave="woven", pitch=15.0, front_left=4.0, behind_left=3.0)
        self.assertAlmostEqual(design.mechanisms[0].parameters["travel"], 11.0)
        _, examination = moved(design, 5)
        height = 15.0
        slat, strip = (examination.regions(p) for p in ("m1.slat-2", "m1.strip-3"))
        for k, share in enumerate((0.0, 0.183, 0.367, 0.550, 0.733)):
            bottom = slat[k].bounds[1]
            upper = strip[0].bounds[1]
            bared = height - (upper - bottom)
            self.assertAlmostEqual(bared / height, share, delta=5e-4)


class RiderTest(unittest.TestCase):
    def test_ways_are_exact_on_lines_and_arcs(self):
        for path in ("straight", "arc"):
            design = card_with("track-rider", path=path)
            values = design.mechanisms[0].parameters
            _, examination = moved(design, 9)
            at, travel = examination.point_on("m1.track"), examination.track("m1").travel
            if path == "arc":
                a = np.radians(travel)
                expected = np.array(values["centre"]) + values["radius"] * np.column_stack([np.cos(a), np.sin(a)])
            else:
                expected = np.array(values["centre"]) + np.column_stack([travel - values["length"] / 2, 0 * travel])
            np.testing.assert_allclose(at, expected, atol=1e-6)

    def test_pillar_and_disc_follow_the_track(self):
        # Pillar = track - 2 clearance; disc overlap each side = (disc - track) / 2, wanted at least 3.
        values = card_with("track-rider", track_width=8.0, clearance=0.5).mechanisms[0].parameters
        self.assertAlmostEqual(values["pillar"], 7.0, delta=0.05)
        self.assertGreaterEqual((values["disc"] - 8.0) / 2, 3.0)


class SlideTest(unittest.TestCase):
    def test_what_is_pulled_goes_straight_and_by_the_travel(self):
        for recipe, part in (("pocket-pull", "m1.piece"), ("pocket-lift", "m1.upper"), ("louvre", "m1.slat-1"), ("strip-slider", "m1.picture")):
            _, examination = moved(card_with(recipe), 7)
            poses, travel = examination.poses(part), examination.track("m1").travel
            np.testing.assert_allclose(np.linalg.norm(poses[:, :2] - poses[0, :2], axis=1), travel, atol=1e-6)
            np.testing.assert_allclose(relative_pose(poses[:1], poses)[:, 2], 0.0, atol=1e-9)
