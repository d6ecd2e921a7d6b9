"""Where the window meets what lies under it: answers that come too late, drags that lead nowhere, positions that cannot be had, exports."""

import csv
import io
import unittest
from dataclasses import replace
from unittest import mock

import msgspec
import numpy as np
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, QRect, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QWidget

from lexipod.app.frame.stations import STATIONS
from lexipod.app.jobs.job import CHANGED, Job
from lexipod.app.look import DAY, NIGHT, font
from lexipod.app.panels.findings_view import FindingCard
from lexipod.cures import with_remedies
from lexipod.design import Card, Item
from lexipod.editing import add_mechanism, change_design
from lexipod.fabricate.exports import EXPORTS
from lexipod.units.lengths import typeset
from tests.app.windowing import WindowTest
from tests.zoo import CATALOG, card_with


class LateAnswerTest(WindowTest):
    """An answer belongs to the design that it was asked about."""

    def other_travel(self, value):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": value}), text="x")

    def test_another_size_that_was_worked_out_for_an_earlier_card_is_not_put_on(self):
        panel = self.window.fit_panel.versions
        self.window.doing.show_page("versions")
        panel.size_box.setCurrentIndex(panel.size_box.findData("na.a7"))
        panel.convert.click()
        self.until(lambda: not panel.converting.is_running)
        self.assertTrue(panel.take.isVisible())
        self.other_travel(33.0)
        self.assertFalse(panel.take.isVisible())
        self.assertIn("try it again", panel.told.text())
        panel._take()
        self.assertEqual((self.parameter("travel"), self.session.design.card.size), (33.0, "na.a2"))
        panel.convert.click()  # and it can be asked again
        self.until(lambda: not panel.converting.is_running)
        self.assertTrue(panel.take.isVisible())
        panel.take.click()
        self.assertEqual(self.session.design.card.size, "na.a7")

    def test_a_size_that_comes_after_a_change_is_told_as_old(self):
        panel = self.window.fit_panel.versions
        self.window.doing.show_page("versions")
        panel.size_box.setCurrentIndex(panel.size_box.findData("na.a7"))
        panel.convert.click()
        self.other_travel(33.0)
        self.until(lambda: not panel.converting.is_running)
        self.assertEqual((panel.told.text(), panel.take.isVisible(), panel.convert.text()), (CHANGED, False, "try it on this card"))

    def test_a_late_or_failed_plan_of_pads_changes_nothing_and_can_be_asked_again(self):
        panel = self.window.fit_panel.foam
        self.window.doing.show_page("foam")
        panel.plan.click()
        self.other_travel(33.0)
        before = self.session.design
        self.until(lambda: not panel.planning.is_running)
        self.assertEqual(self.session.design, before)
        self.assertEqual((panel.plan.isEnabled(), panel.plan.text()), (True, "plan pads where it sags"))
        panel.plan.click()
        panel.planning._helper.process.kill()
        self.until(lambda: not panel.planning.is_running)
        self.assertEqual((panel.plan.isEnabled(), panel.plan.text()), (True, "plan pads where it sags"))
        self.assertIn("ended early", self.window.strip.label.text())
        panel.plan.click()
        panel.plan.click()  # the same again gives up
        self.assertFalse(panel.planning.is_running)

    def test_builds_of_an_earlier_card_are_not_shown_as_those_of_this_one(self):
        panel = self.window.fit_panel.builds
        self.window.doing.show_page("builds")
        with mock.patch("lexipod.app.panels.builds_panel.BUILDS", 40):
            panel.button.click()
        self.other_travel(33.0)
        self.until(lambda: not panel.job.is_running, 120)
        self.assertEqual(panel.words.text(), CHANGED)
        panel.job._asked_about = self.session.design  # an answer about the present card …
        from lexipod.builds import BuildYield, Suggestion

        panel._show(BuildYield(1000, 1, 0.9, (0.88, 0.92), (), (Suggestion(0.95, "m1", {"clearance": 0.8}),), {}, 100))
        self.assertIn("90.0 %", panel.words.text())
        self.assertEqual(len(panel._rows), 1)
        self.other_travel(34.0)  # … is old as soon as that changes
        self.assertIn("build them again", panel.words.text())
        self.assertEqual(panel._rows, [])

    def test_two_versions_are_not_shown_side_by_side_when_nothing_differs_any_more(self):
        panel = self.window.fit_panel.versions
        self.window.doing.show_page("versions")
        panel.keep_version()
        self.other_travel(33.0)
        self.until(lambda: panel.comparing.is_running)
        self.session.undo()
        self.until(lambda: panel.state.text() == "This is the version set aside.")
        self.assertFalse(panel.comparing.is_running)
        self.assertEqual([row.text() for row in panel._rows], ["Nothing differs yet."])

    def test_what_is_undone_makes_an_answer_true_again(self):
        job = self.window.fit_panel.versions.converting
        job._asked_about = self.session.design
        self.assertFalse(job.is_old)
        self.other_travel(33.0)
        self.assertTrue(job.is_old)
        self.session.undo()
        self.assertFalse(job.is_old)


