"""The strip slider: sizes, symmetry, and what it says to impossible cards."""

import itertools
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.checks import Examination, run_checks
from lexipod.design import Card, Ways
from lexipod.editing.change import change_design, new_design
from lexipod.errors import CardTooSmall, ParameterError
from lexipod.fabricate import cut_list
from lexipod.recipes import RECIPES, find_recipe
from tests.samples import sample_size, sampler
from tests.zoo import CATALOG, broken_slider, slider

EXITS = ("right", "left", "up", "down")
RECIPE = find_recipe("strip-slider")


def findings(design, **more):
    return run_checks(Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25), **more)


class DefaultTest(unittest.TestCase):
    def test_the_default_is_free_of_findings_on_every_card_in_every_direction(self):
        every = list(itertools.product(CATALOG.cards, EXITS, ("portrait", "landscape"), ("in", "mm")))
        dice, seed = sampler(41)
        chosen = dice.sample(every, min(len(every), sample_size(len(every) // 7)))
        self.assertGreater(len(chosen), len(CATALOG.cards))
        for card, direction, orientation, units in chosen:
            with self.subTest(card, orientation=orientation, direction=direction, units=units, seed=seed):
                design = slider(Card(size=card, orientation=orientation), ways=Ways(units=units), direction=direction)
                self.assertEqual([f.title for f in findings(design)], [])

    def test_it_works_from_three_inches_square_to_a4_between_the_table_too(self):
        for width, height in ((76.2, 76.2), (76.2, 200), (120, 80), (185, 240), (210, 297)):
            design = slider(Card(size="free", width=width, height=height))
            self.assertFalse([f for f in findings(design) if f.severity == "block"], (width, height))

    def test_a_card_that_is_too_small_is_told_what_would_fit(self):
        for width, height in ((40, 40), (200, 30), (25, 200)):
            with self.assertRaisesRegex(CardTooSmall, "from about .* it fits"):
                slider(Card(size="free", width=width, height=height))

    def test_known_good_measures_of_the_trade_are_accepted(self):
        # Card 148 x 116, frame 128 x 88 with a slot of 116 x 22, strip 165 x 42, backing 120 x 50, 3 mm foam:
        # common practice, no source. Only its envelope complains, since the strip stands out by some 30 mm.
        design = slider(
            Card(size="free", width=148, height=116),
            ways=Ways(units="mm"),
            pull="tab",
            travel=80.0,
            slot_length=116.0,
            slot_height=22.0,
            slot_from=16.0,
            slot_place=58.0,
            strip_length=165.0,
            strip_height=42.0,
            overlap=10.0,
            protrusion=30.0,
            foam="foam-3",
            frame_border=10.0,
            frame_border_y=14.0,
            mat_border=5.0,
            mat_border_y=3.0,
            backing_lap=2.0,
            backing_lap_across=14.0,
            rail_width=5.0,
            picture_width=40.0,
            picture_height=40.0,
            reveal_width=30.0,
            reveal_height=8.0,
            reveal_shift=15.0,
            picture_shift=0.0,
            pad_length=20.0,
            pad_start=10.0,
        )
        self.assertEqual({f.rule for f in findings(design) if f.severity == "block"} - {"envelope"}, set())
        frame = build_assembly(design, CATALOG).by_id["card.frame"]
        hole = shapely.Polygon(frame.holes[0])
        low = np.array(hole.bounds) - (10.0, 14.0, 10.0, 14.0)  # from the frame's own corner
        self.assertEqual(tuple(np.round(low, 6)), (6.0, 33.0, 122.0, 55.0))  # 6 left at each end, 33 above and below
        sizes = {r.blank: (r.measure.width_mm, r.measure.height_mm) for r in cut_list(build_assembly(design, CATALOG), CATALOG)}
        for name, size in (("card.frame", (128, 88)), ("card.panel", (138, 110)), ("m1.backing", (120, 50)), ("m1.strip", (165, 42))):
            self.assertEqual(tuple(round(v, 6) for v in sizes[name]), size)

    def test_kept_parameters_are_kept_and_the_rest_follows_them(self):
        design = slider(travel=25.4, strip_height=30.0)
        values = design.mechanisms[0].parameters
        self.assertEqual((values["travel"], values["strip_height"]), (25.4, 30.0))
        self.assertGreaterEqual(values["rail_gap"], 31.0)
        self.assertGreater(values["slot_length"], 25.4 + values["pad_length"])


class FormulaTest(unittest.TestCase):
    def test_travel_is_pad_travel_in_the_slot_or_strip_travel_to_the_stop(self):
        # Pad of length p in a slot of length s moves s - p; the strip moves back as far as its stop.
        for slot, pad in ((60.0, 10.0), (52.0, 8.5)):
            design = slider(ways=Ways(units="mm"), travel=30.0, slot_length=slot, pad_length=pad, pad_start=1.0)
            free = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=5).free_range("m1")
            self.assertAlmostEqual(free.high.at, slot - pad - 1.0, places=6)
            self.assertAlmostEqual(free.low.at, -0.6, delta=1e-4)
            self.assertEqual(free.low.parts, ("m1.stop", "m1.strip"))

    def test_without_end_stop_the_slot_stops_it_on_both_sides(self):
        design = slider(end_stop=False)
        free = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=5).free_range("m1")
        self.assertEqual(free.low.cause, "slot end")
        self.assertAlmostEqual(free.low.at, -float(design.mechanisms[0].parameters["pad_start"]), places=6)


class SymmetryTest(unittest.TestCase):
    def test_a_mirrored_slider_has_the_findings_of_the_plain_one(self):
        for changes in ({}, {"travel": 60.0}, {"rail_gap": 20.0, "slot_height": 25.0}):
            plain = broken_slider(**changes)
            mirrored = change_design(plain, CATALOG, {"mirror": "yes"})
            told = [[(f.rule, f.severity, round(f.measured, 6)) for f in findings(d)] for d in (plain, mirrored)]
            self.assertEqual(*told)

    def test_inches_and_millimetres_typed_in_give_the_same_design(self):
        inch = new_design("strip-slider", CATALOG, given={"travel": "1-1/2in", "slot_height": "1/2 in", "units": "mm"})
        metric = new_design("strip-slider", CATALOG, given={"travel": "38.1mm", "slot_height": "1.27cm", "units": "mm"})
        self.assertEqual(inch, metric)


class RobustnessTest(unittest.TestCase):
    @settings(max_examples=sample_size(40), deadline=None)
    @given(st.data())
    def test_any_values_within_their_limits_build_move_and_are_judged(self, data):
        design = broken_slider()
        changes = {}
        for parameter in data.draw(st.lists(st.sampled_from(RECIPE.parameters), min_size=1, max_size=5, unique_by=lambda p: p.name)):
            if parameter.kind == "choice":
                changes[parameter.name] = data.draw(st.sampled_from(parameter.choices))
            elif parameter.kind == "flag":
                changes[parameter.name] = data.draw(st.booleans())
            elif parameter.kind == "count":
                changes[parameter.name] = data.draw(st.integers(int(parameter.minimum), int(parameter.maximum)))
            else:
                changes[parameter.name] = data.draw(st.floats(parameter.minimum, parameter.maximum))
        design = design.with_parameters("m1", changes)
        for finding in findings(design):
            self.assertTrue(np.isfinite([finding.measured, finding.required]).all(), finding)
            self.assertGreater(finding.missing, 0, finding)

    def test_a_frame_of_which_openings_would_leave_nothing_is_built_and_judged(self):
        values = {"strip_height": 3.0, "strip_length": 10.0, "frame_border": 60.0, "slot_height": 59.0}
        found = findings(broken_slider().with_parameters("m1", values))
        self.assertIn("block", [f.severity for f in found])

    def test_values_outside_their_limits_are_refused_by_name(self):
        for name, text in (("travel", "-4mm"), ("travel", "2m"), ("strip_plies", "0"), ("direction", "north"), ("end_stop", "maybe")):
            with self.assertRaisesRegex(ParameterError, name):
                change_design(slider(), CATALOG, {name: text})

    def test_every_lever_moves_parameters_that_there_are(self):
        for recipe in RECIPES.values():
            names = {p.name for p in recipe.parameters}
            for rule, levers in recipe.levers.items():
                for lever in levers:
                    self.assertLessEqual({n.partition(".")[0] for n in (*lever.gains, *lever.choose)}, names, (recipe.id, rule))

    def test_sizing_gives_every_parameter_a_value_it_accepts(self):
        values = resolve_parameters(RECIPE, site_for(slider(), CATALOG), {})
        self.assertEqual(list(values), [p.name for p in RECIPE.parameters])
