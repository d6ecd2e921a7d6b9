"""Faults that makers make in folds, one by one: each is found, and an offered remedy cures it.

What goes wrong is common practice, no source: the wrong triangle, a long leaf, a low platform, a tall message, a thin flap.
"""

import unittest

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.cures import find_remedies
from lexipod.editing.change import change_design
from tests.samples import sample_size, sampler
from tests.zoo import CATALOG, card_with, troubles_of_sound

FAULTS = [
    ("wiper", {}, {"crease_angle": 38.0}, "reveal-rest", "wrong triangle"),
    ("wiper", {}, {"crease_angle": 55.0}, "flap", "steep triangle past the strut"),
    ("wiper", {}, {"leaf_height": 110.0}, "outline", "long leaf"),
    ("wiper", {}, {"flange": 8.0}, "fold", "flange narrower than the strut"),
    ("wiper", {}, {"from_edge": 90.0}, "reveal-rest", "triangle far from the edge"),
    ("waterfall", {}, {"belt_glue": 30.0}, "fold", "belt glued too far in"),
    ("waterfall", {}, {"grip": 2.0}, "reach", "short tail"),
    ("waterfall", {}, {"leaves": 8}, "outline", "more leaves than the card is high"),
    ("flip-panels", {}, {"panel_width": 60.0}, "outline", "wide panels"),
    ("flip-panels", {"drive": "link"}, {"link": 12.0}, "travel", "short link"),
    ("twist-popup", {}, {"platform_distance": 30.0}, "clearance", "low platform"),
    ("twist-popup", {}, {"apex": 5.0}, "outline", "low apex"),
    ("twist-popup", {}, {"window": 90.0}, "reveal-rest", "window larger than the platform"),
    ("twist-popup", {}, {"half_length": 12.0}, "flap", "little to glue the platform to"),
    ("twist-popup", {}, {"window_from": "trial", "window_at": (40.0, 44.0)}, "trial", "measured elsewhere than worked out"),
    ("spin-popup", {}, {"arm_length": 90.0}, "clearance", "long arm"),
    ("spin-popup", {}, {"vertex": 4.0}, "flap", "small triangle under the arm"),
    ("spin-popup", {}, {"box_depth": 60.0}, "outline", "deep box"),
    ("popout-box", {}, {"flap": 4.0}, "flap", "thin flap"),
    ("popout-box", {}, {"drop": 3.0}, "spin", "spinner hung low"),
    ("popout-box", {}, {"window": 104.0, "spinner": 90.0}, "land", "little paper beside the window"),
    ("popout-box", {}, {"plate_height": 60.0}, "clearance", "tall message"),
    ("thread-spinner", {}, {"spinner": 63.0}, "spin", "spinner as wide as its window"),
    ("hinge-plate", {}, {"plate_leg": 60.0}, "outline", "long leg"),
    ("hinge-plate", {}, {"tab": 3.0}, "flap", "thin tabs"),
    ("counter-fold", {}, {"inner_width": 112.0}, "outline", "wide second piece"),
    ("counter-fold", {}, {"band_length": 210.0}, "closure", "short band"),
    ("two-message", {}, {"window_at": 40.0}, "reveal-end", "window too near the spine"),
]


def found(design, rules=None):
    """The findings of a design."""
    return run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25), rules=rules)


class FaultTest(unittest.TestCase):
    def test_each_fault_is_found_and_an_offered_remedy_cures_it(self):
        rng, told = sampler()
        cured_now = set(rng.sample(range(len(FAULTS)), min(len(FAULTS), sample_size(len(FAULTS) // 5))))
        for k, (recipe, given, changes, rule, name) in enumerate(FAULTS):  # a fifth of them are cured each time, all are found
            with self.subTest(f"{recipe}: {name}", seed=told):
                sound = card_with(recipe, **given)
                self.assertNotIn(rule, troubles_of_sound(recipe, tuple(given.items())), "sound to begin with")
                broken = sound.with_parameters("m1", changes)
                faults = [f for f in found(broken, [rule]) if f.severity != "note"]
                self.assertTrue(faults, "found")
                if k not in cured_now:
                    continue
                offers = ((f, find_remedies(broken, CATALOG, f)) for f in faults)
                fault, remedies = next(((f, r) for f, r in offers if r), (faults[0], ()))
                self.assertTrue(remedies, f"cured: {fault.message}")
                cured = change_design(broken, CATALOG, remedies[0].set, mechanism=remedies[0].mechanism)
                after = next((f for f in found(cured, [rule]) if f.key == fault.key), None)
                self.assertIsNone(after, remedies[0].label)


class MeasureTest(unittest.TestCase):
    """What is measured is worked out again by hand."""

    def measured(self, recipe, changes, rule, **given):
        design = card_with(recipe, **given).with_parameters("m1", changes)
        return next(f for f in found(design, [rule])), design.mechanisms[0].parameters

    def test_the_air_round_a_spinner_is_that_of_two_circles(self):
        told, v = self.measured("thread-spinner", {"spinner": 60.0, "drop": 1.0}, "spin")
        self.assertAlmostEqual(told.measured, (v["window"] - 60.0) / 2 - 1.0, places=1)  # windows are cut as polygons, within 0.05

    def test_a_part_outside_the_card_is_measured_at_its_tip(self):
        told, v = self.measured("counter-fold", {"inner_width": 112.0}, "outline")
        self.assertAlmostEqual(told.measured, (112.0 - v["width"]) / 2, places=3)

    def test_a_short_band_is_held_against_its_way_round(self):
        told, v = self.measured("counter-fold", {"band_length": 210.0}, "closure")
        self.assertEqual(told.measured, 210.0)
        self.assertGreater(told.required, 2 * v["width"])
        self.assertLess(told.required, 2 * v["width"] + 15)

    def test_a_trial_is_told_against_the_formula(self):
        told, v = self.measured("twist-popup", {"window_from": "trial", "window_at": (40.0, 44.0)}, "trial")
        # The formula's place at 45 degrees: the platform's distance from the gutter, at the height of the apex.
        self.assertAlmostEqual(told.measured, ((v["platform_distance"] - 40.0) ** 2 + (v["apex"] - 44.0) ** 2) ** 0.5, places=2)

    def test_a_square_platform_outside_its_quadrant_is_refused(self):
        # Diagonals of 45 degrees, apex 55: a platform 70 by 70 in the distance 60 lies inside the shut card, but
        # its near corners would go through the pages: half its width is more than the distance of its near edge.
        design = card_with("twist-popup", platform="square", window="0mm")
        broken = design.with_parameters("m1", {"apex": 55.0, "platform_distance": 60.0, "platform_width": 70.0, "platform_height": 70.0})
        self.assertIn("clearance", {f.rule for f in found(broken) if f.severity == "block"})
        stands = design.with_parameters("m1", {"apex": 45.0, "platform_distance": 44.0, "platform_width": 48.0, "platform_height": 36.0})
        self.assertEqual([f.title for f in found(stands) if f.rule == "clearance"], [])
