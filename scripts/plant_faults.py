"""Plants small faults in the program, one at a time, and tells which of them the tests notice.

``plant_faults.py [SEED] [EACH] [PACKAGE …]`` takes about EACH faults of every package (8 unless told), made in functions that are drawn by
lot, runs the tests that concern the package in a copy of the project and prints every fault that nobody noticed and a table.
``plant_faults.py again LOG`` plants once more those that a run printed as not noticed. ``KNOWN`` says of those that were looked at why
they change nothing that could be noticed. It takes more than an hour on two processors.
"""

from __future__ import annotations

import ast
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parents[1]
PROGRAM = ROOT / "src" / "lexipod"
SECONDS = 420
"""After this a run counts as stuck, which is noticed too."""

CONCERNED = {
    "mechanics": "mechanics.test_formulas motion.test_closed_forms motion.test_outside motion.test_folds checks.test_forces checks.test_post",
    "geometry": "geometry.test_geometry geometry.test_space checks.test_cover drawing.test_card_drawing fabricate.test_outputs"
    " motion.test_nearness motion.test_folds",
    "units": "units.test_lengths cli.test_commands recipes.test_change fabricate.test_outputs test_running",
    "catalog": "catalog.test_punches catalog.test_catalog editing.test_settings cli.test_commands cli.test_hostile test_fitting"
    " recipes.test_common_ground test_closures",
    "design": "design.test_files editing.test_settings cli.test_commands cli.test_hostile recipes.test_change test_last_mile app.test_state",
    "motion": "motion.test_closed_forms motion.test_march motion.test_system motion.test_clearance motion.test_nearness motion.test_folds"
    " motion.test_outside test_last_mile checks.test_against_brute_force",
    "assembly": "assembly.test_assembly editing.test_settings recipes.test_details assembly.test_parts_and_cues motion.test_system"
    " checks.test_heights recipes.test_sheets fabricate.test_outputs checks.test_findings",
    "building": "editing.test_settings recipes.test_common_ground recipes.test_items recipes.test_sheets checks.test_zones"
    " recipes.test_every_choice test_closures cli.test_commands test_last_mile",
    "editing": "editing.test_item_texts fabricate.test_papers editing.test_settings recipes.test_change recipes.test_items"
    " recipes.test_every_choice cli.test_commands cli.test_hostile"
    " test_converting app.test_drag",
    "recipes": "recipes.test_strip_slider recipes.test_common_ground recipes.test_sheets recipes.test_every_choice recipes.test_details"
    " recipes.test_fold_forms recipes.test_all_folds test_last_mile recipes.test_all_flat",
    "checks": "pictures.test_seen checks.test_picture_cures checks.test_findings checks.test_forces checks.test_cover checks.test_heights"
    " checks.test_post checks.test_zones"
    " checks.test_catching checks.test_catch_moments checks.test_boundaries test_last_mile recipes.test_details"
    " checks.test_against_cells checks.test_flat_faults checks.test_fold_faults",
    "ribbon": "checks.test_picture_cures checks.test_ribbon recipes.test_details app.test_fold_window",
    "cures": "checks.test_picture_cures checks.test_cure_search recipes.test_every_choice test_last_mile checks.test_cures",
    "blanks": "blanks.test_layout blanks.test_list fabricate.test_templates fabricate.test_outputs",
    "closing": "test_closures checks.test_post recipes.test_sheets fabricate.test_outputs",
    "builds": "test_builds test_fit_designs",
    "fitting": "fabricate.test_papers catalog.test_punches pictures.test_seen test_fitting test_converting test_last_mile test_fit_designs",
    "fabricate": "fabricate.test_papers fabricate.test_guides fabricate.test_outputs fabricate.test_templates blanks.test_list"
    " fabricate.test_readers recipes.test_all_folds test_last_mile"
    " test_closures recipes.test_sheets cli.test_commands",
    "drawing": "drawing.test_contrast drawing.test_art drawing.test_card_drawing drawing.test_edge_and_order drawing.test_folds"
    " fabricate.test_readers"
    " test_last_mile fabricate.test_outputs fabricate.test_templates",
    "pictures": "pictures.test_svg pictures.test_letters_and_pixels drawing.test_art fabricate.test_papers pictures.test_splitting"
    " pictures.test_seen",
    "aside": "app.test_jobs checks.test_ribbon app.test_work_and_seams app.test_window",
    "cli": "cli.test_commands cli.test_fold_commands cli.test_hostile test_running test_fit_designs",
    "app": "app.test_pictures_window app.test_state app.test_drag app.test_jobs app.test_work_and_seams app.test_flat_window app.test_fold_window"
    " app.test_fit_window app.test_window",
}
"""Which tests concern a package, those that are soonest done first."""

