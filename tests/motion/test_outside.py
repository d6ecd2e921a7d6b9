"""The solver against others: a general-purpose linkage library, a root finder called per position, and thrown points."""

import math
import unittest

import numpy as np
import pylinkage as pl
import shapely
import shapely.affinity
from scipy.optimize import fsolve

from lexipod.assembly import Drive, Joint, Segment
from lexipod.checks.cover import free_opening, seen_share
from lexipod.geometry.frames import apply_pose, transform_regions
from lexipod.geometry.shapes import rectangle
from lexipod.motion import System, find_rest, find_shortfall, gravity_in_card, measure_crossings, measure_play, solve_track
from tests.zoo import assembly, card_with, crank_and_rocker, frame, moved, part


class LinkageLibraryTest(unittest.TestCase):
    def test_four_bar_agrees_on_the_librarys_own_positions(self):
        built = crank_and_rocker()
        drive = built.drives[0]
        a, d = pl.Ground(200.0, 200.0), pl.Ground(280.0, 200.0)
        crank = pl.Crank(a, radius=20.0, angular_velocity=math.radians(2.0), initial_angle=math.radians(60.0))
        first = solve_track(built, drive, np.array([60.0]))
        x, y = apply_pose(first.poses["coupler"][0], [(70.0, 0.0)])[0]
        rocker = pl.RRRDyad(crank.output, d, distance1=70.0, distance2=60.0, x=x, y=y)
        linkage = pl.Linkage([a, d, crank, rocker])
        places, angles = [], []
        for _ in range(100):
            linkage_places = list(linkage.step(iterations=1))[0]
            pin = np.array(linkage_places[2])
            angles.append(math.degrees(math.atan2(pin[1] - 200, pin[0] - 200)) % 360)
            places.append(linkage_places[3])
        travel = np.degrees(np.unwrap(np.radians(np.array(angles)))) + (60.0 + 2.0 - angles[0] if angles[0] > 180 else 0.0)
        track = solve_track(built, drive, travel)
        ours = apply_pose(track.poses["coupler"], [(70.0, 0.0)])[:, 0]
        self.assertTrue(track.reached.all())
        np.testing.assert_allclose(ours, places, atol=1e-9)

    def test_slider_crank_agrees_on_the_librarys_own_positions(self):
        design = card_with("dial-riders", crank=15.0, link=35.0, from_angle=25.0, to_angle=110.0)
        px, py = design.mechanisms[0].parameters["pivot"]
        _, examination = moved(design, 86)
        pivot, low, high = pl.Ground(px, py), pl.Ground(px, py - 10), pl.Ground(px, py + 10)
        crank = pl.Crank(pivot, radius=15.0, angular_velocity=math.radians(1.0), initial_angle=math.radians(90 - 110))
        start = examination.point_on("m1.slot-upper-1")[0]
        rider = pl.RRPDyad(crank.output, low, high, distance=35.0, x=start[0], y=start[1])
        linkage = pl.Linkage([pivot, low, high, crank, rider])
        theirs = [list(linkage.step(iterations=1))[0][4] for _ in range(84)]
        np.testing.assert_allclose(examination.point_on("m1.slot-upper-1")[1:85], theirs, atol=1e-9)


class RootFinderTest(unittest.TestCase):
    def test_every_position_of_the_iris_is_a_root_of_the_same_equations(self):
        built, examination = moved(card_with("iris", blades=4), 9)
        system, track = examination.system("m1"), examination.track("m1")
        for k, travel in enumerate(track.travel):

            def rows(q, travel=travel):
                return system.residual_and_jacobian(q[None, :], np.array([travel]))[0][0][system.rows]

            found = fsolve(rows, track.unknowns[k] + 0.05, xtol=1e-12)
            np.testing.assert_allclose(found, track.unknowns[k], atol=1e-7)

    def test_the_jacobian_is_the_slope_of_the_rows(self):
        for recipe, given in (
            ("pivot-arm", {}),
            ("pivot-arm", {"drive_joint": "swinging-pull"}),
            ("dial-riders", {}),
            ("iris", {}),
            ("track-rider", {"path": "arc"}),
        ):
            _, examination = moved(card_with(recipe, **given), 3)
            system, q = examination.system("m1"), examination.track("m1").unknowns[1:2]
            s = examination.track("m1").travel[1:2]
            _, jacobian = system.residual_and_jacobian(q, s)
            for j in range(q.shape[1]):
                step = np.zeros_like(q)
                step[0, j] = 1e-5
                slope = (system.residual_and_jacobian(q + step, s)[0] - system.residual_and_jacobian(q - step, s)[0]) / 2e-5
                np.testing.assert_allclose(jacobian[0, :, j], slope[0], atol=1e-6, err_msg=f"{recipe} {j}")


