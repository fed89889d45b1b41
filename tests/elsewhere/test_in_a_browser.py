"""Packs as listeners meet them: opened from a disk in a real browser, by keys alone, heard, and sent back."""

from __future__ import annotations

import hashlib
import hmac
import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.browser import BACKSPACE, ENTER, ESCAPE, RIGHT, SPACE, Browser, browser
from tests.elsewhere.conftest import asked
from tests.elsewhere.test_packs import ann, data_of, standing
from zestpanel.core.listening.elsewhere.pack import write_pack
from zestpanel.core.listening.elsewhere.returned import TakenBack, take_back
from zestpanel.core.listening.kind import Around, Found
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project

_MAY = "return Boolean(zestSession.trial && zestSession.trial.may)"
_TRIAL = "return zestSession.trial ? zestSession.trial.trial : null"


def loaded(window: Browser) -> bool:
    return bool(window.run("return Boolean(zestSession.trial) && zestSession.sound.lanes.length > 0"))


def hear_all(window: Browser) -> None:
    """Every lane of the trial, by its key, until answers are allowed."""
    window.until(lambda: loaded(window))
    trial = window.run(_TRIAL)
    keys, number = [], 0
    for lane in trial["lanes"]:
        number += not lane["reference"]
        keys.append("0" if lane["reference"] else str(number))
    for at, key in enumerate(keys):
        if len(keys) > 1:
            window.press(key)
        window.until(lambda at=at: window.run(
            "return zestSession.sound.share(arguments[0]) >= 0.35 || !zestSession.sound.playing", at))  # fmt: skip
        if window.run("return zestSession.sound.share(arguments[0]) < 0.35", at):
            window.press(SPACE)  # it came to its end
            window.until(lambda at=at: window.run("return zestSession.sound.share(arguments[0]) >= 0.35", at))
    window.until(lambda: window.run(_MAY))


def answer(window: Browser, n: int) -> None:
    """A trial: the questions one after the other, by keys."""
    hear_all(window)
    trial = window.run(_TRIAL)
    for k, question in enumerate(trial["questions"]):
        if question["places"]:
            for at in range(question["places"]):
                window.press(str(at + 1), *[RIGHT] * (3 + at + n % 4))
            window.press(ENTER)
        elif question["choices"]:
            window.until(lambda: window.run(_MAY))
            window.press(question["choices"][(n + k) % len(question["choices"])]["key"])
        else:
            window.run("zestSession.trial.field.focus()")
            window.press(f"one line number {n}", ENTER)


def finish(window: Browser) -> Path:
    n = 0
    while window.run("return zestSession.index < zestSession.said.trials.length"):
        place = window.run("return zestSession.index")
        answer(window, n)
        window.until(lambda place=place: window.run("return zestSession.index") > place)
        n += 1
    window.press(ENTER)
    return window.downloaded()


def brought_home(project: Project, file: Path) -> TakenBack:
    return take_back(project, file.read_text("utf-8"), file.name)


def found_in(project: Project, test_id: int) -> Found:
    test = project.panel.test(test_id)
    names = {c.id: f"candidate {c.id}" for c in project.shortlist.candidates()}
    texts = {p.version_id: (p.text, p.language) for p in project.texts.all()}
    settings = TestSettings.from_document(test.settings)
    return kind_of(test.kind).found(
        project.answers.of_test(test_id), Around(settings=settings, names=names, texts=texts)
    )


@pytest.mark.parametrize("name", sorted(kinds()))
def test_every_kind_is_answered_by_keys_and_says_what_the_booth_would_say(
    name: str, heard: Project, window: Browser, tmp_path: Path
) -> None:
    test = asked(heard, name, most=3, comments=True)
    written = write_pack(heard, test, ann(heard), tmp_path)
    shutil.copytree(heard.folder, tmp_path / "Booth.zest")
    window.open(written.path)
    window.press(ENTER)
    file = finish(window)
    assert window.complaints() == []
    assert brought_home(heard, file).finished
    given = {one.trial.place: one.answer.given for one in heard.answers.of_test(test)}
    booth = Project.open(tmp_path / "Booth.zest")
    walked = session_of(booth, test, ann(booth))
    while not walked.finished:
        for lane in range(len(walked.shown.lanes)):
            walked.played(lane, 1.0)
        assert walked.answer(given[walked.trial.place])
    assert found_in(heard, test) == found_in(booth, test)
    booth.close()


