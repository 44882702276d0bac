"""P1: all built-in rules over a whole inventory in columns, against the same flags written by hand; P10: its memory."""

# ruff: noqa: E501 - one line is one rule, as in a table
from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path
from typing import Any

import polars as pl

from bench.columns import DAY, NOW, frames
from bench.measure import growth, line, side_by_side
from openlatch.core.rules.evidence import facts_column
from openlatch.core.rules.frames import Frames, evaluate_all
from openlatch.core.rules.tree import Type
from openlatch.operations.rules.policy_file import BUILT_IN, read

__all__ = ["memory", "rules_in_columns"]

SIZES = (10_000, 100_000, 1_000_000)
ROUNDS = 5


def rules_in_columns() -> str:
    """Measure at three sizes; the ratio printed is that of the largest."""
    program = read(BUILT_IN, "UTC").program
    pairs, counted = [], 0
    for size in SIZES:
        held = frames(size)
        ours, theirs = _ours(held), by_hand(held)
        if ours.sort("rule", "id").rows() != theirs.sort("rule", "id").rows():
            raise AssertionError("what is written by hand finds other flags")
        counted = ours.height
        pairs.append(
            side_by_side(
                partial(evaluate_all, program, held, NOW, NOW + 2 * DAY),
                partial(by_hand, held),
                ROUNDS,
            )
        )
    what = f"{len(program.rules)} rules over columns in memory to a set of flags, against entry rules written by hand"
    return line("P1", what, pairs[-1], SIZES, growth(SIZES, [p.seconds for p in pairs]), flags=counted)


def _ours(held: Frames) -> pl.DataFrame:
    program = read(BUILT_IN, "UTC").program
    names = {place: one.rule.id for place, one in enumerate(program.rules)}
    found = evaluate_all(program, held, NOW, NOW + 2 * DAY).flags
    every = pl.concat(
        [frame.with_columns(pl.col("rule").replace_strict(names, return_dtype=pl.String)) for frame in found.values()]
    )
    return every.select("rule", "id", "severity", "facts")


