"""Long work in a process of its own: it answers, it says why it cannot, it is given up, and it never answers twice."""

import subprocess
import sys
import time
import unittest
from unittest import mock

import shiboken6
from PySide6.QtCore import QEvent, QEventLoop, QObject, QProcess, QTimer
from PySide6.QtWidgets import QApplication

from lexipod.app.frame.start import make_application
from lexipod.app.jobs.helpers import MOST_CHORES, MOST_IDLE, Helpers
from lexipod.app.jobs.job import Job
from lexipod.app.state.session import Session
from lexipod.aside.chores import CHORES, find_places, plan_foam
from lexipod.aside.examiner import Remembered, examine_design
from lexipod.aside.judgement import CHORE, Judgement
from lexipod.aside.wire import pack, unpack
from lexipod.building import build_assembly
from lexipod.design import Card, Ways
from tests.zoo import CATALOG, broken_slider, card_with, slider


def call(*request):
    """One chore as the window calls it."""
    told = subprocess.run([sys.executable, *CHORE], input=pack(request), capture_output=True, check=True, timeout=120)
    return unpack(bytearray(told.stdout))[-1]


class ChoreTest(unittest.TestCase):
    def test_an_answer_comes_back_whole(self):
        is_well, told = call("compare", (card_with("spinner"), card_with("spinner")))
        self.assertTrue(is_well)
        self.assertEqual((told.decisions, told.gone, told.new), ((), (), ()))

    def test_what_cannot_be_done_is_one_sentence(self):
        is_well, told = call("fit", (card_with("spinner"), "m9", ()))
        self.assertFalse(is_well)
        self.assertIn("m9", told)
        self.assertEqual(len(told.splitlines()), 1)

    def test_every_chore_has_a_name_that_the_window_uses(self):
        named = {"yield", "fit", "reach", "convert", "propose", "compare", "places", "foam", "seen", "punch", "picture", "export"}
        self.assertEqual(set(CHORES), named | {"sheets", "send", "lap", "kit", "booklet"})

    def test_places_of_a_part_that_is_gone_are_none(self):
        self.assertEqual(find_places(card_with("spinner"), "m1.nothing", "front", "glue"), {})

    def test_places_tell_zone_overhangs_and_catch_points(self):
        told = find_places(card_with("strip-slider"), "m1.picture", "front", "flat")
        self.assertEqual((told["zone"].part, told["zone"].face), ("m1.picture", "front"))
        self.assertEqual(set(told["overhangs"]), {"left", "right", "bottom", "top"})
        self.assertEqual(find_places(card_with("strip-slider"), "card.front", "front", "glue")["overhangs"], {})

    def test_glide_pads_are_planned_under_pictures_that_move_and_stand_out_far(self):
        design = card_with("strip-slider", Card(size="iso.a5"), pad_shims=1)
        picture = build_assembly(design, CATALOG)
        moving = {p.id for p in picture.parts if p.role == "decoration" and p.id in picture.moving}
        glides = [i for i in plan_foam(design) if i.kind == "glide"]
        self.assertTrue(glides)
        self.assertLessEqual({i.on for i in glides}, moving)

    def test_how_much_is_done_is_told_on_the_way(self):
        request = pack(("yield", (card_with("spinner"), 60, 1)))
        told = subprocess.run([sys.executable, *CHORE], input=request, capture_output=True, check=True, timeout=120)
        *shares, (is_well, _) = unpack(bytearray(told.stdout))
        self.assertTrue(is_well)
        self.assertEqual({kind for kind, _ in shares}, {None})
        self.assertEqual([share for _, share in shares], sorted(share for _, share in shares))
        self.assertGreater(shares[-1][1], 0.5)

    def test_foam_is_planned_with_what_is_planned_already(self):
        planned = plan_foam(card_with("strip-slider", Card(size="iso.a5")))
        self.assertEqual(len({i.id for i in planned}), len(planned))
        self.assertEqual({i.kind for i in planned} - {"pad", "glide"}, set())


