"""Plan, booklet, log, shelf and accuracy from the command line, as their JSON is documented."""

import json
import re
import unittest
from datetime import datetime

import pypdf
from PIL import Image

from lexipod.design import read_design
from lexipod.errors import ParameterError
from lexipod.planning.told import parse_clock
from tests.cli.file_case import FileCase
from tests.cli.test_commands import call


class RecordCommandTest(FileCase):
    def add(self, *arguments):
        status, out, err = call("log", "add", self.file, *arguments)
        self.assertEqual(status, 0, err)
        return out.strip()


class PlanCommandTest(RecordCommandTest):
    def test_the_plan_is_told_as_documented(self):
        told = json.loads(call("plan", self.file, "--json")[1])
        self.assertEqual((told["format"], told["copies"], told["faults"]), ("lexipod-plan/1", 1, []))
        ids = [s["id"] for s in told["steps"]]
        for k, step in enumerate(told["steps"]):
            self.assertLessEqual({"id", "after", "do", "parts", "minutes", "wait_minutes", "glue", "position", "cautions", "start"}, set(step))
            self.assertLessEqual(set(step["after"]), set(ids[:k]), step["id"])
        self.assertAlmostEqual(told["minutes_hands"], sum(s["minutes"] + s["setup_minutes"] for s in told["steps"]), places=1)
        self.assertGreaterEqual(told["minutes_total"], told["minutes_hands"] - 0.01)
        ends = {s["id"]: s["start"] + s["minutes"] + s["setup_minutes"] for s in told["steps"]}
        for step in told["steps"]:
            for first in step["after"]:
                self.assertGreaterEqual(step["start"], ends[first] - 0.05, f"{step['id']} after {first}")
        self.assertTrue(any(len(g["polygon"]) >= 3 for s in told["steps"] for g in s["glue"]))

    def test_a_batch_by_step_and_by_card(self):
        by_step, by_card = (json.loads(call("plan", self.file, "--copies", 25, "--by", by, "--json")[1]) for by in ("step", "card"))
        self.assertLess(by_step["minutes_hands"], by_card["minutes_hands"])
        self.assertEqual(by_step["copies"], 25)

    def test_a_plan_to_read_with_its_end(self):
        status, text, _ = call("plan", self.file, "--begin", "14:00", "--until", "18:00", "--units", "mm")
        self.assertEqual(status, 0)
        self.assertIn("1. 14:00", text)
        self.assertRegex(text, r"Done at 14:\d\d, 3 h \d\d min before 18:00")
        self.assertRegex(call("plan", self.file, "--copies", 50, "--begin", "14:00", "--until", "16:00")[1], r"By 16:00 \d+ of \d+ steps are done")

    def test_a_card_that_does_not_move_free_has_a_plan_with_a_warning(self):
        call("set", self.file, "travel=60mm")
        status, text, _ = call("plan", self.file)
        self.assertEqual(status, 1)
        self.assertIn("does not move free yet", text)
        self.assertTrue(json.loads(call("plan", self.file, "--json")[1])["blocked"])

    def test_times_are_read_strictly(self):
        noon = datetime(2026, 3, 1, 12, 30)
        self.assertEqual(parse_clock("09:15", noon), datetime(2026, 3, 2, 9, 15))
        with self.assertRaises(ParameterError):
            parse_clock("six o'clock", noon)
        for arguments, told in ((("--until", "25:00"), "18:00"), (("--copies", "0"), "1 to 200"), (("--pace", "-1"), "above 0")):
            self.assertIn(told, self.refused("plan", self.file, *arguments))

    def test_the_booklet_is_read_back_page_by_page(self):
        out = self.folder / "b.pdf"
        self.assertEqual(call("booklet", self.file, "--to", out, "--sheet", "a4", "--copies", 3)[0], 0)
        book = pypdf.PdfReader(out)
        text = "\n".join(p.extract_text() for p in book.pages)
        for told in ("The fog lifts · plan", "· cut list", "· kit", "for 3 cards"):
            self.assertIn(told, text)
        for page in book.pages:
            self.assertAlmostEqual(float(page.mediabox.width) / 72 * 25.4, 210, places=1)
        steps = json.loads(call("plan", self.file, "--json")[1])["steps"]
        flat = " ".join(text.split())
        for step in steps:
            self.assertIn(step["do"].split(":")[0].split(",")[0][:24], flat, step["id"])

    def test_drawings_that_are_to_scale_measure_so(self):
        """Every part that is a plain rectangle, as an independent reader finds it in the drawings, times the scale that is written there."""
        out = self.folder / "b.pdf"
        call("booklet", self.file, "--to", out, "--sheet", "letter")
        parts = json.loads(call("describe", self.file, "--json")[1])["parts"]
        sizes = {}
        for part in parts:
            xs, ys = zip(*part["outline"], strict=True)
            if len(part["outline"]) == 4 and part["quantity"] and part["id"] != "card.back":
                sizes[part["id"]] = (max(xs) - min(xs), max(ys) - min(ys))
        self.assertGreater(len(sizes), 8)
        found = set()
        for page in pypdf.PdfReader(out).pages:
            scales = {float(t) for t in re.findall(r"1 : ([\d.]+)", page.extract_text())}
            drawn = rectangles(page)
            for name, (wide, high) in sizes.items():
                if any(abs(w * s - wide) < 0.06 and abs(h * s - high) < 0.06 for w, h in drawn for s in scales):
                    found.add(name)
        self.assertEqual(found, set(sizes))

    def test_a_booklet_is_a_pdf(self):
        self.assertIn(".pdf", self.refused("booklet", self.file, "--to", self.folder / "b.txt"))


