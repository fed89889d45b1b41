"""What engines may use on this machine: each program, host, key, folder and plug-in was agreed to by its user, once.

A connector file comes from anybody: with a project, dropped on the window, pasted. What it names is used only after the
person at this machine has seen it and said yes. What was agreed to is kept with the person's settings, outside every
project, so that no project can bring its own consent along. Anything changed is another thing, and is asked about anew.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final
from urllib.parse import urlsplit

import platformdirs

from zestpanel.core import clock
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import CommandSpeak, FolderSpeak, HeardOf, HttpSpeak, PluginSpeak, Reached
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr

_lock = threading.Lock()
_PLACE: Final = re.compile(r"\{([A-Za-z][A-Za-z0-9_]*)\}")
_HERE: Final = ("localhost", "127.0.0.1", "[::1]")
_DEFAULT_PORTS: Final = {"http": 80, "https": 443, "ws": 80, "wss": 443}


@dataclass(frozen=True, slots=True, order=True)
class Use:
    """One thing an engine would use. kind: a word for it; what: exactly which, as it is kept; words: for people."""

    kind: str
    what: str
    words: str


def origin_of(address: str) -> str:
    """'https://host:port' of an address (RFC 6454, section 4); a place in a host is kept as it stands.

    Raises SynthesisFailure when there is no host in it, or one that a place could turn into another host.
    """
    try:
        parts = urlsplit(address)
        host, port = (parts.hostname or "").lower(), parts.port
    except ValueError:
        host, port, parts = "", None, urlsplit("")
    if not host or parts.scheme not in _DEFAULT_PORTS:
        raise SynthesisFailure(
            "unreachable", tr("'{without_keys}' is no web address.", without_keys=without_keys(address, 120))
        )
    if _PLACE.search(host.rpartition(".")[2]) or (_PLACE.search(host) and host.count(".") < 2):
        raise SynthesisFailure(
            "refused",
            tr(
                "'{without_keys}' leaves open which host it is. Write the host's own name in it.",
                without_keys=without_keys(address, 120),
            ),
        )
    port = port or _DEFAULT_PORTS[parts.scheme]
    scheme = parts.scheme.replace("ws", "http")
    return f"{scheme}://{f'[{host}]' if ':' in host else host}:{port}"


def stays_at(address: str, template: str) -> bool:
    """Whether a filled address is still at the host that its template names: a value may fill one name of the host."""
    try:
        pattern = _PLACE.sub("\0", origin_of(expand_environment(template)))
        return re.fullmatch(re.escape(pattern).replace("\0", "[a-z0-9-]+"), origin_of(address)) is not None
    except SynthesisFailure:
        return False


def uses_of(engine: Engine) -> tuple[Use, ...]:
    """All that an engine's file would use. Raises SynthesisFailure for a file that cannot be understood here."""
    speak = engine.speak
    match speak:
        case Reached():
            return tuple(_network(engine, speak))
        case CommandSpeak():
            return tuple(_program(speak))
        case HeardOf():
            return ()
        case FolderSpeak():
            folder = str(Path(expand_environment(speak.folder)).expanduser().absolute())
            return (Use("folder", folder, tr("reads the folder {folder}", folder=folder)),)
        case PluginSpeak():
            with_key = tr(" with the key '{secret}'", secret=speak.secret) if speak.secret else ""
            what = json.dumps([speak.plugin, speak.secret], ensure_ascii=False)
            return (
                Use(
                    "plug-in",
                    what,
                    tr("runs the installed plug-in '{plugin}'{with_key}", plugin=speak.plugin, with_key=with_key),
                ),
            )


def _network(engine: Engine, speak: Reached) -> Iterable[Use]:
    addresses = [str(speak.address)]  # type: ignore[attr-defined]
    if engine.voices_from is not None:
        addresses.append(engine.voices_from.address)
    if (making := engine.makes_voices) is not None:
        addresses += [address for address in (making.address, making.poll, making.delete) if address]
    if isinstance(speak, HttpSpeak) and speak.job is not None:
        addresses += [a for a in (speak.job.poll, speak.job.fetch) if "://" in expand_environment(a)]
    if (token := getattr(speak, "token", None)) is not None:
        addresses.append(token.address)
    origins = dict.fromkeys(origin_of(expand_environment(address)) for address in addresses)
    for origin in origins:
        open_way = origin.startswith("http:") and not _is_here(origin)
        careful = tr("; not encrypted: anybody on the way can read the text and the key") if open_way else ""
        yield Use("host", origin, tr("sends texts to {origin}{careful}", origin=origin, careful=careful))
        if speak.secret:
            yield Use(
                "key",
                json.dumps([speak.secret, origin]),
                tr(
                    "gives the key '{secret}' to {origin}{careful}", secret=speak.secret, origin=origin, careful=careful
                ),
            )
    if speak.proxy:
        by = origin_of(expand_environment(speak.proxy))
        yield Use("proxy", by, tr("sends all of it by way of {by}", by=by))
    if speak.ca_file:
        path = expand_environment(speak.ca_file)
        yield Use("certificates", path, tr("trusts the certificates in {path}", path=path))
    if speak.sign:
        yield Use(
            "plug-in", json.dumps([speak.sign, speak.secret]), tr("runs the installed signer '{sign}'", sign=speak.sign)
        )


