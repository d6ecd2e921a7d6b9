"""Template pages, read back as they are drawn: words inside their piece or beside it, everything on the page, a page filled before it is
tiled, marks where something is pricked or stuck."""

import io
import itertools
import unittest

import numpy as np
import pypdfium2
import shapely
from pypdf import PdfReader

from lexipod.blanks import find_blanks, find_marks
from lexipod.building import build_assembly
from lexipod.design import Card
from lexipod.drawing.display import Drawing, Label, Shape, Stroke
from lexipod.drawing.words import width_of
from lexipod.drawing.writers import write_pdf, write_svg
from lexipod.fabricate import draw_template_pages
from lexipod.fabricate.blank_drawing import draw_blank
from lexipod.recipes import RECIPES
from lexipod.units import UnitStyle
from tests.samples import some_of
from tests.zoo import CATALOG, card_with


def box_of(label):
    """The room of a line of text: its width as it is printed, a line height of letters over and under the baseline."""
    wide = width_of(label.text, label.size_mm, bold=label.bold)
    left = label.at[0] - {"left": 0, "middle": wide / 2, "right": wide}[label.anchor]
    return shapely.box(left, label.at[1] - 0.2 * label.size_mm, left + wide, label.at[1] + 0.7 * label.size_mm)


def pages(recipe, *, card=None, units="in", layout="combined", paper="letter"):
    assembly = build_assembly(card_with(recipe, card, units=units), CATALOG)
    return assembly, draw_template_pages(assembly, CATALOG, UnitStyle(units), title="T", paper=CATALOG.sheets[paper], layout=layout)


class WordsTest(unittest.TestCase):
    def test_words_lie_inside_their_piece_and_cross_no_line_or_lie_wholly_beside_it(self):
        for recipe, units in some_of(itertools.product(RECIPES, ("in", "mm")), len(RECIPES)):
            assembly = build_assembly(card_with(recipe, units=units), CATALOG)
            for blank in find_blanks(assembly):
                drawing = draw_blank(blank, assembly, CATALOG, UnitStyle(units))
                whole = shapely.Polygon(blank.outline, blank.holes)
                lines = [
                    whole.boundary,
                    *(shapely.LineString([c.start, c.end]) for c in blank.creases),
                    *(shapely.LineString(s) for s in blank.slits),
                ]
                boxes = [box_of(i) for i in drawing.primitives if isinstance(i, Label)]
                for box in boxes:
                    self.assertTrue(whole.contains(box) or whole.disjoint(box), (recipe, blank.name))
                    self.assertFalse(any(line.crosses(box) or line.within(box) for line in lines), (recipe, blank.name))
                for a, b in itertools.combinations(boxes, 2):
                    self.assertFalse(a.intersects(b), (recipe, blank.name))
                self.assertIn(blank.name, " ".join(i.text for i in drawing.primitives if isinstance(i, Label)))

    def test_words_are_as_wide_as_they_are_printed(self):
        label = Label((20.0, 20.0), "Pocket, 2 plies", 4.0)
        page = PdfReader(io.BytesIO(write_pdf([Drawing((label,), (0.0, 0.0, 100.0, 50.0), "t")], title="t"))).pages[0]
        text = pypdfium2.PdfDocument(write_pdf([Drawing((label,), (0.0, 0.0, 100.0, 50.0), "t")], title="t"))[0].get_textpage()
        boxes = [text.get_charbox(k, loose=True) for k in range(text.count_chars())]
        printed = (max(b[2] for b in boxes) - min(b[0] for b in boxes)) * 25.4 / 72
        self.assertAlmostEqual(width_of(label.text, 4.0), printed, delta=0.3)
        self.assertIn("Pocket", page.extract_text())


