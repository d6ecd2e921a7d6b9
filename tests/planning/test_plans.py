"""Plans: every order that a plan allows can be built; trade orders are kept; what was noticed too late comes early; moves are refused or told."""

import unittest
from functools import cache
from unittest import mock

import msgspec
import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.catalog.book import read_tables
from lexipod.checks import Examination
from lexipod.demo import demo_names, load_demo
from lexipod.design import Card, Design, Making, Ways
from lexipod.editing.change import change_design
from lexipod.errors import FileError
from lexipod.geometry.frames import transform_regions
from lexipod.planning import puts
from lexipod.planning.gluing import advise
from lexipod.planning.plan import find_breaches, make_plan, move_refused, moved_order
from lexipod.planning.puts import find_puts
from lexipod.planning.reach import find_building
from lexipod.planning.step_drawing import draw_step, never_glue
from lexipod.recipes import RECIPES
from tests.random_plans import any_order, faults_of, fold_faults, look_at
from tests.samples import SEED, sample_size
from tests.zoo import CATALOG, card_with, slider


@cache
def demo(name):
    design = load_demo(name)
    assembly = build_assembly(design, CATALOG)
    return design, assembly, make_plan(assembly, CATALOG, design)


def at(plan, what):
    """The place of the step whose id is, or begins so; or that puts that part."""
    for k, step in enumerate(plan.steps):
        if step.id == what:
            return k
    for k, step in enumerate(plan.steps):
        if step.id.startswith(what) or (what in step.parts and step.kind not in ("test",) and not step.id.startswith("set-")):
            return k
    raise AssertionError(f"no step {what} among {[s.id for s in plan.steps]}")


