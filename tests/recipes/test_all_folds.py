"""What holds for every mechanism that folds: sound defaults, exact symmetry, sheets that add up, and who stands beside whom."""

import itertools
import unittest

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.demo import demo_names, load_demo
from lexipod.design import Card, Ways
from lexipod.editing.change import add_mechanism, change_design, new_design
from lexipod.errors import CardTooSmall, LexipodError, ParameterError
from lexipod.fabricate import cut_list
from lexipod.geometry.space import apply_frame
from lexipod.motion import solve_folds
from lexipod.recipes import RECIPES
from tests.samples import some_of
from tests.zoo import CATALOG, FLAT, FOLDED, card_with

KINDS = [(r, {}) for r in FOLDED] + [("wiper", {"placement": "own"}), ("flip-panels", {"drive": "link"}), ("spin-popup", {"arms": "2"})]
SOME = ("na.a2", "na.a7", "na.sq3", "na.slim", "iso.a4")


def found(design, steps=13):
    """The findings of a design."""
    return run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=steps))


class DefaultTest(unittest.TestCase):
    def test_defaults_block_nothing_on_any_card_that_is_large_enough(self):
        for recipe, size, orientation in some_of(itertools.product(FOLDED, SOME, ("portrait", "landscape")), 5 * len(FOLDED)):
            with self.subTest(recipe, size=size, orientation=orientation):
                try:
                    design = new_design(recipe, CATALOG, card=Card(size=size, orientation=orientation))
                except CardTooSmall as refusal:
                    self.assertRegex(str(refusal), r"does not fit a card of .*; from about .* it fits")
                    continue
                blocks = [(f.rule, f.parts, f.message) for f in found(design) if f.severity == "block"]
                self.assertEqual(blocks, [])

    def test_a_tiny_card_is_refused(self):
        for recipe in FOLDED:
            with self.assertRaises(CardTooSmall):
                new_design(recipe, CATALOG, card=Card(size="free", width=30, height=30))

    def test_the_cards_of_the_collection_move_freely(self):
        seen = set()
        for name in demo_names():
            design = load_demo(name)
            seen |= {m.recipe for m in design.mechanisms}
            self.assertEqual([(f.title, f.message) for f in found(design) if f.severity == "block"], [], name)
            self.assertTrue(design.story and design.items, name)
        self.assertEqual(seen, set(RECIPES))


class SymmetryTest(unittest.TestCase):
    def test_a_mirrored_mechanism_is_the_mirror_image_at_every_position(self):
        for recipe, given in KINDS:
            plain, mirrored = (build_assembly(card_with(recipe, mirror=m, **given), CATALOG) for m in ("no", "yes"))
            one, two = plain.foldings[0], mirrored.foldings[0]
            if one.kind == "inside":
                continue  # these are mirrored along the gutter, the card keeps its fold
            travel = np.linspace(one.drive.rest, one.drive.end, 7)
            a, b = solve_folds(one, travel), solve_folds(two, travel)
            for panel in one.panels:
                if panel.base:
                    continue
                left = apply_frame(a.frames[panel.id], panel.corners)
                right = apply_frame(b.frames[panel.id], two.by_id[panel.id].corners)
                flipped = left * (-1.0, 1.0, 1.0) + (plain.card.width_mm, 0.0, 0.0)
                for k in range(len(travel)):
                    np.testing.assert_allclose(_sorted(flipped[k]), _sorted(right[k]), atol=1e-6, err_msg=f"{recipe} {panel.id}")

    def test_inside_it_is_mirrored_along_the_gutter(self):
        for recipe in ("twist-popup", "spin-popup", "hinge-plate"):
            plain, mirrored = (build_assembly(card_with(recipe, mirror=m), CATALOG) for m in ("no", "yes"))
            one, two = plain.foldings[0], mirrored.foldings[0]
            a, b = solve_folds(one, np.array([0.0, 70.0, 140.0])), solve_folds(two, np.array([0.0, 70.0, 140.0]))
            for panel in one.panels:
                if panel.base:
                    continue
                up = apply_frame(a.frames[panel.id], panel.corners) * (1.0, -1.0, 1.0) + (0.0, plain.card.height_mm, 0.0)
                down = apply_frame(b.frames[panel.id], two.by_id[panel.id].corners)
                for k in range(3):
                    np.testing.assert_allclose(_sorted(up[k]), _sorted(down[k]), atol=1e-6, err_msg=f"{recipe} {panel.id}")

    def test_inches_and_millimetres_give_the_same_design(self):
        for recipe in FOLDED:
            base = card_with(recipe)
            for p in [p for p in RECIPES[recipe].parameters if p.kind == "length"][:3]:
                value = base.mechanisms[0].parameters[p.name]
                inch = change_design(base, CATALOG, {p.name: f"{value / 25.4:.9f} in"})
                self.assertAlmostEqual(inch.mechanisms[0].parameters[p.name], value, places=6)


