"""What was found: scores, money, the decision record."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from typing import TYPE_CHECKING

from zestpanel.core.errors import InputError
from zestpanel.verbs.elsewhere import taken_back
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from collections.abc import Sequence

    from zestpanel.core.analysis.faults import Fault
    from zestpanel.core.catalogue.facts import Plan
    from zestpanel.core.store.takes import Takes


def ratings(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.elsewhere.returned import is_from_a_pack

    tables = options.table or []
    if tables and all(is_from_a_pack(one) for one in tables):
        with opened(options) as project:
            return taken_back(project, tables)
    if len(tables) > 1:
        raise InputError("Several files at once are those that came back from packs; a table comes alone.")
    options.table = tables[0] if tables else None
    if options.project.is_file():  # a table alone: no project is needed
        from zestpanel.verbs import plain_tables

        return plain_tables.ratings(options)
    from zestpanel.core.choice.evidence import evaluate
    from zestpanel.core.listening.rating_files import import_ratings

    with opened(options) as project:
        came = import_ratings(project, options.table) if options.table else None
        found = evaluate(project)
        scores, lines = [], [came.says(options.table.name)] if came is not None else []
        for row in sorted(found.rows.values(), key=lambda r: -(r.score.mean if r.score else 0)):
            if row.score is None:
                continue
            crossed = row.score.crossed
            scores.append(
                {
                    "candidate": row.candidate.id,
                    "name": row.name,
                    "detail": row.detail,
                    "mos": row.score.mean,
                    "low": crossed.low if crossed else None,
                    "high": crossed.high if crossed else None,
                    "listeners": row.score.listeners,
                    "passages": row.score.passages,
                    "ratings": row.score.ratings,
                    "letters": row.score.letters,
                    "preliminary": row.score.preliminary,
                }
            )
            interval = f"{crossed.low:.2f} to {crossed.high:.2f}" if crossed else "no interval"
            lines.append(
                f"{row.score.mean:.2f}  {interval:<14} {row.score.letters:<5} {row.name}, {row.detail}"
                f" ({row.score.listeners} listeners)" + (", preliminary" if row.score.preliminary else "")
            )
        return {"added": came.count if came is not None else 0, "scores": scores, "lines": lines or ["No ratings yet."]}


def answers(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.answers_in import take_in
    from zestpanel.core.listening.elsewhere.returned import is_from_a_pack
    from zestpanel.core.report.answers import write_answers
    from zestpanel.core.text_files import read_text

    if (options.to is None) == (options.take_in is None):
        raise InputError("Say where answers go (--to FILE) or which are taken in (--from FILE).")
    with opened(options) as project:
        if options.take_in is not None and is_from_a_pack(options.take_in):
            return taken_back(project, [options.take_in])
        if options.take_in is not None:
            text = read_text(options.take_in, most_mb=50, kept="Nothing was taken in.")
            taken = take_in(project, text, options.take_in.name)
            return {**asdict(taken), "lines": [taken.says(options.take_in.name)]}
        count = write_answers(project, options.to)
        return {"answers": count, "file": str(options.to), "lines": [f"{count} answers: {options.to}"]}


def tests(options: argparse.Namespace) -> Output:
    """The listening tests, how far each is, and what all say together."""
    from zestpanel.core.domain.listening import Progress
    from zestpanel.core.listening.results import open_early
    from zestpanel.core.listening.together import listed, taken_together

    with opened(options) as project:
        panel = project.panel
        known = {one.id for one in panel.tests()}
        for name, act in (("open_early", lambda n: open_early(panel, n)), ("close", panel.close_test),
                          ("reopen", lambda n: panel.close_test(n, closed=False))):  # fmt: skip
            if (number := getattr(options, name)) is not None:
                if number not in known:
                    raise InputError(f"There is no test {number}.", remedy="Without an option the tests are listed.")
                act(number)
        progress, rows, lines = panel.progress(), [], []
        for test, said in listed(project):
            of = progress.get(test.id, Progress())
            planned = f" of {test.planned}" if test.planned else ""
            rows.append({"test": test.id, "kind": test.kind, "name": said.name, "opened": test.created,
                         "closed": test.closed or None, "begun": of.begun, "finished": of.finished,
                         "planned": test.planned, "apart": said.apart or None})  # fmt: skip
            state = "closed" if test.closed else "open"
            far = f"{of.finished}{planned} finished" + (f"; {said.apart}" if said.apart else "")
            lines.append(f"test {test.id}  {said.name} ({test.kind}), {test.created[:10]}, {state}, {far}")
        together = taken_together(project)
        for one in together:
            lines += [f"{one.language}: {said}" for said in (*one.contradicts, *one.both_true, *one.next)]
        return {"tests": rows, "together": [asdict(one) for one in together], "lines": lines or ["No test yet."]}


def faults(options: argparse.Namespace) -> Output:
    """What machines find wrong in the takes, and a person's word on it."""
    from zestpanel.core.analysis.faults import fault_kinds
    from zestpanel.core.analysis.summary import summaries
    from zestpanel.core.catalogue.candidate import short_names

    with opened(options) as project:
        if options.kind is not None and options.kind not in (known := fault_kinds()):
            raise InputError(f"There is no kind of fault '{options.kind}'.", remedy=f"There are: {', '.join(known)}.")
        for where, real in ((options.real, True), (options.nothing, False)):
            if where is not None:
                found = [one for of in summaries(project).values() if of.faults for one in of.faults.found]
                _say_of(project.takes, found, where, options.kind, real=real)
        names = short_names(project.shortlist.candidates(), project.shortlist.engines())
        rows, lines = [], []
        for candidate, summary in summaries(project).items():
            of = summary.faults
            if of is None or of.per_minute is None or options.candidate not in (None, candidate):
                continue
            lines.append(f"{names[candidate]}: {of.per_minute:.2f} a minute in {of.minutes:.1f} min"
                         + (f" ({of.says()})" if of.says() else ""))  # fmt: skip
            for one in of.found:
                if options.kind in (None, one.of.kind):
                    said = {True: "real", False: "nothing wrong", None: "doubtful" if one.doubtful else ""}[one.real]
                    rows.append({"candidate": candidate, "take": one.take.id, "passage": one.passage.title,
                                 "kind": one.of.kind, "from_s": round(one.of.start_s, 3),
                                 "to_s": round(one.of.end_s, 3), "what": one.says(), "said": said})  # fmt: skip
                    lines.append(f"  take {one.take.id} at {one.of.start_s:.2f} s, {one.passage.title}: {one.says()}"
                                 + (f" [{said}]" if said else ""))  # fmt: skip
        return {"faults": rows, "lines": lines or ["Nothing was examined yet; measure takes first."]}


