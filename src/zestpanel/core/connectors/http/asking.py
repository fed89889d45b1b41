"""The request: templates filled, key put in, signed; redirects followed without ever carrying the key elsewhere."""

from __future__ import annotations

import json
import ssl
import time
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final
from urllib.parse import urlencode

import httpx

from zestpanel.core.catalogue.reaching import HttpSpeak, Reached
from zestpanel.core.connectors.http.receiving import Received, receive
from zestpanel.core.connectors.plugins import signer
from zestpanel.core.connectors.secrets import expand_environment
from zestpanel.core.connectors.speaking import Cancelled
from zestpanel.core.connectors.templates import fill
from zestpanel.core.errors import SynthesisFailure

MOST_REDIRECTS: Final = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """One request, ready to be sent. ``content`` is the body's bytes, None for none."""

    method: str
    address: str
    headers: dict[str, str] = field(default_factory=dict)
    content: bytes | None = None

    def as_text(self) -> str:
        """As it goes out, for people; long or binary bodies are shortened."""
        lines = [f"{self.method} {self.address}", *(f"{name}: {value}" for name, value in self.headers.items())]
        if self.content:
            try:
                text = self.content.decode("utf-8")
            except UnicodeDecodeError:
                text = f"({len(self.content):,} bytes)"
            if self.headers.get("Content-Type", "").startswith("application/json"):
                text = json.dumps(json.loads(text), ensure_ascii=False, indent=2)
            lines += ["", text if len(text) < 6000 else text[:6000] + " …"]
        return "\n".join(lines)


def filled(speak: HttpSpeak, values: Mapping[str, Any], secret: str) -> Asked:
    """The request of a connector file with every place filled. Raises SynthesisFailure for a missing file."""
    values = {**values, "secret": secret}
    headers = {name: str(fill(expand_environment(value), values)) for name, value in speak.headers.items()}
    query = {name: str(fill(expand_environment(value), values)) for name, value in speak.query.items()}
    address = with_query(str(fill(expand_environment(speak.address), values)), query)
    content, kind = _body(speak, values)
    if kind and not any(name.lower() == "content-type" for name in headers):
        headers["Content-Type"] = kind
    asked = Asked(method=speak.method, address=address, headers=headers, content=content)
    if speak.sign:
        signed = signer(speak.sign)(asked.method, asked.address, dict(asked.headers), asked.content or b"", secret)
        asked = replace(asked, headers={**asked.headers, **signed})
    return asked


def with_query(address: str, query: Mapping[str, str]) -> str:
    return address + ("&" if "?" in address else "?") + urlencode(query) if query else address


def _body(speak: HttpSpeak, values: Mapping[str, Any]) -> tuple[bytes | None, str]:
    body = fill(speak.body, values)
    if speak.body_as == "multipart":
        files = {name: _file(str(fill(expand_environment(path), values))) for name, path in speak.files.items()}
        request = httpx.Request(
            "POST", "http://x", data={k: _plain(v) for k, v in (body or {}).items()}, files=files or {"": b""}
        )
        return request.read(), request.headers["content-type"]
    if body is None:
        return None, ""
    if speak.body_as == "form":
        return urlencode({k: _plain(v) for k, v in body.items()}).encode(), "application/x-www-form-urlencoded"
    if speak.body_as == "plain" or isinstance(body, str):
        return _plain(body).encode("utf-8"), "text/plain; charset=utf-8"
    return json.dumps(body, ensure_ascii=False).encode("utf-8"), "application/json"


