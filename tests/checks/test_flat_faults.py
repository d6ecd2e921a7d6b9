"""Faults that makers make, one by one, in every flat mechanism: each is found, and an offered remedy cures it.

What goes wrong is common practice, no source: slots too short, discs too small, foam too thin, tabs too long, the wrong side.
"""

import unittest

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.cures import find_remedies
from lexipod.editing.change import change_design
from tests.samples import sample_size, sampler
from tests.zoo import CATALOG, card_with, troubles_of_sound

FAULTS = [
    ("pocket-pull", {}, {"slot_length": 40.0}, "travel", "short slot"),
    ("pocket-pull", {}, {"slot_below": 0.0, "pocket_height": 55.0}, "slot-hidden", "slot above the pocket"),
    ("pocket-pull", {}, {"front_slot": 40.0}, "clearance", "pads too close"),
    ("pocket-pull", {}, {"piece_below": -6.0}, "reveal-rest", "piece looks out at rest"),
    ("pocket-pull", {}, {"panel_foam": "foam-1", "panel_layers": 1, "pull_plies": 3}, "height", "thin foam"),
    ("pocket-lift", {}, {"strap_at": 95.0}, "travel", "strap too low"),
    ("pocket-lift", {}, {"greeting_height": 60.0}, "reveal-end", "greeting higher than the gap"),
    ("pocket-lift", {}, {"slider_length": 110.0}, "reach", "short slider"),
    ("track-rider", {}, {"disc": 9.0}, "held", "small disc"),
    ("track-rider", {}, {"pillar": 7.4}, "clearance", "fat pillar"),
    ("track-rider", {}, {"foam": "foam-1", "foam_layers": 1}, "height", "thin foam"),
    ("track-rider", {}, {"length": 110.0}, "outline", "track longer than the card is wide"),
    ("pivot-arm", {}, {"slot_length": 50.0}, "travel", "short slot"),
    ("pivot-arm", {}, {"arm_length": 120.0}, "outline", "long arm"),
    ("pivot-arm", {}, {"offset": 12.0}, "push", "pull too close to the pivot"),
    ("pivot-arm", {}, {"foam": "foam-2", "foam_layers": 1}, "height", "thin foam"),
    ("pivot-arm", {"drive_joint": "slotted-arm"}, {"travel": 45.0}, "travel", "travel longer than the slot"),
    ("pivot-arm", {"drive_joint": "swinging-pull"}, {"protrusion": -14.0}, "reach", "pull too short"),
    ("dial-riders", {}, {"dial_radius": 45.0}, "reach", "small dial"),
    ("dial-riders", {}, {"reveal_height": 80.0}, "reveal-end", "more revealed than the halves part"),
    ("dial-riders", {}, {"foam": "foam-2", "foam_layers": 1}, "height", "thin foam"),
    ("dial-riders", {}, {"link": 15.5}, "push", "short links"),
    ("iris", {}, {"opening_diameter": 56.0}, "reveal-rest", "opening larger than the blades cover"),
    ("iris", {}, {"blade_arc": 62.0}, "reveal-rest", "short blades"),
    ("iris", {}, {"tab_length": 13.0}, "reach", "short tab"),
    ("iris", {}, {"tab_length": 60.0}, "outline", "long tab"),
    ("iris", {}, {"connector_width": 40.0, "tab_width": 30.0}, "travel", "tab meets the connectors"),
    ("iris", {}, {"turn": 44.0}, "reveal-rest", "turned too little"),
    ("iris", {}, {"foam": "foam-2", "foam_layers": 1}, "height", "thin foam"),
    ("louvre", {}, {"travel": 6.0}, "reveal-end", "slides too little"),
    ("louvre", {}, {"behind_left": 6.0}, "slot-hidden", "slats jump out of the slits"),
    ("louvre", {}, {"foam": "foam-1", "foam_layers": 1}, "height", "thin foam"),
    ("window-wheel", {}, {"wheel_radius": 40.0}, "reach", "small wheel"),
    ("window-wheel", {}, {"window_width": 40.0}, "land", "window wider than its sector"),
    ("window-wheel", {}, {"hole": 2.9}, "clearance", "tight hole"),
    ("window-wheel", {}, {"foam": "foam-1", "foam_layers": 1}, "height", "thin foam"),
    ("spinner", {}, {"leaf_length": 60.0}, "outline", "long hand"),
    ("spinner", {}, {"hole": 2.8, "bearing": 2.8}, "clearance", "tight hole"),
    ("pinwheel", {}, {"leaf_length": 56.0}, "outline", "long leaves"),
    ("pinwheel", {}, {"hole": 6.4}, "wobble", "loose hole"),
]


