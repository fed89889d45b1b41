"""Gates, weights, the frontier, decisions, and the record that leaves the program."""

from __future__ import annotations

import csv
import re
from dataclasses import replace
from datetime import date
from decimal import Decimal
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import COMMAND_ENGINE, add_command_engine, add_demo_engine, pretend_take
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.choice import criteria
from zestpanel.core.choice.decided import decisions
from zestpanel.core.choice.decision import decide, suggest_runner_up, what_stands_against
from zestpanel.core.choice.evidence import Evaluation, evaluate
from zestpanel.core.choice.ranking import Criterion, Evidence, firmness, frontier, rank
from zestpanel.core.choice.standing import Standing
from zestpanel.core.choice.verdict import verdict
from zestpanel.core.domain.brief import ExchangeRate
from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.evidence import registry
from zestpanel.core.evidence.declared import Figure, Start
from zestpanel.core.evidence.registry import figures
from zestpanel.core.report.charts import nice_ticks
from zestpanel.core.report.drawing import to_svg
from zestpanel.core.report.palette import DARK, LIGHT
from zestpanel.core.report.pictures import scores_picture, volume_picture
from zestpanel.core.report.record import write_record
from zestpanel.core.report.tables import evidence_table
from zestpanel.core.report.trade_off import not_on_the_map, trade_off_picture
from zestpanel.core.store.project import Project
from zestpanel.core.table_rows import as_tsv


@pytest.fixture
def bench(project: Project) -> Project:
    """Tangor and Citrange in English and French, rated; the kitchen engine with takes and without a price."""
    for name in ("tangor", "citrange"):
        add_demo_engine(project, name)
    add_command_engine(project)
    engines = project.shortlist.engines()
    for name, voice in (("Tangor", "ilseth"), ("Citrange", "linnoway"), ("Kitchen Table", "hesk")):
        project.shortlist.add(engines[name], voice=voice)
    passages = project.texts.add(["One <b>one</b> & more.", "Two.", "Three."], language="en-GB")
    rows = []
    for quality, candidate in zip((4.6, 3.0, 2.0), project.shortlist.candidates(), strict=True):
        for passage in passages:
            pretend_take(project, candidate.id, passage.version_id, hz=150 + 30 * candidate.id)
            for k in range(8):
                listener = project.panel.add_listener(f"L{k}", languages=["en"])
                score = float(np.clip(round(quality + (k % 3 - 1) * 0.4), 1, 5))
                rows.append({"listener_id": listener.id, "candidate_id": candidate.id, "score": score, "origin": "file",
                             "passage_version_id": passage.version_id})  # fmt: skip
    project.answers.add_ratings(rows)
    project.set_brief(project.brief.model_copy(update={
        "must_haves": ("commercial use", "no watermark"), "budget_per_month": Decimal(30)
    }))  # fmt: skip
    return project


def main(found: Evaluation) -> Standing:
    """The first role's."""
    return found.standings[0]


def test_each_exclusion_names_its_fact(bench: Project) -> None:
    found = evaluate(bench)
    tangor, citrange, kitchen = found.rows.values()
    assert tangor.passes
    assert what_stands_against(citrange) == [
        "'no watermark' is unknown (plan 'By the character' does not say)"
    ]  # fmt: skip
    against = "; ".join(what_stands_against(kitchen))
    assert "'commercial use' is unknown (plan 'no plan stated' does not say)" in against
    assert "a month' is unknown (no price stated)" in against
    bench.set_brief(
        bench.brief.model_copy(update={"budget_per_month": Decimal("21.99"), "must_haves": ("runs locally",)})
    )
    tangor = evaluate(bench).rows[tangor.candidate.id]
    assert [(g.name, g.verdict, g.why) for g in tangor.gates if g.verdict == "no"] == [
        ("runs locally", "no", "hosted"), ("at most 21.99 EUR a month", "no", "costs 22.00 EUR"),
    ]  # fmt: skip


def test_missing_evidence_is_missing_and_not_zero(bench: Project) -> None:
    found = evaluate(bench)
    kitchen = next(r for r in main(found).ranking if r.candidate_id == list(found.rows)[2])
    assert kitchen.utilities["cost"] is None
    assert set(kitchen.missing) >= {"cost"}
    assert kitchen.low < kitchen.high
    assert kitchen.total is not None


def test_weights_move_the_ranking() -> None:
    good_and_dear = Evidence(candidate_id=1, values={"quality": 4.5, "cost": 90.0})
    plain_and_cheap = Evidence(candidate_id=2, values={"quality": 3.0, "cost": 5.0})

    def first(quality: float, cost: float) -> int:
        criteria = [
            Criterion(name="quality", worst=2, best=5, weight=quality),
            Criterion(name="cost", worst=100, best=0, weight=cost),
        ]
        return rank(criteria, [good_and_dear, plain_and_cheap])[0].candidate_id

    assert first(90, 10) == 1
    assert first(10, 90) == 2


