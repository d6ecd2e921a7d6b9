"""The station Fit in the real window: items, zones, heights, builds, versions, another size, a wish, fitting round pins."""

import unittest

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QPushButton

from lexipod.app.panels.fields import QuantityField
from lexipod.app.panels.findings_view import WrappingButton
from tests.app.windowing import WindowTest


class FitPageTest(WindowTest):
    def wait_for(self, job):
        self.until(lambda: not job.is_running)

    def test_a_decoration_is_put_on_dragged_into_the_way_found_and_cured(self):
        window = self.window
        window.doing.show_page("foam")
        foam = window.fit_panel.foam
        self.until(lambda: bool(foam.places))
        self.assertIn("Free:", foam.told.text())
        self.assertIsNotNone(window.view.overlay)
        foam.part_box.setCurrentIndex(foam.part_box.findData("card.frame"))
        foam.ask()
        self.wait_for(foam.job)
        QTest.mouseClick(foam.add_button, Qt.MouseButton.LeftButton)
        (item,) = [i for i in self.session.design.items if i.kind == "decoration"]
        self.assertEqual((item.kind, item.on), ("decoration", "card.frame"))
        self.until(self.is_judged)
        self.assertEqual(window.desk.judgement.findings, ())  # it was put where nothing passes
        window.doing.show_page("findings")
        handle = next(h for h in window.card_view.handles if h.parameter == f"item.{item.id}.at")
        start = window.card_view._handle_point(handle)
        picture = window.desk.assembly.by_id["m1.pad"].region_at_home.centroid
        end = window.card_view.to_view(picture.x + 12.0, picture.y)
        self.drag(window.card_view, start, end)
        self.assertNotEqual(self.session.design.find_item(item.id).at, item.at)
        self.until(self.is_judged)
        blocks = [f for f in window.desk.judgement.findings if f.severity == "block"]
        self.assertTrue(blocks)
        self.assertTrue(any("decoration" in f.title for f in blocks), [f.title for f in blocks])
        window.doing.apply_remedy(next(r for f in blocks for r in f.remedies if "Move" in r.label or "Leave" in r.label))
        self.until(self.is_judged)
        self.assertFalse([f for f in window.desk.judgement.findings if f.severity == "block"])
        for _ in range(3):
            window.doing.undo()
        self.assertEqual([i for i in self.session.design.items if i.kind == "decoration"], [])

    def drag(self, view, start: QPointF, end: QPointF):
        QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start.toPoint())
        for share in (0.3, 0.7, 1.0):
            QTest.mouseMove(view, (start + (end - start) * share).toPoint())
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end.toPoint())

    def test_wrong_measures_of_an_item_are_refused_and_nothing_is_lost(self):
        window = self.window
        window.session.edit(self.changed({"item.d1": "decoration on card.frame front 12x10mm at 30x45mm"}), text="put on")
        window.doing.show_page("foam")
        field = next(f for f in window.fit_panel.foam.findChildren(QuantityField) if f.accessibleName() == "width of d1")
        field.setFocus()
        field.setText("wide")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertEqual(self.session.design.find_item("d1").width, 12.0)
        self.assertTrue(field.property("wrong"))

    def changed(self, settings):
        from lexipod.editing.change import change_design

        return change_design(self.session.design, self.session.catalog, settings)

    def test_heights_tell_the_thickest_place_and_the_post(self):
        window = self.window
        window.doing.show_page("heights")
        panel = window.fit_panel.heights
        self.assertAlmostEqual(panel.picture.heights.thickest_mm, max(p.top_mm for p in window.desk.assembly.parts), places=6)
        self.assertIn("United States", panel.posted.text())
        panel.carrier.setCurrentIndex(panel.carrier.findData("de"))
        panel.carrier.activated.emit(panel.carrier.currentIndex())
        self.assertEqual(self.session.design.ways.carrier, "de")
        self.assertNotIn("United States", panel.posted.text())
        window.doing.undo()
        self.assertEqual(self.session.design.ways.carrier, "")

    def test_builds_are_counted_and_a_suggestion_is_taken(self):
        window = self.window
        window.doing.show_page("builds")
        builds = window.fit_panel.builds
        QTest.mouseClick(builds.button, Qt.MouseButton.LeftButton)
        self.wait_for(builds.job)
        self.assertRegex(builds.words.text(), r"Of 1000 builds \d+\.\d % run free")
        button = next(b for b in builds.findChildren(WrappingButton))
        before = self.session.design
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertNotEqual(self.session.design, before)
        self.assertIn("changed since", builds.words.text())
        QTest.mouseClick(builds.button, Qt.MouseButton.LeftButton)
        QTest.mouseClick(builds.button, Qt.MouseButton.LeftButton)  # the same again stops it
        self.assertEqual((builds.words.text(), builds.job.is_running), ("Stopped.", False))

    def test_a_seed_is_typed_and_an_empty_one_counts_as_the_first(self):
        self.window.doing.show_page("builds")
        builds = self.window.fit_panel.builds
        builds.seed.selectAll()
        QTest.keyClicks(builds.seed, "4x0-21")
        self.assertEqual((builds.seed.text(), builds._seed()), ("4021", 4021))
        builds.seed.clear()
        self.assertEqual((builds._seed(), builds.seed.text()), (1, "1"))

    def test_card_sizes_are_told_in_the_makers_unit(self):
        self.window.doing.show_page("versions")
        box = self.window.fit_panel.versions.size_box
        k = box.findData("na.a7")
        self.session.edit(self.changed({"units": "mm"}), text="units")
        self.until(lambda: "mm" in box.itemText(k))
        self.assertTrue(box.itemText(k).endswith(", 127 mm × 177.8 mm"))
        self.session.edit(self.changed({"units": "in"}), text="units")
        self.until(lambda: "mm" not in box.itemText(k))
        self.assertTrue(box.itemText(k).endswith(", 5 in × 7 in"))
        self.assertEqual(box.currentData(), "na.a1")

    def test_a_version_is_set_aside_compared_and_brought_back(self):
        window = self.window
        first = self.session.design
        window.doing.keep_version()
        window.session.edit(self.changed({"travel": "45mm"}), text="travel")
        window.doing.show_page("versions")
        versions = window.fit_panel.versions
        self.wait_for(versions.comparing)
        self.assertIn("Set aside: free to move. Now: something blocks.", versions.state.text())
        QTest.mouseClick(versions.swap, Qt.MouseButton.LeftButton)
        self.assertEqual(self.session.design, first)
        window.doing.undo()
        self.assertNotEqual(self.session.design, first)

    def test_another_size_is_tried_told_and_taken_in_one_step(self):
        window = self.window
        window.doing.show_page("versions")
        versions = window.fit_panel.versions
        versions.size_box.setCurrentIndex(versions.size_box.findData("na.a7"))
        QTest.mouseClick(versions.convert, Qt.MouseButton.LeftButton)
        self.wait_for(versions.converting)
        self.assertIn("It is free to move there", versions.told.text())
        self.assertEqual(self.session.design.card.size, "na.a2")
        QTest.mouseClick(versions.take, Qt.MouseButton.LeftButton)
        self.assertEqual(self.session.design.card.size, "na.a7")
        window.doing.undo()
        self.assertEqual(self.session.design.card.size, "na.a2")

    def test_fitting_keeps_what_is_pinned_and_names_the_impossible(self):
        window = self.window
        window.session.edit(self.changed({"travel": "90mm"}), text="travel")
        window.view.go_to("mechanism")
        panel = window.mechanism_panel
        pin = next(b for b in panel.findChildren(QCheckBox) if b.accessibleName() == "keep travel")
        pin.setChecked(True)
        window.doing.fit_mechanism()
        self.wait_for(panel.fitting)
        self.assertEqual(self.session.design.mechanisms[0].parameters["travel"], 90.0)
        self.assertIn("it would fit", window.strip.label.text())
        pin.setChecked(False)
        window.doing.fit_mechanism()
        self.wait_for(panel.fitting)
        self.until(self.is_judged)
        self.assertFalse([f for f in window.desk.judgement.findings if f.severity == "block"])

    def test_every_page_has_a_key(self):
        window = self.window
        for key, page in (("1", "findings"), ("2", "foam"), ("3", "heights"), ("4", "builds"), ("5", "versions")):
            window.actions_by_id[f"page-{page}"].trigger()
            self.assertTrue(window.fit_panel.buttons[page].isChecked(), key)
            self.assertEqual(window.actions_by_id[f"page-{page}"].shortcut().toString(), f"Alt+{key}")


class WishTest(WindowTest):
    def test_a_picture_is_wished_for_and_the_best_way_is_put_on_the_card(self):
        window = self.window
        window.doing.choose_mechanism()
        chooser = window.chooser
        chooser.wish.setText("nonsense")
        QTest.keyClick(chooser.wish, Qt.Key.Key_Return)
        self.assertFalse(chooser.job.is_running)
        chooser.wish.setText("20 x 14 mm")
        QTest.mouseClick(chooser.finder, Qt.MouseButton.LeftButton)
        self.until(lambda: not chooser.job.is_running, seconds=90)
        buttons = [
            b for b in chooser.answers.findChildren(QPushButton) if "strip slider" in b.accessibleName() or "window wheel" in b.accessibleName()
        ]
        self.assertTrue(buttons)
        QTest.mouseClick(buttons[0], Qt.MouseButton.LeftButton)
        self.assertEqual(len(self.session.design.mechanisms), 2)
        window.doing.undo()
        self.assertEqual(len(self.session.design.mechanisms), 1)


if __name__ == "__main__":
    unittest.main()
