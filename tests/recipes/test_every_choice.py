"""What holds for every recipe: each choice and flag builds, each lever works the way it says, each opening is cut, each score folds as told."""

import unittest
from collections import Counter

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import RULES, Examination, run_checks
from lexipod.cures.levers import _changed_values, _is_counted
from lexipod.design import Card
from lexipod.editing import change_design
from lexipod.errors import CardTooSmall, LexipodError
from lexipod.motion import solve_folds
from lexipod.recipes import RECIPES
from tests.samples import sample_size, sampler
from tests.zoo import CATALOG, FOLDED, card_with


def rule_findings(design, rule, steps=9):
    """What one rule finds wrong, by its key, and how much is missing."""
    found = run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=steps), rules=[rule])
    return {f.key: f.missing for f in found if f.missing > 1e-6}


class ChoiceTest(unittest.TestCase):
    def test_every_choice_and_flag_of_every_recipe_builds_and_a_third_is_checked(self):
        rng, told = sampler()
        every = [
            (recipe.id, parameter.name, value)
            for recipe in RECIPES.values()
            for parameter in recipe.parameters
            for value in parameter.choices or (("yes", "no") if parameter.kind == "flag" else ())
        ]
        self.assertGreater(len(every), 150)
        checked = set(rng.sample(every, min(len(every), sample_size(len(every) // 3))))
        for recipe, name, value in every:
            with self.subTest(recipe, name=name, value=value, seed=told):
                for size in ("na.a7", "na.a2"):
                    try:
                        design = card_with(recipe, Card(size=size), **{name: value})
                    except CardTooSmall:
                        continue  # it says so, and the larger card takes it
                    break
                assembly = build_assembly(design, CATALOG)
                for part in assembly.parts:
                    self.assertTrue(
                        any(part.stock in t for t in (CATALOG.stocks, CATALOG.foams, CATALOG.brads, CATALOG.weights)), (part.id, part.stock)
                    )
                if (recipe, name, value) in checked:
                    run_checks(Examination(assembly, CATALOG, design.ways, steps=3), rules=["travel", "height", "item"])

    def test_one_layer_or_ply_more_and_other_foam_are_sized_around(self):
        tried = 0
        for recipe in RECIPES.values():
            usual = card_with(recipe.id, Card(size="na.a7")).mechanisms[0].parameters
            for parameter in recipe.parameters:
                if parameter.kind == "count" and parameter.name != "blades":  # more blades of an iris catch on each other, and that is told
                    wish = usual[parameter.name] + 1
                elif parameter.name.endswith("foam") and parameter.choices:
                    wish = next(c for c in reversed(parameter.choices) if c != usual[parameter.name])
                else:
                    continue
                design = card_with(recipe.id, Card(size="na.a7"), **{parameter.name: wish})
                examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=13)
                with self.subTest(recipe.id, name=parameter.name, wish=wish):
                    self.assertEqual([(f.rule, f.title) for f in run_checks(examination, without=["envelope"]) if f.severity == "block"], [])
                tried += 1
        self.assertGreater(tried, 35)

    def test_a_choice_can_be_changed_to_every_other_one_later(self):
        for recipe in RECIPES.values():
            design = card_with(recipe.id, Card(size="na.a7"))
            for parameter in recipe.parameters:
                for value in parameter.choices:
                    try:
                        change_design(design, CATALOG, {parameter.name: value})
                    except LexipodError as error:  # refused in words is well; a crash is not
                        self.assertIn("m1", str(error))


KINDS = {
    "wiper": ({}, {"placement": "own"}),
    "flip-panels": ({}, {"drive": "link"}),
    "spin-popup": ({}, {"arms": "2"}),
    "pivot-arm": ({}, {"drive_joint": "slotted-arm"}, {"drive_joint": "swinging-pull"}),
    "strip-slider": ({}, {"pull": "tab"}),
}
TWO_SIDED = {
    ("strip-slider", "travel", "strip_length"),  # too short, the end stop no longer meets it
    ("strip-slider", "travel", "pad_start"),
    ("strip-slider", "clearance", "strip_length"),
    ("strip-slider", "spacer-shows", "slot_place"),
    ("strip-slider", "land", "slot_place"),
    ("strip-slider", "outline", "slot_place"),
    ("strip-slider", "height", "foam_layers"),  # the pad no longer reaches the strip
    ("pocket-pull", "land", "slot_below"),
    ("pocket-lift", "stop", "strap_at"),
    ("track-rider", "height", "pillar_layers"),
    ("pivot-arm", "clearance", "arm_length"),
    ("pivot-arm", "clearance", "pull_width"),
    ("pivot-arm", "push", "rest_angle"),  # square on in the middle of its swing
    ("iris", "stop", "turn"),
    ("iris", "clearance", "connector_width"),
    ("iris", "clearance", "clearance"),
    ("louvre", "slot-hidden", "behind_left"),
    ("louvre", "outline", "window_from"),
    ("flip-panels", "outline", "panel_height"),
    ("wiper", "flap", "corner"),
    ("twist-popup", "outline", "apex"),
    ("spin-popup", "flap", "vertex"),
    ("spin-popup", "clearance", "box_depth"),
}
"""Levers of which both too little and too much break the rule, and that break a card as it is sized sooner by too much (our own judgement of
each; places, which go both ways by their nature, are not listed)."""


class LeverTest(unittest.TestCase):
    """A sound card is broken by a lever pulled backwards; pulled forwards it must lessen what is missing. A lever that breaks a sound card
    only when it is pulled forwards is the wrong way round."""

    def test_levers_that_break_a_card_backwards_mend_it_forwards(self):
        rng, told = sampler()
        levers = [(r, rule, lever) for r in RECIPES.values() for rule, rows in r.levers.items() for lever in rows if lever.gains]
        outcomes = Counter()
        for recipe, rule, lever in rng.sample(levers, min(len(levers), sample_size(18))):
            with self.subTest(told, recipe=recipe.id, rule=rule, lever=lever.label):
                outcome = self.tried(recipe, rule, lever)
                outcomes[outcome] += 1
                names = {name.partition(".")[0] for name in lever.gains}
                is_place = any("." in name for name in lever.gains) or lever.label.startswith(("Move", "Start the slot", "Set "))
                if outcome == "the wrong way round" and not is_place:
                    self.assertTrue(any((recipe.id, rule, name) in TWO_SIDED for name in names), lever.gains)
        self.assertGreater(outcomes["mends"], 0.4 * sum(outcomes.values()), outcomes)

    def tried(self, recipe, rule, lever):
        """Whether it mends what its opposite breaks, breaks only forwards, or breaks nothing as far as it goes."""
        amounts = (1, 2) if _is_counted(recipe, lever) else (1.5, 6.0, 20.0)
        forwards = False
        for given in KINDS.get(recipe.id, ({},)):
            design = card_with(recipe.id, **given)
            for amount in amounts:
                for sign in (-1, 1):
                    change = _changed_values(recipe, design.mechanisms[0].parameters, lever, float(sign * amount))
                    if not change:
                        continue
                    broken = design.with_parameters("m1", change)
                    try:
                        missing = rule_findings(broken, rule)
                    except (LexipodError, ValueError):
                        continue
                    if sign < 0 and missing and self.mends(recipe, rule, lever, broken, missing):
                        return "mends"
                    forwards |= sign > 0 and bool(missing)
        return "the wrong way round" if forwards else "breaks nothing"

    def mends(self, recipe, rule, lever, broken, missing):
        change = _changed_values(recipe, broken.mechanisms[0].parameters, lever, 1.0 if _is_counted(recipe, lever) else 0.5)
        try:
            after = rule_findings(broken.with_parameters("m1", change or {}), rule)
        except (LexipodError, ValueError):
            return False
        return any(after.get(key, 0.0) < amount - 1e-6 for key, amount in missing.items())

    def test_levers_are_named_for_rules_that_there_are_and_measures_of_their_own(self):
        for recipe in RECIPES.values():
            for rule, levers in recipe.levers.items():
                self.assertIn(rule, RULES, recipe.id)
                for lever in levers:
                    for name in (*lever.gains, *lever.choose):
                        recipe.find_parameter(name.partition(".")[0])
                    self.assertTrue(lever.gains or lever.choose, lever.label)
                    self.assertNotIn("{to}", lever.label)


class CutTest(unittest.TestCase):
    def test_every_hole_of_a_part_is_a_hole_of_its_piece(self):
        for recipe in RECIPES.values():
            built = build_assembly(card_with(recipe.id), CATALOG)
            pieces = {p.id: p for p in find_blanks(built)}
            for part in built.parts:
                piece = pieces.get(part.id)
                if piece is not None and part.holes:
                    self.assertEqual(len(piece.holes), len(part.holes), (recipe.id, part.id))
                    self.assertAlmostEqual(shapely.Polygon(piece.outline, piece.holes).area, part.region.area, delta=1e-6)

    def test_every_opening_of_a_panel_is_a_hole_in_its_sheet_and_the_other_way_round(self):
        for recipe in FOLDED:
            built = build_assembly(card_with(recipe), CATALOG)
            for folding in built.foldings:
                for sheet in folding.sheets:
                    whole = shapely.Polygon(sheet.outline, sheet.holes)
                    panels = [folding.by_id[p] for p in sheet.panels if p in folding.by_id]
                    for panel in panels:
                        for hole in panel.holes:
                            self.assertLess(whole.intersection(shapely.Polygon(hole)).area, 1e-3, (recipe, panel.id))
                    joined = shapely.union_all([p.region for p in panels])
                    for hole in sheet.holes:
                        self.assertLess(joined.intersection(shapely.Polygon(hole)).area, 1e-3, (recipe, sheet.id))

    def test_openings_of_the_cards_faces_are_holes_of_its_sheet(self):
        for recipe in RECIPES.values():
            built = build_assembly(card_with(recipe.id), CATALOG)
            front = built.by_id.get("card.front")
            sheet = next((p for p in find_blanks(built) if p.id == "card.sheet"), None)
            if front is None or sheet is None:
                continue
            card = shapely.Polygon([(0, 0), (built.card.width_mm, 0), (built.card.width_mm, built.card.height_mm), (0, built.card.height_mm)])
            taken = card.area - front.region.area
            area = shapely.Polygon(sheet.outline, sheet.holes).area
            self.assertAlmostEqual(area, 2 * card.area - taken, delta=0.01 * card.area, msg=recipe.id)
            if taken > 1.0:
                self.assertLess(area, 2 * card.area - 0.9 * taken, recipe.id)


class FoldTest(unittest.TestCase):
    def test_the_printed_fold_of_every_score_is_how_it_is_solved(self):
        # Two panels of one sheet, seen on the way: the sheet's front is +z of each panel. A valley brings the fronts together: the other panel
        # lies on this one's front side.
        compared = Counter()
        for recipe, given in ((r, g) for r in FOLDED for g in KINDS.get(r, ({},))):
            built = build_assembly(card_with(recipe, **given), CATALOG)
            for folding in built.foldings:
                drive = folding.drive
                track = solve_folds(folding, np.linspace(drive.rest, drive.end, 37)[1:-1])
                for sheet in folding.sheets:
                    for crease in sheet.creases:
                        pair = [folding.by_id.get(p) for p in crease.panels]
                        if None in pair or pair[0] is pair[1]:
                            continue
                        sign = self.solved(crease, pair, track)
                        if sign is None:
                            continue
                        compared[recipe] += 1
                        self.assertEqual("valley" if sign > 0 else "mountain", crease.fold, (recipe, sheet.id, crease.name))
        self.assertGreaterEqual(len(compared), 8, compared)

    def solved(self, crease, pair, track):
        """On which side of the first panel's plane the second one lies where it is bent most; None where it is always flat."""
        a, b = pair
        line = shapely.LineString([crease.start, crease.end])
        spot = np.append(np.asarray(b.region.centroid.coords[0]), 0.0)
        away = max(line.distance(b.region.centroid), 1e-6)
        heights = []
        for k in np.flatnonzero(track.reached):
            in_card = track.frames[b.id][k][:, :3] @ spot + track.frames[b.id][k][:, 3]
            local = track.frames[a.id][k][:, :3].T @ (in_card - track.frames[a.id][k][:, 3])
            heights.append(local[2] / away)
        if not heights:
            return None
        worst = heights[int(np.argmax(np.abs(heights)))]
        return None if abs(worst) < 0.2 else worst


if __name__ == "__main__":
    unittest.main()
