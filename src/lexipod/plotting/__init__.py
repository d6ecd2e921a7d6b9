"""What a plotter does along the lines of a sheet: which first, how the knife gets round corners, in which words it is told.

run
    One line that is drawn without lifting: a score or a cut.
order
    Scores first, what lies inside before what lies round it, and short ways between, with the tool lifted.
trail / overcut
    A knife's tip trails behind its axis, so the axis leads it round corners; a closed cut runs on a little past its start.
program
    The runs of one sheet as commands (HPGL), one text a run, so that each can be confirmed.
"""

from lexipod.plotting.blade import lead_round
from lexipod.plotting.hpgl import Program, Step, make_program, write_hpgl
from lexipod.plotting.order import lifted_mm, order_runs
from lexipod.plotting.runs import Run, runs_of
from lexipod.plotting.sender import Sender, SendError

__all__ = ["Program", "Run", "SendError", "Sender", "Step", "lead_round", "lifted_mm", "make_program", "order_runs", "runs_of", "write_hpgl"]
