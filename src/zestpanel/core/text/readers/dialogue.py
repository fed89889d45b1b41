"""Dialogue written as text: 'NAME: line', or a screenplay's plain-text form with names on lines of their own."""

from __future__ import annotations

import re
from collections import Counter
from typing import Final

from zestpanel.core.text.readers.script import Part

# a name is up to four words that begin with a capital; times such as 10:30 and addresses are none
_NAMED: Final = re.compile(
    r"^\s*(?P<name>[A-ZÀ-ÖØ-Þ][\w'’.\-]*(?:[ ](?:[A-ZÀ-ÖØ-Þ0-9][\w'’.\-]*|\([^)]*\))){0,3})\s*:\s+(?P<line>\S.*)$"
)
_CUE: Final = re.compile(r"^[A-ZÀ-ÖØ-Þ][A-ZÀ-ÖØ-Þ0-9 .'’\-]{1,38}(\s*\([^)]*\))?$")
_SCENE: Final = re.compile(r"^(INT|EXT|EST|INT\./EXT|I/E)[. ]", re.IGNORECASE)


def dialogue_of(paragraphs: list[str]) -> tuple[Part, ...] | None:
    """Parts with their speakers when the text is a dialogue, None when it is not.

    It is one when at least three lines, and a third of all, begin with a name and a colon, and a name comes back; or
    when at least two cues in capitals stand over their lines.
    """
    lines = [line for paragraph in paragraphs for line in paragraph.split("\n") if line.strip()]
    named = [m for line in lines if (m := _NAMED.match(line))]
    names = Counter(m["name"] for m in named)
    if len(named) >= 3 and len(named) * 3 >= len(lines) and max(names.values()) >= 2:
        return tuple(_named_parts(lines))
    cues = [p for p in paragraphs if "\n" in p and _CUE.match(p.split("\n")[0].strip())]
    if len(cues) >= 2 and len(cues) * 4 >= len(paragraphs):
        return tuple(_cue_parts(paragraphs))
    return None


def _named_parts(lines: list[str]) -> list[Part]:
    out: list[Part] = []
    for line in lines:
        found = _NAMED.match(line)
        if found:
            out.append(Part(text=found["line"].strip(), speaker=_bare(found["name"])))
        elif out and out[-1].speaker:
            last = out.pop()
            out.append(Part(text=f"{last.text} {line.strip()}", speaker=last.speaker))
        else:
            out.append(Part(text=line.strip()))
    return out


def _cue_parts(paragraphs: list[str]) -> list[Part]:
    out: list[Part] = []
    for paragraph in paragraphs:
        first, _, rest = paragraph.partition("\n")
        if rest and _CUE.match(first.strip()):
            for line in rest.split("\n"):
                text = line.strip()
                if text.startswith("(") and text.endswith(")"):
                    out.append(Part(text=text, kind="direction", speaker=_bare(first)))
                elif text:
                    out.append(Part(text=text, speaker=_bare(first)))
        elif _SCENE.match(paragraph.strip()) or paragraph.strip().startswith((".", ">", "#")):
            out.append(Part(text=" ".join(paragraph.split()), kind="heading"))
        else:
            out.append(Part(text=" ".join(paragraph.split()), kind="direction"))
    return out


def _bare(name: str) -> str:
    """A name without its remark: 'MARGE (off)' speaks as 'Marge'."""
    bare = re.sub(r"\([^)]*\)", "", name).strip()
    return bare.title() if bare.isupper() else bare
