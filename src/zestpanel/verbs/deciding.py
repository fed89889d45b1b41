"""The brief, the voices, the shortlist and the choice: what stands before and after a run."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from zestpanel.core.catalogue.facts import Engine
    from zestpanel.core.store.project import Project

_LISTS = ("languages", "must_haves", "roles")


def brief(options: argparse.Namespace) -> Output:
    """Show the brief, or set fields of it: --set budget_per_month=40 --set languages=en-GB,fr-FR."""
    from pydantic import ValidationError

    from zestpanel.core.domain.brief import Brief
    from zestpanel.core.money.typed_rates import rates_from_words
    from zestpanel.core.typed import typed_currency, typed_language, typed_months, typed_number

    numbers = ("episodes_per_month", "episode_minutes", "budget_per_month", "longest_wait_s", "human_price_per_minute",
               "days_of_work", "one_off_months", "equal_within", "seats", "retakes_percent", "hours_per_month",
               "hourly_rate")  # fmt: skip
    words = ("channel", "about", "accent", "audience", "currency", "minutes_in_months", "exchange_rates", *_LISTS)
    with opened(options) as project:
        values = project.brief.model_dump()
        for one in options.set or ():
            name, equals, text = one.partition("=")
            name = name.strip().replace("-", "_")
            if not equals or name not in (*numbers, *words):
                raise InputError(
                    f"'{one}' sets no field of the brief.", kept="Nothing was changed.",
                    remedy=f"Write NAME=VALUE; the names are {', '.join((*words, *numbers))}.",
                )  # fmt: skip
            if name == "minutes_in_months":
                values[name] = typed_months(text, name)
            elif name == "exchange_rates":
                values[name] = rates_from_words(text, values["currency"])
            elif name in numbers:
                values[name] = typed_number(text, name, least=0) if text.strip() else None
            elif name in _LISTS:
                parts = [part.strip() for part in text.split(",") if part.strip()]
                values[name] = [typed_language(part) for part in parts] if name == "languages" else parts
            else:
                values[name] = typed_currency(text) if name == "currency" else text.strip()
        for language, line in (one.split("=", 1) for one in options.line or () if "=" in one):
            values["audition_lines"] = {**values["audition_lines"], typed_language(language): line}
        try:
            wanted = Brief.model_validate(values)
        except ValidationError as error:
            first = error.errors()[0]
            raise InputError(f"{first['loc'][0]}: {first['msg']}.", kept="Nothing was changed.") from error
        if wanted != project.brief:
            project.set_brief(wanted)
        shown = wanted.model_dump(mode="json")
        lines = [f"{name}: {', '.join(map(str, value)) if isinstance(value, list | tuple) else value}"
                 for name, value in shown.items() if value not in (None, "", [], {})]  # fmt: skip
        return {"brief": shown, "lines": lines}


def voices(options: argparse.Namespace) -> Output:
    """List the voices of the engines, or fetch the list a service gives first."""
    from zestpanel.core.connectors.voice_list import fetch_voices

    with opened(options) as project:
        if options.fetch:
            engine = _engine(project, options.fetch)
            project.shortlist.put_fetched(engine.engine, fetch_voices(engine))
        rows: list[dict[str, Any]] = []
        for engine in project.shortlist.engines().values():
            rows += [
                {"engine": engine.engine, "voice": v.id, "name": v.label, "languages": list(v.languages)}
                for v in engine.voices if not options.language or v.speaks(options.language)
            ]  # fmt: skip
        lines = [f"{r['engine']}  {r['voice']}  {r['name']}  {' '.join(r['languages'])}" for r in rows]
        return {"voices": rows, "lines": lines or ["No voice is known."]}


def shortlist(options: argparse.Namespace) -> Output:
    """List the candidates; put a voice on the shortlist, or take a candidate off it."""
    from zestpanel.core.catalogue.candidate import candidate_detail, short_names

    with opened(options) as project:
        if options.add:
            engine = _engine(project, options.add[0])
            project.shortlist.add(engine, voice=options.add[1], model=options.model or None, plan=options.plan or None,
                                  language=options.language or None)  # fmt: skip
        known = {c.id for c in project.shortlist.candidates()}
        for number in options.remove or ():
            if number not in known:
                raise InputError(f"There is no candidate {number} on the shortlist.", kept="Nothing more was changed.")
            project.shortlist.set_removed([number], True)
        candidates, engines = project.shortlist.candidates(), project.shortlist.engines()
        names = short_names(candidates, engines)
        rows = [{"id": c.id, "name": names[c.id], "detail": candidate_detail(c, engines.get(c.engine)),
                 "engine": c.engine, "voice": c.voice, "plan": c.plan} for c in candidates]  # fmt: skip
        return {"candidates": rows, "lines": [f"{r['id']}  {r['name']}, {r['detail']}" for r in rows]
                or ["The shortlist is empty."]}  # fmt: skip


def weights(options: argparse.Namespace) -> Output:
    """Show what the choice weighs, or set it: --set quality=50 --set "wait=10:30:0.5" (weight:worst:best)."""
    from zestpanel.core.choice.criteria import CRITERIA, criteria_of, set_to
    from zestpanel.core.evidence.registry import figures, weighable

    with opened(options) as project:
        stored, known = dict(CRITERIA.read(project.documents)), {one.name: one for one in weighable()}
        for one in options.set or ():
            name, equals, text = one.partition("=")
            if not equals or name.strip() not in known:
                raise InputError(
                    f"'{one}' names no figure.", kept="Nothing was changed.",
                    remedy=f"Write NAME=WEIGHT or NAME=WEIGHT:WORST:BEST; the names are {', '.join(known)}.",
                )  # fmt: skip
            parts = dict(zip(("weight", "worst", "best"), text.split(":"), strict=False))
            stored[name.strip()] = set_to(known[name.strip()], parts, project.brief)
        if options.set:
            project.edit_document(CRITERIA, stored, label="weights")
        rows, lines = [], []
        for criterion in criteria_of(project.documents, project.brief):
            figure = figures()[criterion.name]
            worst, best = criterion.worst * figure.factor, criterion.best * figure.factor
            rows.append({"name": criterion.name, "weight": criterion.weight, "worst": worst, "best": best})
            unit = figure.unit(project.brief)
            lines.append(f"{criterion.name}: weight {criterion.weight:g}, from {worst:g}{unit} to {best:g}{unit}")
        return {"weights": rows, "lines": lines}


def choice(options: argparse.Namespace) -> Output:
    """The ranking and what stands against each; or fill a role, with its reason."""
    from zestpanel.core.choice.decision import NobodyHeardIt, decide, decisions, suggest_runner_up, what_stands_against
    from zestpanel.core.choice.evidence import evaluate
    from zestpanel.core.choice.verdict import verdict

    with opened(options) as project:
        found = evaluate(project)
        if options.choose is not None:
            if options.choose not in found.rows:
                raise InputError(
                    f"There is no candidate {options.choose} on the shortlist.", kept="Nothing was decided."
                )
            try:
                decide(project, found, role=options.role, candidate_id=options.choose, why=options.why, by=options.by,
                       runner_up_id=suggest_runner_up(found, options.choose),
                       though_unheard=options.unheard)  # fmt: skip
            except NobodyHeardIt as error:
                raise InputError(error.what, kept=error.kept, remedy="Have it rated, or add --unheard.") from error
        lines, ranked = [], []
        for language in found.languages():
            lines.append(f"{language}: {verdict(found, language)}")
            for one in found.ranking_in(language):
                row = found.rows[one.candidate_id]
                against = what_stands_against(row)
                ranked.append({"language": language, "candidate": one.candidate_id, "name": row.name,
                               "total": [one.low, one.high], "against": against})  # fmt: skip
                lines.append(f"  {one.candidate_id}  {row.name}, {row.detail}" + (f": {against[0]}" if against else ""))
        decided = decisions(project.documents)
        lines += [f"{d.role}: candidate {d.candidate_id}, {d.why}" for d in decided]
        return {"ranking": ranked, "decisions": [asdict(d) for d in decided], "lines": lines or ["Nothing to rank."]}


def _engine(project: Project, name: str) -> Engine:
    engines = project.shortlist.engines()
    if name not in engines:
        known = f" It has {', '.join(engines)}." if engines else ""
        raise InputError(f"The project has no engine '{name}'.{known}", kept="Nothing was changed.")
    return engines[name]


def caps(options: argparse.Namespace) -> Output:
    """What may be spent at most; set where something is named. Caps that make no sense are kept beside the new ones."""
    from decimal import Decimal

    from zestpanel.core.runs.spending.caps import CAPS, SpendingCaps, caps_to_edit, plan_key
    from zestpanel.core.typed import typed_currency, typed_number

    with opened(options) as project:
        currency = typed_currency(options.currency) if options.currency else project.brief.currency
        wanted = options.run is not None or options.day is not None or options.plan
        found, odd = caps_to_edit(project.documents)
        if odd and not wanted:
            raise InputError(odd)

        def put(amounts: dict[str, Decimal], key: str, text: str | None) -> dict[str, Decimal]:
            if text is None:
                return amounts
            others = {name: value for name, value in amounts.items() if name != key}
            return others if text == "none" else {**others, key: typed_number(text, "The cap", least=0)}

        plans = found.a_plan
        engines = project.shortlist.engines()
        for engine, plan, amount in options.plan or ():
            if engine not in engines or plan not in {one.name for one in engines[engine].plans}:
                raise InputError(f"There is no plan '{plan}' of '{engine}'.", kept="Nothing was changed.")
            plans = put(plans, plan_key(engine, plan), amount)
        if wanted:
            run, day = put(found.a_run, currency, options.run), put(found.a_day, currency, options.day)
            found = SpendingCaps(a_run=run, a_day=day, a_plan=plans)
            CAPS.write(project.documents, found)
        lines = [f"{amount} {of} a run" for of, amount in found.a_run.items()]
        lines += [f"{amount} {of} a day, by your clock" for of, amount in found.a_day.items()]
        lines += [f"{amount} a month under {key}" for key, amount in found.a_plan.items()]
        return {"caps": found.model_dump(mode="json"), "lines": lines or ["No cap is set."]}
