"""The connector for WebDAV ACL on a real server of calendars, and on one of ours that goes by the letter or lies."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Iterator

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.connectors.webdav import WebDavConnector
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.providers.observation import ObservedEntry, complaints
from openlatch.core.providers.ports import Change, Gift
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power
from tests.connectors.davical import LATCH, PASSWORD, Calendars

ORLA, IVO, CREW = "/caldav.php/orla/", "/caldav.php/ivo/", "/caldav.php/crew/"
CALENDAR = f"{ORLA}calendar/"


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Calendars]:
    folder = tmp_path_factory.mktemp("calendars")
    server = Calendars(folder)
    server.person("orla", "Orla Finch", "orla.finch@kestrelridge.example")
    server.person("orla2", "Orla Finch", "o.finch@brightmere.example")
    server.person("ivo", "Ivo Marsh", "ivo.marsh@kestrelridge.example")
    server.person("crew", "Dome crew", "crew@kestrelridge.example", group=True)
    server.member("crew", "ivo")
    yield server
    server.stop()


@pytest.fixture
def connector(server: Calendars) -> WebDavConnector:
    return WebDavConnector({"url": server.url, "login": LATCH}, PASSWORD)


def shared(server: Calendars, path: str, **privileges: str) -> None:
    """Have somebody's calendar shared by themselves, as their own program would."""
    aces = ""
    for who, what in privileges.items():
        principal = "<D:authenticated/>" if who == "authenticated" else f"<D:href>/caldav.php/{who}/</D:href>"
        granted = "".join(f"<D:privilege><{name}/></D:privilege>" for name in what.split())
        aces += f"<D:ace><D:principal>{principal}</D:principal><D:grant>{granted}</D:grant></D:ace>"
    body = f'<?xml version="1.0"?><D:acl xmlns:D="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav">{aces}</D:acl>'
    assert server.ask("ACL", path, "orla", body)[0] == 200


def sees(server: Calendars, login: str) -> bool:
    body = '<?xml version="1.0"?><D:propfind xmlns:D="DAV:"><D:prop><D:displayname/></D:prop></D:propfind>'
    status, text = server.ask("PROPFIND", "/orla/calendar/", login, body, {"Depth": "0"})
    return status == 207 and "Orla Finch: calendar" in text


def held(connector: WebDavConnector, party: str) -> dict[str, ObservedEntry]:
    seen = connector.look(party)
    assert complaints(seen) == ()
    return {entry.key: entry for entry in seen.entries}


def powers(entry: ObservedEntry) -> tuple[Power, ...]:
    meaning = Vocabulary(WebDavConnector.words).meaning(entry.level, entry.permissions, entry.powers)
    assert meaning.unknown == ()
    return meaning.powers


def test_every_collection_is_read_with_whom_it_is_shared_with(server: Calendars, connector: WebDavConnector) -> None:
    shared(server, "/orla/calendar/", ivo="D:read D:write", crew="C:read-free-busy", authenticated="C:read-free-busy")
    shared(server, "/orla/", ivo="D:write-acl")
    pages = list(connector.pages())
    assert {a.key: a.name for p in pages for a in p.accounts}[ORLA] == "Orla Finch"
    parties = {p.key: p for page in pages for p in page.parties}
    assert (parties[IVO].name, parties[IVO].addresses) == ("Ivo Marsh", ("ivo.marsh@kestrelridge.example",))
    assert (parties[CREW].kind, parties["authenticated"].kind) == (PartyKind.TEAM, PartyKind.ANYONE)
    assert {p.key for p in parties.values() if p.service} == {f"/caldav.php/{LATCH}/"}
    assert {(m.team, m.member) for page in pages for m in page.memberships} == {(CREW, IVO)}
    entries = {e.key: e for page in pages for e in page.entries}
    mine = entries[f"ace:{CALENDAR}:{IVO}"]
    assert (mine.account, mine.resources, mine.level) == (ORLA, ("calendar",), "read + write")
    assert powers(mine) == (Power.VIEW, Power.EDIT, Power.EXPORT)
    whole = entries[f"ace:{ORLA}:{IVO}"]
    assert (whole.resources, powers(whole)) == ((), (Power.ADMIT,))
    assert entries[f"ace:{CALENDAR}:authenticated"].kind is Kind.OPEN
    assert f"ace:{CALENDAR}:{ORLA}" not in entries, "whoever owns all of it owns each part, and it is said once"
    owner = entries[f"ace:{ORLA}:{ORLA}"]
    assert (owner.level, Power.OWN in powers(owner)) == ("owner", True)


