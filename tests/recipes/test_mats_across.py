"""A mat over two panels: one piece with a score where they are, which goes with both however they are folded."""

import unittest

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.building.fold_items import neighbours_of
from lexipod.checks.seen import seen_items, target_of
from lexipod.design import Card, Item
from lexipod.editing.change import change_design
from lexipod.editing.items import format_item, parse_item
from lexipod.errors import LexipodError
from lexipod.fabricate import cut_list
from lexipod.geometry.space import apply_frame
from lexipod.motion import solve_folds
from lexipod.pipeline import examine, judge
from lexipod.planning.plan import make_plan
from tests.random_folds import compare
from tests.random_plans import any_order
from tests.samples import some_of
from tests.zoo import CATALOG, FOLDED, card_with


def matted(recipe, on, across, border=3.0, face="front", size="iso.a6"):
    return change_design(card_with(recipe, Card(size=size)), CATALOG, {"item.mat1": f"mat on {on} {face} {border}mm across {across}"})


MATS = [
    (recipe, on, across, face)
    for recipe, on, across in (
        ("counter-fold", "m1.piece-back", "m1.piece-front"),
        ("counter-fold", "m1.quarter-1", "m1.quarter-2"),
        ("wiper", "m1.flange-1", "m1.strut-1"),
        ("hinge-plate", "m1.plate", "m1.leg"),
        ("twist-popup", "m1.inner-front", "m1.half-front"),
        ("popout-box", "m1.panel-1", "m1.panel-2"),
    )
    for face in ("front", "back")
]


