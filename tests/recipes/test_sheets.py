"""The shared panel and frame, and how a mechanism lies on its card."""

import unittest

import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.building.placing import Placing, move_region
from lexipod.checks import run_checks
from lexipod.cures import find_remedies
from lexipod.design.files import format_design, parse_design
from lexipod.editing.change import add_mechanism, change_design, complete_design, without_mechanism
from lexipod.errors import LexipodError, ParameterError
from lexipod.geometry.frames import apply_pose
from lexipod.recipes.kit.sheets import Sheet, agree, bordered
from tests.zoo import CATALOG, FLAT, card_with, moved


class AgreementTest(unittest.TestCase):
    def test_the_highest_foam_that_is_asked_for_carries_all(self):
        region = bordered(100, 100, 5)
        stand = agree(
            [Sheet("frame", region, "foam-1", 1), Sheet("frame", region, "foam-2", 2), Sheet("panel", region)], CATALOG, card_mm=0.8, caliper_mm=0.4
        )
        self.assertAlmostEqual(stand.floor_mm, 1.2)  # card, then a panel glued flat
        self.assertAlmostEqual(stand.frame_mm, 5.2)
        self.assertEqual(stand.floor, "card.panel")

    def test_without_sheets_everything_stands_on_the_card(self):
        stand = agree([], CATALOG, card_mm=0.8, caliper_mm=0.4)
        self.assertEqual((stand.floor, stand.floor_mm, stand.face_mm), ("card.front", 0.8, 0.8))


class SharedFrameTest(unittest.TestCase):
    def both(self):
        return add_mechanism(
            card_with("window-wheel"), "track-rider", CATALOG, given={"centre": "54mm x 20mm", "length": "50mm", "disc": "14mm", "figure": "14mm"}
        )

    def test_two_mechanisms_have_one_frame_with_the_openings_of_both(self):
        assembly = build_assembly(self.both(), CATALOG)
        frames = [p for p in assembly.parts if p.name == "frame"]
        self.assertEqual(len(frames), 1)
        self.assertEqual(len(frames[0].holes), 2)
        window = next(n for n in assembly.needs if n.id == "m1.window").region
        self.assertAlmostEqual(frames[0].region.intersection(window).area, 0.0, places=6)

    def test_its_foam_stays_clear_of_what_moves_in_either(self):
        assembly, examination = moved(self.both(), 25)
        foams = [p for p in assembly.parts if p.id.startswith("card.frame-foam")]
        self.assertTrue(foams)
        for part in assembly.moving:
            if assembly.by_id[part].level in foams[0].levels:
                swept = shapely.union_all(examination.regions(part))
                for foam in foams:
                    self.assertGreater(foam.region_at_home.distance(swept), 0.3, (part, foam.id))

    def test_the_rider_is_hung_under_the_common_frame(self):
        assembly = build_assembly(self.both(), CATALOG)
        frame, disc, figure = (assembly.by_id[p] for p in ("card.frame", "m2.disc", "m2.figure"))
        self.assertLess(disc.top_mm, frame.z_mm)
        self.assertGreater(figure.z_mm, frame.top_mm)

    def test_glued_parts_in_one_place_are_found(self):
        design = add_mechanism(card_with("strip-slider"), "strip-slider", CATALOG, given={"slot_place": "70mm"})
        from lexipod.checks import run_checks

        found = run_checks(moved(design, 5)[1], rules=["crowded"])
        self.assertTrue(found)
        apart = change_design(design, CATALOG, {"shift.y": 45.0}, mechanism="m2")
        self.assertLess(len(run_checks(moved(apart, 5)[1], rules=["crowded"])), len(found))


class PlacingTest(unittest.TestCase):
    def test_quarters_keep_the_card_on_itself(self):
        for turn in (0, 90, 180, 270):
            placing = Placing(turn, False, (0.0, 0.0), 100.0, 60.0)
            own = shapely.box(0, 0, *placing.own_size)
            self.assertTrue(placing.region(own).equals(shapely.box(0, 0, 100, 60)))
        corner = Placing(90, False, (0.0, 0.0), 100.0, 60.0).region(shapely.box(0, 0, 5, 5))
        self.assertEqual(corner.bounds, (95.0, 0.0, 100.0, 5.0))  # counter-clockwise: the lower left comes to the lower right

    def test_four_quarters_are_nothing(self):
        region = shapely.box(3, 4, 9, 20)
        turned = region
        for _ in range(4):
            turned = move_region(turned, (60.0, 0.0, np.pi / 2))
        self.assertTrue(turned.equals(region))


class WholeDesignTest(unittest.TestCase):
    def test_what_a_file_leaves_out_is_sized(self):
        design = card_with("iris")
        bare = design.__class__(card=design.card, ways=design.ways, mechanisms=(design.mechanisms[0].__class__("m1", "iris", {"blades": 4}),))
        whole = complete_design(bare, CATALOG)
        self.assertEqual(whole.mechanisms[0].parameters["blades"], 4)
        self.assertEqual(set(whole.mechanisms[0].parameters), set(design.mechanisms[0].parameters))
        self.assertIs(complete_design(whole, CATALOG), whole)

    def test_half_a_place_alone_is_refused_when_it_is_new(self):
        with self.assertRaisesRegex(ParameterError, "give pivot.x and pivot.y"):
            card_with("spinner", pivot__x="20mm")

    def test_taking_one_off_leaves_the_other_as_it_was(self):
        both = add_mechanism(card_with("spinner"), "pinwheel", CATALOG)
        self.assertEqual(without_mechanism(both, "m2").mechanisms, both.mechanisms[:1])
        again = add_mechanism(without_mechanism(both, "m1"), "iris", CATALOG)
        self.assertEqual([m.id for m in again.mechanisms], ["m2", "m1"])


