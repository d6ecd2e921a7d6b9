"""Parts, drives and the reader's cues: what they say of themselves, on shapes whose measures are known."""

import math
import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import Cue, Drive, Joint
from lexipod.assembly.cues import WIDTH_SHARE, cue_outline
from lexipod.checks import Examination
from lexipod.checks.reader import check_cues, cue_region
from lexipod.design import Ways
from lexipod.geometry.shapes import circle, rectangle
from lexipod.recipes.kit.cues import round_cue, straight_cue
from tests.zoo import CATALOG, assembly, crank_and_rocker, part


class PartTest(unittest.TestCase):
    def test_a_part_knows_its_area_box_and_middle(self):
        one = part("a", rectangle(2, 3, 12, 9), home=(100.0, 50.0, math.pi / 2), holes=(rectangle(4, 4, 6, 6),))
        self.assertAlmostEqual(one.region.area, 56.0)
        self.assertAlmostEqual(one.region_at_home.area, 56.0)
        self.assertTrue(np.allclose(one.region_at_home.bounds, (91.0, 52.0, 97.0, 62.0)))
        self.assertEqual(one.size_mm, (10.0, 6.0))
        middle, reach = one.middle_and_reach
        self.assertTrue(np.allclose(middle, (7.0, 6.0)))
        self.assertAlmostEqual(reach, math.hypot(5.0, 3.0))
        self.assertEqual(len(one.vertices), 8)

    def test_only_whole_shapes_without_inward_corners_are_convex(self):
        self.assertTrue(part("a", circle((0, 0), radius_mm=5)).is_convex)
        self.assertFalse(part("a", rectangle(0, 0, 9, 9), holes=(rectangle(2, 2, 4, 4),)).is_convex)
        self.assertFalse(part("a", [(0, 0), (10, 0), (10, 10), (5, 2), (0, 10)]).is_convex)

    def test_room_is_shared_on_a_common_level(self):
        low, high = part("a", level=1), part("b", level=2)
        self.assertFalse(low.shares_room(high))
        self.assertTrue(low.shares_room(replace(high, through=(1.0,))))
        self.assertTrue(low.shares_room(replace(high, level=1)))

    def test_what_the_maker_put_on_shares_room_only_at_its_height(self):
        carrier = replace(part("a", level=1), z_mm=0.0, thickness_mm=1.0)
        on_it = replace(part("b", level=1, item="d1"), z_mm=1.0, thickness_mm=0.4)
        in_it = replace(on_it, z_mm=0.5)
        self.assertFalse(carrier.shares_room(on_it))
        self.assertTrue(carrier.shares_room(in_it))


class DriveTest(unittest.TestCase):
    def test_coordinates_run_from_rest_to_end(self):
        drive = Drive("m1", "j", "a", "slide", 5.0, -15.0, 0.0)
        self.assertEqual(drive.coordinates(5).tolist(), [5.0, 0.0, -5.0, -10.0, -15.0])
        self.assertEqual((drive.unit, replace(drive, kind="turn").unit), ("mm", "deg"))
        with self.assertRaises(ValueError):
            drive.coordinates(1)

    def test_an_assembly_knows_what_moves(self):
        built = crank_and_rocker()
        self.assertEqual(set(built.moving), {"crank", "coupler", "rocker"})
        self.assertEqual(built.drive_of("m1"), built.drives[0])
        self.assertIsNone(built.drive_of("m2"))
        self.assertEqual((built.part_name("crank"), built.part_name("nothing")), ("crank", "nothing"))
        with self.assertRaises(KeyError):
            built.find_joint("j9")

    def test_what_is_glued_in_a_row_is_one_body(self):
        parts = [part(n, level=k + 1) for k, n in enumerate("abcd")]
        joints = [Joint("1", "fixed", "b", "a"), Joint("2", "fixed", "c", "b"), Joint("3", "pin", "d", "c"), Joint("4", "pin", "a", "card.front")]
        built = assembly(parts, joints, Drive("m1", "3", "d", "turn", 0.0, 90.0, 0.0))
        self.assertEqual({built.bodies[n] for n in "abc"}, {"a"})
        self.assertEqual(built.bodies["d"], "d")


