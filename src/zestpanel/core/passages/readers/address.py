"""A script from a web address: fetched with limits, then read like a file of its kind."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Final
from urllib.parse import urlsplit

import httpx

from zestpanel.core.errors import TextError
from zestpanel.core.passages.readers.reading import READABLE, read_script
from zestpanel.core.passages.readers.script import Script

_KEPT: Final = "Nothing was imported."
_LARGEST: Final = 20_000_000
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
    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise TextError(f"'{address}' is no web address.", kept=_KEPT, remedy="Write it with https:// in front.")
    host = parts.hostname
    try:
        with (
            httpx.Client(follow_redirects=True, timeout=timeout_s, max_redirects=5) as client,
            client.stream("GET", address) as reply,
        ):
            if reply.status_code != 200:
                raise TextError(f"{host} answered {reply.status_code} instead of the page.", kept=_KEPT)
            data = bytearray()
            for chunk in reply.iter_bytes():
                data += chunk
                if len(data) > _LARGEST:
                    raise TextError(f"What {host} sends is larger than {_LARGEST // 1_000_000} MB.", kept=_KEPT)
            kind = reply.headers.get("content-type", "").split(";")[0].strip().lower()
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise TextError(f"{host} could not be reached ({error or type(error).__name__}).", kept=_KEPT,
                        remedy="Check the address and the network.") from error  # fmt: skip
    suffix = _BY_TYPE.get(kind) or Path(parts.path).suffix.lower()
    if suffix not in READABLE:
        raise TextError(f"{host} sends '{kind or 'something'}', which is no text that can be read here.", kept=_KEPT)
    with tempfile.TemporaryDirectory(prefix="zest-") as folder:
        name = (Path(parts.path).stem or host)[:60]
        path = Path(folder) / f"{name}{suffix}"
        path.write_bytes(bytes(data))
        return read_script(path)
