"""How far a lever is pulled, and what a cure may touch: the search itself, on lines and designs with known answers."""

import unittest
from dataclasses import replace

import numpy as np

from lexipod.checks import CHECKS, run_checks
from lexipod.checks.finding import SEVERITIES, Remedy
from lexipod.checks.table import NEVER_BLOCKING, each_finding
from lexipod.cures import find_cure, find_remedies, with_remedies
from lexipod.cures.clinic import Clinic
from lexipod.cures.glued import _pads
from lexipod.cures.levers import _next_amount, _outwards, _spoils
from lexipod.cures.look import change_of_look
from lexipod.cures.search import CLEARLY, _least_change_first
from lexipod.design import Card
from lexipod.editing.change import change_design
from lexipod.fitting.widening import FARTHEST_MM, _best_change
from tests.zoo import CATALOG, broken_slider, card_with, moved

CHANGES = (("tab_length", 1.0), ("opening_diameter", -12.0))


class AmountTest(unittest.TestCase):
    def test_amounts_are_rounded_outwards_to_a_tenth(self):
        for amount, rounded in ((1.0, 1.0), (1.01, 1.1), (0.04, 0.1), (12.3, 12.3), (12.3001, 12.4), (0.0, 0.1), (-3.0, 0.1)):
            self.assertAlmostEqual(_outwards(amount), rounded)

    def test_the_next_try_is_where_the_line_through_the_last_two_ends(self):
        self.assertAlmostEqual(_next_amount([(0.0, 5.0), (2.0, 3.0)], None), 5.0)
        self.assertAlmostEqual(_next_amount([(0.0, 6.0), (4.0, 4.0)], None), 12.0)

    def test_it_never_stands_still(self):
        self.assertGreater(_next_amount([(0.0, 5.0), (4.99, 0.01)], None), 4.99)

    def test_where_it_does_not_fall_it_is_doubled_or_halved_towards_what_cured(self):
        self.assertAlmostEqual(_next_amount([(0.0, 5.0), (2.0, 5.0)], None), 4.0)
        self.assertAlmostEqual(_next_amount([(0.0, 5.0), (2.0, 5.0)], 6.0), 4.0)
        self.assertAlmostEqual(_next_amount([(0.0, 5.0)], 3.0), 1.5)


class LookTest(unittest.TestCase):
    def test_the_change_of_a_look_is_the_area_of_the_outlines_that_differ(self):
        before = moved(card_with("spinner"))[0]
        self.assertEqual(change_of_look(before, moved(card_with("spinner"))[0]), 0.0)
        other = moved(
            change_design(card_with("spinner"), CATALOG, {"leaf_length": card_with("spinner").mechanisms[0].parameters["leaf_length"] + 8})
        )[0]
        area = sum(abs(before.by_id[p.id].region.area - p.region.area) for p in other.parts if p.role not in ("spacer", "fastener"))
        self.assertGreater(area, 10.0)
        self.assertGreaterEqual(change_of_look(before, other), area / (before.card.width_mm * before.card.height_mm) - 1e-9)
        self.assertAlmostEqual(change_of_look(before, other), change_of_look(other, before), places=9)
        empty = replace(before, parts=tuple(p for p in before.parts if p.mechanism == "card"), joints=(), drives=(), handles=(), zones=(), cues=())
        whole = sum(p.region.area for p in before.parts if p.mechanism != "card" and p.role not in ("spacer", "fastener"))
        self.assertAlmostEqual(change_of_look(before, empty), whole / (before.card.width_mm * before.card.height_mm), places=6)

    def test_of_equal_cures_the_one_that_changes_clearly_less_comes_first(self):
        design = card_with("iris")
        clinic = Clinic(design, CATALOG, (), lambda: True)
        slight, strong = (Remedy(f"{name} {by}", {name: design.mechanisms[0].parameters[name] + by}, "m1") for name, by in CHANGES)
        looks = [change_of_look(moved(design)[0], moved(change_design(design, CATALOG, r.set))[0]) for r in (slight, strong)]
        self.assertLess(looks[0] + CLEARLY, looks[1])
        for order in ((0.0, 1.0), (1.0, 0.0)):
            rows = [((0, order[0]), slight), ((0, order[1]), strong)]
            self.assertEqual(_least_change_first(clinic, rows), [slight, strong])
        clinic._left[slight.label] = 1  # what leaves something blocking comes after, however little it changes
        self.assertEqual(_least_change_first(clinic, [((0, 0.0), slight), ((0, 1.0), strong)]), [strong, slight])


