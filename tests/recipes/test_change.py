"""Changing designs by names and values."""

import unittest

from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.design import Card, Design, Mechanism
from lexipod.editing.change import change_design, new_design, parse_card
from lexipod.errors import ChoiceError, LexipodError, MeasureError, ParameterError
from lexipod.recipes import find_recipe
from tests.zoo import CATALOG, slider


class CardTextTest(unittest.TestCase):
    def test_cards_by_name_and_by_measure(self):
        self.assertEqual(parse_card("A7", Card(), CATALOG).size, "na.a7")
        self.assertEqual(parse_card("iso.a6", Card(), CATALOG).size, "iso.a6")
        free = parse_card("4 1/4 x 5 1/2 in", Card(), CATALOG)
        self.assertEqual((free.size, free.width, free.height), ("free", 107.95, 139.7))
        self.assertEqual(parse_card("10 × 15cm", Card(), CATALOG).width, 100)

    def test_a_name_with_an_x_in_it_is_still_a_name(self):
        with self.assertRaises(ChoiceError):
            parse_card("foxtrot", Card(), CATALOG)
        with self.assertRaises(MeasureError):
            parse_card("100x1e9mm", Card(), CATALOG)

    def test_back_from_a_free_size_to_a_named_one(self):
        design = change_design(Design(), CATALOG, {"card": "100x150mm"})
        design = change_design(design, CATALOG, {"card": "a7"})
        self.assertEqual((design.card.size, design.card.width), ("na.a7", None))

    def test_impossible_measures_are_refused(self):
        for text in ("0x10mm", "-5x10mm", "3000x10mm"):
            with self.assertRaises(LexipodError):
                change_design(Design(), CATALOG, {"card": text})


class SettingTest(unittest.TestCase):
    def test_several_changes_are_made_all_or_none(self):
        design = slider()
        with self.assertRaises(ParameterError):
            change_design(design, CATALOG, {"travel": "20mm", "slot_length": "-3mm"})
        self.assertEqual(design, slider())

    def test_values_are_taken_as_well_as_texts(self):
        for value in (30, 30.0, "30mm", "3cm", "30"):
            self.assertEqual(change_design(slider(), CATALOG, {"travel": value}).mechanisms[0].parameters["travel"], 30.0)

    def test_without_or_with_several_mechanisms_one_must_be_named(self):
        with self.assertRaisesRegex(ParameterError, "which mechanism"):
            change_design(Design(), CATALOG, {"travel": "20mm"})
        one = slider()
        two = Design(card=one.card, mechanisms=(*one.mechanisms, Mechanism("m2", "strip-slider", one.mechanisms[0].parameters)))
        with self.assertRaisesRegex(ParameterError, "m1, m2"):
            change_design(two, CATALOG, {"travel": "20mm"})
        self.assertEqual(change_design(two, CATALOG, {"travel": "20mm"}, mechanism="m2").mechanisms[1].parameters["travel"], 20.0)

    def test_ways_and_card_are_set_by_their_choices(self):
        design = change_design(
            slider(), CATALOG, {"cutting": "plotter", "denominator": "32", "fold": "top", "base": "tag", "envelope": "c6", "push_force": "0.8"}
        )
        self.assertEqual(
            (design.ways.cutting, design.ways.denominator, design.card.fold, design.envelope, design.ways.push_force),
            ("plotter", 32, "top", "iso.c6", 0.8),
        )
        self.assertIsNone(change_design(design, CATALOG, {"envelope": "usual"}).envelope)
        for name, text in (("cutting", "laser"), ("denominator", "10"), ("friction", "-1"), ("friction", "x"), ("envelope", "zz"), ("stock", "felt")):
            with self.subTest(name), self.assertRaises(LexipodError):
                change_design(design, CATALOG, {name: text})

    def test_a_finer_way_of_cutting_wants_less_air(self):
        gaps = {}
        for cutting in ("hand", "plotter"):
            design = new_design("strip-slider", CATALOG, given={"cutting": cutting})
            v = design.mechanisms[0].parameters
            gaps[cutting] = v["rail_gap"] - v["strip_height"]
        self.assertLess(gaps["plotter"], gaps["hand"])


class ResolveTest(unittest.TestCase):
    def test_a_design_with_few_parameters_is_filled_up_when_it_is_built(self):
        design = Design(mechanisms=(Mechanism("m1", "strip-slider", {"travel": 30.0}),))
        self.assertEqual(build_assembly(design, CATALOG).drives[0].end, 30.0)

    def test_the_same_design_object_is_built_once(self):
        design = slider()
        self.assertIs(build_assembly(design, CATALOG), build_assembly(design, CATALOG))
        self.assertIsNot(build_assembly(slider(), CATALOG), build_assembly(design, CATALOG))

    def test_sizes_fall_on_the_makers_ruler(self):
        inch = new_design("strip-slider", CATALOG).mechanisms[0].parameters
        for name in ("travel", "slot_length", "slot_height", "strip_length", "picture_width", "frame_border"):
            marks = inch[name] / (25.4 / 16)
            self.assertAlmostEqual(marks, round(marks), places=3, msg=name)
        metric = new_design("strip-slider", CATALOG, given={"units": "mm"}).mechanisms[0].parameters
        for name in ("travel", "slot_length", "strip_length"):
            self.assertAlmostEqual(metric[name] * 2, round(metric[name] * 2), places=6, msg=name)

    def test_stiff_pulls_get_the_plies_that_euler_asks_for(self):
        recipe = find_recipe("strip-slider")
        small, large = (resolve_parameters(recipe, site_for(Design(card=Card(size=s)), CATALOG), {}) for s in ("na.sq3", "iso.a4"))
        self.assertLess(small["strip_plies"], large["strip_plies"])
