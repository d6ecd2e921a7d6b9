"""Mechanisms that fold against handbook formulas and worked check sets.

Source of the formulas: spherical and plane trigonometry of the named fold, worked by hand; the check sets for cards in inches are
common practice, no source.
"""

import math
import unittest

import numpy as np

from lexipod.assembly import GlueFlap
from lexipod.building import build_assembly
from lexipod.design import Card
from lexipod.geometry.space import apply_frame
from lexipod.motion import solve_folds
from lexipod.recipes.kit.folds import page_drive
from tests.zoo import CATALOG, card_with

LARGE = Card(size="free", width=297, height=400)


def track_of(recipe, travel, card=LARGE, **given):
    """The mechanism at some openings on a card that is large enough."""
    folding = build_assembly(card_with(recipe, card, **given), CATALOG).foldings[0]
    return folding, solve_folds(folding, np.asarray(travel, dtype=float))


def tan(degrees):
    """The tangent of degrees."""
    return math.tan(math.radians(degrees))


class WiperTest(unittest.TestCase):
    SIZES = {"main": 127.0, "strut": 19.05, "flange": 25.4, "height": 108.0, "leaf_width": 57.0, "leaf_height": 76.0, "corner": 18.0}

    def test_the_second_main_moves_on_a_circle_of_the_strut(self):
        folding, track = track_of("wiper", [0, 30, 60, 90, 120, 150, 180], placement="flange", from_edge=2.0, **self.SIZES)
        # The drive counts from collapsed, so theta of the formula is 180 less; the slide from collapsed is 2 s less s (1 - cos).
        moved = track.frames["m1.main-2"][:, :, 3] - track.frames["m1.main-2"][0, :, 3]
        way = np.linalg.norm(moved[:, :2], axis=1)
        theta = np.radians(180 - track.travel)
        np.testing.assert_allclose(way, 19.05 * (1 + np.cos(theta)), atol=1e-6)
        np.testing.assert_allclose(np.abs(moved[:, 2]), 19.05 * np.sin(theta), atol=1e-6)
        np.testing.assert_allclose(way, [0, 2.552, 9.525, 19.05, 28.575, 35.548, 38.1], atol=6e-4)
        corners = np.vstack(
            [apply_frame(track.frames[p.id], p.corners)[[0, -1]].reshape(2, -1, 3).transpose(1, 0, 2) for p in folding.panels if "sheet" in p.sheet]
        )
        widths = np.ptp(corners[..., 0], axis=0)
        np.testing.assert_allclose(widths, [133.35, 171.45], atol=1e-6)

    def test_the_leaf_turns_by_twice_the_angle_of_its_crease(self):
        for beta in (35.0, 45.0, 55.0):
            _, track = track_of("wiper", [0, 180], placement="flange", from_edge=2.0, **{**self.SIZES, "crease_angle": beta})
            turn = track.frames["m1.leaf"][1][:, :3] @ track.frames["m1.leaf"][0][:, :3].T
            self.assertAlmostEqual(turn[2, 2], 1.0, places=9)  # it shows the same face in both
            # seen from the front it turns clockwise when the sheets are pulled apart
            self.assertAlmostEqual(math.degrees(math.atan2(turn[1, 0], turn[0, 0])), -2 * beta, places=6)

    def test_protrusion_is_that_of_the_check_set(self):
        _, track = track_of("wiper", [180], placement="flange", from_edge=2.0, **self.SIZES)
        panel = track.folding.by_id["m1.leaf"]
        top = apply_frame(track.frames[panel.id][0], panel.corners)[:, 1].max()
        self.assertAlmostEqual(top - 108.0, 56.0, places=6)
        _, track = track_of("wiper", [180], placement="own", from_edge=20.0, **{**self.SIZES, "leaf_width": 76.0, "leaf_height": 57.0})
        panel = track.folding.by_id["m1.leaf"]
        top = apply_frame(track.frames[panel.id][0], panel.corners)[:, 1].max()
        self.assertAlmostEqual(top - 108.0, 56.0, places=6)


