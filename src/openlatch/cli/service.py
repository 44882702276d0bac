"""Running a service: the database, the web processes, the workers."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from contextlib import closing, suppress
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import click
import orjson
import structlog

from openlatch import __version__
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.output import hint, out, output_option, print_one, reports_errors
from openlatch.core.hours import moment
from openlatch.core.phrases import counted, listed
from openlatch.local.archive import put_away
from openlatch.local.backup import back_up, keep_wal, restore
from openlatch.operations.call import as_service
from openlatch.operations.credentials import Vault
from openlatch.operations.people import founding
from openlatch.operations.people.keys import rotate as change_keys
from openlatch.store.transaction import AWAY
from openlatch.web.api import MOST_BYTES
from openlatch.web.app import description
from openlatch.web.server import serve as run
from openlatch.wire.messages import ServiceState
from openlatch.wiring import Service, log_to_output, migrated, settings, wire

__all__ = ["service"]


class _Instant(click.ParamType[datetime]):
    name = "instant"

    def convert(self, value: str | datetime, param: click.Parameter | None, ctx: click.Context | None) -> datetime:
        """An instant with its zone: what is meant without one nobody knows."""
        if isinstance(value, datetime):
            return value
        instant = None
        with suppress(ValueError):
            instant = datetime.fromisoformat(value)
        if instant is None or instant.tzinfo is None:
            self.fail(f"“{value}” is no instant with a zone, such as 2027-03-02T14:30:00Z.", param, ctx)
        return instant.astimezone(UTC)


INSTANT = _Instant()


@click.group(cls=Group)
def service() -> None:
    """Run a service: database, web server, worker, keys.

    Settings are read from the environment (OPENLATCH_DATABASE_URL and others), or from a file.
    """


@service.command("migrate")
@reports_errors
def migrate() -> None:
    """Bring the database of OPENLATCH_DATABASE_URL to the schema of this version."""
    before, after, apart = migrated(settings())
    click.echo("Nothing to do." if before == after else f"Migrated from {before or 'an empty database'} to {after}.")
    if apart:
        click.echo("The login of the service reads and writes rows, and owns nothing.")


@service.command(
    "found",
    example="--workspace hill-farm --name 'Hill Farm' --owner 'Edda Brook' --address edda@hillfarm.example",
)
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
    running = wire(settings())
    with closing(running.store) as store:
        wrong = store.ready()
        if wrong:
            raise Failure(
                f"No workspace can be founded: {wrong}. Nothing was created.",
                "Bring the database to the schema of this version first: openlatch service migrate",
            )
        wish = founding.Founding(
            workspace=workspace,
            name=name,
            zone=zone,
            circle=circle,
            owner=owner,
            address=address,
            password=password,
        )
        taken = founding.found(store, running.services, wish)
    person = taken.person
    click.echo(f"Created {name}. {person.name} can sign in to “{workspace}” with {person.address}.")


@service.command("serve")
@reports_errors
def serve() -> None:
    """Run the web server, API and console, on OPENLATCH_HOST and OPENLATCH_PORT until it is stopped."""
    given = settings()
    shared = os.environ.get("PROMETHEUS_MULTIPROC_DIR")
    if given.processes > 1 and shared is None:
        # Where several processes count together; the metrics library looks for it once, when it is loaded.
        os.environ["PROMETHEUS_MULTIPROC_DIR"] = tempfile.mkdtemp(prefix="openlatch-metrics-")
        os.execv(sys.executable, [sys.executable, "-m", "openlatch.cli", "service", "serve"])  # noqa: S606
    log_to_output(given.log_format)
    running = wire(given)
    where = f"http://{given.host}:{given.port}"
    if _say_how_it_is(running, f"listening on {where}"):
        running = replace(running, services=replace(running.services, founding=founding.new_code()))
        _say_how_to_begin(running, given.console_url.rstrip("/") or where)
    try:
        # Twice: what is a little too large is refused by the app, in words.
        run(
            running.web, (given.host, given.port), processes=given.processes, threads=given.threads, most=2 * MOST_BYTES
        )
    finally:
        if shared is not None:
            shutil.rmtree(shared, ignore_errors=True)


@service.command("work")
@reports_errors
def work() -> None:
    """Run a worker: readings, orders, and whatever is due."""
    given = settings()
    log_to_output(given.log_format)
    running = wire(given)
    _say_how_it_is(running, f"working on up to {counted(given.jobs, 'job')} at a time")
    if running.work():
        structlog.get_logger().info("the worker begins anew, since it kept much memory and had nothing to do")
        os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])  # noqa: S606


def _say_how_to_begin(running: Service, console: str) -> None:
    """Print how the first workspace is founded, for whoever started the service and nobody else."""
    click.echo(
        f"There is no workspace yet. Open {console}/found and enter this code:\n\n"
        f"    {running.services.founding}\n\n"
        "It works until a workspace is founded, or the service is started again.",
        err=True,
    )


def _say_how_it_is(running: Service, does: str) -> bool:
    """Say in the log of the process that it is up, and what is still missing for it to be of use.

    Returns whether a first workspace is missing, and can be founded; raises Failure for a schema of another version.
    """
    log = structlog.get_logger()
    wrong = running.store.ready()
    if wrong == AWAY:
        # It may come up later than this: it is waited for.
        log.warning(wrong, next="Check that it runs; it is asked again until it answers.")
    elif wrong:
        raise Failure(f"It was not started: {wrong}.", "Bring the two together: openlatch service migrate")
    empty = not wrong and not running.store.workspaces()
    if empty:
        log.warning("there is no workspace yet", next="openlatch service found --help")
    if running.store.owns_tables():
        # Whoever breaks into the service could change what keeps the database honest.
        next_step = "Make another login for the service, and set OPENLATCH_OWNER_URL for migrating."
        log.warning("the service's login owns its tables", next=next_step)
    running.store.close()
    log.info(f"Open Latch {__version__} is {does}")
    return empty


@service.command("show")
@output_option
@reports_errors
def show(output: str) -> None:
    """Show how a service stands that you are signed in to: workers, what waits, readings, letters, keys.

    Exits 1 if somebody has to see to something.
    """
    with connect() as client:
        there = client.service()
        zone = client.me().workspace.zone
    if output != "table":
        print_one(there, output)
    else:
        _tell(there, zone)
    if there.troubles:
        raise SystemExit(1)


def _tell(there: ServiceState, zone: str) -> None:
    def at(instant: datetime | None, otherwise: str) -> str:
        return otherwise if instant is None else moment(instant, zone)

    def since(instant: datetime | None) -> str:
        return "" if instant is None else f", the oldest since {moment(instant, zone)}"

    facts = {
        "workers": f"{there.workers} at work; last sign of one: {at(there.last_sign, 'none yet')}",
        "jobs": f"{there.waiting} could begin{since(there.waiting_since)}",
        "failed": f"{counted(there.failed, 'job')} within a day",
        "log": f"{counted(there.unsealed, 'event')} to be sealed{since(there.unsealed_since)}",
        "readings": f"the last ended at {at(there.last_reading, 'no time yet')}",
        "overdue": listed(there.behind),
        "letters": f"{there.letters} could not be sent yet" if there.sends_letters else "no mail server is set",
        "key": f"made at {at(there.key_made_at, 'no time yet')}",
        "database": f"{there.database_bytes / 2**20:,.0f} MB, with all workspaces",
    }
    out().print(f"Open Latch {there.version}", style="bold")
    for name, text in facts.items():
        out().print(f"  {name:<10}{text}", soft_wrap=True)
    for trouble in there.troubles:
        out().print(f"\n{trouble.says}", style="bold", soft_wrap=True)
        hint(f"  {trouble.next}")
    if not there.troubles:
        out().print("\nEverything runs.")


@service.command("rotate-keys")
@reports_errors
def rotate_keys() -> None:
    """Encrypt every secret again with a new key, while everything runs.

    From then on the first key of OPENLATCH_SECRET_KEYS protects them.
    """
    given = settings()
    running = wire(given)
    with closing(running.store) as store:
        workspaces = store.workspaces()
        for workspace in workspaces:
            with store.transaction(workspace.id) as tx:
                number = change_keys(as_service(tx, running.services))
            click.echo(f"{workspace.name}: {counted(number, 'secret')} encrypted with a new key.")
    others = len(given.secret_keys) - 1
    if others:
        many = "the other key" if others == 1 else f"the {others} other keys"
        click.echo(f"Remove {many} from OPENLATCH_SECRET_KEYS once service and workers run with the first one.")


@service.command("backup", example="/var/backups/open-latch")
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path))
@reports_errors
def backup(folder: Path) -> None:
    """Copy the whole database into a new folder in FOLDER, and check the copy.

    The login of OPENLATCH_BACKUP_URL copies. OPENLATCH_SECRET_KEYS are not in the copy: keep them elsewhere.
    """
    made = back_up(settings(), folder)
    click.echo(f"Copied the database to {click.format_filename(made)}, and looked whether it is whole.")
    hint("OPENLATCH_SECRET_KEYS are not in it, and without them no secret in it can be read: keep them elsewhere.")


@service.command("archive", example="/var/lib/open-latch/archive")
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path))
@reports_errors
def archive(folder: Path) -> None:
    """Write old events of the logs to files in FOLDER, and remove them from the database.

    Old is what a holder need not have at hand: openlatch workspace change --keep-events. The login of
    OPENLATCH_OWNER_URL removes. Every head, proof and receipt goes on holding, and the files can be verified.
    """
    for each in put_away(settings(), folder):
        if each.file is not None:
            click.echo(f"{each.name}: archived {counted(each.events, 'event')} in {click.format_filename(each.file)}.")
        elif each.days:
            click.echo(f"{each.name}: nothing is older than {counted(each.days, 'day')}.")
        else:
            click.echo(f"{each.name}: keeps all its events at hand.")
    hint(
        "Keep the files, and copies of them elsewhere: nothing else has those events. Check: openlatch log verify FILE…"
    )


@service.command("keep-wal", example="/var/backups/open-latch")
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path))
@reports_errors
def keep(folder: Path) -> None:
    """Keep in FOLDER all that is written to the database, until it is stopped.

    With it and a copy that was made before, the database can be restored as it was at any instant since.
    """
    click.echo(f"Keeping what is written in {click.format_filename(folder / 'wal')}.")
    keep_wal(settings(), folder)


@service.command("restore", example="/var/backups/open-latch --to /srv/restored --until 2027-03-02T14:30:00Z")
@click.argument("folder", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.option("--to", "data", required=True, type=click.Path(path_type=Path), help="A folder that is not there yet.")
@click.option("--until", type=INSTANT, help="As it was then, such as 2027-03-02T14:30:00Z; else as late as is known.")
@reports_errors
def bring_back(folder: Path, data: Path, until: datetime | None) -> None:
    """Restore the database from the copies in FOLDER, and check that every log in it holds.

    Touches nothing that runs. It leaves a folder that PostgreSQL can be started on. Exits 1 if something is wrong.
    """
    begun, found = restore(settings(), folder.resolve(), data.resolve(), until)
    until_when = "as late as is known" if until is None else f"as it was at {until.isoformat()}"
    click.echo(f"Restored {until_when}, from the copy of {begun.isoformat(timespec='seconds')}.")
    for each in found:
        said = f"{each.name}: {counted(each.events, 'event')}, {counted(each.entries, 'standing entry')}; "
        click.echo(said + (f"the log was altered: {each.broken}" if each.broken else "the log holds"))
        if not each.opens:
            click.echo("  Its secrets cannot be read with these OPENLATCH_SECRET_KEYS: give those of then.")
    click.echo(f"Start PostgreSQL on {click.format_filename(data)}, and set OPENLATCH_DATABASE_URL to it.")
    if any(each.broken or not each.opens for each in found):
        raise SystemExit(1)


@service.command("new-key")
def new_key() -> None:
    """Print a new key for OPENLATCH_SECRET_KEYS."""
    click.echo(Vault.new_key())


@service.command("openapi")
def openapi() -> None:
    """Print the API's description, OpenAPI 3.1, as JSON."""
    click.echo(orjson.dumps(description(), option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS).decode())
