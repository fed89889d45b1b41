"""Roles: who can fill one, what one asks, what the chosen set costs, and what would move a winner."""

from __future__ import annotations

import json
from dataclasses import replace
from decimal import Decimal
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.core.choice.chosen_set import chosen_set
from zestpanel.core.choice.criteria import CRITERIA, set_to
from zestpanel.core.choice.decided import decisions, every_decision
from zestpanel.core.choice.decision import changed_since, decide, take_back
from zestpanel.core.choice.evidence import Evaluation, evaluate
from zestpanel.core.choice.fairness import by_engine, not_alike
from zestpanel.core.choice.ranking import Criterion, Evidence, rank
from zestpanel.core.choice.roles import changed, new_role, set_roles
from zestpanel.core.choice.sensitivity import tipping_points
from zestpanel.core.choice.side_by_side import beside, why_not
from zestpanel.core.choice.standing import Standing
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.role import Role, SetTo
from zestpanel.core.errors import InputError
from zestpanel.core.evidence.registry import figures
from zestpanel.core.money.tariff import Tariff, Usage, month_cost
from zestpanel.core.store.project import Project


def of(found: Evaluation, role: str) -> Standing:
    standing = found.standing(role)
    assert standing is not None
    return standing


@pytest.fixture
def channel(project: Project) -> Project:
    """Three English voices under two plans and a French one, all rated."""
    for name in ("tangor", "citrange"):
        add_demo_engine(project, name)
    engines = project.shortlist.engines()
    for name, voice in (("Tangor", "ilseth"), ("Tangor", "corwick"), ("Citrange", "linnoway"), ("Citrange", "vauclin")):
        project.shortlist.add(engines[name], voice=voice)
    english = project.texts.add(["One.", "Two.", "Three."], language="en-GB")
    french = project.texts.add(["Un.", "Deux.", "Trois."], language="fr-FR")
    rows = []
    for quality, candidate in zip((4.6, 4.2, 3.0, 4.0), project.shortlist.candidates(), strict=True):
        for passage in french if candidate.language.startswith("fr") else english:
            pretend_take(project, candidate.id, passage.version_id, hz=150 + 30 * candidate.id)
            for k in range(8):
                listener = project.panel.add_listener(f"L{k}", languages=["en", "fr"])
                score = float(np.clip(round(quality + (k % 3 - 1) * 0.4), 1, 5))
                rows.append({"listener_id": listener.id, "candidate_id": candidate.id, "score": score, "origin": "file",
                             "passage_version_id": passage.version_id})  # fmt: skip
    project.answers.add_ratings(rows)
    roles = (
        Role(id="main", name="main narrator"),
        Role(id="second", name="second voice", share_percent=Decimal(20), not_voice_of=("main",)),
        Role(id="french", name="French edition", language="fr-FR"),
        Role(id="reserve", name="fall-back", share_percent=Decimal(0), not_engine_of=("main",)),
    )
    project.set_brief(project.brief.model_copy(update={"must_haves": (), "roles": roles}))
    never_asked = {"wait": SetTo(weight=0), "failures": SetTo(weight=0)}  # these takes came from no engine
    project.edit_document(CRITERIA, never_asked, label="weights")
    return project


