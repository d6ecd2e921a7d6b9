"""The log: what was confirmed is there, whatever happens; every fault is one sentence and loses nothing."""

import json
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

import msgspec
from PIL import Image

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.demo import load_demo
from lexipod.records import backup, shelf
from lexipod.records.makes import Event, Make, Measure
from lexipod.records.making import compare_makes, design_of, new_make, said_last
from lexipod.records.photographs import keep_photograph
from lexipod.records.store import MIGRATIONS, NAME, VERSION, LogError, Store
from lexipod.records.table import TableState, read_table_state
from tests.samples import sample_size
from tests.zoo import CATALOG, slider

WRITER = """
import sys
from pathlib import Path
from lexipod.records.makes import Event, Make
from lexipod.records.store import Store
store = Store(Path(sys.argv[1]))
base = int(sys.argv[2])
make = f"make-{base}"
store.add(Make(make, "killed while writing", "2026-03-01T10:00:00Z"))
print("ready", flush=True)
for k in range(100000):
    store.add_event(make, Event("note", f"{base}/{k}"))
    print(k, flush=True)
"""


class LogCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def store(self):
        made = Store(self.folder)
        self.addCleanup(made.close)
        return made

    def make(self, name="a1", **more):
        return Make(name, more.pop("title", "The fog lifts"), more.pop("began", "2026-03-01T10:00:00Z"), **more)


class MakesTest(LogCase):
    def test_what_is_written_comes_back_the_same(self):
        full = self.make(
            ran="tight",
            where="at 12 mm",
            note="ran better waxed",
            next_time="slot 1 mm wider",
            measures=(Measure("strip", "cut", "hand", 40.0, 40.25, "m1.strip"),),
            events=(Event("note", "second coat of glue", "2026-03-01T10:05:00Z", "put-m1.strip"),),
            minutes=42.5,
        )
        with Store(self.folder) as store:
            store.add(full)
        self.assertEqual(self.store().get("a1"), full)

    def test_the_exact_design_is_kept_and_opens_as_it_was(self):
        store, design = self.store(), load_demo("fog-lifts")
        assembly = build_assembly(design, CATALOG)
        findings = run_checks(Examination(assembly, CATALOG, design.ways, steps=25))
        make = new_make(design, assembly, CATALOG, findings=findings, copies=3)
        store.add(make)
        self.assertEqual(design_of(store.get(make.id)), design)
        self.assertIn("300 g", make.stock)
        self.assertIn("2 mm", make.foam)
        self.assertEqual(make.prediction.verdict, "free")

    def test_a_make_is_found_by_the_beginning_of_its_id(self):
        store = self.store()
        store.add(self.make("abc1"))
        store.add(self.make("abd2"))
        self.assertEqual(store.get("abd").id, "abd2")
        for wanted, told in (("ab", "may mean 2 makes"), ("zz", "there is no make zz"), ("", "there is no make")):
            with self.assertRaisesRegex(LogError, told):
                store.get(wanted)

    def test_the_next_make_begins_with_what_was_said(self):
        store = self.store()
        store.add(self.make("a1", next_time="rails 1 mm apart"))
        store.add(self.make("b2", began="2026-04-01T10:00:00Z"))
        self.assertEqual(said_last(store, "The fog lifts")[1], "rails 1 mm apart")
        self.assertIsNone(said_last(store, "Another card"))

    def test_two_makes_are_compared_by_what_was_told_measured_and_designed(self):
        one, two = slider(travel=40.0), slider(travel=44.0)
        rows = []
        for name, design, measured in (("a1", one, 40.3), ("b2", two, 39.9)):
            store = self.store()
            make = new_make(design, build_assembly(design, CATALOG), CATALOG)
            store.add(make)
            store.tell(make.id, note=name)
            store.add_measure(make.id, Measure("strip", "cut", "hand", 40.0, measured))
            rows.append(store.get(make.id))
        told = {name: (a, b) for name, a, b in compare_makes(*rows)}
        self.assertEqual(told["m1.travel"], ("40.00", "44.00"))
        self.assertEqual(told["strip"], ("+0.30 mm", "-0.10 mm"))
        self.assertEqual(told["note"], ("a1", "b2"))

    def test_what_cannot_be_is_refused(self):
        for more in ({"ran": "well"}, {"copies": 0}, {"title": " "}, {"note": "x" * 5000}):
            with self.assertRaises(ValueError):
                self.make(**more)
        with self.assertRaises(ValueError):
            Measure("strip", "cut", "hand", 40.0, float("nan"))