SHARES = {"recipes": 3, "checks": 2, "motion": 1.5, "app": 1.5}
"""How much more than the others the large packages get."""
SWAPPED_WORDS = (
    ("left", "right"), ("up", "down"), ("width", "height"), ("front", "back"), ("mountain", "valley"), ("rest", "end"), ("warn", "note"),
    ("block", "warn"), ("over", "under"), ("least", "most"), ("low", "high"), ("cut", "score"), ("top", "bottom"), ("inside", "outside"),
)  # fmt: skip
SWAPPED_NAMES = (
    ("min", "max"),
    ("minimum", "maximum"),
    ("any", "all"),
    ("sin", "cos"),
    ("floor", "ceil"),
    ("argmin", "argmax"),
    ("intersection", "union"),
)
COMPARED = {
    ast.Lt: ">=",
    ast.LtE: ">",
    ast.Gt: "<=",
    ast.GtE: "<",
    ast.Eq: "!=",
    ast.NotEq: "==",
    ast.In: "not in",
    ast.NotIn: "in",
    ast.Is: "is not",
    ast.IsNot: "is",
}
RECKONED = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*"}


@dataclass(frozen=True, slots=True)
class Fault:
    """One stretch of a file and what is put in its place."""

    package: str
    file: str
    line: int
    start: int
    end: int
    old: str
    new: str
    within: str

    @property
    def words(self) -> str:
        """Where and what, in one line."""
        return f"{self.file}:{self.line} {self.change}"

    @property
    def change(self) -> str:
        """What, without the line, which moves as a file grows."""
        return f"{self.within}: {' '.join(self.old.split())[:70]} -> {' '.join(self.new.split())[:70]}"

    @property
    def key(self) -> str:
        """The file and what is changed in it."""
        return f"{Path(self.file).name} {self.change}"


class _Source:
    """A file with the places of its syntax tree as offsets."""

    def __init__(self, path: Path) -> None:
        self.text = path.read_text(encoding="utf-8")
        self.starts = [0]
        for line in self.text.splitlines(keepends=True):
            self.starts.append(self.starts[-1] + len(line))

    def at(self, node: ast.expr | ast.stmt) -> tuple[int, int]:
        """Beginning and end of a node; the files are ASCII but for words, whose columns count bytes."""
        return self._offset(node.lineno, node.col_offset), self._offset(node.end_lineno or 0, node.end_col_offset or 0)

    def _offset(self, line: int, column: int) -> int:
        start, end = self.starts[line - 1], self.starts[line]
        return start + len(self.text[start:end].encode()[:column].decode())

    def words(self, node: ast.expr | ast.stmt) -> str:
        start, end = self.at(node)
        return self.text[start:end]


def _changes(node: ast.AST, source: _Source) -> Iterator[tuple[ast.expr | ast.stmt, str]]:
    """What could be put in the place of a node."""
    words = source.words
    if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARED:
        yield node, f"({words(node.left)} {COMPARED[type(node.ops[0])]} {words(node.comparators[0])})"
    elif isinstance(node, ast.BinOp) and type(node.op) in RECKONED and not _is_text(node):
        yield node, f"({words(node.left)} {RECKONED[type(node.op)]} {words(node.right)})"
    elif isinstance(node, ast.BoolOp):
        yield node, "(" + (" or " if isinstance(node.op, ast.And) else " and ").join(f"({words(v)})" for v in node.values) + ")"
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not | ast.USub):
        yield node, f"({words(node.operand)})"
    elif isinstance(node, ast.IfExp):
        yield node, f"({words(node.orelse)} if {words(node.test)} else {words(node.body)})"
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        yield node, str(not node.value)
    elif isinstance(node, ast.Constant) and isinstance(node.value, float) and node.value:
        yield node, repr(node.value * 1.5)
    elif isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield from ((node, repr(pair[1 - pair.index(node.value)])) for pair in SWAPPED_WORDS if node.value in pair)
    elif isinstance(node, ast.Attribute | ast.Name) and isinstance(node.ctx, ast.Load):
        name = node.attr if isinstance(node, ast.Attribute) else node.id
        for pair in SWAPPED_NAMES:
            if name in pair:
                yield node, words(node).removesuffix(name) + pair[1 - pair.index(name)]
    elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
        yield node, "pass"


