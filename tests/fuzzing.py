"""Damaged and hostile input for every parser, decoder and reader of replies, through the door a person's file takes.

What is right: an answer, or one of our own errors, within two seconds of the processor and 500 MB. ``./zest test``
tries 10,000 inputs, the same ones each time; ``./zest test --deep`` a million, others each time.
"""

from __future__ import annotations

import json
import random
import resource
import signal
import sys
import time
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Final

from tests.fuzz_targets import TARGETS, Target
from zestpanel.core.errors import ZestError

SECONDS: Final = 2.0
MEMORY: Final = 500_000_000
_ODD: Final = [
    b"\0", b"\xff", b"\xed\xa0\x80", b"\xf0\x9d\x84\x9e", "²".encode(), b"1e999", b"-1", b"NaN", b"9" * 400, b"\n" * 50,
    b"<" * 300, b"[" * 2_000, b'{"a":' * 2_000, b"(" * 300, b"*a " * 300, b"&a;", b"\\ud800", b"\r", b"\x1b[2J",
    b" " * 2_000, b"a" * 20_000, b"%s%n", b"../../etc", b"2028-02-29", b"99999999999999999999",
]  # fmt: skip


class TooSlow(BaseException):
    """Past two seconds of the processor."""


def mutated(data: bytes, words: list[bytes], rng: random.Random) -> bytes:
    """One to eight changes: bytes, numbers, pieces left out, doubled, moved, cut off, or words put in."""
    out = bytearray(data)
    for _ in range(1 << rng.randrange(4)):
        at = rng.randrange(len(out) + 1)
        end = min(len(out), at + (1 << rng.randrange(9)))
        match rng.randrange(9):
            case 0 if out:
                out[at % len(out)] = rng.randrange(256)
            case 1 if out:
                out[at % len(out)] ^= 1 << rng.randrange(8)
            case 2:
                del out[at:end]
            case 3:
                out[at:at] = out[at:end] * (1 << rng.randrange(5))
            case 4:
                out[at:at] = rng.choice(_ODD)
            case 5:
                out[at:at] = rng.choice(words)
            case 6:
                out[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", bytes(4), b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f"])
            case 7:
                piece = out[at:end]
                del out[at:end]
                place = rng.randrange(len(out) + 1)
                out[place:place] = piece
            case _ if rng.random() < 0.2:
                del out[at:]
    return bytes(out[:200_000])


def tried(target: Target, data: bytes) -> str:
    """'' when all is right, else what is not."""

    def late(*_: object) -> None:
        raise TooSlow

    signal.signal(signal.SIGVTALRM, late)
    signal.setitimer(signal.ITIMER_VIRTUAL, SECONDS)
    began = time.process_time()
    try:
        target.take(data)
    except ZestError as error:
        if not str(error).strip() or "Traceback" in str(error) or len(str(error)) > 1_500:
            return f"an error without a fit sentence: {str(error)[:200]!r}"
        str(error).encode("utf-8")
    except TooSlow:
        return "more than two seconds"
    except MemoryError:
        return "more than 500 MB"
    except BaseException:
        return traceback.format_exc(limit=-4)
    finally:
        signal.setitimer(signal.ITIMER_VIRTUAL, 0)
    taken = time.process_time() - began
    return f"{taken:.1f} s" if taken > SECONDS else ""


def inputs(target: Target, rng: random.Random) -> Iterator[bytes]:
    words = target.words or [b""]
    while True:
        seed = rng.choice(target.seeds)
        if target.inside is not None and rng.random() < 0.8:
            yield target.inside(seed, lambda data: mutated(data, words, rng))
        else:
            yield mutated(seed, words, rng)


def fuzz(names: list[str], count: int, seed: int, keep: Callable[[str, bytes, str], None]) -> dict[str, int]:
    """Try a number of inputs, shared by the targets according to their weight; how many were tried of each."""
    baseline = int(Path("/proc/self/statm").read_text().split()[5]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_DATA, (baseline + MEMORY, resource.RLIM_INFINITY))
    whole = sum(TARGETS[name].weight for name in names)
    done: dict[str, int] = {}
    for name in names:
        target = TARGETS[name]
        rng = random.Random(f"{seed} {name}")
        source = inputs(target, rng)
        done[name] = max(1, round(count * target.weight / whole))
        for _ in range(done[name]):
            data = next(source)
            if wrong := tried(target, data):
                keep(name, data, wrong)
    return done


def main() -> None:
    """fuzzing COUNT SEED FOLDER [NAME ...]: prints what was tried, a JSON line each for what went wrong."""
    count, seed, folder, *names = sys.argv[1:]
    wrong = 0

    def keep(name: str, data: bytes, what: str) -> None:
        nonlocal wrong
        wrong += 1
        if folder != "-" and wrong <= 200:
            (Path(folder) / f"{name.replace(' ', '-')}-{wrong}").write_bytes(data)
        shown: dict[str, Any] = {"target": name, "what": what, "bytes": len(data), "begins": repr(data[:300])}
        print(json.dumps(shown), flush=True)

    done = fuzz(names or list(TARGETS), int(count), int(seed), keep)
    print(json.dumps({"tried": done, "wrong": wrong}), flush=True)
    sys.exit(1 if wrong and folder != "-" else 0)


if __name__ == "__main__":
    main()
