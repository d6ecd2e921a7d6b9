"""What a maker trusts at the last mile: walls that stop, wishes that are too tight, places that are taken, builds that cannot be built."""

import json
import math
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import shapely

from lexipod.app.state.history import History, Step
from lexipod.app.state.recovery import find_recovered
from lexipod.assembly import Drive, Joint, Segment
from lexipod.building import build_assembly
from lexipod.builds import Accuracy, simulate_builds, wilson_interval
from lexipod.builds.dimensions import build_whole, find_errors
from lexipod.builds.margins import find_stacked, measure_margins
from lexipod.builds.simulation import NOTHING_MM
from lexipod.checks import Examination, find_zone, run_checks
from lexipod.cli.main import main
from lexipod.design import Card, Design, needed_gap_mm
from lexipod.editing import change_design
from lexipod.errors import LexipodError
from lexipod.fabricate.exports import EXPORTS
from lexipod.fitting import convert_design, fit_design
from lexipod.geometry.shapes import circle, rectangle
from lexipod.motion import find_free_range
from lexipod.motion.clearance import deepest_overlap, depth_of
from lexipod.motion.equations import MechanismError
from lexipod.motion.flat.laying import lay_down
from lexipod.recipes import RECIPES
from tests.cli.test_commands import call
from tests.samples import SEED, sample_size
from tests.zoo import CATALOG, FLAT, assembly, card_with, crank_and_rocker, part

ROUGH = Accuracy(0.5, 0.5, 0.5, "a test", 0.5)


def blocks(design):
    examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=25)
    return {f.rule for f in run_checks(examination) if f.severity == "block"}


class WallTest(unittest.TestCase):
    def stop_of(self, wall_at, thick, *, slant_deg=0.0):
        """Where a 2 mm pin on 200 mm of travel ends that meets a thin wall."""
        pin = part("m1.pin", circle((0, 0), radius_mm=1.0), home=(50.0, 200.0, 0.0))
        wall = part("m1.wall", rectangle(-thick / 2, -15, thick / 2, 15), home=(wall_at, 200.0, math.radians(slant_deg)), role="base")
        slot = Joint("s", "slide", pin.id, "card.front", (0.0, 0.0), path_b=Segment((50.0, 200.0), (380.0, 200.0)), turn="fixed")
        made = assembly([pin, wall], [slot, Joint("w", "fixed", wall.id, "card.front")], Drive("m1", "s", pin.id, "slide", 0.0, 200.0, 0.0))
        return find_free_range(made, made.drives[0]).high

    def test_no_thin_wall_is_passed_wherever_it_stands(self):
        dice = np.random.default_rng(SEED)
        for _ in range(sample_size(25)):
            wall_at, thick, slant = dice.uniform(60, 240), dice.uniform(0.05, 0.6), dice.uniform(-60, 60)
            stop = self.stop_of(wall_at, thick, slant_deg=slant)
            # the pin touches when its middle is 1 mm and half the wall from the wall's middle line
            expected = wall_at - 50.0 - (1.0 + thick / 2) / math.cos(math.radians(slant))
            self.assertEqual((stop.cause, set(stop.parts)), ("contact", {"m1.pin", "m1.wall"}), (wall_at, thick, slant))
            self.assertAlmostEqual(stop.at, expected, delta=0.03)

    def test_a_wall_beyond_the_way_stops_nothing(self):
        self.assertNotEqual(self.stop_of(395.0, 0.4).cause, "contact")


