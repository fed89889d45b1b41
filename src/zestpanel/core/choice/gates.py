"""Must-haves of the brief held against a candidate's facts: each exclusion with the fact behind it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

from zestpanel.core.analysis.statistics.tails import at_least_p
from zestpanel.core.analysis.summary import Summary
from zestpanel.core.catalogue.candidate import plan_of, superseded_by
from zestpanel.core.catalogue.fact_list import About
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import OwnStatement, ledger
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.role import Role
from zestpanel.core.languages import language_name
from zestpanel.core.money.volume import VolumeCost
from zestpanel.core.texts import tr, word

Verdict = Literal["yes", "no", "unknown"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Gate:
    """One must-have: met, not met or unknown; ``why`` names the fact. code: the name in English, for files. Unknown
    keeps a candidate from being chosen. fact: what it is a fact of, and of which one, where somebody can state it."""

    name: str
    verdict: Verdict
    why: str
    fact: tuple[About, str] | None = None
    code: str = ""
    of_volume: bool = False  # whether it hangs on how much is made a month

    def __post_init__(self) -> None:
        if not self.code:
            object.__setattr__(self, "code", self.name)  # names of facts are English


MAY_BE_LATE: Final = 0.05  # share of requests that may be later than the longest wait
SURE: Final = 0.05

# must-haves that are facts of something else than the plan
_ABOUT: Final[dict[str, About]] = {"streams": "engine", "keeps no data": "engine", "offline": "model"}


def gates(
    brief: Brief,
    candidate: Candidate,
    engine: Engine | None,
    cost: VolumeCost | None,
    summary: Summary,
    *,
    own: Sequence[OwnStatement] = (),
    consent_missing: str = "",
) -> list[Gate]:
    """All gates the brief sets for this candidate, and those for everybody: rights of persons, a sound still made."""
    out: list[Gate] = []
    if engine is not None and engine.only_compared:
        out.append(
            Gate(
                name=tr("is a voice to choose"),
                code="is a voice to choose",
                verdict="no",
                why=tr("a dialogue in several voices, to compare with")
                if engine.staged
                else tr("recordings of a person, to compare with"),
            )
        )
    if candidate.ended:
        why = tr("the same request gives another sound since {ended_on}", ended_on=candidate.ended_on)
        out.append(Gate(name=tr("can still be made"), code="can still be made", verdict="no", why=why))
    elif stated := superseded_by(candidate, engine):
        why = tr(
            "version {model_version}; its model is stated as {stated} now",
            model_version=candidate.model_version,
            stated=stated,
        )
        out.append(Gate(name=tr("can still be made"), code="can still be made", verdict="unknown", why=why))
    out += _asked_of(brief, candidate, engine, own)
    out += _persons(candidate, engine, own, consent_missing)
    out += _language(brief, candidate)
    out += _budget(brief, cost)
    out += _wait(brief, summary)
    return out


RIGHTS: Final = ("commercial use", "download", "no watermark", "no attribution")


def rights_that_are_no(
    brief: Brief, candidate: Candidate, engine: Engine | None, own: Sequence[OwnStatement] = ()
) -> tuple[str, ...]:
    """Rights that the plan denies, though nobody made them a must-have, by their names as facts."""
    found = (_fact(name, candidate, engine, own) for name in RIGHTS if name not in brief.must_haves)
    return tuple(one.name for one in found if one.verdict == "no")


def barred(gates: Sequence[Gate], *verdicts: Verdict) -> str:
    """The must-haves that are not met (or not known, where ``verdicts`` say so), in a few words; '' for none."""
    return ", ".join(f"{word(one.name)} ({one.why})" for one in gates if one.verdict in (verdicts or ("no",)))


def bars_of_plan(
    brief: Brief, engine: Engine, plan: str, model: str, cost: VolumeCost, own: Sequence[OwnStatement] = ()
) -> list[Gate]:
    """What the brief's must-haves say of a plan that nobody is a candidate under."""
    nobody = Candidate(id=0, engine=engine.engine, model=model, model_version="", route="", plan=plan, voice="",
                       language="")  # fmt: skip
    return [*_asked_of(brief, nobody, engine, own), *_budget(brief, cost)]


