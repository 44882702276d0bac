"""What HTTP says beside the body: versions, where a new thing is, the next page, and lists that are packed."""

from __future__ import annotations

import json

from tests.harness.ridge import Ridge

LOCK = {"do": "lock", "account": "Night-Sky Plates", "locked": True}


def test_a_change_is_made_only_of_the_version_that_was_looked_at(ridge: Ridge) -> None:
    client = ridge.client()
    name, http = client.account("Gate").ref, ridge.http(client)
    seen = http.get(f"/accounts/{name}")
    tag = seen.headers["ETag"]
    assert http.get(f"/accounts/{name}").headers["ETag"] == tag, "what is the same has the same"
    again = http.get(f"/accounts/{name}", headers={"If-None-Match": tag})
    assert (again.status_code, again.content) == (304, b"")
    wish = {"criticality": "vital", "practice": None}
    changed = http.put(f"/accounts/{name}", json=wish, headers={"If-Match": tag})
    assert (changed.status_code, changed.json()["criticality"]) == (200, "vital")
    late = http.put(f"/accounts/{name}", json={**wish, "criticality": "minor"}, headers={"If-Match": tag})
    assert (late.status_code, late.json()["code"]) == (412, "other-version")
    now = http.get(f"/accounts/{name}")
    assert late.json()["facts"] == {"etag": now.headers["ETag"]}
    assert (now.json()["criticality"], now.headers["ETag"] != tag) == ("vital", True), "nothing was changed"
    assert http.put(f"/accounts/{name}", json=wish, headers={"If-Match": "*"}).status_code == 200
    unversioned = http.post("/providers/Live Sky/pause", headers={"If-Match": tag})
    assert (unversioned.status_code, client.provider("Live Sky").paused) == (400, False)


def test_what_is_made_says_where_it_is_and_a_list_where_it_goes_on(ridge: Ridge) -> None:
    client = ridge.client()
    http = ridge.http(client)
    made = http.post(
        "/proposals",
        json={"body": {"proposal": 1, "title": "A lock", "changes": [LOCK]}},
    )
    there = http.get(made.headers["Location"].removeprefix("/api/v1"))
    assert there.json()["id"] == made.json()["id"]
    seen: list[str] = []
    address = "/entries?limit=100&sort=party"
    while address:
        page = http.get(address)
        seen += [entry["id"] for entry in page.json()["items"]]
        link = page.headers.get("Link", "")
        assert bool(link) is bool(page.json()["next"])
        address = link.partition(">")[0].removeprefix("</api/v1")
    assert seen == [str(entry.id) for entry in client.entries(sort="party")]


def test_a_list_is_packed_for_whoever_takes_it_so_and_nothing_else_is(ridge: Ridge) -> None:
    http = ridge.http(ridge.client())
    plain = http.get("/entries?limit=100", headers={"Accept-Encoding": "identity"})
    packed = http.get("/entries?limit=100", headers={"Accept-Encoding": "gzip"})
    assert "Content-Encoding" not in plain.headers
    assert (packed.headers["Content-Encoding"], packed.headers["Vary"]) == ("gzip", "Accept-Encoding")
    assert int(packed.headers["Content-Length"]) < len(plain.content) / 4
    assert json.loads(packed.content) == json.loads(plain.content)
    assert packed.headers["ETag"] == plain.headers["ETag"]
    assert "Content-Encoding" not in http.get("/me", headers={"Accept-Encoding": "gzip"}).headers
