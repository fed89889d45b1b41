"""Rendering with local engines, and measuring, on workers of other machines, through Dask's ``distributed``.

Only what costs this machine its time is sent away: engines that are programs, and the measuring. Requests to hosted
services stay here, so that no key and no paid request travels. Work whose worker dies is given to another one by the
scheduler; that is safe because nothing of it is paid for. Optional: ``pip install 'zestpanel[cluster]'``.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, Final

from zestpanel.core.audio.files import decode
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.opening import connector_of
from zestpanel.core.connectors.speaking import Connector, Reply, SpeakRequest
from zestpanel.core.domain.take import Measured, WordTimes
from zestpanel.core.errors import AudioError, InputError, SynthesisFailure, ZestError
from zestpanel.core.errors import Cancelled as WasCancelled
from zestpanel.core.runs.execute.executors import LocalExecutor
from zestpanel.core.runs.plan.circumstances import describe_machine
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled

_LOOK_S: Final = 0.1
_CONNECT_S: Final = 10


class DaskExecutor:
    """An executor whose workers are those of a Dask scheduler. Raises InputError when it cannot be reached."""

    def __init__(self, address: str) -> None:
        try:
            import distributed
        except ImportError as error:
            raise InputError(
                tr("Workers on other machines need the package 'distributed', which is not installed."),
                kept=tr("Nothing was sent."),
                remedy=tr("Install it with: pip install 'zestpanel[cluster]'"),
            ) from error
        try:
            client: Any = distributed.Client
            self._client: Any = client(address, timeout=_CONNECT_S, set_as_default=False)
        except (OSError, ValueError) as error:
            raise InputError(
                tr("No scheduler answers at {address} ({error}).", address=address, error=error),
                kept=tr("Nothing was sent."),
                remedy=tr("Check the address."),
            ) from error
        self._here = LocalExecutor()
        self.tell: Callable[[str, str], None] = lambda engine, text: None

    @property
    def measuring_at_once(self) -> int:
        threads: dict[str, int] = self._client.nthreads()
        return max(1, sum(threads.values()))

    def speak(self, engine: Engine, request: SpeakRequest, cancelled: Cancelled, *, cold: bool) -> Reply:
        if engine.speak.kind != "command":
            return self._here.speak(engine, request, cancelled, cold=cold)
        require_agreement(engine)
        document = engine.model_dump(mode="json", by_alias=True)
        recording = Path(request.reference).read_bytes() if request.reference else b""
        future = self._client.submit(_speak_there, document, request, recording, cold, pure=False)
        answer = self._answer(future, cancelled)
        if "failed" in answer:
            kind, what, retry_after_s, of_key = answer["failed"]
            raise SynthesisFailure(kind, what, retry_after_s=retry_after_s, of_key=of_key)
        reply: Reply = answer["reply"]
        return reply

    def measure(
        self, clip: Path, text: str, language: str, words: WordTimes, *, only: Collection[str] = (),
        before: Measured | None = None,
    ) -> Measured:  # fmt: skip
        asked = (clip.read_bytes(), text, language, words, tuple(only), before)
        future = self._client.submit(_measure_there, *asked, pure=False)
        answer = self._answer(future, lambda: False)
        if "error" in answer:
            raise AudioError(answer["error"])
        measured: Measured = answer["measured"]
        return measured

    def _answer(self, future: Any, cancelled: Cancelled) -> dict[str, Any]:
        from distributed import TimeoutError as NotYet

        while True:
            try:
                answer: dict[str, Any] = future.result(timeout=_LOOK_S)
                return answer
            except NotYet:
                if cancelled():
                    future.cancel()
                    raise WasCancelled from None
            except Exception as error:  # the scheduler gave it up, after workers died with it
                raise ZestError(
                    tr("The workers could not do it: {error}", error=error), kept=tr("Nothing was lost.")
                ) from error

    def close(self) -> None:
        self._here.close()
        self._client.close()


# -- on the worker

_connectors: dict[str, Connector] = {}
_lock = threading.Lock()


def _speak_there(document: Mapping[str, Any], request: SpeakRequest, recording: bytes, cold: bool) -> dict[str, Any]:
    """Speak with a program of the worker's machine; its timing says on which machine. Failures come back as data."""
    import tempfile

    engine = Engine.model_validate(document)
    with tempfile.TemporaryDirectory(prefix="zest-") as folder:
        if recording:
            path = Path(folder) / "recording.flac"
            path.write_bytes(recording)
            request = replace(request, reference=str(path))
        try:
            with _lock:
                connector = None if cold else _connectors.get(engine.engine)
                if connector is None:
                    connector = connector_of(engine)
                    if not cold:
                        _connectors[engine.engine] = connector
            try:
                reply = connector.speak(request)
            finally:
                if cold:
                    connector.close()
        except SynthesisFailure as failure:
            return {"failed": (failure.kind, failure.what, failure.retry_after_s, failure.of_key)}
    if reply.timing is not None:
        reply = replace(reply, timing=replace(reply.timing, machine=describe_machine()))
    return {"reply": reply}


def _measure_there(
    data: bytes, text: str, language: str, words: WordTimes, only: tuple[str, ...], before: Measured | None
) -> dict[str, Any]:
    from zestpanel.core.measures.registry import measure

    try:
        return {"measured": measure(decode(data), text, language, words, only=only, before=before)}
    except ZestError as error:
        return {"error": str(error)}
