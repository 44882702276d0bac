"""Links in letters, as the client answers them."""

from __future__ import annotations

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["AnswerCalls"]


class AnswerCalls(Transport):
    """What a link asks, and the answer; neither needs a sign-in. A link is named by its last part."""

    def question(self, link: str) -> wire.Question:
        """Return what a link asks; looking changes nothing."""
        return self._send(wire.Question, "GET", f"/answers/{part(link)}")

    def answer(
        self, link: str, *, agrees: bool, later: bool = False, reason: str = "", name: str = "", password: str = ""
    ) -> wire.Question:
        """Answer a link, once; `later` leaves it for later. Somebody new registers with a name and a password."""
        body: dict[str, object] = {"agrees": agrees, "later": later, "reason": reason}
        if name or password:
            body["register_as"] = {"name": name, "password": password}
        return self._send(wire.Question, "POST", f"/answers/{part(link)}", json=body)
