"""The window, driven by mouse and keys as a person would."""

import io
import json
import operator
import unittest
from pathlib import Path

import msgspec
import numpy as np
from pypdf import PdfReader
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QLineEdit, QPushButton

from lexipod.app.frame.actions import ACTIONS
from lexipod.app.frame.keys_sheet import KeysSheet, key_groups
from lexipod.app.frame.stations import STATIONS
from lexipod.app.frame.window import MainWindow
from lexipod.app.panels.findings_view import FindingCard
from lexipod.app.state.examiner import MOST_RESTARTS
from lexipod.app.state.recovery import Autosave, find_recovered
from lexipod.app.state.session import Session
from lexipod.checks import CHECKS, RULES
from lexipod.checks.figures import figure_of
from lexipod.design import Design, read_design
from lexipod.units import UnitStyle
from tests.app.windowing import WindowTest
from tests.zoo import CATALOG, slider


class MakersWayTest(WindowTest):
    def test_ten_millimetres_more_travel_are_found_cured_undone_and_exported(self):
        view = self.window.card_view
        self.window.view.go_to("fit")
        handle, before = self.handle("travel"), self.parameter("travel")
        start = view._handle_point(handle)
        self.drag(view, start, start + QPointF(10 * view.picture.scale, 0))
        self.assertAlmostEqual(self.parameter("travel"), before + 10, delta=0.8)
        self.assertEqual(self.session.history.count, 1)
        self.until(self.is_judged)
        row = self.window.ribbon.rows[0]
        self.assertTrue(row.trouble.any() and not row.trouble[0])  # hatched at the end of the ribbon
        self.until(lambda: [b for b in self.window.parts.findings[0].findChildren(QPushButton) if b.objectName() == "main"])
        finding = self.window.desk.judgement.findings[0]
        self.assertEqual(finding.rule, "travel")
        cards = self.window.parts.findings[0].findChildren(FindingCard)
        button = next(b for card in cards for b in card.findChildren(QPushButton) if b.objectName() == "main")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.until(self.is_judged)
        self.assertEqual([f.rule for f in self.window.desk.judgement.findings if f.severity == "block"], [])
        self.window.doing.undo()
        self.window.doing.undo()
        self.assertEqual(self.parameter("travel"), before)
        self.window.doing.redo()
        self.window.doing.redo()
        target = self.folder / "out.pdf"
        self.window.files.export_to(target)
        self.until(target.exists)
        self.until(lambda: "Written" in self.window.strip.label.text())
        self.assertGreaterEqual(len(PdfReader(io.BytesIO(target.read_bytes())).pages), 2)

    def test_dragging_the_picture_moves_the_mechanism_and_changes_nothing(self):
        view = self.window.card_view
        self.window.view.go_to("travel")
        values = self.session.design.mechanisms[0].parameters
        u = values["slot_from"] + values["pad_start"] + values["pad_length"] / 2
        start = view.to_view(u + 6, values["slot_place"] + 20)
        self.drag(view, start, start + QPointF(15 * view.picture.scale, 4))
        self.assertAlmostEqual(self.window.view.travel["m1"], 15.0, delta=0.2)
        self.assertEqual(self.session.history.count, 0)
        self.drag(view, start + QPointF(15 * view.picture.scale, 0), start + QPointF(900, 0))
        self.assertAlmostEqual(self.window.view.travel["m1"], values["travel"], places=6)

    def test_a_drag_that_is_given_up_leaves_the_design_as_it_was(self):
        view = self.window.card_view
        self.window.view.go_to("mechanism")
        before = self.session.design
        start = view._handle_point(self.handle("strip_height"))
        self.drag(view, start, start + QPointF(0, -30), release=False)
        self.assertNotEqual(self.session.design, before)
        QTest.keyClick(view, Qt.Key.Key_Escape)
        self.assertEqual(self.session.design, before)
        self.mouse(view, QEvent.Type.MouseButtonRelease, start, held=False)

    def test_one_gesture_is_one_undo_step_and_two_are_two(self):
        view = self.window.card_view
        self.window.view.go_to("mechanism")
        for name, way in (("slot_length", QPointF(12, 0)), ("picture_width", QPointF(-16, 0))):
            start = view._handle_point(self.handle(name))
            self.drag(view, start, start + way)
        self.assertEqual(self.session.history.count, 2)

    def test_a_measure_is_typed_in_any_unit_and_a_wrong_one_is_refused_and_kept_for_mending(self):
        view = self.window.card_view
        self.window.view.go_to("mechanism")
        measure = next(m for m in view._measures if m.handle and m.handle.parameter == "travel")
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=measure.box.center().toPoint())
        editor = view.findChild(QLineEdit)
        editor.setText("3,8 cm")
        QTest.keyClick(editor, Qt.Key.Key_Return)
        self.assertTrue(editor.property("wrong"))
        self.assertIn("3,8 cm", self.window.strip.label.text())
        self.assertTrue(self.window.strip.isVisible())
        self.assertEqual(self.session.history.count, 0)
        editor.setText("3.8 cm")
        QTest.keyClick(editor, Qt.Key.Key_Return)
        self.assertEqual(self.parameter("travel"), 38.0)
        self.assertFalse(self.window.strip.isVisible())  # it was about what is no longer there

    def test_opening_a_measure_and_leaving_it_changes_nothing_though_it_is_shown_rounded(self):
        view = self.window.card_view
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 41.2345}), text="x")
        self.window.view.go_to("mechanism")
        view.edit_measure(self.handle("travel"))
        QTest.keyClick(view.findChild(QLineEdit), Qt.Key.Key_Return)
        self.assertEqual(self.parameter("travel"), 41.2345)


