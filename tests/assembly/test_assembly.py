"""Parts, joints and what they may not be."""

import math
import unittest

import numpy as np

from lexipod.assembly import Arc, Assembly, Crease, Drive, FoldJoint, Joint, Segment
from lexipod.building import build_assembly
from lexipod.building.base import cut_openings
from lexipod.geometry.shapes import rectangle
from tests.zoo import CATALOG, frame, part, slider


class PathTest(unittest.TestCase):
    def test_coordinates_of_a_segment_count_from_its_zero(self):
        path = Segment((10, 0), (10, 40), zero_mm=5)
        self.assertEqual(path.limits, (-5, 35))
        np.testing.assert_allclose(path.point_at([0.0, 35.0]), [(10, 5), (10, 40)])
        np.testing.assert_allclose(path.mirrored(100).point_at(0.0), (90, 5))

    def test_an_arc_is_exact_and_its_mirror_runs_the_other_way(self):
        path = Arc((0, 0), 36, 200, 340)
        np.testing.assert_allclose(np.linalg.norm(path.point_at(np.linspace(200, 340, 7)), axis=1), 36)
        mirrored = path.mirrored()
        np.testing.assert_allclose(mirrored.point_at(180 - 200.0), path.point_at(200.0) * (-1, 1), atol=1e-12)

    def test_bad_paths_and_joints_cannot_be_built(self):
        for make in (
            lambda: Segment((1, 1), (1, 1)),
            lambda: Arc((0, 0), 0, 0, 90),
            lambda: Arc((0, 0), 5, 10, 10),
            lambda: Arc((0, 0), math.nan, 0, 9),
            lambda: Joint("j", "pin", "a", "a"),
            lambda: Joint("j", "slot", "a", "b"),
            lambda: Joint("j", "pin", "a", "b", path_b=Segment((0, 0), (1, 0))),
            lambda: Joint("j", "slide", "a", "b", path_b=Segment((0, 0), (1, 0)), turn="free"),
            lambda: Drive("m1", "j", "a", "slide", 0, 1, 0).coordinates(1),
        ):
            with self.assertRaises(ValueError):
                make()


class PartTest(unittest.TestCase):
    def test_bad_parts_cannot_be_built(self):
        for outline in ([(0, 0), (1, 0)], [(0, 0), (1, 0), (math.nan, 1)]):
            with self.assertRaises(ValueError):
                part("p", outline)

    def test_an_opening_is_cut_in_the_parts_own_frame(self):
        import shapely

        cut = cut_openings(part("p", rectangle(0, 0, 20, 10), home=(5, 5, 0)), [shapely.box(10, 8, 12, 12), shapely.box(23, 0, 40, 40)])
        self.assertAlmostEqual(cut.region.area, 200 - 8 - 2 * 10)
        self.assertEqual(tuple(cut.holes[0].min(axis=0)), (5, 3))


class AssemblyTest(unittest.TestCase):
    def test_glued_parts_are_one_body_named_after_the_lowest(self):
        parts = [part(name, level=k) for k, name in enumerate(("card.front", "a", "b", "c", "d"))]
        joints = [Joint("1", "fixed", "c", "b"), Joint("2", "fixed", "b", "a"), Joint("3", "pin", "d", "a")]
        bodies = Assembly(frame(), tuple(parts), tuple(joints)).bodies
        self.assertEqual(bodies, {"card.front": "card.front", "a": "a", "b": "a", "c": "a", "d": "d"})

    def test_double_ids_and_joints_to_nothing_are_refused(self):
        with self.assertRaisesRegex(ValueError, "same id"):
            Assembly(frame(), (part("a"), part("a")))
        with self.assertRaisesRegex(ValueError, "not there: b"):
            Assembly(frame(), (part("a"),), (Joint("j", "pin", "a", "b"),))

    def test_in_the_slider_strip_pad_and_picture_move_and_nothing_else(self):
        assembly = build_assembly(slider(), CATALOG)
        self.assertEqual(set(assembly.moving), {"m1.strip", "m1.pad", "m1.picture"})
        self.assertEqual(assembly.part_name("m1.rail-low"), "lower rail")

    def test_the_stack_rests_on_itself(self):
        by_id = build_assembly(slider(), CATALOG).by_id
        for upper, lower in (
            ("card.front", "card.back"),
            ("card.panel", "card.front"),
            ("m1.backing", "card.panel"),
            ("m1.rail-low", "card.panel"),
            ("m1.strip", "m1.backing"),
            ("card.frame", "m1.rail-low"),
            ("m1.pad", "m1.strip"),
            ("m1.picture", "m1.pad"),
        ):
            self.assertAlmostEqual(by_id[upper].z_mm, by_id[lower].top_mm, msg=upper)

    def test_the_notch_goes_through_frame_mat_and_card_front(self):
        assembly = build_assembly(slider(), CATALOG)
        for name in ("card.frame", "card.panel", "card.front"):
            self.assertGreater(len(assembly.by_id[name].outline), 8, name)
        self.assertEqual(len(assembly.by_id["card.back"].outline), 4)

    def test_zones_lie_on_their_parts_and_the_greeting_is_what_comes_out(self):
        import shapely

        design = slider()
        assembly = build_assembly(design, CATALOG)
        v = design.mechanisms[0].parameters
        for zone in assembly.zones:
            self.assertTrue(shapely.Polygon(assembly.by_id[zone.part].outline).buffer(1e-6).covers(shapely.Polygon(zone.polygon)), zone.name)
        greeting = next(z for z in assembly.zones if z.name == "greeting")
        strip = assembly.by_id["m1.strip"]
        at_end = greeting.polygon[:, 0] + strip.home[0] + v["travel"]
        self.assertGreaterEqual(at_end.min(), assembly.card.width_mm)
        self.assertEqual(greeting.at, {"m1": v["travel"]})

    def test_bases_other_than_a_folded_card_have_one_panel(self):
        from lexipod.design import Card

        for base in ("panel", "tag", "page"):
            assembly = build_assembly(slider(Card(base=base)), CATALOG)
            self.assertNotIn("card.back", assembly.by_id)
            self.assertEqual(assembly.by_id["card.front"].z_mm, 0)


class SmallValueTest(unittest.TestCase):
    def test_an_arc_has_its_limits_in_order_whichever_way_it_is_given(self):
        for start, end in ((20.0, 140.0), (140.0, 20.0)):
            self.assertEqual(Arc((0.0, 0.0), 5.0, start, end).limits, (20.0, 140.0))

    def test_a_crease_is_as_long_as_the_way_between_its_ends(self):
        self.assertEqual(Crease("c", (1.0, 2.0), (4.0, 6.0), "valley", ("a", "b")).length_mm, 5.0)

    def test_joints_that_move_and_do_not_close_have_a_coordinate(self):
        line = ((0.0, 0.0, 0.0), (1.0, 0.0, 0.0))
        made = {
            ("hinge", False): FoldJoint("j", "hinge", "a", "b", line, line),
            ("hinge", True): FoldJoint("j", "hinge", "a", "b", line, line, closes=True),
            ("slide", False): FoldJoint("j", "slide", "a", "b"),
            ("fixed", False): FoldJoint("j", "fixed", "a", "b"),
        }
        wanted = {key: key in {("hinge", False), ("slide", False)} for key in made}
        self.assertEqual({key: joint.has_coordinate for key, joint in made.items()}, wanted)
