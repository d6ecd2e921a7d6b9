"""Small things that a maker meets on the table: notches for fingers, pictures on the side that is seen, cues on paper, states of an opening."""

import math
import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly.cues import cue_outline
from lexipod.building import build_assembly
from lexipod.checks.holding import border_points
from lexipod.design import Card, needed_gap_mm
from lexipod.geometry.space import apply_frame
from lexipod.motion import order_at, solve_folds
from lexipod.recipes import RECIPES
from lexipod.recipes.flat.iris import _ring
from lexipod.ribbon.folds import rising_heights
from tests.zoo import CATALOG, FLAT, FOLDED, card_with

WIDE, HIGH = 127.0, 177.8


def built(recipe, **given):
    design = card_with(recipe, Card(size="na.a7"), **given)
    return design.mechanisms[0].parameters, build_assembly(design, CATALOG)


class NotchTest(unittest.TestCase):
    def test_the_front_has_a_notch_as_deep_as_was_said_and_wide_enough_for_a_finger(self):
        for recipe in ("strip-slider", "pocket-pull", "pivot-arm", "louvre"):
            for depth in (8.0, 12.0):
                values, assembly = built(recipe, notch_depth=depth)
                missing = shapely.box(0, 0, WIDE, HIGH).difference(assembly.by_id["card.front"].region_at_home)
                notches = [p for p in shapely.get_parts(missing) if abs(p.bounds[2] - WIDE) < 1e-6 or abs(p.bounds[3] - HIGH) < 1e-6]
                with self.subTest(recipe, depth=depth):
                    self.assertEqual(len(notches), 1)
                    low_x, low_y, high_x, high_y = notches[0].bounds
                    at_side = abs(high_x - WIDE) < 1e-6
                    deep, across = (high_x - low_x, high_y - low_y) if at_side else (high_y - low_y, high_x - low_x)
                    self.assertAlmostEqual(deep, depth, places=6)
                    self.assertGreaterEqual(
                        across, 2 * min(depth, next(v for k, v in values.items() if k in ("pull_width", "strip_height")) / 2 - 1.0) - 1e-6
                    )
                    self.assertEqual(values["notch_depth"], depth)


class ZoneTest(unittest.TestCase):
    def test_pictures_go_on_the_front_of_what_is_seen_and_lie_on_their_part(self):
        for recipe in FLAT:
            _, assembly = built(recipe)
            art = [z for z in assembly.zones if z.kind == "art"]
            with self.subTest(recipe):
                self.assertTrue(art)
                self.assertEqual({z.face for z in art}, {"front"})
                for zone in assembly.zones:
                    part = assembly.by_id[zone.part]
                    if zone.kind in ("art", "glue", "grip"):
                        self.assertLess(shapely.Polygon(zone.polygon).difference(part.region.buffer(0.02)).area, 0.6 + 0.02 * part.region.area, zone)


class CueTest(unittest.TestCase):
    def test_every_arrow_and_word_lies_on_paper_and_points_the_way_it_goes(self):
        compared = 0
        for recipe in FLAT:
            for kind in ("arrow", "word"):
                if kind not in next(p for p in RECIPES[recipe].parameters if p.name == "cue").choices:
                    continue
                _, assembly = built(recipe, cue=kind)
                for cue in assembly.cues:
                    region = shapely.Polygon(cue_outline(cue))
                    part = assembly.by_id[cue.part]
                    with self.subTest(recipe, kind=kind):
                        self.assertEqual(cue.kind, kind)
                        self.assertLess(region.difference(part.region).area, 0.02 * region.area)
                        compared += 1
        self.assertGreater(compared, 15)


class OpeningTest(unittest.TestCase):
    def test_a_card_lies_flat_at_a_half_turn_and_only_there(self):
        tried = 0
        for recipe in FOLDED:
            if not any(p.name == "opening" for p in RECIPES[recipe].parameters):
                continue
            for opening in (180.0, 120.0):
                _, assembly = built(recipe, opening=opening)
                folding = assembly.foldings[0]
                self.assertEqual(max(abs(folding.drive.rest), abs(folding.drive.end)), opening)
                for state in folding.states:
                    self.assertLessEqual(state.at, opening + 1e-9, (recipe, state.name))
                self.assertEqual(any(abs(s.at - 180.0) < 1e-9 for s in folding.states), opening == 180.0, recipe)
                tried += 1
        self.assertGreater(tried, 3)


class OrderTest(unittest.TestCase):
    def test_panels_lie_in_the_order_of_the_flat_state_that_is_nearest(self):
        compared = 0
        for recipe in FOLDED:
            folding = built(recipe)[1].foldings[0]
            for state in folding.states:
                rank = order_at(folding, state.at)
                self.assertEqual(sorted(state.order, key=rank.__getitem__), list(state.order), (recipe, state.name))
                compared += len(state.order) > 1
        self.assertGreater(compared, 10)


