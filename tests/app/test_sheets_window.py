"""The station Sheets, driven as a person would: settings, pieces moved by hand, the way to the plotter."""

import math
import os
import tempfile
import unittest
from unittest import mock

from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtTest import QTest

from lexipod.demo import load_demo
from lexipod.fabricate.machining import plot_programs
from lexipod.nesting import Spot, find_faults
from lexipod_plotter import Fault, Machine
from lexipod_plotter.serve import Server
from tests.app.windowing import WindowTest


class SheetsWindowTest(WindowTest):
    design = load_demo("tide-brings")

    def setUp(self):
        super().setUp()
        self.window.view.go_to("sheets")
        self.bench = self.window.sheet_bench
        self.sheets, self.top = self.bench.sheets, self.bench.table.top
        self.panel = self.window.panels["sheets"]
        self.until(lambda: self.sheets.is_current)

    def settle(self):
        self.until(lambda: self.sheets.is_current and not self.sheets.laying.is_running)

    def place_of(self, name):
        return next((s.number, spot) for s in self.sheets.sheets.sheets for p, spot, _ in s.pieces if p.name == name)

    def name_of(self, blank):
        return next(p.name for s in self.sheets.sheets.sheets for p, _, _ in s.pieces if p.blank.name == blank)

    def on_table(self, name):
        """The point of the table over the middle of a piece."""
        laid, region = next((row, r) for row in self.top._laid for p, _, r in row.sheet.pieces if p.name == name)
        x, y = region.representative_point().coords[0]
        return QPointF(laid.left + x * self.top.scale, laid.bottom - y * self.top.scale)

    def sound(self):
        for layout in self.sheets.sheets.layouts.values():
            self.assertEqual(find_faults(layout, self.sheets.sheeting.gap_mm), [])

    def test_copies_and_way_of_cutting_are_typed_and_undone(self):
        laying = self.panel.laying
        laying.copies.setFocus()
        laying.copies.setText("3")
        QTest.keyClick(laying.copies, Qt.Key.Key_Return)
        self.settle()
        self.assertIn("for 3 cards", laying.told.text())
        self.assertEqual({p.copy for s in self.sheets.sheets.sheets for p, _, _ in s.pieces}, {1, 2, 3})
        laying.cuts.activated.emit(1)
        self.settle()
        self.assertEqual(self.session.design.sheeting.cuts, "free")
        self.sound()
        self.session.undo()
        self.session.undo()
        self.settle()
        self.assertEqual((self.sheets.sheeting.copies, self.sheets.sheeting.cuts), (1, "straight"))
        laying.copies.setText("999")
        laying.copies.editingFinished.emit()
        self.assertEqual(self.sheets.sheeting.copies, 1)
        laying.gap.setText("nonsense")
        laying.gap.editingFinished.emit()
        self.assertIsNone(self.sheets.sheeting.gap)

    def test_a_piece_is_dragged_locked_and_kept_and_another_makes_way(self):
        self.sheets.change("free", cuts="free")
        self.settle()
        name, other = self.name_of("backing disc"), self.name_of("wheel")
        number, before = self.place_of(name)
        start, target = self.on_table(name), self.on_table(other)
        self.mouse(self.top, QEvent.Type.MouseButtonPress, start)
        for share in (0.3, 0.7, 1.0):
            self.mouse(self.top, QEvent.Type.MouseMove, start + share * (target - start))
        self.mouse(self.top, QEvent.Type.MouseButtonRelease, target, held=False)
        self.settle()
        after = self.place_of(name)
        self.assertNotEqual((number, before), after)
        self.assertIn(name, self.sheets.locked)
        self.sound()
        self.assertEqual(len(self.session.design.sheeting.placed), sum(len(s.pieces) for s in self.sheets.sheets.sheets) - 1)
        self.sheets.lay_anew()
        self.settle()
        self.assertEqual(self.place_of(name)[1].x_mm, after[1].x_mm)
        self.session.undo()
        self.session.undo()
        self.settle()
        self.assertEqual(self.place_of(name), (number, before))

    def test_keys_move_turn_and_lock_and_a_place_off_the_sheet_is_refused(self):
        self.sheets.change("free", cuts="free")
        self.settle()
        said = []
        self.sheets.said.connect(said.append)
        name = self.name_of("backing disc")
        self.top.setFocus()
        self.top.pick(name)
        sheet, _, spot = self.top.picked_piece
        self.assertTrue(self.sheets.place(name, sheet, Spot(name, spot.board, 4.5, 250.0 - 60.0, spot.turn)))
        self.settle()
        self.sheets.lock(name, on=False)
        self.settle()
        for key in (Qt.Key.Key_R, Qt.Key.Key_L):
            QTest.keyClick(self.top, key)
            self.settle()
        self.assertNotIn(name, self.sheets.locked)
        for _ in range(3):
            QTest.keyClick(self.top, Qt.Key.Key_Left)
            self.settle()
        self.assertTrue(said)
        self.assertGreaterEqual(self.place_of(name)[1].x_mm, self.sheets.sheeting.margin_mm - 1e-6)
        self.sound()
        laying = self.panel.laying
        laying.stock.activated.emit(laying.stock.findData("cover-80lb"))
        self.settle()
        self.assertEqual(next(s.lot.stock for s in self.sheets.sheets.sheets for p, _, _ in s.pieces if p.name == name), "cover-80lb")
        QTest.keyClick(self.top, Qt.Key.Key_PageDown)
        self.assertNotEqual(self.top.picked, name)

    def test_a_search_shows_its_best_and_can_be_stopped(self):
        self.sheets.change("free", cuts="free", copies=2)
        self.settle()
        before = [layout.worth for layout in self.sheets.sheets.layouts.values()]
        self.sheets.search(20.0)
        shares = []
        self.sheets.went_on.connect(shares.append)
        self.until(lambda: self.sheets._better is not None and shares)
        self.sheets.stop_search()
        self.settle()
        self.assertFalse(self.sheets.searching.is_running)
        self.assertTrue(self.session.design.sheeting.placed)
        self.assertLessEqual([layout.worth for layout in self.sheets.sheets.layouts.values()], before)
        self.sound()

    def test_list_kit_files_and_printers(self):
        self.panel.show_tab("list")
        self.until(lambda: self.panel.list.kit is not None)
        self.panel.list.both.setChecked(True)
        self.panel.list.copy_list()
        text = self.app.clipboard().text()
        self.assertIn("Card 300 g/m²", text)
        self.assertRegex(text, r"in \(.* mm")
        self.panel.list.copy_kit()
        self.assertIn("A2 envelope", self.app.clipboard().text())
        self.panel.show_tab("cutting")
        self.panel.cutting.what.setCurrentIndex(0)
        self.panel.cutting._use_what("pieces")
        self.assertTrue(self.bench.templates.isVisible())
        self.bench.show_templates(on=False)
        self.measure_a_printer_and_keep_off_cuts()

    def measure_a_printer_and_keep_off_cuts(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": folder}):
            cutting = self.panel.cutting
            cutting.name.setText("Study")
            cutting.across.setText("99.4")
            cutting.up.setText("10 in")
            cutting.keep_printer()
            self.assertEqual(self.session.design.ways.printer, "")
            cutting.up.setText("100.2")
            cutting.keep_printer()
            self.assertEqual(self.session.design.ways.printer, "study")
            self.assertEqual(self.session.catalog.printers["study"].across_mm, 99.4)
            self.settle()
            self.panel.laying.keep_offcuts()
            self.assertTrue(self.session.catalog.offcuts)
            self.session.edit(load_demo("fog-lifts"), text="another card")

    def test_a_sheet_is_cut_with_a_jam_in_the_middle_and_nothing_twice(self):
        self.sheets.change("free", cuts="free")
        self.settle()
        machine = Machine(faults=[Fault("jam", 400.0)])
        server = Server(machine, hurry=math.inf).start()
        self.addCleanup(server.close)
        cutting = self.panel.cutting
        self.panel.show_tab("cutting")
        cutting.address.setText("nowhere")
        cutting.start_sending()
        self.assertFalse(cutting.sending.is_running)
        cutting.address.setText("localhost:1")
        cutting.start_sending()
        self.until(lambda: not cutting.sending.is_running)
        self.assertIn("switch it on", cutting.state.text())
        self.assertEqual(cutting.send.text(), "cut this sheet")
        cutting.address.setText(f"localhost:{server.port}")
        cutting.start_sending()
        self.until(lambda: not cutting.sending.is_running)
        self.assertIn("jammed", cutting.state.text())
        self.assertEqual(cutting.send.text(), "go on")
        program = plot_programs(self.sheets.sheets, self.window.desk.assembly, self.session.catalog, self.session.design.ways)[0]
        self.sheets.change("more cards", copies=2)  # what is begun is cut to its end as it was
        server.clear()
        cutting.start_sending()
        self.until(lambda: "is cut" in cutting.state.text())
        self.assertAlmostEqual(machine.report.down_mm, program.down_mm, delta=0.2)


if __name__ == "__main__":
    unittest.main()