def _sorted(points):
    """Points in an order that does not depend on where a ring begins."""
    rounded = np.round(points, 5) + 0.0
    return rounded[np.lexsort(rounded.T)]


class SheetTest(unittest.TestCase):
    def test_panels_lie_in_their_sheet_and_scores_run_between_them(self):
        for recipe, given in KINDS:
            folding = build_assembly(card_with(recipe, **given), CATALOG).foldings[0]
            for sheet in folding.sheets:
                whole = shapely.Polygon(sheet.outline, sheet.holes).buffer(1e-4)
                panels = {p: folding.by_id[p] for p in sheet.panels}
                for panel in panels.values():
                    self.assertTrue(whole.covers(panel.region), (recipe, panel.id))
                regions = [p.region for p in panels.values()]
                shared = sum(a.intersection(b).area for k, a in enumerate(regions) for b in regions[:k])
                self.assertLess(shared, 1e-6, (recipe, sheet.id))
                for crease in sheet.creases:
                    line = shapely.LineString([crease.start, crease.end])
                    self.assertTrue(whole.covers(line), (recipe, crease.name))
                    for panel in crease.panels:
                        if panel in panels:
                            self.assertLess(line.distance(panels[panel].region), 1e-6, (recipe, crease.name))

    def test_score_positions_add_up_to_the_sheet(self):
        wanted = {
            ("popout-box", "strip"): lambda v: [v["panel"] - t, *[v["panel"] + t / 2] * 3, v["flap"] + t / 2],
            ("hinge-plate", "strip"): lambda v: [v["tab"], v["plate"], v["plate_leg"], v["tab"]],
            ("counter-fold", "card"): lambda v: [v["width"], v["width"] / 2 - t / 2, v["width"] / 2 - t],
        }
        # Half a caliper goes into each fold that is pressed shut; what lies inside others is cut half to one caliper short for each.
        t = CATALOG.stocks["card-300"].caliper_mm
        for (recipe, name), widths in wanted.items():
            design = card_with(recipe)
            row = next(r for r in cut_list(build_assembly(design, CATALOG), CATALOG) if r.name == name)
            marks = sorted({0.0, *(round(s.at_mm, 6) for s in row.scores if s.along == "width"), round(row.width_mm, 6)})
            np.testing.assert_allclose(np.diff(marks), widths(design.mechanisms[0].parameters), atol=1e-5, err_msg=recipe)

    def test_two_outer_panels_and_a_mat_come_out_as_makers_cut_them(self):
        # Common practice, no source: a wiper's sheet is main, strut and flange wide, in one row.
        design = card_with("wiper", main="127mm", strut="19.05mm", flange="25.4mm", height="108mm")
        row = next(r for r in cut_list(build_assembly(design, CATALOG), CATALOG) if r.blank == "m1.sheet-1")
        self.assertAlmostEqual(row.width_mm, 171.45, places=9)
        self.assertEqual({round(s.at_mm, 2) for s in row.scores}, {127.0, 146.05})
        self.assertEqual({s.fold for s in row.scores}, {"mountain", "valley"})
        self.assertEqual({s.runs for s in row.scores}, {"free"})

    def test_cuts_inside_a_sheet_are_neither_rim_nor_score(self):
        pieces = {p.id: p for p in find_blanks(build_assembly(card_with("twist-popup"), CATALOG))}
        slits = pieces["m1.inner"].slits
        v = card_with("twist-popup").mechanisms[0].parameters
        foot = v["half_length"] * np.cos(np.radians(v["diagonal_angle"]))
        far = np.hypot(foot * np.sin(np.radians(v["diagonal_angle"])), v["half_length"] - foot * np.cos(np.radians(v["diagonal_angle"])))
        np.testing.assert_allclose([shapely.LineString(s).length for s in slits], [far, far], atol=0.1)
        self.assertEqual(len(pieces["m1.inner"].holes), 1)  # the window goes through the inner card too
        self.assertEqual([p.slits for p in find_blanks(build_assembly(card_with("counter-fold"), CATALOG)) if p.slits], [])

    def test_allowances_name_their_reason(self):
        told = [a for r in FOLDED for s in build_assembly(card_with(r), CATALOG).foldings[0].sheets for a in s.allowances]
        self.assertTrue(told)
        self.assertEqual({a.reason for a in told}, {"creep", "crease", "gap", "band"})
        for a in told:
            self.assertTrue(a.why and a.where and a.amount_mm)


