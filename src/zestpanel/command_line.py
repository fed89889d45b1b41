"""The verbs without a window. Bad input gives one sentence on standard error and exit status 2."""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import sys
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

from zestpanel import __version__
from zestpanel.core.errors import InputError, ZestError

Output = dict[str, Any]


def run(arguments: list[str]) -> int:
    # connector files may name the Python this program runs on
    os.environ.setdefault("ZEST_PYTHON", sys.executable)
    parser = _parser()
    options = parser.parse_args(arguments)
    if options.verb is None:
        parser.print_help()
        return 0
    try:
        result = options.do(options)
    except ZestError as error:
        if getattr(options, "json", False):
            print(json.dumps({"error": str(error)}, ensure_ascii=False))
        else:
            print(f"zestpanel: {error}", file=sys.stderr)
        return 2
    if isinstance(result, int):
        return result
    _show(result, as_json=getattr(options, "json", False))
    return 1 if result.get("failed") else 0


def _show(result: Output, *, as_json: bool) -> None:
    if as_json:
        print(json.dumps(result, ensure_ascii=False, indent=2, default=str))
        return
    for line in result.get("lines", []):
        print(line)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="zestpanel",
        description="A tasting panel for synthetic narration voices.",
        epilog="The verbs work on a project folder (NAME.zest) without a window.",
    )
    parser.add_argument("--version", action="version", version=f"Zest Panel {__version__}")
    verbs = parser.add_subparsers(dest="verb", metavar="VERB")

    def verb(name: str, do: Callable[[argparse.Namespace], Output | int], about: str, *, project: bool = True) -> Any:
        sub = verbs.add_parser(name, help=about, description=about)
        sub.set_defaults(do=do)
        if project:
            sub.add_argument("project", type=Path, help="project folder, NAME.zest")
            sub.add_argument("--json", action="store_true", help="print the result as JSON")
        return sub

    sub = verb("new", _new, "make a project")
    sub.add_argument("--channel", default="", help="the channel's name")
    sub.add_argument("--language", action="append", help="BCP 47 tag such as en-GB; repeat for more, main one first")
    sub = verb("import", _import, "bring in scripts (.txt, .md) and connector files (.yaml, .json)")
    sub.add_argument("files", type=Path, nargs="+")
    sub.add_argument("--language", help="language of the scripts; the brief's main one by default")
    sub.add_argument("--split", choices=("paragraphs", "sentences", "none"), default="paragraphs")
    sub.add_argument("--shortlist", action="store_true", help="put every voice of the engines on the shortlist")
    sub = verb("run", _run, "render the missing takes, or open the window when no project verb follows", project=False)
    sub.add_argument("project", type=Path, nargs="?", help="project folder, NAME.zest")
    sub.add_argument("--render", action="store_true", help="render without a window")
    sub.add_argument("--json", action="store_true", help="print the result as JSON (renders without a window)")
    sub.add_argument("--repeats", type=int, default=1)
    sub.add_argument("--estimate", action="store_true", help="only say what would be rendered and what it would cost")
    sub.add_argument("--abandon-open", action="store_true", help="give up requests an earlier run left open")
    sub.add_argument("--fresh", action="store_true", help="ask again, beside the takes there are")
    sub.add_argument("--cold", action="store_true", help="every request over a new connection, engines just started")
    sub.add_argument("--at-once", default="", help="levels of requests at once to time under, such as 1,2,4")
    sub.add_argument(
        "--due", action="store_true", help="render the run of the schedule that is due now, if one is; for a timer"
    )
    sub.add_argument(
        "--scheduler", default="", help="address of a Dask scheduler: local engines and measuring go there"
    )
    sub = verb("runs", _runs, "list past runs, compare two, or render one once more")
    sub.add_argument("--compare", type=int, nargs=2, metavar=("EARLIER", "LATER"), help="what changed between two runs")
    sub.add_argument("--again", type=int, metavar="RUN", help="render the very requests of a run once more")
    verb("measure", _measure, "measure takes that lack figures")
    sub = verb("ratings", _ratings, "add ratings from a table, or print the scores when no table is given")
    sub.add_argument("table", type=Path, nargs="?", help="CSV with columns listener,passage,candidate,score")
    verb("cost", _cost, "what each candidate costs at the brief's volume")
    sub = verb("report", _report, "write the decision record (HTML) and the evidence table (CSV)")
    sub.add_argument("--to", type=Path, help="folder; the project's exports by default")
    sub = verb("catalogue", _catalogue, "write the catalogue of engines, or take one in")
    sub.add_argument("--out", type=Path, help="file to write, .yaml or .json")
    sub.add_argument(
        "--take-in", type=Path, help="catalogue to take in; without --yes only what it would change is shown"
    )
    sub.add_argument("--yes", action="store_true", help="take it over")
    sub = verb("bug-report", _bug_report, "what to send along with a bug report; it holds no key")
    sub = verb("schemas", _schemas, "write the JSON Schemas of connector files and catalogues", project=False)
    sub.add_argument("folder", type=Path)
    sub = verb("demo", _demo, "build the demo project and open it", project=False)
    sub.add_argument("--offscreen", action="store_true", help="open no window")
    sub.add_argument("--shots", type=Path, help="write a PNG of each main view into this folder")
    sub.add_argument("--rebuild", action="store_true", help="build the demo anew")
    sub.add_argument("--build-only", action="store_true", help="build and stop")
    sub.add_argument("--traps", action="store_true", help="candidates that cannot work, each for its own reason")
    return parser


