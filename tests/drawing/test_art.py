"""Pictures from SVG, kind and hostile."""

import tempfile
import unittest
from pathlib import Path

import shapely

from lexipod.building import build_assembly
from lexipod.checks import RULES, run_checks
from lexipod.demo import demo_names, load_demo
from lexipod.design import Item
from lexipod.drawing.art import draw_art, pictures_of
from lexipod.drawing.edge import find_edge_bars
from lexipod.errors import FileError
from lexipod.geometry.shapes import rectangle
from lexipod.pictures.loading import load_picture
from lexipod.pictures.svg import read_svg
from lexipod.pipeline import examine
from tests.zoo import CATALOG, part, slider

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="20mm" viewBox="0 0 40 20">'


def laid(picture, share=(0.0, 0.0, 1.0, 1.0)):
    return Item("a1", "picture", "p", source="x", share=share, proportion=picture.proportion)


class PictureTest(unittest.TestCase):
    def test_a_rectangle_lands_where_it_is_drawn(self):
        picture = read_svg(HEAD + '<rect x="10" y="5" width="20" height="10" fill="#ff0000"/></svg>', "x")
        shapes = draw_art(laid(picture), picture, part("p", rectangle(0, 0, 80, 40)))
        self.assertEqual(shapes[0].fill, "art:#ff0000")
        self.assertEqual([round(v, 6) for v in shapely.Polygon(shapes[0].rings[0]).bounds], [20, 10, 60, 30])

    def test_a_hole_stays_a_hole_and_what_sticks_out_is_clipped(self):
        picture = read_svg(HEAD + '<path d="M0 0H40V20H0Z M10 5H30V15H10Z" fill-rule="evenodd" fill="#00f"/></svg>', "x")
        shapes = draw_art(laid(picture, (0.5, 0.0, 1.5, 1.0)), picture, part("p", rectangle(0, 0, 40, 20)))
        area = sum(shapely.Polygon(r).area * (1 if k == 0 else -1) for k, r in enumerate(shapes[0].rings))
        self.assertAlmostEqual(area, 400 - 100, delta=1)
        self.assertLessEqual(max(r[:, 0].max() for r in shapes[0].rings), 40 + 1e-9)

    def test_hostile_pictures_give_one_sentence(self):
        nested = HEAD + "<g>" * 100 + "</g>" * 100 + "</svg>"
        cases = {
            "safe SVG": '<!DOCTYPE x [<!ENTITY a "aaaa">]>' + HEAD + "<title>&a;</title></svg>",
            "intricate": nested,
            "intricate ": HEAD + "".join(f'<g id="{a}"><use href="#{b}"/><use href="#{b}"/></g>' for a, b in ("ab", "ba")) + "</svg>",
            "viewBox": '<svg xmlns="http://www.w3.org/2000/svg"><rect width="1" height="1"/></svg>',
            "safe SVG ": "<svg",
        }
        for message, text in cases.items():
            with self.subTest(message), self.assertRaisesRegex(FileError, message.strip()):
                read_svg(text, "x.svg")

    def test_pictures_outside_the_designs_folder_are_refused(self):
        for source in ("/etc/passwd", "../x.svg", "demo:../x", "demo:nothing"):
            with self.assertRaises(FileError):
                load_picture(source, Path("/tmp"))

    def test_a_missing_picture_is_told_and_the_card_is_drawn_all_the_same(self):
        design = slider()
        items = (Item("a1", "picture", "card.frame", source="gone.svg"), Item("a2", "picture", "m9.x", source="demo:fog_bank"))
        design = design.__class__(card=design.card, mechanisms=design.mechanisms, items=items)
        with tempfile.TemporaryDirectory() as folder:
            shapes, faults = pictures_of(design, build_assembly(design, CATALOG), Path(folder))
        self.assertEqual((shapes, len(faults)), ({}, 2))


class DemoTest(unittest.TestCase):
    def test_every_demo_card_builds_with_its_pictures(self):
        self.assertTrue(demo_names())
        for name in demo_names():
            design = load_demo(name)
            shapes, faults = pictures_of(design, build_assembly(design, CATALOG), None)
            self.assertEqual(faults, ())
            self.assertTrue(shapes and design.story, name)

    def test_the_surprises_of_the_collection_are_hidden_and_then_shown(self):
        asked = 0
        for name in demo_names():
            design = load_demo(name)
            items = [i for i in design.items if i.hide_at_rest and i.show_at_end]
            if items:
                found = run_checks(examine(design, CATALOG, steps=61), rules=[r for r in RULES if r.startswith("picture")])
                self.assertEqual(found, (), name)
                asked += len(items)
        self.assertGreaterEqual(asked, 15)


class EdgeTest(unittest.TestCase):
    def test_the_cut_meets_plies_and_foam_where_they_lie(self):
        assembly = build_assembly(slider(), CATALOG)
        v = slider().mechanisms[0].parameters
        bars = {b.part: b for b in find_edge_bars(assembly, {}, axis="y", at_mm=v["slot_from"] + v["slot_length"] - 3)}
        self.assertAlmostEqual(bars["m1.strip"].end - bars["m1.strip"].start, v["strip_height"], places=6)
        self.assertAlmostEqual(bars["m1.rail-low"].high - bars["m1.rail-low"].low, 2.0)
        self.assertAlmostEqual(bars["card.frame"].low, bars["m1.rail-low"].high)
        self.assertNotIn("m1.pad", bars)
        frame = [b for b in find_edge_bars(assembly, {}, axis="y", at_mm=v["slot_from"] + 5) if b.part == "card.frame"]
        self.assertEqual(len(frame), 2)  # above and below the slot

    def test_a_cut_the_other_way_runs_along_the_strip(self):
        assembly = build_assembly(slider(), CATALOG)
        v = slider().mechanisms[0].parameters
        bars = [b for b in find_edge_bars(assembly, {}, axis="x", at_mm=v["slot_place"]) if b.part == "m1.strip"]
        self.assertAlmostEqual(bars[0].end - bars[0].start, v["strip_length"], places=6)
