"""The page over HTTP: a session by its link, its clips, its answers; and nothing else for anybody.

Codes are drawn from 96 bits and never listed. What a stranger asks gets one sentence and no reason. A code that is
known is let through at any pace; guesses from one address are slowed down, then turned away for a while.
"""

from __future__ import annotations

import asyncio
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Awaitable, Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import TYPE_CHECKING, Any, Final, Protocol, TextIO
from urllib.parse import parse_qs

from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.listening.elsewhere.served import Closed, Joined, Thanked
from zestpanel.core.texts import tr

if TYPE_CHECKING:
    from starlette.applications import Starlette
    from starlette.requests import Request
    from starlette.responses import Response

MOST_BYTES: Final = 4_000_000  # of answers at once
MOST_FORM_BYTES: Final = 10_000
READERS: Final = 2
HERE: Final = "127.0.0.1"
ANYWHERE: Final = "0.0.0.0"  # noqa: S104 where the person asks for it
GUESSES, IN_S, LOCKED_S, GUESS_WAITS_S = 20, 60.0, 60.0, 0.2
_NOTHING: Final = tr("There is nothing here.")
_NOT_TAKEN: Final = tr("That cannot be taken in.")
_BROKEN: Final = tr("That did not work. Please tell whoever asked you to listen.")
_SLOWLY: Final = tr("Too many tries. Please wait a minute.")
_COOKIE: Final = "listening"  # by which a browser finds its own link again
_REMEMBERED_S: Final = 90 * 24 * 3600
_MOST_ADDRESSES: Final = 10_000
_HEADERS: Final = {
    "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer", "X-Frame-Options": "DENY",
    "Content-Security-Policy": "frame-ancestors 'none'", "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin", "Cache-Control": "no-store",
}  # fmt: skip

_FORM_HEADERS: Final = {**_HEADERS, "Referrer-Policy": "same-origin"}  # without one a form says not where it is from


