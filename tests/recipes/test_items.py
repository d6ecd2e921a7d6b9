"""What the maker glues on: as text, as parts, moved, lost and found."""

import math
import unittest

import shapely
from hypothesis import given
from hypothesis import strategies as st

from lexipod.building import build_assembly
from lexipod.building.items import round_corners
from lexipod.checks import run_checks
from lexipod.design import Item
from lexipod.design.files import format_design, parse_design
from lexipod.editing.change import change_design, without_mechanism
from lexipod.editing.items import format_item, parse_item
from lexipod.errors import LexipodError
from tests.zoo import CATALOG, card_with, moved, part

MEASURE = st.floats(1.0, 300.0).map(lambda v: round(v, 3))
PLACE = st.floats(-150.0, 150.0).map(lambda v: round(v, 3))


class TextTest(unittest.TestCase):
    @given(
        st.sampled_from(["pad", "glide", "decoration", "film"]),
        st.sampled_from(["front", "back"]),
        PLACE,
        PLACE,
        MEASURE,
        MEASURE,
        st.booleans(),
        st.integers(1, 4),
    )
    def test_what_is_written_reads_back(self, kind, face, x, y, width, height, is_round, layers):
        stock = {"pad": "foam-1", "glide": "foam-3", "decoration": "card-200", "film": ""}[kind]
        item = Item("i1", kind, "card.frame", face, (x, y), width, width if is_round else height, is_round, layers, stock)
        self.assertEqual(parse_item("i1", format_item(item), CATALOG), item)

    def test_inches_may_be_written(self):
        item = parse_item("i1", "decoration on card.frame front 1x1/2in at 1/4x-1/8in", CATALOG)
        self.assertEqual((item.width, item.height, item.at), (25.4, 12.7, (6.35, -3.175)))

    def test_nonsense_is_refused_with_an_example(self):
        for text in (
            "",
            "a sticker",
            "decoration on card.frame",
            "decoration on card.frame front big",
            "pad on x 5x5mm of nothing",
            "pad on x 0x5mm",
        ):
            with self.assertRaises(LexipodError) as caught:
                parse_item("i1", text, CATALOG)
            self.assertIn("item.i1", str(caught.exception), text)


class PartTest(unittest.TestCase):
    def setUp(self):
        self.design = card_with("strip-slider")

    def put(self, text, item="i1"):
        return change_design(self.design, CATALOG, {f"item.{item}": text})

    def test_it_lies_on_its_part_and_moves_with_it(self):
        made = self.put("decoration on m1.picture front 10x8mm at 3x-2mm layers 1")
        built, examination = moved(made)
        piece, picture = built.by_id["m1.item-i1"], built.by_id["m1.picture"]
        self.assertAlmostEqual(piece.z_mm, picture.top_mm + 2.0, places=6)  # one layer of the card's own foam, 2 mm
        self.assertEqual(built.bodies[piece.id], built.bodies[picture.id])
        way = examination.poses(piece.id)[:, 0] - examination.poses(picture.id)[:, 0]
        self.assertLess(way.max() - way.min(), 1e-9)

    def test_what_stands_in_the_way_blocks_and_moving_it_cures(self):
        made = self.put("pad on card.panel front 10x10mm at 10x-20mm")
        found = [f for f in run_checks(moved(made)[1]) if f.severity == "block"]
        self.assertIn("clearance", [f.rule for f in found])
        freed = change_design(made, CATALOG, {"item.i1.at": (30.0, 30.0)})
        self.assertEqual([f.title for f in run_checks(moved(freed)[1]) if f.severity == "block"], [])

    def test_what_lies_beside_or_under_passes_freely(self):
        flat = self.put("decoration on card.frame front 12x10mm at 30x45mm layers 0")
        self.assertEqual([f.title for f in run_checks(moved(flat)[1]) if f.severity != "note"], [])

    def test_one_whose_part_is_gone_is_told_and_kept(self):
        made = self.put("decoration on m1.nothing front 10x8mm")
        built, examination = moved(made)
        self.assertEqual(built.strays, ("i1",))
        self.assertIn("has lost its place", [f for f in run_checks(examination) if f.rule == "item"][0].title)
        self.assertEqual(parse_design(format_design(made)), made)

    def test_it_is_moved_sized_and_taken_off_by_name(self):
        made = self.put("decoration on card.frame front 10x8mm")
        made = change_design(made, CATALOG, {"item.i1.x": "5mm", "item.i1.width": "1/2in", "item.i1.layers": "2"})
        self.assertEqual((made.items[0].at, made.items[0].width, made.items[0].layers), ((5.0, 0.0), 12.7, 2))
        self.assertEqual(change_design(made, CATALOG, {"item.i1": "none"}).items, ())
        for bad in ({"item.i2": "none"}, {"item.i1.colour": "red"}, {"item.i1.width": "0mm"}):
            with self.assertRaises(LexipodError):
                change_design(made, CATALOG, bad)

    def test_it_goes_with_its_mechanism(self):
        made = change_design(self.put("decoration on m1.picture front 10x8mm"), CATALOG, {"corner.m1.picture": 3.0})
        bare = without_mechanism(made, "m1")
        self.assertEqual((bare.items, bare.corners), ((), {}))


