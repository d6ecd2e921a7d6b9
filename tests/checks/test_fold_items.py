"""What is stuck on panels that fold: how far it holds others off, and where its free edges catch, against triangles and arcs."""

import math
import unittest
from dataclasses import replace

import numpy as np

from lexipod.assembly import Blank, FlatState, Folding, FoldJoint, Panel, Stage
from lexipod.assembly.joints import Drive
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.fold_items import check_edges, check_stands_up
from lexipod.cures import find_remedies
from lexipod.design import Ways
from lexipod.editing.change import change_design
from tests.random_stuck import compare_stuck, draw_stuck
from tests.samples import sample_size
from tests.zoo import CATALOG, card_with

LEAN_DEG = 8.0
"""What a weight takes away (our own judgement)."""
ACROSS_MM = 0.4
"""Paper that is so deep in paper goes through it."""
LIES_ON_MM = 0.15
"""What stays nearer to a plane than this lies on it."""


def box(x0, y0, x1, y1):
    return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], dtype=float)


def panel(name, outline, thick=0.2, *, stock="card-160", base=False):
    return Panel(name, name, "m1", name, outline, stock, thick, base=base)


def folding(panels, joints, stage, drive):
    sheets = tuple(Blank(p.id, p.name, p.stock, p.outline, (p.id,)) for p in panels)
    states = (FlatState("flat", drive.rest, True, True, tuple(p.id for p in panels)),)
    return Folding("m1", "face", panels, joints, (stage,), drive, sheets, states, panels[0].id)


def examined(made, steps=361):
    """An examination of a card on which only this folds."""
    assembly = replace(build_assembly(card_with("flip-panels"), CATALOG), foldings=(made,))
    return Examination(assembly, CATALOG, Ways(units="mm"), steps=steps)


def hinged(piece, side=1):
    """Two panels that are folded onto each other along x = 0, fronts inside, with a piece stuck on the second."""
    leaves = panel("leaf", box(-60, 0, 0, 50)), panel("page", box(0, 0, 60, 50))
    line = ((0.0, 0.0, 0.0), (0.0, 50.0, 0.0))
    fold = FoldJoint("fold", "hinge", "leaf", "page", line, line)
    stuck = FoldJoint("glued", "fixed", "piece", "page", side=side)
    stage = Stage(0.0, 180.0, 90.0, {"fold": (0.0, 180.0)}, flat=(True, True))
    panels = (leaves[1], leaves[0], panel("piece", *piece))
    return folding(panels, (fold, stuck), stage, Drive("m1", "fold", "leaf", "open", 0.0, 180.0, 90.0))


def sliding(over, up):
    """A strip that slides ``up`` mm over a page and goes past its edge, with a piece on it that stands ``over`` mm over its end."""
    page, strip = panel("page", box(0, 0, 60, 50)), panel("strip", box(0, 10, 20, 40))
    piece = panel("piece", box(-over, 15, 10, 35))
    place = np.hstack([np.eye(3), [[100.0], [0.0], [up]]])
    runs = FoldJoint("runs", "slide", "strip", "page", place=place, along=(-1.0, 0.0, 0.0))
    stuck = FoldJoint("glued", "fixed", "piece", "strip", side=1)
    stage = Stage(0.0, 50.0, 0.0, {"runs": (0.0, 50.0)}, flat=(True, True))
    return folding((page, strip, piece), (runs, stuck), stage, Drive("m1", "runs", "strip", "slide", 0.0, 50.0, 0.0))


class StandsUpTest(unittest.TestCase):
    def test_what_stands_up_beside_a_fold_is_met_where_a_triangle_says(self):
        """A leaf at the angle a over the page meets what is t high where it is t / tan a from the fold (elementary geometry)."""
        for tall, near in ((2.4, 4.0), (2.4, 10.0), (4.0, 20.0), (1.0, 5.0)):
            found = list(check_stands_up(examined(hinged((box(near, 10, near + 15, 40), tall)))))
            lies_on = math.atan(tall / near) - math.asin(LIES_ON_MM / math.hypot(tall, near))
            wanted = math.degrees(min(math.atan(tall / (near + ACROSS_MM)), lies_on))
            if wanted <= LEAN_DEG:
                self.assertEqual(found, [], (tall, near))
                continue
            self.assertEqual(len(found), 1, (tall, near))
            self.assertAlmostEqual(found[0].measured, wanted, delta=0.51)
            self.assertAlmostEqual(found[0].travel, 180.0 - wanted, delta=0.51)
            self.assertEqual(found[0].severity, "block" if wanted > 2 * LEAN_DEG else "warn")

    def test_on_the_outside_of_a_fold_it_is_in_nobodys_way(self):
        self.assertEqual(list(check_stands_up(examined(hinged((box(2, 10, 20, 40), 4.0), side=-1)))), [])

    def test_what_lies_across_a_fold_is_told_however_thin_it_is(self):
        across = list(check_stands_up(examined(hinged((box(-12, 10, 20, 40), 0.2)))))
        self.assertEqual([f.severity for f in across], ["block"])
        self.assertIn("12 mm over the edge", across[0].message)
        self.assertEqual(list(check_stands_up(examined(hinged((box(1, 10, 20, 40), 0.2))))), [])


