"""The maker's wish: what she set last and pinned is kept by the first cure, with what changes; else how much of it can be kept."""

import shlex
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import msgspec
import numpy as np

from lexipod.building import resolve_parameters, site_for
from lexipod.building.card import own_site
from lexipod.checks import Remedy, run_checks
from lexipod.cures import with_remedies
from lexipod.demo import load_demo
from lexipod.design import Card
from lexipod.design.files import write_design
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.fitting import fit_design, grant_wishes, wish_first
from lexipod.fitting.reaching import find_reach
from lexipod.fitting.searching import Search
from lexipod.fitting.wishing import gives_up
from lexipod.pipeline import open_design
from lexipod.recipes import find_recipe
from lexipod.units import UnitStyle
from tests.cli.test_commands import call
from tests.random_limits import draw_wish, judge_wish
from tests.samples import sample_size, short_search
from tests.zoo import CATALOG, card_with, moved

MADE = (
    ("fog-lifts", {"travel": 53.975}),
    ("four-lights", {"plate": 110.0}),
    ("storm-lantern", {"window": 101.6}),
    ("kite-mole", {"window": 90.0}),
)


def findings_of(design, steps=31):
    return run_checks(moved(design, steps)[1])


class ReachTest(unittest.TestCase):
    def test_the_reach_is_where_a_plain_scan_of_the_check_begins_to_block(self):
        """Every value in steps, each checked on its own, outwards from the present one to the first that blocks."""
        for name, measure, step in (("fog-lifts", "travel", 0.5), ("four-lights", "plate", 4.0)):
            design = load_demo(name)
            now = design.mechanisms[0].parameters[measure]
            told = find_reach(design, CATALOG, "m1", measure)

            def blocks(value, design=design, measure=measure):
                try:
                    return any(f.severity == "block" for f in findings_of(design.with_parameters("m1", {measure: value}), 25))
                except LexipodError:
                    return True

            for limit, way in ((told.as_is[0], -1), (told.as_is[1], 1)):
                self.assertFalse(blocks(limit), (name, limit))
                first = next(k for k in range(1, 400) if blocks(now + way * k * step))
                self.assertAlmostEqual(limit, now + way * first * step, delta=step + 0.45, msg=name)
            self.assertLessEqual(told.fitted[0], told.as_is[0])
            self.assertGreaterEqual(told.fitted[1], told.as_is[1])

    def test_what_is_told_as_fitted_can_be_fitted(self):
        design = load_demo("fog-lifts")
        told = find_reach(design, CATALOG, "m1", "travel")
        for value in told.fitted:
            made = fit_design(design.with_parameters("m1", {"travel": value}), CATALOG, "m1", ["travel"], widens=False)
            self.assertTrue(made.is_free, value)
            self.assertEqual(made.design.mechanisms[0].parameters["travel"], value)

    def test_counts_are_whole_and_what_blocks_already_has_no_reach_as_it_is(self):
        told = find_reach(load_demo("five-tides"), CATALOG, "m1", "leaves")
        self.assertTrue(all(float(v).is_integer() for v in (*told.as_is, *told.fitted)))
        broken = load_demo("fog-lifts").with_parameters("m1", {"travel": 53.975})
        told = find_reach(broken, CATALOG, "m1", "travel")
        self.assertIsNone(told.as_is)
        self.assertGreater(told.fitted[1], 53.0)
        for name in ("pull", "nothing"):
            with self.assertRaises(LexipodError):
                find_reach(broken, CATALOG, "m1", name)


