"""Each check finds the mistake it is there for, and keeps silent otherwise."""

import doctest
import math
import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import Covered
from lexipod.building import build_assembly
from lexipod.checks import CHECKS, Examination, run_checks, verdict_of
from lexipod.checks.closing import _owner
from lexipod.checks.examination import apart_margin, cover_margin
from lexipod.checks.outline import envelope_room, flat_size
from lexipod.design import Card, Ways
from lexipod.editing.change import add_mechanism
from lexipod.mechanics import columns, euler_load_n, guides, least_guide_mm, plies_against_buckling
from tests.zoo import CATALOG, broken_slider, card_with, moved, slider


def examine(design, steps=25):
    return Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=steps)


def find(design, rule):
    return [f for f in run_checks(examine(design)) if f.rule == rule]


class PlantedMistakeTest(unittest.TestCase):
    """One mistake of the workshop each: what is found, how bad, and by how much."""

    def test_a_slot_that_is_too_short_for_the_travel(self):
        sound = broken_slider().mechanisms[0].parameters
        found = find(broken_slider(travel=sound["travel"] + 10), "travel")
        self.assertEqual([(f.severity, f.need) for f in found], [("block", "end")])
        self.assertAlmostEqual(found[0].measured, -10 + 0.6, places=3)
        self.assertIn("end of its slot", found[0].message)

    def test_a_strip_between_rails_that_are_too_close(self):
        sound = broken_slider().mechanisms[0].parameters
        found = find(broken_slider(rail_gap=sound["strip_height"] + 0.4), "clearance")
        self.assertEqual(len(found), 2)
        for f in found:
            self.assertEqual(f.severity, "block")
            self.assertAlmostEqual(f.measured, 0.2, places=6)
            self.assertEqual(f.required, 0.5)
        tight = find(broken_slider(rail_gap=sound["strip_height"] + 0.7), "clearance")
        self.assertEqual({f.severity for f in tight}, {"warn"})

    def test_a_strip_wider_than_the_gap_overlaps(self):
        sound = broken_slider().mechanisms[0].parameters
        found = find(broken_slider(rail_gap=sound["strip_height"] - 4), "clearance")
        self.assertEqual({round(f.measured, 1) for f in found}, {-2.0})

    def test_a_pad_as_high_as_the_slot(self):
        found = find(broken_slider(pad_play=0.1), "clearance")
        self.assertEqual([f.parts for f in found], [("m1.pad", "card.frame")])
        self.assertAlmostEqual(found[0].measured, 0.1, delta=0.01)

    def test_foam_that_is_too_thin_and_a_pad_that_is_too_low(self):
        thin = find(broken_slider(foam="foam-1", pad_layers=3), "height")
        self.assertIn(("m1.strip", "card.frame"), [f.parts for f in thin])
        self.assertEqual((thin[0].severity, thin[0].measured), ("block", -0.14))  # 1 mm less a backing and two plies of 0.38
        low = find(broken_slider(foam_layers=2), "height")  # the pad keeps its one layer of 2 mm: 0.38 + 0.76 + 2 under 4 + 0.38
        self.assertEqual([(f.parts, f.measured) for f in low], [(("m1.picture", "card.frame"), -1.24)])

    def test_foam_used_twice_where_once_would_do(self):
        found = find(broken_slider(foam_layers=2, pad_layers=2), "spare-foam")
        self.assertEqual([f.severity for f in found], ["note"])

    def test_a_backing_that_does_not_reach(self):
        found = find(broken_slider(backing_lap=0.5), "slot-hidden")
        self.assertEqual([(f.severity, round(f.measured, 3)) for f in found], [("warn", 0.5)])

    def test_a_slot_that_shows_what_is_behind(self):
        examination = examine(broken_slider())
        needs = [n for n in examination.assembly.needs if isinstance(n, Covered)]
        without = replace(examination.assembly, needs=(replace(needs[0], by=("m1.strip",)),))
        found = [f for f in run_checks(Examination(without, CATALOG, Ways(units="mm"), steps=25)) if f.rule == "slot-hidden"]
        self.assertEqual([f.severity for f in found], ["warn"])  # the strip alone bares the slot's far end when it is pulled
        self.assertGreater(found[0].travel, 5)

    def test_a_strip_that_is_hardly_held(self):
        sound = broken_slider().mechanisms[0].parameters
        for more, severity in ((2.0, "warn"), (1.8, "block")):  # a millimetre on each side holds it, hardly
            found = find(broken_slider(strip_height=sound["slot_height"] + more), "held")
            self.assertEqual([(f.severity, round(f.measured, 6)) for f in found], [(severity, more / 2)])

    def test_a_picture_that_is_smaller_than_what_it_hides(self):
        sound = broken_slider().mechanisms[0].parameters
        found = find(broken_slider(picture_width=sound["reveal_width"] - 6), "reveal-rest")
        self.assertEqual([f.severity for f in found], ["block"])
        just = find(broken_slider(picture_width=sound["reveal_width"] + 1), "reveal-rest")
        self.assertEqual([f.severity for f in just], ["warn"])
        self.assertTrue(0.2 < just[0].measured <= 0.5, just[0])  # half a millimetre, less at the rounded corners

    def test_a_travel_that_does_not_uncover_all(self):
        found = find(broken_slider(travel=20.0), "reveal-end")
        self.assertEqual([f.severity for f in found], ["block"])
        self.assertRegex(found[0].message, r"\d\d % of what is revealed are still covered")

    def test_a_tab_that_does_not_go_into_the_envelope(self):
        found = find(slider(pull="tab"), "envelope")
        self.assertEqual([f.severity for f in found], ["block"])

    def test_a_picture_beyond_the_cards_edge(self):
        found = find(broken_slider(picture_width=90.0), "outline")
        self.assertEqual([f.parts for f in found], [("m1.picture",)])
        self.assertAlmostEqual(found[0].measured, 45.0 - self._pad_middle(), places=3)

    @staticmethod
    def _pad_middle():
        values = broken_slider().mechanisms[0].parameters
        return values["slot_from"] + values["pad_start"] + values["pad_length"] / 2

    def test_a_slot_that_runs_into_the_notch_or_out_of_the_frame(self):
        near = find(broken_slider(slot_from=48.0), "land")
        self.assertEqual([f.severity for f in near], ["block"])
        out = find(broken_slider(slot_from=90.0), "land")
        self.assertLess(out[0].measured, 0)

    def test_rails_that_stand_out_of_the_frame(self):
        found = find(broken_slider(slot_place=20.0), "spacer-shows")
        self.assertIn("m1.rail-low", [f.parts[0] for f in found])

    def test_a_pull_far_off_the_middle_of_a_short_guide(self):
        found = find(broken_slider(pull_offset=60.0), "jam")
        self.assertEqual([f.severity for f in found], ["block"])
        foam = CATALOG.frictions["foam-paper"].friction  # the strip runs between rails of foam
        self.assertAlmostEqual(found[0].required, 1.5 * 2 * foam * (60.0 + broken_slider().mechanisms[0].parameters["strip_height"] / 4), places=3)

    def test_a_long_thin_pull_that_folds_up(self):
        values = broken_slider(travel=75.0).mechanisms[0].parameters
        narrow = {"strip_height": values["strip_height"] / 8, "strip_plies": 1, "travel": 75.0}
        found = find(broken_slider(**narrow), "buckling")
        self.assertEqual([f.severity for f in found], ["warn"])  # it is held shorter then: a thing to watch
        built = build_assembly(broken_slider(**narrow), CATALOG)
        free = 15.0 + built.card.width_mm - built.by_id["m1.rail-low"].region_at_home.bounds[2]  # a grip beyond the edge, from the rails' mouth
        values = broken_slider(**narrow).mechanisms[0].parameters
        inertia = values["strip_height"] * 0.38**3 / 12
        self.assertAlmostEqual(found[0].measured, math.pi**2 * 2200 * inertia / free**2, places=3)

    def test_nothing_to_take_hold_of(self):
        found = find(broken_slider(notch_depth=0.0, frame_border=3.0), "reach")
        self.assertEqual([(f.severity, f.required) for f in found], [("block", 8.0)])
        self.assertEqual(find(broken_slider(pull="cord"), "reach"), [])

    def test_a_loose_strip_wags(self):
        found = find(broken_slider(rail_gap=broken_slider().mechanisms[0].parameters["strip_height"] + 4), "wobble")
        self.assertEqual([f.severity for f in found], ["warn"])

    def test_a_sound_design_is_free(self):
        self.assertEqual(verdict_of(run_checks(examine(slider()))), "free")


