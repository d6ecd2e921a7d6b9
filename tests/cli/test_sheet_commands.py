"""Sheets, kit, sending and printers from the command line."""

import csv
import io
import json
import math

import shapely

from lexipod.demo import load_demo
from lexipod.design import read_design
from lexipod_plotter import Fault, Machine
from lexipod_plotter.serve import Server
from tests.cli.file_case import FileCase
from tests.cli.test_commands import call


class SheetCommandTest(FileCase):
    card = "tide-brings"

    def test_sheets_gives_what_is_documented(self):
        told = json.loads(call("sheets", self.file, "--copies", 2, "--cuts", "free", "--sheet", "a4", "--json")[1])
        self.assertEqual((told["format"], told["copies"]), ("lexipod-sheets/1", 2))
        self.assertEqual({s["sheet"] for s in told["sheets"] if s["stock"] == "card-300"}, {"a4"})
        for sheet in told["sheets"]:
            used = sum(shapely.Polygon(p["polygon"], p["holes"]).area for p in sheet["pieces"])
            self.assertAlmostEqual(sheet["use"], used / (sheet["width"] * sheet["height"]), places=3)
        self.assertEqual({p["copy"] for s in told["sheets"] for p in s["pieces"]}, {1, 2})
        self.assertEqual(read_design(self.file), load_demo("tide-brings"))

    def test_the_layout_is_kept_when_asked_and_off_cuts_go_to_the_shelf(self):
        status, text, _ = call("sheets", self.file, "--keep", "--keep-offcuts")
        self.assertEqual(status, 0)
        self.assertIn("stop at", text)
        self.assertEqual(len(read_design(self.file).sheeting.placed), 13)
        self.assertIn("offcut-1", (self.folder / "settings" / "lexipod" / "catalog" / "offcuts.toml").read_text(encoding="utf-8"))

    def test_status_1_and_why_when_a_piece_finds_no_sheet(self):
        status, text, _ = call("sheets", self.file, "--sheet", "a5")
        self.assertEqual(status, 1)
        self.assertIn("no room for card", text)

    def test_kit_as_text_csv_and_json_agree(self):
        told = json.loads(call("kit", self.file, "--copies", 25, "--json")[1])
        rows = list(csv.DictReader(io.StringIO(call("kit", self.file, "--copies", 25, "--csv")[1])))
        self.assertEqual([r["item"] for r in rows], [r["item"] for r in told["rows"]])
        self.assertAlmostEqual(sum(float(r["cost"] or 0) for r in rows), told["total"], delta=0.01)
        self.assertIn(f"{told['total']:.2f}", call("kit", self.file, "--copies", 25)[1])

    def test_sending_goes_on_where_a_jam_stopped_it(self):
        server = Server(Machine(faults=[Fault("jam", 500.0)]), hurry=math.inf).start()
        self.addCleanup(server.close)
        target = f"localhost:{server.port}"
        error = self.refused("send", self.file, "--to", target, "--number", 1)
        self.assertIn("jammed", error)
        run = error.split("--from-run ")[1].split()[0]
        server.clear()
        status, text, _ = call("send", self.file, "--to", target, "--number", 1, "--from-run", run)
        self.assertEqual(status, 0, text)
        self.assertIn("runs done", text)

    def test_files_for_the_plotter_and_all_exports(self):
        for name in ("a.plt", "b.dxf", "c.svg", "d.pdf", "e.png"):
            self.assertEqual(call("export", self.file, "--to", self.folder / name, "--what", "sheets", "--number", 1)[0] if name != "a.plt" else 0, 0)
        self.assertEqual(call("send", self.file, "--to", self.folder / "a.plt")[0], 0)
        self.assertTrue((self.folder / "a.plt").read_text(encoding="ascii").startswith("IN;"))
        for what in ("list", "check"):
            self.assertEqual(call("export", self.file, "--to", self.folder / f"{what}.pdf", "--what", what)[0], 0)

    def test_the_cut_list_tells_both_units(self):
        self.assertRegex(call("cutlist", self.file, "--both")[1], r"8 1/2 in × 5 1/2 in \(215\.9 mm × 139\.7 mm\)")

    def test_bad_calls_are_refused_in_one_line_and_leave_everything_as_it_was(self):
        before = self.file.read_bytes()
        for words, told in (
            (("sheets", self.file, "--copies", 500), "cut these sheets as often"),
            (("sheets", self.file, "--margin", "200mm"), "0 to 100"),
            (("sheets", self.file, "--margin", "100mm", "--sheet", "a5"), "leave nothing"),
            (("sheets", self.file, "--only", "m9.none"), "m1.wheel"),
            (("sheets", self.file, "--sheet", "papyrus"), "letter"),
            (("sheets", self.file, "--better", -3), "out of range"),
            (("send", self.file, "--to", "localhost:1"), "switch it on"),
            (("send", self.file, "--to", "somewhere"), ".plt"),
            (("send", self.file, "--to", self.folder / "x.plt", "--number", 99), "sheets to plot"),
            (("send", self.file, "--to", "/dev/full/x.plt"), "cannot be written"),
            (("export", self.file, "--to", self.folder / "x.png", "--what", "sheets", "--dpi", 9), "30 to 2400"),
            (("export", self.file, "--to", self.folder / "x.pdf", "--what", "sheets", "--number", 99), "sheets"),
            (("printer", "study", "--across", "60mm", "--up", "100mm"), "90 to 110"),
        ):
            with self.subTest(words=words):
                self.assertIn(told, self.refused(*words))
        self.assertEqual(self.file.read_bytes(), before)
