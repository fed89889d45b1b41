"""No key leaves in what is said, shown or kept: in no writing, and not in pieces."""

from __future__ import annotations

import base64
import html
import json
import re
import socket
from html.entities import html5
from urllib.parse import quote, quote_plus, urlencode

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_connector_kinds import ASKED, ask, made, raw_server, saying, wav
from zestpanel.core.catalogue.reaching import HttpSpeak
from zestpanel.core.connectors.http.asking import filled
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.templates import values_of
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.keys import keep_secret
from zestpanel.core.secrets.masking import MASK, holds_key, masked, note_key, without_keys

ODD_KEY = "k3y+/=&\"<'% é~"  # signs that every writing treats in its own way
KEY = "sk+4f/9a==Zx&7Q"

NAMES: dict[str, str] = {sign: f"&{name.rstrip(';')};" for name, sign in html5.items() if len(sign) == 1}

# the writers are those of the standard library, each after its standard (RFC 3986, 4648, 8259; WHATWG HTML)
WRITERS = {
    "as it is": str,
    "in an address": lambda key: quote(key, safe=""),
    "in a path": quote,
    "in a form": quote_plus,
    "in an address in an address": lambda key: quote(quote(key, safe=""), safe=""),
    "in a query": lambda key: urlencode({"k": key}),
    "in JSON": json.dumps,
    "in a page": html.escape,
    "in base64": lambda key: base64.b64encode(key.encode()).decode(),
    "in base64 for addresses": lambda key: base64.urlsafe_b64encode(key.encode()).decode(),
    "as a user's word of passage": lambda key: base64.b64encode(f"user:{key}".encode()).decode(),
    "with a longer name": lambda key: base64.b64encode(f"an-app:{key}:1".encode()).decode(),
    "in Python": repr,
    "in hexadecimal": lambda key: key.encode().hex(),
    "in capitals of hexadecimal": lambda key: key.encode().hex().upper(),
    # other producers' ways, each allowed by the same standards
    "in JSON with slashes escaped": lambda key: json.dumps(key).replace("/", "\\/"),
    "in JSON by numbers": lambda key: "".join(f"\\u{ord(sign):04x}" for sign in key),
    "in JSON by capital numbers": lambda key: "".join(f"\\u{ord(sign):04X}" for sign in key),
    "in JSON in JSON": lambda key: json.dumps(json.dumps(key)),
    "in small letters of percent": lambda key: "".join(f"%{byte:02x}" for byte in key.encode()),
    "in a page by numbers": lambda key: "".join(f"&#{ord(sign)};" for sign in key),
    "in a page by hexadecimal numbers": lambda key: "".join(f"&#X{ord(sign):X};" for sign in key),
    "in a page by names": lambda key: "".join(NAMES.get(sign, sign) for sign in key),
    "in a page in a page": lambda key: html.escape(html.escape(key)),
    "over two lines": lambda key: f"{key[:7]}\r\n    {key[7:]}",
    "over two lines of JSON": lambda key: json.dumps(f"{key[:7]}\n{key[7:]}"),
    "in quoted-printable": lambda key: f"{key[:6]}=\n{key[6:]}",
    "in base64 over lines": lambda key: "\n".join(re.findall(".{1,8}", base64.b64encode(key.encode()).decode())),
}


@pytest.mark.parametrize("at", range(1, 15))
def test_a_key_in_two_chunks_leaves_less_than_its_half(at: int) -> None:
    key = "0123456789abcdef"
    left = masked(f"first {key[:at]}", (key,)) + masked(f"{key[at:]} last", (key,))
    assert len(left.replace(MASK, "").replace("first ", "").replace(" last", "")) < len(key) / 2


@given(st.text(max_size=300))
def test_what_holds_no_key_stays_as_it_is(text: str) -> None:
    assert masked(text, ("sk-live-0123456789",)) == text


