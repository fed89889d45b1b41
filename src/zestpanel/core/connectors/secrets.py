"""Keys: from the environment or the desktop's key store, never from or into a project."""

from __future__ import annotations

import contextlib
import os
import re
import time
from typing import Final

from zestpanel.core.errors import SynthesisFailure

MASK = "••••"
_STORE = "zestpanel"


def environment_name(secret: str) -> str:
    """'limonaia key' -> 'ZEST_SECRET_LIMONAIA_KEY'."""
    return "ZEST_SECRET_" + re.sub(r"[^A-Za-z0-9]+", "_", secret).upper()


# keys of this session only, where the desktop has no key store: never written anywhere
_session: dict[str, str] = {}
_looked: dict[str, tuple[float, bool]] = {}
_FRESH_S: Final = 30.0


def _stored(secret: str) -> str | None:
    try:
        import keyring

        return keyring.get_password(_STORE, secret)
    except Exception:  # a missing or locked key store is the same as no key
        return None


def find_secret(secret: str) -> str:
    """The key's value: from the environment, this session, or the key store.

    Raises SynthesisFailure('refused') naming the key and where it was looked for.
    """
    value = os.environ.get(environment_name(secret)) or _session.get(secret) or _stored(secret)
    if not value:
        raise SynthesisFailure(
            "refused",
            f"The key '{secret}' is missing: it is neither in the key store nor in {environment_name(secret)}.",
        )
    return value


def has_secret(secret: str) -> bool:
    """Whether the key is known. May ask the key store, which may be slow or ask back: not on the interface thread."""
    if os.environ.get(environment_name(secret)) or secret in _session:
        return True
    at, found = _looked.get(secret, (-_FRESH_S, False))
    if time.monotonic() - at > _FRESH_S:
        found = bool(_stored(secret))
        _looked[secret] = (time.monotonic(), found)
    return found


def not_known_missing(secret: str) -> bool:
    """False when the last look found no key; the key store is not asked, so that this never waits."""
    if os.environ.get(environment_name(secret)) or secret in _session:
        return True
    return _looked.get(secret, (0.0, True))[1]


def keep_secret(secret: str, value: str) -> str:
    """Keep a key in the desktop's key store, or else in memory until the program ends. Says where it is."""
    try:
        import keyring

        keyring.set_password(_STORE, secret, value)
        if keyring.get_password(_STORE, secret) != value:
            raise RuntimeError("a key store that keeps nothing")
    except Exception:  # no key store, or locked: the person is told what happens instead
        _session[secret] = value
        _looked.pop(secret, None)
        return (
            f"The key '{secret}' is kept until the program ends: this desktop has no key store that can be reached. "
            f"To have it every time, set {environment_name(secret)} in the environment."
        )
    _looked.pop(secret, None)
    return f"The key '{secret}' is kept in this desktop's key store."


def forget_secret(secret: str) -> None:
    """Take a key out of the session and the key store."""
    _session.pop(secret, None)
    _looked.pop(secret, None)
    with contextlib.suppress(Exception):  # it was not there, or there is no store
        import keyring

        keyring.delete_password(_STORE, secret)


def masked(text: str, secrets: tuple[str, ...]) -> str:
    """The text with every secret in it masked."""
    for secret in secrets:
        if secret:
            text = text.replace(secret, MASK)
    return text


def expand_environment(text: str) -> str:
    """Replace ${NAME} by the environment's value. Raises SynthesisFailure('unreachable') when it is not set."""

    def value(match: re.Match[str]) -> str:
        found = os.environ.get(match.group(1))
        if found is None:
            raise SynthesisFailure("unreachable", f"The variable {match.group(1)} of the connector file is not set.")
        return found

    return re.sub(r"\$\{([A-Za-z_][A-Za-z0-9_]*)\}", value, text)
