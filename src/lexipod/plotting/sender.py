"""Sends a program to a plotter over a socket, each run confirmed, and goes on at the right place after anything went wrong."""

from __future__ import annotations

import contextlib
import math
import re
import socket
import time
from collections.abc import Callable
from typing import Any, Literal

import numpy as np
import shapely

from lexipod.errors import LexipodError
from lexipod.plotting.hpgl import UNITS_PER_MM, Program, Step

CONNECT_S = 4.0
PATIENCE_S = 6.0
"""So long a plotter may be silent beyond what a run should take."""
ASKED_EVERY_S = 0.8
HERE_MM = 0.06
EMPTY, HELD, LEVER = 8, 16, 32
MOST_WAITED_S = 60.0
Unsure = Literal["", "again", "skip"]


class SendError(LexipodError):
    """Why sending ended: ``done`` runs are confirmed, ``kind`` says what happened. Sending goes on from there."""

    def __init__(self, message: str, *, done: int, kind: str) -> None:
        super().__init__(message)
        self.done, self.kind = done, kind

    def __reduce__(self) -> tuple[Any, ...]:
        return _made_again, (str(self), self.done, self.kind)


def _made_again(message: str, done: int, kind: str) -> SendError:
    return SendError(message, done=done, kind=kind)


class Sender:
    """Sends one program to ``host`` and ``port``. ``tell`` takes how many runs are confirmed; ``should_stop`` is asked between runs: sending then
    ends after what is on its way, with a ``SendError`` of kind “stopped”."""

    def __init__(
        self,
        program: Program,
        host: str,
        port: int,
        *,
        tell: Callable[[int], None] = lambda _: None,
        should_stop: Callable[[], bool] = lambda: False,
        patience_s: float = PATIENCE_S,
    ) -> None:
        self.program, self.host, self.port = program, host, port
        self._tell, self._should_stop, self._patience = tell, should_stop, patience_s
        self._socket: socket.socket | None = None
        self._heard = ""
        self._told: list[tuple[int, ...]] = []
        self._is_down = False
        self._credit = 0
        """So many bytes the plotter is known to have room for."""
        self.done = 0

    def send(self, start: int | None = None, *, unsure: Unsure = "") -> int:
        """Sends the runs from the beginning, or goes on after ``start`` runs that were confirmed (which may be none of a sheet that was begun);
        how many are confirmed then, which is all of them.

        To go on, the plotter is asked first where it stands: a run that it has finished meanwhile is not sent again, one that it
        left in the middle is gone on with from there. Where it does not know, ``unsure`` says whether that run is cut ``again`` or left out
        (``skip``); without it a ``SendError`` of kind “unsure” asks.
        """
        self.done = start or 0
        try:
            self._connect()
            rest: Step | None = None
            if start is not None and start >= len(self.program.steps):
                return self.done  # all is cut; only the sheet was not given out perhaps
            if start is not None:
                self.done, rest = self._where_it_stands(start, unsure)
                self._put(self._tool_before(self.done) if self.done or rest is not None else self.program.head)
            else:
                self._put(self.program.head)
            self._run_all(rest)
            self._put(self.program.tail + "OA;")
            self._position(self._patience)
        except (OSError, EOFError) as error:
            raise self._gone(error) from error
        finally:
            self._close()
        return self.done

    # --- the conversation

    def _connect(self) -> None:
        try:
            self._socket = socket.create_connection((self.host, self.port), timeout=CONNECT_S)
        except OSError as error:
            told = f"there is no plotter at {self.host}:{self.port} ({error.strerror or 'it does not answer'}); switch it on, or look at the address"
            raise SendError(told, done=self.done, kind="absent") from error
        self._socket.settimeout(0.25)
        self._heard, self._told, self._credit = "", [], 0
        state = self._state()
        if state is None:
            raise self._silent()
        if state & (HELD | LEVER):
            raise self._held(state)

    def _close(self) -> None:
        if self._socket is not None:
            with contextlib.suppress(OSError):
                self._socket.close()
        self._socket = None

    def _put(self, text: str) -> None:
        """Sends whole words, each once the plotter says it has room for it: whatever breaks off, no word is left in half. A full buffer is waited
        for as long as the plotter answers and is not held."""
        for word in re.findall(r"[^;]+;?", text):
            self._put_word(word.encode("ascii"))

    def _put_word(self, data: bytes) -> None:
        assert self._socket is not None
        asked = time.monotonic()
        while data:
            if self._credit < len(data):
                self._credit = self._room()
            if self._credit >= len(data):
                self._socket.sendall(data)
                self._credit -= len(data)
                return
            state = self._state() if time.monotonic() - asked > ASKED_EVERY_S else None
            if state is not None:
                asked = time.monotonic()
                if state & (HELD | LEVER):
                    raise self._held(state)
                if state & EMPTY and self._credit > 0:  # a word longer than all its room: in parts
                    self._socket.sendall(data[: self._credit])
                    data, self._credit = data[self._credit :], 0
                    continue
            if self._should_stop():
                raise SendError(f"Stopped. {self._count()}; it can go on from there.", done=self.done, kind="stopped")
            time.sleep(0.02)

    def _room(self) -> int:
        """How many bytes the plotter says it has room for."""
        assert self._socket is not None
        self._socket.sendall(b"\x1b.B")
        found = self._answer(numbers=1, seconds=self._patience)
        if found is None:
            raise self._silent()
        return found[0]

    def _answer(self, *, numbers: int, seconds: float) -> tuple[int, ...] | None:
        """The next answer with so many numbers (0: a word); others wait for who asks for them. None when it does not come in time."""
        assert self._socket is not None
        until = time.monotonic() + seconds
        while True:
            for k, told in enumerate(self._told):
                if len(told) == numbers:
                    return self._told.pop(k)
            while "\r" in self._heard:
                word, _, self._heard = self._heard.partition("\r")
                found = re.fullmatch(r"-?\d+(,-?\d+)*", word.strip())
                self._told.append(tuple(int(n) for n in word.split(",")) if found else ())
                if len(self._told[-1]) == numbers:
                    return self._told.pop()
            if time.monotonic() > until:
                return None
            try:
                data = self._socket.recv(512)
            except TimeoutError:
                continue
            if not data:
                raise EOFError("the connection was closed")
            self._heard += data.decode("latin-1")

    def _state(self) -> int | None:
        assert self._socket is not None
        with contextlib.suppress(TimeoutError):
            self._socket.send(b"\x1b.O")
        found = self._answer(numbers=1, seconds=min(2.0, self._patience))
        return None if found is None else found[0]

    def _position(self, patience_s: float) -> tuple[float, float]:
        """Where it stands once it has done what it was sent. While it is at work it is asked now and then whether it is held: a ``SendError`` says
        so at once, and after ``patience_s`` without any answer that it is silent."""
        heard = time.monotonic()
        while True:
            found = self._answer(numbers=3, seconds=min(ASKED_EVERY_S, patience_s))
            if found is not None:
                self._is_down = bool(found[2])
                return found[0] / UNITS_PER_MM, found[1] / UNITS_PER_MM
            state = self._state()
            if state is not None and state & (HELD | LEVER):
                raise self._held(state)
            if state is not None and not state & EMPTY:
                heard = time.monotonic()  # it is at work: slow is no fault
            elif time.monotonic() - heard > patience_s:
                raise self._silent()

    # --- the runs

    def _run_all(self, rest: Step | None) -> None:
        """Sends run after run, one ahead of the one that is awaited."""
        steps = list(self.program.steps)
        waiting: list[Step] = []
        next_one = self.done
        while next_one < len(steps) or waiting:
            while next_one < len(steps) and (not waiting or (len(waiting) < 2 and not _ends_alike(waiting[-1], steps[next_one]))):
                stops = self._should_stop()
                if stops:
                    break
                step = rest if rest is not None and next_one == self.done and not waiting else steps[next_one]
                self._put(step.text + "OA;")
                waiting.append(step)
                next_one += 1
            if not waiting:
                raise SendError(f"Stopped after run {self.done} of {len(steps)}; it can go on from there.", done=self.done, kind="stopped")
            step = waiting.pop(0)
            self._position(self._patience)
            self.done += 1
            self._tell(self.done)

    def _tool_before(self, number: int) -> str:
        """The words that take the tool which a run needs, where it is not the first with it."""
        if number >= len(self.program.steps):
            return ""
        for step in reversed(self.program.steps[: number + 1]):
            match = re.match(r"PU;SP\d+;(VS\d+;)?(FS\d+;)?", step.text)
            if match is not None:
                return match[0]
        return ""

    def _where_it_stands(self, start: int, unsure: Unsure) -> tuple[int, Step | None]:
        """How many runs are done, and what is left of one that was left in the middle."""
        self._put("OI;OA;")  # answers of words that were sent before come first, then the identity, then where it is now
        until = time.monotonic() + self._patience
        while () not in self._told:
            state = self._state()
            if state is None or time.monotonic() > until + MOST_WAITED_S:
                raise self._silent()
            if state & (HELD | LEVER):
                raise self._held(state)
            time.sleep(0.05)
        at = self._told.index(())
        self._told = [t for k, t in enumerate(self._told) if k > at or len(t) not in (0, 3)]
        position = self._position(self._patience)
        steps = self.program.steps
        before = steps[start - 1].end if start else (0.0, 0.0)
        in_flight = list(range(start, min(start + 2, len(steps))))
        if len(in_flight) == 2 and _ends_alike(*(steps[k] for k in in_flight)):
            in_flight.pop()  # it was not sent ahead
        for number in reversed(in_flight):
            if math.dist(steps[number].end, position) < HERE_MM and math.dist(steps[number].end, before) >= HERE_MM:
                return number + 1, None
        if math.dist(position, before) < HERE_MM and all(math.dist(steps[k].end, before) >= HERE_MM for k in in_flight):
            return start, None
        for number in in_flight:
            if not self._is_down and math.dist(steps[number].start, position) < HERE_MM:
                return number, None  # it went there with the tool up: that run is not begun
            is_round = self._is_down and math.dist(steps[number].start, position) < HERE_MM  # with the tool down it has come round
            rest = rest_of(steps[number], position, late=is_round)
            if rest is not None:
                return number, rest
        if unsure == "again":
            return start, None
        if unsure == "skip":
            return start + 1, None
        told = f"The plotter no longer knows where it was. {start} of {len(steps)} runs are done; the next one may be cut in part:"
        told += " cut it again, or leave it out."
        raise SendError(told, done=start, kind="unsure")

    # --- what is said

    def _count(self) -> str:
        return f"{self.done} of {len(self.program.steps)} runs are done"

    def _held(self, state: int | None) -> SendError:
        why = "the sheet is loose or jammed" if state and state & LEVER else "it is held, or not online"
        told = f"The plotter stopped: {why}. {self._count()}; set it right there, then go on: nothing is cut twice."
        return SendError(told, done=self.done, kind="held")

    def _silent(self) -> SendError:
        told = f"The plotter does not answer; is it online? {self._count()}; go on from there when it is."
        return SendError(told, done=self.done, kind="silent")

    def _gone(self, error: Exception) -> SendError:
        told = f"The connection to the plotter broke ({error}). {self._count()}; connect it again and go on from there."
        return SendError(told, done=self.done, kind="gone")


def _ends_alike(a: Step, b: Step) -> bool:
    """Whether two runs end in one place (a line that is cut twice): where the plotter stands does not tell then which of them is done."""
    return math.dist(a.end, b.end) < HERE_MM


def rest_of(step: Step, at: tuple[float, float], *, late: bool = False) -> Step | None:
    """What is left of a run whose axis stands at a place on its way; None where that is not on it, or lies on it twice, unless the ``late`` one
    is meant."""
    way = step.way
    lines = shapely.linestrings(np.stack([way[:-1], way[1:]], axis=1))
    near = np.flatnonzero(shapely.distance(lines, shapely.Point(at)) < HERE_MM)
    if not len(near) or (near[-1] - near[0] > len(near) - 1 and not late):
        return None
    k = int(near[-1])
    left = np.vstack([[at], way[k + 1 :]])
    if len(left) < 2:
        return None
    units = np.round(left * UNITS_PER_MM).astype(int)
    start, *rest = [f"{x},{y}" for x, y in units.tolist()]
    return Step(step.run, f"PU;PA{start};PD{','.join(rest)};PU;", left)
