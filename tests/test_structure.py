"""The layers, and what the documents promise about the code."""

import ast
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "lexipod"
PLOTTER = ROOT / "src" / "lexipod_plotter"

LAYERS = (
    "errors",
    "units",
    "geometry",
    "nesting",
    "catalog",
    "mechanics",
    "design",
    "assembly",
    "pictures",
    "recipes",
    "building",
    "editing",
    "motion",
    "closing",
    "blanks",
    "drawing",
    "plotting",
    "checks",
    "ribbon",
    "cures",
    "builds",
    "fabricate",
    "fitting",
    "planning",
    "records",
    "pipeline",
    "aside",
    "demo",
    "cli",
    "app",
    "__main__",
)
"""From the bottom to the top: a package imports from its own layer or from one below."""

STANDS_ALONE = {"__init__", "assets"}


def imported_layers(path, package="lexipod"):
    """Layers of this program that a file imports, inside functions too."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        names = []
        if isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module:
            names = [f"{node.module}.{alias.name}" for alias in node.names] if node.module == package else [node.module]
        found |= {name.split(".")[1] for name in names if name.startswith(f"{package}.")}
    return found


def breaches(folder):
    """Imports from a layer above, and Qt below the application."""
    out = []
    for path in sorted(folder.rglob("*.py")):
        relative = path.relative_to(folder)
        layer = relative.parts[0].removesuffix(".py")
        if layer in STANDS_ALONE:
            continue
        for other in imported_layers(path) - STANDS_ALONE - {"__version__"}:
            if LAYERS.index(other) > LAYERS.index(layer) and not (layer == "cli" and other == "app"):
                out.append(f"{relative} imports {other}")
        if layer != "app" and re.search(r"^\s*(from|import) PySide6", path.read_text(encoding="utf-8"), re.MULTILINE):
            out.append(f"{relative} imports Qt")
    return out


class LayerTest(unittest.TestCase):
    def test_nothing_imports_from_a_layer_above_its_own(self):
        self.assertEqual(breaches(SOURCE), [])

    def test_the_plotter_has_its_window_in_its_own_application_layer(self):
        qt = [p for p in PLOTTER.rglob("*.py") if "PySide6" in p.read_text(encoding="utf-8")]
        self.assertEqual({p.parent.name for p in qt}, {"app"})

    def test_the_guard_sees_a_planted_breach(self):
        with tempfile.TemporaryDirectory() as folder:
            for name, text in (
                ("units", "def f():\n    from lexipod.checks import Finding\n"),
                ("motion", "import PySide6.QtCore\n"),
                ("design", "import lexipod.app.window\n"),
                ("checks", "from lexipod.motion import Track\n"),
            ):
                Path(folder, name).mkdir()
                Path(folder, name, "x.py").write_text(text, encoding="utf-8")
            self.assertEqual(breaches(Path(folder)), ["design/x.py imports app", "motion/x.py imports Qt", "units/x.py imports checks"])

    def test_importing_the_whole_core_loads_no_qt(self):
        modules = [
            ".".join((package.name, *p.relative_to(package).with_suffix("").parts))
            for package in (SOURCE, PLOTTER)
            for p in package.rglob("*.py")
            if p.relative_to(package).parts[0] not in ("app", "__main__.py", "__init__.py")
        ]
        self.assertIn("lexipod_plotter.serve", modules)
        code = f"import importlib, sys\nfor m in {modules!r}: importlib.import_module(m)\nassert not [m for m in sys.modules if 'PySide6' in m]"
        subprocess.run([sys.executable, "-c", code], check=True)

    def test_solver_checks_and_outputs_name_no_recipe(self):
        recipes = [p.stem for kind in ("flat", "folding") for p in (SOURCE / "recipes" / kind).glob("*.py") if p.stem != "__init__"]
        self.assertGreater(len(recipes), 10)
        for layer in ("motion", "closing", "checks", "ribbon", "cures", "drawing", "fabricate", "assembly", "building"):
            for path in (SOURCE / layer).rglob("*.py"):
                text = path.read_text(encoding="utf-8")
                for recipe in recipes:
                    self.assertNotIn(recipe, text, path)
                    self.assertNotIn(recipe.replace("_", "-"), text, path)


APP_LAYERS = ("look", "state", "jobs", "card", "sheets", "making", "panels", "log", "frame")
"""Within the application, from the bottom to the top."""


class AppLayerTest(unittest.TestCase):
    def test_nothing_in_the_application_imports_from_a_layer_above_its_own(self):
        out = []
        for path in sorted((SOURCE / "app").rglob("*.py")):
            layer = path.relative_to(SOURCE / "app").parts[0].removesuffix(".py")
            for name in re.findall(r"^\s*(?:from|import) lexipod\.app\.(\w+)", path.read_text(encoding="utf-8"), re.MULTILINE):
                if layer != "__init__" and APP_LAYERS.index(name) > APP_LAYERS.index(layer):
                    out.append(f"{path.name} imports {name}")
        self.assertEqual(out, [])

    def test_a_recipe_imports_nothing_but_the_kit_and_what_lies_below(self):
        for kind in ("flat", "folding", "kit"):
            for path in (SOURCE / "recipes" / kind).glob("*.py"):
                for name in re.findall(r"from lexipod\.recipes(\.\w+)?", path.read_text(encoding="utf-8")):
                    self.assertEqual(name, ".kit", path)

    def test_whoever_adds_is_not_misled_by_long_files(self):
        for path in SOURCE.rglob("*.py"):
            self.assertLess(len(path.read_text(encoding="utf-8").splitlines()), 800, path)


class DocumentTest(unittest.TestCase):
    def test_every_name_in_the_architecture_exists(self):
        text = (ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8")
        self.assertLess(len(text.splitlines()), 100)
        names = re.findall(r"`([a-z_]+(?:/[a-z_]+)*(?:\.py|/))`", text)
        self.assertGreater(len(names), 15)
        for name in names:
            self.assertTrue((SOURCE / name).exists() or (ROOT / name).exists(), name)
        code = "\n".join(p.read_text(encoding="utf-8") for p in SOURCE.rglob("*.py"))
        for name in re.findall(r"`([A-Za-z_]+)(?:\(\))?`", text):
            self.assertRegex(code, rf"\b{re.escape(name)}\b", name)

    def test_every_package_has_a_glossary(self):
        for path in SOURCE.rglob("__init__.py"):
            self.assertTrue(ast.get_docstring(ast.parse(path.read_text(encoding="utf-8"))), path)

    def test_screenshots_are_few_and_linked(self):
        readme = (ROOT / "README.md").read_text(encoding="utf-8")
        pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertTrue(0 < len(pictures) < 20)
        for picture in pictures:
            self.assertIn(f"docs/screenshots/{picture.name}", readme)

    def test_shipped_fonts_have_their_licences(self):
        fonts = SOURCE / "assets" / "fonts"
        for font in fonts.glob("*.ttf"):
            licence = fonts / f"OFL-{font.name.split('_')[0]}.txt"
            self.assertIn("SIL Open Font License", licence.read_text(encoding="utf-8"), font.name)