class ShortfallTest(unittest.TestCase):
    def test_a_link_that_is_too_short_is_told_by_how_much(self):
        # Crank 20, coupler 40, rocker 30, ground 80: at 150 degrees pin and ground pin are 97.83 apart, the two links reach 70.
        built = crank_and_rocker(20.0, 50.0, 40.0, 80.0, start_deg=40.0)
        system = System(built, built.drives[0])
        solve_track(built, built.drives[0], np.array([40.0]), system=system)
        for degrees in (130.0, 150.0):
            pin = 20 * np.array([math.cos(math.radians(degrees)), math.sin(math.radians(degrees))])
            missing = float(np.hypot(*(pin - (80.0, 0.0)))) - 90.0
            found = find_shortfall(system, degrees)
            if missing <= 0:
                self.assertIsNone(found)
            else:
                self.assertAlmostEqual(found.gap_mm, missing, places=3)

    def test_a_position_that_can_be_reached_has_no_shortfall(self):
        built = crank_and_rocker()
        self.assertIsNone(find_shortfall(System(built, built.drives[0]), 100.0))


class OpeningTest(unittest.TestCase):
    def opening(self, design, travel):
        """The free opening of an iris from its parameters alone: a disc less sectors that follow pin and tip."""
        v = design.mechanisms[0].parameters
        scale = v["ring_diameter"] / 2 / 48.0
        inner, outer = v["opening_diameter"] / 2 + 0.3 * scale, 46.0 * scale
        rp, tip, beta, turned = v["pin_radius"], v["slot_to"], math.radians(v["tip_angle"]), math.radians(v["turn"] - travel)
        chord = math.sqrt(rp**2 + tip**2 - 2 * rp * tip * math.cos(beta))
        start = math.radians(v["tab_angle"] + v["turn"] / 2 + 30.0)
        a = np.linspace(-math.radians(v["pin_end"]), math.radians(v["blade_arc"] - v["pin_end"]), 400)
        ring = np.column_stack([np.cos(a), np.sin(a)])
        blade = np.vstack([outer * ring, inner * ring[::-1]])
        pin0, tip0 = np.array([rp, 0.0]), tip * np.array([math.cos(beta), math.sin(beta)])
        radius = rp * math.cos(beta + turned) + math.sqrt(chord**2 - (rp * math.sin(beta + turned)) ** 2)
        pin = rp * np.array([math.cos(-turned), math.sin(-turned)])
        to = radius * np.array([math.cos(beta), math.sin(beta)])
        angle = math.atan2(*(to - pin)[::-1]) - math.atan2(*(tip0 - pin0)[::-1])
        cos, sin = math.cos(angle), math.sin(angle)
        one = shapely.Polygon((blade - pin0) @ np.array([[cos, sin], [-sin, cos]]) + pin)
        n = v["blades"]
        union = shapely.union_all([shapely.affinity.rotate(one, math.degrees(start) + 360 * k / n, origin=(0, 0)) for k in range(n)])
        disc = shapely.Point(0, 0).buffer(v["opening_diameter"] / 2 - 0.1, quad_segs=200)
        free = disc.difference(union)
        largest = max((2 * shapely.maximum_inscribed_circle(p, tolerance=0.01).length for p in shapely.get_parts(free) if p.area > 1e-6), default=0.0)
        return free.area, largest

    def test_area_and_circle_of_the_opening_agree_with_a_direct_computation(self):
        for blades in (3, 6):
            design = card_with("iris", blades=blades)
            built, examination = moved(design, 22)
            need = next(n for n in built.needs if n.id == "m1.opening")
            for travel in (0.0, 12.0, 30.0, 45.0, 63.0):
                area, circle = free_opening(examination, need, travel)
                expected, largest = self.opening(design, travel)
                self.assertAlmostEqual(area, expected, delta=0.6 + 0.004 * expected, msg=f"{blades} {travel}")
                self.assertAlmostEqual(circle, largest, delta=0.15)

    def test_the_share_that_is_seen_agrees_with_thrown_points(self):
        rng = np.random.default_rng(4)
        built, examination = moved(card_with("iris"), 7)
        need = next(n for n in built.needs if n.id == "m1.opening")
        share = seen_share(examination, need)
        low, high = np.array(need.region.bounds[:2]), np.array(need.region.bounds[2:])
        points = low + rng.random((40000, 2)) * (high - low)
        points = points[shapely.contains_xy(need.region, *points.T)]
        for k in range(7):
            covered = np.zeros(len(points), dtype=bool)
            for p in built.parts:
                if p.level > 1 and p.role != "spacer":
                    covered |= shapely.contains_xy(examination.regions(p.id)[min(k, len(examination.regions(p.id)) - 1)], *points.T)
            self.assertAlmostEqual(1 - covered.mean(), share[k], delta=0.012)


