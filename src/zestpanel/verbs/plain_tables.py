"""Answers in plain tables, and the planning of a test: without a project."""

from __future__ import annotations

import argparse
from functools import partial
from pathlib import Path

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output


def ratings(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.plain import as_given, scores_of_table

    scores, lines = [], []
    for scale, found in scores_of_table(_table(options)).items():
        as_shown = partial(as_given, scale)
        lines += [f"{scale}:"] if scale != "score" else []
        for name, score in found:
            interval = score.crossed
            scores.append({
                "scale": scale, "candidate": name, "mean": as_shown(score.mean), "low": as_shown(interval.low),
                "high": as_shown(interval.high),
                "letters": score.letters, "listeners": score.listeners, "passages": score.passages,
                "ratings": score.ratings, "counts": score.counts,
            })  # fmt: skip
            lines.append(
                f"{as_shown(score.mean):.2f}  {as_shown(interval.low):.2f} to {as_shown(interval.high):.2f}  "
                f"{score.letters:<5} {name} "
                f"({score.listeners} listeners, {score.passages} passages)"
            )
    return {"scores": scores, "lines": [*lines, "Interval: 95 %, for other listeners and other texts of the kind. "
                                                "Candidates that share a letter are not told apart."]}  # fmt: skip


def _table(options: argparse.Namespace) -> Path:
    """The table of ratings; one of a survey form is first read by its map into a table beside it."""
    if options.map is None:
        path: Path = options.project
        return path
    from zestpanel.core.listening.survey import as_ratings

    return as_ratings(options.project, options.map)


def preference(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.plain import preference_of_table

    found = preference_of_table(options.table)
    widths = [max(len(row[k]) for row in (found.head, *found.rows)) for k in range(len(found.head))]
    table = ["  ".join(cell.ljust(width) if k == 0 else cell.rjust(width)
                       for k, (cell, width) in enumerate(zip(row, widths, strict=True))).rstrip()
             for row in (found.head, *found.rows)]  # fmt: skip
    rows = [{name: cell for name, cell in zip(found.head, row, strict=True) if name} for row in found.rows]
    return {"says": found.says, "rows": rows, "rule": found.rule, "lines": [found.says, "", *table, "", found.rule]}


def agreement(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.plain import agreement_of_table

    found = agreement_of_table(options.table)
    lines = []
    for scale, one in found.items():
        lines += [f"{scale}:"] if scale != "score" else []
        lines.append(
            f"Krippendorff's alpha {_figure(one['alpha'])} ({one['clips']} clips, {one['listeners']} listeners)"
        )
        lines.append(f"ICC(2,1) {_figure(one['icc_single'])}, ICC(2,k) {_figure(one['icc_average'])}"
                     f" over {one.get('complete_clips', 0)} clips that all have rated")  # fmt: skip
        lines += [str(one["why"])] if "why" in one else []
    return {"agreement": found, "lines": lines}


def plan_test(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.power import preference_can_tell, what_can_be_told

    sizes = {"candidates": options.candidates, "passages": options.passages, "listeners": options.listeners}
    spread = options.spread
    if spread is not None and not all(0 <= one <= 4 for one in spread):
        raise InputError("A spread on a 5-point scale is from 0 to 4.", kept="Nothing was worked out.")
    rated = what_can_be_told(**sizes, spread=tuple(spread) if spread else None, whence="the spread stated")
    preferred = preference_can_tell(**sizes)
    return {
        "rating": rated,
        "preference": preferred,
        "lines": [f"Category rating: {rated}", f"Preference: {preferred}"],
    }


def _figure(value: object) -> str:
    return f"{value:.2f}" if isinstance(value, float) else "undefined"
