"""Builds as hands make them, against what probability theory says of them.

Source: the normal distribution (SciPy's), Wilson's score interval (E. B. Wilson, 1927; statsmodels' documented example from memory).
"""

import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from scipy.stats import norm

from lexipod.building import build_assembly
from lexipod.builds import ACCURACIES, Accuracy, find_dimensions, margins_of, simulate_builds, wilson_interval
from lexipod.builds.dimensions import ACROSS_GRAIN, ALONG_GRAIN, _punched, grown
from lexipod.builds.simulation import _interval
from lexipod.editing.change import change_design
from lexipod.geometry.frames import apply_pose
from lexipod.recipes import find_recipe
from tests.cli.test_commands import call
from tests.zoo import CATALOG, card_with

EXACT = Accuracy(0.2, 0.3, 0.5, "a test")


class ClosedFormTest(unittest.TestCase):
    def test_one_clearance_is_the_normal_probability(self):
        # A spinner turns on a bearing in a hole: free when hole > bearing. Both are cut with 0.2 mm: the gap on each side has 0.2/sqrt(2).
        for hole, bearing in ((3.2, 2.8), (3.4, 2.8), (3.0, 2.8)):
            design = card_with("spinner").with_parameters("m1", {"hole": hole, "bearing": bearing})
            told = simulate_builds(design, CATALOG, builds=40_000, accuracy=EXACT, only=("m1.hole", "m1.bearing"), whole=0)
            expected = float(norm.cdf((hole - bearing) / (0.2 * math.sqrt(2))))
            self.assertAlmostEqual(told.free, expected, delta=0.02)  # holes are polygons within 0.005 mm: that is 0.01 of the share

    def test_two_sides_of_a_strip_share_one_gap(self):
        # The strip runs between two rails: free while the rails are further apart than it is high.
        design = card_with("strip-slider")
        told = simulate_builds(design, CATALOG, builds=40_000, accuracy=EXACT, only=("m1.strip_height", "m1.rail_gap"), whole=0)
        v = design.mechanisms[0].parameters
        air = v["rail_gap"] - v["strip_height"]
        self.assertAlmostEqual(told.free, float(norm.cdf(air / (0.2 * math.sqrt(2)))), delta=0.012)

    def test_without_errors_every_build_runs(self):
        told = simulate_builds(card_with("strip-slider"), CATALOG, accuracy=Accuracy(0.0, 0.0, 0.0, "none"), only=("m1.rail_gap",))
        self.assertEqual((told.free, told.spoilers, told.suggested), (1.0, (), ()))

    def test_the_interval_is_wilsons(self):
        for share, count in ((0.0, 10), (1.0, 50), (0.3, 200)):
            low, high = wilson_interval(share, count)
            self.assertTrue(0.0 <= low <= share + 1e-12 and share - 1e-12 <= high <= 1.0)
            # The score interval holds the shares whose own standard error reaches the observed one.
            for end in (low, high):
                if 1e-9 < end < 1 - 1e-9:
                    self.assertAlmostEqual(abs(share - end) / math.sqrt(end * (1 - end) / count), 1.959964, places=4)


class YieldTest(unittest.TestCase):
    def test_the_same_seed_gives_the_same_answer(self):
        design = card_with("spinner")
        one, two, three = (simulate_builds(design, CATALOG, builds=500, seed=s, whole=0) for s in (4, 4, 5))
        self.assertEqual((one.free, one.spoilers), (two.free, two.spoilers))
        self.assertNotEqual(one.spoilers, three.spoilers)

    def test_better_tools_spoil_less_and_the_tight_measure_is_named(self):
        shares = [
            simulate_builds(change_design(card_with("spinner"), CATALOG, {"cutting": c}), CATALOG, whole=0).free for c in ("hand", "trimmer", "die")
        ]
        self.assertEqual(shares, sorted(shares))
        told = simulate_builds(card_with("spinner"), CATALOG, whole=0)
        self.assertLessEqual({s.dimension for s in told.spoilers}, {"m1.hole", "m1.bearing"})
        self.assertAlmostEqual(sum(s.share for s in told.spoilers), 1.0, places=6)

    def test_what_is_suggested_reaches_its_target(self):
        design = card_with("spinner")
        told = simulate_builds(design, CATALOG, seed=2)
        self.assertTrue(told.suggested)
        for suggestion in told.suggested:
            better = change_design(design, CATALOG, suggestion.set, mechanism=suggestion.mechanism)
            self.assertGreaterEqual(simulate_builds(better, CATALOG, seed=2).free, suggestion.target - 0.005)

    def test_folds_are_built_too(self):
        told = simulate_builds(card_with("thread-spinner"), CATALOG, builds=400, accuracy=Accuracy(1.5, 1.5, 0.0, "a test"))
        v = card_with("thread-spinner").mechanisms[0].parameters
        self.assertAlmostEqual(told.margins["m1.in-window"], (v["window"] - v["spinner"]) / 2, delta=0.05)
        self.assertGreater(told.margins["m1.over-back"], told.margins["m1.in-window"])  # two rooms of one spinner, each with its own
        self.assertLess(told.free, 1.0)
        self.assertLessEqual({s.dimension for s in told.spoilers}, {"m1.window", "m1.spinner", "m1.drop", "m1.centre.x", "m1.centre.y"})

    def test_panels_that_an_error_sends_through_each_other_spoil_a_build(self):
        # The default just clears the pages; half its platform's reach less and it goes through them, which no gap of the sound one tells.
        design = card_with("twist-popup", window="0mm")
        rough = Accuracy(4.0, 0.0, 0.0, "a test")
        told = simulate_builds(design, CATALOG, builds=400, accuracy=rough, only=("m1.platform_distance",))
        self.assertIn("m1.platform_distance", {s.dimension for s in told.spoilers})
        self.assertTrue(0.0 < told.free < 1.0)

    def test_a_measure_at_its_limit_is_cut_beside_it_all_the_same(self):
        # At its least value a hole can only be typed larger; smaller ones are punched as well, by the normal probability.
        least = find_recipe("spinner").find_parameter("hole").minimum
        air = least - find_recipe("spinner").find_parameter("bearing").minimum
        design = card_with("spinner").with_parameters("m1", {"hole": least, "bearing": least - air})
        told = simulate_builds(design, CATALOG, builds=20_000, accuracy=EXACT, only=("m1.hole",))
        self.assertAlmostEqual(told.free, float(norm.cdf(air / 0.2)), delta=0.04)

    def test_every_measure_has_an_error_and_choices_have_none(self):
        design = card_with("track-rider")
        dimensions = find_dimensions(design, ACCURACIES["hand"])
        self.assertIn("m1.clearance", dimensions)
        self.assertTrue(all(np.isfinite(s) and s > 0 for s in dimensions.values()))
        self.assertNotIn("m1.foam_layers", dimensions)

    def test_margins_are_those_of_the_drawn_parts(self):
        design = card_with("strip-slider")
        v = design.mechanisms[0].parameters
        self.assertAlmostEqual(margins_of(design, CATALOG)["m1.rail-low – m1.strip"], (v["rail_gap"] - v["strip_height"]) / 2, places=6)

    def test_a_newer_wish_ends_it(self):
        self.assertIsNone(simulate_builds(card_with("spinner"), CATALOG, is_current=lambda: False))