class CrossingTest(unittest.TestCase):
    def two_sliders(self, gap):
        """Two squares on crossing ways: they are nearest in the middle of both travels, and far apart at rest and end of both."""
        parts = [part("a", home=(100.0, 200.0, 0.0), mechanism="m1"), part("b", home=(200.0, 100.0, 0.0), mechanism="m2")]
        joints = [
            Joint("ja", "slide", "a", "card.front", path_b=Segment((100, 200), (300, 200)), turn="fixed"),
            Joint("jb", "slide", "b", "card.front", path_b=Segment((200, 100), (200, 198 - gap)), turn="fixed"),
        ]
        drives = (Drive("m1", "ja", "a", "slide", 0.0, 200.0, 0.0), Drive("m2", "jb", "b", "slide", 0.0, 98.0 - gap, 0.0))
        from lexipod.assembly import Assembly

        ground = part("card.front", rectangle(0, 0, 400, 400), level=0, role="base", mechanism="card")
        return Assembly(frame(400, 400), (ground, *parts), tuple(joints), drives)

    def test_the_worst_combination_is_found_though_rest_and_end_are_clear(self):
        for gap in (0.3, 1.2, 4.0):
            built = self.two_sliders(gap)
            tracks = {d.mechanism: solve_track(built, d, d.coordinates(181)) for d in built.drives}
            (found,) = measure_crossings(built, tracks, usual_mm=0.5)
            self.assertAlmostEqual(found.minimum_mm, gap, delta=0.02)
            self.assertAlmostEqual(found.at["m1"], 100.0, delta=1.2)

    def test_it_agrees_with_trying_every_combination(self):
        rng = np.random.default_rng(8)
        for _ in range(4):
            a = card_with("spinner", pivot="40mm x 60mm", leaf_length=round(rng.uniform(22, 30), 1))
            from lexipod.editing.change import add_mechanism
            from tests.zoo import CATALOG

            both = add_mechanism(a, "spinner", CATALOG, given={"pivot": f"{rng.uniform(64, 78):.1f} x 80 mm", "leaf_length": "20mm"})
            built, examination = moved(both, 61)
            plain = min(
                float(shapely.distance(x, y))
                for x in transform_regions(built.by_id["m1.hand"].region, examination.poses("m1.hand"))
                for y in transform_regions(built.by_id["m2.hand"].region, examination.poses("m2.hand"))
            )
            found = [c for c in examination.crossings if {c.a, c.b} == {"m1.hand", "m2.hand"}]
            if plain >= 8:
                self.assertEqual(found, [])
            else:
                self.assertAlmostEqual(max(found[0].minimum_mm, 0.0), plain, delta=0.05)


