"""Sizes and stocks against what others carry."""

import doctest
import math
import re
import subprocess
import tempfile
import unittest
from pathlib import Path

from PySide6.QtGui import QPageSize

from lexipod.catalog import load_catalog, stocks
from lexipod.catalog.book import read_tables
from lexipod.catalog.stocks import BASIS_SHEETS, basis_weight_from_grammage, grammage_from_basis_weight
from lexipod.errors import ChoiceError, FileError
from tests.zoo import CATALOG

UNITS = Path("/usr/share/units/definitions.units")


class SizeTest(unittest.TestCase):
    def test_iso_sizes_follow_the_rule_of_iso_216_and_269(self):
        # floor(x + 0.2) with x = 1000 * 2^(-n/2 + k) and 1000 * 2^(-(n - 1)/2 + k); k = -1/4 (A), 0 (B), -1/8 (C).
        # The series are published in ISO 216 and ISO 269; the constants here are from memory.
        shift = {"a": -0.25, "b": 0.0, "c": -0.125}
        found = 0
        for table in (CATALOG.cards, CATALOG.envelopes, CATALOG.sheets):
            for size in table.values():
                match = re.fullmatch(r"(?:iso\.)?([abc])(\d{1,2})", size.id)
                if match is None:
                    continue
                k, n = shift[match[1]], int(match[2])
                wanted = tuple(math.floor(1000 * 2 ** (-(n - side) / 2 + k) + 0.2) for side in (0, 1))
                self.assertEqual((size.width_mm, size.height_mm), wanted, size.id)
                found += 1
        self.assertGreaterEqual(found, 10)

    def test_sizes_that_qt_carries_agree_with_it(self):
        pairs = {
            ("sheets", "letter"): QPageSize.PageSizeId.Letter,
            ("sheets", "legal"): QPageSize.PageSizeId.Legal,
            ("sheets", "a4"): QPageSize.PageSizeId.A4,
            ("sheets", "a3"): QPageSize.PageSizeId.A3,
            ("sheets", "a5"): QPageSize.PageSizeId.A5,
            ("envelopes", "iso.c5"): QPageSize.PageSizeId.EnvelopeC5,
            ("envelopes", "iso.c6"): QPageSize.PageSizeId.EnvelopeC6,
            ("envelopes", "iso.c4"): QPageSize.PageSizeId.EnvelopeC4,
            ("envelopes", "iso.dl"): QPageSize.PageSizeId.EnvelopeDL,
            ("envelopes", "na.env.9"): QPageSize.PageSizeId.Envelope9,
            ("envelopes", "na.env.10"): QPageSize.PageSizeId.Envelope10,
            ("envelopes", "na.env.12"): QPageSize.PageSizeId.Envelope12,
            ("envelopes", "na.env.6_75"): QPageSize.PageSizeId.EnvelopePersonal,
            ("envelopes", "na.env.7_75"): QPageSize.PageSizeId.EnvelopeMonarch,
        }
        for (table, key), page in pairs.items():
            size = getattr(CATALOG, table)[key]
            theirs = QPageSize(page).size(QPageSize.Unit.Millimeter)
            width, height = sorted((theirs.width(), theirs.height()))
            self.assertAlmostEqual(size.width_mm, width, delta=0.3, msg=key)  # Qt keeps whole points for some
            self.assertAlmostEqual(size.height_mm, height, delta=0.3, msg=key)

    def test_a_name_that_two_namespaces_share_is_refused_with_both(self):
        with self.assertRaisesRegex(ChoiceError, "iso.a6, na.a6"):
            CATALOG.find_id("cards", "a6")
        self.assertEqual(CATALOG.find_id("cards", "A7"), "na.a7")

    def test_every_card_goes_flat_into_its_own_envelope(self):
        for card in CATALOG.cards.values():
            self.assertTrue(card.envelopes, card.id)
            for key in card.envelopes:
                envelope = CATALOG.envelopes[key]
                self.assertLess(card.width_mm, envelope.width_mm, card.id)
                self.assertLess(card.height_mm, envelope.height_mm, card.id)

    @unittest.skipUnless(UNITS.exists(), "Debian's units data is not installed")
    def test_north_american_envelopes_agree_with_the_units_database(self):
        # GNU units database (Debian package units), definitions.units: envelopeA2size and the like, in inches.
        text = UNITS.read_text(encoding="utf-8")
        names = {
            "a1": "A1",
            "a2": "A2",
            "a6": "A6",
            "a7": "A7",
            "a8": "A8",
            "a9": "A9",
            "a10": "A10",
            "6_25": "6_25",
            "6_75": "6_75",
            "7_75": "7_75",
            "9": "9",
            "10": "10",
            "11": "11",
            "12": "12",
            "14": "14",
        }
        for key, theirs in names.items():
            area = re.search(rf"^envelope{theirs}size\s+(.+)$", text, re.MULTILINE)
            self.assertIsNotNone(area, theirs)
            size = CATALOG.envelopes[f"na.env.{key}"]
            wanted = subprocess.run(["units", "--terse", f"envelope{theirs}size", "mm^2"], capture_output=True, text=True, check=True)
            self.assertAlmostEqual(float(wanted.stdout.split()[0]), size.width_mm * size.height_mm, delta=0.6, msg=key)