class FaultTest(unittest.TestCase):
    def test_each_fault_is_found_and_an_offered_remedy_cures_it(self):
        dice, seed = sampler(61)
        to_cure = set(dice.sample(range(len(FAULTS)), min(len(FAULTS), sample_size(len(FAULTS) // 8))))  # each is found, an eighth are cured
        for k, (recipe, given, changes, rule, name) in enumerate(FAULTS):
            with self.subTest(f"{recipe}: {name}", seed=seed):
                sound = card_with(recipe, **given)
                self.assertNotIn(rule, troubles_of_sound(recipe, tuple(given.items())), "sound to begin with")
                broken = sound.with_parameters("m1", changes)
                faults = [f for f in self.found(broken, [rule]) if f.severity != "note"]
                self.assertTrue(faults, "found")
                if k not in to_cure:
                    continue
                offers = ((f, find_remedies(broken, CATALOG, f)) for f in faults)
                before, remedies = next(((f, r) for f, r in offers if r), (faults[0], ()))
                self.assertTrue(remedies, f"cured: {before.message}")
                cured = change_design(broken, CATALOG, remedies[0].set, mechanism=remedies[0].mechanism)
                after = next((f for f in self.found(cured, [rule]) if f.key == before.key), None)
                if remedies[0].cures:
                    self.assertIsNone(after, remedies[0].label)
                else:
                    self.assertLess(after.missing, before.missing)

    def found(self, design, rules=None):
        return run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25), rules=rules)


class DeadPointTest(unittest.TestCase):
    def test_a_travel_past_a_dead_point_is_a_finding_that_says_what_comes_apart(self):
        design = card_with("pivot-arm", drive_joint="swinging-pull").with_parameters("m1", {"travel": 60.0})
        found = run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25))
        told = next(f.message for f in found if f.rule == "travel" and f.severity == "block")
        self.assertRegex(told, r"dead point at 28\.\d mm of travel")
        # Pulled by 60 mm the pin would have to lie where the collar leaves it 67.2 - 60 mm; the crank of 18 cannot bring it nearer than
        # D - c to the collar: the law of cosines, worked with the design's own numbers.
        v = design.mechanisms[0].parameters
        reach = (v["collar_at"] ** 2 + v["crank"] ** 2 + v["collar_at"] * v["crank"]) ** 0.5  # at 120 degrees
        missing = (v["collar_at"] - v["crank"]) - (reach - 60.0)
        self.assertIn(f"{missing:.1f} mm too short", told)

    def test_links_that_are_too_short_to_be_laid_down_are_told_not_thrown(self):
        for changes in ({"link": 14.0, "crank": 15.0}, {"crank": 30.0}, {"link": 5.0}):
            design = card_with("dial-riders").with_parameters("m1", changes)
            found = run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25))
            self.assertIn("travel", {f.rule for f in found if f.severity == "block"}, changes)

    def test_measures_that_leave_nothing_of_a_part_are_refused_by_name(self):
        from lexipod.errors import LexipodError

        for recipe, changes in (("spinner", {"washer": "3mm", "hole": "14mm"}), ("window-wheel", {"wheel_radius": "5mm", "hole": "14mm"})):
            try:
                change_design(card_with(recipe), CATALOG, changes)
            except LexipodError as error:
                self.assertIn("leave nothing of a part", str(error))
            else:
                self.fail(recipe)