def test_each_role_is_filled_by_itself(channel: Project) -> None:
    ilseth, corwick, linnoway, vauclin = (one.id for one in channel.shortlist.candidates())
    found = evaluate(channel)
    assert set(of(found, "main").rows) == {ilseth, corwick, linnoway}, "languages never compete"
    assert set(of(found, "french").rows) == {vauclin}
    with pytest.raises(InputError, match="does not speak the language of Main narrator, English"):
        decide(channel, found, role="main", candidate_id=vauclin, why="x", by="")
    with pytest.raises(InputError, match=r"no role 'narator'\. Nothing was changed\. The roles are: main"):
        decide(channel, found, role="narator", candidate_id=ilseth, why="x", by="")
    decide(channel, found, role="Main narrator", candidate_id=ilseth, why="warm", by="lead")
    decide(channel, found, role="french", candidate_id=vauclin, why="calm", by="lead")
    assert {one.role for one in decisions(channel.documents)} == {"main", "french"}, "neither throws the other out"
    found = evaluate(channel)
    with pytest.raises(InputError, match=r"'not on the engine of main narrator' is not met \(Tangor\)"):
        decide(channel, found, role="fall-back", candidate_id=corwick, why="x", by="")
    with pytest.raises(InputError, match="'not the voice of main narrator' is not met"):
        decide(channel, found, role="second", candidate_id=ilseth, why="x", by="")
    decide(channel, found, role="second", candidate_id=corwick, why="other timbre", by="")
    decide(channel, found, role="reserve", candidate_id=linnoway, why="another engine", by="")
    # renamed, a role keeps its decision; removed, its decision says so and can be taken back
    roles = list(channel.brief.roles)
    roles[0] = changed(roles[0], {"name": "lead voice"}, roles)
    set_roles(channel, roles)
    assert decisions(channel.documents)[0].called(channel.brief) == "lead voice"
    set_roles(channel, [one for one in roles if one.id != "french"])
    gone = next(one for one in decisions(channel.documents) if one.role == "french")
    assert changed_since(gone, evaluate(channel)) == ["The brief has this role no more."]
    take_back(channel, "french")
    assert "french" not in {one.role for one in decisions(channel.documents)}
    assert len(every_decision(channel.documents)) == 4, "nothing is erased"


def test_a_role_has_its_own_must_haves_weights_share_and_texts(channel: Project) -> None:
    ilseth, _, linnoway, _ = (one.id for one in channel.shortlist.candidates())
    passages = channel.texts.all()
    channel.texts.describe(passages[2].id, tags=("names",))
    own = Role(
        id="drafts", name="drafts", must_haves=("runs locally",), share_percent=Decimal(50), tags=("names",),
        criteria={"cost": SetTo(weight=100), "quality": SetTo(weight=0, worst=4.5, bars=True)},
    )  # fmt: skip
    set_roles(channel, [*channel.brief.roles, own])
    found = evaluate(channel)
    drafts, main = of(found, "drafts"), of(found, "main")
    assert all(any(g.name == "runs locally" and g.verdict == "no" for g in row.gates) for row in drafts.rows.values())
    assert not any(g.name == "runs locally" for row in main.rows.values() for g in row.gates)
    assert {c.name for c in drafts.criteria if c.weight > 0 and c.name in ("cost", "quality")} == {"cost"}
    bars = {n: next(g for g in row.gates if g.code == "quality at least 4.5") for n, row in drafts.rows.items()}
    assert (bars[ilseth].verdict, bars[linnoway].verdict) == ("yes", "no")
    assert bars[linnoway].name == "quality: at least 4.50"
    score, whole = drafts.rows[ilseth].score, main.rows[ilseth].score
    assert score is not None
    assert whole is not None
    assert (score.passages, whole.passages) == (1, 3), "quality is read from passages with the tag"
    # Tangor's plan: 22 a month includes its characters, so half of the minutes costs the same; Citrange sells them
    half, all_ = (found_.rows[linnoway].cost.own for found_ in (drafts, main))
    assert half is not None
    assert all_ is not None
    assert half.amount * 2 == all_.amount


