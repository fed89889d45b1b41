"""The request: templates filled, key put in, signed; redirects followed without ever carrying the key elsewhere."""

from __future__ import annotations

import base64
import contextlib
import json
import os
import socket
import ssl
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, Final
from urllib.parse import urlencode
from urllib.request import getproxies

import httpx

from zestpanel.core.catalogue.reaching import HttpSpeak, Reached
from zestpanel.core.connectors import agreed
from zestpanel.core.connectors.hosts import host_of, is_local, origin_of, stays_at
from zestpanel.core.connectors.http.receiving import Received, receive
from zestpanel.core.connectors.plugins import signer
from zestpanel.core.connectors.templates import fill
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.masking import holds_key, known_keys, without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, watched

MOST_REDIRECTS: Final = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class HttpRequest:
    """One request, ready to be sent. ``content`` is the body's bytes, None for none. ``elsewhere``: to another host
    than the connector file names, where a reply has led."""

    method: str
    address: str
    headers: dict[str, str] = field(default_factory=dict)
    content: bytes | None = None
    elsewhere: bool = False

    def as_text(self) -> str:
        """As it goes out, for people; long or binary bodies are shortened."""
        lines = [f"{self.method} {self.address}", *(f"{name}: {value}" for name, value in self.headers.items())]
        if self.content:
            try:
                text = self.content.decode("utf-8")
            except UnicodeDecodeError:
                text = tr("({content} bytes)", content=f"{len(self.content):,}")
            if self.headers.get("Content-Type", "").startswith("application/json"):
                text = json.dumps(json.loads(text), ensure_ascii=False, indent=2)
            lines += ["", text if len(text) < 6000 else text[:6000] + " …"]
        return "\n".join(lines)


def filled(speak: HttpSpeak, values: Mapping[str, Any], secret: str) -> HttpRequest:
    """The request of a connector file with every place filled. Raises SynthesisFailure for a missing file."""
    values = {**values, **key_values(secret)}
    headers = {name: str(fill(expand_environment(value), values)) for name, value in speak.headers.items()}
    query = {name: str(fill(expand_environment(value), values)) for name, value in speak.query.items()}
    address = with_query(str(fill(expand_environment(speak.address), values)), query)
    if not stays_at(address, speak.address):
        raise SynthesisFailure(
            "refused",
            tr(
                "A setting of the request would lead it to another host than its connector file names. "
                "Nothing was sent."
            ),
        )
    content, kind = content_of(speak, values)
    if kind and not any(name.lower() == "content-type" for name in headers):
        headers["Content-Type"] = kind
    asked = HttpRequest(method=speak.method, address=address, headers=headers, content=content)
    if speak.sign:
        signed = signer(speak.sign)(asked.method, asked.address, dict(asked.headers), asked.content or b"", secret)
        asked = replace(asked, headers={**asked.headers, **signed})
    return asked


def with_query(address: str, query: Mapping[str, str]) -> str:
    return address + ("&" if "?" in address else "?") + urlencode(query) if query else address


def key_values(secret: str) -> dict[str, Any]:
    """A key as it is, and as basic authentication takes 'name:password' (RFC 7617)."""
    return {"secret": secret, "secret_base64": base64.b64encode(secret.encode("utf-8")).decode()}


def content_of(speak: HttpSpeak, values: Mapping[str, Any]) -> tuple[bytes | None, str]:
    """(the body filled, its content type; None and '' for none)."""
    body = fill(speak.body, values)
    if speak.body_as == "multipart":
        # a field is a part without a file name (RFC 7578, 4.2); so is a form without any file
        parts: list[tuple[str, Any]] = [(name, (None, _plain(value))) for name, value in (body or {}).items()]
        for name, path in speak.files.items():
            for reference in values.get("references", (values.get("reference", ""),)):
                of_one = {**values, "reference": reference}
                parts.append((name, _file(str(fill(path, of_one)), of_one)))
        request = httpx.Request("POST", "http://x", files=parts)
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


