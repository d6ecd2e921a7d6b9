"""Rows and events of the travel ribbon, and the process that makes them."""

import io
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from lexipod.aside.examiner import examine_design, serve
from lexipod.aside.judgement import EXAMINER, Judgement
from lexipod.aside.wire import pack, unpack
from lexipod.assembly import Guided, KeepsOff
from lexipod.building import build_assembly
from lexipod.checks import Examination
from lexipod.checks.cover import free_opening
from lexipod.checks.forces import guide_friction, guided_lengths
from lexipod.design import Card, Design, Ways
from lexipod.pipeline import examine, judge
from lexipod.ribbon import fold_events, fold_rows, ribbon_events, ribbon_rows
from lexipod.ribbon.folds import _near
from lexipod.ribbon.rows import RibbonRow
from tests.zoo import CATALOG, broken_slider, card_with, slider


class RowTest(unittest.TestCase):
    def rows(self, **changes):
        return {row.label: row for row in ribbon_rows(examine(broken_slider(**changes), CATALOG, steps=91), "m1")}

    def test_a_sound_slider_has_no_trouble_anywhere(self):
        for label, row in self.rows().items():
            self.assertFalse(row.trouble.any(), label)
            self.assertEqual(row.values.shape, row.travel.shape)

    def test_trouble_begins_where_the_pad_runs_into_the_slots_end(self):
        sound = broken_slider().mechanisms[0].parameters
        row = self.rows(travel=sound["travel"] + 12)["pad – frame"]
        first = row.travel[np.argmax(row.trouble)]
        self.assertAlmostEqual(first, sound["travel"] + 0.6, delta=0.7)
        self.assertTrue(row.trouble[-1] and not row.trouble[0])

    def test_the_share_that_is_seen_only_grows_from_nothing_to_all(self):
        row = self.rows()["what is revealed seen"]
        self.assertEqual((row.values[0], row.values[-1]), (0.0, 1.0))
        self.assertTrue((np.diff(row.values) >= -1e-9).all())

    def test_the_guide_shrinks_as_the_strip_comes_out_but_only_then(self):
        row = self.rows()["strip guided"]
        self.assertTrue((np.diff(row.values) <= 1e-9).all())
        self.assertLess(row.values[-1], row.values[0])

    def test_a_gap_row_holds_what_the_finding_says(self):
        sound = broken_slider().mechanisms[0].parameters
        examination, findings = judge(broken_slider(rail_gap=sound["strip_height"] + 0.4), CATALOG, steps=25)
        finding = next(f for f in findings if f.rule == "clearance")
        row = next(r for r in ribbon_rows(examination, "m1") if set(r.parts) == set(finding.parts))
        self.assertAlmostEqual(row.least, finding.measured, places=6)
        self.assertTrue(row.trouble.all())


class EventTest(unittest.TestCase):
    def test_events_come_in_the_order_of_the_travel(self):
        events = ribbon_events(examine(slider(), CATALOG, steps=91), "m1")
        self.assertEqual([e.kind for e in events], ["stop-rest", "rest", "hidden-ends", "revealed", "end", "stop-end"])
        self.assertEqual([e.travel for e in events], sorted(e.travel for e in events))

    def test_what_is_never_all_shown_has_no_such_event(self):
        kinds = [e.kind for e in ribbon_events(examine(broken_slider(travel=15.0), CATALOG, steps=31), "m1")]
        self.assertNotIn("revealed", kinds)
        self.assertIn("hidden-ends", kinds)

    def test_an_empty_card_has_nothing_to_tell(self):
        examination, findings = judge(Design(), CATALOG)
        self.assertEqual((ribbon_events(examination, "m1"), findings), ((), ()))


