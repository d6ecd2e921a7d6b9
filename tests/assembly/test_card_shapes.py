"""The card's own shape: unequal pages with an inner card, doors, a tag's hole and corners."""

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.gate import check_doors
from lexipod.checks.height_map import map_heights
from lexipod.checks.outline import flat_size, thickness_mm
from lexipod.cures import find_remedies
from lexipod.design import Card, Ways
from lexipod.editing.change import add_mechanism, change_design, new_design
from lexipod.errors import LexipodError
from lexipod.fabricate import cut_list
from tests.zoo import CATALOG

INCH = 25.4


def made(recipe: str, card: str = "5x7in", **given):
    """A new design with its assembly."""
    design = new_design(recipe, CATALOG, given={"card": card, **{k.replace("__", "."): v for k, v in given.items()}})
    return design, build_assembly(design, CATALOG)


def judged(design):
    """Its findings, notes aside."""
    return [f for f in run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)) if f.severity != "note"]


class UnequalPagesTest(unittest.TestCase):
    def test_the_trades_inner_card_comes_out(self):
        # Outer pages 4 3/4 and 5 in wide take an inner card of 9 1/2 in scored at 4 5/8 in, which leaves 1/8 in at both outer edges and
        # nothing at the gutter: common practice, no source.
        design, assembly = made("spinner", card__front_less="1/4in", card__inner="1/8in")
        rows = {r.name: r for r in cut_list(assembly, CATALOG)}
        card, inner = rows["card"], rows["inner card"]
        self.assertEqual((round(card.width_mm / INCH, 6), round(card.height_mm / INCH, 6)), (9.75, 7.0))
        self.assertEqual((round(inner.width_mm / INCH, 6), round(inner.height_mm / INCH, 6)), (9.5, 6.75))
        self.assertEqual({round(min(s.at_mm, 9.75 * INCH - s.at_mm) / INCH, 6) for s in card.scores}, {4.75})
        self.assertEqual([round(s.at_mm / INCH, 6) for s in inner.scores], [4.625])
        self.assertEqual([f.title for f in judged(design)], [])

    def test_both_pages_lie_on_each_other_as_they_should(self):
        for fold in ("left", "top"):
            _, assembly = made("spinner", fold=fold, card__front_less="6mm", card__inner="3mm")
            front, back = (assembly.by_id[f"card.{n}"].region_at_home for n in ("front", "back"))
            self.assertTrue(front.within(back.buffer(1e-9)))
            self.assertAlmostEqual(back.area - front.area, 6.0 * (7 if fold == "left" else 5) * INCH, places=6)
            edge = shapely.LineString([(0, 0), (0, 7 * INCH)] if fold == "left" else [(0, 7 * INCH), (5 * INCH, 7 * INCH)])
            self.assertLess(edge.hausdorff_distance(shapely.intersection(front.boundary, edge)), 1e-6)
            for name in ("inner-front", "inner-back"):
                inner = assembly.by_id[f"card.{name}"]
                outer = front if name == "inner-front" else back
                self.assertAlmostEqual(shapely.hausdorff_distance(outer, inner.region_at_home), math.hypot(3.0, 3.0), places=6)
                self.assertLess(inner.region_at_home.distance(edge), 1e-9)
            stack = [assembly.by_id[f"card.{n}"] for n in ("back", "inner-back", "inner-front", "front")]
            for below, above in itertools.pairwise(stack):
                self.assertAlmostEqual(below.top_mm, above.z_mm)

    def test_a_mechanism_stands_on_the_narrower_page(self):
        for fold, box in (("left", (0, 0, 4.75 * INCH, 7 * INCH)), ("top", (0, 0.25 * INCH, 5 * INCH, 7 * INCH))):
            for changes in ({}, {"mirror": "yes"}, {"turned": "90"}):
                design, assembly = made("strip-slider", fold=fold, card__front_less="1/4in", **changes)
                page = shapely.box(*box)
                self.assertEqual(tuple(round(v, 6) for v in assembly.by_id["card.front"].region.convex_hull.bounds), tuple(round(v, 6) for v in box))
                for name in ("card.frame", "m1.backing", "m1.rail-low", "m1.picture"):
                    self.assertTrue(assembly.by_id[name].region_at_home.within(page.buffer(1e-6)), (fold, changes, name))
                self.assertEqual([f.title for f in judged(design) if f.severity == "block"], [])

    def test_what_brings_its_own_inside_refuses_with_what_would_do(self):
        with self.assertRaisesRegex(LexipodError, "set card.inner="):
            new_design("twist-popup", CATALOG, given={"card.inner": "3mm"})
        with self.assertRaisesRegex(LexipodError, "set card.front_less="):
            new_design("wiper", CATALOG, given={"card.front_less": "6mm"})
        with self.assertRaisesRegex(LexipodError, "equally wide"):
            new_design("spinner", CATALOG, given={"card.front_less": "6mm", "closure": "hem"})
        with self.assertRaisesRegex(LexipodError, "only a folded card"):
            new_design("spinner", CATALOG, given={"base": "tag", "card.inner": "3mm"})


