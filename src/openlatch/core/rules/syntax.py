"""From the text of a condition to its syntax: the part of CEL (Common Expression Language) in which rules are written.

Names, calls and selections are only read here; whether they mean something is decided in `check`. Everything that a
hostile text could make large is bounded: its length, the depth of its nesting, and with these its size.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

__all__ = ["LONGEST", "Call", "Fault", "ListOf", "Literal", "Name", "Select", "Syntax", "parse"]

LONGEST = 4_000
"""Characters of the longest condition."""
DEEPEST = 24
"""How deeply a condition can be nested."""


class Fault(Exception):
    """What is wrong with a condition, and where: `at` counts characters from 0."""

    def __init__(self, problem: str, at: int, hint: str = "") -> None:
        super().__init__(problem)
        self.problem = problem
        self.at = at
        self.hint = hint


@dataclass(frozen=True, slots=True)
class Literal:
    """A number, a text, or true or false."""

    at: int
    value: bool | int | str


@dataclass(frozen=True, slots=True)
class Name:
    """A name that stands alone."""

    at: int
    name: str


@dataclass(frozen=True, slots=True)
class Select:
    """One part of something: `of.name`."""

    at: int
    of: Syntax
    name: str


@dataclass(frozen=True, slots=True)
class ListOf:
    """Values in brackets."""

    at: int
    items: tuple[Syntax, ...]


@dataclass(frozen=True, slots=True)
class Call:
    """An operator, a function, or with `of` a method."""

    at: int
    name: str
    arguments: tuple[Syntax, ...]
    of: Syntax | None = None


Syntax = Literal | Name | Select | ListOf | Call

_TOKEN = re.compile(
    r"""(?P<space>\s+)
      | (?P<int>\d+(?![\w.]))
      | (?P<name>[A-Za-z_]\w*)
      | (?P<text>"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*')
      | (?P<sign>&&|\|\||[=!<>]=|[-+!<>()\[\].,])""",
    re.VERBOSE | re.ASCII,
)
_ESCAPES = {"\\": "\\", '"': '"', "'": "'", "n": "\n", "t": "\t"}
_COMPARES = ("==", "!=", "<", "<=", ">", ">=")
_LARGEST = 2**31 - 1


@dataclass(frozen=True, slots=True)
class _Token:
    kind: str
    text: str
    at: int


def parse(text: str) -> Syntax:
    """Return the syntax of a condition; raises Fault."""
    if len(text) > LONGEST:
        raise Fault(
            f"it has {len(text)} characters, and {LONGEST} is the most",
            LONGEST,
            "Split it into several rules.",
        )
    parser = _Parser(_tokens(text), len(text))
    found = parser.either()
    parser.end()
    return found


def _tokens(text: str) -> list[_Token]:
    tokens, at = [], 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            raise _unreadable(text, at)
        if match.lastgroup != "space":
            tokens.append(_Token(match.lastgroup or "", match[0], at))
        at = match.end()
    return tokens


def _unreadable(text: str, at: int) -> Fault:
    sign = text[at]
    if sign in "\"'":
        return Fault("the text that begins here has no end", at, f"Close it with {sign} on the same line.")
    if sign.isdigit():
        return Fault("only whole numbers are known", at, 'Write a length of time as duration("36h").')
    hints = {"&": "Did you mean && ?", "|": "Did you mean || ?", "=": "Did you mean == ?"}
    more = "This part of CEL is not offered here." if sign in "*/%?:{}" else ""
    return Fault(f"“{sign}” is not expected here", at, hints.get(sign, more))


class _Parser:
    """Recursive descent, one method for each level of precedence, the loosest first."""

    def __init__(self, tokens: list[_Token], length: int) -> None:
        self._tokens = tokens
        self._length = length
        self._place = 0
        self._depth = 0

    def either(self) -> Syntax:
        self._depth += 1
        if self._depth > DEEPEST:
            raise Fault(f"it is nested more than {DEEPEST} deep", self._at(), "Use fewer levels of nesting.")
        found = self._joined("||", self._both)
        self._depth -= 1
        return found

    def _both(self) -> Syntax:
        return self._joined("&&", self._compare)

    def _joined(self, sign: str, value: object) -> Syntax:
        assert callable(value)  # noqa: S101 - one of our own methods
        at = self._at()
        items: list[Syntax] = [value()]
        while self._take(sign):
            items.append(value())
        return items[0] if len(items) == 1 else Call(at, sign, tuple(items))

    def _compare(self) -> Syntax:
        left = self._sum()
        token = self._peek()
        if token is not None and (token.text in _COMPARES or (token.kind == "name" and token.text == "in")):
            self._place += 1
            left = Call(token.at, token.text, (left, self._sum()))
            after = self._peek()
            if after is not None and after.text in _COMPARES:
                raise Fault("one comparison cannot be compared again", after.at, "Join two comparisons with && .")
        return left

    def _sum(self) -> Syntax:
        left = self._unary()
        while (token := self._peek()) is not None and token.text in ("+", "-"):
            self._place += 1
            left = Call(token.at, token.text, (left, self._unary()))
        return left

    def _unary(self) -> Syntax:
        token = self._peek()
        if token is not None and token.text in ("!", "-"):
            self._place += 1
            self._depth += 1
            if self._depth > DEEPEST:
                raise Fault(f"it is nested more than {DEEPEST} deep", token.at, "Use fewer levels of nesting.")
            inner = self._unary()
            self._depth -= 1
            return Call(token.at, f"{token.text}_", (inner,))
        return self._selected()

    def _selected(self) -> Syntax:
        found = self._primary()
        steps = 0
        while self._take("."):
            steps += 1
            if steps > DEEPEST:
                raise Fault(f"it is nested more than {DEEPEST} deep", self._at(), "Use fewer levels of nesting.")
            token = self._need("name", "the name of a field or function")
            if self._take("("):
                found = Call(token.at, token.text, self._arguments(")"), found)
            else:
                found = Select(token.at, found, token.text)
        return found

    def _primary(self) -> Syntax:
        token = self._peek()
        if token is None:
            raise Fault("it ends where a value is expected", self._length)
        self._place += 1
        if token.kind == "int":
            if int(token.text) > _LARGEST:
                raise Fault(f"the number is greater than {_LARGEST}", token.at)
            return Literal(token.at, int(token.text))
        if token.kind == "text":
            return Literal(token.at, _unescaped(token))
        if token.kind == "name":
            if token.text in ("true", "false"):
                return Literal(token.at, token.text == "true")
            if self._take("("):
                return Call(token.at, token.text, self._arguments(")"))
            return Name(token.at, token.text)
        if token.text == "(":
            found = self.either()
            self._close(")")
            return found
        if token.text == "[":
            return ListOf(token.at, self._arguments("]"))
        raise Fault(f"“{token.text}” is not expected here; a value is", token.at)

    def _arguments(self, closing: str) -> tuple[Syntax, ...]:
        if self._take(closing):
            return ()
        items = [self.either()]
        while self._take(","):
            items.append(self.either())
        self._close(closing)
        return tuple(items)

    def end(self) -> None:
        token = self._peek()
        if token is not None:
            raise Fault(f"“{token.text}” is not expected here; the condition could end before it", token.at)

    def _peek(self) -> _Token | None:
        return self._tokens[self._place] if self._place < len(self._tokens) else None

    def _at(self) -> int:
        token = self._peek()
        return self._length if token is None else token.at

    def _take(self, sign: str) -> bool:
        token = self._peek()
        if token is None or token.kind != "sign" or token.text != sign:
            return False
        self._place += 1
        return True

    def _close(self, sign: str) -> None:
        if not self._take(sign):
            raise Fault(f"“{sign}” is expected here", self._at())

    def _need(self, kind: str, what: str) -> _Token:
        token = self._peek()
        if token is None or token.kind != kind:
            raise Fault(f"{what} is expected here", self._at())
        self._place += 1
        return token


def _unescaped(token: _Token) -> str:
    texts, body = [], iter(enumerate(token.text[1:-1], 1))
    for place, letter in body:
        if letter != "\\":
            texts.append(letter)
            continue
        _, escaped = next(body)
        if escaped not in _ESCAPES:
            raise Fault(f"“\\{escaped}” means nothing", token.at + place, "Write \\\\ for a backslash.")
        texts.append(_ESCAPES[escaped])
    return "".join(texts)
