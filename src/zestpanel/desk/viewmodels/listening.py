"""What the page on listening says, worked out from the project without a widget: it may take seconds on a large one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.listening import RATING, Listener, ListeningTest, Progress, Session
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name
from zestpanel.core.listening.entry import ENTRY, UNSUITED, how_far, taking_part
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.planned import ANSWERING_S, asked_of_a_listener, material_of
from zestpanel.core.listening.power import what_can_be_told
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.results import Result, result_of
from zestpanel.core.listening.scales import asked_by
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TestSettings, came_later
from zestpanel.core.listening.together import WHY_APART, Together, called, taken_together
from zestpanel.core.listening.verdict import verdict
from zestpanel.core.store.apart import Apart
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr, trn, word
from zestpanel.core.waiting import give_way
from zestpanel.desk.viewmodels.cells import Bench

TESTS_HEAD = (tr("Test"), tr("Listeners"), tr("Left"), tr("State"))
PEOPLE_HEAD = (tr("Listener"), tr("Speaks"), tr("Accent"), tr("Group"), tr("Heard on"), tr("Answers"), tr("Tests"))


@dataclass(frozen=True, slots=True, kw_only=True)
class TestLine:
    """A test in the list; cells as ``TESTS_HEAD`` names them."""

    __test__ = False  # no test of pytest's

    test: ListeningTest
    progress: Progress
    cells: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Turned:
    """Who was turned away, in words; session_id, entry, why: to have them asked again, and to take that back."""

    says: str
    session_id: int
    entry: tuple[int, ...]
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OneTest:
    """A test as it is shown: what it asks and what came too late for it, what it can tell, and its result or why there
    is none. wanted: how far each wanted group is. turned: who was turned away before the first trial."""

    about: str
    can_tell: str
    result: Result | str | None
    wanted: str = ""
    turned: tuple[Turned, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Results:
    """verdicts: by language. together: what all tests say, a view a language."""

    verdicts: dict[str, str]
    together: list[Together]


def settings_now(project: Project, bench: Bench) -> TestSettings:
    """The open test's, else what one opened now would have: the whole shortlist on all passages."""
    found = project.panel.open_test()
    if found is not None:
        return TestSettings.from_document(found.settings)
    return TestSettings(
        candidate_ids=tuple(c.id for c in bench.candidates), passage_ids=tuple(p.id for p in bench.passages), trim=True
    )


# -- the list of tests


def look_at_tests(project: Project) -> list[TestLine]:
    """The newest first; those that were removed are not listed."""
    panel = project.panel
    progress, apart, people = panel.progress(), panel.apart(), {p.id: p for p in panel.listeners()}
    lasts: dict[int, float] = {}
    out = []
    for test in reversed(panel.tests()):
        give_way()
        if test.conduct.removed:
            continue
        of = progress.get(test.id, Progress())
        sessions = [] if test.closed else panel.sessions(test.id)
        if sessions and not lasts:
            lasts = {take.id: take.duration_s for take in project.takes.all(with_timing=False)}
        left = _left(project, test, of, sessions, lasts)
        stopped = _stopped(project, sessions, people)
        out.append(TestLine(test=test, progress=of, cells=_cells(test, of, left, stopped, apart.get(test.id))))
    return out


def _cells(test: ListeningTest, of: Progress, left: float, stopped: str, apart: Apart | None) -> tuple[str, ...]:
    kind = kinds().get(test.kind)
    asks = asked_by(kind, TestSettings.from_document(test.settings)) if kind is not None else test.kind
    title = kind.title if kind is not None else tr("a kind that this version does not know")
    named, number = called(test, asks), tr("test {id}, {day}", id=test.id, day=test.created[:10])
    second = title if named == asks else f"{asks} · {title}"
    listeners = tr("{finished} of {planned}", finished=of.finished, planned=test.planned) if test.planned else (
        str(of.answered or of.finished))  # fmt: skip
    state = [tr("closed {day}", day=test.closed[:10]) if test.closed else tr("open")]
    if apart is not None:
        state.append(tr("covered") if apart == "covered" else WHY_APART[apart])
    if stopped:
        state.append(stopped)
    return (
        f"{named}\n{number} · {second}", listeners,
        tr("about {minutes} min", minutes=round(left / 60)) if left >= 60 else "–", "; ".join(state),
    )  # fmt: skip


