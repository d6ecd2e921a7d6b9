"""The station Pictures in the real window: put on, laid where it is read, dragged, sized, turned, asked, and seen as its reader sees it."""

import unittest

import msgspec
import numpy as np
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QPushButton

from lexipod.app.jobs.job import Job
from lexipod.app.panels.fields import QuantityField
from lexipod.demo import load_demo
from lexipod.design import Card, Item
from lexipod.pictures.loading import _read
from tests.app.windowing import WindowTest
from tests.fabricate.test_guides import pdf_boxes
from tests.zoo import card_with

SUN = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 20"><rect width="30" height="20" fill="#c04020"/></svg>'


class PicturesTest(WindowTest):
    design = card_with("window-wheel", Card(size="na.a7"))

    def setUp(self):
        super().setUp()
        self.view, self.card = self.window.view, self.window.card_view
        self.session.save(self.folder / "wheel.lexipod")
        (self.folder / "sun.svg").write_text(SUN)
        self.window.doing.go_to("pictures")
        self.panel = self.window.pictures_panel
        self.app.processEvents()

    def items(self):
        return self.session.design.items

    def button(self, text):
        self.app.processEvents()
        return next(b for b in self.panel.findChildren(QPushButton) if b.text() == text and b.isVisible())

    def click(self, x, y):
        QTest.mouseClick(self.card, Qt.MouseButton.LeftButton, pos=self.card.to_view(x, y).toPoint())

    def window_middle(self):
        frame = self.window.desk.assembly.by_id["card.frame"]
        ring = max(frame.region_at_home.interiors, key=lambda r: r.length)
        left, bottom, right, top = ring.bounds
        return (left + right) / 2, (bottom + top) / 2

    def test_a_picture_that_takes_long_to_read_keeps_nobody_waiting_when_its_card_is_opened(self):
        """More than 120 kB: read aside, the card is there meanwhile; what cannot be read is told, and the rest is drawn."""
        spots = f'<!--{" much " * 22000}--><path d="M10 10h50v20h-50z" fill="#203040"/>'
        (self.folder / "heavy.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 40">{spots}</svg>')
        (self.folder / "torn.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 40">{spots}')
        for name, on in (("heavy", "card.frame"), ("torn", "card.front"), ("sun", "m1.wheel")):
            item = Item(name, "picture", on, source=f"{name}.svg", width=20.0, height=10.0, proportion=2.0)
            self.session.edit(msgspec.structs.replace(self.session.design, items=(*self.items(), item)), text=name)
        self.session.save(self.folder / "wheel.lexipod")
        desk = self.window.desk
        self.until(lambda: not desk.unread)
        _read.clear()
        self.session.edit(msgspec.structs.replace(self.session.design, items=()), text="bare")
        self.session.open(self.folder / "wheel.lexipod")
        self.assertEqual(sorted(desk.unread), ["heavy.svg"])  # the other one is known to be torn
        self.assertIn("heavy.svg is being read", "; ".join(desk.picture_faults))
        self.assertIn("m1.wheel", desk.art)
        self.assertNotIn("card.frame", desk.art)
        self.until(lambda: "card.frame" in desk.art)
        self.assertEqual(desk.unread, {})
        self.assertIn("torn.svg", "; ".join(desk.picture_faults))
        self.assertIn("torn.svg", self.window.strip.label.text())
        (self.folder / "torn.svg").write_text((self.folder / "heavy.svg").read_text())  # mended, and the card opened again
        self.session.edit(msgspec.structs.replace(self.session.design, items=()), text="bare")
        self.session.open(self.folder / "wheel.lexipod")
        self.until(lambda: not desk.picture_faults)

    def test_a_wheel_of_six_pictures_by_placing_one(self):
        self.panel.acts.add_picture(self.folder / "sun.svg")
        (item,) = self.items()
        self.assertEqual(item.on, "card.frame")  # what is seen most
        self.assertEqual((self.view.picked_item, item.proportion), (item.id, 1.5))
        self.button("lay where I press (L)").click()
        self.assertTrue(self.view.lays)
        self.click(*self.window_middle())
        self.assertFalse(self.view.lays)
        self.assertEqual(self.items()[0].on, "m1.wheel")
        self.button("within what is seen").click()
        self.assertLess(self.items()[0].width, 30.1)
        self.assertGreater(self.items()[0].width, 20.0)
        self.button("at the other halts too").click()
        self.assertEqual(len(self.items()), 6)
        self.assertEqual(len({i.turn for i in self.items()}), 6)
        for _ in range(2):
            QTest.keyClick(self.card, Qt.Key.Key_BracketRight)
            self.window.doing.to_halt("1")
        self.assertEqual(self.view.travel["m1"] % 60.0, 0.0)
        self.until(lambda: self.panel.seen and not self.panel.seeing.is_running)
        best = {i.id: max(s for _, _, s in self.panel.seen[i.id]) for i in self.items()}
        self.assertEqual({round(v, 2) for v in best.values()}, {1.0})
        self.window.doing.undo()
        self.assertEqual(len(self.items()), 1)
        self.window.doing.undo()
        self.window.doing.undo()
        self.assertEqual(self.items()[0].on, "card.frame")

    def test_the_hands_move_size_and_turn_and_each_is_one_step(self):
        self.panel.acts.add_picture(self.folder / "sun.svg")
        (before,) = self.items()
        hands = self.card.pictures
        for hand, way in (("move", QPointF(30, -12)), ("size", QPointF(25, 18)), ("turn", QPointF(40, 25))):
            lying = hands.picked
            start = hands.hands(lying, self.card.to_view)[hand]
            QTest.mousePress(self.card, Qt.MouseButton.LeftButton, pos=start.toPoint())
            for share in (0.4, 1.0):
                QTest.mouseMove(self.card, (start + way * share).toPoint())
            QTest.mouseRelease(self.card, Qt.MouseButton.LeftButton, pos=(start + way).toPoint())
            (after,) = self.items()
            changed = {"move": "at", "size": "width", "turn": "turn"}[hand]
            self.assertNotEqual(getattr(after, changed), getattr(before, changed), hand)
            self.assertAlmostEqual(after.width / after.height, 1.5, delta=0.01)
            before = after
        self.assertGreater(before.width, 40.0)
        self.assertLess(before.turn, 0.0)  # to the right is clockwise
        for _ in range(3):
            self.window.doing.undo()
        self.assertEqual((self.items()[0].turn, self.items()[0].width), (0.0, 40.0))
        start = hands.hands(hands.picked, self.card.to_view)["move"]
        QTest.mousePress(self.card, Qt.MouseButton.LeftButton, pos=start.toPoint())
        QTest.mouseMove(self.card, (start + QPointF(50, 0)).toPoint())
        QTest.keyClick(self.card, Qt.Key.Key_Escape)
        QTest.mouseRelease(self.card, Qt.MouseButton.LeftButton, pos=start.toPoint())
        self.assertEqual(self.items()[0].at, self.items()[0].at)
        self.assertEqual(self.session.history.undo_text, "put a1 on")

    def test_keys_pick_nudge_turn_and_take_off(self):
        self.panel.acts.add_picture(self.folder / "sun.svg")
        self.panel.acts.add_greeting()
        self.assertEqual([i.kind for i in self.items()], ["picture", "greeting"])
        self.card.setFocus()
        QTest.keyClick(self.card, Qt.Key.Key_N)
        self.assertEqual(self.view.picked_item, self.items()[0].id)
        at = self.items()[0].at
        QTest.keyClick(self.card, Qt.Key.Key_Right)
        self.assertAlmostEqual(self.items()[0].at[0] - at[0], 0.5)
        QTest.keyClick(self.card, Qt.Key.Key_Comma)
        self.assertEqual(self.items()[0].turn, 15.0)
        QTest.keyClick(self.card, Qt.Key.Key_Period, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.items()[0].turn, 14.0)
        QTest.keyClick(self.card, Qt.Key.Key_Delete)
        self.assertEqual([i.kind for i in self.items()], ["greeting"])
        self.assertEqual(self.view.picked_item, "")
        self.window.doing.undo()
        self.assertEqual(len(self.items()), 2)

    def test_a_greeting_is_typed_set_on_an_arc_and_asked_for(self):
        self.panel.acts.add_greeting()
        editor = self.panel.editor
        editor.words.setPlainText("What the tide\nbrings")
        self.assertEqual(self.items()[0].text, "What the tide\nbrings")
        editor.words.setPlainText("What the tide brings")
        field = next(f for f in editor.findChildren(QuantityField) if f.accessibleName() == "capitals")
        field.setFocus()
        field.setText("large")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertTrue(field.property("wrong"))
        field.setText("4")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertEqual(self.items()[0].height, 4.0)
        editor._set_along("arc")
        self.assertEqual((self.items()[0].along, self.items()[0].radius), ("arc", 16.0))
        boxes = {b.text(): b for b in editor.findChildren(QCheckBox)}
        boxes["hidden at rest"].click()
        self.assertTrue(self.items()[0].hide_at_rest)
        self.until(self.is_judged)
        self.assertIn("peeps out at rest", editor.told.text())
        self.assertTrue(any("seen" in row.label and row.rule == "picture-hidden" for row in self.window.desk.judgement.rows["m1"]))
        self.assertEqual(self.window.desk.judgement.findings[0].rule, "picture-hidden")

    def test_a_picture_from_elsewhere_is_copied_beside_the_card_and_a_bad_one_changes_nothing(self):
        other = self.folder / "elsewhere"
        other.mkdir()
        (other / "sun.svg").write_text(SUN.replace("#c04020", "#2040c0"))
        self.session.save(self.folder / "cards.lexipod")
        deep = self.folder / "deep"
        deep.mkdir()
        self.session.save(deep / "card.lexipod")
        self.panel.acts.add_picture(other / "sun.svg", copies=False)
        self.assertEqual(self.items(), ())
        self.panel.acts.add_picture(other / "sun.svg", copies=True)
        self.assertTrue((deep / "sun.svg").is_file())
        self.assertEqual(self.items()[0].source, "sun.svg")
        self.panel.acts.add_picture(self.folder / "sun.svg", copies=True)
        self.assertEqual(self.items()[1].source, "sun-2.svg")
        (deep / "bad.png").write_bytes(b"no picture")
        self.panel.acts.add_picture(deep / "bad.png")
        self.assertEqual(len(self.items()), 2)
        self.assertIn("no picture", self.window.strip.label.text())

    def test_a_greeting_on_a_dark_picture_is_white(self):
        (self.folder / "night.svg").write_text(SUN.replace("#c04020", "#101830"))
        self.panel.acts.add_greeting()
        self.assertEqual(self.items()[0].colour, "")
        self.panel.acts.take_off()
        self.panel.acts.add_picture(self.folder / "night.svg")
        self.panel.acts.cover_piece()
        self.panel.acts.add_greeting()
        self.assertEqual((self.items()[1].kind, self.items()[1].colour), ("greeting", "#fffdf8"))

    def test_what_takes_long_to_read_is_read_aside_and_put_on_then(self):
        spots = "".join(f'<circle cx="{4 * (k % 15)}" cy="{4 * (k // 15)}" r="1" fill="#20406{k % 10}"/>' for k in range(225)) + " " * 150_000
        path = self.folder / "spots.svg"
        path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="-1 -1 62 62">{spots}</svg>')
        acts = self.panel.acts
        acts.add_picture(path)
        self.assertEqual(self.items(), ())
        self.assertTrue(acts.reading.is_running)
        self.assertIn("Reading spots.svg", self.window.strip.label.text())
        self.until(self.items)
        self.assertEqual((self.items()[0].source, self.items()[0].proportion), ("spots.svg", 1.0))
        path.write_text("<svg" + " " * 200_000)
        acts.add_picture(path)
        self.until(lambda: not acts.reading.is_running)
        self.assertIn("is not a safe SVG", self.window.strip.label.text())
        self.assertEqual(len(self.items()), 1)

    def test_a_mat_is_laid_across_the_fold_from_its_fields_and_outlined_on_both_panels(self):
        self.session.edit(load_demo("two-shores"), text="open")
        self.window.view.go_to("pictures")
        panel = self.window.pictures_panel
        self.assertEqual([b.text() for b in panel.halts.findChildren(QPushButton)], ["shut", "card open", "all open"])
        QTest.mouseClick(panel.halts.findChildren(QPushButton)[-1], Qt.MouseButton.LeftButton)
        self.window.view.pick_item("mat")
        halves = [row for row in self.window.card_view.pictures.lying if row.item.id == "mat"]
        sides = [self.window.desk.assembly.panels[p].region.area for p in ("m1.item-mat", "m1.item-mat-across")]
        self.assertEqual([round(row.box.width * row.box.height, 3) for row in halves], [round(a, 3) for a in sides])
        acts = [b.text() for b in panel.editor.inner.findChildren(QPushButton)]
        self.assertEqual(acts, ["take off"])  # it lies where its border says, and on two panels
        box = panel.editor.across_box
        self.assertEqual([box.itemData(k) for k in range(box.count())], ["", "m1.back", "m1.quarter-2"])
        box.setCurrentIndex(0)
        box.activated.emit(0)
        self.assertEqual(self.session.design.find_item("mat").across, "")
        self.assertIn("on all pieces alike", [b.text() for b in panel.editor.inner.findChildren(QPushButton)])
        self.window.doing.undo()
        self.assertEqual(self.session.design.find_item("mat").across, "m1.quarter-2")
        panel.editor._pick("on", "m1.quarter-2")  # what lay beside the one panel need not lie beside another
        self.assertEqual((self.session.design.find_item("mat").on, self.session.design.find_item("mat").across), ("m1.quarter-2", ""))

    def test_a_picture_goes_to_the_middle_of_what_is_seen_of_its_part(self):
        self.panel.acts.add_picture(self.folder / "sun.svg")
        x, y = self.window_middle()
        self.panel.acts.lay_at(x + 2.0, y - 1.5)
        before = self.items()[0]
        self.panel.acts.to_middle_of_seen()
        after = self.items()[0]
        self.assertEqual((after.width, after.on), (before.width, before.on))
        self.assertAlmostEqual(after.at[0] - before.at[0], -2.0, delta=0.05)
        self.assertAlmostEqual(after.at[1] - before.at[1], 1.5, delta=0.05)

    def test_a_photograph_is_shown_and_a_cut_out_becomes_a_part(self):
        image = Image.new("RGBA", (120, 80), (0, 0, 0, 0))
        image.paste((200, 60, 40, 255), (20, 10, 100, 70))
        image.save(self.folder / "photo.png")
        self.panel.acts.add_picture(self.folder / "photo.png", "shape")
        (item,) = self.items()
        self.assertIn(f"card.item-{item.id}", self.window.desk.assembly.by_id)
        lying = self.card.pictures.picked
        x, y = lying.on_card(np.array([lying.box.middle]))[0]
        self.view.pick_item("")
        colour = self.card.grab().toImage().pixelColor(self.card.to_view(float(x), float(y)).toPoint())
        self.assertGreater(colour.red() - colour.blue(), 80)

    def test_the_card_as_its_reader_sees_it_and_back(self):
        window = self.window
        window.doing.switch_reader()
        self.app.processEvents()
        self.assertFalse(window.header.isVisible() or window.right.isVisible() or window.ribbon_frame.isVisible())
        self.assertTrue(window.reader_bar.isVisible())
        self.assertEqual(self.card.handles, ())
        window.doing.to_halt("1")
        self.assertEqual(self.view.travel["m1"], 60.0)
        window.files.export_to(self.folder / "read.png")
        self.until((self.folder / "read.png").exists)
        self.until(lambda: not any(job.is_running for job in window.files.findChildren(Job)))
        QTest.keyClick(self.card, Qt.Key.Key_Escape)
        self.assertEqual(self.view.station, "pictures")
        self.assertTrue(window.header.isVisible())


class CutTest(WindowTest):
    design = card_with("dial-riders", Card(size="na.a7"))

    def test_a_picture_is_cut_in_two_along_a_line_drawn_on_the_card(self):
        window, view = self.window, self.window.view
        self.session.save(self.folder / "shell.lexipod")
        (self.folder / "sun.svg").write_text(SUN)
        window.doing.go_to("pictures")
        panel, card = window.pictures_panel, window.card_view
        self.app.processEvents()
        panel.acts.add_picture(self.folder / "sun.svg")
        upper = window.desk.assembly.by_id["m1.half-upper"].region_at_home
        left, meet, right, _ = upper.bounds
        panel.acts.lay_at((left + right) / 2, meet + 4.0)
        (item,) = self.session.design.items
        self.assertEqual(item.on, "m1.half-upper")
        panel.acts.begin_cut()
        card.setFocus()
        for x in (left + 3.0, right - 3.0):
            QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=card.to_view(x, meet + 0.5).toPoint())
        self.assertEqual(len(view.cut_line), 2)
        QTest.keyClick(card, Qt.Key.Key_Return)
        self.assertIsNone(view.cut_line)
        self.assertEqual([(i.on, i.cut_side) for i in self.session.design.items], [("m1.half-upper", "left"), ("m1.half-lower", "right")])
        window.doing.undo()
        self.assertEqual(len(self.session.design.items), 1)
        panel.acts.begin_cut()
        QTest.keyClick(card, Qt.Key.Key_Escape)
        self.assertIsNone(view.cut_line)


class FoldPicturesTest(WindowTest):
    design = card_with("waterfall", Card(size="na.a7"))

    def test_greetings_on_the_leaves_of_a_waterfall(self):
        window, view = self.window, self.window.view
        window.doing.go_to("pictures")
        panel = window.pictures_panel
        self.app.processEvents()
        panel.acts.add_greeting()
        panel.acts.lay_at(63.0, 100.0)
        (item,) = self.session.design.items
        self.assertEqual(item.on, "m1.leaf-1")
        panel.acts.also_elsewhere()
        self.assertEqual(len(self.session.design.items), 5)
        view.set_travel("m1", 180.0)
        self.app.processEvents()
        card = window.card_view
        seen = [row.item.id for row in card.pictures.lying if row.is_towards]
        leaf = next(row for row in card.pictures.lying if row.item.on == "m1.leaf-2")
        x, y = leaf.on_card(np.array([leaf.box.middle]))[0]
        QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=card.to_view(float(x), float(y)).toPoint())
        self.assertIn(view.picked_item, seen)
        view.set_travel("m1", 90.0)  # something stands: nothing can be laid
        panel.acts.lay_at(60.0, 90.0)
        self.assertIn("stands up", window.strip.label.text())