class DoorsTest(unittest.TestCase):
    def test_the_sheet_has_two_doors_that_meet_in_the_middle_over_what_lies_there(self):
        for fold in ("left", "top"):
            design, assembly = made("spinner", base="gate", fold=fold, units="mm", card="120x160mm")
            blank = next(b for b in find_blanks(assembly) if b.id == "card.sheet")
            size = 120 if fold == "left" else 160
            axis = 0 if fold == "left" else 1
            marks = sorted(c.start[axis] for c in blank.creases)
            self.assertEqual(len(marks), 4)
            door, gap = marks[0], marks[1] - marks[0]
            stack = max(p.top_mm for p in assembly.parts) - assembly.card.caliper_mm
            self.assertGreaterEqual(gap, stack - 1e-9)  # a score each for the middle's edge and the door's, the stack between them
            self.assertLess(gap, stack + 0.5)
            self.assertAlmostEqual(marks[2] - marks[1], size)
            self.assertLess(2 * door, size)
            self.assertGreater(2 * door, size - 2.5)
            self.assertAlmostEqual(blank.size_mm[axis], 2 * door + 2 * gap + size)
            self.assertEqual({c.fold for c in blank.creases}, {"valley"})
            self.assertEqual([f.title for f in judged(design) if f.rule != "envelope"], [])

    def test_shut_the_doors_lie_on_all_of_it(self):
        plain, closed = (Examination(made("spinner", base=b)[1], CATALOG, Ways(), steps=5) for b in ("panel", "gate"))
        t = plain.assembly.card.caliper_mm
        self.assertAlmostEqual(thickness_mm(closed), thickness_mm(plain) + t)
        # The section is now a box as high as the thickest place: half its girth is width plus height (elementary geometry).
        self.assertAlmostEqual(flat_size(closed)[0], 5 * INCH + thickness_mm(closed), places=6)

    def test_what_stands_out_at_a_door_is_told_and_cured(self):
        design, _ = made("strip-slider", base="gate", pull="tab", envelope="na.env.a9")
        found = next(f for f in judged(design) if f.rule == "gate")
        self.assertEqual((found.severity, found.missing > 0), ("block", True))
        cures = find_remedies(design, CATALOG, found)
        self.assertIn({"fold": "top"}, [c.set for c in cures])
        for cure in cures:
            self.assertFalse([f for f in judged(change_design(design, CATALOG, cure.set)) if f.rule == "gate"], cure.label)

    def test_a_notch_may_not_take_most_of_a_hinge(self):
        design, _ = made("strip-slider", "130x62mm", base="gate", strip_height="34mm", notch_depth="30mm")
        self.assertEqual([f.severity for f in judged(design) if f.rule == "gate"], ["warn"])

    def test_what_is_stuck_on_a_door_lies_on_the_middle_when_it_is_shut_and_there_is_room_for_it(self):
        """The doors are folded over by hand here: mirrored in their score, and laid down column by column."""
        foam = CATALOG.foams["foam-1"]  # that under the panel
        for fold, side, where in (("left", "left", "0x0mm"), ("left", "right", "0x0mm"), ("top", "left", "10x0mm"), ("top", "right", "-10x0mm")):
            design, bare = made("spinner", base="gate", fold=fold, units="mm", card="120x160mm")
            text = f"decoration on card.gate-{side} front 30x30mm at {where} layers 2"
            stuck = change_design(design, CATALOG, {"item.d1": text})
            assembly = build_assembly(stuck, CATALOG)
            paper = assembly.by_id["card.item-d1"].thickness_mm
            door = assembly.by_id[f"card.gate-{side}"]
            axis, size = (0, 120) if fold == "left" else (1, 160)
            bounds = door.region_at_home.bounds
            near, edge = (bounds[axis + 2], 0.0) if bounds[axis] < 0 else (bounds[axis], float(size))
            item = np.asarray(assembly.by_id["card.item-d1"].region_at_home.exterior.coords)
            item[:, axis] = edge - (item[:, axis] - near)
            shut = shapely.Polygon(item)
            under = max(p.top_mm for p in bare.parts if not p.id.startswith("card.gate") and p.region_at_home.intersection(shut).area > 0.01)
            tall = foam.thickness_mm * 2 + paper
            highest = max(p.top_mm for p in bare.parts)
            blank = next(b for b in find_blanks(assembly) if b.id == "card.sheet")
            marks = sorted(c.start[axis] for c in blank.creases)
            wanted = max(highest, under + tall) - assembly.card.caliper_mm
            for apart in (marks[1] - marks[0], marks[3] - marks[2]):
                self.assertGreaterEqual(apart, wanted - 1e-9, (fold, side))
                self.assertLess(apart, wanted + 0.5)
            examination = Examination(assembly, CATALOG, Ways(), steps=5)
            self.assertAlmostEqual(thickness_mm(examination), max(highest, under + tall) + assembly.card.caliper_mm)
            self.assertAlmostEqual(float(map_heights(examination).top.max()), thickness_mm(examination))
            self.assertFalse([f.title for f in judged(stuck) if f.rule in ("gate", "outline")])

    def test_a_door_that_is_held_open_by_what_lies_there_at_rest_is_told(self):
        """The scores go by where parts are laid down; here the hand is laid down beside the place under the door's piece and rests on it."""
        text = "decoration on card.gate-left front 20x20mm layers 3"
        design = change_design(made("spinner", base="gate", units="mm", card="120x160mm")[0], CATALOG, {"item.d1": text})
        assembly = build_assembly(design, CATALOG)
        self.assertFalse([f for f in judged(design) if f.rule == "gate"])
        hand = assembly.by_id["m1.hand"]
        x, y = np.asarray(assembly.on_doors[-1].region.centroid.coords)[0] - hand.outline.mean(axis=0)
        moved = replace(assembly, parts=tuple(replace(p, home=(x, y, 0.0)) if p is hand else p for p in assembly.parts))
        there = Examination(moved, CATALOG, Ways(), steps=5)
        there.poses = lambda part: np.array([moved.by_id[part].home])  # where it is at rest
        found = list(check_doors(there))
        short = [f for f in found if f.title.endswith("holds its door open")]
        self.assertEqual([(f.severity, f.parts) for f in short], [("block", ("card.item-d1", "m1.hand"))])
        gap = float(assembly.by_id["card.front"].region_at_home.bounds[0] - assembly.gates[0].region_at_home.bounds[2])
        tall = sum(assembly.by_id[p].thickness_mm for p in ("card.item-d1", "card.item-d1-foam"))
        self.assertAlmostEqual(short[0].measured, hand.top_mm + tall - gap - assembly.card.caliper_mm, places=4)

    def test_what_folds_on_the_middle_has_room_between_it_and_the_doors(self):
        for recipe in ("waterfall", "flip-panels"):
            design, assembly = made(recipe, base="gate", units="mm")
            examination = Examination(assembly, CATALOG, Ways(), steps=25)
            stack = max(top for _, top in examination.stack_heights(assembly.foldings[0]).values()) - assembly.card.caliper_mm
            blank = next(b for b in find_blanks(assembly) if b.id == "card.sheet")
            marks = sorted(c.start[0] for c in blank.creases)
            self.assertEqual(len(marks), 4)  # a score each for the middle's edge and the door's, what is folded between them
            self.assertGreaterEqual(marks[1] - marks[0], stack - 1e-9, recipe)
            self.assertLess(marks[1] - marks[0], 2 * stack, recipe)
            self.assertFalse([f.title for f in judged(design) if f.rule in ("gate", "outline")])

    def test_what_is_stuck_on_both_doors_may_not_meet_nor_stand_out_of_the_shut_card(self):
        design, _ = made("spinner", base="gate", units="mm", card="120x160mm")
        both = {f"item.{n}": f"decoration on card.gate-{side} front 20x20mm at {x}x50mm" for n, side, x in (("d1", "left", -25), ("d2", "right", 25))}
        met = change_design(design, CATALOG, both)
        found = [f for f in judged(met) if f.rule == "gate"]
        self.assertEqual([(f.severity, set(f.parts)) for f in found], [("block", {"card.item-d1", "card.item-d2"})])
        cure = find_remedies(met, CATALOG, found[0])[0]
        self.assertFalse([f for f in judged(change_design(met, CATALOG, cure.set)) if f.rule == "gate"], cure.label)
        out = change_design(design, CATALOG, {"item.d1": "decoration on card.gate-left front 20x20mm at 0x72mm"})
        self.assertEqual([f.measured for f in judged(out) if f.rule == "outline"], [2.0])


