"""The wire between two processes of this program: messages are a length of eight bytes and a pickle.

Both ends are this program, so pickles are as safe as its own files.
"""

from __future__ import annotations

import pickle
import struct
from typing import Any

HEAD = struct.Struct("<Q")


def pack(value: Any) -> bytes:
    """One message."""
    body = pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)
    return HEAD.pack(len(body)) + body


def unpack(buffer: bytearray) -> list[Any]:
    """All whole messages at the front of a buffer, which they leave."""
    found = []
    while len(buffer) >= HEAD.size:
        (length,) = HEAD.unpack_from(buffer)
        if len(buffer) < HEAD.size + length:
            break
        found.append(pickle.loads(bytes(buffer[HEAD.size : HEAD.size + length])))
        del buffer[: HEAD.size + length]
    return found


def command_for(module: str, call: str) -> tuple[str, ...]:
    """How a Python is called to run a function of a module (by the module's own name, so that its pickles are those of this one)."""
    return ("-c", f"from {module} import {call}; {call}()")
