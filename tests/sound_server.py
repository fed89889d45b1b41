"""A sound server of a test's own. What the program plays goes to a sink that nobody hears and that is recorded from;
its microphone hears what a test says."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Self

import numpy as np
from scipy.signal import hilbert

from tests.sound_voices import APART_HZ, BETWEEN_HZ, LOW_HZ, STEP_HZ

RATE_HZ = 48_000
_CHUNK = 8 * RATE_HZ // 500  # 2 ms of two channels of 32 bits


class SoundServer:
    """environment: what a program needs to find it."""

    def __init__(self) -> None:
        self._folder = Path(tempfile.mkdtemp(prefix="zest-sound-"))
        self._chunks: list[tuple[float, bytes]] = []
        self._recording: subprocess.Popen[bytes] | None = None
        socket = self._folder / "native"
        self.environment = {"PULSE_SERVER": f"unix:{socket}", "PULSE_RUNTIME_PATH": str(self._folder)}

    def __enter__(self) -> Self:
        program = shutil.which("pulseaudio")
        assert program is not None, "pulseaudio is needed: ./zest test installs it"
        home = {**os.environ, **self.environment, "HOME": str(self._folder), "XDG_RUNTIME_DIR": str(self._folder)}
        del home["PULSE_SERVER"]  # it is the server
        modules = (
            f"module-native-protocol-unix socket={self._folder}/native auth-anonymous=1",
            f"module-null-sink sink_name=room rate={RATE_HZ}",
            f"module-null-sink sink_name=said rate={RATE_HZ}",
            "module-remap-source master=said.monitor source_name=microphone",
        )
        loads = [part for module in modules for part in ("-L", module)]
        self._server = subprocess.Popen(
            [program, "-n", "--daemonize=no", "--use-pid-file=no", "--exit-idle-time=-1", *loads],
            env=home, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        until = time.monotonic() + 20
        while self._tool("pactl", "set-default-sink", "room").returncode:
            assert time.monotonic() < until, "the sound server does not answer"
            time.sleep(0.05)
        self._tool("pactl", "set-default-source", "microphone")
        return self

    def __exit__(self, *_: object) -> None:
        if self._recording is not None:
            self._recording.terminate()
        self._server.terminate()
        self._server.wait()
        shutil.rmtree(self._folder, ignore_errors=True)

    def _tool(self, *arguments: str) -> subprocess.CompletedProcess[bytes]:
        return subprocess.run(arguments, env={**os.environ, **self.environment}, capture_output=True)

    def unplug(self) -> None:
        """There is no device that plays any more, in the middle of whatever plays."""
        modules = self._tool("pactl", "list", "short", "modules").stdout.decode().splitlines()
        for line in reversed([one for one in modules if "null-sink" in one]):
            self._tool("pactl", "unload-module", line.split()[0])

    def plug_in(self, name: str) -> None:
        self._tool("pactl", "load-module", "module-null-sink", f"sink_name={name}")

    def say(self, samples: np.ndarray) -> None:
        """Say (frames,) at 48 kHz into the microphone; it is said when this returns."""
        subprocess.run(
            ["pacat", "--device=said", "--rate=48000", "--channels=1", "--format=float32le"],
            env={**os.environ, **self.environment},
            input=samples.astype(np.float32).tobytes(),
            check=True,
        )

    def listen(self, sink: str = "room") -> None:
        """Begin to record what is played. A sink that nobody listens to plays a second or two at a time; one that is
        recorded from is as quick as a real device."""
        self._chunks.clear()
        self._recording = subprocess.Popen(
            ["parec", f"--device={sink}.monitor", f"--rate={RATE_HZ}", "--channels=2", "--format=float32le",
             "--latency-msec=4", "--raw"],
            env={**os.environ, **self.environment}, stdout=subprocess.PIPE, bufsize=0,
        )  # fmt: skip
        threading.Thread(target=self._take, args=(self._recording,), daemon=True).start()
        until = time.monotonic() + 20
        while not self._chunks:
            assert time.monotonic() < until, "nothing comes from the sound server"
            time.sleep(0.01)

    def _take(self, recording: subprocess.Popen[bytes]) -> None:
        assert recording.stdout is not None
        while data := recording.stdout.read(_CHUNK):
            self._chunks.append((time.monotonic(), data))

    def heard(self) -> np.ndarray:
        """What was played since ``listen``: (frames, 2), full scale 1."""
        data = b"".join(data for _, data in list(self._chunks))
        return np.frombuffer(data[: len(data) // 8 * 8], np.float32).reshape(-1, 2)

    def frame_at(self, moment: float) -> int:
        """The first frame of ``heard`` that came after a moment."""
        return sum(len(data) // 8 for came, data in list(self._chunks) if came < moment)

    def came_at(self, frame: int) -> float:
        """When a frame of ``heard`` came, by time.monotonic(): no sooner than it was played."""
        seen = 0
        for moment, data in list(self._chunks):
            seen += len(data) // 8
            if seen > frame:
                return moment
        raise IndexError(frame)


@dataclass(frozen=True, slots=True)
class Swap:
    """after_s: from the key to the first sound of the other voice as it came from the server; before, behind: the place
    in the text (words) on both sides of it, by the pitch that is heard; rough: the greatest second difference; gap: its
    longest silence in frames, as a machine that stands still leaves one."""

    after_s: float
    before: float
    behind: float
    loud: tuple[float, float]
    rough: float
    gap: int


def swaps_heard(server: SoundServer, keys: list[float]) -> list[Swap]:
    """What was heard at each swap of ``sound_journey``: the first key asks for the second voice."""
    sound = server.heard()[:, 0].astype(float)
    analytic = hilbert(sound)
    hz = np.convolve(np.diff(np.unwrap(np.angle(analytic))) * RATE_HZ / (2 * np.pi), np.ones(96) / 96, "same")
    loud = np.abs(analytic)
    found = []
    for k, key in enumerate(keys):
        first = server.frame_at(key)
        part = slice(first, first + RATE_HZ // 2)
        other = (hz[part] > BETWEEN_HZ) if k % 2 == 0 else (hz[part] < BETWEEN_HZ) & (hz[part] > LOW_HZ / 2)
        steady = np.convolve(other & (loud[part][: len(other)] > 0.02), np.ones(240), "valid") >= 236
        at = first + int(np.argmax(steady))
        sides = [slice(at - 1500, at - 600), slice(at + 600, at + 1500)]
        before, behind = (_place(float(np.median(hz[side]))) for side in sides)
        left, right = (float(np.sqrt(np.mean(sound[side] ** 2))) for side in sides)
        rough = float(np.abs(np.diff(sound[at - 1200 : at + 1200], 2)).max())
        silent = "".join("1" if value else "0" for value in np.abs(sound[at - 1500 : at + 1500]) < 1e-6)
        gap = max(map(len, silent.split("0")))
        found.append(Swap(server.came_at(at) - key, before, behind, (left, right), rough, gap))
    return found


def _place(hz: float) -> float:
    return (hz - LOW_HZ - (APART_HZ if hz > BETWEEN_HZ else 0)) / STEP_HZ
