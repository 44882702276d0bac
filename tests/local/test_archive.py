"""Old events in files elsewhere: nothing is cleared that is not in one, and whatever was provable still is."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy.exc import DBAPIError

from openlatch.client import Client
from openlatch.demo.cast import PASSWORD
from openlatch.errors import Conflict, Invalid, Misconfigured, NotFound
from openlatch.local import archive as local
from openlatch.local.archive import Archived, put_away
from openlatch.operations.record import archive
from openlatch.wire import messages as wire
from openlatch.wiring import Service, Settings
from tests.harness.acts import settle
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

Spare = Callable[[], wire.Entry]


class Archiver:
    """Whoever archives, for a holder who keeps everything at hand for a day alone."""

    def __init__(self, ridge: Ridge, client: Client) -> None:
        self._ridge, self._client = ridge, client
        self.keeps_a_day()

    def keeps_a_day(self) -> None:
        with self._ridge.call() as call:
            call.tx.change_workspace(replace(call.tx.workspace, keep_events_days=1))

    def archive(self, folder: Path) -> Archived:
        (done,) = put_away(self._ridge.service.settings, folder)
        return done

    def all_so_far_grows_old(self) -> None:
        """Have all that happened so far be old enough, and what happens after it not."""
        self._ridge.drain()
        self._ridge.clock.go_on(days=1, minutes=1)
        for name in ("Maren Ashdown-Rook", "Maren Ashdown"):
            self._client.change_me(name=name)
        self._ridge.drain()


@pytest.fixture
def archiver(ridge: Ridge, client: Client, monkeypatch: pytest.MonkeyPatch) -> Archiver:
    real = local.wire

    def wired(given: Settings) -> Service:
        service = real(given)
        return replace(service, services=replace(service.services, clock=ridge.clock))

    monkeypatch.setattr(local, "wire", wired)
    return Archiver(ridge, client)


def numbers(file: Path) -> list[int]:
    return [json.loads(line)["number"] for line in file.read_text().splitlines()]


@pytest.fixture
def operator(ridge: Ridge) -> dict[str, str]:
    """What whoever runs the service has in the environment."""
    given = ridge.service.settings
    return {"OPENLATCH_DATABASE_URL": given.database_url, "OPENLATCH_SECRET_KEYS": ",".join(given.secret_keys)}


def test_old_events_go_into_a_file_and_every_head_proof_and_receipt_goes_on_holding(
    archiver: Archiver,
    ridge: Ridge,
    client: Client,
    spare: Spare,
    run: Terminal,
    operator: dict[str, str],
) -> None:
    order = settle(client, client.end(spare().ref).ref)
    ridge.drain()
    run("log", "head", "--to-file", "early.jws")
    (run.home / "keys.json").write_text(run("receipt", "keys"))
    client.change_me(name="Maren Ashdown-Vale")
    early, everything = client.log_head(), list(client.events(sealed=True, oldest=True))
    archiver.all_so_far_grows_old()
    run("confirm", "--password", PASSWORD)
    assert "events kept    for ever" in run("workspace", "change", "--keep-events", "forever")
    assert "keeps all its events at hand" in run("service", "archive", "kept", **operator)
    assert "events kept    90 days" in run("workspace", "change", "--keep-events", "90")
    assert "nothing is older than 90 days" in run("service", "archive", "kept", **operator)
    archiver.keeps_a_day()
    said = run("service", "archive", "kept", **operator)
    (file,) = (run.home / "kept").iterdir()
    head = client.log_head()
    assert f"archived {head.archived:,} events in" in said or f"archived {head.archived} events in" in said
    assert head.archived >= early.grown
    assert numbers(file) == list(range(1, head.archived + 1))
    # What is there holds, and is the log that was there when the head was kept.
    assert "which were archived, each fits the one before, and the head that you kept fits" in run(
        "log", "verify", "--head", "early.jws"
    )
    assert f"after the first {head.archived}" in run("log", "export", "rest.jsonl").replace(",", "")
    assert numbers(run.home / "rest.jsonl")[0] == head.archived + 1
    whole = ("log", "verify", str(file), "rest.jsonl", "--head", "early.jws", "--keys", "keys.json")
    assert "each fits the one before, and the head that you kept fits" in run(*whole)
    assert "give those files first" in run("log", "verify", "rest.jsonl", exits=1)
    # The receipt has its proof; an event that is in the file is not here, and its hash still is.
    proof = client.receipt_proof(order.ref)
    assert proof is not None
    assert proof.number <= head.archived
    gone = next(event for event in everything if event.content["act"] == "entry.found")
    with pytest.raises(NotFound, match="were archived"):
        client.prove_event(gone.id)
    assert client.prove_consistency(early.grown, head.archived).path
    with pytest.raises(Invalid, match="and not"):
        client.prove_consistency(early.grown, head.grown + 9)
    assert "nothing is older than 1 day" in run("service", "archive", "kept", **operator)


def test_what_was_archived_is_known_by_its_hashes_so_that_another_history_is_found_out(
    archiver: Archiver, ridge: Ridge, client: Client, run: Terminal, tmp_path: Path
) -> None:
    run("log", "head", "--to-file", "kept.jws")
    client.change_me(name="Maren Ashdown-Vale")
    archiver.all_so_far_grows_old()
    assert archiver.archive(tmp_path / "files").events
    run("log", "head", "--to-file", "late.jws")
    with ridge.call() as call:
        session = call.tx._session.connection()
        session.exec_driver_sql("alter table log_nodes disable trigger log_nodes_stand")
        kept = session.exec_driver_sql("select level, place, hash from log_nodes where level >= 6 and place = 0").all()
        session.exec_driver_sql("update log_nodes set hash = sha256('another') where level >= 6 and place = 0")
        session.exec_driver_sql("alter table log_nodes enable trigger log_nodes_stand")
    for head in ("kept.jws", "late.jws"):
        assert "not as it" in run("log", "verify", "--head", head, exits=1)
    with ridge.call() as call:
        session = call.tx._session.connection()
        session.exec_driver_sql("alter table log_nodes disable trigger log_nodes_stand")
        for level, place, piece in kept:
            session.exec_driver_sql(
                "update log_nodes set hash = %(piece)s where level = %(level)s and place = %(place)s",
                {"piece": piece, "level": level, "place": place},
            )
        session.exec_driver_sql("alter table log_nodes enable trigger log_nodes_stand")
    assert "The log holds" in run("log", "verify", "--head", "kept.jws", "--head", "late.jws")


@pytest.mark.parametrize(
    "spoil",
    [
        lambda lines: lines[:-1],
        lambda lines: lines[1:],
        lambda lines: [*lines[:2], *lines[3:]],
        lambda lines: [lines[0].replace('"act"', '"acts"', 1), *lines[1:]],
        lambda lines: [lines[1], lines[0], *lines[2:]],
        lambda lines: ["\0" * 40, *lines[1:]],
    ],
)
def test_a_file_that_is_not_what_the_log_has_clears_nothing(
    archiver: Archiver,
    client: Client,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    spoil: Callable[[list[str]], list[str]],
) -> None:
    archiver.all_so_far_grows_old()
    before = client.log_head()
    write = local._write

    def written(file: Path, lines: Iterator[str]) -> None:
        write(file, iter(spoil(list(lines))))

    monkeypatch.setattr(local, "_write", written)
    with pytest.raises(Conflict, match="Nothing was removed"):
        archiver.archive(tmp_path)
    after = client.log_head()
    assert (after.archived, after.grown) == (before.archived, before.grown)


def test_whoever_is_stopped_in_the_middle_goes_on_where_they_were(
    archiver: Archiver, ridge: Ridge, client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    archiver.all_so_far_grows_old()
    began = client.log_head().archived

    def stopped(*_: object) -> int:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(archive, "clear", stopped)
        with pytest.raises(KeyboardInterrupt):
            archiver.archive(tmp_path)
    through = client.log_head().archived
    assert through > began
    with ridge.call() as call:
        assert call.tx.events.nodes()(0, through - 1)
        assert call.tx.events.after(began, 1)[0].number == through + 1, "what is archived is told to nobody any more"
    assert archiver.archive(tmp_path).events == 0, "they are in the file already"
    assert numbers(next(tmp_path.iterdir())) == list(range(began + 1, through + 1))
    with ridge.call() as call:
        left = f"select distinct act from events where number <= {through}"
        assert set(call.tx._session.connection().exec_driver_sql(left).scalars()) <= {"order.proved"}


def test_what_a_webhook_is_still_to_be_sent_stays(archiver: Archiver, ridge: Ridge, client: Client) -> None:
    for address in ("https://desk.kestrelridge.example/latch", "https://letter.kestrelridge.example/latch"):
        client.pause_webhook(str(client.add_webhook(address).id))
    client.add_webhook("https://away.kestrelridge.example/latch")
    archiver.all_so_far_grows_old()

    def due() -> int:
        with ridge.call() as call:
            return archive.due(call)[1]

    waiting = {hook.ref: hook for hook in client.webhooks() if not hook.paused and hook.waits}
    with ridge.call() as call:
        seen = min(each.seen for each in call.tx.webhooks.all() if each.ref in waiting)
    assert due() == seen < client.log_head().grown
    for ref in waiting:
        client.remove_webhook(ref)
    assert due() > seen, "for one that is paused nothing waits"


def test_nothing_that_is_not_archived_can_be_cleared_not_even_by_the_owner(ridge: Ridge) -> None:
    with ridge.call() as call:
        there = call.tx.events.head()
    for number in (there.archived + 1, there.grown):
        with pytest.raises(DBAPIError, match="append-only"), ridge.call() as call:
            call.tx._session.connection().exec_driver_sql(f"delete from events where number = {number}")
    with pytest.raises(DBAPIError, match="seals_archived"), ridge.call() as call:
        call.tx._session.connection().exec_driver_sql(
            f"update seals set archived = {there.grown + 1}, archived_link = ''"
        )


def test_a_login_that_may_remove_nothing_is_told_which_one_can(
    archiver: Archiver, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("openlatch.store.Store.owns_tables", lambda _: False)
    with pytest.raises(Misconfigured, match="may remove nothing"):
        archiver.archive(tmp_path)


def test_what_is_archived_between_the_head_and_the_copy_is_no_alteration(
    archiver: Archiver, run: Terminal, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    archiver.all_so_far_grows_old()
    copy, done = Client.log_copy, []

    def meanwhile(client: Client) -> Iterator[bytes]:
        if not done:
            done.append(archiver.archive(tmp_path))
        return copy(client)

    monkeypatch.setattr(Client, "log_copy", meanwhile)
    assert "The log holds" in run("log", "verify")
    assert done[0].events
