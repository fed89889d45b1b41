"""A session in a file tells nobody whose a clip is; what comes back is checked, and taken in once."""

from __future__ import annotations

import hashlib
import hmac
import io
import json
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from jsonschema import Draft202012Validator

from tests.conftest import tone
from tests.elsewhere.conftest import asked
from zestpanel.core.domain.listening import Invitation, Listener
from zestpanel.core.errors import InputError, TableError
from zestpanel.core.listening.elsewhere.copies import Copies, padded
from zestpanel.core.listening.elsewhere.pack import Written, write_pack
from zestpanel.core.listening.elsewhere.returned import Returned, is_returned, take_back
from zestpanel.core.listening.entry import EntryAnswer, EntryQuestion
from zestpanel.core.production.schemas import schemas
from zestpanel.core.report.answers import write_answers
from zestpanel.core.store.project import Project


def ann(project: Project, name: str = "Ann") -> Listener:
    return project.panel.add_listener(name, languages=["en"])


def data_of(path: Path) -> dict[str, Any]:
    found = re.search(r'<script type="application/json" id="data">(.*?)</script>', path.read_text("utf-8"), re.DOTALL)
    assert found is not None
    read: dict[str, Any] = json.loads(found[1])
    return read


def clips_of(path: Path) -> dict[str, str]:
    return dict(re.findall(r'<script type="text/plain" id="clip-(\w+)">([^<]*)</script>', path.read_text("utf-8")))


def file_of(written: Written, entries: list[dict[str, Any]], **more: Any) -> str:
    return signed_by(written.pack, entries, **more)


def signed_by(pack: Invitation, entries: list[dict[str, Any]], **more: Any) -> str:
    """As the page writes it."""
    says = json.dumps({
        "session": pack.code, "client": "c1", "begun": "2028-03-01T09:00:00.000Z",
        "saved": "2028-03-01T09:30:00.000Z", "finished": False, "checks": {}, "entries": entries, **more,
    })  # fmt: skip
    proof = hmac.new(pack.secret.encode(), says.encode(), hashlib.sha256).hexdigest()
    return json.dumps({"format": "answers of a listening session", "version": 1, "says": says, "signed": proof},
                      separators=(",", ":"))  # fmt: skip


def entry(
    sequence: int, place: int, score: int = 4, *, at: str = "2028-03-01T09:10:00.000Z", **more: Any
) -> dict[str, Any]:
    return {"sequence": sequence, "place": place, "given": {"score": score}, "note": "", "heard": [[0.9, 1]],
            "took_s": 5.5, "at": at, **more}  # fmt: skip


def standing(project: Project, test: int) -> dict[int, Any]:
    return {one.trial.place: one.answer.given["score"] for one in project.answers.of_test(test)}


# -- what leaves


def test_a_pack_tells_no_candidate(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "preference")
    one, two = (write_pack(heard, test, ann(heard, name), tmp_path) for name in ("Ann", "Ben"))
    text = one.path.read_text("utf-8")
    told = json.dumps(data_of(one.path)["session"])
    for secret in ("ilseth", "linnoway", "hesk", "tangor", "citrange", "rangpur", *(t.clip for t in heard.takes.all())):
        assert secret.lower() not in text.lower(), secret
    assert not re.search(r'"(candidate|take|engine|voice)\w*"', told)
    sizes = {len(clip) for clip in clips_of(one.path).values()}
    assert len(sizes) == 1, "files of one size"
    codes = list(clips_of(one.path))
    assert codes == sorted(codes), "in no order but that of their codes, which are drawn"
    assert not set(codes) & set(clips_of(two.path)), "drawn for each session"
    assert one.path.name.removeprefix("listening-")[:8] == one.pack.code[:8]
    Draft202012Validator(schemas()["session.schema.json"]).validate(data_of(one.path)["session"])
    assert not re.search(r"https?://", text), "nothing is fetched"


def test_times_of_words_are_given_where_every_clip_has_them(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "preference")
    trials = data_of(write_pack(heard, test, ann(heard), tmp_path).path)["session"]["trials"]
    assert all(lane["axis"] is None for trial in trials for lane in trial["lanes"]), "no clip here has such times"


