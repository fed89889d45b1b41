"""A file of answers taken into a project: what is new is put in, what is known is told and not doubled; all or none."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

from zestpanel.core.domain.listening import Answer, Conduct, Listener, PlannedTrial, Session, Sitting, Stimulus
from zestpanel.core.errors import TableError
from zestpanel.core.listening.answer_file import (
    LINES,
    OF_CANDIDATE,
    OF_LISTENERS,
    VERSION,
    AnswerRecord,
    CandidateRecord,
    ClipRecord,
    FileHead,
    FileParts,
    Keys,
    ListenerRecord,
    SessionRecord,
    TestRecord,
    TextRecord,
    keys_of,
)
from zestpanel.core.store.answers import StoredAnswer
from zestpanel.core.store.shapes import fits
from zestpanel.core.texts import some_of, tr, trn

_KEPT: Final = tr("Nothing was taken in.")
_MOST_NAMED: Final = 3


@dataclass(slots=True)
class TakenIn:
    """How many were new and how many known. older: answers that came later to a trial that has a newer one here, which
    stands; without_sound: clips that this project does not have, so that their answers name no take; unspoken: remarks
    said aloud, whose sound is no part of the file."""

    tests: int = 0
    listeners: int = 0
    sessions: int = 0
    answers: int = 0
    known: int = 0
    older: int = 0
    without_sound: int = 0
    unspoken: int = 0

    def says(self, name: str) -> str:
        parts = [
            trn("{n} test", "{n} tests", self.tests, n=self.tests),
            trn("{n} session", "{n} sessions", self.sessions, n=self.sessions),
            trn("{n} answer", "{n} answers", self.answers, n=self.answers),
        ]
        said = [tr("New from {name}: {parts}.", name=name, parts=", ".join(parts))]
        if self.known:
            said.append(trn("{n} was known already.", "{n} were known already.", self.known, n=self.known))
        if self.older:
            left = trn("{n} is older than what stands here, and was left.",
                       "{n} are older than what stands here, and were left.", self.older, n=self.older)  # fmt: skip
            said.append(left)
        if self.without_sound:
            said.append(trn("{n} clip that was heard is not in this project: its answers count without it.",
                            "{n} clips that were heard are not in this project: their answers count without them.",
                            self.without_sound, n=self.without_sound))  # fmt: skip
        if self.unspoken:
            said.append(trn("{n} spoken remark stays behind: its sound is not in the file.",
                            "{n} spoken remarks stay behind: their sound is not in the file.", self.unspoken,
                            n=self.unspoken))  # fmt: skip
        return " ".join(said)


def is_answer_file(text: str) -> bool:
    return text.lstrip("\ufeff").startswith('{"record": "file"')


def take_in(project: FileParts, text: str, name: str) -> TakenIn:
    """Raises TableError for what is no such file, or names candidates or texts that are not in this project."""
    records = list(_records(text, name))
    try:
        with project.panel.alone():
            return _In(project, records, name).done
    except KeyError as error:
        raise TableError(tr("{name} is not whole: it names what is not in it.", name=name), kept=_KEPT,
                         remedy=tr("Save the answers anew as .jsonl.")) from error  # fmt: skip


def _records(text: str, name: str) -> Iterator[Any]:
    for number, line in enumerate(text.lstrip("\ufeff").splitlines(), 1):
        if not line.strip():
            continue
        where = tr("{name}, line {number}", name=name, number=number)
        try:
            value = json.loads(line, parse_constant=_refuse)
            if number == 1 and isinstance(value, dict) and value.get("version") not in (None, *range(1, VERSION + 1)):
                raise TableError(
                    tr("{name} was written by a newer Zest Panel.", name=name), kept=_KEPT,
                    remedy=tr("Update this one, or save the answers there as a table."),
                )  # fmt: skip
            yield LINES.validate_json(line)
        except (ValueError, RecursionError) as error:  # pydantic's errors are of the first
            raise TableError(tr("{where}: this is no line of a file of answers.", where=where), kept=_KEPT,
                             remedy=tr("Save the answers anew as .jsonl.")) from error  # fmt: skip


def _refuse(constant: str) -> None:
    raise ValueError(constant)


@dataclass(slots=True)
class _Here:
    """Numbers of this project by the file's keys."""

    candidates: dict[str, int] = field(default_factory=dict)
    texts: dict[str, int] = field(default_factory=dict)
    listeners: dict[str, int] = field(default_factory=dict)
    tests: dict[str, int] = field(default_factory=dict)
    takes: dict[tuple[str, int, int, int], int] = field(default_factory=dict)


