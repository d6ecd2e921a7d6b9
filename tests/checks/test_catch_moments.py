"""When and where edges cross, and what holds them there: made cases whose answers are known, however many positions are asked for."""

import unittest
from dataclasses import replace

import numpy as np
import shapely

from lexipod.assembly import Drive, Joint, Segment
from lexipod.checks import Examination, find_catch_points, run_checks
from lexipod.checks.catching import CatchPoint, _first_meeting
from lexipod.checks.crossings import HELD_AT, Moments, Scene, find_moments, find_scenes
from lexipod.checks.holding import Holding, border_reach, holding_of, most_sag, part_sag
from lexipod.cures.glued import MOVES_MM, RADII_MM, find_attempts
from lexipod.design import Card, Ways
from lexipod.editing.change import add_mechanism, change_design
from lexipod.geometry.shapes import circle, pill, rectangle
from tests.zoo import CATALOG, assembly, card_with, moved, part


def layered(name, outline, *, z, thickness=0.3, role="base", level=1, plies=1, home=(0.0, 0.0, 0.0), **more):
    return replace(part(name, outline, home=home, role=role, level=level, plies=plies, **more), z_mm=z, thickness_mm=thickness)


def plate_over(bar, plate, *others, pad=(100.0, 90.0, 110.0, 110.0), gap=0.1, steps=181, travel=60.0, plies=1):
    """A plate (outline on the card) slides to the right, glued to a block at ``pad``, over a bar that is glued to the ground."""
    low = layered("m1.bar", bar, z=0.4)
    top = layered("m1.plate", plate, z=0.7 + gap, role="moving", level=3, plies=plies, thickness=0.3 * plies)
    block = layered("m1.block", rectangle(*pad), z=0.65 + gap, thickness=0.05, role="spacer", level=2)
    path = Segment((60.0, 100.0), (260.0, 100.0), zero_mm=40.0)
    joints = [
        Joint("glued", "fixed", "m1.bar", "card.front"),
        Joint("stuck", "fixed", "m1.block", "m1.plate"),
        Joint("slide", "slide", "m1.block", "card.front", (100.0, 100.0), path_b=path, turn="fixed"),
        *(Joint(f"glue-{o.id}", "fixed", o.id, "m1.bar" if o.level < 3 else "m1.plate") for o in others),
    ]
    built = assembly([low, top, block, *others], joints, Drive("m1", "slide", "m1.block", "slide", 0.0, travel, 0.0))
    return Examination(built, CATALOG, Ways(units="mm"), steps=steps)


def catch_of(examination, other="m1.bar"):
    found = [c for c in find_catch_points(examination) if {c.part, c.other} == {"m1.plate", other}]
    return found[0] if found else None


BAR = rectangle(150, 60, 230, 140)


class MomentTest(unittest.TestCase):
    def test_moments_are_found_with_their_sides(self):
        inside = np.array([[0, 1], [0, 1], [1, 0], [1, 0], [1, 1]], dtype=bool)
        moments = find_moments(inside)
        self.assertEqual(
            sorted(zip(moments.step.tolist(), moments.which.tolist(), moments.leaves.tolist(), strict=True)),
            [(1, 0, False), (1, 1, True), (3, 1, False)],
        )

    def test_positions_outside_and_inside_stay_within_the_travel(self):
        moments = Moments(np.array([0, 2, 3]), np.zeros(3, int), np.array([False, True, True]), 5)
        self.assertEqual(moments.at(0).tolist(), [0, 3, 4])  # just outside
        self.assertEqual(moments.at(1).tolist(), [0, 4, 4])  # one farther out, but not past the end
        self.assertEqual(moments.at(-1).tolist(), [1, 2, 3])
        self.assertEqual(moments.at(-2).tolist(), [2, 1, 2])

    def test_how_bad_it_is_follows_from_sag_gap_and_what_is_passed(self):
        for sag, matters, blocks in ((0.4, False, False), (0.6, True, False), (0.95, True, True), (float("inf"), True, True)):
            catch = CatchPoint("a", "b", "m1", 0.0, (0.0, 0.0), 1.0, 1.0, sag, 0.5, 0.4, "lands")
            self.assertEqual((catch.matters, catch.blocks), (matters, blocks), sag)


