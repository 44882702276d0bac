"""What a sign-in was made with, in the few words by which someone knows their own device again."""

from __future__ import annotations

__all__ = ["device_of"]

_BROWSERS = (("Firefox/", "Firefox"), ("Edg/", "Edge"), ("OPR/", "Opera"), ("Chrome/", "Chrome"), ("Safari/", "Safari"))
"""By what each says of itself (RFC 9110, User-Agent); those that also name another one come before it."""
_SYSTEMS = (
    ("Android", "Android"),
    ("iPhone", "iPhone"),
    ("iPad", "iPad"),
    ("Mac OS X", "macOS"),
    ("Windows", "Windows"),
    ("Linux", "Linux"),
)
_LONGEST = 60


def device_of(user_agent: str) -> str:
    """Return a device by what its browser says of itself, such as “Firefox on Linux”; it proves nothing."""
    browser = next((name for mark, name in _BROWSERS if mark in user_agent), "")
    system = next((name for mark, name in _SYSTEMS if mark in user_agent), "")
    if browser:
        return f"{browser} on {system}" if system else browser
    program = "".join(text for text in user_agent if text.isprintable()).strip()[:_LONGEST]
    return program or "an unnamed program"