class SearchTest(unittest.TestCase):
    """What neither sizing nor cures grant: where a search says yes, the card is free; where it says no, a raw search finds nothing either."""

    def test_what_is_found_keeps_the_wish_leaves_the_card_free_and_moves_nothing_in_vain(self):
        design = card_with("twist-popup", Card(size="na.a2")).with_parameters("m1", {"platform_height": 100.62})
        self.assertFalse(fit_design(design, CATALOG, "m1", ["platform_height"], widens=False, explains=False).is_free)
        kept = {"platform_height": 100.62, "platform": design.mechanisms[0].parameters["platform"]}
        search = Search(design, CATALOG, "m1", kept, 60.0)
        found = search.find(150)
        self.assertEqual(found.mechanisms[0].parameters["platform_height"], 100.62)
        self.assertEqual([f.title for f in findings_of(found) if f.severity == "block"], [])
        site = own_site(site_for(design, CATALOG), design.mechanisms[0])
        for name in search.moved:
            rest = {n: v for n, v in search.moved.items() if n != name}
            without = resolve_parameters(find_recipe("twist-popup"), site, {**kept, **rest})
            self.assertTrue([f for f in findings_of(design.with_parameters("m1", without), 25) if f.severity == "block"], name)
        again = Search(design, CATALOG, "m1", kept, 60.0)
        self.assertEqual(again.find(150), found)

    def test_random_wishes_are_kept_or_a_raw_search_finds_nothing_either(self):
        rng = np.random.default_rng(11)
        wishes = [w for w in (draw_wish(rng, ("strip-slider", "window-wheel", "hinge-plate", "thread-spinner")) for _ in range(30)) if w]
        verdicts = [judge_wish(w, rng, 40) for w in wishes[: sample_size(3)]]
        self.assertTrue(verdicts)
        self.assertEqual([v for v in verdicts if v[0] in ("disproved", "not free", "broken", "refused")], [])

    def test_a_place_in_a_cure_is_written_as_it_can_be_set(self):
        """The one spinner is in the way of the other, which keeps its length and moves aside."""
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "b.lexipod"
            call("new", "spinner", "--out", file, "--set", "pivot=35x100mm", "--set", "leaf_length=22mm")
            call("add", file, "spinner", "--set", "leaf_length=22mm")
            call("set", file, "--mechanism", "m2", "pivot.x=72mm", "pivot.y=100mm")
            design = open_design(file, CATALOG)
        design = design.with_decided("m1", ("leaf_length",))
        remedy = grant_wishes(design, CATALOG, findings_of(design))["m1"].remedy
        self.assertTrue(any(name.startswith("pivot.") for name in remedy.set), remedy)
        cured = change_design(design, CATALOG, remedy.set, mechanism="m1")
        self.assertEqual([f.title for f in findings_of(cured) if f.severity == "block"], [])

    def test_it_ends_when_nobody_waits_any_more(self):
        design = card_with("twist-popup", Card(size="na.a2")).with_parameters("m1", {"platform_height": 128.8})
        asked = []
        search = Search(design, CATALOG, "m1", {"platform_height": 128.8}, 60.0, lambda: asked.append(1) or len(asked) < 3)
        self.assertIsNone(search.find(1000))
        self.assertLess(len(asked), 8)


class ElsewhereTest(unittest.TestCase):
    def granted(self, design, names):
        with mock.patch("lexipod.fitting.wishing.LOOKED_FOR_SECONDS", 120.0):
            return grant_wishes(design.with_decided("m1", names), CATALOG, findings_of(design, 25))["m1"]

    @short_search()
    def test_a_larger_card_that_has_room_is_named_and_has_it(self):
        design = load_demo("tide-brings").with_parameters("m1", {"wheel_radius": 58.7})
        granted = self.granted(design, ("wheel_radius",))
        self.assertIsNone(granted.remedy)
        name = granted.limit.partition("from the ")[2].partition(" card on")[0]
        size = next(s for s in CATALOG.cards.values() if s.name == name)
        larger = msgspec.structs.replace(design, card=msgspec.structs.replace(design.card, size=size.id), envelope=None)
        told = fit_design(larger, CATALOG, "m1", ["wheel_radius"], widens=False)
        self.assertTrue(told.is_free)
        self.assertEqual(told.design.mechanisms[0].parameters["wheel_radius"], 58.7)
        smaller = [s for s in CATALOG.cards.values() if s.width_mm * s.height_mm < size.width_mm * size.height_mm - 1]
        here = CATALOG.cards[design.card.size]
        for other in (s for s in smaller if min(s.width_mm, s.height_mm) >= here.width_mm and max(s.width_mm, s.height_mm) >= here.height_mm):
            card = msgspec.structs.replace(design.card, size=other.id)
            told = fit_design(
                msgspec.structs.replace(design, card=card, envelope=None), CATALOG, "m1", ["wheel_radius"], widens=False, explains=False
            )
            self.assertFalse(told.is_free, other.id)

    def test_another_choice_is_named_where_it_does(self):
        design = card_with("spin-popup")
        wish = {"arm_length": design.mechanisms[0].parameters["arm_length"] + 15.0}
        tried = design.with_parameters("m1", wish)
        with short_search(0, 0):  # a search finds it without another choice
            limit = self.granted(tried, ("arm_length",)).limit
        self.assertIsNotNone(fit_design(tried, CATALOG, "m1", ["arm_length"], widens=False).changed)
        choice = limit.partition("with “")[2].partition("”")[0]
        self.assertEqual(choice, "tent")
        told = fit_design(tried.with_parameters("m1", {"form": choice}), CATALOG, "m1", ["arm_length", "form"], widens=False)
        self.assertTrue(told.is_free)
        self.assertEqual(told.design.mechanisms[0].parameters["arm_length"], wish["arm_length"])