class EnvelopeTest(unittest.TestCase):
    def test_a_plain_card_needs_its_size_and_its_thickness(self):
        # Half the girth of a flat box w by t is w + t.
        examination = examine(slider(Card(size="free", width=100, height=140)).__class__(card=Card(size="free", width=100, height=140)))
        self.assertEqual([round(v, 6) for v in flat_size(examination)], [100.76, 140.76])

    def test_the_room_is_that_of_the_better_way_round(self):
        examination = examine(slider().__class__(card=Card(size="free", width=100, height=140)))
        self.assertAlmostEqual(envelope_room(examination, (150.0, 105.0)), 105 - 100.76, places=6)

    def test_what_is_wanted_grows_with_thickness_by_itself(self):
        thin, thick = (flat_size(examine(broken_slider(foam_layers=k, pad_layers=k)))[0] for k in (1, 4))
        self.assertGreater(thick - thin, 1.0)
        self.assertLess(thick - thin, 6.1)  # at most the added height, since the edges stay thin


class HandbookTest(unittest.TestCase):
    def test_eulers_column(self):
        # E 3000 N/mm2, 40 x 0.4 mm, l 60, K 1: 1.755 N; E 3 GPa, t 0.38, b 15, l 60: 0.564 N, and 2.257 N with K 0.5.
        self.assertAlmostEqual(euler_load_n(3000, width_mm=40, thickness_mm=0.4, length_mm=60), 1.755, places=3)
        self.assertAlmostEqual(euler_load_n(3000, width_mm=15, thickness_mm=0.38, length_mm=60), 0.564, places=3)
        self.assertAlmostEqual(euler_load_n(3000, width_mm=15, thickness_mm=0.38, length_mm=60, factor=0.5), 2.257, places=3)

    def test_two_plies_carry_eight_times_as_much(self):
        one, two = (euler_load_n(2200, width_mm=30, thickness_mm=t, length_mm=50) for t in (0.4, 0.8))
        self.assertAlmostEqual(two / one, 8.0)
        self.assertEqual(plies_against_buckling(one * 1.01, 2200, width_mm=30, caliper_mm=0.4, length_mm=50), 2)

    def test_the_drawer_rule_against_the_statics_solved_as_a_linear_programme(self):
        # Corner forces N1, N2 >= 0 at both ends of the guide, friction at most mu N: it slides if some pull exceeds it.
        from scipy.optimize import linprog

        for mu, offset in ((0.25, 40.0), (0.4, 30.0), (0.5, 25.0), (0.2, 60.0)):
            limit = least_guide_mm(mu, offset)
            for length, slides in ((limit * 0.98, False), (limit * 1.02, True)):
                # Unknown N1, N2, f1, f2; unit pull at the offset. Minimise f1 + f2 so that moments and forces balance.
                balance = [[1, -1, 0, 0], [length, 0, 0, 0]]
                answer = linprog(
                    [0, 0, -1, -1], A_ub=[[-mu, 0, 1, 0], [0, -mu, 0, 1]], b_ub=[0, 0], A_eq=balance, b_eq=[0, offset], bounds=[(0, None)] * 4
                )
                self.assertEqual(-answer.fun < 1.0, slides, (mu, offset, length))

    def test_margins_are_those_of_the_shapes(self):
        inner, outer = shapely.box(2, 3, 5, 5), shapely.box(0, 0, 10, 10)
        self.assertEqual(cover_margin(inner, outer).tolist(), [2.0])
        self.assertAlmostEqual(cover_margin(shapely.box(8, 2, 12, 22), outer)[0], -2 * 64 / 48, places=9)
        self.assertEqual(apart_margin(shapely.box(12, 0, 14, 2), outer).tolist(), [2.0])


