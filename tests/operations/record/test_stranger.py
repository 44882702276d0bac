"""A stranger who has an export, a head and the public keys, and nothing of ours, is convinced; or sees the forgery."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from uuid import UUID

import jwt
import pytest

from openlatch.client import Client
from openlatch.core.record import tree
from openlatch.core.record.ledger import START, link
from openlatch.demo.seed import SLUG
from openlatch.errors import Invalid, NotFound
from openlatch.jobs.tasks import publish_heads
from openlatch.operations.record import log
from openlatch.wire import messages as wire
from tests.harness.acts import settle
from tests.harness.ridge import Ridge

GUIDE = Path(__file__).parents[3] / "docs" / "guide" / "log.md"
Spare = Callable[[], wire.Entry]


@pytest.fixture
def stranger(tmp_path: Path) -> Callable[[list[str], str], str]:
    """What the guide's own program says of an export and a head, run apart from all that is ours."""
    found = re.search(r"```python\n(.*?)```", GUIDE.read_text(), re.DOTALL)
    assert found is not None
    assert len(found[1].splitlines()) <= 50
    program = tmp_path / "check.py"
    program.write_text(found[1])

    def run(lines: list[str], head: str) -> str:
        (tmp_path / "log.jsonl").write_text("\n".join(lines) + "\n")
        (tmp_path / "head.jws").write_text(head)
        words = [sys.executable, "-I", "-S", str(program), "log.jsonl", "head.jws"]
        return subprocess.run(words, cwd=tmp_path, capture_output=True, text=True, check=True).stdout.strip()

    return run


def exported(ridge: Ridge, client: Client) -> tuple[list[str], wire.LogHead]:
    ridge.drain()
    head = client.log_head()
    events = [event for event in client.events(sealed=True, oldest=True) if event.number and event.number <= head.size]
    lines = [{"number": event.number, "link": event.link, "content": event.content} for event in events]
    return [json.dumps(line, ensure_ascii=False) for line in lines], head


def said(signed: str, keys: dict[str, object]) -> dict[str, object]:
    """What was signed, as a library that is not ours checks and reads it."""
    (key,) = jwt.PyJWKSet.from_dict(keys).keys
    document: dict[str, object] = jwt.decode(signed, key.key, algorithms=["EdDSA"], options={"verify_aud": False})
    return document


def test_a_stranger_is_convinced_and_sees_every_forgery(
    ridge: Ridge, client: Client, stranger: Callable[[list[str], str], str]
) -> None:
    lines, head = exported(ridge, client)
    assert head.grown == len(lines) == head.size
    assert said(head.signed, client.receipt_keys())["root"] == head.root
    assert (
        stranger(lines, head.signed)
        == f"holds: {len(lines)} events, the first {len(lines)} as when the head was signed"
    )
    assert "cut off" in stranger(lines[:-1], head.signed)
    altered = json.loads(lines[4])
    altered["content"]["actor"] = "Someone else"
    assert stranger([*lines[:4], json.dumps(altered), *lines[5:]], head.signed) == "event 5 is not as it was sealed"
    # Whoever holds the database makes every link anew.
    last, forged = START, []
    for number, content in enumerate([altered["content"], *(json.loads(line)["content"] for line in lines[1:])], 1):
        last = link(last, content)
        forged.append(json.dumps({"number": number, "link": last, "content": content}))
    assert "not as it was when the head was signed" in stranger(forged, head.signed)


def test_a_receipt_carries_the_proof_that_the_log_holds_it(ridge: Ridge, client: Client, spare: Spare) -> None:
    order = settle(client, client.end(spare().ref).ref)
    ridge.drain()
    proof = client.receipt_proof(order.ref)
    assert proof is not None
    assert (proof.content["act"], proof.content["subject_id"]) == ("order.proved", str(order.id))
    head = said(proof.head.signed, client.receipt_keys())
    path = [bytes.fromhex(text) for text in proof.path]
    root = bytes.fromhex(str(head["root"]))
    assert tree.included(tree.leaf(proof.content), proof.number - 1, int(str(head["size"])), path, root)
    assert said(client.receipt(order.ref), client.receipt_keys())["order"] == order.ref