def _say_of(takes: Takes, found: Sequence[Fault], where: str, kind: str | None, *, real: bool) -> None:
    """Raises InputError where nothing is found there, or several things are."""
    take, _, second = where.partition(":")
    try:
        at = float(second)
    except ValueError:
        at = -1.0
    there = [one for one in found if str(one.take.id) == take and kind in (None, one.of.kind)
             and one.of.start_s - 0.1 <= at <= one.of.end_s + 0.1]  # fmt: skip
    kinds = dict.fromkeys(one.of.kind for one in there)
    if len(kinds) != 1:
        raise InputError(
            f"Nothing is found in take {take} at '{second}'." if not there else
            f"Several kinds are found there: {', '.join(kinds)}.", kept="Nothing was kept.",
            remedy="Name it as it is listed, such as --real 12:3.40." if not there else "Say which with --kind.",
        )  # fmt: skip
    for one in there:
        takes.add_verdict(one.take.id, one.of, real=real)


def cost(options: argparse.Namespace) -> Output:
    from zestpanel.core.choice.evidence import evaluate
    from zestpanel.core.runs.spending.left_to_spend import spent

    with opened(options) as project:
        found, costs, lines = evaluate(project), [], []
        for row in found.rows.values():
            month = row.cost.month
            figures = {
                "month": month.total,
                "per_thousand": row.cost.per_thousand,
                "per_minute": row.cost.per_minute,
                "per_episode": row.cost.per_episode,
            }
            costs.append(
                {
                    "candidate": row.candidate.id,
                    "name": row.name,
                    "plan": row.plan.name,
                    **{k: str(v) if v is not None else None for k, v in figures.items()},
                    "covers": month.covers,
                    "why": month.why,
                    "assumed_pace": row.cost.rates.assumed,
                }
            )
            text = month.why or (str(month.total) if month.covers else "the plan stops before this volume")
            lines.append(
                f"{text:>14} a month  {row.name}, {row.plan.name}"
                + (" (pace assumed)" if row.cost.rates.assumed else "")
                + (
                    f" ({row.cost.between[0].amount:.2f} to {row.cost.between[1].amount:.2f})"
                    if row.cost.between
                    else ""
                )
            )
        so_far = spent(project)
        return {
            "minutes_per_month": found.brief.minutes_per_month,
            "costs": costs,
            "so_far": str(so_far.own),
            "lines": [*(lines or ["The shortlist is empty."]), so_far.words()],
        }


def prices(options: argparse.Namespace) -> Output:
    """Every plan of the catalogue as it stands, and what it cost before."""
    with opened(options) as project:
        plans, lines = [], []
        for name, engine in project.shortlist.engines().items():
            former = project.shortlist.former_plans(name)
            for plan in engine.plans:
                before = [one for one in former if one.plan.name == plan.name]
                was = [{"until": one.replaced.isoformat(), **_priced(one.plan)} for one in before]
                plans.append({"engine": name, "plan": plan.name, **_priced(plan), "before": was})
                lines.append(f"{name}, {plan.name}: {_price_in_words(plan)}")
                lines += [f"    until {one.replaced}: {_price_in_words(one.plan)}" for one in reversed(before)]
            known = {plan.name for plan in engine.plans}
            lines += [f"{name}, {one.plan.name} (no more, until {one.replaced}): {_price_in_words(one.plan)}"
                      for one in former if one.plan.name not in known]  # fmt: skip
        return {"plans": plans, "lines": lines or ["No plan is stated yet."]}


def _priced(plan: Plan) -> dict[str, object]:
    return {
        "currency": plan.tariff.currency, "price": [p.words(plan.tariff.currency) for p in plan.tariff.components],
        "dated": plan.dated.isoformat() if plan.dated else None, "source": plan.source,
        "check_again": plan.check_again.isoformat() if plan.check_again else None,
    }  # fmt: skip


def _price_in_words(plan: Plan) -> str:
    words = "; ".join(part.words(plan.tariff.currency) for part in plan.tariff.components) or "no price"
    said = [f"price of {plan.dated}" if plan.dated else "without a date", plan.source]
    if plan.check_again:
        said.append(f"to be checked again by {plan.check_again}")
    return f"{words} ({', '.join(filter(None, said))})"


def report(options: argparse.Namespace) -> Output:
    from zestpanel.core.report.record import write_record

    with opened(options) as project:
        written = write_record(project, options.to)
        return {
            "record": str(written.record),
            "tables": [str(t) for t in written.tables],
            "lines": [str(written.record), *map(str, written.tables)],
        }
