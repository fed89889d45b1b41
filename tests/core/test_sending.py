"""What engines really get: marks in their own way, words spelled out, the pronunciation list, pieces that fit."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from spellchecker import SpellChecker

from tests.conftest import Unmeasured, add_demo_engine, demo_engine_source, tone
from zestpanel.core.analysis.summary import summaries
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import HttpSpeak
from zestpanel.core.connectors.http.asking import filled
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.connectors.templates import values_of
from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.errors import ConnectorError
from zestpanel.core.measures.joining import join
from zestpanel.core.measures.silence import measure_silence
from zestpanel.core.money.tariff import Counting
from zestpanel.core.runs.execute.unattended import render_missing
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.sending.as_sent import _written, as_sent
from zestpanel.core.sending.choices import SendingChoices
from zestpanel.core.store.project import Project
from zestpanel.core.text.lexicon.lexicon import Entry, checked, entries_for, hits
from zestpanel.core.text.lexicon.pls import from_pls, to_pls
from zestpanel.core.text.lexicon.unknown_words import common_words, unknown_words
from zestpanel.core.text.marks.ssml import from_ssml
from zestpanel.standins.service import StandInService

TEXT = "Beside the wild crab, Malus sylvestris, stood a Doyenné in 1846. It cost £3.50 & weighed 2.5 kg."
LIST = (
    Entry(word="Doyenné", language="en", ipa="dwajɛne", respelling="dwah-yen-nay"),
    Entry(word="crab", language="en-GB", ipa="kɹæb"),
)


def over(word: str, kind: str, value: str) -> DeliveryMark:
    at = TEXT.index(word)
    return DeliveryMark(at, at + len(word), kind, value)


MARKS = (
    over("wild", "emphasis", "strong"),
    DeliveryMark(21, 21, "pause", "250 ms"),
    over("Malus sylvestris", "language", "la"),
)


def engine(name: str, **limits: Any) -> Engine:
    found = parse_connector(demo_engine_source(name), name=name)
    return found.model_copy(update={"limits": found.limits.model_copy(update=limits)}) if limits else found


def test_one_script_in_three_engines_own_ways() -> None:
    """Tangor takes SSML with sounds, Citrange marks of its own, Rangpur words alone; nothing is lost in silence."""
    sent = {
        name: as_sent(TEXT, MARKS, engine=engine(name), language="en-GB", lexicon=LIST)
        for name in ("tangor", "citrange", "rangpur")
    }
    tangor, citrange, rangpur = (sent[name].requests[0].text for name in sent)
    assert from_ssml(tangor).text == TEXT
    assert '<emphasis level="strong">wild</emphasis> ' in tangor
    assert 'ph="dwajɛne">Doyenné</phoneme>' in tangor
    assert "£3.50 &amp; weighed" in tangor
    assert citrange.startswith("Beside the {lift|wild} crab,{rest 250} Malus")
    assert "{as dwah-yen-nay|Doyenné}" in citrange
    assert rangpur == TEXT.replace("Doyenné", "dwah-yen-nay")
    fates = {name: {(c.fate, c.kind, c.words) for c in one.changes} for name, one in sent.items()}
    assert ("left out", "language", "Malus sylvestris") in fates["tangor"]
    assert ("as it stands", "lexicon", "crab") in fates["citrange"], "it takes no sounds and there is no respelling"
    assert ("left out", "emphasis", "wild") in fates["rangpur"]
    assert ("sounds given", "lexicon", "crab") in fates["tangor"]


def test_what_is_not_understood_is_left_out_or_spelled_out_as_chosen() -> None:
    choices = SendingChoices(unsupported={"pause": "spell out"}, spell_out=("dates", "money", "units"))
    quiet = TEXT.index("Doyenné")
    marks = (*MARKS, DeliveryMark(quiet - 1, quiet - 1, "pause", "medium"), over("2.5", "say-as", "cardinal"))
    sent = as_sent(TEXT, marks, engine=engine("rangpur"), language="en-GB", choices=choices).requests[0].text
    assert sent == (
        "Beside the wild crab, Malus sylvestris, stood a; Doyenné in eighteen forty-six. It cost three pounds fifty "
        "pence & weighed two point five kg."
    )


@given(st.text(st.sampled_from("ab c.,<&>{}"), min_size=1, max_size=80), st.integers(1, 80), st.integers(0, 30))
def test_no_sign_of_a_text_becomes_markup(text: str, at: int, gap: int) -> None:
    place = min(at, len(text))
    marks = (DeliveryMark(place, place, "pause", f"{gap * 10} ms"),)
    ssml = as_sent(text, marks, engine=engine("tangor"), language="en-GB")
    read = from_ssml(ssml.requests[0].text)
    assert " ".join(read.text.split()) == " ".join(text.split())
    assert [m.value for m in read.marks] == [f"{gap * 10} ms"]
    own = as_sent(text, marks, engine=engine("citrange"), language="en-GB").requests[0].text
    assert own.count("{") == own.count("}") == 1


@given(st.lists(st.sampled_from(["A pear fell.", "Was it £3.50, or 12 500 g?", "“No. Never.” he said,", "Doyenné"]),
                min_size=1, max_size=12), st.integers(60, 200))  # fmt: skip
def test_pieces_fit_the_limit_and_lose_nothing(sentences: list[str], limit: int) -> None:
    text = " ".join(sentences)
    marks = (DeliveryMark(0, len(sentences[0]), "rate", "85 %"),)
    sent = as_sent(text, marks, engine=engine("tangor", characters_per_request=limit + 60), language="en-GB")
    assert not sent.too_long
    assert all(len(r.text) <= limit + 60 for r in sent.requests)
    assert " ".join(" ".join(r.words for r in sent.requests).split()) == " ".join(text.split())
    for request in sent.requests[1:]:
        assert text[request.start - 1].isspace()
        assert not text[: request.start].rstrip().endswith("12"), "12 500 is one number"


@pytest.mark.parametrize(
    ("counting", "billed"),
    [(Counting(), 24), (Counting(marks=False), 14), (Counting(spaces=False), 20), (Counting(of="bytes"), 25),
     (Counting(least=100), 100), (Counting(step=10), 30)],
)  # fmt: skip
def test_characters_as_each_plan_bills_them(counting: Counting, billed: int) -> None:
    """Counted by hand: 'One {rest 250}two é tree' is 24 characters, 4 of them spaces, 14 are words; é: two bytes."""
    sent = as_sent("One two é tree", (DeliveryMark(4, 4, "pause", "250 ms"),), engine=engine("citrange"),
                   language="en-GB", counting=counting)  # fmt: skip
    assert sent.requests[0].text == "One {rest 250}two é tree"
    assert sent.billed == billed


def test_entries_hold_for_a_language_and_an_engine_and_hit_whole_words() -> None:
    entries = [
        Entry(word="nice", language="en", respelling="neece"),
        Entry(word="Nice", language="en", respelling="the town"),
        Entry(word="Nice", language="en", engine="Citrange", respelling="neess"),
        Entry(word="Nice", language="fr", ipa="nis"),
    ]
    there = entries_for(entries, "en-GB", "Citrange")
    found = hits("Nice is nice, nicely so. NICE", there)
    assert [(h.start, h.entry.respelling) for h in found] == [(0, "neess"), (8, "neece"), (25, "neece")]
    assert {e.respelling for e in entries_for(entries, "en-GB", "Tangor")} == {"neece", "the town"}


_words = st.text(st.sampled_from("abéñ-' &<"), min_size=1, max_size=12).filter(lambda w: any(c.isalpha() for c in w))


@given(st.lists(st.tuples(_words, st.text(st.sampled_from("pɛɹˈtː"), min_size=1, max_size=8), _words), max_size=8))
def test_a_list_goes_to_pls_and_back(rows: list[tuple[str, str, str]]) -> None:
    entries = [checked(Entry(word=w, language="en-GB", ipa=i, respelling=r)) for w, i, r in rows]
    assert from_pls(to_pls(entries, "en-GB")) == entries


def test_words_that_no_dictionary_has_come_by_frequency() -> None:
    texts = ["The Doyenné and the Bergamotte: one Doyenné more.", "A pear, l'arbre, the 1846 kg; Doyenné!"]
    assert unknown_words(texts, "en-GB", known=["bergamotte"])[0] == ("Doyenné", 3)
    assert all(word != "Bergamotte" for word, _ in unknown_words(texts, "en-GB", known=["Bergamotte"]))
    assert unknown_words(texts, "ja-JP") == []


@pytest.mark.parametrize("language", ["en", "it"])
def test_the_common_words_are_those_the_package_reads_from_its_own_lists(language: str) -> None:
    """pyspellchecker, read by itself."""
    counts = SpellChecker(language=language).word_frequency.dictionary
    words = [word for word in counts if len(word) > 1 and word.isalpha()]
    assert common_words(language, 3_000) == sorted(words, key=lambda word: (-counts[word], word))[:3_000]


# -- the bench sends what the preview shows


@pytest.fixture
def bench(project: Project, service: StandInService) -> Project:
    for name, voice in (("tangor", "ilseth"), ("citrange", "linnoway")):
        add_demo_engine(project, name)
        project.shortlist.add(project.shortlist.engines()[name.capitalize()], voice=voice)
    return project


def test_a_run_sends_what_was_shown_and_a_new_pronunciation_makes_takes_stale(bench: Project) -> None:
    passage = bench.texts.add(["A Doyenné fell."], language="en-GB")[0]
    bench.texts.edit(passage.id, passage.text, [DeliveryMark(9, 9, "pause", "900 ms")])
    _, progress = render_missing(bench)
    assert (progress.done, progress.failed) == (2, 0)
    takes = {t.candidate_id: t for t in bench.takes.all()}
    tangor, citrange = (takes[c.id] for c in bench.shortlist.candidates())
    assert tangor.sent == ('<speak version="1.1" xml:lang="en-GB">A Doyenné<break time="900ms"/> fell.</speak>',)
    assert citrange.sent == ("A Doyenné{rest 900} fell.",)
    assert citrange.characters_billed == len("A Doyenné{rest 900} fell.")
    for take in (tangor, citrange):
        assert measure_silence(bench.takes.load(take)).longest_pause_s > 0.7, "the pause is heard"
    assert plan_run(bench).jobs == ()
    bench.pronunciations.put([Entry(word="Doyenné", language="en", respelling="dwah-yen-nay")])
    planned = plan_run(bench)
    assert [job.sent.requests[0].words for job in planned.jobs].count("A Doyenné fell.") == 2
    assert [s.takes for s in summaries(bench).values()] == [(), ()], "what was asked for otherwise counts no more"
    bench.pronunciations.set_removed([e.id for e in bench.pronunciations.all()], True)
    assert plan_run(bench).jobs == ()


def test_a_text_over_the_limit_is_sent_in_pieces_and_joined(bench: Project, service: StandInService) -> None:
    source = demo_engine_source("citrange").replace("characters_per_request: 900", "characters_per_request: 90")
    bench.shortlist.add_engine(parse_connector(source, name="citrange.yaml"), source, "citrange.yaml")
    first, second = "When the wind turned to the north, nobody spoke of apples until Lent.", "Then it grew warm."
    bench.texts.add([f"{first} {second} {second}"], language="en-GB")
    characters = len(first) + 1 + len(second) + len(second)  # a space between the pieces is not sent
    planned = plan_run(bench)
    by_engine = {e.engine: e for e in planned.estimates}
    assert (by_engine["Tangor"].requests, by_engine["Citrange"].requests) == (1, 2)
    assert by_engine["Citrange"].cost is not None
    assert by_engine["Citrange"].cost.amount == Decimal(characters) * 18 / 1_000_000
    _, progress = render_missing(bench)
    assert (progress.done, progress.failed) == (2, 0)
    take = next(t for t in bench.takes.all() if len(t.sent or ()) == 2)
    assert take.characters_billed == characters
    assert [row.state for row in bench.journal.rows()] == ["done"] * 3
    assert take.timing is not None
    assert take.timing.first_sound_s is not None
    assert take.timing.first_sound_s < take.timing.last_byte_s
    (join,) = take.timing.joins_s
    clip = bench.takes.load(take)
    around = clip.samples[round((join - 0.02) * clip.rate_hz) : round((join + 0.02) * clip.rate_hz)]
    assert np.abs(around).max() < 0.05 * np.abs(clip.samples).max(), "a join lies in the silence between sentences"
    longest = measure_silence(clip).longest_pause_s
    assert longest < 0.6, "no seam is longer than a pause between sentences"


def test_a_limit_in_the_middle_of_a_text_asks_only_for_the_missing_piece_again(
    bench: Project, service: StandInService
) -> None:
    bench.shortlist.set_removed([bench.shortlist.candidates()[0].id], True)
    text = " ".join(["The frost came late this year, and nobody minded it."] * 18)
    bench.texts.add([text], language="en-GB")
    service.behaviour.retry_after_s = 0.02
    service.behaviour.faults.extend(["", "limit", ""])
    _, progress = render_missing(bench, executor=Unmeasured())
    assert (progress.done, progress.failed) == (1, 0)
    assert [row.state for row in bench.journal.rows()] == ["done", "failed", "done"]
    assert service.behaviour.used == bench.takes.all()[0].characters_billed, "no piece was paid twice"


def test_a_later_piece_that_fails_leaves_no_half_take_and_its_cost_is_counted(
    bench: Project, service: StandInService
) -> None:
    bench.shortlist.set_removed([bench.shortlist.candidates()[0].id], True)
    bench.texts.add([" ".join(["The frost came late this year, and nobody minded it."] * 24)], language="en-GB")
    service.behaviour.faults.extend(["", "web page"])
    _, progress = render_missing(bench, executor=Unmeasured())
    assert (progress.done, progress.failed) == (0, 1)
    assert bench.takes.all() == []
    assert [row.state for row in bench.journal.rows()] == ["unused", "failed"]
    assert progress.spent[0].amount == Decimal(bench.journal.rows()[0].characters) * 18 / 1_000_000


def test_joining_leaves_the_stated_gap_and_no_click() -> None:
    """Two tones with silence of their own around them: between them lies the gap that was asked for."""
    quiet = np.zeros((4_800, 1), dtype=np.float32)
    one = tone(300, -12, 1.0)
    from zestpanel.core.audio.clip import Clip

    padded = Clip(samples=np.concatenate([quiet, one.samples, quiet * 0]), rate_hz=48_000)
    clip, begins = join([padded, padded, padded], [0.5, 0.25])
    x = np.abs(clip.mono())
    loud = np.flatnonzero(x > 0.01)
    gaps = np.diff(loud)[np.diff(loud) > 4_000] / 48_000
    assert gaps == pytest.approx([0.5, 0.25], abs=0.025)
    assert begins[1] - begins[0] == pytest.approx(1.5, abs=0.03)
    assert np.abs(np.diff(clip.mono())).max() < 1.1 * np.abs(np.diff(one.mono())).max()


def test_a_notation_that_would_lose_words_is_refused_with_its_line() -> None:
    source = demo_engine_source("citrange").replace('"{lift|{text}}"', '"lifted"')
    with pytest.raises(ConnectorError, match="the words would be lost"):
        parse_connector(source, name="citrange.yaml")


FRAME = '<speak version="1.1"><voice name="{voice}">{text}</voice></speak>'


@pytest.mark.parametrize("body", [FRAME, {"ssml": FRAME}])
def test_a_text_in_a_frame_of_markup_is_heard_as_it_stands_and_marks_are_within_it(body: Any) -> None:
    """Every reader of XML gets back what was written (XML 1.0, section 2.4), and there is one frame."""
    words = 'Pears & plums < 3 "kg"'
    marks = [DeliveryMark(5, 5, "pause", "900 ms")]
    engine = parse_connector(json.dumps({
        "zest-connector": 1, "engine": "E", "voices": [{"id": "hesk", "languages": ["en-GB"]}],
        "marks": {"break": "yes"}, "speak": {"kind": "http", "address": "http://x.example/", "body": body,
                  "body_as": "plain" if isinstance(body, str) else "json"},
    }), name="e.json")  # fmt: skip
    assert isinstance(engine.speak, HttpSpeak)
    for put, tags in (([], ["speak", "voice"]), (marks, ["speak", "voice", "break"])):
        text = _written(words, put, engine.writes, "en-GB") if put else words
        asked = SpeakRequest(text=text, language="en-GB", voice="hesk", model="m", marked=bool(put))
        content = (filled(engine.speak, values_of(asked), "").content or b"").decode()
        tree = ElementTree.fromstring(content if isinstance(body, str) else json.loads(content)["ssml"])
        assert [one.tag for one in tree.iter()] == tags
        assert "".join(tree.itertext()) == words
