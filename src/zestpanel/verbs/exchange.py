"""Catalogues, schemas, and what goes along with a bug report."""

from __future__ import annotations

import argparse
import json

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened


def catalogue(options: argparse.Namespace) -> Output:
    from zestpanel.core.catalogue.exchange import (
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


def bug_report(options: argparse.Namespace) -> Output:
    from zestpanel.core.report.bug_report import bug_report

    with opened(options) as project:
        text = bug_report(project)
        return {"report": text, "lines": text.splitlines()}


def schemas(options: argparse.Namespace) -> Output:
    from zestpanel.core.catalogue.exchange import schemas

    options.folder.mkdir(parents=True, exist_ok=True)
    written = []
    for name, schema in schemas().items():
        path = options.folder / name
        path.write_text(json.dumps(schema, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
        written.append(str(path))
    return {"written": written, "lines": written}
