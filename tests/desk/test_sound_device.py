"""What leaves the program at the sound device, recorded there, and what comes in at the microphone."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
from PyQt6.QtCore import QByteArray, QObject
from PyQt6.QtMultimedia import QMediaDevices
from pytestqt.qtbot import QtBot

from tests import sound_journey
from tests.conftest import tone
from tests.sound_server import RATE_HZ, SoundServer, swaps_heard
from tests.sound_voices import voice
from zestpanel.core.playback.mixer import Mixer
from zestpanel.core.store.project import Project
from zestpanel.desk.playing.output import open_output

ROOT = Path(__file__).parents[2]
# a machine that stands still for some time makes gaps that no program can help: so many swaps of twelve are without one
UNDISTURBED = 4
SHORTEST_GAP = 48  # frames, a millisecond


@pytest.fixture
def server() -> Iterator[SoundServer]:
    before = os.getpriority(os.PRIO_PROCESS, 0)
    with suppress(PermissionError):  # the other tests take both processors
        os.setpriority(os.PRIO_PROCESS, 0, -15)
    with SoundServer() as made:
        yield made
    os.setpriority(os.PRIO_PROCESS, 0, before)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    sound_journey.make(tmp_path / "Sound.zest")
    return tmp_path / "Sound.zest"


def journey(server: SoundServer, folder: Path, *arguments: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "tests.sound_journey", str(folder), *arguments], cwd=ROOT, text=True,
        env={**os.environ, **server.environment}, stdin=subprocess.PIPE, stdout=subprocess.PIPE,
    )  # fmt: skip


def read_until(program: subprocess.Popen[str], word: str) -> list[str]:
    """Lines that the program prints, up to one that begins with the word."""
    assert program.stdout is not None
    lines = []
    for line in program.stdout:
        lines.append(line.strip())
        if line.startswith(word):
            return lines
    raise AssertionError(f"it ended without '{word}': {lines[-3:]}")


def test_swaps_leave_the_program_at_the_same_word_equally_loud_and_without_a_click(
    server: SoundServer, folder: Path
) -> None:
    server.listen()
    program = journey(server, folder, "swap", "12", "then unplugged")
    lines = read_until(program, "playing")
    keys = [float(line.split()[1]) for line in lines if line.startswith("key")]
    heard = swaps_heard(server, keys)
    steady = 0.1 * (2 * np.pi * 2200 / RATE_HZ) ** 2  # second difference of the highest tone there is
    # a machine that stands still leaves gaps: those swaps say nothing, and enough others have to be left
    clean = [one for one in heard if one.rough < steady and one.gap < SHORTEST_GAP]
    assert len(clean) >= UNDISTURBED
    for one in clean:
        assert 0 <= one.behind - one.before < 0.2, "on at the same word"
    # the louder and the softer voice come out alike: by an independent meter of BS.1770 loudness
    meter = pyloudnorm.Meter(RATE_HZ)
    levels = [meter.integrated_loudness(voice(k)[0]) for k in (0, 1)]
    sides = [((k + n) % 2, loud) for k, one in enumerate(heard) if one in clean for n, loud in enumerate(one.loud)]
    heard_rms = [float(np.median([loud for of, loud in sides if of == k])) for k in (0, 1)]
    gains = [20 * np.log10(heard_rms[k] * np.sqrt(2) / (0.1 * (k + 1))) for k in (0, 1)]
    assert levels[0] + gains[0] == pytest.approx(levels[1] + gains[1], abs=0.3)
    assert program.stdin is not None
    program.stdin.write("\n")
    program.stdin.flush()
    read_until(program, "plays")
    server.unplug()
    assert "sound device is gone" in read_until(program, "said")[-1]
    server.plug_in("another")
    server.listen("another")
    program.stdin.write("\n")
    program.stdin.close()
    read_until(program, "plays on")
    assert program.wait(timeout=60) == 0


def test_an_impression_is_said_aloud_kept_and_heard_again(server: SoundServer, folder: Path) -> None:
    program = journey(server, folder, "say")
    read_until(program, "recording")
    server.say(0.2 * tone(700, 0, 2.5).samples[:, 0])
    read_until(program, "heard again")
    assert program.wait(timeout=60) == 0
    project = Project.open(folder)
    ((kept,),) = project.impressions.all().values()
    clip = project.impressions.load(kept)
    project.close()
    assert clip.duration_s >= 3
    spectrum = np.abs(np.fft.rfft(clip.samples[:, 0]))
    assert np.fft.rfftfreq(clip.frames, 1 / clip.rate_hz)[spectrum.argmax()] == pytest.approx(700, abs=2)


def test_a_sound_server_without_a_device_is_no_device(monkeypatch: pytest.MonkeyPatch, qtbot: QtBot) -> None:
    """PulseAudio makes up a sink of this name where there is none (module-always-sink); nobody hears it."""

    class MadeUp:
        def isNull(self) -> bool:
            return False

        def id(self) -> QByteArray:
            return QByteArray(b"auto_null")

        def isFormatSupported(self, _: object) -> bool:
            return True

    monkeypatch.setattr(QMediaDevices, "defaultAudioOutput", MadeUp)
    parent = QObject()
    assert not open_output(Mixer(), parent).heard
