"""The card in the post.

Sources: grammage is mass by area (ISO 536); the sizes and ratios of envelopes are arithmetic; limits of carriers are the dated tables of
the catalog, from memory.
"""

import math
import unittest
from dataclasses import replace

from lexipod.checks.post import _is_within, check_post, find_letter_rows, find_mass, find_posted, refusals
from lexipod.editing.change import change_design
from tests.zoo import CATALOG, card_with, moved


def posted(envelope, *, thickness=3.0, mass=15.0, uneven=0.0):
    """An envelope of the catalog with a card of some thickness and mass in it."""
    size = CATALOG.envelopes[envelope]
    _, examination = moved(card_with("spinner"))
    sound = find_posted(examination)
    sides = sorted((size.width_mm, size.height_mm))
    return examination, replace(sound, long_mm=sides[1], short_mm=sides[0], thickness_mm=thickness, mass_g=mass, uneven_mm=uneven)


class ClassTest(unittest.TestCase):
    def takes(self, carrier, name, envelope, **more):
        examination, sent = posted(envelope, **more)
        letter = next(c for c in CATALOG.carriers[carrier].classes if c.name == name)
        return not refusals(examination, letter, sent)

    def test_sizes_go_where_the_tables_say(self):
        # Rows of the published size tables, from memory.
        for envelope, us, uk, ca, de in (
            ("na.env.a2", True, True, True, False),
            ("na.env.a7", True, True, True, False),
            ("iso.c6", True, True, True, True),
            ("iso.dl", True, True, True, True),
            ("iso.c5", False, True, False, False),
        ):
            told = [self.takes(c, n, envelope) for c, n in (("us", "letter"), ("uk", "letter"), ("ca", "standard"), ("de", "standard"))]
            self.assertEqual(told, [us, uk, ca, de], envelope)

    def test_thickness_and_mass_have_limits_of_their_own(self):
        self.assertTrue(self.takes("us", "letter", "na.env.a2", thickness=6.3))
        self.assertFalse(self.takes("us", "letter", "na.env.a2", thickness=6.4))
        self.assertTrue(self.takes("de", "standard", "iso.c6", mass=20.0))
        self.assertFalse(self.takes("de", "standard", "iso.c6", mass=20.1))
        self.assertFalse(self.takes("uk", "letter", "na.env.a2", thickness=5.1))

    def test_a_square_envelope_is_taken_but_costs_more(self):
        _, examination = moved(card_with("spinner", units="mm"))
        square = change_design(card_with("spinner"), CATALOG, {"card": "120x120mm", "envelope": "na.env.sq5_5"})
        _, examination = moved(square)
        row = next(r for r in find_letter_rows(examination) if r.carrier.id == "us")
        self.assertEqual(row.letter.name, "letter")
        self.assertTrue(any("1.3 to 2.5" in note for note in row.notes))

    def test_every_carrier_says_when_and_where_from(self):
        for carrier in CATALOG.carriers.values():
            self.assertRegex(carrier.dated, r"^20\d\d-\d\d-\d\d$")
            self.assertIn("memory", carrier.source)

    def test_only_the_makers_own_carrier_is_a_finding(self):
        thick = change_design(card_with("dial-riders"), CATALOG, {"carrier": "uk"})
        _, examination = moved(thick)
        (finding,) = check_post(examination)
        self.assertEqual((finding.rule, finding.severity), ("post", "note"))
        self.assertIn("large letter", finding.title)
        self.assertIn("post office", finding.message)
        self.assertEqual(list(check_post(moved(card_with("dial-riders"))[1])), [])


class MassTest(unittest.TestCase):
    def test_a_bare_card_weighs_its_area_times_its_grammage(self):
        from lexipod.design import Card, Design

        built, _ = moved(Design(card=Card(size="iso.a6", stock="card-300")))
        told = find_mass(built, CATALOG)
        self.assertAlmostEqual(told.paper_g, 2 * 0.105 * 0.148 * 300, places=6)
        self.assertEqual((told.foam_g, told.fasteners_g), (0.0, 0.0))

    def test_each_ply_weighs(self):
        one, two = (moved(card_with("strip-slider").with_parameters("m1", {"strip_plies": n}))[0] for n in (1, 2))
        strip = one.by_id["m1.strip"]
        more = find_mass(two, CATALOG).paper_g - find_mass(one, CATALOG).paper_g
        self.assertAlmostEqual(more, strip.region.area * CATALOG.stocks[strip.stock].grammage / 1e6, places=6)

    def test_the_magnets_of_a_hem_weigh(self):
        # Two pages with two discs each, 8 mm across and 1 mm thick, of 7.5 g/cm3 (neodymium, from memory).
        plain, hem = (moved(change_design(card_with("spinner"), CATALOG, {"closure": c}))[0] for c in ("none", "hem"))
        discs = 4 * math.pi / 4 * 0.8**2 * 0.1 * 7.5
        self.assertAlmostEqual(find_mass(hem, CATALOG).fasteners_g - find_mass(plain, CATALOG).fasteners_g, discs, places=6)

    def test_a_card_without_an_envelope_is_not_posted(self):
        _, examination = moved(change_design(card_with("spinner"), CATALOG, {"card": "400x400mm"}))
        self.assertIsNone(find_posted(examination))
        self.assertEqual(find_letter_rows(examination), ())


class LimitTest(unittest.TestCase):
    def test_a_measure_exactly_at_a_limit_is_within_it(self):
        for value, within in ((5.0, True), (10.0, True), (4.99, False), (10.01, False), (7.0, True)):
            self.assertEqual(_is_within(value, (5.0, 10.0)), within)


if __name__ == "__main__":
    unittest.main()
