"""Checking the settings that a holder entered, with the same words for every connector."""

from __future__ import annotations

import ssl
from collections.abc import Mapping
from functools import cache

from openlatch.core.providers.ports import About
from openlatch.errors import Invalid, ProviderRefused

__all__ = ["authorities", "checked", "port_of", "trusted", "unable", "wrong"]


def checked(connector: str, about: About, settings: Mapping[str, str]) -> None:
    """Refuse settings that lack one that the connector needs, or have one that it does not know."""
    wanted = [setting.name for setting in about.settings if setting.needed]
    optional = [setting.name for setting in about.settings if not setting.needed]
    for name in sorted((set(wanted) - set(settings)) | (set(settings) - set(wanted) - set(optional))):
        problem = "is missing" if name in wanted else "is not known"
        more = f", and where needed {', '.join(optional)}" if optional else ""
        raise wrong(connector, name, problem, f"Give {', '.join(wanted)}{more}.")


def port_of(connector: str, settings: Mapping[str, str]) -> int:
    """Return the setting `port` as a number from 1 to 65535, or refuse."""
    text = settings["port"]
    if not text.isdecimal() or not 0 < int(text) < 65536:
        raise wrong(connector, "port", f"is {text!r}, which is not a port number", "Give a number from 1 to 65535.")
    return int(text)


@cache
def authorities() -> ssl.SSLContext:
    """Return the usual authorities, read once: that takes longer than most calls."""
    return ssl.create_default_context()


def trusted(connector: str, settings: Mapping[str, str]) -> ssl.SSLContext:
    """Return whom to trust: the usual authorities, or that whose certificate is in the setting `authority`."""
    try:
        own = settings.get("authority")
        return ssl.create_default_context(cadata=own) if own else authorities()
    except (ssl.SSLError, ValueError) as error:
        raise wrong(
            connector, "authority", "is no certificate", "Give it in PEM: -----BEGIN CERTIFICATE-----"
        ) from error


def wrong(connector: str, name: str, problem: str, next_step: str) -> Invalid:
    """Return the error for one setting that cannot be used."""
    return Invalid(
        f"The setting {name!r} of the connector “{connector}” {problem}. Nothing was added.",
        next_step=next_step,
        errors=[{"at": f"settings.{name}", "problem": problem}],
    )


def unable(entry: str, what: str) -> ProviderRefused:
    """Return the error for a change that a protocol has no words for."""
    return ProviderRefused(
        f"Nothing here can {what} {entry!r}: the protocol has no words for it.",
        next_step="Do it at the provider itself, or end the access.",
    )
