"""The panel as a server: many listeners at once, and a server that is killed while they answer."""

from __future__ import annotations

import asyncio
import json
import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Final

import httpx
import numpy as np
import psutil
from tests.conftest import add_demo_engine, tone

from zestpanel.core.listening.elsewhere.served import Served
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project

Rows = list[tuple[str, str, str]]
LISTENERS: Final = 200
TRIALS: Final = 6
THINKS_S: Final = (4.0, 9.0)  # from the beginning of a trial to its answer, clip and all
KILLS: Final = 20


def bench_of(folder: Path, listeners: int) -> tuple[Project, int, list[str]]:
    """A test of ten candidates and six texts with clips of four seconds; a link for each listener."""
    project = Project.create(folder / "Panel.zest")
    for name in ("tangor", "citrange"):
        add_demo_engine(project, name)
    engines = project.shortlist.engines()
    for pace in (0.9, 0.95, 1.0, 1.05, 1.1):
        project.shortlist.add(engines["Tangor"], voice="ilseth", settings={"pace": pace})
        project.shortlist.add(engines["Citrange"], voice="linnoway", settings={"pace": pace})
    for passage in project.texts.add([f"Line {k} of the almanac." for k in range(6)], language="en-GB"):
        for candidate in project.shortlist.candidates():
            clip = tone(180 + 20 * candidate.id, -20, 4.0, 24_000)
            project.takes.keep(clip, candidate_id=candidate.id, passage_version_id=passage.version_id, repeat=1,
                               obtained="import")  # fmt: skip
    settings = TestSettings(
        candidate_ids=tuple(c.id for c in project.shortlist.candidates()), training=0, most=TRIALS,
        passage_ids=tuple(p.id for p in project.texts.all()),
    )  # fmt: skip
    test = project.panel.add_test("ACR", settings.as_document())
    served = Served(project, folder / "copies")
    (folder / "copies").mkdir()
    codes = [
        served.invite(test, project.panel.add_listener(f"listener {k}", languages=["en"])) for k in range(listeners)
    ]
    return project, test, codes


