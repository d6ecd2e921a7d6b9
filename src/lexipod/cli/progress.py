"""How far a long command has come, on standard error, where a person looks on."""

from __future__ import annotations

import sys
import time
from types import TracebackType

PATIENCE_S = 1.0
"""What takes less needs no telling."""
EVERY_S = 0.2


class Progress:
    """A line “building … 40 %” that is written over and wiped at the end; nothing where standard error is no terminal."""

    def __init__(self, what: str) -> None:
        self.what = what
        self._start = self._last = time.monotonic()
        self._is_shown = False

    def __enter__(self) -> Progress:
        return self

    def __exit__(self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None) -> None:
        if self._is_shown:
            sys.stderr.write("\r\x1b[K")
            sys.stderr.flush()

    def tell(self, share: float) -> None:
        """So much is done."""
        now = time.monotonic()
        if now - self._start > PATIENCE_S and now - self._last > EVERY_S and sys.stderr.isatty():
            self._last, self._is_shown = now, True
            sys.stderr.write(f"\r{self.what} … {100 * share:.0f} %  (Ctrl+C stops)")
            sys.stderr.flush()
