"""Cut lists and templates, read back by independent readers and measured."""

import csv
import io
import json
import math
import re
import unittest
import xml.etree.ElementTree as ET

import numpy as np
import pypdfium2
import shapely
from PIL import Image
from pypdf import PdfReader

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.design import Card, Ways
from lexipod.drawing import draw_card
from lexipod.drawing.strokes import dashes, hatching
from lexipod.drawing.writers import write_pdf, write_png, write_svg
from lexipod.fabricate import cut_list, cut_list_csv, cut_list_text, draw_pieces, draw_template_pages
from lexipod.fabricate.cutlist_files import cut_list_json
from lexipod.geometry.shapes import rectangle
from lexipod.units import UnitStyle, parse_length
from tests.zoo import CATALOG, slider

MM = 25.4 / 72


def pdf_segments(data, page):
    """Every straight path segment of a page in mm, by the content stream as pypdf reads it: (n, 2, 2)."""
    text = PdfReader(io.BytesIO(data)).pages[page].get_contents().get_data().decode("latin-1")
    matrix, stack, at, start, out = np.eye(3), [], None, None, []
    numbers = []
    for token in re.findall(r"\((?:\\.|[^()\\])*\)|<[^>]*>|\[[^\]]*\]|/?[^\s\[\]()<>]+", text):
        try:
            numbers.append(float(token))
            continue
        except ValueError:
            pass
        if token == "q":
            stack.append(matrix)
        elif token == "Q":
            matrix = stack.pop()
        elif token == "cm":
            a, b, c, d, e, f = numbers[-6:]
            matrix = np.array([[a, b, 0], [c, d, 0], [e, f, 1]]) @ matrix
        elif token in ("m", "l"):
            point = (np.array([*numbers[-2:], 1]) @ matrix)[:2] * MM
            if token == "m":
                start = point
            else:
                out.append((at, point))
            at = point
        elif token == "h" and at is not None and np.linalg.norm(at - start) > 1e-6:
            out.append((at, start))
            at = start
        numbers = []
    return np.array(out)


class CutListTest(unittest.TestCase):
    def setUp(self):
        self.design = slider(ways=Ways(units="in"))
        self.assembly = build_assembly(self.design, CATALOG)
        self.rows = {row.blank: row for row in cut_list(self.assembly, CATALOG)}

    def test_the_card_is_one_sheet_scored_in_the_middle(self):
        card = self.rows["card.sheet"]
        self.assertEqual((card.width_mm, card.height_mm), (215.9, 139.7))  # 8 1/2 by 5 1/2 in for a card of 4 1/4 by 5 1/2
        self.assertEqual([(s.along, s.at_mm, s.fold) for s in card.scores], [("width", 107.95, "mountain")])
        top = build_assembly(slider(Card(fold="top")), CATALOG)
        piece = find_blanks(top)[0]
        self.assertEqual(piece.size_mm, (107.95, 279.4))
        self.assertEqual([c.fold for c in piece.creases], ["mountain"])

    def test_pieces_have_the_sizes_of_the_parameters(self):
        v = self.design.mechanisms[0].parameters
        self.assertAlmostEqual(self.rows["m1.strip"].width_mm, v["strip_length"], places=9)
        self.assertAlmostEqual(self.rows["m1.strip"].height_mm, v["strip_height"], places=9)
        self.assertAlmostEqual(self.rows["card.frame"].width_mm, 107.95 - 2 * v["frame_border"], places=9)
        self.assertAlmostEqual(self.rows["card.panel"].height_mm, 139.7 - 2 * v["mat_border"], places=9)

    def test_both_units_come_from_one_value(self):
        text = cut_list_csv(tuple(self.rows.values()), UnitStyle("in"))
        for row in csv.DictReader(io.StringIO(text)):
            self.assertAlmostEqual(parse_length(row["width"]), float(row["width_mm"]), delta=25.4 / 32 + 1e-6)
            if "≈" not in row["width"]:
                self.assertAlmostEqual(parse_length(row["width"]), float(row["width_mm"]), delta=0.051)

    def test_scores_can_be_spoken_from_the_right(self):
        rows = tuple(self.rows.values())
        self.assertIn("4 1/4 in from the right", cut_list_text(rows, UnitStyle("in"), scores_from="right"))
        self.assertIn("along the 8 1/2 in side score at 4 1/4 in from the left", cut_list_text(rows, UnitStyle("in")))

    def test_the_columns_of_the_csv_are_those_that_spreadsheets_were_made_for(self):
        text = cut_list_csv(tuple(self.rows.values()), UnitStyle("in"))
        head = "part,name,stock,width_mm,height_mm,width,height,plies,quantity,scores,note,openings,diameter_mm"
        self.assertEqual(text.splitlines()[0], head)

    def test_scores_add_up_to_the_sheet(self):
        card = self.rows["card.sheet"]
        panels = np.diff([0.0, *(s.at_mm for s in card.scores), card.width_mm])
        np.testing.assert_allclose(panels, 107.95)

    def test_json_has_the_documented_fields(self):
        answer = json.loads(json.dumps(cut_list_json(tuple(self.rows.values()))))
        self.assertEqual(answer["format"], "lexipod-cutlist/2")
        for piece in answer["pieces"]:
            self.assertLessEqual({"blank", "parts", "openings", "stock", "width", "height", "plies", "quantity", "scores"}, set(piece))