class KeyboardTest(WindowTest):
    def test_handles_are_reached_by_tab_and_moved_by_arrows(self):
        view = self.window.card_view
        self.window.view.go_to("mechanism")
        view.setFocus()
        order = [h.parameter for h in view.handles]
        QTest.keyClick(view, Qt.Key.Key_Tab)
        self.assertEqual(view._focused, 1)
        before = self.parameter(order[1])
        QTest.keyClick(view, Qt.Key.Key_Right)
        self.assertAlmostEqual(self.parameter(order[1]), before + 25.4 / 16, places=5)
        QTest.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.parameter(order[1]), round(before + 25.4 / 16 - 0.1, 1), delta=0.06)

    def test_the_ribbon_is_scrubbed_and_its_rows_are_picked_by_keys(self):
        ribbon = self.window.ribbon
        QTest.keyClick(ribbon, Qt.Key.Key_End)
        self.assertEqual(self.window.view.travel["m1"], self.parameter("travel"))
        QTest.keyClick(ribbon, Qt.Key.Key_Left)
        self.assertLess(self.window.view.travel["m1"], self.parameter("travel"))
        QTest.keyClick(ribbon, Qt.Key.Key_Down)
        self.assertEqual(self.window.view.picked_parts, ribbon.rows[0].parts)

    def test_the_ribbon_shows_what_matters_and_opens_all_on_demand(self):
        ribbon = self.window.ribbon
        every, shown = ribbon.every_row, ribbon.rows
        self.assertLess(len(shown), len(every))
        self.assertEqual(ribbon.others, len(every) - len(shown))
        self.assertIn(str(ribbon.others), ribbon._others_text())
        hidden = next(r for r in every if r not in shown)
        self.assertFalse(hidden.trouble.any() or hidden.is_tight)
        height = ribbon.height()
        QTest.mouseClick(ribbon, Qt.MouseButton.LeftButton, pos=ribbon._others_box().center().toPoint())
        self.assertEqual(ribbon.rows, ribbon.every_row)
        self.assertGreater(ribbon.height(), height)
        QTest.keyClick(ribbon, Qt.Key.Key_Return)
        self.assertEqual((ribbon.rows, ribbon.height()), (shown, height))
        self.window.view.pick(hidden.parts)  # as a finding or the card does
        self.assertEqual(ribbon.rows[ribbon._picked].label, hidden.label)
        self.window.view.pick(())
        self.assertEqual(ribbon.rows, shown)

    def test_the_cut_is_moved_and_turned_by_keys(self):
        self.window.view.go_to("fit")
        edge = self.window.parts.edges[0]
        QTest.keyClick(edge, Qt.Key.Key_Right)
        self.assertAlmostEqual(self.window.view.section_share, 0.51)
        QTest.keyClick(edge, Qt.Key.Key_T)
        self.assertEqual(self.window.view.section_axis, "x")

    def test_every_action_has_a_method_and_no_two_share_a_key(self):
        keys = [key for row in ACTIONS for key in row.shortcut.split()]
        told = {key for rows in key_groups().values() for _, key in rows}
        self.assertEqual(len(keys), len(set(keys)))
        for row in ACTIONS:
            if row.run:
                self.assertTrue(callable(operator.attrgetter(row.run)(self.window)), row.id)
            if row.shortcut:
                self.assertFalse(QKeySequence(row.shortcut.split()[0]).isEmpty(), row.id)
                self.assertIn(row.shortcut.split()[0], told)

    def test_a_window_is_never_larger_than_its_screen_or_beside_it(self):
        room = self.window.screen().availableGeometry()
        self.window.setMinimumSize(0, 0)
        self.window.resize(5000, 4000)
        self.window.move(room.right() + 500, -900)
        self.window.keep_on_screen()
        self.assertTrue(room.contains(self.window.frameGeometry()), self.window.frameGeometry())
        self.assertLessEqual(self.window.minimumWidth(), room.width())
        settings = self.window.settings
        self.window.resize(5000, 4000)
        settings.setValue("geometry", self.window.saveGeometry())
        again = MainWindow(Session(CATALOG, Design()), settings, examiner=self.examiner())
        self.assertLessEqual(again.frameGeometry().width(), room.width())
        again.close()
        again.deleteLater()

    def test_the_sheet_of_keys_fits_its_screen_and_is_searched(self):
        self.window.actions_by_id["shortcuts"].trigger()
        sheet = self.window.findChild(KeysSheet)
        self.app.processEvents()
        room = sheet.screen().availableGeometry()
        self.assertLessEqual((sheet.width(), sheet.height()), (room.width(), room.height()))
        self.assertLessEqual(sheet._page.sizeHint().width(), sheet.area.viewport().width(), "no column is cut off")
        QTest.keyClicks(sheet.wanted, "cure ctrl")
        self.app.processEvents()
        shown = " ".join(label.text() for label in sheet.findChildren(QLabel) if label.isVisible())
        self.assertIn("Ctrl+Return", shown)
        self.assertNotIn("Ctrl+Q", shown)
        QTest.keyClicks(sheet.wanted, " nonsense")
        self.app.processEvents()
        self.assertIn("No key", " ".join(label.text() for label in sheet.findChildren(QLabel) if label.isVisible()))
        sheet.close()

    def test_stations_are_turned_to_by_keys_and_each_shows_its_panel(self):
        for station in STATIONS:
            self.window.actions_by_id[f"station-{station.id}"].trigger()
            self.assertEqual(self.window.view.station, station.id)
            self.assertIs(self.window.right.currentWidget(), self.window.panels[station.id])

    def test_every_rule_belongs_to_a_station(self):
        known = {station.id for station in STATIONS}
        for check in CHECKS:
            for rule in check.rules:
                self.assertIs(RULES[rule.id], rule)  # one rule, one row
                self.assertIn(rule.station, known, rule.id)


