"""The machine behind a socket: a small buffer, words done in turn, signs after ESC answered at once."""

from __future__ import annotations

import contextlib
import math
import socket
import threading
import time
from collections.abc import Callable

from lexipod_plotter.machine import Fault, Machine
from lexipod_plotter.words import ESCAPE, Word, Words

BUFFER_BYTES = 1024
IS_EMPTY, IS_HELD, LEVER_UP = 8, 16, 32
"""Parts of the answer to ESC.O: nothing waits, it is held, the sheet is loose (values as old plotters give them, from memory)."""


class Server:
    """Takes one sender at a time. ``hurry`` is how many times faster than true it works (infinite: as fast as it goes); ``changed`` is called
    after every piece of a move and every change of state, from the thread that works."""

    def __init__(self, machine: Machine, *, port: int = 0, hurry: float = math.inf, buffer_bytes: int = BUFFER_BYTES) -> None:
        self.machine, self.hurry, self.buffer_bytes = machine, hurry, buffer_bytes
        self.changed: Callable[[], None] = lambda: None
        self._words = Words()
        self._waiting: list[Word] = []
        self._bytes = 0
        self._lock = threading.Condition()
        self._sender: socket.socket | None = None
        self._is_over = False
        self._stuck_until = 0.0
        self._listener = socket.create_server(("127.0.0.1", port))
        self._listener.settimeout(0.1)
        self.port: int = self._listener.getsockname()[1]
        self._threads = [threading.Thread(target=self._listen, daemon=True), threading.Thread(target=self._work, daemon=True)]

    def start(self) -> Server:
        """Begins to listen and to work."""
        for thread in self._threads:
            thread.start()
        return self

    def close(self) -> None:
        """Ends; what is drawn stays known."""
        self._is_over = True
        with self._lock:
            self._lock.notify_all()
        self._drop()
        self._listener.close()
        for thread in self._threads:
            thread.join(2)

    # What somebody at the machine can do.

    def clear(self) -> None:
        """The jam is cleared, or it is put online again; it goes on where it stood. After its power went it starts anew."""
        with self._lock:
            self.machine.state = "ready"
            self._stuck_until = 0.0
            self._lock.notify_all()
        self.changed()

    def new_sheet(self) -> None:
        """Somebody takes the sheet out and lays a fresh one in."""
        with self._lock:
            self.machine.give_out()
        self.changed()

    def fail(self, fault: Fault) -> None:
        """A fault now."""
        with self._lock:
            if fault.kind in ("jam", "offline"):
                self.machine.state = fault.kind
            elif fault.kind == "slow":
                self.hurry = 1.0 if math.isinf(self.hurry) else self.hurry / 10
            elif fault.kind == "full":
                self._stuck_until = time.monotonic() + 3.0
            else:
                if fault.kind == "power":
                    self._waiting.clear()
                    self._words = Words()
                    self._bytes = 0
                    self.machine.lose_power()
                self._drop()
        self.changed()

    @property
    def is_idle(self) -> bool:
        """Whether nothing waits to be done."""
        with self._lock:
            return not self._waiting and not self._words.waiting.strip("; \r\n")

    @property
    def has_sender(self) -> bool:
        """Whether somebody is connected."""
        return self._sender is not None

    # Below it works.

    def _drop(self) -> None:
        sender, self._sender = self._sender, None
        self._words = Words()  # a word that is left in half when its sender goes is no word
        if sender is not None:
            with contextlib.suppress(OSError):
                sender.shutdown(socket.SHUT_RDWR)
            sender.close()

    def _listen(self) -> None:
        while not self._is_over:
            try:
                sender, _ = self._listener.accept()
            except TimeoutError:
                continue
            except OSError:
                return
            if self.machine.state == "off":
                sender.close()
                continue
            sender.settimeout(0.1)
            self._sender = sender
            self._read(sender)
            if self._sender is sender:
                self._drop()

    def _read(self, sender: socket.socket) -> None:
        while not self._is_over and self._sender is sender:
            if self.machine.state == "offline":
                time.sleep(0.02)  # it neither reads nor answers
                continue
            with self._lock:
                room = self.buffer_bytes - self._bytes
            if room <= 0:
                self._peek(sender)
                continue
            try:
                data = sender.recv(min(room, 512))
            except TimeoutError:
                continue
            except OSError:
                return
            if not data:
                return
            self._take(data.decode("latin-1"))

    def _peek(self, sender: socket.socket) -> None:
        """The buffer is full: only a question that is at the head of what comes is looked at."""
        try:
            head = sender.recv(3, socket.MSG_PEEK).decode("latin-1")
        except (TimeoutError, OSError):
            return
        if head[:1] == ESCAPE and len(head) == 3:
            sender.recv(3)
            self._ask(head)
        else:
            time.sleep(0.01)

    def _take(self, text: str) -> None:
        while ESCAPE in text:
            before, _, after = text.partition(ESCAPE)
            self._queue(before)
            while len(after) < 2 and self._sender is not None:
                try:
                    after += self._sender.recv(2 - len(after)).decode("latin-1")
                except TimeoutError:
                    continue
                except OSError:
                    return
            self._ask(ESCAPE + after[:2])
            text = after[2:]
        self._queue(text)

    def _queue(self, text: str) -> None:
        with self._lock:
            for word in self._words.feed(text):
                self._waiting.append(word)
                self._bytes += len(word.text) + 1
            self._lock.notify_all()

    def _ask(self, sign: str) -> None:
        with self._lock:
            if sign.endswith("O"):
                state = self.machine.state
                told = (0 if self._waiting else IS_EMPTY) + (LEVER_UP if state == "jam" else 0) + (IS_HELD if state != "ready" else 0)
                answer = f"{told}\r"
            elif sign.endswith("B"):
                answer = f"{max(0, self.buffer_bytes - self._bytes)}\r"
            else:
                answer = ""
        self._say(answer)

    def _say(self, text: str) -> None:
        sender = self._sender
        if sender is not None and text:
            with contextlib.suppress(OSError):
                sender.sendall(text.encode("ascii"))

    def _work(self) -> None:
        while not self._is_over:
            with self._lock:
                while not self._waiting and not self._is_over:
                    self._lock.wait(0.2)
                if self._is_over:
                    return
                word = self._waiting[0]
            self._do(word)
            with self._lock:
                if self._waiting and self._waiting[0] is word:
                    self._waiting.pop(0)
                    self._bytes = max(0, self._bytes - len(word.text) - 1)

    def _do(self, word: Word) -> None:
        self._hold()
        for target, _ in self.machine.begin(word):
            reached = False
            while not reached and not self._is_over:
                self._hold()
                if self.machine.state == "off":
                    return
                took, reached = self.machine.go_on(target)
                if not math.isinf(self.hurry):
                    time.sleep(took / self.hurry)
                self.changed()
                fault = self.machine.due_fault()
                if fault is not None:
                    self.fail(fault)
                    if fault.kind == "power":
                        return
        self._say(self.machine.answer(word))

    def _hold(self) -> None:
        """Waits as long as it cannot work."""
        while not self._is_over and (self.machine.state in ("jam", "offline") or time.monotonic() < self._stuck_until):
            time.sleep(0.01)


def run_file(machine: Machine, text: str) -> Machine:
    """Does all words of a file at once, without faults."""
    words = Words()
    for word in words.feed(text + ";IN;"):
        for target, _ in machine.begin(word):
            while not machine.go_on(target)[1]:
                pass
    return machine