def test_utilities_are_clipped_lines() -> None:
    money = Criterion(name="m", worst=100, best=20, weight=1)
    assert [money.utility(v) for v in (200, 100, 60, 20, 0)] == [0, 0, 0.5, 1, 1]


@given(st.lists(st.tuples(st.floats(1, 5), st.floats(0, 100)), min_size=1, max_size=12))
def test_the_frontier_is_what_nobody_beats(values: list[tuple[float, float]]) -> None:
    points = [(i, q, c) for i, (q, c) in enumerate(values)]
    found = frontier(points)
    assert found
    for i, q, c in points:
        beaten = any(q2 >= q and c2 <= c and (q2, c2) != (q, c) for _, q2, c2 in points)
        assert (i in found) == (not beaten)


def test_firmness_is_certain_of_the_certain_and_split_between_twins() -> None:
    criteria = [Criterion(name="q", worst=1, best=5, weight=1)]
    rng = np.random.default_rng(1)
    sure = firmness(criteria, [Evidence(candidate_id=i, values={"q": v}) for i, v in ((1, 4.5), (2, 2.0))], rng)
    assert sure == {1: (1.0, 1.0), 2: (0.0, 1.0)}
    twins = [Evidence(candidate_id=i, values={"q": 3.0}, errors={"q": 0.3}) for i in (1, 2)]
    chance = firmness(criteria, [*twins, Evidence(candidate_id=3, values={"q": 3.0}, passes=False)], rng)
    assert chance[1][0] == pytest.approx(0.5, abs=0.05)
    assert 3 not in chance


def test_a_choice_needs_a_reason_and_no_unknown_gate(bench: Project) -> None:
    found = evaluate(bench)
    tangor, citrange, _ = found.rows
    with pytest.raises(InputError, match="needs its reason"):
        decide(bench, found, role="main narrator", candidate_id=tangor, why=" ", by="me")
    with pytest.raises(InputError, match=r"cannot be chosen: 'no watermark' is unknown"):
        decide(bench, found, role="main narrator", candidate_id=citrange, why="cheap", by="me")
    assert decisions(bench.documents) == []
    decide(bench, found, role="main narrator", candidate_id=tangor, why="best", by="me",
           runner_up_id=suggest_runner_up(main(found), tangor))  # fmt: skip
    assert [d.role for d in decisions(bench.documents)] == ["main-narrator"]
    bench.history.undo()
    assert decisions(bench.documents) == []


class Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.addresses: list[str] = []
        self.tags: list[str] = []
        self.text = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        self.addresses += [v or "" for k, v in attrs if k in ("src", "href")]

    def handle_data(self, data: str) -> None:
        self.text += data


def test_the_record_stands_by_itself_and_tells_all(bench: Project, tmp_path: Path) -> None:
    found = evaluate(bench)
    decide(bench, found, role="main narrator", candidate_id=next(iter(found.rows)), why="Clear <and> warm", by="lead")
    written = write_record(bench, tmp_path)
    html = written.record.read_text("utf-8")
    page = Page()
    page.feed(html)
    assert page.addresses == [], "nothing is fetched from anywhere"
    assert not re.findall(r"url\((?!data:)", html)
    for words in ("Main narrator", "Clear <and> warm", "Tangor · Ilseth", "22.00 EUR", "8 listeners", "unknown",
                  "One <b>one</b> & more."):  # fmt: skip
        assert words in page.text
    assert page.tags.count("svg") >= 3
    with written.tables[0].open(encoding="utf-8-sig", newline="") as file:
        rows = list(csv.DictReader(file))
    assert next(r["candidate"] for r in rows) == "Tangor · Ilseth"
    assert rows[0]["per month"] == "22.00"
    assert {r["candidate"]: r["gates unknown"] for r in rows}["Citrange · Linnoway"] == "no watermark"
    assert {r["candidate"]: r["per month"] for r in rows}["Kitchen Table · Hesk"] == "", "missing is empty, not zero"
    assert not list(tmp_path.glob("*.part"))
    # a brief that changes later leaves the decision, and says what now stands against it
    assert "would not be chosen today" not in page.text
    bench.documents.put("brief", {**bench.documents.get("brief"), "must_haves": ["runs locally"]})
    page.feed(write_record(bench, tmp_path).record.read_text("utf-8"))
    assert "It would not be chosen today: 'runs locally' is not met (hosted)." in page.text