class CommandTest(unittest.TestCase):
    def test_it_answers_as_documented(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.lexipod"
            call("new", "spinner", "--out", path)
            told = json.loads(call("yield", path, "--builds", 300, "--whole", 20, "--seed", 3, "--json")[1])
            self.assertLessEqual({"format", "builds", "seed", "free", "interval95", "spoilers", "suggested"}, set(told))
            self.assertEqual((told["format"], told["builds"], told["seed"]), ("lexipod-yield/1", 300, 3))
            self.assertIn("run free", call("yield", path, "--builds", 50, "--whole", 0)[1])
            for words in (["--builds", "0"], ["--builds", "many"], ["--seed", "-1"]):
                status, _, err = call("yield", path, *words)
                self.assertEqual((status, len(err.strip().splitlines())), (2, 1), words)


class ErrorTest(unittest.TestCase):
    def test_what_is_hung_on_a_misplaced_hole_moves_until_hole_and_pin_meet(self):
        moved = 0
        for recipe in ("pinwheel", "dial-riders", "pivot-arm", "iris"):
            built = build_assembly(card_with(recipe), CATALOG)
            for joint in (j for j in built.joints if j.kind == "pin"):
                cut = _punched(built, joint, np.array([0.3, -0.2]))
                old, new = built.by_id[joint.a], cut.by_id[joint.a]
                if new.home != old.home:
                    moved += 1
                    spots = [apply_pose(p.home, [j.at_a])[0] for p, j in ((old, joint), (new, cut.find_joint(joint.id)))]
                    np.testing.assert_allclose(*spots, atol=1e-12)
        self.assertGreater(moved, 3)

    def test_damp_paper_grows_about_its_own_middle_with_its_holes(self):
        built = build_assembly(card_with("spinner"), CATALOG)
        damp = grown(built, CATALOG, 20.0)
        hand, wet = built.by_id["m1.hand"] if "m1.hand" in built.by_id else next(built.by_id[p] for p in built.moving), None
        wet = damp.by_id[hand.id]
        middle = (hand.box[0] + hand.box[1]) / 2
        factor = np.array([1 + 20 * ALONG_GRAIN, 1 + 20 * ACROSS_GRAIN])
        np.testing.assert_allclose(wet.outline - middle, (hand.outline - middle) * factor, atol=1e-12)
        for dry_hole, wet_hole in zip(hand.holes, wet.holes, strict=True):
            np.testing.assert_allclose(wet_hole - middle, (dry_hole - middle) * factor, atol=1e-12)
        self.assertEqual(damp.by_id["card.front"], built.by_id["card.front"])

    def test_the_doubt_of_a_share_shrinks_with_whole_builds_as_a_beta_distribution_says(self):
        from scipy.stats import beta

        for unlike, whole in ((0, 50), (4, 50), (10, 200)):
            variance = beta(unlike + 1, whole - unlike + 1).var()
            low, high = _interval(0.5, 100_000, unlike, whole)
            alike = round(0.25 / (0.25 / 100_000 + variance))  # as many builds as would leave as much in doubt
            self.assertEqual((low, high), wilson_interval(0.5, max(whole, min(100_000, alike))))
            spread = 2 * 1.96 * math.sqrt(0.25 / 100_000 + variance)
            self.assertAlmostEqual(high - low, min(spread, 2 * 1.96 * math.sqrt(0.25 / whole)), delta=0.12 * spread)
