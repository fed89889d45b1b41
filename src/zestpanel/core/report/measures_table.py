"""What is measured of each take, as a table for other programs: a row a take, a column a measure; English in every
language of the interface."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final, Protocol

from zestpanel.core.analysis.faults import fault_kinds
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.errors import InputError
from zestpanel.core.measures.registry import measures
from zestpanel.core.own_files import written_beside
from zestpanel.core.report.tables import write_csv
from zestpanel.core.runs.measuring.hearing import PREDICTED
from zestpanel.core.store.parts import HasShortlist, HasTakes, HasTexts
from zestpanel.core.texts import tr

FORMS: Final = (".csv", ".json", ".parquet")


class MeasuredParts(HasTexts, HasShortlist, HasTakes, Protocol):
    """Takes, what was measured of them, and what they speak."""


def measures_table(project: MeasuredParts, *, all_takes: bool = False) -> list[dict[str, Any]]:
    """A row a take. all_takes: captured sound, vendors' samples and what was found odd on arrival, too; ``scored`` says
    which count. Missing is None."""
    names = short_names(project.shortlist.candidates(), project.shortlist.engines())
    passages = {p.version_id: p for p in project.texts.all()}
    measured = project.takes.measured()
    found = project.takes.segments(_is_fault)
    numbers = [name for name in measures() if name != "faults"]
    predicted = sorted({name for of in measured.values() for name in of.values if name.startswith(PREDICTED)})
    rows = []
    for take in project.takes.all():
        passage, values = passages.get(take.passage_version_id), measured[take.id].values if take.id in measured else {}
        if take.candidate_id not in names or not (all_takes or take.scored):
            continue
        rows.append({
            "take": take.id, "candidate": take.candidate_id, "name": names[take.candidate_id],
            "passage": passage.title if passage else "", "language": passage.language if passage else "",
            "repeat": take.repeat, "obtained": take.obtained, "scored": take.scored,
            "faults": len(found.get(take.id, ())) if take.id in measured else None,
            **{name: values.get(name) for name in (*numbers, *predicted)},
            "heard": values.get("heard"), "heard_by": values.get("heard_by"),
        })  # fmt: skip
    return rows


def _is_fault(segment: Any) -> bool:
    return segment.kind in fault_kinds()


def write_measures(rows: Sequence[dict[str, Any]], path: Path) -> None:
    """CSV, JSON or Parquet, by the name. Raises InputError for another, and where Parquet's library is not there."""
    if path.suffix.lower() not in FORMS:
        raise InputError(
            tr("{path} is neither .csv nor .json nor .parquet.", path=path.name), kept=tr("Nothing was written.")
        )
    if path.suffix.lower() == ".csv":
        head = list(rows[0]) if rows else []
        write_csv(path, [head, *([_plain(row[name]) for name in head] for row in rows)])
    elif path.suffix.lower() == ".json":
        with written_beside(path) as part:
            part.write_text(json.dumps(list(rows), ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    else:
        _write_parquet(rows, path)


def _plain(value: Any) -> str:
    return "" if value is None else f"{value:.6g}" if isinstance(value, float) else str(value)


def _write_parquet(rows: Sequence[dict[str, Any]], path: Path) -> None:
    try:
        import pyarrow as arrow
        from pyarrow import parquet
    except ImportError as error:
        raise InputError(
            tr("Parquet is written by the library pyarrow, which is not installed."), kept=tr("Nothing was written."),
            remedy=tr("Install zestpanel[parquet], or write .csv or .json."),
        ) from error  # fmt: skip
    with written_beside(path) as part:
        parquet.write_table(arrow.Table.from_pylist(list(rows)), part)