class ReversedFoldTest(unittest.TestCase):
    ETA = {
        30: (58.295, 53.130, 44.415, 32.204, 16.998),
        45: (88.014, 81.787, 70.529, 53.130, 29.022),
        60: (118.265, 112.620, 101.537, 81.787, 48.292),
    }
    OPENINGS = (30, 60, 90, 120, 150)

    def test_the_inner_ridge_dips_as_the_formula_says(self):
        for alpha, etas in self.ETA.items():
            folding, track = track_of("spin-popup", self.OPENINGS, diagonal_angle=float(alpha), box_depth=60.0, vertex=25.0, box_height=120.0)
            corner = folding.by_id["m1.upper-corner-front"]
            crease = next(c for s in folding.sheets for c in s.creases if c.name == "upper-inner-ridge")
            inner = np.array([[*crease.start, 0.0], [*crease.end, 0.0]])
            seen = apply_frame(track.frames[corner.id], inner)
            along = seen[:, 1] - seen[:, 0]
            along /= np.linalg.norm(along, axis=1)[:, None]
            # from the continuation of the ridge, which runs along the gutter, up
            dip = np.degrees(np.arccos(np.clip(along[:, 1], -1, 1)))
            closed = [math.degrees(2 * math.atan(tan(alpha) * math.cos(math.radians(w / 2)))) for w in self.OPENINGS]
            np.testing.assert_allclose(dip, closed, atol=1e-6)
            np.testing.assert_allclose(dip, etas, atol=1e-3)

    def test_diagonals_fold_as_the_formula_says(self):
        folding, track = track_of("spin-popup", self.OPENINGS, diagonal_angle=45.0, box_depth=60.0, vertex=25.0, box_height=120.0)
        fold = next(j.id for j in folding.joints if j.id.endswith("upper-diagonal-front"))
        other = next(j.id for j in folding.joints if j.id.endswith("upper-diagonal-back"))
        told = [2 * math.degrees(math.atan(1 / tan(w / 2) / math.cos(math.radians(45)))) for w in self.OPENINGS]
        known = [np.abs(track.coordinates[n]) for n in (fold, other) if n in track.coordinates]
        self.assertTrue(known)
        for rho in known:
            np.testing.assert_allclose(rho, told, atol=1e-6)
            np.testing.assert_allclose(rho, (158.543, 135.585, 109.471, 78.463, 41.507), atol=1e-3)


class TwistTest(unittest.TestCase):
    OPENINGS = (30, 60, 90, 120, 150)

    def test_height_and_place_of_the_platform(self):
        folding, track = track_of(
            "twist-popup",
            self.OPENINGS,
            diagonal_angle=45.0,
            apex=60.0,
            platform_distance=48.0,
            platform="square",
            platform_width=48.0,
            platform_height=36.0,
            window=0.0,
        )
        platform = folding.by_id["m1.platform"]
        middle = apply_frame(track.frames[platform.id], [[0.0, 108.0, 0.0]])[:, 0]
        np.testing.assert_allclose(np.hypot(middle[:, 0], middle[:, 2]), (47.971, 47.508, 45.255, 38.400, 23.287), atol=1e-3)
        np.testing.assert_allclose(middle[:, 1] - 60.0, (1.663, 6.857, 16, 28.8, 41.973), atol=1e-3)
        least = []
        for page in ("card.back", "card.front"):
            frame = track.frames[page]
            corners = apply_frame(track.frames[platform.id], platform.corners)
            least.append(np.abs(np.einsum("nki,ni->nk", corners - frame[:, None, :, 3], frame[:, :, 2])).min(axis=1))
        wanted = [(1.552, 2.969, 4, 4.157, 2.812), (1.968, 5.938, 12, 16.628, 13.305)]
        least.sort(key=lambda row: row[2])
        np.testing.assert_allclose(least, wanted, atol=1e-3)

    def test_it_turns_by_twice_the_diagonal_against_the_other_page(self):
        for alpha in (40.0, 45.0, 50.0):
            folding, track = track_of("twist-popup", [0, 180], diagonal_angle=alpha, window=0.0)
            frame = track.frames["m1.platform"]
            page = track.frames["card.back"]
            turn = np.einsum("nji,njk->nik", page[..., :3], frame[..., :3])
            directions = [math.degrees(math.atan2(t[1, 1], t[0, 1])) for t in turn]
            swing = abs(directions[1] - directions[0]) % 360
            self.assertAlmostEqual(min(swing, 360 - swing), 2 * alpha, places=6)
            self.assertEqual(folding.drive.by, "page")

    def test_the_shut_place_is_the_open_one_mirrored_in_the_carrying_diagonal(self):
        folding, track = track_of(
            "twist-popup",
            [0],
            Card(size="free", width=127, height=177.8),
            apex=70.0,
            platform_distance=44.0,
            platform="square",
            platform_width=48.0,
            platform_height=36.0,
            window=0.0,
        )
        shut = apply_frame(track.frames["m1.platform"][0], folding.by_id["m1.platform"].corners)
        self.assertAlmostEqual(shut[:, 0].min(), 26.0, places=6)
        self.assertAlmostEqual(shut[:, 0].max(), 62.0, places=6)
        self.assertAlmostEqual(shut[:, 1].min(), 46.0, places=6)
        self.assertAlmostEqual(shut[:, 1].max(), 94.0, places=6)