def _file(path: str, values: Mapping[str, Any]) -> tuple[str, bytes]:
    """The recording of the request's voice; no other file of this machine goes out."""
    if path != values.get("reference"):
        raise SynthesisFailure(
            "refused",
            tr(
                "The connector file sends along '{without_keys}'. Only the recording of a voice of your "
                "own may be sent: {{reference}}. Nothing was sent.",
                without_keys=without_keys(path, 120),
            ),
        )
    try:
        with open(path, "rb") as file:
            recording = file.read()
    except OSError as error:
        raise SynthesisFailure(
            "refused",
            tr("The file '{path}' that is sent along cannot be read ({strerror}).", path=path, strerror=error.strerror),
        ) from error
    if not recording:
        raise SynthesisFailure("refused", tr("The voice's recording is empty. Nothing was sent."))
    return path.rsplit("/", 1)[-1], recording


@lru_cache(maxsize=4)
def _trusted(file: str, folder: str) -> ssl.SSLContext:  # noqa: ARG001 what httpx goes by
    """The certificates that are trusted: reading them takes longer than a request, and they are the same for all."""
    return httpx.create_ssl_context()


def make_client(speak: Reached, *, connections: int, transport: httpx.BaseTransport | None = None) -> httpx.Client:
    """A client with the file's proxy, certificates and time-outs. Redirects are followed here, not by the client."""
    verify = _trusted(os.environ.get("SSL_CERT_FILE", ""), os.environ.get("SSL_CERT_DIR", ""))
    if speak.ca_file:
        path = expand_environment(speak.ca_file)
        try:
            verify = ssl.create_default_context(cafile=path)
        except (OSError, ssl.SSLError) as error:
            raise SynthesisFailure(
                "unreachable", tr("The certificate file '{path}' cannot be read ({error}).", path=path, error=error)
            ) from error
    return httpx.Client(
        transport=transport,
        follow_redirects=False,
        verify=verify,
        proxy=expand_environment(speak.proxy) or None,
        timeout=httpx.Timeout(speak.read_timeout_s, connect=speak.connect_timeout_s),
        limits=httpx.Limits(max_connections=connections, max_keepalive_connections=connections),
    )


@dataclass(slots=True)
class Sent:
    """Whether the service took the text in: it answered that it did, or sent on. status: of its answer, 0 for none."""

    taken_in: bool = False
    status: int = 0


def send(
    client: httpx.Client, speak: Reached, asked: HttpRequest, secret: str, began: float, cancelled: Cancelled,
    sent: Sent | None = None, *, own: str = "",
) -> Received:  # fmt: skip
    """Send the request and follow redirects: within its host, to another that was agreed to only without the key. A
    text goes out once: a service that wants it elsewhere has read it, and may bill it there as well.

    sent: what becomes of the text is noted there. own: the origin that the connector file names, where the request goes
    to another one. Raises SynthesisFailure or Cancelled.
    """
    own = own or origin_of(asked.address)
    for _ in range(MOST_REDIRECTS + 1):
        received = _send_watched(client, speak, asked, began, cancelled)
        if sent is not None:
            sent.taken_in |= received.status < 400
            sent.status = received.status
        if received.status not in (301, 302, 303, 307, 308) or "location" not in received.headers:
            return received
        asked = _redirected(asked, received, secret, own)
        if asked.content:
            raise SynthesisFailure(
                "refused",
                tr(
                    "The service wants the text at another address: {address}. It was not sent there, since both may "
                    "bill it. If that is its address now, write it into the connector file.",
                    address=without_keys(asked.address, 120),
                ),
                stops=True,
            )
    raise SynthesisFailure(
        "wrong content",
        tr("The service redirects in a circle; {most_redirects} were followed.", most_redirects=MOST_REDIRECTS),
    )


def holds_any_key(address: str, secret: str) -> bool:
    """Whether an address holds this key, or another that this program has come across: a token, say."""
    return any(holds_key(address, key) for key in {secret, *known_keys()} if key)