class OpeningTest(WindowTest):
    design = card_with("iris", Card(size="na.a7"))

    def test_a_picture_in_the_opening_of_an_iris_is_hidden_and_shown_and_its_guide_measured(self):
        window, view = self.window, self.window.view
        self.session.save(self.folder / "iris.lexipod")
        (self.folder / "sun.svg").write_text(SUN)
        window.doing.go_to("pictures")
        panel = window.pictures_panel
        window.doing.to_halt("1")
        drive = window.desk.drive
        self.assertEqual(view.travel["m1"], drive.end)
        panel.acts.add_picture(self.folder / "sun.svg")
        ring = max(window.desk.assembly.by_id["card.frame"].region_at_home.interiors, key=lambda r: r.length)
        left, bottom, right, top = ring.bounds
        panel.acts.lay_at((left + right) / 2, (bottom + top) / 2)
        panel.acts.fit_within()
        (item,) = self.session.design.items
        self.assertEqual(item.on, "card.front")
        self.assertLess(np.hypot(item.width, item.height), right - left + 0.06)  # a rectangle in a circle
        self.assertGreater(np.hypot(item.width, item.height), 0.8 * (right - left))
        for name in ("hide_at_rest", "show_at_end"):
            panel.editor.flags[name].click()
        self.until(self.is_judged)
        self.assertEqual([f.rule for f in window.desk.judgement.findings if f.rule.startswith("picture")], [])
        row = next(r for r in window.desk.judgement.rows["m1"] if r.label == "picture “sun” seen")
        self.assertEqual(row.values[0], 0.0)
        self.assertGreater(row.values[-1], 0.99)
        window.files.export_to(self.folder / "guides.pdf", what="guides")
        self.until(lambda: not any(job.is_running for job in window.files.findChildren(Job)))
        boxes = np.vstack(pdf_boxes((self.folder / "guides.pdf").read_bytes()))
        wanted = (round(right - left, 1), round(top - bottom, 1))
        self.assertLess(np.abs(boxes - wanted).max(axis=1).min(), 0.5)  # the window, with the width of its line


