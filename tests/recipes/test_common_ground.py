"""What all recipes rest on: sizing that keeps what was decided, the lowest foam that is high enough, pins, and pieces laid on a card."""

import math
import unittest

import msgspec
import numpy as np
import shapely

from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.building.placing import Placing, flip_region, move_region
from lexipod.checks import Examination, run_checks
from lexipod.design import Card, Ways
from lexipod.recipes import RECIPES, find_recipe
from lexipod.recipes.kit.lay import EXITS, Lay
from lexipod.recipes.kit.usual import FOAMS, pin_gap, pin_play, size_border, size_foam, size_pin, smaller_holes
from lexipod.recipes.kit.values import below, count, keep, keep_place, number, place, sized_count
from tests.zoo import CATALOG, FLAT, card_with, slider


def site(**ways):
    return site_for(slider(ways=Ways(units="mm", **ways)), CATALOG)


class ValueTest(unittest.TestCase):
    def test_what_was_decided_stays_and_the_rest_is_sized_on_the_ruler(self):
        values = {"a": 3.33}
        self.assertEqual(keep(values, "a", 99.0, grid_mm=0.5), 3.33)
        self.assertEqual(keep(values, "b", 7.3, grid_mm=0.5), 7.5)
        self.assertEqual(keep_place(values, "c", 1.26, 2.24, grid_mm=0.5), (1.5, 2.0))
        self.assertEqual(sized_count(values, "d", 4), 4)
        self.assertEqual((count(values, "d"), number(values, "c.x"), number(values, "c.y"), place(values, "c")), (4, 1.5, 2.0, (1.5, 2.0)))

    def test_below_never_goes_above(self):
        for value, grid, expected in ((7.49, 0.5, 7.0), (7.5, 0.5, 7.5), (7.5 - 1e-12, 0.5, 7.5), (25.4, 25.4 / 16, 25.4)):
            self.assertAlmostEqual(below(value, grid), expected)

    def test_resolving_twice_changes_nothing(self):
        for recipe_id, recipe in RECIPES.items():
            if recipe_id not in FLAT:
                continue
            design = card_with(recipe_id)
            values = design.mechanisms[0].parameters
            self.assertEqual(resolve_parameters(recipe, site_for(design, CATALOG), values), values, recipe_id)

    def test_every_measure_lies_within_its_limits_and_is_named_once(self):
        for recipe_id in FLAT:
            recipe, values = find_recipe(recipe_id), card_with(recipe_id).mechanisms[0].parameters
            self.assertEqual({p.name for p in recipe.parameters}, set(values), recipe_id)
            self.assertEqual(len({p.name for p in recipe.parameters}), len(recipe.parameters))
            for parameter in recipe.parameters:
                value = values[parameter.name]
                if parameter.kind in ("length", "angle", "count"):
                    self.assertTrue(parameter.minimum <= value <= parameter.maximum, (recipe_id, parameter.name, value))
                elif parameter.kind == "choice":
                    self.assertIn(value, parameter.choices, (recipe_id, parameter.name))

    def test_levers_pull_on_measures_that_there_are(self):
        for recipe_id, recipe in RECIPES.items():
            names = {p.name for p in recipe.parameters}
            for rule, levers in recipe.levers.items():
                for lever in levers:
                    touched = {n.partition(".")[0] for n in (*lever.gains, *lever.choose)}
                    self.assertLessEqual(touched, names, (recipe_id, rule, lever.label))
                    self.assertTrue(touched, (recipe_id, rule, lever.label))


