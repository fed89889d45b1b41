"""Subtitles (.srt, .vtt): one piece a caption, its times kept, its markup taken off."""

from __future__ import annotations

import re
from typing import Final

from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.texts import tr

_TAG: Final = re.compile(r"<[^<>]*>|\{\\[^{}]*\}")
_SPEAKER: Final = re.compile(r"^<v(?:\.[^ <>]*)?[ \t]+([^<>]+)>")


def read_captions(text: str, name: str) -> Script:
    """Captions by their times (SubRip; WebVTT, W3C). Raises TextError when there are none."""
    import pysubs2

    try:
        kind = "vtt" if text.lstrip("\ufeff").startswith("WEBVTT") else "srt"
        subtitles = pysubs2.SSAFile.from_string(text, format_=kind, keep_unknown_html_tags=True)
    except (pysubs2.exceptions.Pysubs2Error, ValueError, IndexError) as error:
        raise TextError(
            tr("{name} holds no subtitles that can be read.", name=name), kept=tr("Nothing was imported.")
        ) from error
    parts = []
    for event in subtitles:
        if event.is_comment:
            continue
        raw = event.text.replace("\\N", "\n").replace("\\h", " ")
        voice = _SPEAKER.match(raw)
        words = " ".join(_TAG.sub("", raw).split())
        if words:
            parts.append(
                Part(
                    text=words,
                    speaker=voice.group(1).strip() if voice else event.name.strip(),
                    start_s=event.start / 1000,
                    end_s=event.end / 1000,
                )
            )
    if not parts:
        raise TextError(tr("{name} holds no captions.", name=name), kept=tr("Nothing was imported."))
    return Script(parts=tuple(parts), how=tr("{parts} captions", parts=len(parts)))