class PanelTest(WindowTest):
    def field(self, name):
        return self.window.mechanism_panel._fields[name]

    def test_every_parameter_can_be_changed_in_the_panel(self):
        self.window.view.go_to("mechanism")
        for name, field in self.window.mechanism_panel._fields.items():
            with self.subTest(name):
                self.assertTrue(isinstance(field, QLineEdit | QComboBox | QCheckBox | dict))

    def test_a_field_takes_a_length_refuses_nonsense_and_steps(self):
        self.window.view.go_to("mechanism")
        field = self.field("slot_height")
        before = self.parameter("slot_height")
        field.setFocus()
        field.setText("NaN")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertTrue(field.property("wrong"))
        self.assertEqual(self.parameter("slot_height"), before)
        field.setText("5/8")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertEqual(self.parameter("slot_height"), 15.875)
        QTest.keyClick(field, Qt.Key.Key_Up)
        self.assertEqual(self.parameter("slot_height"), 15.875 + 1.5875)

    def test_another_edge_of_exit_sizes_anew_and_mirror_is_one_step(self):
        self.window.view.go_to("mechanism")
        QTest.mouseClick(self.field("direction")["up"], Qt.MouseButton.LeftButton)
        self.assertEqual(self.parameter("direction"), "up")
        self.until(self.is_judged)
        self.assertFalse([f for f in self.window.desk.judgement.findings if f.severity == "block"])
        QTest.mouseClick(self.window.mechanism_panel.mirror, Qt.MouseButton.LeftButton)
        self.assertTrue(self.session.design.mechanisms[0].mirror)
        self.assertEqual(self.session.history.count, 2)

    def test_a_card_that_is_too_small_to_size_for_is_told_in_the_strip(self):
        self.window.view.go_to("card")
        panel = self.window.panels["card"]
        panel.free.setText("20 x 20 mm")
        QTest.keyClick(panel.free, Qt.Key.Key_Return)
        self.assertEqual(self.session.design.card.width, 20)  # legal, only nothing fits: findings say so
        self.until(self.is_looked_at)
        self.assertTrue([f for f in self.window.desk.judgement.findings if f.severity == "block"])
        self.window.view.go_to("mechanism")
        self.window.mechanism_panel._size_anew()
        self.assertIn("does not fit", self.window.strip.label.text())

    def test_units_are_switched_everywhere_at_once(self):
        self.window.view.go_to("mechanism")
        self.assertIn("in", self.field("strip_length").text())
        self.window.doing.switch_units()
        self.assertIn("mm", self.field("strip_length").text())
        self.assertIn("mm", self.window.card_view._measures[0].text)
        self.window.doing.undo()
        self.assertIn("in", self.field("strip_length").text())

    def test_the_cut_list_is_that_of_the_design(self):
        self.window.view.go_to("sheets")
        self.window.panels["sheets"].show_tab("list")
        self.window.sheet_bench.show_templates(on=True)
        text = " ".join(label.text() for label in self.window.panels["sheets"].findChildren(QLabel))
        for word in ("2 × rail", "8\u2009½ in × 5\u2009½ in", "Foam 2 mm", "score at 4\u2009¼ in"):
            self.assertIn(word, text)
        self.window.templates.grab()
        self.assertGreaterEqual(len(self.window.templates.pages), 2)
        QTest.keyClick(self.window.templates, Qt.Key.Key_Right)
        self.assertEqual(self.window.templates.page, 1)

    def test_figures_say_what_is_missing(self):
        from lexipod.checks import Finding

        def told(**more):
            return figure_of(Finding("clearance", "block", "m1", (), "", "", **more), UnitStyle("mm"))

        self.assertEqual(told(measured=1.0, required=0.0, unit="", at_most=True), "")  # so or not so

        self.assertEqual(told(measured=0.2, required=0.5), "0.2 of 0.5 mm")
        self.assertEqual(told(measured=-1.5, required=0.5), "1.5 mm overlap")
        self.assertEqual(told(measured=3.0, required=0.0, at_most=True), "3, at most 0 mm")


