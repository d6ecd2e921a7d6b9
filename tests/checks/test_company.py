"""Folds in company: with each other, with flat mechanisms, with what is glued on; and a second opinion on all that folds.

Paper does not go through paper: common practice, no source. The reference is written apart (``tests.solid_sheets``).
"""

import unittest
from itertools import combinations

import numpy as np
import shapely

from lexipod.assembly import SpinsFree
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.cures import find_remedies
from lexipod.design import Card
from lexipod.editing.change import add_mechanism, change_design
from lexipod.errors import ChoiceError, ParameterError
from lexipod.geometry.space import apply_frame
from lexipod.motion import solve_folds
from tests.random_folds import FACE, INSIDE, compare, draw
from tests.samples import sample_size, some_of
from tests.zoo import CATALOG, card_with, moved

BIG = Card(size="free", width=127.0, height=220.0)


def together(*recipes, card=None, **given):
    """A card with several mechanisms, the first with the given settings."""
    design = card_with(recipes[0], card, **given)
    for recipe in recipes[1:]:
        design = add_mechanism(design, recipe, CATALOG)
    return design


def blocking(design, steps=31):
    return [f for f in run_checks(moved(design, steps)[1]) if f.severity == "block"]


def beside(design, steps=31):
    return [f for f in blocking(design, steps) if f.need.startswith("beside ")]


class PairTest(unittest.TestCase):
    def test_two_folds_in_the_middle_of_one_gutter_are_never_free(self):
        for a, b in combinations(INSIDE, 2):
            found = beside(together(a, b))
            self.assertTrue(found, (a, b))
            self.assertTrue(all(any(p.startswith(f"{m}.") for p in f.parts) for f in found if f.rule == "crossing" for m in ("m1", "m2")), (a, b))

    def test_two_folds_on_one_face_are_never_free_in_the_same_place(self):
        for a, b in combinations((*FACE, FACE[0]), 2):
            self.assertTrue(beside(together(a, b)), (a, b))

    def test_a_fold_on_a_flat_mechanism_is_not_free(self):
        for fold, flat in (
            ("waterfall", "strip-slider"),
            ("waterfall", "window-wheel"),
            ("flip-panels", "spinner"),
            ("thread-spinner", "strip-slider"),
        ):
            self.assertTrue(beside(together(fold, flat), 13), (fold, flat))

    def test_what_spins_in_the_front_and_what_folds_on_it(self):
        """The spinner stands out of its window by half its width: nothing that folds on the front may pass there."""
        for face in FACE:
            found = beside(together("thread-spinner", face, card=BIG), 13)
            self.assertTrue([f for f in found if "m1.spinner" in f.parts], face)
        apart = together(
            "thread-spinner", "flip-panels", card=Card(size="free", width=150.0, height=260.0), window="40mm", spinner="34mm", centre="75 x 225mm"
        )
        low = change_design(apart, CATALOG, {"m2.shift": (0.0, -60.0)})
        self.assertEqual([f.title for f in beside(low, 13)], [])

    def test_side_by_side_they_are_free(self):
        for first, second, given in (
            ("hinge-plate", "hinge-plate", {"plate_height": "40mm", "from_bottom": "10mm"}),
            ("spin-popup", "hinge-plate", {"box_height": "50mm", "from_bottom": "10mm"}),
        ):
            design = together(first, second, card=BIG, **given)
            design = change_design(design, CATALOG, {"m2.from_bottom": 160.0, "m2.plate_height": 40.0})
            self.assertEqual([f.title for f in beside(design)], [], (first, second))

    def test_every_pair_is_cured_by_what_is_offered_first(self):
        for a, b in some_of((("twist-popup", "spin-popup"), ("twist-popup", "hinge-plate"), ("spin-popup", "thread-spinner")), 2):
            design = together(a, b)
            for _ in range(4):
                found = beside(design)
                if not found:
                    break
                remedies = find_remedies(design, CATALOG, found[0])
                self.assertTrue(remedies and remedies[0].cures, (a, b, found[0].title))
                design = change_design(design, CATALOG, remedies[0].set, mechanism=remedies[0].mechanism)
            self.assertEqual([f.title for f in beside(design)], [], (a, b))
            self.assertEqual(len(design.mechanisms), 2, (a, b))

    def test_a_fold_that_stands_wholly_on_a_frame_stands_on_it(self):
        """Small flip panels on a frame that has no opening under them; shifted off its edge they collide with it."""
        design = together("spinner", "flip-panels", card=Card(size="iso.a5"))
        built, _ = moved(design, 5)
        self.assertTrue(any(f.kind == "face" for f in built.foldings))
        self.assertTrue(beside(design))