class GestureTest(WindowTest):
    def test_a_click_on_a_handle_is_no_step_and_leaves_redo(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.session.undo()
        self.window.view.go_to("mechanism")
        view = self.window.card_view
        spot = view._handle_point(self.handle("travel"))
        before = self.session.design
        self.drag(view, spot, spot, steps=1)
        self.assertEqual(self.session.design, before)
        self.assertEqual((self.session.history.can_undo, self.session.history.can_redo, self.session.is_unsaved), (False, True, False))

    def test_a_drag_given_up_is_no_step_and_leaves_redo(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.session.undo()
        self.window.view.go_to("mechanism")
        view, before = self.window.card_view, self.session.design
        spot = view._handle_point(self.handle("travel"))
        self.drag(view, spot, spot + QPointF(60, 0), release=False)
        self.assertNotEqual(self.session.design, before)
        self.assertTrue(self.session.is_unsaved)
        self.session.undo()  # not in the middle of a drag
        self.assertNotEqual(self.session.design, before)
        QTest.keyClick(view, Qt.Key.Key_Escape)
        self.assertEqual(self.session.design, before)
        self.assertEqual((self.session.history.can_undo, self.session.history.can_redo, self.session.is_unsaved), (False, True, False))

    def test_a_place_that_cannot_be_is_told_while_dragging(self):
        told = []
        self.window.card_view.said.connect(told.append)
        handle = replace(self.handle("travel") if self.window.view.go_to("mechanism") is None else None, parameter="pull")
        from lexipod.app.card.drag import set_parameter

        set_parameter(self.session, handle, "nothing of the kind", refused=self.window.card_view.said.emit)
        self.assertIn("pull", told[0])

    def test_every_handle_of_every_recipe_goes_the_way_it_is_dragged(self):
        from lexipod.app.card.drag import Pointer, drag_handle
        from lexipod.app.state.session import Session
        from lexipod.recipes import RECIPES

        compared = 0
        for recipe in RECIPES:
            session = Session(CATALOG, card_with(recipe, Card(size="na.a7")))
            from lexipod.building import build_assembly

            for handle in build_assembly(session.design, CATALOG).handles:
                if handle.about is not None or handle.parameter == "shift":
                    continue
                for way in (handle.direction,) if handle.cross is None else (handle.direction, handle.cross):
                    session.start(session.design)
                    press = Pointer(handle.at[0], handle.at[1], True)
                    drag = drag_handle(session, handle, press)
                    next(drag)
                    drag.send(Pointer(press.x + way[0], press.y + way[1], True))
                    moved = next(h for h in build_assembly(session.design, CATALOG).handles if h.parameter == handle.parameter)
                    drag.close()
                    along = float(np.dot(np.subtract(moved.at, handle.at), way))
                    with self.subTest(recipe, handle=handle.parameter, way=way):
                        self.assertGreater(along, -1e-6)  # it may be held back, never run away
                        compared += along > 0.4
                    session.undo()
        self.assertGreater(compared, 80)


class PositionTest(WindowTest):
    design = card_with("pivot-arm", drive_joint="swinging-pull").with_parameters("m1", {"travel": 60.0})

    def test_past_a_dead_point_everything_is_drawn_and_dragged_and_no_number_is_lost(self):
        track = self.window.desk.tracks["m1"]
        self.assertFalse(track.reached.all())
        for station in ("mechanism", "travel", "fit"):
            self.window.view.go_to(station)
            self.window.doing.go_end()
            self.window.grab()
        self.assertFalse(self.window.desk.is_reached("m1", 60.0))
        poses = self.window.desk.poses_at(self.window.view.travel)
        self.assertTrue(all(np.isfinite(p).all() for p in poses.values()))
        view = self.window.card_view
        spot = view.to_view(*np.asarray(poses["m1.picture"][:2]) + 3.0)
        self.drag(view, spot, spot + QPointF(-40, 30))
        self.assertTrue(np.isfinite(list(self.window.view.travel.values())).all())

    def test_the_table_of_positions_has_rows_for_what_is_reached_only(self):
        from lexipod.cli.answers import motion_csv
        from lexipod.pipeline import examine

        examination = examine(self.session.design, CATALOG, steps=25)
        rows = list(csv.DictReader(io.StringIO(motion_csv(examination, ["m1"]))))
        self.assertTrue(all(np.isfinite([float(r[c]) for c in ("travel", "x_mm", "y_mm", "turn_deg")]).all() for r in rows))
        self.assertEqual({float(r["travel"]) for r in rows}, set(np.round(examination.track("m1").travel[examination.track("m1").reached], 6)))


class SeveralTest(WindowTest):
    design = add_mechanism(card_with("strip-slider", Card(size="na.a7")), "spinner", CATALOG)

    def test_show_me_moves_the_findings_own_mechanism(self):
        self.window.view.go_to("fit")
        self.window.desk.use("m2")
        finding = replace(next(iter(self.window.desk.judgement.findings)), mechanism="m1", travel=7.0, also_at=())
        self.window.parts.findings[0]._show(finding)
        self.assertEqual(self.window.view.travel.get("m1"), 7.0)
        self.assertNotIn("m2", self.window.view.travel)
        self.assertEqual(self.window.desk.current, "m1")

    def test_a_card_that_is_filled_again_is_shown_not_asked(self):
        self.window.view.go_to("mechanism")
        for _ in range(2):
            self.window.mechanism_panel.remove_whole()
        self.assertIs(self.window.left.currentWidget(), self.window.chooser)
        self.session.undo()
        self.assertIsNot(self.window.left.currentWidget(), self.window.chooser)
        self.session.redo()
        self.assertIs(self.window.left.currentWidget(), self.window.chooser)
        self.session.undo()
        self.window.doing.choose_mechanism()
        self.window.doing.switch_units()  # a change of something else leaves the question open
        self.assertIs(self.window.left.currentWidget(), self.window.chooser)


class ExportTest(WindowTest):
    def test_one_picture_on_two_parts_is_exported_and_every_format_from_the_window(self):
        twice = tuple(Item(f"a{k}", "picture", on, source="sun.svg", share=(0.1, 0.1, 0.9, 0.9)) for k, on in enumerate(("card.frame", "m1.picture")))
        (self.folder / "sun.svg").write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><rect width="10" height="10" fill="#e03020"/></svg>'
        )
        self.session.edit(msgspec.structs.replace(self.session.design, items=twice), text="art")
        self.session.save(self.folder / "card.lexipod")
        for way in EXPORTS:
            target = self.folder / f"out{way.ending}"
            self.window.files.export_to(target)
            self.until(target.exists)
            self.until(lambda: not any(job.is_running for job in self.window.files.findChildren(Job)))
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.assertEqual(self.window.files.findChildren(Job), [])  # nothing is kept of what was written
        image = QImage(str(self.folder / "out.png"))
        reds = sum(
            image.pixelColor(x, y).red() > 200 > 100 > image.pixelColor(x, y).green()
            for x in range(0, image.width(), 7)
            for y in range(0, image.height(), 7)
        )
        self.assertGreater(reds, 50)

    def test_an_export_ends_with_its_window_and_can_be_stopped(self):
        self.window.files.export_to(self.folder / "late.pdf")
        next(b for b in self.window.strip.buttons if b.text() == "stop").click()
        self.assertIn("stopped", self.window.strip.label.text())
        self.window.files.export_to(self.folder / "later.pdf")
        job = next(j for j in self.window.files.findChildren(Job) if j.is_running)
        process = job._helper.process
        self.session.history.mark_saved()
        self.window.close()
        self.assertFalse(job.is_running)
        self.assertEqual(process.state(), process.ProcessState.NotRunning)
        self.assertFalse((self.folder / "later.pdf").exists())

    def test_what_cannot_be_written_is_told(self):
        self.window.files.export_to(self.folder / "no-such-folder" / "a.csv")
        self.until(lambda: "no such folder" in self.window.strip.label.text())

    def test_the_cut_list_counts_scores_from_the_end_that_was_set(self):
        self.session.edit(change_design(self.session.design, CATALOG, {"scores_from": "right"}), text="x")
        self.window.view.go_to("sheets")
        self.window.panels["sheets"].show_tab("list")
        QApplication.processEvents()
        texts = " ".join(label.text() for label in self.window.panels["sheets"].findChildren(QLabel) if label.isVisible())
        self.assertIn("from the right", texts)
        self.assertNotIn("from the left", texts)


class FocusTest(WindowTest):
    """Every view and control with the keyboard on it: it looks as before but for a line or an edge."""

    MOST_CHANGED = 0.06
    EDGE_PX = 4
    """An edge of this width may be drawn round what has the keyboard."""

    def focusable(self):
        for station in [s.id for s in STATIONS]:
            self.window.view.go_to(station)
            QApplication.processEvents()
            for widget in self.window.findChildren(QWidget):
                takes = widget.focusPolicy() & Qt.FocusPolicy.TabFocus and widget.isEnabled() and widget.isVisibleTo(self.window)
                if takes and widget.width() > 4 and not widget.visibleRegion().isEmpty() and type(widget).__name__ != "QScrollArea":
                    yield station, widget

    def test_no_view_is_painted_over_when_it_gets_the_keyboard(self):
        looked_at = set()
        for theme in (DAY, NIGHT):
            self.window.use_theme(theme)
            for station, widget in self.focusable():
                name = (theme.name, station, type(widget).__name__, widget.accessibleName())
                if name in looked_at:
                    continue
                looked_at.add(name)
                self.window.setFocus()
                QApplication.sendEvent(widget, QEvent(QEvent.Type.Leave))
                without = self.picture_of(widget)
                widget.setFocus(Qt.FocusReason.TabFocusReason)
                if not widget.hasFocus():
                    continue
                if isinstance(widget, QLineEdit):
                    widget.deselect()
                within = self.picture_of(widget)
                widget.clearFocus()
                allowed = self.MOST_CHANGED * without.width() * without.height()
                allowed += self.EDGE_PX * 2 * (without.width() + without.height())
                with self.subTest(name):
                    self.assertLess(self.changed(without, within), allowed)
        self.assertGreater(len(looked_at), 60)
        self.assertLessEqual({"RibbonView", "CardView", "EdgeView", "TableTop", "StationRuler"}, {n[2] for n in looked_at})

    def picture_of(self, widget: QWidget) -> QImage:
        """As it lies in the window, on what is behind it."""
        return self.window.grab(QRect(widget.mapTo(self.window, QPoint(0, 0)), widget.size())).toImage()

    def changed(self, a: QImage, b: QImage) -> int:
        """Pixels that look clearly different."""
        if a.size() != b.size():
            return a.width() * a.height()
        one, two = (np.frombuffer(i.convertToFormat(QImage.Format.Format_RGB32).constBits(), np.uint8).astype(int) for i in (a, b))
        return int((np.abs(one - two).reshape(-1, 4)[:, :3].max(axis=1) > 40).sum())

    def test_after_a_new_card_the_ribbon_is_not_filled(self):
        self.window.view.go_to("fit")
        self.window.ribbon.setFocus()
        self.session.history.mark_saved()
        self.window.files.new_design()
        self.window.view.go_to("fit")
        self.window.ribbon.setFocus()
        image = self.window.ribbon.grab().toImage()
        accent = self.window.theme.colour("accent")
        filled = sum(image.pixelColor(x, y) == accent for x in range(0, image.width(), 5) for y in range(0, image.height(), 5))
        self.assertLess(filled, 0.02 * image.width() * image.height() / 25)


class PaperTest(WindowTest):
    def test_templates_are_ink_on_white_by_night_too(self):
        self.window.view.go_to("sheets")
        QApplication.processEvents()
        self.window.templates.grab()
        width, height = self.window.templates.pages[0].size_mm
        tall = self.window.templates.height() - 76
        page = QRect(28, 20, int(tall * width / height) - 8, tall - 8)
        images = []
        for theme in (DAY, NIGHT):
            self.window.use_theme(theme)
            images.append(self.window.templates.grab(page).toImage())
        self.assertEqual(*images)
        dark = sum(images[1].pixelColor(x, y).lightness() < 140 for x in range(page.width()) for y in range(page.height()))
        self.assertGreater(dark, 100)
        self.assertEqual(images[1].pixelColor(0, 0).name(), "#ffffff")


class FoldBarTest(WindowTest):
    design = card_with("waterfall", Card(size="na.a7"))

    def test_buttons_above_a_fold_lie_beside_each_other_in_a_small_window(self):
        self.window.resize(1024, 700)
        for station in ("travel", "fit", "mechanism"):
            self.window.view.go_to(station)
            QApplication.processEvents()
            bar = self.window.bench.bar
            boxes = [w.geometry() for w in bar.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly) if w.isVisible()]
            self.assertGreater(len(boxes), 3)
            for k, box in enumerate(boxes):
                self.assertTrue(bar.rect().contains(box), station)
                for other in boxes[:k]:
                    self.assertFalse(box.intersects(other), station)

    def test_what_is_put_away_is_out_of_sight_at_once(self):
        bar = self.window.bench.bar
        put_away = 0
        for design in (card_with("wiper"), card_with("twist-popup"), card_with("flip-panels", Card(size="na.a7"))):
            earlier = [b for b in bar.children() if isinstance(b, QWidget)]
            self.session.start(design)  # nobody runs the event loop here
            self.window.view.go_to("travel")
            stays = {self.window.bench._row.itemAt(k).widget() for k in range(self.window.bench._row.count())}
            for widget in earlier:
                if widget not in stays:
                    self.assertTrue(widget.isHidden())
                    put_away += 1
            QApplication.processEvents()
        self.assertGreater(put_away, 3)