class TableTest(unittest.TestCase):
    def test_every_check_says_what_it_asks_and_where_that_comes_from(self):
        self.assertEqual(len({c.asks for c in CHECKS}), len(CHECKS))
        self.assertEqual(len({c.run for c in CHECKS}), len(CHECKS))
        for check in CHECKS:
            self.assertEqual(len(check.rules), len(set(check.rules)))
            self.assertTrue(check.asks.endswith("?") and check.source, check.rules)

    def test_findings_do_not_depend_on_the_number_of_positions(self):
        for changes in ({"travel": 60.0}, {"rail_gap": 27.0}, {"picture_width": 20.0, "notch_depth": 3.0}):
            design = broken_slider(**changes)
            told = [[(f.rule, f.severity, round(f.measured, 2)) for f in run_checks(examine(design, steps))] for steps in (25, 181)]
            self.assertEqual(*told)

    def test_messages_speak_the_makers_unit(self):
        inch = run_checks(examine(slider(ways=Ways(units="in")).with_parameters("m1", {"travel": 60.0})))
        self.assertIn(" in ", inch[0].message)
        self.assertIn("mm", run_checks(examine(broken_slider(travel=60.0)))[0].message)


def load_tests(loader, tests, pattern):
    for module in (columns, guides):
        tests.addTests(doctest.DocTestSuite(module))
    return tests


class PlaceTest(unittest.TestCase):
    def test_a_crossing_is_shown_where_both_parts_are_at_those_travels(self):
        both = add_mechanism(card_with("pivot-arm"), "strip-slider", CATALOG)
        examination = moved(both, 25)[1]
        crossings = [f for f in run_checks(examination, rules=["crossing"]) if f.where]
        self.assertTrue(crossings)
        for finding in crossings:
            at = {examination.assembly.by_id[finding.parts[0]].mechanism: finding.travel, **dict(finding.also_at)}
            for part in finding.parts:
                mechanism = examination.assembly.by_id[part].mechanism
                k = int(np.argmin(np.abs(examination.track(mechanism).travel - at[mechanism])))
                self.assertLess(examination.regions(part)[k].distance(shapely.Point(finding.where)), max(finding.measured, 0.0) + 0.05)

    def test_whose_a_part_or_a_panel_is(self):
        examination = moved(card_with("waterfall"), 5)[1]
        self.assertEqual(_owner(examination, "card.back"), "card")
        for panel in examination.assembly.foldings[0].panels:
            self.assertEqual(_owner(examination, panel.id), panel.mechanism)
        slider = moved(card_with("strip-slider"), 5)[1]
        self.assertEqual(_owner(slider, "m1.strip"), "m1")
