"""Every answer of a project as one file of JSON lines, and back: tests, listeners, sessions with their orders, every
answer that was ever given to each trial.

No number of a database is in it. Candidates are named by all that is stated of them, texts by their words, clips by
their digest; tests by what they ask and when they were opened, listeners by their alias. So a file can be taken into
the project it came from, or into a copy of it on another machine, and what is known there is not doubled. Lines stand
in an order of their own, so the same answers give the same bytes.
"""

from __future__ import annotations

import hashlib
import json
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Annotated, Any, Final, Literal, Protocol

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, TypeAdapter

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.listening import QUALITY, Conduct, Listener, ListeningTest, Role
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.store.answers import StoredAnswer
from zestpanel.core.store.parts import HasClips, HasTakes
from zestpanel.core.store.shapes import is_moment
from zestpanel.core.waiting import give_way

VERSION: Final = 2  # 1: without where an answer was given
OF_CANDIDATE: Final = ("stated_id", "reference_id", "stranger_id", "good_id", "poor_id")  # settings that name one
OF_LISTENERS: Final = ("left_out", "kept_in")
Real = Annotated[float, Field(allow_inf_nan=False)]


def _moment(value: str) -> str:
    if not is_moment(value):
        raise ValueError(value)
    return value


Moment = Annotated[str, AfterValidator(_moment)]
Tag = Annotated[str, Field(pattern=r"^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8}){0,3}$")]


class FileParts(AnswerParts, HasTakes, HasClips, Protocol):
    """What a file of answers is made of, and put into."""


class _Record(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)


class FileHead(_Record):
    """The first line: what the file is, and in which version of this format."""

    record: Literal["file"] = "file"
    holds: Literal["answers of listening tests"] = "answers of listening tests"
    version: int


class CandidateRecord(_Record):
    """A candidate by all that is stated of it. name: for people, and not read. ended: from when on the same request
    gave another sound."""

    record: Literal["candidate"] = "candidate"
    key: str
    name: str
    engine: str
    model: str
    model_version: str
    route: str
    plan: str
    voice: str
    language: str
    settings: dict[str, Any]
    factory: bool
    ended: str


class TextRecord(_Record):
    """The words of a passage as they were when they were heard, in a language (BCP 47)."""

    record: Literal["text"] = "text"
    key: str
    title: str
    language: Tag
    text: Annotated[str, Field(min_length=1)]


class ListenerRecord(_Record):
    """Who listened: no more than is kept of a person. A forgotten one has a number alone."""

    record: Literal["listener"] = "listener"
    alias: Annotated[str, Field(min_length=1, max_length=200)]
    languages: list[Tag]
    hearing: str
    kit: str
    simulated: bool
    accent: str
    audience: str
    age: str
    own_voice: str
    fluency: dict[str, str]
    forgotten: bool


class ClipRecord(_Record):
    """A clip of a trial: whose, of which text, its digest ('' where it is not known which was heard), and the how
    manieth of the same digest, from 0."""

    candidate: str
    text: str
    clip: str
    nth: int = 0
    role: Role = "judged"


class AnswerRecord(_Record):
    """place: in the order in which the answers of the test were given, from 0. heard: of each lane, the share and how
    often it was started. client, sequence, client_clock: where it was given, as the how manieth there, and what the
    clock there said; '' and 0 where that is not known."""

    place: int
    given: dict[str, Any]
    origin: str
    created: Moment
    withdrawn: bool
    heard_share: Real | None
    plays: int | None
    took_s: Real | None
    heard: list[tuple[Real, int]]
    note: str
    spoken: str
    client: str = ""
    sequence: int = 0
    client_clock: Moment | Literal[""] = ""


class TrialRecord(_Record):
    training: bool
    detail: dict[str, Any]
    clips: list[ClipRecord]
    answers: list[AnswerRecord]


class SittingRecord(_Record):
    begun: str
    ended: str
    kit: str
    room: str
    device: str


class TestRecord(_Record):
    """settings and conduct as a project keeps them, with keys in the place of numbers. takes: that it may play, in the
    order of its passages, None before its first listener."""

    __test__ = False  # no test of pytest's

    record: Literal["test"] = "test"
    key: str
    kind: str
    created: Moment
    closed: Moment | Literal[""]
    settings: dict[str, Any]
    conduct: dict[str, Any]
    takes: list[ClipRecord] | None


class SessionRecord(_Record):
    record: Literal["session"] = "session"
    test: str
    listener: str
    created: Moment
    finished: Moment | Literal[""]
    checks: dict[str, Any]
    sittings: list[SittingRecord]
    trials: list[TrialRecord]


Line = Annotated[
    FileHead | CandidateRecord | TextRecord | ListenerRecord | TestRecord | SessionRecord, Field(discriminator="record")
]
LINES: Final = TypeAdapter[Any](Line)


