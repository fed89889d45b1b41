"""Rendering, past runs, and measuring."""

from __future__ import annotations

import argparse
import contextlib
from datetime import datetime
from typing import TYPE_CHECKING, Any

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from zestpanel.core.runs.plan.planning import PlannedRun
    from zestpanel.core.store.project import Project


def render(options: argparse.Namespace) -> Output | int:
    """Plan and render, or only say what it would cost; the window when nothing of that is asked for."""
    if not (options.render or options.json or options.estimate or options.abandon_open or options.due):
        from zestpanel.desk.application import open_window

        return open_window(options.project)
    if options.project is None:
        raise InputError("Which project? Name its folder.")
    if options.due and options.estimate:
        raise InputError(
            "What is due is rendered, not estimated.", kept="Nothing was sent.", remedy="Leave one of the two out."
        )
    if not 1 <= options.repeats <= 100:
        raise InputError(f"{options.repeats} repeats are outside 1 to 100.", kept="Nothing was sent.")
    with contextlib.ExitStack() as stack:
        return _render(options, stack.enter_context(opened(options)), stack)


def _render(options: argparse.Namespace, project: Project, stack: contextlib.ExitStack) -> Output:
    from zestpanel.core.store.one_asker import asking

    sends = not options.estimate and (options.render or options.json or options.due)
    with asking(project.folder) if sends or options.abandon_open else contextlib.nullcontext():
        return _render_alone(options, project, stack, sends=sends)


def _render_alone(options: argparse.Namespace, project: Project, stack: contextlib.ExitStack, *, sends: bool) -> Output:
    from zestpanel.core.runs.execute.unattended import make
    from zestpanel.core.runs.plan.planning import plan_run
    from zestpanel.core.runs.plan.undecided import undecided
    from zestpanel.core.runs.schedule.scheduled import coming, is_due, take_due
    from zestpanel.verbs.telling import told

    waiting = undecided(project)
    if options.abandon_open:
        project.journal.let_be_asked_again([row.id for row in waiting])
        waiting = []
    now, executor, schedule = datetime.now().astimezone(), None, None
    if options.scheduler and sends and (not options.due or is_due(project, now)):
        # before an occasion is taken: workers that do not answer must not use it up
        from zestpanel.core.runs.execute.elsewhere import DaskExecutor

        executor = stack.enter_context(contextlib.closing(DaskExecutor(options.scheduler)))
    if options.due:
        schedule, due = take_due(project, now)
        if due is None:
            said = coming(schedule) or "No runs are set for hours; Plan a run … in the window sets them."
            return {"jobs": 0, "lines": [f"Nothing is due. {said}"]}
        planned = due
    else:
        planned = plan_run(project, repeats=options.repeats, conditions=_conditions(options))
    progress = None
    if sends:
        with told(len(planned.jobs), quiet=options.json) as teller:
            progress = make(project, planned, on_event=teller.on_event, executor=executor)
    out = _planned(project, planned, len(waiting))
    lines: list[str] = out["lines"]
    if progress is not None:
        spent = [str(m) for m in progress.spent]
        out |= {"done": progress.done, "failed": progress.failed, "left": progress.left_over, "spent": spent,
                "held": progress.held}  # fmt: skip
        left = f", {progress.left_over} held" if progress.held else ""
        lines.append(f"{progress.done} done, {progress.failed} failed{left}, spent {', '.join(spent) or 'nothing'}")
        if progress.held:
            lines.append(f"held: {progress.held}")
        lines += _another_sound(project)
    if schedule is not None:
        lines.append(coming(schedule))
    return out


