"""What passes between the program and the process that takes bytes apart: a head in JSON, and bytes, each with its
length before it. Nothing that comes back is run or built from a recipe; it is values and bytes."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any, Final

LENGTHS: Final = 16  # two numbers of eight bytes
MOST_BACK: Final = 450_000_000


def packed(head: dict[str, Any], data_bytes: int) -> bytes:
    """The lengths and the head; the data's bytes follow."""
    words = json.dumps(head).encode("ascii")
    return len(words).to_bytes(8, "big") + data_bytes.to_bytes(8, "big") + words


def unpacked(read: Callable[[int], bytes]) -> tuple[dict[str, Any], bytes] | None:
    """(head, data) from a source of bytes that gives as many as it is asked for, or fewer at its end (then None)."""
    lengths = read(LENGTHS)
    if len(lengths) < LENGTHS:
        return None
    words, data = int.from_bytes(lengths[:8], "big"), int.from_bytes(lengths[8:], "big")
    if words + data > MOST_BACK:
        return None
    head_bytes, data_bytes = read(words), read(data)
    if len(head_bytes) < words or len(data_bytes) < data:
        return None
    head = json.loads(head_bytes)
    return (head, data_bytes) if isinstance(head, dict) else None