def _asked_of(brief: Brief, candidate: Candidate, engine: Engine | None, own: Sequence[OwnStatement]) -> list[Gate]:
    """The brief's must-haves that are facts."""
    out = []
    for name in brief.must_haves:
        if name != "runs locally":
            out.append(_fact(name, candidate, engine, own))
        elif engine is None:
            out.append(Gate(name=name, verdict="unknown", why=tr("engine not known")))
        else:
            verdict: Verdict = "no" if engine.is_hosted else "yes"
            out.append(Gate(name=name, verdict=verdict, why="hosted" if engine.is_hosted else "on this machine"))
    return out


def _fact(name: str, candidate: Candidate, engine: Engine | None, own: Sequence[OwnStatement]) -> Gate:
    """A must-have that is a fact: yes and no as stated; what nobody states, or what sources disagree on, is unknown."""
    about: About = _ABOUT.get(name, "plan")
    where = {
        "plan": tr("plan '{name}'", name=plan_of(candidate, engine).name),
        "model": tr("model '{model}'", model=candidate.model),
    }.get(about, candidate.engine)
    if engine is None:
        return Gate(name=name, verdict="unknown", why=tr("engine not known"))
    item = {"plan": candidate.plan, "model": candidate.model}.get(about, "")
    facts = ledger(engine, about, item, own)
    if name not in facts:
        return Gate(name=name, verdict="unknown", why=tr("no fact of that name is known; correct it in the brief"))
    known = facts[name]
    if known.state == "unknown":
        why = (
            tr("{where}: sources disagree", where=where) if known.disagree else tr("{where} does not say", where=where)
        )
        return Gate(name=name, verdict="unknown", why=why, fact=(about, item))
    return Gate(name=name, verdict="yes" if known.state == "yes" else "no", why=where)


def not_stated(brief: Brief, engine: Engine, own: Sequence[OwnStatement] = ()) -> str:
    """A sentence on the brief's must-haves that nothing is stated about for this engine, under any plan or model; ''
    for none. Its voices can be heard and rated; they can be chosen once it is known."""
    items: dict[About, list[str]] = {
        "engine": [""], "plan": [plan.name for plan in engine.plans], "model": [model.id for model in engine.models],
    }  # fmt: skip
    missing = []
    for name in brief.must_haves:
        about: About = _ABOUT.get(name, "plan")
        known = [ledger(engine, about, item, own).get(name) for item in items.get(about, [])]
        if name != "runs locally" and not any(one is not None and one.state != "unknown" for one in known):
            missing.append(name)
    if not missing:
        return ""
    many = len(missing) > 1
    return tr(
        "Not stated: {missing}. Its voices can be heard and rated, and chosen once {x} known: "
        "state {x2} on the Engines tab.",
        missing=", ".join(map(word, missing)),
        x=tr("these are") if many else tr("this is"),
        x2=tr("them") if many else tr("it"),
    )


def _persons(
    candidate: Candidate, engine: Engine | None, own: Sequence[OwnStatement], consent_missing: str
) -> list[Gate]:
    out = []
    voice = engine.voice(candidate.voice) if engine else None
    if engine is not None and voice is not None:
        if ledger(engine, "voice", voice.id, own)["well-known person"].state == "yes":
            out.append(
                Gate(
                    name=tr("rights of persons"),
                    code="rights of persons",
                    verdict="no",
                    why=tr("voice imitates a well-known person"),
                )
            )
        if voice.made == "recorded":
            verdict: Verdict = "no" if consent_missing else "yes"
            out.append(Gate(name="consent", verdict=verdict, why=consent_missing or "recorded"))
    return out


