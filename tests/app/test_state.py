"""What is looked at, where measures stand, and work that is kept aside: without a window."""

import os
import random
import tempfile
import unittest
from pathlib import Path

from PySide6.QtCore import QPointF, QRectF

from lexipod.app.card.measures import lay_measure, measure_text, measured_handles
from lexipod.app.frame.start import make_application
from lexipod.app.frame.stations import STATIONS, find_station, station_of
from lexipod.app.state.recovery import Autosave, find_recovered
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import Overlay, ViewState
from lexipod.assembly import Handle
from lexipod.checks import RULES, Finding
from lexipod.units import UnitStyle
from tests.zoo import CATALOG, slider


def finding(rule="travel", **more):
    return Finding(rule, "block", "m1", ("m1.strip",), "title", "message", -1.0, 0.3, **more)


class ViewStateTest(unittest.TestCase):
    def setUp(self):
        make_application()
        self.view, self.told = ViewState(), []
        for name in ("station", "travel", "picked", "section", "hidden", "look", "overlay"):
            getattr(self.view, f"{name}_changed").connect(lambda *_, n=name: self.told.append(n))

    def test_what_does_not_change_is_not_told(self):
        self.view.go_to("card")
        self.view.look_at("")
        self.view.set_overlay(None)
        self.assertEqual(self.told, [])
        self.view.go_to("fit")
        self.view.set_travel("m1", 3.0)
        self.view.set_travel("m1", 3.0)
        self.assertEqual(self.told, ["station", "travel"])

    def test_what_one_page_opens_moves_together(self):
        self.view.linked = ("m1", "m2")
        self.view.set_travel("m2", 40.0)
        self.view.set_travel("m3", 5.0)
        self.assertEqual(self.view.travel, {"m1": 40.0, "m2": 40.0, "m3": 5.0})

    def test_a_finding_is_shown_where_and_when_it_happens(self):
        self.view.show_finding(finding(travel=12.0, where=(3.0, 4.0), also_at=(("m2", 7.0),)))
        self.assertEqual(self.view.travel, {"m1": 12.0, "m2": 7.0})
        self.assertEqual((self.view.picked_parts, self.view.picked_place), (("m1.strip",), (3.0, 4.0)))

    def test_the_cut_stays_on_the_card(self):
        for share, expected in ((0.3, 0.3), (-2.0, 0.0), (7.0, 1.0)):
            self.view.set_section("x", share)
            self.assertEqual((self.view.section_axis, self.view.section_share), ("x", expected))

    def test_a_zone_is_laid_over_once(self):
        zone = Overlay("card.front", (), ())
        self.view.set_overlay(zone)
        self.view.set_overlay(zone)
        self.view.set_overlay(None)
        self.assertEqual(self.told, ["overlay", "overlay"])


class StationTest(unittest.TestCase):
    def test_a_finding_goes_to_its_station(self):
        self.assertEqual([station_of(finding(r)) for r in ("travel", "envelope", "land", "catch")], ["travel", "card", "mechanism", "fit"])
        for rule in RULES:
            self.assertIn(station_of(finding(rule)), {s.id for s in STATIONS})

    def test_stations_are_found_by_their_name(self):
        self.assertEqual([find_station(s.id) for s in STATIONS], list(STATIONS))
        with self.assertRaises(StopIteration):
            find_station("nowhere")