class _In:
    def __init__(self, project: FileParts, records: Sequence[Any], name: str) -> None:
        self._project, self._name, self.done = project, name, TakenIn()
        self._keys: Keys = keys_of(project)
        self._here = _Here()
        if not records or not isinstance(records[0], FileHead):
            raise TableError(tr("{name} is no file of answers.", name=name), kept=_KEPT)
        self._find_candidates([one for one in records if isinstance(one, CandidateRecord)])
        self._find_texts([one for one in records if isinstance(one, TextRecord)])
        self._find_takes()
        for one in records:
            if isinstance(one, ListenerRecord):
                self._listener(one)
            elif isinstance(one, TestRecord):
                self._test(one)
        for test in dict.fromkeys(one.test for one in records if isinstance(one, SessionRecord)):
            self._sessions([one for one in records if isinstance(one, SessionRecord) and one.test == test])

    # -- what is named is found

    def _find_candidates(self, records: Sequence[CandidateRecord]) -> None:
        here = {key: number for number, key in self._keys.candidates.items()}
        missing = [one for one in records if one.key not in here]
        if missing:
            said = some_of([f"{one.engine} {one.voice} {one.model}".strip() for one in missing], _MOST_NAMED)
            raise TableError(
                tr("{name} has answers about candidates that are not in this project: {said}.", name=self._name,
                   said=said), kept=_KEPT,
                remedy=tr("Take the answers into a copy of the project they came from, or add these candidates first."),
            )  # fmt: skip
        self._here.candidates = {one.key: here[one.key] for one in records}

    def _find_texts(self, records: Sequence[TextRecord]) -> None:
        """Words that a passage of the same title does not have any more, or never had here, become a version of it
        behind its present one."""
        texts = self._project.texts
        here = {key: number for number, key in self._keys.texts.items()}
        titles = {title: passage for passage, title in texts.titles().items()}
        missing = [one for one in records if one.key not in here and one.title not in titles]
        if missing:
            raise TableError(
                tr("{name} has answers to texts that are not in this project: {said}.", name=self._name,
                   said=some_of([one.title for one in missing], _MOST_NAMED)), kept=_KEPT,
                remedy=tr("Take the answers into a copy of the project they came from, or add these passages first."),
            )  # fmt: skip
        for one in records:
            self._here.texts[one.key] = (
                here[one.key] if one.key in here else texts.add_former(titles[one.title], one.text, one.language)
            )

    def _find_takes(self) -> None:
        for take in self._project.takes.all(removed=True, with_timing=False):
            digest, nth = self._keys.clips[take.id]
            self._here.takes[digest, nth, take.candidate_id, take.passage_version_id] = take.id

    def _take(self, clip: ClipRecord) -> int | None:
        cell = self._here.candidates[clip.candidate], self._here.texts[clip.text]
        return self._here.takes.get((clip.clip, clip.nth, *cell))

    def _listener(self, record: ListenerRecord) -> None:
        panel = self._project.panel
        known = next((one for one in panel.listeners() if one.alias == record.alias), None)
        if known is None:
            known = panel.add_listener(record.alias, languages=record.languages, hearing=record.hearing, kit=record.kit,
                                       simulated=record.simulated)  # fmt: skip
            fields = record.model_dump(exclude={"record", "languages"})
            panel.put_listener(Listener(id=known.id, languages=tuple(record.languages), **fields))
            self.done.listeners += 1
        self._here.listeners[record.alias] = known.id

    # -- tests

    def _test(self, record: TestRecord) -> None:
        here = {key: number for number, key in self._keys.tests.items()}
        if record.key in here:
            self._here.tests[record.key] = here[record.key]
            return
        try:
            settings, told = self._settings(record.settings), self._conduct(record.conduct)
            good = fits("tests.settings", settings) and fits("tests.conduct", told)
        except (TypeError, AttributeError, ValueError, LookupError):  # of any other shape
            good = False
        if not good:
            raise TableError(tr("{name}: a test has settings that cannot be.", name=self._name), kept=_KEPT)
        conduct = Conduct.from_document(told)
        number = self._project.panel.add_test(record.kind, settings, created=record.created, closed=record.closed)
        self._project.panel.put_conduct(number, conduct)
        if record.takes is not None:
            self._project.panel.put_takes(number, [one for clip in record.takes
                                                   if (one := self._take(clip)) is not None])  # fmt: skip
        self._here.tests[record.key] = number
        self.done.tests += 1

    def _settings(self, given: Mapping[str, Any]) -> dict[str, Any]:
        out, here = dict(given), self._here
        if "candidate_ids" in out:
            out["candidate_ids"] = [here.candidates[one] for one in out["candidate_ids"] if one in here.candidates]
        if "passage_ids" in out:
            out["passage_ids"] = [one for named in out["passage_ids"] if (one := self._passage(named)) is not None]
        if out.get("content"):
            out["content"] = [{**one, "version_id": here.texts[one["version_id"]]} for one in out["content"]]
        for name in OF_CANDIDATE:
            if name in out:
                out[name] = here.candidates.get(out[name], 0)
        if "version_of" in out:
            out["version_of"] = here.tests.get(out["version_of"], 0)
        return out

    def _passage(self, named: Sequence[str]) -> int | None:
        """By its present words, else by its title."""
        title, key = (*named, "", "")[:2]
        of = self._keys.passages
        by_words = [one for one, (_, words) in of.items() if words == key]
        by_title = [one for one, (called, _) in of.items() if called == title]
        both = [one for one in by_words if one in by_title]
        return next(iter([*both, *by_words, *by_title]), None)

    def _conduct(self, given: Mapping[str, Any]) -> dict[str, Any]:
        people = {one.alias: one.id for one in self._project.panel.listeners()}
        out = dict(given)
        for name in OF_LISTENERS:
            out[name] = [people[one] for one in out.get(name, ()) if one in people]
        out["reasons"] = {str(people[one]): why for one, why in out.get("reasons", {}).items() if one in people}
        return out

    # -- sessions and answers

    def _sessions(self, records: Sequence[SessionRecord]) -> None:
        """All of a test: their answers are put in in the order in which they were given."""
        if records[0].test not in self._here.tests:
            raise TableError(tr("{name} has sessions of a test that is not in it.", name=self._name), kept=_KEPT)
        panel, test = self._project.panel, self._here.tests[records[0].test]
        here = {one.listener_id: one for one in panel.sessions(test)}
        stored: dict[int, list[StoredAnswer]] = {}
        for row in self._project.answers.every_of(test):
            stored.setdefault(row.trial_id, []).append(row)
        waiting: list[tuple[int, int, AnswerRecord]] = []  # place, trial, what was answered
        for record in records:
            trials = self._session(test, record, here)
            for number, of in zip(trials, record.trials, strict=True):
                waiting += [(one.place, number, one) for one in of.answers]
        new = [self._answer(number, one, stored.get(number, []))
               for _, number, one in sorted(waiting, key=lambda of: of[0])]  # fmt: skip
        self._project.answers.add_many([one for one in new if one is not None])

    def _session(self, test: int, record: SessionRecord, here: Mapping[int, Session]) -> list[int]:
        """Numbers of the session's trials, in order."""
        listener = self._here.listeners.get(record.listener)
        if listener is None:
            raise TableError(tr("{name} does not say who {listener} is.", name=self._name, listener=record.listener),
                             kept=_KEPT)  # fmt: skip
        if not fits("sessions.checks", record.checks):
            raise TableError(tr("{name}: a session has checks that cannot be.", name=self._name), kept=_KEPT)
        planned = [PlannedTrial(stimuli=tuple(self._stimulus(x) for x in one.clips), training=one.training,
                                detail=one.detail) for one in record.trials]  # fmt: skip
        known = here.get(listener)
        if known is None:
            made = self._project.panel.add_session(
                test, listener, planned, created=record.created, finished=record.finished, checks=record.checks,
                sittings=[Sitting(**one.model_dump()) for one in record.sittings],
            )  # fmt: skip
            self.done.sessions += 1
            return [one.id for one in made.trials]
        same = [(t.training, dict(t.detail), [(s.candidate_id, s.passage_version_id, s.role) for s in t.stimuli])
                for t in known.trials]  # fmt: skip
        if same != [(t.training, dict(t.detail), [(s.candidate_id, s.passage_version_id, s.role) for s in t.stimuli])
                    for t in planned]:  # fmt: skip
            raise TableError(
                tr("{listener} has another session of test {test} here: two orders cannot be one.",
                   listener=record.listener, test=test), kept=_KEPT,
                remedy=tr("Give the listener another name in one of the projects, then save the answers anew."),
            )  # fmt: skip
        sat = {one.begun: one for one in known.sittings} | {one.begun: Sitting(**one.model_dump())
                                                            for one in record.sittings}  # fmt: skip
        self._project.panel.put_session(known.id, finished=known.finished_on or record.finished,
                                        sittings=[sat[begun] for begun in sorted(sat)])  # fmt: skip
        return [one.id for one in known.trials]

    def _stimulus(self, clip: ClipRecord) -> Stimulus:
        take = self._take(clip)
        if clip.clip and take is None:
            self.done.without_sound += 1
        return Stimulus(candidate_id=self._here.candidates[clip.candidate],
                        passage_version_id=self._here.texts[clip.text], take_id=take, role=clip.role)  # fmt: skip

    def _answer(self, trial: int, record: AnswerRecord, there: list[StoredAnswer]) -> StoredAnswer | None:
        """What is to be put in, None for what is known, or older than what stands."""
        if record.client and any((one.answer.client, one.answer.sequence) == (record.client, record.sequence)
                                 for one in there):  # fmt: skip
            self.done.known += 1
            return None
        if any((one.answer.created, dict(one.answer.given), one.withdrawn) ==
               (record.created, record.given, record.withdrawn) for one in there):  # fmt: skip
            self.done.known += 1
            return None
        if there and max(one.answer.created for one in there) > record.created:
            self.done.older += 1
            return None
        spoken = record.spoken if record.spoken and self._project.clips.path(record.spoken).exists() else ""
        self.done.unspoken += bool(record.spoken) and not spoken
        self.done.answers += 1
        return StoredAnswer(
            trial,
            Answer(given=record.given, origin=record.origin, heard_share=record.heard_share, plays=record.plays,
                   took_s=record.took_s, note=record.note, spoken=spoken, heard=tuple(record.heard),
                   created=record.created, client=record.client, sequence=record.sequence,
                   client_clock=record.client_clock), record.withdrawn,
        )  # fmt: skip
