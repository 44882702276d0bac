"""Messages: news and webhooks."""
