"""Folds held to what paper does: what swings finds room, what is pulled is told in lengths, what is cut has its thickness in it.

Formulas are elementary geometry; allowances are rules of thumb (common practice, no source): half a caliper for each fold pressed
shut, a caliper short under a flap, twice the layers for a belt that bows.
"""

import math
import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import run_checks
from lexipod.checks.fold_layers import LEAN_DEG
from lexipod.checks.post import find_posted
from lexipod.design import Card, Ways
from lexipod.editing.change import change_design, new_design
from lexipod.errors import CardTooSmall, LexipodError, ParameterError
from lexipod.fabricate.cutlist import cut_list
from lexipod.fabricate.cutlist_words import notes_text
from lexipod.geometry.space import apply_frame
from lexipod.mechanics import least_bend_radius_mm, swung_leaf_radius_mm
from lexipod.motion import crossing_depths, order_at, pulled_lengths, solve_folds
from lexipod.recipes import RECIPES
from lexipod.recipes.folding.spin_popup import sinks
from lexipod.recipes.folding.wiper import leaf_room
from lexipod.units import UnitStyle
from tests.motion.test_folds import folding_of
from tests.zoo import CATALOG, FOLDED, card_with, moved

CALIPER = CATALOG.stocks["card-300"].caliper_mm


def blocks(design, rule=None):
    return [f for f in run_checks(moved(design, 61)[1]) if f.severity == "block" and rule in (None, f.rule)]


class WiperTest(unittest.TestCase):
    def test_a_leaf_with_room_crosses_neither_strut_nor_flange(self):
        """The room that the formula leaves against the leaf as a rigid plane that holds its crease and tilts least."""
        rng = np.random.default_rng(2)
        counts = [0, 0]
        for _ in range(40):
            given = {"leaf_width": rng.uniform(25, 140), "leaf_height": rng.uniform(25, 120), "placement": str(rng.choice(["flange", "own"]))}
            try:
                design = card_with("wiper", **given)
            except LexipodError:
                continue
            room = leaf_room(design.mechanisms[0].parameters)
            folding = build_assembly(design, CATALOG).foldings[0]
            track = solve_folds(folding, np.linspace(1, 179, 60))
            leaf = folding.by_id["m1.leaf"]
            deep = max(crossing_depths(leaf, folding.by_id[p], track.frames[leaf.id], track.frames[p]).max() for p in ("m1.strut-2", "m1.flange-2"))
            if room >= 0:
                self.assertLess(deep, 0.4, given)
                counts[0] += 1
            if deep > 0.4:
                self.assertLess(room, 0, given)
                counts[1] += 1
        self.assertGreater(min(counts), 5)

    def test_by_itself_the_leaf_has_room_on_every_card(self):
        for size in CATALOG.cards:
            for placement in ("flange", "own"):
                design = card_with("wiper", Card(size=size), placement=placement)
                self.assertGreaterEqual(leaf_room(design.mechanisms[0].parameters), 1.5, (size, placement))

    def test_a_long_leaf_is_blocked_and_cured(self):
        design = card_with("wiper", leaf_width="100mm", leaf_height="80mm")
        found = blocks(design)
        self.assertTrue(any("second strut" in f.title for f in found))

    def test_the_sharpest_bend_is_a_figure_with_a_limit(self):
        self.assertAlmostEqual(swung_leaf_radius_mm(19.05, 45.0), 19.05 / (1 - math.sqrt(0.5)), places=9)
        limit = least_bend_radius_mm(CALIPER)
        # The outer face of paper bent to 30 calipers is stretched by t / 2 r.
        self.assertAlmostEqual(CALIPER / (2 * limit), 1 / 60)
        narrow = card_with("wiper").with_parameters("m1", {"strut": 7.0, "crease_angle": 70.0})
        self.assertIn("The leaf is bent too sharply on its way", [f.title for f in run_checks(moved(narrow, 31)[1])])