class PlayTest(unittest.TestCase):
    def test_play_of_a_guide_is_that_of_the_handbook(self):
        # Play c in a guide of length L: tilt atan(2 c / L) for c on each side; the tip at D from the middle moves c + D tan(tilt).
        parts = [part("a", rectangle(-20, -2, 20, 2), home=(100.0, 100.0, 0.0))]
        joints = [Joint("j", "slide", "a", "card.front", path_b=Segment((100, 100), (150, 100)), turn="fixed", clearance_mm=0.25, guide_mm=25.0)]
        built = assembly(parts, joints, Drive("m1", "j", "a", "slide", 0.0, 40.0, 0.0))
        system = System(built, built.drives[0])
        track = solve_track(built, built.drives[0], np.array([0.0, 20.0]), system=system)
        wag, tilt = measure_play(system, track, built.by_id["a"], (20.0, 0.0))
        angle = math.atan(0.5 / 25.0)
        np.testing.assert_allclose(tilt, math.degrees(angle))
        np.testing.assert_allclose(wag, 0.25 + 20.0 * angle, rtol=1e-9)

    def test_play_of_a_pin_reaches_the_tip_undiminished(self):
        _, examination = moved(card_with("spinner", hole=3.4, bearing=2.8), 5)
        need = next(n for n in examination.assembly.needs if n.id == "m1.steady")
        wag, _ = measure_play(examination.system("m1"), examination.track("m1"), examination.assembly.by_id["m1.hand"], need.at)
        np.testing.assert_allclose(wag, 0.3, atol=1e-9)

    def test_it_agrees_with_joints_that_were_really_moved(self):
        """Shifts the joint's points within their play at random: no tip goes further than what is foretold, some nearly as far."""
        _, examination = moved(card_with("pivot-arm"), 3)
        system, track = examination.system("m1"), examination.track("m1")
        picture = examination.assembly.by_id["m1.picture"]
        middle = picture.region.centroid
        wag, _ = measure_play(system, track, picture, (middle.x, middle.y))
        q0, s = track.unknowns[1], track.travel[1:2]
        _, jacobian = system.residual_and_jacobian(q0[None, :], s)
        rng, far = np.random.default_rng(3), 0.0
        owners = [next(t.joint for t in system.ties if t.joint.id == system.row_joints[r]) for r in system.rows]
        home = apply_pose(track.poses["m1.picture"][1], [(middle.x, middle.y)])[0]
        for _ in range(400):
            push = np.zeros(len(system.rows))
            for joint in {j.id: j for j in owners}.values():
                mine = [k for k, j in enumerate(owners) if j.id == joint.id and system.rows[k] != system.drive_row]
                size = joint.clearance_mm * (rng.choice([-1.0, 1.0]) if len(mine) == 1 else 1.0)
                turn = rng.uniform(0, 2 * math.pi)
                for k, share in zip(mine, (math.cos(turn), math.sin(turn)) if len(mine) == 2 else (1.0,) * len(mine), strict=True):
                    push[k] = size * share
            q = q0 + np.linalg.solve(jacobian[0][system.rows], push)
            poses = system.part_poses(q[None, :])
            tip = apply_pose(poses["m1.picture"], [(middle.x, middle.y)])[0, 0]
            far = max(far, float(np.hypot(*(tip - home))))
        self.assertLessEqual(far, wag[1] * 1.03)
        self.assertGreater(far, wag[1] * 0.6)


class GravityTest(unittest.TestCase):
    def test_a_rider_on_an_upright_arc_rests_where_the_slope_is_the_friction_angle(self):
        # |tangent slope| = atan(mu): statics of an inclined plane, any text.
        a = np.radians(np.linspace(200, 340, 1401))
        way = 50 * np.column_stack([np.cos(a), np.sin(a)])
        for mu in (0.2, 0.35, 0.5):
            travel = np.degrees(a)
            rest = find_rest(travel, way, gravity_in_card(0.0), friction=mu, start=200.0)
            self.assertAlmostEqual(rest, 270 - math.degrees(math.atan(mu)), delta=0.2)
            self.assertAlmostEqual(
                find_rest(travel, way, gravity_in_card(0.0), friction=mu, start=340.0), 270 + math.degrees(math.atan(mu)), delta=0.2
            )

    def test_a_straight_track_holds_below_the_friction_angle_and_slides_all_the_way_above(self):
        travel = np.linspace(0, 60, 61)
        way = np.column_stack([travel, 0 * travel])
        for turn, goes in ((20.0, False), (26.0, False), (27.0, True), (60.0, True)):
            rest = find_rest(travel, way, gravity_in_card(-turn), friction=0.5, start=0.0)
            self.assertEqual(rest > 59.0, goes, turn)
