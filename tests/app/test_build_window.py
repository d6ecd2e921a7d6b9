"""The stations Build and Log and the table, driven as a person would: steps, order, waits, one key, a photograph, the second version."""

import unittest
from datetime import UTC, datetime, timedelta
from unittest import mock

from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QMessageBox

from lexipod.demo import load_demo
from lexipod.records import shelf
from lexipod.records.makes import Make, Measure
from lexipod.records.store import LogError
from tests.app.windowing import WindowTest


class BuildWindowTest(WindowTest):
    def setUp(self):
        super().setUp()
        self.window.view.go_to("build")
        self.plan, self.panel = self.window.plan, self.window.panels["build"]
        self.book, self.table = self.window.book, self.window.table
        self.table.foretells = False

    def said(self):
        return self.window.strip.text.text() if hasattr(self.window.strip, "text") else ""

    def place(self, step_id):
        return next(k for k, s in enumerate(self.plan.plan.steps) if s.id == step_id)


class PlanTest(BuildWindowTest):
    def test_steps_are_turned_by_list_keys_and_ruler(self):
        self.panel.list.setCurrentRow(4)
        self.assertEqual(self.plan.number, 5)
        QTest.keyClick(self.window.plan_view.step, Qt.Key.Key_Right)
        QTest.keyClick(self.window.plan_view.time, Qt.Key.Key_Left)
        self.assertEqual((self.plan.number, self.panel.list.currentRow()), (5, 4))
        QTest.mouseClick(self.window.plan_view.time, Qt.MouseButton.LeftButton, pos=QPoint(30, 95))
        self.assertEqual(self.plan.step.id, self.plan.schedule.slots[0].task.step)

    def test_a_step_is_moved_refused_and_undone(self):
        order = [s.id for s in self.plan.plan.steps]
        self.plan.turn_to("colour-m1.picture")
        self.panel.earlier.click()
        self.assertEqual(self.place("colour-m1.picture"), order.index("colour-m1.picture") - 1)
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual([s.id for s in self.plan.plan.steps], order)
        told = []
        self.panel.said.connect(told.append)
        self.plan.turn_to("put-card.frame")
        for _ in range(8):
            self.panel.earlier.click()
        self.assertIn("first", told[-1])
        self.assertTrue(self.panel.reset.isVisible())
        self.panel.reset.click()
        self.assertEqual([s.id for s in self.plan.plan.steps], order)

    def test_minutes_and_ways_are_typed_and_followed(self):
        self.plan.turn_to("put-card.frame")
        self.panel.minutes.setText("7,5")
        self.panel.minutes.editingFinished.emit()
        self.assertEqual(self.plan.step.minutes, 7.5)
        self.panel.minutes.setText("long")
        self.panel.minutes.editingFinished.emit()
        self.assertEqual((self.plan.step.minutes, self.panel.minutes.text()), (7.5, "7.5"))
        self.panel.copies.setText("25")
        self.panel.copies.editingFinished.emit()
        self.assertIn("for 25 cards", self.panel.told.text())
        self.panel.until.setText("26:00")
        self.panel.until.editingFinished.emit()
        self.assertIsNone(self.plan.until)
        self.panel.until.setText("23:59")
        self.panel.until.editingFinished.emit()
        self.assertIn("23:59", self.panel.clock.text())

    def test_the_booklet_is_written_in_the_background(self):
        target = self.folder / "booklet.pdf"
        self.window.files.booklet_to(target)
        self.until(lambda: target.exists())
        self.assertEqual(target.read_bytes()[:4], b"%PDF")