class TwistTest(WindowTest):
    design = card_with("twist-popup", Card(size="na.a7"))

    def test_a_picture_on_the_platform_is_laid_through_the_window_of_the_shut_card(self):
        window = self.window
        self.session.save(self.folder / "twist.lexipod")
        (self.folder / "sun.svg").write_text(SUN)
        window.doing.go_to("pictures")
        panel = window.pictures_panel
        for step in ("1", "-1"):
            window.doing.to_halt(step)
        self.assertEqual(window.view.travel["m1"], 0.0)
        panel.acts.add_picture(self.folder / "sun.svg")
        front = window.desk.assembly.panels["card.front"].region
        ring = front.interiors[0]
        left, bottom, right, top = ring.bounds
        panel.acts.lay_at(-(left + right) / 2, (bottom + top) / 2)  # the cover lies over the back, mirrored at the fold
        (item,) = self.session.design.items
        self.assertEqual(item.on, "m1.platform")
        panel.editor.flags["show_at_end"].click()
        self.until(self.is_judged)
        self.assertEqual([f.title for f in window.desk.judgement.findings if f.rule == "picture-shown"], [])
        self.until(lambda: item.id in panel.seen and not panel.seeing.is_running)
        shares = {round(travel): share for _, travel, share in panel.seen[item.id]}
        self.assertEqual((round(shares[0], 2), round(shares[180], 2)), (1.0, 1.0))


if __name__ == "__main__":
    unittest.main()
