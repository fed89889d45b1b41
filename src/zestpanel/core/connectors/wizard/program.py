"""A pasted command line taken apart: the text, the file it writes and the voice, by their options and looks."""

from __future__ import annotations

import re
from typing import Final

from zestpanel.core.catalogue.key_looks import holds_key_at, keys_among
from zestpanel.core.connectors.wizard.draft import Draft, words_of
from zestpanel.core.connectors.wizard.shell import tidied
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

# words that begin statements of programming languages and of shells, and are no speaking programs
_STATEMENTS: Final = re.compile(
    r"import|from|const|let|var|def|class|using|package|require|print|function|public|private|async|await|if|for|while"
    r"|export|set|cd|pip3?|npm|npx|sudo|alias|source|return|try|with|use|include|fn|func|echo",
    re.IGNORECASE,
)
_SHELL: Final = re.compile(r"&&|\|\||[;`]|\$\(|\$\{?\w|(?<![<>\w])<(?!<)|\|")
_NONE: Final = tr("This is neither a call nor a program's command line: {why}. Nothing was run.")
_REMEDY: Final = tr("Paste one line as one would type it in a terminal, or a call as the documentation shows it.")


def _refuse_what_is_none(text: str, words: list[str]) -> None:
    """Code of a programming language, and what only a shell could do. Raises InputError."""
    first = words[0] if words else ""
    lines = [line for line in re.sub(r"[\\^`]\s*\n\s*", " ", text).splitlines() if line.strip()]
    bare = re.sub(r"""(["']).*?\1""", "", text, flags=re.DOTALL)
    why = ""
    if _STATEMENTS.fullmatch(first) or not re.fullmatch(r"[\w./~+@-]+", first) or first.startswith("-"):
        why = tr("'{first}' is no program's name", first=first[:40])
    elif len(lines) > 1:
        why = tr("it has {lines} lines", lines=len(lines))
    elif found := _SHELL.search(bare):
        why = tr("'{group}' is for a shell, and programs are started without one", group=found.group())
    if why:
        raise InputError(_NONE.format(why=why), remedy=_REMEDY)


def _variables_before(text: str) -> tuple[dict[str, str], str]:
    """(variables set before the program, the rest of the line). Raises InputError for one that holds a key."""
    found: dict[str, str] = {}
    while match := re.match(r"""(?:env\s+)?([A-Za-z_]\w*)=("[^"]*"|'[^']*'|\S*)\s+""", text):
        name, value = match.group(1), match.group(2).strip("\"'")
        if holds_key_at(name, value):
            raise _key_in(f"{name}=…")
        found[name] = value
        text = text[match.end() :]
    return found, text


def _refuse_keys(arguments: list[str]) -> None:
    for where in keys_among(arguments):
        raise _key_in(where)


def _key_in(where: str) -> InputError:
    return InputError(
        tr(
            "The line holds a key ({where}). A connector file holds none, and a program's key stands "
            "in no place that others can read.",
            where=where,
        ),
        kept=tr("Nothing was kept of it."),
        remedy=tr("Let the program read its key from its own settings, then paste the line without it."),
    )


def read_program(text: str) -> Draft:
    """A program's command line: the text, the file it writes and the voice are found by their options and looks."""
    tidy = tidied(text)
    environment, text = _variables_before(tidy.line + " ")
    words = words_of(text)
    understood, spoken, piped = list(tidy.understood), tidy.spoken, tidy.piped
    arguments: list[str] = []
    voice = ""
    _refuse_what_is_none(text, words)
    has_output = False
    for i, word in enumerate(words):
        before = words[i - 1].lower() if i else ""
        before = f"--{before.lstrip('-')}" if len(before) > 2 and before.startswith("-") else before
        joined_option = re.match(r"--?[\w-]+=", word) is not None
        mounts = before == "-v" and ":" in word  # a folder of one place at another, as containers are given them
        if i and before in ("--voice", "--speaker", "-v", "--voice-id") and not word.startswith("-") and not mounts:
            voice = word
            arguments.append("{voice}")
        elif (
            i and not joined_option and re.search(r"\.(wav|wave|flac|mp3|ogg)$", word, re.IGNORECASE) and not has_output
        ):
            has_output = True
            understood.append(tr("The sound is written to {word}.", word=word))
            arguments.append("{output}")
        elif i and re.search(r"\.txt$", word, re.IGNORECASE):
            understood.append(tr("The text is read from {word}.", word=word))
            arguments.append("{text_file}")
            spoken = spoken or tr("A line from a file.")
        elif (
            i
            and not spoken
            and not joined_option
            and (
                (" " in word and word.lstrip()[:1] not in "{[")
                or before in ("--text", "-t", "--sentence", "--input", "--txt")
            )
        ):
            spoken = word
            understood.append(tr("text: {word}", word=word[:60]))
            arguments.append("{text}")
        else:
            name, joined, value = word.partition("=")
            if joined and name.lower() in ("--voice", "--speaker"):
                voice = value
                word = f"{name}={{voice}}"
            elif joined and name.lower() == "--text" and not spoken:
                spoken, word = value, f"{name}={{text}}"
            elif joined and re.search(r"\.(wav|flac|mp3|ogg)$", value, re.IGNORECASE):
                has_output, word = True, f"{name}={{output}}"
            arguments.append(word)
    if not spoken and not piped:
        understood.append(tr("No text was found in the line: it will be given on standard input."))
    if voice:
        understood.append(tr("voice: {voice}", voice=voice))
    _refuse_keys(arguments)
    name = (arguments[0] if arguments else "program").rsplit("/", 1)[-1]
    return Draft(
        kind="command",
        engine=name,
        arguments=tuple(arguments),
        environment=environment,
        voice=voice,
        text=spoken,
        understood=tuple(understood),
    )
