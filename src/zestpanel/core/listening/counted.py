"""Numbers of what tests are made of, in words."""

from __future__ import annotations

from zestpanel.core.texts import trn


def counted(n: int, what: str) -> str:
    """'1 listener', '2 listeners'; what: listener, passage, kind of text, pair or answer."""
    return {
        "listener": trn("{n} listener", "{n} listeners", n, n=n),
        "passage": trn("{n} passage", "{n} passages", n, n=n),
        "kind of text": trn("{n} kind of text", "{n} kinds of text", n, n=n),
        "pair": trn("{n} pair", "{n} pairs", n, n=n),
        "answer": trn("{n} answer", "{n} answers", n, n=n),
    }[what]
