"""The catalogue of texts: complete in every language, with the same places, and made of the code as it is."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from babel.plural import PluralRule
from hypothesis import given
from hypothesis import strategies as st

from tests import catalogue
from zestpanel.core.listening.scales import SCALES
from zestpanel.core.listening.told import Told, languages
from zestpanel.core.money.components import KINDS
from zestpanel.core.texts import language_of


@pytest.fixture(scope="module")
def code() -> set[catalogue.Key]:
    assert catalogue.hidden_from_extraction() == []
    return catalogue.keys(catalogue.in_the_code())


def _places(text: str) -> set[str]:
    return set(re.findall(r"(?<!\{)\{(\w*)[:}]", text.replace("{{", "")))


RELEASE = bool(os.environ.get("ZEST_RELEASE"))  # a text may be in English alone until a release


@pytest.mark.parametrize("language", catalogue.TRANSLATED)
def test_every_text_of_the_code_is_in_the_catalogue_with_its_places(language: str, code: set[catalogue.Key]) -> None:
    translated = catalogue.of(language)
    if RELEASE:
        assert catalogue.keys(translated) == code, "run: python -m tests.catalogue"
    wrong = []
    for message in translated:
        if not message.id:
            continue
        forms = [message.string] if isinstance(message.string, str) else list(message.string)
        ours = [message.id] if isinstance(message.id, str) else list(message.id)
        if not all(forms) or len(forms) != len(ours):
            wrong += [(message.id, "no words")] if RELEASE else []
        elif "{" in ours[0] and any(_places(a) != _places(b) for a, b in zip(ours, forms, strict=True)):
            wrong.append((message.id, "other places"))
        elif any(a.count("\n") != b.count("\n") or (a[-1:] == " ") != (b[-1:] == " ")
                 for a, b in zip(ours, forms, strict=True)):  # fmt: skip
            wrong.append((message.id, "other blanks at its ends"))
    assert wrong == []
    assert catalogue.compiled_file(language).read_bytes() == catalogue.compiled(translated)


def test_no_sentence_of_the_code_is_left_out_of_the_catalogue() -> None:
    assert catalogue.unmarked() == []


@pytest.mark.parametrize("language", [one for one in languages() if one != "en"])
def test_a_listener_is_asked_and_answers_in_their_language(language: str) -> None:
    """Every kind of test, every scale, and the booth's own words: none stays in English."""
    told, same = Told([f"{language}-XX"]), []
    assert told.language == language
    assert told.tr("Did it laugh?") == "Did it laugh?", "a question of the lead's own stands as it was written"
    for text in catalogue.said_to_listeners():
        said = told.tr(text)
        assert _places(said) == _places(text), text
        same += [text] if said == text else []
    assert set(same) <= {"No", "Excellent", "Pause", "Clip", "Second", "Imperceptible"}
    for name in SCALES:
        assert len({told.tr(words) for words in SCALES[name].steps.values()}) == len(SCALES[name].steps), name


@pytest.mark.parametrize("language", catalogue.TRANSLATED)
def test_plural_forms_are_those_of_unicode(language: str) -> None:
    """Against CLDR's plural rules, as Babel ships them: one form for what CLDR calls 'one', another for all else."""
    from babel import Locale

    cldr: PluralRule = Locale(language).plural_form
    said = catalogue.of(language).plural_expr
    of_gettext = re.sub(r"[();]", "", said).strip()
    for n in range(200):
        other = eval(of_gettext, {"n": n})
        assert bool(other) == (cldr(n) != "one")


@given(st.dictionaries(st.sampled_from(["ZEST_LANGUAGE", "LANGUAGE", "LC_ALL", "LANG"]), st.text(max_size=12)))
def test_any_environment_names_a_language_of_ours(environment: dict[str, str]) -> None:
    assert language_of(environment) in ("en", "de", "fr")


@pytest.mark.parametrize(
    ("environment", "language"),
    [
        ({}, "en"),
        ({"LANG": "C.UTF-8"}, "en"),
        ({"LANG": "de_AT.UTF-8"}, "de"),
        ({"LANG": "de_DE", "LC_ALL": "fr_FR.UTF-8"}, "fr"),
        ({"LANG": "fr_FR", "LANGUAGE": "nl:de:en"}, "de"),
        ({"LANG": "de_DE", "ZEST_LANGUAGE": "en"}, "en"),
    ],
)
def test_the_environment_is_read_as_gettext_reads_it(environment: dict[str, str], language: str) -> None:
    """GNU gettext manual, 2.3 Setting the locale through environment variables: LANGUAGE, LC_ALL, LC_MESSAGES, LANG."""
    assert language_of(environment) == language


def test_a_terminal_gets_the_same_lines_in_every_language() -> None:
    verb = [sys.executable, "-m", "zestpanel", "cost", "Nowhere.zest"]
    said = [subprocess.run(verb, env={"LANG": lang, "PATH": "/usr/bin"}, capture_output=True, text=True).stderr
            for lang in ("C.UTF-8", "de_DE.UTF-8")]  # fmt: skip
    assert said[0] == said[1] != ""


def test_what_happens_hangs_on_no_word_that_is_for_people(tmp_path: Path) -> None:
    def begun(language: str) -> subprocess.Popen[str]:
        run = [sys.executable, "-m", "tests.in_a_language", str(tmp_path / f"{language}.zest")]
        environment = {**os.environ, "ZEST_LANGUAGE": language, "XDG_CONFIG_HOME": str(tmp_path),
                       "HTTPS_PROXY": "http://127.0.0.1:9"}  # fmt: skip
        return subprocess.Popen(run, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)

    benches = [begun(language) for language in ("en", *catalogue.TRANSLATED)]  # at once: they wait more than they do
    english, *others = [json.loads(bench.communicate()[0]) for bench in benches]
    assert english["held"], "an engine whose key is refused is not asked again"
    assert english["asked"]["Key refused"] == english["asked"]["Key in its words"] == english["asked"]["Used up"] == 1
    for other in others:
        assert other == english


def test_every_word_beside_a_field_of_a_price_is_in_the_catalogue() -> None:
    known = {one.id for one in catalogue.in_the_code()}
    beside = {words for kind in KINDS.values() for entry in kind.form for words in (entry.before, entry.after)}
    assert beside - {"", "W"} <= known  # the watt is W everywhere (SI)