def by_hand(held: Frames) -> pl.DataFrame:
    """The same flags as one query that somebody who knows the column engine would write, rule by rule."""
    c, now = pl.col, NOW
    accounts = held.accounts.lazy().select("account_id", "account_name", "account_criticality", "account_locked")
    parties = held.parties.lazy().select(
        "party_id", "party_kind", "party_name", "party_status", "party_verified", "party_outside", "party_publisher",
        "party_near", "party_near_how", "party_addresses",
    )  # fmt: skip
    providers = held.providers.lazy()
    powers = c("entry_powers")
    money, admits, heavy = powers & 48 != 0, powers & 192 != 0, powers & 240 != 0
    lets_in = c("entry_state").is_in(["live", "ending"])
    kind, started, used = c("entry_kind"), c("entry_given_at"), c("entry_last_used")
    idle = pl.when(c("entry_use_known")).then(pl.coalesce(used, started))
    outside, vital = c("party_outside"), c("account_criticality") == "vital"
    moved = pl.when(c("entry_uses_known") & money).then(pl.coalesce(c("entry_uses_spend"), started))
    shared = ~kind.is_in(["session", "open", "offer"])
    of_team = (c("party_kind") == "team") & admits
    lets = lets_in & shared & admits
    wide = (
        held.entries.lazy()
        .join(accounts, on="account_id", how="left")
        .join(parties, on="party_id", how="left")
        .join(providers, on="provider_id", how="left")
        .with_columns(
            alike=(kind.is_in(["delegate", "grant"]).sum()).over("account_id", "party_id", "entry_level"),
            administrators=c("party_id").filter(lets).n_unique().over("account_id"),
            least=_least(started),
            idle=idle,
            moved=moved,
        )
        .collect()
    )
    least = c("least")
    heavy_fact = ("powers", Type.POWERS, pl.when(heavy).then(powers & 240))
    can, party, account = (
        ("can", Type.POWERS, powers),
        ("party", Type.STRING, c("party_name")),
        ("account", Type.STRING, c("account_name")),
    )
    given = ("given", Type.TIME, started)
    last, provider = ("last_used", Type.TIME, used), ("provider", Type.STRING, c("provider_name"))
    day = DAY
    steady = ~kind.is_in(["session", "secret"])
    entry_rules = [
        ("unused-past-limit", lets_in & ~kind.is_in(["session", "app"]) & used.is_not_null() & (c("idle") <= now - 90 * day), 2, [(3, heavy)], [last, heavy_fact]),
        ("never-used", lets_in & ~kind.is_in(["session", "app", "open", "secret"]) & used.is_null() & (c("idle") <= now - 30 * day), 2, [(3, heavy)], [given, heavy_fact]),
        ("app-unused", lets_in & (kind == "app") & (c("idle") <= now - 90 * day), 2, [(3, (powers & 8 != 0) | heavy)], [("app", Type.STRING, c("party_name")), last, given, can]),
        ("live-past-end", lets_in & (c("entry_ends_at") <= now - day // 24), 3, [(4, heavy)], [("ended", Type.TIME, c("entry_ends_at")), heavy_fact, ("left", Type.STRING, c("provider_past_end"))]),
        ("offer-unanswered", (kind == "offer") & (c("entry_state") == "offered") & (started <= now - 14 * day), 1, [(2, heavy)], [("offered", Type.TIME, started), heavy_fact]),
        ("review-overdue", lets_in & steady & (c("entry_reviewed_at") <= now - 365 * day), 1, [(2, heavy)], [("reviewed", Type.TIME, c("entry_reviewed_at"))]),
        ("never-reviewed", lets_in & steady & c("entry_reviewed_at").is_null() & (started <= now - 365 * day) & (heavy | (outside & (c("party_kind") == "person"))), 1, [(2, heavy & outside)], [given, heavy_fact]),
        ("vouch-worn-off", c("entry_by_hand") & (c("entry_vouched_at").is_null() | (c("entry_vouched_at") <= now - c("provider_vouch_for"))), 2, [], [("vouched", Type.TIME, c("entry_vouched_at")), provider]),
        ("session-unseen", lets_in & (kind == "session") & (c("idle") <= now - 30 * day), 2, [], [last, ("began", Type.TIME, started), ("device", Type.STRING, c("entry_device"))]),
        ("session-old", lets_in & (kind == "session") & (started <= now - 180 * day), 2, [(3, heavy)], [("began", Type.TIME, started), ("device", Type.STRING, c("entry_device")), ("network", Type.STRING, c("entry_network"))]),
        ("holder-left", (c("entry_state") != "offered") & (kind != "secret") & (c("party_status") == "left"), 3, [(4, heavy)], [party, heavy_fact]),
        ("unverified-with-weight", lets_in & heavy & ~c("party_verified") & (c("party_kind") == "person"), 2, [], [party, heavy_fact]),
        ("publisher-unknown", lets_in & (kind == "app") & (~c("party_verified") | (c("party_publisher") == "")), 2, [(3, (powers & 8 != 0) | heavy)], [("app", Type.STRING, c("party_name")), ("publisher", Type.STRING, c("party_publisher")), can]),
        ("end-unknown", c("entry_end_unknown"), 1, [], [provider]),
        ("outsider-without-end", lets_in & outside & ~kind.is_in(["session", "app", "open", "secret"]) & c("entry_ends_at").is_null() & ~c("entry_end_unknown"), 2, [(3, heavy)], [party, heavy_fact]),
        ("outsider-admits", lets_in & outside & admits, 3, [(4, vital)], [party, heavy_fact]),
        ("outsider-money", lets_in & outside & money, 2, [(3, powers & 32 != 0)], [party, heavy_fact, ("things", Type.INT, c("entry_dependencies"))]),
        ("outsider-without-basis", lets_in & outside & (c("party_kind") == "person") & kind.is_in(["delegate", "grant"]) & (c("entry_basis") == ""), 1, [], [party, ("level", Type.STRING, c("entry_level"))]),
        ("power-idle", lets_in & (least <= now - 90 * day) & (used > now - 90 * day), 1, [(2, (c("moved") <= now - 90 * day).fill_null(value=False))], [can, ("least_used", Type.TIME, least)]),
        ("money-idle", lets_in & (c("moved") <= now - 60 * day), 2, [(3, outside | (powers & 32 != 0))], [heavy_fact, ("idle_since", Type.TIME, c("moved"))]),
        ("grant-without-end", lets_in & (kind == "grant") & c("entry_ends_at").is_null() & ~c("entry_end_unknown"), 2, [], [party, ("given", Type.TIME, started)]),
        ("alike-twice", lets_in & kind.is_in(["delegate", "grant"]) & (c("alike") > 1), 1, [], [party, ("times", Type.INT, c("alike")), account]),
        ("team-with-weight", lets_in & (c("party_kind") == "team") & heavy, 2, [], [("team", Type.STRING, c("party_name")), heavy_fact]),
        ("open-to-read", (kind == "open") & (powers & ~9 == 0), 2, [(3, (powers & 8 != 0) & vital)], [account, ("parts", Type.STRINGS, c("entry_resources"))]),
        ("open-to-change", (kind == "open") & (powers & ~9 != 0), 4, [], [account, ("parts", Type.STRINGS, c("entry_resources")), can]),
        ("secret-told", kind == "secret", 1, [(2, heavy), (3, outside)], [party, ("level", Type.STRING, c("entry_level")), account]),
        ("secret-known-to-leaver", (kind == "secret") & (c("party_status") == "left"), 4, [], [party, ("level", Type.STRING, c("entry_level")), account]),
        ("takes-and-admits", (powers & 32 != 0) & (powers & 64 != 0) & lets_in, 3, [], [party, account]),
    ]  # fmt: skip
    found = [_raised(wide, "entry_id", entry_rules)]
    on = (
        wide.lazy()
        .group_by("account_id")
        .agg(
            c("administrators").first(),
            shared_with=c("party_id").filter(shared).n_unique(),
            opened=(kind == "open").sum(),
            any_money=money.any(),
            team=of_team.any(),
            lost=(admits & (c("party_status") == "left")).any(),
            secrets=(kind == "secret").sum(),
            secret_outside=((kind == "secret") & outside).any(),
            who=c("party_name").filter(admits & lets_in).unique().sort().head(20),
            knows=c("party_name").filter(kind == "secret").unique().sort().head(20),
        )
    )
    held_accounts = accounts.join(on, on="account_id", how="left").with_columns(
        c("administrators", "shared_with", "opened", "secrets").fill_null(0),
        c("any_money", "team", "lost", "secret_outside").fill_null(value=False),
    ).collect()  # fmt: skip
    admin = c("administrators")
    account_rules = [
        ("lock-off", (~c("account_locked")) & vital, 1, [(2, c("opened") > 0)], [account, ("open", Type.INT, c("opened"))]),
        ("sole-administrator", (admin == 1) & ~c("team"), 2, [(3, vital | c("lost"))], [account, ("who", Type.STRINGS, c("who"))]),
        ("no-administrator", (admin == 0) & (vital | c("any_money")) & (c("shared_with") > 0), 2, [], [account, ("shared_with", Type.INT, c("shared_with"))]),
        ("too-many-administrators", admin > 6, 2, [(3, vital)], [account, ("count", Type.INT, admin), ("who", Type.STRINGS, c("who"))]),
        ("crowded", vital & (c("shared_with") > 60), 1, [], [account, ("shared_with", Type.INT, c("shared_with"))]),
        ("secret-known-to-several", c("secrets") > 1, 2, [(3, c("secret_outside"))], [account, ("who", Type.STRINGS, c("knows"))]),
    ]  # fmt: skip
    found.append(_raised(held_accounts, "account_id", account_rules))
    on_party = wide.lazy().group_by("party_id").agg(
        buys=((powers & 16 != 0) & lets_in).any(),
        takes=((powers & 32 != 0) & lets_in).any(),
        where=c("account_name").filter(lets_in & (powers & 48 != 0)).unique().sort().head(20),
    )  # fmt: skip
    everyone = parties.join(on_party, on="party_id", how="left").with_columns(here=c("buys").is_not_null()).collect()
    near = [
        ("addresses", Type.STRINGS, c("party_addresses")),
        ("how", Type.STRING, c("party_near_how")),
        ("known", Type.STRING, c("party_near")),
    ]
    party_rules: list[Any] = [
        ("address-near-miss", c("party_near").is_not_null() & c("here"), 3, [], near),
        ("buys-and-takes", c("buys") & c("takes"), 3, [], [party, ("accounts", Type.STRINGS, c("where"))]),
    ]
    found.append(_raised(everyone, "party_id", party_rules))
    return pl.concat(found)


def _least(started: pl.Expr) -> pl.Expr:
    """When that of an entry's powers was used last that has been idle longest."""
    known = {1: "entry_uses_view", 16: "entry_uses_spend"}
    each = [
        pl.when(pl.col("entry_powers") & bit != 0).then(
            pl.coalesce(pl.col(known[bit]), started) if bit in known else started
        )
        for bit in (1, 2, 4, 8, 16, 32, 64, 128)
    ]
    return pl.when(pl.col("entry_uses_known")).then(pl.min_horizontal(each))


def _raised(
    frame: pl.DataFrame,
    key: str,
    rules: list[tuple[str, pl.Expr, int, list[tuple[int, pl.Expr]], list[tuple[str, Type, pl.Expr]]]],
) -> pl.DataFrame:
    masks = frame.lazy().with_columns(**{f"is:{name}": mask.fill_null(value=False) for name, mask, *_ in rules})
    hits = masks.filter(pl.any_horizontal(f"is:{name}" for name, *_ in rules)).collect().lazy()
    found = []
    for name, _, severity, worse, facts in rules:
        rank = pl.lit(severity)
        for more, where in worse:
            rank = pl.when(where).then(pl.lit(more)).otherwise(rank)
        names, types, values = zip(*facts, strict=True)
        told = facts_column(names, types, values)
        found.append(
            hits.filter(f"is:{name}").select(
                rule=pl.lit(name), id=pl.col(key), severity=rank.cast(pl.Int64), facts=told
            )
        )
    return pl.concat(pl.collect_all(found))


def memory() -> str:
    """P10: the memory of evaluating a million entries, against the columns' own size."""
    found = []
    for size in SIZES[1:]:
        with tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder:
            for name in NAMES:
                getattr(frames(size), name).write_ipc(Path(folder) / name)
            child = subprocess.run(
                [sys.executable, "-m", "bench.rules_in_columns", folder], check=True, capture_output=True, text=True
            )
        found.append(json.loads(child.stdout))
    last = found[-1]
    what = "peak memory of a process that reads the columns and evaluates all rules, against the columns' own size (MB)"
    return json.dumps(
        {
            "id": "P10",
            "what": what,
            "ratio": round(last["peak_mb"] / last["columns_mb"], 2),
            **last,
            "sizes": list(SIZES[1:]),
            "exponent": round(growth(SIZES[1:], [one["peak_mb"] for one in found]), 2),
        }
    )


NAMES = ("entries", "accounts", "parties", "providers")


def _memory(folder: Path) -> str:
    """What one evaluation takes, in a process of its own, so that making the columns does not count."""
    held = Frames(*(pl.read_ipc(folder / name) for name in NAMES))
    own = sum(getattr(held, name).estimated_size() for name in NAMES) / 2**20
    at_rest = int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 2**20
    evaluate_all(read(BUILT_IN, "UTC").program, held, NOW, NOW + 2 * DAY)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return json.dumps({"peak_mb": round(peak), "columns_mb": round(own), "before_mb": round(at_rest)})


if __name__ == "__main__":
    print(_memory(Path(sys.argv[1])))