def _plain(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _file(path: str) -> tuple[str, bytes]:
    try:
        with open(path, "rb") as file:
            return path.rsplit("/", 1)[-1], file.read()
    except OSError as error:
        raise SynthesisFailure(
            "refused", f"The file '{path}' that is sent along cannot be read ({error.strerror})."
        ) from error


def make_client(speak: Reached, *, connections: int, transport: httpx.BaseTransport | None = None) -> httpx.Client:
    """A client with the file's proxy, certificates and time-outs. Redirects are followed here, not by the client."""
    verify: ssl.SSLContext | bool = True
    if speak.ca_file:
        path = expand_environment(speak.ca_file)
        try:
            verify = ssl.create_default_context(cafile=path)
        except (OSError, ssl.SSLError) as error:
            raise SynthesisFailure("unreachable", f"The certificate file '{path}' cannot be read ({error}).") from error
    return httpx.Client(
        transport=transport,
        follow_redirects=False,
        verify=verify,
        proxy=expand_environment(speak.proxy) or None,
        timeout=httpx.Timeout(speak.read_timeout_s, connect=speak.connect_timeout_s),
        limits=httpx.Limits(max_connections=connections, max_keepalive_connections=connections),
    )


def send(
    client: httpx.Client, speak: Reached, asked: Asked, secret: str, began: float, cancelled: Cancelled
) -> Received:
    """Send the request and follow redirects: within its host as it is, to another host only without the key.

    Raises SynthesisFailure or Cancelled.
    """
    for _ in range(MOST_REDIRECTS + 1):
        received = _send_once(client, speak, asked, began, cancelled)
        if received.status not in (301, 302, 303, 307, 308) or "location" not in received.headers:
            return received
        asked = _redirected(asked, received, secret)
    raise SynthesisFailure("wrong content", f"The service redirects in a circle; {MOST_REDIRECTS} were followed.")


def _redirected(asked: Asked, received: Received, secret: str) -> Asked:
    try:
        here, there = httpx.URL(asked.address), httpx.URL(asked.address).join(received.headers["location"])
    except httpx.InvalidURL as error:
        raise SynthesisFailure("wrong content", "The service redirects to something that is no address.") from error
    same = (here.scheme, here.host, here.port) == (there.scheme, there.host, there.port)
    becomes_get = received.status in (301, 302, 303) and asked.method != "GET"
    if same:
        kept = {k: v for k, v in asked.headers.items() if not becomes_get or k.lower() != "content-type"}
        return replace(
            asked,
            address=str(there),
            headers=kept,
            method="GET" if becomes_get else asked.method,
            content=None if becomes_get else asked.content,
        )
    if (asked.content and not becomes_get) or (secret and secret in str(there)):
        raise SynthesisFailure(
            "refused", f"The service redirects to {there.host}. The request with its key was not sent there."
        )
    return Asked(method="GET", address=str(there))


def fetch(client: httpx.Client, speak: Reached, source: Asked, link: str, began: float, cancelled: Cancelled,
          secret: str) -> Received:  # fmt: skip
    """Fetch what a reply links to. The file's headers go along only where the link stays on the service's host."""
    here, there = httpx.URL(source.address), httpx.URL(source.address).join(link)
    if there.scheme not in ("http", "https"):
        raise SynthesisFailure("wrong content", f"The reply links to '{link[:80]}', which is no web address.")
    same = (here.scheme, here.host, here.port) == (there.scheme, there.host, there.port)
    kept = {k: v for k, v in source.headers.items() if k.lower() != "content-type"} if same else {}
    return send(client, speak, Asked(method="GET", address=str(there), headers=kept), secret, began, cancelled)


def _send_once(client: httpx.Client, speak: Reached, asked: Asked, began: float, cancelled: Cancelled) -> Received:
    marks: dict[str, float] = {}

    def note(event: str, _: Mapping[str, Any]) -> None:
        if event == "connection.connect_tcp.complete":
            marks["connected"] = time.monotonic() - began
        elif event == "http11.send_request_body.complete":
            marks["sent"] = time.monotonic() - began

    # nothing packed is asked for: unpacking would cost time that is not the service's
    headers = {"Accept-Encoding": "identity", **asked.headers}
    try:
        with client.stream(
            asked.method, asked.address, headers=headers, content=asked.content, extensions={"trace": note}
        ) as response:
            return receive(response, speak, began, cancelled, marks)
    except httpx.TimeoutException as error:
        raise SynthesisFailure("timed out", _timeout_sentence(error, speak, marks)) from error
    except (httpx.InvalidURL, httpx.UnsupportedProtocol) as error:
        raise SynthesisFailure("unreachable", f"'{asked.address[:120]}' is no address ({error}).") from error
    except httpx.HTTPError as error:
        cut = "first byte" in marks
        what = "The connection broke in the middle of the reply" if cut else "The service could not be reached"
        raise SynthesisFailure("broken sound" if cut else "unreachable", f"{what} ({error}).") from error


def _timeout_sentence(error: httpx.TimeoutException, speak: Reached, marks: Mapping[str, float]) -> str:
    if isinstance(error, httpx.ConnectTimeout):
        return f"No connection within {speak.connect_timeout_s:g} s."
    where = "in the middle of the reply" if "first byte" in marks else "before the reply began"
    return f"Nothing came for {speak.read_timeout_s:g} s {where}."
