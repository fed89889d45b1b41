"""What a test says: the answers that count, language by language, after screening, with what is to be known of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final

from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.listening import Answered, Conduct, Listener, ListeningTest, Progress
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name
from zestpanel.core.listening.design import is_check, judged_at
from zestpanel.core.listening.kind import Around, Bar, Found, Kind, fits, pairs_by_interval
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.scales import asked_by
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.screening import Flag, Point, beside_the_others, flags, left_out, too_alike
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.panel import Panel, looked
from zestpanel.core.texts import some_of, tr, trn
from zestpanel.core.waiting import let_go

MOST_WORST: Final = 6  # clips that are named
MOST_REASONS: Final = 4
MOST_MOVED: Final = 0.005
FEWEST_FOR_WORST: Final = 3  # listeners of a clip before its mean is called one (common practice, no source)


@dataclass(frozen=True, slots=True, kw_only=True)
class OfLanguage:
    """What the answers of one language say; found is None where they say nothing yet, and why is the reason. effect: in
    a sentence, what the screening changes; '' where nobody is left out. worst: each candidate's clip that was rated
    lowest, the first few of them. fed: by figure, what it is of each candidate. remarks: (candidate judged, what was
    written beside the answer), of those that count."""

    language: str
    found: Found | None
    why: str
    effect: str
    worst: str
    answers: int
    listeners: int
    fed: Mapping[str, tuple[Bar, ...]] = field(default_factory=dict)
    remarks: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Changed:
    """What is no longer as it was when the test began. passages: titles of those whose words were changed or that were
    removed, and answers to their old words; taken_off: names of candidates that are off the shortlist."""

    passages: tuple[str, ...] = ()
    answers: int = 0
    taken_off: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Result:
    """asks: the lead's question. listeners: how many have answered, heard_by: who. beside: of those who are doubted,
    their scores beside those of the others. out: those left out now. about: sentences that belong to any figure of
    it."""

    test: ListeningTest
    kind: Kind
    settings: TestSettings
    asks: str
    parts: tuple[OfLanguage, ...]
    listeners: int
    flags: tuple[Flag, ...]
    out: frozenset[int]
    about: tuple[str, ...]
    progress: Progress
    changed: Changed
    heard_by: frozenset[int]
    beside: Mapping[int, tuple[Point, ...]]

    @property
    def covered(self) -> bool:
        """Whether the lead is not to see it yet; the parts are there all the same."""
        return self.test.covered(self.progress)

    @property
    def title(self) -> str:
        return f"{self.asks}  ·  {self.kind.title}"


def result_of(project: AnswerParts, test: ListeningTest) -> Result:
    """Raises InputError for a kind that this version does not know."""
    kind, settings = kind_of(test.kind), TestSettings.from_document(test.settings)
    people = {p.id: p for p in project.panel.listeners()}
    now = project.texts.all()
    texts = {p.version_id: (p.text, p.language) for p in now}
    candidates = project.shortlist.candidates(removed=True, of_sweeps=True)
    names = short_names(candidates, project.shortlist.engines())
    voices = {c.id: c.voice for c in candidates}
    every = standing(project, test, kind, settings)
    changed = _changed(project, every, settings, texts, names, test.conduct)
    heard = [one for one in every if is_check(one.trial) or _language(one, texts)]
    counted = [one for one in heard if not _own_voice(one, people, voices)]
    found = flags(test.kind, counted, settings)
    out = left_out(found, test.conduct)
    judged = [one for one in counted if not is_check(one.trial)]
    around = Around(settings=settings, names=names, texts=texts)
    parts: list[OfLanguage] = []
    here: list[Answered] = []
    for language in dict.fromkeys(_language(one, texts) for one in judged):
        here = [one for one in judged if _language(one, texts) == language]
        parts.append(_of_language(kind, language, here, out, around))
    heard_by = frozenset(one.listener_id for one in judged)
    said = Result(
        test=test, kind=kind, settings=settings, asks=asked_by(kind, settings), parts=tuple(parts),
        flags=tuple(found), out=out, listeners=len(heard_by), heard_by=heard_by,
        beside={who: of for who, of in beside_the_others(judged).items() if who in out or any(
            flag.listener_id == who for flag in found)},
        about=(*_about(test, settings, every, judged, people), *_of_screening(kind, settings, judged),
               *_not_heard(project.panel.all_skipped(test.id)), *_headphones(project.panel.checks(test.id)),
               *_left_out(found, out, test.conduct)),
        progress=project.panel.progress().get(test.id, Progress()), changed=changed,
    )  # fmt: skip
    for some in (here, judged, counted, heard):
        some.clear()
    let_go(every)
    return said


def _changed(
    project: AnswerParts, every: Sequence[Answered], settings: TestSettings, texts: dict[int, tuple[str, str]],
    names: Mapping[int, str], conduct: Conduct,
) -> Changed:  # fmt: skip
    """texts: where answers to old words count on, these are put into it."""
    old = {s.passage_version_id for one in every for s in one.trial.stimuli if s.passage_version_id not in texts}
    count = sum(any(s.passage_version_id in old for s in one.trial.stimuli) for one in every)
    of, titles = project.texts.passage_of_version(), project.texts.titles()
    if conduct.old_texts:
        texts |= {version: project.texts.version_text(version) for version in old}
    here = {c.id for c in project.shortlist.candidates()}
    return Changed(
        passages=tuple(dict.fromkeys(titles.get(of.get(version, 0), "?") for version in sorted(old))),
        answers=count,
        taken_off=tuple(names.get(c, "?") for c in settings.candidate_ids if c not in here),
    )


def standing(
    project: AnswerParts, test: ListeningTest, kind: Kind, settings: TestSettings, *, training: bool = False
) -> list[Answered]:
    """Answers to a test that stand and are such to what was asked. Traps, and ratings from tables, ask otherwise."""
    every = project.answers.of_test(test.id, training=training)
    by_table = "origin" in test.settings
    return [one for one in every if by_table or "trap" in one.trial.detail or fits(kind, settings, one)]


def _language(one: Answered, texts: Mapping[int, tuple[str, str]]) -> str:
    version = one.trial.stimuli[judged_at(one.trial)].passage_version_id if one.trial.stimuli else 0
    return primary(texts[version][1]) if version in texts else ""


def _own_voice(one: Answered, people: Mapping[int, Listener], voices: Mapping[int, str]) -> bool:
    own = people[one.listener_id].own_voice
    return bool(own) and any(voices.get(s.candidate_id) == own for s in one.trial.stimuli if s.role == "judged")


def _of_language(
    kind: Kind, language: str, answers: Sequence[Answered], out: frozenset[int], around: Around
) -> OfLanguage:
    kept = [one for one in answers if one.listener_id not in out]
    found, why = _found(kind, kept, around)
    if answers and not kept:
        why = tr("Every listener is left out, so there is no result: see below why, and take back what is not right.")
    effect = ""
    if len(kept) < len(answers):
        whole, _ = _found(kind, answers, around)
        effect = _effect(found, whole)
    return OfLanguage(language=language, found=found, why=why, effect=effect, worst=_worst(kept, around),
                      answers=len(kept), listeners=len({one.listener_id for one in kept}),
                      fed={} if found is None else kind.fed(found, kept, around),
                      remarks=tuple((one.trial.stimuli[judged_at(one.trial)].candidate_id, one.answer.note)
                                    for one in kept if one.answer.note))  # fmt: skip


def _found(kind: Kind, answers: Sequence[Answered], around: Around) -> tuple[Found | None, str]:
    try:
        found = kind.found(answers, around)
        lower = kind.feeds is not None and kind.feeds.better == "lower"
        return (
            found if found.pairs else replace(found, pairs=pairs_by_interval(found.bars, lower_is_better=lower))
        ), ""
    except ZestError as error:
        return None, error.what


def _worst(answers: Sequence[Answered], around: Around) -> str:
    """A mean hides the clip that would have to be made again: each candidate's lowest one, where several were rated."""
    scores: dict[int, dict[tuple[int, int | None], list[float]]] = defaultdict(lambda: defaultdict(list))
    for one in answers:
        judged = [s for s in one.trial.stimuli if s.role == "judged"]
        score = one.answer.given.get("score")
        if len(judged) == 1 and isinstance(score, int | float):
            clip = judged[0]
            scores[clip.candidate_id][clip.passage_version_id, clip.take_id].append(float(score))
    said = []
    for candidate, clips in scores.items():
        means = {clip: sum(of) / len(of) for clip, of in clips.items() if len(of) >= FEWEST_FOR_WORST}
        if len(means) > 1:
            lowest = min(means, key=lambda clip: means[clip])
            text = around.texts[lowest[0]][0]
            words = f"“{text[:28].rstrip()}…”" if len(text) > 30 else f"“{text}”"
            said.append(
                (
                    means[lowest],
                    tr(
                        "{name} {means} on {words}",
                        name=around.name(candidate),
                        means=f"{means[lowest]:.1f}",
                        words=words,
                    ),
                )
            )
    return some_of([words for _, words in sorted(said)], MOST_WORST)


