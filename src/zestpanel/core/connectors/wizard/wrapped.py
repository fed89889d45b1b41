"""What stands around a call in documentation, in chats and in shells: fences, prose, comments, variables, prompts,
pipes and here-documents. Taken off, so that the call alone is left; nothing is run."""

from __future__ import annotations

import re
from typing import Final

from zestpanel.core.connectors.wizard.shell import without_prompts
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

_FENCE: Final = re.compile(r"^\s*(?:```|~~~)[^\n]*\n(.*?)\n\s*(?:```|~~~)\s*$", re.DOTALL | re.MULTILINE)
_QUOTES: Final = str.maketrans({"“": '"', "”": '"', "„": '"', "‟": '"', "‘": "'", "’": "'", "‚": "'", "\u00a0": " "})
_CLIENT: Final = r"(?:[\w./\\:-]*[/\\])?(?:curl|wget)(?:\.exe)?"
_BEFORE: Final = re.compile(rf"^(?:(?:time|sudo|command|exec|nohup)\s+)+(?={_CLIENT}\s)", re.IGNORECASE)
_SET: Final = re.compile(
    r"""^\s*(?:export\s+|set\s+|\$env:)?([A-Za-z_]\w*)\s*=\s*("(?:[^"\\]|\\.)*"|'[^']*'|[^\s;&|]*)\s*(?:;|&&|$)\s*""",
    re.MULTILINE,
)
_HERE: Final = re.compile(r"<<-?\s*['\"]?(?P<end>\w+)['\"]?(?P<more>[^\n]*)\n(?P<text>.*?)\n\s*(?P=end)\b", re.DOTALL)
_PIPED: Final = re.compile(
    rf"^\s*(?:echo(?:\s+-[neE]+)*|printf)\s+(?P<q>[\"'])(?P<text>.*?)(?P=q)\s*\|\s*(?P<rest>{_CLIENT}\b.*)$", re.DOTALL
)
_FILE: Final = re.compile(rf"^\s*(?:cat|type)\s+(?P<file>[^\s|]+)\s*\|\s*{_CLIENT}\b", re.DOTALL)
_STANDARD_INPUT: Final = re.compile(r"(?<=\s)(['\"]?)@-\1(?=\s|$)")
# programs for sockets and for framed calls: what they send stands in no line
_OTHERS: Final = re.compile(
    r"(?:[\w./\\-]*[/\\])?(?:websocat|wscat|grpcurl|grpc_cli|evans|nc|ncat|netcat|socat|telnet|openssl)(?:\.exe)?", re.I
)


def unwrapped(text: str) -> str:
    """The call or the line alone. Raises InputError for what reads its body from a file, and for programs that speak
    through sockets."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").strip()
    if found := _FENCE.search(text):
        text = found[1]
    text = text.translate(_QUOTES)
    text = without_prompts(_without_prose(text))
    text = _variables(text)
    text = _BEFORE.sub("", text)
    text = _here_documents(text)
    if found := _PIPED.match(text):
        text = _STANDARD_INPUT.sub(lambda _: f"'{_escaped(found['text'])}'", found["rest"])
    elif found := _FILE.match(text):
        raise InputError(
            tr("The call sends the file '{found}', and what stands in it is not known.", found=found["file"][:60]),
            remedy=tr("Paste the call with the contents of the file in its place."),
        )
    first = text.split(None, 1)[0] if text.split() else ""
    if _OTHERS.fullmatch(first):
        raise InputError(
            tr("'{first}' speaks through a socket or in frames, and what it sends stands in no line.",
               first=first[:40]), kept=tr("Nothing was kept of it."),
            remedy=tr("Write the file by hand: docs/connector-files.md says how sockets are described."),
        )  # fmt: skip
    return re.sub(rf"^({_CLIENT})(?=\s)", lambda m: re.split(r"[/\\]", m[1])[-1].removesuffix(".exe"), text)


def _escaped(text: str) -> str:
    return text.replace("'", "'\\''")


def _without_prose(text: str) -> str:
    """Without comments, and sentences before the first line of the call: 'Then run:'."""
    lines = [line for line in text.split("\n") if not re.match(r"^\s*(?:#(?!!)|//|REM\s)", line)]
    starts = rf"^\s*(?:[\w.@~:/-]*[$%>#]\s+)?(?:(?:time|sudo)\s+)?(?:{_CLIENT}\s|https?\s|xh\s|export\s|echo\s|cat\s)"
    first = next((k for k, line in enumerate(lines) if re.match(starts, line)), None)
    if first and all(not line.strip() or re.search(r"[:.!]\s*$", line) for line in lines[:first]):
        lines = lines[first:]
    return "\n".join(lines).strip()


def _variables(text: str) -> str:
    """Variables that are set before a call, put where they are used."""
    values: dict[str, str] = {}
    while (found := _SET.match(text)) and re.search(rf"\b{_CLIENT}\s|\bhttps?\s", text[found.end() :]):
        values[found[1]] = found[2][1:-1] if found[2][:1] in "\"'" and found[2] else found[2]
        text = text[found.end() :].lstrip()
    for name, value in values.items():
        text = re.sub(rf"\$\{{{name}\}}|\$env:{name}\b|\${name}\b|%{name}%", _plain(value), text)
    return text


def _plain(value: str) -> str:
    """As what is put in the place of something found."""
    return value.replace("\\", "\\\\")


def _here_documents(text: str) -> str:
    """A body that follows the call stands where it is sent from."""
    found = _HERE.search(text)
    if found is None or not _STANDARD_INPUT.search(text):
        return text
    body = f"'{_escaped(found['text'].strip())}'"
    return _STANDARD_INPUT.sub(lambda _: body, text[: found.start()] + found["more"] + text[found.end() :])
