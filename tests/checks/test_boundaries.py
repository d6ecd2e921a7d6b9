"""Where a rule begins to speak and where it begins to block: found by halving, and compared with what the rule says of itself.

What makes a fault block is common practice without a source: a reserve that is used up is told; a requirement that is half missed, a surprise
of which more than a millimetre shows, or a way that ends too early, cannot be built; what is only ugly never blocks.
"""

import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import GlueFlap
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.fold_flat import check_flaps, check_flat_outline
from lexipod.design import Card, Ways
from lexipod.errors import LexipodError
from lexipod.recipes import RECIPES
from tests.samples import sample_size, some_of
from tests.zoo import CATALOG, card_with

HALF, NOTHING, NEVER = 0.5, 0.0, None
"""At which share of what is required a rule begins to block; some never do."""
HALVINGS = 9


class At(float):
    """A measure itself below which a rule blocks, whatever is required."""


CASES = (
    ("travel", "strip-slider", "travel", 1.1, NOTHING),
    ("travel", "pocket-pull", "neck_length", 1.3, NOTHING),
    ("clearance", "strip-slider", "strip_height", 1.05, HALF),
    ("clearance", "spinner", "bearing", 1.3, HALF),
    ("clearance", "track-rider", "pillar", 1.15, HALF),
    ("clearance", "pivot-arm", "pill", 1.15, HALF),
    ("held", "strip-slider", "slot_height", 2.2, At(1.0)),
    ("held", "track-rider", "disc", 0.5, At(1.0)),
    ("land", "pocket-pull", "slot_length", 1.25, At(1.0)),
    ("land", "window-wheel", "rim", 1.8, HALF),
    ("land", "iris", "slot_width", 2.2, HALF),
    ("slot-hidden", "window-wheel", "window_height", 1.8, NEVER),
    ("slot-hidden", "pocket-pull", "slot_length", 1.1, NEVER),
    ("reveal-rest", "pocket-lift", "picture_width", 0.5, At(-1.0)),
    ("reveal-end", "strip-slider", "picture_width", 1.25, At(-1.0)),
    ("reveal-end", "dial-riders", "from_angle", 1.5, At(-1.0)),
    ("envelope", "pocket-pull", "piece_height", 1.8, NOTHING),
    ("envelope", "window-wheel", "wheel_radius", 1.25, NOTHING),
    ("reach", "window-wheel", "reach", 0.3, HALF),
    ("reach", "dial-riders", "reach", 0.3, HALF),
    ("buckling", "louvre", "pitch", 0.5, NEVER),
    ("spacer-shows", "strip-slider", "slot_from", 1.5, NEVER),
    ("wobble", "spinner", "hole", 1.9, NEVER),
    ("wobble", "strip-slider", "rail_gap", 1.1, NEVER),
    ("jam", "strip-slider", "strip_length", 0.5, 1 / 1.5),
)


def worst(design, rule):
    """The finding that lacks most; None if there is none."""
    examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)
    return max((f for f in run_checks(examination, rules=[rule]) if f.rule == rule), key=lambda f: f.missing, default=None)


class BoundaryTest(unittest.TestCase):
    def halved(self, answer_of, is_beyond):
        """The last value before and the first one beyond a boundary, as (share of the way, answer)."""
        low, high, answer = 0.0, 1.0, None
        for _ in range(HALVINGS):
            middle = (low + high) / 2
            found = answer_of(middle)
            if is_beyond(found):
                high, answer = middle, found
            else:
                low = middle
        return low, high, answer if answer is not None else answer_of(high)

    def test_every_rule_speaks_when_something_is_missing_and_blocks_where_it_says(self):
        for rule, recipe, name, factor, blocks in some_of(CASES, 2 * len(CASES) // 3):
            sound = card_with(recipe, Card(size="na.a7"))
            start = sound.mechanisms[0].parameters[name]

            def answer_of(share, sound=sound, name=name, start=start, factor=factor, rule=rule):
                return worst(sound.with_parameters("m1", {name: start * (1 + share * (factor - 1))}), rule)

            with self.subTest(rule, recipe=recipe, parameter=name):
                self.assertIsNone(answer_of(0.0))
                _, begins, first = self.halved(answer_of, lambda f: f is not None)
                slope = abs(start * (factor - 1)) * 2.0**-HALVINGS
                near = 0.02 * max(1.0, abs(first.required)) + 8 * slope
                self.assertLess(abs(first.missing), near, first)
                self.assertEqual(first.severity, "warn" if first.required or blocks is NEVER or isinstance(blocks, At) else "block")
                last = answer_of(1.0)
                if blocks is NEVER:
                    self.assertEqual(last.severity, "warn")
                    continue
                self.assertEqual(last.severity, "block", last)
                _, until, turned = self.halved(answer_of, lambda f: f is not None and f.severity == "block")
                self.assertLess(abs(turned.measured - (blocks if isinstance(blocks, At) else blocks * turned.required)), near, turned)
                self.assertGreaterEqual(until, begins)


class FlatOutlineTest(unittest.TestCase):
    def test_only_what_may_stand_out_of_the_shut_card_does(self):
        built = build_assembly(card_with("twist-popup", Card(size="na.a7")), CATALOG)
        folding = built.foldings[0]
        panel = next(p for p in folding.panels if not p.base)
        longer = panel.outline.copy()
        longer[np.argmax(longer[:, 0]), 0] += 300.0
        for stands_out, told in ((False, True), (True, False)):
            changed = replace(panel, outline=longer, stands_out=stands_out)
            one = replace(folding, panels=tuple(changed if p.id == panel.id else p for p in folding.panels))
            examination = Examination(replace(built, foldings=(one,)), CATALOG, Ways(), steps=3)
            self.assertEqual(panel.id in {f.parts[0] for f in check_flat_outline(examination)}, told, stands_out)


class FlapTest(unittest.TestCase):
    def test_half_a_flap_does_not_hold_and_a_narrow_one_is_told(self):
        built = build_assembly(card_with("hinge-plate", Card(size="na.a7")), CATALOG)
        folding = built.foldings[0]
        need = next(n for n in folding.needs if isinstance(n, GlueFlap))
        for wide, expected in ((8.0, []), (7.8, ["warn"]), (4.2, ["warn"]), (3.8, ["block"])):
            region = shapely.box(1000.0, 1000.0, 1000.0 + wide, 1050.0)  # far from every score
            one = replace(folding, needs=(replace(need, region=region, width_mm=8.0),))
            examination = Examination(replace(built, foldings=(one,)), CATALOG, Ways(), steps=3)
            self.assertEqual([f.severity for f in check_flaps(examination)], expected, wide)


class SoundTest(unittest.TestCase):
    def test_what_the_program_sizes_itself_has_nothing_to_be_told_of(self):
        """A tight envelope apart: thick mechanisms fill the usual one."""
        looked_at = 0
        cards = ((Card(), "in"), (Card(size="na.a7"), "mm"), (Card(size="iso.a6"), "mm"))
        for k, recipe in enumerate(RECIPES):
            for card, units in (c for j, c in enumerate(cards) if j != k % 3 or sample_size(2) > 2):  # two of three each time
                try:
                    design = card_with(recipe, card, units=units)
                except LexipodError:
                    continue
                examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)
                told = [(f.rule, f.title) for f in run_checks(examination, without=["envelope"]) if f.severity != "note"]
                looked_at += 1
                with self.subTest(recipe, card=card.size, units=units):
                    self.assertEqual(told, [])
        self.assertGreater(looked_at, 36)


if __name__ == "__main__":
    unittest.main()
