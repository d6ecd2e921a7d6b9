"""Another size, wishes, the largest margin, and two versions side by side."""

import json
import unittest

import msgspec
import numpy as np
import shapely
from scipy.stats import norm

from lexipod.assembly import Shown
from lexipod.building import build_assembly, site_for
from lexipod.building.card import own_site
from lexipod.builds import ACCURACIES, Accuracy, find_errors, simulate_builds
from lexipod.builds.dimensions import ACROSS_GRAIN, ALONG_GRAIN, grown
from lexipod.builds.margins import measure_margins
from lexipod.checks import Examination, run_checks
from lexipod.demo import load_demo
from lexipod.design import Card, Ways
from lexipod.editing.change import change_design
from lexipod.fabricate import cut_list
from lexipod.fitting import convert_design, fit_design, propose_designs, smallest_margin, widen
from lexipod.fitting.comparing import compare_designs
from lexipod.fitting.converting import STAYING, decided_values
from lexipod.fitting.proposing import WISHES
from lexipod.geometry.frames import apply_pose
from lexipod.recipes import find_recipe
from tests.cli.file_case import FileCase
from tests.cli.test_commands import call
from tests.zoo import CATALOG, card_with


def blocks(design):
    examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)
    return [f.title for f in run_checks(examination) if f.severity == "block"]


class ConvertTest(unittest.TestCase):
    def test_what_was_sized_is_sized_anew_and_what_was_decided_is_scaled(self):
        design = change_design(card_with("strip-slider"), CATALOG, {"picture_height": 40.0, "clearance": 0.9, "rail_gap": 30.0})
        told = convert_design(design, CATALOG, Card(size="na.a7"))
        fresh = told.design.mechanisms[0].parameters
        self.assertTrue(told.is_free, told.reason)
        self.assertEqual(fresh["clearance"], 0.9)
        ratio = min(127.0 / 107.95, 177.8 / 139.7)
        self.assertAlmostEqual(fresh["picture_height"], 40.0 * ratio, delta=0.01)
        self.assertEqual({c.name: c.how for c in told.changes}["picture_height"], "scaled")
        self.assertNotIn("clearance", {c.name for c in told.changes})

    def test_a_default_has_nothing_decided_but_its_shape(self):
        for recipe_id in ("strip-slider", "iris", "twist-popup"):
            design, recipe = card_with(recipe_id), find_recipe(recipe_id)
            site = own_site(site_for(design, CATALOG), design.mechanisms[0])
            self.assertEqual(set(decided_values(recipe, site, design.mechanisms[0].parameters)), set(recipe.shaping))

    def test_what_stays_is_named_in_some_recipe(self):
        from lexipod.recipes import RECIPES

        names = {p.name for r in RECIPES.values() for p in r.parameters}
        self.assertLessEqual({n for n in STAYING if n not in names}, {"brad", "thread", "corner", "tab", "washer", "gap", "flap"} & STAYING)

    def test_a_card_too_small_says_so_and_the_design_stays(self):
        design = load_demo("mussel-bank")
        told = convert_design(design, CATALOG, Card(size="na.sq3"))
        self.assertFalse(told.is_free)
        self.assertIn("does not fit", told.reason)
        self.assertEqual(design, load_demo("mussel-bank"))

    def test_items_and_pictures_go_along(self):
        design = change_design(load_demo("fog-lifts"), CATALOG, {"item.d1": "decoration on card.frame front 14x10mm at 20x40mm"})
        design = change_design(design, CATALOG, {"item.p1": "pad on card.panel front 8x8mm at 30x50mm"})
        told = convert_design(design, CATALOG, Card(size="na.a7"))
        by_id = {i.id: i for i in told.design.items}
        self.assertGreater(by_id["d1"].width, 14.0)
        self.assertEqual(by_id["p1"].width, 8.0)
        # a pad goes along with the panel it is glued to, whatever that is of the card
        bounds = [np.ptp(build_assembly(d, CATALOG).by_id["card.panel"].outline[:, 0]) for d in (design, told.design)]
        self.assertAlmostEqual(by_id["p1"].at[0], 30.0 * bounds[1] / bounds[0], delta=0.01)
        pictures = [[i for i in d.items if i.kind == "picture"] for d in (told.design, design)]
        self.assertEqual(*pictures)

    def test_demo_cards_go_to_a_larger_card_free_of_blocks(self):
        for name, size in (("last-ferry", "iso.a6"), ("strand-turns", "iso.a5")):
            told = convert_design(load_demo(name), CATALOG, Card(size=size, orientation=load_demo(name).card.orientation))
            self.assertTrue(told.is_free, (name, told.reason))
            self.assertEqual(blocks(told.design), [])