class StepTest(unittest.TestCase):
    def test_the_sag_does_not_depend_on_how_many_positions_are_asked(self):
        # A square end 30 mm from the block: it lands on the bar with 30² / 1000.
        for steps in (7, 25, 181, 721):
            catch = catch_of(plate_over(BAR, rectangle(100, 90, 140, 110), steps=steps))
            self.assertAlmostEqual(catch.sag_mm, 0.9, delta=0.01, msg=str(steps))

    def test_a_round_end_lands_with_its_foremost_point(self):
        round_end = pill((100.0, 100.0), (140.0, 100.0), width_mm=20.0)
        for steps in (25, 181, 721):
            catch = catch_of(plate_over(BAR, round_end, steps=steps))
            self.assertAlmostEqual(catch.sag_mm, 0.9, delta=0.02, msg=str(steps))
            self.assertAlmostEqual(catch.where[1], 100.0, delta=1.0)

    def test_a_corner_of_the_bar_is_met_between_border_points(self):
        spike = np.array([(150.0, 101.3), (230.0, 60.0), (230.0, 140.0)])
        for steps in (25, 181):
            catch = catch_of(plate_over(spike, rectangle(100, 90, 140, 110), steps=steps))
            self.assertAlmostEqual(catch.sag_mm, 0.9, delta=0.02, msg=str(steps))
            self.assertAlmostEqual(catch.where[1], 101.3, delta=0.5)


class FirstMeetingTest(unittest.TestCase):
    def met(self, bar, *, steps):
        examination = plate_over(bar, rectangle(100, 90, 140, 110), steps=steps)
        low, high = (examination.assembly.by_id[k] for k in ("m1.bar", "m1.plate"))
        return [m for scene in find_scenes(examination, low, high) if (m := _first_meeting(scene, low, high, 0.1)) is not None]

    def test_parts_that_begin_beside_each_other_meet_at_the_edge_that_comes_first(self):
        for steps in (7, 25, 181):  # the plate's middle ends up over the bar; the meeting is before that
            (met,) = self.met(BAR, steps=steps)
            self.assertAlmostEqual(met.where[0], 150.0, delta=0.5)
            self.assertAlmostEqual(met.sag_mm, 0.9, delta=0.02)

    def test_parts_that_lie_over_each_other_all_the_way_never_meet(self):
        self.assertEqual(self.met(rectangle(60, 60, 300, 140), steps=25), [])


class NoCatchTest(unittest.TestCase):
    def test_what_slides_along_an_edge_does_not_cross_it(self):
        flush = rectangle(80, 90, 250, 110)  # its long edges are those of the plate
        catch = catch_of(plate_over(flush, rectangle(100, 90, 140, 110)))
        self.assertTrue(catch is None or not catch.matters, catch)

    def test_what_is_over_it_all_the_way_does_not_catch(self):
        catch = catch_of(plate_over(rectangle(60, 60, 300, 140), rectangle(100, 90, 140, 110)))
        self.assertTrue(catch is None or not catch.matters, catch)

    def test_a_film_that_goes_on_past_the_edge_leads_over_it(self):
        film = layered("m1.film", rectangle(60, 60, 160, 140), z=0.7, thickness=0.1, level=2, role="decoration")
        bare = catch_of(plate_over(BAR, rectangle(100, 90, 140, 110), gap=0.2))
        led = catch_of(plate_over(BAR, rectangle(100, 90, 140, 110), film, gap=0.2))
        self.assertTrue(bare.blocks)
        self.assertTrue(led is None or not led.matters, led)

    def test_a_film_that_lies_over_it_elsewhere_holds_as_far_as_it_is(self):
        # The plate lands with its end after 10 mm; the film of the bar reaches to x = 125, 25 mm behind that end.
        film = layered("m1.film", rectangle(90, 90, 125, 110), z=0.7, thickness=0.1, level=2, role="decoration")
        for steps in (25, 181):
            catch = catch_of(plate_over(BAR, rectangle(100, 90, 140, 110), film, gap=0.2, steps=steps))
            self.assertAlmostEqual(catch.sag_mm, 25.0**2 / 1000.0, delta=0.03, msg=str(steps))

    def test_a_sheet_between_keeps_them_apart(self):
        bare = plate_over(BAR, rectangle(100, 90, 140, 110), gap=0.5)
        between = layered("card.sheet", rectangle(50, 50, 300, 150), z=0.8, thickness=0.1, level=2, role="cover", mechanism="card")
        built = bare.assembly
        held = Examination(
            replace(built, parts=(*built.parts, between), joints=(*built.joints, Joint("g", "fixed", "card.sheet", "card.front"))),
            CATALOG,
            Ways(units="mm"),
            steps=61,
        )
        self.assertTrue(catch_of(bare).matters)
        self.assertIsNone(catch_of(held))


