"""The cut through a card's edge, and which of two flat pieces in space is painted first: made cases with known answers."""

import unittest

import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.drawing.display import Shape, Stroke
from lexipod.drawing.edge import draw_edge, find_edge_bars
from lexipod.drawing.painters_order import Facet, order_facets
from lexipod.geometry.shapes import rectangle
from tests.zoo import CATALOG, card_with, moved

EYE = np.array([0.0, 0.0, 500.0])


def facet(name, *, z=0.0, at=(0.0, 0.0), tilt_deg=0.0, size=20.0):
    """A square about ``at``, lifted by ``z`` and tilted about its own middle line along x."""
    half = size / 2
    t = np.radians(tilt_deg)
    turn = np.array([[1.0, 0.0, 0.0], [0.0, np.cos(t), -np.sin(t)], [0.0, np.sin(t), np.cos(t)]])
    return Facet(name, (rectangle(-half, -half, half, half),), np.column_stack([turn, [*at, z]]))


def flat(points):
    return points[:, :2]


def never(first, second):
    return 0


def names(facets):
    return [f.id for f in facets]


class OrderTest(unittest.TestCase):
    def test_the_higher_of_two_level_pieces_is_painted_last(self):
        for heights in ((0.0, 5.0), (5.0, 0.0)):
            pieces = [facet("a", z=heights[0]), facet("b", z=heights[1], at=(5.0, 5.0))]
            self.assertEqual(names(order_facets(pieces, EYE, flat, never)), ["a", "b"] if heights[0] < heights[1] else ["b", "a"])

    def test_from_below_it_is_the_other_way_round(self):
        pieces = [facet("a"), facet("b", z=5.0, at=(5.0, 5.0))]
        self.assertEqual(names(order_facets(pieces, -EYE, flat, never)), ["b", "a"])

    def test_pieces_in_one_plane_go_by_their_layers(self):
        pieces = [facet("a"), facet("b", at=(5.0, 5.0))]
        for sign, expected in ((1, ["b", "a"]), (-1, ["a", "b"])):
            self.assertEqual(names(order_facets(pieces, EYE, flat, lambda one, two, s=sign: s if (one.id, two.id) == ("a", "b") else -s)), expected)

    def test_two_that_go_through_each_other_are_cut(self):
        found = order_facets([facet("flat"), facet("tilted", tilt_deg=30.0)], EYE, flat, never)
        self.assertEqual(len(found), 3)
        self.assertEqual(sorted(set(names(found))), ["flat", "tilted"])
        cut = [f for f in found if not f.whole]
        self.assertEqual(len(cut), 2)
        self.assertAlmostEqual(sum(shapely.Polygon(f.rings[0]).area for f in cut), 400.0, places=6)
        # The half that lies behind the whole one's plane is painted before it, the other half after it.
        self.assertEqual([f.whole for f in found], [False, True, False])
        whole = found[1]
        towards = whole.normal * np.sign(whole.normal @ (EYE - whole.frame[:, 3]))
        sides = [float((f.corners.mean(axis=0) - whole.frame[:, 3]) @ towards) for f in (found[0], found[2])]
        self.assertLess(sides[0], -1.0)
        self.assertGreater(sides[1], 1.0)

    def test_a_ring_of_three_that_lap_one_another_comes_to_an_end(self):
        pieces = [facet(n, at=p) for n, p in (("a", (0, 0)), ("b", (8, 0)), ("c", (4, 8)))]
        over = {("a", "b"): 1, ("b", "c"): 1, ("c", "a"): 1}

        def ring(one, two):
            return over.get((one.id, two.id), -over.get((two.id, one.id), 0))

        self.assertEqual(sorted(names(order_facets(pieces, EYE, flat, ring))), ["a", "b", "c"])

    def test_random_stacks_come_out_by_height(self):
        rng = np.random.default_rng(8)
        for _ in range(20):
            heights = rng.permutation(8) * 3.0
            pieces = [facet(f"{h:04.1f}", z=h, at=tuple(rng.uniform(-4, 4, 2))) for h in heights]
            self.assertEqual(names(order_facets(pieces, EYE, flat, never)), sorted(f"{h:04.1f}" for h in heights))


