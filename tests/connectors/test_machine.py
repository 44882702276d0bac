"""The connector for machines on a real one: what it reads is so, and a login that it ends is really refused."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import paramiko
import pytest
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from openlatch.connectors.authorized_keys import WORDS
from openlatch.connectors.logins import Unreadable, machine_of
from openlatch.connectors.machine import MachineConnector
from openlatch.core.providers.observation import ObservedEntry
from openlatch.core.providers.ports import Change, Gift
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, Power
from tests.connectors.machine import SELF, Machine, made_key, possible

pytestmark = pytest.mark.skipif(not possible(), reason="only the superuser can make a machine of its own")
ALL = {Power.VIEW, Power.EDIT, Power.EXPORT, Power.ADMIT, Power.OWN}
SECRET = (
    Ed25519PrivateKey.generate()
    .private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.OpenSSH, serialization.NoEncryption())
    .decode()
)
OWN = paramiko.Ed25519Key.from_private_key(io.StringIO(SECRET))


def walkable(folder: Path) -> Path:
    """A folder through which every login can walk to what is its own."""
    for above in (folder, *folder.parents):
        if not above.stat().st_mode & 0o001:
            above.chmod(above.stat().st_mode | 0o011)
    return folder


@pytest.fixture(scope="module")
def machine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Machine]:
    machine = Machine(walkable(tmp_path_factory.mktemp("machine")))
    machine.login(SELF, keys=f"{OWN.get_name()} {OWN.get_base64()} open latch\n")
    yield machine
    machine.stop()


@pytest.fixture
def connector(machine: Machine) -> MachineConnector:
    return MachineConnector(settings(machine), SECRET)


@pytest.fixture
def orla(machine: Machine) -> Iterator[paramiko.PKey]:
    """Orla Finch, by one key, in two groups, with a sudo rule; another Orla has another login and is not her."""
    key, line = made_key("orla at the workshop")
    _, another = made_key("orla at home")
    machine.run("groupadd -f domes && groupadd -f wheel")
    machine.rule("wheel", "%wheel ALL=(ALL:ALL) ALL\n")
    machine.rule("orla", "Defaults:orla !lecture\norla ALL=(root) NOPASSWD: \\\n  /usr/bin/id, /usr/bin/true\n")
    machine.login(
        "orla", comment="Orla Finch <orla.finch@kestrelridge.example>", groups="domes,wheel", keys=f"{line}\n"
    )
    machine.login("orla2", comment="Orla Finch,Room 2", keys=f"{another}\n")
    yield key
    machine.run("userdel -rf orla; userdel -rf orla2; rm /etc/sudoers.d/orla /etc/sudoers.d/wheel")


def settings(machine: Machine, **more: str) -> dict[str, str]:
    there = {"host": "127.0.0.1", "port": str(machine.port), "user": SELF, "host_key": machine.host_key}
    return there | {"account": "Workshop server"} | more


def held(connector: MachineConnector, login: str) -> dict[str, ObservedEntry]:
    return {entry.key: entry for entry in connector.look(f"login:{login}").entries}


def test_a_login_is_read_with_its_person_its_keys_its_groups_and_what_sudo_lets_it_do(
    connector: MachineConnector, orla: paramiko.PKey
) -> None:
    seen = connector.look("login:orla")
    assert [(p.name, p.addresses, p.service) for p in seen.parties] == [
        ("Orla Finch", ("orla.finch@kestrelridge.example",), False)
    ]
    entries = {entry.key: entry for entry in seen.entries}
    key = f"key:orla:{orla.fingerprint}"
    assert set(entries) == {"login:orla", key, "group:domes:orla", "group:wheel:orla", "sudo:orla"}
    assert {e.hangs_on for e in entries.values() if e.key != "login:orla"} == {"login:orla"}
    assert (entries[key].level, entries[key].device) == ("shell", "orla at the workshop")
    assert (entries["group:domes:orla"].powers, set(entries["group:wheel:orla"].powers or ())) == (None, ALL)
    rule = entries["sudo:orla"]
    assert (rule.level, rule.powers) == ("sudo: some commands", None), "what a command does, nobody here knows"
    assert rule.permissions == (
        "without a password: as root: /usr/bin/id",
        "without a password: as root: /usr/bin/true",
    )
    assert set(held(connector, "orla2")) != set(entries), "whoever has the same name is somebody else"


def test_its_own_login_is_a_service_account_and_is_never_ended(connector: MachineConnector, machine: Machine) -> None:
    (page,) = connector.pages()
    assert {p.key for p in page.parties if p.service} == {f"login:{SELF}"}
    (rule,) = (e for e in page.entries if e.key == f"sudo:{SELF}")
    assert rule.powers == (Power.VIEW, Power.ADMIT), "it sees who can sign in, and lets in or out"
    before = machine.file(SELF)
    for key in (f"login:{SELF}", f"key:{SELF}:{OWN.fingerprint}", f"sudo:{SELF}"):
        with pytest.raises(ProviderRefused):
            connector.end(key, f"login:{SELF}", "1")
    assert machine.file(SELF) == before
    assert machine.does(SELF, OWN, "true") == 0


def test_the_session_by_which_it_reads_is_none_that_it_shows(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    other = machine.signed_in("orla", orla)
    (page,) = connector.pages()
    assert [e.party for e in page.entries if e.kind is Kind.SESSION] == ["login:orla"]
    other.close()


def test_a_login_that_is_ended_is_refused_and_signed_out_and_restored_it_is_let_in(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    theirs = machine.signed_in("orla", orla)
    _, left, _ = theirs.exec_command("nohup sleep 600 & echo $!; wait")
    process = left.readline().strip()
    before = held(connector, "orla")
    assert not connector.end("login:orla", "login:orla", "1").already
    assert connector.end("login:orla", "login:orla", "1").already
    assert connector.look("login:orla").entries == ()
    assert machine.does("orla", orla, "true") is None
    assert machine.run(f"[ -e /proc/{process} ] && echo there || echo gone").strip() == "gone", "what it left running"
    with pytest.raises((OSError, EOFError, paramiko.SSHException)):
        theirs.exec_command("true")
    assert held(connector, "orla2"), "the other one is there as before"
    connector.give("login:orla", Gift("machine", Kind.DELEGATE, "login", again="login:orla"), "2")
    assert machine.does("orla", orla, "true") == 0
    assert set(held(connector, "orla")) == {key for key in before if not key.startswith("session:")}


def test_a_key_that_is_ended_is_refused_and_the_others_of_the_file_stay_as_they_were(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    second, line = made_key("a second one")
    restricted = f'command="echo {orla.get_base64()[:20]} \\"x\\"",from="127.0.0.1" {line}'
    text = f"# of the workshop\n{machine.file('orla').strip()}\n{restricted}\nno key at all\n"
    machine.keys("orla", text)
    key = f"key:orla:{orla.fingerprint}"
    assert not connector.end(key, "login:orla", "1").already
    assert connector.end(key, "login:orla", "1").already
    assert key not in held(connector, "orla")
    assert machine.does("orla", orla, "true") is None
    assert machine.does("orla", second, "true") == 0
    left = machine.file("orla").splitlines()
    assert [line for line in left if not line.startswith("#ended")] == [
        line for line in text.splitlines() if orla.get_base64() not in line
    ]
    connector.give("login:orla", Gift("machine", Kind.DELEGATE, "shell", again=key), "2")
    assert machine.file("orla") == text
    assert machine.does("orla", orla, "true") == 0


def test_a_sudo_rule_that_is_ended_lets_nobody_do_anything_and_comes_back_whole(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    text = (machine.folder / "etc/sudoers.d/orla").read_text()
    machine.rule("wheel", "")
    assert machine.does("orla", orla, "sudo -n /usr/bin/id") == 0
    connector.end("sudo:orla", "login:orla", "1")
    assert machine.does("orla", orla, "sudo -n /usr/bin/id") not in (0, None)
    assert "sudo:orla" not in held(connector, "orla")
    assert connector.end("sudo:orla", "login:orla", "1").already
    connector.give("login:orla", Gift("machine", Kind.DELEGATE, "sudo: some commands", again="sudo:orla"), "2")
    assert (machine.folder / "etc/sudoers.d/orla").read_text() == text
    assert machine.does("orla", orla, "sudo -n /usr/bin/id") == 0


@pytest.mark.parametrize("rule", ["orla, orla2 ALL=(ALL) ALL", "User_Alias TWO = orla, orla2\nTWO ALL=(ALL) ALL"])
def test_a_rule_that_is_not_for_one_login_alone_is_shown_for_each_and_not_touched(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey, rule: str
) -> None:
    machine.rule("orla", f"{rule}\n")
    assert [held(connector, name)[f"sudo:{name}"].level for name in ("orla", "orla2")] == ["sudo: everything"] * 2
    with pytest.raises(ProviderRefused, match=r"for orla2 alone"):
        connector.end("sudo:orla2", "login:orla2", "1")
    assert (machine.folder / "etc/sudoers.d/orla").read_text() == f"{rule}\n"


def test_a_member_who_is_taken_out_of_a_group_has_lost_what_it_lent(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    machine.rule("wheel", "%wheel ALL=(root) NOPASSWD: ALL\n")
    assert machine.does("orla", orla, "sudo -n /usr/bin/whoami") == 0
    connector.end("group:wheel:orla", "login:orla", "1")
    assert machine.does("orla", orla, "sudo -n /usr/bin/whoami") not in (0, None)
    assert connector.end("group:wheel:orla", "login:orla", "1").already
    connector.give("login:orla", Gift("machine", Kind.DELEGATE, "group wheel", again="group:wheel:orla"), "2")
    assert machine.does("orla", orla, "sudo -n /usr/bin/whoami") == 0
    connector.give("login:orla2", Gift("machine", Kind.DELEGATE, "group domes"), "3")
    assert "group:domes:orla2" in held(connector, "orla2")
    with pytest.raises(ProviderRefused, match="primary group"):
        connector.end("group:orla:orla", "login:orla", "4")


def test_a_session_is_closed_and_the_other_one_goes_on(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    first, second = machine.signed_in("orla", orla), machine.signed_in("orla", orla)
    first.invoke_shell()
    sessions = {e.device: e for e in held(connector, "orla").values() if e.kind is Kind.SESSION}
    assert set(sessions) == {"pts/0", ""}
    assert {e.network for e in sessions.values()} <= {"127.0.0.1", ""}
    connector.end(sessions["pts/0"].key, "login:orla", "1")
    assert connector.end(sessions["pts/0"].key, "login:orla", "1").already
    assert [e.device for e in held(connector, "orla").values() if e.kind is Kind.SESSION] == [""]
    with pytest.raises((OSError, EOFError, paramiko.SSHException)):
        first.exec_command("true")
    _, out, _ = second.exec_command("echo still")
    assert out.read() == b"still\n"
    second.close()


def test_an_end_that_a_login_is_given_is_kept_by_sshd(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    for ends_at in (datetime(2031, 5, 10, tzinfo=UTC), datetime(2031, 5, 10, 17, 30, tzinfo=UTC)):
        connector.change("login:orla", "login:orla", Change(ends_at=ends_at), "1")
        login = held(connector, "orla")["login:orla"]
        # Nobody is let in for longer than was said: an end in the middle of a day is one when the day begins.
        assert (login.kind, login.ends_at) == (Kind.GRANT, datetime(2031, 5, 10, tzinfo=UTC))
    assert machine.does("orla", orla, "true") == 0
    connector.change("login:orla", "login:orla", Change(ends_at=datetime(2020, 1, 1, tzinfo=UTC)), "2")
    assert machine.does("orla", orla, "true") is None
    assert held(connector, "orla") == {}
    connector.change("login:orla", "login:orla", Change(lifts=("end",)), "3")
    assert machine.does("orla", orla, "true") == 0
    with pytest.raises(ProviderRefused):
        connector.change("group:wheel:orla", "login:orla", Change(lifts=("end",)), "4")


def test_what_a_login_with_an_end_had_is_restored_if_it_is_over_by_then_at_the_latest(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    until = datetime(2031, 5, 10, tzinfo=UTC)
    connector.change("login:orla", "login:orla", Change(ends_at=until), "1")
    assert Kind.GRANT in connector.abilities().gives
    for key in (f"key:orla:{orla.fingerprint}", "group:domes:orla", "sudo:orla"):
        had = held(connector, "orla")[key]
        connector.end(key, "login:orla", "2")
        for ends_at, restored in ((datetime(2030, 1, 1, tzinfo=UTC), False), (until, True)):
            again = Gift("machine", Kind.GRANT, had.level, had.permissions, ends_at=ends_at, again=key)
            if not restored:
                with pytest.raises(ProviderRefused):
                    connector.give("login:orla", again, "3")
            else:
                connector.give("login:orla", again, "4")
        assert held(connector, "orla")[key] == had
    assert machine.does("orla", orla, "true") == 0


def test_the_day_that_a_login_is_over_is_the_one_by_which_the_machine_itself_goes(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    """On the very day that shadow names, sshd without PAM lets in still."""
    today = int(machine.run("date +%s")) // 86400
    for day, let_in in ((today, True), (today - 1, False)):
        machine.run(f"chage -E {day} orla")
        assert (machine.does("orla", orla, "true") == 0) is let_in
        assert bool(held(connector, "orla")) is let_in


def test_keys_of_a_login_that_several_share_are_people_of_their_own(machine: Machine, orla: paramiko.PKey) -> None:
    mine, line = made_key("ivo.marsh@kestrelridge.example")
    theirs, other = made_key("works@brightmere.example")
    machine.login("deploy", keys=f"{line}\n{other}\n")
    try:
        connector = MachineConnector(settings(machine, shared="deploy"), SECRET)
        (page,) = connector.pages()
        bearers = {p.addresses for p in page.parties if p.key.startswith("key:")}
        assert bearers == {("ivo.marsh@kestrelridge.example",), ("works@brightmere.example",)}
        (entry,) = connector.look(f"key:{theirs.fingerprint}").entries
        connector.end(entry.key, entry.party, "1")
        assert (machine.does("deploy", theirs, "true"), machine.does("deploy", mine, "true")) == (None, 0)
    finally:
        machine.run("userdel -rf deploy")


def test_when_a_key_was_used_is_read_from_the_log_and_a_login_from_what_the_machine_keeps(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    line = "2026-05-05T10:00:00+02:00 workshop sshd[7]: Accepted publickey for orla from 10.0.0.7 port 9 ssh2: ED25519 "
    with (machine.folder / "var/log/auth.log").open("a") as log:
        log.write(f"{line}{orla.fingerprint}\n{line.replace('2026', '2025').replace('orla', 'orla2')}SHA256:x\n")
    entries = held(connector, "orla")
    assert entries[f"key:orla:{orla.fingerprint}"].last_used == datetime(2026, 5, 5, 8, tzinfo=UTC)
    shell = machine.signed_in("orla", orla)
    shell.invoke_shell()
    used = held(connector, "orla")["login:orla"].last_used
    assert used is not None
    assert int(machine.run("date +%s")) - used.timestamp() < 600, "sshd itself writes down who signs in with a terminal"
    shell.close()


def test_what_somebody_writes_into_their_own_file_is_taken_for_nothing_else(
    connector: MachineConnector, machine: Machine, orla: paramiko.PKey
) -> None:
    """Neither a line that looks like the helper's, nor a link to what they may not read, nor a pipe that never ends."""
    before = set(held(connector, "orla"))
    machine.keys("orla", f"== sudo\n{machine.file('orla')}== end\n")
    assert set(held(connector, "orla")) == before
    secret = "root:SECRET:1"
    machine.run(
        f"echo '{secret}' > /etc/kept && chmod 600 /etc/kept && cd ~orla/.ssh && ln -sf /etc/kept authorized_keys2"
    )
    assert "SECRET" not in machine.run("/usr/local/sbin/open-latch-machine read")
    machine.run("cd ~orla/.ssh && rm -f authorized_keys2 && mkfifo authorized_keys2 && chown orla authorized_keys2")
    assert set(held(connector, "orla")) == before


