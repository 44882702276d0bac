"""The LDAP connector, against OpenLDAP's server as Debian ships it."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import ldap3
import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.connectors import ldap_entries
from openlatch.connectors.ldap import LdapConnector, Thing
from openlatch.core.providers.observation import Observation, ObservedMembership, complaints, resolved
from openlatch.core.providers.ports import Change
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, PartyStatus, ReadingOutcome
from tests.connectors.directory import BASE, LATCH, PASSWORD, Directory

PEOPLE = f"ou=people,{BASE}"
HANNE = f"cn=Vale\\, Hanne,{PEOPLE}"


def block(dn: str, *lines: str) -> str:
    return "\n".join([f"dn: {dn}", *lines, ""])


def person(dn: str, uid: str, name: str, *more: str) -> str:
    classes = ("objectClass: inetOrgPerson", "objectClass: posixAccount", "objectClass: shadowAccount")
    numbers = (f"uidNumber: {abs(hash(uid)) % 9000 + 1000}", f"homeDirectory: /home/{uid}")
    gid = () if any(line.startswith("gidNumber") for line in more) else ("gidNumber: 100",)
    cn = () if dn.startswith("cn=") else (f"cn: {name}",)
    words = (
        f"uid: {uid}",
        f"sn: {name.rsplit(maxsplit=1)[-1]}",
        f"mail: {uid}@kestrelridge.example",
        f"userPassword: {PASSWORD}",
    )
    return block(dn, *classes, *cn, *words, *numbers, *gid, *more)


def group(kind: str, name: str, *more: str) -> str:
    return block(f"cn={name},ou=groups,{BASE}", f"objectClass: {kind}", f"cn: {name}", *more)


def program(name: str) -> str:
    classes = ("objectClass: organizationalRole", "objectClass: simpleSecurityObject")
    return block(f"cn={name},ou=programs,{BASE}", *classes, f"cn: {name}", f"userPassword: {PASSWORD}")


ENTRIES = "\n".join(
    [
        block(BASE, "objectClass: dcObject", "objectClass: organization", "o: Kestrel Ridge", "dc: kestrelridge"),
        *(
            block(f"ou={name},{BASE}", "objectClass: organizationalUnit", f"ou: {name}")
            for name in ("people", "groups", "programs")
        ),
        program("latch"),
        program("narrow"),
        program("short"),
        block(
            f"cn=default,ou=programs,{BASE}",
            *("objectClass: device", "objectClass: pwdPolicy", "cn: default", "pwdAttribute: userPassword"),
            "pwdLockout: TRUE",
        ),
        person(f"uid=orla.finch,{PEOPLE}", "orla.finch", "Orla Finch", "employeeType: volunteer", "gidNumber: 700"),
        person(
            f"uid=bram.dale,{PEOPLE}",
            "bram.dale",
            "Bram Dale",
            "shadowExpire: 22000",
            f"manager: uid=Orla.Finch,{PEOPLE}",
        ),
        # Two of one name, one with a comma in what names her.
        person(f"uid=hanne.vale,{PEOPLE}", "hanne.vale", "Hanne Vale"),
        person(HANNE, "hanne.v", "Hanne Vale", "cn: Hanne Vale", "cn: Vale, Hanne"),
        *(person(f"uid=guide{n},{PEOPLE}", f"guide{n}", f"Guide {n}") for n in range(40)),
        group("groupOfNames", "crew", f"member: uid=guide1,{PEOPLE}", f"member: UID=Guide2, ou=People,{BASE}"),
        group(
            "groupOfNames",
            "guides",
            f"member: cn=crew,ou=groups,{BASE}",
            f"member: {HANNE}",
            f"member: uid=nobody.any.more,{PEOPLE}",
        ),
        group("groupOfUniqueNames", "keepers", f"uniqueMember: uid=orla.finch,{PEOPLE}"),
        group("posixGroup", "wardens", "gidNumber: 700", "memberUid: bram.dale", "memberUid: guide3"),
    ]
)


@pytest.fixture(scope="module")
def directory(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Directory]:
    made = Directory(tmp_path_factory.mktemp("directory"), ENTRIES)
    yield made
    made.stop()


def connect(directory: Directory, **more: str) -> LdapConnector:
    secret = more.pop("secret", PASSWORD)
    settings = {"url": directory.url, "base": BASE, "login": LATCH, "authority": directory.authority}
    return LdapConnector(settings | more, secret)


def read(connector: LdapConnector) -> Observation:
    pages = list(connector.pages())
    return Observation(
        ReadingOutcome.COMPLETE,
        tuple(account for page in pages for account in page.accounts),
        tuple(party for page in pages for party in page.parties),
        tuple(entry for page in pages for entry in page.entries),
        tuple(membership for page in pages for membership in page.memberships),
    )


def keys(seen: Observation) -> dict[str, str]:
    """The keys of parties, by an address or, of groups, by name."""
    return {(party.addresses or (party.name,))[0].partition("@")[0]: party.key for party in seen.parties}


def members(seen: Observation, team: str) -> set[str]:
    named = {key: name for name, key in keys(seen).items()}
    return {named.get(m.member, m.member) for m in seen.memberships if named.get(m.team) == team}


def test_everyone_and_every_group_is_read_however_groups_name_their_members(directory: Directory) -> None:
    seen = read(connect(directory))
    assert len([p for p in seen.parties if p.kind is PartyKind.PERSON]) == 44, "more than are sent without pages"
    assert {p.name for p in seen.parties if p.kind is PartyKind.TEAM} == {"crew", "guides", "keepers", "wardens"}
    assert members(seen, "crew") == {"guide1", "guide2"}, "whatever letters and spaces a name is written with"
    assert members(seen, "guides") == {"crew", "hanne.v", f"person:dn=uid=nobody.any.more,{PEOPLE}"}
    assert members(seen, "keepers") == {"orla.finch"}
    assert members(seen, "wardens") == {"orla.finch", "bram.dale", "guide3"}, "by login, and by the primary group"
    by_key = {entry.party: entry for entry in seen.entries}
    orla, bram = by_key[keys(seen)["orla.finch"]], by_key[keys(seen)["bram.dale"]]
    assert (orla.level, orla.kind, orla.ends_at, orla.use_known) == ("volunteer", Kind.DELEGATE, None, False)
    by_address = {party.addresses[0]: party for party in seen.parties if party.addresses}
    assert by_address["bram.dale@kestrelridge.example"].sponsor == "orla.finch@kestrelridge.example"
    assert (bram.level, bram.kind, bram.ends_at) == ("person", Kind.GRANT, datetime(2030, 3, 27, tzinfo=UTC))
    assert orla.given_at is not None
    names = [p.name for p in seen.parties if p.key in {keys(seen)["hanne.v"], keys(seen)["hanne.vale"]}]
    assert names == ["Hanne Vale", "Hanne Vale"], "two of one name are two"
    whole = resolved(seen)
    assert complaints(whole) == ()
    assert "uid=nobody.any.more" in whole.remarks[0]


def test_whoever_is_renamed_stays_who_they_are(directory: Directory) -> None:
    before = keys(read(connect(directory)))["guide30"]
    root = directory.root()
    root.modify_dn(f"uid=guide30,{PEOPLE}", "uid=guide.thirty")
    seen = read(connect(directory))
    root.modify_dn(f"uid=guide.thirty,{PEOPLE}", "uid=guide30")
    root.unbind()
    assert before in {party.key for party in seen.parties}


def test_when_somebody_last_signed_in_is_known_once_they_have(directory: Directory) -> None:
    assert directory.lets_in(f"uid=guide9,{PEOPLE}")
    seen = read(connect(directory))
    by_key = {entry.party: entry for entry in seen.entries}
    used, other = by_key[keys(seen)["guide9"]], by_key[keys(seen)["guide8"]]
    assert used.use_known
    assert used.last_used is not None
    assert (other.use_known, other.last_used) == (False, None), "nothing is concluded of whom nothing is kept"


def test_whoever_is_ended_is_really_refused_and_restored_by_hand(directory: Directory) -> None:
    connector, dn = connect(directory), f"uid=guide5,{PEOPLE}"
    key = keys(read(connector))["guide5"]
    assert directory.lets_in(dn)
    answer = connector.end(key, key, "1")
    assert answer.said == "the person is disabled: pwdAccountLockedTime is 000001010000Z"
    assert not answer.already
    assert connector.end(key, key, "1").already
    seen = connector.look(key)
    assert (seen.entries, [p.status for p in seen.parties]) == ((), [PartyStatus.LEFT])
    assert not directory.lets_in(dn)
    root = directory.root()
    root.modify(dn, {"pwdAccountLockedTime": [(ldap3.MODIFY_DELETE, [])]})
    root.unbind()
    assert directory.lets_in(dn)
    assert [entry.key for entry in connector.look(key).entries] == [key]


def test_whoever_is_over_by_shadow_is_dated_and_ended_there(directory: Directory) -> None:
    connector = connect(directory, disable="shadowExpire")
    assert connector.abilities().dates == {Kind.DELEGATE, Kind.GRANT}
    assert connect(directory).abilities().dates == frozenset()
    key, dn = keys(read(connector))["guide6"], f"uid=guide6,{PEOPLE}"
    until = datetime(2027, 5, 1, tzinfo=UTC)
    connector.change(key, key, Change(ends_at=until), "1")
    assert [entry.ends_at for entry in connector.look(key).entries] == [until]
    connector.change(key, key, Change(lifts=("end",)), "2")
    assert [entry.ends_at for entry in connector.look(key).entries] == [None]
    connector.end(key, key, "3")
    assert connector.look(key).entries == ()
    assert directory.shown(dn, "shadowExpire")["shadowExpire"] == ["1"]
    with pytest.raises(ProviderRefused, match="no words for it"):
        connect(directory).change(key, key, Change(ends_at=until), "4")


@pytest.mark.parametrize(
    ("team", "member"),
    [("crew", "guide10"), ("keepers", "guide10"), ("wardens", "guide10"), ("crew", "hanne.v"), ("guides", "keepers")],
)
def test_a_member_is_taken_in_and_out_as_each_group_names_them(directory: Directory, team: str, member: str) -> None:
    connector = connect(directory)
    seen = read(connector)
    team_key, member_key = keys(seen)[team], keys(seen)[member]
    before = members(seen, team)
    assert member not in before
    for already in (False, True):
        assert connector.set_member(team_key, member_key, "1", belongs=True).already is already
    assert ObservedMembership(team_key, member_key) in connector.look(member_key).memberships
    assert members(read(connector), team) == before | {member}
    for already in (False, True):
        assert connector.set_member(team_key, member_key, "2", belongs=False).already is already
    assert ObservedMembership(team_key, member_key) not in connector.look(member_key).memberships
    assert members(read(connector), team) == before, "and nobody else"


def test_what_cannot_be_taken_is_said(directory: Directory) -> None:
    connector = connect(directory)
    known = keys(read(connector))
    with pytest.raises(ProviderRefused, match=r"is the primary group of uid=orla\.finch"):
        connector.set_member(known["wardens"], known["orla.finch"], "1", belongs=False)
    with pytest.raises(ProviderRefused, match="a group would be left empty"):
        connector.set_member(known["keepers"], known["orla.finch"], "1", belongs=False)
    with pytest.raises(ProviderRefused, match="no way to take from the group"):
        connector.end(known["crew"], known["crew"], "1")
    with pytest.raises(ProviderRefused, match="does not know the attribute"):
        connect(directory, disable="nsAccountLock").end(known["guide7"], known["guide7"], "1")
    gone = "person:00000000-0000-0000-0000-000000000000"
    assert connector.end(gone, gone, "1").already
    assert connector.look(gone).entries == ()
    narrow = connect(directory, login=f"cn=narrow,ou=programs,{BASE}")
    with pytest.raises(ProviderRefused, match="does not let cn=narrow"):
        narrow.end(known["guide7"], known["guide7"], "1")


def test_it_does_not_lock_itself_out(directory: Directory) -> None:
    dn = f"uid=guide11,{PEOPLE}"
    root = directory.root()
    connector = connect(directory)
    key = keys(read(connector))["guide11"]
    root.unbind()
    itself = LdapConnector(
        {"url": directory.url, "base": BASE, "login": LATCH, "authority": directory.authority}, PASSWORD
    )
    itself._login, itself._opened = dn, connector._opened  # type: ignore[method-assign]
    assert {party.key for party in read(itself).parties if party.service} == {key}
    with pytest.raises(ProviderRefused, match="lock Open Latch out"):
        itself.end(key, key, "1")


def test_somebody_is_found_by_address_or_login_and_only_if_it_is_one(directory: Directory) -> None:
    connector = connect(directory)
    assert connector.find("orla.finch@kestrelridge.example").name == "Orla Finch"
    assert connector.find("bram.dale").key == keys(read(connector))["bram.dale"]
    assert connector.find("*").key == "", "what somebody types is no filter"
    assert connector.find("nobody").key == ""


def test_a_part_of_a_directory_is_not_taken_for_all_of_it(directory: Directory) -> None:
    with pytest.raises(ProviderUnreadable, match="only a part of what is there"):
        read(connect(directory, login=f"cn=short,ou=programs,{BASE}"))
    root = directory.root()
    dn = f"ou=elsewhere,{BASE}"
    root.add(dn, ["referral", "extensibleObject"], {"ou": "elsewhere", "ref": "ldap://other.example/dc=other"})
    try:
        with pytest.raises(ProviderUnreadable, match=r"kept elsewhere, at ldap://other\.example"):
            read(connect(directory))
    finally:
        root.delete(dn, controls=[("2.16.840.1.113730.3.4.2", True, None)])
        root.unbind()


def test_what_keeps_it_out_is_told_apart_and_no_password_goes_to_a_stranger(directory: Directory) -> None:
    with pytest.raises(ProviderRefused, match="does not let cn=latch"):
        read(connect(directory, secret="wrong"))
    with pytest.raises(ProviderUnreadable, match=r"certificate that is not valid.*No password was sent"):
        read(connect(directory, authority=""))
    with pytest.raises(ProviderUnreadable, match="certificate that is not valid"):
        read(connect(directory, url=f"ldap://127.0.0.1:{directory.port}"))
    with pytest.raises(ProviderRefused, match="nothing at dc=nowhere"):
        read(connect(directory, base="dc=nowhere"))
    with pytest.raises(ProviderRefused, match="none of RFC 4515"):
        read(connect(directory, people="(uid=*"))
    with pytest.raises(ProviderDown, match="does not answer"):
        read(connect(directory, url="ldap://localhost:1"))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"url": "https://directory.example"}, "'url'"),
        ({"url": "ldap://"}, "'url'"),
        ({"base": "no name"}, "no distinguished name"),
        ({"disable": "by magic"}, "'disable'"),
        ({"colour": "blue"}, "is not known"),
    ],
)
def test_settings_that_cannot_work_are_refused_at_once(tmp_path: Path, change: dict[str, str], said: str) -> None:
    with pytest.raises(Invalid, match=said):
        LdapConnector({"url": "ldap://directory.example", "base": BASE, "login": LATCH} | change, "x")


# What directories write that slapd does not


def thing(**values: str) -> Thing:
    return Thing(
        "uid=a,dc=b", {"objectclass": [b"user"], **{name.lower(): [text.encode()] for name, text in values.items()}}
    )


@pytest.mark.parametrize(
    ("values", "over"),
    [
        ({"userAccountControl": "514"}, True),
        ({"userAccountControl": "512"}, False),
        ({"nsAccountLock": "TRUE"}, True),
        ({"nsAccountLock": "false"}, False),
        ({"pwdAccountLockedTime": "20260101000000Z"}, False),
        ({"pwdAccountLockedTime": "000001010000Z"}, True),
        ({"shadowExpire": "-1"}, False),
        ({"shadowExpire": "0"}, True),
        ({"userAccountControl": "a lot"}, False),
    ],
)
def test_disabled_is_what_each_directory_calls_so(values: dict[str, str], over: bool) -> None:
    assert thing(**values).over is over


def test_instants_since_1601_and_ids_in_bytes_are_read() -> None:
    ticks = str(int((datetime(2026, 7, 1, tzinfo=UTC) - datetime(1601, 1, 1, tzinfo=UTC)).total_seconds()) * 10**7)
    assert thing(accountExpires=ticks).ends == datetime(2026, 7, 1, tzinfo=UTC)
    assert thing(accountExpires="9223372036854775807").ends is None
    assert thing(lastLogonTimestamp=ticks).used == datetime(2026, 7, 1, tzinfo=UTC)
    guid = bytes(range(16))
    known = Thing("cn=a", {"objectguid": [guid]})
    assert known.identity == "03020100-0504-0706-0809-0a0b0c0d0e0f"


@given(st.text(max_size=30), st.integers())
def test_whatever_a_directory_writes_for_a_time_is_one_or_none(text: str, number: int) -> None:
    for value in (text, str(number)):
        one = thing(shadowExpire=value, accountExpires=value, lastLogonTimestamp=value, pwdLastSuccess=value)
        assert one.ends is None or one.ends.tzinfo is UTC
        assert one.used is None or one.used.tzinfo is UTC
        ldap_entries.instant_of(value)


parts = st.lists(st.tuples(st.sampled_from(["cn", "ou"]), st.text("aBé,=+\\", min_size=1, max_size=4)), min_size=1)


@given(parts, parts)
def test_a_name_is_the_same_however_it_is_spelled_and_another_is_another(
    own: list[tuple[str, str]], others: list[tuple[str, str]]
) -> None:
    def spelled(parts: list[tuple[str, str]], by: str, *, hexed: bool) -> str:
        def written(text: str) -> str:
            return "".join(
                "".join(f"\\{byte:02X}" for byte in c.encode()) if hexed else f"\\{c}" if c in ",=+\\" else c
                for c in text
            )

        return ldap_entries.plain_name(by.join(f"{name}={written(text)}" for name, text in parts))

    one = spelled(own, ",", hexed=False)
    assert one == spelled([(name.upper(), text.swapcase()) for name, text in own], ", ", hexed=True)
    same = [(name, text.casefold()) for name, text in own] == [(name, text.casefold()) for name, text in others]
    assert (one == spelled(others, ",", hexed=True)) is same