class FaultsTest(LogCase):
    def test_a_log_of_a_newer_version_is_left_as_it_is(self):
        self.store().close()
        with sqlite3.connect(self.folder / NAME) as db:
            db.execute(f"PRAGMA user_version={VERSION + 1}")
        before = (self.folder / NAME).read_bytes()
        with self.assertRaisesRegex(LogError, "newer Lexipod .* update to open it"):
            Store(self.folder)
        self.assertEqual((self.folder / NAME).read_bytes(), before)

    def test_an_older_log_is_brought_up_to_date_with_all_its_makes(self):
        with sqlite3.connect(self.folder / NAME) as db:
            db.executescript(MIGRATIONS[1])
            db.execute("INSERT INTO makes (id, title, began) VALUES ('old', 'An old card', '2025-01-01T10:00:00Z')")
            db.execute("PRAGMA user_version=1")
        store = self.store()
        self.assertEqual(store.get("old").title, "An old card")
        self.assertEqual(shelf.things(store), [])

    def test_a_damaged_log_is_told_and_left(self):
        store = self.store()
        for k in range(200):
            store.add(self.make(f"m{k}", note="x" * 500))
        store.close()
        path = self.folder / NAME
        data = bytearray(path.read_bytes())
        data[4096:60000] = os.urandom(60000 - 4096)
        path.write_bytes(data)
        with self.assertRaisesRegex(LogError, "damaged|cannot be used"), Store(self.folder) as broken:
            broken.makes()
        self.assertEqual(path.read_bytes()[4096:60000], bytes(data[4096:60000]))

    def test_what_is_no_log_is_told(self):
        (self.folder / NAME).write_bytes(b"this is a letter, not a database, and quite a long one at that" * 20)
        with self.assertRaisesRegex(LogError, "damaged"):
            Store(self.folder)
        (self.folder / NAME).unlink()
        with sqlite3.connect(self.folder / NAME) as db:
            db.execute("CREATE TABLE recipes (id)")
        with self.assertRaisesRegex(LogError, "something else"):
            Store(self.folder)

    def test_a_locked_log_is_told_and_nothing_is_changed(self):
        with mock.patch("lexipod.records.store.WAIT_S", 0.2):
            store = self.store()
        store.add(self.make())
        other = sqlite3.connect(self.folder / NAME, isolation_level=None)
        self.addCleanup(other.close)
        other.execute("BEGIN IMMEDIATE")
        with self.assertRaisesRegex(LogError, "another program is writing"):
            store.tell("a1", ran="free")
        other.execute("ROLLBACK")
        self.assertEqual(store.get("a1").ran, "")
        store.tell("a1", ran="free")
        self.assertEqual(store.get("a1").ran, "free")

    def test_a_full_disk_is_told_and_what_was_there_is_kept(self):
        store = self.store()
        store.add(self.make())
        pages = store.rows("PRAGMA page_count")[0][0]
        store.rows(f"PRAGMA max_page_count={pages}")
        with self.assertRaisesRegex(LogError, "disk is full"):
            for k in range(50):
                store.add_event("a1", Event("note", f"{k} " + "x" * 3000))
        store.rows("PRAGMA max_page_count=1000000")
        store.add_event("a1", Event("note", "after"))
        self.assertEqual(store.get("a1").events[-1].text, "after")

    def test_a_folder_that_cannot_be_written_is_told(self):
        (self.folder / "file").write_text("in the way")
        with self.assertRaisesRegex(LogError, "cannot be opened"):
            Store(self.folder / "file")

    def test_two_windows_write_one_after_the_other(self):
        one, two = self.store(), self.store()
        one.add(self.make("a1"))
        two.add_event("a1", Event("note", "from the other window"))
        one.tell("a1", ran="free")
        self.assertEqual((two.get("a1").ran, one.get("a1").events[0].text), ("free", "from the other window"))
        two.remove("a1")
        with self.assertRaisesRegex(LogError, "removed in another window"):
            one.add_event("a1", Event("note", "too late"))