class LeverTest(unittest.TestCase):
    def test_a_hole_that_is_too_loose_is_punched_smaller_by_what_is_missing(self):
        # The bearing of 2.8 mm in the hole leaves (hole - 2.8) / 2 to each side; 1.5 are hardly noticed, so 5.8 is the widest hole.
        for hole in (6.0, 6.4, 8.0):
            design = change_design(card_with("pinwheel"), CATALOG, {"hole": hole})
            (finding,) = (f for f in run_checks(moved(design)[1], rules=["wobble"]))
            self.assertAlmostEqual(finding.measured, (hole - 2.8) / 2, places=2)
            best = find_remedies(design, CATALOG, finding)[0]
            self.assertTrue(best.cures)
            self.assertAlmostEqual(best.set["hole"], 5.8, places=6)

    def test_the_same_cure_is_not_offered_twice(self):
        design = change_design(card_with("pinwheel"), CATALOG, {"hole": 6.4})
        (finding,) = run_checks(moved(design)[1], rules=["wobble"])
        labels = [r.label for r in find_remedies(design, CATALOG, finding)]
        self.assertEqual(len(labels), len(set(labels)))

    def test_a_cure_leaves_alone_what_is_kept(self):
        sound = broken_slider().mechanisms[0].parameters
        design = broken_slider(travel=sound["travel"] + 4)
        findings = run_checks(moved(design)[1])
        finding = next(f for f in findings if f.rule == "travel")
        free = find_cure(design, CATALOG, findings, finding, frozenset())
        self.assertTrue(free.cures)
        touched = {name.partition(".")[0] for name in free.set}
        other = find_cure(design, CATALOG, findings, finding, frozenset(touched))
        self.assertTrue(other is None or not {n.partition(".")[0] for n in other.set} & touched)
        everything = frozenset(design.mechanisms[0].parameters)
        self.assertIsNone(find_cure(design, CATALOG, findings, finding, everything))

    def test_a_cure_that_spoils_something_is_told_by_what_it_spoils(self):
        design = broken_slider()
        before = run_checks(moved(design)[1])
        clinic = Clinic(design, CATALOG, before, lambda: True)
        wanted = broken_slider(travel=broken_slider().mechanisms[0].parameters["travel"] + 10)
        finding = next(f for f in run_checks(moved(wanted)[1]) if f.rule == "travel")
        trial = clinic.judge(broken_slider(rail_gap=broken_slider().mechanisms[0].parameters["strip_height"] - 1), finding)
        self.assertEqual((trial.new_block.rule, trial.is_cured), ("clearance", False))
        self.assertIsNone(clinic.judge(design, finding).new_block)

    def test_a_design_tried_twice_is_moved_once(self):
        clinic = Clinic(broken_slider(), CATALOG, (), lambda: True)
        self.assertIs(clinic.examine(broken_slider(travel=30.0)), clinic.examine(broken_slider(travel=30.0)))
        self.assertIsNot(clinic.examine(broken_slider(travel=30.0)), clinic.examine(broken_slider(travel=31.0)))


