"""A pasted command line taken apart: the text, the file it writes and the voice, by their options and looks."""

from __future__ import annotations

import re

from zestpanel.core.connectors.wizard.draft import Draft, words_of


def read_program(text: str) -> Draft:
    """A program's command line: the text, the file it writes and the voice are found by their options and looks."""
    words = words_of(text)
    understood: list[str] = []
    arguments: list[str] = []
    voice = spoken = ""
    piped = re.match(r"""^echo\s+(?:-n\s+)?(?P<q>["'])(?P<text>.*?)(?P=q)\s*\|\s*(?P<rest>.+)$""", text, re.DOTALL)
    if piped:
        words, spoken = words_of(piped["rest"]), piped["text"]
        understood.append("The text comes on standard input.")
    if ">" in words:
        at = words.index(">")
        words = words[:at] + words[at + 2 :]
        understood.append("The sound comes on standard output.")
    has_output = False
    for i, word in enumerate(words):
        before = words[i - 1].lower() if i else ""
        joined_option = re.match(r"--?[\w-]+=", word) is not None
        if i and before in ("--voice", "--speaker", "-v", "--voice-id") and not word.startswith("-"):
            voice = word
            arguments.append("{voice}")
        elif (
            i and not joined_option and re.search(r"\.(wav|wave|flac|mp3|ogg)$", word, re.IGNORECASE) and not has_output
        ):
            has_output = True
            understood.append(f"The sound is written to {word}.")
            arguments.append("{output}")
        elif i and re.search(r"\.txt$", word, re.IGNORECASE):
            understood.append(f"The text is read from {word}.")
            arguments.append("{text_file}")
            spoken = spoken or "A line from a file."
        elif i and not spoken and not joined_option and (" " in word or before in ("--text", "-t", "--sentence")):
            spoken = word
            understood.append(f"text: {word[:60]}")
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
        understood.append("No text was found in the line: it will be given on standard input.")
    if voice:
        understood.append(f"voice: {voice}")
    name = (arguments[0] if arguments else "program").rsplit("/", 1)[-1]
    return Draft(
        kind="command",
        engine=name,
        arguments=tuple(arguments),
        voice=voice,
        text=spoken,
        understood=tuple(understood),
    )
