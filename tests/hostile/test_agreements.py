"""What is shown before it is agreed to is all that happens, and nothing else."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import tone
from tests.core.test_connector_kinds import ASKED, made
from tests.core.test_strangers import speak
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.agreed import agree, agree_to_prices, before, missing, uses_of
from zestpanel.core.connectors.agreements import agreements_file, read
from zestpanel.core.connectors.hosts import origin_of
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.signs import harmless, harmless_json, visible

pytestmark = [pytest.mark.stranger, pytest.mark.usefixtures("own_settings")]

# signs that nobody sees, or that turn others round (Unicode: general categories Cc, Cf, Zl, Zp, Co, Cn; UAX 9; tags)
UNSEEN = ["\x1b", "\x07", "\x85", "\u200b", "\u202e", "\u2066", "\u2028", "\ufeff", "\u00ad", "\u3164", "\u2800",
          "\U000e0041", "\ue000", "\ud800", "\u00a0", "\ufe0f"]  # fmt: skip


@pytest.mark.parametrize("sign", UNSEEN)
def test_every_sign_of_what_is_agreed_to_is_seen(sign: str) -> None:
    engine = made({"kind": "command", "arguments": ["true", f"a{sign}b"]}) if sign != "\ud800" else None
    words = uses_of(engine)[0].words if engine else visible(f"a{sign}b")
    assert f"a[U+{ord(sign):04X}]b" in words


def test_an_end_of_a_line_is_a_sign_and_plain_letters_stay() -> None:
    words = uses_of(made({"kind": "command", "arguments": ["true", "Zoë liest\nрусский 日本"]}))[0].words
    assert "'Zoë liest⏎русский 日本'" in words


def test_a_long_line_is_shown_whole_or_refused() -> None:
    tail = "; rm everything"
    assert tail in uses_of(made({"kind": "command", "arguments": ["true", "x" * 15_000 + tail]}))[0].words
    with pytest.raises(SynthesisFailure, match="more than anybody reads"):
        uses_of(made({"kind": "command", "arguments": ["true", "x" * 25_000 + tail]}))


def test_a_terminal_is_given_no_sign_that_it_obeys() -> None:
    assert harmless("a\x1b]0;title\x07\tb\nc\u202ed") == "a[U+001B]]0;title[U+0007]\tb\nc[U+202E]d"
    written = harmless_json(json.dumps({"name": "a\x9b\u202e\U000e0041ß"}, ensure_ascii=False))
    assert json.loads(written) == {"name": "a\x9b\u202e\U000e0041ß"}
    assert "\x9b" not in written
    assert "\U000e0041" not in written


# -- the program that is shown is the one that runs


def says(folder: Path, name: str, clip: Path) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    program = folder / name
    program.write_text(f"#!/bin/sh\ncat {clip}\n")
    program.chmod(0o755)
    return program


@pytest.fixture
def clips(tmp_path: Path) -> tuple[Path, Path]:
    for number in (1, 2):
        write_wav(tmp_path / f"{number}.wav", tone(220, -12, number / 2, 16_000))
    return tmp_path / "1.wav", tmp_path / "2.wav"


def test_the_program_shown_is_found_with_the_files_own_path(
    tmp_path: Path, clips: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """execvp(3) looks in the PATH that the program is given, which its file may state."""
    usual, other = says(tmp_path / "usual", "speaks", clips[0]), says(tmp_path / "other", "speaks", clips[1])
    monkeypatch.setenv("PATH", f"{usual.parent}:{os.environ['PATH']}")
    path = f"{other.parent}:{os.environ['PATH']}"
    engine = made({"kind": "command", "arguments": ["speaks", "--", "{text}"], "environment": {"PATH": path}})
    assert str(other) in uses_of(engine)[0].words
    agree(engine)
    assert speak(engine) == pytest.approx(1.0, abs=0.01)


def test_a_program_that_was_replaced_is_asked_about_anew(tmp_path: Path, clips: tuple[Path, Path]) -> None:
    program = says(tmp_path / "Of others.zest" / "bin", "speaks", clips[0])
    engine = made({"kind": "command", "arguments": [str(program), "{text}"]})
    assert "whoever gives you the project can change" in uses_of(engine)[0].words
    agree(engine)
    assert speak(engine) == pytest.approx(0.5, abs=0.01)
    says(program.parent, "speaks", clips[1])
    assert len(missing(engine)) == 1
    assert len(before(engine)) == 1
    with pytest.raises(SynthesisFailure, match="nobody has agreed"):
        speak(engine)


def test_a_script_that_an_interpreter_runs_is_part_of_it(tmp_path: Path, clips: tuple[Path, Path]) -> None:
    script = says(tmp_path / "tools", "speaks.sh", clips[0])
    engine = made({"kind": "command", "arguments": ["sh", "speaks.sh"], "directory": str(script.parent)})
    agree(engine)
    assert not missing(engine)
    says(script.parent, "speaks.sh", clips[1])
    assert missing(engine)


def test_a_program_that_was_not_found_is_not_taken_from_its_directory(tmp_path: Path, clips: tuple[Path, Path]) -> None:
    says(tmp_path / "Of others.zest", "speaks-as-none", clips[0])
    engine = made({"kind": "command", "arguments": ["speaks-as-none"], "directory": str(tmp_path / "Of others.zest")})
    agree(engine)
    with pytest.raises(SynthesisFailure, match="'speaks-as-none' was not found"):
        speak(engine)


@pytest.mark.parametrize(("arguments", "more"), [
    (["{voice}", "{text}"], {}), (["./speaks", "{text}"], {"directory": "{output_folder}"}),
    (["true", "a\0b"], {}), (["true"], {"environment": {"A": "\0"}}), (["true"], {"directory": "/\0"}),
])  # fmt: skip
def test_a_program_that_cannot_be_told_is_refused(arguments: list[str], more: dict[str, Any]) -> None:
    with pytest.raises(SynthesisFailure, match=r"leaves open|made for each text|no program can be given"):
        uses_of(made({"kind": "command", "arguments": arguments, **more}))


# -- hosts


@pytest.mark.parametrize("address", ["https://api.{region}.com/", "https://{region}.co.uk/", "https://{a}.{b}.com/"])
def test_a_registered_domain_is_never_open(address: str) -> None:
    """The Public Suffix List: com and co.uk are suffixes under which anybody may have a name."""
    with pytest.raises(SynthesisFailure, match="leaves open which host"):
        uses_of(made({"address": address}))


def test_a_place_in_a_host_is_agreed_to_with_its_values() -> None:
    region = {"name": "region", "kind": "choice", "choices": ["north", "south"], "default": "north"}
    speak = {"address": "https://{region}.voices.example/", "secret": "", "headers": {}}
    with pytest.raises(SynthesisFailure, match="no setting with choices"):
        uses_of(made(speak))
    engine = made(speak, controls=[region])
    assert any("({region}: north, south)" in use.words for use in uses_of(engine))
    agree(engine)
    assert not missing(engine)
    assert missing(made(speak, controls=[{**region, "choices": ["north", "evil"]}]))
    from dataclasses import replace

    connector = open_connector(engine)
    with pytest.raises(SynthesisFailure, match="host that was not agreed to"):
        connector.speak(replace(ASKED, settings={"region": "evil"}))


def test_a_host_in_other_letters_is_shown_in_ascii() -> None:
    """A Cyrillic letter that looks like a Latin one, held against Python's own codec (RFC 3490)."""
    host = "\u0430pi.example"
    assert origin_of(f"https://{host}/") == f"https://{host.encode('idna').decode()}:443" != "https://api.example:443"
    for odd in ("https://xn--/", "https://xn--\u0430/", "https://a\u202e.example/"):
        with pytest.raises(SynthesisFailure, match="no web address"):
            origin_of(odd)


