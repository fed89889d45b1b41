"""Catalogues, schemas, and what goes along with a bug report."""

from __future__ import annotations

import argparse
import json

from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.text_files import read_text, write_text
from zestpanel.verbs.opening import Output, opened


def catalogue(options: argparse.Namespace) -> Output:
    from zestpanel.core.report.catalogue_file import (
        LARGEST_MB,
        as_json,
        as_yaml,
        export_catalogue,
        parse_catalogue,
        preview,
        take_over,
    )

    try:
        with opened(options) as project:
            if options.take_in:
                catalogue = parse_catalogue(
                    read_text(options.take_in, most_mb=LARGEST_MB, kept="Nothing was taken over."),
                    name=options.take_in.name,
                )
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
            write_text(options.out, text, kept="Nothing was written.")
            return {"written": str(options.out), "lines": [str(options.out)]}
    except OSError as error:
        raise InputError(f"{error.filename} cannot be read or written ({error.strerror}).") from error


def agree(options: argparse.Namespace) -> Output:
    """What of the engines was not agreed to on this machine; agreed to with --yes."""
    from zestpanel.core.connectors import agreed
    from zestpanel.core.runs.schedule.scheduled import sleeps, stored_schedule, wake

    with opened(options) as project:
        engines = project.shortlist.engines()
        if odd := [name for name in options.engines if name not in engines]:
            raise InputError(
                f"The project has no engine '{odd[0]}'; it has {', '.join(engines) or 'none'}.",
                kept="Nothing was agreed to.",
            )
        wanted = [engines[name] for name in options.engines or engines]
        if options.take_back:
            for engine in wanted:
                agreed.take_back(engine)
            return {
                "lines": [f"Taken back: {', '.join(engine.engine for engine in wanted)} will be asked about again."]
            }
        left: dict[str, list[str]] = {}
        lines, odd_ones = [], []
        for engine in wanted:  # one that cannot be understood here keeps none of the others from being agreed to
            try:
                left[engine.engine] = [use.words for use in agreed.missing(engine)]
                lines += [f"{engine.engine} {words}" for words in left[engine.engine]]
            except SynthesisFailure as failure:
                odd_ones.append(engine.engine)
                lines.append(f"{engine.engine}: {failure}")
        schedule = stored_schedule(project.documents)
        if options.schedule and schedule is not None and sleeps(project, schedule):
            lines.append("The project's runs begin by themselves at their set hours")
            if options.yes:
                wake(project)
        if options.yes:
            for engine in wanted:
                if engine.engine not in odd_ones:
                    agreed.agree(engine)
        said = "Agreed to." if options.yes else "Nothing was agreed to; --yes does that."
        return {"engines": left, "lines": [*lines, said] if lines else ["All of it was agreed to on this machine."]}


def bug_report(options: argparse.Namespace) -> Output:
    from zestpanel.core.report.bug_report import bug_report

    with opened(options) as project:
        text = bug_report(project)
        return {"report": text, "lines": text.splitlines()}


def schemas(options: argparse.Namespace) -> Output:
    from zestpanel.core.production.schemas import schemas

    options.folder.mkdir(parents=True, exist_ok=True)
    written = []
    for name, schema in schemas().items():
        path = options.folder / name
        path.write_text(json.dumps(schema, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
        written.append(str(path))
    return {"written": written, "lines": written}
