"""Letters held against the font's own metrics, traced outlines against shapes of known area, and files that are none."""

import io
import math
import os
import struct
import tempfile
import time
import unittest
import zlib
from pathlib import Path

import numpy as np
import shapely
from fontTools.pens.boundsPen import BoundsPen
from fontTools.ttLib import TTFont
from PIL import Image, ImageDraw

from lexipod.errors import ChoiceError, FileError, ParameterError
from lexipod.pictures.fonts import SHIPPED, find_font, font_names
from lexipod.pictures.lettering import set_text
from lexipod.pictures.loading import import_picture, load_picture, read_picture_file, with_outline
from lexipod.pictures.raster import read_raster, trace

FONTS = Path(__file__).parents[2] / "src" / "lexipod" / "assets" / "fonts"


def bounds_in_font(name, letter):
    """Box and advance of a letter by the file's own tables, and its units to an em and height of capitals."""
    face = TTFont(FONTS / SHIPPED[name])
    glyphs = face.getGlyphSet()
    glyph = face.getBestCmap()[ord(letter)]
    pen = BoundsPen(glyphs)
    glyphs[glyph].draw(pen)
    tall = BoundsPen(glyphs)
    glyphs[face.getBestCmap()[ord("H")]].draw(tall)
    return pen.bounds, face["hmtx"][glyph][0], tall.bounds[3]


class LetterTest(unittest.TestCase):
    def test_letters_are_as_large_as_the_font_says(self):
        for name in SHIPPED:
            for letter in "HEgOx5&":
                box, _, caps = bounds_in_font(name, letter)
                region = set_text(letter, font=name, caps_mm=12.0).region
                left, bottom, right, top = region.bounds
                self.assertAlmostEqual(right - left, (box[2] - box[0]) * 12 / caps, delta=0.02, msg=(name, letter))
                self.assertAlmostEqual(top - bottom, (box[3] - box[1]) * 12 / caps, delta=0.02, msg=(name, letter))
        self.assertAlmostEqual(np.ptp(shapely.get_coordinates(set_text("H", font="sans", caps_mm=10.0).region)[:, 1]), 10.0, delta=0.02)

    def test_a_line_is_as_long_as_its_advances(self):
        """Letters that the font does not kern: the way from the first stem to the last is a sum of advances (hmtx)."""
        _, advance, caps = bounds_in_font("sans", "H")
        one = shapely.get_coordinates(set_text("H", font="sans", caps_mm=10.0).region)[:, 0]
        five = shapely.get_coordinates(set_text("HHHHH", font="sans", caps_mm=10.0).region)[:, 0]
        self.assertAlmostEqual(np.ptp(five) - np.ptp(one), 4 * advance * 10 / caps, delta=0.02)

    def test_pairs_are_kerned_and_lines_stand_under_each_other(self):
        apart = sum(bounds_in_font("serif", c)[1] for c in "AV") * 10 / bounds_in_font("serif", "A")[2]
        together = shapely.get_coordinates(set_text("AVAVAV", font="serif", caps_mm=10.0).region)[:, 0]
        self.assertLess(np.ptp(together), 3 * apart - 2.0)
        two = set_text("H\nH", font="sans", caps_mm=10.0).region
        self.assertEqual(len(shapely.get_parts(two)), 2)
        self.assertAlmostEqual(float(two.bounds[1] + two.bounds[3]), 0.0, delta=0.05)  # placed by the middle of its box

    def test_letters_on_an_arc_stand_on_it(self):
        for radius in (30.0, -30.0):
            region = set_text("HHHHHHH", font="sans", caps_mm=6.0, along="circle", radius_mm=radius).region
            away = np.linalg.norm(shapely.get_coordinates(region), axis=1)
            self.assertAlmostEqual(away.min(), 27.0, delta=0.35)  # feet or heads at half the capitals within the circle
            self.assertAlmostEqual(away.max(), 33.0, delta=0.45)
            middle = region.centroid
            self.assertEqual(middle.y > 0, radius > 0)
            self.assertAlmostEqual(middle.x, 0.0, delta=0.2)
            flat = set_text("HHHHHHH", font="sans", caps_mm=6.0).region
            self.assertAlmostEqual(region.area, flat.area, delta=0.01 * flat.area)
        arc = set_text("HHH", font="sans", caps_mm=6.0, along="arc", radius_mm=50.0).region
        self.assertAlmostEqual(arc.centroid.y, 0.0, delta=0.6)
        with self.assertRaisesRegex(ParameterError, "larger radius"):
            set_text("A long greeting that does not go round", caps_mm=10.0, along="circle", radius_mm=8.0)
        with self.assertRaisesRegex(ParameterError, "one line"):
            set_text("two\nlines", along="arc", radius_mm=40.0)

    def test_what_a_font_has_not_is_told_and_a_font_that_is_none_is_refused(self):
        self.assertEqual(set_text("a\u4e2d\u4e2db", font="sans").missing, "\u4e2d")
        with self.assertRaises(ChoiceError):
            find_font("No such font")
        self.assertEqual(font_names()[: len(SHIPPED)], list(SHIPPED))


