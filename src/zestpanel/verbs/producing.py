"""Hand-off: narrations, production sheets, and sound files turned into others."""

from __future__ import annotations

import argparse
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from zestpanel.core.audio.encoding import OutputFormat
    from zestpanel.core.production.sheet import Sheet
    from zestpanel.core.store.project import Project


def output_of(options: argparse.Namespace, usual: OutputFormat | None = None) -> OutputFormat:
    """What is typed of the files to be delivered, over what is usual. Raises InputError."""
    from pydantic import ValidationError

    from zestpanel.core.audio.encoding import OutputFormat

    values: dict[str, Any] = (usual or OutputFormat()).model_dump()
    typed = {"kind": options.format, "rate_hz": options.rate, "channels": options.channels, "bits": options.bits,
             "kbps": options.kbps, "peak_dbtp": options.peak, "head_s": options.head,
             "tail_s": options.tail}  # fmt: skip
    values |= {name: value for name, value in typed.items() if value is not None}
    if options.loudness is not None:
        try:
            values["loudness_lufs"] = None if options.loudness == "as it is" else float(options.loudness)
        except ValueError as error:
            raise InputError(f"--loudness '{options.loudness}' is no number of LUFS.", kept="Nothing was written.",
                             remedy="Write it like -16, or 'as it is'.") from error  # fmt: skip
    try:
        return OutputFormat.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "format"
        raise InputError(f"{where}: {first['msg']}.", kept="Nothing was written.") from error


def sheet(options: argparse.Namespace) -> Output:
    """Write the production sheet of a role."""
    from zestpanel.core.choice.roles import role_named
    from zestpanel.core.production.sheet import bars, sheet_of
    from zestpanel.core.text_files import write_text

    with opened(options) as project:
        found = sheet_of(project, role_named(project.brief.roles, options.role), output=output_of(options))
        as_json = options.out is not None and options.out.suffix.lower() == ".json"
        text = found.as_json() if as_json else found.as_yaml()
        if options.out is None:
            return {"sheet": text, "lines": [*text.splitlines()]}
        write_text(options.out, text, kept="Nothing was written.")
        keys = f"; needs the key {', '.join(found.keys)}" if found.keys else ""
        return {"written": str(options.out), "lines": [f"{options.out}{keys}", *bars(found)]}


def stage(options: argparse.Namespace) -> Output:
    """Keep a dialogue as one clip, a candidate of its own that listening tests can ask about."""
    from zestpanel.core.production.staged import keep_as_one

    with opened(options) as project:
        if options.dialogue not in (names := project.dialogues.names()):
            raise InputError(f"There is no dialogue '{options.dialogue}'.", kept="Nothing was kept.",
                             remedy=f"There are: {', '.join(names)}." if names else "")  # fmt: skip
        made = keep_as_one(project, options.dialogue)
        voice = project.shortlist.engines()[made.candidate.engine].voice(made.candidate.voice)
        cast = voice.label if voice is not None else ""
        known = "stands as one clip already" if made.known else "stands as one clip now"
        return {"candidate": made.candidate.id, "passage": made.passage.title, "take": made.take.id,
                "seconds": round(made.take.duration_s, 3),
                "lines": [f"'{options.dialogue}' {known}: {made.take.duration_s:.1f} s, {cast}."]}  # fmt: skip


def narrate(options: argparse.Namespace) -> Output:
    """Speak a whole script in the voices that fill the roles of a project, and write it as files."""
    from zestpanel.core.choice.casting import proposed_cast
    from zestpanel.core.choice.decided import decisions
    from zestpanel.core.choice.roles import role_named

    with opened(options) as project:
        role = role_named(project.brief.roles, options.role)
        decided = decisions(project.documents)
        candidate = next((one.candidate_id for one in decided if one.role == role.id), None)
        if options.candidate is not None:
            candidate = options.candidate
        if candidate is None or candidate not in {c.id for c in project.shortlist.candidates()}:
            raise InputError(f"Nobody fills the role '{role.name}' yet.", kept="Nothing was sent.",
                             remedy="Choose somebody with: zestpanel choice, or name a --candidate.")  # fmt: skip
        language = project.brief.language_of(role)

        def cast(speakers: list[str]) -> dict[str, int]:
            proposed = proposed_cast(speakers, project.brief, decided, language)
            return {speaker: candidate if speaker == NARRATOR else proposed.get(speaker, candidate)
                    for speaker in speakers}  # fmt: skip

        from zestpanel.core.store.dialogues import NARRATOR

        return _narrated(project, options, cast, language=language, sheet=None)


def by_sheet(options: argparse.Namespace) -> Output:
    """Speak a whole script by a production sheet; what is made is kept in a project beside the files, so that it can go
    on after a stop and is not paid twice."""
    from zestpanel.core.production.sheet import bars, read_sheet, set_up
    from zestpanel.core.store.project import SUFFIX, Project
    from zestpanel.core.text_files import read_text

    text = read_text(options.sheet, most_mb=5, kept="Nothing was sent.", error=InputError)
    found = read_sheet(text, options.sheet.name)
    folder = options.to or Path.cwd()
    options.project = folder / f"{options.sheet.stem}{SUFFIX}"
    if not options.project.exists():
        folder.mkdir(parents=True, exist_ok=True)
        Project.create(options.project).close()
    with opened(options) as project:
        candidate, differs = set_up(project, found, options.sheet.name)
        against = [*differs, *bars(found)]
        if against and not options.allow:
            raise InputError(" ".join(against), kept="Nothing was sent.", remedy="--allow goes on all the same.")
        return _narrated(project, options, lambda speakers: dict.fromkeys(speakers, candidate),
                         language=found.language, sheet=found, says=against)  # fmt: skip