class ArrowTest(unittest.TestCase):
    def straight(self, **more):
        return Cue("m1", "a", "arrow", (30.0, 40.0), (0.6, 0.8), None, "", 10.0, **more)

    def test_a_straight_arrow_is_as_long_as_it_says_and_points_its_way(self):
        outline = cue_outline(self.straight())
        along = (outline - (30.0, 40.0)) @ (0.6, 0.8)
        across = (outline - (30.0, 40.0)) @ (-0.8, 0.6)
        self.assertAlmostEqual(along.max() - along.min(), 10.0)
        self.assertAlmostEqual(across.max() - across.min(), 10.0 * WIDTH_SHARE)
        self.assertAlmostEqual(float(across[np.argmax(along)]), 0.0)  # its tip lies on its middle line
        self.assertEqual(int((np.abs(along - along.max()) < 1e-9).sum()), 1)
        self.assertTrue(shapely.Polygon(outline).is_valid)

    def test_a_bent_arrow_keeps_its_distance_from_the_pivot(self):
        for clockwise in (False, True):
            cue = round_cue("m1", {"cue": "arrow"}, "a", (50.0, 0.0), (20.0, 0.0), clockwise=clockwise, word="turn", size_mm=12.0)
            outline = cue_outline(cue)
            radii = np.linalg.norm(outline - (20.0, 0.0), axis=1)
            half = 12.0 * WIDTH_SHARE / 2
            self.assertTrue(((radii >= 30.0 - half - 1e-9) & (radii <= 30.0 + half + 1e-9)).all())
            turns = np.arctan2(outline[:, 1], outline[:, 0] - 20.0)
            tip = turns[int(np.argmin(np.abs(radii - 30.0)))]
            self.assertEqual(tip < 0, clockwise)
            self.assertAlmostEqual(float(np.ptp(turns)), 12.0 / 30.0, places=6)  # as long along the circle as it says
            self.assertTrue(shapely.Polygon(outline).is_valid)

    def test_the_way_of_a_turn_is_square_to_its_spoke(self):
        for clockwise, expected in ((False, (0.0, 1.0)), (True, (0.0, -1.0))):
            cue = round_cue("m1", {"cue": "arrow"}, "a", (50.0, 0.0), (20.0, 0.0), clockwise=clockwise, word="turn")
            self.assertTrue(np.allclose(cue.direction, expected))

    def test_a_word_takes_room_by_its_letters(self):
        short, long = (np.ptp(cue_outline(Cue("m1", "a", "word", (0, 0), word=w)), axis=0) for w in ("pull", "pull here"))
        self.assertAlmostEqual(long[0] / short[0], 9 / 4)
        self.assertAlmostEqual(long[1], short[1])

    def test_a_cue_can_be_left_out_on_purpose(self):
        for kind in ("arrow", "word", "none"):
            self.assertEqual(straight_cue("m1", {"cue": kind}, "a", (0, 0), (1, 0), word="pull").kind, kind)


class SeenTest(unittest.TestCase):
    """A cue counts by the share of it that is seen at rest."""

    def card(self, cue, *, cover=None):
        sheet = part("m1.sheet", rectangle(0, 0, 100, 60), home=(50.0, 50.0, 0.0), level=1)
        parts, joints = [sheet], [Joint("pin", "pin", "m1.sheet", "card.front", (50.0, 30.0), (100.0, 80.0))]
        if cover is not None:
            parts.append(part("m1.cover", rectangle(*cover), home=(50.0, 50.0, 0.0), level=2, role="cover"))
            joints.append(Joint("glue", "fixed", "m1.cover", "card.front"))
        built = assembly(parts, joints, Drive("m1", "pin", "m1.sheet", "turn", 0.0, 30.0, 0.0), cues=(cue,))
        return Examination(built, CATALOG, Ways(units="mm"), steps=5)

    def cue(self, at=(50.0, 30.0), kind="arrow"):
        return Cue("m1", "m1.sheet", kind, at, (1.0, 0.0), None, "pull", 10.0)

    def test_an_open_cue_is_silent(self):
        self.assertEqual(list(check_cues(self.card(self.cue()))), [])

    def test_half_under_a_cover_half_is_seen(self):
        # An arrow is no rectangle: what is left of its middle is told by its own area.
        cue = self.cue()
        outline = shapely.Polygon(cue_outline(cue))
        left = shapely.intersection(outline, shapely.box(0, 0, 50, 60)).area / outline.area
        (found,) = check_cues(self.card(cue, cover=(50, 0, 100, 60)))
        self.assertAlmostEqual(found.measured, left, places=3)
        self.assertIn("m1.cover", found.parts)

    def test_past_the_edge_of_its_paper_it_is_lost(self):
        (found,) = check_cues(self.card(self.cue(at=(100.0, 30.0))))
        self.assertLess(found.measured, 0.7)
        self.assertIn("edge of the paper", found.message)

    def test_left_out_on_purpose_nothing_is_said(self):
        self.assertEqual(list(check_cues(self.card(self.cue(kind="none"), cover=(0, 0, 100, 60)))), [])

    def test_it_lies_where_its_part_lies(self):
        region = cue_region(self.card(self.cue()), self.cue())
        self.assertTrue(np.allclose(region.envelope.centroid.coords[0], (100.0, 80.0)))


if __name__ == "__main__":
    unittest.main()
