"""Measuring takes, what was measured, where a figure is what it is, and programs that listen."""

from __future__ import annotations

import argparse

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened


def measure(options: argparse.Namespace) -> Output:
    from zestpanel.core.runs.measuring.measuring import measure_missing
    from zestpanel.verbs.telling import Counted

    with opened(options) as project:
        counted = Counted("measured", quiet=options.json)
        done, problems = measure_missing(project.takes, project.texts, on_take=lambda _: counted.one_more(),
                                         slow=options.slow)  # fmt: skip
        return {
            "measured": done,
            "problems": problems,
            "lines": [f"{done} takes measured.", *problems],
            "failed": len(problems),
        }


def measures(options: argparse.Namespace) -> Output:
    """A row a take: into a file, or as JSON."""
    from zestpanel.core.report.measures_table import measures_table, write_measures

    with opened(options) as project:
        rows = measures_table(project, all_takes=options.all)
        if options.to is not None:
            write_measures(rows, options.to)
        lines = [f"{len(rows)} takes" + (f" written to {options.to}." if options.to else ".")]
        return {"takes": rows, "lines": lines}


def where(options: argparse.Namespace) -> Output:
    """A figure over candidates and passages, with the cells that are odd."""
    from zestpanel.core.catalogue.candidate import short_names
    from zestpanel.core.choice.evidence import evaluate
    from zestpanel.core.choice.where import choices
    from zestpanel.core.choice.where import where as look

    with opened(options) as project:
        found = evaluate(project)
        known = choices(found)
        name = options.figure if options.figure in known else f"measure {options.figure}"
        if name not in known:
            raise InputError(
                f"There is no figure of cells '{options.figure}'.", remedy=f"There are: {', '.join(known)}."
            )
        seen = look(project, found, name, project.texts.all(), project.brief, by=options.by)
        assert seen is not None
        names = short_names(project.shortlist.candidates(), project.shortlist.engines())
        titles = dict(seen.columns)
        rows = [{"candidate": c, "passage": titles[p], "value": value, "odd": (c, p) in {o.place for o in seen.odd},
                 "beyond limit": seen.limit is not None and seen.limit.broken_by(value)}
                for (c, p), value in seen.values.items()]  # fmt: skip
        width = max([len(names[c]) for c in names] or [0])
        head = "  ".join(f"{title[:8]:>8}" for _, title in seen.columns)
        lines = [f"{seen.title}. {seen.says(names)}", f"{'':<{width}}  {head}"]
        for candidate in seen.order([c for c in names if any(c == one for one, _ in seen.values)]):
            cells = "  ".join(f"{seen.words(seen.values[candidate, p]) if (candidate, p) in seen.values else '–':>8}"
                              for p, _ in seen.columns)  # fmt: skip
            lines.append(f"{names[candidate]:<{width}}  {cells}")
        return {"figure": name, "cells": rows, "lines": lines}


def likeness(options: argparse.Namespace) -> Output:
    """How alike takes of one voice are, with two voices as the scale."""
    from dataclasses import asdict

    from zestpanel.core.analysis.likeness import alike, says
    from zestpanel.core.catalogue.candidate import short_names

    with opened(options) as project:
        found = alike(project)
        names = short_names(project.shortlist.candidates(), project.shortlist.engines())
        lines = [says(found, names)]
        for one in found:
            told = (f"{label} {value:.1f} {unit}" for label, value, unit in (
                ("envelope", one.distortion_db, "dB"), ("pitch", one.pitch_st, "semitones"),
                ("colour", one.colour_db, "dB")) if value is not None)  # fmt: skip
            lines.append(f"{names.get(one.candidate_id, 'Two voices')}, {one.to}, {one.n} pairs: {', '.join(told)}")
        return {"pairs": [asdict(one) for one in found], "lines": lines}


def recognisers(options: argparse.Namespace) -> Output:
    """Programs and services that listen: listed, brought in, taken off, agreed to, asked."""
    from zestpanel.core.connectors import agreed
    from zestpanel.core.connectors.ears import name_of
    from zestpanel.core.runs.measuring.hearing import add, hear_takes, kept, remove, unheard
    from zestpanel.core.text_files import read_text
    from zestpanel.verbs.telling import Counted

    with opened(options) as project:
        lines, problems = list[str](), list[str]()
        if options.add is not None:
            added = add(
                project.documents, read_text(options.add, most_mb=5, kept="Nothing was added."), options.add.name
            )
            lines.append(f"{name_of(added)} is kept.")
        known = kept(project.documents)
        for name in (options.remove, options.agree, options.listen):
            if name is not None and name not in known:
                raise InputError(
                    f"There is no recogniser '{name}'.", remedy=f"There are: {', '.join(known) or 'none'}."
                )
        if options.remove is not None:
            remove(project.documents, options.remove)
            lines.append(f"{options.remove} is taken off; what it told stays with the takes.")
        if options.agree is not None:
            lines += [f"{options.agree} {use.words}" for use in agreed.missing(known[options.agree])]
            agreed.agree(known[options.agree])
            lines.append("Agreed to.")
        if options.listen is not None:
            counted = Counted("heard", quiet=options.json)
            done, problems = hear_takes(project.takes, project.texts, known[options.listen],
                                        on_take=lambda _: counted.one_more())  # fmt: skip
            lines += [f"{done} takes heard.", *problems]
        told = [{"name": name_of(ear), "gives": ear.hears.gives, "languages": list(ear.hears.languages),
                 "not heard": len(unheard(project.takes, project.texts, ear))}
                for ear in kept(project.documents).values() if ear.hears is not None]  # fmt: skip
        lines += [f"{one['name']}: gives {one['gives']}, {one['not heard']} takes not heard." for one in told]
        return {"recognisers": told, "lines": lines or ["No recogniser of your own."], "failed": len(problems)}
