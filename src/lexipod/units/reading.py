"""Files from outside, read so that nothing that is no file can hold the program up or fill its memory."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from lexipod.errors import FileError


def read_ordinary(path: Path, most: int, what: str) -> bytes:
    """The bytes of an ordinary file that holds ``what``; ``FileError`` for a pipe, a device, or one that is larger than ``most``; ``OSError``
    as it comes."""
    with open(os.open(path, os.O_RDONLY | os.O_NONBLOCK), "rb") as source:
        about = os.fstat(source.fileno())
        if not stat.S_ISREG(about.st_mode):
            raise IsADirectoryError if stat.S_ISDIR(about.st_mode) else FileError(path, f"is no ordinary file; {what} is read from one")
        data = source.read(most + 1)
    if len(data) > most:
        raise FileError(path, f"is larger than {what} can be ({most // 1_000_000} MB)")
    return data
