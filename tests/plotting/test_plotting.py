"""What a plotter is told: the order of runs, the way round corners, the words; drawn by programs that share nothing with it."""

import itertools
import math
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import shapely

from lexipod.catalog import Blade
from lexipod.drawing import Drawing, Shape, Stroke
from lexipod.plotting import Run, lead_round, lifted_mm, make_program, order_runs, runs_of, write_hpgl
from lexipod_plotter import Machine
from lexipod_plotter.machine import tip_trace
from lexipod_plotter.serve import run_file
from tests.nesting.boards import random_region
from tests.zoo import CATALOG


def ring(*points):
    return np.array(points, dtype=float)


def square(x, y, side, tool="cut"):
    return Run(tool, ring((x, y), (x + side, y), (x + side, y + side), (x, y + side)), True)


def many_runs(seed, count=36):
    """Pieces with holes and scores, spread over a sheet as they happen to be listed."""
    chance = np.random.default_rng(seed)
    runs = []
    for k in range(count):
        shift = [70.0 * (k % 6), 60.0 * (k // 6)]
        region = random_region(chance)
        for line in (region.exterior, *region.interiors):
            runs.append(Run("cut", np.asarray(line.coords)[:-1] + shift, True))
        if k % 2:
            runs.append(Run("score", ring((2, 3), (9, 3)) + shift, False))
    chance.shuffle(runs)
    return runs


class OrderTest(unittest.TestCase):
    def test_scores_come_first_and_what_lies_inside_before_what_lies_round_it(self):
        runs = [square(0, 0, 50), square(10, 10, 5), square(20, 20, 20), square(25, 25, 5), Run("score", ring((0, 25), (50, 25)), False)]
        told = order_runs(runs)
        self.assertEqual(told[0].tool, "score")
        place = {round(shapely.Polygon(r.points).area): k for k, r in enumerate(told) if r.closed}
        self.assertLess(place[400], place[2500])
        places_of_small = [k for k, r in enumerate(told) if r.closed and shapely.Polygon(r.points).area == 25]
        self.assertLess(max(places_of_small), place[2500])
        inside = next(
            k for k, r in enumerate(told) if r.closed and shapely.Polygon(r.points).within(shapely.box(20, 20, 40, 40)) and r.length_mm == 20
        )
        self.assertLess(inside, place[400])

    def test_on_random_sheets_every_run_is_there_once_and_in_a_sound_order(self):
        for seed in range(6):
            runs = many_runs(seed)
            told = order_runs(runs)
            lengths = [sorted(round(r.length_mm, 6) for r in group) for group in (told, runs)]
            self.assertEqual(*lengths)
            tools = [r.tool for r in told]
            self.assertEqual(tools, sorted(tools, reverse=True))
            rings = [shapely.Polygon(r.points) for r in told if r.closed]
            for a, b in itertools.combinations(rings, 2):  # a is cut before b: it may not lie round it
                self.assertFalse(a.contains(b) and a.area > b.area + 1)

    def test_lifted_ways_are_at_least_two_fifths_shorter_than_as_listed(self):
        ratios = [lifted_mm(order_runs(many_runs(s))) / lifted_mm(many_runs(s)) for s in range(20, 26)]
        self.assertLess(max(ratios), 0.6)

    def test_for_few_runs_the_way_is_near_the_shortest_of_all_orders(self):
        # Exhaustive search over all orders, with the open lines' ends as they are best taken.
        worst = 0.0
        for seed in range(12):
            chance = np.random.default_rng(seed)
            runs = [Run("score", (p := chance.uniform(0, 100, 2)) + np.array([[0, 0], [1e-6, 0]]), False) for _ in range(7)]
            middles = [r.points[0] for r in runs]
            best = math.inf
            for order in itertools.permutations(range(7)):
                way, at = 0.0, np.zeros(2)
                for k in order:
                    way += math.dist(at, middles[k])
                    at = middles[k]
                best = min(best, way)
            worst = max(worst, lifted_mm(order_runs(runs)) / best)
            del p
        self.assertLess(worst, 1.3)

    def test_a_shared_edge_is_cut_once(self):
        halves = [Shape((ring((0, 0), (40, 0), (40, 30), (0, 30)),), "cut"), Shape((ring((40, 0), (80, 0), (80, 30), (40, 30)),), "cut")]
        runs = runs_of(Drawing((*halves, Stroke(ring((20, 0), (20, 30)), "valley")), (0, 0, 80, 30)))
        self.assertAlmostEqual(sum(r.length_mm for r in runs if r.tool == "cut"), 80 * 2 + 30 * 3, places=3)
        self.assertAlmostEqual(sum(r.length_mm for r in runs if r.tool == "score"), 30)


class BladeTest(unittest.TestCase):
    """The tip of a drag knife follows its axis as a tractrix; the simulated plotter integrates it in small steps by itself."""

    def off_the_line(self, run, trail, way):
        trace = np.array(tip_trace([tuple(p) for p in way], trail))
        gone = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(trace, axis=0), axis=1))])
        return float(shapely.distance(shapely.points(trace[gone > 4 * trail]), shapely.LineString(run.path)).max())

    def test_the_tip_stays_on_the_line_round_corners_and_curves(self):
        star = Run(
            "cut",
            np.array([[r * math.cos(a), r * math.sin(a)] for a, r in zip(np.linspace(0, 2 * math.pi, 11)[:-1], [20, 8] * 5, strict=True)]),
            True,
        )
        for run in (square(0, 0, 30), star, Run("cut", np.asarray(shapely.Point(0, 0).buffer(9, quad_segs=24).exterior.coords)[:-1], True)):
            self.assertLess(self.off_the_line(run, 0.3, lead_round(run, trail_mm=0.3, overcut_mm=0.5)), 0.03)

    def test_without_being_led_it_cuts_corners(self):
        run = square(0, 0, 30)
        self.assertGreater(self.off_the_line(run, 0.3, run.path), 0.1)

    def test_a_closed_cut_runs_on_by_the_overcut_and_an_open_one_does_not(self):
        run = square(0, 0, 30)
        self.assertAlmostEqual(len(lead_round(run, trail_mm=0, overcut_mm=0)), 5)
        self.assertEqual(lead_round(run, trail_mm=0, overcut_mm=2.0)[-1].tolist(), [2.0, 0.0])
        line = Run("cut", ring((0, 0), (10, 0)), False)
        self.assertEqual(lead_round(line, trail_mm=0.3, overcut_mm=2.0).tolist(), [[0.3, 0.0], [10.3, 0.0]])


