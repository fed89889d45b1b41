"""A panel as it goes: some by file, some by link; one stops, one sends twice, one is a stranger."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections import Counter
from pathlib import Path

import httpx

from tests.browser import ENTER, ESCAPE, browser
from tests.elsewhere.conftest import asked
from tests.elsewhere.test_in_a_browser import answer, brought_home, finish
from tests.elsewhere.test_packs import ann
from zestpanel.core.listening.elsewhere.pack import write_pack
from zestpanel.core.store.project import Project

TRIALS = 2
LISTENERS = 12 if os.environ.get("ZEST_DEEP") else 4


def test_all_end_as_sessions_and_a_half_with_each_answer_once(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "ACR", most=TRIALS)
    names = [f"Listener {k + 1}" for k in range(LISTENERS)]
    by_link = names[: LISTENERS // 2]
    process = subprocess.Popen(
        [sys.executable, "-m", "zestpanel", "panel", str(heard.folder), "--test", str(test), "--languages", "en",
         *(part for name in by_link for part in ("--listener", name))],
        stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    assert process.stdout is not None
    links: dict[str, str] = {}
    while len(links) < len(by_link):
        name, _, link = process.stdout.readline().strip().partition(": ")
        if name in by_link:
            links[name] = link
    files: list[Path] = []
    for k, name in enumerate(names):
        with browser(tmp_path / name) as window:
            if name in links:
                window.driver.get(links[name])
            else:
                window.open(write_pack(heard, test, ann(heard, name), tmp_path / "packs").path)
            window.press(ENTER)
            if k == 0:  # is interrupted
                answer(window, k)
                window.until(lambda window=window: "2 of 2" in window.says)
                window.press(ESCAPE, "s")
                window.until(lambda window=window: "have arrived" in window.says)
            elif name in links:
                for n in range(TRIALS):
                    answer(window, k + n)
                    window.until(lambda window=window, n=n: window.run("return zestSession.index") == n + 1)
                window.until(lambda window=window: "have arrived" in window.says)
            else:
                files.append(finish(window))
    stranger = httpx.get(links[by_link[0]][:-3] + "000", timeout=20)
    assert stranger.status_code == 404
    for file in [*files, files[0]]:  # one sends twice
        brought_home(heard, file)
    process.send_signal(signal.SIGINT)
    process.wait(20)
    sessions = heard.panel.sessions(test)
    assert Counter(one.finished for one in sessions) == {True: LISTENERS - 1, False: 1}
    kept = Counter(one.trial_id for one in heard.answers.every_of(test))
    assert (len(kept), max(kept.values())) == (TRIALS * LISTENERS - 1, 1)
