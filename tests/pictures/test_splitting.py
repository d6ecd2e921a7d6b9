"""Pictures cut along a line: the halves make the whole at rest, with no step; what is wrong is told."""

import unittest

import msgspec
import numpy as np
import shapely

from lexipod.checks import run_checks
from lexipod.checks.seams import seam_of, split_pairs
from lexipod.design import Card, Item
from lexipod.errors import LexipodError
from lexipod.fitting.splitting import split_picture
from lexipod.geometry.frames import transform_regions
from lexipod.pictures import laid_outline
from lexipod.pictures.cutting import side_of, smoothed
from lexipod.pipeline import examine
from tests.zoo import CATALOG, card_with


class LineTest(unittest.TestCase):
    def test_both_sides_of_a_line_are_the_whole(self):
        box = shapely.box(0, 0, 1, 1)
        for line, left in (
            (((0.0, 0.5), (1.0, 0.5)), 0.5),
            (((1.0, 0.25), (0.0, 0.25)), 0.25),
            (((0.0, 0.0), (1.0, 1.0)), 0.5),
            (((0.0, 0.5), (0.25, 0.75), (0.75, 0.25), (1.0, 0.5)), 0.5),
        ):
            one, other = (shapely.intersection(box, side_of(line, left=side)) for side in (True, False))
            self.assertAlmostEqual(one.area, left, places=9)
            self.assertAlmostEqual(one.area + other.area, 1.0, places=9)
            self.assertLess(shapely.intersection(one, other).area, 1e-12)

    def test_a_curve_runs_through_its_points(self):
        points = [(0.0, 0.0), (1.0, 1.0), (2.0, -1.0), (3.0, 0.0)]
        line = shapely.LineString(smoothed(points))
        self.assertLess(max(line.distance(shapely.Point(p)) for p in points), 1e-9)
        self.assertGreater(len(line.coords), 20)
        np.testing.assert_allclose(smoothed([(0, 0), (1, 3)]), [(0, 0), (1, 3)])

    def test_a_line_that_crosses_itself_is_refused(self):
        with self.assertRaisesRegex(ValueError, "cross itself"):
            side_of([(0.0, 0.0), (1.0, 1.0), (1.0, 0.0), (0.0, 1.0)], left=True)


class SplitTest(unittest.TestCase):
    def setUp(self):
        self.design = card_with("dial-riders", Card(size="na.a7"))
        examination = examine(self.design, CATALOG, steps=25)
        self.upper, self.lower = (examination.regions(f"m1.half-{n}")[0] for n in ("upper", "lower"))
        self.meet = (self.upper.bounds[1] + self.lower.bounds[3]) / 2
        self.left, self.right = self.upper.bounds[0] + 2.0, self.upper.bounds[2] - 2.0
        part = examination.assembly.by_id["m1.half-upper"]
        below = self.meet - (self.upper.bounds[1] + self.upper.bounds[3]) / 2
        width = self.right - self.left - 6.0
        item = Item("a1", "picture", part.id, at=(0.0, round(below, 3)), width=width, height=70.0, source="x.svg")
        self.design = msgspec.structs.replace(self.design, items=(item,))

    def split(self, line, **how):
        return split_picture(self.design, examine(self.design, CATALOG, steps=2), "a1", line, "m1.half-lower", **how)

    def found(self, design):
        return {f.rule: f for f in run_checks(examine(design, CATALOG, steps=25)) if f.rule.startswith("picture")}

    def test_the_halves_are_one_picture_at_rest_and_part_on_the_way(self):
        made = self.split([(self.left, self.meet), (self.right, self.meet)])
        self.assertEqual([(i.id, i.on, i.cut_side) for i in made.items], [("a1", "m1.half-upper", "left"), ("a2", "m1.half-lower", "right")])
        examination = examine(made, CATALOG, steps=25)
        halves = []
        for item in made.items:
            part = examination.assembly.by_id[item.on]
            halves.append(transform_regions(laid_outline(item, part.outline), examination.poses(part.id)[:1])[0])
        whole = shapely.union_all(halves)
        self.assertAlmostEqual(whole.area, self.design.items[0].width * 70.0, delta=0.5)
        self.assertLess(shapely.intersection(*halves).area, 0.05)
        ((one, other),) = split_pairs(examination)
        _, travel, apart = seam_of(examination, one, other)
        self.assertLess(apart[0], 1e-2)
        self.assertGreater(apart[-1], 20.0)
        self.assertEqual(len(travel), len(apart))
        found = self.found(made)
        self.assertEqual(set(found), {"picture-edges"})
        self.assertIn("colour them", found["picture-edges"].message)

    def test_a_step_and_a_gap_are_told(self):
        made = self.split([(self.left, self.meet), (self.right, self.meet)])
        moved = msgspec.structs.replace(made.items[1], at=(made.items[1].at[0] + 2.0, made.items[1].at[1]))
        step = self.found(msgspec.structs.replace(made, items=(made.items[0], moved)))["picture-seam"]
        self.assertIn("step", step.title)
        self.assertAlmostEqual(step.measured, 2.0, delta=0.02)
        wave = [(self.left, self.meet), (self.left + 15.0, self.meet + 9.0), (self.right - 15.0, self.meet - 9.0), (self.right, self.meet)]
        gap = self.found(self.split(wave, curved=True))["picture-seam"]
        self.assertIn("gap", gap.title)
        self.assertGreater(gap.measured, 0.03)

    def test_what_cannot_be_cut_says_why(self):
        line = [(self.left, self.meet), (self.right, self.meet)]
        examination = examine(self.design, CATALOG, steps=2)
        for arguments, words in (
            (("a9", line, "m1.half-lower"), "a9"),
            (("a1", line, "m1.nothing"), "nothing"),
            (("a1", line, "m1.half-upper"), "same part"),
            (("a1", line[:1], "m1.half-lower"), "two points"),
            (("a1", [line[0], line[0]], "m1.half-lower"), "two points"),
        ):
            with self.assertRaisesRegex(LexipodError, words):
                split_picture(self.design, examination, *arguments)


if __name__ == "__main__":
    unittest.main()
