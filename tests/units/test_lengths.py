"""Lengths as text."""

import doctest
import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from lexipod.errors import MeasureError
from lexipod.units import format_length, lengths, parse_length, quantities, typeset
from lexipod.units.quantities import UnitStyle, exact_text, format_quantity, parse_quantity


class ParsingTest(unittest.TestCase):
    def test_every_written_form_of_the_same_length_is_one_value(self):
        for text in ("3 1/2 in", '3-1/2"', "3.5in", "3½ in", "3 ½″", "8.89cm", "88.9 mm", "+3.5 inches", "3 ¹⁄₂ in"):
            self.assertEqual(parse_length(text), 88.9, text)

    def test_sixty_fourths_are_exact(self):
        self.assertEqual(parse_length("1/64 in"), 0.396875)  # 25.4 / 64

    def test_what_is_not_a_length_is_refused_with_examples(self):
        for text in ("1,5mm", "NaN", "inf", "", "3 1/2", "3 1/3 in", "1/2 mm", "3 in 4", "--3mm", "1e9mm", "0x10mm", "5 furlong", "٣ mm"):
            with self.subTest(text), self.assertRaises(MeasureError) as caught:
                parse_length(text, default_unit="mm")
            self.assertNotIn("\n", str(caught.exception))
            self.assertIn("length", str(caught.exception))

    def test_a_bare_number_takes_the_default_unit_and_none_demands_one(self):
        self.assertEqual(parse_length("2", default_unit="in"), 50.8)
        with self.assertRaisesRegex(MeasureError, "unit is missing"):
            parse_length("2", default_unit=None)

    def test_negative_fractions_are_negative_as_a_whole(self):
        self.assertEqual(parse_length("-1 1/2 in"), -38.1)

    @given(st.text(max_size=12))
    def test_any_text_gives_a_finite_length_or_the_named_error(self, text):
        try:
            value = parse_length(text)
        except MeasureError:
            return
        self.assertTrue(math.isfinite(value))


class FormattingTest(unittest.TestCase):
    @given(st.floats(-2000, 2000), st.sampled_from((8, 16, 32, 64)))
    def test_inches_read_back_within_half_a_mark(self, length_mm, denominator):
        text = format_length(length_mm, unit="in", denominator=denominator)
        self.assertLessEqual(abs(parse_length(text) - length_mm), 25.4 / denominator / 2 + 1e-6)

    @given(st.floats(-2000, 2000), st.integers(0, 4))
    def test_millimetres_read_back_within_half_a_place(self, length_mm, decimals):
        text = format_length(length_mm, decimals=decimals)
        self.assertLessEqual(abs(parse_length(text) - length_mm), 0.5 * 10**-decimals + 1e-6)

    @given(st.integers(-40000, 40000))
    def test_a_length_on_the_marks_is_shown_exactly_without_a_sign(self, sixty_fourths):
        text = format_length(sixty_fourths * 25.4 / 64, unit="in", denominator=64)
        self.assertNotIn("≈", text)
        self.assertAlmostEqual(parse_length(text), sixty_fourths * 25.4 / 64, places=9)

    @given(st.floats(0, 2000), st.sampled_from((8, 16, 32, 64)))
    def test_the_sign_stands_exactly_when_more_than_a_twentieth_was_rounded_off(self, length_mm, denominator):
        text = format_length(length_mm, unit="in", denominator=denominator)
        error = abs(parse_length(text) - length_mm)
        if abs(error - 0.05) > 1e-6:
            self.assertEqual(text.startswith("≈"), error > 0.05)

    @given(st.floats(-2000, 2000))
    def test_typeset_fractions_read_back_the_same(self, length_mm):
        text = format_length(length_mm, unit="in", denominator=32)
        self.assertEqual(parse_length(typeset(text)), parse_length(text))

    @given(st.floats(-2000, 2000), st.sampled_from(("in", "mm")))
    def test_what_stands_in_an_edit_field_is_the_value_itself(self, length_mm, unit):
        self.assertAlmostEqual(parse_length(exact_text(length_mm, "length", UnitStyle(unit))), length_mm, places=6)

    def test_the_value_behind_a_text_is_never_rounded(self):
        value = 41.2345678
        format_length(value, unit="in", denominator=8)
        self.assertEqual(value, 41.2345678)

    def test_infinite_lengths_are_a_callers_mistake(self):
        with self.assertRaises(ValueError):
            format_length(math.inf)


class QuantityTest(unittest.TestCase):
    def test_each_kind_is_read_in_its_own_way(self):
        self.assertEqual(parse_quantity("30°", "angle"), 30.0)
        self.assertEqual(parse_quantity("3", "count"), 3)
        self.assertIs(parse_quantity("no", "flag"), False)
        self.assertEqual(parse_quantity("UP", "choice", choices=("up", "down")), "up")

    def test_counts_refuse_fractions(self):
        with self.assertRaisesRegex(MeasureError, "whole number"):
            parse_quantity("1.5", "count")

    def test_small_gaps_are_shown_in_the_makers_own_unit(self):
        """Under 1/8 in and off the marks they are told in thousandths; both ways they read back within half a thousandth."""
        style = UnitStyle("in")
        self.assertEqual(format_quantity(0.5, "length", style), "0.02 in")
        self.assertEqual([style.length(v) for v in (0.0, 0.3, -0.3, 1.5875, 3.175)], ["0 in", "0.012 in", "-0.012 in", "1/16 in", "1/8 in"])
        for k in range(1, 317):
            told = style.length(k / 100)
            self.assertTrue(told.endswith(" in"), told)
            self.assertAlmostEqual(parse_length(told), k / 100, delta=0.0128)


def load_tests(loader, tests, pattern):
    for module in (lengths, quantities):
        tests.addTests(doctest.DocTestSuite(module))
    return tests
