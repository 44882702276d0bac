"""What all routes share: reading a request strictly, who is asking, one transaction, one shape of error.

A route is declared with the models it takes and returns (see docs/decisions/0002-own-api-layer.md); the same
declarations make the OpenAPI document.
"""

from __future__ import annotations

import hashlib
import itertools
import json
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, suppress
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from http import HTTPStatus
from typing import Any
from uuid import UUID

import structlog
from flask import Flask, Response, current_app, g, request
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException

from openlatch.errors import Busy, Conflict, Invalid, Malformed, NotAllowed, NotFound, NotSignedIn, OpenLatchError
from openlatch.glossary import tag_of
from openlatch.operations.call import Actor, Call, Services
from openlatch.operations.credentials import Bearer
from openlatch.operations.people import sign_ins
from openlatch.operations.providers import lookups
from openlatch.operations.providers.lookups import Lookup
from openlatch.store import Store, Transaction
from openlatch.store.people.replies import Reply
from openlatch.web import headers
from openlatch.wire import messages as wire
from openlatch.wire.base import mistakes

__all__ = [
    "BESIDE",
    "COOKIE",
    "MOST_BYTES",
    "PREFIX",
    "Answer",
    "Backend",
    "Download",
    "Route",
    "Routes",
    "Stream",
    "Upload",
    "backend",
    "bearer",
    "beside",
    "bind",
    "bind_errors",
    "needed",
    "network",
]

PREFIX = "/api/v1"
COOKIE = "openlatch_session"
BESIDE = "openlatch_beside"
"""the cookie of sessions that are kept beside the present one, in other holders' names"""
CSRF_HEADER = "X-Latch-CSRF"
MOST_BYTES = 12 * 1024 * 1024

log = structlog.get_logger()
NOBODY = Actor("nobody")
TOO_LONG = frozenset({"57014", "55P03"})
"""SQLSTATE of a statement that was cancelled because it took too long, and of a lock that did not become free."""
SHORT_OF: Mapping[str, str] = {
    "53100": "The disk of the database is full.",
    "53200": "The database has no memory left.",
    "53300": "The database takes no more connections.",
}
"""What the database says that it is short of, by its SQLSTATE."""
NOTED_EVERY = timedelta(minutes=1)
MOST_NOTED = 10_000


@dataclass(frozen=True, slots=True)
class Backend:
    """What the routes work with, put together by the wiring."""

    store: Store
    services: Services
    secure_cookies: bool
    threads: int = 1
    """how many requests are answered at a time"""
    proxies: int = 0
    """how many proxies stand before the service, whose word on where a request comes from is believed"""
    security_contact: str = ""
    """where weaknesses are reported, as mailto: or https:"""
    noted: dict[UUID, datetime] = field(default_factory=dict)
    """when it was kept last that a session or token was used, by its id"""


@dataclass(frozen=True, slots=True)
class Answer:
    """A model to send with another status than the route's usual one, or with headers or a cookie."""

    model: BaseModel | None
    status: int | None = None
    cookie: str | None = None
    beside: str | None = None


@dataclass(frozen=True, slots=True)
class Route:
    """One operation of the API, as declared."""

    method: str
    rule: str
    function: Callable[..., Any]
    returns: type[BaseModel] | None
    query: type[BaseModel] | None
    body: type[BaseModel] | None
    status: int
    public: bool
    tag: str
    files: tuple[str, ...] = ()
    """the content types of the files that it answers, instead of a message"""
    takes: tuple[str, ...] = ()
    """the content types of the file that it takes, instead of a message"""
    streams: bool = False
    """whether the file is sent piece by piece"""
    asks: Callable[..., Sequence[Lookup]] | None = None
    """what providers are asked first, outside any transaction; what they say is given as `findings`"""
    kept: bool = True
    """whether its answer is kept, to be given again to the same request; not of what changes nothing"""
    calls: bool = False
    """whether it calls another service meanwhile"""
    counted: bool = False
    """whether it is refused to whoever asks for it too often, though they are signed in"""
    refuses: type[BaseModel] | None = None
    """as what it says that something is wrong (400), where another protocol than ours lays that down"""

    @property
    def summary(self) -> str:
        return (self.function.__doc__ or "").strip()

    @property
    def name(self) -> str:
        return self.function.__name__


@dataclass(frozen=True, slots=True)
class Download:
    """A file to send instead of a message."""

    content: bytes
    content_type: str
    name: str
    inline: bool = False
    """shown in the browser rather than kept"""
    policy: str = ""
    """the Content-Security-Policy of what is shown"""