def _effect(found: Found | None, whole: Found | None) -> str:
    if found is None or whole is None:
        return tr("Without those who are left out there are too few answers.") if found is None else ""
    before = {bar.name: bar.value for bar in whole.bars}
    moved = [(abs(bar.value - before[bar.name]), bar) for bar in found.bars if bar.name in before]
    if not moved or max(moved, key=lambda one: one[0])[0] < MOST_MOVED:
        return tr("Leaving them out moves nothing.")
    _, bar = max(moved, key=lambda one: one[0])
    return tr(
        "Leaving them out moves {name} most: from {before} to {value}.",
        name=bar.name,
        before=f"{before[bar.name]:.2f}",
        value=f"{bar.value:.2f}",
    )


def _about(
    test: ListeningTest, settings: TestSettings, every: Sequence[Answered], judged: Sequence[Answered],
    people: Mapping[int, Listener],
) -> list[str]:  # fmt: skip
    out = []
    listeners = {one.listener_id for one in judged}
    simulated = sum(people[one].simulated for one in listeners)
    if simulated:
        out.append(
            tr("{simulated} of {listeners} listeners are simulated.", simulated=simulated, listeners=len(listeners))
        )
    if settings.version_of:
        out.append(
            tr(
                "It is a new version of test {version_of}, whose answers stand by themselves.",
                version_of=settings.version_of,
            )
        )
    if settings.bed:
        out.append(
            tr(
                "All clips were heard over {bed_name}, {bed_below_lu} LU below speech.",
                bed_name=settings.bed_name,
                bed_below_lu=f"{settings.bed_below_lu:g}",
            )
        )
    if settings.take_rule == "preferred":
        out.append(
            tr(
                "The starred take of a cell was heard, else the first: what was starred among several is the best "
                "of them, not the engine's usual."
            )
        )
    if len(listeners) == 1 and not simulated:
        out.append(tr("One person has answered: ask somebody else, too, before it decides anything."))
    clips: dict[tuple[int, int], set[int | None]] = defaultdict(set)
    for one in judged:
        for clip in one.trial.stimuli:
            clips[clip.candidate_id, clip.passage_version_id].add(clip.take_id)
    if settings.take_rule == "drawn" and clips and max(map(len, clips.values())) == 1 and None not in set().union(
        *clips.values()
    ):  # fmt: skip
        out.append(tr("There was one take of each cell: how much an engine differs from take to take is not in it."))
    if settings.listeners > len(listeners):
        out.append(
            tr(
                "{listeners} of {listeners2} planned listeners have answered.",
                listeners=len(listeners),
                listeners2=settings.listeners,
            )
        )
    if test.conduct.looks:
        looks = ", ".join(tr("{when} after {n}", when=when, n=n) for when, n in test.conduct.looks)
        out.append(tr("The result was opened before all planned listeners had answered ({looks}): stopping "
"when it pleases makes chance look like a difference.", looks=looks))  # fmt: skip
    if apart := len({one.listener_id for one in every} - listeners):
        out.append(
            tr(
                "Answers of {apart} listeners are kept apart: their own voice, or a text that was changed since.",
                apart=apart,
            )
        )
    return out