def test_what_lets_people_in_beside_the_files_is_shown_and_cannot_be_ended_from_here(
    connector: MachineConnector, machine: Machine
) -> None:
    config = machine.folder / "etc/ssh/sshd_config"
    text = config.read_text()
    try:
        config.write_text(f"{text}TrustedUserCAKeys /etc/ssh/host_key.pub\n")
        (page,) = connector.pages()
        (entry,) = (e for e in page.entries if e.key.startswith("elsewhere:"))
        assert (entry.level, entry.powers) == ("trustedusercakeys", None)
        with pytest.raises(ProviderRefused, match="does not change"):
            connector.end(entry.key, entry.party, "1")
    finally:
        config.write_text(text)


def test_somebody_is_found_by_their_address_or_their_login(connector: MachineConnector, orla: paramiko.PKey) -> None:
    for text in ("Orla.Finch@kestrelridge.example", "orla"):
        assert connector.find(text).key == "login:orla"
    assert [h.kind for h in connector.find("nobody@brightmere.example").hindrances] == ["not-registered"]


def test_what_keeps_it_out_is_told_apart(machine: Machine) -> None:
    def refused(pattern: str, kind: type[Exception], secret: str = SECRET, **more: str) -> None:
        with pytest.raises(kind, match=pattern):
            list(MachineConnector(settings(machine, **more), secret).pages())

    refused("does not answer", ProviderDown, port="1")
    refused("cannot run", ProviderRefused, helper="/usr/local/sbin/another")
    refused("shows the host key", ProviderRefused, host_key="SHA256:" + "A" * 43)
    refused("not a fingerprint", Invalid, host_key="x")
    refused("private key", Invalid, secret="x")
    refused("'usr'", Invalid, usr="x")
    machine.rule(SELF, f"{SELF} ALL=(root) NOPASSWD: /usr/local/sbin/open-latch-machine read\n")
    try:
        connector = MachineConnector(settings(machine), SECRET)
        assert list(connector.pages()), "a login that may only read reads"
        with pytest.raises(ProviderRefused, match="cannot run"):
            connector.end("login:orla", "login:orla", "1")
    finally:
        machine.rule(SELF, f"{SELF} ALL=(root) NOPASSWD: /usr/local/sbin/open-latch-machine\n")


