"""The table of tasks, and the worker that runs them.

Every task can be run twice without harm, since a job whose worker died is run again. Periodic tasks fire once over
all workers.
"""

from __future__ import annotations

import asyncio
import signal
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING, Any
from uuid import UUID

import structlog
from structlog.contextvars import bound_contextvars

from openlatch.deferred import deferred
from openlatch.jobs.announce import announce
from openlatch.jobs.carry_out import carry_out
from openlatch.jobs.deliver import deliver
from openlatch.jobs.listen import listen, see_to
from openlatch.jobs.print_report import print_report
from openlatch.jobs.read import read
from openlatch.jobs.take_in import take_in
from openlatch.memory import Outgrown, give_back
from openlatch.operations import order_jobs
from openlatch.operations.call import Services, as_service
from openlatch.operations.inventory import imports
from openlatch.operations.letting_in import fulfil, requests
from openlatch.operations.orders import orders
from openlatch.operations.people import letters, sign_ins
from openlatch.operations.providers import doings, hearing, readings, security_events
from openlatch.operations.record import log
from openlatch.operations.reviews import plans, prints, settle
from openlatch.operations.rules import flags, whole
from openlatch.operations.taking_back import batches, leavers
from openlatch.operations.telling import alerts, notices
from openlatch.operations.what_if import proposals
from openlatch.store import Store
from openlatch.store.queue import REQUEST

if TYPE_CHECKING:
    import procrastinate
else:
    procrastinate = deferred("procrastinate")

__all__ = ["TASKS", "queue_app", "run", "run_worker", "work"]

logger = structlog.get_logger()

STALLED_AFTER = 15
"""Seconds without a sign of life after which a worker counts as dead."""
LOOK_EVERY = 5
"""Seconds between looks at what a worker without anything to do takes of memory."""
BEGIN_AGAIN = 2
"""Seconds until a worker that lost its database looks for it again."""


def _read(store: Store, services: Services, workspace_id: str, reading_id: str) -> None:
    read(store, services, UUID(workspace_id), UUID(reading_id))


def _carry_out(store: Store, services: Services, workspace_id: str, order_id: str) -> None:
    carry_out(store, services, UUID(workspace_id), [UUID(order_id)])


def _carry_out_together(store: Store, services: Services, workspace_id: str, order_ids: list[str]) -> None:
    carry_out(store, services, UUID(workspace_id), [UUID(order_id) for order_id in order_ids])


def seal(store: Store, services: Services) -> None:
    """Seal what was added to the logs."""
    for workspace_id in store.unsealed():
        with store.transaction(workspace_id) as tx:
            log.seal(as_service(tx, services))


def queue_due(store: Store, services: Services) -> None:
    """Queue the readings that are due."""
    for workspace_id in store.due(services.clock()):
        with store.transaction(workspace_id) as tx:
            call = as_service(tx, services)
            for provider in tx.providers.due(call.now):
                readings.queue(call, provider)


def evaluate(store: Store, services: Services) -> None:
    """Look at everything again, once a day, so that what comes up in the next days is known."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            flags.evaluate_all(as_service(tx, services))


def evaluate_due(store: Store, services: Services) -> None:
    """Look again at what time alone may have changed by now."""
    for workspace_id in store.due_again(services.clock()):
        with store.transaction(workspace_id) as tx:
            flags.evaluate_due(as_service(tx, services))


def _see_to(store: Store, services: Services, workspace_id: str, event_id: str) -> None:
    see_to(store, services, UUID(workspace_id), UUID(event_id))


def _evaluate(store: Store, services: Services, workspace_id: str) -> None:
    """Look at everything, beside whoever changes it; if that is too much, while they wait."""
    with store.transaction(UUID(workspace_id)) as tx:
        whole.begin_beside(as_service(tx, services))
    with store.transaction(UUID(workspace_id)) as tx:
        done = whole.evaluate_beside(as_service(tx, services))
    if not done:
        with store.transaction(UUID(workspace_id)) as tx:
            whole.evaluate_everything(as_service(tx, services))


def _wake(store: Store, services: Services, workspace_id: str, order_id: str) -> None:
    with store.transaction(UUID(workspace_id)) as tx:
        order_jobs.wake(as_service(tx, services), UUID(order_id))


def _advance(store: Store, services: Services, workspace_id: str, batch_id: str) -> None:
    with store.transaction(UUID(workspace_id)) as tx:
        call = as_service(tx, services)
        rested = batches.advance(call, UUID(batch_id))
        if rested is not None:
            leavers.complete(call, rested)


def _take_in(store: Store, services: Services, workspace_id: str, import_id: str) -> None:
    take_in(store, services, UUID(workspace_id), UUID(import_id))


def _print(store: Store, services: Services, workspace_id: str, print_id: str) -> None:
    print_report(store, services, UUID(workspace_id), UUID(print_id))


def _work_out(store: Store, services: Services, workspace_id: str, proposal_id: str, number: int) -> None:
    with store.transaction(UUID(workspace_id)) as tx:
        proposals.run(as_service(tx, services), UUID(proposal_id), number)


def _password_letter(store: Store, services: Services, workspace_id: str, address: str) -> None:
    with store.transaction(UUID(workspace_id)) as tx:
        letters.send_password(as_service(tx, services), address)


TASKS: Mapping[str, Callable[..., None]] = {
    readings.TASK: _read,
    order_jobs.TASK: _carry_out,
    order_jobs.TOGETHER: _carry_out_together,
    order_jobs.WAKE: _wake,
    flags.TASK: _evaluate,
    hearing.TASK: _see_to,
    batches.TASK: _advance,
    imports.TASK: _take_in,
    prints.TASK: _print,
    proposals.TASK: _work_out,
    letters.TASK: _password_letter,
}
"""What can be queued, by name."""


def learn(store: Store, services: Services) -> None:
    """Have the database know what has grown much: what a first reading stored, and the flags on it."""
    if known := store.learn():
        logger.info("the database knows its tables again", tables=known)


def take_up_forgotten(store: Store, services: Services) -> None:
    """Queue again what should have moved long ago, for whatever lost its jobs."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            call = as_service(tx, services)
            orders.take_up_forgotten(call)
            hearing.take_up_forgotten(call)


