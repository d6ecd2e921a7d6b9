"""The maker's punches by command: what is owned, what they would cut, and an opening set to one; the pieces are read from the list."""

import json

from tests.cli.file_case import FileCase
from tests.cli.test_commands import call


class PunchTest(FileCase):
    card = "dome-opens"

    def told(self, *arguments):
        """What a call answers, as JSON."""
        status, out, err = call(*arguments, "--json")
        self.assertEqual((status, err), (0, ""))
        return json.loads(out)

    def test_what_is_owned_is_kept_and_what_is_not_told_stays(self):
        before = {p["id"]: p for p in self.told("punches")["punches"]}
        self.told("punches", "--circles", "1, 1 1/2, 2in")
        after = self.told("punches")["punches"]
        self.assertEqual(sorted(round(p["width_mm"], 9) for p in after if p["shape"] == "circle"), [25.4, 38.1, 50.8])
        self.assertEqual([p for p in after if p["shape"] != "circle"], [p for p in before.values() if p["shape"] != "circle"])
        self.assertIn("not a length", self.refused("punches", "--squares", "1, wide"))
        self.assertEqual(self.told("punches")["punches"], after)

    def test_an_opening_is_set_to_a_punch_and_the_list_of_pieces_has_its_size(self):
        found = self.told("punch", str(self.file))["openings"]
        frame = next(o for o in found if "card.frame" in o["parts"])
        self.assertFalse(frame["is_cut"])
        status, out, _ = call("punch", str(self.file))
        self.assertEqual(status, 0)
        self.assertIn(f"nearest you have the {frame['nearest']['name']}", out)
        self.told("punch", str(self.file), "card.frame")
        rows = json.loads(call("cutlist", str(self.file), "--json")[1])["pieces"]
        row = next(r for r in rows if "frame" in r["name"] and r["holes"])
        wide = [max(x for x, _ in ring) - min(x for x, _ in ring) for ring in row["holes"]]
        self.assertAlmostEqual(max(wide), frame["nearest"]["width_mm"], delta=0.1)
        self.assertTrue(next(o for o in self.told("punch", str(self.file))["openings"] if "card.frame" in o["parts"])["is_cut"])

    def test_what_is_not_there_is_named(self):
        before = self.file.read_bytes()
        self.assertIn("card.frame", self.refused("punch", str(self.file), "card.nothing"))
        self.assertIn("window", self.refused("punch", str(self.file), "card.frame", "--opening", "door"))
        self.assertIn("circle-2", self.refused("punch", str(self.file), "card.frame", "--to", "circle-9"))
        self.assertEqual(self.file.read_bytes(), before)