class WishTest(unittest.TestCase):
    def test_a_wish_gives_ranked_designs_that_show_the_picture(self):
        found = propose_designs(CATALOG, Card(), Ways(units="mm"), 28.0, 20.0)
        self.assertEqual([p.rank for p in found], sorted(p.rank for p in found))
        sure = {p.recipe: p.design for p in found if p.design is not None}
        self.assertIn("strip-slider", sure)
        values = sure["strip-slider"].mechanisms[0].parameters
        self.assertEqual(sorted((values["reveal_width"], values["reveal_height"])), [20.0, 28.0])
        for design in sure.values():
            self.assertEqual(blocks(design), [])

    def test_every_wish_can_be_asked_of_its_recipe(self):
        for recipe_id, asks in WISHES.items():
            recipe = find_recipe(recipe_id)
            for ask in asks(30.0, 20.0):
                for name, value in ask.items():
                    with self.subTest(recipe_id, name=name):
                        recipe.find_parameter(name).accept(value, path=name)

    def test_a_wide_picture_is_shown_by_a_slider_that_goes_up_and_no_larger_or_smaller(self):
        wide, high = 50.0, 18.0
        found = propose_designs(CATALOG, Card(), Ways(units="mm"), wide, high)
        slider = next(p for p in found if p.recipe == "strip-slider")
        self.assertIsNotNone(slider.design, slider.reason)
        self.assertEqual(slider.design.mechanisms[0].parameters["direction"], "up")
        built = build_assembly(slider.design, CATALOG)
        shown = next(n for n in built.needs if isinstance(n, Shown))
        left, bottom, right, top = shapely.transform(shown.region, lambda xy: apply_pose(built.by_id[shown.part].home, xy)).bounds
        self.assertAlmostEqual(right - left, wide, places=3)
        self.assertAlmostEqual(top - bottom, high, places=3)

    def test_what_cannot_be_says_why(self):
        found = propose_designs(CATALOG, Card(), Ways(units="mm"), 300.0, 300.0)
        self.assertEqual({(p.recipe, p.verdict) for p in found}, {(name, "impossible") for name in WISHES})
        for proposal in found:
            if proposal.design is None:
                self.assertEqual(proposal.verdict, "impossible")
                self.assertGreater(len(proposal.reason), 15)
        self.assertIn("strip-slider", [p.recipe for p in found if p.design is None])


class MarginTest(unittest.TestCase):
    def test_the_smallest_margin_grows_and_nothing_new_is_found(self):
        design = card_with("strip-slider").with_parameters(
            "m1", {"rail_gap": card_with("strip-slider").mechanisms[0].parameters["strip_height"] + 0.6}
        )
        better = widen(design, CATALOG, "m1")
        self.assertGreater(smallest_margin(better, CATALOG, "m1"), smallest_margin(design, CATALOG, "m1") + 0.04)
        self.assertEqual(blocks(better), [])

    def test_what_is_pinned_stays(self):
        design = card_with("strip-slider").with_parameters(
            "m1", {"rail_gap": card_with("strip-slider").mechanisms[0].parameters["strip_height"] + 0.6}
        )
        told = fit_design(design, CATALOG, "m1", ["travel", "strip_height"])
        self.assertTrue(told.is_free)
        for name in ("travel", "strip_height"):
            self.assertEqual(told.design.mechanisms[0].parameters[name], design.mechanisms[0].parameters[name])


class DimensionTest(unittest.TestCase):
    """Hygroexpansion: ISO 8226-1, 0.15 % across and 0.04 % along the grain for ten per cent of humidity (from memory)."""

    def test_a_pack_of_foam_that_is_thin_spoils_by_the_normal_probability(self):
        design = card_with("pivot-arm").with_parameters("m1", {"foam": "foam-3", "foam_layers": 1})
        assembly = build_assembly(design, CATALOG)
        accuracy = Accuracy(0.0, 0.0, 0.0, "only foam", 0.0, 0.0, 0.10)
        told = simulate_builds(design, CATALOG, builds=8_000, accuracy=accuracy, only=("thickness of foam-3",))
        tallest = max(p.top_mm for p in assembly.parts if p.id in ("m1.pivot", "m1.crank", "m1.picture", "m1.arm"))
        air = assembly.by_id["card.frame"].z_mm - tallest
        self.assertAlmostEqual(told.free, float(norm.cdf(air / (0.10 * 3.0))), delta=0.015)

    def test_damp_paper_grows_across_its_grain(self):
        assembly = build_assembly(card_with("strip-slider"), CATALOG)
        wet = grown(assembly, CATALOG, 10.0)
        before, after = (np.array(a.by_id["m1.strip"].size_mm) for a in (assembly, wet))
        self.assertTrue(np.allclose(after / before - 1, [10 * ALONG_GRAIN, 10 * ACROSS_GRAIN], atol=1e-9))
        self.assertTrue(np.allclose(after / before - 1, [0.0004, 0.0015], atol=1e-9))
        self.assertEqual(assembly.by_id["card.frame"].size_mm, wet.by_id["card.frame"].size_mm)
        dry, damp = (measure_margins(a, CATALOG, Ways())["m1.rail-low – m1.strip"] for a in (assembly, wet))
        self.assertAlmostEqual(dry - damp, 0.0015 * before[1] / 2, places=6)

    def test_everything_that_can_be_off_is_there(self):
        design = card_with("pivot-arm")
        kinds = {d.kind for d in find_errors(design, build_assembly(design, CATALOG), CATALOG, ACCURACIES["hand"])}
        self.assertEqual(kinds, {"measure", "hole", "caliper", "foam", "humidity"})


