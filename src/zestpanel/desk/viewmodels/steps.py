"""The eight steps of the way, declared once, and how far each is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.texts import tr, trn
from zestpanel.desk.viewmodels.cells import Bench


class Step(NamedTuple):
    """page: the class of its page, in the module of its key within ``pages``."""

    key: str
    title: str
    page: str


STEPS: Final = (
    Step("brief", tr("Brief"), "BriefPage"),
    Step("engines", tr("Engines & voices"), "EnginesPage"),
    Step("passages", tr("Passages"), "PassagesPage"),
    Step("renders", tr("Renders"), "RendersPage"),
    Step("evidence", tr("Evidence"), "EvidencePage"),
    Step("listening", tr("Listening"), "ListeningPage"),
    Step("cost", tr("Cost"), "CostPage"),
    Step("choice", tr("Choice"), "ChoicePage"),
)
TITLES: Final = {step.key: step.title for step in STEPS}
PAGE_CLASSES: Final = {step.key: step.page for step in STEPS}


@dataclass(frozen=True, slots=True)
class StepStatus:
    """share: 0 not begun, 1 done, between: under way; stale steps are drawn dashed."""

    words: str
    share: float
    stale: bool = False


def step_states(bench: Bench, found: Evaluation | None) -> dict[str, StepStatus]:
    """A few words on each step. found: None until it is worked out."""
    brief = bench.brief
    done, able = bench.counts
    takes, unmeasured, listeners = bench.takes, bench.unmeasured, bench.raters
    stale_cells = sum(cell.state == "stale" for cell in bench.cells.values())
    compared = {name for name, engine in bench.engines.items() if engine.only_compared}  # nobody buys these
    bought = [row for row in found.rows.values() if row.candidate.engine not in compared] if found else []
    old = [row for row in bought if row.plan.dated is None]
    chosen, roles = bench.decided, [one.id for one in brief.roles]
    n_languages, n_engines = len(brief.languages), len(bench.engines)
    priced = [row for row in bought if row.cost.month.total is not None]
    return {
        "brief": StepStatus(
            trn(
                "{n_languages} language · {episodes_per_month} episodes",
                "{n_languages} languages · {episodes_per_month} episodes",
                n_languages,
                n_languages=n_languages,
                episodes_per_month=brief.episodes_per_month,
            )
            if brief.channel
            else tr("not yet"),
            1.0 if brief.channel else 0.0,
        ),
        "engines": StepStatus(
            trn(
                "{n_engines} engine · {candidates} on the shortlist",
                "{n_engines} engines · {candidates} on the shortlist",
                n_engines,
                n_engines=n_engines,
                candidates=len(bench.candidates),
            )
            if n_engines
            else tr("not yet"),
            0.0 if not n_engines else 1.0 if len(bench.candidates) > 1 else 0.5,
        ),
        "passages": StepStatus(
            tr(
                "{passages} · {passages2} characters",
                passages=len(bench.passages),
                passages2=f"{sum(p.characters for p in bench.passages):,}",
            )
            if bench.passages
            else tr("not yet"),
            0.0 if not bench.passages else 1.0 if len(bench.passages) >= 3 else 0.5,
        ),
        "renders": StepStatus(
            (
                trn("{stale_cells} cell stale", "{stale_cells} cells stale", stale_cells, stale_cells=stale_cells)
                if stale_cells
                else tr("{done} of {cells} cells", done=done, cells=len(bench.cells))
            )
            if able and takes
            else tr("not yet"),
            done / able if able else 0.0,
            stale_cells > 0,
        ),
        "evidence": StepStatus(
            (
                trn(
                    "{unmeasured} take not measured",
                    "{unmeasured} takes not measured",
                    unmeasured,
                    unmeasured=unmeasured,
                )
                if unmeasured
                else trn("{takes} take measured", "{takes} takes measured", takes, takes=takes)
            )
            if takes
            else tr("not yet"),
            0.0 if not takes else 0.5 if unmeasured else 1.0,
            stale_cells > 0 or unmeasured > 0,
        ),
        "listening": StepStatus(
            trn("{listeners} listener", "{listeners} listeners", listeners, listeners=listeners)
            if listeners
            else tr("not yet"),
            min(1.0, listeners / 5),
            stale_cells > 0 and listeners > 0,
        ),
        "cost": StepStatus(
            (
                trn("{old} price without a date", "{old} prices without a date", len(old), old=len(old))
                if old
                else tr("{priced} of {rows} priced", priced=len(priced), rows=len(bought))
            )
            if bought
            else tr("not yet"),
            len(priced) / len(bought) if bought else 0.0,
            bool(old),
        ),
        "choice": StepStatus(
            tr("{chosen} of {roles} roles filled", chosen=len(chosen & set(roles)), roles=len(roles))
            if chosen
            else tr("not yet"),
            len(chosen & set(roles)) / max(1, len(roles)),
        ),
    }