def candidate_key(candidate: Candidate) -> str:
    return _digest([candidate.engine, candidate.model, candidate.model_version, candidate.route, candidate.plan,
                    candidate.voice, candidate.language, dict(candidate.settings), candidate.factory,
                    candidate.ended])  # fmt: skip


def text_key(language: str, text: str) -> str:
    return _digest([language, text])


def _digest(value: Any) -> str:
    packed = json.dumps(value, ensure_ascii=False, sort_keys=True)
    return hashlib.sha256(packed.encode("utf-8")).hexdigest()[:16]


@dataclass(frozen=True, slots=True)
class Keys:
    """Keys of what a project has, by its numbers. passages: (title, key of its present words), since either may be
    changed. clips: (digest, the how manieth of that digest) by take."""

    candidates: Mapping[int, str]
    texts: Mapping[int, str]
    passages: Mapping[int, tuple[str, str]]
    listeners: Mapping[int, str]
    clips: Mapping[int, tuple[str, int]]
    tests: Mapping[int, str]

    def settings(self, settings: Mapping[str, Any]) -> dict[str, Any]:
        """With keys in the place of numbers; what has none is left out."""
        out = dict(settings)
        if "candidate_ids" in out:
            out["candidate_ids"] = [self.candidates[one] for one in out["candidate_ids"] if one in self.candidates]
        if "passage_ids" in out:
            out["passage_ids"] = [list(self.passages[one]) for one in out["passage_ids"] if one in self.passages]
        if out.get("content"):
            out["content"] = [{**one, "version_id": self.texts[one["version_id"]]} for one in out["content"]
                              if one["version_id"] in self.texts]  # fmt: skip
        for name in OF_CANDIDATE:
            if name in out:
                out[name] = self.candidates.get(out[name], "")
        if "version_of" in out:
            out["version_of"] = self.tests.get(out["version_of"], "")
        return out

    def conduct(self, conduct: Conduct) -> dict[str, Any]:
        out = conduct.as_document()
        out["enrolment"] = None  # who has the file could come by its link
        for name in OF_LISTENERS:
            out[name] = sorted(self.listeners[one] for one in out[name] if one in self.listeners)
        out["reasons"] = {self.listeners[one]: why for one, why in sorted(conduct.reasons.items())
                          if one in self.listeners}  # fmt: skip
        return out


def keys_of(project: FileParts) -> Keys:
    versions, titles = project.texts.passage_of_version(), project.texts.titles()
    every = sorted(project.texts.every_text().items())
    texts = _told_apart((version, text_key(language, text)) for version, (text, language) in every)
    now = {passage: max(v for v, of in versions.items() if of == passage) for passage in set(versions.values())}
    now |= {p.id: p.version_id for p in project.texts.all()}
    seen: Counter[str] = Counter()
    clips = {}
    for take in sorted(project.takes.all(removed=True, with_timing=False), key=lambda one: one.id):
        digest = take.clip.partition(".")[0]
        clips[take.id] = digest, seen[digest]
        seen[digest] += 1
    stated = sorted(project.shortlist.candidates(removed=True, of_sweeps=True), key=lambda one: one.id)
    return Keys(
        candidates=_told_apart((c.id, candidate_key(c)) for c in stated),
        texts=texts,
        passages={p: (titles[p], texts[v]) for p, v in now.items()},
        listeners={p.id: p.alias for p in project.panel.listeners()},
        clips=clips,
        tests=_told_apart((test.id, test_key(test)) for test in project.panel.tests()),
    )


def _told_apart(keys: Iterable[tuple[int, str]]) -> dict[int, str]:
    """Keys by number; what is stated alike is told apart by which came first."""
    seen: Counter[str] = Counter()
    out = {}
    for number, key in keys:
        out[number] = key if not seen[key] else _digest([key, seen[key]])
        seen[key] += 1
    return out


def test_key(test: ListeningTest) -> str:
    """Of its kind and the moment it was opened; of ratings from tables of where they came from, and on which scale."""
    came = test.settings.get("origin", "")
    return _digest([test.kind, f"{came} {test.settings.get('scale', QUALITY)}" if came else test.created])


test_key.__test__ = False  # type: ignore[attr-defined]  # no test of pytest's


# -- out