class PdfTest(unittest.TestCase):
    def pages(self, design, paper="letter", layout="combined"):
        assembly = build_assembly(design, CATALOG)
        drawings = draw_template_pages(assembly, CATALOG, UnitStyle("in"), title="T", paper=CATALOG.sheets[paper], layout=layout)
        return assembly, drawings, write_pdf(drawings, title="T")

    def test_pieces_measure_as_listed_when_read_back(self):
        assembly, drawings, data = self.pages(slider(), layout="single")
        self.assertEqual(len(PdfReader(io.BytesIO(data)).pages), len(drawings))
        pieces = {p.name: p for p in find_blanks(assembly)}
        seen = 0
        for k, drawing in enumerate(drawings):
            name = drawing.title.split(" · ")[-1]
            wanted = sorted(pieces[name].size_mm)
            segments = pdf_segments(data, k)
            lengths = np.linalg.norm(segments[:, 0] - segments[:, 1], axis=1)
            ruler = np.abs(segments[:, :, 1] - segments[:, ::-1, 1]).max(axis=1) < 1e-6
            on_piece = segments[segments[:, :, 1].min(axis=1) > 25.5]
            ends = shapely.union_all([shapely.LineString(s) for s in np.round(on_piece, 3)])
            closed = shapely.get_parts(shapely.polygonize(shapely.get_parts(ends)))  # not the line to its name
            low, high = np.min([p.bounds[:2] for p in closed], axis=0), np.max([p.bounds[2:] for p in closed], axis=0)
            size = sorted(high - low)
            np.testing.assert_allclose(size, wanted, atol=0.005, err_msg=name)
            self.assertTrue(np.isclose(lengths[ruler], 100.0, atol=0.001).any(), "100 mm ruler")
            self.assertTrue(np.isclose(lengths[ruler], 101.6, atol=0.001).any(), "4 in ruler")
            seen += 1
        self.assertEqual(seen, len(pieces))

    def test_the_printed_outline_encloses_the_area_of_the_part(self):
        assembly, drawings, data = self.pages(slider(), layout="single")
        document = pypdfium2.PdfDocument(data)
        k = next(i for i, d in enumerate(drawings) if d.title.endswith("· frame"))
        bitmap = document[k].render(scale=8).to_pil().convert("L")
        part = assembly.by_id["card.frame"]
        x0, y0, x1, y1 = part.region.bounds
        self.assertGreater(np.sum(np.array(bitmap) < 128), 2 * (x1 - x0 + y1 - y0) / MM)  # ink along the outline at least
        points = pdf_segments(data, k)
        points = points[points[:, :, 1].min(axis=1) > 25.5]
        area = sum(p.area for p in shapely.get_parts(shapely.polygonize([shapely.LineString(s) for s in np.round(points, 6)])))
        self.assertAlmostEqual(area, shapely.Polygon(part.outline).area, delta=0.5)

    def test_printers_are_told_not_to_scale_and_the_page_is_the_paper(self):
        _, _, data = self.pages(slider(), paper="a4")
        reader = PdfReader(io.BytesIO(data))
        self.assertEqual(reader.trailer["/Root"]["/ViewerPreferences"]["/PrintScaling"], "/None")
        for page in reader.pages:
            size = sorted((float(page.mediabox.width) * MM, float(page.mediabox.height) * MM))
            np.testing.assert_allclose(size, [210, 297], atol=0.001)

    def test_the_text_can_be_read_back(self):
        _, _, data = self.pages(slider())
        text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(data)).pages)
        for word in ("strip", "frame", "lower rail", "print at 100 %", "2 plies"):
            self.assertIn(word, text)

    def test_a_piece_larger_than_the_paper_is_tiled_with_overlap_and_crosses_that_agree(self):
        assembly, drawings, data = self.pages(slider(Card(size="iso.a4")))
        tiles = [(k, d) for k, d in enumerate(drawings) if "card, tile" in d.title]
        self.assertEqual(len(tiles), 4)
        total = sum(
            np.linalg.norm(np.diff(np.vstack([p.outline, p.outline[:1]]), axis=0), axis=1).sum()
            for p in find_blanks(assembly)
            if p.id == "card.sheet"
        )
        shown = 0.0
        for k, drawing in tiles:
            segments = pdf_segments(data, k)
            inside = segments[segments[:, :, 1].min(axis=1) > 25.5]
            self.assertLessEqual(inside[:, :, 0].max(), drawing.size_mm[0] - 9.9)
            crosses = [s for s in drawing.primitives if getattr(s, "pen", "") == "registration"]
            self.assertGreaterEqual(len(crosses), 4)
            shown += sum(np.linalg.norm(np.diff(s.points, axis=0), axis=1).sum() for s in drawing.primitives if getattr(s, "pen", "") == "cut")
        self.assertGreater(shown, total)  # the overlap is drawn twice
        self.assertLess(shown, total + 12 * 40)

    def test_crosses_of_neighbouring_tiles_lie_on_the_same_spot_of_the_piece(self):
        assembly, drawings, _ = self.pages(slider(Card(size="iso.a4")))
        a1, a2 = (next(d for d in drawings if f"card, tile {name} " in d.title) for name in ("A1", "A2"))
        crease = [s.points[:, 0].mean() for d in (a1, a2) for s in d.primitives if getattr(s, "pen", "") == "mountain"]
        self.assertEqual(len(crease), 2)
        marks = [
            sorted({round(float(s.points[:, 0].mean()) - x, 3) for s in d.primitives if getattr(s, "pen", "") == "registration"})
            for d, x in zip((a1, a2), crease, strict=True)
        ]
        self.assertTrue(set(marks[0]) & set(marks[1]))

    def test_writing_twice_gives_the_same_bytes(self):
        assembly, drawings, data = self.pages(slider())
        self.assertEqual(write_pdf(drawings, title="T"), data)
        card = draw_card(assembly, {})
        for write in (write_svg, write_png):
            self.assertEqual(write(card), write(card))

    def test_a_pdf_without_pages_is_a_callers_mistake(self):
        with self.assertRaises(ValueError):
            write_pdf([], title="")