class PageTest(unittest.TestCase):
    def test_everything_is_on_its_page_and_no_piece_lies_on_another(self):
        for recipe, layout in some_of(itertools.product(RECIPES, ("combined", "single")), len(RECIPES)):
            _, drawn = pages(recipe, layout=layout)
            for page in drawn:
                _, _, width, height = page.box
                shapes = [i for i in page.primitives if isinstance(i, Shape) and i.pen == "cut"]
                for item in page.primitives:
                    if isinstance(item, Label):
                        points = np.array(box_of(item).exterior.coords)
                    else:
                        points = np.vstack(item.rings) if isinstance(item, Shape) else item.points
                    self.assertGreater(points.min(), 4.0, (recipe, page.title))
                    self.assertLess((points - (width, height)).max(), -4.0, (recipe, page.title))
                regions = [shapely.Polygon(s.rings[0]) for s in shapes]
                words = [(i, box_of(i)) for i in page.primitives if isinstance(i, Label) and i.subject]
                for a, b in itertools.combinations(regions, 2):
                    self.assertFalse(a.intersects(b), (recipe, page.title))
                for label, box in words:
                    crossed = [r for s, r in zip(shapes, regions, strict=True) if s.subject != label.subject and r.intersects(box)]
                    self.assertEqual(crossed, [], (recipe, page.title, label.text))

    def test_every_blank_is_on_the_pages_once_with_its_openings_and_scores(self):
        for recipe in RECIPES:
            assembly, drawn = pages(recipe)
            printed = {}
            for page in drawn:
                for item in page.primitives:
                    if isinstance(item, Shape) and item.pen == "cut":
                        self.assertNotIn(item.subject, printed)
                        printed[item.subject] = item
            scores = [i for page in drawn for i in page.primitives if isinstance(i, Stroke) and i.pen in ("mountain", "valley")]
            blanks = {b.id: b for b in find_blanks(assembly)}
            tiled = {b for b in blanks if b not in printed}
            self.assertLessEqual(tiled, {b.id for b in blanks.values() if min(b.size_mm) > 200 or max(b.size_mm) > 260}, recipe)
            for name, item in printed.items():
                region = shapely.Polygon(item.rings[0], item.rings[1:])
                self.assertAlmostEqual(region.area, blanks[name].region.area, places=4)
            wanted = sum(np.hypot(*(np.array(c.end) - c.start)) for b in blanks.values() if b.id not in tiled for c in b.creases)
            self.assertAlmostEqual(sum(np.hypot(*np.diff(s.points, axis=0)[0]) for s in scores if s.subject not in tiled), wanted, places=3)

    def test_a_card_that_fits_one_page_is_not_tiled_and_has_its_rulers_inside(self):
        for card, paper in ((Card(size="na.a7"), "letter"), (Card(size="free", width=140.0, height=195.0), "a4"), (Card(size="iso.a6"), "a4")):
            assembly, drawn = pages("pocket-pull", card=card, paper=paper)
            mine = [p for p in drawn if any(isinstance(i, Shape) and i.subject == "card.sheet" for i in p.primitives)]
            self.assertEqual(len(mine), 1, card)
            sheet = next(i for i in mine[0].primitives if isinstance(i, Shape) and i.subject == "card.sheet")
            ruler = next(i for i in mine[0].primitives if isinstance(i, Stroke) and i.subject == "ruler.mm")
            self.assertAlmostEqual(float(np.ptp(ruler.points[:, 0])), 100.0)
            if max(find_blanks(assembly)[0].size_mm) > 250:
                self.assertTrue(shapely.Polygon(sheet.rings[0], sheet.rings[1:]).contains(shapely.LineString(ruler.points)))


class MarkTest(unittest.TestCase):
    def test_pivots_without_a_hole_are_pricked_where_the_parts_turn(self):
        assembly = build_assembly(card_with("iris"), CATALOG)
        blanks = {b.id: b for b in find_blanks(assembly)}
        ring = [m for m in find_marks(blanks["m1.ring"], assembly) if m.kind == "pivot"]
        self.assertEqual(len(ring), 3)  # one for each blade; the ring itself turns about its own opening
        radius = assembly.by_id["m1.ring"].region.bounds
        self.assertTrue(radius)
        middle = np.array([(m.points[0]) for m in ring]).mean(axis=0)
        reach = [np.linalg.norm(m.points[0] - middle) for m in ring]
        self.assertLess(max(reach) - min(reach), 1e-6)
        self.assertAlmostEqual(reach[0], card_with("iris").mechanisms[0].parameters["pin_radius"], places=6)

    def test_places_that_are_glued_are_pencilled_at_their_true_size_on_the_right_face(self):
        assembly = build_assembly(card_with("pocket-pull"), CATALOG)
        blanks = {b.id: b for b in find_blanks(assembly)}
        marks = {m.name: m for m in find_marks(blanks["card.panel"], assembly) if m.kind == "glue"}
        sleeve, pad = assembly.by_id["m1.sleeve"], assembly.by_id["m1.pad-1"]
        self.assertAlmostEqual(shapely.Polygon(marks["sleeve"].points).area, sleeve.region.area, places=4)
        self.assertEqual((marks["sleeve"].face, marks[pad.name].face), ("back", "front"))
        corner = assembly.by_id["card.panel"].region_at_home.bounds[:2]
        at = np.array(sleeve.region_at_home.bounds[:2]) - corner
        np.testing.assert_allclose(marks["sleeve"].points.min(axis=0), at, atol=1e-6)

    def test_hatched_places_are_hatched_in_the_svg(self):
        square = np.array([[0.0, 0.0], [20.0, 0.0], [20.0, 20.0], [0.0, 20.0]])
        hatched, plain = (Drawing((Shape((square,), "cut", fill, "x"),), (0.0, 0.0, 20.0, 20.0), "T") for fill in ("hatch", ""))
        self.assertGreater(write_svg(hatched).count(b"<path"), write_svg(plain).count(b"<path") + 3)
        self.assertEqual(write_svg(plain).count(b"<path"), 1)


if __name__ == "__main__":
    unittest.main()
