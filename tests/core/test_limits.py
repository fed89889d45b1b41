"""What engines may take: time as a whole, bytes, processes; and a stop is a stop."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.core.test_connector_kinds import ASKED, made, raw_server
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.errors import Cancelled, SynthesisFailure

LONG = "import time; time.sleep(60)"


def command(code: str, *more: str, resident: bool = False, timeout_s: float = 30) -> Callable[[], object]:
    engine = made({"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", code, *more], "resident": resident,
                   "timeout_s": timeout_s})  # fmt: skip
    connector = open_connector(engine)

    def speak() -> object:
        try:
            return connector.speak(ASKED)
        finally:
            connector.close()

    return speak


def leaving(note: Path, session: bool, then: str) -> str:
    """A program that starts another one, in its group or in a session of its own, and notes its number."""
    return (
        "import subprocess, sys, time\n"
        f"p = subprocess.Popen([sys.executable, '-c', {LONG!r}], start_new_session={session})\n"
        f"open({str(note)!r}, 'w').write(str(p.pid)); {then}"
    )


def hidden(note: Path) -> str:
    """A program that leaves a daemon behind: forked twice, in a session of its own, with an empty environment, so that
    neither its parent nor its group nor a variable tells whose it is."""
    return (
        "import os, sys, time\n"
        "if os.fork() == 0:\n"
        "    os.setsid()\n"
        "    if os.fork() == 0:\n"
        f"        open({str(note)!r}, 'a').write(f'{{os.getpid()}} ')\n"
        f"        os.execve(sys.executable, [sys.executable, '-c', {LONG!r}], {{}})\n"
        "    os._exit(0)\n"
        "os.wait()\n"
        f"while not (os.path.exists({str(note)!r}) and open({str(note)!r}).read()): time.sleep(0.01)\n"
    )


def alive(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def gone(pid: int) -> bool:
    until = time.monotonic() + 5
    while alive(pid) and time.monotonic() < until:
        time.sleep(0.02)
    return not alive(pid)


def drip_headers(_: bytes, connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 200 OK\r\n")
    while True:
        connection.sendall(b"X-More: 1\r\n")
        time.sleep(0.2)


def drip_body(_: bytes, connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 200 OK\r\nConnection: close\r\n\r\n")
    while True:
        connection.sendall(b"x")
        time.sleep(0.2)


def silence(_: bytes, connection: socket.socket) -> None:
    time.sleep(20)


@pytest.mark.parametrize("answer", [drip_headers, drip_body])
def test_what_drips_is_over_after_the_time_as_a_whole(answer: Callable[[bytes, socket.socket], None]) -> None:
    with raw_server(answer) as address:
        connector = open_connector(made({"address": address, "secret": "", "headers": {}, "whole_timeout_s": 1.5}))
        began = time.monotonic()
        with pytest.raises(SynthesisFailure, match=r"not whole after 1\.5 s") as caught:
            connector.speak(ASKED)
        assert caught.value.kind == "timed out"
        assert time.monotonic() - began < 5  # far below the read time-out; a slow machine has room
        connector.close()


@pytest.mark.parametrize("answer", [drip_headers, drip_body])
def test_a_stop_does_not_wait_for_the_service(answer: Callable[[bytes, socket.socket], None]) -> None:
    stop = threading.Event()
    with raw_server(answer) as address:
        connector = open_connector(made({"address": address, "secret": "", "headers": {}}))
        threading.Timer(0.5, stop.set).start()
        began = time.monotonic()
        with pytest.raises(Cancelled):
            connector.speak(ASKED, stop.is_set)
        assert time.monotonic() - began < 5
        connector.close()


def test_a_program_that_floods_is_stopped(monkeypatch: pytest.MonkeyPatch) -> None:
    for module in ("command", "programs"):
        monkeypatch.setattr(f"zestpanel.core.connectors.{module}.LARGEST_OUTPUT", 4_000_000)
    flood = "import sys\nwhile True: sys.stdout.buffer.write(bytes(1 << 16))"
    with pytest.raises(SynthesisFailure, match="and was stopped"):
        command(flood, "{text}")()
    to_file = "import sys\nf = open(sys.argv[1], 'wb')\nwhile True: f.write(bytes(1 << 16)); f.flush()"
    with pytest.raises(SynthesisFailure, match="and was stopped"):
        command(to_file, "{output}", "{text}")()


@pytest.mark.parametrize("resident", [False, True])
def test_a_program_that_never_stops_talking_is_stopped(monkeypatch: pytest.MonkeyPatch, resident: bool) -> None:
    monkeypatch.setattr(f"zestpanel.core.connectors.{'resident' if resident else 'command'}.LARGEST_CONSOLE", 4_000_000)
    talk = "import sys\nwhile True: sys.stderr.write('more ' * 9999)"
    with pytest.raises(SynthesisFailure, match="and was stopped"):
        command(talk, resident=resident)()


@pytest.mark.parametrize("how", ["child", "session", "daemon"])
def test_what_a_program_leaves_running_ends_with_the_call(tmp_path: Path, how: str) -> None:
    """A child in its group, one that made a session of its own, and a daemon."""
    note = tmp_path / "pid"
    then = "time.sleep(0.5); sys.exit(3)"
    code = hidden(note) + then if how == "daemon" else leaving(note, how == "session", then)
    with pytest.raises(SynthesisFailure, match="ended with status 3"):
        command(code, "{text}")()
    assert not alive(int(note.read_text()))  # at once: nothing of it is there when the next text goes out


@pytest.mark.parametrize("resident", [False, True])
def test_a_child_that_holds_the_pipe_is_not_waited_for(tmp_path: Path, resident: bool) -> None:
    note = tmp_path / "pid"
    code = leaving(note, True, f"time.sleep({30 if resident else 0.3})")
    began = time.monotonic()
    with pytest.raises(SynthesisFailure):
        command(code, *([] if resident else ["{text}"]), resident=resident, timeout_s=2)()
    assert time.monotonic() - began < 20
    assert gone(int(note.read_text()))


def test_a_text_is_no_option_of_the_program() -> None:
    """POSIX.1, utility syntax guideline 10: what follows -- is an operand."""
    from dataclasses import replace

    from zestpanel.core.connectors.programs import Program

    minus = replace(ASKED, text="--output=/etc/passwd")
    with pytest.raises(SynthesisFailure, match="would take for an option; it was not run") as caught:
        Program(made({"kind": "command", "arguments": ["say", "{text}"]})).arguments(minus)
    assert caught.value.kind == "bad text"
    guarded = Program(made({"kind": "command", "arguments": ["say", "--", "{text}"]})).arguments(minus)
    assert guarded == ["say", "--", minus.text]
    given = Program(made({"kind": "command", "arguments": ["say", "--text={text}"]})).arguments(minus)
    assert given == ["say", f"--text={minus.text}"]
    low = replace(ASKED, settings={"pitch": -3.5})
    assert Program(made({"kind": "command", "arguments": ["say", "{pitch}"]})).arguments(low) == ["say", "-3.5"]
