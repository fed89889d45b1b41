"""The habits of shells and of documentation: prompts, text that is piped in, redirections; taken off a pasted line."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Final

from zestpanel.core.texts import tr

_PROMPT: Final = re.compile(r"^\s*(?:[\w.@~:/-]*[$%>]|\(\w+\)\s*\$)\s+(?=\S)")
_QUOTED: Final = r"""(?P<q>["'])(?P<text>.*?)(?P=q)"""
_PIPED: Final = re.compile(
    rf"^(?:echo(?:\s+-[neE]+)*|printf(?:\s+--)?(?:\s+(?:[\"']%s(?:\\n)?[\"']))?)\s+{_QUOTED}\s*\|\s*(?P<rest>.+)$",
    re.DOTALL,
)
_FROM_FILE: Final = re.compile(r"^cat\s+(?P<file>[^\s|;&]+)\s*\|\s*(?P<rest>.+)$", re.DOTALL)
_HERE: Final = re.compile(rf"\s<<<\s*{_QUOTED}", re.DOTALL)
_IN: Final = re.compile(r"""\s<\s*(?P<file>[^\s<>|;&"']+)""")
_ERRORS: Final = re.compile(r"\s(?:2>>?\s*[^\s|;&]+|2>&1|&>\s*/dev/null)")
_OUT: Final = re.compile(r"""\s1?>>?\s*(?P<file>[^\s|;&"'<>]+)""")


@dataclass(frozen=True, slots=True)
class Tidied:
    """The line without what only a shell does. spoken: the text that was piped in, '' for none or a file's. piped:
    whether the text comes on standard input."""

    line: str
    spoken: str = ""
    piped: bool = False
    understood: list[str] = field(default_factory=list)


def without_prompts(text: str) -> str:
    """Lines as they were typed: '$ prog' and '> more' lose the sign of the shell that stands before them."""
    lines = text.strip().splitlines()
    if lines and _PROMPT.match(lines[0]):
        lines = [_PROMPT.sub("", lines[0]), *(re.sub(r"^\s*>\s+", "", line) for line in lines[1:])]
    return "\n".join(lines)


def tidied(text: str) -> Tidied:
    text = without_prompts(text)
    understood: list[str] = []
    spoken, piped = "", False
    if found := _PIPED.match(text):
        text, spoken, piped = found["rest"], found["text"].removesuffix("\\n"), True
    elif found := _FROM_FILE.match(text):
        text, piped = found["rest"], True
        understood.append(tr("The text was read from {found}.", found=found["file"]))
    # what stands in quotation marks is the program's own, and is not looked into
    parts = re.split(r"""((?:"(?:\\.|[^"\\])*")|(?:'[^']*'))""", text)
    if found := _HERE.search(text):
        text, spoken, piped = text[: found.start()] + text[found.end() :], found["text"], True
        parts = re.split(r"""((?:"(?:\\.|[^"\\])*")|(?:'[^']*'))""", text)
    for number in range(0, len(parts), 2):
        parts[number] = _ERRORS.sub("", parts[number])
        if found := _OUT.search(parts[number]):
            parts[number] = parts[number][: found.start()] + parts[number][found.end() :]
            understood.append(tr("The sound comes on standard output."))
        if found := _IN.search(parts[number]):
            parts[number] = parts[number][: found.start()] + parts[number][found.end() :]
            understood.append(tr("The text was read from {found}.", found=found["file"]))
            piped = True
    if piped:
        understood.append(tr("The text comes on standard input."))
    return Tidied("".join(parts).strip(), spoken, piped, understood)
