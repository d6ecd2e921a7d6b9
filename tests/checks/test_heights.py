"""Heights, girths and room for fingers, on piles of plates whose heights are known by construction."""

import math
import unittest
from dataclasses import replace

import numpy as np

from lexipod.assembly import Drive, Joint, Reached, Segment
from lexipod.checks import Examination
from lexipod.checks.height_map import check_fingers, finger_room, map_heights, poses_at
from lexipod.checks.outline import envelope_room, flat_size, thickness_mm
from lexipod.checks.stack import PLAY_MM, check_heights, find_air, piled_mm, stacked_pairs
from lexipod.design import Ways
from lexipod.geometry.shapes import rectangle, region_from
from tests.zoo import CATALOG, assembly, part

T = 0.4


def plate(name, box, *, z, thickness=T, role="base", level=1, **more):
    """A plate that lies where its box says, with its underside at ``z``."""
    return replace(part(name, rectangle(*box), role=role, level=level, **more), z_mm=z, thickness_mm=thickness)


def pile(*parts, needs=(), travel=40.0, ways=None):
    """Plates on a panel of 200 x 200, the one called m1.slide moved to the right."""
    joints = []
    for one in parts:
        if one.id == "m1.slide":
            path = Segment((0.0, 0.0), (150.0, 0.0))
            joints.append(Joint("slide", "slide", one.id, "card.front", (0.0, 0.0), path_b=path, turn="fixed"))
        else:
            joints.append(Joint(f"glue-{one.id}", "fixed", one.id, "card.front"))
    drive = Drive("m1", "slide", "m1.slide", "slide", 0.0, travel, 0.0)
    return Examination(assembly(list(parts), joints, drive, size=200.0, needs=tuple(needs)), CATALOG, ways or Ways(units="mm"), steps=41)


def slide(z=2.0, box=(20, 20, 60, 60), level=2, **more):
    return plate("m1.slide", box, z=z, role="moving", level=level, **more)


class MapTest(unittest.TestCase):
    def test_a_place_is_as_high_as_the_highest_thing_that_lies_there(self):
        examination = pile(slide(z=2.0), plate("m1.low", (100, 100, 150, 150), z=T))
        heights = map_heights(examination, cell_mm=1.0)
        self.assertEqual(heights.top.shape, (200, 200))
        ground = examination.assembly.by_id["card.front"]
        self.assertAlmostEqual(heights.top[5, 5], ground.top_mm)
        self.assertAlmostEqual(heights.top[40, 40], 2.0 + T)
        self.assertAlmostEqual(heights.top[120, 120], 2 * T)
        self.assertAlmostEqual(heights.solid[40, 40], 2 * T)  # there is air under the slide
        self.assertAlmostEqual(heights.thickest_mm, 2.0 + T)

    def test_areas_are_counted_in_cells(self):
        heights = map_heights(pile(slide(z=2.0)), cell_mm=0.5)
        self.assertEqual(int((heights.top > 2.0).sum()), 40 * 40 * 4)
        self.assertAlmostEqual(heights.share_above(2.0), 1600 / 40000)
        self.assertEqual(heights.share_above(99.0), 0.0)

    def test_the_thickest_place_lies_on_what_is_thickest(self):
        x, y = map_heights(pile(slide(z=2.0))).thickest_at
        self.assertTrue(20 < x < 60 and 20 < y < 60, (x, y))

    def test_at_another_travel_it_lies_elsewhere(self):
        examination = pile(slide(z=2.0))
        mover = examination.assembly.by_id["m1.slide"]
        self.assertTrue(np.allclose(poses_at(examination, mover, {"m1": 40.0}) - poses_at(examination, mover, {}), (40.0, 0.0, 0.0)))
        heights = map_heights(examination, {"m1": 40.0})
        self.assertAlmostEqual(heights.top[40, 30], T)
        self.assertAlmostEqual(heights.top[40, 80], 2.0 + T)

    def test_a_hole_is_as_high_as_what_is_under_it(self):
        holed = replace(plate("m1.low", (100, 100, 150, 150), z=T), holes=(rectangle(110, 110, 140, 140),))
        heights = map_heights(pile(slide(), holed))
        self.assertAlmostEqual(heights.top[125, 125], T)
        self.assertAlmostEqual(heights.top[105, 105], 2 * T)