class EveryRowTest(unittest.TestCase):
    def test_a_row_of_a_fold_lies_within_the_opening_that_its_need_asks_about(self):
        built = build_assembly(card_with("hinge-plate", Card(size="na.a7")), CATALOG)
        folding = built.foldings[0]
        plate = next(p.id for p in folding.panels if not p.base)
        need = KeepsOff("k", "m1", plate, "card.front", 0.5, 30.0, 120.0, "the plate over the page")
        asked = replace(built, foldings=(replace(folding, needs=(need,)),))
        examination = Examination(asked, CATALOG, Ways(), steps=31)
        row = next(r for r in fold_rows(examination, "m1") if r.label == need.what)
        self.assertEqual((row.travel.min(), row.travel.max(), row.kind, row.needed), (30.0, 120.0, "gap", 0.5))
        self.assertEqual(row.values.shape, row.travel.shape)
        self.assertEqual(set(row.parts), {plate, "card.front"})

    def test_the_free_circle_of_an_iris_is_no_larger_than_its_opening_and_grows(self):
        examination = examine(card_with("iris", Card(size="na.a7")), CATALOG, steps=25)
        row = next(r for r in ribbon_rows(examination, "m1") if r.kind == "circle")
        opening = card_with("iris", Card(size="na.a7")).mechanisms[0].parameters["opening_diameter"]
        self.assertLess(row.values[0], 1.0)
        self.assertAlmostEqual(row.values[-1], opening, delta=0.3)
        self.assertTrue((np.diff(row.values) > -0.5).all())
        for k in (6, 12, 18, 24):
            need = next(n for n in examination.assembly.needs if getattr(n, "opens", False))
            self.assertAlmostEqual(row.values[k], free_opening(examination, need, float(row.travel[k]))[1], delta=0.5)

    def test_parts_too_far_apart_to_be_compared_have_no_greatest(self):
        row = RibbonRow("a", "joint", ("a", "b"), np.arange(3.0), np.array([0.1, np.inf, -0.4]), 0.0, "mm", "clearance")
        self.assertEqual(row.greatest, 0.4)
        self.assertEqual(replace(row, values=np.full(3, np.inf)).greatest, np.inf)
        push = RibbonRow("p", "push", ("a",), np.arange(3.0), np.array([10.0, 50.0, 20.0]), 45.0, "deg", "push")
        self.assertEqual((push.least, push.trouble.tolist()), (50.0, [False, True, False]))


