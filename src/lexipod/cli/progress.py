"""How far a long command has come, on standard error, where a person looks on."""

from __future__ import annotations

import sys
import threading
import time
from types import TracebackType

PATIENCE_S = 1.5
"""What takes less needs no telling."""
EVERY_S = 0.25


class Progress:
    """A line “check … 3 s” that is written over and wiped at the end; nothing where standard error is no terminal."""

    def __init__(self, what: str) -> None:
        self.what = what
        self._share: float | None = None
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._show, daemon=True)

    def __enter__(self) -> Progress:
        if sys.stderr is not None and sys.stderr.isatty():
            self._thread.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None) -> None:
        self._over.set()
        if self._thread.is_alive():
            self._thread.join()

    def tell(self, share: float) -> None:
        """So much is done."""
        self._share = share

    def _show(self) -> None:
        start = time.monotonic()
        if self._over.wait(PATIENCE_S):
            return
        while not self._over.wait(EVERY_S):
            done = "" if self._share is None else f"{100 * self._share:.0f} %, "
            sys.stderr.write(f"\r{self.what} … {done}{time.monotonic() - start:.0f} s  (Ctrl+C stops)\x1b[K")
            sys.stderr.flush()
        sys.stderr.write("\r\x1b[K")
        sys.stderr.flush()