def _headphones(checks: Sequence[Mapping[str, Any]]) -> list[str]:
    known = [one["headphones"]["passed"] for one in checks if one.get("headphones")]
    if not known:
        return []
    return [tr("Headphones were heard in {n} of {known} sessions that checked them.", n=sum(known), known=len(known))]


def _left_out(found: Sequence[Flag], out: frozenset[int], conduct: Conduct) -> list[str]:
    """How many listeners count in no figure, and why, without their names."""
    why = {one: conduct.reasons.get(one, "") for one in sorted(out)}
    for flag in found:
        if flag.listener_id in why and not why[flag.listener_id]:
            why[flag.listener_id] = flag.why
    if not why:
        return []
    reasons = some_of(list(dict.fromkeys(one or tr("no reason is given") for one in why.values())), MOST_REASONS)
    return [trn("{n} listener is left out: {reasons}.", "{n} listeners are left out: {reasons}.", len(why), n=len(why),
                reasons=reasons)]  # fmt: skip


def _not_heard(why: Sequence[str]) -> list[str]:
    if not why:
        return []
    reasons = some_of(list(dict.fromkeys(why)), 2)
    return [trn("{n} clip could not be heard and was skipped: {reasons}",
                "{n} clips could not be heard and were skipped: {reasons}", len(why), n=len(why),
                reasons=reasons)]  # fmt: skip


def _of_screening(kind: Kind, settings: TestSettings, judged: Sequence[Answered]) -> list[str]:
    """What the rules that leave listeners out, or flag them, do with these answers."""
    items: dict[int, int] = defaultdict(int)
    for one in judged:
        items[one.listener_id] += not one.trial.training
    warns = kind.warns(min(items.values()), settings) if items else ""
    alike = tr("Most listeners go along little with the others: the clips are too alike for a correlation to tell who "
               "listened, and nobody is flagged by it.") if too_alike(judged) else ""  # fmt: skip
    return [said for said in (warns, alike) if said]


def open_early(panel: Panel, test_id: int) -> None:
    """Look at a result that is covered: kept, with the date and how many have answered by now. Once more have, it is
    covered again."""
    test, progress = panel.test(test_id), panel.progress().get(test_id, Progress())
    if test.covered(progress):
        panel.put_conduct(test_id, looked(test.conduct, progress.answered))


def title_of(part: OfLanguage, several: bool) -> str:
    return language_name(part.language) if several else ""
