"""Catch points and free zones against a simulation in square cells: a small sample of ``scripts/raster_check.py``, which tries 200 designs
at a tenth of a millimetre and 721 positions."""

import unittest

import numpy as np

from lexipod.checks import find_zone, run_checks
from lexipod.geometry.shapes import circle, rectangle
from tests.raster import Grid, _settled, compare_catches, examined, judge_catches, judge_zone, place, random_design, severity_of, swept_cells, unplace
from tests.zoo import card_with, part


class CellsTest(unittest.TestCase):
    """What the second opinion itself rests on, on shapes whose areas are known."""

    def test_a_filled_outline_has_its_area(self):
        for outline, area in ((rectangle(0, 0, 20, 10), 200.0), (circle((5.0, 5.0), radius_mm=8.0), np.pi * 64.0)):
            grid = Grid((-10.0, -10.0), (30.0, 30.0), 0.1)
            self.assertAlmostEqual(grid.fill(outline).sum() * 0.01 / area, 1.0, delta=0.02)

    def test_a_hole_is_left_out(self):
        grid = Grid((-1.0, -1.0), (21.0, 21.0), 0.1)
        holed = grid.fill(rectangle(0, 0, 20, 20), [rectangle(5, 5, 15, 15)])
        self.assertAlmostEqual(holed.sum() * 0.01, 300.0, delta=6.0)
        self.assertFalse(holed[tuple(grid.cells_of(np.array([[10.0, 10.0]]))[0][::-1])])

    def test_placing_and_back_is_where_it_was(self):
        pose, points = np.array([3.0, -2.0, 0.7]), np.array([[1.0, 2.0], [-4.0, 0.5]])
        self.assertTrue(np.allclose(unplace(pose, place(pose, points)), points))

    def test_a_square_sweeps_its_way(self):
        grid = Grid((-5.0, -5.0), (45.0, 15.0), 0.1)
        poses = np.column_stack([np.linspace(0, 30, 301), np.zeros(301), np.zeros(301)])
        swept = swept_cells(grid, part("a", rectangle(0, 0, 10, 10)), poses)
        self.assertAlmostEqual(swept.sum() * 0.01, 400.0, delta=6.0)

    def test_what_is_neither_inside_nor_outside_stays_what_it_was(self):
        where = np.array([[0, 1], [-1, -1], [1, -1], [-1, 0]])
        self.assertEqual(_settled(where).tolist(), [[False, True], [False, True], [True, True], [True, False]])

    def test_severities_have_their_limits(self):
        told = [severity_of(sag, 0.5, 0.4) for sag in (0.4, 0.5, 0.8, 0.95, float("inf"))]
        self.assertEqual(told, ["none", "none", "warn", "block", "block"])


class AgreementTest(unittest.TestCase):
    def test_zones_give_nothing_away_that_is_swept(self):
        for seed in (3, 5):
            design = random_design(seed)
            examination = examined(design, 181)
            zone = find_zone(examination, "card.front", "front", "foam")
            told = judge_zone(examination, zone, 0.5, zone.height_mm, cell=0.5)
            self.assertEqual(told.given_away, 0, seed)
            self.assertLess(told.kept_for_nothing, 0.03, seed)

    def test_a_long_arm_blocks_where_the_cells_say_so(self):
        broken = card_with("pivot-arm").with_parameters("m1", {"arm_length": 110.0})
        examination = examined(broken, 181)
        cells = judge_catches(examination, cell=0.2)
        ours = {frozenset(f.parts): f for f in run_checks(examination, rules=["catch"])}
        blocked = {pair for pair, row in cells.items() if severity_of(*row) == "block"}
        self.assertTrue(blocked)
        self.assertEqual({pair for pair, f in ours.items() if f.severity == "block"}, blocked)

    def test_random_designs_have_the_same_blocks_both_ways(self):
        blocks = 0
        for seed in (14, 27, 28, 29, 34):
            count, words = compare_catches(random_design(seed))
            self.assertEqual(words, [], seed)
            blocks += count["blocks"]
        self.assertGreaterEqual(blocks, 6)


if __name__ == "__main__":
    unittest.main()
