"""The worker: which tasks there are, when they come round by themselves, and how a dead worker's jobs are taken up."""

from openlatch.jobs.tasks import TASKS, queue_app, run_worker

__all__ = ["TASKS", "queue_app", "run_worker"]