class WordsTest(unittest.TestCase):
    def program(self):
        return make_program(many_runs(3, 9), CATALOG.machines["plotter-12"], Blade("none", "none", 0.0, 0.0, 140, 80.0))

    def test_the_simulated_plotter_draws_what_was_meant_within_half_a_unit(self):
        machine = run_file(Machine(area_mm=(900, 900)), self.program().text)
        drawn = shapely.union_all([shapely.LineString(line.points) for line in machine.lines])
        meant = shapely.union_all([shapely.LineString(r.path) for r in many_runs(3, 9)])
        self.assertLess(shapely.hausdorff_distance(drawn.segmentize(0.5), meant.segmentize(0.5)), 0.018 + 1e-6)  # half a unit both ways
        self.assertEqual((machine.report.unknown, machine.report.outside), ([], []))
        pens = {line.pen for line in machine.lines}
        self.assertEqual(pens, {1, 2})
        self.assertAlmostEqual(machine.report.down_mm, self.program().down_mm, places=3)

    def test_force_and_speed_come_with_the_knife(self):
        self.assertIn("SP2;VS8;FS140;", self.program().text)
        self.assertNotIn("FS", self.program().text.split("SP2;")[0])

    def test_each_line_is_cut_as_often_as_its_stock_takes(self):
        runs = [square(0, 0, 10)]
        once, twice = (make_program(runs, None, Blade("b", "b", 0, 0, passes=n)) for n in (1, 2))
        self.assertAlmostEqual(twice.down_mm, 2 * once.down_mm)

    @unittest.skipUnless(shutil.which("hp2xx"), "Debian's hp2xx is not installed")
    def test_hp2xx_draws_the_same(self):
        # hp2xx 3.4.4 (Debian): an HPGL interpreter of its own; it writes DXF at true size.
        with tempfile.TemporaryDirectory() as folder:
            source, target = Path(folder, "a.plt"), Path(folder, "a.dxf")
            source.write_bytes(write_hpgl([self.program()]))
            subprocess.run(["hp2xx", "-q", "-t", "-m", "dxf", "-f", str(target), str(source)], check=True, capture_output=True)
            lines = dxf_lines(target.read_text(encoding="latin-1"))
        drawn = shapely.union_all([shapely.LineString(line) for line in lines])
        meant = shapely.union_all([shapely.LineString(r.path) for r in many_runs(3, 9)])
        low = np.array(meant.bounds[:2]) - np.array(drawn.bounds[:2])  # it puts the drawing at its own origin
        drawn = shapely.transform(drawn, lambda xy: xy + low)
        self.assertAlmostEqual(drawn.length, meant.length, delta=0.01 * meant.length)
        self.assertLess(shapely.hausdorff_distance(drawn.segmentize(0.5), meant.segmentize(0.5)), 0.06)


def dxf_lines(text):
    """The LINE entities of a DXF text, by its group codes alone."""
    rows = [line.strip() for line in text.splitlines()]
    found, current = [], None
    for code, value in zip(rows[::2], rows[1::2], strict=False):
        if code == "0":
            if current and {"10", "20", "11", "21"} <= current.keys():
                found.append([(float(current["10"]), float(current["20"])), (float(current["11"]), float(current["21"]))])
            current = {} if value == "LINE" else None
        elif current is not None:
            current[code] = value
    return [line for line in found if line[0] != line[1]]
