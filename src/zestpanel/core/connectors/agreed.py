"""What engines may use on this machine: each program, host, key, folder and plug-in was agreed to by its user, once.

A connector file comes from anybody: with a project, dropped on the window, pasted. What it names is used only after the
person at this machine has seen it and said yes, the prices too that caps count by. What was agreed to is kept with the
person's settings, outside every project, so that no project can bring its own consent along. Anything changed is
another thing, and is asked about anew.
"""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Final

from zestpanel.core import clock
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.catalogue.reaching import CommandSpeak, FolderSpeak, HeardOf, HttpSpeak, PluginSpeak, Reached
from zestpanel.core.connectors import agreements
from zestpanel.core.connectors.hosts import is_here, origin_of, places_in, site_of
from zestpanel.core.connectors.resolved import resolved
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.signs import visible
from zestpanel.core.texts import tr

_LEADS_TO: Final = " -> "
_LONGEST: Final = 20_000  # of one thing that is agreed to: more than that, nobody reads whole


@dataclass(frozen=True, slots=True, order=True)
class Use:
    """One thing an engine would use. kind: a word for it; what: exactly which, as it is kept; words: for people."""

    kind: str
    what: str
    words: str


def uses_of(engine: Engine) -> tuple[Use, ...]:
    """All that an engine's file would use. Raises SynthesisFailure for a file that cannot be understood here, and for
    what is too long to be read whole."""
    uses = tuple(_uses_of(engine))
    if odd := next((use for use in uses if len(use.words) > _LONGEST), None):
        raise SynthesisFailure(
            "refused",
            tr(
                "What {engine}'s connector file would use ({kind}) takes {n} characters to say, more than anybody "
                "reads before agreeing to it. Put what is long into a file of its own.",
                engine=engine.engine, kind=odd.kind, n=f"{len(odd.words):,}",
            ),
        )  # fmt: skip
    return uses


def _uses_of(engine: Engine) -> Iterable[Use]:
    match speak := engine.speak:
        case Reached():
            yield from _network(engine, speak)
        case CommandSpeak():
            yield from _program(speak)
        case HeardOf():
            return
        case FolderSpeak():
            folder = str(Path(expand_environment(speak.folder)).expanduser().absolute())
            yield Use("folder", folder, tr("reads the folder {folder}", folder=visible(folder)))
        case PluginSpeak():
            with_key = tr(" with the key '{secret}'", secret=visible(speak.secret)) if speak.secret else ""
            what = json.dumps([speak.plugin, speak.secret], ensure_ascii=False)
            plugin = visible(speak.plugin)
            yield Use(
                "plug-in", what, tr("runs the installed plug-in '{plugin}'{with_key}", plugin=plugin, with_key=with_key)
            )
    if isinstance(speak, Reached | PluginSpeak):
        yield _prices(engine)
    for folder in dict.fromkeys(str(path.parent) for voice in engine.voices if (path := sample_path(voice))):
        yield Use("folder", folder, tr("reads the folder {folder}", folder=visible(folder)))


def sample_path(voice: Voice) -> Path | None:
    """Where the vendor's example of a voice lies on this machine, None where the file names none."""
    return Path(expand_environment(voice.sample)).expanduser().absolute() if voice.sample else None


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
    by = visible(origin_of(expand_environment(speak.proxy))) if speak.proxy else ""
    for origin in origins:
        shown = visible(origin) + _choices(engine, origin)
        open_way = origin.startswith("http:") and not is_here(origin)
        careful = tr("; not encrypted: anybody on the way can read the text and the key") if open_way else ""
        if by and origin.startswith("http:"):  # over https a proxy passes on what it cannot read (RFC 9110, 9.3.6)
            careful += tr("; the proxy {by} reads both, too", by=by)
        words = {"origin": shown, "careful": careful}
        yield (
            Use("host", shown, tr("sends texts to {origin}{careful}", **words))
            if engine.hears is None
            else Use("ear", shown, tr("sends clips of takes to {origin}{careful}", **words))
        )
        if speak.secret:
            through = [by] if by and origin.startswith("http:") else []
            yield Use(
                "key",
                json.dumps([speak.secret, shown, *through]),
                tr(
                    "gives the key '{secret}' to {origin}{careful}",
                    secret=visible(speak.secret), origin=shown, careful=careful,
                ),
            )  # fmt: skip
    if by:
        yield Use("proxy", by, tr("sends all of it by way of {by}", by=by))
    if speak.ca_file:
        path = expand_environment(speak.ca_file)
        yield Use("certificates", path, tr("trusts the certificates in {path}", path=visible(path)))
    if speak.sign:
        sign = visible(speak.sign)
        yield Use(
            "plug-in", json.dumps([speak.sign, speak.secret]), tr("runs the installed signer '{sign}'", sign=sign)
        )
    wanted = (name.partition(_LEADS_TO) for name in agreements.read("wanted"))
    yield from (_link(origin, site) for origin, _, site in wanted if origin in origins)


def _choices(engine: Engine, origin: str) -> str:
    """' ({region}: eu, us)' where a setting fills a name of the host: it may take these values and no others."""
    told = []
    for place in places_in(origin):
        values = next((control.choices for control in engine.controls if control.name == place), ())
        if not values:
            raise SynthesisFailure(
                "refused",
                tr(
                    "'{origin}' leaves open which host it is: {place} is no setting with choices. Name them in the "
                    "connector file, or write the host's own name.",
                    origin=visible(origin), place="{" + place + "}",
                ),
            )  # fmt: skip
        told.append(f"{{{place}}}: {', '.join(map(visible, values))}")
    return f" ({'; '.join(told)})" if told else ""


