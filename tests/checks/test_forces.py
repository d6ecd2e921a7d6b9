"""Forces on made assemblies, worked by hand: the drawer rule, Euler's column, the cantilever and the transmission angle.

Sources: statics of a drawer (L > 2 mu e); Euler's column and the cantilever with an end load from any handbook of strength of materials;
the transmission angle of a four-bar linkage, cos(mu) = (b² + c² - a² - d² + 2 a d cos(theta)) / (2 b c), from any text on mechanisms.
"""

import math
import unittest
from dataclasses import replace

import numpy as np

from lexipod.assembly import Bent, Drive, Driven, Guided, Joint, Pushed, Reached, Segment
from lexipod.checks import Examination, run_checks
from lexipod.checks.forces import check_bending, check_buckling, check_driven, check_jam, check_reach, check_wobble, guided_lengths, pressure_angles
from lexipod.checks.rubbing import effort_profile, friction_between, grip_radius_per_degree, rubs_on
from lexipod.design import Ways
from lexipod.geometry.shapes import circle, rectangle, region_from
from lexipod.mechanics import least_guide_mm
from tests.zoo import CATALOG, assembly, crank_and_rocker, part

GUIDE = (100.0, 150.0)


def strip_between_rails(*needs, travel=40.0, ways=None, stock="card-300", plies=1):
    """A strip of 80 x 20 between two rails 50 mm long; its right end starts 30 mm past their mouth and goes to the right."""
    rails = [
        part(f"m1.rail-{name}", rectangle(0, 0, 50, 5), home=(GUIDE[0], y, 0.0), level=1, role="base") for name, y in (("low", 94.0), ("high", 121.0))
    ]
    strip = part("m1.strip", rectangle(0, 0, 80, 20), home=(100.0, 100.0, 0.0), plies=plies)
    strip = replace(strip, stock=stock, thickness_mm=0.4 * plies)
    joints = [Joint(f"glue-{r.id}", "fixed", r.id, "card.front") for r in rails]
    joints.append(Joint("slide", "slide", "m1.strip", "card.front", (0.0, 0.0), path_b=Segment((60.0, 100.0), (200.0, 100.0), 40.0), turn="fixed"))
    built = assembly([*rails, strip], joints, Drive("m1", "slide", "m1.strip", "slide", 0.0, travel, 0.0), needs=tuple(needs))
    return Examination(built, CATALOG, ways or Ways(units="mm"), steps=41)


def guided(offset=30.0, play=0.0):
    return Guided("guide", "m1", "m1.strip", ("m1.rail-low", "m1.rail-high"), (1.0, 0.0), offset, play)


class GuideTest(unittest.TestCase):
    def test_what_is_guided_shrinks_as_the_strip_leaves_its_rails(self):
        examination = strip_between_rails(guided())
        inside, past = guided_lengths(examination, guided())
        travel = examination.track("m1").travel
        self.assertTrue(np.allclose(inside, 50.0 - travel))
        self.assertTrue(np.allclose(past, 30.0 + travel))

    def test_a_drawer_pulled_aside_jams_below_twice_friction_times_offset(self):
        ways = Ways(units="mm", friction=0.35)
        jams = least_guide_mm(0.35, 30.0)
        self.assertAlmostEqual(jams, 21.0)
        for travel, expected in ((15.0, []), (25.0, ["warn"]), (29.5, ["block"])):  # 35, 25 and 20.5 mm guided; 31.5 run well
            found = list(check_jam(strip_between_rails(guided(), travel=travel, ways=ways)))
            self.assertEqual([f.severity for f in found], expected, travel)
            for finding in found:
                self.assertAlmostEqual(finding.measured, 50.0 - travel, places=4)
                self.assertAlmostEqual(finding.required, 31.5, places=4)
                self.assertAlmostEqual(finding.travel, travel, places=6)

    def test_wax_lets_a_shorter_guide_do(self):
        plain = list(check_jam(strip_between_rails(guided(), travel=25.0, ways=Ways(units="mm", friction=0.5))))
        waxed = list(check_jam(strip_between_rails(guided(), travel=25.0, ways=Ways(units="mm", friction=0.5, slip="wax"))))
        self.assertEqual([f.severity for f in plain], ["block"])  # 25 mm guided, jams below 2 x 0.5 x 30
        self.assertEqual(waxed, [])  # 1.5 x 2 x 0.25 x 30 = 22.5

    def test_the_end_wags_by_similar_triangles(self):
        found = list(check_wobble(strip_between_rails(guided(play=2.0), travel=15.0)))
        self.assertEqual(len(found), 1)
        # Half the play at the mouth, and the play over the 35 mm that are guided carried on over the 45 mm past it.
        self.assertAlmostEqual(found[0].measured, 1.0 + 45.0 * 2.0 / 35.0, places=3)
        self.assertEqual(list(check_wobble(strip_between_rails(guided(play=0.8), travel=15.0))), [])