class StockTest(unittest.TestCase):
    def test_basis_weight_follows_from_its_definition(self):
        # 500 basis sheets weigh the basis weight: lb = 453.59237 g, in = 25.4 mm, both exact.
        for grade, (width, height) in BASIS_SHEETS.items():
            area_m2 = 500 * width * 25.4 * height * 25.4 / 1e6
            self.assertAlmostEqual(grammage_from_basis_weight(100, grade), 45359.237 / area_m2, places=9)
        self.assertAlmostEqual(grammage_from_basis_weight(65, "cover"), 175.77, places=2)
        self.assertAlmostEqual(grammage_from_basis_weight(110, "index"), 198.88, places=2)
        self.assertAlmostEqual(basis_weight_from_grammage(297.4526, "cover"), 110, places=3)

    @unittest.skipUnless(UNITS.exists(), "Debian's units data is not installed")
    def test_basis_weight_agrees_with_the_units_program(self):
        # GNU units database, units lbcover, lbindex and so on.
        for pounds, grade in ((65, "cover"), (110, "index"), (20, "bond"), (100, "bristol"), (80, "text")):
            call = ["units", "--terse", f"{pounds} lb{'book' if grade == 'text' else grade}", "g/m^2"]
            said = subprocess.run(call, capture_output=True, text=True, check=True)
            self.assertAlmostEqual(float(said.stdout.split()[0]), grammage_from_basis_weight(pounds, grade), delta=0.01, msg=grade)

    def test_an_unknown_grade_lists_the_known_ones(self):
        with self.assertRaisesRegex(ChoiceError, "bond, bristol, cover, index"):
            grammage_from_basis_weight(110, "fancy")


class OwnTablesTest(unittest.TestCase):
    def test_the_users_entries_come_on_top_and_can_replace(self):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder, "mine.toml").write_text(
                '[cards.mine]\nwide = { name = "Wide", width = "4 in", height = "9 in", envelopes = ["na.env.10"] }\n'
                '[stocks]\ncard-300 = { name = "My 300", grammage = 302, caliper = "0.41 mm" }\n',
                encoding="utf-8",
            )
            book = load_catalog(Path(folder))
            self.assertEqual(book.cards["mine.wide"].width_mm, 101.6)
            self.assertEqual(book.stocks["card-300"].caliper_mm, 0.41)
            self.assertIn("na.a2", book.cards)

    def test_what_another_process_writes_meanwhile_is_seen(self):
        with tempfile.TemporaryDirectory() as folder:
            before = load_catalog(Path(folder))
            self.assertIs(load_catalog(Path(folder)), before, "what has not changed is not read again")
            Path(folder, "mine.toml").write_text('[cards]\nmine = { name = "M", width = 50, height = 60 }')
            self.assertIn("mine", load_catalog(Path(folder)).cards)
            Path(folder, "mine.toml").write_text("[cards\n")
            with self.assertRaisesRegex(FileError, "TOML"):
                load_catalog(Path(folder))
            Path(folder, "mine.toml").unlink()
            self.assertEqual(load_catalog(Path(folder)).cards, before.cards)

    def test_faults_name_file_entry_and_field(self):
        faults = {
            '[cards]\nx = { name = "X", width = "4 in" }': "cards.x.*height",
            '[cards]\nx = { name = "X", width = 9, height = 4 }': "cards.x.*shorter side",
            '[cards]\nx = { name = "X", width = "4 furlong", height = 9 }': "cards.x.*furlong",
            '[stocks]\ns = { name = "S", pounds = 110, grade = "heavy", caliper = 0.4 }': "stocks.s.*paper grade",
            '[stocks]\ns = { name = "S", grammage = nan, caliper = 0.4 }': "stocks.s.*grammage",
            "[wheels]\n": "wheels.*cards",
            "[cards\n": "TOML",
        }
        for text, message in faults.items():
            with self.subTest(text), self.assertRaisesRegex(FileError, message):
                read_tables(text, "mine.toml")

    def test_an_envelope_that_is_not_there_is_told(self):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder, "a.toml").write_text('[cards]\nx = { name = "X", width = 50, height = 60, envelopes = ["no.such"] }')
            with self.assertRaisesRegex(FileError, "cards.x.*no.such"):
                load_catalog(Path(folder))


def load_tests(loader, tests, pattern):
    tests.addTests(doctest.DocTestSuite(stocks))
    return tests
