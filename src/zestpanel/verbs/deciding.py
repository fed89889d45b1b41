"""The brief, the voices, the shortlist and the choice: what stands before and after a run."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from collections.abc import Sequence

    from zestpanel.core.catalogue.facts import Engine
    from zestpanel.core.domain.role import Role
    from zestpanel.core.store.project import Project

_LISTS = ("languages", "must_haves")


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
        shown["roles"] = [one.name for one in wanted.roles]
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


def roles(options: argparse.Namespace) -> Output:
    """List the roles of the channel, or change them: --add NAME, --set ROLE FIELD=VALUE, --remove ROLE."""
    from zestpanel.core.choice.roles import FIELDS, changed, new_role, set_roles, typed_as

    with opened(options) as project:
        found = list(project.brief.roles)
        for name in options.add or ():
            found.append(new_role(found, name))
        for name, text in options.set or ():
            field, equals, value = text.partition("=")
            if not equals:
                raise InputError(f"'{text}' sets nothing.", kept="Nothing was changed.", remedy="Write FIELD=VALUE.")
            at = _role_at(found, name)
            found[at] = changed(found[at], {field.strip().replace("-", "_"): value}, found)
        for name in options.remove or ():
            del found[_role_at(found, name)]
        if options.add or options.set or options.remove:
            set_roles(project, found)
        rows = [{"id": one.id, "name": one.name} | {field: typed_as(one, field, found) for field in FIELDS}
                for one in found]  # fmt: skip
        lines = [f"{row['name']}: " + ", ".join(f"{field} {row[field]}" for field in FIELDS if row[field])
                 for row in rows]  # fmt: skip
        return {"roles": rows, "lines": lines}


def _role_at(found: Sequence[Role], name: str) -> int:
    from zestpanel.core.choice.roles import role_named

    return list(found).index(role_named(found, name))


def weights(options: argparse.Namespace) -> Output:
    """Show what the choice weighs, or set it: --set quality=50 --set "wait=10:30:0.5" (weight:worst:best). With --role
    of one role alone; --shared gives its own up; --must NAME makes what is not acceptable a must-have, --may not."""
    from zestpanel.core.choice.criteria import CRITERIA, criteria_of, set_of, set_to
    from zestpanel.core.choice.roles import set_roles
    from zestpanel.core.domain.role import SetTo
    from zestpanel.core.evidence.registry import known_to
    from zestpanel.core.listening.feeding import own_figures

    with opened(options) as project:
        known = {one.name: one for one in known_to(own_figures(project.panel))}
        every = list(project.brief.roles)
        at = _role_at(every, options.role) if options.role else None
        if options.shared and at is not None:
            every[at] = every[at].model_copy(update={"criteria": None})
            set_roles(project, every)
        stored = set_of(project.documents, every[at] if at is not None else None)
        bars = {**dict.fromkeys(options.must or (), True), **dict.fromkeys(options.may or (), False)}
        for one in [*(options.set or ()), *(f"{name}=" for name in bars)]:
            name, equals, text = (part.strip() for part in one.partition("="))
            if not equals or name not in known:
                raise InputError(
                    f"'{one}' names no figure.", kept="Nothing was changed.",
                    remedy=f"Write NAME=WEIGHT or NAME=WEIGHT:WORST:BEST; the names are {', '.join(known)}.",
                )  # fmt: skip
            before = stored.get(name, SetTo())
            parts = dict(zip(("weight", "worst", "best"), text.split(":"), strict=False)) if text else {}
            figure = known[name]
            kept = {"weight": before.weight, "worst": before.worst, "best": before.best}
            for field, value in kept.items():
                if value is not None and field not in parts:
                    parts[field] = f"{value if field == 'weight' else value * figure.factor:.12g}"
            stored[name] = set_to(figure, parts, project.brief, bars=bars.get(name, before.bars))
        if options.set or bars:
            if at is None:
                project.edit_document(CRITERIA, stored, label="weights")
            else:
                every[at] = every[at].model_copy(update={"criteria": stored})
                set_roles(project, every)
        rows, lines = [], []
        for criterion in criteria_of(project.documents, project.brief, every[at] if at is not None else None):
            figure = known[criterion.name]
            worst, best = criterion.worst * figure.factor, criterion.best * figure.factor
            rows.append({"name": criterion.name, "weight": criterion.weight, "worst": worst, "best": best,
                         "must": criterion.bars})  # fmt: skip
            unit = figure.unit(project.brief)
            lines.append(f"{criterion.name}: weight {criterion.weight:g}, from {worst:g}{unit} to {best:g}{unit}"
                         + (", must" if criterion.bars else ""))  # fmt: skip
        return {"weights": rows, "lines": lines}


def choice(options: argparse.Namespace) -> Output:
    """The ranking of every role and what stands against each; or fill a role, with its reason, say that nobody is good
    enough, or take a decision back."""
    from zestpanel.core.choice.chosen_set import chosen_set
    from zestpanel.core.choice.decided import decisions
    from zestpanel.core.choice.decision import (
        NobodyHeardIt,
        changed_since,
        decide,
        role_called,
        suggest_runner_up,
        take_back,
        what_stands_against,
    )
    from zestpanel.core.choice.evidence import evaluate
    from zestpanel.core.choice.verdict import verdict

    with opened(options) as project:
        found = evaluate(project)
        if options.choose is not None and options.choose not in found.rows:
            raise InputError(f"There is no candidate {options.choose} on the shortlist.", kept="Nothing was decided.")
        if options.take_back:
            take_back(project, role_called(found, options.role).key)
        elif options.choose is not None or options.nobody:
            chosen = None if options.nobody else options.choose
            runner = suggest_runner_up(role_called(found, options.role), chosen) if chosen is not None else None
            try:
                decide(project, found, role=options.role, candidate_id=chosen, why=options.why, by=options.by,
                       runner_up_id=runner, though_unheard=options.unheard, may_reopen=options.may_reopen,
                       look_again=options.look_again)  # fmt: skip
            except NobodyHeardIt as error:
                raise InputError(error.what, kept=error.kept, remedy="Have it rated, or add --unheard.") from error
        if options.take_back or options.choose is not None or options.nobody:
            found = evaluate(project)  # a role may be unlike the one that was just filled
        lines, ranked = [], []
        for standing in found.standings:
            lines.append(f"{standing.name}: {verdict(standing)}")
            for one in standing.ranking:
                row = standing.rows[one.candidate_id]
                against = what_stands_against(row)
                ranked.append({"role": standing.role.name if standing.role else "", "language": standing.language,
                               "candidate": one.candidate_id, "name": row.name, "place": one.place,
                               "total": [one.low, one.high], "first": one.first, "against": against})  # fmt: skip
                lines.append(f"  {one.candidate_id}  {row.name}, {row.detail}" + (f": {against[0]}" if against else ""))
        decided = decisions(project.documents)
        for one_ in decided:
            who = "nobody" if one_.candidate_id is None else f"candidate {one_.candidate_id}"
            lines.append(f"{one_.called(found.brief)}: {who}, {one_.why}")
            lines += [f"  {said}" for said in changed_since(one_, found)]
        together = chosen_set(found, decided)
        lines += [said for said in (together.says(), *together.remarks) if said]
        month = None if together.month is None else str(together.month.amount)
        return {"ranking": ranked, "decisions": [asdict(d) for d in decided], "set": {"month": month},
                "lines": lines or ["Nothing to rank."]}  # fmt: skip


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
