"""Blanks: every part on one, in one piece, held; folded up, they are the parts again."""

import unittest

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.design import Ways
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import pose_matrix
from lexipod.recipes import RECIPES
from tests.blanks.puzzle import fold_up
from tests.samples import SEED, sample_size
from tests.zoo import CATALOG, card_with

FLAT = [r for r in RECIPES if not RECIPES[r].folds]


def paper(assembly):
    return [p for p in assembly.parts if p.role != "fastener" and not p.bought and p.quantity and not p.id.startswith(("card.front", "card.back"))]


def random_designs(count, *, seed=SEED):
    """Every flat recipe with measures drawn from their limits near the sized ones; in either unit, all ways out."""
    dice = np.random.default_rng(seed)
    for recipe in FLAT:
        made = 0
        while made < sample_size(count):
            design = card_with(recipe, units=("mm", "in")[int(dice.integers(2))], mirror=("no", "yes")[int(dice.integers(2))])
            sized = design.mechanisms[0].parameters
            changes = {}
            for p in RECIPES[recipe].parameters:
                if p.kind == "length" and dice.random() < 0.4 and isinstance(sized[p.name], float):
                    changes[p.name] = f"{sized[p.name] * dice.uniform(0.8, 1.25):.3f} mm"
                elif p.kind == "choice" and dice.random() < 0.4:
                    changes[p.name] = str(dice.choice(p.choices))
                elif p.kind == "flag" and dice.random() < 0.5:
                    changes[p.name] = "yes"
            try:
                built = build_assembly(change_design(design, CATALOG, changes, mechanism="m1"), CATALOG)
            except LexipodError:
                continue
            made += 1
            yield recipe, changes, built


def verdict(design, rule):
    examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=5)
    return [f.severity for f in run_checks(examination, rules=[rule])]


def does_not_hang(built, blank):
    """Whether a score of the blank lies past the edge of what is to be folded there, and the program says so."""
    found = run_checks(Examination(built, CATALOG, Ways(), steps=3), rules=["one-piece"])
    return any("hardly hangs" in f.title and set(f.parts) <= set(blank.panels) for f in found)


class BlankTest(unittest.TestCase):
    def test_every_part_of_paper_film_or_foam_is_on_exactly_one_blank(self):
        for recipe, changes, built in random_designs(3):
            carried = [panel for blank in find_blanks(built) for panel in blank.panels]
            for part in paper(built):
                self.assertEqual(carried.count(part.id), 1, (recipe, changes, part.id))

    def test_a_blank_is_one_piece_that_holds_its_panels_and_scores(self):
        for recipe, changes, built in random_designs(3, seed=SEED + 1):
            for blank in find_blanks(built):
                whole = shapely.Polygon(blank.outline, blank.holes)
                told = (recipe, changes, blank.id)
                self.assertTrue(whole.is_valid, told)
                self.assertEqual([round(v, 6) for v in blank.outline.min(axis=0)], [0.0, 0.0], told)
                area = sum(built.by_id[p].region.area for p in blank.panels if p in built.by_id)
                if blank.id != "card.sheet" and blank.panels and not blank.apart:
                    self.assertGreaterEqual(whole.area, area - 1e-3, told)  # nothing fell off
                for crease in blank.creases:
                    line = shapely.LineString([crease.start, crease.end])
                    self.assertLess(line.difference(whole.buffer(1e-3)).length, 1e-6, told)

    def test_every_blank_is_held_by_another(self):
        for recipe, changes, built in random_designs(2, seed=SEED + 2):
            blanks = find_blanks(built)
            home = {panel: b.id for b in blanks for panel in b.panels}
            bound = {b.id: set() for b in blanks}
            bodies = {}
            for part in built.parts:
                bodies.setdefault(built.bodies[part.id], []).append(part.id)
            for joint in built.joints:
                ends = [{home[p] for p in bodies[built.bodies[end]] if p in home} for end in (joint.a, joint.b)]
                for one in ends[0] | ends[1]:
                    bound[one] |= (ends[0] | ends[1]) - {one}
            for blank in blanks:
                if blank.panels and len(blanks) > 1:
                    self.assertTrue(bound[blank.id], (recipe, changes, blank.id))

    def test_folded_at_their_scores_they_are_the_parts_again(self):
        seen = 0
        for recipe, changes, built in random_designs(3, seed=SEED + 3):
            for blank in find_blanks(built):
                if not blank.laid or len([p for p in blank.panels if p in built.by_id]) < 2 or not blank.creases or blank.id == "card.sheet":
                    continue
                if blank.apart or does_not_hang(built, blank):  # it cannot be cut or folded; that is told (see below)
                    continue
                seen += 1
                told = (recipe, changes, blank.id)
                root = built.by_id[blank.panels[0]]
                to_blank = blank.laid[root.id]
                inside = shapely.get_coordinates(root.region.representative_point())[0]
                faces = fold_up(blank, inside @ to_blank[:, :2].T + to_blank[:, 2])
                on_card = pose_matrix(root.home)[:2, [0, 1, 3]]
                back = np.linalg.inv(to_blank[:, :2])

                def place(region, to_blank=to_blank, back=back, on_card=on_card):
                    return shapely.transform(region, lambda xy: ((xy - to_blank[:, 2]) @ back.T) @ on_card[:, :2].T + on_card[:, 2])

                laid = [(place(f.folded), f) for f in faces]
                heights = {}
                for panel in blank.panels:
                    part = built.by_id[panel]
                    fits = [f for region, f in laid if shapely.difference(part.region_at_home, region.buffer(1e-5)).area < 1e-6 * part.region.length]
                    self.assertTrue(fits, (*told, panel))
                    heights[panel] = fits
                for seam in (s for s in built.seams if s.a in heights and s.line):
                    above = built.by_id[seam.a].z_mm > built.by_id[seam.b].z_mm
                    self.assertTrue(any((a.height > b.height) == above for a in heights[seam.a] for b in heights[seam.b]), (*told, seam.a))
                area = sum(built.by_id[p].region.area for p in blank.panels)
                self.assertAlmostEqual(sum(f.flat.area for f in faces), area, delta=1e-4 * area + 1e-3, msg=str(told))
        self.assertGreater(seen, 15)

    def test_a_fold_past_the_edge_of_its_piece_is_told_and_blocks(self):
        # The tips of an iris moved past the ends of its blades: each hangs in the air.
        sound = card_with("iris")
        self.assertEqual(verdict(sound, "one-piece"), [])
        changed = {"opening_diameter": 42.422, "ring_diameter": 80.161, "pin_radius": 35.316, "slot_width": 3.189}
        self.assertEqual(verdict(change_design(sound, CATALOG, changed), "one-piece"), ["block"] * 3)

    def test_a_blank_that_does_not_hang_together_is_told_and_blocks(self):
        sound = card_with("iris")
        self.assertEqual(verdict(sound, "one-piece"), [])
        ring = sound.mechanisms[0].parameters["ring_diameter"] / 2
        for changed in (
            change_design(sound, CATALOG, {"slot_to": ring + 2.0}),
            change_design(card_with("strip-slider"), CATALOG, {"slot_length": 190.0, "slot_from": 0.0}),
        ):
            self.assertIn("block", verdict(changed, "one-piece"))