def _planned(project: Project, planned: PlannedRun, still_open: int) -> Output:
    from zestpanel.core.connectors.agreed import waits_for_agreement

    left = [(c.id, p.title, why) for c, p, why in planned.left_out]
    costs = [str(m) for m in planned.costs]
    lines = [f"{len(planned.jobs)} takes, {planned.characters:,} characters, estimated {planned.price}"]
    lines += [f"left out: candidate {c}, {title}: {why}" for c, title, why in left]
    engines = project.shortlist.engines()
    if any(waits_for_agreement(engines[c.engine]) for c, _, _ in planned.left_out if c.engine in engines):
        lines.append("See what engines would use here, and agree to it, with: zestpanel agree PROJECT")
    if still_open:
        lines.append(
            f"{still_open} requests brought nothing and may have been paid (left open, timed out, broken off); they "
            "are not sent again by themselves. --ask-again lets them be."
        )
    return {
        "jobs": len(planned.jobs),
        "characters": planned.characters,
        "served": planned.served,
        "estimate": costs,
        "seconds": planned.time.seconds,
        "time_basis": planned.time.basis,
        "left_out": left,
        "open": still_open,
        "lines": lines,
    }


def _another_sound(project: Project) -> list[str]:
    """What the last run brought to light, in sentences."""
    from zestpanel.core.analysis.changes.silent import in_words, silent_changes
    from zestpanel.core.catalogue.candidate import short_names

    names = short_names(project.shortlist.candidates(), project.shortlist.engines())
    found = silent_changes(project.takes, project.shortlist, project.journal, max(project.journal.runs(), default=0))
    return [in_words(names[c.candidate.id], earlier, c) for earlier, c in found]


def _conditions(options: argparse.Namespace) -> Any:
    from zestpanel.core.runs.plan.conditions import Conditions

    try:
        levels = tuple(int(part) for part in options.at_once.split(",") if part.strip())
    except ValueError:
        levels = (0,)
    if any(not 1 <= level <= 256 for level in levels):
        raise InputError(f"'{options.at_once}' are no levels of requests at once.", remedy="Write them like 1,2,4.")
    kind = "load" if levels else "bench"
    return Conditions(
        at_once=levels, cold=options.cold, fresh=options.fresh, side_by_side=options.side_by_side, kind=kind
    )


def past_runs(options: argparse.Namespace) -> Output:
    from zestpanel.core.analysis.changes.again import plan_again
    from zestpanel.core.analysis.changes.comparing import compare_runs
    from zestpanel.core.catalogue.candidate import short_names
    from zestpanel.core.runs.execute.unattended import make
    from zestpanel.verbs.telling import told

    with opened(options) as project:
        runs = project.journal.runs()
        named = [*(options.compare or ()), *(n for n in (options.again, (options.keep_apart or [0, None])[1]) if n)]
        for wanted in named:
            if wanted not in runs:
                raise InputError(f"There is no run {wanted}.", remedy="List them without further options.")
        if options.again is not None:
            again = plan_again(project, runs[options.again])
            with told(len(again.jobs), quiet=options.json) as teller:
                progress = make(project, again, on_event=teller.on_event)
            said = [f"{progress.done} done, {progress.failed} failed; compare with --compare {options.again} "
                    f"{max(project.journal.runs())}", *_another_sound(project)]  # fmt: skip
            return {"done": progress.done, "failed": progress.failed, "held": progress.held, "lines": said}
        if options.compare:
            names = short_names(project.shortlist.candidates(), project.shortlist.engines())
            found = compare_runs(project.shortlist, project.takes, project.journal, *options.compare)
            rows = [{"id": c.candidate.id, "candidate": names[c.candidate.id], "verdict": c.verdict(),
                     "pairs": len(c.pairs),
                     "same_to_the_sample": c.same_sound, "without_a_word": c.silently} for c in found]  # fmt: skip
            return {"changes": rows, "lines": [f"{r['id']}  {r['candidate']}: {r['verdict']}" for r in rows]}
        if options.keep_apart:
            split = project.shortlist.split(*options.keep_apart)
            said = [f"What was made of candidate {split.earlier_id} in run {options.keep_apart[1]} and since is "
                    f"candidate {split.later_id} now: {split.takes} takes."]  # fmt: skip
            return {"earlier": split.earlier_id, "later": split.later_id, "lines": said}
        shown = ("id", "created", "kind", "repeats", "machine", "network", "at_once", "cold", "ended", "of_run")
        listed = [{name: getattr(run, name) for name in shown} for run in runs.values()]
        return {"runs": listed, "lines": [f"{r['id']}  {r['created']}  {r['kind']}" for r in listed]}
