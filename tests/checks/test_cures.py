"""Every remedy that is offered really cures, over designs broken at random (``LEXIPOD_SAMPLES=10`` takes some hundred)."""

import unittest

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.cures import with_remedies
from lexipod.design import Card, Ways
from lexipod.editing.change import change_design
from tests.samples import sample_size, sampler
from tests.zoo import CATALOG, broken_slider, slider

DESIGNS = sample_size(7)
BREAKS = {
    "travel": (5, 20),
    "slot_length": (-15, 8),
    "slot_height": (-4, 14),
    "slot_from": (-15, 15),
    "slot_place": (-18, 18),
    "strip_height": (-10, 10),
    "strip_length": (-25, 12),
    "rail_gap": (-4, 4),
    "pad_length": (-3, 12),
    "pad_play": (-1, 2),
    "picture_width": (-15, 20),
    "picture_height": (-15, 20),
    "picture_shift": (-12, 12),
    "reveal_width": (-5, 15),
    "protrusion": (-8, 15),
    "notch_depth": (-10, 6),
    "pull_offset": (0, 30),
    "frame_border": (-3, 8),
    "backing_lap": (-8, 10),
    "strip_plies": (-1, 2),
    "foam_layers": (0, 2),
    "pad_layers": (-1, 2),
    "overlap": (-2, 6),
}


def broken(rng):
    """A sound slider of a random card with one to three parameters spoiled."""
    size = rng.choice(sorted(CATALOG.cards))
    design = slider(
        Card(size=size),
        ways=Ways(units="mm"),
        direction=rng.choice(("right", "left", "up", "down")),
        pull=rng.choice(("notch", "notch", "tab", "cord")),
    )
    values = design.mechanisms[0].parameters
    changes = {}
    for name in rng.sample(sorted(BREAKS), rng.randint(1, 3)):
        low, high = BREAKS[name]
        value = values[name] + (rng.randint(low, high) if isinstance(values[name], int) else rng.uniform(low, high))
        try:
            changes[name] = (
                change_design(design, CATALOG, {name: round(value, 2) if not isinstance(values[name], int) else value}).mechanisms[0].parameters[name]
            )
        except Exception as error:  # outside the parameter's limits: not a design
            assert "out of range" in str(error), error
    return design.with_parameters("m1", changes)


def judged(design, steps=61):
    return run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=steps))


class RemedyTest(unittest.TestCase):
    def test_applying_any_offered_remedy_removes_its_finding_or_makes_it_smaller_as_said(self):
        rng, told = sampler()
        offered = found = without = 0
        for k in range(DESIGNS):
            design = broken(rng)
            findings = judged(design, 25)
            blocking = {f.key for f in findings if f.severity == "block"}
            for finding in with_remedies(design, CATALOG, findings):
                found += 1
                without += not finding.remedies
                for remedy in finding.remedies:
                    offered += 1
                    after = judged(change_design(design, CATALOG, remedy.set, mechanism=remedy.mechanism))
                    same = [f for f in after if f.key == finding.key]
                    with self.subTest(told, design=k, rule=finding.rule, remedy=remedy.label):
                        if remedy.cures:
                            self.assertEqual(same, [])
                        else:
                            self.assertLess(same[0].missing, finding.missing)
                            self.assertTrue(remedy.remaining)
                        self.assertLessEqual({f.key for f in after if f.severity == "block"}, blocking)
        self.assertGreater(found, DESIGNS)
        self.assertGreater(offered, found * 0.7)
        self.assertLess(without, found * 0.45)

    def test_the_first_cure_of_a_short_slot_lengthens_it_by_what_is_missing(self):
        design = broken_slider(travel=broken_slider().mechanisms[0].parameters["travel"] + 8)
        finding = next(f for f in with_remedies(design, CATALOG, judged(design)) if f.rule == "travel")
        change = finding.remedies[0].set
        sound = design.mechanisms[0].parameters["slot_length"]
        self.assertAlmostEqual(change["slot_length"] - sound, 8 - 0.6 + 0.3, delta=0.1001)

    def test_a_tab_that_is_too_long_for_the_envelope_is_offered_a_larger_one(self):
        design = slider(pull="tab")
        finding = next(f for f in with_remedies(design, CATALOG, judged(design)) if f.rule == "envelope")
        sets = [r.set for r in finding.remedies]
        self.assertTrue(any("envelope" in s for s in sets), sets)
        for remedy in finding.remedies:
            after = judged(change_design(design, CATALOG, remedy.set, mechanism=remedy.mechanism))
            self.assertNotIn("envelope", [f.rule for f in after])

    def test_the_search_gives_up_when_a_newer_design_has_come(self):
        design = broken_slider(travel=60.0)
        self.assertEqual([f.remedies for f in with_remedies(design, CATALOG, judged(design), is_current=lambda: False)][0], ())