def rectangles(page):
    """Width and height (mm) of every box that is drawn as a path of four corners on a page."""
    out, path, matrices, matrix = [], [], [], (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    for operands, operator in pypdf.generic.ContentStream(page.get_contents(), page.pdf).operations:
        if operator == b"q":
            matrices.append(matrix)
        elif operator == b"Q":
            matrix = matrices.pop()
        elif operator == b"m":
            path = [tuple(map(float, operands))]
        elif operator == b"l":
            path.append(tuple(map(float, operands)))
        elif operator == b"h" and len(path) == 4:
            xs, ys = zip(*path, strict=True)
            if len({round(x, 2) for x in xs}) == 2 and len({round(y, 2) for y in ys}) == 2:
                out.append(((max(xs) - min(xs)) / 72 * 25.4, (max(ys) - min(ys)) / 72 * 25.4))
    return out


class LogCommandTest(RecordCommandTest):
    def test_a_make_is_added_listed_shown_and_told_more(self):
        photo = self.folder / "p.png"
        Image.new("RGB", (300, 200), (9, 99, 9)).save(photo)
        given = ("--ran", "tight", "--where", "at 12 mm", "--next", "slot 1 mm wider", "--photo", photo, "--measure", "m1.strip.width=27.2mm")
        name = self.add(*given)
        self.assertIn("ran tight at 12 mm", call("log", "list")[1])
        told = json.loads(call("log", "show", name, "--json")[1])
        self.assertEqual((told["ran"], told["prediction"]["verdict"], len(told["photographs"])), ("tight", "free", 1))
        self.assertAlmostEqual(told["measures"][0]["measured"], 27.2)
        call("log", "tell", name, "--ran", "free", "--note", "after", "waxing")
        self.assertIn("after waxing", call("log", "show", name)[1])
        self.assertIn("slot 1 mm wider", call("log", "said", self.file)[1])
        out = self.folder / "as-it-was.lexipod"
        call("log", "show", name, "--design", out)
        self.assertEqual(read_design(out), read_design(self.file))

    def test_the_list_is_searched_and_sorted(self):
        for ran, note in (("free", "quick"), ("stuck", "glue in the track")):
            self.add("--ran", ran, "--note", *note.split())
        self.assertEqual(call("log", "list", "--search", "glue track")[1].count("\n"), 1)
        self.assertEqual(call("log", "list", "--ran", "free")[1].count("\n"), 1)
        self.assertIn("no make like that", call("log", "list", "--search", "nowhere")[1])
        self.assertEqual(len(json.loads(call("log", "list", "--sort", "ran", "--json")[1])["makes"]), 2)

    def test_the_share_of_builds_is_kept_where_it_is_asked_for(self):
        told = json.loads(call("log", "show", self.add("--ran", "free", "--foretell"), "--json")[1])
        self.assertTrue(0.0 < told["prediction"]["free_share"] < 1.0)
        share, ran_free, makes = json.loads(call("accuracy", "--json")[1])["calibration"]["bins"][0].values()
        self.assertEqual((round(share, 6), ran_free, makes), (round(told["prediction"]["free_share"], 6), 1.0, 1))
        self.assertIsNone(json.loads(call("log", "show", self.add("--ran", "free"), "--json")[1])["prediction"]["free_share"])

    def test_makes_are_compared_exported_imported_and_removed(self):
        first = self.add("--ran", "free")
        call("set", self.file, "travel=36mm")
        second = self.add("--ran", "tight")
        self.assertIn("m1.travel", call("log", "compare", first, second)[1])
        pack = self.folder / "log.zip"
        self.assertEqual(call("log", "export", "--to", pack)[0], 0)
        self.assertIn("2 new makes", call("log", "import", pack, "--data", self.folder / "elsewhere")[1])
        call("log", "remove", first)
        self.assertEqual(call("log", "list")[1].count("\n"), 1)

    def test_bad_input_is_one_line_and_writes_nothing(self):
        letter = self.folder / "letter.jpg"
        letter.write_text("dear all")
        for arguments, told in (
            (("--measure", "m1.strip.width"), "write NAME=LENGTH"),
            (("--measure", "m1.nothing=3mm"), "m1.strip.width"),
            (("--measure", "cut:x=10->long"), "long"),
            (("--photo", letter), "no photograph"),
            (("--copies", "0"), "1 to 10000"),
            (("--began", "yesterday"), "yesterday"),
        ):
            self.assertIn(told, self.refused("log", "add", self.file, *arguments))
        self.assertIn("no make in the log", call("log", "list")[1])
        self.assertIn("no make x", self.refused("log", "show", "x"))
        self.assertIn("one of .zip", self.refused("log", "export", "--to", self.folder / "log.txt"))


class ShelfCommandTest(RecordCommandTest):
    def test_a_batch_says_what_to_buy_and_takes_what_is_there(self):
        status, text, _ = call("shelf", "need", self.file, "--copies", 4)
        self.assertEqual(status, 1)
        need = json.loads(call("shelf", "need", self.file, "--copies", 4, "--json")[1])["short"]
        for row in need:
            call("shelf", "set", row["item"], "--count", row["missing"] + 1, "--low", 5)
        self.assertEqual(call("shelf", "need", self.file, "--copies", 4)[0], 0)
        name = self.add()
        self.assertIn("runs low", call("shelf", "take", self.file, "--copies", 4, "--make", name)[1])
        self.assertEqual({t["count"] for t in json.loads(call("shelf", "list", "--json")[1])["things"]}, {1.0})
        self.assertIn("already", self.refused("shelf", "take", self.file, "--make", name))
        self.assertIn("back on the shelf", call("shelf", "return", name)[1])
        self.assertEqual(call("shelf", "need", self.file, "--copies", 4)[0], 0)
        self.assertIn("took nothing", call("shelf", "return", name)[1])
        self.assertIn("to buy", text)

    def test_an_off_cut_that_a_layout_uses_is_taken_with_the_kit(self):
        settings = self.folder / "settings" / "lexipod" / "catalog"
        settings.mkdir(parents=True)
        (settings / "offcuts.toml").write_text('[offcuts.o1]\nname = "wide"\nstock = "card-300"\nwidth = "230 mm"\nheight = "160 mm"\ncount = 2\n')
        used = [r for r in json.loads(call("kit", self.file, "--json")[1])["rows"] if r["note"] == "from the shelf"]
        self.assertTrue(used)
        call("shelf", "take", self.file, "--make", self.add())
        left = (settings / "offcuts.toml").read_text()
        self.assertIn("count = 1" if used[0]["count"] == 1 else "# Off-cuts", left)

    def test_the_shelf_is_a_table(self):
        call("shelf", "set", "card-300", "--count", 12, "--place", "drawer")
        out = self.folder / "shelf.csv"
        call("shelf", "export", "--to", out)
        call("shelf", "remove", "card-300")
        self.assertIn("1 things", call("shelf", "import", out)[1])
        self.assertIn("drawer", call("shelf", "list")[1])
        self.assertIn("0 or more", self.refused("shelf", "set", "card-300", "--count", "-3"))


class AccuracyCommandTest(RecordCommandTest):
    def test_what_was_measured_is_told_and_used_when_agreed(self):
        self.assertIn("nothing was measured", call("accuracy")[1])
        self.assertIn("too little", self.refused("accuracy", "--use", self.file))
        for k in range(5):
            self.add("--ran", "free", "--measure", f"m1.strip.width={26.99 + 0.1 * k:.2f}mm")
        told = json.loads(call("accuracy", "--json")[1])
        row = told["errors"][0]
        self.assertEqual((row["kind"], row["way"], row["measures"], row["enough"]), ("cut", "hand", 5, True))
        self.assertLess(row["bias95"][0], row["bias"])
        self.assertEqual((told["calibration"]["told"], told["calibration"]["right"]), (5, 5))
        before = read_design(self.file).ways.needed_gap_mm()
        self.assertEqual(call("accuracy", "--use", self.file)[0], 0)
        self.assertNotEqual(read_design(self.file).ways.needed_gap_mm(), before)
        call("accuracy", "--use", self.file, "--forget")
        self.assertEqual(read_design(self.file).ways.errors, ())


if __name__ == "__main__":
    unittest.main()
