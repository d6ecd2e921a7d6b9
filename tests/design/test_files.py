"""Saving and loading designs."""

import json
import os
import signal
import stat
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import jsonschema
import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from lexipod.design import Card, Design, Item, Mechanism, Ways, read_design, write_design
from lexipod.design.files import design_schema, format_design, parse_design
from lexipod.errors import FileError
from lexipod.pipeline import open_design
from tests.zoo import CATALOG, slider

DOCS = Path(__file__).parents[2] / "docs"


class FileTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_write_read_write_gives_equal_bytes(self):
        design = msgspec.structs.replace(slider(), title="Möwe ≈ 3½ “in”", items=(Item("a1", "picture", "card.frame", source="a.svg"),))
        first, second = self.folder / "a.lexipod", self.folder / "b.lexipod"
        write_design(design, first)
        write_design(read_design(first), second)
        self.assertEqual(first.read_bytes(), second.read_bytes())
        self.assertEqual(read_design(first), design)

    @settings(max_examples=40)
    @given(st.builds(Ways, units=st.sampled_from(("in", "mm")), friction=st.floats(0.01, 2)), st.floats(10, 2000), st.floats(10, 2000))
    def test_any_design_reads_back_as_it_was(self, ways, width, height):
        design = Design(card=Card(size="free", width=width, height=height), ways=ways)
        self.assertEqual(parse_design(format_design(design)), design)

    def test_the_file_is_small_and_holds_decisions_only(self):
        plain = json.loads(format_design(slider()))
        self.assertLess(len(format_design(slider())), 4000)
        self.assertNotIn("outline", json.dumps(plain))

    def test_each_fault_is_named_with_its_path(self):
        sound = json.loads(format_design(slider()))

        def spoil(change):
            spoiled = json.loads(json.dumps(sound))
            change(spoiled)
            return json.dumps(spoiled).encode()

        cases = {
            "mechanisms\\[0\\].parameters": lambda d: d["mechanisms"][0]["parameters"].update(travel=[1]),
            "card.orientation": lambda d: d["card"].update(orientation="sideways"),
            "unknown field `colour`": lambda d: d.update(colour="red"),
            "ways.units": lambda d: d["ways"].update(units="ell"),
            "at most 2000 mm": lambda d: d["card"].update(size="free", width=1e9, height=5),
            "same id": lambda d: d["mechanisms"].append(d["mechanisms"][0]),
            "newer Lexipod": lambda d: d.update(format="lexipod/7"),
            "not a Lexipod design": lambda d: d.pop("format"),
        }
        for message, change in cases.items():
            with self.subTest(message), self.assertRaisesRegex(FileError, message) as caught:
                parse_design(spoil(change), source="x.lexipod")
            self.assertNotIn("\n", str(caught.exception))

    def test_parameters_that_the_recipe_does_not_have_or_allow_are_named_too(self):
        for name, value, message in (
            ("speed", 3, "parameters.speed.*no parameter"),
            ("travel", -4, "parameters.travel.*out of range"),
            ("direction", "north", "parameters.direction.*right, left, up, down"),
        ):
            path = self.folder / "x.lexipod"
            write_design(slider().with_parameters("m1", {name: value}), path)
            with self.subTest(name), self.assertRaisesRegex(FileError, message):
                open_design(path, CATALOG)

    def test_hostile_bytes_give_one_sentence(self):
        good = format_design(slider())
        for bad in (
            b"",
            b"{",
            b"[]",
            b"null",
            good[:-40],
            good[:200],
            b"\xff\xfe\x00",
            b"[" * 200_000,
            b'{"format": 1}',
            good.replace(b'"travel": ', b'"travel": 1e999, "x": '),
            b'{"format":"lexipod/1","card":' + b'{"a":' * 50_000,
            good.replace(b'"denominator": 16', b'"denominator": NaN'),
        ):
            with self.subTest(bad[:20]), self.assertRaises(FileError) as caught:
                parse_design(bad, source="x.lexipod")
            self.assertNotIn("\n", str(caught.exception))

    def test_what_is_no_file_is_told(self):
        for path, message in ((self.folder / "none.lexipod", "no such file"), (self.folder, "folder")):
            with self.assertRaisesRegex(FileError, message):
                read_design(path)
        large = self.folder / "large.lexipod"
        with large.open("wb") as out:
            out.truncate(5_000_000)
        with self.assertRaisesRegex(FileError, "larger"):
            read_design(large)

    def test_saving_keeps_the_mode_and_leaves_nothing_behind(self):
        path = self.folder / "a.lexipod"
        write_design(slider(), path)
        os.chmod(path, 0o640)
        write_design(Design(), path)
        self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o640)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.lexipod"])

    def test_a_folder_that_is_not_there_is_told_and_nothing_is_made(self):
        with self.assertRaisesRegex(FileError, "no such folder"):
            write_design(Design(), self.folder / "deep" / "a.lexipod")

    def test_a_full_disk_loses_nothing(self):
        # A limit on the file's size stands for the full disk: writing fails half way through.
        path = self.folder / "a.lexipod"
        write_design(Design(title="before"), path)
        before = path.read_bytes()
        code = (
            "import resource, signal, sys; from pathlib import Path\n"
            "from lexipod.design import Design, write_design; from lexipod.errors import FileError\n"
            "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
            "resource.setrlimit(resource.RLIMIT_FSIZE, (100, 100))\n"
            "try:\n    write_design(Design(title='after'), Path(sys.argv[1]))\n"
            "except FileError as error:\n    print(error)\n"
        )
        said = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True)
        self.assertIn("cannot be written", said.stdout)
        self.assertEqual(path.read_bytes(), before)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.lexipod"])

    def test_killed_while_saving_either_the_old_or_the_new_file_is_there(self):
        path = self.folder / "a.lexipod"
        write_design(Design(title="x" * 10), path)
        code = (
            "import sys; from pathlib import Path; from lexipod.design import Design, write_design\n"
            "k = 0\nprint('go', flush=True)\n"
            "while True:\n    write_design(Design(title='x' * (10 + k % 180)), Path(sys.argv[1])); k += 1\n"
        )
        for round_ in range(6):
            run = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE)
            run.stdout.readline()
            time.sleep(0.03 + 0.017 * round_)
            run.send_signal(signal.SIGKILL)
            run.wait()
            run.stdout.close()
            self.assertEqual(set(read_design(path).title), {"x"})