class TwoMessageTest(unittest.TestCase):
    def test_the_back_is_pushed_away_by_the_overhanging_edge(self):
        """Turned out about its flap by atan2(e sin, leaf + e cos), the slider flat on it, the shift e (1 - cos)."""
        folding = folding_of("two-message", leaf="80mm", overhang="20mm")
        travel = np.linspace(0, 180, 37)
        track = solve_folds(folding, travel)
        self.assertTrue(track.reached.all())
        e, leaf = 20.0, 80.0
        theta = np.radians(travel)
        turned = np.degrees(np.arctan2(e * np.sin(theta), leaf + e * np.cos(theta)))
        np.testing.assert_allclose(180.0 - track.coordinates["m1.back-hinge"], turned, atol=1e-6)
        np.testing.assert_allclose(track.readings["shift"], e * (1 - np.cos(np.radians(travel))), atol=1e-6)
        for k in range(len(travel)):
            back, slider = track.frames["m1.back"][k], track.frames["m1.slider"][k]
            np.testing.assert_allclose(slider[:, 2], back[:, 2], atol=1e-6)
            corners = apply_frame(slider, folding.by_id["m1.slider"].corners)
            np.testing.assert_allclose((corners - back[:, 3]) @ back[:, 2], 0.0, atol=1e-6)

    def test_the_slider_ends_short_of_the_flap_of_the_back(self):
        for card in ("a2", "a7", "iso.a5"):
            values = card_with("two-message", Card(size=CATALOG.find_id("cards", card))).mechanisms[0].parameters
            self.assertLessEqual(values["overhang"] + values["slider"], values["leaf"] - 6.0)
        wide = card_with("two-message").with_parameters("m1", {"slider": 60.0})
        self.assertIn("The slider runs into the flap of the back panel", [f.title for f in blocks(wide)])


