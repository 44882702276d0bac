"""What is built beforehand and lies in files: the console, and the pages of the documentation below /help."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from flask import Flask, Response, redirect, request, send_from_directory

from openlatch.errors import NotFound

__all__ = ["POLICY", "bind_console", "bind_help"]

CONSOLE = Path(__file__).parent / "console"
HELP = Path(__file__).parent / "help"
SEARCH = "search.html"
OWN = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
POLICY = f"{OWN}; require-trusted-types-for 'script'"
"""What a page may load and do: only what comes from the service itself, and no text becomes code."""


def bind_help(app: Flask) -> None:
    """Answer /help with the pages of the documentation, to anyone: nothing of a workspace is in them."""

    @app.get("/help")
    def help_page() -> Response:
        # Their links are relative to a folder.
        return redirect("/help/", 308) if request.path == "/help" else _help("index.html")  # type: ignore[return-value]

    @app.get("/help/<path:path>")
    def help_file(path: str) -> Response:
        return _help(path if not path.endswith("/") else f"{path}index.html")


def bind_console(app: Flask) -> None:
    """Answer every other address with the console: it says itself what is at it."""

    @app.get("/")
    @app.get("/<path:path>")
    def console(path: str = "") -> Response:
        if path == "api" or (path.startswith(("api/", "assets/")) and not (CONSOLE / path).is_file()):
            raise NotFound(f"There is nothing at /{path}.", next_step="Check the address.")
        if not (CONSOLE / "index.html").is_file():
            raise NotFound("The console is not built yet.", next_step="Build it with `make console`.")
        name = path if path and (CONSOLE / path).is_file() else "index.html"
        response = _file(CONSOLE, name)
        lasting = name.startswith("assets/")
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if lasting else "no-cache"
        return response


def _help(path: str) -> Response:
    if not (HELP / "index.html").is_file():
        raise NotFound("The help is not made yet.", next_step="Make it with `make site`.")
    if not (HELP / path).is_file():
        raise NotFound(f"There is no page of the help at /help/{path}.", next_step="Begin at /help/.")
    response = _file(HELP, path)
    response.headers["Cache-Control"] = "no-cache"
    if path == SEARCH:
        # The search is a script of others, which writes what it found as HTML: that of these pages, never of a person.
        response.headers["Content-Security-Policy"] = OWN
    return response


def _file(folder: Path, name: str) -> Response:
    """A file, in the compressed form that the build has laid beside it if the browser takes that."""
    packed = (folder / f"{name}.gz").is_file()
    if packed and request.accept_encodings.quality("gzip") > 0:
        kind = mimetypes.guess_type(name)[0]
        response = send_from_directory(folder, f"{name}.gz", mimetype=kind)
        response.headers["Content-Encoding"] = "gzip"
    else:
        response = send_from_directory(folder, name)
    if packed:
        response.headers["Vary"] = "Accept-Encoding"
    return response
