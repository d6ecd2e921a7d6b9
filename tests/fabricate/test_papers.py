"""Patterned paper: over all of its piece, the same motif in pieces cut alike, never mirrored; its guide and the cut list read back."""

import tempfile
import unittest
from pathlib import Path

import msgspec
import numpy as np
import pypdfium2 as pdfium
import shapely

from lexipod.building import build_assembly
from lexipod.demo import load_demo
from lexipod.design import Card, Item, write_design
from lexipod.drawing.display import Label, Shape
from lexipod.editing.change import change_design
from lexipod.editing.items import mirrored_item
from lexipod.errors import LexipodError
from lexipod.fabricate import cut_list, notes_text
from lexipod.fabricate.guides import placing_sheets
from lexipod.fabricate.papers import papers
from lexipod.fitting.papering import covering, likeness, same_on_alike
from lexipod.pictures import box_of, laid_outline
from lexipod.pipeline import examine
from lexipod.units import UnitStyle
from tests.cli.test_commands import call
from tests.zoo import CATALOG, card_with

PAPER = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 20"><rect width="30" height="20" fill="#e0d0a0"/></svg>'


def papered(recipe, on, *, turn=0.0, at=(0.0, 0.0), face="front"):
    design = card_with(recipe, Card(size="na.a7"))
    item = Item("a1", "picture", on, face, source="demo:strand", width=30.0, height=20.0, proportion=1.5, turn=turn)
    item = msgspec.structs.replace(covering(item, build_assembly(design, CATALOG)), at=at)
    return msgspec.structs.replace(design, items=(item,))


def motif(item, outline, points):
    """Points of a piece as shares of the paper's box: undone by hand, corner by corner, from where the box's corners were laid."""
    corner, right, _, up = box_of(item, outline).corners
    across, along = right - corner, up - corner
    away = np.asarray(points) - corner
    return np.column_stack([away @ across / (across @ across), away @ along / (along @ along)])


class CoveringTest(unittest.TestCase):
    def test_a_paper_leaves_no_edge_of_its_piece_bare_however_it_is_turned(self):
        for turn in (0.0, 30.0, -75.0, 180.0):
            for face in ("front", "back"):
                design = papered("waterfall", "m1.leaf-1", turn=turn, face=face)
                outline = build_assembly(design, CATALOG).panels["m1.leaf-1"].outline
                with self.subTest(turn=turn, face=face):
                    paper = laid_outline(design.items[0], outline)
                    self.assertTrue(paper.contains(shapely.Polygon(outline)))
                    smaller = msgspec.structs.replace(design.items[0], width=0.9 * design.items[0].width, height=0.9 * design.items[0].height)
                    self.assertFalse(laid_outline(smaller, outline).contains(shapely.Polygon(outline)))
                    self.assertAlmostEqual(design.items[0].width / design.items[0].height, 1.5, delta=1e-3)


class LayingTest(unittest.TestCase):
    def test_shares_of_a_back_are_told_as_one_looks_at_it(self):
        """On a piece of 100 by 50 the left quarter of its back lies on the right of its front."""
        outline = np.array([[0.0, 0.0], [100.0, 0.0], [100.0, 50.0], [0.0, 50.0]])
        for face, left in (("front", 0.0), ("back", 75.0)):
            item = Item("a1", "picture", "x", face, source="x.svg", share=(0.0, 0.0, 0.25, 1.0))
            self.assertEqual(laid_outline(item, outline).bounds, (left, 0.0, left + 25.0, 50.0))


