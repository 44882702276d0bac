"""Write the reference from the code: python docs/reference/make.py. A test sees that what is committed is current."""

from __future__ import annotations

import importlib.util
import json
from collections.abc import Iterator, Mapping
from pathlib import Path
from types import ModuleType

import click
from pydantic import BaseModel

from openlatch.cli import SHORT_WAYS
from openlatch.cli import main as command_line
from openlatch.core.model import Abilities
from openlatch.core.orders.orders import FINAL, TABLE
from openlatch.core.people.roles import OPERATIONS
from openlatch.core.providers.ports import Connector
from openlatch.core.record.events import ABOUT
from openlatch.core.rules.catalogue import FIELDS, WORDS
from openlatch.core.rules.program import rules_of
from openlatch.core.rules.risk import CIRCUMSTANCES, MIDDLE, MOST, Weights
from openlatch.core.running.measures import MEASURES, Measure
from openlatch.errors import BY_CODE
from openlatch.glossary import GLOSSARY
from openlatch.operations.rules.policy_file import BUILT_IN, read
from openlatch.web.app import description
from openlatch.wire.inventory.columns import COLUMNS, USUAL
from openlatch.wire.inventory.entries import EntryFilter
from openlatch.wire.inventory.parties import AccountFilter, PartyFilter
from openlatch.wire.providers import feed
from openlatch.wire.providers.description_file import DescriptionFile
from openlatch.wire.providers.providers import ProviderFilter
from openlatch.wire.rules.policy_file import PolicyFile
from openlatch.wire.what_if.proposal_file import ProposalFile
from openlatch.wiring import Settings
from openlatch.wiring import connectors as installed
from openlatch.words import EntryOrder, Kind, OrderState, Outcome, Power, Role, Severity, State, Tone

DOCS = Path(__file__).parents[1]
SCALE = (1, 3, 10, 30, 100, 300, 1000, 3000)
NOTE = "<!-- made from the code by docs/reference/make.py -->\n"
SCHEMAS: dict[str, type[BaseModel]] = {
    "description": feed.Description,
    "page": feed.FeedPage,
    "ending": feed.Ending,
    "outcome": feed.EndingOutcome,
    "change": feed.Amendment,
    "change-outcome": feed.AmendmentOutcome,
    "team-change": feed.TeamChange,
    "team-change-outcome": feed.TeamChangeOutcome,
    "invitee": feed.FeedInvitee,
    "giving": feed.Giving,
    "giving-outcome": feed.GivingOutcome,
}


def settings() -> str:
    lines = [
        "# Settings",
        NOTE,
        "Each is an environment variable `OPENLATCH_…`, or the same name in small letters without the prefix in the",
        "TOML file that `OPENLATCH_SETTINGS` names. The environment comes first. A missing or wrong one is named at",
        "start, and nothing starts.\n",
        "| setting | default | what it is |",
        "| --- | --- | --- |",
    ]
    for name, field in Settings.model_fields.items():
        default = "must be set" if field.is_required() else "none" if field.default is None else f"`{field.default}`"
        lines.append(f"| `OPENLATCH_{name.upper()}` | {default} | {field.description} |")
    lines += [
        "\nThe command line, as a client, has its own: `OPENLATCH_SERVER` and `OPENLATCH_TOKEN` name a service and a",
        "token instead of a sign-in that is kept, `OPENLATCH_PROFILE` one of several sign-ins, `OPENLATCH_SIGN_IN` the",
        "file in which they are kept, and `OPENLATCH_CONFIG` the file with defaults of options.",
    ]
    return "\n".join(lines)


def commands() -> str:
    lines = ["# Commands", NOTE]
    context = click.Context(command_line, info_name="openlatch", **command_line.context_settings)
    lines += ["```text", command_line.get_help(context), "```"]
    for name in command_line.list_commands(context):
        if name in SHORT_WAYS:
            continue
        command = command_line.get_command(context, name)
        assert command is not None
        lines += _command(command, f"openlatch {name}")
    return "\n".join(lines)


