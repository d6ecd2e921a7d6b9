"""SVG read into flat regions, held against an independent renderer and against areas worked by hand."""

import io
import math
import time
import unittest

import numpy as np
import resvg_py
import shapely
from PIL import Image

from lexipod.errors import FileError
from lexipod.pictures.loading import import_picture
from lexipod.pictures.svg import matrix_of, read_svg

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
PX = 480
SET = {
    "arcs of an ellipse": '<path d="M20 50A30 20 30 1 1 80 50A10 10 0 0 0 20 50Z" fill="#c02020"/>',
    "curves": '<path d="M10 80C20 10 60 10 70 60S95 90 95 40L95 95H10ZM30 80q20-30 40 0t20-10v10z" fill="#2060c0"/>',
    "even-odd and nonzero": '<path d="M10 10h40v40h-40zM20 20h20v20h-20z" fill="#208040"/>'
    '<path d="M55 10h40v40h-40zM65 20h20v20h-20z" fill="#208040" fill-rule="evenodd"/>'
    '<path d="M10 55h40v40h-40zM20 65v20h20v-20z" fill="#208040"/>'
    '<path d="M75 55L87 95L57 70H93L63 95Z" fill="#802080"/>',
    "strokes": '<path d="M15 85L50 15L85 85" fill="none" stroke="#c07020" stroke-width="10" stroke-linejoin="round" stroke-linecap="round"/>'
    '<polyline points="15,30 35,10 55,30" fill="none" stroke="#204080" stroke-width="4" stroke-linejoin="miter"/>'
    '<line x1="60" y1="95" x2="95" y2="95" stroke="#202020" stroke-width="6" stroke-linecap="square"/>',
    "a closed stroke": '<rect x="20" y="20" width="60" height="50" rx="12" fill="#e0c080" stroke="#203040" stroke-width="6"/>',
    "groups, copies and transforms": '<defs><g id="leaf"><ellipse cx="0" cy="-20" rx="8" ry="18" fill="#208040"/></g></defs>'
    '<g transform="translate(50 50) scale(1.2)">'
    + "".join(f'<use xlink:href="#leaf" transform="rotate({60 * k})"/>' for k in range(6))
    + '<circle r="6" fill="#e0b020"/></g>',
    "skewed and flattened": '<g transform="matrix(1 0.2 -0.4 0.8 30 10)"><rect width="50" height="50" fill="#8040a0"/></g>'
    '<g transform="skewX(20) scale(0.5 1)"><circle cx="40" cy="70" r="20" fill="#20a0a0" stroke="#102040" stroke-width="4"/></g>',
    "dashes": '<g stroke="#203040" stroke-width="5" fill="none" stroke-dasharray="12 6 4"><path d="M10 10H90V60" stroke-dashoffset="5"/>'
    '<circle cx="40" cy="60" r="25" stroke-linecap="round" stroke-dasharray="9,9"/><path d="M5 95H95" stroke-dasharray="none"/></g>',
    "patterns": '<defs><pattern id="a" x="3" y="2" width="12" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(20)">'
    '<rect width="20" height="20" fill="#e0d0a0"/><circle cx="9" cy="6" r="3" fill="#c04020"/></pattern>'
    '<pattern id="b" width=".25" height=".25" viewBox="0 0 10 10"><rect width="10" height="10" fill="#2060a0"/>'
    '<path d="M0 0L10 10L0 10Z" fill="#a0c0e0"/>'
    '</pattern><pattern id="c" xlink:href="#b" width=".5"/></defs><circle cx="50" cy="30" r="28" fill="url(#a)"/>'
    '<rect x="5" y="62" width="40" height="34" fill="url(#b)"/><rect x="52" y="62" width="44" height="30" fill="url(#c)"/>',
    "a clip in shares of a box": '<defs><clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".4"/></clipPath></defs>'
    '<rect x="10" y="20" width="70" height="60" fill="#208060" clip-path="url(#c)"/>',
    "a clip path": '<defs><clipPath id="c"><circle cx="50" cy="50" r="35"/><rect x="0" y="70" width="30" height="30"/></clipPath></defs>'
    '<g clip-path="url(#c)" transform="rotate(10 50 50)"><rect width="100" height="100" fill="#204080"/>'
    '<path d="M0 50H100V60H0Z" fill="#e0d0a0"/></g>',
    "style sheets": "<style>.a{fill:#c04060;stroke:#202020;stroke-width:3}#b{fill:#40c060} rect{opacity:1}</style>"
    '<rect class="a" x="10" y="10" width="40" height="40"/><rect id="b" x="55" y="10" width="35" height="40"/>'
    '<rect style="fill:#4060c0;fill-opacity:.5" x="20" y="40" width="60" height="50"/>',
    "symbols and inner views": '<symbol id="s" viewBox="0 0 10 10"><rect width="10" height="5" fill="#c02020"/>'
    '<rect y="5" width="10" height="5" fill="#20c020"/></symbol>'
    '<use xlink:href="#s" x="10" y="10" width="40" height="40"/>'
    '<svg x="55" y="40" width="40" height="40" viewBox="0 0 20 20"><circle cx="10" cy="10" r="10" fill="#2020c0"/></svg>',
    "a straight gradient": '<defs><linearGradient id="g"><stop offset="0" stop-color="#ff0000"/>'
    '<stop offset="1" stop-color="#0000ff"/></linearGradient></defs>'
    '<rect x="10" y="10" width="80" height="80" fill="url(#g)"/>',
    "a round gradient": '<defs><radialGradient id="g"><stop offset="0" stop-color="#ffffff"/>'
    '<stop offset="1" stop-color="#204060"/></radialGradient></defs>'
    '<circle cx="50" cy="50" r="40" fill="url(#g)"/>',
    "see-through groups": '<g opacity=".6"><rect x="10" y="10" width="50" height="50" fill="#c02020"/></g>'
    '<circle cx="60" cy="60" r="30" fill="#2020c080"/>',
}
"""Drawings on a field of 100 by 100."""