class MeasureTest(unittest.TestCase):
    def setUp(self):
        make_application()
        self.bounds = QRectF(0, 0, 600, 500)

    def lay(self, start, end, taken, *, text="travel 39.8 mm", offset=0.0):
        return lay_measure(None, text, QPointF(*start), QPointF(*end), offset, taken, self.bounds)

    def test_the_text_stands_in_the_middle_of_its_line(self):
        measure = self.lay((100, 200), (300, 200), [])
        self.assertAlmostEqual(measure.box.center().x(), 200.0, places=6)
        self.assertAlmostEqual(measure.box.center().y(), 200.0, places=6)

    def test_the_line_lies_beside_what_it_measures(self):
        measure = self.lay((100, 200), (300, 200), [], offset=30.0)
        self.assertAlmostEqual(abs(measure.start.y() - 200.0), 30.0)
        self.assertAlmostEqual(measure.start.y(), measure.end.y())

    def test_texts_give_way_to_each_other(self):
        taken = []
        boxes = [self.lay((100, 200), (300, 200), taken).box for _ in range(5)]
        for k, one in enumerate(boxes):
            for two in boxes[k + 1 :]:
                self.assertFalse(one.intersects(two))

    def test_texts_stay_in_view(self):
        rng = random.Random(4)
        for _ in range(60):
            ends = [(rng.uniform(-200, 900), rng.uniform(-200, 800)) for _ in range(2)]
            self.assertTrue(self.bounds.contains(self.lay(*ends, []).box), ends)

    def test_a_line_without_length_still_has_its_text(self):
        self.assertGreater(self.lay((100, 100), (100, 100), []).box.width(), 20)

    def test_words_and_value_in_the_makers_unit(self):
        handle = Handle("m1", "travel", "travel", (0, 0), (1, 0), 1.0, ((0, 0), (1, 0)))
        self.assertEqual(measure_text(handle, 39.6875, UnitStyle("in", 16)), "travel 1 9/16 in")
        self.assertEqual(measure_text(handle, 30.0, UnitStyle("mm", 16)), "travel 30 mm")
        self.assertIn("30", measure_text(handle, 30.0, UnitStyle("mm", 16), kind="angle"))

    def test_a_place_is_measured_both_ways_from_the_edges(self):
        place = Handle("m1", "pivot", "pivot", (30.0, 40.0), (1.0, 0.0), 1.0, ((0, 0), (1, 0)), cross=(0.0, 1.0))
        mirrored = Handle("m1", "pivot", "pivot", (30.0, 40.0), (-1.0, 0.0), 1.0, ((0, 0), (1, 0)), cross=(0.0, 1.0))
        across, up = measured_handles((place,), 100.0, 140.0)
        self.assertEqual((across.parameter, across.span), ("pivot.x", ((0.0, 40.0), (30.0, 40.0))))
        self.assertEqual((up.parameter, up.span), ("pivot.y", ((30.0, 0.0), (30.0, 40.0))))
        self.assertEqual(measured_handles((mirrored,), 100.0, 140.0)[0].span[0], (100.0, 40.0))

    def test_the_place_of_a_whole_mechanism_is_no_measure(self):
        for name in ("shift", "item.d1.at"):
            handle = Handle("m1", name, name, (0, 0), (1, 0), 1.0, ((0, 0), (1, 0)), cross=(0.0, 1.0))
            self.assertEqual(measured_handles((handle,), 100.0, 140.0), [])


class AutosaveTest(unittest.TestCase):
    def setUp(self):
        make_application()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.session = Session(CATALOG, slider())
        self.autosave = Autosave(self.session, self.folder)

    def change(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 21.0}), text="travel")

    def test_unsaved_work_is_kept_and_saved_work_is_not(self):
        self.autosave.keep()
        self.assertEqual(list(self.folder.iterdir()), [])
        self.change()
        self.autosave.keep()
        self.assertEqual(list(self.folder.iterdir()), [self.autosave.file])
        self.session.save(self.folder / "mine.lexipod")
        self.autosave.keep()
        self.assertNotIn(self.autosave.file, list(self.folder.iterdir()))

    def test_work_of_a_run_that_goes_on_is_not_offered(self):
        self.change()
        self.autosave.keep()
        self.assertIsNone(find_recovered(self.folder))

    def test_work_of_a_run_that_is_gone_is_offered_whole(self):
        self.change()
        self.autosave.keep()
        gone = self.autosave.file.read_bytes().replace(str(os.getpid()).encode(), b"999999999")
        self.autosave.file.write_bytes(gone)
        found = find_recovered(self.folder)
        self.assertEqual(found.design, self.session.design)
        self.assertIsNone(found.path)

    def test_rubbish_is_passed_over(self):
        (self.folder / "1-a.json").write_text("{ not json")
        (self.folder / "note.txt").write_text("hello")
        self.assertIsNone(find_recovered(self.folder))


if __name__ == "__main__":
    unittest.main()