def _is_text(node: ast.BinOp) -> bool:
    return any(
        isinstance(side, ast.JoinedStr) or (isinstance(side, ast.Constant) and isinstance(side.value, str)) for side in (node.left, node.right)
    )


def _nodes(function: ast.AST) -> Iterator[ast.AST]:
    """What is in a function, without its words: docstring, notes of types, messages."""
    for child in ast.iter_child_nodes(function):
        if isinstance(child, ast.Raise | ast.JoinedStr | ast.Assert | ast.arguments | ast.FunctionDef):
            continue
        if isinstance(child, ast.AnnAssign):
            if child.value is not None:
                yield from _nodes(child)
            continue
        yield child
        yield from _nodes(child)


def _changes_of(package: str) -> Iterator[tuple[str, list[Fault]]]:
    """All that could be planted in each function of a package, by the function's name."""
    for path in sorted((PROGRAM / package).rglob("*.py")):
        source, name = _Source(path), str(path.relative_to(ROOT))
        for function in (f for f in ast.walk(ast.parse(source.text)) if isinstance(f, ast.FunctionDef)):
            changes = [change for part in function.body for node in (part, *_nodes(part)) for change in _changes(node, source)]
            if package == "app":  # where exactly something is painted is for the eye
                changes = [c for c in changes if not (isinstance(c[0], ast.Constant) and isinstance(c[0].value, float))]
            if function.name not in ("__repr__", "sizeHint"):
                spans = [(node, new, *source.at(node)) for node, new in changes]
                made = [Fault(package, name, node.lineno, a, b, source.text[a:b], new, function.name) for node, new, a, b in spans]
                yield function.name, made


def faults_of(package: str, each: int, dice: random.Random) -> list[Fault]:
    """Faults in as many functions of a package, no two in one."""
    functions = [made for _, made in _changes_of(package) if made]
    dice.shuffle(functions)
    return [dice.choice(made) for made in functions[:each]]


def faults_again(log: str) -> list[Fault]:
    """The faults that a log says nobody noticed, as far as the program still has the place."""
    wanted = set(re.findall(r"^not noticed: \S+/(\S+\.py):\d+ (.*?)(?:   \(.*\))?$", log, re.MULTILINE))
    keys = {f"{file} {change}" for file, change in wanted}
    found: dict[str, Fault] = {}
    for package in CONCERNED:
        for _, made in _changes_of(package):
            for fault in made:
                if fault.key in keys:
                    found.setdefault(fault.key, fault)
    for key in sorted(keys - set(found)):
        print(f"gone: {key}")
    return list(found.values())


KNOWN: dict[str, str] = {
    "search.py find_remedies: True -> False": "one that only examines is never asked whether it goes on",
    "fold_placing.py mirror_folding: folding.ground_pose * _ACROSS[:, None] -> (folding.ground_pose / _ACROSS[:, None])": "it is plus or minus 1",
    "fold_placing.py region: xy * flat -> (xy / flat)": "it is plus or minus 1",
    "items.py _levels: 1e-6 -> 1.5e-06": "a tolerance far below any measure",
    "examination.py cover_margin: 1e-6 -> 1.5e-06": "a tolerance far below any measure",
    "clearance.py at: 1e-9 -> 1.5000000000000002e-09": "a tolerance far below any measure",
    "card.py build_as_cut: False -> True": "builds of the tests stay within their limits but for a hair; the share is the same",
    "files.py _sync_folder: os.fsync(handle) -> pass": "only a power cut would show it",
    "laying.py _closed: 1.0 -> 1.5": "half a step more converges as well, to the same place",
    "system.py branch: True -> False": "both lists are equally long by construction",
    "march.py _solve: matrix + 1e-9 * np.eye(matrix.shape[-1]) -> (matrix - 1e-9 * np.eye(matrix.shape[-1]))": "a nudge off the singular",
    "system.py _see: pose_a[..., 2] - pose_b[..., 2] -> (pose_a[..., 2] + pose_b[..., 2])": "no drive turns between two parts that both move",
    'templates.py _clip: piece.geom_type == "LineString" and piece.length > 1e-6 -> ((piece.geom_type == "LineString") or (piece.length > 1e-6))': (
        "what is left of a line is lines and points, and a point has no length"
    ),
}
"""Faults that nobody can notice, or that need not be: the file and what is changed in it, and why."""


