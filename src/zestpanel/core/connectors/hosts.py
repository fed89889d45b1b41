"""Hosts: which one an address means, whose it is, and whether it is this machine's or its local network's."""

from __future__ import annotations

import ipaddress
import re
from functools import lru_cache
from typing import Any, Final
from urllib.parse import urlsplit

from zestpanel.core.catalogue.places import PLACE
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.signs import visible
from zestpanel.core.texts import tr

_DEFAULT_PORTS: Final = {"http": 80, "https": 443, "ws": 80, "wss": 443}
# names that no public server has (RFC 6761, RFC 6762, RFC 8375, and what home networks use: common practice, no source)
_LOCAL_NAMES: Final = re.compile(r"(.*\.)?(localhost|local|internal|home\.arpa|lan|intranet|private|corp|home)\.?")


def origin_of(address: str) -> str:
    """'https://host:port' of an address (RFC 6454, section 4), a host's name in ASCII (RFC 5891); a place in a host is
    kept as it stands.

    Raises SynthesisFailure when there is no host in it, or one that a place could turn into somebody else's.
    """
    try:
        parts = urlsplit(address)
        host, port = _ascii((parts.hostname or "").lower()), parts.port
    except ValueError:
        host, port, parts = "", None, urlsplit("")
    if not host or parts.scheme not in _DEFAULT_PORTS:
        raise SynthesisFailure(
            "unreachable", tr("'{without_keys}' is no web address.", without_keys=without_keys(visible(address), 120))
        )
    if PLACE.search(host) and PLACE.search(_owned(host)):
        raise SynthesisFailure(
            "refused",
            tr(
                "'{without_keys}' leaves open which host it is. Write the host's own name in it.",
                without_keys=without_keys(visible(address), 120),
            ),
        )
    port = port or _DEFAULT_PORTS[parts.scheme]
    scheme = parts.scheme.replace("ws", "http")
    return f"{scheme}://{f'[{host}]' if ':' in host else host}:{port}"


def _ascii(host: str) -> str:
    """A name in other letters may look like a known one: in ASCII it does not. Raises ValueError (also idna's)."""
    if PLACE.search(host):
        if not host.isascii():
            raise ValueError
        return host
    if host.isascii() and "xn--" not in host:
        return host
    import idna  # tables that are wanted for hosts in other letters alone

    if "xn--" in host:
        idna.decode(host)  # what is no name cannot be asked for
    return host if host.isascii() else idna.encode(host, uts46=True).decode("ascii")


def _owned(pattern: str) -> str:
    """The end of a host's name that somebody registered, places as they stand; all of it where nobody can."""
    labels = pattern.split(".")
    found = _suffixes().privatesuffix(PLACE.sub("x", pattern)) or pattern
    return ".".join(labels[-len(found.split(".")) :])


@lru_cache(maxsize=1)
def _suffixes() -> Any:
    from publicsuffixlist import PublicSuffixList

    return PublicSuffixList()


def site_of(origin: str) -> str:
    """Whose an origin is: the domain that somebody registered, under which all hosts are theirs; the origin itself for
    a number, and for what is local."""
    host = host_of(origin)
    if is_local(host):
        return origin
    return str(_suffixes().privatesuffix(host) or host)


def host_of(origin: str) -> str:
    return (urlsplit(origin).hostname or "").lower()


def is_here(origin: str) -> bool:
    """Whether an origin is this machine, so that nobody on the way can read along."""
    host = host_of(origin)
    address = _number(host)
    return host == "localhost" or (address is not None and address.is_loopback)


def is_local(host: str) -> bool:
    """Whether a host is this machine, or of its local network, by its name or number."""
    address = _number(host)
    if address is not None:
        return not address.is_global
    return "." not in host.rstrip(".") or _LOCAL_NAMES.fullmatch(host) is not None


def _number(host: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address | None:
    """A host that is a number; also as resolvers take it: 127.1, 0x7f000001, 2130706433 (inet_aton)."""
    try:
        address = ipaddress.ip_address(host.strip("[]").partition("%")[0])
    except ValueError:
        import socket

        try:
            return ipaddress.IPv4Address(socket.inet_aton(host)) if re.fullmatch(r"[0-9a-fx.]+", host) else None
        except OSError:
            return None
    mapped = getattr(address, "ipv4_mapped", None)
    return mapped or address


def places_in(address: str) -> list[str]:
    """Names of the places in an address's host."""
    return PLACE.findall(host_of(origin_of(expand_environment(address))))


def stays_at(address: str, template: str) -> bool:
    """Whether a filled address is still at the host that its template names: a value may fill one name of the host."""
    try:
        pattern = PLACE.sub("\0", origin_of(expand_environment(template)))
        return re.fullmatch(re.escape(pattern).replace("\0", "[a-z0-9-]+"), origin_of(address)) is not None
    except SynthesisFailure:
        return False