def _is_here(origin: str) -> bool:
    return any(origin.partition("://")[2].startswith(f"{name}:") for name in _HERE)


def _program(speak: CommandSpeak) -> Iterable[Use]:
    arguments = [expand_environment(part) for part in speak.arguments]
    arguments[0] = shutil.which(arguments[0]) or arguments[0]
    directory = expand_environment(speak.directory)
    environment = {name: expand_environment(value) for name, value in speak.environment.items()}
    what = json.dumps([arguments, directory, environment], ensure_ascii=False, sort_keys=True)
    words = tr("runs the program ") + " ".join(f"'{part}'" if " " in part or not part else part for part in arguments)
    if directory:
        words += tr(" in {directory}", directory=directory)
    if environment:
        words += ", with " + ", ".join(f"{name}={value}" for name, value in sorted(environment.items()))
    yield Use("program", what, without_keys(words, 2000))


# -- what was agreed to


def agreements_file() -> Path:
    return platformdirs.user_config_path("zestpanel", appauthor=False) / "agreed.json"


def _read() -> dict[str, Any]:
    """What is kept; nothing where there is no file or none that can be read: then everything is asked for again."""
    try:
        found = json.loads(agreements_file().read_text("utf-8"))
        kept = found["agreed"]
        return kept if isinstance(kept, dict) else {}
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return {}


def _name(kind: str, what: str) -> str:
    return f"{kind} {what}"


def _change(entries: dict[str, dict[str, str]], gone: Iterable[str] = ()) -> None:
    path = agreements_file()
    with _lock:
        kept = {name: entry for name, entry in (_read() | entries).items() if name not in set(gone)}
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        fresh = path.with_name(f".{path.name}.{os.getpid()}.{threading.get_ident()}")
        fresh.touch(mode=0o600)
        fresh.write_text(json.dumps({"agreed": kept}, ensure_ascii=False, indent=1), encoding="utf-8")
        os.replace(fresh, path)


def agree(engine: Engine) -> None:
    """The person at this machine has seen what the engine uses, and said yes to it."""
    today = clock.today().isoformat()
    _change(
        {
            _name(use.kind, use.what): {"engine": engine.engine, "on": today, "words": use.words}
            for use in uses_of(engine)
        }
    )


def take_back(engine: Engine) -> None:
    """What the engine uses is asked about again, from the next request on."""
    _change({}, gone=[_name(use.kind, use.what) for use in uses_of(engine)])


def missing(engine: Engine) -> tuple[Use, ...]:
    """What of an engine nobody has agreed to on this machine. Raises SynthesisFailure as ``uses_of`` does."""
    kept = _read()
    return tuple(use for use in uses_of(engine) if _name(use.kind, use.what) not in kept)


def before(engine: Engine) -> tuple[str, ...]:
    """What was agreed to for an engine of this name and is not what it uses now, in words."""
    now = {_name(use.kind, use.what) for use in uses_of(engine)}
    return tuple(
        str(entry.get("words", name))
        for name, entry in _read().items()
        if isinstance(entry, dict) and entry.get("engine") == engine.engine and name not in now
    )


def waits_for_agreement(engine: Engine) -> bool:
    """Whether it uses something that nobody has agreed to; not where what it uses cannot be told."""
    try:
        return bool(missing(engine))
    except SynthesisFailure:
        return False


def not_agreed(engine: Engine) -> str:
    """Why an engine may not be used yet, '' when it may."""
    try:
        left = missing(engine)
    except SynthesisFailure as failure:
        return failure.what.rstrip(".")
    return tr("not agreed to on this machine: {left}", left="; ".join(use.words for use in left)) if left else ""


def require_agreement(engine: Engine) -> None:
    """Raises SynthesisFailure('refused') unless everything the engine uses was agreed to on this machine."""
    left = missing(engine)
    if left:
        listed = "; ".join(use.words for use in left)
        raise SynthesisFailure(
            "refused",
            tr(
                "{engine} was not used: it {listed}, and nobody has agreed to that on this machine. "
                "Agree to it in Engines, or with 'zest agree'.",
                engine=engine.engine,
                listed=listed,
            ),
        )


# -- schedules: a project of somebody else's must not begin to ask by being opened


def agree_to_schedule(folder: Path, schedule: str) -> None:
    _change({_name("schedule", f"{folder.resolve()} {schedule}"): {"engine": "", "on": clock.today().isoformat()}})


def schedule_agreed(folder: Path, schedule: str) -> bool:
    return _name("schedule", f"{folder.resolve()} {schedule}") in _read()