def pitch(rate: float, sound: np.ndarray) -> float:
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 1 << 17))
    return float(np.fft.rfftfreq(1 << 17, 1 / rate)[int(spectrum.argmax())])


def test_a_swap_is_heard_at_once_and_without_a_click(heard: Project, window: Browser, tmp_path: Path) -> None:
    """A candidate's clips are of a pitch of its own; a tone's steps from sample to sample are bounded by its slope."""
    test = asked(heard, "preference")
    written = write_pack(heard, test, ann(heard), tmp_path)
    trial = heard.panel.sessions(test)[0].trials[0]
    expected = [200 + 50 * s.candidate_id for s in trial.stimuli]
    window.open(written.path)
    window.press(ENTER)
    window.until(lambda: loaded(window))
    window.run("setTimeout(() => zestSession.trial.hear(0), 100); setTimeout(() => zestSession.trial.hear(1), 600);"
               "setTimeout(() => zestSession.trial.toggle(), 1000)")  # fmt: skip
    rate, sound = window.hear(1.6)
    loud = np.flatnonzero(np.abs(sound) > 1e-4)
    sound = sound[loud[0] : loud[-1]]
    n = int(0.3 * rate)
    assert pitch(rate, sound[int(0.05 * rate) :][:n]) == pytest.approx(expected[0], abs=4)
    assert pitch(rate, sound[-n - int(0.03 * rate) :][:n]) == pytest.approx(expected[1], abs=4)
    steepest = 2 * np.pi * max(expected) / rate * np.abs(sound).max()
    assert np.abs(np.diff(sound)).max() < 2 * steepest, "no step that a fade of 12 ms does not make"


def test_it_goes_on_where_it_stopped_after_the_browser_was_closed(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "ACR", level_check=True, most=4)
    written = write_pack(heard, test, ann(heard), tmp_path)
    with browser(tmp_path / "b") as window:
        window.open(written.path)
        window.press(ENTER)
        window.until(lambda: "volume" in window.says)
        window.press(ENTER)
        answer(window, 0)
        window.until(lambda: window.run("return zestSession.index") == 1)
        answer(window, 1)
        window.until(lambda: window.run("return zestSession.index") == 2)
        window.press(ESCAPE)
        assert "Stop here? 2 of 4 are answered." in window.says
        window.press(ENTER)
        window.until(lambda: loaded(window))
        window.press(ESCAPE, "s")
        assert "Nobody" in window.says or "nobody" in window.says
        window.press(ENTER)
        half = brought_home(heard, window.downloaded())
        assert (half.new, half.finished) == (2, False)
    with browser(tmp_path / "b") as window:
        window.open(written.path)
        window.until(lambda: "2 of 4 are answered" in window.says)  # a window that was killed holds it for seconds
        window.press(ENTER, ENTER)
        answer(window, 2)
        window.until(lambda: window.run("return zestSession.index") == 3)
        window.press(BACKSPACE)  # a slip of the key
        window.until(lambda: window.run("return zestSession.index") == 2)
        answer(window, 3)
        window.until(lambda: window.run("return zestSession.index") == 3)
        whole = brought_home(heard, finish(window))
    assert (whole.new, whole.known, whole.finished) == (3, 2, True)
    last = [one.answer for one in heard.answers.of_test(test)]
    assert len(last) == 4
    assert len({one.client for one in last}) == 1


def test_another_window_does_not_take_a_session_that_is_open(heard: Project, window: Browser, tmp_path: Path) -> None:
    written = write_pack(heard, asked(heard, "ACR"), ann(heard), tmp_path)
    window.open(written.path)
    window.press(ENTER)
    window.until(lambda: loaded(window))
    window.driver.switch_to.new_window("tab")
    window.open(written.path)
    assert "open in another window" in window.says
    window.driver.close()
    window.driver.switch_to.window(window.driver.window_handles[0])
    window.press(SPACE)  # what nobody sees is silent
    answer(window, 0)
    window.until(lambda: window.run("return zestSession.index") == 1)


