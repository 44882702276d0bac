"""Another program that is told what happens, keeps all that it is sent, and misbehaves on demand.

In addition to the faults of every stand-in it knows:

refuse           answers 400 to everything
lose_answers     the next N are kept, but answered 503
"""

from __future__ import annotations

from typing import Any

from werkzeug.routing import Rule
from werkzeug.wrappers import Request, Response

from openlatch.simulator.stand_in import StandIn, answer

__all__ = ["ListenerStandIn"]


class ListenerStandIn(StandIn):
    """The WSGI app: POST /hook takes what is sent, GET /heard shows all of it as it came."""

    def rules(self) -> list[Rule]:
        return [
            Rule("/hook", endpoint=self._take, methods=["POST"]),
            Rule("/heard", endpoint=self._heard, methods=["GET"]),
        ]

    def fill(self, seed: dict[str, Any]) -> None:
        self.add("began", "began", seed)

    def lets_in(self, request: Request) -> bool:
        # Whoever knows the address may send; what it is worth, the signature says.
        return request.path == "/hook" or super().lets_in(request)

    def _take(self, request: Request) -> Response:
        if self.fault("refuse"):
            return answer({"reason": "not wanted here"}, 400)
        heard = {"headers": dict(request.headers), "body": request.get_data(as_text=True), "url": request.url}
        self.add("heard", request.headers.get("Signature", ""), heard)
        if self.spend("lose_answers"):
            return answer({"reason": "gateway timeout"}, 503)
        return answer({}, 202)

    def _heard(self, _request: Request) -> Response:
        return answer({"heard": self.items("heard")})