class KilledTest(LogCase):
    def test_two_hundred_kills_while_writing_lose_nothing_that_was_confirmed(self):
        """Kills of one process a few events apart; each time all that it had said was written is there, and the log is sound."""
        kills, confirmed = sample_size(200), {}
        rounds = 20
        for base in range(rounds):
            with subprocess.Popen([sys.executable, "-c", WRITER, str(self.folder), str(base)], stdout=subprocess.PIPE, text=True) as writer:
                self.assertEqual(writer.stdout.readline().strip(), "ready")
                seen = -1
                until = time.monotonic() + 0.01 + (base % 7) * 0.012
                while time.monotonic() < until:
                    seen = int(writer.stdout.readline())
                writer.send_signal(signal.SIGKILL)
                for line in writer.stdout:
                    if line.endswith("\n"):
                        seen = int(line)
            confirmed[base] = seen
            self.check(confirmed)
        self.kill_inside(kills - rounds)

    def check(self, confirmed):
        with Store(self.folder) as store:
            self.assertEqual(store.rows("PRAGMA integrity_check"), [("ok",)])
            for base, last in confirmed.items():
                texts = [e.text for e in store.get(f"make-{base}").events]
                self.assertGreaterEqual(len(texts), last + 1)
                self.assertEqual(texts, [f"{base}/{k}" for k in range(len(texts))])

    def kill_inside(self, kills):
        """The other kills in a child that forks: at a statement of its own each time, in the middle of a transaction or after it."""
        script = f"""
import os, sys
from pathlib import Path
from lexipod.records.makes import Event, Make
from lexipod.records.store import Store
folder = Path(sys.argv[1])
with Store(folder) as store:
    store.add(Make("forked", "killed inside", "2026-03-01T10:00:00Z"))
for k in range({kills}):
    child = os.fork()
    if child == 0:
        store = Store(folder)
        left, plain = k % 9, store.run
        def run(*given):
            global left
            if left == 0:
                os.kill(os.getpid(), 9)
            left -= 1
            return plain(*given)
        store.run = run
        n = 0
        while True:
            store.add_event("forked", Event("note", f"{{k}}.{{n}}"))
            with open(folder / "confirmed", "a") as out:
                out.write(f"{{k}}.{{n}}\\n")
            n += 1
    os.waitpid(child, 0)
"""
        subprocess.run([sys.executable, "-c", script, str(self.folder)], check=True, timeout=120)
        said = (self.folder / "confirmed").read_text().split()
        self.assertGreater(len(said), kills)
        with Store(self.folder) as store:
            self.assertEqual(store.rows("PRAGMA integrity_check"), [("ok",)])
            self.assertLessEqual(set(said), {e.text for e in store.get("forked").events})


class TableTest(LogCase):
    NOW = datetime(2026, 3, 1, 12, 0, tzinfo=UTC)

    def test_a_wait_goes_on_while_the_window_is_closed(self):
        state = TableState().finish("glue", wait=5, name="the strip", now=self.NOW)
        again = read_table_state(state.text())
        self.assertEqual(again.waits[0].left_s(self.NOW + timedelta(minutes=2)), 180)
        self.assertEqual(again.running(self.NOW + timedelta(minutes=6)), ())

    def test_a_clock_that_was_set_back_does_not_make_a_wait_longer(self):
        state = TableState().finish("glue", wait=5, now=self.NOW)
        back = self.NOW - timedelta(hours=3)
        self.assertEqual(state.waits[0].left_s(back), 300)
        right, odd = state.set_right(back)
        self.assertTrue(odd)
        self.assertEqual(right.waits[0].left_s(back + timedelta(minutes=5)), 0)
        self.assertFalse(right.set_right(back)[1])

    def test_where_one_stopped_is_kept_with_the_make(self):
        store = self.store()
        store.add(self.make())
        store.keep_table_state("a1", TableState("put-m1.strip", ("cut",)).text())
        store.tell("a1", ran="free")
        self.assertEqual(read_table_state(store.table_state("a1")).step, "put-m1.strip")
        with self.assertRaisesRegex(LogError, "begin with the first step"):
            read_table_state('{"step": 7}')