class MatAcrossTest(unittest.TestCase):
    def test_the_mats_of_a_counter_fold_card_of_5_by_7_inches(self):
        """4 3/4 x 6 3/4 over both quarters, an eighth inside the card all round, scored in the middle (common practice, no source)."""
        design = change_design(card_with("counter-fold", Card(size="na.a7"), units="in"), CATALOG, {})
        design = change_design(design, CATALOG, {"item.mat1": "mat on m1.quarter-1 front 1/8in across m1.quarter-2"})
        examination, findings = judge(design, CATALOG)
        assembly = examination.assembly
        self.assertEqual([f.title for f in findings if f.severity != "note"], [])
        blank = next(b for b in find_blanks(assembly) if b.id == "m1.item-mat1")
        whole = np.ptp(blank.outline, axis=0)
        np.testing.assert_allclose(whole, (4.75 * 25.4, 6.75 * 25.4), atol=0.01)
        (score,) = blank.creases
        self.assertAlmostEqual(score.start[0] - blank.outline[:, 0].min(), whole[0] / 2, places=6)
        self.assertAlmostEqual(score.length_mm, whole[1], places=6)
        told = next(p for p in cut_list(assembly, CATALOG) if p.name == "mat mat1")
        self.assertIn("before the glue sets", told.note)

    def test_over_every_fold_of_every_piece_it_is_as_large_as_both_panels_less_its_border_and_its_halves_keep_together(self):
        """Its area by laying the two panels beside each other; its halves by where the panels carry the two ends of the score."""
        seen = 0
        for recipe in FOLDED:
            plain = build_assembly(card_with(recipe, Card(size="iso.a6")), CATALOG)
            for folding in plain.foldings:
                for panel in folding.panels:
                    for other in neighbours_of(folding, panel.id):
                        if panel.base or folding.by_id[other].base or panel.id > other:
                            continue
                        try:
                            laid = build_assembly(matted(recipe, panel.id, other, border=1.0), CATALOG).foldings[0]
                        except LexipodError as error:
                            self.assertIn("nothing is left", str(error))
                            continue
                        with self.subTest(recipe, on=panel.id, across=other):
                            self.check_halves(laid, panel, folding.by_id[other])
                            seen += 1
        self.assertGreater(seen, 12)

    def check_halves(self, folding, panel, other):
        one, two = (folding.by_id[f"m1.item-mat1{end}"] for end in ("", "-across"))
        blank = next(s for s in folding.sheets if s.id == "m1.item-mat1")
        area = one.region.area + two.region.area
        self.assertAlmostEqual(shapely.Polygon(blank.outline, blank.holes).area, area, delta=0.05)
        # inside both panels, and a border away from all their edges but the one at which they hang together
        for half, carrier in ((one, panel), (two, other)):
            self.assertTrue(carrier.region.buffer(1e-6).contains(half.region))
        self.assertLess(area, panel.region.area + other.region.area)
        drive = folding.drive
        track = solve_folds(folding, np.linspace(drive.rest, drive.end, 7))
        for crease in blank.creases:
            ends = np.array([crease.start, crease.end])
            places = []
            for half in (one, two):
                m = np.asarray(blank.laid.get(half.id, ((1, 0, 0), (0, 1, 0))), dtype=float)
                own = np.column_stack([(ends - m[:, 2]) @ np.linalg.inv(m[:, :2]).T, np.zeros(2)])
                places.append(np.array([apply_frame(f, own) for f in track.frames[half.id]]))
            np.testing.assert_allclose(places[0], places[1], atol=1e-6)

    def test_solid_sheets_and_whole_numbers_for_layers_say_the_same_of_cards_with_mats(self):
        """The second opinion on folds, on some of the 70 mats that the default folds can have."""
        for recipe, on, across, face in some_of(MATS, 4):
            with self.subTest(recipe, on=on, face=face):
                said, why = compare(matted(recipe, on, across, border=2.0, face=face))
                self.assertNotIn(said, ("missed", "false"), why)

    def test_a_mat_under_a_piece_is_glued_on_before_it_in_every_order_that_the_plan_allows(self):
        """The piece of a counter-fold card is glued on the outer quarter's front: a mat there comes first, one on its back need not."""
        for face, comes_first in (("front", True), ("back", False)):
            design = matted("counter-fold", "m1.quarter-1", "m1.quarter-2", face=face)
            plan = make_plan(build_assembly(design, CATALOG), CATALOG, design)
            mat, piece = (next(s.id for s in plan.steps if s.id.startswith(f"join-{name}-")) for name in ("m1.item-mat1", "m1.piece"))
            rng, firsts = np.random.default_rng(3), set()
            for _ in range(30):
                order = [s.id for s in any_order(plan, rng)]
                firsts.add(order.index(mat) < order.index(piece))
            self.assertEqual(firsts == {True}, comes_first, face)

    def test_what_is_thick_between_two_glued_faces_holds_them_apart_and_is_cured(self):
        for face, blocks in (("front", True), ("back", False)):
            design = change_design(
                card_with("counter-fold", Card(size="iso.a6")), CATALOG, {"item.d1": f"decoration on m1.quarter-2 {face} 20x20mm layers 1"}
            )
            _, findings = judge(design, CATALOG)
            apart = [f for f in findings if "between two glued faces" in f.title]
            self.assertEqual([f.severity for f in apart], ["block"] if blocks else [], face)
            if blocks:
                self.assertAlmostEqual(apart[0].measured, 400.0, delta=0.1)
                cured = change_design(design, CATALOG, apart[0].remedies[0].set)
                self.assertFalse([f.title for f in judge(cured, CATALOG)[1] if "between two glued faces" in f.title])

    def test_its_window_is_larger_by_the_border(self):
        design = matted("popout-box", "m1.panel-1", "m1.panel-2", border=3.0)
        folding = build_assembly(design, CATALOG).foldings[0]
        blank = next(s for s in folding.sheets if s.id == "m1.item-mat1")
        (hole,) = (shapely.Polygon(h) for h in blank.holes)
        own = next(s for s in folding.sheets if "m1.panel-1" in s.panels)
        window = max((shapely.Polygon(h) for h in own.holes), key=lambda h: h.area)
        self.assertAlmostEqual(np.sqrt(hole.area / np.pi) - np.sqrt(window.area / np.pi), 3.0, delta=0.02)

    def test_as_its_border_grows_it_is_one_piece_or_refused(self):
        """The window of the box takes away most of the fold: what is left of it carries the mat, or the two halves would fall apart."""
        refused = 0
        for border in (1.0, 3.0, 5.0, 8.0, 12.0, 20.0, 30.0):
            try:
                folding = build_assembly(matted("popout-box", "m1.panel-1", "m1.panel-2", border=border), CATALOG).foldings[0]
            except LexipodError as error:
                refused += 1
                self.assertRegex(str(error), "hang together|nothing is left")
                continue
            sheet = next(s for s in folding.sheets if s.id == "m1.item-mat1")
            halves = sum(folding.by_id[p].region.area for p in sheet.panels)
            self.assertEqual((refused, sheet.apart), (0, ()), border)
            self.assertAlmostEqual(shapely.Polygon(sheet.outline, sheet.holes).area, halves, delta=0.05)
            self.assertGreaterEqual(sum(c.length_mm for c in sheet.creases), 6.0)
        self.assertGreater(refused, 0)

    def test_what_is_seen_of_it_is_of_the_piece_that_it_is(self):
        examination = examine(matted("counter-fold", "m1.quarter-1", "m1.quarter-2"), CATALOG, steps=5)
        (item,) = seen_items(examination)
        self.assertAlmostEqual(target_of(examination, item).region.area, examination.assembly.panels["m1.item-mat1"].region.area)

    def test_it_is_written_and_read_and_refused_with_what_would_do(self):
        item = Item("mat1", "mat", "m1.quarter-1", layers=0, border=3.0, across="m1.quarter-2")
        self.assertEqual(parse_item("mat1", format_item(item), CATALOG), item)
        with self.assertRaisesRegex(LexipodError, "beside it are .*outer quarter"):
            build_assembly(matted("counter-fold", "m1.quarter-1", "m1.nothing"), CATALOG)
        with self.assertRaisesRegex(LexipodError, "only a mat lies across"):
            parse_item("d1", "decoration on m1.quarter-1 front 20x20mm across m1.quarter-2", CATALOG)
        with self.assertRaisesRegex(LexipodError, "nothing is left"):
            build_assembly(matted("counter-fold", "m1.quarter-1", "m1.quarter-2", border=60.0), CATALOG)
        with self.assertRaisesRegex(LexipodError, "no fold"):
            build_assembly(matted("strip-slider", "card.frame", "card.back"), CATALOG)


if __name__ == "__main__":
    unittest.main()