class AlikeTest(unittest.TestCase):
    def test_each_leaf_of_a_pinwheel_takes_the_same_place_of_the_paper(self):
        design = papered("pinwheel", "m1.leaf-1", turn=20.0, at=(3.0, -2.0))
        assembly = build_assembly(design, CATALOG)
        made = same_on_alike(design, assembly, "a1")
        leaves = [p for p in assembly.parts if p.id.startswith("m1.leaf-")]
        self.assertEqual({i.on for i in made.items}, {p.id for p in leaves})
        first = next(i for i in made.items if i.on == "m1.leaf-1")
        wanted = shapely.Polygon(motif(first, assembly.by_id["m1.leaf-1"].outline, assembly.by_id["m1.leaf-1"].outline))
        for item in made.items:
            outline = assembly.by_id[item.on].outline
            piece = shapely.Polygon(motif(item, outline, outline))
            with self.subTest(item.on):
                self.assertLess(shapely.symmetric_difference(piece, wanted).area, 0.002 * wanted.area)
        moved = msgspec.structs.replace(made.items[2], at=(made.items[2].at[0] + 2.0, made.items[2].at[1]))
        outline = assembly.by_id[moved.on].outline
        off = shapely.Polygon(motif(moved, outline, outline))
        self.assertGreater(shapely.symmetric_difference(off, wanted).area, 0.01 * wanted.area)
        again = same_on_alike(made, assembly, "a1")
        self.assertEqual(len(again.items), len(made.items))

    def test_only_what_is_of_its_kind_is_replaced_and_what_lies_across_a_fold_is_refused(self):
        design = change_design(load_demo("five-tides"), CATALOG, {"item.g1": "greeting on m1.leaf-2 front 4mm saying hello"})
        design = change_design(design, CATALOG, {"item.mat1": "mat on m1.leaf-1 front 3mm"})
        made = same_on_alike(design, build_assembly(design, CATALOG), "mat1")
        self.assertEqual({i.on for i in made.items if i.kind == "mat"}, {f"m1.leaf-{k}" for k in (1, 2, 3, 4)})
        self.assertEqual([i.id for i in made.items if i.kind != "mat"], [i.id for i in design.items if i.kind != "mat"])
        design = change_design(load_demo("two-shores"), CATALOG, {"item.mat9": "mat on m1.quarter-1 back 3mm across m1.quarter-2"})
        with self.assertRaisesRegex(LexipodError, "lies on two panels"):
            same_on_alike(design, build_assembly(design, CATALOG), "mat9")

    def test_a_mirrored_piece_takes_the_mirrored_place_and_its_paper_is_not_mirrored(self):
        design = papered("popout-box", "m1.panel-1", turn=10.0, at=(2.0, 1.0))
        assembly = build_assembly(design, CATALOG)
        one, other = (assembly.panels[n] for n in ("m1.panel-1", "m1.panel-2"))
        self.assertTrue(likeness(one, other).is_mirrored)
        made = same_on_alike(design, assembly, "a1")
        twin = next(i for i in made.items if i.on == "m1.panel-2")
        self.assertEqual((twin.at, twin.turn), ((-2.0, 1.0), -10.0))
        corner, right, _, up = box_of(twin, other.outline).corners
        self.assertGreater(np.linalg.det([right - corner, up - corner]), 0.0)  # a mirrored paper would turn the other way round

    def test_a_mirrored_mechanism_takes_its_papers_with_it(self):
        """The middle of the paper lies over the mirrored point of the mirrored piece, and the pattern leans as far to the other side."""
        for recipe, on, face in (("pinwheel", "m1.leaf-2", "front"), ("popout-box", "m1.panel-1", "back"), ("strip-slider", "m1.picture", "front")):
            design = papered(recipe, on, turn=25.0, at=(4.0, -3.0), face=face)
            mirrored = change_design(design, CATALOG, {"mirror": "yes"})
            places = []
            for made in (design, mirrored):
                assembly = build_assembly(made, CATALOG)
                outline = (assembly.by_id.get(on) or assembly.panels[on]).outline
                middle = np.array(box_of(made.items[0], outline).middle)
                places.append(np.sort(np.linalg.norm(outline - middle, axis=1)))
            with self.subTest(recipe):
                np.testing.assert_allclose(places[0], places[1], atol=1e-6)  # as far from each corner of its piece
                self.assertEqual(mirrored.items[0].turn, -25.0)
                self.assertEqual(change_design(mirrored, CATALOG, {"mirror": "no"}), design)
        whole = msgspec.structs.replace(papered("strip-slider", "m1.picture").items[0], share=(0.1, 0.0, 0.4, 1.0))
        self.assertEqual(mirrored_item(whole).share, (0.6, 0.0, 0.9, 1.0))

    def test_on_the_back_the_paper_turns_with_its_piece_as_one_looks_at_it(self):
        design = papered("pinwheel", "m1.leaf-1", turn=0.0, face="back")
        assembly = build_assembly(design, CATALOG)
        made = same_on_alike(design, assembly, "a1")
        shapes = []
        for item in made.items:
            outline = assembly.by_id[item.on].outline
            shapes.append(shapely.Polygon(motif(item, outline, outline)))
        for shape in shapes[1:]:
            self.assertLess(shapely.symmetric_difference(shape, shapes[0]).area, 0.002 * shapes[0].area)

    def test_what_has_no_like_is_said(self):
        design = papered("spinner", "m1.figure") if "m1.figure" in build_assembly(card_with("spinner"), CATALOG).by_id else None
        design = design or papered("flip-panels", "m1.panel-1")
        with self.assertRaisesRegex(LexipodError, "no other piece is cut like"):
            same_on_alike(design, build_assembly(design, CATALOG), "a1")