@pytest.mark.parametrize("lossy", [False, True])
def test_copies_sound_as_they_did_and_are_of_one_size(lossy: bool, tmp_path: Path) -> None:
    copies = Copies(tmp_path, lossy=lossy)
    sounds = [np.repeat(tone(hz, -23, seconds).samples, 2, axis=1) for hz, seconds in ((220, 1.0), (440, 2.5))]
    digests = [copies.put(sound) for sound in sounds]
    alike = [copies.read(one, copies.largest(digests)) for one in digests]
    assert len(set(map(len, alike))) == 1
    for data, sound in zip(alike, sounds, strict=True):
        read, rate = soundfile.read(io.BytesIO(data), always_2d=True)
        assert rate == 48_000
        if not lossy:
            assert np.abs(read[:, 0] - sound[:, 0]).max() <= 0.51 / 32768 + 1e-7, "16 bits, nothing else"
            continue
        same = min(len(read), len(sound))
        assert np.corrcoef(read[4800 : same - 4800, 0], sound[4800 : same - 4800, 0])[0, 1] > 0.99, "no delay is left"


def test_a_clip_that_is_the_largest_already_stays_as_it_is(tmp_path: Path) -> None:
    copies = Copies(tmp_path)
    flac = copies.read(copies.put(tone(220, -23, 0.2).samples), 0)
    assert padded(flac, len(flac)) == flac
    assert len(padded(flac, len(flac) + 1000)) == len(flac) + 1000


# -- what comes back


def test_answers_are_taken_in_once_and_an_older_one_never_wins(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "ACR")
    written = write_pack(heard, test, ann(heard), tmp_path)
    first = file_of(written, [entry(1, 0, 3), entry(2, 1, 4)])
    assert is_returned(first)
    assert (take_back(heard, first, "a.json").new, standing(heard, test)) == (2, {0: 3, 1: 4})
    corrected = file_of(written, [entry(1, 0, 3), entry(2, 1, 4), entry(3, 1, 5)])
    found = take_back(heard, corrected, "b.json")
    assert (found.new, found.known, standing(heard, test)[1]) == (1, 2, 5)
    assert take_back(heard, first, "a.json").known == 2, "an old file again"
    assert standing(heard, test)[1] == 5
    late = file_of(written, [entry(1, 1, 2, at="2028-03-01T08:00:00.000Z")], client="another browser")
    assert take_back(heard, late, "c.json").older == 1
    assert standing(heard, test)[1] == 5
    session = heard.panel.sessions(test)[0]
    rest = [entry(10 + t.place, t.place) for t in session.trials if t.place > 1]
    whole = take_back(heard, file_of(written, [entry(1, 0, 3), entry(2, 1, 4), entry(3, 1, 5), *rest]), "d.json")
    assert whole.finished
    assert heard.panel.sessions(test)[0].finished
    sittings = heard.panel.sessions(test)[0].sittings
    assert [(one.begun[:16], one.device) for one in sittings] == [("2028-03-01T09:00", "a browser")]
    assert {one.answer.origin for one in heard.answers.of_test(test)} == {"pack"}


@pytest.mark.parametrize(("change", "why"), [
    (lambda text: text.replace('\\"score\\": 4', '\\"score\\": 5'), "changed after it was written"),
    (lambda text: text.replace('"version":1', '"version":2'), "no whole file"),
    (lambda text: text[:-30], "no whole file"),
    (lambda text: re.sub('"signed":"[0-9a-f]*"', '"signed":"ä"', text), "changed after it was written"),
    (lambda text: text.replace("2028-03-01T09:00:00.000Z", "0001-01-01T00:00:00+23:00"), "no whole file"),
    (lambda text: text.replace("c1", "c\\u0000"), "changed|no whole file"),
    (lambda text: '{"format":"answers of a listening session"}', "no whole file"),
    (lambda text: '{"format":"answers of a listening session",' + '"a":[' * 5000, "no whole file"),
])  # fmt: skip
def test_a_file_that_is_not_as_it_was_written_is_refused(heard: Project, tmp_path: Path, change: Any, why: str) -> None:
    test = asked(heard, "ACR")
    text = file_of(write_pack(heard, test, ann(heard), tmp_path), [entry(1, 0, 4)])
    with pytest.raises(TableError, match=why):
        take_back(heard, change(text), "a.json")
    assert standing(heard, test) == {}