class WishTest(unittest.TestCase):
    def test_a_wish_below_what_the_cut_needs_is_a_finding(self):
        for recipe in ("strip-slider", "pocket-pull", "pocket-lift", "louvre"):
            sound = card_with(recipe)
            for cutting in ("hand", "plotter"):
                tight = change_design(sound, CATALOG, {"clearance": "0.01mm", "cutting": cutting})
                if "rail_gap" in tight.mechanisms[0].parameters:
                    values = tight.mechanisms[0].parameters
                    tight = tight.with_parameters("m1", {"rail_gap": values["strip_height"] + 0.02})
                built = Examination(build_assembly(tight, CATALOG), CATALOG, tight.ways, steps=25)
                found = [f for f in run_checks(built, rules=["clearance"]) if f.severity in ("block", "warn")]
                with self.subTest(recipe, cutting=cutting):
                    self.assertTrue(found)
                    self.assertGreater(max(f.required for f in found), 0.05)

    def test_a_strip_that_laps_less_than_knives_err_is_not_held(self):
        for cutting, lap in (("hand", 1.4), ("plotter", 1.15), ("hand", 0.6)):
            sound = change_design(card_with("strip-slider"), CATALOG, {"cutting": cutting})
            slot = sound.mechanisms[0].parameters["slot_height"]
            low = sound.with_parameters("m1", {"overlap": 0.5, "strip_height": slot + 2 * lap, "rail_gap": slot + 2 * lap + 1.0})
            found = run_checks(Examination(build_assembly(low, CATALOG), CATALOG, low.ways, steps=25), rules=["held"])
            self.assertEqual([round(f.measured, 3) for f in found], [lap])
            self.assertAlmostEqual(found[0].required, 1.0 + needed_gap_mm(cutting))

    def test_what_is_needed_follows_from_how_it_is_cut(self):
        needed = [needed_gap_mm(c) for c in ("hand", "trimmer", "die", "plotter")]
        self.assertEqual(needed, sorted(needed, reverse=True))
        for cutting in ("hand", "plotter"):
            self.assertAlmostEqual(needed_gap_mm(cutting, "guide"), needed_gap_mm(cutting) / 2)
            self.assertGreater(needed_gap_mm(cutting, "hole"), 0)


class PadTest(unittest.TestCase):
    def test_sheets_of_the_card_are_in_the_way_of_foam(self):
        compared = 0
        for recipe in ("strip-slider", "pocket-lift", "iris"):
            design = card_with(recipe, Card(size="na.a7"))
            built = build_assembly(design, CATALOG)
            examination = Examination(built, CATALOG, design.ways, steps=25)
            free = find_zone(examination, "card.front", "front", "foam").free
            for sheet in built.parts:
                lies_on = abs(sheet.z_mm - built.by_id["card.front"].z_mm - built.by_id["card.front"].thickness_mm) < 0.02
                if sheet.role in ("cover", "base") and sheet.mechanism == "card" and lies_on:
                    self.assertLess(shapely.intersection(free, sheet.region_at_home).area, 1.0, (recipe, sheet.id))
                    compared += 1
        self.assertGreater(compared, 0)

    def test_a_pad_under_a_sheet_is_told(self):
        design = card_with("strip-slider", Card(size="na.a7"))
        built = build_assembly(design, CATALOG)  # the mat lies on nearly all of the front
        before = {(f.rule, f.title) for f in run_checks(Examination(built, CATALOG, design.ways, steps=25))}
        for place in ("0x30mm", "-40x-50mm", "40x70mm"):
            padded = change_design(design, CATALOG, {"item.p1": f"pad on card.front front 8x8mm at {place}"})
            found = run_checks(Examination(build_assembly(padded, CATALOG), CATALOG, padded.ways, steps=25))
            told = [f for f in found if (f.rule, f.title) not in before and any("p1" in p for p in f.parts)]
            with self.subTest(place):
                self.assertIn("block", {f.severity for f in told}, told)


class ItemTest(unittest.TestCase):
    def test_what_lies_beside_its_carrier_is_told_and_convert_takes_it_along(self):
        design = card_with("strip-slider", Card(size="na.a7"))
        wide, high = design.mechanisms[0].parameters["picture_width"], design.mechanisms[0].parameters["picture_height"]
        on = change_design(design, CATALOG, {"item.d1": f"decoration on m1.picture front 8x8mm at {wide / 2 - 12:.1f}x{high / 2 - 12:.1f}mm"})
        self.assertNotIn("item", {f.rule for f in run_checks(Examination(build_assembly(on, CATALOG), CATALOG, on.ways, steps=25))})
        off = change_design(design, CATALOG, {"item.d1": f"decoration on m1.picture front 8x8mm at {wide / 2 + 20:.1f}x{high / 2 - 12:.1f}mm"})
        found = run_checks(Examination(build_assembly(off, CATALOG), CATALOG, off.ways, steps=25), rules=["item"])
        self.assertEqual([f.severity for f in found], ["warn"])
        for size in ("na.a2", "iso.a6", "iso.a5"):
            other = convert_design(on, CATALOG, Card(size=size)).design
            built = build_assembly(other, CATALOG)
            item = next(p for p in built.parts if p.item == "d1")
            share = shapely.intersection(item.region_at_home, built.by_id["m1.picture"].region_at_home).area / item.region.area
            self.assertGreater(share, 0.999, size)


class FitTest(unittest.TestCase):
    def test_what_is_free_is_left_as_it_is(self):
        for recipe in list(RECIPES)[::3]:
            design = card_with(recipe, Card(size="na.a7"))
            told = fit_design(design, CATALOG, "m1", [])
            with self.subTest(recipe):
                self.assertTrue(told.is_free)
                self.assertEqual((dict(told.changed), told.design), ({}, design))


