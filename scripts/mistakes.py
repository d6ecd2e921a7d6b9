"""Makes deliberate mistakes in the real window and takes the cures that it offers; prints what was found and what cured it.

``mistakes.py [NAME …]``: each mistake is made as a maker would make it (a measure, an item put on, another card), the findings are
awaited, and the first cure of each blocking or warning finding of the expected rules is applied until that finding is gone. Offscreen.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from PySide6.QtCore import QEventLoop, QSettings
from PySide6.QtWidgets import QApplication

from lexipod.app.frame.start import make_application
from lexipod.app.frame.window import MainWindow
from lexipod.app.state.session import Session
from lexipod.catalog import load_catalog
from lexipod.design import Card, Ways
from lexipod.editing.change import change_design, new_design

MOST_CURES = 5


@dataclass(frozen=True)
class Mistake:
    """What is done wrong on a sound card of a recipe, and the rules that should find it."""

    name: str
    recipe: str
    changes: dict[str, str]
    rules: tuple[str, ...]
    given: tuple[tuple[str, str], ...] = ()
    card: str = "na.a2"


MISTAKES = (
    Mistake("pull tab too short at the far end", "pivot-arm", {"protrusion": "-14mm"}, ("reach", "finger-room"), (("drive_joint", "swinging-pull"),)),
    Mistake("pull too long and thin to push back", "strip-slider", {"strip_plies": "1", "travel": "75mm"}, ("buckling", "travel")),
    Mistake("long limp tab", "iris", {"tab_plies": "1", "tab_length": "34mm"}, ("bending", "outline")),
    Mistake("one layer of foam too thin", "pivot-arm", {"foam": "foam-2", "foam_layers": "1"}, ("height",)),
    Mistake("foam too thin under a dial", "dial-riders", {"foam": "foam-2", "foam_layers": "1"}, ("height",)),
    Mistake("foam too thin under an iris", "iris", {"foam": "foam-2", "foam_layers": "1"}, ("height",)),
    Mistake("foam doubled to be safe", "pivot-arm", {"foam_layers": "2"}, ("spare-foam",)),
    Mistake("foam pad in the way of the strip", "strip-slider", {"item.p1": "pad on card.panel front 10x10mm at 20x-20mm"}, ("clearance", "travel")),
    Mistake(
        "decoration in the path of the picture",
        "strip-slider",
        {"item.d1": "decoration on card.frame front 14x12mm at 30x5mm layers 2"},
        ("clearance", "travel", "height"),
    ),
    Mistake(
        "decoration stands out of the closed card",
        "track-rider",
        {"item.d1": "decoration on m1.figure front 60x60mm at 10x0mm layers 0"},
        ("outline",),
    ),
    Mistake(
        "decoration too thick under the frame",
        "window-wheel",
        {"item.d1": "decoration on m1.wheel front round 14mm at 20x0mm layers 2"},
        ("height", "clearance", "travel"),
    ),
    Mistake("picture comes back under the frame's edge", "pivot-arm", {"arm_length": "106mm", "picture": "20mm"}, ("catch",)),
    Mistake("wide halves curl and catch", "dial-riders", {"picture_width": "76mm", "lap": "6mm"}, ("catch", "outline", "cue", "envelope")),
    Mistake("window does not line up: wider than its sector", "window-wheel", {"window_width": "40mm"}, ("land", "slot-hidden")),
    Mistake("wheel too small to be reached", "window-wheel", {"wheel_radius": "40mm"}, ("reach", "slot-hidden")),
    Mistake("brad too tight in its hole", "window-wheel", {"hole": "2.9mm"}, ("clearance",)),
    Mistake("hole too loose: it wobbles", "pinwheel", {"hole": "6.4mm"}, ("wobble",)),
    Mistake("slot shows beside what should hide it", "strip-slider", {"backing_lap": "-0mm", "slot_height": "22mm"}, ("slot-hidden", "held")),
    Mistake("strip slips out of its slot", "strip-slider", {"strip_height": "15mm"}, ("held",)),
    Mistake("rails too close: it binds", "strip-slider", {"rail_gap": "27.2mm"}, ("clearance",)),
    Mistake("pulled off its middle: it jams", "strip-slider", {"pull_offset": "60mm"}, ("jam",)),
    Mistake("surprise shows at rest", "strip-slider", {"reveal_shift": "40mm"}, ("reveal-rest", "reveal-end")),
    Mistake("surprise is not uncovered", "louvre", {"travel": "6mm"}, ("reveal-end",)),
    Mistake("tab stands out: not in the envelope", "strip-slider", {"protrusion": "30mm"}, ("envelope",)),
    Mistake("pad runs into the slot's end", "strip-slider", {"travel": "50mm"}, ("travel",)),
    Mistake("slats jump out of their slits", "louvre", {"behind_left": "6mm"}, ("slot-hidden", "travel")),
    Mistake("tab meets the connectors", "iris", {"connector_width": "40mm", "tab_width": "30mm"}, ("travel",)),
    Mistake("opening larger than the blades cover", "iris", {"opening_diameter": "56mm"}, ("reveal-rest",)),
    Mistake("links too short: dead point", "dial-riders", {"link": "15.5mm"}, ("push",)),
    Mistake("pull too close to the pivot", "pivot-arm", {"offset": "12mm"}, ("push",)),
    Mistake("spinner's hand leaves the card", "spinner", {"leaf_length": "60mm"}, ("outline",)),
    Mistake("disc comes through its track", "track-rider", {"disc": "9mm"}, ("held",)),
    Mistake("thick card in a tight envelope", "dial-riders", {"foam": "foam-3", "foam_layers": "2"}, ("envelope",)),
    Mistake("cue lost under the picture", "dial-riders", {"picture_width": "90mm"}, ("cue", "envelope")),
)


class Bench:
    """The window, and the patience to wait for its checks."""

    def __init__(self) -> None:
        self.app = make_application()
        self.folder = tempfile.TemporaryDirectory()
        self.catalog = load_catalog()
        self.session = Session(self.catalog)
        path = Path(self.folder.name)
        self.window = MainWindow(self.session, QSettings(str(path / "w.ini"), QSettings.Format.IniFormat), recovery=path / "unsaved")
        self.window.resize(1280, 800)
        self.window.show()
        self.window.view.go_to("fit")

    def findings(self):
        """The findings with their cures for the design of now."""
        end = time.monotonic() + 120
        while time.monotonic() < end:
            QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 50)
            judgement = self.window.desk.judgement
            if judgement is not None and judgement.revision == self.session.revision and judgement.stage == "cured":
                return judgement.findings
        return ()

    def make(self, mistake: Mistake) -> tuple[str, str, bool]:
        """What was found, what cured it, and whether it is gone."""
        sound = new_design(mistake.recipe, self.catalog, card=Card(size=mistake.card), ways=Ways(units="mm"), given=dict(mistake.given))
        self.session.start(sound)
        before = {(f.key, f.severity) for f in self.findings()}
        self.session.edit(change_design(sound, self.catalog, mistake.changes), text=mistake.name)
        mine = [f for f in self.findings() if f.rule in mistake.rules and (f.key, f.severity) not in before]
        if not mine:
            return "not found", "", False
        told, cures, first = f"{mine[0].title}. {mine[0].message}", [], mine[0].key
        for _ in range(MOST_CURES):
            same = next((f for f in self.findings() if f.key == first), None)
            if same is None:
                return told, "; ".join(cures), True
            offered = same.remedies or tuple(r for f in self.findings() if f.rule in mistake.rules for r in f.remedies)
            if not offered:
                return told, "; ".join(cures) or "nothing offered", False
            self.window.doing.apply_remedy(offered[0])
            cures.append(offered[0].label)
        return told, "; ".join(cures), not any(f.key == first for f in self.findings())


def main(names: list[str]) -> int:
    """Prints a row a mistake; status 1 when one was not found or not cured."""
    bench, bad = Bench(), 0
    for k, mistake in enumerate(m for m in MISTAKES if not names or any(n in m.name for n in names)):
        told, cure, is_gone = bench.make(mistake)
        bad += not is_gone
        print(f"{k + 1:2d} {'cured ' if is_gone else 'OPEN  '} {mistake.recipe}: {mistake.name}\n      {told}\n      → {cure}", flush=True)
    print(f"{bad} of them not found or not cured")
    bench.session.history.mark_saved()
    bench.window.close()
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
