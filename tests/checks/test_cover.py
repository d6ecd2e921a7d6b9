"""What covers, shows, holds and leaves paper, on made assemblies whose margins are known by construction."""

import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import Caught, Covered, Drive, Held, Joint, Land, Segment, Shown, Under
from lexipod.checks import Examination
from lexipod.checks.cover import (
    check_caught,
    check_covered,
    check_held,
    check_land,
    check_shown,
    check_under,
    covered_profile,
    free_opening,
    seen_share,
    shown_covers,
)
from lexipod.checks.examination import apart_margin, cover_margin, extent, mean_width, middle_of
from lexipod.design import Ways
from lexipod.geometry.shapes import circle, rectangle, region_from
from tests.zoo import CATALOG, assembly, part

TRAVEL = 40.0


def shutter(*needs, shutter_box=(0, 0, 40, 30), turn="fixed"):
    """A shutter slides to the right over a picture that lies still at (100, 100) to (140, 130)."""
    picture = part("m1.picture", rectangle(0, 0, 40, 30), home=(100.0, 100.0, 0.0), level=1, role="base")
    cover = part("m1.shutter", rectangle(*shutter_box), home=(100.0, 100.0, 0.0), level=2)
    path = Segment((50.0, 100.0), (300.0, 100.0), 50.0)
    joints = [
        Joint("glue", "fixed", "m1.picture", "card.front"),
        Joint("slide", "slide", "m1.shutter", "card.front", (0.0, 0.0), path_b=path, turn=turn),
    ]
    built = assembly([picture, cover], joints, Drive("m1", "slide", "m1.shutter", "slide", 0.0, TRAVEL, 0.0), needs=tuple(needs))
    return Examination(built, CATALOG, Ways(units="mm"), steps=41)


def shown(box=(5, 5, 35, 25), **more):
    return Shown("show", "m1", "m1.picture", region_from(rectangle(*box)), "the picture", **more)


class MarginTest(unittest.TestCase):
    def test_inside_it_is_the_distance_to_the_nearest_edge(self):
        cover = region_from(rectangle(0, 0, 40, 30))
        self.assertAlmostEqual(float(cover_margin(region_from(rectangle(5, 6, 30, 20)), cover)[0]), 5.0)
        self.assertAlmostEqual(float(cover_margin(cover, cover)[0]), 0.0)

    def test_outside_it_is_minus_the_mean_width_of_what_sticks_out(self):
        target, cover = region_from(rectangle(0, 0, 42, 300)), region_from(rectangle(0, 0, 40, 300))
        # A strip 2 x 300: twice its area over its border.
        self.assertAlmostEqual(float(cover_margin(target, cover)[0]), -2 * 600 / 604)
        self.assertAlmostEqual(float(mean_width(region_from(rectangle(0, 0, 2, 300)))), 2 * 600 / 604)

    def test_apart_is_the_gap_or_minus_what_is_shared(self):
        one = region_from(rectangle(0, 0, 10, 10))
        self.assertAlmostEqual(float(apart_margin(one, region_from(rectangle(13, 14, 20, 20)))[0]), 5.0)
        self.assertAlmostEqual(float(apart_margin(one, region_from(rectangle(8, 0, 20, 10)))[0]), -2 * 20 / 24)

    def test_an_extent_is_measured_along_its_direction(self):
        low, high = extent(region_from(rectangle(1, 2, 5, 8)), (0.6, 0.8))
        self.assertAlmostEqual(low, 0.6 + 1.6)
        self.assertAlmostEqual(high, 3.0 + 6.4)

    def test_the_middle_lies_inside_even_of_a_ring(self):
        ring = region_from(circle((0.0, 0.0), radius_mm=10.0), [circle((0.0, 0.0), radius_mm=8.0)])
        self.assertTrue(ring.contains(shapely.Point(middle_of(ring))))