def _narrated(
    project: Project, options: argparse.Namespace, cast: Any, *, language: str, sheet: Sheet | None,
    says: list[str] | None = None,
) -> Output:  # fmt: skip
    from zestpanel.core.connectors.agreed import waits_for_agreement
    from zestpanel.core.production.narration import cast_all, deliver, parts_of, put_narration
    from zestpanel.core.production.sheet import bars_of, credits_of
    from zestpanel.core.runs.execute.unattended import make
    from zestpanel.core.runs.files.dialogue import plan_dialogue
    from zestpanel.core.store.one_asker import asking
    from zestpanel.core.text.readers.reading import read_script
    from zestpanel.verbs.telling import told

    output = output_of(options, sheet.output if sheet is not None else None)
    name = options.name or options.script.stem
    parts = parts_of(read_script(options.script).parts, language)
    put_narration(project, name, parts, language=language)
    if sheet is not None or options.gap is not None:
        project.dialogues.put_gap(name, options.gap if options.gap is not None else sheet.gap_s if sheet else 0.5)
    speakers = project.dialogues.speakers(name)
    uncast = cast_all(project, name, cast(speakers))
    planned = plan_dialogue(project, name)
    lines = [*(says or ()), f"{len(parts)} parts, {len(planned.jobs)} to be asked for, {planned.characters:,} "
             f"characters, estimated {planned.price}"]  # fmt: skip
    lines += [f"nobody speaks for {speaker}" for speaker in uncast]
    reasons = Counter(why for _, _, why in planned.left_out)
    lines += [f"{count} {'part' if count == 1 else 'parts'} left out: {why}" for why, count in reasons.most_common()]
    engines = project.shortlist.engines()
    if any(waits_for_agreement(engines[c.engine]) for c, _, _ in planned.left_out if c.engine in engines):
        lines.append(f"See what the engine would use here, and agree to it, with: zestpanel agree {options.project}")
    out: Output = {"parts": len(parts), "jobs": len(planned.jobs), "estimate": [str(m) for m in planned.costs],
                   "lines": lines}  # fmt: skip
    if options.estimate:
        return out
    if sheet is None and (against := bars_of(project, name)) and not options.allow:
        raise InputError(" ".join(against), kept="Nothing was sent.", remedy="--allow goes on all the same.")
    if planned.jobs:
        with asking(project.folder), told(len(planned.jobs), quiet=options.json) as teller:
            progress = make(project, planned, on_event=teller.on_event)
        out |= {"done": progress.done, "failed": progress.failed, "held": progress.held,
                "spent": [str(m) for m in progress.spent]}  # fmt: skip
        lines.append(f"{progress.done} made, {progress.failed} failed, spent "
                     f"{', '.join(str(m) for m in progress.spent) or 'nothing'}")  # fmt: skip
        if progress.held:
            lines.append(f"held: {progress.held}")
        if progress.failed or progress.held:
            return out
    made = deliver(project, name, options.to or Path.cwd(), output, each=options.each,
                   pattern=options.pattern,
                   credit=sheet.credit if sheet else credits_of(project, name))  # fmt: skip
    level = "" if made.level.after is None else f", {made.level.after:.1f} LUFS, peak {made.level.peak_dbtp:.1f} dBTP"
    lines.append(f"{made.duration_s:.1f} s{level}")
    lines += [str(path) for path in made.files]
    return out | {"files": [str(path) for path in made.files], "duration_s": made.duration_s,
                  "loudness_lufs": made.level.after}  # fmt: skip


def convert(options: argparse.Namespace) -> Output:
    """Turn sound files of any kind the program reads into another: format, rate, channels, loudness."""
    import numpy as np

    from zestpanel.core.audio.encoding import encode
    from zestpanel.core.audio.files import read
    from zestpanel.core.production.converting import converted
    from zestpanel.verbs.telling import each

    to = output_of(options, None)
    lines, files = [], []
    for path in each(options.files, "converted"):
        folder = options.to or path.parent
        target = folder / f"{path.stem}.{to.ending}"
        if target.exists() and not options.over:
            raise InputError(f"{target} is there already.", kept="It is as it was.", remedy="--over writes over it.")
        samples, rate, level = converted(read(path), to)
        folder.mkdir(parents=True, exist_ok=True)
        try:
            encode(target, [np.asarray(samples)], rate, to)
        except OSError as error:
            raise InputError(f"{target} cannot be written ({error.strerror}).") from error
        said = "" if level.after is None else f", {level.after:.1f} LUFS"
        lines.append(f"{target}: {len(samples) / rate:.1f} s at {rate:,} Hz{said}")
        files.append(str(target))
    return {"files": files, "lines": lines}