def test_what_the_trial_does_not_allow_is_refused_alone(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "ACR")
    written = write_pack(heard, test, ann(heard), tmp_path)
    bad: list[Mapping[str, Any]] = [
        {"score": 9}, {"score": "4"}, {"score": 4, "more": 1}, {}, {"score": True}, {"score": [4]},
    ]  # fmt: skip
    entries = [entry(k + 1, 0, given=given) for k, given in enumerate(bad)]
    entries += [entry(20, 0, heard=[[0.1, 1]]), entry(21, 0, heard=[]), entry(22, 0, heard=[[0.9, 1], [0.9, 1]]),
                entry(23, 999), entry(24, 2, 3)]  # fmt: skip
    found = take_back(heard, file_of(written, entries), "a.json")
    assert (found.new, len(found.refused), standing(heard, test)) == (1, 10, {2: 3})
    said = found.says("a.json")
    assert "6 were refused: the trial does not allow this answer." in said
    assert "3 were refused: too little of it was heard." in said


def test_a_pack_is_withdrawn_and_let_in_again_and_one_of_another_project_is_not_ours(
    heard: Project, tmp_path: Path
) -> None:
    test = asked(heard, "ACR")
    written = write_pack(heard, test, ann(heard), tmp_path)
    text = file_of(written, [entry(1, 0)])
    (pack,) = heard.invitations.of_test(test)
    heard.invitations.withdraw(pack.id)
    with pytest.raises(TableError, match="withdrawn on"):
        take_back(heard, text, "a.json")
    heard.invitations.withdraw(pack.id, withdrawn=False)
    assert take_back(heard, text, "a.json").new == 1
    again = write_pack(heard, test, ann(heard), tmp_path)
    with pytest.raises(TableError, match="withdrawn on"):
        take_back(heard, file_of(written, [entry(2, 1)]), "a.json")
    said = data_of(again.path)["session"]
    assert (said["answered"], 0 in {one["place"] for one in said["trials"]}) == (1, False), "it goes on"
    heard.panel.close_test(test)
    with pytest.raises(TableError, match="closed"):
        take_back(heard, file_of(again, [entry(1, 1)]), "b.json")
    other = Project.create(tmp_path / "Other.zest")
    with pytest.raises(TableError, match="not of this project"):
        take_back(other, text, "a.json")
    other.close()


def test_who_is_turned_away_counts_nowhere_and_nothing_is_left_for_who_has_finished(
    heard: Project, tmp_path: Path
) -> None:
    questions = (EntryQuestion("How often?", (EntryAnswer("daily"), EntryAnswer("never", admits=False))),)
    test = asked(heard, "ACR", entry=questions)
    written = write_pack(heard, test, ann(heard), tmp_path)
    assert data_of(written.path)["session"]["entry"][0]["answers"][1] == {"words": "never", "admits": False}
    found = take_back(heard, file_of(written, [], checks={"entry": [1], "turned_away": "unsuited"}), "a.json")
    assert "does not take part" in found.says("a.json")
    assert heard.panel.turned_away(test)
    late = take_back(heard, file_of(written, [entry(1, 0)]), "b.json")
    assert (late.new, late.refused, standing(heard, test)) == (0, ["the listener does not take part"], {})
    with pytest.raises(InputError, match="does not take part"):
        write_pack(heard, test, ann(heard), tmp_path)
    odd = write_pack(heard, test, ann(heard, "Ben"), tmp_path)
    for checks in ({"entry": [7]}, {"entry": "x"}, {"entry": [0, 0]}, {"headphones": {"right": "x"}}, {"level": 3}):
        take_back(heard, file_of(odd, [], checks=checks), "a.json")
    kept = next(s for s in heard.panel.sessions(test) if s.listener_id == ann(heard, "Ben").id)
    assert not kept.checks


def test_where_an_answer_was_given_travels_with_it(heard: Project, tmp_path: Path) -> None:
    test = asked(heard, "ACR")
    take_back(heard, file_of(write_pack(heard, test, ann(heard), tmp_path), [entry(1, 0)]), "a.json")
    write_answers(heard, tmp_path / "all.jsonl")
    assert '"client": "c1", "sequence": 1, "client_clock": "2028-03-01T09:10:00.000+00:00"' in (
        tmp_path / "all.jsonl"
    ).read_text("utf-8")
    assert Returned.model_json_schema()["title"] == "Answers of a listening session"
