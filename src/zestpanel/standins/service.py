"""A hosted service, played over real HTTP on the loopback: three engines, keys, an allowance, delays and faults.

POST /{engine}/speak         {"text", "voice", "model", "pace", "liveliness", "seed"} -> a clip, in the engine's own way
POST /{engine}/as/{way}      the same, in a stated way: stream, pcm, json, parts, events, lines, link, job
WS   /{engine}/talk          the same as a message; samples as binary messages, then {"done": true, ...}
GET  /{engine}/voices        the voices, sixty a page
POST /{engine}/own-voices    a voice of recordings (a form: name, language, visible, sample ...) -> its id
GET  /{engine}/own-voices/{number}   how far it is; DELETE takes it off the shelf
GET  /jobs/{number}          the state of a job; /jobs/{number}/sound and /kept/{name} give the sound
GET  /account                what was used, what is left                  (X-Key as for the others)
GET  /invoice/{engine}?plan  the month's, from a ledger of all requests    (X-Key as for the others)
POST /control                delays and faults, see Behaviour             (no key: it is the stage manager's door)
"""

from __future__ import annotations

import argparse
import asyncio
import os
import random
import socket
import threading
import time
import uuid
from collections import deque
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Final
from urllib.parse import parse_qsl

import uvicorn
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect, Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route, WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from zestpanel.standins.billing import PRICE_LISTS, Account
from zestpanel.standins.marks import for_built_in
from zestpanel.standins.own_shelf import Shelf
from zestpanel.standins.replies import WAYS, Spoken, as_link, pieces
from zestpanel.standins.timbre import speak
from zestpanel.standins.unsteady import pushed_too_far
from zestpanel.standins.voices import MOODS, PIPS, moods_of, pip, timbre_of

ENGINES: Final[dict[str, tuple[str, ...]]] = {
    "tangor": ("ilseth", "corwick", "odrine", "tovara", "escalid", "hedrune", "wolbreck"),
    "citrange": ("brindal", "linnoway", "vauclin", "fiorenda", "massarro", "ondelva", "jaquimor"),
    "mandelo": tuple(f"pip-{number:03d}" for number in range(1, PIPS + 1)),
}
OWN_WAY: Final = {"tangor": "stream", "citrange": "json", "mandelo": "events"}
LONGEST_TEXT: Final = {"tangor": 3000, "citrange": 900, "mandelo": 1500}
FAULTS: Final = ("limit", "server error", "web page", "cut off", "stall")
_PAGE: Final = 60


@dataclass
class Behaviour:
    """What the stage manager can set. delay_s: before the first byte. faults: one is used up by each request.

    chunk_s: pause before each later chunk of a stream. stall_s: how long a stall in the middle lasts. today
    and new_model_on, of a calendar of its own: from that day Mandelo speaks with another model and says nothing of it.
    """

    key: str = "orchard-demo-key"
    allowance: int = 500_000
    delay_s: dict[str, float] = field(default_factory=lambda: {"tangor": 0.12, "citrange": 0.05, "mandelo": 0.08})
    chunk_s: float = 0.004
    stall_s: float = 30.0
    job_s: float = 0.3
    retry_after_s: float = 0.4
    faults: deque[str] = field(default_factory=deque)
    fault_rate: float = 0.0
    other_voice: str = ""  # answer with this voice instead of the one asked for
    today: str = "2026-11-02"
    new_model_on: str = "2027-01-15"
    used: int = 0
    requests: int = 0
    asked: list[tuple[str, date, int, str]] = field(default_factory=list)  # engine, day, characters, model
    chance: random.Random = field(default_factory=lambda: random.Random(5))

    def next_fault(self) -> str:
        if self.faults:
            return self.faults.popleft()
        return self.chance.choice(FAULTS[:3]) if self.chance.random() < self.fault_rate else ""

    @property
    def model_changed(self) -> bool:
        return self.today >= self.new_model_on