def _command(command: click.Command, name: str) -> Iterator[str]:
    context = click.Context(command, info_name=name, **command_line.context_settings)
    yield f"\n## {name}\n\n```text\n{command.get_help(context)}\n```"
    if isinstance(command, click.Group):
        for inner in command.list_commands(context):
            found = command.get_command(context, inner)
            assert found is not None
            yield from _command(found, f"{name} {inner}")


def errors() -> str:
    lines = [
        "# Errors",
        NOTE,
        "The API answers every error as `application/problem+json` (RFC 9457). `code` is stable; `detail` says what",
        "happened, to which thing, and that nothing was lost; `next` says what to do; `errors` lists places in what",
        "was sent; `facts` holds the same values for programs. The client raises the same errors as exceptions.\n",
        "| code | status | exception | when |",
        "| --- | --- | --- | --- |",
    ]
    for code, error in sorted(BY_CODE.items()):
        when = (error.__doc__ or "").splitlines()[0]
        lines.append(f"| `{code}` | {error.status} | `{error.__name__}` | {when} |")
    return "\n".join(lines)


def rules() -> str:
    policy = read(BUILT_IN, "UTC").policy
    found = rules_of(policy)
    lines = [
        "# Rules",
        NOTE,
        f"The {len(found)} rules that a workspace begins with. All of them are the holder's own from then on: see",
        "[the policy](../guide/policy.md) for changing them, trying the change, and adopting it. A flag says which",
        "rule, which facts, since when, how bad, and what would clear it. A fact that is not known, such as the",
        "last use at a provider that does not record it, never makes a rule hold.\n",
        "| rule | applies to | severity | title |",
        "| --- | --- | --- | --- |",
    ]
    for rule in found:
        most = max([rule.severity, *(severity for severity, _ in rule.worse)], key=lambda s: s.rank)
        severity = rule.severity if most is rule.severity else f"{rule.severity} to {most}"
        lines.append(f"| [`{rule.id}`](#{rule.id}) | {rule.applies_to} | {severity} | {rule.title} |")
    for rule in found:
        lines += [f"\n## {rule.id}\n", f"**{rule.title}.** {rule.why}\n", "```cel", rule.when, "```\n"]
        for severity, when in rule.worse:
            lines.append(f"`{severity}` where `{when}`, else `{rule.severity}`.\n")
        lines += ["**A flag says:** " + " Or: ".join(f"“{one}”" for one in rule.reason) + "\n"]
        lines += [f"- `{name}` is `{text}`" for name, text in rule.facts.items()]
        lines.append(f"\n**Cleared by:** {rule.clears}")
    return "\n".join(lines)


def fields() -> str:
    lines = [
        "# Fields of conditions",
        NOTE,
        "What a [rule's condition](../guide/policy.md) can name. A rule on an entry sees all of them, one on an",
        "account those of `account` and `provider`, one on a party those of `party`. Inside a condition over",
        "entries, such as",
        '`account.entries.exists(e, e.kind == "app")`, they are reached through the entry\'s name: `e.kind`,',
        "`e.party.name`. A field that can be absent makes what is asked of it unknown; `has(…)` asks for it.",
        "",
        "| field | is | says |",
        "| --- | --- | --- |",
    ]
    for path, field in FIELDS.items():
        words = f" (`{'`, `'.join(WORDS[path])}`)" if path in WORDS else ""
        lines.append(f"| `{path}` | {field.type} | {field.says}{words if 'or ' not in field.says else ''} |")
    return "\n".join(lines)