class TwoMechanismsTest(unittest.TestCase):
    """A plate of one mechanism slides to the right; a bar of another one comes up into its way only when that one is drawn."""

    def crossing(self, *, rises=60.0):
        plate = layered("m1.plate", rectangle(100, 90, 140, 110), z=0.8, role="moving", level=3)
        block = layered("m1.block", rectangle(100, 90, 110, 110), z=0.75, thickness=0.05, role="spacer", level=2)
        bar = layered("m2.bar", rectangle(150, 20, 230, 70), z=0.4, role="moving", level=1, mechanism="m2")
        joints = [
            Joint("stuck", "fixed", "m1.block", "m1.plate"),
            Joint("j1", "slide", "m1.block", "card.front", (100.0, 100.0), path_b=Segment((60.0, 100.0), (260.0, 100.0), zero_mm=40.0), turn="fixed"),
            Joint("j2", "slide", "m2.bar", "card.front", (150.0, 20.0), path_b=Segment((150.0, 20.0), (150.0, 200.0)), turn="fixed"),
        ]
        drives = (Drive("m1", "j1", "m1.block", "slide", 0.0, 60.0, 0.0), Drive("m2", "j2", "m2.bar", "slide", 0.0, rises, 0.0))
        built = replace(assembly([bar, plate, block], joints, drives[0]), drives=drives)
        found = find_catch_points(Examination(built, CATALOG, Ways(units="mm"), steps=61))
        return [c for c in found if {c.part, c.other} == {"m1.plate", "m2.bar"}]

    def test_it_is_found_where_the_other_one_is_drawn_and_told_so(self):
        (catch,) = self.crossing()
        self.assertTrue(catch.blocks)
        self.assertTrue(catch.also_at)
        (name, travel) = catch.also_at[0]
        drawn = travel if name == "m2" else catch.travel
        self.assertGreaterEqual(drawn, 20.0 - 1e-6)  # the bar reaches the plate's lower edge after 20 mm

    def test_what_never_comes_near_is_not_told(self):
        self.assertEqual(self.crossing(rises=15.0), [])


class SceneTest(unittest.TestCase):
    """One mechanism moves, another one is held somewhere, the rest is at rest."""

    def setUp(self):
        design = add_mechanism(card_with("strip-slider", Card(size="iso.a5")), "spinner", CATALOG)
        self.built, self.examination = moved(design, 31)
        self.strip = self.built.by_id["m1.strip"]
        self.hand = next(p for p in self.built.parts if p.mechanism == "m2" and p.id in self.built.moving)

    def test_what_moves_has_all_its_poses_and_the_rest_one(self):
        scene = Scene(self.examination, "m1", ("m2", 7))
        self.assertTrue(np.array_equal(scene.poses(self.strip), self.examination.poses("m1.strip")))
        self.assertTrue(np.array_equal(scene.poses(self.hand), self.examination.poses(self.hand.id)[7:8]))
        self.assertTrue(np.array_equal(Scene(self.examination, "m1").poses(self.hand), self.examination.poses(self.hand.id)[:1]))

    def test_regions_lie_where_the_poses_are(self):
        scene = Scene(self.examination, "m1", ("m2", 7))
        for step in (0, 12, 30):
            self.assertIs(scene.region(self.strip, step), self.examination.regions("m1.strip")[step])
            self.assertIs(scene.region(self.hand, step), self.examination.regions(self.hand.id)[7])
            self.assertIs(scene.region(self.built.by_id["card.front"], step), self.examination.regions("card.front")[0])

    def test_travels_are_told_of_both(self):
        scene = Scene(self.examination, "m1", ("m2", 7))
        self.assertEqual(scene.travel(30), self.examination.track("m1").travel[30])
        self.assertEqual(scene.also_at, (("m2", float(self.examination.track("m2").travel[7])),))
        self.assertEqual(Scene(self.examination, "m1").also_at, ())

    def test_two_of_one_mechanism_have_one_scene_and_of_two_each_is_held(self):
        front = self.built.by_id["card.front"]
        self.assertEqual([s.moving for s in find_scenes(self.examination, front, self.strip)], ["m1"])
        scenes = list(find_scenes(self.examination, self.strip, self.hand))
        self.assertLessEqual({s.moving for s in scenes}, {"m1", "m2"})
        self.assertTrue(all(s.held[0] not in ("", s.moving) for s in scenes))
        self.assertLessEqual(len(scenes), 2 * HELD_AT)


