"""What is measured along a clip: stretches, and curves at a stated step, as they are kept.

A curve is kept in whole hundredths of its unit, as the differences from step to step, packed (DEFLATE, RFC 1951): pitch
and level of ten seconds at 20 ms come to about a kilobyte.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import ArrayLike

from zestpanel.core.domain.take import Curve, Segment
from zestpanel.core.texts import tr

PER_UNIT: Final = 100  # hundredths
LEAST: Final = -32_768  # where a curve has no value
MOST_BYTES: Final = 64_000_000  # of a packed track once unpacked: two hours at 5 ms are under 6 MB


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of stretch. name: as it is stored, in English. words: in a list. says: one of them in a sentence, from
    its size and what it is about. fault: something may be wrong there; else it is a place of interest, such as a
    pause."""

    name: str
    words: str
    says: Callable[[Segment], str]
    fault: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Tracks:
    segments: tuple[Segment, ...] = ()
    curves: Mapping[str, Curve] = field(default_factory=dict)


def curve(values: ArrayLike, step_s: float) -> Curve:
    """Values rounded to hundredths; not a number where there is none."""
    x = np.asarray(values, dtype=np.float64)
    with np.errstate(invalid="ignore"):
        kept = np.clip(np.rint(x * PER_UNIT), LEAST + 1, -LEAST - 1)
    return Curve(step_s=step_s, values=np.where(np.isnan(x), np.nan, kept / PER_UNIT))


def packed(curves: Mapping[str, Curve]) -> bytes:
    """b'' for none."""
    if not curves:
        return b""
    head, parts = {}, []
    for name, one in curves.items():
        whole = np.where(np.isnan(one.values), LEAST, np.rint(one.values * PER_UNIT)).astype(np.int32)
        steps = np.diff(whole, prepend=0).astype("<i4")
        wide = bool(len(steps)) and (steps.min() < -32_768 or steps.max() > 32_767)
        head[name] = [one.step_s, len(whole), int(wide)]
        parts.append(steps.astype("<i4" if wide else "<i2").tobytes())
    return zlib.compress(json.dumps(head).encode() + b"\n" + b"".join(parts), 6)


def unpacked(data: bytes) -> dict[str, Curve]:
    """What ``packed`` wrote. Raises ValueError for anything else: a project may come from anybody."""
    if not data:
        return {}
    try:
        reader = zlib.decompressobj()
        raw = reader.decompress(data, MOST_BYTES)
        if not reader.eof:
            raise ValueError("longer than a track can be")
        head, _, body = raw.partition(b"\n")
        told, out, at = json.loads(head), {}, 0
        for name, (step, count, wide) in told.items():
            size = (4 if wide else 2) * int(count)
            if not 0 < float(step) < 60 or int(count) < 0 or at + size > len(body):
                raise ValueError("a curve that cannot be")
            steps = np.frombuffer(body[at : at + size], dtype="<i4" if wide else "<i2").astype(np.int64)
            whole = np.cumsum(steps)
            values = np.where(whole == LEAST, np.nan, whole / PER_UNIT)
            out[str(name)] = Curve(step_s=float(step), values=values)
            at += size
    except (zlib.error, TypeError, AttributeError, KeyError, OverflowError, RecursionError) as error:
        raise ValueError("no track") from error
    return out


def from_rows(rows: Iterable[Iterable[object]]) -> tuple[Segment, ...]:
    """Segments as they are kept in the database and travel between processes."""
    out = []
    for kind, start, end, size, about in rows:
        out.append(Segment(str(kind), float(start), float(end), float(size), str(about)))  # type: ignore[arg-type]
    return tuple(out)


def seconds(segment: Segment) -> str:
    """'0.85 s': how long it lasts."""
    return tr("{seconds} s", seconds=f"{segment.end_s - segment.start_s:.2f}")
