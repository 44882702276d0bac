"""Nobody takes all threads, and one is left for whoever asks for health."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from werkzeug.test import Client
from werkzeug.wrappers import Response

from openlatch.web.doors import Doors


class Slow:
    """An app whose answers are on their way until they are closed."""

    def __call__(self, environ: Any, start_response: Any) -> Iterable[bytes]:
        return Response(iter([b"a", b"b"]))(environ, start_response)


def ask(doors: Doors, who: str, path: str = "/api/v1/entries") -> Response:
    return Client(doors, Response).get(path, headers={"Authorization": f"Bearer {who}"}, buffered=False)


@given(
    st.integers(3, 12),
    st.lists(st.tuples(st.sampled_from("abc"), st.booleans(), st.booleans()), max_size=40),
)
def test_one_thread_is_always_left_and_what_takes_long_never_takes_most(
    threads: int, asked: list[tuple[str, bool, bool]]
) -> None:
    doors = Doors(Slow(), threads, "/api/v1", ["export"])
    inside: list[tuple[str, bool, Response]] = []
    for who, long, leaves in asked:
        if leaves and inside:
            inside.pop(0)[2].close()
            continue
        mine = [is_long for text, is_long, _ in inside if text == who]
        all_long = sum(is_long for _, is_long, _ in inside)
        free = len(inside) < threads - 1 and len(mine) < max(threads - 2, 1)
        if long:
            free = free and sum(mine) < max(threads // 4, 1) and all_long < max(threads // 2, 1)
        answer = ask(doors, who, "/api/v1/entries/export" if long else "/api/v1/entries")
        assert answer.status_code == (200 if free else 503)
        if free:
            inside.append((who, long, answer))
        else:
            assert answer.headers["Retry-After"] == "1"
            assert "Nothing was done" in answer.get_data(as_text=True)
        health = ask(doors, who, "/healthz")
        assert health.status_code == 200, "health answers apart"
        health.close()
    for _, _, answer in inside:
        answer.close()
    assert not doors._inside
    assert not doors._long_inside


def test_a_place_is_free_again_whatever_happens_to_the_app() -> None:
    def fails(environ: Any, start_response: Any) -> Iterable[bytes]:
        raise RuntimeError("no")

    doors = Doors(fails, 3, "/api/v1")
    for _ in range(5):
        try:
            ask(doors, "a")
        except RuntimeError:
            continue
    assert not doors._inside