class PhotographsTest(LogCase):
    def picture(self, name="photo.png", size=(3000, 2000)):
        path = self.folder / name
        Image.new("RGB", size, (200, 180, 90)).save(path)
        return path

    def test_a_photograph_is_scaled_and_lies_beside_the_log(self):
        store = self.store()
        kept = keep_photograph(store, self.picture())
        with Image.open(store.photographs / kept.name) as image:
            self.assertEqual((image.size, image.format), ((1600, 1067), "JPEG"))
        self.assertEqual((kept.width, kept.height), (1600, 1067))

    def test_it_stands_upright_and_tells_no_place(self):
        path = self.folder / "turned.jpg"
        image = Image.new("RGB", (400, 200), (9, 9, 9))
        exif = Image.Exif()
        exif[0x0112] = 6
        exif[0x010E] = "taken at home"
        image.save(path, exif=exif)
        store = self.store()
        with Image.open(store.photographs / keep_photograph(store, path).name) as kept:
            self.assertEqual(kept.size, (200, 400))
            self.assertEqual(dict(kept.getexif()), {})

    def test_what_is_no_photograph_is_refused(self):
        store, letter = self.store(), self.folder / "letter.jpg"
        letter.write_text("dear all")
        for path in (letter, self.folder / "nowhere.png", self.folder):
            with self.assertRaises(LogError):
                keep_photograph(store, path)
        self.assertFalse(store.photographs.exists())