def rendered(text):
    """The pixels of an independent renderer (resvg), on white."""
    data = resvg_py.svg_to_bytes(svg_string=text, width=PX, background="#ffffff", dpi=96)
    return np.asarray(Image.open(io.BytesIO(bytes(data))).convert("RGB"), dtype=float)


def painted(picture):
    """The pixels of what was read here: each point takes the colours of the regions that hold it, one over the other."""
    step = picture.width / PX
    rows = round(picture.height / step)
    x, y = np.meshgrid((np.arange(PX) + 0.5) * step, picture.height - (np.arange(rows) + 0.5) * step)
    out = np.full((rows, PX, 3), 255.0)
    for region, colour in picture.regions:
        shapely.prepare(region)
        inside = shapely.contains_xy(region, x.ravel(), y.ravel()).reshape(rows, PX)
        alpha = int(colour[7:9] or "ff", 16) / 255
        out[inside] = out[inside] * (1 - alpha) + alpha * np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)])
    return out


class RendererTest(unittest.TestCase):
    def test_what_is_read_is_what_an_independent_renderer_paints(self):
        """Share of pixels that differ clearly. Borders are one pixel of 480 wide; bands of a gradient step by 1/20 of its colours."""
        for name, inside in SET.items():
            text = f'{HEAD}viewBox="0 0 100 100" width="100mm" height="100mm">{inside}</svg>'
            theirs, mine = rendered(text), painted(read_svg(text, name))
            self.assertEqual(theirs.shape, mine.shape)
            differs = np.abs(theirs - mine).max(axis=2) > 40
            with self.subTest(name):
                self.assertLess(differs.mean(), 0.03 if name == "patterns" else 0.012)  # there a tile is repeated as pixels, with blurred borders
                self.assertGreater((theirs < 250).any(axis=2).mean(), 0.03)  # there is something to compare

    def test_a_fault_would_be_seen(self):
        text = f'{HEAD}viewBox="0 0 100 100">{SET["strokes"]}</svg>'
        thin = read_svg(text.replace('stroke-width="10"', 'stroke-width="6"'), "x")
        differs = np.abs(rendered(text) - painted(thin)).max(axis=2) > 40
        self.assertGreater(differs.mean(), 0.02)


