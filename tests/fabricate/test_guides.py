"""Guides read back and measured, and moving pictures read back frame by frame."""

import io
import json
import re
import tempfile
import unittest
from pathlib import Path
from xml.etree import ElementTree

import msgspec
import numpy as np
import pypdfium2
import shapely
from PIL import Image

from lexipod.demo import load_demo
from lexipod.design import Card, Item
from lexipod.drawing.writers.animation import write_animation
from lexipod.errors import LexipodError, ParameterError
from lexipod.fabricate.exports import Moving, export_bytes
from lexipod.fabricate.guides import floors, guide_sheets, masks, placing_sheets, windows_sheet
from lexipod.fabricate.reading import draw_travel, strip_of
from lexipod.fitting.through import also_elsewhere, laid_through, opening_of
from lexipod.pipeline import examine
from lexipod.units import UnitStyle
from tests.cli.test_commands import call
from tests.zoo import CATALOG, card_with

MM = UnitStyle("mm")


def wheel_of_six():
    design = card_with("window-wheel", Card(size="na.a7"))
    examination = examine(design, CATALOG)
    item = Item("a1", "picture", "m1.wheel", source="demo:flame", width=24.0, height=24.0, proportion=1.0)
    item = laid_through(examination, item, {"m1": 0.0}, opening_of(examination.assembly, "card.frame"))
    design = msgspec.structs.replace(design, items=(item,))
    return also_elsewhere(design, examine(design, CATALOG), "a1", "m1", 0.0)


def pdf_boxes(data):
    """The box (mm) of every closed path of every page, by a reader of its own."""
    found = []
    document = pypdfium2.PdfDocument(data)
    for page in document:
        rows = []
        for thing in page.get_objects(filter=[pypdfium2.raw.FPDF_PAGEOBJ_PATH]):
            left, bottom, right, top = thing.get_bounds()
            rows.append((right - left, top - bottom))
        found.append(np.array(rows) * 25.4 / 72)
    return found


def svg_boxes(data):
    """The box (mm) of every path of an SVG, with what it stands for."""
    root = ElementTree.fromstring(data)
    rows = []
    for element in root.iter("{http://www.w3.org/2000/svg}path"):
        numbers = np.array([float(v) for v in re.findall(r"-?\d+\.?\d*", element.get("d"))]).reshape(-1, 2)
        rows.append((element.get("data-part", ""), *np.ptp(numbers, axis=0)))
    return rows


class GuideTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.design = wheel_of_six()
        cls.examination = examine(cls.design, CATALOG)

    def test_a_placement_sheet_has_part_openings_and_pictures_at_true_size(self):
        wheel = self.examination.assembly.by_id["m1.wheel"]
        opening = opening_of(self.examination.assembly, "card.frame")
        wide, high = opening.bounds[2] - opening.bounds[0], opening.bounds[3] - opening.bounds[1]
        data = export_bytes(self.design, CATALOG, ".pdf", folder=None, style=MM, what="guides")
        pages = pdf_boxes(data)
        self.assertEqual(len(pages), 4)  # the wheel, its corner, its mask, the windows
        lined = 0.3  # the reader counts the width of the line on each side
        for page, wanted in ((0, wheel.size_mm), (0, (wide, high)), (3, (wide, high))):
            off = np.abs(pages[page] - wanted).max(axis=1).min()
            self.assertLess(off, lined + 0.25, (page, wanted))
        rows = svg_boxes(export_bytes(self.design, CATALOG, ".svg", folder=None, style=MM, what="guides"))
        placed = [(w, h) for part, w, h in rows if part == "item:a1"]
        self.assertLess(np.abs(np.array(placed) - (self.design.items[0].width, self.design.items[0].height)).max(), 1.2)  # the flame within its box
        seen = [(w, h) for part, w, h in rows if part == "m1.wheel:seen"]
        self.assertGreaterEqual(len(seen), 6)
        self.assertLess(min(max(abs(w - wide), abs(h - high)) for w, h in seen), 0.02)
        outline = [(w, h) for part, w, h in rows if part == "m1.wheel"]
        self.assertLess(min(max(abs(w - wheel.size_mm[0]), abs(h - wheel.size_mm[1])) for w, h in outline), 0.02)

    def test_a_stamping_corner_has_marks_at_the_sides_and_the_middle_of_each_picture(self):
        """Read back from the file: how far each mark is from the inner edges of the corner, front and back (seen from behind)."""
        design = card_with("strip-slider", Card(size="na.a7"))
        strip = examine(design, CATALOG).assembly.by_id["m1.strip"]
        (wide, high), spots = strip.size_mm, {"g1": (-8.0, 2.0), "g2": (10.0, -3.0)}
        for face in ("front", "back"):
            items = tuple(Item(n, "picture", "m1.strip", face, at, 9.0, 6.0, source="demo:flame", proportion=0.0) for n, at in spots.items())
            marked = msgspec.structs.replace(design, items=items)
            (corner,) = [d for d in guide_sheets(examine(marked, CATALOG)) if "stamping corner" in d.title]
            data = export_bytes(marked, CATALOG, ".svg", folder=None, style=MM, what="guides")
            rows = {}
            for element in ElementTree.fromstring(data).iter("{http://www.w3.org/2000/svg}path"):
                points = np.array([float(v) for v in re.findall(r"-?\d+\.?\d*", element.get("d"))]).reshape(-1, 2)
                rows.setdefault(element.get("data-part", ""), []).append(points)
            (rim,) = rows["m1.strip:corner"]
            inner = rim.min(axis=0)[0] + 15.0, rim.max(axis=0)[1] - 15.0  # the arms are 15 mm wide; the file counts downwards
            self.assertAlmostEqual(float(np.ptp(rim[:, 0])), 15.0 + wide, places=2)
            for name, (x, y) in spots.items():
                x = (wide / 2 + x) * 1.0 if face == "front" else wide / 2 - x
                below = sorted(float(m[0, 0]) - inner[0] for m in rows[f"mark:{name}"] if np.ptp(m[:, 0]) < 0.01)
                beside = sorted(inner[1] - float(m[0, 1]) for m in rows[f"mark:{name}"] if np.ptp(m[:, 1]) < 0.01)
                shown = [(max(0.0, c - s / 2), min(e, c + s / 2)) for c, s, e in ((x, 9.0, wide), (high / 2 + y, 6.0, high))]
                for told, (low, top) in zip((below, beside), shown, strict=True):
                    self.assertLess(np.abs(np.array(told) - (low, (low + top) / 2, top)).max(), 0.02, (face, name))
            self.assertIn("its back" if face == "back" else "for the strip:", corner.title)

    def test_every_halt_has_its_outline_and_its_name(self):
        (sheet,) = placing_sheets(self.examination)
        words = [p.text for p in sheet.primitives if hasattr(p, "text")]
        for k in range(6):
            self.assertIn(f"at {60.0 * k:.1f}°", words)
        self.assertTrue(any("this edge up" in w for w in words))

    def test_a_mask_lets_ink_through_only_where_something_is_ever_seen(self):
        (mask,) = masks(self.examination)
        holes = [shapely.Polygon(p.rings[0]) for p in mask.primitives if getattr(p, "subject", "").endswith(":ever-seen")]
        islands = [shapely.Polygon(p.rings[0]) for p in mask.primitives if getattr(p, "subject", "").endswith(":never-seen")]
        share = (sum(h.area for h in holes) - sum(i.area for i in islands)) / self.examination.assembly.by_id["m1.wheel"].region.area
        words = next(p.text for p in mask.primitives if "ever seen" in getattr(p, "text", ""))
        self.assertAlmostEqual(100 * share, float(re.search(r"(\d+) %", words)[1]), delta=1.0)

    def test_the_sheet_of_windows_has_them_where_they_are_on_the_card(self):
        (sheet,) = windows_sheet(self.examination)
        rings = [p.rings[0] for p in sheet.primitives if getattr(p, "subject", "").startswith("window:")]
        opening = opening_of(self.examination.assembly, "card.frame")
        self.assertTrue(any(np.allclose(shapely.Polygon(r).bounds, opening.bounds, atol=1e-6) for r in rings))

    def test_a_picture_on_the_back_is_told_mirrored(self):
        """A corner to the left as one looks at the back lies to the right in the part's own frame."""
        design = card_with("flip-panels", Card(size="na.a7"))
        panel = examine(design, CATALOG, steps=2).assembly.panels["m1.panel-1"]
        low, high = panel.outline.min(axis=0), panel.outline.max(axis=0)
        item = Item("a1", "picture", "m1.panel-1", "back", (high[0] - low[0]) / 4 * np.array([1.0, 0.0]), 6.0, 6.0, source="x.svg")
        item = msgspec.structs.replace(item, at=(float((high - low)[0] / 4), 0.0))
        sheets = placing_sheets(examine(msgspec.structs.replace(design, items=(item,)), CATALOG, steps=25))
        back = next(s for s in sheets if "back" in s.title and any(getattr(p, "subject", "") == "item:a1" for p in s.primitives))
        ring = next(p.rings[0] for p in back.primitives if getattr(p, "subject", "") == "item:a1" and hasattr(p, "rings"))
        self.assertLess(ring[:, 0].mean(), back.size_mm[0] / 2)

    def test_the_piece_that_falls_out_of_a_track_is_its_floor(self):
        examination = examine(card_with("track-rider", Card(size="na.a7")), CATALOG, steps=25)
        (sheet,) = floors(examination)
        pillar = next(p for p in examination.assembly.parts if p.id == "m1.pillar")
        ring = next(p.rings[0] for p in sheet.primitives if getattr(p, "subject", "").startswith("floor:"))
        tracks = [shapely.Polygon(h) for p in examination.assembly.parts for h in p.region_at_home.interiors]
        self.assertTrue(any(abs(t.area - shapely.Polygon(ring).area) < 1e-6 and t.contains(pillar.region_at_home) for t in tracks))
        self.assertEqual(floors(self.examination), [])

    def test_nothing_to_guide_is_said(self):
        design = card_with("thread-spinner", Card(size="na.a7"))
        empty = msgspec.structs.replace(design, mechanisms=())
        with self.assertRaisesRegex(LexipodError, "nothing to guide"):
            export_bytes(empty, CATALOG, ".svg", folder=None, style=MM, what="guides")
        self.assertTrue(guide_sheets(self.examination))