class CueTest(unittest.TestCase):
    def test_a_cue_is_found_when_it_is_hidden_and_none_is_none_on_purpose(self):
        from lexipod.checks import run_checks

        for kind, count in (("arrow", 1), ("word", 1), ("none", 0)):
            design = card_with("spinner", cue=kind, leaf_length=30.0, washer=20.0)
            hidden = add_mechanism(design, "window-wheel", CATALOG)
            found = [f for f in run_checks(moved(hidden, 5)[1], rules=["cue"]) if f.mechanism == "m1"]
            self.assertEqual(len(found), count, kind)

    def test_an_arrow_is_mirrored_with_its_drive_and_stays_on_the_same_side(self):
        plain, image = (build_assembly(card_with("strip-slider", mirror=m), CATALOG) for m in ("no", "yes"))
        a, b = plain.cues[0], image.cues[0]
        self.assertEqual((a.direction, b.direction), ((1.0, 0.0), (-1.0, 0.0)))
        self.assertAlmostEqual(a.at[0] + b.at[0], plain.card.width_mm)

    def test_a_bent_arrow_follows_its_circle(self):
        from lexipod.assembly.cues import cue_outline

        cue = build_assembly(card_with("window-wheel"), CATALOG).cues[0]
        radii = np.linalg.norm(cue_outline(cue) - cue.about, axis=1)
        middle = float(np.hypot(cue.at[0] - cue.about[0], cue.at[1] - cue.about[1]))
        self.assertLess(np.abs(radii - middle).max(), cue.size_mm * 0.2)


class MirroredDriveTest(unittest.TestCase):
    def test_a_slide_keeps_its_coordinates_and_a_turn_changes_its_sense(self):
        for recipe in FLAT:
            plain, image = (build_assembly(card_with(recipe, mirror=m), CATALOG).drives[0] for m in ("no", "yes"))
            if plain.kind == "slide":
                self.assertEqual((image.rest, image.end, image.home), (plain.rest, plain.end, plain.home), recipe)
            else:
                self.assertAlmostEqual(image.end - image.rest, plain.rest - plain.end, msg=recipe)
                np.testing.assert_allclose(np.diff(image.detents), -np.diff(plain.detents))


class PlacedCueTest(unittest.TestCase):
    def test_a_cue_lies_where_it_is_put_and_goes_back(self):
        for recipe in ("strip-slider", "window-wheel", "iris", "spinner"):
            design = card_with(recipe)
            usual = build_assembly(design, CATALOG)
            put = change_design(design, CATALOG, {"cue.m1": "30x40mm"})
            built = build_assembly(put, CATALOG)
            cue, part = built.cues[0], built.by_id[built.cues[0].part]
            np.testing.assert_allclose(apply_pose(part.home, [cue.at])[0], (30.0, 40.0), atol=1e-9)
            if cue.about is not None:  # still bent round its middle, the same way round
                arm, before = np.subtract(cue.at, cue.about), np.subtract(usual.cues[0].at, cue.about)
                self.assertAlmostEqual(float(np.dot(arm, cue.direction)), 0.0, places=9)
                turns = [np.sign(a[0] * d[1] - a[1] * d[0]) for a, d in ((arm, cue.direction), (before, usual.cues[0].direction))]
                self.assertEqual(*turns)
            half = change_design(put, CATALOG, {"cue.m1.x": "35mm"})
            self.assertEqual(half.cues, {"m1": (35.0, 40.0)})
            self.assertEqual(change_design(put, CATALOG, {"cue.m1": "usual"}).cues, {})
            self.assertEqual(without_mechanism(put, "m1").cues, {})
            self.assertEqual(parse_design(format_design(put)), put)
        for name in ("cue.m9", "cue.m1.z"):
            with self.assertRaises(LexipodError):
                change_design(put, CATALOG, {name: "3mm"})

    def test_a_covered_cue_is_offered_the_nearest_place_where_it_is_seen(self):
        design = card_with("strip-slider")
        built = build_assembly(design, CATALOG)
        cue, frame = built.cues[0], built.by_id["card.frame"]
        x, y = np.subtract(cue.at, (frame.box[0] + frame.box[1]) / 2)
        hidden = change_design(design, CATALOG, {"item.d1": f"decoration on card.frame front 16x16mm at {x:.2f}x{y:.2f}mm"})
        finding = next(f for f in run_checks(moved(hidden, 13)[1]) if f.rule == "cue")
        remedy = next(r for r in find_remedies(hidden, CATALOG, finding) if "cue.m1" in r.set)
        cured = change_design(hidden, CATALOG, remedy.set)
        self.assertEqual([f for f in run_checks(moved(cured, 13)[1]) if f.rule == "cue"], [])
        away = float(np.linalg.norm(np.subtract(remedy.set["cue.m1"], cue.at)))
        self.assertTrue(4.0 < away < 25.0, away)
