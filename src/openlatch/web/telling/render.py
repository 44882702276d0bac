"""News as messages of the API."""

from __future__ import annotations

from openlatch.store.telling.notices import Addressed
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["notice_of"]


def notice_of(one: Addressed) -> wire.Notice:
    return filled(wire.Notice, one, one.notice)
