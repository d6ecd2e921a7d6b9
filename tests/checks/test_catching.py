"""Catch points on made cases, worked by hand: the sag of a curled border is h² / (2 rho), rho half a metre for one ply.

The threshold h = 20 mm for a gap of 0.1 and a ply of 0.3 mm is our own judgement's check value, worked by hand.
"""

import math
import unittest
from dataclasses import replace

import numpy as np

from lexipod.assembly import Drive, Joint, Segment
from lexipod.building import build_assembly
from lexipod.checks import Examination, find_catch_points, run_checks
from lexipod.checks.holding import border_points, part_sag
from lexipod.checks.rubbing import effort_profile, friction_between
from lexipod.cures import find_remedies
from lexipod.design import Ways
from lexipod.editing.change import change_design
from lexipod.geometry.shapes import rectangle
from tests.zoo import CATALOG, assembly, card_with, part


def plate_over_bar(*, gap=0.1, reach=20.0, plies=1, pad=True):
    """A plate slides to the right over a bar that is glued flat to the ground; the plate's right edge is ``reach`` from its pad."""
    ground_top = 0.4
    bar = part("m1.bar", rectangle(-1, -20, 60, 20), home=(150.0, 100.0, 0.0), level=1, role="base")
    bar = replace(bar, z_mm=ground_top, thickness_mm=0.3)
    pad_top = ground_top + 0.3 + gap
    plate = part("m1.plate", rectangle(0, -10, 10 + reach, 10), home=(100.0, 100.0, 0.0), level=3)
    plate = replace(plate, z_mm=pad_top, thickness_mm=0.3 * plies, plies=plies)
    parts, joints = [bar, plate], [Joint("glued", "fixed", "m1.bar", "card.front")]
    if pad:
        block = part("m1.pad", rectangle(0, -10, 10, 10), home=(100.0, 100.0, 0.0), level=2, role="spacer")
        parts.append(replace(block, z_mm=pad_top - 0.05, thickness_mm=0.05))
        joints.append(Joint("stuck", "fixed", "m1.pad", "m1.plate"))
    mover = "m1.pad" if pad else "m1.plate"
    path = Segment((60.0, 100.0), (200.0, 100.0), zero_mm=40.0)
    joints.append(Joint("slide", "slide", mover, "card.front", (0.0, 0.0), path_b=path, turn="fixed"))
    built = assembly(parts, joints, Drive("m1", "slide", mover, "slide", 0.0, 60.0, 0.0))
    return Examination(built, CATALOG, Ways(units="mm"), steps=181)


class MadeCaseTest(unittest.TestCase):
    def only(self, examination):
        found = [c for c in find_catch_points(examination) if {c.part, c.other} == {"m1.plate", "m1.bar"}]
        self.assertEqual(len(found), 1)
        return found[0]

    def test_the_sag_is_the_sagitta_of_the_curl(self):
        for reach in (12.0, 20.0, 26.0):
            catch = self.only(plate_over_bar(reach=reach))
            # The corner is nearest to the pad straight back along its edge; nothing is shared yet when it meets the bar.
            self.assertAlmostEqual(catch.sag_mm, reach**2 / 1000.0, delta=0.02)
            self.assertAlmostEqual(catch.gap_mm, 0.1, places=6)

    def test_twenty_millimetres_are_the_limit_between_watching_and_blocking(self):
        severities = {}
        for reach in (9.0, 19.0, 21.0):
            found = run_checks(plate_over_bar(reach=reach), rules=["catch"])
            severities[reach] = [f.severity for f in found]
        self.assertEqual(severities, {9.0: [], 19.0: ["warn"], 21.0: ["block"]})

    def test_two_plies_curl_a_quarter_as_much(self):
        one, two = (self.only(plate_over_bar(reach=30.0, plies=p)).sag_mm for p in (1, 2))
        self.assertAlmostEqual(one / two, 4.0, delta=0.05)
        self.assertEqual(float(part_sag(part("m1.x", plies=3), np.array([30.0]))[0]), 900.0 / 9000.0)

    def test_more_height_between_cures_it(self):
        self.assertEqual(run_checks(plate_over_bar(reach=26.0, gap=0.8), rules=["catch"]), ())

    def test_the_edge_lands_where_and_when_it_meets_the_bar(self):
        catch = self.only(plate_over_bar(reach=20.0))
        # The plate's edge starts at 130 and the bar begins at 149: it lands after 19 mm.
        self.assertAlmostEqual(catch.travel, 19.0, delta=0.4)
        self.assertAlmostEqual(catch.where[0], 149.0, delta=0.4)
        self.assertEqual(catch.how, "lands")

    def test_what_never_passes_a_border_is_no_catch_point(self):
        examination = plate_over_bar(reach=20.0)
        self.assertFalse([c for c in find_catch_points(examination) if "card.front" in (c.part, c.other) and c.sag_mm > c.gap_mm])

    def test_border_points_have_every_corner_and_no_wide_steps(self):
        square = part("m1.s", rectangle(0, 0, 30, 10), holes=(rectangle(5, 3, 9, 7)[::-1],))
        points = border_points(square)
        for corner in [*rectangle(0, 0, 30, 10), *rectangle(5, 3, 9, 7)]:
            self.assertLess(np.linalg.norm(points - corner, axis=1).min(), 1e-9)
        self.assertGreaterEqual(len(points), (80 + 16) / 4)