class SvgTest(unittest.TestCase):
    def test_user_units_are_millimetres_and_pieces_measure_as_listed(self):
        import svgelements

        assembly = build_assembly(slider(), CATALOG)
        data = write_svg(draw_pieces(assembly, CATALOG, UnitStyle("mm"), title="T"))
        root = ET.fromstring(data)
        self.assertEqual(root.get("width").removesuffix("mm"), root.get("viewBox").split()[2])
        svg = svgelements.SVG.parse(io.BytesIO(data), ppi=96)
        sizes = {}
        for element in svg.elements():
            if isinstance(element, svgelements.Path) and element.values.get("data-pen") == "cut":
                x0, y0, x1, y1 = element.bbox()
                sizes[element.values["data-part"]] = ((x1 - x0) * 25.4 / 96, (y1 - y0) * 25.4 / 96)
        for piece in find_blanks(assembly):
            np.testing.assert_allclose(sizes[piece.id], piece.size_mm, atol=0.002, err_msg=piece.id)

    def test_markup_in_a_title_stays_text(self):
        drawing = draw_card(build_assembly(slider(), CATALOG), {})
        data = write_svg(drawing.__class__(drawing.primitives, drawing.box, "<script>&"))
        self.assertEqual(ET.fromstring(data).find("{http://www.w3.org/2000/svg}title").text, "<script>&")


class PngTest(unittest.TestCase):
    def test_the_picture_has_the_size_of_the_card_and_says_its_scale(self):
        image = Image.open(io.BytesIO(write_png(draw_card(build_assembly(slider(), CATALOG), {}), pixels_per_mm=6, margin_mm=2)))
        self.assertEqual(image.size, (round(111.95 * 6), round(143.7 * 6)))
        self.assertAlmostEqual(image.info["dpi"][0], 6 * 25.4, delta=0.2)

    def test_the_strip_shows_through_the_slot_and_the_frame_covers_it_elsewhere(self):
        design = slider()
        image = Image.open(io.BytesIO(write_png(draw_card(build_assembly(design, CATALOG), {}, hidden=False), pixels_per_mm=8, margin_mm=0)))
        v = design.mechanisms[0].parameters
        at = (v["slot_from"] + v["slot_length"] - 3, v["slot_place"])
        through = image.getpixel((round(at[0] * 8), round((139.7 - at[1]) * 8)))
        beside = image.getpixel((round(at[0] * 8), round((139.7 - at[1] - v["slot_height"]) * 8)))
        self.assertEqual("#%02x%02x%02x" % through, "#b7c7cf")
        self.assertEqual("#%02x%02x%02x" % beside, "#f4f1e8")


class StrokeTest(unittest.TestCase):
    def test_dashes_draw_the_share_that_their_pattern_says(self):
        pieces = dashes(np.array([[0.0, 0], [100, 0]]), (3.0, 1.0))
        self.assertEqual(len(pieces), 25)
        self.assertAlmostEqual(sum(np.linalg.norm(p[-1] - p[0]) for p in pieces), 75.0)

    def test_hatching_lies_inside_and_at_its_spacing(self):
        ring = rectangle(0, 0, 40, 30)
        lines = hatching((ring,), spacing_mm=2.0)
        length = sum(np.linalg.norm(line[1] - line[0]) for line in lines)
        self.assertAlmostEqual(length * 2.0, 1200, delta=1200 * 0.06)  # each line stands for a stripe of its spacing
        self.assertTrue(all(shapely.box(0, 0, 40, 30).buffer(1e-6).covers(shapely.LineString(line)) for line in lines))
        self.assertTrue(math.isclose((lines[0][1] - lines[0][0])[0], (lines[0][1] - lines[0][0])[1], abs_tol=1e-9))
