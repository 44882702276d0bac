"""What is measured of a running service, for whoever watches it: the name of each measure, and what it means."""

from __future__ import annotations

from dataclasses import dataclass

from openlatch.core.running.state import ALIVE, LONG

__all__ = ["MEASURES", "Measure"]


@dataclass(frozen=True, slots=True)
class Measure:
    """Something that is measured over all workspaces together; `label` tells its several values apart, if it has some.

    `high` is from where on somebody should look, `low` below what; None where no value by itself is a trouble.
    """

    name: str
    says: str
    label: str = ""
    high: float | None = None
    low: float | None = None


_ALIVE = f"{ALIVE.total_seconds():.0f} seconds"
_LONG = f"{LONG.total_seconds() / 60:.0f} minutes"
MEASURES: tuple[Measure, ...] = (
    Measure("openlatch_workers", f"Workers that gave a sign of life within the last {_ALIVE}.", low=1),
    Measure("openlatch_jobs_waiting", "Jobs that could begin now, and wait for a worker."),
    Measure(
        "openlatch_jobs_waiting_seconds",
        "How long the job has waited that has waited longest; 0 if none.",
        high=LONG.total_seconds(),
    ),
    Measure("openlatch_jobs_failed", "Jobs that were given up within the last day: the workers say why.", high=1),
    Measure("openlatch_orders", "Orders that are not over, by their state.", label="state"),
    Measure("openlatch_readings_overdue", f"Providers that were to be read more than {_LONG} ago.", high=1),
    Measure("openlatch_readings_failed", "Readings that failed within the last hour."),
    Measure(
        "openlatch_reading_age_seconds",
        "How long ago the provider was read completely whose last complete reading is the oldest.",
    ),
    Measure("openlatch_events_waiting", "Events that are not sealed into a log yet."),
    Measure(
        "openlatch_events_waiting_seconds",
        "How long the event has waited that has waited longest; 0 if none.",
        high=LONG.total_seconds(),
    ),
    Measure("openlatch_letters_waiting", "Pieces of news that are due to go out in a letter, and have not.", high=1000),
    Measure("openlatch_letters_failing", "Pieces of news that the mail server was asked to take, and has not.", high=1),
)
"""All that `/metrics` says beside what each web process counts of the requests that it answers."""