@pytest.mark.parametrize(("party", "who"), [(IVO, "ivo"), (CREW, "ivo"), ("authenticated", "orla2")])
def test_what_is_ended_is_refused_by_the_server_and_restored_it_is_as_it_was(
    server: Calendars, connector: WebDavConnector, party: str, who: str
) -> None:
    """Also by this server, which keeps what a list leaves out."""
    for each in ("ivo", "crew", "authenticated"):
        shared(server, "/orla/calendar/", **{each: "D:read" if each in party else ""})
    shared(server, "/orla/", ivo="")
    key = f"ace:{CALENDAR}:{party}"
    had = held(connector, party)[key]
    owned = held(connector, ORLA)
    assert sees(server, who)
    assert not connector.end(key, party, "1").already
    assert connector.end(key, party, "1").already
    assert key not in held(connector, party)
    assert not sees(server, who)
    assert sees(server, "orla")
    assert held(connector, ORLA) == owned
    connector.give(party, Gift(had.account, had.kind, had.level, had.permissions, had.resources, again=key), "2")
    assert sees(server, who)
    assert held(connector, party)[key] == had
    connector.end(key, party, "3")


def test_a_level_is_given_beside_what_is_there(server: Calendars, connector: WebDavConnector) -> None:
    shared(server, "/orla/", ivo="D:write-acl")
    assert connector.find("O.Finch@brightmere.example").key == "/caldav.php/orla2/"
    party = connector.find("ivo").key
    assert not connector.give(party, Gift(ORLA, Kind.DELEGATE, "read + write"), "1").already
    assert connector.give(party, Gift(ORLA, Kind.DELEGATE, "read"), "1").already
    assert held(connector, party)[f"ace:{ORLA}:{IVO}"].level == "read + write + write-acl"
    with pytest.raises(ProviderRefused, match="no words for it"):
        connector.give(party, Gift(ORLA, Kind.DELEGATE, "everything"), "2")
    assert [h.kind for h in connector.find("nobody@brightmere.example").hindrances] == ["not-registered"]
    connector.end(f"ace:{ORLA}:{IVO}", party, "3")


def test_neither_the_owner_nor_itself_is_ended(connector: WebDavConnector) -> None:
    ours = f"ace:{ORLA}:/caldav.php/{LATCH}/"
    for key, pattern in ((f"ace:{CALENDAR}:{ORLA}", "belongs to the owner"), (ours, "own access")):
        with pytest.raises(ProviderRefused, match=pattern):
            connector.end(key, key.partition("/:")[2], "1")
    with pytest.raises(ProviderRefused):
        connector.change(f"ace:{CALENDAR}:{IVO}", IVO, Change(lifts=("end",)), "1")


def test_what_keeps_it_out_is_told_apart(server: Calendars) -> None:
    def refused(pattern: str, kind: type[Exception], secret: str = PASSWORD, **more: str) -> None:
        with pytest.raises(kind, match=pattern):
            list(WebDavConnector({"url": server.url, "login": LATCH} | more, secret).pages())

    refused("does not accept our credentials", ProviderRefused, secret="wrong")
    refused("does not answer", ProviderDown, url="http://127.0.0.1:1/")
    refused("not an address", Invalid, url="calendars")
    refused("'port'", Invalid, port="1")


# A server of ours that goes by the letter of RFC 3744, or does not.

READS = "<D:grant><D:privilege><D:read/></D:privilege></D:grant>"
FRIEND = f"<D:ace><D:principal><D:href>https://files.example/people/ada%20b/</D:href></D:principal>{READS}</D:ace>"


def answered(*responses: tuple[str, str]) -> httpx.Response:
    """A multistatus, from paths and their properties."""
    texts = "".join(
        f"<D:response><D:href>{href}</D:href><D:propstat><D:prop>{properties}</D:prop>"
        f"<D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>"
        for href, properties in responses
    )
    return httpx.Response(207, text=f'<?xml version="1.0"?><D:multistatus xmlns:D="DAV:">{texts}</D:multistatus>')


class Letter:
    """One folder with one list; `sets` is what it does with a list that it is sent."""

    def __init__(self, aces: str, sets: str = "as it says", href: str = "/files/") -> None:
        self.aces, self.sets, self.href, self.lists = aces, sets, href, list[str]()

    def __call__(self, request: httpx.Request) -> httpx.Response:
        if request.method == "ACL":
            text = request.content.decode()
            self.lists.append(text)
            if "<ns0:grant />" in text:
                return httpx.Response(400)
            if self.sets == "as it says":
                self.aces = "".join(ET.tostring(one, encoding="unicode") for one in ET.fromstring(text))
            return httpx.Response(200)
        if request.url.path.startswith("/people/"):
            return answered((request.url.path, "<D:displayname>Ada B</D:displayname>"))
        kind = "<D:resourcetype><D:collection/></D:resourcetype><D:owner><D:href>/people/root/</D:href></D:owner>"
        return answered((self.href, f"{kind}<D:acl>{self.aces}</D:acl>"))

    def connector(self) -> WebDavConnector:
        settings = {"url": "https://files.example/files", "login": "latch"}
        return WebDavConnector(settings, "secret", httpx.MockTransport(self))


