"""The reply: read piece by piece with arrival times, unpacked with a cap, never endless."""

from __future__ import annotations

import time
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final

import httpx

from zestpanel.core.catalogue.reaching import Reached
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled

_PIECE: Final = 1 << 20  # unpacked in pieces of at most 1 MB, so that a bomb is met before it goes off


@dataclass(frozen=True, slots=True, kw_only=True)
class Received:
    """A whole reply. chunks: (arrival in s since the request began, bytes); marks: phases of the connection in s."""

    status: int
    headers: Mapping[str, str]
    chunks: tuple[tuple[float, bytes], ...] = field(repr=False)
    marks: Mapping[str, float]
    last_byte_s: float

    @property
    def data(self) -> bytes:
        return b"".join(part for _, part in self.chunks)


def receive(
    response: httpx.Response, speak: Reached, began: float, cancelled: Cancelled, marks: dict[str, float]
) -> Received:
    """Read the body. Raises SynthesisFailure when it is too large, too slow or packed in an unknown way."""
    most = int(speak.largest_reply_mb * 1e6)
    chunks: list[tuple[float, bytes]] = []
    size = 0
    for packed in response.iter_raw():
        at = time.monotonic() - began
        marks.setdefault("first byte", at)
        chunks.append((at, packed))
        size += len(packed)
        if size > most:
            raise SynthesisFailure(
                "wrong content", tr("The reply passed {most} MB and was dropped.", most=f"{most / 1e6:g}")
            )
        if at > speak.whole_timeout_s:
            raise SynthesisFailure(
                "timed out",
                tr(
                    "The reply was not whole after {whole_timeout_s} s and was dropped.",
                    whole_timeout_s=f"{speak.whole_timeout_s:g}",
                ),
            )
        if cancelled():
            raise WasCancelled
    last = time.monotonic() - began
    return Received(
        status=response.status_code,
        headers=dict(response.headers),
        chunks=tuple(_unpacked(chunks, response.headers.get("content-encoding", ""), most)),
        marks=dict(marks),
        last_byte_s=last,
    )


def _unpacked(chunks: list[tuple[float, bytes]], encoding: str, most: int) -> Iterator[tuple[float, bytes]]:
    """The chunks as they were before packing; gzip and deflate only (RFC 9110, 8.4.1)."""
    encoding = encoding.strip().lower()
    if encoding in ("", "identity"):
        yield from chunks
        return
    if encoding not in ("gzip", "x-gzip", "deflate"):
        raise SynthesisFailure(
            "wrong content", tr("The reply is packed as '{encoding}', which was not asked for.", encoding=encoding[:20])
        )
    unpacker = zlib.decompressobj(zlib.MAX_WBITS | 32)  # either header, told from the data
    size = 0
    for at, packed in chunks:
        rest = packed
        while rest:
            try:
                piece = unpacker.decompress(rest, _PIECE)
            except zlib.error as error:
                raise SynthesisFailure(
                    "broken sound", tr("The packed reply cannot be unpacked ({error}).", error=error)
                ) from error
            rest = unpacker.unconsumed_tail
            size += len(piece)
            if size > most:
                raise SynthesisFailure(
                    "wrong content",
                    tr("The reply unpacks to more than {most} MB and was dropped.", most=f"{most / 1e6:g}"),
                )
            if piece:
                yield at, piece