class PaperGuideTest(unittest.TestCase):
    def test_one_sheet_for_all_pieces_with_the_same_motif_and_their_outline_upright_on_it(self):
        design = papered("pinwheel", "m1.leaf-1", turn=20.0)
        assembly = build_assembly(design, CATALOG)
        made = same_on_alike(design, assembly, "a1")
        (sheet,) = papers(examine(made, CATALOG, steps=2))
        words = next(p.text for p in sheet.primitives if isinstance(p, Label))
        self.assertIn("6 pieces, the same place of the paper in each", words)
        paper = next(p for p in sheet.primitives if isinstance(p, Shape) and p.subject == "paper:a1")
        piece = next(p for p in sheet.primitives if isinstance(p, Shape) and p.subject == "piece:a1")
        item, leaf = made.items[0], assembly.by_id["m1.leaf-1"]
        self.assertAlmostEqual(np.ptp(paper.rings[0], axis=0)[0], item.width, places=3)
        self.assertAlmostEqual(shapely.Polygon(piece.rings[0]).area, shapely.Polygon(leaf.outline).area, places=3)
        turned = shapely.affinity.rotate(shapely.Polygon(leaf.outline), -20.0)  # the paper stands upright, so the piece leans the other way
        self.assertAlmostEqual(np.ptp(piece.rings[0], axis=0)[0], turned.bounds[2] - turned.bounds[0], places=3)
        colours = [p.fill for p in sheet.primitives if isinstance(p, Shape) and p.subject == "motif:a1"]
        self.assertEqual({c[:5] for c in colours}, {"art:#"})
        self.assertTrue(all(int(c[k : k + 2], 16) >= 0.6 * 255 for c in colours for k in (5, 7, 9)))  # light enough to see the line on it
        for placing in placing_sheets(examine(made, CATALOG, steps=2)):
            left, bottom, right, top = placing.box
            points = np.vstack([r for p in placing.primitives if isinstance(p, Shape) for r in p.rings])
            self.assertTrue((points >= np.array([left, bottom]) - 0.01).all() and (points <= np.array([right, top]) + 0.01).all())
        apart = msgspec.structs.replace(made, items=(*made.items[:5], msgspec.structs.replace(made.items[5], at=(9.0, 9.0))))
        self.assertEqual(len(papers(examine(apart, CATALOG, steps=2))), 2)

    def test_a_paper_larger_than_the_page_is_tiled_with_its_colours(self):
        design = papered("flip-panels", "card.front")
        large = msgspec.structs.replace(design.items[0], width=300.0, height=200.0)
        design = msgspec.structs.replace(design, items=(large,))
        with tempfile.TemporaryDirectory() as folder:
            file, out = Path(folder, "c.lexipod"), Path(folder, "g.pdf")
            write_design(design, file)
            self.assertEqual(call("export", file, "--what", "guides", "--sheet", "a4", "--to", out)[0], 0)
            pages = pdfium.PdfDocument(out)
            texts = [pages[k].get_textpage().get_text_range() for k in range(len(pages))]
            tiles = [k for k, t in enumerate(texts) if ", tile " in t and "cut from paper" in t]
            self.assertGreaterEqual(len(tiles), 2, texts)
            for k in tiles:
                pixels = np.asarray(pages[k].render(scale=0.5).to_numpy(), dtype=int)
                coloured = np.ptp(pixels[:, :, :3], axis=2) > 12
                self.assertGreater(coloured.mean(), 0.2, texts[k][:80])
            pages.close()

    def test_the_cut_list_says_what_is_cut_from_which_paper(self):
        design = papered("waterfall", "m1.leaf-1")
        rows = cut_list(build_assembly(design, CATALOG), CATALOG)
        told = [r for r in rows if r.papers]
        self.assertEqual([r.papers for r in told], [("strand",)])
        self.assertIn("m1.leaf-1", told[0].parts)
        self.assertIn("cut from “strand”", notes_text(told[0], UnitStyle("mm")))
        small = msgspec.structs.replace(design, items=(msgspec.structs.replace(design.items[0], width=9.0, height=6.0),))
        self.assertFalse(any(r.papers for r in cut_list(build_assembly(small, CATALOG), CATALOG)))

    def test_from_the_command_line(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            file = folder / "fall.lexipod"
            (folder / "paper.svg").write_text(PAPER)
            self.assertEqual(call("new", "waterfall", "--out", file, "--card", "a7")[0], 0)
            self.assertEqual(call("set", file, "item.a1=picture on m1.leaf-1 front 20x14mm from paper.svg")[0], 0)
            self.assertEqual(call("place", file, "a1", "--over-all")[0], 0)
            code, out, _ = call("place", file, "a1", "--alike")
            self.assertEqual((code, out.count("leaf")), (0, 4))
            self.assertNotEqual(call("place", file, "a1")[0], 0)


if __name__ == "__main__":
    unittest.main()