class BoxTest(unittest.TestCase):
    def test_width_and_depth_of_the_box(self):
        folding, track = track_of("popout-box", [30, 60, 90], panel=60.0, height=120.0, spinner=0.0, plate=0.0, ring=0.0, window=0.0)
        walls = [folding.by_id[f"m1.panel-{k}"] for k in (1, 2, 3, 4)]
        first = track.frames["m1.panel-1"]
        for k, (wide, deep) in enumerate(((111.962, 30.0), (90.0, 51.962), (60.0, 60.0))):
            corners = np.vstack([apply_frame(track.frames[w.id][k], w.corners) for w in walls])
            x = (corners - first[k][:, 3]) @ first[k][:, 0]
            z = (corners - first[k][:, 3]) @ first[k][:, 2]
            # against the first panel the box is a parallelogram of side w and turn phi
            self.assertAlmostEqual(float(np.ptp(z)), deep, places=2)
            self.assertAlmostEqual(float(np.ptp(x)), wide, places=2)


class WaterfallTest(unittest.TestCase):
    def test_a_leaf_turns_over_a_pull_of_twice_the_pitch(self):
        turned = [180.0 * k for k in range(5)]
        folding, track = track_of("waterfall", turned, leaves=4, pitch=12.7)
        np.testing.assert_allclose(track.readings["pull"], [25.4 * k for k in range(5)], atol=1e-9)
        _, inside = track_of("waterfall", [30.0, 60.0, 90.0, 150.0], leaves=4, pitch=12.7)
        np.testing.assert_allclose(inside.readings["pull"], 12.7 * (1 - np.cos(np.radians(inside.travel))), atol=1e-9)
        first = track.frames["m1.leaf-1"][:, :, 2]
        np.testing.assert_allclose(first[:, 2], [1, -1, -1, -1, -1], atol=1e-12)

    def test_the_fold_line_sinks_by_a_pitch_a_leaf_and_the_glued_edge_by_two(self):
        folding, track = track_of("waterfall", [0, 180, 360, 540, 720], leaves=4, pitch=12.7, leaf_size=76.2, flap=63.5)
        leaf = folding.by_id["m1.leaf-1"]
        tops = apply_frame(track.frames[leaf.id], leaf.corners)[..., 1]
        # Turned over, the leaf stands up from its glued edge, which is one pitch over the next fold line and sinks two a turn.
        free, glued = tops.max(axis=1)[1:], tops.min(axis=1)[1:]
        np.testing.assert_allclose(free - glued, 76.2, atol=1e-9)
        np.testing.assert_allclose(np.diff(glued), -25.4, atol=1e-9)


class FlipTest(unittest.TestCase):
    def test_a_lifted_frame_goes_on_a_circle_of_the_panel(self):
        _, track = track_of("flip-panels", [0, 45, 90, 135, 180], panel_width=60.0)
        moved = track.frames["m1.frame"][:, :, 3] - track.frames["m1.frame"][0, :, 3]
        theta = np.radians(track.travel)
        np.testing.assert_allclose(np.abs(moved[:, 0]), 60 * (1 - np.cos(theta)), atol=1e-6)
        np.testing.assert_allclose(moved[:, 2], 60 * np.sin(theta), atol=1e-6)
        self.assertAlmostEqual(track.readings["pull"][-1], 120.0, places=6)

    def test_a_link_turns_a_panel_over_a_pull_of_twice_its_radius(self):
        _, track = track_of("flip-panels", [0, 60, 90, 120, 180], drive="link", panel_width=60.0, link_radius=40.0, link=60.0)
        theta = np.radians(track.travel)
        x = 40 * np.cos(theta) + np.sqrt(60**2 - (40 * np.sin(theta)) ** 2)
        np.testing.assert_allclose(track.readings["pull"], 100 - x, atol=1e-6)
        self.assertAlmostEqual(track.readings["pull"][-1], 80.0, places=6)