def risk() -> str:
    weights = Weights()
    lines = [
        "# Risk",
        NOTE,
        "From 0 to 100 for every entry, account and party, always with the lines that add up to it. One more power,",
        "or an outsider in place of one of the holder's own, never lowers it. The weights below are those that a",
        "workspace begins with; the policy can change each (`[risk]`).\n",
        "An entry begins with the points of its powers:\n",
        "| power | points |",
        "| --- | --- |",
        *(f"| {power} | {points} |" for power, points in weights.powers.items()),
        f"| a word whose meaning is not known | {weights.unknown} |",
        "\nThen circumstances multiply it, in this order:\n",
        "| circumstance | percent | where |",
        "| --- | --- | --- |",
        *(f"| {one.says} | {one.percent} | `{one.when}` |" for one in CIRCUMSTANCES),
        "\nPoints have no upper end. They are brought to the scale of 0 to 100 by 100 · points ÷ (points + 50),",
        "rounded down, so that what is ten times as dangerous is still told apart: more points are never less risk.\n",
        "| points | " + " | ".join(str(points) for points in SCALE) + " |",
        "| --- |" + " --- |" * len(SCALE),
        "| risk | " + " | ".join(str(MOST * points // (points + MIDDLE)) for points in SCALE) + " |",
        "\nAn account and a party count their six worst entries: the worst in full, and each further one takes half of",
        "its own part of what is left up to 100.\n",
        "**An example.** A contractor outside the circle can view, edit and spend on an account that is neither vital",
        "nor minor, without an end, last used 214 days ago: 3 + 6 + 18 = 27 points; outside × 1.5 makes 40, endless",
        "× 1.2 makes 48, unused × 1.3 makes 63, unused for twice the limit × 1.2 makes 75 points: a risk of 60.",
        "`openlatch show` prints these lines for any entry.\n",
        "**Another.** Of two guides who can only view (3 points), the one inside the circle who came yesterday has",
        "a risk of 5, and the outsider without an end, with 5 points, one of 9.\n",
        "**The demo.** How many of its entries have which risk:\n",
        "![How many entries of the demo have which risk](risk-demo.svg)",
    ]
    return "\n".join(lines)


def roles() -> str:
    lines = [
        "# Roles",
        NOTE,
        "| operation | token scope | " + " | ".join(Role) + " |",
        "| --- | --- | " + " | ".join("---" for _ in Role) + " |",
    ]
    for name, permission in OPERATIONS.items():
        marks = " | ".join("yes" if role in permission.roles else "" for role in Role)
        lines.append(f"| `{name}` | {permission.scope} | {marks} |")
    lines.append("\nA `member` reaches entries too, but only their own.")
    return "\n".join(lines)


def connectors() -> str:
    lines = ["# Connectors", NOTE, "Those that come with Open Latch; others can be [added](../guide/connectors.md).\n"]
    ours = {name: one for name, one in installed().items() if one.__module__.startswith("openlatch.")}
    for name, connector in sorted(ours.items()):
        lines += [f"## `{name}`\n", f"{connector.about.speaks}\n", "| setting | what it is |", "| --- | --- |"]
        for one in connector.about.settings:
            lines.append(f"| `{one.name}` | {one.what}{'' if one.needed else ' (can be left out)'} |")
        lines.append(f"| the secret | {connector.about.secret} |\n")
    return "\n".join([*lines, *_able(ours)]).rstrip()


ABLE = (
    ("lists", "shows"),
    ("ends", "ends"),
    ("narrows", "narrows"),
    ("raises", "raises"),
    ("pauses", "pauses"),
    ("dates", "gives an end"),
    ("prolongs", "prolongs"),
    ("gives", "gives"),
    ("enforces", "refuses past an end"),
)


def able(connector: type[Connector]) -> Abilities | None:
    """Return what a connector can do wherever it is used; None if that is the provider's own to say."""
    try:
        return connector.abilities(connector.__new__(connector))
    except AttributeError:
        return None


def _able(ours: Mapping[str, type[Connector]]) -> Iterator[str]:
    yield "## What each can do\n"
    yield "The kinds of entry; what is not here is asked of a person, who says when it is done. What depends on the"
    yield "provider or on its settings is known once it is read: `openlatch provider show NAME`.\n"
    yield f"| connector | {' | '.join(words for _, words in ABLE)} | what a team was given | members of teams |"
    yield f"| --- {'| --- ' * len(ABLE)}| --- | --- |"
    for name, connector in sorted(ours.items()):
        found = able(connector)
        if found is None:
            yield f"| `{name}` | {'as it says | ' * len(ABLE)}as it says | as it says |"
            continue
        can = [word for word, yes in (("adds", found.adds_members), ("removes", found.removes_members)) if yes]
        members = " and ".join(can) or "no"
        cells = [", ".join(sorted(getattr(found, what))) or "no" for what, _ in ABLE]
        yield f"| `{name}` | {' | '.join(cells)} | {'ends' if found.ends_teams else 'no'} | {members} |"


def orders() -> str:
    lines = ["# Orders: the table of states", NOTE, "```mermaid", "stateDiagram-v2", "    [*] --> drafted"]
    lines += [f"    {state} --> {after}: {how}" for (state, how), after in TABLE.items()]
    lines += [f"    {state} --> [*]" for state in OrderState if state in FINAL]
    lines += ["```\n", "| from | move | to |", "| --- | --- | --- |"]
    lines += [f"| {state} | {how} | {after} |" for (state, how), after in TABLE.items()]
    lines.append("\nEvery pair that is not in the table is refused.")
    return "\n".join(lines)


def schema(name: str) -> str:
    made = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"urn:openlatch:feed:1:{name}",
        **SCHEMAS[name].model_json_schema(),
    }
    return json.dumps(made, indent=2, ensure_ascii=False)


def words() -> str:
    """The words of the product for the console, so that it has no list of its own."""
    named: dict[str, object] = {
        "POWERS": list(Power),
        "MONEY": [power for power in Power if power.moves_money],
        "ADMITTING": [power for power in Power if power.admits],
        "SEVERITIES": list(Severity),
        "KINDS": list(Kind),
        "STATES": list(State),
        "ORDERS": [[order, order.first] for order in EntryOrder],
        "FILTERS": [*EntryFilter.model_fields, "sort", "columns"],
        "ACCOUNT_FILTERS": [*AccountFilter.model_fields, "columns"],
        "LOGGED_ABOUT": list(ABOUT),
        "PARTY_FILTERS": [*PartyFilter.model_fields, "columns"],
        "PROVIDER_FILTERS": [*ProviderFilter.model_fields, "columns"],
        "OUTCOMES": {
            one: {"tone": one.tone, "means": one.means, "canBeLeft": one.can_be_left, "goesOn": one.goes_on}
            for one in drawn()
        },
        "COLUMN_HEADINGS": dict(COLUMNS),
        "USUAL_COLUMNS": list(USUAL),
    }
    lines = [
        f"export const {name} = {json.dumps(value, ensure_ascii=False)} as const;" for name, value in named.items()
    ]
    return "\n".join(["// made from the code by docs/reference/make.py", *lines])


def drawn() -> list[Outcome]:
    """Outcomes in the order in which they are drawn: what is done first."""
    order = [Tone.STAYS, Tone.GOOD, Tone.WAITS, Tone.GOING, Tone.BAD, Tone.NONE]
    return sorted(Outcome, key=lambda one: order.index(one.tone))


def _manual() -> ModuleType:
    """The neighbour of this file, which is no package."""
    spec = importlib.util.spec_from_file_location("manual", Path(__file__).with_name("man.py"))
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def measures() -> str:
    lines = [
        "# Measures",
        NOTE,
        "What `/metrics` says of a running service, over all its workspaces together; counted anew every ten seconds",
        "at most. Beside these each web process counts the requests that it answers (`openlatch_requests_total`, by",
        "route and status) and how long that took (`openlatch_request_seconds`). Somebody should look where a value",
        "passes the limit; `docs/reference/alerts.yml` has these limits as rules, and `dashboard.json` beside it draws",
        "all of it.\n",
        "| measure | means | look at it |",
        "| --- | --- | --- |",
    ]
    for measure in MEASURES:
        name = f"{measure.name}{{{measure.label}}}" if measure.label else measure.name
        lines.append(f"| `{name}` | {measure.says} | {_limit(measure)} |")
    return "\n".join(lines)


def _limit(measure: Measure) -> str:
    if measure.low is not None:
        return f"below {measure.low:g}"
    return "" if measure.high is None else f"from {measure.high:g}"


def alerts() -> str:
    """The limits of the measures as rules, in the form in which programs that read `/metrics` take them."""
    lines = [NOTE.replace("<!--", "#").replace("-->", "").strip(), "groups:", "  - name: open-latch", "    rules:"]
    for measure in MEASURES:
        if measure.low is None and measure.high is None:
            continue
        sign, limit = ("<", measure.low) if measure.low is not None else (">=", measure.high)
        title = "".join(word.capitalize() for word in measure.name.split("_"))
        lines += [
            f"      - alert: {title}",
            f"        expr: {measure.name} {sign} {limit:g}",
            "        for: 2m",
            "        annotations:",
            f"          summary: {json.dumps(measure.says)}",
        ]
    return "\n".join(lines)


def dashboard() -> str:
    """All that is measured as a page of panels, in the JSON that programs which draw measures take (Grafana's)."""
    busy = "sum by (status) (rate(openlatch_requests_total[5m]))"
    slow = "histogram_quantile(0.99, sum by (le, route) (rate(openlatch_request_seconds_bucket[5m])))"
    shown = [("Requests a second", "By status.", busy, "{{status}}")]
    shown += [("Slow requests", "How long 99 of 100 answers took at most, by route, in seconds.", slow, "{{route}}")]
    for measure in MEASURES:
        title = measure.name.removeprefix("openlatch_").replace("_", " ").capitalize()
        one = f"{{{{{measure.label}}}}}" if measure.label else title
        shown.append((title, measure.says, f"max by ({measure.label or 'job'}) ({measure.name})", one))
    panels = []
    for place, (title, says, expression, legend) in enumerate(shown):
        panels.append(
            {
                "id": place + 1,
                "type": "timeseries",
                "title": title,
                "description": says,
                "datasource": {"type": "prometheus", "uid": "${source}"},
                "gridPos": {"x": place % 2 * 12, "y": place // 2 * 8, "w": 12, "h": 8},
                "targets": [{"refId": "A", "expr": expression, "legendFormat": legend}],
            }
        )
    source = {"name": "source", "label": "Measures", "type": "datasource", "query": "prometheus"}
    page = {
        "title": "Open Latch",
        "uid": "open-latch",
        "schemaVersion": 39,
        "time": {"from": "now-24h", "to": "now"},
        "refresh": "1m",
        "templating": {"list": [source]},
        "panels": panels,
    }
    return json.dumps(page, indent=2)


def glossary() -> str:
    lines = [
        "# Glossary",
        NOTE,
        "One word for one thing: the same on the command line, in the API, and on the pages of the console.\n",
        "| word | means | command | API tag | page |",
        "| --- | --- | --- | --- | --- |",
    ]
    lines += [
        f"| {term.word} | {term.meaning} | `openlatch {term.word}` | `{term.tag}` | {term.page} |" for term in GLOSSARY
    ]
    return "\n".join(lines)


def everything() -> Iterator[tuple[Path, str]]:
    """Yield every file of the reference with what has to be in it."""
    for make in (settings, commands, glossary, errors, rules, fields, risk, roles, orders, connectors, measures):
        yield DOCS / "reference" / f"{make.__name__}.md", make() + "\n"
    yield DOCS / "reference" / "alerts.yml", alerts() + "\n"
    yield DOCS / "reference" / "dashboard.json", dashboard() + "\n"
    for name, page in _manual().pages():
        yield DOCS / "man" / name, page
    yield DOCS / "reference" / "openapi.json", json.dumps(description(), indent=2, sort_keys=True) + "\n"
    policy = {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "urn:openlatch:policy:1"}
    policy |= PolicyFile.model_json_schema()
    yield DOCS / "reference" / "policy.schema.json", json.dumps(policy, indent=2, ensure_ascii=False) + "\n"
    proposal = {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "urn:openlatch:proposal:1"}
    proposal |= ProposalFile.model_json_schema()
    yield DOCS / "reference" / "proposal.schema.json", json.dumps(proposal, indent=2, ensure_ascii=False) + "\n"
    described = {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "urn:openlatch:description:1"}
    described |= DescriptionFile.model_json_schema(by_alias=True)
    yield DOCS / "reference" / "description.schema.json", json.dumps(described, indent=2, ensure_ascii=False) + "\n"
    yield DOCS.parent / "console" / "src" / "api" / "words.ts", words() + "\n"
    for name in SCHEMAS:
        yield DOCS / "feed" / f"{name}.schema.json", schema(name) + "\n"


if __name__ == "__main__":
    for path, content in everything():
        path.write_text(content)