def open_rounds(store: Store, services: Services) -> None:
    """Open the rounds of reviews that are due, and take those that are open as far as they go now."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            plans.open_due(as_service(tx, services))
        with store.transaction(workspace.id) as tx:
            settle.go_on(as_service(tx, services))


def tell_of_ends(store: Store, services: Services) -> None:
    """Tell both sides of access that ends soon."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            alerts.ending(as_service(tx, services))


def see_to_offers(store: Store, services: Services) -> None:
    """Have offers lapse that nobody answered, and what was given in part end when it was to."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            call = as_service(tx, services)
            fulfil.lapse(call)
            fulfil.go_on(call)
            requests.lapse(call)


def tidy(store: Store, services: Services) -> None:
    """Delete what is of no use any more: kept replies, ended sign-ins, failures, doings and reports of long ago."""
    with store.strangers() as strangers:
        strangers.forget_before(services.clock() - sign_ins.WINDOW)
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            call = as_service(tx, services)
            sign_ins.tidy(call)
            notices.tidy(call)
            doings.tidy(call)
            readings.tidy(call)
            security_events.tidy(call)
            tx.tallies.fold()


def publish_heads(store: Store, services: Services) -> None:
    """Sign the heads of the logs, once a day, for whoever is told what happens: who keeps one can prove a forgery."""
    for workspace in store.workspaces():
        with store.transaction(workspace.id) as tx:
            call = as_service(tx, services)
            made = log.publish(call)
            if made is not None and services.heads_to:
                notices.send_head(call, services.heads_to, made.head.grown, made.signed)
        if made is not None and services.heads_file is not None:
            try:
                with services.heads_file.open("a") as file:
                    file.write(f"{workspace.slug} {made.head.grown} {made.signed}\n")
            except OSError as error:  # it is in the log too; the heads of the other workspaces are signed all the same
                logger.warning("head not written", file=str(services.heads_file), why=str(error))


PERIODIC: Mapping[str, Callable[[Store, Services], None]] = {
    "* * * * * */2": seal,
    "* * * * * */5": queue_due,
    "7 4 * * *": evaluate,
    "* * * * * */4": evaluate_due,
    "* * * * * */3": open_rounds,
    "* * * * * */6": deliver,
    "* * * * * */7": announce,
    "* * * * * */11": listen,
    "* * * * * */10": learn,
    "*/10 * * * *": take_up_forgotten,
    "23 5 * * *": publish_heads,
    "41 * * * *": tidy,
    "*/15 * * * *": tell_of_ends,
    "*/2 * * * *": see_to_offers,
}
"""What takes place by itself, by its cron line; the optional sixth field is seconds."""


_under_way: set[object] = set()
"""One for each job that runs in this process."""


@contextmanager
def _logged(name: str, request: str = "") -> Iterator[None]:
    """Say in the service's own log why a job failed; the queue only knows that it did.

    What is written meanwhile names the request that the job comes of. What it took of memory is given back after it.
    """
    bound = {REQUEST: request} if request else {}
    job = object()
    _under_way.add(job)
    try:
        with bound_contextvars(**bound):
            yield
    except Exception:
        logger.exception("job failed", task=name)
        raise
    finally:
        give_back()
        _under_way.discard(job)


def run(name: str, store: Store, services: Services, arguments: Mapping[str, Any]) -> None:
    """Run a job of what was queued: a task, and what it was queued with."""
    given = dict(arguments)
    with _logged(name, given.pop(REQUEST, "")):
        TASKS[name](store, services, **given)


def queue_app(conninfo: str, store: Store, services: Services) -> procrastinate.App:
    """Return the queue with all tasks in it."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=conninfo))
    # For an unexpected error, such as a database that is away for a moment; provider trouble is the orders' own matter.
    again = procrastinate.RetryStrategy(max_attempts=10, exponential_wait=2)

    def register(name: str) -> None:
        @app.task(name=name, retry=again)
        def task(**arguments: Any) -> None:
            run(name, store, services, arguments)

    def register_periodic(cron: str, function: Callable[[Store, Services], None]) -> None:
        name = f"openlatch.{function.__name__}"

        @app.periodic(cron=cron)
        @app.task(name=name, lock=name, queueing_lock=name)
        def task(timestamp: int) -> None:
            with _logged(name):
                function(store, services)

    for name in TASKS:
        register(name)
    for cron, periodic in PERIODIC.items():
        register_periodic(cron, periodic)

    @app.periodic(cron="* * * * * */10")
    # Without a lock: one that a dying worker held would keep every later rescue from running.
    @app.task(name="openlatch.rescue", queueing_lock="openlatch.rescue", pass_context=True)
    async def rescue(context: procrastinate.JobContext, timestamp: int) -> None:
        """Take up the jobs of workers that died."""
        manager = context.app.job_manager
        for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER):
            logger.warning("job of a dead worker taken over", job=job.id, task=job.task_name)
            try:
                await manager.retry_job(job)
            except procrastinate.exceptions.UniqueViolation:
                # Another one of the same waits already, perhaps for the very lock that this one holds.
                await manager.finish_job(job, procrastinate.jobs.Status.FAILED, delete_job=False)

    @app.periodic(cron="13 3 * * *")
    @app.task(name="openlatch.forget-jobs", pass_context=True)
    async def forget(context: procrastinate.JobContext, timestamp: int) -> None:
        """Delete the records of jobs that ended well a day ago; what they did is in the log."""
        await context.app.job_manager.delete_old_jobs(nb_hours=24)

    return app


