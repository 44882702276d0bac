"""Stand-ins for outside services that cannot be installed here, as WSGI apps; they misbehave when told to.

Nothing of the product is imported in here: a stand-in knows its protocol from the documents, as a stranger would.
"""

from openlatch.simulator.feed import FeedStandIn, serve

__all__ = ["FeedStandIn", "serve"]
