"""The eight steps of the way, declared once, and how far each is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple

from zestpanel.core.choice.evidence import Standing
from zestpanel.desk.viewmodels.cells import Bench


class Step(NamedTuple):
    """page: the class of its page, in the module of its key within ``pages``."""

    key: str
    title: str
    page: str


STEPS: Final = (
    Step("brief", "Brief", "BriefPage"),
    Step("engines", "Engines & voices", "EnginesPage"),
    Step("passages", "Passages", "PassagesPage"),
    Step("renders", "Renders", "RendersPage"),
    Step("evidence", "Evidence", "EvidencePage"),
    Step("listening", "Listening", "ListeningPage"),
    Step("cost", "Cost", "CostPage"),
    Step("choice", "Choice", "ChoicePage"),
)
TITLES: Final = {step.key: step.title for step in STEPS}
PAGE_CLASSES: Final = {step.key: step.page for step in STEPS}


@dataclass(frozen=True, slots=True)
class StepStatus:
    """share: 0 not begun, 1 done, between: under way; stale steps are drawn dashed."""

    words: str
    share: float
    stale: bool = False


def step_states(bench: Bench, found: Standing | None) -> dict[str, StepStatus]:
    """A few words on each step. found: None until it is worked out."""
    brief = bench.brief
    done, able = bench.counts
    takes, unmeasured, listeners = bench.takes, bench.unmeasured, bench.raters
    stale_cells = sum(cell.state == "stale" for cell in bench.cells.values())
    old = [row for row in found.rows.values() if row.plan.dated is None] if found else []
    chosen, roles = bench.decided, brief.roles
    n_languages, n_engines = len(brief.languages), len(bench.engines)
    priced = [row for row in found.rows.values() if row.cost.month.total is not None] if found else []
    return {
        "brief": StepStatus(
            f"{n_languages} language{'s' * (n_languages != 1)} · {brief.episodes_per_month} episodes"
            if brief.channel
            else "not yet",
            1.0 if brief.channel else 0.0,
        ),
        "engines": StepStatus(
            f"{n_engines} engine{'s' * (n_engines != 1)} · {len(bench.candidates)} on the shortlist"
            if n_engines
            else "not yet",
            0.0 if not n_engines else 1.0 if len(bench.candidates) > 1 else 0.5,
        ),
        "passages": StepStatus(
            f"{len(bench.passages)} · {sum(p.characters for p in bench.passages):,} characters"
            if bench.passages
            else "not yet",
            0.0 if not bench.passages else 1.0 if len(bench.passages) >= 3 else 0.5,
        ),
        "renders": StepStatus(
            (f"{stale_cells} cells stale" if stale_cells else f"{done} of {len(bench.cells)} cells")
            if able and takes
            else "not yet",
            done / able if able else 0.0,
            stale_cells > 0,
        ),
        "evidence": StepStatus(
            (f"{unmeasured} takes not measured" if unmeasured else f"{takes} takes measured") if takes else "not yet",
            0.0 if not takes else 0.5 if unmeasured else 1.0,
            stale_cells > 0 or unmeasured > 0,
        ),
        "listening": StepStatus(
            f"{listeners} listener{'s' * (listeners != 1)}" if listeners else "not yet",
            min(1.0, listeners / 5),
            stale_cells > 0 and listeners > 0,
        ),
        "cost": StepStatus(
            (f"{len(old)} prices without a date" if old else f"{len(priced)} of {len(found.rows)} priced")
            if found and found.rows
            else "not yet",
            len(priced) / len(found.rows) if found and found.rows else 0.0,
            bool(old),
        ),
        "choice": StepStatus(
            f"{len(chosen & set(roles))} of {len(roles)} roles filled" if chosen else "not yet",
            len(chosen & set(roles)) / max(1, len(roles)),
        ),
    }