@contextmanager
def running(project: Path, test: int, port: int) -> Iterator[subprocess.Popen[bytes]]:
    process = subprocess.Popen(
        [sys.executable, "-m", "zestpanel", "panel", str(project), "--test", str(test), "--port", str(port)],
        stdout=subprocess.DEVNULL, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    ends = time.monotonic() + 60
    while time.monotonic() < ends:
        try:
            httpx.get(f"http://127.0.0.1:{port}/", timeout=5)
            break
        except httpx.HTTPError:
            time.sleep(0.1)
    yield process
    process.send_signal(signal.SIGINT)
    process.wait(30)


def _free_port() -> int:
    import socket

    with socket.create_server(("127.0.0.1", 0)) as one:
        return int(one.getsockname()[1])


class Person:
    """Opens the page, fetches each clip, thinks, answers, and sends again what was not acknowledged."""

    def __init__(self, base: str, code: str, seed: int, pace: float) -> None:
        self.to, self.code, self._random, self._pace = f"{base}/s/{code}", code, random.Random(seed), pace
        self.thanked: list[int] = []
        self.took: list[float] = []
        self.pages: list[float] = []

    async def goes_through(self, client: httpx.AsyncClient) -> None:
        await asyncio.sleep(self._random.uniform(0, 20) * self._pace)
        began = time.perf_counter()
        text = (await self._get(client, self.to)).text
        self.pages.append(time.perf_counter() - began)
        found = re.search(r'id="data">(.*?)</script>', text, re.DOTALL)
        assert found is not None
        for sequence, trial in enumerate(json.loads(found[1])["session"]["trials"], 1):
            await self._get(client, f"{self.to}/{trial['lanes'][0]['clip']}")
            await asyncio.sleep(self._random.uniform(*THINKS_S) * self._pace)
            body = {"session": self.code, "client": "c", "begun": "2028-03-01T09:00:00Z", "finished": False,
                    "saved": "2028-03-01T09:00:00Z", "checks": {}, "entries": [
                        {"sequence": sequence, "place": trial["place"], "given": {"score": 1 + sequence % 5},
                         "heard": [[1.0, 1]], "took_s": 5.0, "at": "2028-03-01T09:00:00Z"}]}  # fmt: skip
            began = time.perf_counter()
            reply = await self._again(client, body)
            self.took.append(time.perf_counter() - began)
            assert reply.status_code == 200, reply.text
            self.thanked.append(sequence)

    async def _get(self, client: httpx.AsyncClient, url: str) -> httpx.Response:
        while True:
            try:
                reply = await client.get(url)
                if reply.status_code == 200:
                    return reply
            except httpx.HTTPError:
                pass
            await asyncio.sleep(0.2)

    async def _again(self, client: httpx.AsyncClient, body: dict[str, Any]) -> httpx.Response:
        while True:
            try:
                return await client.post(f"{self.to}/answers", json=body)
            except httpx.HTTPError:
                await asyncio.sleep(0.2)


async def _all(people: list[Person]) -> None:
    limits = httpx.Limits(max_connections=None, max_keepalive_connections=None)
    async with httpx.AsyncClient(timeout=60, limits=limits) as client:
        await asyncio.gather(*(one.goes_through(client) for one in people))


def many_listeners() -> Rows:
    with tempfile.TemporaryDirectory() as kept:
        folder = Path(kept)
        project, test, codes = bench_of(folder, LISTENERS)
        port = _free_port()
        people = [Person(f"http://127.0.0.1:{port}", code, k, 1.0) for k, code in enumerate(codes)]
        with running(project.folder, test, port) as process:
            of = psutil.Process(process.pid)
            began_mb = of.memory_info().rss / 1e6
            began = time.perf_counter()
            asyncio.run(_all(people))
            lasted, ended_mb = time.perf_counter() - began, of.memory_info().rss / 1e6
        took = np.array([one for person in people for one in person.took])
        pages = np.array([one for person in people for one in person.pages])
        kept_answers = len(project.answers.every_of(test))
        project.close()
    return [
        (f"{LISTENERS} listeners at once, {len(took) / lasted:.0f} answers a second: 95 of 100 acknowledged within",
         f"{1000 * np.quantile(took, 0.95):.0f} ms", "100 ms"),
        ("  longest; the page of a session, 95 of 100 within",
         f"{1000 * took.max():.0f} ms; {1000 * np.quantile(pages, 0.95):.0f} ms", ""),
        ("  answers that were thanked for, and kept", f"{len(took)} / {kept_answers}", "equal"),
        ("  memory of the server, before and after", f"{began_mb:.0f} / {ended_mb:.0f} MB", "flat"),
    ]  # fmt: skip


def killed_servers() -> Rows:
    """A server is killed while people answer, and begun anew on the same port."""
    with tempfile.TemporaryDirectory() as kept:
        project, test, codes = bench_of(Path(kept), 40)
        port = _free_port()
        people = [Person(f"http://127.0.0.1:{port}", code, k, 0.8) for k, code in enumerate(codes)]

        async def both() -> None:
            going = asyncio.create_task(_all(people))
            for _ in range(KILLS):
                with running(project.folder, test, port) as process:
                    await asyncio.sleep(random.uniform(0.5, 1.5))
                    process.kill()
            with running(project.folder, test, port):
                await going

        asyncio.run(both())
        thanked = sum(len(one.thanked) for one in people)
        kept_answers = len(project.answers.every_of(test))
        project.close()
    return [(f"server killed {KILLS} times while 40 listeners answer: answers thanked for, and kept",
             f"{thanked} / {kept_answers}", "equal")]  # fmt: skip


ROWS: Final = [("listeners elsewhere", many_listeners), ("a server that is killed", killed_servers)]