def lines_of(project: FileParts) -> Iterator[str]:
    """The file, line by line; only what its sessions and tests name is in it."""
    keys = keys_of(project)
    tests, sessions = [], []
    for test in project.panel.tests():
        give_way()
        fixed = project.panel.fixed_takes(test.id)
        takes = None
        if fixed is not None:
            known = {t.id: t for t in project.takes.all(removed=True, with_timing=False)}
            takes = [_clip(keys, t.candidate_id, t.passage_version_id, t.id) for one in fixed.ids
                     if (t := known.get(one)) is not None]  # fmt: skip
        tests.append(TestRecord(key=keys.tests[test.id], kind=test.kind, created=test.created, closed=test.closed,
                                settings=keys.settings(test.settings), conduct=keys.conduct(test.conduct),
                                takes=takes))  # fmt: skip
        sessions += _sessions(project, keys, test)
    used_texts = {c.text for s in sessions for t in s.trials for c in t.clips}
    used_texts |= {c.text for t in tests for c in t.takes or ()}
    used_texts |= {one["version_id"] for t in tests for one in t.settings.get("content") or ()}
    used = {c.candidate for s in sessions for t in s.trials for c in t.clips}
    used |= {c.candidate for t in tests for c in t.takes or ()}
    used |= {one for t in tests
             for one in (*t.settings.get("candidate_ids", ()), *map(t.settings.get, OF_CANDIDATE))}  # fmt: skip
    yield _line(FileHead(version=VERSION))
    yield from map(_line, _candidates(project, keys, used))
    yield from map(_line, _texts(project, keys, used_texts))
    heard = {s.listener for s in sessions}
    yield from (_line(_listener(p)) for p in project.panel.listeners() if p.alias in heard)
    for one in tests:
        yield _line(one)
        yield from (_line(of) for of in sessions if of.test == one.key)


def _line(record: BaseModel) -> str:
    return json.dumps(record.model_dump(mode="json"), ensure_ascii=False, sort_keys=False)


def _candidates(project: FileParts, keys: Keys, used: set[str]) -> list[CandidateRecord]:
    out = {}
    every = project.shortlist.candidates(removed=True, of_sweeps=True)
    names = short_names(every, project.shortlist.engines())
    for c in every:
        if (key := keys.candidates[c.id]) in used:
            out[key] = CandidateRecord(
                key=key, name=names[c.id], engine=c.engine, model=c.model, model_version=c.model_version,
                route=c.route, plan=c.plan, voice=c.voice, language=c.language,
                settings=dict(sorted(c.settings.items())), factory=c.factory, ended=c.ended,
            )  # fmt: skip
    return [out[key] for key in sorted(out)]


def _texts(project: FileParts, keys: Keys, used: set[str]) -> list[TextRecord]:
    titles, of = project.texts.titles(), project.texts.passage_of_version()
    out = {}
    for version, (text, language) in project.texts.every_text().items():
        if (key := keys.texts[version]) in used:
            out[key] = TextRecord(key=key, title=titles[of[version]], language=language, text=text)
    return [out[key] for key in sorted(out)]


def _listener(person: Listener) -> ListenerRecord:
    known = {name: getattr(person, name) for name in ListenerRecord.model_fields if name != "record"}
    return ListenerRecord(**{**known, "languages": list(person.languages), "fluency": dict(person.fluency)})


def _sessions(project: FileParts, keys: Keys, test: ListeningTest) -> list[SessionRecord]:
    of_trial: dict[int, list[tuple[int, StoredAnswer]]] = defaultdict(list)
    for place, one in enumerate(project.answers.every_of(test.id)):
        of_trial[one.trial_id].append((place, one))
    return [
        SessionRecord(
            test=keys.tests[test.id], listener=keys.listeners[s.listener_id], created=s.created,
            finished=s.finished_on, checks=dict(s.checks), sittings=[SittingRecord(**asdict(x)) for x in s.sittings],
            trials=[
                TrialRecord(
                    training=t.training, detail=dict(t.detail),
                    clips=[_clip(keys, x.candidate_id, x.passage_version_id, x.take_id, x.role) for x in t.stimuli],
                    answers=[_answer(place, a) for place, a in of_trial[t.id]],
                )
                for t in s.trials
            ],
        )
        for s in project.panel.sessions(test.id)
    ]  # fmt: skip


def _clip(keys: Keys, candidate: int, version: int, take: int | None, role: Role = "judged") -> ClipRecord:
    digest, nth = keys.clips.get(take, ("", 0)) if take is not None else ("", 0)
    return ClipRecord(candidate=keys.candidates[candidate], text=keys.texts[version], clip=digest, nth=nth, role=role)


def _answer(place: int, stored: StoredAnswer) -> AnswerRecord:
    one = stored.answer
    return AnswerRecord(
        place=place, given=dict(one.given), origin=one.origin, created=one.created, withdrawn=stored.withdrawn,
        heard_share=one.heard_share, plays=one.plays, took_s=one.took_s, heard=list(one.heard),
        note=one.note, spoken=one.spoken, client=one.client, sequence=one.sequence, client_clock=one.client_clock,
    )  # fmt: skip
