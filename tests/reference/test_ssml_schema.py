"""Our schema of SSML compared with the W3C's own definition of the same elements: those that VoiceXML 2.1 takes over
from SSML 1.0, in the DTD of that Recommendation (``w3c/vxml.dtd``, from the W3C's SGML library, with its notice)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from lxml import etree

from zestpanel.core.text.standards.schema import departure

SSML = "http://www.w3.org/2001/10/synthesis"
DEFINED = {one.name: one for one in etree.DTD(Path(__file__).parent / "w3c" / "vxml.dtd").elements()}
SHARED = ("audio", "break", "desc", "emphasis", "lexicon", "mark", "meta", "metadata", "p", "phoneme", "prosody", "s",
          "say-as", "sub", "voice")  # fmt: skip
DIALOGUE_ONLY = {"expr", "nameexpr", "fetchhint", "fetchtimeout", "maxage", "maxstale"}  # of VoiceXML alone
# a value of each kind; where the DTD lists values all of them are tried
VALUES = {
    "time": "1s", "duration": "1s", "xml:lang": "en", "uri": "a.pls", "age": "30", "variant": "1", "src": "a.wav",
    "ph": "a", "alias": "b", "interpret-as": "date", "name": "n", "content": "c", "alphabet": "ipa", "pitch": "high",
    "rate": "fast", "volume": "loud", "range": "x-low", "contour": "(0%,+20Hz)", "format": "mdy", "detail": "1",
    "type": "application/pls+xml", "http-equiv": "x",
}  # fmt: skip
# what prose says and a DTD cannot: SSML 1.1, 3.1.4 (an id), 3.1.5 (one of two), 3.3.2 (a name)
ALSO = {"lexicon": {"xml:id": "i"}, "meta": {"name": "n"}, "mark": {"name": "n"}}


def attributes(name: str) -> dict[str, Any]:
    return {f"{one.prefix}:{one.name}" if one.prefix else one.name: one for one in DEFINED[name].attributes()}


def least(name: str) -> dict[str, str]:
    needed = {key: VALUES[key] for key, one in attributes(name).items() if one.default == "required"}
    return {**needed, **ALSO.get(name, {})}


def within(content: Any) -> set[str]:
    """Names of what a content model holds; '' for text."""
    if content is None:
        return set()
    own = {"element": {content.name}, "pcdata": {""}}.get(content.type, set())
    return own | within(content.left) | within(content.right)


def element(name: str, having: dict[str, str], inner: str = "") -> str:
    stated = "".join(f' {key}="{value}"' for key, value in having.items())
    return f"<{name}{stated}>{inner}</{name}>"


def taken(name: str, having: dict[str, str], inner: str = "") -> bool:
    one = element(name, having, inner)
    held = element("audio", {"src": "a.wav"}, one) if name == "desc" else one
    return departure(f'<speak version="1.1" xmlns="{SSML}" xml:lang="en">{held}</speak>', "ssml-1.1", SSML) is None


@pytest.mark.parametrize("name", SHARED)
def test_an_element_has_the_attributes_and_the_content_that_the_w3c_gives_it(name: str) -> None:
    assert taken(name, least(name))
    for key, one in attributes(name).items():
        if key in DIALOGUE_ONLY:
            continue
        for value in one.values() or [VALUES[key]]:
            assert taken(name, {**least(name), key: value}), f"{key}={value}"
        if one.default == "required":
            assert not taken(name, {k: v for k, v in least(name).items() if k != key}), f"without {key}"
    if DEFINED[name].type == "any":
        return
    holds = within(DEFINED[name].content)
    assert taken(name, least(name), "words") is ("" in holds)
    for other in SHARED:
        assert taken(name, least(name), element(other, least(other))) is (other in holds), other