def test_no_record_of_nothing_and_none_where_it_cannot_be_written(bench: Project, tmp_path: Path) -> None:
    empty = Project.create(tmp_path / "Empty.zest")
    with pytest.raises(ZestError, match="nothing to record"):
        write_record(empty)
    empty.close()
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    with pytest.raises(ZestError, match="could not be written"):
        write_record(bench, blocked / "below")


def test_tables_copy_as_tsv(bench: Project) -> None:
    rows = evidence_table(evaluate(bench))
    lines = as_tsv(rows).split("\n")
    assert len({line.count("\t") for line in lines}) == 1
    assert len(lines) == 4
    assert as_tsv([["a\tb", "c\nd"]]) == "a b\tc d"


def test_pictures_keep_within_their_frame_and_both_palettes(bench: Project) -> None:
    found = evaluate(bench)
    for picture in (
        scores_picture(found, width=640, language="en"),
        trade_off_picture(main(found)),
        volume_picture(found, width=700),
    ):
        assert picture is not None
        svg = to_svg(picture, LIGHT)
        assert "<b>" not in svg
        assert to_svg(picture, DARK) != svg
        for region in picture.regions:
            assert region.x >= -1
            assert region.x + region.width <= picture.width + 20
    assert LIGHT.keys() == DARK.keys()


def contrast(one: str, other: str) -> float:
    """Contrast ratio by WCAG 2.2, relative luminance of sRGB."""

    def luminance(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("palette", [LIGHT, DARK], ids=["light", "dark"])
def test_words_can_be_read(palette: dict[str, str]) -> None:
    # source: WCAG 2.2, success criterion 1.4.3: at least 4.5 to 1 for text
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)
    for ground in ("paper", "sheet", "shade"):
        for words in ("ink", "quiet", "deep-zest", "leaf", "plum"):
            assert contrast(palette[words], palette[ground]) >= 4.5, (words, ground)
    assert contrast(palette["on-ink"], palette["ink"]) >= 4.5
    assert contrast(palette["ink"], palette["zest-pale"]) >= 4.5


@given(st.floats(-1e6, 1e6), st.floats(1e-3, 1e6), st.integers(2, 9))
def test_ticks_are_round_inside_and_few(low: float, span: float, most: int) -> None:
    ticks = nice_ticks(low, low + span, most)
    assert len(ticks) <= most + 1
    assert all(low - 1e-6 * span <= t <= low + span * (1 + 1e-6) for t in ticks)


def test_a_weight_of_nought_moves_nobody_and_ties_share_their_place() -> None:
    criteria = [Criterion(name="q", worst=1, best=5, weight=1), Criterion(name="c", worst=10, best=0, weight=0)]
    evidence = [
        Evidence(candidate_id=1, values={"q": 3.0, "c": 5.0}),
        Evidence(candidate_id=2, values={"q": 4.0, "c": None}),
        Evidence(candidate_id=3, values={"q": 3.0}),
        Evidence(candidate_id=4, values={"q": 2.0}, passes=False),
    ]
    found = rank(criteria, evidence)
    assert [(r.candidate_id, r.place, r.missing) for r in found] == [(2, 1, ()), (1, 2, ()), (3, 2, ()), (4, None, ())]
    chance = firmness(criteria, evidence, np.random.default_rng(1))
    assert chance[2] == (1.0, 1.0)
    twins = firmness(criteria, [evidence[0], evidence[2]], np.random.default_rng(1))
    assert twins == {1: (0.5, 1.0), 3: (0.5, 1.0)}, "an exact tie is shared, not given to the first in the list"
    nothing = [Criterion(name="q", worst=1, best=5, weight=0)]
    assert firmness(nothing, evidence, np.random.default_rng(1)) == {}
    assert [r.place for r in rank(nothing, evidence)] == [None] * 4


def test_chances_are_drawn_together(bench: Project) -> None:
    """A strict listener is strict with all: with joint draws the better of two is nearly always first."""
    shared = np.random.default_rng(3).normal(0, 0.5, 4000)
    criteria = [Criterion(name="q", worst=1, best=5, weight=1)]
    together = [Evidence(candidate_id=i, values={"q": v}, draws={"q": v + shared}) for i, v in ((1, 3.6), (2, 3.5))]
    apart = [Evidence(candidate_id=i, values={"q": v}, errors={"q": 0.5}) for i, v in ((1, 3.6), (2, 3.5))]
    assert firmness(criteria, together, np.random.default_rng(1))[1][0] > 0.99
    assert firmness(criteria, apart, np.random.default_rng(1))[1][0] < 0.65


