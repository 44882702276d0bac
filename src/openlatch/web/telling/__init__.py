"""News and webhooks over HTTP."""
