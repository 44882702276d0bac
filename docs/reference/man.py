"""Write the manual pages from the commands: one for the command line as a whole, one for each noun."""

from __future__ import annotations

import re
from collections.abc import Iterator

import click

from openlatch import __version__
from openlatch.cli import SHORT_WAYS
from openlatch.cli import main as command_line
from openlatch.cli.command import Command, shown

__all__ = ["pages"]

ENVIRONMENT = (
    ("OPENLATCH_SERVER, OPENLATCH_TOKEN", "The service and the token to use, instead of a sign-in that is kept."),
    ("OPENLATCH_PROFILE", "The sign-in to use, as with --profile."),
    ("OPENLATCH_SIGN_IN", "The file in which sign-ins are kept; sign-in.json in ~/.config/openlatch without it."),
    ("OPENLATCH_CONFIG", "The file with defaults of options; config.toml in ~/.config/openlatch without it."),
    ("NO_COLOR", "Print without colour."),
    ("COLUMNS", "How wide a table may be; as wide as the terminal without it, and without a limit in a pipe."),
)
EXIT = (
    ("0", "Done."),
    ("1", "It could not be done."),
    ("2", "The command was not typed correctly."),
    ("3", "Not signed in, or not allowed."),
    ("4", "There is no such thing."),
    ("5", "The service or a provider does not answer."),
    ("6", "An order needs a person."),
    ("7", "A what-if check failed."),
)


def pages() -> Iterator[tuple[str, str]]:
    """Yield the name of each page with its text."""
    context = click.Context(command_line, info_name="openlatch", **command_line.context_settings)
    names = [name for name in command_line.list_commands(context) if name not in SHORT_WAYS]
    yield "openlatch.1", _whole(context, names)
    for name in names:
        command = command_line.get_command(context, name)
        assert command is not None
        yield f"openlatch-{name}.1", _page(command, f"openlatch {name}", context)


def _whole(context: click.Context, names: list[str]) -> str:
    lines = [*_head("openlatch", "who can use your shared accounts, and taking it back with proof")]
    lines += [".SH SYNOPSIS", ".B openlatch", "[\\fIOPTIONS\\fR] \\fINOUN VERB\\fR [\\fIARGUMENTS\\fR]"]
    lines += [".SH DESCRIPTION", *_paragraphs(command_line)]
    lines += [".SH OPTIONS", *_options(command_line, context)]
    lines.append(".SH COMMANDS")
    for name in names:
        command = command_line.get_command(context, name)
        assert command is not None
        lines += _item(f"openlatch-{name}(1)", command.get_short_help_str(200))
    lines.append(".PP\nShort ways for what is done every day:")
    for short, long in SHORT_WAYS.items():
        lines += _item(f"openlatch {short}", f"Short for openlatch {long}.")
    for title, items in (("ENVIRONMENT", ENVIRONMENT), ("EXIT STATUS", EXIT)):
        lines.append(f".SH {title}")
        for name, text in items:
            lines += _item(name, text)
    return "\n".join(lines) + "\n"


def _page(command: click.Command, path: str, above: click.Context) -> str:
    context = click.Context(command, info_name=path.rpartition(" ")[2], parent=above)
    lines = [*_head(path.replace(" ", "-"), command.get_short_help_str(200).rstrip(".").lower())]
    lines += [".SH SYNOPSIS", *_synopsis(command, context)]
    lines += [".SH DESCRIPTION", *_paragraphs(command)]
    if isinstance(command, click.Group):
        lines.append(".SH COMMANDS")
        for name in command.list_commands(context):
            inner = command.get_command(context, name)
            assert inner is not None
            lines += [f".SS {_plain(f'{path} {name}')}", *_command(inner, context, name)]
    else:
        lines += [".SH OPTIONS", *_options(command, context), *_example(command, context)]
    lines += [".SH SEE ALSO", ".BR openlatch (1)"]
    return "\n".join(lines) + "\n"


def _command(command: click.Command, above: click.Context, name: str) -> list[str]:
    context = click.Context(command, info_name=name, parent=above)
    usage = [*_synopsis(command, context), ".PP"]
    return [*usage, *_paragraphs(command), *_options(command, context), *_example(command, context)]


def _head(name: str, says: str) -> Iterator[str]:
    yield f'.TH {name.upper()} 1 "" "Open Latch {__version__}" "Open Latch"'
    yield f".SH NAME\n{_plain(name)} \\- {_plain(says)}"


def _synopsis(command: click.Command, context: click.Context) -> Iterator[str]:
    yield f".B {_plain(context.command_path)}"
    yield _plain(" ".join(command.collect_usage_pieces(context)))


def _paragraphs(command: click.Command) -> Iterator[str]:
    for number, paragraph in enumerate((command.help or "").split("\n\n")):
        if number:
            yield ".PP"
        if paragraph.startswith("\b"):
            yield ".nf"
            yield from (_plain(line) for line in paragraph.removeprefix("\b").strip("\n").splitlines())
            yield ".fi"
        else:
            yield _plain(" ".join(paragraph.split()))


def _options(command: click.Command, context: click.Context) -> Iterator[str]:
    for param in command.get_params(context):
        if isinstance(param, click.Argument):
            continue
        record = param.get_help_record(context)
        if record is not None:
            yield from _item(*record)


def _example(command: click.Command, context: click.Context) -> Iterator[str]:
    if isinstance(command, Command):
        line = f"{context.command_path} {shown(command.example)}".strip()
        yield from (".PP", "Example:", ".RS 4", ".nf", _plain(line), ".fi", ".RE")


def _item(name: str, text: str) -> Iterator[str]:
    yield from (".TP", f".B {_plain(name)}", _plain(" ".join(text.split())))


def _plain(text: str) -> str:
    """Text in which nothing is taken for a request of the formatter."""
    quiet = text.replace("\\", "\\e").replace("-", "\\-")
    quiet = "".join(letter if letter.isascii() else f"\\[u{ord(letter):04X}]" for letter in quiet)
    return re.sub(r"^([.'])", r"\\&\1", quiet)