class HoldingTest(unittest.TestCase):
    def test_what_lies_between_two_places_counts_half(self):
        both = Holding.by(shapely.union_all([shapely.box(0, 0, 10, 10), shapely.box(50, 0, 60, 10)]))
        self.assertTrue(np.allclose(both.reach(np.array([[30.0, 5.0], [80.0, 5.0], [5.0, 5.0]])), [10.0, 20.0, 0.0]))

    def test_nothing_holds_nothing(self):
        self.assertTrue(np.isinf(Holding.by(shapely.Point()).reach(np.zeros((3, 2)))).all())

    def test_a_plate_is_held_by_its_block_and_the_bar_by_the_ground(self):
        examination = plate_over(BAR, rectangle(100, 90, 140, 110))
        by_id = examination.assembly.by_id
        self.assertTrue(
            shapely.equals(shapely.union_all(shapely.get_parts(holding_of(examination, by_id["m1.plate"]).region)), shapely.box(100, 90, 110, 110))
        )
        self.assertEqual(most_sag(examination, by_id["m1.bar"]), 0.0)
        self.assertAlmostEqual(most_sag(examination, by_id["m1.plate"]), 0.9)
        points, reach = border_reach(examination, by_id["m1.plate"])
        self.assertAlmostEqual(float(reach[np.argmax(points[:, 0])]), 30.0)

    def test_only_sheets_curl_and_plies_stiffen(self):
        for plies, expected in ((1, 0.9), (2, 0.225), (3, 0.1)):
            self.assertAlmostEqual(float(part_sag(part("a", plies=plies), np.array([30.0]))[0]), expected)
        for role in ("spacer", "fastener"):
            self.assertEqual(part_sag(part("a", circle((0, 0), radius_mm=3), role=role), np.array([30.0])).tolist(), [0.0])


class AttemptTest(unittest.TestCase):
    """What is tried with scissors, glue and film: the least first, and every attempt can be made."""

    def setUp(self):
        self.design = change_design(card_with("strip-slider"), CATALOG, {"item.d1": "decoration on card.frame front 14x12mm at 30x5mm layers 2"})
        self.examination = moved(self.design)[1]
        self.findings = run_checks(self.examination)

    def attempts(self, rule):
        finding = next(f for f in self.findings if f.rule == rule and any("item-d1" in p for p in f.parts))
        return list(find_attempts(self.examination, self.design, finding))

    def test_what_is_in_the_way_is_moved_ever_further_and_then_left_out(self):
        attempts = self.attempts(next(f.rule for f in self.findings if any("item-d1" in p for p in f.parts) and f.severity == "block"))
        right = [a.settings["item.d1.at"][0] - 30.0 for a in attempts if a.kind == "move d1 to the right"]
        self.assertEqual(right, list(MOVES_MM))
        kinds = list(dict.fromkeys(a.kind for a in attempts))
        self.assertEqual(kinds[0].split()[0], "move")
        self.assertIn("off d1", kinds)
        self.assertLess(kinds.index("move d1 down"), kinds.index("off d1"))

    def test_every_attempt_can_be_made(self):
        for finding in self.findings:
            for attempt in find_attempts(self.examination, self.design, finding):
                mechanism = finding.mechanism if "mirror" in attempt.settings else None
                changed = change_design(self.design, CATALOG, attempt.settings, mechanism=mechanism)
                self.assertNotEqual(changed, self.design, attempt)

    def test_corners_are_rounded_ever_more_and_only_of_paper(self):
        broken = card_with("pivot-arm").with_parameters("m1", {"arm_length": 106.0, "picture": 20.0})
        examination = moved(broken)[1]
        finding = next(f for f in run_checks(examination) if f.rule == "catch")
        attempts = list(find_attempts(examination, broken, finding))
        for name in finding.parts:
            radii = [a.settings[f"corner.{name}"] for a in attempts if a.kind == f"corner {name}"]
            self.assertIn(radii, ([], list(RADII_MM)))
        self.assertEqual(attempts[-1].kind, "reverse")
        self.assertTrue(any(a.kind.startswith("leader") or a.kind == "pane" for a in attempts))


if __name__ == "__main__":
    unittest.main()
