"""What keeps a card shut: lengths that go round, magnets that meet, strips that hold nothing that moves.

Source of the way round: length of a neutral line (handbook formula for bends); the 279.4 mm band that leaves a gap of about 4 mm on a
closed card 139.7 wide is common practice, no source.
"""

import math
import unittest

import numpy as np
import shapely
from scipy.spatial.transform import Rotation

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.outline import flat_size, thickness_mm
from lexipod.closing import close_card, magnet_discs
from lexipod.closing.pieces import box_round, stays_on_card
from lexipod.closing.stacked import closed_thickness, laid_flat, posted_regions, spread_of, stack_heights
from lexipod.cures import find_remedies
from lexipod.design import Card, Closure, Design
from lexipod.design.files import format_design, parse_design
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.fabricate import cut_list, draw_pieces
from lexipod.mechanics import band_way
from lexipod.units import UnitStyle
from tests.zoo import CATALOG, card_with


def examined(design, steps=25):
    """The design's assembly and examination."""
    assembly = build_assembly(design, CATALOG)
    return assembly, Examination(assembly, CATALOG, design.ways, steps=steps)


def closure_findings(design):
    """What is wrong with the closure."""
    return [f for f in run_checks(examined(design)[1]) if f.rule == "closure"]


class BandTest(unittest.TestCase):
    def test_its_length_is_the_way_round_and_the_lap(self):
        design = card_with("strip-slider", closure="band", closure__lap="12mm")
        assembly, examination = examined(design)
        bare = change_design(design, CATALOG, {"closure": "none"})
        thick = thickness_mm(examined(bare)[1])
        rows = {r.blank: r for r in cut_list(assembly, CATALOG)}
        card = assembly.card
        self.assertAlmostEqual(rows["card.band"].width_mm, band_way(card.width_mm, thick, card.caliper_mm) + 12.0, places=6)
        self.assertAlmostEqual(rows["card.band"].height_mm, 19.05, places=6)
        self.assertEqual(rows["card.band"].allowances[0].reason, "band")
        self.assertGreater(thickness_mm(examination), thick + 2 * card.caliper_mm - 1e-9)
        self.assertGreater(flat_size(examination)[0], flat_size(examined(bare)[1])[0])

    def test_its_bends_lie_a_card_apart(self):
        design = card_with("counter-fold", closure="band", band_width="0mm")
        assembly, _ = examined(design)
        sheet = close_card(assembly).sheets[0]
        bends = [c.start[0] for c in sheet.creases]
        self.assertEqual(len(bends), 4)  # a thick stack is scored twice at both edges
        middles = [(bends[0] + bends[1]) / 2, (bends[2] + bends[3]) / 2]
        thick = thickness_mm(examined(change_design(design, CATALOG, {"closure": "none"}))[1])
        self.assertAlmostEqual(middles[1] - middles[0], assembly.card.width_mm + thick + math.pi * assembly.card.caliper_mm / 2, places=3)

    def test_a_card_folded_at_the_top_is_banded_the_other_way(self):
        left, top = (close_card(examined(card_with("strip-slider", Card(fold=f), closure="band"))[0]) for f in ("left", "top"))
        self.assertGreater(top.sheets[0].size_mm[0], left.sheets[0].size_mm[0])  # the card is higher than wide
        x0, y0, x1, y1 = top.footprint.bounds
        self.assertAlmostEqual(y1 - y0, 139.7, places=6)
        self.assertAlmostEqual(x1 - x0, 19.05, places=6)

    def test_a_tab_that_stands_out_through_the_band_is_found_and_cured(self):
        design = card_with("strip-slider", pull="tab", direction="right", closure="band", envelope="iso.c5")
        found = closure_findings(design)
        self.assertEqual([f.severity for f in found], ["warn"])
        remedies = find_remedies(design, CATALOG, found[0])
        self.assertTrue(remedies)
        cured = change_design(design, CATALOG, remedies[0].set, mechanism=remedies[0].mechanism)
        self.assertEqual(closure_findings(cured), [])


