"""Running a service: the database, the web processes, the workers."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from contextlib import closing

import click
import orjson
import structlog

from openlatch.cli.failure import Failure
from openlatch.cli.output import reports_errors
from openlatch.core.model import Circle, Workspace
from openlatch.operations.call import as_service
from openlatch.operations.credentials import Vault
from openlatch.operations.people import people
from openlatch.operations.people.doors import check_founding
from openlatch.operations.people.keys import rotate as change_keys
from openlatch.web.api import MOST_BYTES
from openlatch.web.app import description
from openlatch.web.server import serve as run
from openlatch.wiring import Service, log_to_output, migrated, settings, wire
from openlatch.words import Role

__all__ = ["found", "keys", "migrate", "new_key", "openapi", "serve", "work"]


@click.command()
@reports_errors
def migrate() -> None:
    """Bring the database of OPENLATCH_DATABASE_URL to the schema of this version."""
    before, after, apart = migrated(settings())
    click.echo("Nothing to do." if before == after else f"Migrated from {before or 'an empty database'} to {after}.")
    if apart:
        click.echo("The login of the service reads and writes rows, and owns nothing.")


@click.command()
@click.option("--workspace", required=True, help="A short name, in small letters and hyphens.")
@click.option("--name", required=True, help="The holder's full name.")
@click.option("--zone", default="UTC", show_default=True, help="An IANA time zone, such as Europe/London.")
@click.option("--circle", multiple=True, metavar="DOMAIN", help="A domain of the holder's own; repeatable.")
@click.option("--owner", required=True, help="The first owner's name.")
@click.option("--address", required=True, help="The first owner's address.")
@click.option("--password", prompt=True, hide_input=True, confirmation_prompt=True, help="At least 12 characters.")
@reports_errors
def found(
    workspace: str, name: str, zone: str, circle: tuple[str, ...], owner: str, address: str, password: str
) -> None:
    """Create a workspace and its first owner, who can then sign in."""
    service = wire(settings())
    with closing(service.store) as store:
        now, new_id = service.services.clock(), service.services.new_id
        made = Workspace(
            new_id(), workspace, name.strip(), zone, Circle(frozenset(d.strip().casefold() for d in circle))
        )
        check_founding(made, owner, address, password)
        if any(each_workspace.slug == workspace for each_workspace in store.workspaces()):
            raise Failure(f"There is a workspace “{workspace}” already. Nothing was created.", "Choose another name.")
        with store.found(made, now) as tx:
            person = people.add_first(as_service(tx, service.services), owner, address, Role.OWNER, password)
    click.echo(f"Created {name}. {person.name} can sign in to “{workspace}” with {person.address}.")


@click.command()
@reports_errors
def serve() -> None:
    """Run the service, API and console, on OPENLATCH_HOST and OPENLATCH_PORT until told to stop."""
    given = settings()
    shared = os.environ.get("PROMETHEUS_MULTIPROC_DIR")
    if given.processes > 1 and shared is None:
        # Where several processes count together; the metrics library looks for it once, when it is loaded.
        os.environ["PROMETHEUS_MULTIPROC_DIR"] = tempfile.mkdtemp(prefix="openlatch-metrics-")
        os.execv(sys.executable, [sys.executable, "-m", "openlatch.cli", "serve"])  # noqa: S606
    log_to_output(given.log_format)
    service = wire(given)
    _warn_of_rights(service)
    try:
        # Twice: what is a little too large is refused by the app, in words.
        run(
            service.web, (given.host, given.port), processes=given.processes, threads=given.threads, most=2 * MOST_BYTES
        )
    finally:
        if shared is not None:
            shutil.rmtree(shared, ignore_errors=True)


@click.command()
@reports_errors
def work() -> None:
    """Run a worker: readings, orders, and what comes round by itself."""
    given = settings()
    log_to_output(given.log_format)
    service = wire(given)
    _warn_of_rights(service)
    service.work()


def _warn_of_rights(service: Service) -> None:
    """Say so where whoever breaks into the service could change what keeps the database honest."""
    if service.store.owns_tables():
        next_step = "Make another login for the service, and set OPENLATCH_OWNER_URL for migrating."
        structlog.get_logger().warning("the service's login owns its tables", next=next_step)
    service.store.close()


@click.group()
def keys() -> None:
    """Look after the keys that close what is secret."""


@keys.command()
@reports_errors
def rotate() -> None:
    """Close every secret with a new key, while everything runs; the first of OPENLATCH_SECRET_KEYS guards them then."""
    given = settings()
    service = wire(given)
    with closing(service.store) as store:
        workspaces = store.workspaces()
        for workspace in workspaces:
            with store.transaction(workspace.id) as tx:
                count = change_keys(as_service(tx, service.services))
            click.echo(f"{workspace.name}: {count} {'secret' if count == 1 else 'secrets'} closed with a new key.")
    others = len(given.secret_keys) - 1
    if others:
        many = "The other key" if others == 1 else f"The {others} other keys"
        click.echo(f"{many} in OPENLATCH_SECRET_KEYS can go, once service and workers run with the first one.")


@click.command()
def new_key() -> None:
    """Make a key for OPENLATCH_SECRET_KEYS."""
    click.echo(Vault.new_key())


@click.command()
def openapi() -> None:
    """Print the API's description, OpenAPI 3.1, as JSON."""
    click.echo(orjson.dumps(description(), option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS).decode())