class TagTest(unittest.TestCase):
    def test_corners_and_hole_are_in_the_sheet_and_clear_of_what_lies_on_it(self):
        design, assembly = made("spinner", "60x120mm", base="tag", card__hole="4mm", card__corners="12mm", card__corner_cut="clipped")
        tag, panel = assembly.by_id["card.front"].region, assembly.by_id["card.panel"].region_at_home
        self.assertAlmostEqual(tag.area, 60 * 120 - 2 * 12 * 12 / 2 - math.pi * 2.0**2, delta=0.05)  # two clipped triangles, one circle
        hole = shapely.Point(30, 120 - 6).buffer(2.0)
        self.assertGreaterEqual(panel.distance(hole), 1.99)
        self.assertTrue(panel.within(shapely.Polygon(tag.exterior)))
        self.assertEqual([f.title for f in judged(design)], [])

    def test_round_corners_take_a_square_less_a_quarter_disc(self):
        for base, corners in (("panel", 4), ("folded", 2)):
            _, assembly = made("spinner", base=base, card__corners="8mm")
            lost = 5 * 7 * INCH**2 - assembly.by_id["card.front"].region.area
            self.assertAlmostEqual(lost, corners * 8.0**2 * (1 - math.pi / 4), delta=0.05 * corners)
        _, assembly = made("spinner", card__corners="8mm")
        sheet = next(b for b in find_blanks(assembly) if b.id == "card.sheet")
        self.assertAlmostEqual(10 * 7 * INCH**2 - sheet.region.area, 4 * 8.0**2 * (1 - math.pi / 4), delta=0.2)

    def test_what_lies_past_a_cut_corner_stands_out(self):
        plain, cut = (made("spinner", "60x120mm", base="tag", card__corners=c, card__corner_cut="clipped")[0] for c in ("0mm", "20mm"))
        item = {"item.d1": "decoration on card.front front 6x6mm at 25x55mm"}
        told = [[f.rule for f in judged(change_design(d, CATALOG, item)) if "d1" in str(f.parts)] for d in (plain, cut)]
        self.assertNotIn("outline", told[0])
        self.assertIn("outline", told[1])

    def test_a_second_mechanism_keeps_the_shape(self):
        design, _ = made("spinner", "100x160mm", base="tag", card__hole="4mm")
        both = add_mechanism(design, "spinner", CATALOG, given={"pivot": "50x40mm"})
        self.assertEqual(both.card, design.card)


