"""Stand-ins for outside services, as WSGI apps that keep their state and fail on demand. They know nothing of ours."""

from collections.abc import Mapping

from openlatch.simulator.feed import FeedStandIn
from openlatch.simulator.listener import ListenerStandIn
from openlatch.simulator.oauth import OAuthStandIn
from openlatch.simulator.scim import ScimStandIn
from openlatch.simulator.stand_in import StandIn, serve

__all__ = ["STAND_INS", "FeedStandIn", "ListenerStandIn", "OAuthStandIn", "ScimStandIn", "StandIn", "serve"]

STAND_INS: Mapping[str, type[StandIn]] = {
    "feed": FeedStandIn,
    "scim": ScimStandIn,
    "oauth": OAuthStandIn,
    "listener": ListenerStandIn,
}
