"""Punches and dies: the nearest and the next one up, the maker's own list, and what the cut list says of them."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from lexipod.building import build_assembly
from lexipod.catalog import Punch, load_catalog, nearest_punch
from lexipod.catalog.book import keep_punches
from lexipod.catalog.punches import parse_punches
from lexipod.design import Card
from lexipod.errors import LexipodError, MeasureError
from lexipod.fabricate import cut_list, notes_text
from lexipod.fabricate.cutlist import PIECE
from lexipod.fabricate.cutlist_files import cut_list_json
from lexipod.fitting.punching import fit_to_punch
from lexipod.units import UnitStyle
from tests.zoo import CATALOG, card_with

INCHES = UnitStyle("in")
OWNED = {p.id: p for p in parse_punches("1 1/2, 2, 2 1/4, 3 in", "circle", INCHES)}


class NearestTest(unittest.TestCase):
    def test_the_nearest_and_the_next_one_up_for_the_ring(self):
        """A window punched with the smaller and a ring cut with the next of a nest: common practice, no source."""
        best, ring = nearest_punch(OWNED, 50.0, 50.0, is_round=True)
        self.assertEqual((best.width_mm, ring.width_mm), (50.8, 57.15))
        best, ring = nearest_punch(OWNED, 80.0, 80.0, is_round=True)
        self.assertEqual((best.width_mm, ring), (76.2, None))
        self.assertEqual(nearest_punch(OWNED, 120.0, 120.0, is_round=True), (None, None))
        self.assertEqual(nearest_punch(OWNED, 50.8, 50.8, is_round=False), (None, None))
        self.assertEqual(nearest_punch(CATALOG.punches, 50.0, 39.0, is_round=True)[0].shape, "oval")

    def test_sizes_are_typed_with_commas_between(self):
        self.assertEqual([p.width_mm for p in parse_punches("1, 1 1/2, 2in", "circle", UnitStyle("mm"))], [25.4, 38.1, 50.8])
        self.assertEqual([p.width_mm for p in parse_punches("40, 25, 25", "square", UnitStyle("mm"))], [25.0, 40.0])
        self.assertEqual(parse_punches(" ", "circle", INCHES), [])
        with self.assertRaises(MeasureError):
            parse_punches("1, wide", "circle", INCHES)

    def test_a_punch_that_cannot_be_is_refused(self):
        for values in (("circle", 10.0, 12.0), ("star", 10.0, 10.0), ("circle", -1.0, -1.0)):
            with self.assertRaises(ValueError):
                Punch("x", "x", *values)


class OwnListTest(unittest.TestCase):
    def test_the_makers_own_list_stands_instead_of_the_shipped_one(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "catalog"
            keep_punches(OWNED.values(), folder)
            (folder / "more.toml").write_text('[punches."square-x"]\nname = "square"\nshape = "square"\nwidth = "1 in"\nheight = "1 in"\n')
            book = load_catalog(folder)
            sizes = sorted(p.width_mm for p in book.punches.values())
            self.assertEqual([round(s, 3) for s in sizes], [25.4, 38.1, 50.8, 57.15, 76.2])
            self.assertEqual(len(book.cards), len(CATALOG.cards))


class NamesTest(unittest.TestCase):
    def test_names_with_quotes_are_kept_and_read_back(self):
        with tempfile.TemporaryDirectory() as name:
            odd = Punch('a"b', 'my "best" \\ die', "rectangle", 20.0, 30.0)
            keep_punches([odd], Path(name))
            self.assertEqual(load_catalog(Path(name)).punches, {odd.id: odd})
            self.assertEqual([p.name for p in Path(name).iterdir()], ["punches.toml"])


class CutListTest(unittest.TestCase):
    def test_windows_and_discs_say_which_punch_comes_nearest(self):
        rows = cut_list(build_assembly(card_with("twist-popup", Card(size="na.a7"), units="in"), CATALOG), CATALOG)
        card = next(r for r in rows if r.name == "card")
        told = notes_text(card, INCHES)
        window = next(o for o in card.openings if o.kind == "window")
        punch = min((p for p in CATALOG.punches.values() if p.shape == "circle"), key=lambda p: abs(p.width_mm - window.width_mm))
        self.assertIn(f"your {punch.name}", told)
        plain = next(p for p in cut_list_json(rows)["pieces"] if p["name"] == "card")
        self.assertEqual(plain["punches"][0]["nearest"], punch.id)
        self.assertAlmostEqual(plain["punches"][0]["off"], punch.width_mm - window.width_mm, places=3)
        holes = cut_list(build_assembly(card_with("spinner"), CATALOG), CATALOG)
        self.assertFalse(any("hole" in p.name for r in holes for p in r.punched))

    def test_an_opening_is_set_to_a_punch_by_the_measures_that_it_goes_by(self):
        """Built anew, the outline of the opening is as wide as the punch by its farthest corners, and no piece but those with it changes."""
        cases = (("twist-popup", "card", "window", ("m1.window",)), ("twist-popup", "platform", PIECE, ("m1.platform_width", "m1.platform_height")))
        for recipe, name, opening, wanted in cases:
            design = card_with(recipe, Card(size="na.a7"), units="in")
            row = next(r for r in cut_list(build_assembly(design, CATALOG), CATALOG) if r.name == name)
            punched = next(p for p in row.punched if p.name == opening)
            with self.subTest(name):
                self.assertFalse(punched.is_cut)
                made, settings = fit_to_punch(design, CATALOG, row.parts[0], opening, punched.punch)
                self.assertEqual(tuple(settings), wanted)
                after = next(r for r in cut_list(build_assembly(made, CATALOG), CATALOG) if r.name == name)
                outline = after.outline if opening == PIECE else max(after.holes, key=lambda h: np.ptp(h, axis=0).max())
                far = max(np.linalg.norm(outline - corner, axis=1).max() for corner in outline)
                self.assertAlmostEqual(far, punched.punch.width_mm, delta=0.1)
                self.assertTrue(next(p for p in after.punched if p.name == opening).is_cut)
                self.assertEqual(set(wanted) - {f"m1.{n}" for n in made.mechanisms[0].decided}, set())

    def test_a_rectangle_goes_by_two_measures(self):
        design = card_with("window-wheel", Card(size="na.a7"), units="in")
        row = next(r for r in cut_list(build_assembly(design, CATALOG), CATALOG) if r.name == "frame")
        die = Punch("die", "die 25 x 30 mm", "rectangle", 25.0, 30.0)
        made, settings = fit_to_punch(design, CATALOG, row.parts[0], "window", die)
        self.assertEqual(settings, {"m1.window_width": 25.0, "m1.window_height": 30.0})
        after = next(r for r in cut_list(build_assembly(made, CATALOG), CATALOG) if r.name == "frame")
        sizes = [tuple(np.ptp(hole, axis=0).round(3)) for hole in after.holes]
        self.assertIn((25.0, 30.0), sizes)

    def test_what_no_measure_sets_is_said(self):
        design = card_with("window-wheel", Card(size="na.a7"), units="in")
        row = next(r for r in cut_list(build_assembly(design, CATALOG), CATALOG) if r.name == "ring of pads")
        with self.assertRaisesRegex(LexipodError, "no measure of this card"):
            fit_to_punch(design, CATALOG, row.parts[0], row.punched[0].name, row.punched[0].punch)
        with self.assertRaisesRegex(LexipodError, "there is no skylight"):
            fit_to_punch(design, CATALOG, row.parts[0], "skylight", row.punched[0].punch)


if __name__ == "__main__":
    unittest.main()