@pytest.mark.parametrize("way", WRITERS)
@pytest.mark.parametrize("key", [KEY, ODD_KEY])
def test_every_writing_is_masked(way: str, key: str) -> None:
    written = WRITERS[way](key)
    said = f"you sent {written} to us"
    assert holds_key(said, key)
    left = masked(said, (key,))
    assert MASK in left
    # nothing of it can be read back: not its longer half in any alphabet
    half = written[len(written) // 4 : -len(written) // 4 or None]
    assert half not in left


@given(st.binary(min_size=10, max_size=40), st.text(max_size=12), st.text(max_size=12))
def test_base64_is_masked_wherever_the_key_begins(raw: bytes, before: str, after: str) -> None:
    key = base64.b32encode(raw).decode()
    written = base64.b64encode(f"{before}{key}{after}".encode()).decode()
    left = masked(written, (key,))
    assert MASK in left
    # at most the sign that the key shares with its neighbour stays on either side
    assert len(left.replace(MASK, "")) <= 4 * (len(before.encode()) + len(after.encode()) + 4) / 3 + 4


def test_a_key_is_masked_before_what_holds_it_is_cut() -> None:
    note_key(KEY)
    for place in range(60, 81):
        said = "x" * place + KEY + "y" * 200
        assert not any(KEY[:n] in without_keys(said, 80) for n in range(4, len(KEY)))


@pytest.fixture
def key(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", KEY)


@pytest.mark.parametrize("way", WRITERS)
def test_what_a_service_says_shows_no_key(key: None, way: str) -> None:
    """In the sentence of a failure, and in what it calls its voice."""
    written = WRITERS[way](KEY)
    for pad in (0, 185):  # across the place where the sentence is cut
        body = ("p" * pad + written).encode()
        with raw_server(saying(body, status="400 Bad Request")) as address, pytest.raises(SynthesisFailure) as caught:
            ask({"address": address})
        assert not holds_key(caught.value.what, KEY)
        assert not any(written[n : n + 8] in caught.value.what for n in range(4, max(5, len(written) - 12)))
    if "\n" in written:  # no line of a head holds one
        return
    with raw_server(saying(wav(bytes(4000)), f"X-Voice: {written}")) as address:
        assert not holds_key(ask({"address": address, "reply": {"voice_used": "header X-Voice"}}).voice_used, KEY)


@pytest.mark.parametrize("way", ["as it is", "in an address", "in base64", "in an address in an address"])
def test_no_writing_of_a_key_travels_to_another_host(key: None, way: str) -> None:
    seen: list[bytes] = []

    def elsewhere(head: bytes, connection: socket.socket) -> None:
        seen.append(head)
        saying(wav(bytes(4000)))(head, connection)

    written = WRITERS[way](KEY)
    with raw_server(elsewhere) as other:
        to = f"{other}/?{written}"
        with raw_server(saying(b"", f"Location: {to}", status="303 See Other")) as address, \
                pytest.raises(SynthesisFailure, match="not sent there"):  # fmt: skip
            ask({"address": address, "query": {"k": "{secret}"}})
        with raw_server(saying(json.dumps({"at": to}).encode())) as address, \
                pytest.raises(SynthesisFailure, match="not sent there"):  # fmt: skip
            ask({"address": address, "reply": {"audio": "link at"}})
    assert not seen


def test_a_program_shows_no_key_it_was_given(key: None) -> None:
    for code in (
        f"import sys; sys.stderr.write({'x' * 190 + KEY!r}); sys.exit(3)",
        f"print({KEY!r}); raise SystemExit",
    ):
        engine = made({"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", code, "{text}"]})
        connector = open_connector(engine)
        note_key(KEY)
        with pytest.raises(SynthesisFailure) as caught:
            connector.speak(ASKED)
        assert not any(KEY[:n] in caught.value.what for n in range(5, len(KEY)))


@pytest.mark.parametrize(
    "typed", ["", "  ", "abc\n", "abc\r\n", "a\tb", " abc", "schlüssel", "abc\u00a0", "a\u200bb", "a\0b"]
)
def test_a_key_that_no_request_can_carry_is_refused_when_it_is_entered(typed: str) -> None:
    with pytest.raises(InputError, match="No key was changed"):
        keep_secret("limonaia", typed)


def test_one_from_the_environment_is_refused_before_it_is_sent(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "abc\n")
    with pytest.raises(SynthesisFailure, match=r"line end.*Nothing was sent"):
        ask({"address": "http://127.0.0.1:9/"})


def test_a_form_without_files_has_just_its_fields() -> None:
    """RFC 7578: a part for each field, none without a name."""
    engine = made({"address": "http://127.0.0.1:9/", "body_as": "multipart", "body": {"text": "{text}", "n": 3}})
    assert isinstance(engine.speak, HttpSpeak)
    body = filled(engine.speak, values_of(ASKED), KEY).content or b""
    assert body.count(b"Content-Disposition: form-data") == 2
    assert b'name=""' not in body
    assert b"filename" not in body


def test_a_short_key_is_masked_as_a_word_and_leaves_other_words_alone() -> None:
    assert masked("the key 'ab' in a tab: k=ab&x=abc", ("ab",)) == f"the key '{MASK}' in a tab: k={MASK}&x=abc"
    assert not holds_key("a tab", "ab")
    assert masked("•••• and •", ("•",)).count("•") >= 4  # ends, whatever the key is
