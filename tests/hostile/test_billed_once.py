"""A service that bills every text it has taken in, and then does what it likes: no text is billed twice unasked over
runs, and no cap is passed."""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import socket
import time
from collections import Counter
from decimal import Decimal

import pytest

from tests.conftest import Unmeasured
from tests.small_service import Answer, Heard, SmallService, as_json, wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.errors import ZestError
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.runs.plan.undecided import undecided
from zestpanel.core.runs.spending.caps import CAPS, SpendingCaps
from zestpanel.core.store.project import Project

PRICE = Decimal("0.50")
# what may come once a text was taken in, at every later hop
LATER = (
    "sound",
    "cut inside",
    "401",
    "403",
    "404",
    "409",
    "429",
    "429 at once",
    "500",
    "503",
    "cut",
    "closed",
    "nonsense",
    "nothing",
)
FIRST = ("sound", "cut", "cut inside", "500", "502", "503 later", "nonsense", "303", "302", "307", "308", "job", "link")
WAYS = ("whole", "whole", "stopped", "killed", "two of us")
MANY = 2_000 if os.environ.get("ZEST_DEEP") else 16


def closed_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as one:
        return int(one.getsockname()[1])


class BillingService:
    """What it has taken in is in ``billed``, by text. A plan drawn for each text says how it goes on."""

    def __init__(self, rng: random.Random) -> None:
        self.rng, self.billed, self.plans = rng, Counter[str](), dict[str, tuple[str, str]]()
        self.nowhere = f"http://127.0.0.1:{closed_port()}/none"

    def __call__(self, heard: Heard) -> Answer:
        if heard.method == "POST":
            text = str(heard.json["text"])
            first, later = self.plans.setdefault(text, (self.rng.choice(FIRST), self.rng.choice(LATER)))
            if first == "503 later":  # it says that it did nothing, and when it will (RFC 9110)
                self.plans[text] = ("sound", later)
                return Answer(b"busy", 503, {"Retry-After": "0"})
            self.billed[text] += 1
            there = f"/later?text={text.replace(' ', '+')}"
            there = self.nowhere if later == "closed" else there
            if first in ("job", "link"):
                return as_json({"id": there, "url": there})
            if first.isdecimal() and first[0] == "3":
                return Answer(b"", int(first), {"Location": there})
            return self._said(first)
        return self._said(self.plans[heard.query["text"]][1])

    def _said(self, how: str) -> Answer:
        match how:
            case "sound":
                return Answer(wav())
            case "cut":
                return Answer(status=0)
            case "cut inside":
                return Answer(wav(), cut_after=self.rng.randrange(1, len(wav())))
            case "nonsense":
                return Answer(b"<html>limit reached</html>", 200)
            case "nothing":
                return Answer(b"", 200)
            case "429 at once":
                return Answer(b"slow down", 429, {"Retry-After": "0"})
        return Answer(b"no", int(how))


def engine_file(address: str, shape: str) -> str:
    """What the service is, in a file written to harm: its rules call everything a limit that has passed."""
    reply: dict[str, object] = {"audio": "body"} if shape != "link" else {"audio": "link json url"}
    speak: dict[str, object] = {
        "kind": "http", "address": f"{address}/speak", "body": {"text": "{text}"}, "read_timeout_s": 2, "reply": reply,
        "failures": [{"status": 200, "body_has": "limit", "kind": "limited"}, {"status": 404, "kind": "limited"}],
    }  # fmt: skip
    if shape == "job":
        speak["job"] = {"poll": "json url", "state": "status", "done": ["200"], "every_s": 0.05}
    return json.dumps({
        "zest-connector": 1, "engine": "Biller", "voices": [{"id": "v", "name": "V", "languages": ["en-GB"]}],
        "plans": [{"name": "plan", "tariff": {"currency": "EUR", "components": [
            {"kind": "per unit", "price": str(PRICE), "per": 1, "unit": "request"}]}}],
        "limits": {"requests_at_once": 3}, "speak": speak,
    })  # fmt: skip