def test_a_browser_that_keeps_nothing_says_so_and_hands_the_answers_over(
    heard: Project, window: Browser, tmp_path: Path
) -> None:
    test = asked(heard, "ACR", most=2)
    written = write_pack(heard, test, ann(heard), tmp_path)
    window.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {
        "source": "Object.defineProperty(window, 'localStorage', { get() { throw new Error('denied'); } });",
    })  # fmt: skip
    window.open(written.path)
    assert "keeps nothing" in window.says
    window.press(ENTER)
    assert brought_home(heard, finish(window)).finished


def test_a_clip_that_cannot_be_decoded_is_left_out_and_told(heard: Project, window: Browser, tmp_path: Path) -> None:
    test = asked(heard, "ACR", most=3)
    written = write_pack(heard, test, ann(heard), tmp_path)
    first = data_of(written.path)["session"]["trials"][0]["lanes"][0]["clip"]
    text = written.path.read_text("utf-8")
    at = text.index(f'id="clip-{first}">') + len(f'id="clip-{first}">')
    written.path.write_text(text[:at] + "AAAA" + text[text.index("<", at) :], "utf-8")
    window.open(written.path)
    window.press(ENTER)
    window.until(lambda: window.run("return zestSession.index") == 1)
    found = brought_home(heard, finish(window))
    assert (found.new, found.finished) == (2, True)
    assert len(heard.panel.all_skipped(test)) == 1


def test_the_signature_is_that_of_a_general_library(heard: Project, window: Browser, tmp_path: Path) -> None:
    """HMAC-SHA256 of Python's standard library, at lengths around a block of 64 bytes, and beyond ASCII."""
    window.open(write_pack(heard, asked(heard, "ACR"), ann(heard), tmp_path).path)
    for size in (0, 1, 54, 55, 56, 63, 64, 65, 119, 120, 1000, 100_000):
        for secret in ("k", "k" * 64, "k" * 65):
            text = ("añ☃🍎" * size)[:size]
            mine = hmac.new(secret.encode(), text.encode(), hashlib.sha256).hexdigest()
            assert window.run("return signed(arguments[0], arguments[1])", secret, text) == mine, (size, len(secret))


def test_the_page_reaches_nothing_and_runs_nothing_else(heard: Project, window: Browser, tmp_path: Path) -> None:
    window.open(write_pack(heard, asked(heard, "ACR"), ann(heard), tmp_path).path)
    tried: Any = window.driver.execute_async_script("""
      const done = arguments[0], out = [];
      fetch('https://example.org/').then(() => out.push('fetched'), () => out.push('refused'));
      const image = new Image(); image.onerror = () => out.push('refused'); image.src = 'https://example.org/x.png';
      const script = document.createElement('script'); script.textContent = 'window.ran = true';
      document.body.append(script);
      setTimeout(() => done([out, window.ran === true]), 1500);
    """)
    assert tried == [["refused", "refused"], False]
    assert any("Content Security Policy" in one for one in window.complaints())


def test_a_question_of_the_lead_with_signs_of_html_stays_a_text(
    heard: Project, window: Browser, tmp_path: Path
) -> None:
    odd = "Is it </script><b>clear</b> & {fine}?"
    test = asked(heard, "yes or no", question=odd)
    window.open(write_pack(heard, test, ann(heard), tmp_path).path)
    window.press(ENTER)
    window.until(lambda: loaded(window))
    assert odd in window.says
    assert json.dumps(standing(heard, test)) == "{}"
    window.press(SPACE)


def test_where_nothing_can_be_heard_it_is_said_and_nothing_can_be_rated(
    heard: Project, window: Browser, tmp_path: Path
) -> None:
    """Without a device some browsers never answer whether sound may begin."""
    window.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {
        "source": "AudioContext.prototype.resume = () => new Promise(() => {});",
    })  # fmt: skip
    window.open(write_pack(heard, asked(heard, "ACR"), ann(heard), tmp_path).path)
    window.press(ENTER)
    window.until(lambda: "No sound comes out of this device." in window.says)
    window.press("4")
    assert window.run("return zestSession.index") == 0