class HemTest(unittest.TestCase):
    def test_the_sheet_grows_by_a_hem_at_both_ends_and_is_scored_there(self):
        design = card_with("spinner", closure="hem", closure__width="14mm")
        assembly, _ = examined(design)
        piece = find_blanks(assembly)[0]
        w = assembly.card.width_mm
        self.assertAlmostEqual(piece.size_mm[0], 2 * w + 28, places=6)
        np.testing.assert_allclose(sorted(c.start[0] for c in piece.creases), [14, 14 + w, 14 + 2 * w], atol=1e-6)

    def test_magnets_are_mirror_images_about_the_fold_and_meet_when_shut(self):
        for fold, axis in (("left", 0), ("top", 1)):
            assembly, _ = examined(card_with("spinner", Card(fold=fold), closure="hem"))
            closing = close_card(assembly)
            piece = find_blanks(assembly)[0]
            spots = np.array([zone.mean(axis=0) for zone, name in piece.guides if "magnet" in name])
            self.assertEqual(len(spots), 4)
            fold_at = closing.hem_mm + (assembly.card.width_mm if axis == 0 else assembly.card.height_mm)
            mirrored = spots.copy()
            mirrored[:, axis] = 2 * fold_at - mirrored[:, axis]
            for spot in spots:
                self.assertLess(np.linalg.norm(mirrored - spot, axis=1).min(), 1e-6)
            page = shapely.box(0, 0, assembly.card.width_mm, assembly.card.height_mm)
            self.assertTrue(all(page.covers(d) for d in magnet_discs(closing)))
            self.assertTrue(all(closing.footprint.covers(d) for d in magnet_discs(closing)))

    def test_magnets_are_bought_in_pairs_and_add_their_thickness(self):
        design = card_with("spinner", closure="hem")
        rows = {r.blank: r for r in cut_list(build_assembly(design, CATALOG), CATALOG)}
        self.assertEqual(rows["card.magnets"].quantity, 4)
        thicker = change_design(design, CATALOG, {"closure.magnet_thickness": "3mm"})
        self.assertIn("card.closure-thick", {f.need for f in closure_findings(thicker)})

    def test_a_shallow_hem_is_found_and_cured(self):
        design = card_with("spinner", closure="hem", closure__width="6mm")
        found = next(f for f in closure_findings(design) if f.need == "card.closure-hem")
        self.assertAlmostEqual(found.required, 8 + 4)  # a magnet of 8 and 2 mm of paper on both sides
        remedy = find_remedies(design, CATALOG, found)[0]
        self.assertEqual(closure_findings(change_design(design, CATALOG, remedy.set)), [])

    def test_a_card_without_two_pages_has_no_hem(self):
        for recipe in ("wiper", "popout-box"):
            with self.assertRaisesRegex(LexipodError, "folded card"):
                card_with(recipe, closure="hem")
        with self.assertRaisesRegex(LexipodError, "folded card"):
            card_with("spinner", base="tag", closure="hem")


class SealTest(unittest.TestCase):
    def test_it_goes_round_the_free_edge(self):
        design = card_with("two-message", closure="seal", closure__lap="15mm")
        assembly, _ = examined(design)
        thick = thickness_mm(examined(change_design(design, CATALOG, {"closure": "none"}))[1])
        sheet = close_card(assembly).sheets[0]
        self.assertAlmostEqual(sheet.size_mm[0], 30 + thick + math.pi * assembly.card.caliper_mm / 2, places=3)

    def test_one_that_leaves_the_card_is_told_on_either_side(self):
        for at, spare in ((20.0, 5.0), (10.0, -5.0), (170.0, -5.0), (100.0, 65.0)):
            bound = stays_on_card("strip", at, 15.0, 180.0, "card.seal")
            self.assertAlmostEqual(bound.measured, spare)
            self.assertEqual(bound.measured < bound.required, spare < 0, at)

    def test_panels_are_laid_flat_where_their_frames_put_them(self):
        dice = np.random.default_rng(3)
        for _ in range(5):
            frame = np.column_stack([Rotation.from_euler("z", dice.uniform(0, 6)).as_matrix(), dice.uniform(-50, 50, 3)])
            corners = dice.uniform(-20, 20, (4, 2))
            laid = laid_flat(shapely.MultiPoint(corners), frame)
            expected = [(frame[:, :3] @ [x, y, 0.0] + frame[:, 3])[:2] for x, y in corners]
            np.testing.assert_allclose(shapely.get_coordinates(laid), expected, atol=1e-9)

    def test_over_a_slider_it_blocks_and_an_offer_cures(self):
        design = card_with("strip-slider", closure="seal", envelope="iso.c5")
        found = [f for f in closure_findings(design) if f.severity == "block"]
        self.assertTrue(found)
        remedy = find_remedies(design, CATALOG, found[0])[0]
        cured = change_design(design, CATALOG, remedy.set)
        self.assertNotIn(found[0].key, {f.key for f in closure_findings(cured)})

    def test_a_slider_leaf_that_reaches_the_free_edge_is_held(self):
        sound = card_with("two-message", closure="seal", envelope="iso.c5")
        self.assertEqual(closure_findings(sound), [])
        v, width = sound.mechanisms[0].parameters, build_assembly(sound, CATALOG).card.width_mm
        wide = sound.with_parameters("m1", {"slider": width})  # from the overhanging edge across the whole closed card
        self.assertGreater(width, v["slider"])
        self.assertIn("card.closure-m1", {f.need for f in closure_findings(wide)})

    def test_a_strip_that_hardly_laps_is_told(self):
        found = closure_findings(card_with("hinge-plate", closure="seal", closure__lap="4mm"))
        self.assertIn("card.closure-lap", {f.need for f in found})


