"""The display list of a card: what lies in front is drawn last, hidden edges are dashed, and every output is written from it."""

import unittest

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.drawing.card import draw_card, part_layer, part_layers, seen_parts
from lexipod.drawing.display import Drawing, Label, Shape, Stroke, lighter_ring, lighter_shape
from lexipod.drawing.pens import FILLS, INKS, PENS
from lexipod.geometry.shapes import circle, rectangle
from tests.zoo import CATALOG, FLAT, card_with, moved


def assembly_of(recipe):
    return build_assembly(card_with(recipe), CATALOG)


class DrawingTest(unittest.TestCase):
    def test_shifting_moves_all_of_it(self):
        drawing = Drawing(
            (Shape((rectangle(0, 0, 4, 2),), "cut", "card", "a"), Stroke(np.array([[0.0, 0.0], [1.0, 1.0]]), "guide"), Label((2.0, 3.0), "x")),
            (0.0, 0.0, 4.0, 3.0),
            "t",
        )
        there = drawing.shifted(10.0, -5.0)
        self.assertEqual((there.box, there.size_mm, there.title), ((10.0, -5.0, 14.0, -2.0), (4.0, 3.0), "t"))
        shape, stroke, label = there.primitives
        self.assertEqual(shape.rings[0].min(axis=0).tolist(), [10.0, -5.0])
        self.assertEqual(stroke.points.tolist(), [[10.0, -5.0], [11.0, -4.0]])
        self.assertEqual(label.at, (12.0, -2.0))
        self.assertEqual((shape.pen, shape.fill, shape.subject), ("cut", "card", "a"))

    def test_a_lighter_ring_leaves_the_shape_by_no_more_than_asked(self):
        ring = circle((0.0, 0.0), radius_mm=30.0)
        for detail in (0.02, 0.1, 0.5):
            light = lighter_ring(ring, detail)
            self.assertLess(len(light), len(ring))
            self.assertLessEqual(shapely.hausdorff_distance(shapely.Polygon(ring), shapely.Polygon(light)), detail + 1e-9)
        self.assertIs(lighter_ring(ring, 0.0), ring)
        self.assertEqual(len(lighter_shape(Shape((ring, rectangle(0, 0, 1, 1))), 0.1).rings), 2)

    def test_the_same_ring_gets_the_same_answer(self):
        ring = circle((0.0, 0.0), radius_mm=12.0)
        self.assertIs(lighter_ring(ring, 0.05), lighter_ring(ring, 0.05))


class PenTest(unittest.TestCase):
    """Line codes after the drawing standards (ISO 128, from memory): cuts solid, folds and hidden edges broken, each its own way."""

    def test_cuts_are_solid_and_folds_broken(self):
        self.assertEqual(PENS["cut"].dash_mm, ())
        dashes = [PENS[p].dash_mm for p in ("valley", "mountain", "hidden", "centre")]
        self.assertTrue(all(dashes))
        self.assertEqual(len(set(dashes)), 4)
        self.assertEqual(len(PENS["valley"].dash_mm), 2)  # dash, gap
        self.assertEqual(len(PENS["mountain"].dash_mm), 4)  # dash, gap, dot, gap

    def test_every_pen_has_an_ink_and_a_width_that_prints(self):
        for name, pen in PENS.items():
            self.assertIn(pen.ink, INKS, name)
            self.assertTrue(0.1 <= pen.width_mm <= 0.5, name)


class CardTest(unittest.TestCase):
    def test_what_lies_in_front_is_drawn_later(self):
        for recipe in FLAT:
            built = assembly_of(recipe)
            heights = [built.by_id[layer.part].z_mm for layer in part_layers(built)]
            self.assertEqual(heights, sorted(heights), recipe)
            self.assertNotIn("card.back", [p.id for p in seen_parts(built)])

    def test_every_part_that_is_seen_has_its_layer_with_known_pens(self):
        for recipe in FLAT:
            built = assembly_of(recipe)
            for part in seen_parts(built):
                layer = part_layer(built, part)
                for item in (*layer.front, *layer.behind):
                    if isinstance(item, Shape):
                        self.assertTrue(item.pen == "" or item.pen in PENS, (recipe, item.pen))
                        self.assertTrue(item.fill == "" or item.fill in FILLS or item.fill.startswith("art:"), (recipe, item.fill))

    def test_a_shape_keeps_the_area_of_its_part_wherever_it_lies(self):
        built, examination = moved(card_with("strip-slider"))
        for travel in (0, -1):
            poses = {p: examination.poses(p)[travel] for p in built.moving}
            drawing = draw_card(built, poses, hidden=False)
            strip = next(s for s in drawing.primitives if isinstance(s, Shape) and s.subject == "m1.strip")
            self.assertAlmostEqual(shapely.Polygon(strip.rings[0]).area, shapely.Polygon(built.by_id["m1.strip"].outline).area, places=6)
            self.assertTrue(np.allclose(strip.rings[0].min(axis=0), shapely.get_coordinates(examination.regions("m1.strip")[travel]).min(axis=0)))

    def test_hidden_edges_are_left_out_when_asked(self):
        built = assembly_of("strip-slider")
        with_them, without = (draw_card(built, {}, hidden=h) for h in (True, False))
        dashed = [p for p in with_them.primitives if isinstance(p, Shape) and p.pen == "hidden"]
        self.assertTrue(dashed)
        self.assertEqual(len(with_them.primitives) - len(without.primitives), len(dashed))
        self.assertFalse([p for p in without.primitives if isinstance(p, Shape) and p.pen == "hidden"])

    def test_leaves_that_lap_in_a_ring_cover_each_other_everywhere(self):
        built = assembly_of("iris")
        drawing = draw_card(built, {}, hidden=False)
        rings = [p for p in built.parts if p.over]
        self.assertTrue(rings)
        for part in rings:
            pieces = [shapely.Polygon(s.rings[0], s.rings[1:]) for s in drawing.primitives if isinstance(s, Shape) and s.subject == part.id]
            drawn = shapely.union_all([p for p in pieces if p.is_valid])
            self.assertLessEqual(drawn.area, part.region.area + 1e-6)

    def test_the_drawing_is_as_large_as_the_card(self):
        for recipe in FLAT:
            built = assembly_of(recipe)
            self.assertEqual(draw_card(built, {}).box, (0.0, 0.0, built.card.width_mm, built.card.height_mm))


class PieceTest(unittest.TestCase):
    def test_every_part_that_is_cut_is_on_one_piece(self):
        for recipe in FLAT:
            built = assembly_of(recipe)
            carried = [name for piece in find_blanks(built) for name in piece.panels]
            self.assertEqual(len(carried), len(set(carried)), recipe)
            cut = {p.id for p in built.parts if p.role != "fastener" and p.quantity}
            self.assertLessEqual(cut, set(carried), recipe)

    def test_pieces_lie_at_the_origin_with_their_own_area(self):
        built = assembly_of("pivot-arm")
        for piece in find_blanks(built):
            self.assertTrue(np.allclose(piece.outline.min(axis=0), 0.0, atol=1e-6), piece.id)
            if len(piece.panels) == 1 and piece.panels[0] in built.by_id and not piece.creases:
                area = shapely.Polygon(piece.outline, piece.holes).area
                self.assertAlmostEqual(area, built.by_id[piece.panels[0]].region.area, delta=0.02 * area, msg=piece.id)


if __name__ == "__main__":
    unittest.main()