# Orders of work as makers keep to them, each pair with what must come first; common practice, no source.
TRADE_ORDERS = {
    "fog-lifts": [
        ("colour-card.frame", "put-card.frame"),
        ("card.panel", "m1.backing"),
        ("m1.backing", "m1.strip"),
        ("m1.rail-low", "m1.strip"),
        ("m1.strip", "test-m1"),
        ("test-m1", "put-card.frame"),
        ("put-card.frame", "m1.picture"),
        ("m1.picture", "run-m1"),
        ("run-m1", "cue"),
    ],
    "seal-pup": [
        ("colour-m1.piece", "m1.piece"),
        ("fold-m1.pull", "m1.pull"),
        ("m1.pull", "m1.sleeve-long"),
        ("m1.sleeve-long", "test-m1"),
        ("m1.wing-first", "m1.piece"),
        ("m1.piece", "m1.pocket"),
        ("m1.pad-1", "m1.pocket"),
        ("test-m1", "put-card.sheet"),
        ("run-m1", "trim-m1.pull"),
    ],
    "keepers-chest": [("m1.slider", "m1.pocket"), ("m1.slider", "m1.strap"), ("m1.slider", "m1.upper"), ("m1.pocket", "m1.lower")],
    "last-ferry": [("m1.disc", "put-card.frame"), ("m1.pillar", "m1.figure"), ("put-card.frame", "m1.figure"), ("test-m1", "put-card.frame")],
    "mast-lantern": [("m1.disc", "put-card.frame"), ("put-card.frame", "m1.figure")],
    "glass-rises": [
        ("m1.crank-legs", "set-m1.pull"),
        ("m1.pull", "m1.collar"),
        ("m1.arm", "m1.pivot"),
        ("m1.pivot-legs", "put-card.sheet"),
        ("m1.pill-1", "m1.rear-1"),
        ("m1.collar", "put-card.frame"),
        ("test-m1", "put-card.frame"),
    ],
    "mussel-bank": [
        ("m1.front-upper", "m1.rider-upper-1"),
        ("m1.rear-upper", "m1.link-upper"),
        ("m1.link-upper", "m1.rider-upper-1-legs"),
        ("m1.rider-upper-1-legs", "m1.dial"),
        ("m1.dial", "m1.crank-upper-legs"),
        ("test-m1", "put-card.panel"),
        ("m1.half-lower-glide-left", "m1.half-lower"),
        ("m1.half-lower", "m1.half-upper"),
    ],
    "dome-opens": [
        ("colour-card.sheet", "set-m1.fixed-ring"),
        ("m1.fixed-ring", "m1.blade-1"),
        ("m1.blade-1", "m1.ring"),
        ("m1.connector-1", "m1.lap-1"),
        ("m1.ring", "m1.top-ring"),
        ("m1.top-ring", "m1.lap-1"),
        ("m1.hook-1", "set-m1.fixed-ring"),
        ("m1.lap-1", "test-m1"),
        ("test-m1", "set-m1.fixed-ring"),
        ("set-m1.fixed-ring", "put-card.frame"),
    ],
    "weather-box": [
        ("m1.slat-1", "m1.hold-left"),
        ("m1.slat-1", "m1.stile-left"),
        ("colour-m1.stile-left", "m1.stile-left"),
        ("m1.stile-left", "put-card.frame"),
    ],
    "tide-brings": [
        ("colour-m1.wheel", "m1.wheel"),
        ("m1.pivot", "m1.pivot-legs"),
        ("turn-m1.pivot", "set-m1.backing"),
        ("m1.pads", "set-m1.backing"),
        ("set-m1.backing", "put-card.frame"),
    ],
    "wind-wheel": [("colour-m1.leaf-1", "m1.leaf-1"), ("m1.leaf-6", "m1.pivot"), ("m1.pivot-legs", "put-card.sheet")],
    "way-home": [("m1.washer", "m1.hand"), ("m1.hand", "m1.pivot"), ("m1.pivot-legs", "put-card.sheet")],
    "pilot-waves": [("fold-m1.leaf", "join-m1.leaf"), ("join-m1.leaf", "try-m1"), ("try-m1", "join-m1.sheet-2"), ("colour-m1.leaf", "join-m1.leaf")],
    "five-tides": [("join-m1.leaf-1", "join-m1.leaf-2"), ("join-m1.leaf-4", "page-m1.belt"), ("join-m1.belt", "try-m1"), ("try-m1", "page-m1.belt")],
    "strand-turns": [("laminate-m1.frame", "join-m1.frame"), ("join-m1.frame", "page-m1.panel-1"), ("try-m1", "page-m1.panel-1")],
    "whale-rises": [("fold-m1.inner", "join-m1.platform"), ("page-m1.inner-1", "page-m1.inner-2"), ("page-m1.inner-2", "open-m1")],
    "petrel-turns": [("join-m1.upper-arm", "page-m1.inner-1"), ("page-m1.inner-1", "page-m1.inner-2"), ("page-m1.inner-2", "open-m1")],
    "storm-lantern": [
        ("join-m1.plate", "join-m1.saddle"),
        ("join-m1.ring", "join-m1.strip"),
        ("join-m1.spinner", "join-m1.strip"),
        ("join-m1.strip", "open-m1"),
        ("colour-m1.spinner", "join-m1.spinner"),
    ],
    "kite-mole": [("colour-m1.spinner", "page-m1.spinner")],
    "four-lights": [("page-m1.strip-0", "page-m1.strip-1"), ("page-m1.strip-1", "open-m1")],
    "two-shores": [("colour-m1.piece", "join-m1.piece"), ("join-m1.piece", "open-m1"), ("open-m1", "close-m1.band")],
    "ebb-flood": [("join-m1.slider", "join-m1.front"), ("join-m1.back", "join-m1.front"), ("open-m1", "close-card.seal")],
    "comet-inside": [("page-m2.inner", "set-m1.fixed-ring"), ("test-m1", "set-m1.fixed-ring")],
}