class CoveredTest(unittest.TestCase):
    def need(self, lap=2.0):
        opening = region_from(rectangle(10, 10, 30, 20))
        return Covered("cover", "m1", "m1.picture", opening, ("m1.shutter",), lap, "the window")

    def test_the_margin_falls_with_the_travel_until_it_is_seen(self):
        need = self.need()
        profile = covered_profile(shutter(need), need)
        travel = np.linspace(0.0, TRAVEL, 41)
        # The shutter's left edge starts ten millimetres left of the opening.
        self.assertTrue(np.allclose(profile[travel <= 10.0], 10.0 - travel[travel <= 10.0]))
        self.assertTrue((profile[travel > 10.0] < 0).all())

    def test_what_shows_is_told_with_place_and_travel_and_blocks_only_where_it_would_hold_something(self):
        (holding,) = check_covered(shutter(replace(self.need(), holds=True)))
        self.assertEqual(holding.severity, "block")
        (found,) = check_covered(shutter(self.need()))
        self.assertEqual((found.severity, found.rule), ("warn", "slot-hidden"))
        self.assertAlmostEqual(found.measured, -2 * 200 / 60, places=3)  # all of the opening, 20 x 10
        self.assertGreater(found.where[0], 110.0)
        self.assertIn("the window", found.title)

    def test_a_longer_shutter_covers_it_by_what_is_left(self):
        for length, expected in ((75.0, []), (71.0, ["warn"]), (69.0, ["warn"])):
            examination = shutter(self.need(), shutter_box=(-length + 40, 0, 40, 30))
            found = list(check_covered(examination))
            self.assertEqual([f.severity for f in found], expected, length)
        self.assertAlmostEqual(list(check_covered(shutter(self.need(), shutter_box=(-31, 0, 40, 30))))[0].measured, 1.0, places=4)


class ShownTest(unittest.TestCase):
    def test_hidden_at_rest_and_free_at_the_end_is_silent(self):
        self.assertEqual(list(check_shown(shutter(shown()))), [])

    def test_a_small_shutter_lets_the_surprise_be_seen(self):
        for box, wide, severity in ((34, 1, "warn"), (32, 3, "block")):  # a sliver is to be watched
            (found,) = check_shown(shutter(shown(), shutter_box=(0, 0, box, 30)))
            self.assertEqual((found.rule, found.severity), ("reveal-rest", severity))
            self.assertAlmostEqual(found.measured, -2 * wide * 20 / (2 * (wide + 20)), places=3)  # a strip so wide and 20 long is bare

    def test_a_short_way_leaves_it_covered(self):
        (found,) = check_shown(shutter(shown(), shutter_box=(-15, 0, 40, 30)))
        self.assertEqual((found.rule, found.severity), ("reveal-end", "block"))
        self.assertIn("33 % of the picture are still covered", found.message)  # from 25 to 35 of 5 to 35

    def test_hardly_covered_and_hardly_free_are_warned_of(self):
        found = list(check_shown(shutter(shown((1, 1, 39, 29), lap_mm=2.0))))
        self.assertEqual([(f.rule, f.severity, f.measured) for f in found], [("reveal-rest", "warn", 1.0), ("reveal-end", "warn", 1.0)])

    def test_glass_hides_nothing(self):
        examination = shutter(shown())
        clear = next(s for s, v in CATALOG.stocks.items() if v.clear)
        built = examination.assembly
        parts = tuple(replace(p, stock=clear) if p.id == "m1.shutter" else p for p in built.parts)
        through = Examination(replace(built, parts=parts), CATALOG, Ways(units="mm"), steps=11)
        self.assertEqual(shown_covers(examination, shown()), ("m1.shutter",))
        self.assertEqual(shown_covers(through, shown()), ())

    def test_the_share_that_is_seen_grows_in_proportion(self):
        need = shown((0, 0, 40, 30))
        examination = shutter(need)
        self.assertTrue(np.allclose(seen_share(examination, need), np.linspace(0.0, 1.0, 41), atol=1e-9))

    def test_the_free_opening_is_the_largest_circle(self):
        need = shown((0, 0, 40, 30))
        area, circle_mm = free_opening(shutter(need), need, 20.0)
        self.assertAlmostEqual(area, 20.0 * 30.0)
        self.assertAlmostEqual(circle_mm, 20.0, delta=0.05)