class PageTest(unittest.TestCase):
    def test_the_slider_of_two_messages_moves_by_twice_the_overhang(self):
        _, track = track_of("two-message", [0, 30, 60, 90, 120, 180], overhang=20.0)
        np.testing.assert_allclose(np.abs(track.readings["shift"]), (0, 2.679, 10, 20, 30, 40), atol=1e-3)

    def test_a_plate_on_a_leg_rises_and_slides(self):
        folding, track = track_of("hinge-plate", [0, 60, 90, 120, 180], plate_leg=20.0)
        plate = track.frames["m1.plate"]
        across = np.einsum("ni,ni->n", plate[:, :, 2], track.frames["card.back"][:, :, 2])
        np.testing.assert_allclose(np.abs(across), 1.0, atol=1e-9)  # parallel to a page all the way
        np.testing.assert_allclose(track.readings["lift"], 20 * np.sin(np.radians(track.travel)), atol=1e-6)

    def test_the_second_piece_lies_with_equal_margins_in_both_states(self):
        folding, track = track_of("counter-fold", [0, 180], width=108.0, inner_width=98.0)
        for k, page in enumerate((("m1.back",), ("m1.quarter-1", "m1.quarter-2"))):
            piece = np.vstack([apply_frame(track.frames[p][k], folding.by_id[p].corners) for p in ("m1.piece-back", "m1.piece-front")])
            under = np.vstack([apply_frame(track.frames[p][k], folding.by_id[p].corners) for p in page])
            self.assertAlmostEqual(piece[:, 0].min() - under[:, 0].min(), 5.0, places=9)
            self.assertAlmostEqual(under[:, 0].max() - piece[:, 0].max(), 5.0, places=9)


class BandTest(unittest.TestCase):
    def test_a_band_goes_round_along_its_neutral_line(self):
        from lexipod.mechanics import band_way

        self.assertAlmostEqual(band_way(139.7, 1.6, 0.3), 283.54, places=2)
        self.assertAlmostEqual(band_way(139.7, 1.6, 0.3) - 279.4, 4.14, places=2)  # the gap that makers see (common practice)


class MeasureTest(unittest.TestCase):
    def test_the_wipers_triangle_reaches_across_the_strut_by_its_leg_and_the_slope_of_its_crease(self):
        for angle in (30.0, 40.0, 50.0):
            built = build_assembly(card_with("wiper").with_parameters("m1", {"crease_angle": angle, "corner": 15.0}), CATALOG)
            bound = next(n for n in built.foldings[0].needs if n.id == "m1.triangle")
            self.assertAlmostEqual(bound.measured, 15.0 * math.tan(math.radians(angle)), places=3)

    def test_a_flip_panels_hinge_tab_needs_paper_under_it(self):
        for recipe, panels in (("flip-panels", 1), ("flip-panels", 2)):
            built = build_assembly(card_with(recipe, panels=panels), CATALOG)
            tabs = [n for n in built.foldings[0].needs if isinstance(n, GlueFlap)]
            self.assertEqual(len(tabs), panels)
            for need, panel in zip(tabs, (p for p in built.foldings[0].panels if ".panel-" in p.id), strict=False):
                self.assertAlmostEqual(need.region.bounds[2], panel.region.bounds[0], places=6)  # it goes on where the panel begins

    def test_a_page_is_put_together_half_open(self):
        for opening in (90.0, 170.0, 180.0):
            drive = page_drive("m1", opening)
            self.assertEqual((drive.rest, drive.home, drive.end), (0.0, opening / 2, opening))

    def test_a_wider_border_of_the_inner_card_leaves_less_for_the_platform(self):
        width = [card_with("twist-popup", inner_border=f"{b}mm").mechanisms[0].parameters["platform_width"] for b in (2, 5, 9)]
        self.assertEqual(width, sorted(width, reverse=True))
        self.assertGreater(width[0], width[2])