class BackupTest(LogCase):
    def filled(self):
        store = self.store()
        picture = self.folder / "p.png"
        Image.new("RGB", (80, 60), (1, 2, 3)).save(picture)
        store.add(self.make("a1", note="semi; colons, and “quotes”", photographs=(keep_photograph(store, picture),)))
        shelf.put_thing(store, shelf.Thing("card-300", "card-300", "Card", count=12, low=5, place="drawer 2"))
        return store

    def test_a_backup_brings_everything_back_and_twice_changes_nothing(self):
        store = self.filled()
        path = self.folder / "backup.zip"
        path.write_bytes(backup.export_bytes(store, ".zip"))
        with Store(self.folder / "other") as other:
            self.assertEqual(backup.import_file(other, path), backup.Brought(1, 0, 1))
            self.assertEqual(backup.import_file(other, path), backup.Brought(0, 1, 0))
            self.assertEqual(other.makes(), store.makes())
            self.assertEqual(shelf.things(other), shelf.things(store))
            name = store.get("a1").photographs[0].name
            self.assertEqual((other.photographs / name).read_bytes(), (store.photographs / name).read_bytes())
            self.assertEqual(backup.export_bytes(other, ".zip"), path.read_bytes())

    def test_a_table_is_read_back(self):
        store = self.filled()
        path = self.folder / "log.csv"
        path.write_bytes(backup.export_bytes(store, ".csv"))
        with Store(self.folder / "other") as other:
            backup.import_file(other, path)
            self.assertEqual(other.get("a1").note, store.get("a1").note)

    def test_damaged_and_foreign_files_bring_nothing(self):
        store = self.filled()
        whole = backup.export_bytes(store, ".zip")
        files = {
            "cut.zip": whole[: len(whole) // 2],
            "other.json": b'{"format": "something"}',
            "newer.json": b'{"format": "lexipod-log/9", "makes": []}',
            "odd.json": json.dumps({"format": backup.FORMAT, "makes": [{"id": "x"}]}).encode(),
            "odd.csv": b"id,title,began,copies\nq,card,2026-01-01,many\n",
        }
        with zipfile.ZipFile(self.folder / "empty.zip", "w") as pack:
            pack.writestr("letter.txt", "hello")
        files["empty.zip"] = (self.folder / "empty.zip").read_bytes()
        with Store(self.folder / "other") as other:
            for name, data in files.items():
                (self.folder / name).write_bytes(data)
                with self.assertRaises(LogError, msg=name):
                    backup.import_file(other, self.folder / name)
            self.assertEqual(other.makes(), [])

    def test_names_in_a_backup_stay_in_their_folder(self):
        path = self.folder / "evil.zip"
        plain = msgspec.to_builtins(self.make("a1")) | {"photographs": [{"name": "../../evil.jpg"}]}
        with zipfile.ZipFile(path, "w") as pack:
            pack.writestr("log.json", json.dumps({"format": backup.FORMAT, "makes": [plain]}))
            pack.writestr("photographs/../../evil.jpg", b"x")
        with Store(self.folder / "deep" / "other") as other:
            with self.assertRaisesRegex(LogError, "no name of a kept photograph"):
                backup.import_file(other, path)
            self.assertEqual(other.makes(), [])
        self.assertFalse((self.folder / "evil.jpg").exists() or (self.folder / "deep" / "evil.jpg").exists())


class ShelfTest(LogCase):
    def kit(self, copies=25):
        design = slider()
        return shelf.count_kit(msgspec.structs.replace(design, sheeting=msgspec.structs.replace(design.sheeting, copies=copies)), CATALOG)[0]

    def test_a_kit_says_what_is_to_buy_and_a_make_takes_it_once(self):
        store, kit = self.store(), self.kit()
        store.add(self.make())
        wanted = {r.item: r.count for r in shelf.wants(kit)}
        self.assertEqual({s.item: s.missing for s in shelf.find_short(store, kit)}, wanted)
        for row in shelf.wants(kit):
            shelf.put_thing(store, shelf.Thing(row.item, row.item, row.name, row.kind, row.unit, row.count + 2, low=3))
        self.assertEqual(shelf.find_short(store, kit), [])
        self.assertEqual(shelf.take_kit(store, kit, "a1"), [])
        self.assertEqual({t.count for t in shelf.things(store)}, {2})
        self.assertTrue(all(t.runs_low for t in shelf.things(store)))
        with self.assertRaisesRegex(LogError, "already"):
            shelf.take_kit(store, kit, "a1")
        shelf.give_back(store, "a1")
        self.assertEqual({t.id: t.count for t in shelf.things(store)}, {i: c + 2 for i, c in wanted.items()})

    def test_the_shelf_goes_out_as_csv_and_comes_back(self):
        store = self.store()
        shelf.put_thing(store, shelf.Thing("x", "card-300", "Card, white", count=7.5, low=2, place="a “drawer”", price=0.4))
        shelf.put_thing(store, shelf.Thing("o", "card-300", "off-cut", unit="piece", count=1, outline=((0, 0), (80, 0), (0, 60.5))))
        self.assertEqual(shelf.read_shelf_csv(shelf.shelf_csv(store), "it"), shelf.things(store))

    def test_a_shelf_or_a_log_is_brought_whole_or_not_at_all(self):
        """The disk is full when the second thing is written."""
        store, other = self.store(), Store(self.folder / "other")
        self.addCleanup(other.close)
        other.add(self.make())
        rows = [shelf.Thing(name, name, name, count=1) for name in "ab"]
        shelf.put_things(other, rows)
        plain, backed = self.folder / "shelf.csv", self.folder / "log.json"
        plain.write_text(shelf.shelf_csv(other))
        backed.write_bytes(backup.export_bytes(other, ".json"))
        write = store.run

        def full(query, values=()):
            if "shelf" in query and values[0] == "b":
                raise LogError("the disk is full")
            return write(query, values)

        for act in (lambda: shelf.import_shelf(store, plain), lambda: backup.import_file(store, backed)):
            with mock.patch.object(store, "run", full), self.assertRaisesRegex(LogError, "full"):
                act()
            self.assertEqual((shelf.things(store), store.makes()), ([], []))
        self.assertEqual(backup.import_file(store, backed).new, 1)
        self.assertEqual(shelf.things(store), rows)

    def test_a_bad_row_is_named(self):
        for text, told in (("item,count\ncard-300,many\n", "row 2"), ("a,b\n1,2\n", "columns"), ("item,count\ncard-300,-4\n", "0 or more")):
            with self.assertRaisesRegex(LogError, told):
                shelf.read_shelf_csv(text, "shelf.csv")


if __name__ == "__main__":
    unittest.main()