class EarlierFormatTest(unittest.TestCase):
    def test_the_cards_of_the_first_format_open_and_mean_the_same(self):
        paths = sorted((Path(__file__).parents[1] / "designs" / "first").glob("*.lexipod"))
        self.assertEqual(len(paths), 23)
        for path in paths:
            written = json.loads(path.read_text(encoding="utf-8"))
            self.assertEqual(written["format"], "lexipod/1")
            opened = msgspec.to_builtins(read_design(path))
            for key, value in written.items():
                if key in ("format", "mechanisms", "ways"):
                    continue
                if key == "card":
                    self.assertLessEqual(value.items(), opened["card"].items())
                    plain = msgspec.to_builtins(Card(size="na.a2"))
                    self.assertTrue(all(opened["card"][new] == plain[new] for new in opened["card"].keys() - value.keys()))
                    continue
                if key == "art":  # pictures were a list of their own, now they are items
                    self.compare_pictures(value, [i for i in opened["items"] if i["kind"] == "picture"])
                    continue
                found = [i for i in opened[key] if i["kind"] != "picture"] if key == "items" else opened[key]
                self.assertEqual(json.loads(json.dumps(found)), value)
            for one, other in zip(written["mechanisms"], opened["mechanisms"], strict=True):
                added = {"tab_width": 0.0} if one["recipe"] == "louvre" else {}  # its slats had no tabs then
                self.assertEqual(json.loads(json.dumps(other["parameters"])), one["parameters"] | added)
            self.assertLessEqual(written["ways"].items(), opened["ways"].items())
            self.assertEqual(json.loads(format_design(read_design(path)))["format"], "lexipod/5")

    def compare_pictures(self, written, items):
        for one, item in zip(written, items, strict=True):
            self.assertEqual(item["on"] + (":back" if item.get("face") == "back" else ""), one["on"])
            self.assertEqual(item["source"], one["source"])
            self.assertEqual(list(item["share"]), [one.get("left", 0), one.get("bottom", 0), one.get("right", 1), one.get("top", 1)])
            self.assertEqual(item.get("turn", 0), one.get("turn", 0))

    def test_damaged_pictures_of_an_earlier_format_are_refused_in_a_sentence(self):
        for art in (
            '[{"on": "card.front"}]',
            '["x"]',
            '[{"on": "card.front", "source": "a.svg", "left": "x"}]',
            '[{"on": "a", "source": "b", "gone": 1}]',
        ):
            data = b'{"format": "lexipod/2", "art": ' + art.encode() + b"}"
            with self.assertRaises(FileError):
                parse_design(data)


class SchemaTest(unittest.TestCase):
    def test_the_schema_in_the_docs_is_the_current_one(self):
        self.assertEqual((DOCS / "design.schema.json").read_text(encoding="utf-8"), json.dumps(design_schema(), indent=1) + "\n")

    def test_a_saved_design_is_valid_and_a_spoiled_one_is_not(self):
        schema, plain = design_schema(), json.loads(format_design(slider()))
        jsonschema.validate(plain, schema)
        plain["card"]["orientation"] = "sideways"
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(plain, schema)

    def test_bad_values_cannot_be_built(self):
        for make in (
            lambda: Card(size="free"),
            lambda: Card(width=5.0),
            lambda: Card(size="free", width=90.0),
            lambda: Card(size="free", height=90.0),
            lambda: Card(front_less=-1.0),
            lambda: Card(base="tag", inner=3.0),
            lambda: Card(size="free", width=float("nan"), height=5.0),
            lambda: Ways(friction=0.0),
            lambda: Mechanism("", "x"),
            lambda: Mechanism("m1", "x", {"a": float("inf")}),
            lambda: Item("a1", "picture", "card.frame", source="x", share=(1.0, 0.0, 0.0, 1.0)),
        ):
            with self.assertRaises(ValueError):
                make()


class ValueTest(unittest.TestCase):
    def test_an_item_is_found_by_its_own_id(self):
        items = (Item("a", "pad", "card.front"), Item("b", "pad", "card.front"))
        design = Design(items=items)
        self.assertEqual([design.find_item(i) for i in ("a", "b", "c")], [*items, None])

    def test_art_far_from_its_part_is_refused_on_every_side(self):
        sound = (-4.9, -4.9, 4.9, 4.9)
        for k in range(4):
            for value in (-5.1, 5.1):
                with self.assertRaises(ValueError):
                    Item("a1", "picture", "card.front", source="a.svg", share=(*sound[:k], value, *sound[k + 1 :]))
        self.assertEqual(Item("a1", "picture", "card.front", source="a.svg", share=sound).share, sound)
