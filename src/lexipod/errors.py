"""Errors for input that cannot be accepted. Each is one sentence a maker can act on.

A caller's mistake raises ``ValueError``; a design that is legal but will not work gives a
``Finding``; everything that comes from outside and cannot be used raises one of these.
"""

from __future__ import annotations

MOST_ECHOED = 80


def shortened(text: object) -> str:
    """What a user gave, as a message may show it: at most 80 characters, on one line, and such that every terminal can print it.

    >>> shortened("a" * 200)[-3:], len(shortened("a" * 200))
    ('aa…', 80)
    """
    try:
        plain = str(text)
    except ValueError:  # a whole number of thousands of digits
        plain = "a very long number"
    plain = " ".join(plain.encode("utf-8", "backslashreplace").decode("utf-8").split())
    return plain if len(plain) <= MOST_ECHOED else plain[: MOST_ECHOED - 1] + "…"


def shortened_path(path: object) -> str:
    """A path as a message may show it: of a long one its end, where the file's name is."""
    plain = str(path)
    return shortened(plain if len(plain) <= MOST_ECHOED else "…" + plain[1 - MOST_ECHOED :])


def quoted(text: object) -> str:
    """The same between quotation marks."""
    return f"“{shortened(text)}”"


class LexipodError(Exception):
    """Base of everything that is said to the user in one line (exit status 2 on the command line)."""


class MeasureError(LexipodError):
    """A text that is not a measure: says what was written and shows what may be written."""

    def __init__(self, text: str, allowed: str) -> None:
        self.text, self.allowed = text, allowed
        super().__init__(f"{quoted(text)} is not {allowed}")


class ChoiceError(LexipodError):
    """A name outside a closed set: lists what there is."""

    def __init__(self, subject: str, name: object, choices: list[str]) -> None:
        self.subject, self.name, self.choices = subject, name, choices
        listed = ", ".join(choices)
        super().__init__(f"there is no {subject} {quoted(name)}; choose one of: {listed}")


class ParameterError(LexipodError):
    """A parameter that is unknown or out of its range; ``path`` says which one."""

    def __init__(self, path: str, message: str) -> None:
        self.path = path
        super().__init__(f"{shortened(path)}: {message}")


class FileError(LexipodError):
    """A file that cannot be read or written; ``path`` is the file, ``place`` the spot inside it."""

    def __init__(self, path: object, message: str, *, place: str = "") -> None:
        self.path, self.place = path, place
        at = f" at {shortened(place)}" if place else ""
        super().__init__(f"{shortened_path(path)}{at}: {message}")


class CardTooSmall(LexipodError):
    """A mechanism that cannot be sized for a card; says what would fit."""