def _left(
    project: Project, test: ListeningTest, of: Progress, sessions: Sequence[Session], lasts: Mapping[int, float]
) -> float:
    """Seconds of listening that the planned listeners have before them; 0 where none are planned."""
    missing = test.planned - of.finished
    if test.closed or missing <= 0:
        return 0.0
    if not sessions:
        if test.kind not in kinds():
            return 0.0
        asked = asked_of_a_listener(material_of(project), test.kind, TestSettings.from_document(test.settings))
        return 60.0 * missing * asked.minutes
    whole = [sum(_lasts(trial.stimuli, lasts) for trial in session.trials) for session in sessions]
    begun = [
        sum(_lasts(t.stimuli, lasts) for t in session.trials if t.place not in done)
        for session in sessions if not session.finished
        for done in (project.answers.answered_places(session.id),)
    ][:missing]  # fmt: skip
    return sum(begun) + (missing - len(begun)) * sum(whole) / len(whole)


def _lasts(stimuli: Sequence[object], lasts: Mapping[int, float]) -> float:
    return ANSWERING_S + sum(lasts.get(getattr(one, "take_id", None) or 0, 0.0) for one in stimuli)


def _stopped(project: Project, sessions: Sequence[Session], people: Mapping[int, Listener]) -> str:
    half_way = [
        tr("{alias} after {done} of {trials}", alias=people[s.listener_id].alias,
           done=len(project.answers.answered_places(s.id)), trials=len(s.trials))
        for s in sessions if not s.finished
    ]  # fmt: skip
    return tr("stopped: {who}", who=", ".join(half_way)) if half_way else ""


# -- one test


def look_at_test(project: Project, bench: Bench, evaluation: Evaluation | None, test_id: int | None) -> OneTest:
    """test_id: None for the test that the first listener would open."""
    test = shown = project.panel.test(test_id) if test_id is not None else None
    if shown is not None and shown.closed and project.panel.open_test() is None:
        test = None  # who listens next opens another
    settings = TestSettings.from_document(test.settings) if test is not None else settings_now(project, bench)
    people = project.panel.listeners()
    known = test is None or test.kind in kinds()
    under_way = known and (test is None or not test.closed)
    heard = takes_to_hear(project.takes, project.texts, settings) if under_way else {}
    rates = under_way and kind_of(test.kind if test is not None else RATING).name == RATING
    result: Result | str | None = None
    if shown is not None:
        try:
            result = result_of(project, shown)
        except ZestError as error:
            result = f"{shown.kind}: {error.what}"
    return OneTest(
        about=_about_the_test(test, settings, bench) if heard else "",
        can_tell=_told(heard, bench, people, evaluation) if heard and rates else "", result=result,
        wanted=_wanted(project, shown, settings) if shown is not None else "",
        turned=_turned(project, shown, settings, people) if shown is not None else (),
    )  # fmt: skip


def _wanted(project: Project, test: ListeningTest, settings: TestSettings) -> str:
    said = how_far(settings.entry, taking_part(project.panel.checks(test.id), settings.entry))
    return tr("Listeners wanted: {said}.", said="; ".join(said)) if said else ""


def _turned(
    project: Project, test: ListeningTest, settings: TestSettings, people: Sequence[Listener]
) -> tuple[Turned, ...]:
    of = project.panel.turned_away(test.id)
    checks = {s.id: s.checks for s in project.panel.sessions(test.id) if s.id in of} if of else {}
    named = {one.id: one.alias for one in people}
    out = []
    for session, (listener, why) in of.items():
        given = [int(k) for k in checks[session].get(ENTRY, ())]
        last = settings.entry[len(given) - 1].answers[given[-1]].words if 0 < len(given) <= len(settings.entry) else ""
        words = (tr("{alias} did not take part: '{answer}'.", alias=named.get(listener, "?"), answer=last)
                 if why == UNSUITED else
                 tr("{alias} did not take part: enough had answered '{answer}'.", alias=named.get(listener, "?"),
                    answer=last))  # fmt: skip
        out.append(Turned(words, session, tuple(given), why))
    return tuple(out)