class CompanyTest(unittest.TestCase):
    def test_flat_and_folding_stand_on_one_card(self):
        design = add_mechanism(card_with("iris", Card(size="na.a7")), "twist-popup", CATALOG, given={"window": "0mm"})
        assembly = build_assembly(design, CATALOG)
        self.assertEqual([d.mechanism for d in assembly.all_drives], ["m1", "m2"])
        self.assertEqual([f.rule for f in found(design) if f.severity == "block"], [])

    def test_what_is_a_card_of_its_own_stands_alone(self):
        for recipe in ("wiper", "popout-box", "counter-fold", "two-message"):
            with self.assertRaisesRegex(ParameterError, "card of its own"):
                add_mechanism(card_with("spinner"), recipe, CATALOG)

    def test_the_inside_needs_two_pages_and_is_not_shifted(self):
        with self.assertRaisesRegex(LexipodError, "inside a folded card"):
            card_with("twist-popup", base="panel")
        with self.assertRaisesRegex(LexipodError, "gutter"):
            change_design(card_with("twist-popup"), CATALOG, {"shift": "3mm x 0mm"})

    def test_two_inside_share_the_page_that_opens_them(self):
        design = add_mechanism(card_with("hinge-plate", Card(size="iso.a5"), plate_height="30mm", from_bottom="10mm"), "thread-spinner", CATALOG)
        assembly = build_assembly(design, CATALOG)
        a, b = (solve_folds(f, np.array([0.0, 90.0])) for f in assembly.foldings)
        np.testing.assert_allclose(a.frames["card.front"], b.frames["card.front"], atol=1e-9)

    def test_every_flat_mechanism_still_has_no_folds(self):
        for recipe in FLAT:
            self.assertEqual(build_assembly(card_with(recipe), CATALOG).foldings, ())


class RandomTest(unittest.TestCase):
    def test_random_parameters_build_and_fold_or_say_why_not(self):
        rng = np.random.default_rng(6)
        judged = 0
        for recipe, given in KINDS:
            base = card_with(recipe, **given)
            numeric = [p for p in RECIPES[recipe].parameters if p.kind in ("length", "angle", "number")]
            for _ in range(4):
                changes = {}
                for p in rng.choice(numeric, size=min(4, len(numeric)), replace=False):
                    value = base.mechanisms[0].parameters[p.name] * rng.uniform(0.6, 1.5)
                    changes[p.name] = float(np.clip(round(value, 3), p.minimum, p.maximum))
                design = base.with_parameters("m1", changes)
                try:
                    assembly = build_assembly(design, CATALOG)
                except LexipodError as refusal:
                    self.assertTrue(str(refusal))
                    continue
                examination = Examination(assembly, CATALOG, Ways(), steps=7)
                track = examination.fold_track("m1")
                judged += 1
                if track.reached.any():
                    self.assertLess(track.residual_mm, 1e-6, (recipe, changes))
                if not track.reached.all():
                    self.assertTrue([f for f in run_checks(examination) if f.severity == "block"], (recipe, changes))
        self.assertGreater(judged, 20)
