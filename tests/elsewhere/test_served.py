"""The panel as a server: what it gives to whom, what it refuses, and that an answer thanked for is kept."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
import uvicorn

from tests.browser import ENTER, ESCAPE, Browser
from tests.elsewhere.conftest import asked
from tests.elsewhere.test_in_a_browser import answer, hear_all, loaded
from tests.elsewhere.test_packs import ann, entry, standing
from zestpanel.core.listening.elsewhere import server
from zestpanel.core.listening.elsewhere.served import Served
from zestpanel.core.listening.elsewhere.server import GUESSES, MOST_BYTES, Guesses, app_of
from zestpanel.core.store.project import Project


@pytest.fixture(autouse=True)
def without_waiting(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(server, "GUESS_WAITS_S", 0.0)


class Door:
    """A test served to one listener, asked as a browser asks."""

    def __init__(self, project: Project, folder: Path, kind: str = "ACR", **more: Any) -> None:
        self.project, self.test = project, asked(project, kind, **more)
        folder.mkdir()
        self.served = Served(project, folder, completion="THANKS-17")
        self.code = self.served.invite(self.test, ann(project))
        self.running = uvicorn.Server(uvicorn.Config(app_of(self.served), port=0, log_level="critical", lifespan="off",
                                                     server_header=False))  # fmt: skip
        self.thread = threading.Thread(target=self.running.run)
        self.thread.start()
        while not self.running.started:
            time.sleep(0.01)
        port = self.running.servers[0].sockets[0].getsockname()[1]
        self.client = httpx.Client(base_url=f"http://127.0.0.1:{port}")
        self.origin = f"http://127.0.0.1:{port}"

    def close(self) -> None:
        self.client.close()
        self.running.should_exit = True
        self.thread.join()

    def page(self, code: str = "") -> httpx.Response:
        return self.client.get(f"/s/{code or self.code}")

    def said(self) -> dict[str, Any]:
        found = re.search(r'id="data">(.*?)</script>', self.page().text, re.DOTALL)
        assert found is not None
        read: dict[str, Any] = json.loads(found[1])["session"]
        return read

    def post(
        self, entries: list[dict[str, Any]], code: str = "", headers: dict[str, str] | None = None, **more: Any
    ) -> Any:
        body = {"session": self.code, "client": "c1", "begun": "2028-03-01T09:00:00.000Z", "finished": False,
                "saved": "2028-03-01T09:30:00.000Z", "checks": {}, "entries": entries, **more}  # fmt: skip
        return self.client.post(f"/s/{code or self.code}/answers", json=body, headers=headers)


@pytest.fixture
def door(heard: Project, tmp_path: Path) -> Iterator[Door]:
    door = Door(heard, tmp_path / "copies")
    yield door
    door.close()


def test_a_link_gives_its_session_its_clips_and_takes_its_answers(door: Door) -> None:
    said = door.said()
    assert len(said["trials"]) == 9
    clips = [door.client.get(f"/s/{door.code}/{one}") for one in said["clips"]]
    assert {one.status_code for one in clips} == {200}
    assert len({len(one.content) for one in clips}) == 1
    assert door.post([entry(1, said["trials"][0]["place"], 3)]).json()["finished"] is False
    assert standing(door.project, door.test) == {said["trials"][0]["place"]: 3}
    left = door.said()
    assert (left["answered"], len(left["trials"])) == (1, 8), "on another machine it goes on"
    rest = [entry(k + 2, one["place"]) for k, one in enumerate(left["trials"])]
    assert door.post(rest).json() == {
        "kept": True, "finished": True, "completion": "THANKS-17", "away": False,
    }  # fmt: skip
    assert '"over": "yes"' in door.page().text


def test_nothing_that_is_served_tells_a_candidate(door: Door) -> None:
    text = door.page().text + str(door.page().headers)
    for secret in ("ilseth", "linnoway", "hesk", "tangor", *(t.clip for t in door.project.takes.all()), "THANKS-17",
                   *(one.secret for one in door.project.invitations.of_test(door.test))):  # fmt: skip
        assert secret.lower() not in text.lower(), secret


def test_what_comes_again_changes_nothing_and_what_was_not_heard_is_not_kept(door: Door) -> None:
    place = door.said()["trials"][0]["place"]
    for _ in range(3):
        assert door.post([entry(1, place, 3)]).status_code == 200
    assert door.post([entry(2, place + 1, 5, heard=[[0.1, 1]])]).status_code == 200
    assert door.post([entry(3, 999, 5)]).status_code == 200
    assert door.post([entry(4, place, 1, at="2028-03-01T08:00:00.000Z")], client="c2").status_code == 200
    assert standing(door.project, door.test) == {place: 3}
    assert len(door.project.answers.every_of(door.test)) == 1


def test_strangers_get_nothing_and_no_reason(door: Door, heard: Project) -> None:
    other = door.served.invite(asked(heard, "ACR"), ann(heard, "Ben"))
    mine = door.said()["clips"][0]
    nothing = "There is nothing here.\n"
    for path in ("/", "/s", "/s/", "/s/0", f"/s/{'0' * 24}", f"/s/{other}/{mine}",
                 f"/s/{door.code}/..%2f..%2fproject.sqlite", f"/s/{door.code}/%00", "/project.sqlite", "/docs",
                 f"/s/{door.code[:-1]}", f"/s/{door.code.upper()}", f"/s/{door.code}'--"):  # fmt: skip
        got = door.client.get(path)
        assert (got.status_code, got.text) == (404, nothing), path
    assert door.client.post(f"/s/{door.code}").status_code == 405
    assert door.client.delete(f"/s/{door.code}/{mine}").status_code == 405


def test_posts_from_elsewhere_odd_and_large_ones_are_refused(door: Door) -> None:
    place = door.said()["trials"][0]["place"]
    one = [entry(1, place)]
    assert door.post(one, headers={"Origin": "http://elsewhere"}).status_code == 403
    assert door.post(one, headers={"Origin": door.origin, "Sec-Fetch-Site": "cross-site"}).status_code == 403
    assert door.post(one, headers={"Content-Type": "text/plain"}).status_code == 415
    to = f"/s/{door.code}/answers"
    js = {"Content-Type": "application/json"}
    assert door.client.post(to, content=b" " * (MOST_BYTES + 1), headers=js).status_code == 413
    for body in (
        b"",
        b"[]",
        b"{",
        b"null",
        b'{"session": 1}',
        b"[" * 50_000,
        "\ud800".encode("utf-8", "surrogatepass"),
    ):
        assert door.client.post(to, content=body, headers=js).status_code == 422, body[:20]
    assert door.post(one, session="0" * 24).status_code == 422
    assert door.post([{**one[0], "sequence": -1}]).status_code == 422
    assert standing(door.project, door.test) == {}
    assert door.post(one, headers={"Origin": door.origin, "Sec-Fetch-Site": "same-origin"}).status_code == 200


def test_guesses_are_locked_and_a_known_link_is_let_through(door: Door) -> None:
    for k in range(GUESSES):
        assert door.page(f"{k:024x}").status_code == 404
    assert door.page("f" * 24).status_code == 429
    assert door.page().status_code == 200


def test_guesses_are_forgotten_after_a_while() -> None:
    now = [0.0]
    guesses = Guesses(lambda: now[0])
    for _ in range(GUESSES):
        guesses.note("a")
    assert guesses.locked("a")
    assert not guesses.locked("b")
    now[0] = 61.0
    assert not guesses.locked("a")


def test_a_withdrawn_link_and_a_closed_test_take_nothing_more(door: Door) -> None:
    (one,) = door.project.invitations.of_test(door.test)
    door.project.invitations.withdraw(one.id)
    assert (door.page().status_code, door.post([entry(1, 0)]).status_code) == (410, 410)
    door.project.invitations.withdraw(one.id, withdrawn=False)
    assert door.page().status_code == 200
    door.project.panel.close_test(door.test)
    assert door.page().status_code == 410
    assert standing(door.project, door.test) == {}


def test_frames_types_and_addresses_are_kept_in(door: Door) -> None:
    head = door.page().headers
    assert (head["x-frame-options"], head["referrer-policy"], head["x-content-type-options"]) == (
        "DENY", "no-referrer", "nosniff",
    )  # fmt: skip
    assert head["cache-control"] == "no-store"
    assert "frame-ancestors 'none'" in head["content-security-policy"]
    assert "server" not in head


# -- as a process, with a browser before it


@pytest.fixture
def running(heard: Project, tmp_path: Path) -> Iterator[tuple[Project, int, str, subprocess.Popen[str]]]:
    test = asked(heard, "ACR", most=3)
    process = subprocess.Popen(
        [sys.executable, "-m", "zestpanel", "panel", str(heard.folder), "--test", str(test), "--listener", "Ann",
         "--languages", "en", "--completion", "THANKS-17"],
        stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    assert process.stdout is not None
    link = ""
    for line in process.stdout:
        if line.startswith("Ann: "):
            link = line.removeprefix("Ann: ").strip()
            break
    yield heard, test, link, process
    process.send_signal(signal.SIGINT)
    process.wait(20)


def test_a_listener_takes_the_test_by_a_link_loses_the_line_and_goes_on(
    running: tuple[Project, int, str, subprocess.Popen[str]], window: Browser
) -> None:
    project, test, link, _ = running
    window.driver.get(link)
    window.press(ENTER)
    hear_all(window)
    window.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    window.press("4")
    time.sleep(3)
    assert "made ready" in window.says, "the next clip waits for the line"
    assert standing(project, test) == {}
    window.driver.set_network_conditions(offline=False, latency=0, throughput=10**9)
    answer(window, 1)
    window.driver.get(link)  # loaded anew
    assert "answered. It goes on where you stopped." in window.says
    window.press(ENTER)
    answer(window, 2)
    window.until(lambda: "All your answers have arrived." in window.says)
    assert "Your code: THANKS-17" in window.says
    window.driver.get(link)
    assert "Your code: THANKS-17" in window.says, "and later on"
    assert len(standing(project, test)) == 3
    assert project.panel.sessions(test)[0].finished
    assert not project.panel.all_skipped(test), "a lost line is no broken clip"
    assert window.complaints() == [] or all("ERR_INTERNET_DISCONNECTED" in one for one in window.complaints())


def test_the_window_and_the_server_write_at_once_and_nothing_is_lost(
    running: tuple[Project, int, str, subprocess.Popen[str]],
) -> None:
    """Both write many times a second; every answer that was thanked for is there."""
    project, test, link, _ = running
    code = link.rpartition("/")[2]
    thanked: list[int] = []

    def posts() -> None:
        with httpx.Client(timeout=60) as client:
            for k in range(1, 60):
                body = {"session": code, "client": "c1", "begun": "2028-03-01T09:00:00Z", "checks": {},
                        "saved": "2028-03-01T09:30:00Z", "finished": False,
                        "entries": [entry(k, k % 3, 1 + k % 5)]}  # fmt: skip
                if client.post(f"{link}/answers", json=body).status_code == 200:
                    thanked.append(k)

    thread = threading.Thread(target=posts)
    thread.start()
    written = 0
    while thread.is_alive():
        project.panel.add_listener(f"person {written}")
        written += 1
        time.sleep(0.01)
    thread.join()
    assert len(thanked) == 59
    kept = {one.answer.sequence for one in project.answers.every_of(test)}
    assert kept == set(thanked)
    assert len(project.panel.listeners()) == written + 1


def test_a_stop_is_told_as_such_and_the_address_in_use_is_one_sentence(
    running: tuple[Project, int, str, subprocess.Popen[str]], window: Browser
) -> None:
    project, _, link, _ = running
    port = link.split(":")[2].partition("/")[0]
    done = subprocess.run(
        [sys.executable, "-m", "zestpanel", "panel", str(project.folder), "--port", port],
        capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    assert (done.returncode, "cannot be listened on" in done.stderr) == (2, True), done.stderr
    window.driver.get(link)
    window.press(ENTER)
    window.until(lambda: loaded(window))
    window.press(ESCAPE, "s")
    assert "You stopped at 0 of 3." in window.says
