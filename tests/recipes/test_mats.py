"""Mats: layers with a border on parts and panels, as makers' lists have them."""

import unittest

import msgspec
import shapely

from lexipod.building import build_assembly
from lexipod.checks import run_checks
from lexipod.design import Card, Item
from lexipod.editing.change import change_design
from lexipod.errors import ParameterError
from lexipod.fabricate import cut_list
from lexipod.fitting import convert_design
from lexipod.pipeline import examine
from tests.zoo import CATALOG, card_with


def mat(name, on, border, **more):
    return Item(name, "mat", on, layers=0, border=border, **more)


class MatTest(unittest.TestCase):
    def test_two_mats_on_a_panel_are_the_sizes_of_the_list(self):
        """5 x 7 card, 4 3/4 x 6 3/4, 4 1/2 x 6 1/2: common practice, no source."""
        design = msgspec.structs.replace(card_with("hinge-plate", Card(size="na.a7"), units="in"), mechanisms=())
        design = msgspec.structs.replace(design, items=(mat("m1", "card.front", 3.175), mat("m2", "card.item-m1", 3.175)))
        rows = {r.name: (r.width_mm / 25.4, r.height_mm / 25.4) for r in cut_list(build_assembly(design, CATALOG), CATALOG)}
        self.assertEqual(tuple(round(v, 6) for v in rows["mat m1"]), (4.75, 6.75))
        self.assertEqual(tuple(round(v, 6) for v in rows["mat m2"]), (4.5, 6.5))

    def test_leaves_of_a_waterfall_carry_mats_of_a_quarter_inch_less(self):
        """Leaves 3 x 3 with mats 2 3/4: common practice, no source."""
        design = card_with("waterfall", Card(size="na.a7"), units="in", leaf_size=76.2, leaf_width=76.2)
        design = msgspec.structs.replace(design, items=(mat("m1", "m1.leaf-1", 3.175),))
        examination = examine(design, CATALOG)
        panel = examination.assembly.panels["m1.item-m1"]
        left, bottom, right, top = panel.region.bounds
        self.assertAlmostEqual(right - left, 2.75 * 25.4, places=6)
        self.assertAlmostEqual(top - bottom, 2.75 * 25.4, places=6)
        self.assertFalse([f for f in run_checks(examination) if f.severity == "block"])

    def test_a_mat_leaves_its_border_round_openings_and_follows_another_card(self):
        design = card_with("strip-slider", Card(size="na.a7"))
        design = msgspec.structs.replace(design, items=(mat("m1", "card.frame", 4.0),))
        assembly = build_assembly(design, CATALOG)
        frame, made = assembly.by_id["card.frame"], assembly.by_id["card.item-m1"]
        wanted = shapely.Polygon(frame.outline).area - (2 * 4.0 * sum(frame.size_mm) - 64.0)
        self.assertAlmostEqual(shapely.Polygon(made.outline).area, wanted, delta=15.0)  # the frame has a notch for the pull
        slot, cut = (max((shapely.Polygon(h) for h in p.holes), key=lambda h: h.area) for p in (frame, made))
        for k, way in ((0, -1), (1, -1), (2, 1), (3, 1)):
            offset = made.home[k % 2] - frame.home[k % 2]
            self.assertAlmostEqual(cut.bounds[k] + offset, slot.bounds[k] + way * 4.0, places=2)
        larger = convert_design(design, CATALOG, Card(size="iso.a5")).design
        self.assertEqual(larger.items, design.items)
        self.assertGreater(build_assembly(larger, CATALOG).by_id["card.item-m1"].size_mm[0], made.size_mm[0])

    def test_what_cannot_be_a_mat_is_refused(self):
        design = card_with("strip-slider")
        with self.assertRaisesRegex(ParameterError, "nothing is left"):
            change_design(design, CATALOG, {"item.m1": "mat on m1.picture front 150mm"})
        for values in ({"kind": "mat"}, {"kind": "film", "border": 2.0}):
            with self.assertRaises(ValueError):
                Item(**{"id": "m1", "on": "card.front", "layers": 0} | values)
        made = change_design(design, CATALOG, {"item.m1": "mat on m1.picture front 1/8in"})
        self.assertEqual(change_design(made, CATALOG, {"item.m1.border": "5mm"}).items[0].border, 5.0)


if __name__ == "__main__":
    unittest.main()
