"""A script from a web address: fetched with limits, then read like a file of its kind."""

from __future__ import annotations

import tempfile
import time
import zlib
from pathlib import Path
from typing import Final
from urllib.parse import urlsplit

import httpx

from zestpanel.core.errors import SynthesisFailure, TextError
from zestpanel.core.text.readers.reading import READABLE, read_script
from zestpanel.core.text.readers.script import Script
from zestpanel.core.texts import tr
from zestpanel.core.waiting import never_cancelled, watched

_KEPT: Final = tr("Nothing was imported.")
_LARGEST: Final = 20_000_000
_LONGEST_S: Final = 60.0
_BY_TYPE: Final = {
    "text/html": ".html",
    "application/xhtml+xml": ".html",
    "text/plain": ".txt",
    "text/markdown": ".md",
    "application/pdf": ".pdf",
    "application/epub+zip": ".epub",
    "text/vtt": ".vtt",
    "text/csv": ".csv",
    "application/vnd.openxmlformats-officedocument.wordprocessingml.document": ".docx",
    "application/vnd.oasis.opendocument.text": ".odt",
}


def read_address(address: str, *, timeout_s: float = 30.0) -> Script:
    """The script at an http or https address. Raises TextError: no such place, no network, too large, no text."""
    try:
        parts = urlsplit(address)
        good = parts.scheme in ("http", "https") and bool(parts.hostname) and parts.port != 0
    except ValueError:
        good = False
    if not good:
        raise TextError(
            tr("'{address}' is no web address.", address=address),
            kept=_KEPT,
            remedy=tr("Write it with https:// in front."),
        )
    host = parts.hostname or ""
    late = tr("What {host} sends was not whole after {longest_s} s.", host=host, longest_s=f"{_LONGEST_S:g}")
    try:
        with httpx.Client(follow_redirects=True, timeout=timeout_s, max_redirects=5) as client:
            until = time.monotonic() + _LONGEST_S
            data, kind = watched(lambda: _fetched(client, address, host), never_cancelled, until, late, client.close)
    except SynthesisFailure as failure:
        raise TextError(failure.what, kept=_KEPT) from failure
    except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        raise TextError(
            tr("{host} could not be reached ({error}).", host=host, error=error or type(error).__name__),
            kept=_KEPT,
            remedy=tr("Check the address and the network."),
        ) from error
    suffix = _BY_TYPE.get(kind) or Path(parts.path).suffix.lower()
    if suffix not in READABLE:
        raise TextError(
            tr("{host} sends '{kind}', which is no text that can be read here.", host=host, kind=kind or "something"),
            kept=_KEPT,
        )
    with tempfile.TemporaryDirectory(prefix="zest-") as folder:
        name = (Path(parts.path).stem or host)[:60]
        path = Path(folder) / f"{name}{suffix}"
        path.write_bytes(bytes(data))
        return read_script(path)


def _fetched(client: httpx.Client, address: str, host: str) -> tuple[bytes, str]:
    """(what is at the address, its type). Nothing packed is asked for; what is packed all the same is unpacked once,
    as far as the limit."""
    with client.stream("GET", address, headers={"Accept-Encoding": "identity"}) as reply:
        if reply.status_code != 200:
            raise TextError(
                tr("{host} answered {status_code} instead of the page.", host=host, status_code=reply.status_code),
                kept=_KEPT,
            )
        too_large = TextError(
            tr("What {host} sends is larger than {largest} MB.", host=host, largest=_LARGEST // 1_000_000), kept=_KEPT
        )
        data = bytearray()
        until = time.monotonic() + _LONGEST_S
        for chunk in reply.iter_raw():
            data += chunk
            if len(data) > _LARGEST or time.monotonic() > until:
                raise too_large
        kind = reply.headers.get("content-type", "").split(";")[0].strip().lower()
        packed = reply.headers.get("content-encoding", "").strip().lower()
    if packed in ("", "identity"):
        return bytes(data), kind
    if packed not in ("gzip", "x-gzip", "deflate"):
        raise TextError(
            tr("{host} sends the page packed as '{packed}', which was not asked for.", host=host, packed=packed[:20]),
            kept=_KEPT,
        )
    try:
        whole = zlib.decompressobj(zlib.MAX_WBITS | 32).decompress(bytes(data), _LARGEST + 1)
    except zlib.error as error:
        raise TextError(tr("{host} sends the page packed in a broken way.", host=host), kept=_KEPT) from error
    if len(whole) > _LARGEST:
        raise too_large
    return whole, kind