def test_the_set_is_one_bill_a_plan(channel: Project) -> None:
    """Against the bill of both uses put together by hand, as one would on paper."""
    ilseth, corwick, linnoway, vauclin = channel.shortlist.candidates()
    found = evaluate(channel)
    for role, candidate in (("main", ilseth), ("second", corwick), ("french", vauclin), ("reserve", linnoway)):
        decide(channel, found, role=role, candidate_id=candidate.id, why="x", by="")
    found = evaluate(channel)
    together = chosen_set(found, decisions(channel.documents))
    minutes, bills = channel.brief.minutes_per_month, {}
    for name, uses in (("Tangor", ((ilseth, 1), (corwick, Decimal("0.2")))), ("Citrange", ((vauclin, 1),))):
        characters = sound = Decimal(0)
        for candidate, share in uses:
            rates = found.rows[candidate.id].cost.rates
            sound += minutes * share * 60
            characters += minutes * share * rates.characters_per_minute * rates.billed_per_character
        plan = found.rows[uses[0][0].id].plan
        usage = Usage(characters=characters, sound_s=sound, by_model={uses[0][0].model: characters},
                      days=channel.brief.days_of_work, requests=1)  # fmt: skip
        total = month_cost(plan.tariff, usage).total
        assert total is not None
        bills[name] = total.amount
    assert together.month is not None
    assert together.month.amount == sum(bills.values())
    adds = {one.row.candidate.id: one.adds for one in together.lines}
    assert all(one is not None for one in adds.values())
    assert adds[linnoway.id].amount == 0, "what stands ready under a plan without subscription costs nothing"  # type: ignore[union-attr]
    alone = [row.cost.own.amount for row in (of(found, "main").rows[ilseth.id], of(found, "second").rows[corwick.id])
             if row.cost.own]  # fmt: skip
    assert bills["Tangor"] < sum(alone), "the subscription is paid once"
    said = together.says()
    assert "Roles under one plan share its subscription and allowance; each adds:" in said
    assert any("are all on Tangor: if it fails, all of them do." in one for one in together.remarks)
    channel.set_brief(channel.brief.model_copy(update={"budget_per_month": together.month.amount - 1}))
    found = evaluate(channel)
    assert any("1.00 EUR a month more than the budget" in one for one in chosen_set(
        found, decisions(channel.documents)).remarks)  # fmt: skip


@given(st.lists(st.tuples(st.integers(1, 10**6), st.integers(1, 10**4), st.integers(4, 8)), min_size=2, max_size=5))
def test_uses_add_up_in_any_order(parts: list[tuple[int, int, int]]) -> None:
    uses = [Usage(characters=Decimal(c), sound_s=Decimal(s), requests=1, by_model={"m": Decimal(c)},
                  processing_s=Decimal(s) / 2, characters_per_word=Decimal(w)) for c, s, w in parts]  # fmt: skip
    for order in (uses, uses[::-1]):
        whole = order[0]
        for one in order[1:]:
            whole = whole.plus(one)
        assert (whole.characters, whole.sound_s, whole.requests) == (
            sum(c for c, _, _ in parts), sum(s for _, s, _ in parts), len(parts))  # fmt: skip
        assert whole.processing_s == whole.sound_s / 2
        words = sum(Decimal(c) / w for c, _, w in parts)
        assert float(whole.characters / whole.characters_per_word) == pytest.approx(float(words))
    by_words = Tariff.model_validate(
        {"currency": "EUR", "components": [{"kind": "per unit", "unit": "word", "price": "1"}]})  # fmt: skip
    total = month_cost(by_words, uses[0].plus(uses[1])).total
    assert total is not None
    apart = sum(float(t.amount) for one in uses[:2] if (t := month_cost(by_words, one).total))
    assert float(total.amount) == pytest.approx(apart)