def _open(options: argparse.Namespace) -> Any:
    from zestpanel.core.project.project import Project

    return Project.open(options.project)


def _new(options: argparse.Namespace) -> Output:
    from zestpanel.core.brief import Brief
    from zestpanel.core.project.project import SUFFIX, Project

    folder = options.project if options.project.suffix == SUFFIX else Path(f"{options.project}{SUFFIX}")
    project = Project.create(folder)
    project.documents.put(
        "brief", Brief(channel=options.channel, languages=tuple(options.language or ["en-GB"])).model_dump(mode="json")
    )
    project.close()
    return {"project": str(folder), "lines": [f"Made {folder}."]}


def _import(options: argparse.Namespace) -> Output:
    from zestpanel.core.catalogue.connector_file import read_connector
    from zestpanel.core.passages.readers.reading import read_script
    from zestpanel.core.passages.splitting import split_paragraphs, split_sentences

    # everything is read and checked before anything is written
    engines, scripts = [], []
    for path in options.files:
        if path.suffix.lower() in (".yaml", ".yml", ".json"):
            engines.append((path, *read_connector(path)))
        else:
            text = read_script(path).text()
            paragraphs = split_paragraphs(text)
            parts = {
                "paragraphs": paragraphs,
                "none": [text],
                "sentences": [s for p in paragraphs for s in split_sentences(p, options.language or "")],
            }[options.split]
            scripts.append((path, parts))
    project = _open(options)
    try:
        lines, passages = [], 0
        for path, engine, source in engines:
            project.shortlist.add_engine(engine, source, path.name)
            lines.append(f"{path.name}: {engine.engine}, {len(engine.voices)} voices")
            if options.shortlist:
                for voice in engine.voices:
                    project.shortlist.add(engine, voice=voice.id)
        for path, parts in scripts:
            added = project.texts.add(parts, language=options.language or project.brief.languages[0])
            passages += len(added)
            lines.append(f"{path.name}: {len(added)} passages, {sum(p.characters for p in added):,} characters")
        return {"engines": [e.engine for _, e, _ in engines], "passages": passages, "lines": lines}
    finally:
        project.close()


