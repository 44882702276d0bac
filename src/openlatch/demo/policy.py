"""The observatory's own policy: the one to begin with, and what only the observatory can know."""

from __future__ import annotations

from datetime import date, timedelta

from openlatch.demo.cast import DOMAIN
from openlatch.operations.rules.policy_file import BUILT_IN

__all__ = ["policy"]

_TAGS = """
[tags.gate-rewiring]
parties = ["works@brightmere.example"]
over = {over}

[tags.sign-in-lost]
parties = ["l.hartnell@{domain}"]

[tasks.saturday-bookings]
title = "Take bookings on Saturdays"
needs = ["view", "edit"]

[tasks.present]
title = "Present a broadcast"
needs = ["view", "publish"]

[tasks.observe]
title = "Observe on their own nights"
needs = ["view", "edit"]

[[bounds]]
provider = "Hill Road Signage"
most = 3
outsiders = 1
never = ["admit", "own"]

[tags.meant-to-be-public]
accounts = ["Lost property"]

[[apart]]
"""


_PUBLIC = 'exempt = [{ tag = "meant-to-be-public", reason = "Whoever lost a glove may look" }]'


def policy(today: date) -> str:
    """Return the policy's text; the work at the gate was over in spring, which is half a year ago."""
    tags = _TAGS.format(over=today - timedelta(days=188), domain=DOMAIN)
    text = BUILT_IN.replace("domains = []", f'domains = ["{DOMAIN}"]', 1)
    text = text.replace('id = "open-to-read"\n', f'id = "open-to-read"\n{_PUBLIC}\n', 1)
    return text.replace("\n[[apart]]\n", tags, 1)
