"""What a lead writes to listeners elsewhere, in their language, to be copied into a letter; and links as pictures."""

from __future__ import annotations

from zestpanel.core.listening.told import Told


def invitation(told: Told, name: str, link: str, minutes: int) -> str:
    return told.raw("invite").format(name=name, link=link, minutes=minutes)


def call(told: Told, link: str, minutes: int) -> str:
    """To many at once, for a link by which they come of themselves."""
    return told.say("invite_all", link=link, minutes=minutes)


def reminder(told: Told, name: str, link: str, done: int, total: int) -> str:
    return told.raw("remind").format(name=name, link=link, done=done, total=total)


def squares(link: str) -> tuple[tuple[bool, ...], ...]:
    """The link as a QR code (ISO/IEC 18004, error correction M), rows of dark or light modules with the quiet zone of
    four."""
    import segno

    code = segno.make(link, error="m", micro=False)
    return tuple(tuple(bool(dark) for dark in row) for row in code.matrix_iter(border=4))