class FileTest(WindowTest):
    def test_save_open_and_recent(self):
        path = self.folder / "mine.lexipod"
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.assertTrue(self.session.is_unsaved)
        self.assertTrue(self.window.files.save_to(path))
        self.assertFalse(self.session.is_unsaved)
        self.assertEqual(read_design(path), self.session.design)
        self.window.files.start_with(Design())
        self.window.files.open_path(path)
        self.assertEqual(self.parameter("travel"), 33.0)
        self.assertIn(str(path), self.window.files.recent())

    def test_files_that_cannot_be_opened_leave_the_present_design(self):
        before = self.session.design
        for name, content in (
            ("a.lexipod", b"{"),
            ("b.lexipod", b'{"format": "lexipod/9"}'),
            ("c.lexipod", json.dumps({"format": "lexipod/1", "mechanisms": [{"id": "m1", "recipe": "perpetuum"}]}).encode()),
        ):
            path = self.folder / name
            path.write_bytes(content)
            self.window.files.open_path(path)
            self.assertIn(name, self.window.strip.label.text())
            self.assertEqual(self.session.design, before)

    def test_a_place_that_refuses_writing_is_told_and_nothing_is_lost(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.assertFalse(self.window.files.save_to(Path("/proc/nothing.lexipod")))
        self.assertIn("cannot be written", self.window.strip.label.text())
        self.assertTrue(self.session.is_unsaved)
        self.assertEqual(self.parameter("travel"), 33.0)

    def test_unsaved_work_is_asked_about_before_another_design_begins(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.window.files.new_design()
        self.assertIn("not saved", self.window.strip.label.text())
        self.assertEqual(self.parameter("travel"), 33.0)
        next(b for b in self.window.strip.buttons if b.text() == "go on without").click()
        self.assertEqual(self.session.design.mechanisms, ())

    def test_an_empty_card_says_the_first_step_and_takes_a_mechanism(self):
        self.window.files.start_with(Design())
        self.window.view.go_to("mechanism")
        self.window.grab()
        self.assertIs(self.window.left.currentWidget(), self.window.chooser)
        self.until(lambda: self.window.chooser._views)
        QTest.mouseClick(self.window.chooser._views[0], Qt.MouseButton.LeftButton)
        self.assertEqual(self.session.design.mechanisms[0].recipe, "strip-slider")
        self.until(self.is_judged)
        self.assertEqual(self.window.desk.judgement.findings, ())

    def test_window_size_theme_and_recent_files_are_remembered(self):
        self.window.resize(980, 651)  # no wider than the smallest, since the offscreen screen is small
        self.window.doing.switch_theme()
        self.window.files.remember(self.folder / "mine.lexipod")
        self.session.history.mark_saved()
        self.window.close()
        other = MainWindow(Session(CATALOG), self.window.settings, recovery=self.folder / "unsaved")
        self.assertEqual((other.height(), other.theme.name), (651, "night"))
        self.assertEqual(other.files.recent(), [str(self.folder / "mine.lexipod")])
        other.close()

    def test_a_faulty_picture_is_told_in_the_strip_and_the_card_is_shown(self):
        from lexipod.design import Item

        design = self.session.design
        self.session.edit(msgspec.structs.replace(design, items=(Item("a1", "picture", "card.frame", source="gone.svg"),)), text="art")
        self.assertIn("gone.svg", self.window.strip.label.text())
        self.window.grab()


class RecoveryTest(WindowTest):
    def test_unsaved_work_is_kept_aside_and_offered_after_a_kill(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.window.autosave.keep()
        kept = list((self.folder / "unsaved").glob("*.json"))
        self.assertEqual(len(kept), 1)
        self.assertIsNone(find_recovered(self.folder / "unsaved"))  # its process is still running
        plain = json.loads(kept[0].read_text())
        plain["process"] = 2**22 + 7
        (self.folder / "unsaved" / "dead.json").write_text(json.dumps(plain))
        (self.folder / "unsaved" / "torn.json").write_text("{")
        other = MainWindow(Session(CATALOG), self.window.settings, recovery=self.folder / "unsaved")
        other.files.offer_recovery()
        self.assertIn("The fog lifts", other.strip.label.text())
        next(b for b in other.strip.buttons if b.text() == "restore it").click()
        self.assertEqual(other.session.design.mechanisms[0].parameters["travel"], 33.0)
        self.assertTrue(other.session.is_unsaved)
        self.assertFalse((self.folder / "unsaved" / "torn.json").exists())
        other.session._is_recovered = False
        other.close()

    def test_saved_work_leaves_nothing_aside(self):
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.window.autosave.keep()
        self.window.files.save_to(self.folder / "a.lexipod")
        self.assertEqual(list((self.folder / "unsaved").glob("*.json")), [])

    def test_autosave_follows_a_change_by_itself(self):
        autosave = Autosave(self.session, self.folder / "other")
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 33.0}), text="x")
        self.until(autosave.file.exists)
        autosave.clear()