class ChooserTest(WindowTest):
    def test_samples_never_lie_over_each_other_while_more_of_them_are_made(self):
        self.window.view.go_to("mechanism")
        self.window.doing.choose_mechanism()
        chooser = self.window.chooser
        for k in range(8):
            chooser._tick()
            if k == 4:
                self.window.say("A message that takes some height.")
            QApplication.processEvents()
            self.window.grab()
            boxes = [v.geometry() for v in chooser._views]
            self.assertGreater(len(boxes), k)
            for one, box in enumerate(boxes):
                for other in boxes[:one]:
                    self.assertFalse(box.intersects(other))


class SmallChooserTest(WindowTest):
    def test_in_a_small_window_no_word_is_cut_off_and_no_sample_stands_out(self):
        self.window.resize(1024, 700)
        self.window.view.go_to("mechanism")
        self.window.doing.choose_mechanism()
        chooser = self.window.chooser
        for width in (1024, 1280, 1024):
            self.window.resize(width, 700)
            for _ in range(4):
                chooser._tick()
            QApplication.processEvents()
            for button in chooser.buttons.values():
                self.assertGreaterEqual(button.width(), button.fontMetrics().horizontalAdvance(button.text()) + 8, button.text())
                self.assertTrue(chooser.rect().contains(button.geometry().translated(chooser.words.pos())))
            room = chooser.inside.parentWidget().width()
            self.assertLessEqual(max(v.geometry().right() for v in chooser._views), room, width)
        self.assertEqual(len({v.y() for v in chooser._views[:2]}), 1)  # still beside each other