def _redirected(asked: HttpRequest, received: Received, secret: str, own: str) -> HttpRequest:
    try:
        here, there = httpx.URL(asked.address), httpx.URL(asked.address).join(received.headers["location"])
    except (httpx.InvalidURL, ValueError) as error:
        raise SynthesisFailure("wrong content", tr("The service redirects to something that is no address.")) from error
    becomes_get = received.status in (301, 302, 303) and asked.method != "GET"
    if _same(here, there):
        kept = {k: v for k, v in asked.headers.items() if not becomes_get or k.lower() != "content-type"}
        return replace(
            asked,
            address=str(there),
            headers=kept,
            method="GET" if becomes_get else asked.method,
            content=None if becomes_get else asked.content,
        )
    if asked.content and not becomes_get:
        raise SynthesisFailure(
            "refused",
            tr(
                "The service redirects to {host}. The request with its key was not sent there.",
                host=host_of(str(there)),
            ),
            of_key=True,
        )
    return _elsewhere(str(there), own, secret)


def _same(here: httpx.URL, there: httpx.URL) -> bool:
    return (here.scheme, here.raw_host, here.port) == (there.scheme, there.raw_host, there.port)


def _elsewhere(address: str, own: str, secret: str) -> HttpRequest:
    """A request to another host than the file's own, for what a reply says lies there: a GET with neither key nor text,
    if its person has agreed to that host. Raises SynthesisFailure; then it will be asked about."""
    there = origin_of(address)
    if holds_any_key(address, secret):
        raise SynthesisFailure(
            "refused",
            tr("The reply leads to {host} with the key in its address. It was not sent there.", host=host_of(there)),
            of_key=True,
        )
    if there != own and not agreed.may_be_fetched(own, there):
        with contextlib.suppress(InputError):  # where it cannot be kept it is asked about all the same, in words
            agreed.want(own, there)
        raise SynthesisFailure(
            "refused",
            tr(
                "The service keeps its sound at another host, {host}, and nobody has agreed to that on this machine. "
                "Nothing was fetched from there. Agree to it in Engines, or with 'zest agree', and ask again.",
                host=there,
            ),
            stops=True,
        )
    return HttpRequest(method="GET", address=address, elsewhere=there != own)


def fetch(client: httpx.Client, speak: Reached, source: HttpRequest, link: str, began: float, cancelled: Cancelled,
          secret: str, post: tuple[bytes | None, str] = (None, "")) -> Received:  # fmt: skip
    """Fetch what a reply links to. The file's headers go along only where the link stays on the service's host.

    post: a body and its content type, for a question that is asked by POST; it goes to no other host.
    """
    try:
        here, there = httpx.URL(source.address), httpx.URL(source.address).join(link)
    except (httpx.InvalidURL, ValueError) as error:
        raise SynthesisFailure("wrong content", tr("The reply links to something that is no address.")) from error
    if there.scheme not in ("http", "https"):
        raise SynthesisFailure(
            "wrong content",
            tr("The reply links to '{without_keys}', which is no web address.", without_keys=without_keys(link, 80)),
        )
    own = origin_of(source.address)
    if _same(here, there):
        kept = {k: v for k, v in source.headers.items() if k.lower() != "content-type"}
        content, kind = post
        kept |= {"Content-Type": kind} if kind else {}
        asked = HttpRequest(method="GET" if content is None else "POST", address=str(there), headers=kept,
                            content=content)  # fmt: skip
    elif post[0] is not None:
        raise SynthesisFailure("refused", tr("The state of a job is asked by POST only where the text was sent."))
    else:
        asked = _elsewhere(str(there), own, secret)
    return send(client, speak, asked, secret, began, cancelled, own=own)