class CompareTest(unittest.TestCase):
    def setUp(self):
        self.first = card_with("strip-slider")
        self.second = self.first.with_parameters("m1", {"travel": 46.0, "picture_width": 50.0})

    def test_what_differs_and_only_that_is_listed(self):
        told = compare_designs(self.first, self.second, CATALOG, steps=25)
        self.assertEqual({d.name for d in told.decisions}, {"travel", "picture width"})
        self.assertEqual([d.name for d in told.cut], ["picture"])
        self.assertEqual(told.verdicts, ("free", "blocked"))
        self.assertIn("travel", [f.rule for f in told.new])
        pad = next(r for r in told.rows if r.label == "pad – frame")
        self.assertGreater(pad.first, 0)
        self.assertLess(pad.second, 0)
        self.assertTrue(pad.second_trouble and not pad.first_trouble)

    def test_the_other_way_round_what_is_new_is_gone(self):
        there, back = compare_designs(self.first, self.second, CATALOG, steps=25), compare_designs(self.second, self.first, CATALOG, steps=25)
        self.assertEqual({f.key for f in there.new}, {f.key for f in back.gone})
        self.assertEqual([(d.first, d.second) for d in there.cut], [(d.second, d.first) for d in back.cut])

    def test_a_design_differs_in_nothing_from_itself(self):
        told = compare_designs(self.first, self.first, CATALOG, steps=25)
        bought = {**CATALOG.brads, **CATALOG.weights}
        rows = [r for r in cut_list(build_assembly(self.first, CATALOG), CATALOG) if r.stock not in bought and r.stock != "magnet"]
        pieces = next(r for r in told.totals if r.name == "pieces")
        self.assertEqual((pieces.first, pieces.second), (str(sum(r.quantity for r in rows)),) * 2)  # as many as the cut list has
        self.assertEqual((told.decisions, told.gone, told.new, told.changed, told.cut), ((), (), (), (), ()))

    def test_plies_are_told_in_the_cut_list(self):
        one, three = (change_design(self.first, CATALOG, {"strip_plies": str(n)}) for n in (1, 3))
        told = {d.name: (d.first, d.second) for d in compare_designs(one, three, CATALOG, steps=13).cut}
        self.assertNotIn("plies", told["strip"][0])
        self.assertIn("3 plies", told["strip"][1])

    def test_card_items_and_mechanisms_are_compared(self):
        other = change_design(self.first, CATALOG, {"card": "a7", "item.d1": "decoration on card.frame front 9x9mm", "corner.m1.picture": 3.0})
        other = msgspec.structs.replace(other, mechanisms=(msgspec.structs.replace(other.mechanisms[0], mirror=True),))
        told = compare_designs(self.first, other, CATALOG, steps=13)
        self.assertLessEqual(
            {("card", "size"), ("item", "d1"), ("corner", "m1.picture"), ("m1", "mirrored")}, {(d.subject, d.name) for d in told.decisions}
        )


class CommandTest(FileCase):
    def test_zones_and_post_answer_in_json(self):
        status, out, _ = call("zones", str(self.file), "--json")
        told = json.loads(out)
        self.assertEqual((status, told["format"]), (0, "lexipod-zones/1"))
        self.assertTrue(any(z["part"] == "card.panel" and z["use"] == "foam" and z["polygons"] for z in told["zones"]))
        status, out, _ = call("post", str(self.file), "--json")
        told = json.loads(out)
        self.assertEqual((status, told["format"]), (0, "lexipod-post/1"))
        self.assertAlmostEqual(sum(told["mass"][k] for k in ("paper", "foam", "fasteners", "envelope")), told["mass"]["total"], delta=0.05)

    def test_convert_writes_only_where_it_is_told_to(self):
        before, other = self.file.read_bytes(), self.folder / "fog-a7.lexipod"
        status, out, _ = call("convert", str(self.file), "--card", "a7", "--out", str(other))
        self.assertEqual(status, 0)
        self.assertIn("fits", out)
        self.assertEqual(self.file.read_bytes(), before)
        self.assertEqual(json.loads(other.read_text())["card"]["size"], "na.a7")
        status, out, _ = call("compare", str(self.file), str(other), "--json")
        self.assertIn("card", {d["subject"] for d in json.loads(out)["decisions"]})

    def test_bad_wishes_and_cards_are_refused_in_one_line(self):
        for arguments in (
            ("propose", "--reveal", "bad"),
            ("propose", "--reveal", "0x30mm"),
            ("propose", "--reveal", "9999x30mm"),
            ("convert", str(self.file), "--card", "nothing"),
            ("compare", str(self.file), str(self.folder / "none.lexipod")),
        ):
            status, out, err = call(*arguments)
            self.assertEqual((status, out), (2, ""), arguments)
            self.assertEqual(len(err.strip().splitlines()), 1, err)


if __name__ == "__main__":
    unittest.main()