class PulledTest(unittest.TestCase):
    def test_pulled_lengths_are_those_of_the_trade(self):
        p = {"pitch": "12.7mm", "leaves": "6", "leaf_size": "76.2mm", "leaf_width": "76.2mm", "flap": "63.5mm"}
        for recipe, given, length in (
            ("waterfall", p, lambda t: 12.7 * (2 * (t // 180) + 1 - math.cos(math.radians(t % 180)))),
            ("wiper", {"strut": "19.05mm"}, lambda t: 19.05 * (1 - math.cos(math.radians(t)))),
            ("flip-panels", {"panel_width": "30mm"}, lambda t: 30.0 * (1 - math.cos(math.radians(t)))),
        ):
            folding = build_assembly(card_with(recipe, Card(size="free", width=150, height=250), **given), CATALOG).foldings[0]
            pulled = pulled_lengths(folding)
            for share in (0.1, 0.25, 0.5, 0.9):
                travel = share * folding.drive.end
                self.assertAlmostEqual(pulled.length_at(travel), length(travel), delta=0.05, msg=recipe)
                self.assertAlmostEqual(pulled.travel_at(pulled.length_at(travel)), travel, delta=0.5, msg=recipe)

    def test_what_a_page_opens_is_told_in_degrees(self):
        for recipe in FOLDED:
            _, examination = moved(card_with(recipe), 5)
            told = examination.amount("m1", 90.0)
            self.assertEqual("pull" in told, recipe in ("wiper", "waterfall", "flip-panels"), (recipe, told))
            self.assertEqual("°" in told, recipe not in ("wiper", "waterfall", "flip-panels"), (recipe, told))


class ThicknessTest(unittest.TestCase):
    def blank(self, recipe, blank_id, **given):
        return next(b for b in find_blanks(build_assembly(card_with(recipe, **given), CATALOG)) if b.id == blank_id)

    def test_the_strip_of_a_box_shuts_with_its_thickness(self):
        """Laid down at the thickness of its paper: outer and inner width of the flat box come out equal."""
        strip = self.blank("popout-box", "m1.strip", panel="60mm", flap="12mm", window="0mm", spinner="0mm", plate="0mm")
        marks = sorted({0.0, *(round(c.start[0], 9) for c in strip.creases), strip.size_mm[0]})
        widths = np.diff(marks)
        # A fold pressed shut takes half a caliper from each of its two panels.
        taken = np.array([0.0, 0.5, 0.5, 0.5, 0.5]) * CALIPER
        flat = widths - taken
        np.testing.assert_allclose(flat[1:4], 60.0, atol=1e-9)
        self.assertAlmostEqual(flat[0], 60.0 - CALIPER, places=9)  # on the flap, a caliper short

    def test_a_window_stays_where_the_front_edge_is(self):
        strip = self.blank("popout-box", "m1.strip", spinner="0mm", plate="0mm")
        first = min(c.start[0] for c in strip.creases)
        hole = strip.holes[0]
        self.assertAlmostEqual((hole[:, 0].min() + hole[:, 0].max()) / 2, first, places=6)

    def test_a_belt_bows_over_what_passes_under_it(self):
        for leaves in (1, 4, 6):
            design = card_with("waterfall", leaves=str(leaves))
            belt = next(b for b in find_blanks(build_assembly(design, CATALOG)) if b.id == "m1.belt")
            more = belt.size_mm[0] - design.mechanisms[0].parameters["belt_width"]
            self.assertGreaterEqual(more, 2 * (leaves + 1) * CALIPER - 1e-9)
            self.assertLess(more, 2 * (leaves + 1) * CALIPER + 0.5)

    def test_the_list_says_from_what_to_what(self):
        rows = {r.blank: r for r in cut_list(build_assembly(card_with("counter-fold"), CATALOG), CATALOG)}
        told = notes_text(rows["m1.card"], UnitStyle("mm"))
        width = card_with("counter-fold").mechanisms[0].parameters["width"]
        self.assertIn(UnitStyle("mm").length(width / 2 - CALIPER / 2) + " instead of " + UnitStyle("mm").length(width / 2), told)

    def test_a_mirrored_sheet_has_the_same_panels(self):
        one, other = (self.blank("popout-box", "m1.strip"), self.blank("popout-box", "m1.strip", mirror="yes"))
        long = one.size_mm[0]
        self.assertAlmostEqual(long, other.size_mm[0])
        np.testing.assert_allclose(sorted(c.start[0] for c in one.creases), sorted(long - c.start[0] for c in other.creases), atol=1e-9)

    def test_layers_between_the_scores_of_a_strut_hold_it_off(self):
        design = card_with("wiper")
        strut = design.mechanisms[0].parameters["strut"]
        self.assertEqual([f.title for f in run_checks(moved(design, 25)[1]) if "come to lie flat" in f.title], [])
        _, examination = moved(design.with_parameters("m1", {"strut": 6.0, "corner": 4.0}), 25)
        found = [f for f in run_checks(examination) if "come to lie flat" in f.title]
        self.assertTrue(found)
        heights = examination.stack_heights(examination.assembly.foldings[0])
        one, two = (sum(heights[f"m1.{p}"]) / 2 for p in ("main-1", "flange-1"))
        self.assertAlmostEqual(found[0].measured, math.degrees(math.asin(abs(two - one) / 6.0)), places=2)
        self.assertGreater(strut * math.sin(math.radians(LEAN_DEG)), abs(two - one))

    def test_the_post_counts_a_band_and_uneven_layers(self):
        _, examination = moved(card_with("counter-fold"), 5)
        band = find_posted(examination)
        _, examination = moved(card_with("counter-fold", band_width="0mm"), 5)
        bare = find_posted(examination)
        self.assertAlmostEqual(band.thickness_mm - bare.thickness_mm, 2 * CALIPER, places=6)
        _, examination = moved(card_with("popout-box"), 5)
        # Two layers of the strip at its edge; over its middle also flap, ring, plate, saddle.
        self.assertGreater(find_posted(examination).uneven_mm, CALIPER)


class RefusalTest(unittest.TestCase):
    def test_a_refusal_names_only_what_the_maker_decided(self):
        rng = np.random.default_rng(6)
        refused = 0
        for _ in range(150):
            recipe = RECIPES[str(rng.choice(list(RECIPES)))]
            measured = [p for p in recipe.parameters if p.kind in ("length", "angle")]
            chosen = [measured[int(k)] for k in rng.choice(len(measured), 2, replace=False)]
            high = float(rng.choice([30.0, 80.0, 200.0]))
            given = {p.name: f"{rng.uniform(p.minimum, max(p.minimum, min(p.maximum, high))):.2f}{p.unit}" for p in chosen}
            card = Card(size=str(rng.choice(["na.a2", "na.a7", "iso.a5"])))
            try:
                new_design(recipe.id, CATALOG, card=card, ways=Ways(units="mm"), given=given)
            except ParameterError as error:
                refused += 1
                blamed = error.path.removeprefix("parameters").lstrip(".").partition(".")[0]
                self.assertIn(blamed, ("", *given), (recipe.id, given, str(error)))
                self.assertNotIn("out of range", str(error), (recipe.id, given))
            except CardTooSmall:
                refused += 1
        self.assertGreater(refused, 8)

    def test_what_would_do_does(self):
        with self.assertRaises(ParameterError) as told:
            card_with("flip-panels", drive="link", panel_height="257mm")
        self.assertEqual(told.exception.path, "parameters.panel_height")
        would = str(told.exception).rpartition("; ")[2].removesuffix(" would do")
        self.assertEqual(blocks(card_with("flip-panels", drive="link", panel_height=would)), [])

    def test_a_card_too_small_in_itself_is_still_called_so(self):
        with self.assertRaises(CardTooSmall):
            card_with("waterfall", Card(size="na.sq3"))


class ArmTest(unittest.TestCase):
    def test_how_far_an_arm_sinks_beside_its_vertex(self):
        """The arm's direction along the gutter, from the solved motion."""
        for angle in (60.0, 85.0, 105.0, 120.0):
            folding = folding_of("spin-popup", arm_angle=f"{angle}deg")
            track = solve_folds(folding, np.linspace(0, 180, 91))
            arm = folding.by_id["m1.upper-arm"]
            values = card_with("spin-popup", arm_angle=f"{angle}deg").mechanisms[0].parameters
            foot = values["from_bottom"] + values["box_height"] - values["vertex"]
            g = math.radians(angle)
            ends = np.array([(0.0, foot, 0.0), (-math.sin(g), foot + math.cos(g), 0.0)])
            placed = apply_frame(track.frames[arm.id], ends)
            along = (placed[:, 1] - placed[:, 0])[:, 1]
            self.assertAlmostEqual(max(0.0, -along.min()), sinks(math.radians(45.0), g), delta=2e-3)


class TentTest(unittest.TestCase):
    def test_a_tent_stands_as_its_triangle_says(self):
        """Feet a from the gutter, sides l: at half opening h the ridge stands a cos h + sqrt(l^2 - a^2 sin^2 h) over the gutter."""
        design = card_with("spin-popup", form="tent", box_depth="20mm", tent_side="29mm")
        folding = build_assembly(design, CATALOG).foldings[0]
        for opening in (20.0, 60.0, 90.0, 140.0, 180.0):
            track = solve_folds(folding, np.array([opening]))
            h = math.radians(opening / 2)
            high = 20.0 * math.cos(h) + math.sqrt(29.0**2 - (20.0 * math.sin(h)) ** 2)
            face = folding.by_id["m1.box-back"]
            values = design.mechanisms[0].parameters
            ridge = apply_frame(track.frames[face.id], [(0.0, values["from_bottom"], 0.0)])[0, 0]
            self.assertAlmostEqual(math.hypot(ridge[0], ridge[2]), high, places=6)
        self.assertAlmostEqual(track.coordinates["m1.box-back"][0], math.degrees(math.acos(20 / 29)), places=6)

    def test_tents_are_free_on_every_card_and_cut_from_a_strip(self):
        for size in ("na.a2", "na.a7", "iso.a5", "iso.sq15"):
            design = card_with("spin-popup", Card(size=size), form="tent")
            self.assertEqual(blocks(design), [], size)
            v = design.mechanisms[0].parameters
            row = next(r for r in cut_list(build_assembly(design, CATALOG), CATALOG) if r.name == "tent")
            wide = 2 * (v["tent_side"] + v["tent_tab"])
            self.assertAlmostEqual(max(row.width_mm, row.height_mm), max(wide, v["box_height"]), places=6)

    def test_pages_need_not_be_equal(self):
        for recipe in ("hinge-plate", "twist-popup", "spin-popup", "thread-spinner"):
            design = card_with(recipe, Card(size="na.a7", front_less=6.35))
            self.assertEqual(blocks(design), [], recipe)
            panels = build_assembly(design, CATALOG).foldings[0].by_id
            wide = {p: np.ptp(panels[p].outline[:, 0]) for p in ("card.back", "card.front")}
            self.assertAlmostEqual(wide["card.back"] - wide["card.front"], 6.35)


class OtherFormsTest(unittest.TestCase):
    def test_two_straps_hold_like_a_belt(self):
        straps = card_with("waterfall", construction="straps")
        self.assertEqual(blocks(straps), [])
        row = next(r for r in cut_list(build_assembly(straps, CATALOG), CATALOG) if "strap" in r.name)
        self.assertEqual(row.quantity, 2)
        tight = card_with("waterfall", construction="straps").with_parameters("m1", {"belt_glue": 20.0})
        self.assertIn("The leaves jam under the belt", [f.title for f in blocks(tight)])

    def test_a_sliding_strip_turns_its_leaves_over_the_edge(self):
        """Free edges from the edge of the belt by the trade's arithmetic: hanging a score at a carries its free edge to a - l, turned to
        l - a (worked example: 4 leaves of 63.5 at a pitch of 19.05, parked 2 below)."""
        given = {"leaves": 4, "pitch": "19.05", "leaf_size": "63.5", "flap": "63.5", "leaf_width": "63.5", "place": "75x60"}
        design = card_with("waterfall", Card(size="free", width=150.0, height=250.0), construction="sliding-strip", **given)
        self.assertEqual(blocks(design), [])
        folding = build_assembly(design, CATALOG).folding_of("m1")
        edge = float(folding.by_id["m1.belt"].outline[:, 1].max())
        pulled = pulled_lengths(folding)
        self.assertAlmostEqual(pulled.length_at(720.0), 78.2, places=6)
        track = solve_folds(folding, np.array([pulled.travel_at(30.575)]))
        for k, expected in enumerate((34.925, 53.975, -73.025, -92.075), start=1):
            leaf = folding.by_id[f"m1.leaf-{k}"]
            free = apply_frame(track.frames[leaf.id][0], [(75.0, float(leaf.outline[:, 1].min()), 0.0)])[0]
            self.assertAlmostEqual(float(free[1]) - edge, expected, places=6)
            self.assertAlmostEqual(float(free[2]), 0.0, places=6)
        start = solve_folds(folding, np.array([0.0])).frames
        for name, up in (("flap", 30.575), ("tail", -30.575)):
            self.assertAlmostEqual(float(track.frames[f"m1.{name}"][0][1, 3] - start[f"m1.{name}"][0][1, 3]), up, places=6)
        self.assertAlmostEqual(float(track.readings["pull"][0]), 30.575, places=6)
        for turn in (2.0, 21.05, 40.1, 59.15):
            sides = [solve_folds(folding, np.array([pulled.travel_at(turn + d)])).frames for d in (-0.3, 0.3)]
            turned = [round((turn - 2.0) / 19.05) + 1 for _ in sides]
            self.assertEqual([np.sign(f[f"m1.leaf-{k}"][0][2, 2]) for f, k in zip(sides, turned, strict=True)], [1.0, -1.0])

    def test_the_cut_list_makes_a_sliding_strip(self):
        design = card_with("waterfall", construction="sliding-strip")
        v = design.mechanisms[0].parameters
        rows = {r.name: r for r in cut_list(build_assembly(design, CATALOG), CATALOG)}
        front = v["flap"] + v["leaves"] * v["pitch"] + 2.0
        self.assertAlmostEqual(max(rows["strip"].width_mm, rows["strip"].height_mm), front + front + v["grip"], places=6)
        self.assertIn("stop bar", rows)
        blank = next(b for b in find_blanks(build_assembly(design, CATALOG)) if b.name == "strip")
        low = float(blank.outline[:, 1].min())
        scores = sorted(c.start[1] - low for c in blank.creases)
        wanted = [v["flap"] + (k + 1) * v["pitch"] for k in range(v["leaves"])]
        np.testing.assert_allclose(scores, wanted, atol=1e-6)

    def test_without_room_for_its_bar_a_sliding_strip_is_refused(self):
        design = card_with("waterfall", construction="sliding-strip")
        flap = design.mechanisms[0].parameters["flap"]
        tall = design.with_parameters("m1", {"belt_height": flap - 3.0})
        self.assertIn("The stop bar finds no room on the flap", [f.title for f in blocks(tall)])

    def test_a_platform_on_two_tabs_stands_over_the_ridge(self):
        """Its middle score against the triangle over the feet: with the halves dropped by (180 - opening) / 2 the feet are c cos out and
        c sin down, and the score stands the root of w^2 - (c cos)^2 over them, parallel to the ridge."""
        design = card_with("twist-popup", second_tab="hinged")
        v = design.mechanisms[0].parameters
        w, c = v["platform_width"] / 2, v["feet"]
        folding = folding_of("twist-popup", second_tab="hinged")
        track = solve_folds(folding, np.array([0.0, 20.0, 75.0, 120.0, 165.0, 180.0]))
        self.assertTrue(track.reached.all())
        y = v["apex"] + v["platform_distance"]
        for k, opening in enumerate(track.travel):
            drop = math.radians((180.0 - opening) / 2)
            tall = math.sqrt(w * w - (c * math.cos(drop)) ** 2) - c * math.sin(drop)
            half = track.frames["m1.half-front"][k]
            ridge = apply_frame(half, [(0.0, y, 0.0), (0.0, y + 1.0, 0.0)])
            score = apply_frame(track.frames["m1.platform"][k], [(0.0, y, 0.0), (0.0, y + 1.0, 0.0)])
            self.assertAlmostEqual(float(np.linalg.norm(score[0] - ridge[0])), tall, places=6)
            np.testing.assert_allclose(score[1] - score[0], ridge[1] - ridge[0], atol=1e-6)
            mate = apply_frame(track.frames["m1.tab-back"][k], [(w, y, 0.0)])[0]
            np.testing.assert_allclose(mate, apply_frame(track.frames["m1.half-back"][k], [(c, y, 0.0)])[0], atol=1e-6)
        self.assertEqual(blocks(design), [])

    def test_a_low_tent_stands_where_the_card_lies_open(self):
        """Its creases are near to flat there, but not flat: the score is still the root of w^2 - c^2 over the ridge."""
        for w, short in ((40.0, 1.2), (50.0, 1.2), (50.0, 2.0)):
            design = card_with("twist-popup", second_tab="hinged", platform_width=2 * w).with_parameters("m1", {"feet": w - short})
            folding = build_assembly(design, CATALOG).foldings[0]
            track = solve_folds(folding, np.array([0.0, 90.0, 180.0]))
            self.assertTrue(track.reached.all(), (w, short))
            v = design.mechanisms[0].parameters
            at = [(0.0, v["apex"] + v["platform_distance"], 0.0)]
            tall = apply_frame(track.frames["m1.platform"][2], at) - apply_frame(track.frames["m1.half-front"][2], at)
            self.assertAlmostEqual(float(np.linalg.norm(tall)), math.sqrt(w * w - (w - short) ** 2), places=6)

    def test_a_tent_that_lies_flat_on_its_halves_is_no_platform(self):
        design = card_with("twist-popup", second_tab="hinged")
        wide = design.mechanisms[0].parameters["platform_width"]
        flat = design.with_parameters("m1", {"feet": wide / 2})
        self.assertIn("The feet of the platform are too far apart", [f.title for f in blocks(flat)])
        with self.assertRaises(ParameterError):
            card_with("twist-popup", second_tab="hinged", platform="round")

    def test_the_window_shows_a_tent_s_half(self):
        """Shut, the window's middle lies over the middle of the half on the front page."""
        design = card_with("twist-popup", second_tab="hinged")
        v = design.mechanisms[0].parameters
        folding = folding_of("twist-popup", second_tab="hinged")
        frames = solve_folds(folding, np.array([0.0])).frames
        middle = apply_frame(frames["m1.platform"][0], [(-v["platform_width"] / 4, v["apex"] + v["platform_distance"], 0.0)])[0]
        hole = shapely.Polygon(folding.by_id["card.front"].holes[0]).centroid
        window = apply_frame(frames["card.front"][0], [(hole.x, hole.y, 0.0)])[0]
        np.testing.assert_allclose(middle, window, atol=0.05)

    def test_the_ridge_of_a_v_fold_leans_as_spherical_trigonometry_says(self):
        """Worked example: 50 degrees on the page, 70 on the panel; the lean of the ridge and what its panels open to, at four openings. The
        arm is held against the reversed fold on that ridge, which swings by twice its diagonal."""
        folding = folding_of("spin-popup", form="v-fold", page_angle="50deg", panel_angle="70deg", diagonal_angle="45deg")
        track = solve_folds(folding, np.array([0.0, 20.0, 90.0, 120.0, 180.0]))
        self.assertTrue(track.reached.all())
        for k, (lean, between) in enumerate(((120.0, 0.0), (119.380, 16.276), (106.112, 70.401), (93.590, 89.819), (57.853, 109.216))):
            faces = [track.frames[f"m1.box-{page}"][k][:, :3] for page in ("back", "front")]
            ridge = faces[0][:, 1]
            np.testing.assert_allclose(ridge, faces[1][:, 1], atol=1e-6)
            gutter = track.frames["card.back"][k][:, 1]
            self.assertAlmostEqual(math.degrees(math.acos(float(ridge @ gutter))), lean, places=2)
            apart = math.degrees(math.acos(max(-1.0, min(1.0, float(faces[0][:, 2] @ faces[1][:, 2])))))
            self.assertAlmostEqual(180.0 - apart, between, places=2)

    def test_a_v_fold_is_cut_glued_and_free(self):
        for size in ("na.a2", "iso.a5", "na.sq6"):
            design = card_with("spin-popup", Card(size=size), form="v-fold")
            self.assertEqual(blocks(design), [], size)
            blank = next(b for b in find_blanks(build_assembly(design, CATALOG)) if b.name == "v-fold")
            self.assertEqual(sum("corner" in p for p in blank.panels), 2)
            self.assertEqual(len(blank.creases), 6)  # two feet, the ridge, two diagonals and the ridge pushed in
        with self.assertRaises(ParameterError):
            card_with("spin-popup", form="v-fold", arms=2)
        self.assertNotEqual(blocks(card_with("spin-popup", form="v-fold", panel_angle="45deg", page_angle="60deg")), [])

    def test_a_panel_too_low_for_the_runner_to_a_link_is_refused_in_words(self):
        design = card_with("flip-panels", panels=2, drive="link")
        with self.assertRaisesRegex(ParameterError, "higher than"):
            build_assembly(design.with_parameters("m1", {"panel_height": 11.0}), CATALOG)

    def test_what_makes_the_card_itself_has_no_other_base(self):
        for recipe in ("wiper", "two-message", "popout-box", "counter-fold"):
            for base in ("gate", "panel", "tag", "page"):
                with self.assertRaisesRegex(ParameterError, "base=folded"):
                    card_with(recipe, Card(base=base))

    def test_every_panel_is_cut_from_a_sheet(self):
        """The corners of a tent were once left out of its strip."""
        design = card_with("spin-popup", form="tent")
        folding = build_assembly(design, CATALOG).foldings[0]
        cut = {panel for sheet in folding.sheets for panel in sheet.panels}
        self.assertEqual([p.id for p in folding.panels if not p.base and p.id not in cut], [])
        blank = next(b for b in find_blanks(build_assembly(design, CATALOG)) if b.name == "tent")
        v = design.mechanisms[0].parameters
        whole = 2 * (v["tent_side"] + v["tent_tab"]) * v["box_height"]
        self.assertAlmostEqual(shapely.Polygon(blank.outline, blank.holes).area, whole, delta=whole * 0.02)
        with self.assertRaises(ValueError):
            replace(folding, sheets=folding.sheets[1:])

    def test_a_box_stands_at_its_angle(self):
        for angle in (60.0, 90.0, 120.0):
            folding = folding_of("popout-box", angle=f"{angle}deg")
            track = solve_folds(folding, np.array([folding.drive.end]))
            one, two = (track.frames[f"m1.panel-{k}"][0][:, 0] for k in (1, 2))
            self.assertAlmostEqual(math.degrees(math.acos(float(one @ two))), 180.0 - angle, places=6)
            self.assertEqual(blocks(card_with("popout-box", angle=f"{angle}deg")), [])

    def test_two_arms_swing_by_twice_their_own_diagonals(self):
        folding = folding_of("spin-popup", arms="2", diagonal_angle="45deg", lower_diagonal="35deg", arm_length="20mm", lower_length="20mm")
        track = solve_folds(folding, np.array([0.0, 180.0]))
        for name, alpha in (("upper", 45.0), ("lower", 35.0)):
            shut, opened = (track.frames[f"m1.{name}-arm"][k][:, :3] for k in (0, 1))
            # By twice its diagonal about its own normal against the one page, and half a turn against the other.
            for name_of_page, turned in (("card.front", 2 * alpha), ("card.back", 180.0)):
                page = [track.frames[name_of_page][k][:, :3] for k in (0, 1)]
                turn = (page[1].T @ opened) @ (page[0].T @ shut).T
                self.assertAlmostEqual(math.degrees(math.acos(float(np.clip((np.trace(turn) - 1) / 2, -1, 1)))), turned, places=4)
            along = [np.array(m[:, 1]) for m in (shut, opened)]
            swung = math.degrees(math.acos(float(np.clip(along[0] @ along[1], -1, 1))))
            self.assertAlmostEqual(swung, 2 * alpha, delta=1e-6)

    def test_items_lie_on_panels_that_fold(self):
        plain = card_with("hinge-plate", Card(size="na.a7"))
        design = change_design(
            plain, CATALOG, {"item.d1": "decoration on m1.plate front round 20mm layers 1", "item.d2": "decoration on m1.plate back 12x8mm"}
        )
        built, examination = moved(design, 31)
        self.assertEqual(built.strays, ())
        self.assertEqual([f.title for f in run_checks(examination) if f.severity == "block"], [])
        folding = built.foldings[0]
        for state in folding.states:
            rank, up = order_at(folding, state.at), solve_folds(folding, np.array([state.at])).frames["m1.plate"][0][2, 2] > 0
            self.assertEqual(rank["m1.item-d1"] > rank["m1.plate"], up, state.name)
            self.assertEqual(rank["m1.item-d2"] < rank["m1.plate"], up, state.name)
        _, before = moved(plain, 5)
        thick = find_posted(examination).thickness_mm - find_posted(before).thickness_mm
        foam = CATALOG.foams["foam-2"].thickness_mm
        self.assertGreaterEqual(thick, foam - 1e-9)
        rows = {r.blank for r in cut_list(built, CATALOG)}
        self.assertTrue({"m1.item-d1", "m1.item-d1-foam", "m1.item-d2"} <= rows)
        far = change_design(plain, CATALOG, {"item.d1": "decoration on m1.plate front 20x20mm at 60x0mm"})
        self.assertTrue(any("m1.item-d1" in f.parts for f in blocks(far)))


if __name__ == "__main__":
    unittest.main()