class _Refused(Exception):
    def __init__(self, response: Response) -> None:
        self.response = response


class _Service:
    def __init__(self, behaviour: Behaviour) -> None:
        self.behaviour = behaviour
        self.kept: dict[str, bytes] = {}
        self.jobs: dict[str, tuple[float, bytes]] = {}
        self.shelf = Shelf()

    def _check(self, engine: str, key: str | None, asked: Any) -> tuple[str, str, str]:
        """(text, voice, fault); raises _Refused."""
        behaviour = self.behaviour
        behaviour.requests += 1
        if key != behaviour.key:
            raise _Refused(JSONResponse({"error": "this key is not known"}, status_code=401))
        try:
            text, voice = str(asked["text"]), str(asked["voice"])
        except (KeyError, TypeError):
            raise _Refused(JSONResponse({"error": "text and voice are wanted"}, status_code=400)) from None
        voice = behaviour.other_voice or voice
        if engine not in ENGINES or (voice not in ENGINES[engine] and self.shelf.timbre(voice) is None):
            raise _Refused(JSONResponse({"error": f"no voice {voice}"}, status_code=404))
        if len(text) > LONGEST_TEXT[engine]:
            raise _Refused(JSONResponse({"error": f"text over {LONGEST_TEXT[engine]} characters"}, status_code=413))
        fault = behaviour.next_fault()
        if fault == "limit":
            wait = {"retry-after": f"{behaviour.retry_after_s:g}"}
            raise _Refused(JSONResponse({"error": "too many requests"}, status_code=429, headers=wait))
        if behaviour.used + len(text) > behaviour.allowance:
            raise _Refused(JSONResponse({"error": "the allowance of this month is used up"}, status_code=402))
        if fault == "server error":
            raise _Refused(JSONResponse({"error": "something broke"}, status_code=500))
        if fault == "web page":
            raise _Refused(HTMLResponse("<!doctype html><html><body>Please sign in again.</body></html>"))
        return text, voice, fault

    async def _make(self, engine: str, key: str | None, asked: Any) -> Spoken:
        text, voice, fault = self._check(engine, key, asked)
        timbre, behaviour = timbre_of(voice) or self.shelf.timbre(voice), self.behaviour
        assert timbre is not None
        mood = str(asked.get("mood") or "plain")
        if mood not in moods_of(voice):
            raise _Refused(JSONResponse({"error": f"{voice} has no mood '{mood}'"}, status_code=422))
        behaviour.asked.append((engine, date.fromisoformat(behaviour.today), len(text), str(asked.get("model", ""))))
        behaviour.used += len(text)  # before the speaking: two requests at once must not both pass the check
        pace, lively = MOODS[mood]
        began = time.monotonic()
        asked_lively, seed = float(asked.get("liveliness", 1.0)), int(asked.get("seed", 0))
        kept_text, wandering = pushed_too_far(text, asked_lively, seed)
        spoken_text, marked_up = for_built_in(engine, kept_text, timbre.base)
        changed = engine == "mandelo" and behaviour.model_changed
        clip, events = await run_in_threadpool(
            speak,
            spoken_text,
            timbre,
            pace=float(asked.get("pace", 1.0)) * pace * wandering * (1.06 if changed else 1.0),
            pitch=0.93 if changed else 1.0,
            liveliness=asked_lively * lively,
            seed=seed,
            marked_up=marked_up,
        )
        await asyncio.sleep(max(0.0, behaviour.delay_s[engine] - (time.monotonic() - began)))
        return Spoken(
            clip=clip,
            text=spoken_text,
            voice=voice,
            events=events,
            billed=len(text),
            left=behaviour.allowance - behaviour.used,
            fault=fault,
            pause_s=behaviour.chunk_s,
            stall_s=behaviour.stall_s,
        )

    async def speak(self, request: Request) -> Response:
        engine = request.path_params["engine"]
        way = request.path_params.get("way") or OWN_WAY.get(engine, "stream")
        if way not in (*WAYS, "link", "job"):
            return JSONResponse({"error": f"no way '{way}'"}, status_code=404)
        try:
            asked = await _asked(request)
            spoken = await self._make(engine, _key(request), asked)
        except _Refused as refused:
            return refused.response
        if way == "link":
            return as_link(spoken, self._keep)
        if way == "job":
            number = uuid.uuid4().hex[:12]
            self.jobs[number] = (time.monotonic() + self.behaviour.job_s, spoken.wav())
            return JSONResponse({"job": {"number": number}, **spoken.usage})
        return WAYS[way](spoken)

    def _keep(self, data: bytes) -> str:
        name = f"{uuid.uuid4().hex}.wav"
        self.kept[name] = data
        return f"/kept/{name}"

    async def give_kept(self, request: Request) -> Response:
        data = self.kept.get(request.path_params["name"])
        return Response(data, media_type="audio/wav") if data else JSONResponse({"error": "gone"}, status_code=404)

    async def job(self, request: Request) -> Response:
        if _key(request) != self.behaviour.key:
            return JSONResponse({"error": "this key is not known"}, status_code=401)
        found = self.jobs.get(request.path_params["number"])
        if found is None:
            return JSONResponse({"error": "no such job"}, status_code=404)
        ready, data = found
        if request.path_params.get("what") == "sound":
            return Response(data, media_type="audio/wav")
        return JSONResponse({"job": {"state": "finished" if time.monotonic() >= ready else "at work"}})

    async def voices(self, request: Request) -> Response:
        if _key(request) != self.behaviour.key:
            return JSONResponse({"error": "this key is not known"}, status_code=401)
        page = int(request.query_params.get("page", 0))
        entries = [pip(number)[0] for number in range(1, PIPS + 1)][page * _PAGE : (page + 1) * _PAGE]
        body: dict[str, Any] = {"voices": entries}
        if (page + 1) * _PAGE < PIPS:
            body["more"] = f"/{request.path_params['engine']}/voices?page={page + 1}"
        return JSONResponse(body)

    async def talk(self, socket: WebSocket) -> None:
        await socket.accept()
        try:
            asked = await socket.receive_json()
            spoken = await self._make(socket.path_params["engine"], socket.headers.get("x-key"), asked)
            async for piece in pieces(spoken):
                await socket.send_bytes(piece)
            if spoken.fault != "cut off":
                await socket.send_json({"done": True, "words": spoken.words(), **spoken.usage})
            await socket.close()
        except _Refused as refused:
            await socket.send_text(bytes(refused.response.body).decode())
            await socket.close(1008)
        except WebSocketDisconnect:
            pass

    async def account(self, request: Request) -> Response:
        if _key(request) != self.behaviour.key:
            return JSONResponse({"error": "this key is not known"}, status_code=401)
        used = self.behaviour.used
        return JSONResponse(
            {"used": used, "left": self.behaviour.allowance - used, "requests": self.behaviour.requests}
        )  # fmt: skip

    async def own_voices(self, request: Request) -> Response:
        if _key(request) != self.behaviour.key:
            return JSONResponse({"error": "this key is not known"}, status_code=401)
        form = request.headers.get("content-type", "")
        status, answer = await run_in_threadpool(self.shelf.make, form, await request.body())
        return JSONResponse(answer, status_code=status)

    async def own_voice(self, request: Request) -> Response:
        if _key(request) != self.behaviour.key:
            return JSONResponse({"error": "this key is not known"}, status_code=401)
        number = request.path_params["number"]
        if request.method == "DELETE":
            gone = self.shelf.voices.pop(number, None)
            return Response(status_code=204 if gone is not None else 404)
        found = self.shelf.state(number)
        return JSONResponse(found or {"error": f"no voice {number}"}, status_code=200 if found else 404)

    async def invoice(self, request: Request) -> Response:
        """What the requests of the calendar's month come to under a plan that begins with that month."""
        if _key(request) != self.behaviour.key:
            return JSONResponse({"error": "this key is not known"}, status_code=401)
        plan, engine = request.query_params.get("plan", ""), request.path_params["engine"]
        if plan not in PRICE_LISTS:
            return JSONResponse({"error": f"no plan '{plan}'"}, status_code=404)
        today = date.fromisoformat(self.behaviour.today)
        account = Account(plan, today.replace(day=1))
        for of, on, characters, model in self.behaviour.asked:
            if of == engine:
                account.take(on, characters, model)
        found = account.invoice(today)
        lines = [{"line": text, "amount": f"{float(amount):.6f}"} for text, amount in found.lines]
        return JSONResponse({"lines": lines, "total": f"{float(found.total):.6f}"})

    async def control(self, request: Request) -> Response:
        for name, value in (await request.json()).items():
            if name == "faults":
                self.behaviour.faults.extend(str(fault) for fault in value)
            elif name in Behaviour.__dataclass_fields__ and name not in ("chance", "asked"):
                setattr(self.behaviour, name, value)
        return JSONResponse({"faults": list(self.behaviour.faults)})


