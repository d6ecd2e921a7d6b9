"""What rises, in the window: opened and turned by hand and by keys, laid flat, broken and cured."""

import unittest

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from lexipod.demo import load_demo
from lexipod.drawing import STANDING
from lexipod.editing.change import add_mechanism
from lexipod.geometry.space import apply_frame
from tests.app.windowing import WindowTest
from tests.zoo import CATALOG, FOLDED, card_with


class FoldTest(WindowTest):
    @property
    def view(self):
        return self.window.fold_view

    @property
    def travel(self):
        return self.window.view.travel.get(self.window.desk.current, 0.0)

    def go(self, travel):
        self.window.view.set_travel(self.window.desk.current, travel)
        self.window.fold_view.repaint()

    def pixel_of(self, panel, point):
        """Where a point of a panel is seen."""
        frame = self.window.desk.scene(self.window.view.travel).frames[panel]
        seen = self.view.camera.project(apply_frame(frame, [[*point, 0.0]]))[0]
        return QPointF(self.view.origin.x() + seen[0] * self.view.scale, self.view.origin.y() - seen[1] * self.view.scale)


class TwistTest(FoldTest):
    design = load_demo("whale-rises")

    def test_dragging_a_page_opens_the_card_and_escape_takes_it_back(self):
        self.window.view.go_to("travel")
        self.go(60.0)
        start = self.pixel_of("card.front", (-110.0, 160.0))
        self.assertEqual(self.view.piece_at(start), "card.front")
        self.go(110.0)
        end = self.pixel_of("card.front", (-110.0, 160.0))
        self.go(60.0)
        self.drag(self.view, start, end)
        self.assertAlmostEqual(self.travel, 110.0, delta=1.5)
        self.view.repaint()
        self.mouse(self.view, QEvent.Type.MouseButtonPress, end)
        self.mouse(self.view, QEvent.Type.MouseMove, start)
        self.assertLess(self.travel, 75.0)
        QTest.keyClick(self.view, Qt.Key.Key_Escape)
        self.assertAlmostEqual(self.travel, 110.0, delta=1.5)
        self.assertFalse(self.session.history.can_undo)  # looking is no change

    def test_dragging_the_ground_turns_it_and_home_turns_it_back(self):
        self.window.view.go_to("travel")
        self.go(90.0)
        corner = QPointF(20, 20)
        self.assertEqual(self.view.piece_at(corner), "")
        self.drag(self.view, corner, corner + QPointF(80, 30))
        self.assertAlmostEqual(self.view.turn, STANDING[0] + 32.0, delta=0.1)
        self.assertAlmostEqual(self.view.tilt, STANDING[1] + 12.0, delta=0.1)
        QTest.keyClick(self.view, Qt.Key.Key_Left)
        self.assertAlmostEqual(self.view.turn, STANDING[0] + 26.0, delta=0.1)
        QTest.keyClick(self.view, Qt.Key.Key_Home)
        self.assertEqual((self.view.turn, self.view.tilt), STANDING)

    def test_keys_open_it_and_space_runs_it(self):
        self.window.view.go_to("travel")
        QTest.keyClick(self.view, Qt.Key.Key_PageUp)
        self.assertAlmostEqual(self.travel, 5.0)
        QTest.keyClick(self.view, Qt.Key.Key_PageDown)
        self.assertAlmostEqual(self.travel, 0.0)
        QTest.keyClick(self.view, Qt.Key.Key_Space)
        self.until(lambda: self.travel >= 180.0)
        QTest.keyClick(self.view, Qt.Key.Key_Space)
        self.until(lambda: self.travel <= 0.0)
        before = self.view.scale
        QTest.keyClick(self.view, Qt.Key.Key_Plus)
        self.assertGreater(self.view.scale, before)

    def test_it_is_laid_flat_and_its_sheets_are_shown(self):
        self.window.view.go_to("travel")
        bench = self.window.bench
        self.assertIs(bench.stack.currentWidget(), self.view)
        QTest.mouseClick(bench.look_buttons["flat:open"], Qt.MouseButton.LeftButton)
        self.assertIs(bench.stack.currentWidget(), self.window.card_view)
        self.assertEqual(self.travel, 180.0)
        self.assertTrue(bench.look_buttons["flat:open"].isChecked())
        flat = self.window.card_view.grab().toImage()
        QTest.mouseClick(bench.look_buttons["flat:shut"], Qt.MouseButton.LeftButton)
        self.assertNotEqual(self.window.card_view.grab().toImage(), flat)
        QTest.mouseClick(bench.look_buttons["sheets"], Qt.MouseButton.LeftButton)
        self.assertIs(bench.stack.currentWidget(), bench.sheet_view)
        self.assertGreater(_dark(bench.sheet_view.grab().toImage()), 200)
        QTest.mouseClick(bench.look_buttons["standing"], Qt.MouseButton.LeftButton)
        self.assertIs(bench.stack.currentWidget(), self.view)
        self.window.view.go_to("mechanism")
        self.assertIs(bench.stack.currentWidget(), self.window.card_view)  # each station shows what suits it

    def test_broken_on_purpose_it_is_found_shown_and_cured(self):
        self.window.view.go_to("fit")
        self.session.edit(self.session.design.with_parameters("m1", {"platform_distance": 38.0}), text="low platform")
        self.until(self.is_judged, 240)
        blocks = [f for f in self.window.desk.judgement.findings if f.severity == "block" and f.rule == "clearance"]
        self.assertTrue(blocks)
        self.window.view.show_finding(blocks[0])
        self.assertIn("m1.platform", self.window.view.picked_parts)
        self.assertAlmostEqual(self.travel, blocks[0].travel)
        self.view.repaint()
        self.assertIn("trouble", {getattr(i, "pen", "") for i in self.view.drawing.primitives})
        remedies = [r for f in blocks for r in f.remedies]
        self.assertTrue(remedies)
        self.window.doing.apply_remedy(remedies[0])
        self.until(self.is_judged, 240)
        key = next(f.key for f in blocks if f.remedies)
        self.assertNotIn(key, {f.key for f in self.window.desk.judgement.findings})
        self.window.doing.undo()
        self.assertEqual(self.parameter("platform_distance"), 38.0)

    def test_the_ribbon_tells_how_it_rises_and_where_it_lies_flat(self):
        self.window.view.go_to("travel")
        rows = {r.label: r for r in self.window.ribbon.rows}
        v = self.session.design.mechanisms[0].parameters
        most = v["platform_distance"] + v["platform_height"] / 2
        self.assertLess(rows["rises"].values.max(), most + 1)
        self.assertGreater(rows["rises"].values.max(), v["platform_distance"] * 0.8)
        self.assertEqual([e.label for e in self.window.ribbon.events if e.kind == "flat"], ["shut", "open"])
        self.assertIn("lies flat", self.window.travel_panel.event_rows.text())


