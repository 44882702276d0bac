"""Single sign-on at the terminal: set up with a secret that is asked for; a token that was made elsewhere."""

from __future__ import annotations

from openlatch.demo.seed import SLUG
from tests.harness.openid import ISSUER, Login
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal


def test_a_service_is_set_up_changed_and_removed(ridge: Ridge, run: Terminal) -> None:
    Login(ridge)
    typed = ("sign-on", "add", "Ridge Login", "--issuer", ISSUER, "--client", "latch")
    refused = run(*typed, "--secret", "x", "--claim", "groups", "--role", "guides:member", exits=2)
    assert "Write it as observers=reviewer" in refused
    said = run(
        *typed, "--claim", "groups", "--role", "guides=member", "--role", "a=b=auditor", given="told to nobody\n"
    )
    assert "groups: a=b as auditor, guides as member" in said
    assert f"{ridge.url}/signed-on" in said
    assert "told to nobody" not in said
    with ridge.call() as call:
        (made,) = call.tx.sign_ons.all()
        assert call.open(call.tx.sign_ons.secret(made.id)) == "told to nobody"
    assert "There are: Ridge Login." in run("sign-on", "change", "Hill Login", "--client", "x", exits=4)
    run("sign-on", "change", "Ridge Login", "--name", "Hill Login", "--asks-factor", "--ask-secret", given="another\n")
    with ridge.call() as call:
        (after,) = call.tx.sign_ons.all()
        assert (after.name, after.second_factor, after.roles) == ("Hill Login", True, made.roles)
        assert call.open(call.tx.sign_ons.secret(made.id)) == "another"
    assert "lets in" in run("sign-on", "list")
    assert "Nobody will be able to sign in at Hill Login" in run("sign-on", "remove", "hill login", "--yes")
    assert "There are none" in run("sign-on", "list")


def test_a_token_that_was_made_elsewhere_signs_the_terminal_in(ridge: Ridge, run: Terminal) -> None:
    said = run("token", "add", "desk", "--read-only", "--days", "3")
    secret = said.split()[-1]
    run("sign-out")
    assert "not a token of Open Latch" in run("sign-in", ridge.url, "--with-token", given="latch.x\n", exits=2)
    said = run("sign-in", ridge.url, "--with-token", given=f"{secret}\n")
    assert "as Maren Ashdown (owner)" in said
    assert secret not in said
    assert SLUG in run("me", "show")
    assert "may only read" in run("workspace", "change", "--name", "Another", exits=3)
    run("sign-out")
    assert "was revoked" in run("sign-in", ridge.url, "--with-token", given=f"{secret}\n", exits=3)
    assert "not known" in run("sign-in", ridge.url, "--with-token", given=f"{secret[:-4]}abcd\n", exits=3)
