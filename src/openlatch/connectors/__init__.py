"""One module per protocol. A connector builds and parses purely and sends thinly; connectors do not know each other.

Others can bring their own through the entry-point group `openlatch.connectors`.
"""