class ExaminerTest(unittest.TestCase):
    def test_it_answers_coarse_fine_and_cured(self):
        told: list[Judgement] = []
        examine_design(broken_slider(travel=60.0), CATALOG, 7, tell=told.append, is_current=lambda: True)
        self.assertEqual([(j.revision, j.stage) for j in told], [(7, "coarse"), (7, "fine"), (7, "cured")])
        self.assertTrue(told[-1].findings[0].remedies and not told[0].findings[0].remedies)
        self.assertEqual(len(told[0].rows["m1"][0].travel), 25)

    def test_a_newer_request_ends_the_work_after_the_coarse_answer(self):
        told: list[Judgement] = []
        examine_design(broken_slider(travel=60.0), CATALOG, 7, tell=told.append, is_current=lambda: False)
        self.assertEqual([j.stage for j in told], ["coarse"])

    def test_whatever_goes_wrong_inside_is_told(self):
        told: list[Judgement] = []
        with mock.patch("lexipod.aside.examiner.run_checks", side_effect=KeyError("nothing there")):
            examine_design(slider(), CATALOG, 5, tell=told.append, is_current=lambda: True)
        self.assertEqual([(j.revision, j.stage, j.findings) for j in told], [(5, "cured", ())])
        self.assertIn("KeyError", told[0].fault)

    def test_a_design_that_cannot_be_built_is_told_and_not_raised(self):
        told: list[Judgement] = []
        bad = slider().with_parameters("m1", {"travel": -5.0})
        examine_design(bad, CATALOG, 1, tell=told.append, is_current=lambda: True)
        self.assertIn("out of range", told[0].fault)

    def test_over_a_real_pipe_the_answers_are_those_of_the_same_code(self):
        import subprocess
        import sys

        with subprocess.Popen([sys.executable, *EXAMINER], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
            process.stdin.write(pack((3, broken_slider(travel=60.0))))
            process.stdin.flush()
            buffer, found = bytearray(), []
            while not found or found[-1].stage != "cured":
                buffer += process.stdout.read1()
                found += unpack(buffer)
            process.stdin.close()
            self.assertEqual(process.wait(10), 0)
        _, wanted = judge(broken_slider(travel=60.0), CATALOG)
        self.assertEqual(
            [(f.key, f.measured, [r.set for r in f.remedies]) for f in found[-1].findings],
            [(f.key, f.measured, [r.set for r in f.remedies]) for f in wanted],
        )

    def test_an_answer_is_not_remembered_past_a_change_of_the_makers_own_tables(self):
        import os
        import subprocess
        import sys
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as home:
            tables = Path(home) / "lexipod" / "catalog"
            environment = {**os.environ, "XDG_CONFIG_HOME": home, "XDG_DATA_HOME": home}
            with subprocess.Popen([sys.executable, *EXAMINER], stdin=subprocess.PIPE, stdout=subprocess.PIPE, env=environment) as process:
                told = []
                for thickness in ("0.3 mm", "3 mm"):
                    tables.mkdir(parents=True, exist_ok=True)
                    (tables / "own.toml").write_text(f'[stocks]\ncard-300 = {{ name = "Mine", grammage = 302, caliper = "{thickness}" }}\n')
                    process.stdin.write(pack((len(told), slider())))
                    process.stdin.flush()
                    buffer, found = bytearray(), []
                    while not found or found[-1].stage != "cured":
                        buffer += process.stdout.read1()
                        found += unpack(buffer)
                    told.append({f.key for f in found[-1].findings})
                process.stdin.close()
                self.assertEqual(process.wait(10), 0)
        self.assertNotEqual(told[0], told[1])

    def test_it_ends_with_its_input(self):
        target = io.BytesIO()
        serve(io.BytesIO(), target)
        self.assertEqual(target.getvalue(), b"")


class WorstTest(unittest.TestCase):
    def test_the_worst_value_is_the_least_or_where_little_is_wanted_the_greatest(self):
        way, values = np.linspace(0, 1, 4), np.array([3.0, 1.0, 2.0, 5.0])
        for kind, worst in (("gap", 1.0), ("guide", 1.0), ("cover", 1.0), ("play", 5.0), ("push", 5.0)):
            self.assertEqual(RibbonRow("r", kind, (), way, values, 2.0, "mm", "x").least, worst, kind)

    def test_what_a_guide_needs_is_the_drawer_rule_with_its_margin(self):
        for recipe in ("strip-slider", "louvre", "pocket-pull"):
            design = card_with(recipe)
            examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=9)
            need = next(n for n in examination.assembly.needs if isinstance(n, Guided))
            row = next(r for r in ribbon_rows(examination, "m1") if r.kind == "guide")
            self.assertAlmostEqual(row.needed, 1.5 * 2 * guide_friction(examination, need) * need.offset_mm, places=9)
            np.testing.assert_allclose(row.values, guided_lengths(examination, need)[0])

    def test_flat_states_say_which_goes_into_the_envelope_and_which_is_inside(self):
        said = {}
        for recipe in ("flip-panels", "popout-box", "twist-popup", "two-message", "wiper"):
            design = card_with(recipe)
            examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=9)
            folding = examination.assembly.foldings[0]
            words = {e.travel: e.by for e in fold_events(examination, "m1") if e.kind == "flat"}
            for state in folding.states:
                wanted = "goes into the envelope like this" if state.posted else "inside the closed card" if state.closed else ""
                self.assertEqual(words[state.at], wanted, (recipe, state.name))
                said[wanted] = True
        self.assertIn("goes into the envelope like this", said)
        self.assertIn("", said)

    def test_gaps_that_cannot_be_measured_are_far_and_never_near(self):
        np.testing.assert_array_equal(_near(np.array([np.inf, -5.0, 3.0, -np.inf])), [1e3, -5.0, 3.0, -1e3])
