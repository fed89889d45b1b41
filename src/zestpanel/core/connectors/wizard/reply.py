"""One real reply looked into: where its sound is, and what it says about itself."""

from __future__ import annotations

import json
import re
from typing import Any, Final

from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.connectors.http.connector import by_content_type
from zestpanel.core.connectors.http.finding import uncoded
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr

_AUDIO_WORDS: Final = re.compile(r"(audio|sound|speech|wav|mp3|pcm|data|content)", re.IGNORECASE)


def look_into(received: Received) -> tuple[dict[str, Any], list[str]]:
    """(the reply's places as a connector file states them, what was understood), from one real reply."""
    data, kind = received.data, received.headers.get("content-type", "").lower()
    reply: dict[str, Any] = {}
    understood: list[str] = []
    if sound := kind_of_sound(data):
        understood.append(tr("The reply is a {upper} file.", upper=sound.upper()))
    elif kind.startswith("multipart/"):
        reply["audio"] = "part audio/"
        understood.append(tr("The reply has several parts; the one of type audio is taken."))
    elif "event-stream" in kind:
        reply["audio"] = _stream_place(data, "events")
    elif "ndjson" in kind or "jsonl" in kind:
        reply["audio"] = _stream_place(data, "lines")
    elif (tree := _as_json(data)) is not None:
        reply |= _json_places(tree, understood)
    elif by_content_type(kind)[0] != "file" and by_content_type(kind)[1]:
        reply |= {"encoding": "content type", "rate_hz": "content type"}
        understood.append(tr("The reply is raw samples, as its content type says ({kind}).", kind=kind))
    elif kind.startswith(("audio/", "application/octet-stream")) and len(data) > 2000:
        understood.append(
            tr(
                "The reply is no known sound file. If it is raw samples, the documentation says which: write encoding "
                "(such as pcm_s16le) and rate_hz under reply. Nothing is guessed: a wrong rate or encoding "
                "is only noise."
            )
        )
    else:
        understood.append(tr("No sound was found in the reply."))
    for name in received.headers:
        low = name.lower()
        if "character" in low and "remain" not in low and "characters_billed" not in reply:
            reply["characters_billed"] = f"header {name}"
        elif ("remain" in low or low.endswith("-left")) and "allowance_left" not in reply:
            reply["allowance_left"] = f"header {name}"
        elif low.endswith("voice") and "voice_used" not in reply:
            reply["voice_used"] = f"header {name}"
    understood += [f"{what.replace('_', ' ')}: {place}" for what, place in reply.items() if what != "audio"]
    if "audio" in reply:
        understood.insert(0, tr("sound at: {reply}", reply=reply["audio"]))
    return reply, understood


def _as_json(data: bytes) -> Any:
    try:
        tree = json.loads(data)
    except (ValueError, RecursionError):
        return None
    return tree if isinstance(tree, dict | list) else None


def _stream_place(data: bytes, kind: str) -> str:
    """The path of the sound in the first piece of a stream that holds some."""
    for line in data.decode("utf-8", errors="replace").splitlines():
        tree = _as_json(line.removeprefix("data:").strip().encode())
        for path, value in leaves(tree):
            if isinstance(value, str) and len(value) > 64 and _decodes(value):
                return f"{kind} {path}"
    return kind


def _decodes(text: str) -> bytes:
    try:
        return uncoded(text, "")
    except SynthesisFailure:
        return b""


def leaves(tree: Any, path: str = "") -> list[tuple[str, Any]]:
    """(path, value) of what a JSON tree holds; of a list its first three."""
    if isinstance(tree, dict):
        pairs = [(f"{path}.{name}".lstrip("."), value) for name, value in tree.items()]
    elif isinstance(tree, list):
        pairs = [(f"{path}.{i}".lstrip("."), value) for i, value in enumerate(tree[:3])]
    else:
        return [(path, tree)] if path else []
    return [leaf for inner, value in pairs for leaf in leaves(value, inner)]


def _json_places(tree: Any, understood: list[str]) -> dict[str, Any]:
    reply: dict[str, Any] = {}
    best: tuple[int, str, bytes] = (0, "", b"")
    for path, value in leaves(tree):
        name = path.rsplit(".", 1)[-1].lower()
        if isinstance(value, str) and len(value) > 200 and (raw := _decodes(value)):
            rank = 2 if kind_of_sound(raw) else 1 if _AUDIO_WORDS.search(name) else 0
            if rank and (rank, len(raw)) > (best[0], len(best[2])):
                best = (rank, path, raw)
        elif isinstance(value, str) and re.match(r"^https?://\S+$", value) and not reply.get("audio"):
            if _AUDIO_WORDS.search(path) or re.search(r"\.(wav|mp3|ogg|flac)", value):
                reply["audio"] = f"link {path}"
        elif isinstance(value, int) and not isinstance(value, bool) and "character" in name:
            reply.setdefault("characters_billed", f"json {path}")
        elif isinstance(value, int) and not isinstance(value, bool) and ("remain" in name or name == "left"):
            reply.setdefault("allowance_left", f"json {path}")
        elif isinstance(value, str) and name in ("voice", "voice_id", "voicename"):
            reply.setdefault("voice_used", f"json {path}")
    if best[0]:
        reply["audio"] = f"json {best[1]}"
        if best[0] == 1:
            understood.append(
                tr(
                    "The sound in it is no known sound file. If it is raw samples, the documentation says which: write "
                    "encoding (such as pcm_s16le) and rate_hz under reply. Nothing is guessed: a wrong one is "
                    "only noise."
                )
            )
    elif "audio" not in reply:
        understood.append(tr("The reply is JSON and holds no sound: say where it is."))
    return reply