def _about_the_test(test: ListeningTest | None, settings: TestSettings, bench: Bench) -> str:
    """What the test asks, and what came too late for it."""
    kind = kind_of(test.kind if test is not None else RATING)
    asks = asked_by(kind, settings)
    inside = tr(
        "{candidate_ids} candidates on {passage_ids} passages",
        candidate_ids=len(settings.candidate_ids),
        passage_ids=len(settings.passage_ids),
    )
    planned = (
        trn(
            ", {listeners} listener planned",
            ", {listeners} listeners planned",
            settings.listeners,
            listeners=settings.listeners,
        )
        if settings.listeners
        else ""
    )
    begun = tr("Open") if test else tr("To be opened with the first listener")
    parts = [f"{begun}: {asks} ({kind.title}; {inside}{planned})"]
    candidates, passages = came_later(settings, (c.id for c in bench.candidates), (p.id for p in bench.passages))
    if test is not None and kind.name == RATING and not settings.listeners and (candidates or passages):
        parts.append(
            tr(
                "{candidates} candidates and {passages} passages came after this test was opened and are "
                "not in it; New test takes them in.",
                candidates=candidates,
                passages=passages,
            )
        )
    return ". ".join(parts) + ("" if parts[-1].endswith(".") else ".")


def _told(
    heard: dict[tuple[int, int], int], bench: Bench, people: Sequence[Listener], evaluation: Evaluation | None
) -> str:
    """What the test can tell, language by language."""
    languages = {p.version_id: primary(p.language) for p in bench.passages}
    parts = []
    for language in dict.fromkeys(languages[version] for _, version in heard if version in languages):
        of = [cell for cell in heard if languages.get(cell[1]) == language]
        told = what_can_be_told(
            spread=evaluation.scores.leanings_in(language) if evaluation is not None else None,
            candidates=len({candidate for candidate, _ in of}),
            passages=len({version for _, version in of}),
            listeners=sum(language in {primary(tag) for tag in person.languages} for person in people),
        )
        parts.append(f"{language_name(language)}: {told}")
    return " ".join(parts)


# -- all results


def look_at_results(project: Project, evaluation: Evaluation | None) -> Results:
    verdicts = {}
    if evaluation is not None:
        names = {row.candidate.id: row.name for row in evaluation.rows.values()}
        within = float(evaluation.brief.equal_within)
        verdicts = {one.language: verdict(one, names, equal_within=within) for one in evaluation.scores.languages}
    return Results(verdicts=verdicts, together=taken_together(project))


def from_outside(engines: Mapping[str, Engine]) -> str:
    """Places of the shortlist's engines in other people's rankings, to be held beside the panel's own; '' for none."""
    said = [
        tr("{engine} is {place} of {of} on {board}", engine=name, place=rank.rank, of=rank.of, board=rank.board)
        if rank.of else tr("{engine} is {place} on {board}", engine=name, place=rank.rank, board=rank.board)
        for name, engine in engines.items() for rank in engine.outside
    ]  # fmt: skip
    return tr("In rankings from outside, which enter no score: {said}.", said="; ".join(said)) if said else ""


# -- who listens


def look_at_people(project: Project) -> list[list[str]]:
    """A row for each listener, as ``PEOPLE_HEAD`` names the columns: answers of all kinds of tests."""
    given = project.answers.counts_by_listener()
    sessions: dict[int, list[Session]] = {}
    for test in project.panel.tests():
        if not test.conduct.removed and "origin" not in test.settings:
            for session in project.panel.sessions(test.id):
                sessions.setdefault(session.listener_id, []).append(session)
    return [
        [person.alias, ", ".join(person.languages) or tr("not stated"), person.accent or "–", person.audience or "–",
         word(person.kit), str(given.get(person.id, 0)), _stands(person, sessions.get(person.id, []))]
        for person in project.panel.listeners()
    ]  # fmt: skip


def _stands(person: Listener, of: Sequence[Session]) -> str:
    finished = sum(session.finished for session in of)
    parts = [tr("simulated")] if person.simulated else []
    if of:
        parts.append(tr("{finished} of {of} finished", finished=finished, of=len(of)))
    checks = next((c for session in reversed(of) if (c := session.checks.get("headphones"))), None)
    if checks:
        parts.append(
            tr(
                "headphones {x}: {checks} of {checks2}",
                x=tr("heard") if checks["passed"] else tr("doubtful"),
                checks=checks["right"],
                checks2=checks["of"],
            )
        )
    return ", ".join(parts) or "–"