def run_worker(make_app: Callable[[], procrastinate.App], concurrency: int) -> bool:
    """Run jobs until told to stop; a job then has ten seconds to end. A database that is away is waited for.

    Returns whether the worker was not told to, but keeps so much memory that it had better begin anew.
    """
    return asyncio.run(_listening(make_app, concurrency))


async def _listening(make_app: Callable[[], procrastinate.App], concurrency: int) -> bool:
    told = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, told.set)
    return await work(told, make_app, concurrency)


async def work(told: asyncio.Event, make_app: Callable[[], procrastinate.App], concurrency: int) -> bool:
    """Run jobs until told to stop, or until too much memory is kept: returns whether it is for the memory."""
    outgrown = Outgrown()
    while not told.is_set():
        try:
            async with make_app().open_async() as app:
                anew = await _until(told, app, concurrency, outgrown)
            if anew and not told.is_set():
                return True
        except Exception:
            logger.exception("the queue cannot be reached")
        if not told.is_set():
            logger.warning("worker begins again", seconds=BEGIN_AGAIN)
            with suppress(TimeoutError):
                await asyncio.wait_for(told.wait(), BEGIN_AGAIN)
    return False


async def _until(told: asyncio.Event, app: procrastinate.App, concurrency: int, outgrown: Outgrown) -> bool:
    """Run jobs until told to stop, until too much memory is kept, or until the queue breaks down: that ends the worker.

    Returns whether it is for the memory.
    """
    stop = asyncio.create_task(told.wait())
    full = asyncio.create_task(_outgrown(outgrown))
    work = asyncio.create_task(
        app.run_worker_async(
            concurrency=concurrency,
            shutdown_graceful_timeout=10,
            update_heartbeat_interval=3,
            stalled_worker_timeout=STALLED_AFTER,
            fetch_job_polling_interval=1,
            install_signal_handlers=False,
        )
    )
    await asyncio.wait({work, stop, full}, return_when=asyncio.FIRST_COMPLETED)
    anew = full.done() and not stop.done() and not work.done()
    for task in (stop, full, work):
        task.cancel()
        with suppress(asyncio.CancelledError):
            await task
    return anew


async def _outgrown(outgrown: Outgrown) -> None:
    """Wait until this process has nothing to do, and keeps too much memory all the same."""
    while _under_way or not outgrown.look():
        await asyncio.sleep(LOOK_EVERY)