class CureTest(unittest.TestCase):
    def test_a_picture_that_catches_in_an_opening_is_cured_by_what_is_offered(self):
        broken = card_with("pivot-arm").with_parameters("m1", {"arm_length": 106.0, "picture": 20.0})
        found = [f for f in run_checks(self.moved(broken)) if f.rule == "catch" and f.severity != "note"]
        self.assertTrue(found)
        remedies = find_remedies(broken, CATALOG, found[0])
        self.assertTrue(remedies)
        cured = change_design(broken, CATALOG, remedies[0].set, mechanism=remedies[0].mechanism)
        self.assertNotIn(found[0].key, [f.key for f in run_checks(self.moved(cured))], remedies[0].label)

    def test_defaults_have_nothing_that_catches(self):
        for recipe in ("strip-slider", "pivot-arm", "window-wheel", "louvre"):
            self.assertEqual([f.title for f in run_checks(self.moved(card_with(recipe)), rules=["catch"])], [], recipe)

    def moved(self, design):
        return Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)


class RubbingTest(unittest.TestCase):
    """The drawer, the inclined plane and virtual work are textbook statics; coefficients are those of the table."""

    def test_wax_and_powder_count_where_they_are_less(self):
        a, b = part("m1.a"), part("m1.b")
        film = replace(b, stock="acetate-10mil")
        for ways, other, expected in (
            (Ways(), b, 0.5),
            (Ways(friction=0.6), b, 0.6),
            (Ways(), film, 0.35),
            (Ways(slip="wax"), b, 0.25),
            (Ways(slip="powder"), film, 0.3),
            (Ways(friction=0.2, slip="wax"), b, 0.2),
        ):
            self.assertEqual(friction_between(CATALOG, ways, a, other), expected)

    def test_a_plain_strip_takes_what_the_maker_says_a_strip_takes(self):
        design = card_with("strip-slider")
        examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)
        effort = effort_profile(examination, "m1")
        self.assertTrue(np.allclose(effort, design.ways.push_force, atol=1e-6))

    def test_a_disc_about_its_middle_takes_friction_over_half_its_radius(self):
        # By virtual work: a body pressed with F / mu whose points rub at sqrt(A / pi) / 2 from the middle on average, turned at its rim.
        design = card_with("window-wheel")
        examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=61)
        wheel = examination.assembly.by_id["m1.wheel"]
        rim = np.linalg.norm(wheel.outline - np.asarray(examination.assembly.find_joint("m1.turn").at_a), axis=1).max()
        expected = design.ways.push_force * math.sqrt(wheel.region.area / math.pi) / 2 / rim
        self.assertAlmostEqual(float(np.nanmean(effort_profile(examination, "m1"))), expected, delta=0.05 * expected)


if __name__ == "__main__":
    unittest.main()