class FoamTest(unittest.TestCase):
    def test_the_lowest_stack_that_is_high_enough_is_taken(self):
        heights = {f: CATALOG.foams[f].thickness_mm for f in FOAMS}
        for needed in (0.3, 1.0, 1.01, 1.6, 2.4, 3.7, 5.2, 7.9):
            values = {}
            size_foam(site(), values, needed)
            chosen = heights[values["foam"]] * values["foam_layers"]
            self.assertGreaterEqual(chosen, needed)
            lowest = min(h * n for h in heights.values() for n in (1, 2, 3) if h * n >= needed - 1e-9)
            self.assertAlmostEqual(chosen, lowest, msg=str(needed))

    def test_of_two_as_high_the_one_with_fewer_layers_is_taken(self):
        values = {}
        size_foam(site(), values, 3.0)
        self.assertEqual((values["foam"], values["foam_layers"]), ("foam-3", 1))

    def test_a_chosen_foam_is_stacked_as_high_as_needed(self):
        values = {"foam": "foam-1"}
        size_foam(site(), values, 2.3)
        self.assertEqual(values["foam_layers"], math.ceil(2.3 / CATALOG.foams["foam-1"].thickness_mm))

    def test_a_border_is_a_twentieth_within_bounds(self):
        here = site()
        smaller = min(here.card.width_mm, here.card.height_mm)
        border = size_border(here, {}, "frame_border")
        self.assertAlmostEqual(border, max(3.0, min(6.0, smaller / 20)), delta=here.grid_mm / 2 + 1e-9)
        self.assertEqual(size_border(here, {"frame_border": 9.0}, "frame_border"), 9.0)


class PinTest(unittest.TestCase):
    def test_the_play_is_half_of_what_the_hole_is_wider(self):
        values = {}
        size_pin(site(), values)
        self.assertAlmostEqual(number(values, "hole") - number(values, "bearing"), 2 * number(values, "clearance"))
        self.assertAlmostEqual(pin_play(values), number(values, "clearance"))
        self.assertLess(pin_gap(values), number(values, "clearance"))
        self.assertEqual(pin_play({"hole": 2.0, "bearing": 3.0}), 0.0)

    def test_a_smaller_hole_is_tried_before_less_play(self):
        first, second = smaller_holes("hole")
        self.assertEqual(first.gains, {"hole": -1.0})
        self.assertEqual(second.gains["clearance"], -0.5)
        self.assertEqual(first.label, second.label)


class LayTest(unittest.TestCase):
    """A card laid along its pull: the same measures from the far edge, whichever way it leaves."""

    def test_the_exit_lies_at_the_far_end(self):
        for way in EXITS:
            lay = Lay(way, 100.0, 140.0)
            start, end = np.array(lay.point(0.0, 0.0)), np.array(lay.point(lay.length, 0.0))
            self.assertTrue(np.allclose((end - start) / lay.length, lay.along), way)
            self.assertAlmostEqual(float(np.dot(lay.along, lay.across)), 0.0)
            self.assertAlmostEqual(lay.length * lay.breadth, 14000.0)

    def test_areas_stay(self):
        outline = np.array([[10.0, 20.0], [60.0, 20.0], [60.0, 45.0], [10.0, 30.0]])
        for way in EXITS:
            lay = Lay(way, 100.0, 140.0)
            self.assertAlmostEqual(lay.region(outline).area, shapely.Polygon(outline).area)
            self.assertTrue(shapely.box(0, 0, 100, 140).contains(lay.region(outline)))

    def test_a_notch_reaches_past_the_edge(self):
        for way in EXITS:
            lay = Lay(way, 100.0, 140.0)
            notch = lay.notch(50.0, 8.0, 10.0)
            inside = shapely.intersection(notch, shapely.box(0, 0, 100, 140))
            self.assertAlmostEqual(inside.area, 8.0 * 20.0 - 2 * (1 - math.pi / 4) * 64.0, delta=0.5)  # two round corners
            self.assertGreater(notch.area, inside.area)
        self.assertTrue(Lay("up", 100.0, 140.0).notch(50.0, 0.4, 10.0).is_empty)