OTHERS = (
    f"<D:ace><D:principal><D:href>/people/eve/</D:href></D:principal>{READS}<D:protected/></D:ace>",
    f"<D:ace><D:principal><D:href>/people/max/</D:href></D:principal>{READS}"
    "<D:inherited><D:href>/</D:href></D:inherited></D:ace>",
    "<D:ace><D:principal><D:href>/people/ada%20b/</D:href></D:principal>"
    "<D:deny><D:privilege><D:write/></D:privilege></D:deny></D:ace>",
    f"<D:ace><D:invert><D:principal><D:href>/people/eve/</D:href></D:principal></D:invert>{READS}</D:ace>",
)


def test_what_is_protected_inherited_denied_and_turned_round_is_read_as_the_standard_says() -> None:
    writes = FRIEND.replace("<D:read/>", "<D:all/>")
    (page, *_) = Letter("".join(OTHERS) + writes).connector().pages()
    entries = {e.party: e for e in page.entries}
    assert set(entries) == {"/people/eve/", "/people/ada%20b/", "not:/people/eve/"}, "what is inherited is elsewhere"
    assert Power.EDIT not in powers(entries["/people/ada%20b/"]), "what was denied before is not granted after"
    assert Power.ADMIT in powers(entries["/people/ada%20b/"])
    assert entries["not:/people/eve/"].kind is Kind.OPEN
    sends = FRIEND.replace("<D:read/>", '<C:schedule-send xmlns:C="urn:ietf:params:xml:ns:caldav"/><x:y xmlns:x="z"/>')
    (entry,) = next(iter(Letter(sends).connector().pages())).entries
    meaning = Vocabulary(WebDavConnector.words).meaning(entry.level, entry.permissions, entry.powers)
    assert meaning.powers == (Power.PUBLISH,), "whoever sends invitations for somebody acts in their name"
    assert meaning.unknown == ("{z}y",)


@given(st.permutations([*OTHERS, FRIEND]))
def test_an_end_takes_one_out_of_the_list_and_leaves_all_others_in_their_order(aces: list[str]) -> None:
    server = Letter("".join(aces))
    key = "ace:/files/:/people/ada%2520b/"
    assert not server.connector().end(key, "/people/ada%20b/", "1").already
    (sent,) = server.lists
    left = [one for one in aces if one != FRIEND and "protected" not in one and "inherited" not in one]
    spelt = [ET.fromstring(one.replace("<D:ace>", '<D:ace xmlns:D="DAV:">', 1)) for one in left]
    assert [ET.tostring(one) for one in ET.fromstring(sent)] == [ET.tostring(one) for one in spelt]
    assert server.connector().end(key, "/people/ada%20b/", "1").already


def test_a_server_that_says_yes_and_does_nothing_is_not_believed() -> None:
    server = Letter(FRIEND, sets="nothing")
    with pytest.raises(ProviderUnreadable):
        server.connector().end("ace:/files/:/people/ada%2520b/", "/people/ada%20b/", "1")
    protected = Letter(OTHERS[0])
    with pytest.raises(ProviderRefused, match="protected"):
        protected.connector().end("ace:/files/:/people/eve/", "/people/eve/", "1")
    assert protected.lists == []


@pytest.mark.parametrize(
    ("server", "pattern"),
    [
        (Letter("", href="https://elsewhere.example/files/"), "not of this server"),
        (Letter("<D:ace/>"), "names nobody"),
        (Letter("</D:acl><D:acl>]]>&x;"), "no XML"),
    ],
)
def test_an_answer_that_cannot_be_so_is_no_reading(server: Letter, pattern: str) -> None:
    with pytest.raises(ProviderUnreadable, match=pattern):
        list(server.connector().pages())


def test_folders_that_go_on_for_ever_are_left() -> None:
    def deeper(request: httpx.Request) -> httpx.Response:
        path = request.url.path
        kind = "<D:resourcetype><D:collection/></D:resourcetype><D:acl/>"
        return answered((path, kind), (f"{path}a/", kind), ("/files/", kind))

    settings = {"url": "https://files.example/files", "login": "latch"}
    with pytest.raises(ProviderUnreadable, match="8 levels deep"):
        list(WebDavConnector(settings, "secret", httpx.MockTransport(deeper)).pages())