class LookTest(WindowTest):
    def test_no_text_is_clipped_at_1280_by_800_in_either_unit_and_theme(self):
        for _ in range(2):
            for station in STATIONS:
                self.window.view.go_to(station.id)
                QTest.qWait(120)  # the page lays its sheets out when it is shown
                self.window.grab()
                for label in self.window.findChildren(QLabel):
                    if label.isVisible() and label.text() and not label.wordWrap():
                        self.assertGreaterEqual(label.width() + 1, label.fontMetrics().horizontalAdvance(label.text()) * 0.98, label.text())
                for button in self.window.findChildren(QPushButton):
                    if button.isVisible():
                        self.assertGreaterEqual(button.width(), button.fontMetrics().horizontalAdvance(button.text()), button.text())
            self.window.doing.switch_units()
            self.window.doing.switch_theme()

    def test_measures_do_not_lie_on_each_other(self):
        self.window.view.go_to("mechanism")
        boxes = [m.box for m in self.window.card_view._measures]
        for k, box in enumerate(boxes):
            for other in boxes[k + 1 :]:
                self.assertFalse(box.adjusted(1, 1, -1, -1).intersects(other.adjusted(1, 1, -1, -1)))

    def test_twenty_thousand_calls_that_return_none_are_survived(self):
        # A binding that loses references to None aborts after some thousand such calls.
        for k in range(20_000):
            self.window.card_view.update()
            if k % 5000 == 0:
                self.window.setWindowTitle(str(k))
        self.assertTrue(self.window.isVisible())

    def test_the_strip_is_seen_moving_in_the_picture(self):
        self.window.view.go_to("travel")
        view = self.window.card_view
        pictures = []
        for share in (0.0, 1.0):
            self.window.doing.go_to_share(share)
            pictures.append(view.grab().toImage())
        values = self.session.design.mechanisms[0].parameters
        u = values["slot_from"] + values["pad_start"] + values["pad_length"] / 2
        at = view.to_view(u, values["slot_place"] + 24).toPoint()
        self.assertNotEqual(pictures[0].pixelColor(at).name(), pictures[1].pixelColor(at).name())