class AreaTest(unittest.TestCase):
    def areas(self, inside, head='viewBox="0 0 100 100"'):
        return [r.area for r, _ in read_svg(f"{HEAD}{head}>{inside}</svg>", "x").regions]

    def test_areas_worked_by_hand(self):
        cases = (
            ('<circle cx="50" cy="50" r="30"/>', math.pi * 900),
            ('<ellipse cx="50" cy="50" rx="40" ry="10"/>', math.pi * 400),
            ('<rect x="10" y="10" width="40" height="20" rx="5"/>', 800 - (4 - math.pi) * 25),
            ('<line x1="10" y1="10" x2="60" y2="10" stroke="#000" stroke-width="4" stroke-linecap="round"/>', 200 + math.pi * 4),
            ('<path d="M50 50m-20 0a20 20 0 1 0 40 0a20 20 0 1 0-40 0z"/>', math.pi * 400),
            (
                '<pattern id="p" width="10" height="10" patternUnits="userSpaceOnUse"><rect x="2" width="5" height="5"/></pattern>'
                '<rect width="100" height="100" fill="url(#p)"/>',
                2500.0,
            ),
            (
                '<pattern id="p" x=".25" width="1" height="1"><rect width="12" height="4"/></pattern>'
                '<rect x="20" y="30" width="40" height="40" fill="url(#p)"/>',
                48.0,
            ),
            ('<rect width="20" height="20" transform="translate(35 25) rotate(20) scale(2 .5) skewY(12)"/>', 400),
        )
        for text, wanted in cases:
            with self.subTest(text):
                self.assertAlmostEqual(sum(self.areas(text)), wanted, delta=0.005 * wanted)  # arcs are chords, 1/2000 of the picture off

    def test_a_picture_of_nothing_but_specks_is_outlined_by_where_they_lie(self):
        spots = "".join(f'<circle cx="{40 + 2 * (k % 10)}" cy="{30 + 2 * (k // 10)}" r=".2"/>' for k in range(100))
        (ring,) = read_svg(f'{HEAD}viewBox="0 0 100 100">{spots}</svg>', "x").outline_rings
        np.testing.assert_allclose([*np.min(ring, axis=0), *np.max(ring, axis=0)], [0.398, 0.518, 0.582, 0.702], atol=0.001)

    def test_a_picture_of_very_many_pieces_has_an_outline_that_an_item_can_keep(self):
        for apart, wide in ((4, 60.0), (2.2, 33.0)):
            spots = "".join(f'<circle cx="{apart * (k % 16) + 1}" cy="{apart * (k // 16) + 1}" r="1"/>' for k in range(256))
            picture = read_svg(f'{HEAD}viewBox="0 0 100 100">{spots}</svg>', "x")
            item = import_picture("a1", "x.svg", picture, on="card.front", kind="shape")  # an item refuses more than it can keep
            points = np.vstack([np.array(r) for r in item.outline]) * 100
            with self.subTest(apart):
                self.assertAlmostEqual(points[:, 0].max(), wide + 2, delta=1.5)
                outline = shapely.union_all([shapely.make_valid(shapely.Polygon(np.array(r) * 100)) for r in item.outline])
                self.assertLess(shapely.difference(picture.painted, outline.buffer(0.5)).area, 8.0)

    def test_lengths_have_units(self):
        """96 pixels to the inch (CSS Values and Units Module Level 3)."""
        for unit, size in (("mm", 96 / 25.4), ("cm", 960 / 25.4), ("in", 96), ("pt", 96 / 72), ("px", 1), ("", 1)):
            picture = read_svg(f'{HEAD}viewBox="0 0 2 1" width="40{unit}" height="20{unit}"><rect width="1" height="1"/></svg>', "x")
            self.assertAlmostEqual(picture.width, 40 * size)
            self.assertAlmostEqual(picture.regions[0][0].area, (20 * size) ** 2, delta=1e-6 * (20 * size) ** 2)

    def test_transforms_are_read_as_matrices(self):
        np.testing.assert_allclose(matrix_of("rotate(90 10 0)") @ [10, 5, 1], [5, 0, 1], atol=1e-12)
        np.testing.assert_allclose(matrix_of("matrix(1 2 3 4 5 6)") @ [1, 1, 1], [9, 12, 1])
        with self.assertRaises(ValueError):
            matrix_of("scale(1e400)")