class OpeningTest(unittest.TestCase):
    """What one fold cuts out of the pages goes through the inner card of the other."""

    def test_a_window_of_the_front_goes_through_the_inner_card(self):
        design = together("spin-popup", "thread-spinner", card=BIG, box_height="60mm", from_bottom="10mm")
        built = build_assembly(design, CATALOG)
        inner = next(s for f in built.foldings for s in f.sheets if s.id == "m1.inner")
        hole = next(h for p in built.foldings[1].panels if p.id == "card.front" for h in p.holes)
        window = shapely.Polygon(hole)
        self.assertLess(shapely.intersection(inner.region, window).area, 1e-3)
        alone = build_assembly(card_with("spin-popup", BIG, box_height="60mm", from_bottom="10mm"), CATALOG).foldings[0].sheets[0]
        self.assertAlmostEqual(alone.region.area - inner.region.area, window.area, places=2)

    def test_the_halves_of_one_rise_through_the_inner_card_of_the_other(self):
        design = together("twist-popup", "spin-popup")
        built = build_assembly(design, CATALOG)
        spin = built.foldings[1]
        lining = shapely.union_all([p.region for p in spin.panels if p.id.startswith("m2.inner-")])
        for name in ("m1.half-back", "m1.half-front"):
            half = built.foldings[0].by_id[name].region
            self.assertGreaterEqual(shapely.distance(half, lining), 0.99)


class SpinningTest(unittest.TestCase):
    def test_what_turns_on_a_thread_is_held_against_the_room_of_a_ball(self):
        """The distance of every corner of the other fold from the middle of the ball, at every opening from which it spins on."""
        design = together("thread-spinner", "hinge-plate", card=BIG)
        for low in (10.0, 60.0, 110.0, 160.0):
            placed = change_design(design, CATALOG, {"m2.from_bottom": low, "m2.plate_height": 30.0})
            built = build_assembly(placed, CATALOG)
            spins, other = built.foldings
            needs = [n for n in spins.needs if isinstance(n, SpinsFree)]
            travel = np.linspace(max(n.since for n in needs), 180.0, 40)
            one, two = (solve_folds(f, travel) for f in built.foldings)
            ball = spins.by_id["m1.spinner"]
            middle = apply_frame(one.frames[ball.id], ball.ball[0][None])[:, 0]
            nearest = np.inf
            for panel in (p for p in other.panels if not p.base):
                grid = np.array(
                    [(x, y, 0.0) for x in np.linspace(*panel.outline[:, 0][[0, 2]], 40) for y in np.linspace(*panel.outline[:, 1][[0, 2]], 40)]
                )
                nearest = min(nearest, np.linalg.norm(apply_frame(two.frames[panel.id], grid) - middle[:, None], axis=2).min())
            free = nearest > ball.ball[1] + needs[0].gap_mm
            hits = [f for f in beside(placed) if "m1.spinner" in f.parts]
            self.assertEqual(not hits, bool(free), (low, nearest, ball.ball[1]))


class SettingTest(unittest.TestCase):
    def test_a_setting_may_name_its_mechanism_and_take_it_off(self):
        design = together("hinge-plate", "thread-spinner")
        changed = change_design(design, CATALOG, {"m1.from_bottom": 10.0, "m2.centre.y": 100.0})
        self.assertEqual((changed.mechanisms[0].parameters["from_bottom"], changed.mechanisms[1].parameters["centre"][1]), (10.0, 100.0))
        self.assertEqual([m.id for m in change_design(design, CATALOG, {"mechanism.m1": "none"}).mechanisms], ["m2"])
        with self.assertRaisesRegex(ChoiceError, "m3"):
            change_design(design, CATALOG, {"mechanism.m3": "none"})
        with self.assertRaisesRegex(ParameterError, "none"):
            change_design(design, CATALOG, {"mechanism.m1": "off"})


class SecondOpinionTest(unittest.TestCase):
    def test_a_reference_written_apart_agrees_on_random_cards(self):
        """A small sample; ``scripts/second_opinion.py`` prints the table of a large one."""
        rng = np.random.default_rng(11)
        told = []
        while len(told) < sample_size(7):
            kind, design = draw(rng)
            if design is not None:
                told.append((compare(design), kind))
        self.assertEqual([(why, kind) for (said, why), kind in told if said in ("missed", "false")], [])
        self.assertGreater(sum(said == "broken" for (said, _), _ in told), 1)
        self.assertGreater(sum(said == "sound" for (said, _), _ in told), 3)

    def test_positions_between_are_not_missed(self):
        """As many positions as the window uses find what a finer look finds."""
        design = card_with("spin-popup").with_parameters("m1", {"arm_length": 90.0})
        coarse, fine = (
            {f.parts for f in run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=n), rules=["clearance"])}
            for n in (25, 181)
        )
        self.assertEqual(coarse, fine)


if __name__ == "__main__":
    unittest.main()