class AnimationTest(unittest.TestCase):
    def test_frames_times_size_first_and_last_are_as_asked(self):
        design = load_demo("fog-lifts")
        examination = examine(design, CATALOG, steps=25)
        from lexipod.drawing.art import pictures_of

        art, _ = pictures_of(design, examination.assembly, None)
        told = []
        for kind in ("gif", "webp"):
            drawings = draw_travel(examination, art, frames=6, there_and_back=True)
            self.assertEqual(len(drawings), 11)
            data = write_animation(drawings, kind, width_px=240, frame_ms=80, tell=told.append)
            self.assertEqual(data, write_animation(drawings, kind, width_px=240, frame_ms=80))
            image = Image.open(io.BytesIO(data))
            self.assertEqual((image.n_frames, image.size[0], image.info["loop"]), (11, 240, 0))
            frames, times = [], []
            for k in range(11):
                image.seek(k)
                frames.append(np.asarray(image.convert("RGB"), dtype=float))
                times.append(image.info.get("duration"))
            if kind == "gif":
                self.assertEqual(times, [700, 80, 80, 80, 80, 700, 80, 80, 80, 80, 80])
            off = [float(np.abs(f - frames[0]).mean()) for f in frames]
            self.assertLess(off[-1], 0.6)  # it comes back
            self.assertGreater(off[5], 3.0)
            self.assertEqual(int(np.argmax(off)), 5)
        self.assertEqual(told[-1], 1.0)
        still = Image.open(io.BytesIO(export_bytes(design, CATALOG, ".png", folder=None, style=MM, moving=Moving(at=(("m1", 39.6875),)))))
        self.assertGreater(still.size[0], 500)

    def test_what_rises_is_shown_standing_and_a_strip_holds_still_frames(self):
        design = load_demo("whale-rises")
        data = export_bytes(design, CATALOG, ".gif", folder=None, style=MM, moving=Moving(frames=4, width_px=200, there_and_back=False))
        image = Image.open(io.BytesIO(data))
        self.assertEqual(image.n_frames, 4)
        rows = draw_travel(examine(design, CATALOG, steps=25), {}, frames=5, there_and_back=False)
        strip = strip_of(rows)
        self.assertGreater(strip.size_mm[0], 4.5 * max(d.size_mm[0] for d in rows) * 0.8)
        self.assertTrue(export_bytes(design, CATALOG, ".png", folder=None, style=MM, what="strip").startswith(b"\x89PNG"))

    def test_what_cannot_be_is_refused(self):
        for name, value in (("frames", 1), ("width_px", 5), ("seconds", 0.0)):
            with self.assertRaises(ParameterError):
                Moving(**{name: value})
        still = msgspec.structs.replace(load_demo("fog-lifts"), mechanisms=(), items=())
        with self.assertRaisesRegex(LexipodError, "nothing moves"):
            export_bytes(still, CATALOG, ".gif", folder=None, style=MM)


