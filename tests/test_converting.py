"""Carrying a design to another card: what grows with it and what must not, measure by measure."""

import unittest

import msgspec

from lexipod.building import resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.design import Card, Item
from lexipod.editing.change import change_design
from lexipod.fitting import convert_design
from lexipod.fitting.converting import FASTENERS, GAPS, HELD, STAYING, Converted, _cured, _same, _scaled_item, _value, decided_values, scaled_values
from lexipod.recipes import RECIPES, find_recipe
from tests.zoo import CATALOG, FLAT, card_with

RATIOS = (1.25, 1.5)


class ScalingTest(unittest.TestCase):
    def test_places_scale_both_ways_lengths_by_the_smaller_ratio_and_the_rest_stays(self):
        for recipe_id in RECIPES:
            recipe, values = find_recipe(recipe_id), card_with(recipe_id).mechanisms[0].parameters
            made, how = scaled_values(recipe, values, RATIOS)
            self.assertEqual(set(made), set(values))
            for name, old in values.items():
                kind = recipe.find_parameter(name).kind
                if kind == "point":
                    expected = tuple(round(v * r, 2) for v, r in zip(old, RATIOS, strict=True))
                elif kind == "length" and name not in STAYING:
                    expected = round(old * 1.25, 2)
                else:
                    expected = old
                self.assertEqual(made[name], expected, (recipe_id, name))
                self.assertEqual(how[name], "kept" if made[name] == old else "scaled", (recipe_id, name))

    def test_neither_paper_nor_hands_grow(self):
        for names in (GAPS, FASTENERS, HELD):
            self.assertLess(names, STAYING)
        for recipe_id in FLAT:
            recipe, values = find_recipe(recipe_id), card_with(recipe_id).mechanisms[0].parameters
            made, _ = scaled_values(recipe, values, (2.0, 2.0))
            for name in ("clearance", "hole", "bearing", "notch_depth", "protrusion", "pad_play"):
                if name in values:
                    self.assertEqual(made[name], values[name], (recipe_id, name))

    def test_a_card_of_the_same_size_changes_nothing(self):
        for recipe_id in FLAT:
            recipe, values = find_recipe(recipe_id), card_with(recipe_id).mechanisms[0].parameters
            made, how = scaled_values(recipe, values, (1.0, 1.0))
            self.assertTrue(all(_same(made[n], v) for n, v in values.items()), recipe_id)
            self.assertLessEqual({h for n, h in how.items() if made[n] == values[n]}, {"kept"})


class DecidedTest(unittest.TestCase):
    def test_from_what_was_decided_all_else_follows(self):
        for recipe_id in FLAT:
            design, recipe = card_with(recipe_id), find_recipe(recipe_id)
            site = own_site(site_for(design, CATALOG), design.mechanisms[0])
            values = design.mechanisms[0].parameters
            decided = decided_values(recipe, site, values)
            again = resolve_parameters(recipe, site, decided)
            self.assertTrue(all(_same(again[n], v) for n, v in values.items()), recipe_id)

    def test_one_changed_measure_is_one_decision(self):
        design, recipe = card_with("strip-slider"), find_recipe("strip-slider")
        site = own_site(site_for(design, CATALOG), design.mechanisms[0])
        plain = set(decided_values(recipe, site, design.mechanisms[0].parameters))
        for name, more in (("travel", -4.0), ("rail_gap", 2.0), ("notch_depth", 1.0)):
            values = {**design.mechanisms[0].parameters, name: design.mechanisms[0].parameters[name] + more}
            self.assertIn(name, set(decided_values(recipe, site, values)) - plain)

    def test_values_are_the_same_within_a_fiftieth_of_a_millimetre(self):
        for a, b, same in ((1.0, 1.019, True), (1.0, 1.021, False), ((1.0, 2.0), (1.01, 2.0), True), ((1.0, 2.0), (1.0, 2.1), False)):
            self.assertEqual(_same(a, b), same, (a, b))
        self.assertTrue(_same("tab", "tab"))
        self.assertFalse(_same(True, False))


class ItemTest(unittest.TestCase):
    def item(self, kind):
        return Item("i1", kind, "card.panel", "front", (20.0, -10.0), 12.0, 8.0)

    def test_pictures_grow_and_pads_keep_their_size(self):
        picture, pad = (_scaled_item(self.item(kind), RATIOS) for kind in ("decoration", "pad"))
        self.assertEqual((picture.at, picture.width, picture.height), ((25.0, -15.0), 15.0, 10.0))
        self.assertEqual((pad.at, pad.width, pad.height), ((25.0, -15.0), 12.0, 8.0))

    def test_nothing_shrinks_to_nothing(self):
        small = msgspec.structs.replace(self.item("decoration"), width=1.2, height=1.2)
        self.assertEqual(_scaled_item(small, (0.5, 0.5)).width, 1.0)


class WholeTest(unittest.TestCase):
    def test_to_its_own_card_and_back_nothing_is_lost(self):
        design = card_with("spinner")
        told = convert_design(design, CATALOG, design.card)
        self.assertTrue(told.is_free)
        self.assertEqual(told.changes, ())
        self.assertEqual(told.design.mechanisms, design.mechanisms)

    def test_a_decision_that_stands_in_the_way_is_let_go_and_named(self):
        design = card_with("spinner", Card(size="na.a7"))
        wide = change_design(design, CATALOG, {"leaf_length": design.mechanisms[0].parameters["leaf_length"] + 6.0})
        told = convert_design(wide, CATALOG, Card(size="na.sq4"))
        self.assertTrue(told.is_free, told.reason)
        self.assertLessEqual({c.how for c in told.changes}, {"scaled", "sized", "cured", "let go", "kept"})
        fresh = told.design.mechanisms[0].parameters
        for change in told.changes:
            self.assertTrue(_same(change.old, wide.mechanisms[0].parameters[change.name]), change)
            self.assertTrue(_same(change.new, fresh[change.name]), change)

    def test_what_a_cure_changed_is_told_with_its_old_value(self):
        design = card_with("strip-slider")
        tight = change_design(design, CATALOG, {"travel": design.mechanisms[0].parameters["travel"] + 6.0})
        cured, done = _cured(tight, CATALOG)
        self.assertTrue(done)
        mechanism, name, old, new = done[0]
        self.assertEqual((mechanism, old), ("m1", tight.mechanisms[0].parameters[name]))
        self.assertEqual(cured.mechanisms[0].parameters[done[-1][1]], done[-1][3])
        self.assertNotEqual(old, new)
        self.assertEqual((_value(tight, "m9", "travel"), _value(tight, "m1", "travel")), ("", tight.mechanisms[0].parameters["travel"]))

    def test_the_reason_is_the_refusal_or_what_blocks(self):
        design = card_with("spinner")
        self.assertEqual(Converted(design, (), (), {}).reason, "")
        self.assertEqual(Converted(design, (), (), {"m1": "it does not fit"}).reason, "it does not fit")
        self.assertFalse(Converted(design, (), (), {"m1": "it does not fit"}).is_free)


if __name__ == "__main__":
    unittest.main()
