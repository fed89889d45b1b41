"""The page over HTTP: a session by its link, its clips, its answers; and nothing else for anybody.

Codes are drawn from 96 bits and never listed. What a stranger asks gets one sentence and no reason. A code that is
known is let through at any pace; guesses from one address are slowed down, then turned away for a while.
"""

from __future__ import annotations

import asyncio
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import TYPE_CHECKING, Any, Final, TextIO

from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.listening.elsewhere.returned import TakenBack
from zestpanel.core.listening.elsewhere.served import Closed, Served
from zestpanel.core.texts import tr

if TYPE_CHECKING:
    from starlette.applications import Starlette
    from starlette.requests import Request
    from starlette.responses import Response

MOST_BYTES: Final = 4_000_000  # of answers at once
READERS: Final = 2
HERE: Final = "127.0.0.1"
ANYWHERE: Final = "0.0.0.0"  # noqa: S104 where the person asks for it
GUESSES, IN_S, LOCKED_S, GUESS_WAITS_S = 20, 60.0, 60.0, 0.2
_NOTHING: Final = tr("There is nothing here.")
_NOT_TAKEN: Final = tr("That cannot be taken in.")
_BROKEN: Final = tr("That did not work. Please tell whoever asked you to listen.")
_MOST_ADDRESSES: Final = 10_000
_HEADERS: Final = {
    "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer", "X-Frame-Options": "DENY",
    "Content-Security-Policy": "frame-ancestors 'none'", "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin", "Cache-Control": "no-store",
}  # fmt: skip


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


def app_of(served: Served, *, told: Callable[[str], None] = lambda _: None) -> Starlette:
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
                Route("/s/{code}/{clip}", doors.clip)],
        exception_handlers=handlers,
    )  # fmt: skip


def _plain(text: str, status: int) -> Response:
    from starlette.responses import PlainTextResponse

    return PlainTextResponse(text + "\n", status_code=status, headers=_HEADERS)


class _Doors:
    """What can be asked of the server."""

    def __init__(self, served: Served, told: Callable[[str], None]) -> None:
        self._served, self._told, self._guesses = served, told, Guesses()
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

    def _kept(self, found: tuple[TakenBack, str]) -> Response:
        from starlette.responses import JSONResponse

        done, completion = found
        if done.new or done.turned_away:
            self._told(done.says(tr("the page")))
        return JSONResponse({"kept": True, "finished": done.finished, "completion": completion}, headers=_HEADERS)

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
        address = request.client.host if request.client else ""
        if self._guesses.locked(address):
            return _plain(tr("Too many tries. Please wait a minute."), 429)
        self._guesses.note(address)
        await asyncio.sleep(GUESS_WAITS_S)
        return _plain(_NOTHING, 404)


def _from_here(request: Request) -> bool:
    """Whether a post comes from the page itself: what a browser says of where it was begun."""
    site, origin = request.headers.get("sec-fetch-site"), request.headers.get("origin")
    if site is not None and site != "same-origin":
        return False
    return origin is None or origin.partition("://")[2] == request.headers.get("host")


async def _body(request: Request) -> bytes | None:
    """None where it is larger than is taken, without reading the rest."""
    out = bytearray()
    async for part in request.stream():
        out += part
        if len(out) > MOST_BYTES:
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
    served: Served, *, address: str, port: int, began: Callable[[str], None], told: Callable[[str], None],
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
