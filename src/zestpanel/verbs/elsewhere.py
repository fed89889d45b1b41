"""Listeners on other machines: packs written, listed, withdrawn; what comes back."""

from __future__ import annotations

import argparse
import json
import sys
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened

if TYPE_CHECKING:
    from zestpanel.core.store.project import Project


def pack(options: argparse.Namespace) -> Output:
    """Write packs, withdraw one or let its answers in again, or list them."""
    with opened(options) as project:
        for code, withdrawn in ((options.withdraw, True), (options.restore, False)):
            if code:
                _withdraw(project, code, withdrawn=withdrawn)
        if options.listener:
            return _written(project, options)
        return _listed(project)


def _written(project: Project, options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.elsewhere.pack import write_pack

    test = _test(project, options.test)
    folder, rows, lines = options.to or Path("."), [], []
    for alias in options.listener:
        listener = project.panel.add_listener(alias, languages=options.languages or ())
        one = write_pack(project, test, listener, folder, lossy=options.lossy)
        rows.append({"listener": listener.alias, "file": str(one.path), "code": one.pack.code, "trials": one.trials,
                     "bytes": one.bytes})  # fmt: skip
        lines.append(f"{listener.alias}: {one.path}, {one.trials} trials, {one.bytes / 1e6:.1f} MB")
        if one.too_large_for_mail:
            lines.append("  too large for most mail: --lossy makes it about a quarter of that, or ask fewer passages")
    return {"packs": rows, "lines": lines}


def _withdraw(project: Project, code: str, *, withdrawn: bool) -> None:
    found = [pack for test in project.panel.tests() for pack in project.invitations.of_test(test.id)
             if pack.code.startswith(code)]  # fmt: skip
    if len(found) != 1:
        raise InputError(f"{'No pack' if not found else 'More than one pack'} has a code that begins with '{code}'.",
                         remedy="'pack' lists them.")  # fmt: skip
    project.invitations.withdraw(found[0].id, withdrawn=withdrawn)


def _listed(project: Project) -> Output:
    from zestpanel.core.listening.elsewhere.listed import packs_of

    rows, lines = [], []
    for test in project.panel.tests():
        for one in packs_of(project, test.id):
            rows.append({"test": test.id, "listener": one.listener, "code": one.pack.code, "written": one.pack.created,
                         "clips": one.pack.clips, "answered": one.answered, "trials": one.trials,
                         "withdrawn": one.pack.ended or None, "came": one.pack.came or None})  # fmt: skip
            lines.append(f"test {test.id}  {one.pack.code[:8]}  {one.listener}, {one.pack.created[:10]}, "
                         f"{one.answered} of {one.trials} answered, {one.state}")  # fmt: skip
    return {"packs": rows, "lines": lines or ["No pack yet: 'pack --listener NAME --to FOLDER' writes one."]}


def taken_back(project: Project, files: list[Path]) -> Output:
    """Files from packs, each for itself: what one cannot give keeps no other from being taken in."""
    from zestpanel.core.errors import ZestError
    from zestpanel.core.listening.elsewhere.returned import take_back
    from zestpanel.core.text_files import read_text

    rows, lines, failed = [], [], 0
    for path in files:
        try:
            found = take_back(project, read_text(path, most_mb=50, kept="Nothing was taken in."), path.name)
            rows.append({"file": str(path), **asdict(found)})
            lines.append(found.says(path.name))
        except ZestError as error:
            failed += 1
            rows.append({"file": str(path), "problem": str(error)})
            lines.append(str(error))
    return {"files": rows, "lines": lines, "failed": failed}


def listeners(options: argparse.Namespace) -> Output:
    from zestpanel.core.listening.elsewhere.notice import due, kept

    with opened(options) as project:
        gone = [one.listener.alias for one in due(project)] if options.forget_due else []
        if options.forget_due:
            for one in due(project):
                project.panel.forget(one.listener.id)
        until, given = {one.listener.id: one for one in kept(project)}, project.answers.counts_by_listener()
        rows, lines = [], [f"{alias} is forgotten; the answers stay." for alias in gone]
        for person in project.panel.listeners():
            known = until.get(person.id)
            rows.append({"listener": person.alias, "languages": list(person.languages),
                         "answers": given.get(person.id, 0), "known_until": known and known.until.isoformat(),
                         "due": bool(known and known.over)})  # fmt: skip
            lines.append(f"{person.alias}  {', '.join(person.languages) or 'not stated'}, {given.get(person.id, 0)} "
                         "answers" + ("" if known is None else f", known until {known.until.isoformat()}"
                                      + (": over" if known.over else "")))  # fmt: skip
    return {"listeners": rows, "forgotten": gone, "lines": lines or ["Nobody has listened yet."]}


def panel(options: argparse.Namespace) -> Output:
    """The project as a small server, until it is interrupted."""
    import tempfile

    from zestpanel.core.listening.elsewhere.served import Served
    from zestpanel.core.listening.elsewhere.server import serve
    from zestpanel.core.listening.elsewhere.wording import call, invitation
    from zestpanel.core.listening.told import Told

    def say(words: str, **values: str) -> None:
        print(json.dumps(values or {"said": words}) if options.json else words, flush=True)

    with opened(options) as project, tempfile.TemporaryDirectory(prefix="zest-panel-") as kept:
        test = _test(project, options.test)
        served = Served(project, Path(kept), lossy=options.lossy, completion=options.completion or "")
        codes = []
        for alias in options.listener or ():
            known = project.panel.called(alias)
            tags = () if known is not None and known.languages else options.languages or ()
            listener = project.panel.add_listener(alias, languages=tags)
            codes.append((listener.alias, served.invite(test, listener)))
        if options.invited:
            codes += [one for one in served.invited(test) if one not in codes]
        _conducted(project, test, options)
        tried = served.try_out(test) if options.try_out else ""
        asked = project.panel.test(test)
        minutes = served.minutes(asked) if options.wording else 0

        def began(address: str) -> None:
            base = (options.public or address).rstrip("/")
            say(f"The panel of test {test} listens on {address}; Ctrl+C ends it.")
            if not _is_this_machine(options.address):
                say("Whoever reaches this address and has a link can take the test. Without TLS before it, what is "
                    "heard and answered can be read on the way: see docs/panel-server.md.")  # fmt: skip
            for alias, code in codes:
                say(f"{alias}: {base}/s/{code}", listener=alias, link=f"{base}/s/{code}")
                if options.wording and not options.json:
                    known = project.panel.called(alias)
                    say(invitation(Told(known.languages if known else ()), alias, f"{base}/s/{code}", minutes) + "\n")
            if asked.conduct.enrolment is not None:
                link = f"{base}/j/{asked.conduct.enrolment.code}"
                say(f"Whoever is wanted: {link}", everybody=link)
                if options.wording and not options.json:
                    say(call(Told(asked.conduct.enrolment.languages), link, minutes) + "\n")
                if options.qr and not options.json:
                    say(_drawn(link))
            if tried:
                say(f"A trial run, that is not kept: {base}/s/{tried}", trial=f"{base}/s/{tried}")

        serve(served, address=options.address, port=options.port, began=began, told=say, proxied=options.behind_proxy,
              until=sys.stdin if options.until_input_ends else None)  # fmt: skip
    return {"lines": ["The panel is closed. All answers that came are in the project."]}


def _conducted(project: Project, test: int, options: argparse.Namespace) -> None:
    """What listeners agree to, and whether they come of themselves, as the options say it."""
    from zestpanel.core.languages import language_name
    from zestpanel.core.listening.elsewhere.enrolling import enrolled_by, unheard, wanted_of
    from zestpanel.core.listening.elsewhere.notice import new_notice

    before = project.panel.test(test).conduct
    after = before
    if options.notice is not None:
        by, contact, days = options.notice
        after = replace(after, notice=new_notice(by, contact, days))
    if options.enrol is not None:
        brief = project.brief.languages if not options.wanted else ()
        wanted = wanted_of(options.wanted or brief)
        after = replace(after, enrolment=enrolled_by(before.enrolment, options.enrol, wanted))
    if after == before:
        return
    if missing := unheard(project, replace(project.panel.test(test), conduct=after)):
        raise InputError(f"No clip of the test is in {', '.join(map(language_name, missing))}.",
                         kept="Nothing was changed.", remedy="Name other languages by --wanted.")  # fmt: skip
    project.panel.put_conduct(test, after)


def _drawn(link: str) -> str:
    """As half blocks, two rows of modules a line."""
    from zestpanel.core.listening.elsewhere.wording import squares

    rows = list(squares(link))
    rows += [tuple(False for _ in rows[0])] * (len(rows) % 2)
    signs = {(False, False): "\u2588", (False, True): "\u2580", (True, False): "\u2584", (True, True): " "}
    return "\n".join("".join(signs[pair] for pair in zip(upper, lower, strict=True))
                     for upper, lower in zip(rows[::2], rows[1::2], strict=True))  # fmt: skip


def _is_this_machine(address: str) -> bool:
    return address in ("localhost", "::1") or address.startswith("127.")


def _test(project: Project, number: int | None) -> int:
    test = number or getattr(project.panel.open_test(), "id", None)
    if test is None or test not in {one.id for one in project.panel.tests()}:
        raise InputError(f"There is no test {number or 'open'}.", remedy="Say which by --test; 'tests' lists them.")
    return int(test)
