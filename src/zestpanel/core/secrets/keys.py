"""Keys: from the environment or the desktop's key store, never from or into a project."""

from __future__ import annotations

import contextlib
import os
import time
from typing import Final

from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.masking import environment_name, note_key
from zestpanel.core.texts import tr

_STORE = "zestpanel"


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

    Raises SynthesisFailure('refused') naming the key and where it was looked for, or that no request can carry it.
    """
    value = os.environ.get(environment_name(secret)) or _session.get(secret) or _stored(secret)
    if not value:
        raise SynthesisFailure(
            "refused",
            tr(
                "The key '{secret}' is missing: it is neither in the key store nor in {environment_name}.",
                secret=secret,
                environment_name=environment_name(secret),
            ),
            of_key=True,
        )
    note_key(value)
    if why := cannot_be_sent(value):
        raise SynthesisFailure(
            "refused", tr("The key '{secret}' {why}. Nothing was sent.", secret=secret, why=why), of_key=True
        )
    return value


def cannot_be_sent(value: str) -> str:
    """Why no request can carry a key, '' when one can: header values are visible ASCII (RFC 9110, 5.5)."""
    if not value.strip():
        return tr("is empty")
    if any(sign in value for sign in "\r\n\t") or value != value.strip():
        return tr("has a line end, a tab or a blank at its end, which came along when it was copied")
    if not (value.isascii() and value.isprintable()):
        return tr("has a sign that keys do not have: letters without accents, digits and plain signs only")
    return ""


def has_secret(secret: str) -> bool:
    """Whether the key is known. May ask the key store, which may be slow or ask back: not on the interface thread."""
    if os.environ.get(environment_name(secret)) or secret in _session:
        return True
    at, found = _looked.get(secret, (-_FRESH_S, False))
    if time.monotonic() - at > _FRESH_S:
        found = bool(_stored(secret))
        _looked[secret] = (time.monotonic(), found)
    return found


def is_kept(secret: str) -> bool:
    """Whether a key is in the key store, or in memory until the program ends; those of the environment are not ours.
    May ask the key store: not on the interface thread."""
    return secret in _session or bool(_stored(secret))


def not_known_missing(secret: str) -> bool:
    """False when the last look found no key; the key store is not asked, so that this never waits."""
    if os.environ.get(environment_name(secret)) or secret in _session:
        return True
    return _looked.get(secret, (0.0, True))[1]


def keep_secret(secret: str, value: str) -> str:
    """Keep a key in the desktop's key store, or else in memory until the program ends. Says where it is.

    Raises InputError for one that no request could carry.
    """
    if why := cannot_be_sent(value):
        raise InputError(
            tr("The key '{secret}' {why}.", secret=secret, why=why),
            kept=tr("No key was changed."),
            remedy=tr("Copy it again without that."),
        )
    note_key(value)
    try:
        import keyring

        keyring.set_password(_STORE, secret, value)
        if keyring.get_password(_STORE, secret) != value:
            raise RuntimeError(tr("a key store that keeps nothing"))
    except Exception:  # no key store, or locked: the person is told what happens instead
        _session[secret] = value
        _looked.pop(secret, None)
        return tr(
            "The key '{secret}' is kept until the program ends: this desktop has no key store that "
            "can be reached. To have it every time, set {environment_name} in the environment.",
            secret=secret,
            environment_name=environment_name(secret),
        )
    _looked.pop(secret, None)
    return tr("The key '{secret}' is kept in this desktop's key store.", secret=secret)


def forget_secret(secret: str) -> None:
    """Take a key out of the session and the key store."""
    _session.pop(secret, None)
    _looked.pop(secret, None)
    with contextlib.suppress(Exception):  # it was not there, or there is no store
        import keyring

        keyring.delete_password(_STORE, secret)