def _run(options: argparse.Namespace) -> Output | int:
    if not (options.render or options.json or options.estimate or options.abandon_open or options.due):
        return _window(options)
    if options.project is None:
        raise InputError("Which project? Name its folder.")
    if options.due and options.estimate:
        raise InputError(
            "What is due is rendered, not estimated.", kept="Nothing was sent.", remedy="Leave one of the two out."
        )
    if not 1 <= options.repeats <= 100:
        raise InputError(f"{options.repeats} repeats are outside 1 to 100.", kept="Nothing was sent.")
    from zestpanel.core.bench.planning import plan_run
    from zestpanel.core.bench.unattended import make

    project = _open(options)
    try:
        still_open = project.journal.rows(state="open")
        if options.abandon_open:
            for row in still_open:
                project.journal.close_failed(row.id, "abandoned", "Left open by an earlier run.", state="abandoned")
            still_open = []
        schedule = None
        if options.due:
            from zestpanel.core.bench.scheduled import coming, take_due

            schedule, due = take_due(project, datetime.now().astimezone())
            if due is None:
                said = coming(schedule) or "No runs are set for hours; Plan a run … in the window sets them."
                return {"jobs": 0, "lines": [f"Nothing is due. {said}"]}
            planned = due
        else:
            planned = plan_run(project, repeats=options.repeats, conditions=_conditions(options))
        progress = None
        if not options.estimate and (options.render or options.json or options.due):
            with contextlib.ExitStack() as stack:
                executor = None
                if options.scheduler:
                    from zestpanel.core.bench.elsewhere import Elsewhere

                    executor = stack.enter_context(contextlib.closing(Elsewhere(options.scheduler)))
                progress = make(project, planned, on_event=_tell_failures, executor=executor)
        left = [(c.id, p.title, why) for c, p, why in planned.left_out]
        costs = [str(m) for m in planned.costs]
        lines = [
            f"{len(planned.jobs)} takes, {planned.characters:,} characters, estimated {', '.join(costs) or 'free'}"
        ]
        lines += [f"left out: candidate {c}, {title}: {why}" for c, title, why in left]
        if still_open:
            lines.append(
                f"{len(still_open)} requests were open when the program ended and may have been paid; they are not "
                "sent again. --abandon-open gives them up, so that they may be."
            )
        out: Output = {
            "jobs": len(planned.jobs),
            "characters": planned.characters,
            "served": planned.served,
            "estimate": costs,
            "seconds": planned.time.seconds,
            "time_basis": planned.time.basis,
            "left_out": left,
            "open": len(still_open),
            "lines": lines,
        }
        if progress is not None:
            out.update(
                done=progress.done,
                failed=progress.failed,
                spent=[str(m) for m in progress.spent],
                held=progress.held,
            )
            spent = ", ".join(out["spent"]) or "nothing"
            lines.append(f"{progress.done} done, {progress.failed} failed, spent {spent}")
            if progress.held:
                lines.append(f"held: {progress.held}")
        if schedule is not None:
            lines.append(coming(schedule))
        return out
    finally:
        project.close()


def _tell_failures(event: Any) -> None:
    if event.kind in ("failed", "held"):
        print(f"  {event.kind}: {event.text}", file=sys.stderr)


def _conditions(options: argparse.Namespace) -> Any:
    from zestpanel.core.bench.conditions import Conditions

    try:
        levels = tuple(int(part) for part in options.at_once.split(",") if part.strip())
    except ValueError:
        levels = (0,)
    if any(not 1 <= level <= 256 for level in levels):
        raise InputError(f"'{options.at_once}' are no levels of requests at once.", remedy="Write them like 1,2,4.")
    kind = "load" if levels else "bench"
    return Conditions(at_once=levels, cold=options.cold, fresh=options.fresh, kind=kind)


def _runs(options: argparse.Namespace) -> Output:
    from zestpanel.core.bench.unattended import make
    from zestpanel.core.catalogue.candidate import short_names
    from zestpanel.core.changes.again import plan_again
    from zestpanel.core.changes.comparing import compare_runs

    project = _open(options)
    try:
        runs = project.journal.runs()
        for wanted in (*(options.compare or ()), *([options.again] if options.again is not None else ())):
            if wanted not in runs:
                raise InputError(f"There is no run {wanted}.", remedy="List them without further options.")
        if options.again is not None:
            progress = make(project, plan_again(project, runs[options.again]), on_event=_tell_failures)
            said = [f"{progress.done} done, {progress.failed} failed; compare with --compare {options.again} "
                    f"{max(project.journal.runs())}"]  # fmt: skip
            return {"done": progress.done, "failed": progress.failed, "held": progress.held, "lines": said}
        if options.compare:
            names = short_names(project.shortlist.candidates(), project.shortlist.engines())
            found = compare_runs(project, *options.compare)
            rows = [{"candidate": names[c.candidate.id], "verdict": c.verdict(), "pairs": len(c.pairs),
                     "same_to_the_sample": c.same_sound, "without_a_word": c.silently} for c in found]  # fmt: skip
            return {"changes": rows, "lines": [f"{r['candidate']}: {r['verdict']}" for r in rows]}
        shown = ("id", "created", "kind", "repeats", "machine", "network", "at_once", "cold", "ended", "of_run")
        listed = [{name: getattr(run, name) for name in shown} for run in runs.values()]
        return {"runs": listed, "lines": [f"{r['id']}  {r['created']}  {r['kind']}" for r in listed]}
    finally:
        project.close()