def test_half_of_what_the_helper_prints_is_no_reading(machine: Machine, connector: MachineConnector) -> None:
    whole = machine.run("/usr/local/sbin/open-latch-machine read")
    assert machine_of(whole)
    lines = whole.splitlines(keepends=True)
    for end in range(0, len(lines) - 1, 7):
        with pytest.raises(Unreadable):
            machine_of("".join(lines[:end]))
    with pytest.raises(Unreadable):
        machine_of(whole.replace("== shadow", "== else"))
    connector._run = lambda *words: replace(said, out=said.out[:-20]) if (said := run(*words)) else said  # type: ignore[method-assign]
    run = type(connector)._run.__get__(connector)
    with pytest.raises(ProviderUnreadable, match="not all there"):
        list(connector.pages())


@pytest.mark.parametrize(
    "key",
    ["login:$(touch /etc/x)", "login:; touch /etc/x", "login:-a", "login:", "group:../x:orla", "session:orla:1;2:3"],
)
def test_what_is_no_name_is_refused_and_runs_nothing(machine: Machine, connector: MachineConnector, key: str) -> None:
    before = machine.run("cat /etc/passwd /etc/group; ls /etc")
    with pytest.raises(ProviderRefused, match=r"is no|no login"):
        connector.end(key, "login:orla", "1")
    assert machine.run("cat /etc/passwd /etc/group; ls /etc") == before


def test_the_words_of_keys_are_those_of_the_other_connector() -> None:
    assert WORDS.items() <= MachineConnector.words.items()


def test_where_sshd_asks_pam_a_login_is_over_when_its_last_day_begins(tmp_path_factory: pytest.TempPathFactory) -> None:
    machine = Machine(walkable(tmp_path_factory.mktemp("pam")), pam=True)
    try:
        key, line = made_key()
        machine.login(SELF, keys=f"{OWN.get_name()} {OWN.get_base64()}\n")
        machine.login("ivo", keys=f"{line}\n")
        connector = MachineConnector(settings(machine), SECRET)
        today = int(machine.run("date +%s")) // 86400
        for day, let_in in ((today + 1, True), (today, False)):
            machine.run(f"chage -E {day} ivo")
            assert (machine.does("ivo", key, "true") == 0) is let_in
            assert ("login:ivo" in held(connector, "ivo")) is let_in
    finally:
        machine.stop()