class PaperTest(unittest.TestCase):
    def test_land_is_measured_to_the_edge_and_to_other_openings(self):
        sheet = region_from(rectangle(0, 0, 40, 30))
        opening, other, near = (region_from(rectangle(*box)) for box in ((6, 6, 20, 24), (23, 6, 30, 24), (20.75, 6, 30, 24)))
        for land, others, expected in (
            (6.0, (), None),
            (8.0, (), ("warn", 6.0)),
            (13.0, (), ("warn", 6.0)),
            (5.0, (other,), ("warn", 3.0)),
            (5.0, (near,), ("block", 0.75)),
        ):
            need = Land("land", "m1", "m1.picture", opening, sheet, land, "the slot", others)
            found = [(f.severity, f.measured) for f in check_land(shutter(need))]
            self.assertEqual(found, [] if expected is None else [expected])

    def test_a_slot_past_the_paper_is_told_so(self):
        need = Land("land", "m1", "m1.picture", region_from(rectangle(30, 6, 44, 10)), region_from(rectangle(0, 0, 40, 30)), 4.0, "the slot")
        (found,) = check_land(shutter(need))
        self.assertEqual(found.severity, "block")
        self.assertIn("runs out of", found.title)

    def test_a_spacer_must_lie_inside_what_hides_it(self):
        for box, expected in (((2, 2, 38, 28), []), ((1, 2, 38, 28), ["warn"]), ((-3, 2, 38, 28), ["warn"])):
            need = Under("under", "m1", "m1.shutter", "m1.picture", 1.5)
            self.assertEqual([f.severity for f in check_under(shutter(need, shutter_box=box))], expected, box)

    def test_a_hole_in_the_sheet_does_not_count_as_its_edge(self):
        examination = shutter(Under("under", "m1", "m1.shutter", "m1.picture", 1.5), shutter_box=(2, 2, 38, 28))
        built = examination.assembly
        holed = tuple(replace(p, holes=(rectangle(10, 10, 20, 20),)) if p.id == "m1.picture" else p for p in built.parts)
        self.assertEqual(list(check_under(Examination(replace(built, parts=holed), CATALOG, Ways(units="mm"), steps=5))), [])


class HeldTest(unittest.TestCase):
    def found(self, height):
        slot = region_from(rectangle(0, 10, 40, 20))
        need = Held("held", "m1", "m1.shutter", "m1.picture", slot, (0.0, 1.0), 4.0)
        return list(check_held(shutter(need, shutter_box=(0, 15 - height / 2, 40, 15 + height / 2))))

    def test_it_reaches_behind_both_edges(self):
        self.assertEqual(self.found(18.0), [])
        for height, severity in ((16.0, "warn"), (13.0, "warn"), (11.5, "block"), (9.0, "block")):
            (found,) = self.found(height)
            self.assertAlmostEqual(found.measured, (height - 10.0) / 2, places=4)
            self.assertEqual(found.severity, severity)

    def test_the_smaller_side_counts(self):
        need = Held("held", "m1", "m1.shutter", "m1.picture", region_from(rectangle(0, 10, 40, 20)), (0.0, 1.0), 4.0)
        (found,) = check_held(shutter(need, shutter_box=(0, 0, 40, 23)))
        self.assertAlmostEqual(found.measured, 3.0, places=6)

    def test_a_disc_is_wider_than_its_track(self):
        track = region_from(rectangle(0, 10, 40, 16))
        for radius, expected in ((7.0, []), (5.0, ["warn"]), (4.1, ["warn"]), (3.8, ["block"]), (2.5, ["block"])):
            need = Caught("caught", "m1", "m1.shutter", "m1.picture", track, 3.0)
            examination = shutter(need)
            parts = tuple(
                replace(p, outline=circle((20.0, 13.0), radius_mm=radius)) if p.id == "m1.shutter" else p for p in examination.assembly.parts
            )
            round_one = Examination(replace(examination.assembly, parts=parts), CATALOG, Ways(units="mm"), steps=5)
            found = list(check_caught(round_one))
            self.assertEqual([f.severity for f in found], expected, radius)
            for finding in found:
                self.assertAlmostEqual(finding.measured, radius - 3.0, delta=0.06)


if __name__ == "__main__":
    unittest.main()