def _keep_out(asked: HttpRequest, speak: Reached, stream: Any) -> None:
    """A host with a public name that leads into this machine's own network is left before anything is sent there."""
    peer = stream.get_extra_info("server_addr")
    through = speak.proxy or getproxies()  # the peer is the proxy then, the file's or the person's own
    by_name = not through and asked.elsewhere and not is_local(host_of(asked.address))
    if by_name and isinstance(peer, tuple) and is_local(str(peer[0])):
        stream.close()
        raise SynthesisFailure(
            "refused",
            tr(
                "The reply leads to {host}, which is an address of this machine's own network. Nothing was sent there.",
                host=host_of(asked.address),
            ),
            stops=True,
        )


def _send_watched(
    client: httpx.Client, speak: Reached, asked: HttpRequest, began: float, cancelled: Cancelled
) -> Received:
    """One exchange that ends when it is stopped or late, although its headers or its body go on dripping."""
    given_up = threading.Event()
    sockets: list[Any] = []

    def give_up() -> None:
        given_up.set()
        for one in sockets:  # the connection's own: what reads from it comes back at once
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    return watched(
        lambda: _send_once(client, speak, asked, began, lambda: given_up.is_set() or cancelled(), sockets),
        cancelled,
        began + speak.whole_timeout_s,
        tr(
            "The reply was not whole after {whole_timeout_s} s and was dropped.",
            whole_timeout_s=f"{speak.whole_timeout_s:g}",
        ),
        give_up,
    )


def _send_once(
    client: httpx.Client, speak: Reached, asked: HttpRequest, began: float, cancelled: Cancelled, sockets: list[Any]
) -> Received:
    marks: dict[str, float] = {}

    def note(event: str, told: Mapping[str, Any]) -> None:
        if event == "connection.connect_tcp.complete":
            marks["connected"] = time.monotonic() - began
            _keep_out(asked, speak, told["return_value"])
            sockets.append(told["return_value"].get_extra_info("socket"))
        elif event == "http11.send_request_body.complete":
            marks["sent"] = time.monotonic() - began

    # nothing packed is asked for: unpacking would cost time that is not the service's
    headers = {"Accept-Encoding": "identity", **asked.headers}
    try:
        with client.stream(
            asked.method, asked.address, headers=headers, content=asked.content, extensions={"trace": note}
        ) as response:
            sockets.append(response.extensions["network_stream"].get_extra_info("socket"))
            return receive(response, speak, began, cancelled, marks)
    except (httpx.ConnectTimeout, httpx.PoolTimeout) as error:  # nothing was sent
        raise SynthesisFailure(
            "unreachable",
            tr("No connection within {connect_timeout_s} s.", connect_timeout_s=f"{speak.connect_timeout_s:g}"),
        ) from error
    except httpx.TimeoutException as error:
        raise SynthesisFailure("timed out", _timeout_sentence(speak, marks)) from error
    except UnicodeEncodeError as error:  # a head is in ASCII (RFC 9110, 5.5)
        raise SynthesisFailure(
            "refused",
            tr("The key, the token or a setting holds a sign that no request can carry. Nothing was sent."),
            of_key=True,
        ) from error
    except (httpx.InvalidURL, httpx.UnsupportedProtocol) as error:
        raise SynthesisFailure(
            "unreachable",
            tr("'{without_keys}' is no address ({error}).", without_keys=without_keys(asked.address, 120), error=error),
        ) from error
    except httpx.HTTPError as error:
        kind, what = _broken_off(marks)
        raise SynthesisFailure(kind, f"{what} ({error}).") from error


def _broken_off(marks: Mapping[str, float]) -> tuple[str, str]:
    """(kind of failure, what happened). A request that had gone out whole may have been answered, and billed."""
    if "first byte" in marks:
        return "broken sound", tr("The connection broke in the middle of the reply")
    if "sent" in marks:
        return "broke off", tr("The connection broke off after the request was sent")
    return "unreachable", tr("The service could not be reached")


def _timeout_sentence(speak: Reached, marks: Mapping[str, float]) -> str:
    where = tr("in the middle of the reply") if "first byte" in marks else tr("before the reply began")
    return tr("Nothing came for {read_timeout_s} s {where}.", read_timeout_s=f"{speak.read_timeout_s:g}", where=where)