class MixedTest(FoldTest):
    design = load_demo("comet-inside")

    def test_the_front_turns_with_what_it_carries(self):
        self.window.desk.use("m2")
        self.window.view.go_to("travel")
        self.go(120.0)
        subjects = {i.subject for i in self.view.drawing.primitives}
        self.assertIn("card.frame", subjects)
        self.window.desk.use("m1")
        self.assertIs(self.window.bench.stack.currentWidget(), self.window.card_view)  # the iris stays flat
        self.assertFalse(self.window.bench.bar.isVisible())

    def test_the_form_of_the_other_mechanism_is_whole(self):
        self.window.desk.use("m2")
        self.window.view.go_to("mechanism")
        self.until(lambda: self.window.mechanism_panel._fields and all(f.height() >= 20 for f in _shown(self.window.mechanism_panel)))


class LinkedTest(FoldTest):
    design = add_mechanism(card_with("hinge-plate", plate_height="30mm", from_bottom="8mm"), "thread-spinner", CATALOG)

    def test_one_page_opens_both(self):
        self.window.view.set_travel("m1", 77.0)
        self.assertEqual(self.window.view.travel["m2"], 77.0)

    def test_each_mechanism_lies_at_its_own_heights(self):
        heights = self.window.desk.heights
        self.assertEqual(set(heights), {"m1", "m2"})
        self.assertGreater(heights["m1"]["card.front"][0], heights["m2"]["card.front"][0])  # the plate is thicker than a spinner aside
        self.window.view.go_to("fit")
        self.window.grab()