class TableTest(BuildWindowTest):
    def sit(self):
        self.now = datetime(2026, 3, 1, 12, 0, tzinfo=UTC)
        self.table.clock = lambda: self.now
        QTest.keyClick(self.window, Qt.Key.Key_F4)
        self.assertTrue(self.table.isVisible())

    def test_space_goes_on_and_where_one_stopped_is_kept(self):
        self.sit()
        for _ in range(3):
            QTest.keyClick(self.table, Qt.Key.Key_Space)
        QTest.keyClick(self.table, Qt.Key.Key_Left)
        here = self.plan.step.id
        QTest.keyClick(self.table, Qt.Key.Key_Escape)
        self.assertEqual(self.window.view.station, "build")
        self.plan.turn_to("finish")
        self.sit()
        self.assertEqual(self.plan.step.id, here)
        self.assertEqual(len(self.book.makes()), 1)

    def test_a_wait_holds_what_needs_it_and_goes_on_meanwhile(self):
        """On a card whose loop must have set before it is opened."""
        self.session.start(load_demo("storm-lantern"))
        self.window.view.go_to("build")
        self.sit()
        last = next(s for s in self.plan.plan.steps if s.kind == "last")
        self.plan.turn_to(last.id)
        QTest.keyClick(self.table, Qt.Key.Key_Space)
        self.assertIn("5:00", self.table.waits.text())
        opening = next(s.id for s in self.plan.plan.steps if s.id.startswith("open-"))
        self.plan.turn_to(opening)
        QTest.keyClick(self.table, Qt.Key.Key_Space)
        self.assertEqual(self.plan.step.id, opening)
        self.now += timedelta(minutes=3)
        self.table.stand_up()
        self.table.sit_down()
        self.assertIn("2:00", self.table.waits.text())
        self.now += timedelta(minutes=3)
        self.plan.turn_to(opening)
        QTest.keyClick(self.table, Qt.Key.Key_Space)
        self.assertNotEqual(self.plan.step.id, opening)

    def test_one_key_a_line_and_a_photograph_are_enough(self):
        self.sit()
        make = self.book.make_id
        QTest.keyClick(self.table, Qt.Key.Key_T)
        QTest.keyClick(self.table, Qt.Key.Key_N)
        QTest.keyClicks(self.table.line, "next time: slot 1 mm wider")
        QTest.keyClick(self.table.line, Qt.Key.Key_Return)
        self.assertEqual(self.plan.number, 1, "Enter in a line is no step")
        picture = self.folder / "p.png"
        Image.new("RGB", (60, 40), (4, 5, 6)).save(picture)
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(picture))])
        drop = QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        self.table.dropEvent(drop)
        kept = self.book.store.get(make)
        self.assertEqual((kept.ran, kept.next_time, len(kept.photographs)), ("tight", "slot 1 mm wider", 1))
        self.assertEqual([e.kind for e in kept.events], ["ran", "note"])

    def test_a_measure_is_typed_where_it_can_be_taken(self):
        self.sit()
        step = next(s for s in self.plan.plan.steps if s.asks)
        self.plan.turn_to(step.id)
        self.table.show_step()
        field = [f for f in self.table.findChildren(QLineEdit) if f.accessibleName() == step.asks[0].name][-1]
        QTest.keyClicks(field, "1 1/16 in")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertAlmostEqual(self.book.make.measures[0].measured, 26.9875)
        self.assertEqual(self.plan.step.id, step.id, "Enter in a field is no step")
        field.setText("wide")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertEqual(len(self.book.make.measures), 1)

    def test_the_next_make_begins_with_what_was_said(self):
        self.book.store.add(Make("old", self.session.design.title, "2026-01-01T10:00:00Z", ended="2026-01-01T11:00:00Z", next_time="rails apart"))
        told = []
        self.table.said.connect(told.append)
        self.sit()
        self.assertIn("rails apart", told[0])

    def test_what_is_foretold_of_a_make_comes_when_it_is_known(self):
        """The share of builds from the background; what the checks say also where they had not spoken when the make began."""
        self.session.start(load_demo("way-home"))
        self.until(self.is_looked_at)
        self.window.view.go_to("build")
        self.table.foretells = True
        with mock.patch.object(self.window.desk, "judgement", None):
            self.sit()
            self.assertEqual(self.book.make.prediction.verdict, "")
        self.window.desk.judged.emit()
        self.until(lambda: self.book.make.prediction.free_share is not None)
        self.assertTrue(0.0 < self.book.make.prediction.free_share <= 1.0)
        self.assertIn(self.book.make.prediction.verdict, ("free", "tight"))

    def test_a_whole_card_is_built_and_its_second_version_uses_what_was_learned(self):
        for k in range(5):
            self.sit()
            step = next(s for s in self.plan.plan.steps if s.asks)
            self.plan.turn_to(self.plan.plan.steps[0].id)
            while not self.book.make.ended:
                if self.plan.step.id == step.id:
                    asked = step.asks[0]
                    measured = asked.designed_mm + 0.3 + 0.02 * k
                    self.book.measure(self.book.make_id, Measure(asked.name, asked.kind, "hand", asked.designed_mm, measured, asked.part))
                QTest.keyClick(self.table, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
            QTest.keyClick(self.table, Qt.Key.Key_F)
            QTest.keyClick(self.table, Qt.Key.Key_Escape)
        self.assertEqual([m.ran for m in self.book.makes()], ["free"] * 5)
        self.window.view.go_to("log")
        panel = self.window.panels["log"]
        before = self.session.design.ways.needed_gap_mm()
        panel.use.click()
        self.assertGreater(self.session.design.ways.needed_gap_mm(), before)
        self.until(self.is_looked_at)
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual(self.session.design.ways.errors, ())


class LogWindowTest(BuildWindowTest):
    def setUp(self):
        super().setUp()
        store = self.book.store
        for k, (title, ran) in enumerate((("The fog lifts", "free"), ("Another card", "stuck"), ("The fog lifts", "tight"))):
            store.add(Make(f"id{k}", title, f"2026-03-0{k + 1}T10:00:00Z", ended="2026-03-09T10:00:00Z", ran=ran, note=f"note {k}"))
        self.window.view.go_to("log")
        self.log, self.panel = self.window.log_view, self.window.panels["log"]

    def rows(self):
        return [self.log.table.item(k, 1).text() for k in range(self.log.table.rowCount())]

    def test_makes_are_listed_searched_and_picked(self):
        self.assertEqual(self.rows(), ["The fog lifts", "Another card", "The fog lifts"])
        QTest.keyClicks(self.log.search, "bound")
        self.assertEqual(self.rows(), ["Another card"])
        self.log.search.clear()
        self.log.table.selectRow(0)
        self.assertEqual(self.book.make_id, "id2")
        self.panel.fields["next_time"].setText("wax it")
        self.panel.fields["next_time"].editingFinished.emit()
        self.assertEqual(self.book.store.get("id2").next_time, "wax it")
        self.panel.other.setCurrentIndex(2)
        self.panel.other.activated.emit(2)
        self.assertIn("note: note 2 | note 0", self.panel.compared.text())

    def test_a_make_is_removed_only_when_that_is_meant(self):
        self.log.table.selectRow(1)
        for answer, left in ((QMessageBox.StandardButton.No, 3), (QMessageBox.StandardButton.Yes, 2)):
            with mock.patch.object(QMessageBox, "question", return_value=answer):
                self.panel._remove()
            self.assertEqual(len(self.book.makes()), left)

    def test_a_batch_says_what_is_to_buy_and_a_make_takes_it(self):
        self.panel.need.click()
        self.until(lambda: "to buy" in self.panel.short.text())
        self.panel.count.setText("40")
        self.panel.item.setCurrentIndex(0)
        self.panel._put()
        self.assertIn("40 sheets", self.panel.things.text())
        self.log.table.selectRow(0)
        self.panel.take.click()
        self.until(lambda: "was taken" in self.panel.short.text())
        self.assertLess(next(t.count for t in shelf.things(self.book.store)), 40)

    def test_the_kit_is_taken_for_the_make_that_it_was_asked_for_and_given_back(self):
        self.book.store.rows("SELECT 1")
        for item in self.panel._items():
            kind, name, unit = shelf.known_item(item, self.session.catalog)
            shelf.put_thing(self.book.store, shelf.Thing(item, item, name, kind, unit, 90.0))
        self.log.table.selectRow(0)
        asked = self.book.make_id
        self.panel.take.click()
        self.log.table.selectRow(1)
        self.until(lambda: "was taken" in self.panel.short.text())
        self.assertTrue(shelf.has_taken(self.book.store, asked))
        self.assertFalse(shelf.has_taken(self.book.store, self.book.make_id))
        self.assertEqual(self.panel.take.text(), "take the kit")
        self.log.table.selectRow(0)
        self.assertEqual(self.panel.take.text(), "give the kit back")
        self.panel.take.click()
        self.assertEqual({t.count for t in shelf.things(self.book.store)}, {90.0})

    def test_a_log_that_cannot_be_opened_is_told_and_nothing_else_suffers(self):
        self.book.close()
        told = []
        self.book.said.connect(told.append)
        with mock.patch("lexipod.app.state.logbook.Store", side_effect=LogError("the log is damaged; import your last backup")):
            self.log.refresh()
            self.panel.refresh()
        self.assertIn("damaged", told[0])
        self.window.view.go_to("card")
        self.assertEqual(self.window.view.station, "card")

    def test_the_design_opens_as_it_was(self):
        make = self.book.begin()
        self.session.edit(load_demo("dome-opens"), text="another card")
        self.session.history.mark_saved()
        self.book.make_id = make.id
        self.panel._open_as_it_was()
        self.assertEqual(self.session.design.title, "The fog lifts")


if __name__ == "__main__":
    unittest.main()