class EdgeTest(unittest.TestCase):
    def setUp(self):
        self.assembly, self.examination = moved(card_with("strip-slider"))

    def bars(self, axis, at, travel=0):
        poses = {p: self.examination.poses(p)[travel] for p in self.assembly.moving}
        return find_edge_bars(self.assembly, poses, axis=axis, at_mm=at)

    def test_a_cut_meets_what_lies_on_its_line_at_its_height(self):
        card = self.assembly.card
        for axis, at in (("y", card.width_mm / 2), ("x", card.height_mm / 2)):
            line = shapely.LineString([(at, -999), (at, 999)] if axis == "y" else [(-999, at), (999, at)])
            found = self.bars(axis, at)
            for part in self.assembly.parts:
                region = shapely.transform(part.region, lambda xy: xy) if part.id in self.assembly.moving else part.region_at_home
                if part.id in self.assembly.moving:
                    region = self.examination.regions(part.id)[0]
                mine = [b for b in found if b.part == part.id]
                self.assertAlmostEqual(sum(b.end - b.start for b in mine), shapely.intersection(line, region).length, places=6, msg=part.id)
                for bar in mine:
                    self.assertEqual((bar.low, bar.high), (part.z_mm, part.top_mm))

    def test_bars_of_one_level_do_not_lie_in_one_another(self):
        for bars in (self.bars("y", 40.0), self.bars("x", 60.0), self.bars("x", 60.0, travel=-1)):
            for k, one in enumerate(bars):
                for two in bars[k + 1 :]:
                    across = min(one.end, two.end) - max(one.start, two.start)
                    up = min(one.high, two.high) - max(one.low, two.low)
                    fastened = {self.assembly.by_id[b.part].role for b in (one, two)} & {"fastener"}
                    self.assertFalse(across > 0.02 and up > 0.02 and not fastened, (one, two))

    def test_what_moves_moves_along_the_cut(self):
        rest, end = self.bars("x", 60.0), self.bars("x", 60.0, travel=-1)
        strip = [next(b for b in bars if b.part == "m1.strip") for bars in (rest, end)]
        self.assertAlmostEqual(abs(strip[1].start - strip[0].start), self.examination.drives[0].end, places=6)

    def test_only_some_parts_are_cut_when_asked(self):
        found = find_edge_bars(self.assembly, {}, axis="y", at_mm=40.0, only=["card.front", "card.back"])
        self.assertEqual({b.part for b in found}, {"card.front", "card.back"})

    def test_the_drawing_magnifies_heights_only_and_shows_every_ply(self):
        bars = self.bars("x", 60.0)
        drawing = draw_edge(self.assembly, bars, axis="x", magnify=8.0)
        shapes = [p for p in drawing.primitives if isinstance(p, Shape)]
        self.assertEqual(len(shapes), len(bars))
        for shape, bar in zip(shapes, bars, strict=True):
            low, high = shape.rings[0].min(axis=0), shape.rings[0].max(axis=0)
            self.assertAlmostEqual(high[0] - low[0], bar.end - bar.start)
            self.assertAlmostEqual(high[1] - low[1], 8.0 * (bar.high - bar.low))
        plies = sum(build_assembly(card_with("strip-slider"), CATALOG).by_id[b.part].plies - 1 for b in bars)
        self.assertEqual(sum(isinstance(p, Stroke) for p in drawing.primitives), plies)


class EdgeBoxTest(unittest.TestCase):
    def test_everything_of_the_edge_lies_in_its_box_and_fills_its_height(self):
        for recipe in ("strip-slider", "iris", "waterfall"):
            built = build_assembly(card_with(recipe), CATALOG)
            drawn = draw_edge(built, find_edge_bars(built, {}, axis="x", at_mm=60.0), axis="x", magnify=4.0)
            heights = [ring[:, 1].max() for shape in drawn.primitives if isinstance(shape, Shape) for ring in shape.rings]
            self.assertLessEqual(max(heights), drawn.box[3] + 1e-9, recipe)
            self.assertGreaterEqual(drawn.box[3], 4.0 * max(p.top_mm for p in built.parts) - 1e-9)


if __name__ == "__main__":
    unittest.main()