@dataclass(frozen=True, slots=True)
class Stream:
    """A file to send piece by piece, as it is read from the database: it is never held as a whole."""

    pieces: Iterator[bytes]
    content_type: str
    name: str


@dataclass(frozen=True, slots=True)
class Upload:
    """A file that was sent instead of a message; its type is one that the route takes."""

    content: bytes
    content_type: str


class Routes:
    """The routes of one noun."""

    def __init__(self) -> None:
        self.all: list[Route] = []

    def route(
        self,
        method: str,
        rule: str,
        *,
        returns: type[BaseModel] | None = None,
        query: type[BaseModel] | None = None,
        body: type[BaseModel] | None = None,
        status: int = 200,
        public: bool = False,
        files: tuple[str, ...] = (),
        takes: tuple[str, ...] = (),
        streams: bool = False,
        asks: Callable[..., Sequence[Lookup]] | None = None,
        kept: bool = True,
        calls: bool = False,
        counted: bool = False,
        refuses: type[BaseModel] | None = None,
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """Declare a route. Its function is given `call` (unless public), what the path holds, `query`, and `body` or
        `upload`.
        """

        def declare(function: Callable[..., Any]) -> Callable[..., Any]:
            self.all.append(
                Route(
                    method=method,
                    rule=rule,
                    function=function,
                    returns=returns,
                    query=query,
                    body=body,
                    status=status,
                    public=public,
                    tag=tag_of(rule),
                    files=files,
                    takes=takes,
                    streams=streams,
                    asks=asks,
                    kept=kept,
                    calls=calls,
                    counted=counted,
                    refuses=refuses,
                )
            )
            return function

        return declare


def backend() -> Backend:
    """Return what the present app works with."""
    the_backend: Backend = current_app.extensions["openlatch"]
    return the_backend


def bearer() -> tuple[Bearer, bool]:
    """Return what the request proves who it is with, and whether that is a cookie; raises NotSignedIn."""
    header = request.headers.get("Authorization", "")
    if header:
        kind, _, text = header.partition(" ")
        the_bearer = Bearer.parse(text.strip()) if kind.lower() == "bearer" else None
        if the_bearer is None:
            raise NotSignedIn(
                "The Authorization header has no Open Latch token.",
                next_step="Send “Bearer” and a token, as `openlatch sign-in` makes one.",
            )
        return the_bearer, False
    the_bearer = Bearer.parse(request.cookies.get(cookie(COOKIE), ""))
    if the_bearer is None:
        raise NotSignedIn("Nobody is signed in.", next_step="Sign in, or send a token.")
    return the_bearer, True


def cookie(name: str) -> str:
    """Return what a cookie is called: over https in a way that no other host, and no page over http, can set it."""
    return f"__Host-{name}" if backend().secure_cookies else name


def beside() -> list[Bearer]:
    """Return the sessions that are kept beside the present one, as far as they can be read."""
    bearers = (Bearer.parse(text) for text in request.cookies.get(cookie(BESIDE), "").split("|"))
    return [each_bearer for each_bearer in bearers if each_bearer is not None]


def bind(app: Flask, routes: Routes) -> None:
    """Serve the routes of one noun."""
    served = app.extensions.setdefault("openlatch.routes", {})
    for route in routes.all:
        rule = PREFIX + route.rule
        served[route.method, route.rule] = route
        app.add_url_rule(rule, f"{route.method} {rule}", _view(route), methods=[route.method])


def _view(route: Route) -> Callable[..., Response]:
    def view(**path: Any) -> Response:
        if route.public:
            return _response(route, route.function(**_arguments(route, path)))
        return _signed_in(route, path)

    return view


def _arguments(route: Route, path: dict[str, Any]) -> dict[str, Any]:
    arguments = dict(path)
    if route.query is not None:
        arguments["query"] = _query(route.query)
    elif request.args:
        raise _unknown(sorted(request.args), "query")
    if route.body is not None:
        arguments["body"] = _body(route.body)
    if route.takes:
        arguments["upload"] = _upload(route.takes)
    return arguments


def _signed_in(route: Route, path: dict[str, Any]) -> Response:
    who, by_cookie = bearer()
    try:
        return _answered(route, path, who, by_cookie)
    finally:
        if g.get("actor"):
            with suppress(OperationalError):  # what is wrong with the database is told by the answer itself
                _note_use(who, by_cookie)


def network() -> str:
    """Return the network address that a request comes from."""
    return request.remote_addr or ""


def _note_use(who: Bearer, by_cookie: bool) -> None:
    """Keep that a session or token was used, once a minute, after a request that may have been long."""
    at = backend()
    now = at.services.clock()
    before = at.noted.get(who.id)
    if before is not None and abs(now - before) < NOTED_EVERY:
        return
    if len(at.noted) > MOST_NOTED:
        at.noted.clear()
    at.noted[who.id] = now
    with at.store.transaction(who.workspace_id) as tx:
        sign_ins.note_use(Call(tx, at.services, NOBODY, now), who, network(), session=by_cookie)


def _answered(route: Route, path: dict[str, Any], who: Bearer, by_cookie: bool) -> Response:
    at = backend()
    try:
        if route.streams:
            return _streamed(route, path, who, by_cookie)
        more = {}
        if route.asks is not None:
            with at.store.transaction(who.workspace_id) as tx:
                asked = route.asks(_acting(route, tx, who, by_cookie), **_arguments(route, path))
            more["findings"] = lookups.ask(asked)
        with at.store.transaction(who.workspace_id) as tx:
            return _once(route, tx, _acting(route, tx, who, by_cookie), _arguments(route, path) | more)
    except NotFound as error:
        # A token of a workspace that is not here must look like any other token that is not known.
        if str(who.workspace_id) in error.message:
            raise NotSignedIn("This token is not known here.", next_step="Sign in again.") from error
        raise


def _streamed(route: Route, path: dict[str, Any], who: Bearer, by_cookie: bool) -> Response:
    """A file that is read while it is sent, in one transaction that ends with it."""
    with ExitStack() as opened:
        tx = opened.enter_context(backend().store.transaction(who.workspace_id))
        sent: Stream = route.function(_acting(route, tx, who, by_cookie), **_arguments(route, path))
        # What is wrong with the first piece is told as an error; later the connection is closed before its end.
        first = next(sent.pieces, b"")
        pieces = _giving_way(sent.pieces, current_app.extensions["openlatch.others"])
        response = Response(itertools.chain([first], pieces), content_type=sent.content_type)
        response.headers["Content-Disposition"] = f'attachment; filename="{sent.name}"'
        response.headers["Cache-Control"] = "no-store"
        response.call_on_close(opened.pop_all().close)
        return response


def _giving_way(pieces: Iterator[bytes], others: Callable[[], bool]) -> Iterator[bytes]:
    """Pieces of something long, with a pause after each as long as it took while someone else is being answered."""
    start = time.perf_counter()
    for piece in pieces:
        yield piece
        if others():
            time.sleep(min(time.perf_counter() - start, 1))
        start = time.perf_counter()


def _acting(route: Route, tx: Transaction, who: Bearer, by_cookie: bool) -> Call:
    """The call of whoever sends a request."""
    at = backend()
    call = Call(tx, at.services, NOBODY, at.services.clock())
    actor = sign_ins.by_session(call, who) if by_cookie else sign_ins.by_token(call, who)
    if by_cookie and route.method != "GET" and request.headers.get(CSRF_HEADER) != who.csrf:
        raise NotAllowed(
            f"The header {CSRF_HEADER} is missing or wrong. Nothing was changed.", next_step="Load the page again."
        )
    g.actor = actor.name
    return replace(call, actor=actor)


def _once(route: Route, tx: Transaction, call: Call, arguments: dict[str, Any]) -> Response:
    """Carry a change out once for an idempotency key, however often it is sent."""
    key = request.headers.get("Idempotency-Key", "")
    person = call.actor.person
    if route.method == "GET" or not route.kept or not key or person is None:
        return _changed(route, call, arguments)
    if len(key) > 200 or not key.isprintable():
        raise Malformed("The Idempotency-Key has to be at most 200 printable characters.", next_step="Send a UUID.")
    # By a key: what was sent may hold a password, and is not to be guessed from what is kept of it.
    ring = call.keyring()
    sent = hashlib.sha256(f"{route.method} {request.path}\n".encode() + request.get_data()).hexdigest()
    fingerprint = ring.mark(sent)
    kept = tx.replies.find(person.id, key)
    if kept is not None:
        if not ring.marked(sent, kept.fingerprint):
            raise Conflict(
                "This Idempotency-Key was used for another request. Nothing was changed.",
                next_step="Use a new key for a new request.",
            )
        return Response(ring.open(kept.body), kept.status, content_type="application/json")
    response = _changed(route, call, arguments)
    reply = Reply(fingerprint, response.status_code, ring.close(response.get_data(as_text=True)))
    tx.replies.keep(person.id, key, reply, call.now)
    return response


def _changed(route: Route, call: Call, arguments: dict[str, Any]) -> Response:
    """What a route answers; one that changes something does so only if it is the version that is wanted (If-Match)."""
    rules: dict[tuple[str, str], Route] = current_app.extensions["openlatch.routes"]
    if route.method != "GET" and "If-Match" in request.headers:
        # What is made anew below an address is no change of what can be got there.
        shows = rules.get(("GET", route.rule)) if route.method in ("PUT", "DELETE") else None
        there = None
        if shows is not None and shows.returns is not None and shows.query is None:
            path = {name: value for name, value in arguments.items() if name in (request.view_args or {})}
            there = _response(shows, shows.function(call, **path)).get_data()
        headers.refuse_other_version(there)
    response = _response(route, route.function(call, **arguments))
    if route.method == "GET":
        lists = route.returns is not None and {"items", "next"} <= route.returns.model_fields.keys()
        return headers.describe_answer(response, lists=lists)
    if route.method == "POST":
        return headers.located(
            response, route.rule, {rule: r for (method, rule), r in rules.items() if method == "GET"}
        )
    return response


def _response(route: Route, result: BaseModel | Answer | Download | None) -> Response:
    if isinstance(result, Download):
        response = Response(result.content, content_type=result.content_type)
        shown = "inline" if result.inline else "attachment"
        response.headers["Content-Disposition"] = f'{shown}; filename="{result.name}"'
        if result.policy:
            response.headers["Content-Security-Policy"] = result.policy
        response.headers["Cache-Control"] = "no-store"
        return response
    answer = result if isinstance(result, Answer) else Answer(result)
    status = answer.status or route.status
    if answer.model is None:
        response = Response(status=HTTPStatus.NO_CONTENT if status == 200 else status)
    else:
        response = Response(answer.model.model_dump_json(), status, content_type="application/json")
    for name, value in ((COOKIE, answer.cookie), (BESIDE, answer.beside)):
        if value is not None:
            secure = backend().secure_cookies
            response.set_cookie(cookie(name), value, httponly=True, secure=secure, samesite="Strict", path="/")
    response.headers["Cache-Control"] = "no-store"
    return response


def _query(model: type[BaseModel]) -> BaseModel:
    repeated = [name for name in request.args if len(request.args.getlist(name)) > 1]
    if repeated:
        raise Invalid(
            f"“{repeated[0]}” was given more than once.",
            next_step="Give it once; several words in it are separated by commas.",
            errors=[{"at": repeated[0], "problem": "given more than once"}],
        )
    return _checked(model, request.args.to_dict(), "query")


def needed(model: type[BaseModel]) -> bool:
    """Return whether a body of this shape has to be sent."""
    return any(field.is_required() for field in model.model_fields.values())


def _body(model: type[BaseModel]) -> BaseModel:
    data = request.get_data()
    if not data and not needed(model):
        return model()
    if request.mimetype != "application/json":
        raise Malformed(
            "The request has no JSON in it. Nothing was changed.",
            next_step="Send JSON as Content-Type application/json.",
        )
    try:
        content = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise Malformed("The request's JSON cannot be read. Nothing was changed.", next_step="Check it.") from error
    return _checked(model, content, "body")


def _upload(takes: tuple[str, ...]) -> Upload:
    if request.mimetype not in takes:
        raise Malformed(
            f"A file of the type “{request.mimetype or 'unknown'}” cannot be read here. Nothing was changed.",
            next_step=f"Send one of: {', '.join(takes)}.",
        )
    return Upload(request.get_data(), request.mimetype)


def _checked(model: type[BaseModel], content: Any, part: str) -> BaseModel:
    try:
        return model.model_validate(content) if part == "query" else model.model_validate_json(json.dumps(content))
    except ValidationError as error:
        unknown = [".".join(map(str, e["loc"])) for e in error.errors() if e["type"] == "extra_forbidden"]
        if unknown:
            raise _unknown(unknown, part) from error
        errors = [{**mistake, "at": mistake["at"] or part} for mistake in mistakes(error)]
        first = errors[0]
        raise Invalid(
            f"“{first['at']}” in the {part}: {first['problem']}. Nothing was changed.",
            next_step="Correct it and send it again.",
            errors=errors,
        ) from error


def _unknown(names: list[str], part: str) -> Invalid:
    return Invalid(
        f"“{names[0]}” is not known in the {part}. Nothing was changed.",
        next_step="Check its spelling in the API's description, /api/v1/openapi.json.",
        errors=[{"at": name, "problem": "not known here"} for name in names],
    )


def bind_errors(app: Flask) -> None:
    """Turn every error into one shape, application/problem+json (RFC 9457)."""

    @app.errorhandler(OpenLatchError)
    def ours(error: OpenLatchError) -> Response:
        return _problem(error)

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        allowed = _methods_here() if error.code == 405 else ()
        if error.code == 404 or (error.code == 405 and not allowed):
            next_step = "Check the address; all there are stand in the API's description."
            return _problem(NotFound(f"There is nothing at {request.path[:200]}.", next_step=next_step), 404)
        if allowed:
            takes = f"{request.path[:200]} does not take {request.method}. Nothing was changed."
            answer = _problem(Malformed(takes, next_step=f"Use one of: {', '.join(allowed)}."), 405)
            answer.headers["Allow"] = ", ".join(allowed)
            return answer
        known = Malformed if error.code == 413 else OpenLatchError
        problem = known(error.description or error.name, next_step="Check the address and what is sent to it.")
        return _problem(problem, error.code or 500)

    @app.errorhandler(OperationalError)
    def database(error: OperationalError) -> Response:
        if getattr(error.orig, "sqlstate", "") in TOO_LONG:
            log.warning("given up", error=str(error.orig))
            return _problem(
                Busy(
                    "This took longer than anyone should wait, and was given up. Nothing was changed.",
                    next_step="Try again shortly, or ask for less at a time.",
                    retry_after=5,
                )
            )
        short = SHORT_OF.get(getattr(error.orig, "sqlstate", None) or "", "")
        log.error(short or "the database does not answer", error=str(error.orig))
        next_step = "Whoever runs the service has to make room; then try again." if short else "Try again shortly."
        told = f"{short or 'The database does not answer.'} Nothing was changed."
        return _problem(OpenLatchError(told, next_step=next_step), 503)

    @app.errorhandler(Exception)
    def unforeseen(error: Exception) -> Response:
        behind = _behind(error)
        if behind is not None:
            return database(behind)
        wrong = backend().store.ready()
        if wrong:
            log.error(wrong, error=str(error))
            next_step = "Try again shortly; whoever runs the service brings the two together."
            refusal = OpenLatchError(f"Nothing can be answered: {wrong}. Nothing was changed.", next_step=next_step)
            return _problem(refusal, 503)
        log.exception("unforeseen error")
        problem = OpenLatchError(
            "Open Latch failed with an unexpected error. Nothing was changed.",
            next_step="Try again; if it stays, the service's own messages tell more.",
        )
        return _problem(problem)


def _behind(error: BaseException | None) -> OperationalError | None:
    """What was wrong with the database, where something else failed for that."""
    while error is not None and not isinstance(error, OperationalError):
        error = error.__cause__ or error.__context__
    return error


def _methods_here() -> tuple[str, ...]:
    """The methods that the present address of the API takes; none where only the console's page would be shown for it,
    and all of any other address.
    """
    adapter = current_app.url_map.bind("")
    every = sorted(set(adapter.allowed_methods(request.path)) - {"OPTIONS"})
    if not request.path.startswith(f"{PREFIX}/"):
        return tuple(every)
    rules = {method: adapter.match(request.path, method, return_rule=True)[0].rule for method in every}
    return tuple(method for method, rule in rules.items() if rule.startswith(f"{PREFIX}/"))


def _problem(error: OpenLatchError, status: int | None = None) -> Response:
    fields = {k: v for k, v in error.fields.items() if k != "errors"}
    problem = wire.Problem(
        type=f"urn:openlatch:problem:{error.code}",
        title=error.title,
        status=status or error.status,
        detail=error.message,
        code=error.code,
        next=error.next_step,
        errors=error.fields.get("errors", []),
        facts={k: str(v) if isinstance(v, UUID) else v for k, v in fields.items()},
    )
    response = Response(problem.model_dump_json(), problem.status, content_type="application/problem+json")
    if error.fields.get("retry_after"):
        response.headers["Retry-After"] = str(error.fields["retry_after"])
    if problem.status == 401:
        response.headers["WWW-Authenticate"] = 'Bearer realm="Open Latch"'
    response.headers["Cache-Control"] = "no-store"
    return response
