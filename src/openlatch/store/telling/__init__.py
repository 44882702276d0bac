"""News, letters, links and webhooks as they are stored."""