class AirTest(unittest.TestCase):
    def cover(self, gap, **more):
        return plate("card.cover", (0, 0, 200, 200), z=2.0 + T + gap, role="cover", level=3, mechanism="card", **more)

    def test_air_is_what_lies_between(self):
        for gap, expected in ((0.5, []), (PLAY_MM, []), (0.1, ["warn"]), (0.0, ["warn"]), (-0.3, ["block"])):
            found = [f for f in check_heights(pile(slide(), self.cover(gap))) if f.parts == ("m1.slide", "card.cover")]
            self.assertEqual([f.severity for f in found], expected, gap)
            for finding in found:
                self.assertAlmostEqual(finding.measured, gap, places=4)

    def test_what_glides_may_touch(self):
        found = [f for f in check_heights(pile(slide(glides=True), self.cover(0.0))) if "card.cover" in f.parts]
        self.assertEqual(found, [])

    def test_only_the_nearest_on_each_side_is_told(self):
        far = plate("m1.far", (0, 0, 200, 200), z=9.0, role="cover", level=5)
        pairs = {(a.id, b.id): gap for a, b, gap, _ in stacked_pairs(pile(slide(), self.cover(0.5), far))}
        self.assertAlmostEqual(pairs[("m1.slide", "card.cover")], 0.5)
        self.assertNotIn(("m1.slide", "m1.far"), pairs)

    def test_what_is_never_passed_does_not_count(self):
        beside = plate("m1.beside", (150, 150, 190, 190), z=2.0 + T, role="cover", level=3)
        pairs = [(a.id, b.id) for a, b, _, _ in stacked_pairs(pile(slide(), beside))]
        self.assertNotIn(("m1.slide", "m1.beside"), pairs)

    def test_what_is_passed_only_on_the_way_counts(self):
        later = plate("m1.later", (90, 20, 95, 60), z=2.0 + T, role="cover", level=3)
        for travel, met in ((29.0, False), (40.0, True)):
            pairs = [(a.id, b.id) for a, b, _, _ in stacked_pairs(pile(slide(), later, travel=travel))]
            self.assertEqual(("m1.slide", "m1.later") in pairs, met, travel)

    def test_air_pairs_name_the_lower_part_first(self):
        self.assertIn(("m1.slide", "card.cover"), [(a, b) for a, b, _ in find_air(pile(slide(), self.cover(0.5)))])

    def test_leaves_that_lap_one_another_pile_up(self):
        leaves = [slide(over=())] + [
            plate(f"m1.leaf{k}", (20, 20, 60, 60), z=2.0, level=2, over=("m1.slide",) if k == 1 else (f"m1.leaf{k - 1}",)) for k in (1, 2)
        ]
        examination = pile(*leaves)
        self.assertAlmostEqual(piled_mm(examination, examination.assembly.by_id["m1.slide"]), 2 * T)  # two more lie on it
        self.assertEqual(piled_mm(pile(slide()), pile(slide()).assembly.by_id["m1.slide"]), 0.0)


class GirthTest(unittest.TestCase):
    """The flattest tube round a box is half its girth: width and thickness (elementary geometry)."""

    def test_a_flat_pile_needs_its_width_and_its_thickness(self):
        examination = pile(slide(z=2.0, box=(0, 0, 200, 200)), travel=0.1)
        low = examination.assembly.by_id["card.front"].z_mm
        thick = 2.0 + T - low
        self.assertAlmostEqual(thickness_mm(examination), 2.0 + T)
        for size in flat_size(examination):
            self.assertAlmostEqual(size, 200.0 + thick, places=6)

    def test_a_narrow_hump_costs_only_its_slopes(self):
        examination = pile(slide(z=4.0, box=(80, 80, 120, 120)), travel=0.1)
        low, high = examination.assembly.by_id["card.front"], 4.0 + T
        rise = high - low.top_mm
        girth = 200.0 + 2 * low.thickness_mm + 40.0 + 2 * math.hypot(80.0, rise)
        for size in flat_size(examination):
            self.assertAlmostEqual(size, girth / 2, places=6)

    def test_an_envelope_is_taken_the_better_way_round(self):
        examination = pile(slide(z=2.0, box=(0, 0, 200, 200)), travel=0.1)
        need = flat_size(examination)[0]
        self.assertAlmostEqual(envelope_room(examination, (need + 3.0, need + 5.0)), 3.0, places=6)
        self.assertAlmostEqual(envelope_room(examination, (need + 5.0, need + 3.0)), 3.0, places=6)
        self.assertAlmostEqual(envelope_room(examination, (need - 1.0, 999.0)), -1.0, places=6)


class FingerTest(unittest.TestCase):
    def need(self):
        return Reached("grip", "m1", "m1.slide", region_from(rectangle(40, 20, 60, 60)), ("card.cover",), (1.0, 0.0), 8.0)

    def found(self, z, *, box=(20, 20, 60, 60), cover=(0, 0, 30, 200)):
        over = plate("card.cover", cover, z=z + T + 0.3, role="cover", level=3, mechanism="card")
        return list(check_fingers(pile(slide(z=z, box=box), over, needs=(self.need(),))))

    def test_a_finger_wants_height_behind_what_it_pulls(self):
        wanted, ground = Ways(units="mm").finger_gap, pile(slide()).assembly.by_id["card.front"].top_mm
        self.assertEqual(self.found(ground + wanted + 0.1), [])
        (low,) = self.found(ground + wanted / 2)
        self.assertAlmostEqual(low.measured, wanted / 2, places=4)
        self.assertEqual((low.required, low.severity), (wanted, "warn"))

    def test_past_the_edge_there_is_nothing_in_the_way(self):
        over = plate("card.cover", (0, 0, 30, 200), z=2.0, role="cover", level=3, mechanism="card")
        small = pile(slide(z=T + 0.2), over, needs=(self.need(),))
        ground = replace(small.assembly.by_id["card.front"], outline=rectangle(0, 0, 45, 200))
        parts = tuple(ground if p.id == "card.front" else p for p in small.assembly.parts)
        cut = Examination(replace(small.assembly, parts=parts), CATALOG, Ways(units="mm"), steps=5)
        self.assertEqual(list(check_fingers(cut)), [])

    def test_room_is_told_on_both_sides(self):
        over = plate("m1.roof", (30, 0, 200, 200), z=2.0 + T + 0.7, role="cover", level=3)
        examination = pile(slide(z=2.0), over)
        grip = region_from(rectangle(40, 20, 60, 60))
        under, above = finger_room(examination, examination.assembly.by_id["m1.slide"], grip, 0)
        self.assertAlmostEqual(above, 0.7, places=6)
        self.assertAlmostEqual(under, 2.0 - examination.assembly.by_id["card.front"].top_mm, places=6)


if __name__ == "__main__":
    unittest.main()
