"""The messages of the API and of the feed protocol as pydantic models, shared by the service and the client.

A folder of plain shapes: no behaviour, no knowledge of the core. Instants are ISO 8601 with a zone, ids are UUIDs.
"""