def test_languages_never_compete_and_a_voice_nobody_heard_is_named(bench: Project, tmp_path: Path) -> None:
    engines = bench.shortlist.engines()
    french = bench.shortlist.add(engines["Citrange"], voice="vauclin")[0]
    bench.texts.add(["Un.", "Deux.", "Trois."], language="fr-FR")
    for passage in bench.texts.all()[3:]:
        pretend_take(bench, french.id, passage.version_id)
        bench.answers.add_ratings([
            {"listener_id": bench.panel.add_listener(f"F{k}", languages=["fr"]).id, "candidate_id": french.id,
             "passage_version_id": passage.version_id, "score": 5.0, "origin": "file"} for k in range(6)
        ])  # fmt: skip
    unheard = bench.shortlist.add(engines["Tangor"], voice="corwick")[0]
    found = evaluate(bench)
    assert found.languages() == ["en", "fr"]
    in_french = found.standing("+fr")
    assert in_french is not None
    assert in_french.role is None, "no role is for French yet"
    assert [r.candidate_id for r in in_french.ranking] == [french.id]
    english = main(found).ranking
    assert french.id not in {r.candidate_id for r in english}
    assert found.rows[french.id].as_good_as_best is None
    assert suggest_runner_up(in_french, french.id) is None
    assert found.rows[unheard.id].how_sure == "nobody has heard this"
    assert english[0].candidate_id != unheard.id
    html = write_record(bench, tmp_path).record.read_text("utf-8")
    page = Page()
    page.feed(html)
    for words in ("nobody has heard this", "French", "quality (weight 50) from 2.5 to 4.5",
                  "Not on the map of quality and cost: "):  # fmt: skip
        assert words in page.text, words


def test_a_price_in_another_currency_has_a_way_out(bench: Project) -> None:
    source = (
        COMMAND_ENGINE
        + "plans:\n- {name: Abroad, tariff: {currency: USD, components: [{kind: subscription, price: 19}]}}\n"
    )
    bench.shortlist.add_engine(parse_connector(source, name="kitchen.yaml"), source, "kitchen.yaml")
    row = list(evaluate(bench).rows.values())[2]
    bench.shortlist.set_removed([row.candidate.id], True)
    abroad = bench.shortlist.add(bench.shortlist.engines()["Kitchen Table"], voice="ansgild")[0]
    found = evaluate(bench)
    assert any("the brief gives no exchange rate" in why for why in not_on_the_map(main(found)))
    rate = ExchangeRate(currency="USD", rate=Decimal("0.9"), dated=date(2026, 11, 2), source="the bank")
    bench.set_brief(bench.brief.model_copy(update={"exchange_rates": (rate,)}))
    gate = next(g for g in evaluate(bench).rows[abroad.id].gates if "a month" in g.name)
    assert (gate.verdict, gate.why) == ("yes", "costs 17.10 EUR (19.00 USD)")


def test_a_criterion_that_is_added_is_weighed_and_named(bench: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    level = Figure(name="level", words="loudness", label="loudness", column="level", unit=lambda _: " LUFS", place=99,
                   start=lambda _: Start(-30.0, -10.0, 40), read=figures()["measure loudness_lufs"].read)  # fmt: skip
    all_of_them = {**figures(), "level": level}
    for place in (registry, criteria):
        monkeypatch.setattr(place, "figures", lambda: all_of_them)
    found = evaluate(bench)
    assert "loudness (weight 40) from −30 LUFS to −10 LUFS" in criteria.bounds_in_words(
        main(found).criteria, found.brief
    )
    assert "words wrong" not in criteria.bounds_in_words(main(found).criteria, found.brief), "it has no weight yet"
    for ranked in main(found).ranking:
        measured = found.rows[ranked.candidate_id].summary.sound.get("loudness_lufs")
        expected = None if measured is None else min(1.0, max(0.0, (measured.median + 30) / 20))
        assert ranked.utilities["level"] == (expected if expected is None else pytest.approx(expected))


def test_the_answer_comes_first_and_says_how_firm_it_is(bench: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    found = main(evaluate(bench))
    one, other, *rest = found.ranking
    a, b = (found.rows[r.candidate_id].name for r in (one, other))

    def with_chances(*chances: float | None) -> str:
        ranking = [replace(r, first=c, passes=True) for r, c in zip((one, other, *rest), chances, strict=False)]
        return verdict(replace(found, ranking=tuple(ranking)))

    assert with_chances(0.93, 0.07).startswith(f"{a} comes first, firmly: in 93 % of the draws")
    assert with_chances(0.2, 0.75).startswith(f"Too close to call between {b} (75 %) and {a} (20 %)")
    sole = [replace(r, first=None, alone=r is one, passes=True) for r in (one, other, *rest)]
    assert verdict(replace(found, ranking=tuple(sole))).startswith(f"{a} alone meets all must-haves")
    assert with_chances(None, None).startswith("Nobody can be placed yet")
    missed = replace(found, ranking=tuple(replace(r, first=None, passes=False) for r in found.ranking))
    assert verdict(missed).startswith("Nobody meets all must-haves")
