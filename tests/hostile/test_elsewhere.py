"""A reply that leads to another host reaches none that was not named: not by a link, a redirect, a job or a list."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from typing import Any

import pytest

from tests.core.test_connector_kinds import made
from tests.core.test_strangers import speak
from tests.small_service import Answer, SmallService, as_json, wav
from zestpanel.core.connectors.agreed import agree, missing
from zestpanel.core.connectors.hosts import is_local, site_of
from zestpanel.core.connectors.http import asking
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.errors import SynthesisFailure

pytestmark = [pytest.mark.stranger, pytest.mark.usefixtures("own_settings")]
OPEN = {"secret": "", "headers": {}}


@pytest.fixture
def inside() -> Iterator[SmallService]:
    """Another server of this machine, as an unguarded one in its network may be."""
    with SmallService(lambda heard: Answer(body=wav(0.5))) as service:
        yield service


def leading(way: str, there: str) -> tuple[Any, dict[str, Any]]:
    """(a service whose replies lead elsewhere, how its file says that they are read)."""
    links: dict[str, tuple[Any, dict[str, Any]]] = {
        "link": (as_json({"link": there}), {"reply": {"audio": "link link"}}),
        "redirect": (Answer(status=303, headers={"Location": there}), {}),
        "job": (as_json({"poll": there}), {"job": {"poll": "json poll", "state": "status", "done": ["200"]}}),
    }  # fmt: skip
    return links[way]


@pytest.mark.parametrize("way", ["link", "redirect", "job"])
def test_a_reply_leads_to_no_host_that_was_not_agreed_to(inside: SmallService, way: str) -> None:
    answer, read_as = leading(way, inside.address + "/sound")
    with SmallService(lambda heard: answer) as service:
        engine = made({"address": service.address, **OPEN, **read_as})
        agree(engine)
        with pytest.raises(SynthesisFailure, match="nobody has agreed to that on this machine") as refused:
            speak(engine)
        assert refused.value.stops  # no second text is paid for meanwhile
        assert not inside.heard
        (asked,) = missing(engine)
        assert inside.address.removeprefix("http://") in asked.words
        agree(engine)
        assert speak(engine) == pytest.approx(0.5, abs=0.01)
        assert {heard.method for heard in inside.heard} == {"GET"}


def test_a_list_of_voices_leads_to_no_other_host(inside: SmallService) -> None:
    page = {"voices": [{"id": "a", "languages": ["en"]}], "next": inside.address}
    with SmallService(lambda heard: as_json(page)) as service:
        voices = {"address": service.address, "list": "json voices", "next": "json next",
                  "each": {"id": "id", "languages": "languages"}}  # fmt: skip
        engine = made({"address": service.address, **OPEN}, voices_from=voices)
        agree(engine)
        with pytest.raises(SynthesisFailure, match="nobody has agreed"):
            fetch_voices(engine)
    assert not inside.heard


def test_a_public_name_that_leads_into_this_network_is_left(
    inside: SmallService, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A name of the service's own domain, answered for with this machine's number: DNS rebinding."""
    real = socket.getaddrinfo

    def resolved(host: Any, *more: Any, **named: Any) -> Any:
        return real("127.0.0.1" if str(host).endswith("voices.example") else host, *more, **named)

    monkeypatch.setattr(socket, "getaddrinfo", resolved)
    port = inside.address.rpartition(":")[2]
    with SmallService(lambda heard: as_json({"link": f"http://cdn.voices.example:{port}/x"})) as service:
        address = f"http://api.voices.example:{service.address.rpartition(':')[2]}/"
        engine = made({"address": address, **OPEN, "reply": {"audio": "link link"}})
        agree(engine)
        with pytest.raises(SynthesisFailure, match="this machine's own network"):
            speak(engine)
        assert not inside.heard
        # a public number would be asked: the same domain is its owner's
        monkeypatch.setattr(asking, "is_local", lambda host: False)
        assert speak(engine) == pytest.approx(0.5, abs=0.01)


@pytest.mark.parametrize("host", ["127.0.0.1", "127.1", "0x7f000001", "2130706433", "10.0.0.8", "192.168.1.1", "::1",
                                  "169.254.169.254", "fe80::1", "::ffff:127.0.0.1", "100.64.0.1", "0.0.0.0", "nas",
                                  "nas.local", "a.localhost", "x.internal", "router.home.arpa"])  # fmt: skip
def test_what_is_of_this_network(host: str) -> None:
    """RFC 1122, 1918, 3927, 4193, 6598, 6761, 6762, 8375; inet_aton(3) for the odd writings."""
    assert is_local(host)


def test_whose_a_host_is() -> None:
    """The Public Suffix List: names under co.uk are anybody's."""
    assert site_of("https://cdn.voices.example:443") == site_of("https://api.voices.example:443")
    assert site_of("https://one.co.uk:443") != site_of("https://two.co.uk:443")
    assert not is_local("voices.example")
    assert not is_local("8.8.8.8")
