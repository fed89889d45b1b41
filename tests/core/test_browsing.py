"""Browsing voices and comparing engines."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import demo_engine_source
from zestpanel.core.catalogue.browsing import FACETS, EngineTraits, VoiceIndex, Wanted, make_rows, price_band
from zestpanel.core.catalogue.comparing import compare
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine


def traits(name: str, *tiers: str) -> EngineTraits:
    engine = parse_connector(demo_engine_source(name), name=name)
    return EngineTraits(engine=engine, hosted="hosted", rights="yes", price_band="a", unlocked_tiers=frozenset(tiers))


def index() -> VoiceIndex:
    notes = {("Citrange", "brindal"): (True, "brassy, good for adverts")}
    return VoiceIndex(make_rows([traits("tangor"), traits("citrange", "full")], {("Tangor", "ilseth"): 2}, notes))


def names(found: VoiceIndex, wanted: Wanted) -> list[str]:
    return [found.rows[i].voice.label for i in found.find(wanted)]


def test_words_facets_and_notes_find_voices() -> None:
    one = index()
    assert names(one, Wanted(text="brassy ADVERTS")) == ["Brindal"]
    assert names(one, Wanted(text="brassy nothing")) == []
    french_women = Wanted(facets={"language": frozenset({"French"}), "gender": frozenset({"woman"})})
    assert names(one, french_women) == ["Odrine"]
    assert names(one, Wanted(facets={"marked": frozenset({"favourite"})})) == ["Brindal"]
    locked = [row.voice.label for row in one.rows if row.locked]
    assert "Ilseth" in locked, "no plan that can be bought unlocks tier 'full' here"
    ups = names(one, Wanted())
    assert ups == sorted(ups)
    assert names(one, Wanted(descending=True)) == ups[::-1]


def test_counts_say_what_each_value_would_leave() -> None:
    one = index()
    wanted = Wanted(facets={"language": frozenset({"English"})})
    found = one.facets(wanted)
    languages = {v.value: v.count for v in found["language"]}
    assert languages["French"] == 2, "a facet's own choice does not narrow its own counts"
    genders = {v.value: v.count for v in found["gender"]}
    assert sum(genders.values()) == len(one.find(wanted))
    assert [v.value for v in found["language"] if v.chosen] == ["English"]
    assert "reached" not in found, "a facet in which all are alike is left out"


_values = st.sampled_from(["English", "French", "woman", "man", "full (locked)", "favourite", "nonsense"])


@given(st.text(max_size=12), st.dictionaries(st.sampled_from(sorted(FACETS)), st.frozensets(_values, max_size=2)))
def test_finding_is_the_plain_filter(text: str, facets: dict[str, frozenset[str]]) -> None:
    one = index()
    one.find(Wanted(text=text[:3]))  # a shorter search before must not matter
    got = one.find(Wanted(text=text, facets=facets))
    plain = [
        i
        for i, row in enumerate(one.rows)
        if all(word in row.words for word in text.casefold().split())
        and all(not chosen or set(FACETS[name](row)) & chosen for name, chosen in facets.items())
    ]
    assert sorted(got) == plain


def test_headline_counts_and_bands() -> None:
    one = index()
    text = one.counted(range(len(one.rows)))
    assert text.startswith("14 voices: 7 women, 7 men; 7 locked")
    assert VoiceIndex(one.rows[:1]).counted([0]) == "1 voice: 1 woman; 1 locked"
    assert one.counted([0]) == "1 of 14 voices: 1 woman; 1 locked"
    assert one.counted([]) == "0 of 14 voices"
    assert [price_band(p, "EUR") for p in (None, 0, 0.018, 0.3, 2)] == [
        "price unknown", "nothing", "up to 0.02 EUR", "0.10 to 0.50 EUR", "over 0.50 EUR"]  # fmt: skip


def test_engines_side_by_side_differences_first() -> None:
    tangor, sunquat = (parse_connector(demo_engine_source(n), name=n) for n in ("tangor", "sunquat"))
    rows = compare([tangor, sunquat], {})
    differ = [row.differs for row in rows]
    assert differ == sorted(differ, reverse=True)
    by_name = {row.fact: row.values for row in rows}
    assert by_name["where it runs"] == ("hosted", "on this machine")
    assert by_name["model: offline"] == ("unknown", "yes")
    assert rows[-1].values == ("unknown", "unknown")
    alone: list[Engine] = [tangor]
    assert not any(row.differs for row in compare(alone, {}))
