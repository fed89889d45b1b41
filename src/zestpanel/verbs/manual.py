"""Help for shells and for man, made from the one parser that there is."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

from zestpanel import __version__
from zestpanel.verbs.opening import Output


def completion(options: argparse.Namespace) -> Output:
    """What a shell reads to complete verbs, options and file names."""
    import shtab

    return {"lines": [shtab.complete(options.parser, shell=options.shell)]}


def man(options: argparse.Namespace) -> Output:
    """The manual page, for man(1)."""
    return {"lines": list(page(options.parser))}


def page(parser: argparse.ArgumentParser) -> Iterator[str]:
    """Lines of a page in the man macros (man-pages(7)): each verb with its arguments."""
    yield f'.TH ZESTPANEL 1 "" "Zest Panel {__version__}" "User Commands"'
    yield ".SH NAME"
    yield f"zestpanel \\- {_plain(parser.description)}"
    yield ".SH SYNOPSIS"
    yield ".B zestpanel\nVERB [ARGUMENTS]"
    yield ".SH DESCRIPTION"
    yield _plain(parser.epilog)
    yield ".SH VERBS"
    verbs = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))  # noqa: SLF001 argparse shows its options nowhere else
    for name, sub in verbs.choices.items():
        yield f".SS {_plain(name)}"
        yield _plain(sub.description)
        for action in sub._actions:  # noqa: SLF001 argparse shows its options nowhere else
            if action.help == argparse.SUPPRESS or action.dest == "help":
                continue
            takes = (
                action.metavar
                if isinstance(action.metavar, str)
                else (action.dest.upper() if action.nargs != 0 else "")
            )
            shown = ", ".join(action.option_strings) or takes or action.dest
            also = f" {takes}" if action.option_strings and takes else ""
            yield f".TP\n.B {_plain(shown + also)}"
            yield _plain(action.help) or "\\&"
    yield ".SH EXIT STATUS"
    yield "0 done; 1 done with failures, or held; 2 bad input; 130 stopped."
    yield ".SH ENVIRONMENT"
    yield ".TP\n.B ZEST_SECRET_NAME\nthe key called NAME in a connector file, where the desktop has no key store"


def _plain(text: str | None) -> str:
    return (text or "").replace("\\", "\\e").replace("-", "\\-").replace("\n.", "\n\\&.").lstrip(".'")