def _key(request: Request) -> str | None:
    """The key, however it was sent: header, bearer or query."""
    bearer = request.headers.get("authorization", "").removeprefix("Bearer ")
    return request.headers.get("x-key") or bearer or request.query_params.get("key")


async def _asked(request: Request) -> Any:
    if request.headers.get("content-type", "").startswith("application/x-www-form-urlencoded"):
        return dict(parse_qsl((await request.body()).decode()))
    try:
        return await request.json()
    except (ValueError, ClientDisconnect):  # the asker may be gone before it has said what it wants
        return None


def make_service(behaviour: Behaviour) -> Starlette:
    """The service as an application; ``behaviour`` may be changed while it runs."""
    service = _Service(behaviour)
    return Starlette(
        routes=[
            Route("/{engine}/speak", service.speak, methods=["POST"]),
            Route("/{engine}/as/{way}", service.speak, methods=["POST"]),
            Route("/{engine}/voices", service.voices),
            Route("/{engine}/own-voices", service.own_voices, methods=["POST"]),
            Route("/{engine}/own-voices/{number}", service.own_voice, methods=["GET", "DELETE"]),
            WebSocketRoute("/{engine}/talk", service.talk),
            Route("/jobs/{number}", service.job),
            Route("/jobs/{number}/{what}", service.job),
            Route("/kept/{name}", service.give_kept),
            Route("/account", service.account),
            Route("/invoice/{engine}", service.invoice),
            Route("/control", service.control, methods=["POST"]),
        ]
    )


