"""Voices of one's own: what there is, one more made at a service, and what became of one that never came back."""

from __future__ import annotations

import argparse

from zestpanel.core.errors import InputError
from zestpanel.verbs.opening import Output, opened


def own_voices(options: argparse.Namespace) -> Output:
    from zestpanel.core.runs.execute import making_voices
    from zestpanel.core.typed import typed_language

    with opened(options) as project:
        engines, by_id = project.shortlist.engines(), {r.id: r for r in project.own_voices.recordings()}
        named = options.make or options.go_on or options.give_up
        if named and named not in engines:
            raise InputError(f"The project has no engine '{named}'.", kept="Nothing was sent.")
        if options.make:
            if odd := next((number for number in options.recording if number not in by_id), None):
                raise InputError(f"There is no recording {odd}.", remedy="List them without further options.")
            if not options.recording or not options.name:
                raise InputError("A voice is made of a --recording and has a --name.", kept="Nothing was sent.")
            first = by_id[options.recording[0]]
            number = making_voices.make(
                project, engines[named], name=options.name, visibility=options.visibility,
                language=typed_language(options.language or first.language),
                recordings=[by_id[one] for one in options.recording],
            )  # fmt: skip
            return {"voice": number, "lines": [f"Voice {number}: {options.name} was made at {named}."]}
        if named:
            left = making_voices.being_made(project, named)
            if left is None:
                raise InputError(f"No voice is open at {named}.", kept="Nothing was changed.")
            if options.go_on:
                number = making_voices.go_on(project, engines[named], left)
                return {"voice": number, "lines": [f"Voice {number}: {left.name} is ready at {named}."]}
            making_voices.give_up(project, left)
            return {"lines": [f"{left.name} is not looked for any more."]}
        lines = [f"recording {r.id}  {r.name}, {r.language}, {r.duration_s:.1f} s" for r in by_id.values()]
        lines += [f"voice {v.id}  {v.engine}: {v.voice.label} ({v.voice.id})" for v in project.own_voices.voices()]
        open_ones = making_voices.BEING_MADE.read(project.documents)
        lines += [f"open  {one.says()}" for one in open_ones]
        return {
            "recordings": [{"id": r.id, "name": r.name} for r in by_id.values()],
            "voices": [{"id": v.id, "engine": v.engine, "voice": v.voice.id} for v in project.own_voices.voices()],
            "open": [one.model_dump(mode="json") for one in open_ones],
            "lines": lines or ["No recording and no voice of one's own yet."],
        }