class BadShapeTest(unittest.TestCase):
    def test_measures_out_of_range_are_refused_by_name(self):
        for changes in (
            {"card.corners": "99mm"},
            {"card.hole": "-1mm"},
            {"card.inner": "200mm"},
            {"card.front_less": "far"},
            {"card.corner_cut": "torn"},
        ):
            with self.assertRaisesRegex(LexipodError, next(iter(changes)).removeprefix("card.")):
                new_design("spinner", CATALOG, card=Card(base="tag"), given=changes)


class EnvelopeTest(unittest.TestCase):
    def test_an_envelope_of_the_makers_own_size_is_compared_like_any_other(self):
        design, assembly = made("spinner", "100x150mm", envelope="160 x 110 mm", units="mm")
        self.assertEqual((assembly.card.envelope, assembly.card.envelope_mm), ("160x110mm", (110.0, 160.0)))
        self.assertEqual([f.rule for f in judged(design)], [])
        told = [[(f.rule, f.severity) for f in judged(change_design(design, CATALOG, {"envelope": e}))] for e in ("101x151mm", "99x150mm")]
        self.assertEqual(told, [[("envelope", "warn")], [("envelope", "block")]])
        for bad in ("0x90mm", "no such", "1x"):
            with self.assertRaisesRegex(LexipodError, "envelope"):
                change_design(design, CATALOG, {"envelope": bad})
