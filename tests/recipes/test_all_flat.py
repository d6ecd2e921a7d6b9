"""What holds for every flat mechanism: sound defaults, closed joints, exact symmetry, one truth in two units."""

import math
import unittest

import numpy as np

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.design import Card, Ways
from lexipod.editing.change import change_design, new_design
from lexipod.errors import CardTooSmall, LexipodError
from lexipod.geometry.frames import apply_pose
from lexipod.motion import System, solve_track
from lexipod.recipes import RECIPES, find_recipe
from tests.samples import SEED, sample_size, sampler, some_of
from tests.zoo import CATALOG, FLAT, card_with, moved

KINDS = [(r, {}) for r in FLAT] + [
    ("track-rider", {"path": "arc"}),
    ("pivot-arm", {"drive_joint": "slotted-arm"}),
    ("pivot-arm", {"drive_joint": "swinging-pull"}),
    ("louvre", {"weave": "woven"}),
    ("louvre", {"weave": "comb"}),
    ("window-wheel", {"window": "round"}),
    ("iris", {"blades": "5"}),
]


class DefaultTest(unittest.TestCase):
    def test_defaults_block_nothing_on_any_card_that_is_large_enough(self):
        some = ("na.a2", "na.sq3", "na.slim", "iso.a4")
        every = [
            (recipe, given, size, orientation)
            for recipe, given in KINDS[:-1]  # an iris of five blades is too thick for the smallest envelopes, and says so
            for size in (CATALOG.cards if not given else some)
            for orientation in (("portrait", "landscape") if size in some else ("portrait",))
        ]
        dice, seed = sampler(51)
        for recipe, given, size, orientation in dice.sample(every, min(len(every), sample_size(len(every) // 10))):
            try:
                design = new_design(recipe, CATALOG, card=Card(size=size, orientation=orientation), given=dict(given))
            except CardTooSmall as refusal:
                self.assertRegex(str(refusal), r"does not fit a card of .*; from about .* it fits")
                continue
            found = run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=7))
            self.assertEqual([(f.rule, f.parts) for f in found if f.severity == "block"], [], (recipe, given, size, orientation, seed))

    def test_a_card_that_is_refused_is_smaller_than_what_is_said_to_fit(self):
        for recipe in map(find_recipe, FLAT):
            width, height = recipe.smallest_mm
            card = Card(size="free", width=math.ceil(width) + 6, height=math.ceil(height) + 6)
            design = new_design(recipe.id, CATALOG, card=card, ways=Ways(units="mm"))
            self.assertEqual(len(design.mechanisms), 1)
            with self.assertRaises(CardTooSmall):
                new_design(recipe.id, CATALOG, card=Card(size="free", width=30, height=30))


class MotionTest(unittest.TestCase):
    def test_joints_close_at_every_position(self):
        for recipe, given in KINDS:
            _, examination = moved(card_with(recipe, **given), 181)
            track = examination.track("m1")
            self.assertTrue(track.reached.all(), recipe)
            self.assertLess(track.residual_mm, 1e-6, recipe)

    def test_poses_do_not_depend_on_how_many_are_asked_for(self):
        for recipe, given in KINDS:
            assembly, _ = moved(card_with(recipe, **given), 3)
            drive = assembly.drives[0]
            many, few = (solve_track(assembly, drive, drive.coordinates(n), system=System(assembly, drive)) for n in (181, 7))
            for part, poses in few.poses.items():
                np.testing.assert_allclose(poses, many.poses[part][::30], atol=1e-8, err_msg=f"{recipe} {part}")

    def test_every_part_moves_rigidly_and_starts_where_it_is_laid_or_ends_there(self):
        for recipe, given in KINDS:
            assembly, examination = moved(card_with(recipe, **given), 9)
            drive = assembly.drives[0]
            k = int(np.argmin(np.abs(examination.track("m1").travel - drive.home)))
            for part in assembly.moving:
                home = apply_pose(np.asarray(assembly.by_id[part].home), assembly.by_id[part].outline)
                there = apply_pose(examination.poses(part)[k], assembly.by_id[part].outline)
                np.testing.assert_allclose(there, home, atol=1e-7, err_msg=f"{recipe} {part}")


class SymmetryTest(unittest.TestCase):
    def test_a_mirrored_mechanism_is_the_mirror_image_at_every_position(self):
        for recipe, given in KINDS:
            plain, image = (moved(card_with(recipe, mirror=m, **given), 5) for m in ("no", "yes"))
            width = plain[0].card.width_mm
            for part in (p.id for p in plain[0].parts if p.mechanism == "m1"):
                for k in range(5):
                    outlines = []
                    for assembly, examination in (plain, image):
                        poses = examination.poses(part)
                        outlines.append(apply_pose(poses[min(k, len(poses) - 1)], assembly.by_id[part].outline))
                    flipped = (outlines[0] * (-1.0, 1.0) + (width, 0.0))[::-1]
                    start = int(np.argmin(np.linalg.norm(outlines[1] - flipped[0], axis=1)))
                    np.testing.assert_allclose(np.roll(outlines[1], -start, axis=0), flipped, atol=1e-7, err_msg=f"{recipe} {part} {k}")

    def test_a_mechanism_turned_by_half_lies_point_for_point_opposite(self):
        for recipe, given in KINDS:
            plain, turned = (moved(card_with(recipe, turned=t, **given), 5) for t in (0, 180))
            size = np.array([plain[0].card.width_mm, plain[0].card.height_mm])
            for part in (p.id for p in plain[0].parts if p.mechanism == "m1"):
                a, b = (apply_pose(e.poses(part), x.by_id[part].outline) for x, e in (plain, turned))
                np.testing.assert_allclose(size - a, b, atol=1e-7, err_msg=f"{recipe} {part}")

    def test_a_quarter_turn_has_the_findings_of_the_same_mechanism_on_the_card_laid_round(self):
        for recipe, given in some_of(KINDS, len(KINDS) // 2):
            card = Card(size="free", width=150, height=130)
            laid = Card(size="free", width=130, height=150)
            a, b = (
                new_design(recipe, CATALOG, card=c, ways=Ways(units="mm"), given={**given, **more})
                for c, more in ((card, {}), (laid, {"turned": "90"}))
            )
            rules = [sorted((f.rule, f.severity, round(f.measured, 2)) for f in run_checks(moved(d, 13)[1])) for d in (a, b)]
            self.assertEqual(*rules, recipe)

    def test_a_shift_moves_everything_that_is_its_own(self):
        for recipe, given in KINDS:
            plain, shifted = (moved(card_with(recipe, shift=s, **given), 5) for s in ("0mm x 0mm", "3mm x -2mm"))
            for part in (p.id for p in plain[0].parts if p.mechanism == "m1"):
                a, b = (apply_pose(e.poses(part), x.by_id[part].outline) for x, e in (plain, shifted))
                np.testing.assert_allclose(a + (3.0, -2.0), b, atol=1e-7, err_msg=f"{recipe} {part}")


class UnitTest(unittest.TestCase):
    def test_inches_and_millimetres_give_the_same_design(self):
        for recipe in map(find_recipe, FLAT):
            lengths = [p.name for p in recipe.parameters if p.kind == "length"][:4]
            base = card_with(recipe.id)
            for name in lengths:
                value = base.mechanisms[0].parameters[name]
                try:
                    a = change_design(base, CATALOG, {name: f"{value / 25.4:.9f} in"})
                except LexipodError:
                    self.assertLess(value, 0)  # negative lengths are written in mm only
                    continue
                self.assertAlmostEqual(a.mechanisms[0].parameters[name], value, places=6)


class RandomTest(unittest.TestCase):
    def test_random_parameters_build_and_move_or_say_why_not(self):
        rng = np.random.default_rng(SEED + 5)
        for recipe, given in KINDS:
            base = card_with(recipe, **given)
            numeric = [p for p in RECIPES[recipe].parameters if p.kind in ("length", "angle", "number")]
            for _ in range(sample_size(2)):
                changes = {}
                for p in rng.choice(numeric, size=4, replace=False):
                    value = base.mechanisms[0].parameters[p.name] * rng.uniform(0.6, 1.5)
                    changes[p.name] = float(np.clip(round(value, 3), p.minimum, p.maximum))
                design = base.with_parameters("m1", changes)
                try:
                    assembly, examination = moved(design, 7)
                except LexipodError:
                    continue
                track = examination.track("m1")
                if track.reached.any():
                    self.assertLess(track.residual_mm, 1e-6, (recipe, changes))
                found = run_checks(examination)
                if not track.reached.all():
                    self.assertTrue([f for f in found if f.severity == "block"], (recipe, changes))