def _fails(package: str, folder: Path) -> bool:
    """Whether the tests that concern a package fail in the copy of the project."""
    environment = {"QT_QPA_PLATFORM": "offscreen", "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
    environment["PYTHONPATH"] = os.pathsep.join((str(folder / "src"), str(folder)))
    tests = [f"tests.{name}" for name in CONCERNED[package].split()]
    tests = [name for name in tests if (folder / (name.replace(".", "/") + ".py")).exists()]
    command = [sys.executable, "-m", "unittest", "-f", *tests]
    try:
        told = subprocess.run(command, cwd=folder, capture_output=True, env={**os.environ, **environment}, timeout=SECONDS, check=False)
        return told.returncode != 0
    except subprocess.TimeoutExpired:
        return True


def _notices(fault: Fault, folder: Path) -> bool:
    """Whether the tests notice it."""
    path = folder / fault.file
    sound = path.read_text(encoding="utf-8")
    path.write_text(sound[: fault.start] + fault.new + sound[fault.end :], encoding="utf-8")
    try:
        return _fails(fault.package, folder)
    finally:
        path.write_text(sound, encoding="utf-8")


def main(arguments: list[str]) -> int:
    """Plants, tells, and prints the table."""
    numbers = [int(a) for a in arguments if a.isdigit()]
    seed, each = (*numbers, *(1, 8)[len(numbers) :])[:2]
    packages = [a for a in arguments if a in CONCERNED] or list(CONCERNED)
    dice = random.Random(seed)
    if arguments[:1] == ["again"]:
        faults = faults_again(Path(arguments[1]).read_text(encoding="utf-8"))
        packages = list(dict.fromkeys(f.package for f in faults))
    else:
        faults = [fault for package in packages for fault in faults_of(package, round(each * SHARES.get(package, 1)), dice)]
    planted, noticed, explained = Counter[str](), Counter[str](), Counter[str]()
    workers = max(2, os.cpu_count() or 2)
    with tempfile.TemporaryDirectory() as holder, ThreadPoolExecutor(workers) as pool:
        folders: Queue[Path] = Queue()
        for k in range(workers):
            folder = Path(holder) / str(k)
            shutil.copytree(ROOT, folder, ignore=shutil.ignore_patterns(".git", ".venv", "__pycache__", "docs"))
            shutil.copytree(ROOT / "docs", folder / "docs")
            folders.put(folder)

        def is_sound(package: str) -> bool:
            folder = folders.get()
            try:
                return not _fails(package, folder)
            finally:
                folders.put(folder)

        unsound = [p for p, sound in zip(packages, pool.map(is_sound, packages), strict=True) if not sound]
        if unsound:  # then a failure would tell nothing
            print(f"left out, for their tests fail or take too long without any fault: {', '.join(unsound)}", flush=True)
            faults = [f for f in faults if f.package not in unsound]

        def try_one(fault: Fault) -> bool:
            folder = folders.get()
            try:
                return _notices(fault, folder)
            finally:
                folders.put(folder)

        for fault, seen in zip(faults, pool.map(try_one, faults), strict=True):
            planted[fault.package] += 1
            noticed[fault.package] += seen
            explained[fault.package] += not seen and fault.key in KNOWN
            if not seen:
                print(f"not noticed: {fault.words}" + (f"   ({KNOWN[fault.key]})" if fault.key in KNOWN else ""), flush=True)
    print(f"\nseed {seed}\n{'package':12}{'planted':>9}{'noticed':>9}{'explained':>11}{'share':>8}")
    for package in packages:
        rest = planted[package] - explained[package]
        print(f"{package:12}{planted[package]:9}{noticed[package]:9}{explained[package]:11}{noticed[package] / max(rest, 1):8.0%}")
    print(json.dumps({"seed": seed, "planted": planted.total(), "noticed": noticed.total(), "explained": explained.total()}))
    return 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
