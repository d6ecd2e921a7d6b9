"""What scripts are told of folds, read back: joints hold at every step, layers and zones are where they are said to be."""

import json
import unittest

import numpy as np
import shapely

from tests.cli.test_commands import call
from tests.cli.test_fold_commands import MadeCase
from tests.zoo import FOLDED


class FoldAnswerTest(MadeCase):
    def told(self, recipe, *given):
        path = self.made(recipe, *given)
        described = json.loads(call("describe", path, "--json")[1])
        motion = json.loads(call("motion", path, "--json", "--steps", "13")[1])
        return described, motion.get("mechanisms", [motion])[0]

    def test_hinges_hold_at_every_step_in_the_frames_that_are_told(self):
        for recipe in FOLDED:
            described, motion = self.told(recipe)
            hinges = [j for j in described["joints"] if j["kind"] == "hinge"]
            self.assertTrue(hinges, recipe)
            for step in motion["steps"]:
                pose = {p: np.array(v["matrix"]) for p, v in step["poses"].items()}
                for j in hinges:
                    a, b = (np.array(j[f"at_{s}"]) @ pose[j[s]][:, :3].T + pose[j[s]][:, 3] for s in "ab")
                    np.testing.assert_allclose(a, b, atol=1e-5, err_msg=f"{recipe} {j['id']} {step['travel']}")
                for j in (j for j in described["joints"] if j["kind"] == "fixed" and j["a"] in pose and j["b"] in pose):
                    place = np.array(j["place"])
                    outer = pose[j["b"]]
                    np.testing.assert_allclose(outer[:, :3] @ place[:, :3], pose[j["a"]][:, :3], atol=1e-6, err_msg=f"{recipe} {j['id']}")
                    np.testing.assert_allclose(outer[:, :3] @ place[:, 3] + outer[:, 3], pose[j["a"]][:, 3], atol=1e-5, err_msg=j["id"])

    def test_shut_every_part_lies_where_its_outline_is_told(self):
        for recipe in ("hinge-plate", "twist-popup", "spin-popup", "thread-spinner"):
            described, motion = self.told(recipe)
            card = described["card"]
            shut = motion["steps"][0]["poses"]
            self.assertFalse([j for j in described["joints"] if j["id"] == "card.closed"], recipe)
            for part in (p for p in described["parts"] if p["id"] in shut):
                matrix = np.array(shut[part["id"]]["matrix"])
                xy = (np.column_stack([part["outline"], np.zeros(len(part["outline"]))]) @ matrix[:, :3].T + matrix[:, 3])[:, :2]
                self.assertGreater(xy.min(), -1e-6, (recipe, part["id"]))
                self.assertLess((xy - (card["width"], card["height"])).max(), 1e-6, (recipe, part["id"]))
            np.testing.assert_allclose(shut["card.front"]["matrix"], np.eye(3, 4), atol=1e-9)

    def test_glue_and_keep_clear_zones_lie_on_their_parts(self):
        for recipe in FOLDED:
            described, _ = self.told(recipe)
            parts = {p["id"]: shapely.Polygon(p["outline"]) for p in described["parts"]}
            zones = described["zones"]
            self.assertTrue([z for z in zones if z["kind"] == "glue"] or recipe == "thread-spinner", recipe)
            for zone in zones:
                region = shapely.Polygon(zone["polygon"])
                self.assertLess(region.difference(parts[zone["part"]].buffer(0.01)).area, 0.35 * region.area + 1, (recipe, zone["name"]))
            if recipe in ("hinge-plate", "waterfall", "flip-panels"):
                self.assertTrue([z for z in zones if z["kind"] == "keep-clear"], recipe)

    def test_what_is_pulled_says_how_far(self):
        _, motion = self.told("wiper", "strut=19mm")
        self.assertEqual([round(s["pulled"], 3) for s in motion["steps"]][0::6], [0.0, 19.0, 38.0])
        _, motion = self.told("hinge-plate")
        self.assertNotIn("pulled", motion["steps"][0])

    def test_near_pairs_are_listed(self):
        _, motion = self.told("hinge-plate")
        listed = {frozenset((c["a"], c["b"])): c["minimum"] for c in motion["clearances"]}
        self.assertIn(frozenset(("card.back", "m1.plate")), listed)
        self.assertTrue(all(v > -1e-6 for v in listed.values()))

    def test_folds_in_each_others_way_are_told_under_cross(self):
        path = self.made("twist-popup")
        self.assertEqual(call("add", path, "hinge-plate")[0], 0)
        told = json.loads(call("motion", path, "--json", "--steps", "25")[1])
        self.assertTrue(any({c["a"][:2], c["b"][:2]} == {"m1", "m2"} and c["minimum"] < -5 for c in told["cross"]))
        status, out, _ = call("check", path)
        self.assertEqual(status, 1)
        self.assertIn("get in each other's way", out)


if __name__ == "__main__":
    unittest.main()