class StrutTest(unittest.TestCase):
    def pushed(self, **more):
        need = Pushed("push", "m1", "m1.strip", ("m1.rail-low", "m1.rail-high"), (1.0, 0.0), 20.0)
        return list(check_buckling(strip_between_rails(need, travel=20.0, **more)))

    def test_the_free_end_buckles_as_eulers_column(self):
        modulus = CATALOG.stocks["card-300"].modulus_mpa
        (found,) = self.pushed()
        load = math.pi**2 * modulus * (20.0 * 0.4**3 / 12) / 50.0**2  # 30 mm past the mouth and 20 of travel
        self.assertAlmostEqual(found.measured, load, places=3)
        self.assertAlmostEqual(found.required, 2 * 0.6, places=6)
        self.assertEqual(found.severity, "warn" if load >= 0.6 else "block")

    def test_two_plies_carry_eight_times_as_much(self):
        self.assertEqual(self.pushed(plies=2), [])
        (found,) = self.pushed(plies=2, ways=Ways(units="mm", push_force=9.0))
        self.assertAlmostEqual(found.measured / self.pushed()[0].measured, 8.0, places=2)

    def test_a_tab_gives_way_as_a_cantilever(self):
        modulus = CATALOG.stocks["card-300"].modulus_mpa
        need = Bent("bend", "m1", "m1.strip", 30.0, 20.0, 1.0)
        (found,) = check_bending(strip_between_rails(need))
        self.assertIn("in one ply gives way", found.message)
        self.assertAlmostEqual(found.measured, 0.06 * 30.0**3 / (3 * modulus * 20.0 * 0.4**3 / 12), places=3)  # a tenth of the push
        self.assertEqual(list(check_bending(strip_between_rails(need, plies=3))), [])  # a twenty-seventh of it


class ReachTest(unittest.TestCase):
    def found(self, stands_out):
        strip = region_from(rectangle(50.0, 0.0, 50.0 + stands_out, 20.0))
        need = Reached("grip", "m1", "m1.strip", strip, ("m1.rail-low",), (1.0, 0.0), 8.0)
        return list(check_reach(strip_between_rails(need)))

    def test_a_fingertip_finds_what_stands_out(self):
        self.assertEqual(self.found(9.0), [])
        for stands_out, severity in ((6.0, "warn"), (3.0, "block")):
            (found,) = self.found(stands_out)
            self.assertAlmostEqual(found.measured, stands_out, places=4)
            self.assertEqual(found.severity, severity)


class PushTest(unittest.TestCase):
    def angles(self, a, b, c, d):
        need = Driven("push", "m1", "j4", "j2", (200.0 + d, 200.0), "the rocker", 45.0, point="j3")
        built = crank_and_rocker(a, b, c, d, start_deg=60.0)
        examination = Examination(replace(built, needs=(need,)), CATALOG, Ways(units="mm"), steps=61)
        return examination, pressure_angles(examination, need)

    def test_the_angle_is_what_the_transmission_angle_leaves_of_ninety(self):
        a, b, c, d = 20.0, 70.0, 60.0, 80.0
        examination, found = self.angles(a, b, c, d)
        theta = np.radians(examination.track("m1").travel)
        transmission = np.degrees(np.arccos((b**2 + c**2 - a**2 - d**2 + 2 * a * d * np.cos(theta)) / (2 * b * c)))
        self.assertTrue(np.allclose(found, np.abs(90.0 - transmission), atol=1e-6))

    def test_it_is_told_where_the_push_is_worst(self):
        examination, angles = self.angles(30.0, 70.0, 60.0, 80.0)
        (found,) = check_driven(examination)
        k = int(np.argmax(angles))
        self.assertAlmostEqual(found.measured, float(angles[k]), places=2)
        self.assertAlmostEqual(found.travel, float(examination.track("m1").travel[k]), places=6)
        self.assertEqual(found.severity, "block" if angles[k] > 67.5 else "warn")


