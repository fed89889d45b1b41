"""Texts: a million characters cut and picked from, and a passage translated for an engine."""

from __future__ import annotations

from importlib import resources

from tests.conftest import demo_engine_source

from benchmarks.timing import best_of, seconds
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.sending.as_sent import as_sent
from zestpanel.core.text.lexicon.lexicon import Entry
from zestpanel.core.text.picking.picker import pick
from zestpanel.core.text.splitting import sentence_spans, size_spans

Rows = list[tuple[str, str, str]]


def texts() -> Rows:
    script = (resources.files("zestpanel.demo") / "scripts" / "the-frost-year.md").read_text("utf-8")
    # numbered, so that no two paragraphs are alike and nothing is found ready
    book = "\n\n".join(f"Chapter {i}. {script}" for i in range(1_000_000 // len(script) + 1))
    sentences = [book[a:b] for a, b in sentence_spans(book[:200_000], "en-GB")]
    engine = parse_connector(demo_engine_source("tangor"), name="tangor.yaml")
    text, marks = script[:800], [DeliveryMark(40, 40, "pause", "250 ms"), DeliveryMark(60, 90, "rate", "85 %")]
    lexicon = [Entry(word=f"word{i}", language="en", ipa="wɜːd") for i in range(500)]
    sent = best_of(5, lambda: as_sent(text, marks, engine=engine, language="en-GB", lexicon=lexicon))
    return [
        (
            "sentence ends of 1,000,000 characters",
            seconds(best_of(1, lambda: sentence_spans(book, "en-GB"))),
            "seconds",
        ),
        ("1,000,000 characters cut to 900", seconds(best_of(1, lambda: size_spans(book, 900, "en-GB"))), "seconds"),
        (f"pick 12 of {len(sentences):,} sentences", seconds(best_of(1, lambda: pick(sentences, "en-GB"))), ""),
        ("800 characters as sent, 500 words in the list", seconds(sent), ""),
    ]


ROWS = [("texts", texts)]