def test_what_a_decision_rested_on_is_kept_and_what_changed_is_said(channel: Project) -> None:
    ilseth, *_ = (one.id for one in channel.shortlist.candidates())
    found = evaluate(channel)
    decision = decide(channel, found, role="main", candidate_id=ilseth, why="warm", by="lead", may_reopen="the board",
                      look_again="2999-01-01")  # fmt: skip
    (kept,) = decisions(channel.documents)
    assert kept == decision
    assert kept.rests_on is not None
    assert (kept.rests_on.place, kept.rests_on.month, kept.rests_on.leader) == (1, "22.00 EUR", ilseth)
    assert changed_since(kept, evaluate(channel)) == []
    weighed = CRITERIA.read(channel.documents) | {"quality": SetTo(weight=0), "cost": SetTo(weight=100)}
    channel.edit_document(CRITERIA, weighed, label="weights")
    said = changed_since(kept, evaluate(channel))
    assert "Weighed otherwise since: money, quality." in said
    assert any(one.startswith("First is ") for one in said)
    channel.history.undo()
    channel.set_brief(channel.brief.model_copy(update={"episode_minutes": Decimal(6000)}))
    assert any(one.startswith("A month costs ") and "not 22.00 EUR" in one for one in changed_since(
        kept, evaluate(channel)))  # fmt: skip
    with pytest.raises(InputError, match="has passed"):
        decide(channel, found, role="main", candidate_id=ilseth, why="x", by="", look_again="2020-01-01")
    late = replace(kept, look_again="2026-01-01")
    assert changed_since(late, evaluate(channel))[0].startswith("To be looked at again since ")
    nobody = decide(channel, found, role="main", candidate_id=None, why="none is warm enough", by="")
    assert decisions(channel.documents)[0] == nobody
    assert every_decision(channel.documents)[0] == kept, "an earlier one is not erased"


def test_a_strangers_day_that_is_none_is_no_day(channel: Project) -> None:
    decided = {"role": "main", "candidate_id": 1, "why": "warm", "by": "", "decided": "2026-12-01"}
    channel.documents.put("decisions", [{**decided, "look_again": "soon"}, {**decided, "look_again": 5}])
    assert [one.look_again for one in every_decision(channel.documents)] == ["", ""]
    assert changed_since(decisions(channel.documents)[0], evaluate(channel)) == []


def test_a_reason_is_there_and_is_no_book(channel: Project) -> None:
    for why, says in (("  ", "needs its reason"), ("x" * 2_001, "longer than 2,000 characters")):
        with pytest.raises(InputError, match=says):
            decide(channel, evaluate(channel), role="main", candidate_id=1, why=why, by="")


def test_why_not_this_one(channel: Project) -> None:
    ilseth, _, linnoway, _ = (one.id for one in channel.shortlist.candidates())
    main = of(evaluate(channel), "main")
    lines = {one.words: one for one in beside(main, ilseth, linnoway)}
    assert lines["Quality"].says == "Tangor · Ilseth is ahead, surely"
    assert (lines["Quality"].worth or 0) > 0
    totals = {one.candidate_id: one.total or 0 for one in main.ranking}
    if not any(one.missing for one in main.ranking):
        worth = sum(one.worth or 0 for one in lines.values())
        assert worth == pytest.approx(totals[ilseth] - totals[linnoway]), "what differs adds up to the difference"
    assert why_not(main, linnoway, ilseth).startswith(("behind in quality", "lacks evidence"))
    channel.set_brief(channel.brief.model_copy(update={"must_haves": ("no watermark",)}))
    main = of(evaluate(channel), "main")
    assert "not known: no watermark" in why_not(main, linnoway, ilseth) or main.ranked(linnoway).missing  # type: ignore[union-attr]


def test_what_is_not_alike_is_said(channel: Project) -> None:
    main = of(evaluate(channel), "main")
    assert not_alike(main) == []
    engine = channel.shortlist.engines()["Tangor"]
    control = next(c for c in engine.controls if c.kind == "number" and c.high is not None)
    channel.shortlist.add(engine, voice="ilseth", settings={control.name: control.high})
    main = of(evaluate(channel), "main")
    assert not_alike(main) == ["Tuned: Tangor · Ilseth, tuned; no voice of Citrange is."]
    ilseth, linnoway = (next(row for row in main.rows.values() if row.candidate.voice == voice)
                        for voice in ("ilseth", "linnoway"))  # fmt: skip
    trial = replace(linnoway, plan=linnoway.plan.model_copy(update={"trial": True}))
    rows = {**main.rows, linnoway.candidate.id: trial}
    assert any(said.startswith("Under a trial or a free plan: Citrange · Linnoway;") for said in not_alike(
        replace(main, rows=rows)))  # fmt: skip
    assert ilseth.score is not None
    seldom = replace(ilseth, score=replace(ilseth.score, listeners=3))
    rows = {**main.rows, ilseth.candidate.id: seldom}
    assert "Heard by fewer than half as many listeners as others (8): Tangor · Ilseth (3)." in not_alike(
        replace(main, rows=rows))  # fmt: skip