def test_a_proxy_that_reads_the_key_is_named_with_it() -> None:
    open_way = uses_of(made({"address": "http://voices.example/", "proxy": "http://p.example:3128"}))
    assert any(use.kind == "key" and "the proxy http://p.example:3128 reads both" in use.words for use in open_way)
    sealed = uses_of(made({"address": "https://voices.example/", "proxy": "http://p.example:3128"}))
    assert not any("reads both" in use.words for use in sealed)


# -- prices, which caps count by


def priced(price: str) -> Engine:
    plan = {"name": "Pay", "tariff": {"currency": "EUR", "components": [
        {"kind": "per unit", "unit": "character", "price": price, "per": "1000000"}]}}  # fmt: skip
    return made({"address": "https://voices.example/"}, plans=[plan])


def test_a_price_that_changes_is_another_agreement_and_one_typed_here_is_none() -> None:
    assert any("16.00" in use.words for use in uses_of(priced("16")) if use.kind == "prices")
    agree(priced("16"))
    assert not missing(priced("16"))
    assert [use.kind for use in missing(priced("0"))] == ["prices"]
    agree_to_prices(priced("12"))
    assert not missing(priced("12"))


# -- where it is kept


def test_agreements_made_at_once_are_all_kept() -> None:
    code = (
        "import sys\n"
        "from tests.core.test_connector_kinds import made\n"
        "from zestpanel.core.connectors.agreed import agree\n"
        "for n in range(10):\n"
        "    agree(made({'address': f'https://{sys.argv[1]}{n}.example/', 'secret': '', 'headers': {}}))"
    )
    programs = [subprocess.Popen([sys.executable, "-c", code, letter]) for letter in "abcd"]
    assert [program.wait(120) for program in programs] == [0] * 4
    hosts = [name for name in read() if name.startswith("host ")]
    assert len(hosts) == 40


def test_a_pipe_or_a_place_that_cannot_be_written_is_one_sentence(own_settings: Path) -> None:
    engine = made({"address": "https://voices.example/"})
    agreements_file().parent.mkdir(parents=True)
    os.mkfifo(agreements_file())
    assert missing(engine)  # and does not hang
    agree(engine)  # takes the pipe's place
    assert not missing(engine)
    other = own_settings.with_name("other")
    other.write_text("no folder")
    os.environ["XDG_CONFIG_HOME"] = str(other)
    with pytest.raises(InputError, match=r"cannot be written .* stays as it was"):
        agree(engine)
