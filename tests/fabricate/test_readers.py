"""What comes out of every writer, read back by readers that share nothing with it: where a picture lies, which way up, and not mirrored."""

import io
import re
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

import msgspec
import numpy as np
import pypdfium2
import shapely
from PIL import Image

from lexipod.building import build_assembly
from lexipod.design import Card, Item
from lexipod.drawing import Scene, Shape, draw_folds, fit_camera
from lexipod.drawing.art import pictures_of
from lexipod.drawing.folds import PLAN, STANDING
from lexipod.fabricate.exports import EXPORTS, export_bytes
from lexipod.motion import glued_sides, solve_folds
from lexipod.units import UnitStyle
from tests.zoo import CATALOG, FOLDED, card_with

MARKS = {"red": (0.25, 0.75), "green": (0.75, 0.75), "blue": (0.25, 0.25)}
"""Three squares in a corner: they tell which way is up, and a mirror from a turn. Where each middle lies, as shares from the lower left."""
MARKER = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40">'
    + "".join(f'<rect x="{40 * x - 6}" y="{34 - 40 * y}" width="12" height="12" fill="{c}"/>' for c, (x, y) in MARKS.items()).replace(
        'fill="green"', 'fill="lime"'
    )
    + "</svg>"
)
PURE = {"red": (255, 0, 0), "green": (0, 255, 0), "blue": (0, 0, 255)}


def seen_in(image, mm_per_pixel):
    """The middle of each pure colour of a picture: mm from its lower left corner."""
    pixels = np.asarray(image.convert("RGB")).astype(int)
    middles = {}
    for name, colour in PURE.items():
        rows, columns = np.nonzero(np.abs(pixels - colour).max(axis=2) < 60)
        if rows.size:
            middles[name] = np.array([columns.mean() + 0.5, len(pixels) - rows.mean() - 0.5]) * mm_per_pixel
    return middles


def seen_in_png(data):
    image = Image.open(io.BytesIO(data))
    return seen_in(image, 25.4 / image.info["dpi"][0])


def seen_in_pdf(data):
    return seen_in(pypdfium2.PdfDocument(data)[0].render(scale=4).to_pil(), 25.4 / 72 / 4)


def seen_in_svg(data):
    """From the path data alone."""
    root = ET.fromstring(data)
    left, top, width, height = map(float, root.get("viewBox").split())
    scale = float(re.sub("mm$", "", root.get("width"))) / width
    middles = {}
    for element in root.iter():
        colour = (element.get("fill") or "").lower()
        name = next((n for n, rgb in PURE.items() if colour == "#{:02x}{:02x}{:02x}".format(*rgb)), None)
        if name is not None:
            numbers = np.array(re.findall(r"-?\d+(?:\.\d+)?", element.get("d") or element.get("points")), dtype=float).reshape(-1, 2)
            at = np.array(shapely.Polygon(numbers).centroid.coords[0])
            middles[name] = np.array([at[0] - left, height - (at[1] - top)]) * scale
    return middles


READERS = {".png": seen_in_png, ".pdf": seen_in_pdf, ".svg": seen_in_svg}


def corner(middles):
    """From the red mark to the green and the blue one."""
    return middles["green"] - middles["red"], middles["blue"] - middles["red"]


class PictureTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        (self.folder / "m.svg").write_text(MARKER)

    def with_art(self, design, *on, **how):
        share = tuple(how.get(side, 1.0 if side in ("right", "top") else 0.0) for side in ("left", "bottom", "right", "top"))
        items = []
        for k, name in enumerate(on):
            part, _, face = name.partition(":")
            items.append(Item(f"a{k}", "picture", part, face or "front", source="m.svg", share=share, turn=how.get("turn", 0)))
        return msgspec.structs.replace(design, items=tuple(items))

    def test_every_format_is_read_here(self):
        self.assertEqual({e.ending for e in EXPORTS} - {".csv", ".gif", ".webp", ".dxf", ".plt"}, set(READERS))

    def test_a_picture_lies_where_it_was_put_in_every_format(self):
        plain = card_with("strip-slider", Card(size="na.a7"))
        mirrored = msgspec.structs.replace(plain, mechanisms=(msgspec.structs.replace(plain.mechanisms[0], mirror=True),))
        upwards = card_with("strip-slider", Card(size="na.a7"), direction="up")
        corner_box = {"left": 0.55, "bottom": 0.8, "right": 0.95, "top": 0.98}
        for design, on, box, turn in (
            (plain, "card.frame", corner_box, 90),
            (plain, "m1.picture", {}, 180),
            (mirrored, "card.frame", corner_box, 0),
            (mirrored, "m1.picture", {}, 0),
            (upwards, "m1.picture", {}, 270),
        ):
            drawn = self.with_art(design, on, turn=turn, **box)
            part = build_assembly(drawn, CATALOG).by_id[on]
            side = (np.ptp(part.outline, axis=0) * ((0.4, 0.18) if box else (1.0, 1.0))).min()  # a square stays one
            heading = part.home[2] + np.radians(turn)
            lie = np.array([[np.cos(heading), -np.sin(heading)], [np.sin(heading), np.cos(heading)]])
            for ending, read in READERS.items():
                right, down = corner(read(export_bytes(drawn, CATALOG, ending, folder=self.folder, style=UnitStyle("mm"), what="card")))
                with self.subTest(on=on, turn=turn, ending=ending):
                    np.testing.assert_allclose(right, lie @ (0.5 * side, 0.0), atol=0.4)
                    np.testing.assert_allclose(down, lie @ (0.0, -0.5 * side), atol=0.4)

    def test_pictures_on_both_sides_of_what_folds_read_right_from_where_they_are_seen(self):
        compared, backs = 0, 0
        for recipe in FOLDED:
            plain = card_with(recipe, Card(size="na.a7"))
            folding = build_assembly(plain, CATALOG).foldings[0]
            design = self.with_art(plain, *(f"{p.id}{face}" for p in folding.panels for face in ("", ":back")))
            assembly = build_assembly(design, CATALOG)
            art, faults = pictures_of(design, assembly, self.folder)
            self.assertEqual(faults, ())
            folding = assembly.foldings[0]
            track = solve_folds(folding, np.linspace(folding.drive.rest, folding.drive.end, 41))
            for camera in (fit_camera([track], *STANDING)[0], PLAN):
                for share in (0.03, 0.35, 0.8, 1.0):
                    at = folding.drive.rest + share * (folding.drive.end - folding.drive.rest)
                    scene = Scene(assembly, track.frames_at(at), {}, {folding.mechanism: at}, glued_sides(folding))
                    for subject, marks in self.marks_of(draw_folds(scene, camera, art=art)).items():
                        right, down = corner(marks)
                        area = right[0] * down[1] - right[1] * down[0]
                        if abs(area) < 3.0:
                            continue  # seen from the edge
                        with self.subTest(recipe, panel=subject, share=share):
                            self.assertLess(area, 0)  # a mirrored picture would have it the other way round
                        compared += 1
                        backs += share > 0.9
        self.assertGreater(compared, 200)
        self.assertGreater(backs, 20)

    def marks_of(self, drawing):
        """Whole pictures of a drawing by their panel; the light shades their colours."""
        found = {}
        for item in drawing.primitives:
            if isinstance(item, Shape) and re.fullmatch(r"art:#[0-9a-f]{6}", item.fill):
                channels = [int(item.fill[k : k + 2], 16) for k in (5, 7, 9)]
                if sorted(channels)[1] == 0 and max(channels) > 0:
                    name = ("red", "green", "blue")[int(np.argmax(channels))]
                    found.setdefault(item.subject, {})[name] = item.rings[0].mean(axis=0)
        return {subject: marks for subject, marks in found.items() if len(marks) == 3}


if __name__ == "__main__":
    unittest.main()
