"""What bytes are, told from their content: kinds of sound, a WAV's layout, what came instead of sound."""

from __future__ import annotations

import re
from codecs import getincrementaldecoder
from html import unescape
from typing import Final, Literal

from zestpanel.core.texts import tr

_SIGNATURES: tuple[tuple[bytes, int, str], ...] = (
    (b"WAVE", 8, "wav"),
    (b"fLaC", 0, "flac"),
    (b"OggS", 0, "ogg"),
    (b"ID3", 0, "mp3"),
    (b"\xff\xfb", 0, "mp3"),
    (b"\xff\xf3", 0, "mp3"),
    (b"\xff\xf2", 0, "mp3"),
    (b"ftyp", 4, "m4a"),
    (b"AIFF", 8, "aiff"),
    (b"\x1a\x45\xdf\xa3", 0, "webm"),
    (b".snd", 0, "au"),
    (b"RF64", 0, "wav"),
    # frames of AAC with heads of their own (ADTS: twelve bits set, the layer 0; ISO/IEC 13818-7, 6.2)
    (b"\xff\xf1", 0, "aac"),
    (b"\xff\xf9", 0, "aac"),
    (b"\xff\xf0", 0, "aac"),
    (b"\xff\xf8", 0, "aac"),
)


def kind_of_sound(data: bytes) -> str | None:
    """File kind by content, None when it is no known sound. 'm4a' and 'webm' stand for video with sound, too."""
    for mark, offset, kind in _SIGNATURES:
        if data[offset : offset + len(mark)] == mark:
            return kind
    return None


def kind_of_text(data: bytes) -> Literal["web page", "JSON", "XML", ""]:
    """By how the bytes begin; '' where they seem to be no text."""
    head = data[:512].lstrip().lower()
    if head.startswith((b"<!doctype html", b"<html")):
        return "web page"
    if head.startswith((b"{", b"[")):
        return "JSON"
    return "XML" if head.startswith(b"<") else ""


def text_in(data: bytes, most: int) -> str:
    """The beginning of what bytes say, in one line and without the tags of a page; '' for what is no text.

    UTF-8, or what is nearly all ASCII and then taken for Latin-1. most: characters.
    """
    head = data[: 40 * most]
    try:
        text = getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        if sum(byte < 0x80 for byte in head) < _PLAIN_SHARE * len(head):
            return ""
        text = head.decode("latin-1")
    if any(ord(sign) < 0x20 and not sign.isspace() for sign in text):
        return ""
    if kind_of_text(data) == "web page":
        text = unescape(_TAGS.sub(" ", text))
    return "".join(sign for sign in " ".join(text.split()) if sign.isprintable())[:most]


_PLAIN_SHARE: Final = 0.85
_TAGS: Final = re.compile(r"<(script|style)\b.*?</\1>|<[^>]*>", re.IGNORECASE | re.DOTALL)


def describe_bytes(data: bytes) -> str:
    """A few words on what bytes that are no sound seem to be, for an error sentence."""
    if not data:
        return tr("nothing at all")
    match kind_of_text(data):
        case "web page":
            return tr("a web page")
        case "JSON":
            return tr("JSON text")
        case "XML":
            return tr("XML text")
    others = ((b"PK\x03\x04", tr("a zip archive")), (b"#EXTM3U", tr("a list of addresses to play")),
              (b"\x1f\x8b", tr("packed data (gzip)")), (b"%PDF", "PDF"), (b"\x89PNG", tr("a picture")))  # fmt: skip
    if other := next((words for mark, words in others if data.startswith(mark)), ""):
        return other
    if text_in(data, 200):
        return tr("plain text")
    return tr("something that is no known sound file (it begins with {hex})", hex=data[:8].hex(" "))


def wav_data_bytes(data: bytes) -> tuple[int, int] | None:
    """(where the sample bytes of a WAV begin, how many its header declares), or None before that is known.

    Follows the chunk layout of the Resource Interchange File Format (RIFF, 1991). Streams that do
    not know their length declare 0xFFFFFFFF or 0.
    """
    if len(data) < 12 or data[:4] != b"RIFF" or data[8:12] != b"WAVE":
        return None
    place = 12
    while place + 8 <= len(data):
        name, size = data[place : place + 4], int.from_bytes(data[place + 4 : place + 8], "little")
        if name == b"data":
            return place + 8, size
        place += 8 + size + (size & 1)
    return None


def is_cut_off(data: bytes) -> bool:
    """True when a WAV's header declares more sample bytes than there are (and is not a stream's header)."""
    found = wav_data_bytes(data)
    if found is None:
        return False
    start, declared = found
    return not _is_open(declared) and len(data) - start < declared


def wrong_length(data: bytes) -> str:
    """A sentence where a WAV's header promises more or less sound than there is, '' where the two agree."""
    if is_cut_off(data):
        return tr("The sound is cut off: its header promises more than came.")
    found = wav_data_bytes(data)
    if found is None or _is_open(found[1]):
        return ""
    place = sum(found) + (found[1] & 1)
    while len(data) - place >= 8 and any(data[place:]):  # what follows is chunks of notes, or a filling of zeros
        name, size = data[place : place + 4], int.from_bytes(data[place + 4 : place + 8], "little")
        if name in (b"RIFF", b"data") or not name.isascii() or place + 8 + size > len(data):
            return tr("Behind the sound that its header tells of, more follows: part of it would not be heard.")
        place += 8 + size + (size & 1)
    return ""


# programs that cannot know the length write 0, or as much as fits the field, or nearly so (common practice, no source)
_ENDLESS: Final = 0x7FFF0000


def _is_open(declared: int) -> bool:
    return declared == 0 or declared >= _ENDLESS


def with_true_sizes(data: bytes) -> bytes:
    """A WAV that does not know its length with the length it has; anything else as it is."""
    found = wav_data_bytes(data) if data[:4] == b"RIFF" else None
    if found is None or not _is_open(found[1]) or len(data) == found[0]:
        return data
    size = len(data) - found[0]
    return (data[:4] + (len(data) - 8).to_bytes(4, "little") + data[8 : found[0] - 4] + size.to_bytes(4, "little")
            + data[found[0] :])  # fmt: skip


_PLAIN: Final = frozenset({1, 3, 6, 7})  # samples as integers, floats, A-law, mu-law (RFC 2361)


def is_plain_wav(data: bytes) -> bool:
    """A WAV whose samples stand in it as they are: nothing of it has to be unpacked."""
    found = wav_data_bytes(data)
    place = data.find(b"fmt ", 12, found[0] if found else 0)
    if found is None or place < 0 or len(data) < place + 34:
        return False
    form = int.from_bytes(data[place + 8 : place + 10], "little")
    if form == 0xFFFE:  # its form stands in the first two bytes of the sub-format (WAVEFORMATEXTENSIBLE)
        form = int.from_bytes(data[place + 32 : place + 34], "little")
    return form in _PLAIN
