"""The words of HPGL, read from a stream that may break off anywhere."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

ESCAPE = "\x1b"
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)")
_LETTERS = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZ")
KNOWN = frozenset({"IN", "DF", "SP", "PU", "PD", "PA", "PR", "PG", "VS", "FS", "OA", "OS", "OE", "OI"})
LONGEST = 20_000


@dataclass(frozen=True, slots=True)
class Word:
    """Two letters and numbers; ``text`` is how it came. One that is no word at all has no ``name``."""

    name: str
    numbers: tuple[float, ...]
    text: str


class Words:
    """Takes text in pieces and gives whole words; what is not ended yet waits."""

    def __init__(self) -> None:
        self.waiting = ""

    def feed(self, text: str) -> Iterator[Word]:
        """The words that are whole now. A word ends with a semicolon, or where the next one begins."""
        self.waiting += text
        while True:
            self.waiting = self.waiting.lstrip("; \r\n\t,")
            end = self._end()
            if end is None:
                return
            told, self.waiting = self.waiting[:end], self.waiting[end:]
            yield parse_word(told)

    def _end(self) -> int | None:
        if len(self.waiting) < 2:
            return None
        for k in range(2, len(self.waiting)):
            sign = self.waiting[k]
            if sign == ";" or (sign.upper() in _LETTERS and k + 1 < len(self.waiting) and self.waiting[k + 1].upper() in _LETTERS):
                return k
        return LONGEST if len(self.waiting) > LONGEST else None


def parse_word(text: str) -> Word:
    """One word from its text.

    >>> parse_word("PD10,-20")
    Word(name='PD', numbers=(10.0, -20.0), text='PD10,-20')
    """
    name = text[:2].upper()
    if not set(name) <= _LETTERS:
        return Word("", (), text)
    rest = text[2:].strip()
    numbers = tuple(float(n) for n in _NUMBER.findall(rest))
    left = _NUMBER.sub("", rest).strip(" ,\t\r\n")
    return Word("" if left else name, numbers, text)