class EveryTest(FoldTest):
    def test_every_mechanism_is_put_on_a_card_opened_and_shut(self):
        for recipe in FOLDED:
            self.session.edit(card_with(recipe, units="in"), text=recipe)
            self.window.view.go_to("travel")
            drive = self.window.desk.drive
            for share in (0.0, 0.5, 1.0):
                self.go(drive.rest + share * (drive.end - drive.rest))
                self.assertGreaterEqual(len(self.view.drawing.primitives), 3, recipe)
            for station in ("card", "mechanism", "fit", "sheets"):
                self.window.view.go_to(station)
                self.window.grab()

    def test_every_mechanism_is_opened_and_shut_by_dragging_its_own_paper(self):
        for recipe, panel, start, end, short in DRAGS:
            with self.subTest(f"{recipe} by {panel}"):
                self.session.edit(card_with(recipe, units="in"), text=recipe)
                self.window.view.travel.clear()
                self.window.view.go_to("travel")
                self.go(start)
                for now, wanted in ((start, end), (end, start)):
                    self.pull(panel, wanted)
                    self.assertAlmostEqual(self.travel, wanted, delta=short, msg=f"from {now}")
                    self.go(wanted)

    def pull(self, panel, wanted):
        """Takes the point of a panel that goes furthest and leads it along its way to another travel."""
        now, shape = self.travel, self.window.desk.assembly.panels[panel].outline
        points = np.random.default_rng(1).uniform(shape.min(axis=0), shape.max(axis=0), (80, 2))
        seen = [point for point in points if self.view.piece_at(self.pixel_at(panel, point, now)) == panel]
        self.assertTrue(seen, "in sight")
        held = max(seen, key=lambda point: _length(self.pixel_at(panel, point, wanted) - self.pixel_at(panel, point, now)))
        self.mouse(self.view, QEvent.Type.MouseButtonPress, self.pixel_at(panel, held, now))
        for k in range(1, 31):
            self.mouse(self.view, QEvent.Type.MouseMove, self.pixel_at(panel, held, now + (wanted - now) * k / 30))
        self.mouse(self.view, QEvent.Type.MouseButtonRelease, self.pixel_at(panel, held, wanted), held=False)

    def pixel_at(self, panel, point, travel):
        """Where a point of a panel is seen at a travel."""
        frame = self.window.desk.fold_tracks["m1"].frames_at(travel)[panel]
        seen = self.view.camera.project(apply_frame(frame, [[*point, 0.0]]))[0]
        return QPointF(self.view.origin.x() + seen[0] * self.view.scale, self.view.origin.y() - seen[1] * self.view.scale)

    def test_folds_that_do_not_close_are_told(self):
        self.session.edit(card_with("flip-panels", drive="link").with_parameters("m1", {"link": 12.0}), text="short link")
        self.window.view.go_to("travel")
        self.window.grab()
        self.until(self.is_judged, 120)
        self.assertIn("travel", {f.rule for f in self.window.desk.judgement.findings})


class ClosureTest(FoldTest):
    design = card_with("hinge-plate")

    def test_a_closure_is_chosen_measured_and_taken_off(self):
        self.window.view.go_to("card")
        panel = self.window.panels["card"]
        box = panel.boxes["closure"]
        box.setCurrentIndex(box.findData("band"))
        box.activated.emit(box.currentIndex())
        self.assertEqual(self.session.design.closing.kind, "band")
        self.assertIn("wrap band", panel.closure_facts.text())
        field = panel.closure_fields["width"]
        field.setText("12")
        field.editingFinished.emit()
        self.assertAlmostEqual(self.session.design.closing.width, 12.0)
        field.setText("-4 mm")
        field.editingFinished.emit()
        self.assertAlmostEqual(self.session.design.closing.width, 12.0)
        self.window.grab()
        self.window.doing.undo()
        self.window.doing.undo()
        self.assertEqual(self.session.design.closing.kind, "none")


DRAGS = (
    ("wiper", "m1.leaf", 60.0, 120.0, 2.0),
    ("waterfall", "m1.tail", 90.0, 630.0, 15.0),  # near a flat state the tail hardly moves: 15 degrees are a third of a millimetre
    ("flip-panels", "m1.frame", 60.0, 120.0, 2.0),
    ("twist-popup", "m1.inner-front", 100.0, 150.0, 2.0),
    ("spin-popup", "m1.inner-front", 100.0, 150.0, 2.0),
    ("popout-box", "m1.panel-3", 30.0, 60.0, 2.0),
    ("thread-spinner", "card.front", 60.0, 120.0, 2.0),
    ("hinge-plate", "card.front", 60.0, 120.0, 2.0),
    ("counter-fold", "m1.quarter-2", 20.0, 170.0, 2.0),
    ("counter-fold", "m1.piece-front", 190.0, 350.0, 2.0),  # each stage by the paper that moves in it
    ("two-message", "m1.middle-1", 100.0, 150.0, 2.0),
)
"""What is taken hold of, from which opening to which, and how short of it the hand may stop (degrees)."""


def _length(point: QPointF) -> float:
    return float(np.hypot(point.x(), point.y()))


def _shown(panel):
    return [f for f in panel._fields.values() if hasattr(f, "height") and f.isVisible()]


def _dark(image: QImage) -> int:
    """How many pixels of a picture are nearly black."""
    grey = image.convertToFormat(QImage.Format.Format_Grayscale8)
    rows = np.frombuffer(grey.constBits(), dtype=np.uint8).reshape(grey.height(), grey.bytesPerLine())[:, : grey.width()]
    return int((rows < 90).sum())


if __name__ == "__main__":
    unittest.main()