class TableTest(unittest.TestCase):
    def test_findings_come_worst_first_and_are_the_same_one_by_one(self):
        _, examination = moved(broken_slider(rail_gap=20.0, foam="foam-1"))
        found = run_checks(examination)
        order = [SEVERITIES.index(f.severity) for f in found]
        self.assertEqual(order, sorted(order))
        self.assertEqual(sorted(f.key for f in found), sorted(f.key for f in each_finding(examination)))

    def test_rules_can_be_asked_for_or_left_out(self):
        _, examination = moved(broken_slider(rail_gap=20.0))
        self.assertEqual({f.rule for f in run_checks(examination, rules=["clearance"])}, {"clearance"})
        self.assertNotIn("clearance", {f.rule for f in run_checks(examination, without=["clearance"])})
        self.assertEqual(run_checks(examination, rules=[]), ())

    def test_what_never_blocks_are_rules_of_the_table(self):
        self.assertLessEqual(set(NEVER_BLOCKING), {rule.id for check in CHECKS for rule in check.rules})


class WideningTest(unittest.TestCase):
    """The linear programme on margins that answer in straight lines, worked by hand."""

    def test_two_margins_that_share_a_measure_end_up_alike(self):
        # Margins 1 + x and 3 - x: the smaller is largest where both are 2.
        change = _best_change(np.array([1.0, 3.0]), np.array([[1.0], [-1.0]]), np.array([True]))
        self.assertAlmostEqual(float(change[0]), 1.0, places=6)

    def test_a_measure_goes_no_farther_than_it_may(self):
        change = _best_change(np.array([1.0]), np.array([[1.0]]), np.array([True]))
        self.assertAlmostEqual(float(change[0]), FARTHEST_MM, places=6)

    def test_the_measure_that_does_more_is_used(self):
        change = _best_change(np.array([1.0, 2.0]), np.array([[0.5, 1.0], [0.0, 0.0]]), np.array([True, True]))
        self.assertAlmostEqual(float(change[1]), 1.0, places=6)  # up to the margin that nothing moves
        self.assertAlmostEqual(float(change[0]), 0.0, places=6)

    def test_what_is_not_open_stays(self):
        change = _best_change(np.array([1.0, 2.0]), np.array([[0.5, 1.0], [0.0, 0.0]]), np.array([True, False]))
        self.assertAlmostEqual(float(change[1]), 0.0, places=9)
        self.assertAlmostEqual(float(change[0]), 2.0, places=6)

    def test_where_nothing_helps_nothing_changes(self):
        change = _best_change(np.array([1.0, 1.0]), np.array([[1.0], [-1.0]]), np.array([True]))
        self.assertAlmostEqual(float(change[0]), 0.0, places=6)


class BudgetTest(unittest.TestCase):
    def test_without_time_every_finding_that_lacks_something_says_that_the_search_was_cut_short(self):
        design = broken_slider(travel=60.0)
        found = run_checks(moved(design, 13)[1])
        told = with_remedies(design, CATALOG, found, seconds=0.0)
        self.assertTrue(any(f.missing > 0 for f in told))
        for finding in told:
            self.assertEqual(finding.cut_short, finding.missing > 0)
        enough = with_remedies(design, CATALOG, found[:1], seconds=60.0)
        self.assertFalse(enough[0].cut_short)
        self.assertTrue(enough[0].remedies)

    def test_a_change_that_cannot_be_made_or_brings_another_block_spoils(self):
        class Judge:
            def __init__(self, new_block):
                self.new_block = new_block

            def judge(self, design, finding):
                return self

        for change, new_block, spoils in ((None, False, True), ({}, True, True), ({}, False, False)):
            self.assertEqual(_spoils(Judge(new_block), None, change, lambda values: values), spoils)

    def test_a_pad_is_offered_only_where_the_sheet_sags_somewhere(self):
        design = card_with("iris", Card(size="iso.a5"))
        examination = moved(design, 13)[1]
        sheet = next(f for f in run_checks(examination) if f.rule == "sags" or "carried" in f.title)
        self.assertIsNotNone(sheet.where)
        self.assertTrue(list(_pads(examination, design, sheet)))
        self.assertEqual(list(_pads(examination, design, replace(sheet, where=None))), [])


if __name__ == "__main__":
    unittest.main()
