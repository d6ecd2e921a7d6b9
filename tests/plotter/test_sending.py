"""Sending to the simulated plotter, with all that goes wrong on the way: nothing is lost, nothing is cut twice."""

import itertools
import json
import math
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

from lexipod.catalog import Blade
from lexipod.plotting import Run, Sender, SendError, make_program
from lexipod.plotting.sender import rest_of
from lexipod_plotter import Fault, Machine, Words
from lexipod_plotter.serve import Server


def program(count=8):
    """Squares of different sizes, each with a long way, so that faults come in the middle of a run."""
    runs = [
        Run("cut", np.array([(0, 0), (60, 0), (60, 20 + k), (0, 20 + k)], dtype=float) + [5 + 70 * (k % 3), 5 + 45 * (k // 3)], True)
        for k in range(count)
    ]
    return make_program(runs, None, Blade("b", "b", 0.25, 0.5))


class SendingTest(unittest.TestCase):
    def serve(self, *faults, hurry=math.inf, buffer_bytes=1024):
        machine = Machine(faults=list(faults))
        server = Server(machine, hurry=hurry, buffer_bytes=buffer_bytes).start()
        self.addCleanup(server.close)
        return server

    def send_through(self, server, sent, unsure=""):
        """Sends, sets the machine right whenever it stops, and goes on: what was said on the way."""
        start, said = None, []
        while True:
            self.assertLess(len(said), 8, said)
            try:
                Sender(sent, "127.0.0.1", server.port, patience_s=1.0).send(start, unsure=unsure if said and said[-1][0] == "unsure" else "")
                break
            except SendError as error:
                said.append((error.kind, error.done, str(error)))
                start = error.done
                server.clear()
        return said

    def drawn(self, server):
        end = time.monotonic() + 5
        while not server.is_idle and time.monotonic() < end:
            time.sleep(0.01)
        return server.machine.report.down_mm

    def test_without_faults_each_run_is_confirmed(self):
        server, sent, told = self.serve(), program(), []
        Sender(sent, "127.0.0.1", server.port, tell=told.append).send()
        self.assertEqual(told, list(range(1, len(sent.steps) + 1)))
        self.assertAlmostEqual(self.drawn(server), sent.down_mm, places=3)

    def test_after_a_jam_a_pulled_cable_or_time_offline_everything_is_cut_once(self):
        for kind in ("jam", "vanish", "offline"):
            for after in (0.0, 333.0):
                with self.subTest(kind=kind, after=after):
                    server, sent = self.serve(Fault(kind, after)), program()
                    said = self.send_through(server, sent)
                    self.assertEqual(len(said), 1)
                    self.assertEqual(said[0][0], {"jam": "held", "vanish": "gone", "offline": "silent"}[kind])
                    self.assertIn("go on", said[0][2])
                    self.assertAlmostEqual(self.drawn(server), sent.down_mm, delta=0.2)

    def test_going_on_many_times_never_waits_for_an_answer_that_came_already(self):
        for after in range(60, 1260, 400):
            server, sent = self.serve(Fault("jam", float(after)), hurry=4000.0), program(6)
            said = self.send_through(server, sent)
            self.assertLessEqual([s[0] for s in said], ["held"])
            self.assertAlmostEqual(self.drawn(server), sent.down_mm, delta=0.2)

    def test_no_word_is_left_in_half_whatever_breaks_off(self):
        # Curves have many points: the next run is half sent when the one before it jams.
        angles = np.linspace(0, 2 * np.pi, 160, endpoint=False)
        rings = [np.column_stack([np.cos(angles), np.sin(angles)]) * (20 + k) + [40 + 75 * (k % 3), 40 + 75 * (k // 3)] for k in range(4)]
        sent = make_program([Run("cut", r, True) for r in rings], None, Blade("b", "b", 0.25, 0.5))
        longest = max(float(np.linalg.norm(np.diff(s.way, axis=0), axis=1).sum()) for s in sent.steps)
        for kind, after in itertools.product(("jam", "vanish"), (130.0, 262.0)):
            with self.subTest(kind=kind, after=after):
                server = self.serve(Fault(kind, after), buffer_bytes=400)
                said = self.send_through(server, sent, unsure="again")
                # Where the stop lies on the run twice, in its overcut, the maker is asked; else nothing is cut twice.
                more = self.drawn(server) - sent.down_mm
                self.assertTrue(-0.3 <= more <= (longest if "unsure" in [s[0] for s in said] else 0.3), (said, more))

    def test_a_full_buffer_and_a_slow_machine_are_waited_for(self):
        server, sent = self.serve(Fault("full", 50.0), buffer_bytes=96), program()
        Sender(sent, "127.0.0.1", server.port, patience_s=1.0).send()
        self.assertAlmostEqual(self.drawn(server), sent.down_mm, places=3)
        slow, small = self.serve(Fault("slow", 10.0), hurry=150.0), program(3)
        Sender(small, "127.0.0.1", slow.port, patience_s=0.6).send()
        self.assertAlmostEqual(self.drawn(slow), small.down_mm, places=3)

    def test_a_line_that_is_cut_twice_is_never_cut_only_once(self):
        runs = [Run("cut", np.array([(0, 0), (60, 0), (60, 30), (0, 30)], dtype=float) + [5 + 70 * k, 5], True) for k in range(3)]
        sent = make_program(runs, None, Blade("b", "b", 0.25, 0.5, passes=2))
        once = float(np.linalg.norm(np.diff(sent.steps[0].way, axis=0), axis=1).sum())
        for kind, after in itertools.product(("jam", "vanish"), (0.3 * once, 0.9 * once, 1.5 * once, 2.4 * once)):
            with self.subTest(kind=kind, after=after):
                server = self.serve(Fault(kind, after))
                said = self.send_through(server, sent, unsure="again")
                more = self.drawn(server) - sent.down_mm
                self.assertTrue(-0.3 <= more <= (once + 0.3 if "unsure" in [s[0] for s in said] else 0.3), (said, more))

    def test_after_everything_is_cut_going_on_cuts_nothing(self):
        server, sent = self.serve(), program(3)
        Sender(sent, "127.0.0.1", server.port).send()
        before = self.drawn(server)
        self.assertEqual(Sender(sent, "127.0.0.1", server.port).send(len(sent.steps)), len(sent.steps))
        self.assertEqual(self.drawn(server), before)
        self.assertEqual(server.machine.report.sheets, 1)

    def test_when_its_power_went_it_asks_and_does_as_told(self):
        for unsure, low, high in (("again", 0.0, 200.0), ("skip", -200.0, 0.0)):
            server, sent = self.serve(Fault("power", 333.0)), program()
            said = self.send_through(server, sent, unsure=unsure)
            self.assertEqual([s[0] for s in said], ["gone", "unsure"])
            self.assertIn("cut it again, or leave it out", said[1][2])
            more = self.drawn(server) - sent.down_mm
            self.assertTrue(low <= more <= high, (unsure, more))

    def test_a_jam_is_noticed_while_the_buffer_is_full(self):
        for kind in ("jam", "vanish"):
            server, sent = self.serve(Fault(kind, 300.0), buffer_bytes=128), program()
            said = self.send_through(server, sent)
            self.assertEqual([s[0] for s in said], [{"jam": "held", "vanish": "gone"}[kind]])
            self.assertAlmostEqual(self.drawn(server), sent.down_mm, delta=0.2)

    def test_without_a_plotter_it_says_so_at_once(self):
        server = self.serve()
        port = server.port
        server.close()
        with self.assertRaises(SendError) as caught:
            Sender(program(2), "127.0.0.1", port).send()
        self.assertEqual((caught.exception.kind, caught.exception.done), ("absent", 0))
        self.assertIn("switch it on", str(caught.exception))

    def test_it_can_be_paused_and_goes_on(self):
        server, sent, confirmed = self.serve(), program(), []
        with self.assertRaises(SendError) as caught:
            Sender(sent, "127.0.0.1", server.port, tell=confirmed.append, should_stop=lambda: len(confirmed) >= 3).send()
        self.assertEqual(caught.exception.kind, "stopped")
        Sender(sent, "127.0.0.1", server.port).send(caught.exception.done)
        self.assertAlmostEqual(self.drawn(server), sent.down_mm, delta=0.2)

    def test_what_is_left_of_a_run_begins_where_the_tool_stands(self):
        step = program(1).steps[0]
        left = rest_of(step, (20.0, 5.0))
        before = float(np.linalg.norm(np.diff(step.way, axis=0), axis=1).sum())
        self.assertAlmostEqual(float(np.linalg.norm(np.diff(left.way, axis=0), axis=1).sum()), before - (20.0 - step.start[0]), delta=0.05)
        self.assertIsNone(rest_of(step, (200.0, 200.0)))


class WordsTest(unittest.TestCase):
    def test_words_come_whole_however_the_stream_is_cut(self):
        text = "IN;SP1;PU10,20;PD30,40,50,60;PA;XX7;PD1;"
        for size in (1, 2, 3, 7, 100):
            words = Words()
            found = [w for k in range(0, len(text), size) for w in words.feed(text[k : k + size])]
            self.assertEqual([w.name for w in found], ["IN", "SP", "PU", "PD", "PA", "XX", "PD"])
            self.assertEqual(found[3].numbers, (30.0, 40.0, 50.0, 60.0))

    def test_unknown_words_and_moves_out_of_the_area_are_reported(self):
        with tempfile.TemporaryDirectory() as folder:
            source, report, picture = Path(folder, "a.plt"), Path(folder, "r.json"), Path(folder, "a.svg")
            source.write_text("IN;SP1;ZZ1,2;PU0,0;PD400,0,400,400;PU;PD99999,0;PU;", encoding="ascii")
            call = [sys.executable, "-m", "lexipod_plotter", str(source), "--area", "100x100mm", "--report", str(report), "--to", str(picture)]
            subprocess.run(call, check=True, capture_output=True)
            told = json.loads(report.read_text(encoding="utf-8"))
            self.assertEqual(told["unknown"], ["ZZ1,2"])
            self.assertTrue(told["outside"])
            self.assertAlmostEqual(told["down_mm"], 10 + 10 + math.dist((10, 10), (2499.975, 0)), places=2)
            self.assertIn("polyline", picture.read_text(encoding="utf-8"))

    def test_the_plotter_shares_no_code_with_the_program_that_sends(self):
        for path in (Path(__file__).parents[2] / "src" / "lexipod_plotter").rglob("*.py"):
            self.assertNotRegex(path.read_text(encoding="utf-8"), r"(from|import) lexipod\b")
