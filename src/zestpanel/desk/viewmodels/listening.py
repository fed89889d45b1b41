"""What the page on listening says, worked out from the project without a widget: it may take seconds on a large one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.listening import RATING, Listener, ListeningTest
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.power import what_can_be_told
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.results import Result, note_look, result_of
from zestpanel.core.listening.scales import asked_by
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TestSettings, came_later
from zestpanel.core.listening.verdict import verdict
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr, trn, word
from zestpanel.core.waiting import give_way
from zestpanel.desk.viewmodels.cells import Bench

PEOPLE_HEAD = (tr("Listener"), tr("Speaks"), tr("Accent"), tr("Group"), tr("Heard on"), tr("Ratings"), tr("This test"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """verdicts: by language; people: a row for each listener; results: each test's, the newest first, or why there is
    none."""

    open_test: str
    can_tell: str
    verdicts: dict[str, str]
    people: list[list[str]]
    results: list[Result | str]


def settings_now(project: Project, bench: Bench) -> TestSettings:
    """The open test's, else what one opened now would have: the whole shortlist on all passages."""
    found = project.panel.open_test()
    if found is not None:
        return TestSettings.from_document(found.settings)
    return TestSettings(
        candidate_ids=tuple(c.id for c in bench.candidates), passage_ids=tuple(p.id for p in bench.passages)
    )


def look_at_listening(project: Project, bench: Bench, evaluation: Evaluation | None) -> Looked:
    test, settings, people = project.panel.open_test(), settings_now(project, bench), project.panel.listeners()
    heard = takes_to_hear(project.takes, project.texts, settings)
    kind = kind_of(test.kind if test is not None else RATING).name
    return Looked(
        open_test=_about_the_test(test, settings, bench) if heard else "",
        can_tell=_told(heard, bench, people, evaluation) if heard and kind == RATING else "",
        verdicts=_verdicts(evaluation),
        people=_people(project, test, people),
        results=_results(project),
    )


def _verdicts(evaluation: Evaluation | None) -> dict[str, str]:
    if evaluation is None:
        return {}
    names = {row.candidate.id: row.name for row in evaluation.rows.values()}
    within = float(evaluation.brief.equal_within)
    return {one.language: verdict(one, names, equal_within=within) for one in evaluation.scores.languages}


def _results(project: Project) -> list[Result | str]:
    out: list[Result | str] = []
    for test in reversed(project.panel.tests()):
        give_way()
        try:
            result = result_of(project, test)
            if note_look(project.panel, test, result.listeners) is not test:
                result = result_of(project, project.panel.test(test.id))
            out.append(result)
        except ZestError as error:
            out.append(f"{test.kind}: {error.what}")
    return out


def _about_the_test(test: ListeningTest | None, settings: TestSettings, bench: Bench) -> str:
    """What the open test asks, and what came too late for it."""
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
    """What the open test can tell, language by language."""
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


def _people(project: Project, test: ListeningTest | None, people: Sequence[Listener]) -> list[list[str]]:
    sessions = {s.listener_id: s for s in project.panel.sessions(test.id)} if test else {}
    counts = Counter(rating.listener_id for rating in project.answers.ratings())
    rows = []
    for person in people:
        session = sessions.get(person.id)
        if session is None:
            stand = tr("simulated") if person.simulated else tr("not in this test")
        elif session.finished:
            stand = tr("finished")
        else:
            answered = len(project.answers.answered_places(session.id))
            stand = tr("stopped after {answered} of {trials} trials", answered=answered, trials=len(session.trials))
        checks = session.checks.get("headphones") if session is not None else None
        if checks:
            stand += tr(
                ", headphones {x}: {checks} of {checks2}",
                x=tr("heard") if checks["passed"] else tr("doubtful"),
                checks=checks["right"],
                checks2=checks["of"],
            )
        rows.append([person.alias, ", ".join(person.languages) or tr("not stated"), person.accent or "–",
                     person.audience or "–", word(person.kit), str(counts[person.id]), stand])  # fmt: skip
    return rows