class LaidDownTest(unittest.TestCase):
    def test_a_four_bar_with_a_misplaced_pin_closes_again(self):
        made = crank_and_rocker()
        dice = np.random.default_rng(SEED + 1)
        for _ in range(20):
            off = dice.uniform(-0.6, 0.6, 2)
            moved = [replace(j, at_b=(j.at_b[0] + off[0], j.at_b[1] + off[1])) if j.id == "j3" else j for j in made.joints]
            laid = lay_down(replace(made, joints=tuple(moved)), made.drives[0])
            q = [np.array(laid.by_id[n].home) for n in ("crank", "coupler", "rocker")]
            self.assertAlmostEqual(q[0][2], np.radians(60.0), places=6)  # the drive stands where it stood
            at = [
                h[:2] + np.array([[np.cos(h[2]), -np.sin(h[2])], [np.sin(h[2]), np.cos(h[2])]]) @ p
                for h, p in zip(q, ((20, 0), (70 + off[0], off[1]), (60, 0)), strict=True)
            ]
            np.testing.assert_allclose(at[0], q[1][:2], atol=1e-6)
            np.testing.assert_allclose(at[1], at[2], atol=1e-6)
            np.testing.assert_allclose(q[2][:2], (280.0, 200.0), atol=1e-6)

    def test_what_cannot_close_is_refused(self):
        made = crank_and_rocker(c=60.0, b=70.0, d=80.0)
        far = [replace(j, at_b=(900.0, 0.0)) if j.id == "j3" else j for j in made.joints]
        with self.assertRaisesRegex(MechanismError, "cannot be put together"):
            lay_down(replace(made, joints=tuple(far)), made.drives[0])


class BuildTest(unittest.TestCase):
    def test_misplaced_holes_spoil_as_many_builds_as_when_each_is_built_whole(self):
        design = card_with("dial-riders", Card(size="na.a7"))
        built = build_assembly(design, CATALOG)
        holes = [d for d in find_errors(design, built, CATALOG, ROUGH) if d.name.startswith("hole of")]
        self.assertGreater(len(holes), 8)
        self.assertEqual(len({d.name for d in holes}), len(holes))
        told = simulate_builds(design, CATALOG, builds=1000, only=tuple(d.name for d in holes), whole=0, accuracy=ROUGH)
        self.assertLessEqual({s.dimension for s in told.spoilers}, {d.name for d in holes})
        dice, stacked, free, count = np.random.default_rng(SEED + 3), find_stacked(built, CATALOG, design.ways), 0, sample_size(20)
        for _ in range(count):
            errors = [(d, float(dice.standard_normal() * d.sigma)) for d in holes]
            try:
                whole = build_whole(design, CATALOG, errors)
                free += all(m > NOTHING_MM for m in measure_margins(whole, CATALOG, design.ways, stacked).values())
            except LexipodError:
                pass  # it cannot be put together: that is no good build
        low, high = wilson_interval(free / count, count)
        self.assertLess(low, 1.0)
        self.assertTrue(0.0 < told.free < 1.0, told.free)
        self.assertTrue(low - 0.05 <= told.free <= high + 0.05, (told.free, free / count))


class OverlapTest(unittest.TestCase):
    def test_the_deepest_is_the_deepest_of_all_taken_one_by_one(self):
        dice = np.random.default_rng(SEED + 2)
        for _ in range(15):
            fixed = shapely.convex_hull(shapely.MultiPoint(dice.uniform(-15, 15, (8, 2))))
            laid = np.array([shapely.convex_hull(shapely.MultiPoint(dice.uniform(-25, 25, (6, 2)))) for _ in range(12)])
            deep, at = deepest_overlap(laid, fixed)
            one_by_one = [depth_of(shapely.intersection(region, fixed)) for region in laid]
            self.assertAlmostEqual(deep, max(one_by_one), delta=0.03)
            self.assertAlmostEqual(one_by_one[at], max(one_by_one), delta=0.03)