def _measure(options: argparse.Namespace) -> Output:
    from zestpanel.core.bench.measuring import measure_missing

    project = _open(options)
    try:
        done, problems = measure_missing(project)
        return {
            "measured": done,
            "problems": problems,
            "lines": [f"{done} takes measured.", *problems],
            "failed": len(problems),
        }
    finally:
        project.close()


def _ratings(options: argparse.Namespace) -> Output:
    from zestpanel.core.choice.evidence import standing
    from zestpanel.core.listening.rating_files import import_ratings

    project = _open(options)
    try:
        added = import_ratings(project, options.table) if options.table else 0
        found = standing(project)
        scores, lines = [], [f"{added} ratings added."] if options.table else []
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
        return {"added": added, "scores": scores, "lines": lines or ["No ratings yet."]}
    finally:
        project.close()


def _cost(options: argparse.Namespace) -> Output:
    from zestpanel.core.choice.evidence import standing

    project = _open(options)
    try:
        found, costs, lines = standing(project), [], []
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
            )
        return {
            "minutes_per_month": found.brief.minutes_per_month,
            "costs": costs,
            "lines": lines or ["The shortlist is empty."],
        }
    finally:
        project.close()


def _report(options: argparse.Namespace) -> Output:
    from zestpanel.core.report.record import write_record

    project = _open(options)
    try:
        written = write_record(project, options.to)
        return {
            "record": str(written.record),
            "tables": [str(t) for t in written.tables],
            "lines": [str(written.record), *map(str, written.tables)],
        }
    finally:
        project.close()


def _catalogue(options: argparse.Namespace) -> Output:
    from zestpanel.core.catalogue.exchange import (
        as_json,
        as_yaml,
        export_catalogue,
        parse_catalogue,
        preview,
        take_over,
    )

    project = _open(options)
    try:
        if options.take_in:
            catalogue = parse_catalogue(options.take_in.read_text(encoding="utf-8"), name=options.take_in.name)
            changes = preview(project, catalogue)
            if options.yes:
                take_over(project, catalogue)
            lines = [f"{c.state:<8}{c.about}: {c.name}" + (f" ({c.what})" if c.what else "") for c in changes]
            lines.append("Taken over." if options.yes else "Nothing is taken over yet: add --yes.")
            return {"changes": [[c.state, c.about, c.name, c.what] for c in changes], "lines": lines}
        catalogue = export_catalogue(project)
        text = as_json(catalogue) if options.out and options.out.suffix == ".json" else as_yaml(catalogue)
        if options.out is None:
            return {"catalogue": text, "lines": text.splitlines()}
        options.out.write_text(text, encoding="utf-8")
        return {"written": str(options.out), "lines": [str(options.out)]}
    except OSError as error:
        raise InputError(f"{error.filename} cannot be read or written ({error.strerror}).") from error
    finally:
        project.close()


def _bug_report(options: argparse.Namespace) -> Output:
    from zestpanel.core.report.bug_report import bug_report

    project = _open(options)
    try:
        text = bug_report(project)
        return {"report": text, "lines": text.splitlines()}
    finally:
        project.close()


def _schemas(options: argparse.Namespace) -> Output:
    from zestpanel.core.catalogue.exchange import schemas

    options.folder.mkdir(parents=True, exist_ok=True)
    written = []
    for name, schema in schemas().items():
        path = options.folder / name
        path.write_text(json.dumps(schema, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
        written.append(str(path))
    return {"written": written, "lines": written}


def _window(options: argparse.Namespace) -> int:
    from zestpanel.desk.application import open_window

    return open_window(getattr(options, "project", None))


def _demo(options: argparse.Namespace) -> int:
    from zestpanel.demo.opening import open_demo

    return open_demo(
        offscreen=options.offscreen,
        shots=options.shots,
        rebuild=options.rebuild,
        build_only=options.build_only,
        traps=options.traps,
    )