class EdgeTest(unittest.TestCase):
    def test_a_free_edge_catches_where_its_curl_is_more_than_the_height_between(self):
        """Curl: the sagitta of an arc of 500 mm, h^2 / 1000; the height between is 1 mm, one ply of 0.2 mm must be passed to catch."""
        for over, severity in ((31.0, None), (32.3, "warn"), (34.0, "warn"), (35.2, "block")):
            found = list(check_edges(examined(sliding(over, 1.0))))
            self.assertEqual([f.severity for f in found], [severity] if severity else [], over)
            if found:
                self.assertAlmostEqual(found[0].measured, over**2 / 1000, delta=0.01)
                self.assertAlmostEqual(found[0].required, 1.0, places=6)
                self.assertAlmostEqual(found[0].travel, 40.0 - over, delta=0.3)

    def test_what_ends_at_its_panels_edge_does_not(self):
        self.assertEqual(list(check_edges(examined(sliding(0.9, 0.3)))), [])


class PlaceTest(unittest.TestCase):
    def test_what_lies_beside_its_panel_is_told(self):
        plate = build_assembly(card_with("hinge-plate"), CATALOG).foldings[0].by_id["m1.plate"].region.bounds
        half = (plate[2] - plate[0]) / 2
        for x, share in ((0.0, None), (half - 1, None), (half + 2, 0.3)):
            design = change_design(card_with("hinge-plate"), CATALOG, {"item.d1": f"decoration on m1.plate front 10x10mm at {x:.3f}x0mm"})
            assembly = build_assembly(design, CATALOG)
            found = [f for f in run_checks(Examination(assembly, CATALOG, design.ways)) if f.rule == "item"]
            self.assertEqual([round(f.measured, 3) for f in found], [] if share is None else [share])

    def test_what_is_glued_to_nothing_blocks_and_is_cured(self):
        """A piece that lies wholly in a window of its panel has no paper under it: it cannot be glued (common practice, no source)."""
        design = change_design(card_with("popout-box"), CATALOG, {"item.d1": "decoration on m1.panel-1 front 8x8mm at 19x17mm"})
        found = [f for f in run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways)) if f.rule == "glued"]
        self.assertEqual([(f.severity, f.measured) for f in found], [("block", 0.0)])
        cured = change_design(design, CATALOG, find_remedies(design, CATALOG, found[0])[0].set)
        self.assertFalse([f for f in run_checks(Examination(build_assembly(cured, CATALOG), CATALOG, design.ways)) if f.rule == "glued"])

    def test_what_comes_over_something_else_on_the_card_is_told(self):
        for beside, told in (("", False), ("decoration on card.front 8x8mm at 0x30mm layers 2", True)):
            given = {"item.d1": "decoration on m1.leaf-2 front 10x10mm layers 1"} | ({"item.d2": beside} if beside else {})
            design = change_design(card_with("waterfall"), CATALOG, given)
            notes = [f for f in run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways)) if f.need == "beside d1"]
            self.assertEqual([(f.severity, f.parts[1]) for f in notes], [("note", "card.item-d2-foam")] if told else [])


class WholeTest(unittest.TestCase):
    def test_a_raised_piece_too_near_a_fold_is_blocked_and_what_is_offered_frees_the_card(self):
        design = change_design(card_with("two-message"), CATALOG, {"item.d1": "decoration on m1.middle-1 front 12x20mm at 30x0mm layers 2"})
        found = [f for f in run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways)) if f.need.startswith("stands up")]
        self.assertTrue(found and all(f.severity == "block" for f in found))
        cure = find_remedies(design, CATALOG, found[0])[0]
        cured = change_design(design, CATALOG, cure.set)
        left = [f for f in run_checks(Examination(build_assembly(cured, CATALOG), CATALOG, design.ways)) if f.severity == "block"]
        self.assertEqual([f.title for f in left if f.rule != "envelope"], [], cure.label)

    def test_columns_and_walked_edges_say_the_same_of_random_pieces(self):
        rng, seen = np.random.default_rng(20), []
        while len(seen) < sample_size(6):
            drawn = draw_stuck(rng)
            if drawn is None:
                continue
            *said, why = compare_stuck(drawn[1])
            self.assertFalse({"missed", "false"} & set(said), (drawn[0], drawn[1].items[0], why))
            seen += said
        self.assertIn("broken", seen)


if __name__ == "__main__":
    unittest.main()
