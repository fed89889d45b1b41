"""Ten thousand damaged inputs through every parser, decoder and reader of replies: see ``tests/fuzzing.py``."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest

from tests import fuzzing
from tests.fuzz_targets import TARGETS, Target

ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("half", [0, 1])
def test_damaged_input_gets_an_answer_or_one_of_our_sentences(half: int) -> None:
    names = list(TARGETS)[half::2]
    done = subprocess.run([sys.executable, "-m", "tests.fuzzing", "1200", "2611", "-", *names], cwd=ROOT, text=True,
                          stdout=subprocess.PIPE, check=True)  # fmt: skip
    *wrong, last = map(json.loads, done.stdout.splitlines())
    assert not wrong, json.dumps(wrong[:5], indent=1)
    assert sum(last["tried"].values()) >= 1_190
    assert set(last["tried"]) == set(names)


def test_what_the_fuzzer_calls_wrong_is_wrong() -> None:
    """It tells a traceback, an endless loop, too much memory and a sentence without an end from what is right."""

    def wrong(take: object) -> str:
        return fuzzing.tried(replace(TARGETS["ssml"], take=take), b"x")  # type: ignore[arg-type]

    def endless(_: bytes) -> None:
        while True:
            pass

    def long_sentence(_: bytes) -> None:
        error = fuzzing.ZestError("a")  # type: ignore[attr-defined]
        error.args = ("b" * 5_000,)
        raise error

    assert wrong(TARGETS["ssml"].take) == ""
    assert "KeyError" in wrong(lambda data: {}[data])
    assert wrong(endless) == "more than two seconds"
    assert "without a fit sentence" in wrong(long_sentence)
    assert isinstance(TARGETS["ssml"], Target)