class CommandTest(unittest.TestCase):
    def test_placed_told_guided_and_shown_from_the_command_line(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            file = folder / "w.lexipod"
            (folder / "sun.svg").write_text(
                '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 3 2"><rect width="3" height="2" fill="#c42"/></svg>'
            )
            self.assertEqual(call("new", "window-wheel", "--out", file, "--card", "a7")[0], 0)
            self.assertEqual(call("set", file, "item.a1=picture on m1.wheel front 24x16mm from sun.svg shown")[0], 0)
            status, out, _ = call("place", file, "a1", "--through", "card.frame", "--at", "m1=60deg", "--everywhere")
            self.assertEqual((status, len(out.splitlines())), (0, 6))
            answer = json.loads(call("art", file, "--json")[1])
            self.assertEqual(answer["format"], "lexipod-art/1")
            self.assertEqual(len(answer["items"]), 6)
            first = next(i for i in answer["items"] if i["id"] == "a1")
            self.assertEqual((first["kind"], first["part"], first["face"], first["show_at_end"]), ("picture", "m1.wheel", "front", True))
            best = max(first["seen"], key=lambda s: s["share"])
            self.assertEqual((best["at"], best["share"], best["mirrored"]), ({"m1": 60.0}, 1.0, False))
            self.assertAlmostEqual(best["turned"], 0.0, delta=0.01)
            wheel = next(r for r in answer["ever_seen"] if r["part"] == "m1.wheel")
            self.assertTrue(0.3 < wheel["share"] < 0.95 and wheel["polygons"])
            self.assertTrue(answer["room_to_write"])
            self.assertIn("to write on", call("art", file)[1])
            self.assertEqual(call("guides", file, "--to", folder / "g.pdf")[0], 0)
            self.assertEqual(call("export", file, "--to", folder / "w.webp", "--frames", 4, "--width", 160, "--one-way")[0], 0)
            with Image.open(folder / "w.webp") as image:
                self.assertEqual(image.n_frames, 4)
            self.assertEqual(call("export", file, "--to", folder / "w.png", "--at", "m1=120deg")[0], 0)
            before = file.read_bytes()
            for arguments, words in (
                (("place", file, "a9", "--through", "card.frame"), "a9"),
                (("place", file, "a1", "--through", "card.nothing"), "opening"),
                (("place", file, "a1", "--through", "card.frame", "--at", "m1=500deg"), "out of its travel"),
                (("place", file, "a1", "--through", "card.frame", "--at", "m7=5"), "mechanism"),
                (("guides", file, "--to", folder / "g.dxf"), "guide format"),
                (("set", file, "art.a1.turn=sideways"), "angle"),
                (("set", file, 'art.g1=greeting on m1.wheel front 6mm saying ""'), "text"),
                (("set", file, 'art.g1=greeting on m1.wheel front 6mm saying "' + "x" * 10_000 + '"'), "at most 500 letters"),
                (("set", file, 'art.g1=greeting on m1.wheel front 6mm saying "Hi" in "No such font"'), "font"),
            ):
                status, out, err = call(*arguments)
                with self.subTest(words):
                    self.assertEqual((status, out, len(err.splitlines())), (2, "", 1))
                    self.assertIn(words, err)
            self.assertEqual(file.read_bytes(), before)
            self.assertEqual(call("set", file, "art.a1.turn=30", "art.a1.hide_at_rest=yes")[0], 0)


if __name__ == "__main__":
    unittest.main()