class RubbingTest(unittest.TestCase):
    """Coefficients are those of the catalog's dated table; the force is virtual work, worked by hand for one slide and one turn."""

    def test_what_lies_nearest_is_what_is_rubbed_on(self):
        examination = strip_between_rails()
        built = examination.assembly
        self.assertEqual(rubs_on(built, built.by_id["m1.strip"]).id, "card.front")

    def test_film_foam_and_paper_have_their_own_friction(self):
        paper, foam = part("p"), part("f", role="spacer")
        foam, film = replace(foam, stock="foam-2", thickness_mm=2.0), replace(paper, stock=next(s for s, v in CATALOG.stocks.items() if v.clear))
        ways = Ways(units="mm", friction=0.5)
        table = CATALOG.frictions
        self.assertEqual(friction_between(CATALOG, ways, paper, paper), 0.5)
        self.assertEqual(friction_between(CATALOG, ways, film, paper), table["film-paper"].friction)
        self.assertEqual(friction_between(CATALOG, ways, foam, film), table["film-foam"].friction)
        for a, b in ((paper, foam), (film, foam), (film, film)):
            self.assertEqual(friction_between(CATALOG, ways, a, b), friction_between(CATALOG, ways, b, a))

    def test_wax_never_makes_it_rub_more(self):
        paper = part("p")
        self.assertEqual(friction_between(CATALOG, Ways(units="mm", friction=0.5, slip="wax"), paper, paper), CATALOG.frictions["waxed"].friction)
        self.assertEqual(friction_between(CATALOG, Ways(units="mm", friction=0.1, slip="wax"), paper, paper), 0.1)

    def test_a_plain_slide_takes_the_makers_own_push(self):
        for force in (0.6, 2.5):
            effort = effort_profile(strip_between_rails(ways=Ways(units="mm", push_force=force)), "m1")
            self.assertTrue(np.allclose(effort, force))

    def test_waxed_it_takes_the_share_of_the_frictions(self):
        effort = effort_profile(strip_between_rails(ways=Ways(units="mm", push_force=1.0, friction=0.5, slip="wax")), "m1")
        self.assertTrue(np.allclose(effort, 0.25 / 0.5))

    def test_a_heavy_pull_is_told(self):
        heavy = strip_between_rails(ways=Ways(units="mm", push_force=6.0))
        found = run_checks(heavy, rules=["effort"])
        self.assertEqual([(f.severity, f.measured, f.required) for f in found], [("warn", 6.0, 5.0)])
        self.assertIn("Wax or powder", found[0].message)

    def test_a_disc_is_turned_at_its_rim(self):
        disc = part("m1.disc", circle((0.0, 0.0), radius_mm=30.0), home=(200.0, 200.0, 0.0))
        joint = Joint("pin", "pin", "m1.disc", "card.front", (0.0, 0.0), (200.0, 200.0))
        examination = Examination(
            assembly([disc], [joint], Drive("m1", "pin", "m1.disc", "turn", 0.0, 90.0, 0.0)), CATALOG, Ways(units="mm", push_force=1.0), steps=31
        )
        self.assertAlmostEqual(grip_radius_per_degree(examination, examination.drives[0]), 30.0 * math.pi / 180, places=3)
        # It rubs at half the radius of a disc of its area, and is moved at the rim: half the force of a slide.
        self.assertTrue(np.allclose(effort_profile(examination, "m1"), 0.5, atol=2e-3))


if __name__ == "__main__":
    unittest.main()
