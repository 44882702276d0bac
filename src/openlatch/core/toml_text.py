"""Reading TOML that people write: how much of it there may be, and where in it something is wrong."""

from __future__ import annotations

import re
import tomllib
from typing import Any

__all__ = ["NotToml", "parsed"]

DEEPEST = 8
"""Parts of a key, one behind the other with dots between them: who reads TOML takes memory for each with all before."""
_PART = r"(?:[\w-]+|\"[^\"\n]*\"|'[^'\n]*')"
_DEEP = re.compile(rf"(?:^|[\[{{,])[ \t]*({_PART}(?:[ \t]*\.[ \t]*{_PART}){{{DEEPEST}}})", re.MULTILINE)


class NotToml(Exception):
    """A text that is not read: what is wrong, and where, such as “line 3, column 1”; empty if that is all of it."""

    def __init__(self, at: str, problem: str) -> None:
        super().__init__(f"{at}: {problem}")
        self.at = at
        self.problem = problem


def parsed(text: str, longest: int) -> dict[str, Any]:
    """Return what a text of at most so many characters says; raises NotToml."""
    if len(text) > longest:
        raise NotToml("", f"it has {len(text)} characters, and {longest} is the most")
    deep = _DEEP.search(text)
    if deep is not None:
        line = text.count("\n", 0, deep.start(1)) + 1
        raise NotToml(f"line {line}", f"a key has more than {DEEPEST} parts")
    try:
        return tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        said = str(error)
        found = re.search(r"\(at (line \d+, column \d+)\)", said)
        problem = re.sub(r" \(at .*\)", "", said)
        raise NotToml(found[1] if found else "", f"it is not TOML: {problem[:1].lower()}{problem[1:]}") from error