class DragValueTest(unittest.TestCase):
    def test_the_nearest_travel_lies_between_positions_too(self):
        from lexipod.app.card.drag import nearest_travel
        from lexipod.building import build_assembly
        from lexipod.motion import solve_track

        a = build_assembly(slider(), CATALOG)
        track = solve_track(a, a.drives[0], a.drives[0].coordinates(5))
        way = track.poses["m1.strip"][:, :2]
        self.assertAlmostEqual(nearest_travel(track.travel, way, way[0] + [7.3, 40.0]), 7.3, places=9)
        self.assertEqual(nearest_travel(track.travel, way, np.array([-100.0, 0.0])), 0.0)

    def test_a_session_edit_that_changes_nothing_is_no_step(self):
        session = Session(CATALOG, slider())
        session.edit(slider(), text="same")
        self.assertEqual(session.history.count, 0)


class ExaminerTest(WindowTest):
    owns_examiner = True

    def test_an_examiner_that_is_killed_is_replaced_and_the_answer_comes_all_the_same(self):
        first = self.window.desk.examiner.process.processId()
        self.window.desk.examiner.process.kill()
        self.until(lambda: self.window.desk.examiner.process.processId() not in (0, first))
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 60.0}), text="x")
        self.until(self.is_judged)
        self.assertEqual(self.window.desk.judgement.findings[0].rule, "travel")

    def test_an_examiner_that_ends_over_and_over_is_given_up_and_that_is_told(self):
        for _ in range(MOST_RESTARTS + 1):
            self.window.desk.examiner.process.waitForStarted()
            self.window.desk.examiner.process.kill()
            self.window.desk.examiner.process.waitForFinished(3000)
        self.assertIn("do not run", self.window.desk.judgement.fault)
        self.session.edit(self.session.design.with_parameters("m1", {"travel": 60.0}), text="x")
        self.assertEqual((self.window.desk.is_stale, self.window.desk.judgement.revision), (False, self.session.revision))

    def test_during_a_drag_answers_keep_coming_and_the_last_one_is_complete(self):
        stages = []
        self.window.desk.judged.connect(lambda: stages.append((self.window.desk.judgement.revision, self.window.desk.judgement.stage)))
        for k in range(12):
            self.session.edit(self.session.design.with_parameters("m1", {"travel": 40.0 + k}), text="x", gesture=7)
            QTest.qWait(30)
        self.until(self.is_judged)
        self.assertEqual(stages[-1], (self.session.revision, "cured"))
        self.assertEqual([r for r, _ in stages], sorted(r for r, _ in stages))

    def test_messages_are_cut_and_joined_without_loss(self):
        from lexipod.aside.wire import pack, unpack

        buffer, found = bytearray(), []
        for byte in pack(("a", 1)) + pack("b" * 300):
            buffer.append(byte)
            found += unpack(buffer)
        self.assertEqual((found, len(buffer)), ([("a", 1), "b" * 300], 0))