class WordsTest(WindowTest):
    def test_every_word_of_a_finding_is_on_its_card(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 60.0}), text="x")
        self.until(self.is_judged)
        self.window.view.go_to("fit")
        card = self.window.findChildren(FindingCard)[0]
        seen = " ".join(label.text() for label in card.findChildren(QLabel) if label.isVisibleTo(self.window))
        for words in (card.finding.title, card.finding.message):
            self.assertIn(typeset(words), seen)

    def test_the_folder_of_the_last_file_is_where_the_next_one_is_looked_for(self):
        self.window.files.save_to(self.folder / "a.lexipod")
        self.assertEqual(self.window.settings.value("folder"), str(self.folder))

    def test_headings_and_strong_words_are_bolder(self):
        self.assertGreater(font(12, bold=True).weight(), font(12).weight())
        self.assertGreater(font(12, head=True).weight(), font(12).weight())

    def test_a_result_of_builds_is_told_as_old_once_and_a_word_on_the_way_is_not(self):
        panel = self.window.fit_panel.builds
        panel.job._asked_about = self.session.design
        panel._say("Stopped.", ())
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        panel.refresh()
        self.assertEqual(panel.words.text(), "Stopped.")
        panel._is_told = True
        panel.refresh()
        self.assertIn("build them again", panel.words.text())


class CheapLayerTest(WindowTest):
    def test_a_change_of_words_draws_no_part_anew(self):
        before = {layer.part: layer for layer in self.window.desk.layers}
        self.session.edit(msgspec.structs.replace(self.session.design, title="Another one"), text="title")
        self.assertTrue(before)
        for layer in self.window.desk.layers:
            self.assertIs(layer, before[layer.part])


class CureTest(unittest.TestCase):
    def test_a_search_that_was_cut_short_says_so(self):
        from tests.checks.test_cures import judged

        design = card_with("strip-slider").with_parameters("m1", {"travel": 60.0})
        found = with_remedies(design, CATALOG, judged(design, 25), seconds=0.0)
        self.assertTrue(all(f.cut_short for f in found if f.missing > 0))
        self.assertFalse(any(f.cut_short for f in with_remedies(design, CATALOG, judged(design, 25)[:1])))


if __name__ == "__main__":
    unittest.main()