def test_each_engine_stands_with_its_best_three_and_a_voice_counts_once(channel: Project) -> None:
    main = of(evaluate(channel), "main")
    tangor, citrange = by_engine(main)
    scores = sorted((row.score.mean for row in main.rows.values() if row.score and row.candidate.engine == "Tangor"),
                    reverse=True)  # fmt: skip
    assert (tangor.engine, tangor.voices) == ("Tangor", 2)
    assert tangor.top == pytest.approx(sum(scores) / 2)
    assert (tangor.best, tangor.worst) == (scores[0], scores[-1])
    assert citrange.says().endswith("(1 voice)")
    twin = next(row for row in main.rows.values() if row.candidate.voice == "ilseth")
    other_route = replace(twin, candidate=replace(twin.candidate, id=99, route="another"))
    assert main.scored is not None
    scored = replace(main.scored, scores={**main.scored.scores, 99: main.scored.scores[twin.candidate.id]})
    assert by_engine(replace(main, rows={**main.rows, 99: other_route}, scored=scored))[0].voices == 2


# -- what would move the winner: against moving it


@settings(max_examples=60)
@given(st.integers(0, 10**6))
def test_tipping_points_are_where_the_winner_moves(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n, k = int(rng.integers(2, 6)), int(rng.integers(1, 4))
    criteria = [Criterion(name=f"c{i}", worst=0.0, best=1.0, weight=float(rng.integers(1, 60))) for i in range(k)]
    evidence = [Evidence(candidate_id=j, values={c.name: float(rng.uniform(-0.2, 1.2)) for c in criteria})
                for j in range(n)]  # fmt: skip

    def first(criteria: list[Criterion], evidence: list[Evidence]) -> int:
        return rank(criteria, evidence)[0].candidate_id

    winner = first(criteria, evidence)
    found = tipping_points(criteria, evidence)
    for one in found:
        at = next(i for i, c in enumerate(criteria) if c.name == one.criterion)
        for past, moves in ((1e-6, True), (-1e-6, False)):
            end = one.at + (past if one.at > one.now else -past) * (abs(one.now) + 1)
            if one.what == "value":
                values = {**evidence[winner].values, one.criterion: end}
                moved = [replace(e, values=values) if e.candidate_id == winner else e for e in evidence]
                assert (first(criteria, moved) != winner) == moves, one
            elif end >= 0 or one.what != "weight":
                other = [replace(c, **{one.what: end}) if i == at else c for i, c in enumerate(criteria)]
                if sum(c.weight for c in other) > 0:
                    assert (first(other, evidence) != winner) == moves, one
    # no weight that is nearer moves it: looked for by brute force
    for i, criterion in enumerate(criteria):
        told = [one.at for one in found if one.criterion == criterion.name and one.what == "weight"]
        for low, high in pairwise(np.linspace(0, 300, 121)):
            weight = float((low + high) / 2)
            inside = all((at > criterion.weight) != (weight > at) for at in told if (at > criterion.weight) == (
                weight > criterion.weight))  # fmt: skip
            other = [replace(c, weight=weight) if j == i else c for j, c in enumerate(criteria)]
            if inside and not any(abs(weight - at) < 1e-6 for at in told) and weight > 0:
                tied = rank(other, evidence)
                assert first(other, evidence) == winner or tied[0].total == pytest.approx(tied[1].total)


# -- figures of any kind are criteria, and projects of before


def test_any_figure_may_be_weighed_and_may_bar() -> None:
    brief = Brief()
    rate = figures()["real-time factor"]
    with pytest.raises(InputError, match="'not acceptable' is missing"):
        set_to(rate, {"weight": "5"}, brief)
    made = set_to(rate, {"weight": "5", "worst": "2", "best": "0.1"}, brief, bars=True)
    assert made == SetTo(weight=5, worst=2, best=0.1, bars=True)
    names = set(figures())
    assert {"test preference", "test multi-stimulus", "test dictation", "test naturalness"} <= names


def test_a_project_of_before_keeps_its_roles_and_decisions(channel: Project, tmp_path: Path) -> None:
    """Roles were names, and a decision stood under its role's name."""
    from sqlalchemy import text

    *_, vauclin = (one.id for one in channel.shortlist.candidates())
    brief = channel.documents.get("brief") | {"roles": ["main narrator", "Édition française", "fall-back"]}
    old = {"candidate_id": vauclin, "runner_up_id": None, "why": "calm", "by": "lead", "decided": "2026-11-01T10:00:00"}
    channel.documents.put("brief", brief)
    channel.documents.put("decisions", [{**old, "role": "Édition française"}, {**old, "role": "gone"}, {"odd": 1}])
    folder = channel.folder
    with channel._database.writing() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '0014'"))
        connection.execute(text("DROP INDEX answers_by_client"))
        later = (("answers", "heard"), ("answers", "client"), ("answers", "sequence"), ("answers", "client_clock"),
                 ("sessions", "sittings"), ("measures", "segments"), ("measures", "curves"))  # fmt: skip
        for table, column in later:
            connection.execute(text(f"ALTER TABLE {table} DROP COLUMN {column}"))
        for table in ("verdicts", "invitations"):
            connection.execute(text(f"DROP TABLE {table}"))
    channel.close()
    opened = Project.open(folder)
    main, french, reserve = opened.brief.roles
    assert (main.name, french.name, french.language) == ("main narrator", "Édition française", "fr-FR")
    assert reserve.not_engine_of == (main.id,)
    kept = decisions(opened.documents)
    assert [one.called(opened.brief) for one in kept] == ["Édition française", "gone"]
    assert kept[0].role == french.id
    decide(opened, evaluate(opened), role=french.id, candidate_id=vauclin, why="still", by="")
    assert json.loads(json.dumps(opened.documents.get("decisions")))[-1]["role_name"] == "Édition française"
    opened.close()


def test_a_new_role_is_unlike_the_others() -> None:
    roles = list(Brief().roles)
    with pytest.raises(InputError, match="two roles have one name"):
        set_roles(_Holds(), [*roles, new_role(roles, "Main Narrator")])
    with pytest.raises(InputError, match="There is no role 'nobody'"):
        changed(roles[0], {"not_engine_of": "nobody"}, roles)
    with pytest.raises(InputError, match="which is no other role"):
        set_roles(_Holds(), [roles[0].model_copy(update={"not_voice_of": (roles[0].id,)})])
    with pytest.raises(InputError, match="there is at least one role"):
        set_roles(_Holds(), [])


_FIELDS = ["id", "name", "language", "not_engine_of", "criteria", "share_percent"]
ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(_FIELDS), inner, max_size=6),
    max_leaves=12,
)


@given(ANYTHING)
def test_a_strangers_roles_never_cost_the_brief(value: object) -> None:
    brief = Brief.model_validate(
        {"channel": "Orchard", "roles": [value, {"id": "a", "name": "A", "not_engine_of": ["x"]}]}
    )
    assert brief.channel == "Orchard"
    assert brief.role("a") == Role(id="a", name="A")
    assert Brief.model_validate(brief.model_dump(mode="json")) == brief


class _Holds:
    brief = Brief()

    def set_brief(self, brief: Brief, *, label: str = "brief") -> None:
        raise AssertionError(label, brief)