class WishTest(unittest.TestCase):
    def test_the_first_cure_keeps_what_was_set_and_leaves_the_card_free(self):
        kept = 0
        for name, wish in MADE:
            design = change_design(load_demo(name), CATALOG, wish, mechanism="m1", by_hand=True)
            self.assertEqual(design.mechanisms[0].decided, tuple(wish))
            found = findings_of(design)
            if not any(f.severity == "block" for f in found):
                continue
            granted = grant_wishes(design, CATALOG, found)["m1"]
            if granted.remedy is None:
                self.assertIn("No way was found to keep", granted.limit)
                continue
            kept += 1
            ordered = wish_first(design, found, {"m1": granted})
            first = next(f for f in ordered if f.severity == "block").remedies[0]
            self.assertTrue(first.keeps and first.cures)
            self.assertFalse(set(first.set) & set(wish), name)
            self.assertEqual(len(first.changes), len(first.set))
            cured = change_design(design, CATALOG, first.set, mechanism=first.mechanism)
            self.assertEqual([f.title for f in findings_of(cured) if f.severity == "block"], [], name)
            for measure, value in wish.items():
                self.assertEqual(cured.mechanisms[0].parameters[measure], value)
        self.assertGreaterEqual(kept, 2)

    def test_what_gives_some_of_the_wish_up_says_how_much_and_comes_last(self):
        design = change_design(load_demo("fog-lifts"), CATALOG, {"travel": 53.975}, mechanism="m1", by_hand=True)
        found = findings_of(design)
        ordered = wish_first(design, with_remedies(design, CATALOG, found), grant_wishes(design, CATALOG, found))
        labels = [r.label for f in ordered if f.severity == "block" for r in f.remedies]
        self.assertTrue(labels[0].startswith("Keep travel 2 1/8 in"))
        self.assertTrue(any("gives up" in label and "of travel" in label for label in labels[1:]))
        lost = ["gives up" in label for label in labels]
        self.assertEqual(lost, sorted(lost))
        told = ["travel" in r.gives_up for f in ordered if f.severity == "block" for r in f.remedies]
        self.assertEqual(told, lost)

    def test_what_is_there_is_mended_round_the_wish_where_sizing_anew_does_not_do(self):
        """A longer crank on the dial leaves little paper beside its slots; shorter links mend it, and nothing else needs to change."""
        design = change_design(load_demo("mussel-bank"), CATALOG, {"crank": "31.75mm"}, mechanism="m1", by_hand=True)
        granted = grant_wishes(design, CATALOG, findings_of(design))["m1"]
        self.assertEqual(granted.limit, "")
        self.assertIsNotNone(granted.remedy)
        self.assertEqual(len(granted.remedy.set), 1, granted.remedy.set)
        mended = change_design(design, CATALOG, granted.remedy.set, mechanism="m1")
        self.assertEqual(mended.mechanisms[0].parameters["crank"], 31.75)
        self.assertEqual([f.title for f in findings_of(mended) if f.severity == "block"], [])

    @short_search()
    def test_a_wish_that_cannot_be_kept_says_how_much_can(self):
        design = card_with("strip-slider").with_parameters("m1", {"travel": 95.0})
        granted = grant_wishes(design.with_decided("m1", ["travel"]), CATALOG, findings_of(design))["m1"]
        self.assertIsNone(granted.remedy)
        self.assertIn("No way was found to keep travel 95 mm", granted.limit)
        most = dict(granted.most)
        self.assertEqual(list(most), ["travel"])
        self.assertTrue(granted.because)
        made = fit_design(design.with_parameters("m1", most), CATALOG, "m1", ["travel"], widens=False)
        self.assertTrue(made.is_free)
        self.assertEqual(made.design.mechanisms[0].parameters["travel"], most["travel"])

    def test_all_that_was_decided_is_kept_where_it_can_be_else_what_was_decided_last(self):
        """Two decisions that go together are both kept; of two that do not, the later one, and the cure says which it gives up."""
        base = load_demo("fog-lifts")
        both = change_design(base, CATALOG, {"strip_height": 60.0, "travel": 53.975}, mechanism="m1", by_hand=True)
        self.assertEqual(both.mechanisms[0].decided, ("travel", "strip_height"))
        remedy = grant_wishes(both, CATALOG, findings_of(both))["m1"].remedy
        self.assertFalse({"travel", "strip_height"} & set(remedy.set))
        torn = change_design(base, CATALOG, {"slot_length": 44.0, "travel": 53.975}, mechanism="m1", by_hand=True)
        found = findings_of(torn)
        granted = grant_wishes(torn, CATALOG, found)
        first = next(f for f in wish_first(torn, found, granted) if f.severity == "block").remedies[0]
        self.assertNotIn("travel", first.set)
        self.assertIn("slot_length", first.set)
        self.assertEqual(first.gives_up, ("slot_length",))

    @short_search()
    def test_what_is_pinned_is_kept_before_what_was_decided(self):
        design = load_demo("fog-lifts")
        design = change_design(design, CATALOG, {"slot_length": 60.0}, mechanism="m1").with_pinned("m1", "slot_length", on=True)
        design = change_design(design, CATALOG, {"travel": 90.0}, mechanism="m1", by_hand=True)
        granted = grant_wishes(design, CATALOG, findings_of(design))["m1"]
        self.assertIsNone(granted.remedy)
        self.assertIn("No way was found to keep", granted.limit)

    def test_decisions_and_pins_are_saved_and_a_name_that_is_none_is_refused(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.lexipod"
            self.assertEqual(call("new", "pivot-arm", "--out", path, "--card", "a7", "--set", "arm_length=60mm", "--set", "swing=50deg")[0], 0)
            decided = open_design(path, CATALOG).mechanisms[0].decided
            self.assertIn("arm_length", decided)
            self.assertEqual(call("set", path, "cover_width=90mm")[0] if "cover_width" in decided else call("set", path, "crank=12mm")[0], 0)
            again = open_design(path, CATALOG)
            self.assertEqual(again.mechanisms[0].decided[0], "crank")
            write_design(again.with_pinned("m1", "crank", on=True), path)
            self.assertEqual(open_design(path, CATALOG).mechanisms[0].pinned, ("crank",))
            write_design(again.with_decided("m1", ["krank"]), path)
            status, _, err = call("check", path)
            self.assertEqual(status, 2)
            self.assertIn("mechanisms[0].decided", err)

    def test_what_was_decided_stays_also_where_it_is_as_it_would_be_sized(self):
        """Another way of cutting sizes the rest anew; a clearance that the maker set by hand to the usual value is hers."""
        base = card_with("strip-slider")
        usual = base.mechanisms[0].parameters["clearance"]
        decided = change_design(base, CATALOG, {"clearance": usual}, by_hand=True)
        ways = [change_design(d, CATALOG, {"cutting": "plotter"}).mechanisms[0].parameters["clearance"] for d in (base, decided)]
        self.assertNotEqual(ways[0], usual)
        self.assertEqual(ways[1], usual)

    def test_the_command_keeps_what_it_is_told_to(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.lexipod"
            write_design(load_demo("fog-lifts"), path)
            self.assertEqual(call("set", path, "travel=53.975mm")[0], 0)
            status, out, _ = call("check", path, "--seconds", 0)
            self.assertIn("Keep travel", out)
            self.assertEqual(call("check", path, "--seconds", 0, "--keep", "travel")[1], out)
            self.assertEqual(status, 1)
            offered = [line.strip() for line in out.splitlines() if line.strip().startswith(("Keep", "Make"))]
            self.assertTrue(offered[0].startswith("Keep travel 2 1/8 in, fit the rest  ["))
            pasted = shlex.split(offered[0].partition("[")[2].removesuffix("]"))
            self.assertEqual(call("set", path, *pasted)[0], 0)
            self.assertEqual(call("check", path, "--seconds", 0)[0], 0)
            status, _, err = call("check", path, "--keep", "trawel")
            self.assertEqual(status, 2)
            self.assertIn("travel", err)

    def test_nothing_is_granted_where_nothing_blocks_or_is_wished(self):
        design = card_with("strip-slider")
        self.assertEqual(grant_wishes(design.with_decided("m1", ["travel"]), CATALOG, findings_of(design)), {})
        broken = design.with_parameters("m1", {"travel": 60.0})
        self.assertEqual(grant_wishes(broken, CATALOG, findings_of(broken)), {})

    def test_what_a_cure_takes_away_is_told_in_its_own_words(self):
        design, style = card_with("strip-slider"), UnitStyle("mm")
        travel = design.mechanisms[0].parameters["travel"]
        design = design.with_decided("m1", ["travel"])
        self.assertEqual(gives_up(design, Remedy("x", {"travel": travel - 4.0}, "m1"), style), {"travel": "4 mm of travel"})
        self.assertEqual(gives_up(design, Remedy("x", {"m1.travel": travel - 4.0}, None), style), {"travel": "4 mm of travel"})
        self.assertEqual(gives_up(design, Remedy("x", {"slot_length": 9.0}, "m1"), style), {})
        self.assertEqual(gives_up(design, Remedy("x", {"travel": travel}, "m1"), style), {})


if __name__ == "__main__":
    unittest.main()