def run_somehow(project: Project, way: str, after_s: float) -> None:
    """A run to its end, one that is stopped, one whose program is killed, or two programs that begin at once."""
    if way == "whole":
        make(project, plan_run(project), executor=Unmeasured())
    elif way == "stopped":
        run = BenchRun(project, plan_run(project), executor=Unmeasured())
        run.start()
        time.sleep(after_s)
        run.cancel()
        run.wait()
    else:
        children = [forked(project) for _ in range(2 if way == "two of us" else 1)]
        if way == "killed":
            time.sleep(after_s)
            os.kill(children[0], signal.SIGKILL)
        for child in children:
            os.waitpid(child, 0)
        project.look_again()


def forked(project: Project) -> int:
    pid = os.fork()
    if pid == 0:
        try:
            other = Project.open(project.folder)
            with contextlib.suppress(ZestError):  # another one is asking
                make(other, plan_run(other), executor=Unmeasured())
        finally:
            os._exit(0)
    return pid


def test_what_another_program_may_have_paid_since_the_plan_is_not_asked_for(project: Project) -> None:
    """Two windows: both have planned, one renders, then the other one does with the plan that it still shows."""
    service = BillingService(random.Random(0))
    service.plans["A text."] = ("cut", "sound")
    with SmallService(service) as at:
        source = engine_file(at.address, "body")
        engine = parse_connector(source, name="biller.json")
        project.shortlist.add_engine(engine, source, "biller.json")
        project.shortlist.add(engine, voice="v", plan="plan")
        project.texts.add(["A text."], language="en-GB")
        planned = plan_run(project)
        assert len(planned.jobs) == 1
        os.waitpid(forked(project), 0)
        make(project, planned, executor=Unmeasured())
        assert service.billed == {"A text.": 1}


@pytest.mark.parametrize("seed", range(MANY))
def test_no_text_is_billed_twice_unasked_and_no_cap_is_passed(project: Project, seed: int) -> None:
    rng = random.Random(seed)
    shape = rng.choice(["body", "job", "link"])
    service = BillingService(rng)
    texts = [f"Text number {k}." for k in range(6)]
    with SmallService(service) as at:
        source = engine_file(at.address, shape)
        engine = parse_connector(source, name="biller.json")
        project.shortlist.add_engine(engine, source, "biller.json")
        project.shortlist.add(engine, voice="v", plan="plan")
        project.texts.add(texts, language="en-GB")
        cap = PRICE * rng.choice([3, 100])
        CAPS.write(project.documents, SpendingCaps(a_day={"EUR": cap}))
        for _ in range(3):  # a run, and the same again, as somebody presses the button that says what is missing
            run_somehow(project, rng.choice(WAYS), rng.uniform(0.02, 0.4))
        make(project, plan_run(project), executor=Unmeasured())  # what a killed run left open is found by the next
        assert max(service.billed.values(), default=0) <= 1, (shape, service.plans)
        assert PRICE * service.billed.total() <= cap
        told = {row.passage_version_id for row in undecided(project)} if service.billed else set()
        kept = {take.passage_version_id for take in project.takes.all()}
        by_text = {p.text: p.version_id for p in project.texts.all()}
        for text in service.billed:
            assert by_text[text] in kept | told, f"{text} was billed, and nobody is told: {service.plans[text]}"


def test_a_handshake_that_redirects_takes_nothing_along(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_TALKER", "a-key-of-some-length")
    elsewhere: list[Heard] = []

    def other(heard: Heard) -> Answer:
        elsewhere.append(heard)
        return Answer(b"", 400)

    with (
        SmallService(other) as there,
        SmallService(lambda _: Answer(b"", 302, {"Location": there.address.replace("http", "ws") + "/talk"})) as here,
    ):
        source = json.dumps({
            "zest-connector": 1, "engine": "Talker", "voices": [{"id": "v", "name": "V", "languages": ["en-GB"]}],
            "plans": [{"name": "plan", "tariff": {"currency": "EUR", "components": []}}],
            "speak": {"kind": "websocket", "address": here.address.replace("http", "ws") + "/talk",
                      "secret": "talker", "headers": {"X-Key": "{secret}"}, "send": [{"text": "{text}"}],
                      "reply": {"audio": "messages sound", "coded": "base64"}},
        })  # fmt: skip
        engine = parse_connector(source, name="talker.json")
        project.shortlist.add_engine(engine, source, "talker.json")
        project.shortlist.add(engine, voice="v", plan="plan")
        project.texts.add(["A text."], language="en-GB")
        make(project, plan_run(project), executor=Unmeasured())
        assert here.heard
        assert elsewhere == []