class PlacingTest(unittest.TestCase):
    def setUp(self):
        self.region = shapely.Polygon([(10, 10), (40, 10), (40, 30), (20, 25)])

    def placing(self, turn=0, mirror=False, shift=(0.0, 0.0)):
        return Placing(turn, mirror, shift, 100.0, 140.0)

    def test_a_turned_mechanism_is_built_for_the_card_laid_round(self):
        self.assertEqual(self.placing(0).own_size, (100.0, 140.0))
        self.assertEqual(self.placing(90).own_size, (140.0, 100.0))
        self.assertEqual(self.placing(180).own_size, (100.0, 140.0))

    def test_turning_stays_on_the_card(self):
        for turn in (0, 90, 180, 270):
            placing = self.placing(turn)
            width, height = placing.own_size
            whole = placing.region(shapely.box(0, 0, width, height))
            self.assertTrue(shapely.equals_exact(whole.envelope, shapely.box(0, 0, 100, 140), tolerance=1e-9, normalize=True), turn)
            self.assertAlmostEqual(placing.region(self.region).area, self.region.area)

    def test_mirroring_twice_changes_nothing(self):
        twice = flip_region(flip_region(self.region, 100.0), 100.0)
        self.assertTrue(shapely.equals_exact(twice, self.region, tolerance=1e-12, normalize=True))

    def test_quarter_turns_are_exact(self):
        around = self.region
        for _ in range(4):
            around = move_region(around, (0.0, 0.0, math.pi / 2))
        self.assertEqual(shapely.get_coordinates(around).tolist(), shapely.get_coordinates(self.region).tolist())

    def test_a_whole_sheet_does_not_shift_with_its_mechanism(self):
        placing = self.placing(shift=(5.0, -3.0))
        self.assertEqual(placing.region(self.region, shifts=False).bounds, self.region.bounds)
        self.assertTrue(np.allclose(np.subtract(placing.region(self.region).bounds, self.region.bounds), (5.0, -3.0, 5.0, -3.0)))

    def test_a_shifted_mechanism_moves_all_that_is_its_own_and_no_sheet(self):
        design = card_with("spinner")
        shifted = replace_mechanism(design, shift=(4.0, -6.0))
        before, after = (build_assembly(d, CATALOG) for d in (design, shifted))
        for part in before.parts:
            if part.mechanism != "m1":
                continue
            moved = np.subtract(after.by_id[part.id].region_at_home.centroid.coords[0], part.region_at_home.centroid.coords[0])
            self.assertTrue(np.allclose(moved, (4.0, -6.0), atol=1e-6), part.id)
        self.assertEqual(before.by_id["card.front"].region_at_home.bounds, after.by_id["card.front"].region_at_home.bounds)


def replace_mechanism(design, **changes):
    return msgspec.structs.replace(design, mechanisms=(msgspec.structs.replace(design.mechanisms[0], **changes),))


class FreeSizeTest(unittest.TestCase):
    def test_a_free_size_has_the_smallest_envelope_that_takes_it_and_one_too_large_says_so(self):
        for width, height in ((130.0, 170.0), (170.0, 130.0), (90.0, 90.0)):
            card = build_assembly(card_with("spinner", Card(size="free", width=width, height=height)), CATALOG).card
            short, long = sorted((width, height))
            low, high = sorted(card.envelope_mm)
            self.assertTrue(low >= short + 3 and high >= long + 3)
            smaller = [e for e in CATALOG.envelopes.values() if e.width_mm * e.height_mm < low * high - 1e-6]
            self.assertFalse([e.id for e in smaller if min(e.width_mm, e.height_mm) >= short + 3 and max(e.width_mm, e.height_mm) >= long + 3])
        large = card_with("spinner", Card(size="free", width=300.0, height=400.0))
        found = run_checks(Examination(build_assembly(large, CATALOG), CATALOG, large.ways, steps=5), rules=["envelope"])
        self.assertEqual([(f.severity, f.title) for f in found], [("note", "It has no envelope")])


if __name__ == "__main__":
    unittest.main()
