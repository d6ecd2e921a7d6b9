"""Commands that move and judge a design."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from lexipod.builds import accuracy_of, simulate_builds
from lexipod.catalog import Catalog
from lexipod.checks import verdict_of
from lexipod.cli import answers
from lexipod.cli.answers import print_json
from lexipod.design import Design
from lexipod.editing import format_settings
from lexipod.editing.change import change_design
from lexipod.errors import ChoiceError, ParameterError
from lexipod.pipeline import examine, judge, open_design
from lexipod.recipes import find_recipe


def run_motion(options: argparse.Namespace, catalog: Catalog) -> int:
    """Poses over the travel, stops and clearances."""
    if not 2 <= options.steps <= 20001:
        raise ParameterError("--steps", f"{options.steps} is out of range; allowed is 2 to 20001")
    design = open_design(options.file, catalog)
    examination = examine(design, catalog, steps=options.steps)
    ids = [d.mechanism for d in examination.assembly.all_drives]
    if options.mechanism is not None and options.mechanism not in ids:
        raise ChoiceError("mechanism", options.mechanism, ids)
    wanted = [options.mechanism] if options.mechanism else ids
    if options.csv:
        sys.stdout.write(answers.motion_csv(examination, wanted))
    elif len(ids) == 1 or options.mechanism:
        print_json(answers.motion_json(examination, wanted[0]))
    else:
        print_json({"mechanisms": [answers.motion_json(examination, m) for m in wanted], "cross": answers.cross_json(examination)})
    return 0


def run_check(options: argparse.Namespace, catalog: Catalog) -> int:
    """Findings with cures; status 1 when something blocks."""
    design = open_design(options.file, catalog)
    if options.units:
        design = change_design(design, catalog, {"units": options.units})
    design = _pinned(design, options.keep)
    if not 0 <= options.seconds <= 86_400:
        raise ParameterError("--seconds", f"{options.seconds:g} is out of range; allowed is 0 to 86400")
    _, findings = judge(design, catalog, seconds=options.seconds or None)
    if options.json:
        print_json(answers.check_json(findings))
    else:
        words = {"free": "free to move", "tight": "it moves, with something to watch", "blocked": "something blocks"}
        print(f"{design.title}: {words[verdict_of(findings)]}")
        for finding in findings:
            print(f"  {finding.severity}: {finding.title}. {finding.message}")
            if finding.limit:
                print(f"      {finding.limit}")
            for remedy in finding.remedies:
                owner = f"--mechanism {remedy.mechanism} " if remedy.mechanism and len(design.mechanisms) > 1 else ""
                print(f"      {remedy.label}  [{owner}{format_settings(remedy.set)}]")
        if any(f.cut_short for f in findings):
            print(f"  (cures were looked for during {options.seconds:g} s only; --seconds 0 takes as long as it takes)")
    return 1 if verdict_of(findings) == "blocked" else 0


def _pinned(design: Design, names: Sequence[str]) -> Design:
    """The design with more pinned: ``travel`` of every mechanism that has one, or ``m2.travel`` of one."""
    for name in names:
        owner, dot, own = name.partition(".")
        mine = [(m, own if dot and m.id == owner else name) for m in design.mechanisms if not dot or m.id == owner]
        mine = [(m, n) for m, n in mine if n in m.parameters]
        if not mine:
            raise ChoiceError("measure", name, sorted({n for m in design.mechanisms for n in m.parameters}))
        for mechanism, measure in mine:
            design = design.with_pinned(mechanism.id, measure, on=True)
    return design


def _unit(recipe: str, name: str) -> str:
    return "deg" if find_recipe(recipe).find_parameter(name.partition(".")[0]).kind == "angle" else "mm"


def run_yield(options: argparse.Namespace, catalog: Catalog) -> int:
    """Share of builds that run free."""
    if not 1 <= options.builds <= 200_000:
        raise ParameterError("--builds", f"{options.builds} is out of range; allowed is 1 to 200000")
    if not 0 <= options.whole <= 200_000:
        raise ParameterError("--whole", f"{options.whole} is out of range; allowed is 0 to 200000")
    if not 0 <= options.seed < 2**63:
        raise ParameterError("--seed", f"{options.seed} is out of range; it must not be negative")
    design = open_design(options.file, catalog)
    told = simulate_builds(design, catalog, builds=options.builds, seed=options.seed, whole=options.whole, tell=options.progress.tell)
    assert told is not None
    if options.json:
        print_json(answers.yield_json(told))
        return 0
    low, high = told.interval95
    print(f"{design.title}: of {told.builds} builds {100 * told.free:.1f} % run free (95 %: {100 * low:.1f} to {100 * high:.1f} %)")
    print(f"  errors of {accuracy_of(design.ways).reason}")
    if told.refused:
        print(f"  builds that cannot be put together count as not free: {', '.join(told.refused)}")
    for spoiler in told.spoilers:
        print(f"  {100 * spoiler.share:.0f} % of the others are spoiled by {spoiler.dimension}")
    for suggestion in told.suggested:
        mechanism = design.find_mechanism(suggestion.mechanism)
        assert mechanism is not None
        changes = " ".join(f"{n}={value:g}{_unit(mechanism.recipe, n)}" for n, value in suggestion.set.items())
        print(f"  {100 * suggestion.target:.0f} % with {changes}  [lexipod set --mechanism {suggestion.mechanism}]")
    return 0
