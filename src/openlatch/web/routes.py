"""The routes, one module a noun, each function parse, one operation, render."""

from openlatch.web.inventory import accounts, activity, entries, imports, parties, sameness, views
from openlatch.web.letting_in import answers, offers, requests
from openlatch.web.orders import orders, teams
from openlatch.web.people import me, people, session, sign_on
from openlatch.web.providers import descriptions, providers, readings, security_events
from openlatch.web.record import log
from openlatch.web.reviews import prints, reviews
from openlatch.web.rules import flags, policy
from openlatch.web.running import state
from openlatch.web.search import search
from openlatch.web.taking_back import batches
from openlatch.web.telling import notices, webhooks
from openlatch.web.what_if import proposals

__all__ = ["ALL"]

ALL = (
    search.routes,
    session.routes,
    sign_on.routes,
    people.routes,
    me.routes,
    providers.routes,
    descriptions.routes,
    readings.routes,
    security_events.routes,
    imports.routes,
    prints.routes,
    accounts.routes,
    parties.routes,
    teams.routes,
    entries.routes,
    flags.routes,
    policy.routes,
    orders.routes,
    offers.routes,
    requests.routes,
    proposals.routes,
    webhooks.routes,
    batches.routes,
    reviews.routes,
    sameness.routes,
    notices.routes,
    answers.routes,
    activity.routes,
    log.routes,
    state.routes,
    views.routes,
)