class HistoryTest(unittest.TestCase):
    def setUp(self):
        self.designs = [Design(title=str(k)) for k in range(6)]
        self.history = History()

    def step(self, before, after, gesture=0):
        self.history.push(Step(self.designs[before], self.designs[after], f"to {after}", gesture))

    def test_back_and_forth(self):
        self.step(0, 1)
        self.step(1, 2)
        self.assertEqual((self.history.undo_text, self.history.redo_text), ("to 2", ""))
        self.assertEqual(self.history.undo(), self.designs[1])
        self.assertEqual((self.history.undo_text, self.history.redo_text), ("to 1", "to 2"))
        self.assertEqual(self.history.redo(), self.designs[2])
        self.assertIsNone(self.history.redo())
        self.history.undo()
        self.step(1, 3)
        self.assertFalse(self.history.can_redo)
        self.assertEqual([self.history.undo(), self.history.undo(), self.history.undo()], [self.designs[1], self.designs[0], None])

    def test_a_gesture_is_one_step_and_none_where_it_ends_where_it_began(self):
        self.step(0, 1)
        for after in (2, 3, 4):
            self.step(1 if after == 2 else after - 1, after, gesture=7)
        self.assertEqual(self.history.count, 2)
        self.assertEqual(self.history.undo(), self.designs[1])
        self.history.redo()
        self.step(4, 5, gesture=8)
        self.step(5, 4, gesture=8)
        self.assertEqual((self.history.count, self.history.undo_text), (2, "to 2"))

    def test_what_is_saved_is_known_again(self):
        self.step(0, 1)
        self.assertFalse(self.history.is_saved)
        self.history.mark_saved()
        self.assertTrue(self.history.is_saved)
        self.history.undo()
        self.assertFalse(self.history.is_saved)
        self.history.redo()
        self.assertTrue(self.history.is_saved)
        self.history.undo()
        self.step(0, 2)  # the saved state can never come back
        self.assertFalse(self.history.is_saved)
        self.history.undo()
        self.assertFalse(self.history.is_saved)


class RecoveryTest(unittest.TestCase):
    def test_what_others_are_writing_is_left_and_what_is_gone_is_tidied(self):
        import os

        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            running, gone, rubbish = folder / f".{os.getpid()}-1.json.part", folder / ".999999999-2.json.part", folder / "999999999-3.json"
            for file in (running, gone, rubbish):
                file.write_text("{half")
            self.assertIsNone(find_recovered(folder))
            self.assertEqual((running.exists(), gone.exists(), rubbish.exists()), (True, False, False))
            self.assertTrue(any("{half" in p.read_text() for p in folder.iterdir() if p != running))  # unreadable, not thrown away


class ExportTableTest(unittest.TestCase):
    def test_command_line_and_help_name_every_ending(self):
        import contextlib
        import io

        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.suppress(SystemExit):
            main(["export", "--help"])
        with tempfile.TemporaryDirectory() as name:
            file = Path(name) / "a.lexipod"
            call("new", "spinner", "--out", file)
            heads = {
                ".gif": b"GIF89a",
                ".webp": b"RIFF",
                ".pdf": b"%PDF-",
                ".png": b"\x89PNG",
                ".svg": b"<",
                ".csv": b"part",
                ".dxf": b"  0",
                ".plt": b"in;",
            }
            for way in EXPORTS:
                self.assertIn(way.ending, out.getvalue())
                target = Path(name) / f"a{way.ending.upper()}"
                self.assertEqual(call("export", file, "--to", target, "--frames", 4, "--width", 120)[0], 0)
                self.assertTrue(target.read_bytes().lower().startswith(heads[way.ending].lower()) or heads[way.ending] in target.read_bytes()[:80])
            status, _, err = call("export", file, "--to", Path(name) / "a.docx")
        self.assertEqual(status, 2)
        for way in EXPORTS:
            self.assertIn(way.ending, err)


class FormatTest(unittest.TestCase):
    def test_every_setting_of_every_recipe_survives_being_written_and_read(self):
        with tempfile.TemporaryDirectory() as name:
            file = Path(name) / "a.lexipod"
            for recipe in FLAT:
                self.assertEqual(call("new", recipe, "--card", "a7", "--out", file)[0], 0)
                before = json.loads(file.read_text())
                parameters = before["mechanisms"][0]["parameters"]
                from lexipod.editing.change import format_settings

                text = format_settings({k: tuple(v) if isinstance(v, list) else v for k, v in parameters.items()})
                import shlex

                status, _, err = call("set", file, *shlex.split(text))
                self.assertEqual(status, 0, (recipe, err))
                after = json.loads(file.read_text())["mechanisms"][0]["parameters"]
                for key, value in parameters.items():
                    if isinstance(value, float):
                        self.assertAlmostEqual(after[key], value, delta=6e-4, msg=(recipe, key))
                    elif not isinstance(value, list):
                        self.assertEqual(after[key], value, (recipe, key))


if __name__ == "__main__":
    unittest.main()
