"""People who look and change things all the time, and what is answered to them."""

from __future__ import annotations

import threading
import time
from collections import Counter
from itertools import cycle

import httpx

from openlatch.client import Client

__all__ = ["Asking", "headers"]

LOOKS = ("/workspace", "/entries?limit=50", "/orders?limit=20")


class Asking(threading.Thread):
    """Someone who reads pages and changes an account, again and again, and notes what is answered.

    `url` is where, as whoever `client` is; `number` says which account, so that several do not wait for one another;
    `pause` is in seconds, between two requests.
    """

    def __init__(self, client: Client, url: str, number: int = 0, pause: float = 0.1) -> None:
        super().__init__(daemon=True)
        self.answers: Counter[str] = Counter()
        self.worst = 0.0
        self._pause = pause
        self._account = [account.ref for account, _ in zip(client.accounts(), range(number + 1), strict=False)][number]
        self._over = threading.Event()
        self._http = httpx.Client(base_url=f"{url}/api/v1", headers=headers(client), timeout=60)

    def run(self) -> None:
        """Ask until told to stop."""
        for turn, path in enumerate(cycle([*LOOKS, "change"])):
            if self._over.wait(self._pause):
                return
            begun = time.perf_counter()
            if path == "change":
                body = {"criticality": ("vital", "minor")[turn // 4 % 2]}
                self.answers[f"changed: {self._answered('PUT', f'/accounts/{self._account}', body)}"] += 1
            else:
                self.answers[f"read: {self._answered('GET', path)}"] += 1
            self.worst = max(self.worst, time.perf_counter() - begun)

    def _answered(self, method: str, path: str, body: object = None) -> str:
        """The status of an answer, and for a problem its code; a refused connection is one too."""
        try:
            answer = self._http.request(method, path, json=body)
        except httpx.HTTPError as error:
            return type(error).__name__
        told = answer.headers.get("Content-Type", "").startswith("application/problem+json")
        return f"{answer.status_code} {answer.json()['code']}" if told else str(answer.status_code)

    def __enter__(self) -> Asking:
        self.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self.join()
        self._http.close()


def headers(client: Client) -> dict[str, str]:
    """What lets somebody else ask as whoever the client is."""
    return {"Authorization": str(client._http.headers["Authorization"])}
