"""Connector files: what is read, and how a wrong one is explained."""

from __future__ import annotations

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import COMMAND_ENGINE, demo_engine_source
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Voice
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.errors import ConnectorError
from zestpanel.core.languages import locale_name

GOOD = demo_engine_source("tangor")


def test_ten_lines_are_enough() -> None:
    engine = parse_connector(COMMAND_ENGINE, name="kitchen.yaml")
    assert len(COMMAND_ENGINE.splitlines()) <= 10
    assert [v.label for v in engine.voices] == ["Hesk", "Ansgild"]
    assert not engine.is_hosted
    assert engine.route_label == "local program"


def test_json_is_read_as_well() -> None:
    import json

    as_json = json.dumps(yaml.safe_load(GOOD), default=str, indent=1)
    assert parse_connector(as_json, name="t.json") == parse_connector(GOOD, name="t.yaml")


@pytest.mark.parametrize(
    ("before", "after", "complaint"),
    [
        ("languages: [en-GB], gender", "langauges: [en-GB], gender", r"voices\.0\.langauges: this field is"),
        ("high: 1.4", "high: fast", r"controls\.0\.high: input should be a valid number"),
        ("currency: EUR", "currency: euros", r"plans\.0\.tariff\.currency: string should match"),
        ('kind: http', "kind: telepathy", r"speak: input tag 'telepathy'"),
        ("requests_at_once: 3", "requests_at_once: 0", r"limits\.requests_at_once"),
        ("no watermark: yes", "no watermark: perhaps", r"rights\.no watermark: input should be 'yes'"),
    ],
)  # fmt: skip
def test_the_bad_line_is_named(before: str, after: str, complaint: str) -> None:
    assert before in GOOD
    text = GOOD.replace(before, after, 1)
    with pytest.raises(ConnectorError, match=complaint) as caught:
        parse_connector(text, name="tangor.yaml")
    line = text[: text.index(after)].count("\n") + 1
    assert str(caught.value).startswith(f"tangor.yaml, line {line}: ")
    assert "Nothing was added." in str(caught.value)


def test_the_line_of_a_deep_mistake_is_the_right_one() -> None:
    text = GOOD.replace('price: "0.30"', 'price: "a lot"')
    wanted = next(n for n, line in enumerate(text.splitlines(), 1) if "a lot" in line)
    with pytest.raises(ConnectorError, match=rf"line {wanted}: plans\.0\.tariff\.components\.2\.price"):
        parse_connector(text, name="x.yaml")


def test_broken_yaml_and_other_files() -> None:
    with pytest.raises(ConnectorError, match=r"x\.yaml, line 2: "):
        parse_connector("zest-connector: 1\n  engine: [", name="x.yaml")
    with pytest.raises(ConnectorError, match="no connector file"):
        parse_connector("just: something", name="x.yaml")
    with pytest.raises(ConnectorError):
        parse_connector("zest-connector: 2\nengine: X", name="x.yaml")


@given(st.text(max_size=300))
def test_any_text_is_refused_with_a_sentence(text: str) -> None:
    with pytest.raises(ConnectorError) as caught:
        parse_connector(text, name="any.yaml")
    assert str(caught.value).startswith("any.yaml")


_scalars = st.one_of(st.none(), st.booleans(), st.integers(), st.text(max_size=8), st.floats(allow_nan=False))
_trees = st.recursive(
    _scalars,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=8,
)


@given(st.sampled_from(sorted(yaml.safe_load(GOOD))), _trees)
def test_any_value_in_any_field_is_read_or_refused(field: str, value: object) -> None:
    data = yaml.safe_load(GOOD)
    data[field] = value
    try:
        engine = parse_connector(yaml.safe_dump(data), name="any.yaml")
    except ConnectorError as error:
        sentence = str(error)
    else:
        sentence = "any.yaml was read" if engine.voices else ""
    assert sentence.startswith("any.yaml")


def test_prices_are_exact_as_written() -> None:
    text = GOOD.replace('price: "22.00"', "price: 0.1")
    part = parse_connector(text, name="x").plans[0].tariff.components[0]
    assert str(part.price) == "0.1"  # type: ignore[attr-defined]


def test_languages_meet_by_their_primary_tag() -> None:
    voice = Voice(id="v", languages=("en-GB",))
    assert voice.speaks("en-US")
    assert voice.speaks("en")
    assert not voice.speaks("fr-FR")
    assert locale_name("en-GB") == "English, British"


def test_names_are_told_apart() -> None:
    def candidate(number: int, *, factory: bool) -> Candidate:
        return Candidate(
            id=number,
            engine="E",
            model="m",
            model_version="1",
            route="",
            plan="",
            voice="v",
            language="en",
            factory=factory,
        )

    names = short_names([candidate(1, factory=True), candidate(2, factory=False), candidate(3, factory=False)], {})
    assert names == {1: "E · v", 2: "E · v, tuned", 3: "E · v, tuned 2"}