class RisingTest(unittest.TestCase):
    def test_a_card_rises_as_high_as_its_highest_corner(self):
        for recipe in FOLDED:
            folding = built(recipe)[1].foldings[0]
            track = solve_folds(folding, np.linspace(folding.drive.rest, folding.drive.end, 7))
            moved = [p for p in folding.panels if not p.base and p.id != folding.ground]
            for k in range(7):
                if not track.reached[k]:
                    continue
                tops = [apply_frame(track.frames[p.id][k], p.corners)[:, 2].max() for p in moved]
                ground = np.asarray(folding.ground_pose)[2, 3]
                told = rising_heights(track)[k]
                with self.subTest(recipe, position=k):
                    self.assertLessEqual(told, max(0.0, *tops) - ground + 1e-6 if tops else 1e-6)
                    glued_down = {folding.rigid[p.id] for p in folding.panels if p.base or p.id == folding.ground}
                    loose = [t for t, p in zip(tops, moved, strict=True) if folding.rigid[p.id] not in glued_down]
                    self.assertAlmostEqual(told, max([0.0, *(t - ground for t in loose)]), places=6)


class BorderTest(unittest.TestCase):
    def test_every_sharp_corner_of_a_border_is_among_its_points_whichever_way_it_goes_round(self):
        for recipe in ("strip-slider", "iris", "pinwheel"):
            for part in built(recipe)[1].parts:
                points = border_points(part)
                region = shapely.simplify(part.region, 0.05)
                self.assertLess(shapely.distance(part.region.boundary, shapely.points(points)).max(), 1e-6)
                for ring in (part.outline, part.outline[::-1]):
                    told = border_points(replace(part, outline=ring))
                    for corner in shapely.get_coordinates(shapely.minimum_rotated_rectangle(region))[:4]:
                        if shapely.distance(part.region.boundary, shapely.Point(corner)) < 1e-6:
                            self.assertLess(np.linalg.norm(told - corner, axis=1).min(), 1e-6, (recipe, part.id))


class TrackTest(unittest.TestCase):
    def test_an_arc_of_no_length_is_still_one(self):
        _, assembly = built("track-rider", path="arc", from_angle=30.0, to_angle=30.0)
        drive = assembly.drives[0]
        self.assertGreater(drive.end - drive.rest, 0.5)

    def test_the_frame_clears_the_disc_whatever_the_pillar_is_made_of(self):
        for foam in ("foam-1", "foam-2", "foam-3"):
            for layers in (1, 2):
                values, assembly = built("track-rider", pillar_foam=foam, pillar_layers=layers)
                parts = assembly.by_id
                pillar, frame, disc = (parts[k] for k in ("m1.pillar", "card.frame", "m1.disc"))
                tall = CATALOG.foams[foam].thickness_mm * layers
                self.assertAlmostEqual(pillar.thickness_mm, tall)
                self.assertGreaterEqual(frame.z_mm - disc.top_mm, (tall - frame.thickness_mm) / 2 - 1e-6, (foam, layers))
                self.assertAlmostEqual(values["track_width"] - values["pillar"], 2 * max(values["clearance"], needed_gap_mm("hand")), delta=0.01)


class LiftTest(unittest.TestCase):
    def test_the_slider_begins_behind_the_fold_of_its_pocket(self):
        _, assembly = built("pocket-lift")
        fold, slider = assembly.by_id["m1.fold"].region_at_home.bounds, assembly.by_id["m1.slider"].region_at_home.bounds
        self.assertGreaterEqual(slider[1] - fold[3], 0.3)
        self.assertLessEqual(slider[1] - fold[3], 2.0)  # it rests on the fold, not on air
        np.testing.assert_allclose((fold[0] + fold[2]) / 2, (slider[0] + slider[2]) / 2)


class RingTest(unittest.TestCase):
    def test_a_ring_is_a_millimetre_wide_at_least(self):
        values = card_with("iris").mechanisms[0].parameters | {"ring_diameter": 40.0, "opening_diameter": 44.0}
        ring = _ring(values)
        self.assertTrue(ring.is_valid)
        self.assertAlmostEqual(ring.area, math.pi * (23.0**2 - 22.0**2), delta=1.0)

    def test_the_dials_notch_is_wide_enough_for_a_finger_however_shallow(self):
        for reach in (2.0, 9.0):
            built = build_assembly(card_with("dial-riders").with_parameters("m1", {"reach": reach}), CATALOG)
            gap = shapely.difference(shapely.box(*built.by_id["card.front"].region.bounds), built.by_id["card.front"].region)
            x0, y0, x1, y1 = gap.bounds
            self.assertAlmostEqual(x1 - x0, reach, delta=0.05)
            self.assertGreater(y1 - y0, 2 * max(6.0, reach) - 6.0 if reach > 6 else 6.0)


if __name__ == "__main__":
    unittest.main()
