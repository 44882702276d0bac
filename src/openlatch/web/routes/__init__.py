"""The routes, one module a noun, each function parse, one operation, render."""

from openlatch.web.routes import (
    accounts,
    activity,
    answers,
    batches,
    entries,
    flags,
    log,
    notices,
    offers,
    orders,
    parties,
    people,
    policy,
    proposals,
    providers,
    readings,
    reviews,
    session,
    views,
)

__all__ = ["ALL"]

ALL = (
    session.routes,
    people.routes,
    providers.routes,
    readings.routes,
    accounts.routes,
    parties.routes,
    entries.routes,
    flags.routes,
    policy.routes,
    orders.routes,
    offers.routes,
    proposals.routes,
    batches.routes,
    reviews.routes,
    notices.routes,
    answers.routes,
    activity.routes,
    log.routes,
    views.routes,
)