class StandInService:
    """The service on a thread of its own, at an ephemeral port. Use as a context manager."""

    def __init__(self, behaviour: Behaviour | None = None, *, port: int = 0) -> None:
        self.behaviour = behaviour or Behaviour()
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        self._socket.bind(("127.0.0.1", port))
        config = uvicorn.Config(
            make_service(self.behaviour), log_level="error", lifespan="off", loop="asyncio", ws="websockets-sansio"
        )
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(
            target=self._server.run, kwargs={"sockets": [self._socket]}, name="stand-in service", daemon=True
        )

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self._socket.getsockname()[1]}"

    def __enter__(self) -> StandInService:
        self._thread.start()
        while not self._server.started:
            time.sleep(0.005)
        return self

    def __exit__(self, *_: object) -> None:
        self._server.should_exit = True
        self._server.force_exit = True
        self._thread.join()
        self._socket.close()


def main() -> None:
    """Serve until the parent process ends; the address is the first line printed."""
    parser = argparse.ArgumentParser(description="The stand-in hosted service, on the loopback only.")
    parser.add_argument("--port", type=int, default=0)
    options = parser.parse_args()
    parent = os.getppid()
    with StandInService(port=options.port) as service:
        print(service.address, flush=True)
        while os.getppid() == parent:
            time.sleep(0.5)


if __name__ == "__main__":
    main()