class CornerTest(unittest.TestCase):
    def test_four_round_corners_take_the_known_area(self):
        # Four corners of radius r take (4 - pi) r² from a rectangle; eight chords a quarter come close.
        square = part("m1.s", [(0, 0), (40, 0), (40, 30), (0, 30)])
        for radius in (3.0, 8.0):
            lost = square.region.area - round_corners(square, radius).region.area
            self.assertAlmostEqual(lost, (4 - math.pi) * radius**2, delta=0.03 * radius**2)

    def test_holes_stay(self):
        ring = part("m1.s", [(0, 0), (40, 0), (40, 30), (0, 30)], holes=([(10, 10), (10, 20), (20, 20), (20, 10)],))
        self.assertTrue(shapely.Polygon(round_corners(ring, 5.0).holes[0]).equals(shapely.Polygon(ring.holes[0])))

    def test_a_design_keeps_its_corners(self):
        design = change_design(card_with("strip-slider"), CATALOG, {"corner.m1.picture": "6mm"})
        built = build_assembly(design, CATALOG)
        self.assertGreater(len(built.by_id["m1.picture"].outline), 8)
        self.assertEqual(change_design(design, CATALOG, {"corner.m1.picture": "0mm"}).corners, {})


class FoamStyleTest(unittest.TestCase):
    def test_pads_take_less_and_a_sheet_takes_more_than_strips(self):
        area = {}
        for style in ("pads", "strips", "sheet"):
            built = build_assembly(change_design(card_with("window-wheel"), CATALOG, {"foam_style": style}), CATALOG)
            area[style] = sum(p.region.area for p in built.parts if p.id.startswith("card.frame-foam"))
        self.assertLess(area["pads"], area["strips"])
        self.assertLess(area["strips"], area["sheet"])


class RadiusTest(unittest.TestCase):
    def test_a_corner_is_rounded_by_what_is_asked_and_no_more(self):
        square = part("m1.a", shapely.get_coordinates(shapely.box(0, 0, 40, 40).exterior)[:-1])
        for radius in (2.0, 5.0, 9.0):
            lost = 1600.0 - round_corners(square, radius).region.area
            self.assertAlmostEqual(lost, (4 - math.pi) * radius**2, delta=0.05 * radius**2)
        narrow = part("m1.b", shapely.get_coordinates(shapely.box(0, 0, 40, 6).exterior)[:-1])
        self.assertGreater(round_corners(narrow, 30.0).region.area, 0.6 * 240.0)


if __name__ == "__main__":
    unittest.main()
