"""Making a project, and bringing scripts and engines into it."""

from __future__ import annotations

import argparse
from pathlib import Path

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened
from zestpanel.verbs.telling import each


def new(options: argparse.Namespace) -> Output:
    from zestpanel.core.domain.brief import Brief
    from zestpanel.core.store.project import BRIEF, SUFFIX, Project
    from zestpanel.core.typed import typed_language

    languages = tuple(typed_language(tag) for tag in options.language or ["en-GB"])
    folder = options.project if options.project.suffix == SUFFIX else Path(f"{options.project}{SUFFIX}")
    project = Project.create(folder)
    BRIEF.write(project.documents, Brief(channel=options.channel, languages=languages))
    project.close()
    return {"project": str(folder), "lines": [f"Made {folder}."]}


def duplicate(options: argparse.Namespace) -> Output:
    """A copy of a project, with its takes or without."""
    from zestpanel.core.store.copies import duplicate as copied
    from zestpanel.core.store.project import SUFFIX

    with opened(options) as project:  # a project of before is brought up to date first
        folder = project.folder
    to = options.to if options.to.suffix == SUFFIX else Path(f"{options.to}{SUFFIX}")
    copied(folder, to, with_takes=not options.without_takes)
    return {"project": str(to), "lines": [f"Made {to}."]}


def archive(options: argparse.Namespace) -> Output:
    """All of a project in one file."""
    from zestpanel.core.store.copies import archive as packed

    with opened(options) as project:
        folder = project.folder
    to = options.to or folder.with_name(f"{folder.name}.zip")
    if to.exists():
        raise InputError(f"{to} is there already.", kept="It is as it was.", remedy="Name another file with --to.")
    packed(folder, to)
    return {"archive": str(to), "lines": [f"Made {to}."]}


def unpack(options: argparse.Namespace) -> Output:
    """A project from the file that it was archived to."""
    from zestpanel.core.store.copies import unpack as unpacked

    folder = unpacked(options.file, options.to or Path.cwd())
    return {"project": str(folder), "lines": [f"Made {folder}."]}


def bring_in(options: argparse.Namespace) -> Output:
    from zestpanel.core.catalogue.connector_file import read_connector
    from zestpanel.core.choice.gates import not_stated
    from zestpanel.core.text.readers.reading import read_script
    from zestpanel.core.text.splitting import split_paragraphs, split_sentences
    from zestpanel.core.typed import typed_language

    language = typed_language(options.language) if options.language else ""
    # everything is read and checked before anything is written
    engines, scripts = [], []
    for path in each(options.files, "read"):
        if path.suffix.lower() in (".yaml", ".yml", ".json"):
            engines.append((path, *read_connector(path)))
        else:
            text = read_script(path).text()
            paragraphs = split_paragraphs(text)
            parts = {
                "paragraphs": paragraphs,
                "none": [text],
                "sentences": [s for p in paragraphs for s in split_sentences(p, language)],
            }[options.split]
            scripts.append((path, parts))
    with opened(options) as project:
        lines, passages = [], 0
        for path, engine, source in engines:
            project.shortlist.add_engine(engine, source, path.name)
            lines.append(f"{path.name}: {engine.engine}, {len(engine.voices)} voices")
            if missing := not_stated(project.brief, engine, project.notes.statements().get(engine.engine, ())):
                lines.append(f"  {missing}")
            if options.shortlist:
                for voice in engine.voices:
                    project.shortlist.add(engine, voice=voice.id)
        for path, parts in scripts:
            added = project.texts.add(parts, language=language or project.brief.languages[0])
            passages += len(added)
            lines.append(f"{path.name}: {len(added)} passages, {sum(p.characters for p in added):,} characters")
        return {"engines": [e.engine for _, e, _ in engines], "passages": passages, "lines": lines}