class Guesses:
    """How many unknown codes came from an address of late."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock, self._of = clock, OrderedDict[str, deque[float]]()

    def locked(self, address: str) -> bool:
        seen = self._of.get(address)
        return bool(seen) and len(seen or ()) >= GUESSES and self._clock() - (seen or [0.0])[-1] < LOCKED_S

    def note(self, address: str) -> None:
        seen = self._of.setdefault(address, deque(maxlen=GUESSES))
        self._of.move_to_end(address)
        while seen and self._clock() - seen[0] > IN_S:
            seen.popleft()
        seen.append(self._clock())
        if len(self._of) > _MOST_ADDRESSES:
            self._of.popitem(last=False)


class Home(Protocol):
    """Where sessions come from and answers go to: the project, or a store that several servers share. Nothing for a
    code that is not known; Closed for one that takes nothing any more."""

    def page(self, code: str) -> str | None: ...

    def clip(self, code: str, clip: str) -> bytes | None: ...

    def answers(self, code: str, body: bytes) -> Thanked | None: ...

    def joining(self, code: str, accepted: str) -> str | None: ...

    def join(self, code: str, accepted: str, speaks: Sequence[str]) -> Joined | None: ...


def app_of(served: Home, *, told: Callable[[str], None] = lambda _: None) -> Starlette:
    """told: is given a line when answers have come."""
    from starlette.applications import Starlette
    from starlette.routing import Route

    doors = _Doors(served, told)

    def always(words: str, status: int) -> Callable[[Request, Exception], Awaitable[Response]]:
        async def says(request: Request, error: Exception) -> Response:
            del request, error
            return _plain(words, status)

        return says

    handlers: dict[Any, Callable[[Request, Exception], Awaitable[Response]]] = {
        404: always(_NOTHING, 404), 405: always(tr("That is not done here."), 405), 500: always(_BROKEN, 500),
    }  # fmt: skip
    return Starlette(
        routes=[Route("/s/{code}", doors.page), Route("/s/{code}/answers", doors.answers, methods=["POST"]),
                Route("/s/{code}/{clip}", doors.clip), Route("/j/{code}", doors.joining),
                Route("/j/{code}", doors.join, methods=["POST"])],
        exception_handlers=handlers,
    )  # fmt: skip


def _plain(text: str, status: int) -> Response:
    from starlette.responses import PlainTextResponse

    return PlainTextResponse(text + "\n", status_code=status, headers=_HEADERS)


class _Doors:
    """What can be asked of the server."""

    def __init__(self, served: Home, told: Callable[[str], None]) -> None:
        self._served, self._told, self._guesses, self._joins = served, told, Guesses(), Guesses()
        # answers have a thread of their own: they are written one by one anyhow, and wait for no page to be made; and
        # many threads would only wait for one another's turn in the interpreter
        self._writes = ThreadPoolExecutor(1, thread_name_prefix="answers")
        self._reads = ThreadPoolExecutor(READERS, thread_name_prefix="pages")

    async def page(self, request: Request) -> Response:
        from starlette.responses import HTMLResponse

        code = request.path_params["code"]
        return await self._found(request, lambda: self._served.page(code),
                                 lambda text: HTMLResponse(text, headers=_HEADERS))  # fmt: skip

    async def clip(self, request: Request) -> Response:
        from starlette.responses import Response

        code, name = request.path_params["code"], request.path_params["clip"]
        headers = {**_HEADERS, "Cache-Control": "private, max-age=86400, immutable"}
        return await self._found(
            request, lambda: self._served.clip(code, name),
            lambda data: Response(data, media_type="application/octet-stream", headers=headers),
        )  # fmt: skip

    async def answers(self, request: Request) -> Response:
        if request.headers.get("content-type", "").partition(";")[0].strip().lower() != "application/json":
            return _plain(_NOT_TAKEN, 415)
        if not _from_here(request):
            return _plain(_NOT_TAKEN, 403)
        body = await _body(request)
        if body is None:
            return _plain(tr("That is too much at once."), 413)
        code = request.path_params["code"]
        return await self._found(request, lambda: self._served.answers(code, body), self._kept, by=self._writes)

    def _kept(self, found: Thanked) -> Response:
        from starlette.responses import JSONResponse

        if found.says:
            self._told(found.says)
        said = {"kept": True, "finished": found.finished, "completion": found.completion, "away": found.away}
        return JSONResponse(said, headers=_HEADERS)

    async def joining(self, request: Request) -> Response:
        """Who came before by the same browser goes on with their own link."""
        from starlette.responses import HTMLResponse

        if own := _own_link(request):
            return _to(own)
        code, accepted = request.path_params["code"], request.headers.get("accept-language", "")
        return await self._found(request, lambda: self._served.joining(code, accepted),
                                 lambda text: HTMLResponse(text, headers=_FORM_HEADERS))  # fmt: skip

    async def join(self, request: Request) -> Response:
        if not _from_here(request):
            return _plain(_NOT_TAKEN, 403)
        if own := _own_link(request):
            return _to(own)
        address = _address_of(request)
        if self._joins.locked(address):
            return _plain(_SLOWLY, 429)
        body = await _body(request, MOST_FORM_BYTES)
        if body is None:
            return _plain(tr("That is too much at once."), 413)
        try:
            speaks = parse_qs(body.decode("utf-8", "replace"), max_num_fields=200).get("speaks", [])
        except ValueError:
            return _plain(_NOT_TAKEN, 422)
        code, accepted = request.path_params["code"], request.headers.get("accept-language", "")

        def answer(found: Joined) -> Response:
            from starlette.responses import HTMLResponse

            if not found.code:
                return HTMLResponse(found.page, headers=_FORM_HEADERS)
            self._joins.note(address)
            self._told(tr("A listener has come."))
            reply = _to(found.code)
            reply.set_cookie(_COOKIE, found.code, max_age=_REMEMBERED_S, path=request.url.path, httponly=True,
                             samesite="lax", secure=request.url.scheme == "https")  # fmt: skip
            return reply

        return await self._found(request, lambda: self._served.join(code, accepted, speaks), answer, by=self._writes)

    async def _found(
        self, request: Request, act: Callable[[], Any], answer: Callable[[Any], Response], *,
        by: ThreadPoolExecutor | None = None,
    ) -> Response:  # fmt: skip
        """What is there for a code; else one sentence, and a pause for who guesses."""
        try:
            found = await asyncio.get_running_loop().run_in_executor(by or self._reads, act)
        except Closed:
            return _plain(tr("This test takes no more answers."), 410)
        except InputError:
            return _plain(_NOT_TAKEN, 422)
        except ZestError:
            return _plain(_BROKEN, 500)
        if found is not None:
            return answer(found)
        address = _address_of(request)
        if self._guesses.locked(address):
            return _plain(_SLOWLY, 429)
        self._guesses.note(address)
        await asyncio.sleep(GUESS_WAITS_S)
        return _plain(_NOTHING, 404)


def _address_of(request: Request) -> str:
    return request.client.host if request.client else ""


def _own_link(request: Request) -> str:
    code = request.cookies.get(_COOKIE, "")
    return code if code.isalnum() else ""


def _to(code: str) -> Response:
    from starlette.responses import RedirectResponse

    return RedirectResponse(f"/s/{code}", status_code=303, headers=_HEADERS)


def _from_here(request: Request) -> bool:
    """Whether a post comes from the page itself: what a browser says of where it was begun."""
    site, origin = request.headers.get("sec-fetch-site"), request.headers.get("origin")
    if site is not None and site != "same-origin":
        return False
    return origin is None or origin.partition("://")[2] == request.headers.get("host")


async def _body(request: Request, most: int = MOST_BYTES) -> bytes | None:
    """None where it is larger than is taken, without reading the rest."""
    out = bytearray()
    async for part in request.stream():
        out += part
        if len(out) > most:
            return None
    return bytes(out)


def reached_by() -> str:
    """By which address other machines of the network reach this one; this machine's own where there is no network.
    Nothing is sent."""
    import socket

    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
        try:
            one.connect(("192.0.2.1", 9))  # of the block for documentation (RFC 5737)
            return str(one.getsockname()[0])
        except OSError:
            return HERE


def serve(
    served: Home, *, address: str, port: int, began: Callable[[str], None], told: Callable[[str], None],
    proxied: bool = False, until: TextIO | None = None,
) -> None:  # fmt: skip
    """Until it is interrupted, or what is read from ends: that of a program that began it and is there no more. began:
    is given the address once it listens. proxied: a server before it says from where a request came. Raises InputError
    where the port is taken."""
    import socket

    import uvicorn

    try:
        listening = socket.create_server((address, port), family=socket.AF_INET6 if ":" in address else socket.AF_INET)
    except OSError as error:
        raise InputError(
            tr("{address}, port {port} cannot be listened on ({why}).", address=address, port=port,
               why=error.strerror or error), remedy=tr("Choose another by --port, or 0 for a free one."),
        ) from error  # fmt: skip
    host = f"[{address}]" if ":" in address else reached_by() if address == ANYWHERE else address
    config = uvicorn.Config(app_of(served, told=told), log_level="critical", access_log=False, server_header=False,
                            limit_concurrency=1_000, timeout_keep_alive=20, proxy_headers=proxied,
                            forwarded_allow_ips="127.0.0.1", lifespan="off")  # fmt: skip
    began(f"http://{host}:{listening.getsockname()[1]}")
    running = uvicorn.Server(config)

    def read_to_its_end() -> None:
        assert until is not None
        while until.readline():
            pass
        running.should_exit = True

    if until is not None:
        threading.Thread(target=read_to_its_end, daemon=True).start()
    with listening, suppress(KeyboardInterrupt):  # what it was asked to end by, raised once more at its end
        running.run(sockets=[listening])
