"""Every error a user can cause, each with a sentence fit to be shown.

ZestError
├── InputError          a file or value given by the user is not usable
│   ├── ConnectorError  a connector file is wrong (names the line)
│   ├── TextError       a script cannot be imported
│   └── TableError      a table of ratings cannot be read
├── AudioError          sound that cannot be decoded, or is empty
│   └── NotSound        what came is no sound at all
├── SynthesisFailure    an engine did not deliver (carries the kind of failure)
├── ProjectError        the project folder cannot be opened or is too new
└── NotEnoughData       a figure cannot be computed from what there is
Cancelled               long work was stopped on request (not an error of anybody's)
"""

from __future__ import annotations

from typing import Final

from zestpanel.core.texts import tr

LONGEST = 1_000


def fit(words: str) -> str:
    """Words fit to be shown, whatever they quote: no longer than a person reads, and nothing that cannot be written."""
    shown = words if len(words) <= LONGEST else f"{words[: LONGEST // 2]} … {words[-LONGEST // 4 :]}"
    return "".join(c if c.isprintable() or c in "\n\t" else "�" for c in shown)


class ZestError(Exception):
    """Base of all errors meant for people: ``str(error)`` is one clear sentence or two.

    what: what happened, to which item. kept: what is unchanged or saved. remedy: what to do.
    """

    def __init__(self, what: str, *, kept: str = "", remedy: str = "") -> None:
        self.what, self.kept, self.remedy = fit(what), kept, remedy
        super().__init__(" ".join(part for part in (self.what, kept, remedy) if part))


class InputError(ZestError):
    """A file or value given by the user is not usable."""


class ConnectorError(InputError):
    """A connector file is wrong; the sentence names file and line."""


class TextError(InputError):
    """A script cannot be imported."""


class TableError(InputError):
    """A table cannot be read; the sentence names file, row and column."""


class AudioError(ZestError):
    """Bytes that are no playable sound."""


class NotSound(AudioError):
    """What came is no sound at all."""


class ProjectError(ZestError):
    """The project folder cannot be opened, or was written by a newer program."""


class NotEnoughData(ZestError):
    """A figure cannot be computed from what there is; says what is missing."""


class SynthesisFailure(ZestError):
    """An engine did not deliver a usable clip.

    kind: one of FAILURE_KINDS. retry_after_s: seconds the service asked to wait, if any. of_key: it is about the key,
    so that every further request would fail alike. stops: so would they for another reason, which ``what`` names. was:
    the kind that it would have had before the request was taken in. ``what`` is for people alone: it is in their
    language.
    """

    def __init__(
        self,
        kind: str,
        what: str,
        *,
        retry_after_s: float | None = None,
        of_key: bool = False,
        stops: bool = False,
        was: str = "",
    ) -> None:
        if kind not in FAILURE_KINDS:
            raise ValueError(kind)
        self.kind, self.retry_after_s, self.of_key = kind, retry_after_s, of_key
        self.was, self.stops = was or kind, stops
        super().__init__(what)

    @property
    def may_be_billed(self) -> bool:
        """Whether the service may have billed the text all the same: it is never sent again unasked."""
        return self.kind in MAY_BE_BILLED

    def in_words(self, what: str) -> SynthesisFailure:
        """The same failure, said otherwise."""
        return SynthesisFailure(self.kind, what, retry_after_s=self.retry_after_s, of_key=self.of_key, stops=self.stops,
                                was=self.was)  # fmt: skip

    def taken_in(self) -> SynthesisFailure:
        """The same failure after the service had taken the request in: whatever it is called, it may be billed."""
        kind = self.kind if self.may_be_billed else "taken in"
        what = self.what if self.may_be_billed else tr(
            "{what} The service had taken the text in, and may bill it.", what=self.what)  # fmt: skip
        return SynthesisFailure(kind, what, retry_after_s=self.retry_after_s, of_key=self.of_key, stops=self.stops,
                                was=self.kind)  # fmt: skip


FAILURE_KINDS = {
    "refused": "refused",
    "limited": tr("limit reached"),
    "no allowance": tr("allowance used up"),
    "bad text": tr("text not accepted"),
    "bad voice": tr("voice not known"),
    "timed out": "timed out",
    "broken sound": "broken sound",
    "wrong content": "not sound",
    "unreachable": tr("not reached"),
    "broke off": tr("connection broke off"),
    "server error": "server error",
    "taken in": tr("taken in, then failed"),
    "program": tr("program failed"),
}


# failures after which the service may have billed the text
MAY_BE_BILLED: Final = ("timed out", "broken sound", "wrong content", "broke off", "server error", "taken in")


class Cancelled(Exception):
    """Long work was stopped on request."""