class TraceTest(unittest.TestCase):
    def test_traced_outlines_have_the_area_of_what_was_drawn(self):
        """Shapes of known area, drawn smoothly at 400 by 300."""
        cases = (
            ([("ellipse", (100, 50, 300, 250))], math.pi * 100**2),
            ([("rectangle", (50, 40, 349, 259))], 300 * 220),
            ([("polygon", [(20, 280), (200, 20), (380, 280)])], 0.5 * 360 * 260),
            ([("ellipse", (50, 50, 350, 250)), ("hole", (150, 100, 250, 200))], math.pi * (150 * 100 - 50**2)),
        )
        for shapes, wanted in cases:
            large = Image.new("L", (1600, 1200), 0)
            brush = ImageDraw.Draw(large)
            for kind, box in shapes:
                if kind == "polygon":
                    brush.polygon([(4 * x, 4 * y) for x, y in box], fill=255)
                else:
                    grown = [4 * v for v in box[:2]] + [4 * v + (3 if kind == "rectangle" else 0) for v in box[2:]]
                    draw = brush.rectangle if kind == "rectangle" else brush.ellipse
                    draw(grown, fill=0 if kind == "hole" else 255)
            alpha = np.asarray(large.resize((400, 300), Image.Resampling.BOX), dtype=float) / 255
            self.assertAlmostEqual(trace(alpha).area, wanted, delta=0.006 * wanted)

    def test_a_picture_with_clear_parts_becomes_a_shape_along_its_outline(self):
        image = Image.new("RGBA", (300, 200), (0, 0, 0, 0))
        ImageDraw.Draw(image).ellipse((50, 0, 249, 199), fill=(200, 40, 40, 255))
        out = io.BytesIO()
        image.save(out, "PNG")
        picture = read_raster(out.getvalue(), "x.png")
        item = import_picture("s1", "x.png", picture, on="card.front", kind="shape", longest_mm=60.0)
        self.assertEqual((item.width, item.height), (60.0, 40.0))
        region = shapely.Polygon(np.array(item.outline[0]) * [60, 40])
        self.assertAlmostEqual(region.area, math.pi * 20**2, delta=12)
        self.assertAlmostEqual(region.centroid.x, 30, delta=0.3)
        whole = Image.new("RGB", (30, 20), (9, 9, 9))
        out = io.BytesIO()
        whole.save(out, "JPEG")
        plain = read_raster(out.getvalue(), "x.jpg")
        self.assertEqual(import_picture("a1", "x.jpg", plain, on="card.front", kind="picture").outline, ())
        self.assertEqual(len(import_picture("s1", "x.jpg", plain, on="card.front", kind="shape").outline), 1)
        self.assertEqual(len(with_outline(item, plain).outline), 1)


class BadFileTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def refused(self, name, words):
        start = time.process_time()
        with self.assertRaisesRegex(FileError, words) as caught:
            read_picture_file(self.folder / name)
        self.assertEqual(len(str(caught.exception).splitlines()), 1)
        self.assertLess(time.process_time() - start, 2.0)

    def test_pictures_that_are_none_give_one_sentence(self):
        good = io.BytesIO()
        Image.effect_noise((400, 300), 60).convert("RGB").save(good, "JPEG")
        (self.folder / "half.jpg").write_bytes(good.getvalue()[: len(good.getvalue()) // 2])
        (self.folder / "none.png").write_bytes(b"this is no picture")
        (self.folder / "empty.webp").write_bytes(b"")
        (self.folder / "x.svg").write_bytes(b"\xff\xfe<svg/>")
        with open(self.folder / "large.png", "wb") as file:
            file.truncate(200_000_000)
        with open(self.folder / "large.svg", "wb") as file:
            file.truncate(200_000_000)
        header = struct.pack(">IIBBBBB", 40_000, 40_000, 8, 2, 0, 0, 0)
        chunk = b"IHDR" + header
        png = b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + chunk + struct.pack(">I", zlib.crc32(chunk))
        (self.folder / "wide.png").write_bytes(png + struct.pack(">I", 0) + b"IDAT" + struct.pack(">I", zlib.crc32(b"IDAT")))
        (self.folder / "words.txt").write_text("words")
        os.mkfifo(self.folder / "pipe.png")
        for name, words in (
            ("half.jpg", "damaged"),
            ("none.png", "no picture"),
            ("empty.webp", "no picture"),
            ("x.svg", "UTF-8"),
            ("large.png", "larger than a photograph"),
            ("large.svg", "larger than an SVG"),
            ("wide.png", "smaller first"),
            ("words.txt", "can"),
            ("gone.svg", "no such picture"),
            ("pipe.png", "no ordinary file"),
        ):
            with self.subTest(name):
                self.refused(name, words)

    def test_sources_stay_beside_the_design(self):
        for source in ("/etc/x.svg", "../x.svg", "demo:../x", "demo:nothing"):
            with self.assertRaises(FileError):
                load_picture(source, self.folder)
        (self.folder / "deep").mkdir()
        (self.folder / "deep" / "x.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 3 2"/>')
        self.assertEqual(load_picture("deep/x.svg", self.folder).proportion, 1.5)
        with self.assertRaises(FileError):
            load_picture("deep/x.svg", None)


if __name__ == "__main__":
    unittest.main()