def _wait(brief: Brief, summary: Summary) -> list[Gate]:
    """The wait for a whole clip, give-ups counted as longer than any: 95 of 100 where there are enough requests. Of
    fewer none may be late: some that are, by more than chance (binomial, one-sided 5 %), say no, else it is unknown."""
    if brief.longest_wait_s is None:
        return []
    name = tr("a retake within {longest_wait_s} s", longest_wait_s=f"{brief.longest_wait_s.normalize():f}")
    limit, found = float(brief.longest_wait_s), summary.whole_clip
    within = found.share_within(limit)

    def gate(verdict: Verdict, why: str) -> list[Gate]:
        return [Gate(name=name, verdict=verdict, why=why, code=f"a retake within {limit:g} s")]

    if within is None:
        if not summary.cold:
            return gate("unknown", tr("not timed yet"))
        cold = max(summary.cold)
        return gate("yes" if cold <= limit else "no", tr("only cold requests, {cold} s", cold=f"{cold:.1f}"))
    gave_up = tr(", {gave_up} gave up waiting", gave_up=found.gave_up) if found.gave_up else ""
    if found.p95 is not None:
        late = tr("{gave_up} of {n} requests gave up waiting", gave_up=found.gave_up, n=found.n)
        why = late if math.isinf(found.p95) else tr("95 of 100 within {wait} s", wait=f"{found.p95:.1f}") + gave_up
        return gate("yes" if found.p95 <= limit else "no", why)
    if not (late_ones := round((1 - within) * found.n)):
        return gate("yes", tr("all {n} were, the longest {wait} s", n=found.n, wait=f"{found.points[-1]:.1f}"))
    why = tr("{late} of {n} were later", late=late_ones, n=found.n) + gave_up
    if at_least_p(late_ones, found.n, MAY_BE_LATE) < SURE:
        return gate("no", why)
    return gate("unknown", tr("too few requests to tell: {why}", why=why))


def unlike(role: Role, candidate: Candidate, chosen: Mapping[str, Candidate], brief: Brief) -> list[Gate]:
    """The role's rules against those who are chosen for others, by role; nothing where nobody is chosen there yet. The
    same voice by another route is the same voice."""
    out = []
    for other in (*role.not_engine_of, *role.not_voice_of):
        theirs, of = chosen.get(other), brief.role(other)
        if theirs is None or of is None:
            continue
        engine = other in role.not_engine_of
        same = theirs.engine == candidate.engine and (engine or theirs.voice == candidate.voice)
        words = {"role": word(of.name)}
        name = tr("not on the engine of {role}", **words) if engine else tr("not the voice of {role}", **words)
        code = f"not {'on the engine' if engine else 'the voice'} of {of.name}"
        why = theirs.engine if engine else theirs.voice
        out.append(Gate(name=name, verdict="no" if same else "yes", why=why, code=code))
    return out


def _language(brief: Brief, candidate: Candidate) -> list[Gate]:
    wanted = {tag.split("-")[0].lower() for tag in brief.languages}
    if not wanted:
        return []
    speaks = candidate.language.split("-")[0].lower() in wanted
    names = " or ".join(dict.fromkeys(language_name(tag) for tag in brief.languages))
    return [
        Gate(
            name="language",
            verdict="yes" if speaks else "no",
            why=tr("speaks {language_name}", language_name=language_name(candidate.language))
            + ("" if speaks else tr(", wanted: {names}", names=names)),
        )
    ]


def _budget(brief: Brief, cost: VolumeCost | None) -> list[Gate]:
    if brief.budget_per_month is None:
        return []
    name = tr(
        "at most {budget_per_month} {currency} a month",
        budget_per_month=f"{brief.budget_per_month.normalize():f}",
        currency=brief.currency,
    )

    def gate(verdict: Verdict, why: str) -> list[Gate]:
        code = f"at most {brief.budget_per_month:f} {brief.currency} a month"
        return [Gate(name=name, verdict=verdict, why=why, of_volume=True, code=code)]

    if cost is None:
        return gate("unknown", tr("not costed"))
    if cost.month.total is not None and not cost.month.covers:
        return gate("no", cost.why_not)
    if cost.own is None or cost.month.total is None:
        return gate("unknown", cost.why_not)
    as_quoted = "" if cost.month.total.currency == brief.currency else f" ({cost.month.total})"
    verdict: Verdict = "yes" if cost.own.amount <= brief.budget_per_month else "no"
    return gate(verdict, tr("costs {own}{as_quoted}", own=cost.own, as_quoted=as_quoted))