class TradeTest(unittest.TestCase):
    def test_every_recipe_has_a_card_whose_order_is_held_against_the_trade(self):
        self.assertEqual(set(TRADE_ORDERS), set(demo_names()))
        self.assertEqual({m.recipe for n in demo_names() for m in load_demo(n).mechanisms}, set(RECIPES))

    def test_plans_keep_to_the_order_of_the_trade(self):
        for name, pairs in TRADE_ORDERS.items():
            _, _, plan = demo(name)
            for first, then in pairs:
                with self.subTest(card=name, first=first, then=then):
                    self.assertLess(at(plan, first), at(plan, then))

    def test_every_plan_is_whole_in_order_and_says_why(self):
        for name in demo_names():
            with self.subTest(card=name):
                _, assembly, plan = demo(name)
                self.assertEqual((plan.faults, find_breaches(plan.steps)), ((), []))
                self.assertEqual(plan.steps[-1].id, "finish")
                self.assertTrue(
                    all(s.why and s.do.endswith((".", "”.")) and s.minutes > 0 for s in plan.steps), [s.id for s in plan.steps if not s.why]
                )
                cut = [b for s in plan.steps if s.kind == "cut" for b in s.blanks]
                self.assertEqual(sorted(cut), sorted(b.id for b in find_blanks(assembly)))

    def test_every_scored_piece_is_scored_flat_coloured_and_folded_before_it_is_glued(self):
        for name in demo_names():
            _, assembly, plan = demo(name)
            for blank in find_blanks(assembly):
                using = [s for s in plan.steps if blank.id in s.blanks]
                kinds = [s.kind for s in using]
                rank = {"cut": 0, "punch": 1, "score": 2, "colour": 3, "laminate": 3, "fold": 4}
                order = [rank.get(k, 9) for k in kinds]
                self.assertEqual(order, sorted(order), f"{name}: {blank.id} {kinds}")
                self.assertEqual("score" in kinds, bool(blank.creases), f"{name}: {blank.id}")

    def test_what_was_noticed_too_late_comes_early(self):
        """Art in what gets covered, glide pads, the movement before liners come off, tests at both ends (common practice, no source)."""
        for name in demo_names():
            _, assembly, plan = demo(name)
            for zone in (z for z in assembly.zones if z.kind == "art"):
                colour = next(
                    k
                    for k, s in enumerate(plan.steps)
                    if s.kind == "colour" and any(zone.part in b.panels for b in find_blanks(assembly) if b.id in s.blanks)
                )
                put = next((k for k, s in enumerate(plan.steps) if zone.part in s.parts), len(plan.steps))
                self.assertLess(colour, put, f"{name}: {zone.part}")
            covers = [k for k, s in enumerate(plan.steps) if s.kind == "mount" and s.id != "put-card.sheet" and not s.id.startswith("set-")]
            tests = [k for k, s in enumerate(plan.steps) if s.kind == "test"]
            for cover in covers if assembly.drives else ():
                self.assertTrue(any(t < cover for t in tests), f"{name}: nothing is tried before step {cover + 1}")

    def test_a_place_is_measured_only_where_something_is_stuck_to_what_carries_it(self):
        asked = 0
        for name in demo_names():
            for step in demo(name)[2].steps:
                for ask in (a for a in step.asks if a.kind == "place"):
                    asked += 1
                    self.assertIn(step.kind, ("glue", "mount"), f"{name}: {step.id}: {ask.name}")
                    self.assertNotIn("loose", step.do, f"{name}: {step.id}")
        self.assertGreater(asked, len(demo_names()) // 2)


class ReachTest(unittest.TestCase):
    def test_any_order_that_a_plan_allows_can_be_built(self):
        """Random mechanisms, alone and in pairs, and random measures: each plan in its own order and in two others, out of columns of paper."""
        chance = np.random.default_rng(SEED)
        looked = 0
        for _ in range(sample_size(8)):
            names, faults = look_at(chance)
            if faults is not None:
                looked += 1
                self.assertEqual(faults, [], f"{names}, LEXIPOD_SEED={SEED}")
        self.assertGreater(looked, sample_size(8) // 3)

    def test_the_demo_cards_can_be_built_in_any_order_that_their_plans_allow(self):
        chance = np.random.default_rng(SEED + 1)
        for name in demo_names():
            _, assembly, plan = demo(name)
            for _ in range(2):
                order = any_order(plan, chance)
                self.assertEqual([*faults_of(assembly, plan, order), *fold_faults(assembly, order)], [], name)

    def test_the_second_opinion_sees_a_plan_that_forgets_what_covers_what(self):
        design, assembly, _ = demo("fog-lifts")
        with mock.patch.object(puts.Workbench, "over", frozenset()):
            blind = make_plan(assembly, CATALOG, design)
        chance = np.random.default_rng(1)
        self.assertTrue(any(faults_of(assembly, blind, any_order(blind, chance)) for _ in range(8)))

    def test_the_second_opinion_sees_sheets_joined_before_what_lies_in_them(self):
        _, assembly, plan = demo("pilot-waves")
        swapped = list(plan.steps)
        leaf, sheets = at(plan, "join-m1.leaf"), at(plan, "join-m1.sheet-2")
        swapped[leaf], swapped[sheets] = swapped[sheets], swapped[leaf]
        self.assertTrue(fold_faults(assembly, swapped))

    def test_glue_never_comes_where_something_moves(self):
        """What passes through the height at which two pieces are glued does not come there on all of its travel."""
        passing = 0
        for name in demo_names():
            _, assembly, plan = demo(name)
            examination = Examination(assembly, CATALOG, load_demo(name).ways, steps=25)
            for step in plan.steps:
                for spot in (s for s in step.glue if s.part in assembly.by_id and s.onto in assembly.by_id):
                    a, b = assembly.by_id[spot.part], assembly.by_id[spot.onto]
                    placed = transform_regions(shapely.Polygon(spot.outline, spot.holes), np.array([a.home]))[0]
                    height = max(a.z_mm, b.z_mm)
                    for other in (assembly.by_id[i] for i in assembly.moving):
                        own = assembly.bodies[other.id] in (assembly.bodies[a.id], assembly.bodies[b.id])
                        if own or not other.quantity or not other.z_mm + 0.05 < height < other.top_mm - 0.05:
                            continue
                        passing += 1
                        swept = shapely.union_all(transform_regions(other.region, examination.poses(other.id)))
                        self.assertLess(shapely.intersection(placed, swept).area, 0.5, f"{name}: {step.id}: {other.id} passes")
        self.assertGreater(passing, 4)

    def test_where_glue_must_never_come_lies_beside_the_glue_where_something_runs(self):
        _, assembly, plan = demo("seal-pup")
        examination = Examination(assembly, CATALOG, load_demo("seal-pup").ways, steps=25)
        step = plan.by_id["put-m1.pocket"]
        never = never_glue(step, examination)
        runs = [transform_regions(assembly.by_id[i].region, examination.poses(i)) for i in assembly.moving]
        pads = shapely.union_all([assembly.by_id[s.onto].region_at_home for s in step.glue])
        self.assertGreater(never.area, 1000.0)
        self.assertLess(never.difference(shapely.union_all([r for rows in runs for r in rows]).buffer(0.1)).area, 0.5)
        self.assertLess(never.intersection(pads.intersection(assembly.by_id["m1.pocket"].region_at_home)).area, 0.5)

    def test_glue_lies_on_both_parts_that_it_holds(self):
        for name in demo_names():
            _, assembly, plan = demo(name)
            for step in plan.steps:
                for spot in step.glue:
                    a, b = assembly.by_id.get(spot.part), assembly.by_id.get(spot.onto)
                    if a is not None and b is not None:
                        placed = transform_regions(shapely.Polygon(spot.outline, spot.holes), np.array([a.home]))[0]
                        self.assertGreater(shapely.intersection(placed, b.region_at_home).area / placed.area, 0.6, f"{name}: {step.id}")

    def test_a_card_whose_parts_hold_each_other_has_no_order_and_says_so(self):
        """Whatever covers another is made to be covered by it too."""
        design = card_with("dial-riders")
        assembly = build_assembly(design, CATALOG)
        bench = find_puts(assembly)
        with mock.patch.object(puts.Workbench, "over", frozenset({(a, b) for a, b in bench.over} | {(b, a) for a, b in bench.over})):
            self.assertIsNone(find_building(find_puts(assembly)))
            self.assertIn("No order was found", make_plan(assembly, CATALOG, design).faults[0])

    def test_cards_of_every_base_have_a_plan(self):
        for base in ("panel", "tag", "page", "gate"):
            for recipe in ("strip-slider", "iris", "pocket-pull"):
                with self.subTest(base=base, recipe=recipe):
                    design = card_with(recipe, Card(size="na.a7", base=base))
                    assembly = build_assembly(design, CATALOG)
                    plan = make_plan(assembly, CATALOG, design)
                    self.assertEqual((plan.faults, find_breaches(plan.steps)), ((), []))
                    self.assertEqual(faults_of(assembly, plan, plan.steps), [])

    def test_an_inner_card_is_closed_upon_before_there_is_foam_on_the_front(self):
        design = card_with("strip-slider", Card(size="iso.a5", inner=3.0))
        plan = make_plan(build_assembly(design, CATALOG), CATALOG, design)
        self.assertEqual(plan.faults, ())
        self.assertLess(at(plan, "inner"), at(plan, "put-card.frame-foam-1"))

    def test_what_closes_a_card_comes_when_it_has_run(self):
        for kind in ("band", "hem", "seal"):
            design = change_design(slider(), CATALOG, {"closure": kind})
            plan = make_plan(build_assembly(design, CATALOG), CATALOG, design)
            closes = next(k for k, s in enumerate(plan.steps) if s.kind == "close")
            self.assertLess(at(plan, "run-m1"), closes, kind)

    def test_a_card_on_which_nothing_moves_has_a_plan_too(self):
        plan = make_plan(build_assembly(Design(), CATALOG), CATALOG, Design())
        self.assertEqual([s.kind for s in plan.steps], ["cut", "score", "fold", "finish"])

    def test_a_tab_lies_under_the_strip_that_holds_it(self):
        _, assembly, plan = demo("weather-box")
        self.assertIn(("m1.slat-1", "m1.hold-left"), find_puts(assembly).tucked)
        self.assertLess(at(plan, "m1.slat-1"), at(plan, "m1.hold-left"))


class WaysTest(unittest.TestCase):
    def plan(self, design):
        return make_plan(build_assembly(design, CATALOG), CATALOG, design)

    def test_laminated_before_cutting_plies_are_cut_and_punched_as_one(self):
        after, before = (self.plan(slider(ways=Ways(laminating=w))) for w in ("after", "before"))
        self.assertLess(at(after, "cut-card-300"), at(after, "laminate-m1.strip"))
        self.assertLess(at(before, "laminate-m1.strip"), at(before, "cut-card-300"))

    def test_what_is_stamped_in_place_lies_open_there_and_all_else_is_stamped_flat(self):
        later = 0
        for name in demo_names():
            design, assembly, flat = demo(name)
            ways = msgspec.structs.replace(design.ways, stamping="place")
            plan = make_plan(assembly, CATALOG, msgspec.structs.replace(design, ways=ways))
            self.assertEqual(find_breaches(plan.steps), [], name)
            self.assertEqual({s.id for s in plan.steps}, {s.id for s in flat.steps}, name)
            at = {s.id: k for k, s in enumerate(plan.steps)}
            for step in (s for s in plan.steps if s.kind == "colour"):
                panels = {p for b in find_blanks(assembly) if b.id in step.blanks for p in b.panels}
                puts = [at[s.id] for s in plan.steps if panels & set(s.parts)]
                if step.reach == "":
                    self.assertTrue(all(at[step.id] < k for k in puts), f"{name}: {step.id}")
                    continue
                later += 1
                self.assertTrue(
                    all(at[step.id] > k for k in (*puts, *(at[s.id] for s in plan.steps if s.id.startswith("run-")))), f"{name}: {step.id}"
                )
                arts = [z.part for z in assembly.zones if z.kind == "art" and z.part in panels] + [i.on for i in assembly.items if i.on in panels]
                for under in (assembly.by_id[a] for a in arts):
                    for over in (p for p in assembly.parts if p.quantity and p.z_mm > under.top_mm - 0.05 and p.id != under.id):
                        self.assertFalse(over.id in assembly.moving, f"{name}: {over.id} moves over {under.id}")
                        self.assertLess(
                            shapely.intersection(over.region_at_home, under.region_at_home).area, 0.5, f"{name}: {over.id} over {under.id}"
                        )
        self.assertGreater(later, 4)

    def test_a_first_try_takes_as_many_times_longer_as_one_says(self):
        usual, slow = (self.plan(slider(ways=Ways(pace=p))).minutes for p in (1.0, 2.5))
        self.assertAlmostEqual(slow / usual, 2.5, delta=0.03)

    def test_minutes_of_a_step_are_what_the_maker_says(self):
        design = slider()
        told = msgspec.structs.replace(design, making=Making(minutes={"put-card.frame": 7.5}))
        self.assertEqual(self.plan(told).by_id["put-card.frame"].minutes, 7.5)

    def test_ones_own_glue_is_used_wherever_it_holds(self):
        plan = self.plan(slider(ways=Ways(adhesive="solvent")))
        glued = [s for s in plan.steps if s.glue and s.adhesive and s.kind == "glue"]
        self.assertTrue(glued and all(s.adhesive == "solvent" for s in glued if s.adhesive != "foam"))
        self.assertTrue(any("Air the room" in c for s in glued for c in s.cautions))

    def test_advice_on_glue_follows_film_load_and_size(self):
        """Common practice, no source: tape on film, wet glue under load, nothing wet on large areas."""
        film = next(s.id for s in CATALOG.stocks.values() if s.clear)
        rows = (((film, "card-300"), 100, True, "tape"), (("card-300",), 100, True, "wet"), (("card-300",), 9000, False, "tape"))
        for stocks, area, loaded, kind in rows:
            self.assertEqual(advise(CATALOG, Ways(), stocks, area_mm2=area, loaded=loaded, aligned=True)[0].kind, kind)
        self.assertNotEqual(advise(CATALOG, Ways(adhesive="wet"), (film,), area_mm2=100, loaded=True, aligned=True)[0].kind, "wet")

    def test_settings_of_making_go_through_names_and_refuse_what_cannot_be(self):
        design = change_design(slider(), CATALOG, {"pace": "2", "adhesive": "tape", "folding": "ruler"})
        self.assertEqual((design.ways.pace, design.ways.adhesive, design.ways.folding), (2.0, "tape", "ruler"))
        for bad in ({"pace": "0"}, {"adhesive": "spit"}, {"folding": "teeth"}):
            with self.assertRaises(Exception, msg=str(bad)) as caught:
                change_design(slider(), CATALOG, bad)
            self.assertTrue(str(caught.exception))

    def test_ones_own_minutes_glues_and_cautions_are_read(self):
        rows = read_tables(
            '[minutes]\n"score" = { name = "score", each = 3.0 }\n[adhesives]\nmine = { name = "my paste", kind = "wet", waits = 12.0 }\n', "own"
        )
        self.assertEqual((rows["minutes"]["score"].each, rows["adhesives"]["mine"].waits), (3.0, 12.0))
        for text in (
            '[minutes]\nx = { name = "x", each = -1 }\n',
            '[adhesives]\nx = { name = "x", kind = "spit" }\n',
            '[cautions]\nx = { name = "x", when = [] }\n',
        ):
            with self.assertRaises(FileError):
                read_tables(text, "own")


class MovedTest(unittest.TestCase):
    def setUp(self):
        self.design, self.assembly, self.plan = demo("fog-lifts")

    def ordered(self, order):
        design = msgspec.structs.replace(self.design, making=Making(order=order))
        return make_plan(self.assembly, CATALOG, design)

    def test_a_step_that_may_be_moved_is_moved_and_the_plan_stays_whole(self):
        number = at(self.plan, "colour-m1.picture")
        self.assertEqual(move_refused(self.plan, "colour-m1.picture", number - 1), "")
        moved = self.ordered(moved_order(self.plan, "colour-m1.picture", number - 1))
        self.assertEqual(at(moved, "colour-m1.picture"), number - 1)
        self.assertEqual(find_breaches(moved.steps), [])

    def test_a_move_that_would_trap_a_step_is_refused_with_its_reason(self):
        told = move_refused(self.plan, "put-card.frame", at(self.plan, "m1.strip") - 1)
        self.assertIn("frame covers it", told)
        self.assertIn("needs it first", move_refused(self.plan, "cut-card-300", 8))

    def test_a_move_that_sets_aside_what_is_only_better_is_told(self):
        test = next(s.id for s in self.plan.steps if s.id.startswith("test-m1"))
        frame = at(self.plan, "put-card.frame")
        self.assertEqual(move_refused(self.plan, test, frame), "")
        self.assertTrue(any("would better come after" in told for told in self.ordered(moved_order(self.plan, test, frame)).moved))

    def test_an_order_from_another_card_does_no_harm(self):
        plan = self.ordered(("put-m9.nothing", "finish", "put-card.frame", "cut-card-300"))
        self.assertEqual(find_breaches(plan.steps), [])
        self.assertEqual({s.id for s in plan.steps}, {s.id for s in self.plan.steps})


class DrawingsTest(unittest.TestCase):
    def test_every_step_of_every_demo_card_is_drawn(self):
        for name in demo_names():
            design, assembly, plan = demo(name)
            examination, blanks = Examination(assembly, CATALOG, design.ways, steps=25), find_blanks(assembly)
            for step in plan.steps:
                drawn = draw_step(plan, step, examination, blanks)
                width, height = drawn.size_mm
                self.assertTrue(drawn.primitives and 5 < width < 2000 and 5 < height < 2000, f"{name}: {step.id} {width} x {height}")

    def test_what_is_new_is_strong_and_what_was_there_is_faint(self):
        design, assembly, plan = demo("fog-lifts")
        step = plan.steps[at(plan, "put-m1.strip")]
        drawn = draw_step(plan, step, Examination(assembly, CATALOG, design.ways, steps=25), find_blanks(assembly))
        pens = {i.subject: i.pen for i in drawn.primitives if getattr(i, "fill", "")}
        self.assertEqual((pens["m1.strip"], pens["m1.rail-low"], "card.frame" in pens), ("strong", "faint", False))

    def test_glue_is_hatched_and_what_is_done_from_behind_is_mirrored(self):
        design, assembly, plan = demo("seal-pup")
        examination, blanks = Examination(assembly, CATALOG, design.ways, steps=25), find_blanks(assembly)
        step = plan.steps[at(plan, "put-m1.sleeve")]
        drawn = draw_step(plan, step, examination, blanks)
        self.assertIn("seen from behind", [getattr(i, "text", "") for i in drawn.primitives])
        self.assertTrue(any(getattr(i, "fill", "") == "hatch" and i.pen == "glue" for i in drawn.primitives))
        self.assertTrue(any(getattr(i, "subject", "") == "never" for i in drawn.primitives))


class CatalogTest(unittest.TestCase):
    def test_the_shipped_minutes_lie_in_the_ranges_of_practised_hands_or_above(self):
        """Lower bounds by kind of step (common practice, no source): ours are round and no quicker."""
        least = {
            "cut.die": 0.3,
            "fold": 0.1,
            "glue": 0.3,
            "brad": 0.2,
            "test": 0.1,
            "mount": 0.3,
            "laminate": 0.5,
            "thread": 0.5,
            "trim": 0.3,
            "band": 1.5,
        }
        for kind, minutes in least.items():
            self.assertGreaterEqual(CATALOG.minutes[kind].each, minutes, kind)

    def test_cautions_name_only_tools_and_glues_that_plans_use(self):
        words = {w for n in demo_names() for s in demo(n)[2].steps for w in (*s.tools, s.kind, s.adhesive)}
        known = words | {"die machine", "trimmer", "plotter", "hot", "solvent", "heat tool", "coin", "small part", "knife"}
        self.assertEqual([w for c in CATALOG.cautions.values() for w in c.when if w not in known], [])


if __name__ == "__main__":
    unittest.main()
