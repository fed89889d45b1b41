"""Who comes of themselves, what they agree to first, and that nothing of a trial run is kept."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path

import httpx
import pytest

from tests.browser import ENTER, Browser
from tests.elsewhere.conftest import asked
from tests.elsewhere.test_in_a_browser import answer
from tests.elsewhere.test_packs import data_of, entry, signed_by, standing
from tests.elsewhere.test_served import Door
from zestpanel.core import clock
from zestpanel.core.errors import InputError
from zestpanel.core.listening.elsewhere import wording
from zestpanel.core.listening.elsewhere.enrolling import LAPSES_H, enrolled_by, room, told_of, wanted_of
from zestpanel.core.listening.elsewhere.notice import due, kept, new_notice
from zestpanel.core.listening.elsewhere.pack import write_pack
from zestpanel.core.listening.elsewhere.returned import take_back
from zestpanel.core.listening.entry import EntryAnswer, EntryQuestion
from zestpanel.core.listening.told import Told
from zestpanel.core.store.project import Project

OFTEN = EntryQuestion("Do you hear narration often?", (EntryAnswer("Yes", wanted=1), EntryAnswer("No", admits=False)))


def opened(door: Door, most: int = 3, wanted: Mapping[str, int] | None = None, *, notice: bool = False) -> str:
    """The path of the link for all."""
    conduct = door.project.panel.test(door.test).conduct
    conduct = replace(conduct, enrolment=enrolled_by(None, most, wanted or {"en": 0}))
    if notice:
        conduct = replace(conduct, notice=new_notice("Orchard & Almanac", "panel@orchard.example", 30))
    door.project.panel.put_conduct(door.test, conduct)
    assert conduct.enrolment is not None
    return f"/j/{conduct.enrolment.code}"


@pytest.fixture
def door(heard: Project, tmp_path: Path) -> Iterator[Door]:
    door = Door(heard, tmp_path / "copies")
    yield door
    door.close()


def comes(door: Door, path: str, *speaks: str, headers: Mapping[str, str] | None = None) -> httpx.Response:
    """As another browser."""
    with httpx.Client(base_url=door.origin) as one:
        return one.post(path, data={"speaks": list(speaks)}, headers=dict(headers or {}))


def guests(door: Door) -> list[str]:
    whose = {one.id: one.alias for one in door.project.panel.listeners()}
    return [whose[one.listener_id] for one in door.project.panel.sessions(door.test) if one.checks.get("enrolled")]


def test_the_link_for_all_lets_in_as_many_as_are_wanted(door: Door) -> None:
    path = opened(door, 3, {"en": 2, "de": 5})
    assert "English" in door.client.get(path).text
    assert "Deutsch" in door.client.get(path).text
    for _ in range(2):
        found = comes(door, path, "en")
        assert found.status_code == 303
        assert found.headers["location"].startswith("/s/")
    assert comes(door, path, "en").status_code == 200, "two of them are there"
    assert "English" not in door.client.get(path).text
    assert "enough listeners" in comes(door, path, "de").text, "no clip of this test is in German"
    assert guests(door) == [f"Guest 1 of test {door.test}", f"Guest 2 of test {door.test}"]


def test_of_many_who_come_at_once_no_more_than_are_wanted_get_in(door: Door) -> None:
    path = opened(door, 4)
    codes: list[int] = []
    crowd = [threading.Thread(target=lambda: codes.append(comes(door, path, "en").status_code)) for _ in range(12)]
    for one in crowd:
        one.start()
    for one in crowd:
        one.join()
    assert sorted(codes) == [200] * 8 + [303] * 4
    assert len(guests(door)) == 4


def test_a_browser_that_has_come_goes_on_with_its_own_session(door: Door) -> None:
    path = opened(door)
    first = door.client.post(path, data={"speaks": "en"})
    assert door.client.get(path).headers["location"] == first.headers["location"]
    assert door.client.post(path, data={"speaks": "en"}).headers["location"] == first.headers["location"]
    assert len(guests(door)) == 1
    cookie = first.headers["set-cookie"]
    assert "HttpOnly" in cookie
    assert f"Path={path}" in cookie


def test_a_place_is_free_again_where_nobody_used_it(door: Door) -> None:
    path = opened(door, 1)
    code = comes(door, path, "en").headers["location"].rpartition("/")[2]
    test = door.project.panel.test(door.test)
    assert room(door.project, test) == {}
    session = next(one for one in door.project.panel.sessions(door.test) if one.checks.get("enrolled"))
    long_ago = (date(2026, 1, 1) - timedelta(hours=LAPSES_H)).isoformat()
    with door.project._database.writing() as connection:
        connection.exec_driver_sql("UPDATE sessions SET created = ? WHERE id = ?", (long_ago, session.id))
    assert room(door.project, test) == {"en": 1}
    door.client.post(f"/s/{code}/answers", json={
        "session": code, "client": "c1", "begun": "2028-03-01T09:00:00Z", "saved": "2028-03-01T09:30:00Z",
        "finished": False, "checks": {}, "entries": [entry(1, session.trials[0].place)]})  # fmt: skip
    assert room(door.project, test) == {}, "who answered keeps the place"


def test_strangers_do_not_come_in(door: Door) -> None:
    path = opened(door)
    assert door.client.get("/j/" + "0" * 24).status_code == 404
    assert comes(door, path, "en", headers={"Origin": "https://elsewhere.example"}).status_code == 403
    assert comes(door, path, "en", headers={"Sec-Fetch-Site": "cross-site"}).status_code == 403
    assert "choose at least one" in comes(door, path, "xx").text
    assert door.client.post(path, content="speaks=en&" * 2_000).status_code == 413
    assert door.client.post(path, content="a=1&" * 300).status_code == 422
    door.project.panel.close_test(door.test)
    assert door.client.get(path).status_code == 410
    assert guests(door) == []
    head = door.client.get("/j/" + "0" * 24).headers
    assert head["x-frame-options"] == "DENY"


def test_a_page_speaks_the_language_that_the_browser_asks_for(door: Door) -> None:
    path = opened(door, notice=True)
    assert (
        "Orchard &amp; Almanac bittet Sie" in door.client.get(path, headers={"Accept-Language": "de-AT,en;q=0.5"}).text
    )
    assert told_of("xx, fr;q=0.4, es;q=0.9").language == "es"
    assert told_of("q=;;,\x00, en;q=zzz").language == "en"


def test_entry_answers_are_counted_while_people_come(heard: Project, tmp_path: Path) -> None:
    """One of 'Yes' is wanted: who had the page open before is told as well."""
    door = Door(heard, tmp_path / "copies", entry=(OFTEN,))
    try:
        other = door.served.invite(door.test, heard.panel.add_listener("Ben", languages=["en"]))
        assert door.said()["entry"][0]["answers"][0]["admits"] is True
        kept_it = door.post([], checks={"entry": [0]})
        assert kept_it.json()["away"] is False
        assert door.page(other).text.count('"admits": false') == 2
        late = door.client.post(f"/s/{other}/answers", json={
            "session": other, "client": "c2", "begun": "2028-03-01T09:00:00Z", "saved": "2028-03-01T09:30:00Z",
            "finished": False, "checks": {"entry": [0]}, "entries": [entry(1, 0)]})  # fmt: skip
        assert late.json()["away"] is True
        assert standing(heard, door.test) == {}
        assert '"over": "away"' in door.page(other).text
        assert door.post([entry(1, 0, 3)], checks={"entry": [0]}).json()["away"] is False, "who is in stays in"
    finally:
        door.close()


# -- what is agreed to


def test_without_consent_nothing_is_kept_and_with_it_all(door: Door) -> None:
    conduct = door.project.panel.test(door.test).conduct
    notice = new_notice("Orchard & Almanac", "panel@orchard.example", 30)
    door.project.panel.put_conduct(
        door.test, replace(conduct, notice=replace(notice, since="2020-01-01T00:00:00.000+00:00"))
    )
    said = door.said()
    assert "Orchard & Almanac asks you" in said["notice"][0]
    assert any("30 days" in one for one in said["notice"])
    assert door.post([entry(1, 0)]).status_code == 200
    assert standing(door.project, door.test) == {}
    assert door.post([entry(1, 0, 2)], checks={"consent": "given"}).status_code == 200
    assert standing(door.project, door.test) == {0: 2}
    assert door.said()["notice"] == [], "asked once"


def test_who_was_asked_before_there_was_a_notice_goes_on(door: Door) -> None:
    door.project.panel.put_conduct(door.test, replace(
        door.project.panel.test(door.test).conduct, notice=new_notice("We", "us@orchard.example", 9)))  # fmt: skip
    assert door.post([entry(1, 0, 2)]).status_code == 200
    assert standing(door.project, door.test) == {0: 2}


def test_who_declines_in_a_pack_leaves_nothing(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "ACR")
    notice = new_notice("We", "us@orchard.example", 9)
    heard.panel.put_conduct(test, replace(heard.panel.test(test).conduct, notice=notice))
    written = write_pack(heard, test, heard.panel.add_listener("Ann", languages=["en"]), tmp_path)
    assert len(data_of(written.path)["session"]["notice"]) == 4
    found = take_back(heard, signed_by(written.pack, [entry(1, 0)], checks={"turned_away": "declined"}), "a")
    assert found.turned_away
    assert standing(heard, test) == {}


def test_after_the_days_that_were_promised_a_number_is_left(door: Door, monkeypatch: pytest.MonkeyPatch) -> None:
    path = opened(door, notice=True)
    comes(door, path, "en")
    (one,) = kept(door.project)
    assert one.until == clock.today() + timedelta(days=30)
    assert due(door.project) == []
    monkeypatch.setattr(clock, "today", lambda: one.until + timedelta(days=1))
    assert [known.listener.alias for known in due(door.project)] == guests(door)
    door.project.panel.forget(one.listener.id)
    assert due(door.project) == []


@pytest.mark.parametrize(
    "wrong", [("", "a", "9"), ("a", " ", "9"), ("a", "b", "0"), ("a", "b", "ten"), ("a", "b", "9" * 40)]
)
def test_a_notice_that_promises_nothing_is_refused(wrong: tuple[str, str, str]) -> None:
    with pytest.raises(InputError):
        new_notice(*wrong)


def test_languages_with_numbers_are_read() -> None:
    assert wanted_of(["en", "de:6", "French 2"]) == {"en": 0, "de": 6, "fr": 2}
    for wrong in ("zzzz:3", "de:99999", ""):
        with pytest.raises(InputError):
            wanted_of([wrong])


# -- trial runs and wording


def test_nothing_of_a_trial_run_is_kept(door: Door) -> None:
    code = door.served.try_out(door.test)
    text = door.page(code).text
    assert '"tried": true' in text
    found = door.client.post(f"/s/{code}/answers", json={
        "session": code, "client": "c1", "begun": "2028-03-01T09:00:00Z", "saved": "2028-03-01T09:30:00Z",
        "finished": True, "checks": {}, "entries": [entry(1, 0)]})  # fmt: skip
    assert found.json()["finished"] is True
    assert standing(door.project, door.test) == {}
    assert len(door.project.panel.sessions(door.test)) == 1


@pytest.mark.parametrize("language", ["en", "de", "fr", "es"])
def test_letters_are_written_in_the_listeners_language(language: str) -> None:
    told = Told([language])
    for said in (wording.invitation(told, "A {b} <c>", "https://x.example/s/1", 9),
                 wording.reminder(told, "A {b} <c>", "https://x.example/s/1", 3, 12)):  # fmt: skip
        assert "A {b} <c>" in said
        assert "https://x.example/s/1" in said
    assert "https://x.example/j/1" in wording.call(told, "https://x.example/j/1", 9)


def test_a_link_as_a_picture_is_read_by_another_program(tmp_path: Path) -> None:
    """Finder patterns stand where ISO/IEC 18004 has them: 7 by 7 in three corners, ratio 1:1:3:1:1."""
    rows = wording.squares("https://panel.orchard.example/j/0123456789abcdef01234567")
    size = len(rows)
    assert (size - 8 - 17) % 4 == 0, "a version's size is 17 + 4 v, and four light modules stand around"
    wanted = [True, False, True, True, True, False, True]
    for row, column in ((4 + 3, 4), (4 + 3, size - 11), (size - 8, 4)):
        assert list(rows[row][column : column + 7]) == wanted
    assert not any(rows[0])
    assert not any(row[0] for row in rows)


# -- in a browser


def test_a_stranger_comes_agrees_and_takes_the_test(heard: Project, tmp_path: Path, window: Browser) -> None:
    door = Door(heard, tmp_path / "copies", most=2, entry=(OFTEN,))
    try:
        path = opened(door, notice=True)
        window.driver.get(door.origin + path)
        assert "panel@orchard.example" in window.says
        window.click("I agree")
        assert "choose at least one" in window.says
        window.driver.find_element("css selector", "input").click()
        window.click("I agree")
        window.until(lambda: "Do you hear narration often?" in window.says)
        window.press("1")
        window.until(lambda: "Begin" in window.says)
        window.press(ENTER)
        answer(window, 1)
        answer(window, 2)
        window.until(lambda: "Your code: THANKS-17" in window.says)
        assert len(standing(heard, door.test)) == 2
        window.driver.get(door.origin + path)
        assert "Your code: THANKS-17" in window.says, "the browser knows its session"
        assert window.complaints() == []
        second = door.served.invite(door.test, heard.panel.add_listener("Ben", languages=["en"]))
        window.driver.get(f"{door.origin}/s/{second}")
        assert "asks you to listen" in window.says
        window.press(ENTER)
        assert "asks you to listen" in window.says, "Enter agrees to nothing"
        window.press("1")
        window.until(lambda: "Do you hear narration often?" in window.says)
        window.press("1")
        window.until(lambda: "has enough like you" in window.says)
        third = door.served.invite(door.test, heard.panel.add_listener("Cleo", languages=["en"]))
        window.driver.get(f"{door.origin}/s/{third}")
        window.press("2")
        assert "You do not take part" in window.says
        assert len(standing(heard, door.test)) == 2
    finally:
        door.close()


def test_a_trial_run_says_that_it_is_one(heard: Project, tmp_path: Path, window: Browser) -> None:
    door = Door(heard, tmp_path / "copies", most=2)
    try:
        window.driver.get(f"{door.origin}/s/{door.served.try_out(door.test)}")
        assert "A trial run" in window.driver.find_element("tag name", "header").text
        window.press(ENTER)
        answer(window, 1)
        answer(window, 2)
        window.until(lambda: "Thank you" in window.says)
        assert standing(heard, door.test) == {}
    finally:
        door.close()