class DesignTest(unittest.TestCase):
    def test_a_closure_is_saved_and_read_again(self):
        design = card_with("hinge-plate", closure="band", closure__at="40mm")
        again = parse_design(format_design(design).encode() if isinstance(format_design(design), str) else format_design(design), source="memory")
        self.assertEqual(again.closure, Closure("band", at=40.0))
        self.assertEqual(Design().closing.kind, "none")

    def test_what_cannot_be_is_refused_by_name(self):
        design = card_with("hinge-plate", closure="band")
        for setting, value in (("closure", "zip"), ("closure.width", "-3mm"), ("closure.magnet", "90mm"), ("closure.lap", "NaN")):
            with self.assertRaises(LexipodError, msg=setting):
                change_design(design, CATALOG, {setting: value})

    def test_its_pieces_are_drawn_at_true_size(self):
        assembly, _ = examined(card_with("hinge-plate", closure="seal"))
        drawing = draw_pieces(assembly, CATALOG, UnitStyle("mm", 16), title="x", only="card")
        outline = next(i for i in drawing.primitives if getattr(i, "subject", "") == "card.seal" and getattr(i, "pen", "") == "cut")
        np.testing.assert_allclose(np.ptp(outline.rings[0], axis=0), close_card(assembly).sheets[0].size_mm, atol=1e-9)


class HeightTest(unittest.TestCase):
    """Heights of the shut card, against panels laid on one another by hand."""

    def test_a_box_round_a_region_grows_to_all_sides(self):
        self.assertEqual(box_round(shapely.box(10, 20, 40, 60), 3.0, 1.0, 2.0), ((7.0, 17.0), (43.0, 63.0), 1.0, 2.0))

    def test_a_panel_lies_on_the_highest_of_what_is_truly_under_it(self):
        for recipe in ("flip-panels", "twist-popup", "popout-box", "waterfall"):
            folding = build_assembly(card_with(recipe), CATALOG).foldings[0]
            heights, laid = stack_heights(folding), posted_regions(folding)
            beside = 0
            for panel in folding.panels:
                low, high = heights[panel.id]
                self.assertAlmostEqual(high - low, panel.thickness_mm)
                under = [
                    heights[q.id][1]
                    for q in folding.panels
                    if q.id != panel.id and heights[q.id][1] <= low + 1e-9 and laid[q.id].intersection(laid[panel.id]).area > 1.0
                ]
                self.assertAlmostEqual(low, max(under, default=0.0), places=9, msg=(recipe, panel.id))
                beside += low == 0.0
            self.assertGreater(beside, 0, recipe)

    def test_what_lies_between_the_pages_lifts_the_front_by_its_own_paper(self):
        built = build_assembly(card_with("twist-popup"), CATALOG)
        heights = {f.mechanism: stack_heights(f) for f in built.foldings}
        front, back = built.by_id["card.front"], built.by_id["card.back"]
        inner = heights["m1"]["card.front"][0] - back.thickness_mm
        self.assertGreater(inner, 0.3)
        self.assertAlmostEqual(spread_of(built, heights), inner, places=6)
        self.assertAlmostEqual(closed_thickness(built, heights), front.top_mm + inner, delta=0.6)
        flat = build_assembly(card_with("waterfall"), CATALOG)
        on_face = {f.mechanism: stack_heights(f) for f in flat.foldings}
        self.assertEqual(spread_of(flat, on_face), 0.0)
        most = max(high for _, high in on_face["m1"].values())
        self.assertAlmostEqual(closed_thickness(flat, on_face), flat.by_id["card.front"].z_mm + most, places=6)
