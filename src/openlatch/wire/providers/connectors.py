"""The connectors that a service has."""

from __future__ import annotations

from openlatch.wire.base import Sent

__all__ = ["Connector", "ConnectorList", "ConnectorSetting"]


class ConnectorSetting(Sent):
    """A setting that a connector takes."""

    name: str
    what: str
    needed: bool
    lines: bool = False


class Connector(Sent):
    """A connector that is installed: what it speaks, its settings, and what its secret is."""

    name: str
    speaks: str
    settings: list[ConnectorSetting]
    secret: str


class ConnectorList(Sent):
    """The connectors that are installed, by name."""

    items: list[Connector]