class ToldTest(unittest.TestCase):
    def test_what_cannot_be_shown_is_told_item_by_item(self):
        inside = (
            '<image href="x.png"/><image href="y.png"/><use href="other.svg#a"/><rect filter="url(#f)" width="5" height="5"/><foreignObject/>'
            '<rect width="5" height="5" fill="url(#p)"/><path d="M0 0H9" stroke="#000" stroke-dasharray=".002"/>'
            '<text x="1" y="9">Hi</text>'
        )
        told = "; ".join(read_svg(f'{HEAD}viewBox="0 0 10 10">{inside}</svg>', "x").told)
        within = '<pattern id="p" width="5" height="5" patternUnits="userSpaceOnUse"><rect width="9" height="9" fill="url(#p)"/></pattern>'
        self.assertIn("pattern", read_svg(f'{HEAD}viewBox="0 0 10 10">{within}<rect width="9" height="9" fill="url(#p)"/></svg>', "x").told[0])
        for words in ("photograph", "2 times", "outside the file", "filter", "foreignObject", "missing paint", "dashes", "letters"):
            self.assertIn(words, told)

    def test_text_is_set_at_its_place(self):
        picture = read_svg(
            f'{HEAD}viewBox="0 0 100 100"><text x="50" y="60" font-size="20" text-anchor="middle" fill="#123456">HOH</text></svg>', "x"
        )
        left, bottom, right, top = shapely.union_all([r for r, _ in picture.regions]).bounds
        self.assertAlmostEqual((left + right) / 2, 50, delta=0.6)
        self.assertAlmostEqual(bottom, 40, delta=0.4)  # the O hangs a little under its line
        self.assertTrue(10 < top - bottom < 16)

    def test_pieces_of_a_text_follow_one_another_or_stand_at_their_own_place(self):
        def spots(inside):
            text = f'{HEAD}viewBox="0 0 100 100"><text x="10" y="60" font-size="20">{inside}</text></svg>'
            return sorted(r.bounds[0] for r, _ in read_svg(text, "x").regions)

        whole, pieces = spots("HOH"), spots("H<tspan>O</tspan>H")
        self.assertEqual(len(pieces), 3)
        np.testing.assert_allclose(pieces, whole, atol=0.8)  # kerning apart
        self.assertAlmostEqual(spots('H<tspan x="70">O</tspan>')[1] - spots('H<tspan x="40">O</tspan>')[1], 30.0, places=6)

    def test_hostile_files_give_one_sentence_soon(self):
        bomb = "".join(f'<g id="g{k}">' + f'<use href="#g{k + 1}"/>' * 10 + "</g>" for k in range(8)) + '<g id="g8"><rect width="1" height="1"/></g>'
        cases = {
            "intricate": f'{HEAD}viewBox="0 0 9 9">{bomb}<use href="#g0"/></svg>',
            "intricate ": f'{HEAD}viewBox="0 0 9 9"><g id="a"><use href="#a"/></g></svg>',
            "intricate  ": f'{HEAD}viewBox="0 0 9 9">' + "<rect/>" * 1_000_000 + "</svg>",
            "intricate   ": f'{HEAD}viewBox="0 0 9 9">' + "<g>" * 5000 + "</g>" * 5000 + "</svg>",
            "safe": '<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + f'{HEAD}viewBox="0 0 9 9"><text>&a;</text></svg>',
            "no length": f'{HEAD}viewBox="0 0 9 9"><rect width="1e400" height="1"/></svg>',
            "not an SVG": "<html/>",
            "size is known": f'{HEAD}viewBox="0 0 0 9"/>',
        }
        for words, text in cases.items():
            start = time.process_time()
            with self.subTest(words), self.assertRaisesRegex(FileError, words.strip()):
                read_svg(text, "x.svg")
            self.assertLess(time.process_time() - start, 2.0)


if __name__ == "__main__":
    unittest.main()