def test_a_log_that_grew_is_shown_to_have_only_grown(ridge: Ridge, client: Client, spare: Spare) -> None:
    _, before = exported(ridge, client)
    settle(client, client.end(spare().ref).ref)
    ridge.drain()
    grown = client.prove_consistency(before.grown)
    assert grown.head.grown > before.grown
    path = [bytes.fromhex(text) for text in grown.path]
    roots = bytes.fromhex(before.root), bytes.fromhex(grown.head.root)
    assert tree.consistent(before.grown, grown.head.grown, *roots, path)
    with pytest.raises(Invalid, match="you have kept a head of"):
        client.prove_consistency(grown.head.grown + 1)


def test_the_tree_of_a_log_that_was_sealed_before_there_was_one_is_made_by_and_by(ridge: Ridge, client: Client) -> None:
    lines, head = exported(ridge, client)
    with ridge.call() as call:
        call.tx._session.connection().exec_driver_sql("alter table log_nodes disable trigger log_nodes_stand")
        call.tx._session.connection().exec_driver_sql("delete from log_nodes")
        call.tx._session.connection().exec_driver_sql("update seals set grown = 0, root = null")
        call.tx._session.connection().exec_driver_sql("alter table log_nodes enable trigger log_nodes_stand")
    with ridge.call() as call:
        for _ in range(len(lines) // 97 + 2):
            call.tx.events.seal(link, call.now, most=97)
    again = client.log_head()
    assert (again.grown, again.root) == (head.size, head.root)


def test_a_head_is_signed_once_a_day_and_told_and_only_where_something_is_new(ridge: Ridge, client: Client) -> None:
    ridge.drain()
    with ridge.call() as call:
        there = log.publish(call)
    assert there is not None
    ridge.drain()
    (event,) = [event for event in client.events() if event.content["act"] == "log.head-signed"][:1]
    assert event.content["facts"]["root"] == there.head.root
    assert said(event.content["facts"]["signed"], client.receipt_keys())["size"] == there.head.grown
    with ridge.call() as call:
        if client.log_head().grown == event.number:
            assert log.publish(call) is None


def test_heads_are_kept_where_the_operator_said(ridge: Ridge, client: Client, tmp_path: Path) -> None:
    kept = tmp_path / "heads.txt"
    services = replace(ridge.services, heads_file=kept, heads_to="auditor@brightwater.example")
    client.change_me(name="Maren Ashdown-Vale")
    client.change_me(name="Maren Ashdown")
    ridge.drain()
    publish_heads(ridge.store, services)
    publish_heads(ridge.store, services)
    ridge.drain()
    lines = kept.read_text().splitlines()
    slug, size, signed = lines[0].split()
    assert said(signed, client.receipt_keys())["size"] == int(size)
    assert (slug, len(lines) <= 2) == (SLUG, True), "only where something is new"
    letter = ridge.post.to("auditor@brightwater.example", "head of the log")[0]
    assert f"head of the log at {size} events" in letter.text + letter.subject
    assert signed in letter.text.replace("\n", "")
    publish_heads(ridge.store, services)
    assert kept.read_text().splitlines()[: len(lines)] == lines, "nothing is taken out of it"


def test_a_file_that_cannot_be_written_keeps_no_head_from_being_signed(
    ridge: Ridge, client: Client, tmp_path: Path
) -> None:
    client.change_me(name="Maren Ashdown-Rook")
    client.change_me(name="Maren Ashdown")
    ridge.drain()
    publish_heads(ridge.store, replace(ridge.services, heads_file=tmp_path))
    assert next(client.events()).content["act"] == "log.head-signed"


def test_nothing_that_is_not_sealed_is_proved(client: Client) -> None:
    with pytest.raises(NotFound, match="no sealed event"):
        client.prove_event(UUID(int=7))