class JobTest(unittest.TestCase):
    def setUp(self):
        self.app = make_application()
        self.parent = QObject()
        self.answers, self.faults = [], []
        self.session = Session(CATALOG, card_with("spinner"))
        self.job = Job(self.parent, self.session, done=self.answers.append, failed=self.faults.append)
        self.addClassCleanup(Helpers.of_program().close)
        self.addCleanup(self.job.stop)

    def until(self, condition, seconds=60.0):
        end = time.monotonic() + seconds
        while not condition() and time.monotonic() < end:
            loop = QEventLoop()
            QTimer.singleShot(10, loop.quit)
            loop.exec()
        self.assertTrue(condition())

    def test_it_answers_once(self):
        self.job.start("compare", card_with("spinner"), card_with("spinner"))
        self.assertTrue(self.job.is_running)
        self.until(lambda: not self.job.is_running)
        self.assertEqual((len(self.answers), self.faults), (1, []))

    def test_a_new_one_ends_the_one_before(self):
        self.job.start("propose", Card(), Ways(units="mm"), 28.0, 20.0)
        self.job.start("compare", card_with("spinner"), card_with("spinner"))
        self.until(lambda: not self.job.is_running)
        self.assertEqual(len(self.answers), 1)
        self.assertTrue(hasattr(self.answers[0], "decisions"))

    def test_given_up_nobody_is_told(self):
        self.job.start("propose", Card(), Ways(units="mm"), 28.0, 20.0)
        self.job.stop()
        self.assertFalse(self.job.is_running)
        self.until(lambda: True)
        self.assertEqual((self.answers, self.faults), ([], []))

    def test_why_it_cannot_be_done_is_told(self):
        self.job.start("fit", card_with("spinner"), "m9", ())
        self.until(lambda: not self.job.is_running)
        self.assertEqual(self.answers, [])
        self.assertIn("m9", self.faults[0])

    def test_the_process_that_has_answered_does_the_next_chore(self):
        Helpers.of_program().close()
        used = []
        for _ in range(2):
            self.job.start("compare", card_with("spinner"), card_with("spinner"))
            used.append(self.job._helper.process.processId())
            self.until(lambda: not self.job.is_running)
        self.assertEqual((used[0], len(self.answers), self.faults), (used[1], 2, []))

    def test_one_that_failed_may_still_do_the_next_and_one_that_is_given_up_may_not(self):
        self.job.start("fit", card_with("spinner"), "m9", ())
        failed = self.job._helper
        self.until(lambda: not self.job.is_running)
        self.job.start("propose", Card(), Ways(units="mm"), 28.0, 20.0)
        self.assertIs(self.job._helper, failed)
        process = failed.process.processId()
        self.job.stop()
        self.assertNotIn(process, [h.process.processId() for h in Helpers.of_program().idle])
        self.assertTrue(Helpers.of_program().idle, "another one is on its way up")

    def test_one_that_died_while_it_waited_is_not_taken(self):
        Helpers.of_program().warm()
        for helper in Helpers.of_program().idle:
            helper.process.kill()
            helper.process.waitForFinished(3000)
        self.job.start("compare", card_with("spinner"), card_with("spinner"))
        self.until(lambda: not self.job.is_running)
        self.assertEqual((len(self.answers), self.faults), (1, []))

    def test_no_more_wait_than_are_wanted_and_none_works_for_ever(self):
        helpers = Helpers(self.parent)
        taken = [helpers.take() for _ in range(MOST_IDLE + 1)]
        taken[0].chores = MOST_CHORES
        for helper in taken:
            helpers.give_back(helper)
        self.assertEqual(helpers.idle, tuple(taken[1:]))
        helpers.close()
        self.assertEqual(helpers.idle, ())

    def test_a_job_that_is_gone_leaves_no_work_behind(self):
        parent = QObject()
        job = Job(parent, self.session, done=self.answers.append, failed=self.faults.append)
        job.start("propose", Card(), Ways(units="mm"), 28.0, 20.0)
        process = job._helper.process
        self.until(lambda: process.processId() > 0)
        parent.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.assertFalse(shiboken6.isValid(process) and process.state() != QProcess.ProcessState.NotRunning)

    def test_a_process_that_ends_early_is_told(self):
        self.job.start("propose", Card(), Ways(units="mm"), 28.0, 20.0)
        self.until(lambda: self.job._helper.process.processId() > 0)
        self.job._helper.process.kill()
        self.until(lambda: not self.job.is_running)
        self.assertIn("ended early", self.faults[0])


if __name__ == "__main__":
    unittest.main()


class RememberedTest(unittest.TestCase):
    def answers_to(self, design, known=(), current=True):
        told = []
        examine_design(design, CATALOG, 7, tell=told.append, is_current=lambda: current, known=known)
        return told

    def test_a_design_that_comes_back_has_the_same_answers_without_being_worked_out_again(self):
        memory, design = Remembered(most=2), broken_slider(travel=60.0)
        first = self.answers_to(design)
        self.assertEqual([j.stage for j in first], ["coarse", "fine", "cured"])
        memory.keep(design, first)
        with mock.patch("lexipod.aside.examiner.build_assembly", side_effect=AssertionError("worked out again")):
            again = self.answers_to(broken_slider(travel=60.0), memory.find(broken_slider(travel=60.0)))
        self.assertEqual([j.findings for j in again], [j.findings for j in first])
        self.assertEqual({j.revision for j in again}, {7})

    def test_what_was_cut_short_is_gone_on_with_and_faults_are_not_kept(self):
        memory, design = Remembered(most=2), broken_slider(travel=60.0)
        short = self.answers_to(design, current=False)
        self.assertEqual([j.stage for j in short], ["coarse"])
        memory.keep(design, short)
        rest = self.answers_to(design, memory.find(design))
        self.assertEqual([j.stage for j in rest], ["coarse", "fine", "cured"])
        self.assertEqual(rest[2].findings, self.answers_to(design)[2].findings)
        memory.keep(slider(), [Judgement(1, "cured", (), {}, {}, "no such thing")])
        self.assertEqual(memory.find(slider()), ())

    def test_only_the_last_ones_are_kept(self):
        memory = Remembered(most=2)
        designs = [slider(travel=t) for t in (30.0, 31.0, 32.0)]
        for design in designs:
            memory.keep(design, [Judgement(1, "coarse", (), {}, {})])
        self.assertEqual([bool(memory.find(d)) for d in designs], [False, True, True])