def choices_of(engine: Engine) -> dict[str, tuple[str, ...]]:
    """What may stand in the places of its hosts."""
    return {control.name: control.choices for control in engine.controls if control.choices}


def _program(speak: CommandSpeak) -> Iterable[Use]:
    means = resolved(speak)
    what = json.dumps(
        [means.arguments, means.directory, means.environment, means.contents], ensure_ascii=False, sort_keys=True
    )
    shown = [visible(part) for part in means.arguments]
    words = tr("runs the program ") + " ".join(f"'{part}'" if " " in part or not part else part for part in shown)
    if means.directory:
        words += tr(" in {directory}", directory=visible(means.directory))
    if means.environment:
        words += ", with " + ", ".join(f"{n}={visible(value)}" for n, value in sorted(means.environment.items()))
    if inside := means.in_projects:
        words += tr("; whoever gives you the project can change {inside}", inside=", ".join(map(visible, inside)))
    if means.contents:
        told = ", ".join(f"{Path(visible(name)).name} {digest[:12]}" for name, digest in means.contents)
        words += tr(" (content now: {told})", told=told)
    yield Use("program", what, without_keys(words))


def _prices(engine: Engine) -> Use:
    """Caps count by the prices of the file, which may state any: a change of them is another agreement."""
    plans = [(plan.name, plan.tariff.model_dump(mode="json")) for plan in engine.plans]
    listed = "; ".join(
        f"{visible(plan.name)}: "
        + (", ".join(visible(part.words(plan.tariff.currency)) for part in plan.tariff.components) or tr("no price"))
        for plan in engine.plans
    )
    return Use(
        "prices",
        f"{engine.engine} {sha256(json.dumps(plans, sort_keys=True, default=str).encode()).hexdigest()}",
        tr("is counted at its file's prices, in sums and caps: {listed}", listed=listed)
        if listed
        else tr("states no price: nothing that it bills is counted, and no cap holds it"),
    )


# -- other hosts that replies lead to: asked about once, under the host that led there


def _link(origin: str, site: str) -> Use:
    words = tr("fetches sound from {site}, where {origin} leads", site=visible(site), origin=visible(origin))
    return Use("link", f"{origin}{_LEADS_TO}{site}", words)


def may_be_fetched(origin: str, there: str) -> bool:
    """Whether what lies at another origin may be fetched, without key and text, because a reply of this one leads
    there: a host of the same registered domain, or one that was agreed to. None of this machine or its network
    unasked."""
    site, kept = site_of(there), agreements.read()
    link = _link(origin, site)
    return site == site_of(origin) or any(_name(*one) in kept for one in ((link.kind, link.what), ("host", there)))


def want(origin: str, there: str) -> None:
    """A reply led there: from now on it is among what the engine would use. Raises InputError."""
    agreements.change({_link(origin, site_of(there)).what: {"on": clock.today().isoformat()}}, part="wanted")


# -- what was agreed to


def _name(kind: str, what: str) -> str:
    return f"{kind} {what}"


def agree(engine: Engine) -> None:
    """The person at this machine has seen what the engine uses, and said yes to it. Raises InputError where that
    cannot be kept."""
    _agree_to(engine, uses_of(engine))


def agree_to_prices(engine: Engine) -> None:
    """The person at this machine has typed them. Where that cannot be kept, it is asked about."""
    if isinstance(engine.speak, Reached | PluginSpeak):
        with contextlib.suppress(InputError):
            _agree_to(engine, [_prices(engine)])


def _agree_to(engine: Engine, uses: Iterable[Use]) -> None:
    today = clock.today().isoformat()
    agreements.change(
        {_name(use.kind, use.what): {"engine": engine.engine, "on": today, "words": use.words} for use in uses}
    )


def take_back(engine: Engine) -> None:
    """What the engine uses, and what was ever agreed to for it, is asked about again, from the next request on; also
    where its file cannot be understood by now. Raises InputError."""
    gone = [name for name, entry in agreements.read().items()
            if isinstance(entry, dict) and entry.get("engine") == engine.engine]  # fmt: skip
    with contextlib.suppress(SynthesisFailure):
        gone += [_name(use.kind, use.what) for use in uses_of(engine)]
    agreements.change({}, gone=gone)


def missing(engine: Engine) -> tuple[Use, ...]:
    """What of an engine nobody has agreed to on this machine. Raises SynthesisFailure as ``uses_of`` does."""
    kept = agreements.read()
    return tuple(use for use in uses_of(engine) if _name(use.kind, use.what) not in kept)


def before(engine: Engine) -> tuple[str, ...]:
    """What was agreed to for an engine of this name and is not what it uses now, in words."""
    now = {_name(use.kind, use.what) for use in uses_of(engine)}
    return tuple(
        str(entry.get("words", name))
        for name, entry in agreements.read().items()
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
            )
            if engine.hears is None
            else tr(
                "{engine} was not used: it {listed}, and nobody has agreed to that on this machine. "
                "Agree to it in Evidence, under Recognisers, or with 'zest recognisers --agree'.",
                engine=engine.engine,
                listed=listed,
            ),
        )


# -- schedules: a project of somebody else's must not begin to ask by being opened


def agree_to_schedule(folder: Path, schedule: str) -> None:
    """Raises InputError where it cannot be kept."""
    name = _name("schedule", f"{folder.resolve()} {schedule}")
    agreements.change({name: {"engine": "", "on": clock.today().isoformat()}})


def schedule_agreed(folder: Path, schedule: str) -> bool:
    return _name("schedule", f"{folder.resolve()} {schedule}") in agreements.read()
